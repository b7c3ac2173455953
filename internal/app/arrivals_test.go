package app_test

import (
	"archive/zip"
	"bytes"
	"encoding/binary"
	"fmt"
	"math"
	"math/rand/v2"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/overview"
	"zestyloom/core/take"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
	"zestyloom/internal/api"
	"zestyloom/internal/app/apptest"
)

// monos puts a take onto the card as so many mono files of one set.
func monos(t *testing.T, s *apptest.Server, scene string, files int) (names []string) {
	for i := range files {
		name := fmt.Sprintf("B02_%s_T01_%d.wav", scene, i+1)
		h := wave.Header{Format: wavetest.PCM24(1), Frames: 48000, Bext: &wave.Bext{TimeReference: 36005 * 48000}, IXML: &wave.IXML{
			Scene: scene, Take: "1", Tape: "B02", FileSet: &wave.IXMLSet{Total: fmt.Sprint(files), FamilyID: "F" + scene,
				Index: fmt.Sprint(i + 1)},
			Speed: &wave.IXMLSpeed{TimecodeRate: "25/1", TimecodeFlag: "NDF"},
			Tracks: &wave.IXMLTracks{Tracks: []wave.IXMLTrack{{ChannelIndex: fmt.Sprint(i + 1), InterleaveIndex: "1",
				Name: []string{"Boom", "Ines lav", "Tobiah lav", "Deck plant"}[i]}}}}}
		s.Put(name, wavetest.Bytes(t, h, func(_, j int) float64 { return 0.2 * math.Sin(float64(j)*0.01*float64(i+1)+float64(len(scene))) }))
		names = append(names, name)
	}
	return names
}

func titled(t *testing.T, s *apptest.Server, production, title string) api.Take {
	var list api.TakeList
	s.OK("GET", "/productions/"+production+"/takes", nil, &list)
	for _, tk := range list.Takes {
		if tk.Title() == title {
			return tk
		}
	}
	t.Fatalf("there is no take %s", title)
	return api.Take{}
}

func TestMonosAreHeardCutAndWrittenAsOneTake(t *testing.T) {
	s := apptest.Start(t)
	names := monos(t, s, "18C", 4)
	production := s.Production()
	s.Bring(production, names...)
	var group api.Take
	require.Eventually(t, func() bool { // they are joined, and looked at together, once the last one has come in
		group = titled(t, s, production, "18C/1")
		return group.Assembly != nil && group.Channels[0].Findings != nil
	}, 60*time.Second, 20*time.Millisecond)
	assert.Len(t, group.Assembly.Files, 4)

	bins := s.File("/takes/" + group.ID + "/waveform?level=0&from=0&count=1000")
	assert.Len(t, bins, 375*4*overview.OverviewBinBytes)
	for lane, name := range names { // each lane's bins are its file's
		one, _ := samples(t, s.Copied(name))
		low := int16(binary.LittleEndian.Uint16(bins[lane*overview.OverviewBinBytes:]))
		least := math.Inf(1)
		for _, v := range one[0][:128] {
			least = min(least, v)
		}
		assert.InDelta(t, least*32767, low, 1, name)
	}

	v := s.Reel(production, "Reel 1")
	s.OK("POST", "/reels/"+v.ID+"/lay", map[string]any{"revision": 0, "takes": []string{group.ID}}, &v)
	require.Len(t, v.Tracks, 4)
	assert.Equal(t, v.Clips[0].Tie, v.Clips[3].Tie, "what was recorded together is tied")
	assert.NotEmpty(t, v.Clips[0].Tie)
	assert.EqualValues(t, 36005*48000, v.Clips[0].Start)

	// Ply of the set, unravelled again, gives each mono's samples bit for bit.
	work := batch(s, production, "ply", group.ID)
	require.Len(t, work.Report, 1)
	require.True(t, work.Report[0].OK, work.Report[0].Message)
	assert.Equal(t, "B02_18C_T1.wav", work.Report[0].Files[0].Name)
	poly, f := samples(t, s.File("/work/"+work.ID+"/files/"+work.Report[0].Files[0].Name))
	assert.EqualValues(t, 36005*48000, f.Bext.TimeReference)
	assert.Nil(t, f.IXML.FileSet)
	for i, name := range names {
		one, _ := samples(t, s.Copied(name))
		assert.Equal(t, one[0], poly[i], name)
	}

	s.OK("POST", "/takes/"+group.ID+"/apart", nil, nil)
	assert.Len(t, s.Takes(production), 4)
	var again api.ReelView
	s.OK("GET", "/reels/"+v.ID, nil, &again)
	s.OK("POST", "/reels/"+v.ID+"/plan", map[string]any{"spec": "eight-channel-mix"}, nil)
	s.OK("POST", "/productions/"+production+"/takes/undo", api.AtRevision{}, nil)
	assert.Len(t, s.Takes(production), 1)
}

