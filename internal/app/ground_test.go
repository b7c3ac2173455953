package app_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/internal/api"
	"zestyloom/internal/app/apptest"
	"zestyloom/internal/store/storetest"
)

// rounds is how often a test of bad luck is repeated: a few times in the usual run, more where ZESTYLOOM_TEST_ROUNDS
// says so.
func rounds(t *testing.T, usual int) int {
	n := usual
	if asked := os.Getenv("ZESTYLOOM_TEST_ROUNDS"); asked != "" {
		_, err := fmt.Sscan(asked, &n)
		require.NoError(t, err)
	}
	return n
}

// ask runs a statement in the application's database.
func ask(t *testing.T, s *apptest.Server, sql string, args ...any) {
	ctx := context.Background()
	conn, err := pgx.Connect(ctx, s.Database)
	require.NoError(t, err)
	defer conn.Close(ctx)
	_, err = conn.Exec(ctx, sql, args...)
	require.NoError(t, err)
}

// queued asks for work and gives its ID.
func queued(s *apptest.Server, path string, body any) string {
	var q struct{ Work string }
	s.OK("POST", path, body, &q)
	return q.Work
}

// work gives one piece of work, with its report.
func work(s *apptest.Server, id string) (w api.Work) {
	s.OK("GET", "/work/"+id, nil, &w)
	return w
}

// within lists what lies in a folder of the media.
func within(t *testing.T, s *apptest.Server, folder string) []string {
	list, err := filepath.Glob(filepath.Join(s.Data, "media", folder, "*"))
	require.NoError(t, err)
	return list
}

// A1. A panic in work is failed work with a reason, found though nobody queued it, and the others go on.
func TestAPanicInWorkIsAFailureOfIt(t *testing.T) {
	s := apptest.Start(t)
	production, v := crossing(t, s)
	id := "11111111-2222-4333-8444-555555555555"
	// A settle of no clips can't be asked for; its handler looks at the first.
	ask(t, s, `insert into work (id, production_id, kind, title, args) values ($1, $2, 'settle', 'x', jsonb_build_object('reel', $3::text, 'clips', '[]'::jsonb))`, id, production, v.ID)
	require.Eventually(t, func() bool { return work(s, id).State == "failed" }, 60*time.Second, 20*time.Millisecond)
	assert.NotEmpty(t, work(s, id).Message)
	again := queued(s, "/productions/"+production+"/batches", map[string]any{"kind": "ply",
		"takes": []string{s.Takes(production)["12A.wav"].ID}, "settings": map[string]any{"all": true, "singly": false}})
	s.Settled(production)
	assert.Equal(t, "done", work(s, again).State)
}

// A1. Stopped work can be tried again at once.
func TestCancelledWorkIsTriedAgainAtOnce(t *testing.T) {
	s := apptest.Start(t)
	var names, ids []string
	for i := range 6 {
		names = append(names, fmt.Sprintf("t%d.wav", i))
		s.Record(names[i], 40+float64(i)/10, "Boom", "Ines lav", "Tobiah lav", "Radio")
	}
	production := s.Production()
	s.Bring(production, names...)
	for _, tk := range s.Takes(production) {
		ids = append(ids, tk.ID)
	}
	id := queued(s, "/productions/"+production+"/batches", map[string]any{"kind": "ply", "takes": ids,
		"settings": map[string]any{"all": true, "singly": false}})
	progressed(t, s, production, func(w api.Work) bool { return w.ID == id && w.State == "running" })
	s.OK("POST", "/work/"+id+"/cancel", nil, nil)
	assert.Equal(t, "cancelled", work(s, id).State)
	s.OK("POST", "/work/"+id+"/retry", nil, nil)
	progressed(t, s, production, func(w api.Work) bool { return w.ID == id && w.State != "queued" })
	s.Settled(production)
	assert.Equal(t, "done", work(s, id).State)
}

