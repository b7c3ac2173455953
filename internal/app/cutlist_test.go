package app_test

import (
	"archive/zip"
	"bytes"
	"fmt"
	"io"
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
	path := "/reels/" + v.Id + "/cutlist"
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

	s.OK("POST", "/reels/"+v.Id+"/undo", map[string]any{"revision": v.Revision}, &v)
	assert.Equal(t, []string{"Boom 25+25 @0", "Ines lav 25+25 @0", "Boom 50+12 @50", "Ines lav 50+12 @50"}, clipsOf(v))
	s.OK("GET", path, nil, &follows)
	assert.Equal(t, "The crossing, cut 1", follows.Title, "undo brings the list back too")
}

func TestReelsAreWrittenAsLists(t *testing.T) {
	s := apptest.Start(t)
	production, v := crossing(t, s)
	path := "/reels/" + v.Id + "/cutlist/write"
	for _, format := range []string{"otio", "edl", "adl"} {
		s.OK("POST", path, map[string]any{"format": format}, nil)
	}
	var works []api.Work
	s.Settled(production)
	s.OK("GET", "/productions/"+production+"/work", nil, &works)
	lists := map[string][]byte{}
	for _, w := range works {
		if w.Kind != "list" {
			continue
		}
		require.Equal(t, "done", w.State, w.Message)
		assert.Contains(t, w.Message, "not in a cut list")
		b := s.File("/work/" + w.ID + "/archive")
		z, err := zip.NewReader(bytes.NewReader(b), int64(len(b)))
		require.NoError(t, err)
		var names []string
		for _, f := range z.File {
			names = append(names, f.Name)
			if strings.HasPrefix(f.Name, "Reel_1") {
				r, err := f.Open()
				require.NoError(t, err)
				text, err := io.ReadAll(r)
				require.NoError(t, err)
				lists[f.Name[len("Reel_1."):]] = text
			}
		}
		assert.ElementsMatch(t, []string{"Reel_1." + format(w.Title), "LF03_12A_T3.wav", "Cue.wav"}, names)
	}
	require.Len(t, lists, 3)
	rate := timecode.Rate{Num: 25, Den: 1}
	otio, err := cutlist.Read(bytes.NewReader(lists["otio"]), rate, 48000)
	require.NoError(t, err)
	require.Len(t, otio.Events, 3)
	byTrack := map[string]cutlist.Event{}
	for _, e := range otio.Events {
		byTrack[e.Track] = e
	}
	lav := byTrack["Ines lav"]
	assert.Equal(t, "LF03_12A_T3.wav", lav.File)
	assert.Equal(t, []int{3}, lav.Channels)
	assert.EqualValues(t, []int64{36001 * 48000, 36004 * 48000, 36001 * 48000}, []int64{lav.From, lav.To, lav.SourceIn})
	edl, err := cutlist.Read(bytes.NewReader(lists["edl"]), rate, 48000)
	require.NoError(t, err)
	assert.Len(t, edl.Events, 2, "one event for all microphones of a take")
	adl := string(lists["adl"])
	assert.Contains(t, adl, `(Track) 2 "Ines lav"`)
	assert.Contains(t, adl, `"URL:file://localhost/LF03_12A_T3.wav" _ 10.00.01.00/0000 00.00.03.00/0000`)
	assert.Regexp(t, `\(Cut\) I 000\d 3 2 10\.00\.01\.00/0000 10\.00\.01\.00/0000 10\.00\.04\.00/0000 R`, adl)
	assert.Contains(t, s.Refused(http.StatusBadRequest, "POST", path, map[string]any{"format": "txt"}), "one of the allowed values")
}

// format is the ending of a list by the title of the work that wrote it.
func format(title string) string {
	switch {
	case strings.HasSuffix(title, "OpenTimelineIO"):
		return "otio"
	case strings.HasSuffix(title, "CMX 3600 list"):
		return "edl"
	}
	return "adl"
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
	s.OK("POST", "/reels/"+v.Id+"/cutlist/write", map[string]any{"format": "otio"}, nil)
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
	assert.Len(t, l.Events, 2, "the two microphones of the other take")
	empty := s.Reel(production, "Reel 2")
	assert.Contains(t, s.Refused(http.StatusBadRequest, "POST", "/reels/"+empty.Id+"/cutlist/write", map[string]any{"format": "edl"}),
		"no clip on Reel 2")
}