// batch writes files of takes and waits for it.
func batch(s *apptest.Server, production, kind string, takes ...string) (w api.Work) {
	var queued struct{ Work string }
	s.OK("POST", "/productions/"+production+"/batches", map[string]any{"kind": kind, "takes": takes,
		"settings": map[string]any{"all": false, "singly": false}}, &queued)
	s.Settled(production)
	return work(s, queued.Work)
}

func TestABatchSaysWhatCouldNotBeDone(t *testing.T) {
	s := apptest.Start(t)
	s.Record("12A.wav", 1, "Mix L", "Boom", "Ines lav")
	s.Record("12A copy/12A.wav", 1.5, "Mix L", "Boom", "Ines lav")
	production := s.Production()
	s.Bring(production, "12A.wav", "12A copy/12A.wav")
	var list api.TakeList
	s.OK("GET", "/productions/"+production+"/takes", nil, &list)
	require.Len(t, list.Takes, 2)
	off := map[string]any{"takes": []string{list.Takes[0].ID}, "edit": map[string]any{"channels": []any{map[string]any{"index": 2,
		"on": false}, map[string]any{"index": 3, "on": false}}}}
	w := batch(s, production, "unravel", list.Takes[0].ID, list.Takes[1].ID)
	names := []string{}
	for _, o := range w.Report {
		for _, f := range o.Files {
			names = append(names, f.Name)
		}
	}
	assert.Equal(t, []string{"LF03_12A_T3_2_Boom.wav", "LF03_12A_T3_3_Ines_lav.wav", "LF03_12A_T3_2_Boom_2.wav",
		"LF03_12A_T3_3_Ines_lav_2.wav"}, names, "no file takes another's name")
	s.OK("POST", "/productions/"+production+"/takes/edit", off, nil)
	w = batch(s, production, "unravel", list.Takes[0].ID, "00000000-0000-0000-0000-000000000000", list.Takes[1].ID)
	assert.Equal(t, "done", w.State)
	assert.Equal(t, "2 of 3 takes could not be done", w.Message)
	assert.Contains(t, w.Report[0].Message, "No channel of it is on")
	assert.True(t, w.Report[2].OK)
	archive := s.File("/work/" + w.ID + "/archive")
	z, err := zip.NewReader(bytes.NewReader(archive), int64(len(archive)))
	require.NoError(t, err)
	require.Len(t, z.File, 3)
	assert.Equal(t, "could not be done.txt", z.File[2].Name)
	s.Refused(404, "GET", "/work/"+w.ID+"/files/..%2F..%2Fx", nil)
	s.Refused(400, "POST", "/productions/"+production+"/batches", map[string]any{"kind": "ply", "takes": []string{},
		"settings": map[string]any{"all": false, "singly": false}})
}

