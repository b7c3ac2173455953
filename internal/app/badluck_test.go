package app_test

import (
	"bytes"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"net/http"
	"strconv"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/internal/api"
	"zestyloom/internal/app/apptest"
	"zestyloom/internal/store/storetest"
)

// A1, A3. The database is stopped as by a power cut, the server is killed, answers to commits are lost: each while takes
// come in from a card and by upload, files are written, a reel is printed, clips are settled, a take is resampled and an
// editor works. All of it ends as it would have without: nothing that was confirmed is lost, nothing is done twice,
// nothing is half, and the files are the same bytes.
func TestBadLuckLosesNothing(t *testing.T) {
	t.Run("the database is stopped", func(t *testing.T) {
		c := storetest.NewCluster(t)
		s := apptest.StartOn(t, c.URL)
		whatever(t, s, func(func()) { c.Stop(); c.Start() }, func() {})
	})
	t.Run("the server is killed", func(t *testing.T) {
		s := apptest.Start(t)
		s.Stop()
		kill := s.RunApart()
		whatever(t, s, func(move func()) {
			kill()
			kill = s.RunApart()
			move()
		}, func() {})
	})
	t.Run("answers to commits are lost", func(t *testing.T) {
		lossy := storetest.NewLossy(t, storetest.URL(t))
		s := apptest.StartOn(t, lossy.URL)
		whatever(t, s, func(func()) { lossy.Lose(5) }, func() { lossy.Lose(0) })
		assert.Positive(t, lossy.Lost.Load())
	})
}

// day is a production at which everything goes on at once.
type day struct {
	t          *testing.T
	s          *apptest.Server
	production string
	reel       api.ReelView // is printed, and not edited
	edited     api.ReelView // is edited all the time
	names, ids []string     // takes that are written, settled and resampled
	mu         sync.Mutex
	base       string   // where the server is now
	marks      []string // that were confirmed
}

// made is what came of one round, by what it is.
type made map[string][]byte

// whatever strikes again and again. move is to be told when the server has gone elsewhere, calm ends the bad luck.
func whatever(t *testing.T, s *apptest.Server, strike func(move func()), calm func()) {
	d := newDay(t, s)
	want := d.round("undisturbed", func() {})
	for round := range rounds(t, 2) {
		got := d.round(fmt.Sprint(round), func() {
			time.Sleep(time.Duration(20+130*round%700) * time.Millisecond) // anywhere in the work
			strike(d.move)
		}, calm)
		require.Len(t, got, len(want))
		for what, b := range want {
			require.True(t, bytes.Equal(b, got[what]), "round %d: %s is the same as undisturbed", round, what)
		}
	}
	s.OK("GET", "/reels/"+d.edited.ID, nil, &d.edited)
	var marks []string
	for _, m := range d.edited.Marks {
		marks = append(marks, m.Name)
	}
	assert.ElementsMatch(t, d.marks, marks, "each edit that was confirmed is there, and once")
	require.Eventually(t, func() bool { return len(within(t, s, "attempts")) == 0 }, 60*time.Second, 10*time.Millisecond,
		"no attempt goes on")
}

func newDay(t *testing.T, s *apptest.Server) *day {
	d := &day{t: t, s: s, production: s.Production(), base: s.Base}
	for i := range 3 {
		d.names = append(d.names, fmt.Sprintf("t%d.wav", i))
		s.Record(d.names[i], 15+float64(i)/10, "Boom", "Ines lav", "Tobiah lav")
	}
	s.Bring(d.production, d.names...)
	takes := s.Takes(d.production)
	for _, n := range d.names {
		d.ids = append(d.ids, takes[n].ID)
	}
	d.edited = s.Reel(d.production, "Edited")
	d.reel = d.laid("Printed", d.ids...)
	s.OK("POST", "/reels/"+d.reel.ID+"/spec", api.SpecChoice{Revision: d.reel.Revision, Spec: "eight-channel-mix"}, &d.reel)
	return d
}

// laid makes a reel of takes.
func (d *day) laid(name string, takes ...string) api.ReelView {
	v := d.s.Reel(d.production, name)
	for _, id := range takes {
		d.s.OK("POST", "/reels/"+v.ID+"/lay", map[string]any{"revision": v.Revision, "takes": []string{id}}, &v)
	}
	return v
}

func (d *day) move() {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.base = d.s.Base
}

func (d *day) at() string {
	d.mu.Lock()
	defer d.mu.Unlock()
	return d.base
}

// round begins all kinds of work, lets it be struck, waits until all is done, and gives what was made.
func (d *day) round(name string, luck ...func()) made {
	var cards []string
	for i := range 2 {
		cards = append(cards, fmt.Sprintf("%s-%d.wav", name, i))
		d.s.Record(cards[i], 15+float64(i)/10, "Boom", "Ines lav")
	}
	upload := "up-" + name + ".wav"
	d.s.Record(upload, 15, "Boom", "Ines lav")
	settling := d.laid("Settled "+name, d.ids[1])
	location, res := uploadTo(d, upload)
	require.Equal(d.t, http.StatusCreated, res.StatusCode)

	var p api.Print
	d.s.OK("POST", "/productions/"+d.production+"/imports", api.CardImport{Card: "LF03", Paths: cards}, nil)
	d.s.OK("POST", "/reels/"+d.reel.ID+"/prints", map[string]any{"packaging": "interleaved"}, &p)
	batch := queued(d.s, "/productions/"+d.production+"/batches", map[string]any{"kind": "ply", "takes": d.ids,
		"settings": map[string]any{"all": true, "singly": false}})
	settle := queued(d.s, "/reels/"+settling.ID+"/settle", map[string]any{"clips": []string{settling.Clips[0].ID}})
	d.s.OK("POST", "/takes/"+d.ids[2]+"/convert", map[string]any{"driftPPM": 500}, nil)
	var going sync.WaitGroup
	ended := make(chan struct{})
	going.Go(func() { d.send(location, d.s.Copied(upload)) })
	going.Go(func() { d.edit(name, ended) })
	for _, strike := range luck {
		strike()
		patient(d.t, d.s, d.production)
	}
	close(ended)
	going.Wait()
	patient(d.t, d.s, d.production)
	return d.results(append(cards, upload), p.ID, batch, settle)
}