// A2. The last byte of an upload comes while the database is down: the upload says that all is well, and it is.
func TestAnUploadThatEndsWhileTheDatabaseIsDownIsTakenIn(t *testing.T) {
	c := storetest.NewCluster(t)
	s := apptest.StartOn(t, c.URL)
	production := s.Production()
	s.Record("12A.wav", 2, "Boom", "Ines lav")
	file := s.Copied("12A.wav")
	for i := range rounds(t, 2) {
		name := fmt.Sprintf("12A-%d.wav", i)
		location, res := upload(t, s, production, name, len(file), nil)
		require.Equal(t, http.StatusCreated, res.StatusCode)
		c.Stop()
		res, err := patch(s, location, 0, bytes.NewReader(file), int64(len(file)))
		require.NoError(t, err)
		res.Body.Close()
		require.Equal(t, http.StatusNoContent, res.StatusCode)
		c.Start()
		require.Eventually(t, func() bool {
			var list api.TakeList
			return s.Call("GET", "/productions/"+production+"/takes", nil, &list) == 200 && len(list.Takes) == i+1
		}, 60*time.Second, 50*time.Millisecond)
	}
	s.Settled(production)
	require.Eventually(t, func() bool {
		left, err := os.ReadDir(filepath.Join(s.Data, "uploads"))
		return err == nil && len(left) == 0
	}, 60*time.Second, 20*time.Millisecond, "what has become a take is cleared")
}

// A2. The process dies within a moment of the last byte.
func TestAnUploadWhoseLastByteKillsTheServerIsTakenIn(t *testing.T) {
	s := apptest.Start(t)
	s.Stop()
	kill := s.RunApart()
	production := s.Production()
	s.Record("12A.wav", 0.2, "Boom", "Ines lav")
	file := s.Copied("12A.wav")
	n := rounds(t, 5)
	for i := range n {
		location, res := upload(t, s, production, fmt.Sprintf("12A-%d.wav", i), len(file), nil)
		require.Equal(t, http.StatusCreated, res.StatusCode)
		// The rest is sent, and the server dies some milliseconds later, whether it has answered or not.
		base := s.Base
		sent := make(chan error, 1)
		go func() {
			res, err := patch(&apptest.Server{Base: base}, location, 0, bytes.NewReader(file), int64(len(file)))
			if err == nil {
				res.Body.Close()
			}
			sent <- err
		}()
		info := filepath.Join(s.Data, "uploads", filepath.Base(location))
		require.Eventually(t, func() bool {
			st, err := os.Stat(info)
			return err == nil && st.Size() == int64(len(file)) || os.IsNotExist(err)
		}, 5*time.Second, 100*time.Microsecond)
		time.Sleep(time.Duration(i%6) * 5 * time.Millisecond)
		kill()
		<-sent
		kill = s.RunApart()
	}
	require.Eventually(t, func() bool {
		var list api.TakeList
		s.OK("GET", "/productions/"+production+"/takes", nil, &list)
		return len(list.Takes) == n
	}, 60*time.Second, 50*time.Millisecond)
}

// A2. What can't be taken in is refused before its first byte.
func TestUploadsAreRefusedAtTheirBeginning(t *testing.T) {
	s := apptest.Start(t)
	production := s.Production()
	_, res := upload(t, s, production, "part.wav", 1000, map[string]string{"Upload-Concat": "partial"})
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode, "parts are not put together here")
	_, res = upload(t, s, production, "huge.wav", 1<<42, nil)
	assert.Equal(t, http.StatusRequestEntityTooLarge, res.StatusCode)
	_, res = upload(t, s, production, "large.wav", 1<<39, nil)
	assert.Equal(t, http.StatusInsufficientStorage, res.StatusCode)
	location, res := upload(t, s, production, "../..\\up\u202egpj.wav", 1000, nil)
	require.Equal(t, http.StatusCreated, res.StatusCode)
	var list []api.Work
	s.OK("GET", "/productions/"+production+"/work", nil, &list)
	require.Len(t, list, 1)
	assert.Equal(t, "upgpj.wav", list[0].Title)
	req, err := http.NewRequest("DELETE", s.Base+location, nil)
	require.NoError(t, err)
	req.Header.Set("Tus-Resumable", "1.0.0")
	gone, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	gone.Body.Close()
	assert.Equal(t, http.StatusNoContent, gone.StatusCode)
	s.OK("GET", "/productions/"+production+"/work", nil, &list)
	assert.Empty(t, list, "an upload that was given up leaves no work")
}