func TestChannelsAreReadDifferently(t *testing.T) {
	s := apptest.Start(t)
	s.Record("12A.wav", 0.5, "Left", "Right", "C", "Boom")
	production := s.Production()
	s.Bring(production, "12A.wav")
	tk := s.Takes(production)["12A.wav"]
	assert.Empty(t, tk.Sets)
	read := func(sets ...any) { s.OK("PATCH", "/takes/"+tk.ID, map[string]any{"sets": sets}, &tk) }
	unravelled := func() api.ReelView {
		v := s.Reel(production, fmt.Sprintf("Reel %d", rand.IntN(1e9)))
		s.OK("POST", "/reels/"+v.ID+"/lay", map[string]any{"revision": 0, "takes": []string{tk.ID}}, &v)
		return v
	}
	read(map[string]any{"kind": "bonded", "channels": []int{2, 1}, "labels": []string{"L", "R"}})
	v := unravelled()
	assert.Equal(t, []int{1, 0}, v.Clips[0].Channels, "sides changed over")
	assert.Len(t, v.Tracks, 3)
	read(map[string]any{"kind": "sum", "channels": []int{1, 2}, "labels": []string{"M"}})
	v = unravelled()
	assert.True(t, v.Clips[0].Sum)
	read(map[string]any{"kind": "field", "channels": []int{1, 2, 3, 4}, "labels": []string{"ACN0", "ACN1", "ACN2", "ACN3"}})
	v = unravelled()
	require.Len(t, v.Tracks, 1)
	assert.Len(t, v.Tracks[0].Labels, 4)
	s.OK("POST", "/reels/"+v.ID+"/spec", map[string]any{"revision": v.Revision, "spec": "eight-channel-mix"}, &v)
	assert.Len(t, findings(v, "folded"), 1, "nothing is folded silently")
	s.Refused(400, "PATCH", "/takes/"+tk.ID, map[string]any{"sets": []any{map[string]any{"kind": "bonded", "channels": []int{1, 9},
		"labels": []string{"L", "R"}}}})
	s.OK("POST", "/productions/"+production+"/takes/undo", api.AtRevision{}, nil)
	assert.Equal(t, take.Sum, s.Takes(production)["12A.wav"].Sets[0].Kind)
	assert.Equal(t, s.Copied("12A.wav"), media(t, s), "nothing was written into the source")
}

// media gives the bytes of the only source in the media folder.
func media(t *testing.T, s *apptest.Server) []byte {
	found, err := filepath.Glob(filepath.Join(s.Data, "media/sources/*/source.wav"))
	require.NoError(t, err)
	require.Len(t, found, 1)
	b, err := os.ReadFile(found[0])
	require.NoError(t, err)
	return b
}

// speech is noise in syllables, so that it has a shape.
func speech(seed uint64, seconds float64) []float64 {
	r := rand.New(rand.NewPCG(seed, 1))
	out := make([]float64, int(seconds*48000))
	level, target, left := 0.0, 0.0, 0
	for i := range out {
		if left == 0 {
			target, left = math.Pow(r.Float64(), 2), 3000+r.IntN(9000)
		}
		left--
		level += (target - level) / 700
		out[i] = 0.3 * level * r.NormFloat64()
	}
	return out
}

// movie makes a camera's movie of a sound and puts it onto the card.
func movie(t *testing.T, s *apptest.Server, name string, sound []float64) {
	dir := t.TempDir()
	scratch := filepath.Join(dir, "s.wav")
	require.NoError(t, os.WriteFile(scratch, wavetest.Bytes(t, wave.Header{Format: wavetest.PCM24(2), Frames: int64(len(sound))},
		func(_, i int) float64 { return sound[i] }), 0o600))
	file := filepath.Join(s.Card, name)
	out, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", fmt.Sprintf("color=s=160x90:r=25:d=%g",
		float64(len(sound))/48000),
		"-i", scratch, "-c:v", "libx264", "-preset", "ultrafast", "-c:a", "pcm_s24le", "-y", file).CombinedOutput()
	require.NoError(t, err, "%s", out)
}

