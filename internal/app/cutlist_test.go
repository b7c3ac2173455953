package app_test

import (
	"archive/zip"
	"bytes"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"math"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/cutlist"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
	"zestyloom/internal/api"
	"zestyloom/internal/app/apptest"
)

const (
	firstCut = `TITLE: The crossing, cut 1
FCM: NON-DROP FRAME
001  LF03     AA/V  C        10:00:01:00 10:00:02:00 01:00:01:00 01:00:02:00
002  LF03     AA/V  C        10:00:03:00 10:00:03:12 01:00:02:00 01:00:02:12
003  LF07     AA/V  C        11:00:03:00 11:00:04:00 01:00:02:12 01:00:03:12
`
	// The first event is half a second shorter, what follows comes as much earlier.
	secondCut = `TITLE: The crossing, cut 2
FCM: NON-DROP FRAME
001  LF03     AA/V  C        10:00:01:00 10:00:01:13 01:00:01:00 01:00:01:13
002  LF03     AA/V  C        10:00:03:00 10:00:03:12 01:00:01:13 01:00:02:00
003  LF07     AA/V  C        11:00:03:00 11:00:04:00 01:00:02:00 01:00:03:00
`
)

// clipsOf tells where clips lie: from, length and offset in frames of 25 a second, the reel's start being 0.
func clipsOf(v api.ReelView) (out []string) {
	names := map[string]string{}
	for _, t := range v.Tracks {
		names[t.ID] = t.Name
	}
	for _, c := range v.Clips {
		out = append(out, fmt.Sprintf("%s %d+%d @%d", names[c.Track], (c.Start-v.Head.Start)/1920, c.Length/1920, c.Offset/1920))
	}
	return out
}

func TestCutLists(t *testing.T) {
	s := apptest.Start(t)
	s.Record("day1/12A.wav", 4, "Mix L", "Boom", "Ines lav")
	production := s.Production()
	s.Bring(production, "day1/12A.wav")
	v := s.Reel(production, "Reel 1")
	path := "/reels/" + v.ID + "/cutlist"
	request := func(text string) map[string]any {
		return map[string]any{"revision": v.Revision, "name": "cut.edl", "text": text}
	}

	assert.Contains(t, s.Refused(http.StatusBadRequest, "POST", path+"/read", request("Dear all, the cut is late.")),
		"There is no event in this list")
	assert.Contains(t, s.Refused(http.StatusNotFound, "GET", path, nil), "follows no cut list")

	// A take at another rate is known, and said what to do with.
	far := wave.Header{Format: wave.Format{SampleRate: 44100, Channels: 1, BitDepth: 24, Bytes: 3, Encoding: wave.PCM}, Frames: 5 * 44100,
		Bext: &wave.Bext{TimeReference: 11 * 3600 * 44100}, IXML: &wave.IXML{Scene: "14", Take: "1", Tape: "LF07",
			Tracks: &wave.IXMLTracks{Tracks: []wave.IXMLTrack{{InterleaveIndex: "1", Name: "Boom"}}}}}
	s.Put("far.wav", wavetest.Bytes(t, far, func(_, i int) float64 { return 0.1 * math.Sin(float64(i)*0.03) }))
	assert.Contains(t, s.Refused(http.StatusBadRequest, "POST", path+"/read", request("001 BL V C 00:00:00:00 00:00:01:00 01:00:00:00 01:00:01:00")), "no event")

	var reading struct {
		By      int64
		Entries []cutlist.Entry
	}
	s.OK("POST", path+"/read", request(firstCut), &reading)
	require.Len(t, reading.Entries, 3)
	assert.EqualValues(t, 9*3600*48000, reading.By, "the list counts from 01:00:00:00, the reel from 10:00:00:00")
	assert.Equal(t, "roll, timecode", reading.Entries[0].Found.By)
	assert.Equal(t, "No take of roll LF07 is here, nor one of that name", reading.Entries[2].Found.Why)

	s.Bring(production, "far.wav")
	s.OK("POST", path+"/read", request(firstCut), &reading)
	assert.Equal(t, "14/1 is at 44100 Hz and the reel at 48000 Hz: resample it under Takes, then read the list again",
		reading.Entries[2].Found.Why)

	s.OK("POST", path, request(firstCut), &v)
	assert.Equal(t, []string{"Boom 25+25 @0", "Ines lav 25+25 @0", "Boom 50+12 @50", "Ines lav 50+12 @50"}, clipsOf(v),
		"each channel that is on, on the track of its name")
	assert.Equal(t, "cut list The crossing, cut 1", v.Undo)
	assert.NotEqual(t, v.Clips[0].Tie, v.Clips[2].Tie)
	s.Do(&v, "hush", map[string]any{"clip": v.Clips[2].ID, "channel": 0, "from": v.Clips[2].Start + 5000, "to": v.Clips[2].Start + 9000})

	// The new cut: the hush goes along with its words.
	var second api.CutListReading
	s.OK("POST", path+"/read", request(secondCut), &second)
	var words []string
	for _, d := range second.Differences {
		words = append(words, string(d.Kind)+": "+d.Words)
	}
	assert.Equal(t, []string{"trimmed: 12 frames shorter at the end", "moved: moved 12 frames earlier", "new: was not found before"}, words)
	s.OK("POST", path, request(secondCut), &v)
	assert.Equal(t, []string{"Boom 25+13 @0", "Ines lav 25+13 @0", "Boom 38+12 @50", "Ines lav 38+12 @50"}, clipsOf(v))
	assert.EqualValues(t, 5000, v.Clips[2].Lanes[0].Hushes[0].From-v.Clips[2].Offset)
	assert.Empty(t, v.Adrift)
	var follows api.CutList
	s.OK("GET", path, nil, &follows)
	assert.Equal(t, "The crossing, cut 2", follows.Title)

	// What was read of an older state of the reel is not done to a newer.
	old := request(firstCut)
	old["revision"] = v.Revision - 1
	assert.Contains(t, s.Refused(http.StatusConflict, "POST", path, old), "since you read the list")

	s.OK("POST", "/reels/"+v.ID+"/undo", api.Turning{}, &v)
	assert.Equal(t, []string{"Boom 25+25 @0", "Ines lav 25+25 @0", "Boom 50+12 @50", "Ines lav 50+12 @50"}, clipsOf(v))
	s.OK("GET", path, nil, &follows)
	assert.Equal(t, "The crossing, cut 1", follows.Title, "undo brings the list back too")
}