func uploadTo(d *day, name string) (string, *http.Response) {
	return upload(d.t, d.s, d.production, name, len(d.s.Copied(name)), nil)
}

// send uploads a file in parts, and goes on where it was broken off until all of it is there.
func (d *day) send(location string, file []byte) {
	ask := func(method string, from int, part []byte) *http.Response {
		req, err := http.NewRequest(method, d.at()+location, bytes.NewReader(part))
		if err != nil {
			return nil
		}
		req.Header.Set("Tus-Resumable", "1.0.0")
		req.Header.Set("Upload-Offset", fmt.Sprint(from))
		req.Header.Set("Content-Type", "application/offset+octet-stream")
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			return nil
		}
		res.Body.Close()
		return res
	}
	for at := 0; at < len(file); {
		if res := ask("PATCH", at, file[at:min(at+500_000, len(file))]); res != nil && res.StatusCode == http.StatusNoContent {
			at = min(at+500_000, len(file))
			time.Sleep(20 * time.Millisecond)
			continue
		}
		time.Sleep(20 * time.Millisecond)
		if res := ask("HEAD", 0, nil); res != nil && res.StatusCode == http.StatusOK {
			at, _ = strconv.Atoi(res.Header.Get("Upload-Offset"))
		} else if res != nil && res.StatusCode == http.StatusNotFound {
			return // all had arrived, and has become a take
		}
	}
}

// edit sets one mark after another, as the page does: an edit whose answer is lost is sent again under its key.
func (d *day) edit(round string, ended chan struct{}) {
	for i := 0; ; i++ {
		name := fmt.Sprintf("%s mark %d", round, i)
		body, _ := json.Marshal(map[string]any{"revision": 0, "kind": "setMark", "command": map[string]any{"name": name,
			"at": 36000*48000 + i}})
		for !d.edits(name, body) {
			time.Sleep(20 * time.Millisecond)
		}
		d.marks = append(d.marks, name)
		select {
		case <-ended:
			return
		case <-time.After(5 * time.Millisecond):
		}
	}
}

func (d *day) edits(key string, body []byte) bool {
	req, err := http.NewRequest("POST", d.at()+api.Base+"/reels/"+d.edited.ID+"/commands?since=1", bytes.NewReader(body))
	if err != nil {
		return false
	}
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("Idempotency-Key", key)
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		return false
	}
	defer res.Body.Close()
	_, err = io.Copy(io.Discard, res.Body)
	return err == nil && res.StatusCode == http.StatusOK
}

// results collects what a round has made, and puts back what the next begins with.
func (d *day) results(came []string, printID, batch, settle string) made {
	t, s, out := d.t, d.s, made{}
	sound := func(take string, frames int) []byte {
		return s.File(fmt.Sprintf("/takes/%s/samples?channel=2&from=%d&count=48000", take, frames-48000))
	}
	takes := s.Takes(d.production)
	for i, name := range came {
		require.NotEmpty(t, takes[name].ID, "%s has come in", name)
		recorded, _ := samples(t, s.Copied(name))
		var end []byte
		for _, x := range recorded[1][len(recorded[1])-48000:] {
			end = binary.LittleEndian.AppendUint32(end, math.Float32bits(float32(x)))
		}
		require.True(t, bytes.Equal(end, sound(takes[name].ID, len(recorded[1]))), "%s has its sound", name)
		out[fmt.Sprint("take ", i)] = nil
	}
	var p api.Print
	s.OK("GET", "/prints/"+printID, nil, &p)
	require.Equal(t, "done", p.State, p.Message)
	for _, f := range p.Report.Files {
		out["print "+f.Name] = s.File("/prints/" + p.ID + "/files/" + f.Name)
	}
	w := work(s, batch)
	require.Equal(t, "done", w.State, w.Message)
	require.Len(t, w.Report, len(d.ids))
	for _, o := range w.Report {
		require.True(t, o.OK, o.Message)
		out["plied "+o.Files[0].Name] = s.File("/work/" + w.ID + "/files/" + o.Files[0].Name)
	}
	w = work(s, settle)
	require.Equal(t, "done", w.State, w.Message)
	out["settled"] = s.File("/takes/" + *w.Result + "/samples?channel=1&from=0&count=100000")
	resampled := takes[d.names[2]]
	require.NotNil(t, resampled.Assembly, "it was resampled")
	out["resampled"] = sound(resampled.ID, int(resampled.Description.Frames))
	s.OK("POST", "/takes/"+resampled.ID+"/apart", nil, nil)
	return out
}