func TestTakesFindTheirMovies(t *testing.T) {
	s := apptest.Start(t)
	one, two := speech(1, 20), speech(2, 20)
	movie(t, s, "A003C001.mov", one)
	movie(t, s, "A003C002.mov", two)
	record := func(name, scene string, sound []float64) {
		s.Put(name, wavetest.Bytes(t, wave.Header{Format: wavetest.PCM24(2), Frames: int64(len(sound)),
			IXML: &wave.IXML{Scene: scene, Take: "1", Tape: "LF03"}}, func(c, i int) float64 { return sound[i] * []float64{0.5, 0.9}[c] }))
	}
	record("a.wav", "1", two[3*48000+77:15*48000])
	record("b.wav", "2", one[48000:14*48000])
	record("c.wav", "3", speech(3, 12))
	production := s.Production()
	s.Bring(production, "A003C001.mov", "A003C002.mov", "a.wav", "b.wav", "c.wav")
	takes := s.Takes(production)
	require.NotNil(t, takes["A003C001.mov"].Picture)
	assert.Equal(t, take.Camera, takes["A003C001.mov"].Kind)
	proxy := s.File("/takes/" + takes["A003C001.mov"].ID + "/picture")
	assert.Equal(t, "ftyp", string(proxy[4:8]), "a picture that browsers play")
	request := map[string]any{"takes": []string{takes["a.wav"].ID, takes["b.wav"].ID, takes["c.wav"].ID},
		"references": []string{takes["A003C001.mov"].ID, takes["A003C002.mov"].ID}, "method": "waveform"}
	s.OK("POST", "/productions/"+production+"/sync", request, nil)
	s.Settled(production)
	var matches []api.Match
	s.OK("GET", "/productions/"+production+"/matches", nil, &matches)
	byTake := map[string]api.Match{}
	for _, m := range matches {
		byTake[m.Take] = m
	}
	a, b, c := byTake[takes["a.wav"].ID], byTake[takes["b.wav"].ID], byTake[takes["c.wav"].ID]
	require.NotNil(t, a.Reference)
	assert.Equal(t, takes["A003C002.mov"].ID, *a.Reference)
	assert.EqualValues(t, 3*48000+77, a.Result.OffsetSamples, "to the sample")
	require.NotNil(t, b.Reference)
	assert.Equal(t, takes["A003C001.mov"].ID, *b.Reference)
	assert.EqualValues(t, 48000, b.Result.OffsetSamples)
	assert.Nil(t, c.Reference, "a stranger is refused")
	assert.Contains(t, c.Reason, "None of the 2")

	var tied api.Take
	s.OK("PUT", "/takes/"+a.Take+"/tie", map[string]any{"reference": *a.Reference, "offset": a.Result.OffsetSamples, "driftPPM": 0,
		"confidence": 1, "method": "waveform"}, &tied)
	assert.Equal(t, "A003C002", tied.Tie.Title)
	s.OK("POST", "/takes/"+b.Take+"/refuse", map[string]any{"refused": true}, nil)
	s.OK("POST", "/productions/"+production+"/takes/undo", api.AtRevision{}, nil)
	assert.Nil(t, s.Takes(production)["a.wav"].Tie)
	request["method"] = "timecode"
	s.OK("POST", "/productions/"+production+"/sync", request, nil)
	s.Settled(production)
	s.OK("GET", "/productions/"+production+"/matches", nil, &matches)
	for _, m := range matches {
		assert.Nil(t, m.Reference)
		assert.Equal(t, "It has no timecode", m.Reason)
	}
	s.Refused(400, "POST", "/productions/"+production+"/sync", map[string]any{"takes": []string{}, "references": []string{},
		"method": "waveform"})
}

func TestResampledTakesStandIn(t *testing.T) {
	s := apptest.Start(t)
	s.Record("12A.wav", 2, "Boom", "Ines lav")
	production := s.Production()
	s.Bring(production, "12A.wav")
	before := s.Takes(production)["12A.wav"]
	s.OK("POST", "/takes/"+before.ID+"/convert", map[string]any{"driftPPM": 500}, nil)
	s.Settled(production)
	after := s.Takes(production)["12A.wav"]
	require.NotEqual(t, before.ID, after.ID)
	assert.EqualValues(t, 96048, after.Description.Frames)
	assert.Equal(t, 500.0, after.Assembly.Conversion.DriftPPM)
	assert.Len(t, s.File("/takes/"+after.ID+"/waveform?level=1&from=0&count=100"), 47*2*6)
	got := s.File("/takes/" + after.ID + "/samples?channel=2&from=48024&count=4")
	want := 0.1 * math.Sin(48000*0.01*2+float64(len("12A.wav")))
	assert.InDelta(t, want, math.Float32frombits(binary.LittleEndian.Uint32(got)), 1e-4, "48024 of the result is 48000 of the source")
	s.OK("POST", "/takes/"+after.ID+"/apart", nil, nil)
	assert.Equal(t, before.ID, s.Takes(production)["12A.wav"].ID)
}