// patient waits until no work goes on and no upload is on its way, whatever the server answers meanwhile. An upload whose last
// byte came while the database was down is found at the next tick.
func patient(t *testing.T, s *apptest.Server, production string) {
	require.Eventually(t, func() bool {
		var list []api.Work
		res, err := http.Get(s.Base + api.Base + "/productions/" + production + "/work")
		if err != nil {
			return false
		}
		defer res.Body.Close()
		if res.StatusCode != 200 || decode(res.Body, &list) != nil {
			return false
		}
		for _, w := range list {
			if w.State == "queued" || w.State == "running" || w.State == "arriving" {
				return false
			}
		}
		return true
	}, 60*time.Second, 20*time.Millisecond)
}

func decode(r io.Reader, into any) error { return json.NewDecoder(r).Decode(into) }

// A4. A stored file that has become shorter, or other, is found before anything is printed.
func TestASourceThatIsNotWholeStopsThePrint(t *testing.T) {
	s := apptest.Start(t)
	production, v := crossing(t, s)
	var plan api.Plan
	s.OK("POST", "/reels/"+v.ID+"/plan", map[string]any{}, &plan)
	assert.True(t, plan.Printable())
	stored, err := filepath.Glob(filepath.Join(s.Data, "media/sources/*/source.wav"))
	require.NoError(t, err)
	require.Len(t, stored, 2)
	whole, err := os.ReadFile(stored[0])
	require.NoError(t, err)
	for name, now := range map[string][]byte{
		"a quarter": whole[:len(whole)/4], "a sample": append(bytes.Clone(whole[:len(whole)-5]), 1, 2, 3, 4, 5), "nothing": nil,
	} {
		require.NoError(t, os.WriteFile(stored[0], now, 0o644))
		if now == nil {
			require.NoError(t, os.Remove(stored[0]))
		}
		s.OK("POST", "/reels/"+v.ID+"/plan", map[string]any{}, &plan)
		assert.False(t, plan.Printable(), name)
		assert.NotEmpty(t, s.Refused(http.StatusBadRequest, "POST", "/reels/"+v.ID+"/prints", map[string]any{}), name)
	}
	require.NoError(t, os.WriteFile(stored[0], whole, 0o644))
	p := printed(s, production, v, map[string]any{"packaging": "interleaved"})
	assert.Equal(t, "done", p.State, "the same bytes again are the same file")
}

// A4, D32. A print is of the plan that was looked at.
func TestAPrintIsOfThePlanThatWasLookedAt(t *testing.T) {
	s := apptest.Start(t)
	production, v := crossing(t, s)
	var plan api.Plan
	s.OK("POST", "/reels/"+v.ID+"/plan", map[string]any{}, &plan)
	assert.Equal(t, v.Revision, plan.Revision)
	s.Do(&v, "setTrack", map[string]any{"track": v.Tracks[0].ID, "gainDB": -3})
	says := s.Refused(http.StatusConflict, "POST", "/reels/"+v.ID+"/prints", map[string]any{"revision": plan.Revision})
	assert.Contains(t, says, "gain of")
	p := printed(s, production, v, map[string]any{"revision": v.Revision})
	assert.Equal(t, v.Revision, p.Revision)
}

// A7. A set of six monos two of which are silent, and so the same bytes, comes in whole.
func TestTwoSilentChannelsOfASetAreTwoFiles(t *testing.T) {
	s := apptest.Start(t)
	production := s.Production()
	var names []string
	for _, ch := range []string{"L", "R", "C", "LFE", "Ls", "Rs"} {
		name := "Deck " + ch + ".wav"
		s.Record(name, 1, "")
		if ch == "LFE" || ch == "Ls" || ch == "Rs" {
			s.Put(name, s.Silence(1))
		}
		names = append(names, name)
	}
	s.Bring(production, names...)
	var list api.TakeList
	require.Eventually(t, func() bool { // they are put together a moment after the last has come in
		s.OK("GET", "/productions/"+production+"/takes", nil, &list)
		return len(list.Takes) == 1
	}, 60*time.Second, 10*time.Millisecond)
	assert.Equal(t, []string{"L", "R", "C", "LFE", "Ls", "Rs"}, list.Takes[0].Sets[0].Labels)
}