// handOver has a reel written and gives what the ZIP holds, by name.
func handOver(t *testing.T, s *apptest.Server, production, reel string, how map[string]any) map[string][]byte {
	var queued struct{ Work string }
	s.OK("POST", "/reels/"+reel+"/handover", how, &queued)
	s.Settled(production)
	w := work(s, queued.Work)
	require.Equal(t, "done", w.State, w.Message)
	b := s.File("/work/" + w.ID + "/archive")
	z, err := zip.NewReader(bytes.NewReader(b), int64(len(b)))
	require.NoError(t, err)
	files := map[string][]byte{}
	for _, f := range z.File {
		r, err := f.Open()
		require.NoError(t, err)
		files[f.Name], err = io.ReadAll(r)
		require.NoError(t, err)
	}
	return files
}

func TestReelsAreHandedOver(t *testing.T) {
	s := apptest.Start(t)
	production, v := crossing(t, s)
	boom := v.Clips[slices.IndexFunc(v.Clips, func(c reel.Clip) bool { return c.Name != "Cue" })]
	s.Do(&v, "hush", map[string]any{"clip": boom.ID, "channel": 0, "from": boom.Start + 5000, "to": boom.Start + 9000})
	s.Do(&v, "setMark", map[string]any{"name": "Bell", "at": boom.Start, "note": "twice"})
	s.Do(&v, "trimClip", map[string]any{"clip": boom.ID, "edge": "start", "by": 24000})
	files := handOver(t, s, production, v.ID, map[string]any{})
	assert.ElementsMatch(t, []string{"Reel_1.otio", "Reel_1.adl", "Reel_1.edl", "Reel_1.csv", "Reel_1.sha256", "Reel_1 read me.txt",
		"LF03_12A_T3.wav", "Cue.wav"}, slices.Collect(maps.Keys(files)))
	for _, line := range strings.Split(strings.TrimSpace(string(files["Reel_1.sha256"])), "\n") {
		sum, name, _ := strings.Cut(line, "  ")
		assert.Equal(t, sum, fmt.Sprintf("%x", sha256.Sum256(files[name])), name)
	}
	rate := timecode.Rate{Num: 25, Den: 1}
	otio, err := cutlist.Read(bytes.NewReader(files["Reel_1.otio"]), rate, 48000)
	require.NoError(t, err)
	require.Len(t, otio.Events, 3)
	byTrack := map[string]cutlist.Event{}
	for _, e := range otio.Events {
		byTrack[e.Track] = e
	}
	lav := byTrack["Ines lav"]
	assert.Equal(t, "LF03_12A_T3.wav", lav.File)
	assert.Equal(t, []int{3}, lav.Channels)
	assert.EqualValues(t, []int64{36001*48000 + 24000, 36004 * 48000, 36001*48000 + 24000}, []int64{lav.From, lav.To, lav.SourceIn})
	edl, err := cutlist.Read(bytes.NewReader(files["Reel_1.edl"]), rate, 48000)
	require.NoError(t, err)
	assert.Len(t, edl.Events, 2, "one event for all microphones of a take")
	adl := string(files["Reel_1.adl"])
	assert.Contains(t, adl, `(Track) 2 "Ines lav"`)
	assert.Contains(t, adl, `"URL:file://localhost/LF03_12A_T3.wav" _ 10.00.01.00/0000 00.00.03.00/0000`)
	assert.Regexp(t, `\(Cut\) I 000\d 3 2 10\.00\.01\.12/0960 10\.00\.01\.12/0960 10\.00\.04\.00/0000 R`, adl)
	assert.Contains(t, string(files["Reel_1 read me.txt"]), "what is done inside of 1 clips")
	assert.Contains(t, string(files["Reel_1.csv"]), "hushed (1)")
	assert.Contains(t, s.Refused(http.StatusBadRequest, "POST", "/reels/"+v.ID+"/handover", map[string]any{"handle": -1}), "handle")

	// Read again, it is the same reel.
	again := readHanded(s, production, files["Reel_1.otio"], "Reel 1 again")
	was, is := v, viewOf(s, again.Id)
	is.ID, is.Name, is.Revision, is.Undo, is.Redo, is.Head.Name = was.ID, was.Name, was.Revision, was.Undo, was.Redo, was.Head.Name
	assert.Equal(t, asJSON(t, was), asJSON(t, is))
	assert.Empty(t, again.Notes)
}