func TestSoundReportGoesOutAndComesIn(t *testing.T) {
	s := apptest.Start(t)
	s.Record("12A.wav", 0.5, "Boom", "Ines lav")
	production := s.Production()
	s.Bring(production, "12A.wav")
	report := string(s.File("/productions/" + production + "/report"))
	assert.Contains(t, report, "12A.wav,LF03,12A,3,yes,")
	changed := strings.Replace(strings.Replace(report, "Boom", "Boom near", 1), "yes,", "no,windy", 1)
	res, err := http.Post(s.Base+api.Base+"/productions/"+production+"/report", "text/csv",
		strings.NewReader(changed+"none.wav,,99,1,,,,,,\n"))
	require.NoError(t, err)
	defer res.Body.Close()
	require.Equal(t, http.StatusOK, res.StatusCode)
	tk := s.Takes(production)["12A.wav"]
	assert.Equal(t, []any{"windy", false, "Boom near"}, []any{tk.Description.Note, tk.Description.Circled, tk.Channels[0].Name})
	res, err = http.Post(s.Base+api.Base+"/productions/"+production+"/report", "text/csv", strings.NewReader("this is no report"))
	require.NoError(t, err)
	defer res.Body.Close()
	assert.Equal(t, http.StatusBadRequest, res.StatusCode)
}

func TestStemsOfAProduction(t *testing.T) {
	s := apptest.Start(t)
	s.Record("12A.wav", 0.5, "Boom", "Ines lav")
	production := s.Production()
	s.Bring(production, "12A.wav")
	v := s.Reel(production, "Old reel")
	var kept api.StemsAndRules
	s.OK("GET", "/productions/"+production+"/stems", nil, &kept)
	kept.Stems = append(kept.Stems, api.ProductionStem{ID: "CX", Name: "Crowd", Labels: []string{"L", "R"}, Strands: []string{"north"}})
	kept.Rules = append([]take.Rule{{Words: []string{"boom"}, Stem: "CX", Strand: "north"}}, kept.Rules...)
	s.OK("PUT", "/productions/"+production+"/stems", kept, &kept)
	tk := s.Takes(production)["12A.wav"]
	assert.Equal(t, "CX", tk.Channels[0].Suggested)
	s.OK("POST", "/reels/"+v.ID+"/lay", map[string]any{"revision": 0, "takes": []string{tk.ID}}, &v)
	assert.Equal(t, []string{"CX", "north"}, []string{v.Tracks[0].Stem, v.Tracks[0].Strand})
	assert.Len(t, v.Stems, 6, "the reel got the stem that it lacked")
	kept.Rules = append(kept.Rules, take.Rule{Words: []string{"x"}, Stem: "ZZ"})
	assert.Contains(t, s.Refused(400, "PUT", "/productions/"+production+"/stems", kept), "ZZ")
}

// A word that a production is taught is read in the names of its takes, and goes with a pattern to another production.
func TestTaughtWords(t *testing.T) {
	s := apptest.Start(t)
	s.Record("12A.wav", 0.5, "Quay_ZANG")
	production := s.Production()
	s.Bring(production, "12A.wav")
	stem := func(of string) string { return s.Takes(of)["12A.wav"].Channels[0].Suggested }
	assert.Equal(t, "DX", stem(production))
	path := "/productions/" + production + "/stems"
	var kept api.StemsAndRules
	s.OK("GET", path, nil, &kept)
	assert.NotEmpty(t, *kept.Meanings)
	kept.Words = &[]take.Word{{Text: "Zang", Kind: take.RoleWord, Means: "MX"}}
	s.OK("PUT", path, kept, &kept)
	assert.Equal(t, "zang", (*kept.Words)[0].Text)
	assert.Equal(t, "MX", stem(production))
	kept.Words = nil
	s.OK("PUT", path, kept, &kept)
	assert.Len(t, *kept.Words, 1, "who says nothing of words leaves them")

	v := s.Reel(production, "Reel 1")
	var saved api.SavedPattern
	s.OK("POST", "/reels/"+v.ID+"/pattern", map[string]any{"name": "House"}, &saved)
	var other api.Production
	s.OK("POST", "/productions", map[string]any{"name": "The other house", "frameRate": timecode.Rate{Num: 25, Den: 1}}, &other)
	s.Bring(other.ID, "12A.wav")
	assert.Equal(t, "DX", stem(other.ID))
	there := s.Reel(other.ID, "Reel 1")
	s.OK("POST", "/reels/"+there.ID+"/pattern/apply", map[string]any{"revision": there.Revision, "pattern": saved.ID}, &there)
	assert.Equal(t, "MX", stem(other.ID))
	for _, wrong := range []take.Word{{Text: "zang", Kind: take.RoleWord, Means: "ZZ"}, {Text: "-", Kind: take.RoleWord, Means: "MX"}} {
		kept.Words = &[]take.Word{wrong}
		s.Refused(400, "PUT", path, kept)
	}
}