// A9. What is removed leaves the disk, and what it was doing stops.
func TestWhatIsRemovedLeavesTheDisk(t *testing.T) {
	s := apptest.Start(t)
	production, v := crossing(t, s)
	p := printed(s, production, v, map[string]any{"packaging": "interleaved"})
	var q api.Print
	s.OK("POST", "/reels/"+v.ID+"/prints", map[string]any{"packaging": "interleaved"}, &q)
	s.OK("DELETE", "/prints/"+p.ID, nil, nil)
	s.Refused(http.StatusNotFound, "GET", "/prints/"+p.ID, nil)
	batch := queued(s, "/productions/"+production+"/batches", map[string]any{"kind": "ply",
		"takes": []string{s.Takes(production)["12A.wav"].ID}, "settings": map[string]any{"all": true, "singly": false}})
	s.Settled(production)
	require.Len(t, within(t, s, "batches/"+batch), 1)
	require.Len(t, within(t, s, "prints"), 1, "the other print stays")
	s.OK("DELETE", "/work/"+batch, nil, nil)
	require.NoError(t, os.MkdirAll(filepath.Join(s.Data, "media/sources/left-behind"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(s.Data, "uploads/left-behind.info"), []byte("{}"), 0o644))
	s.OK("DELETE", "/reels/"+v.ID, nil, nil)
	require.Eventually(t, func() bool {
		return len(within(t, s, "prints"))+len(within(t, s, "batches"))+len(within(t, s, "attempts")) == 0 && len(within(t, s,
			"sources")) == 2
	}, 60*time.Second, 20*time.Millisecond, "what nothing needs is gone, and the takes are there")
	require.Eventually(t, func() bool { // the same sweep comes to uploads after it has been through media
		left, err := os.ReadDir(filepath.Join(s.Data, "uploads"))
		return err == nil && len(left) == 0
	}, 60*time.Second, 20*time.Millisecond, "what an upload that was given up has left is gone")
	var renamed api.Production
	s.OK("PATCH", "/productions/"+production, map[string]any{"name": "The Lantern Ferry, short"}, &renamed)
	assert.Equal(t, "The Lantern Ferry, short", renamed.Name)
	s.OK("DELETE", "/productions/"+production, nil, nil)
	require.Eventually(t, func() bool { return len(within(t, s, "sources")) == 0 }, 60*time.Second, 20*time.Millisecond)
}

// A9. A reel that is removed while it prints stops the print.
func TestARemovedReelStopsItsPrint(t *testing.T) {
	s := apptest.Start(t)
	s.Record("long.wav", 120, "Boom", "Ines lav")
	production := s.Production()
	s.Bring(production, "long.wav")
	v := s.Reel(production, "Reel 1")
	s.OK("POST", "/reels/"+v.ID+"/lay", map[string]any{"revision": v.Revision, "takes": []string{s.Takes(production)["long.wav"].ID}}, &v)
	s.OK("POST", "/reels/"+v.ID+"/spec", api.SpecChoice{Revision: v.Revision, Spec: "eight-channel-mix"}, &v)
	var p api.Print
	s.OK("POST", "/reels/"+v.ID+"/prints", map[string]any{}, &p)
	progressed(t, s, production, func(w api.Work) bool { return w.ID == p.ID && w.State == "running" })
	s.OK("DELETE", "/reels/"+v.ID, nil, nil)
	s.Refused(http.StatusNotFound, "GET", "/prints/"+p.ID, nil)
	require.Eventually(t, func() bool { return len(within(t, s, "attempts")) == 0 }, 60*time.Second, 10*time.Millisecond)
	assert.Empty(t, within(t, s, "prints"))
}