func readHanded(s *apptest.Server, production string, otio []byte, name string) (made api.HandedReel) {
	s.OK("POST", "/productions/"+production+"/handedover", map[string]any{"name": name, "text": string(otio)}, &made)
	return made
}

func viewOf(s *apptest.Server, reel string) (v api.ReelView) {
	s.OK("GET", "/reels/"+reel, nil, &v)
	return v
}

func asJSON(t *testing.T, v any) string {
	b, err := json.MarshalIndent(v, "", " ")
	require.NoError(t, err)
	return string(b)
}

// What is cut to handles is brought in by another production, and prints there what it prints here; the tracks at full
// length are what the clips play, in their places.
func TestCutToHandles(t *testing.T) {
	s := apptest.Start(t)
	production, v := crossing(t, s)
	for _, c := range v.Clips {
		if c.Name == "Cue" {
			continue
		}
		s.Do(&v, "trimClip", map[string]any{"clip": c.ID, "edge": "start", "by": 24000})
		break // those that are tied to it go along
	}
	files := handOver(t, s, production, v.ID, map[string]any{"handle": 0.25, "tracks": true})
	whole, err := wave.Open(bytes.NewReader(files["LF03_12A_T3.wav"]), int64(len(files["LF03_12A_T3.wav"])))
	require.NoError(t, err)
	assert.EqualValues(t, 3*48000-12000, whole.Frames, "a quarter of a second before, and nothing after the end")
	assert.EqualValues(t, 36001*48000+12000, whole.Bext.TimeReference, "its stamp tells where it lies in the take")

	var other api.Production
	s.OK("POST", "/productions", map[string]any{"name": "The other house", "frameRate": timecode.Rate{Num: 25, Den: 1}}, &other)
	elsewhere := other.ID
	otio := files["Reel_1.otio"]
	refused := s.Refused(http.StatusNotFound, "POST", "/productions/"+elsewhere+"/handedover", map[string]any{"name": "", "text": string(otio)})
	assert.Contains(t, refused, "Bring these files in under Takes first, then read the reel again: ")
	assert.Contains(t, refused, "LF03_12A_T3.wav")
	for _, name := range []string{"LF03_12A_T3.wav", "Cue.wav"} {
		s.Put("out/"+name, files[name])
		s.Bring(elsewhere, "out/"+name)
	}
	there := viewOf(s, readHanded(s, elsewhere, otio, "").Id)
	assert.Equal(t, "Reel 1", there.Name)
	require.Len(t, there.Clips, len(v.Clips))
	for i, c := range there.Clips {
		was := v.Clips[i]
		assert.Equal(t, []int64{was.Start, was.Length}, []int64{c.Start, c.Length})
		if c.Name != "Cue" {
			assert.Equal(t, was.Offset-12000, c.Offset)
		}
	}
	tracks := 0
	for name, b := range files {
		if !strings.HasPrefix(name, "Reel_1_0") {
			continue
		}
		tracks++
		f, err := wave.Open(bytes.NewReader(b), int64(len(b)))
		require.NoError(t, err)
		assert.EqualValues(t, v.Head.Start, f.Bext.TimeReference)
		if strings.Contains(name, "Ines") {
			heard := make([][]float64, 0)
			require.NoError(t, f.EachBlock(4096, func(_ int64, block [][]float64) error {
				heard = append(heard, slices.Clone(block[0]))
				return nil
			}))
			lav := v.Clips[slices.IndexFunc(v.Clips, func(c reel.Clip) bool { return c.Channels[0] == 2 })]
			sounds := slices.Concat(heard...)[lav.Start-v.Head.Start:]
			assert.Zero(t, slices.Concat(heard...)[lav.Start-v.Head.Start-1], "silent before it")
			want := make([]float64, 1000)
			raw := make([]byte, 1000*whole.FrameBytes())
			_, err := whole.ReadRaw(raw, 12000)
			require.NoError(t, err)
			whole.Decode(want, raw, 2)
			assert.Equal(t, want, sounds[:1000])
		}
	}
	assert.Equal(t, 3, tracks)
}