// A batch that a process left half-way is gone on with, and what was written is not written again.
func TestAnInterruptedBatchGoesOn(t *testing.T) {
	s := apptest.Start(t)
	var names []string
	for i := range 6 {
		names = append(names, fmt.Sprintf("t%d.wav", i))
		s.Record(names[i], 30+float64(i)/10, "Boom", "Ines lav", "Tobiah lav", "Radio")
	}
	production := s.Production()
	s.Bring(production, names...)
	var ids []string
	for _, tk := range s.Takes(production) {
		ids = append(ids, tk.ID)
	}
	s.OK("POST", "/productions/"+production+"/batches", map[string]any{"kind": "unravel", "takes": ids,
		"settings": map[string]any{"all": true, "singly": true}}, nil)
	s.Stop()
	s.Run()
	work := s.Settled(production)["Unravel 6 takes to files"]
	require.Equal(t, "done", work.State, work.Message)
	require.Len(t, work.Report, 6)
	files := 0
	for _, o := range work.Report {
		assert.True(t, o.OK, o.Message)
		files += len(o.Files)
	}
	assert.Equal(t, 24, files)
	left, err := filepath.Glob(filepath.Join(s.Data, "media/attempts/*"))
	require.NoError(t, err)
	assert.Empty(t, left)
}

func TestMoviesWithAndWithoutSound(t *testing.T) {
	s := apptest.Start(t)
	film := func(name string, args ...string) {
		all := append([]string{"-v", "error", "-f", "lavfi", "-i", "color=s=160x90:r=25:d=2"}, args...)
		out, err := exec.Command("ffmpeg", append(all, "-c:v", "libx264", "-preset", "ultrafast", "-c:a", "pcm_s16le", "-y",
			filepath.Join(s.Card, name))...).CombinedOutput()
		require.NoError(t, err, "%s", out)
	}
	film("Picture cut.mov", "-timecode", "10:00:00:00")
	film("A003C007.mov", "-f", "lavfi", "-i", "anoisesrc=d=2:r=48000:a=0.1", "-map", "0", "-map", "1", "-map", "1", "-ac:a:0", "8",
		"-ac:a:1",
		"2")
	production := s.Production()
	for title, w := range s.Bring(production, "Picture cut.mov", "A003C007.mov") {
		require.Equal(t, "done", w.State, "%s: %s", title, w.Message)
	}
	var list api.TakeList
	s.OK("GET", "/productions/"+production+"/takes", nil, &list)
	require.Len(t, list.Takes, 3)
	byTitle := map[string]api.Take{}
	for _, tk := range list.Takes {
		byTitle[tk.Title()] = tk
	}
	cut, wide, narrow := byTitle["Picture cut"], byTitle["A003C007"], byTitle["A003C007, stream 2"]
	assert.Equal(t, take.Picture, cut.Kind)
	assert.Empty(t, cut.Channels)
	assert.EqualValues(t, 36000*48000, *cut.Place)
	assert.Empty(t, s.File("/takes/"+cut.ID+"/waveform?level=0&from=0&count=10"))
	assert.NotEmpty(t, s.File("/takes/"+cut.ID+"/picture"))
	assert.Contains(t, s.Refused(400, "GET", "/takes/"+cut.ID+"/samples?channel=0&from=0&count=10", nil), "no sound")
	w := batch(s, production, "ply", cut.ID)
	assert.False(t, w.Report[0].OK)

	require.Len(t, wide.Sets, 1, "each stream is one bonded set")
	assert.Len(t, wide.Sets[0].Labels, 8)
	require.Len(t, narrow.Sets, 1)
	assert.Len(t, narrow.Sets[0].Labels, 2)
	assert.NotNil(t, wide.Picture)
	assert.Nil(t, narrow.Picture, "the picture belongs to the first stream")
	s.OK("DELETE", "/takes/"+wide.ID, nil, nil)
	assert.NotEmpty(t, s.File("/takes/"+narrow.ID+"/waveform?level=0&from=0&count=10"), "the other stream keeps its files")
}