// A take whose sound is gone is left out of the list, and said; the others are written.
func TestAListSaysWhatItCouldNotTake(t *testing.T) {
	s := apptest.Start(t)
	production, v := crossing(t, s)
	cue := s.Takes(production)["Cue.wav"]
	sources, err := filepath.Glob(filepath.Join(s.Data, "media", "sources", "*", "source.wav"))
	require.NoError(t, err)
	gone := 0
	for _, file := range sources {
		info, err := os.Stat(file)
		require.NoError(t, err)
		if info.Size() == cue.Size {
			require.NoError(t, os.Remove(file))
			gone++
		}
	}
	require.Equal(t, 1, gone)
	s.OK("POST", "/reels/"+v.ID+"/handover", map[string]any{}, nil)
	s.Settled(production)
	var works []api.Work
	s.OK("GET", "/productions/"+production+"/work", nil, &works)
	i := slices.IndexFunc(works, func(w api.Work) bool { return w.Kind == "list" })
	require.GreaterOrEqual(t, i, 0)
	w := work(s, works[i].ID)
	require.Equal(t, "done", w.State, w.Message)
	var undone []string
	for _, o := range w.Report {
		if !o.OK {
			undone = append(undone, o.Title)
			assert.NotEmpty(t, o.Message)
		}
	}
	assert.Equal(t, []string{"Cue"}, undone)
	b := s.File("/work/" + w.ID + "/files/Reel_1.otio")
	l, err := cutlist.Read(bytes.NewReader(b), timecode.Rate{Num: 25, Den: 1}, 48000)
	require.NoError(t, err)
	require.Len(t, l.Events, 3, "no clip is lost")
	for _, e := range l.Events {
		assert.Equal(t, e.Name == "Cue", !strings.HasSuffix(e.File, ".wav"), "the one whose sound is gone has no file")
	}
	assert.Len(t, viewOf(s, readHanded(s, production, b, "").Id).Clips, 3)
	empty := s.Reel(production, "Reel 2")
	assert.Contains(t, s.Refused(http.StatusBadRequest, "POST", "/reels/"+empty.ID+"/handover", map[string]any{}), "no clip on Reel 2")
	assert.Contains(t, string(s.File("/work/"+w.ID+"/files/Reel_1 read me.txt")), "MISSING: Cue: ")
}
