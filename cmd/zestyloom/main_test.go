package main

import (
	"bytes"
	"context"
	"encoding/json"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/contract"
	"zestyloom/core/delivery"
	"zestyloom/core/fault"
	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
	"zestyloom/internal/api"
	"zestyloom/internal/app/apptest"
)

// run gives a verb's standard output, standard error and error.
func run(t *testing.T, args ...string) (stdout, stderr string, err error) {
	var out, errOut bytes.Buffer
	c := root()
	c.SetOut(&out)
	c.SetErr(&errOut)
	c.SetArgs(args)
	err = c.ExecuteContext(t.Context())
	return out.String(), errOut.String(), err
}

// verb runs with --json and decodes; exactly one document must be there.
func verb(t *testing.T, into any, args ...string) error {
	out, _, err := run(t, append(args, "--json")...)
	if out == "" {
		return err
	}
	d := json.NewDecoder(bytes.NewReader([]byte(out)))
	require.NoError(t, d.Decode(into), out)
	assert.False(t, d.More(), "one JSON document and nothing else")
	return err
}

// poly writes a three-channel recording, whose samples are the frame number plus 1000 for each channel.
func poly(t *testing.T, dir string) string {
	h := wave.Header{Format: wavetest.PCM24(3), Frames: 96000,
		Bext: &wave.Bext{TimeReference: 36000 * 48000},
		IXML: &wave.IXML{Scene: "12A", Take: "3", Tape: "LF03", Circled: "TRUE", Note: "windy", Speed: &wave.IXMLSpeed{TimecodeRate: "25/1",
			TimecodeFlag: "NDF"},
			Tracks: &wave.IXMLTracks{Tracks: []wave.IXMLTrack{{InterleaveIndex: "1", Name: "Mix L", Function: "MIX"}, {InterleaveIndex: "2",
				Name: "Mix R", Function: "MIX"}, {InterleaveIndex: "3", Name: "Boom"}}}}}
	b := wavetest.Bytes(t, h, func(c, i int) float64 { return float64(i+1000*c) / (1 << 23) })
	path := filepath.Join(dir, "LF03_12A_T03.wav")
	require.NoError(t, os.WriteFile(path, b, 0o600))
	return path
}

func TestProbe(t *testing.T) {
	path := poly(t, t.TempDir())
	var got []map[string]any
	require.NoError(t, verb(t, &got, "probe", path))
	require.Len(t, got, 1)
	want := map[string]any{
		"path": path, "container": "wave", "encoding": "pcm", "sampleRate": 48000.0, "bitDepth": 24.0, "channels": 3.0, "frames": 96000.0,
		"startSamples": 36000.0 * 48000, "startTimecode": "10:00:00:00", "frameRate": "25", "dropFrame": false, "scene": "12A", "take": "3",
		"roll": "LF03",
		"note": "windy", "circled": true, "warnings": []any{}, "recovered": false,
		"tracks": []any{
			map[string]any{"index": 1.0, "name": "Mix L", "use": "mix", "function": "MIX"},
			map[string]any{"index": 2.0, "name": "Mix R", "use": "mix", "function": "MIX"},
			map[string]any{"index": 3.0, "name": "Boom", "use": "iso", "function": ""},
		},
	}
	assert.Equal(t, want, got[0])
}

func TestProbeSaysWhatCannotBeRead(t *testing.T) {
	dir := t.TempDir()
	good := poly(t, dir)
	bad := filepath.Join(dir, "log.wav")
	require.NoError(t, os.WriteFile(bad, []byte("not a recording"), 0o600))
	var got []map[string]any
	err := verb(t, &got, "probe", bad, good, filepath.Join(dir, "none.wav"), dir)
	assert.Len(t, got, 1, "the others are read all the same")
	require.Len(t, each(err), 3)
	assert.Contains(t, fault.Sentence(each(err)[0]), bad+": This is not a WAVE")
	assert.Contains(t, fault.Sentence(each(err)[1]), "no such file")
	assert.Contains(t, fault.Sentence(each(err)[2]), "folder")
}

func TestUnravelVerb(t *testing.T) {
	dir := t.TempDir()
	path := poly(t, dir)
	var got struct {
		Files []struct {
			Path     string
			Channels int
			Tracks   []string
		}
	}
	require.NoError(t, verb(t, &got, "unravel", path, "--out", filepath.Join(dir, "out"), "--pairs", "1-2"))
	require.Len(t, got.Files, 2)
	assert.Equal(t, []string{"Mix L", "Mix R"}, got.Files[0].Tracks)
	var again []map[string]any
	require.NoError(t, verb(t, &again, "probe", got.Files[0].Path, got.Files[1].Path))
	assert.Equal(t, 36000.0*48000, again[1]["startSamples"])
	f, _, closer, err := openSound(context.Background(), got.Files[1].Path, 0)
	require.NoError(t, err)
	defer closer.Close()
	raw := make([]byte, 3)
	_, err = f.ReadRaw(raw, 17)
	require.NoError(t, err)
	assert.Equal(t, []byte{byte(2017 & 0xff), byte(2017 >> 8), 0}, raw)

	for _, pairs := range []string{"1-9", "x", "1-2,2-3"} {
		err := verb(t, &got, "unravel", path, "--out", filepath.Join(dir, "bad"), "--pairs", pairs)
		assert.Equal(t, fault.BadInput, fault.KindOf(err), pairs)
	}
	left, err := filepath.Glob(filepath.Join(dir, "*", ".unravel-*"))
	require.NoError(t, err)
	assert.Empty(t, left)
}

func TestPlyVerb(t *testing.T) {
	dir := t.TempDir()
	path := poly(t, dir)
	var apart struct{ Files []struct{ Path string } }
	require.NoError(t, verb(t, &apart, "unravel", path, "--out", dir))
	var got struct {
		Path     string
		Channels int
		Tracks   []string
	}
	out := filepath.Join(dir, "again.wav")
	args := []string{"ply", "--out", out}
	for _, f := range apart.Files {
		args = append(args, f.Path)
	}
	require.NoError(t, verb(t, &got, args...))
	assert.Equal(t, out, got.Path)
	assert.Equal(t, []string{"Mix L", "Mix R", "Boom"}, got.Tracks)
	source, _, closeSource, err := openSound(context.Background(), path, 0)
	require.NoError(t, err)
	defer closeSource.Close()
	again, _, closeAgain, err := openSound(context.Background(), out, 0)
	require.NoError(t, err)
	defer closeAgain.Close()
	assert.Equal(t, wavetest.Samples(t, source), wavetest.Samples(t, again))
	assert.Equal(t, source.Bext.TimeReference, again.Bext.TimeReference)

	before, err := os.ReadFile(out)
	require.NoError(t, err)
	short := filepath.Join(dir, "short.wav")
	h := wave.Header{Format: wavetest.PCM24(1), Frames: 100, Bext: &wave.Bext{TimeReference: 36000 * 48000}}
	require.NoError(t, os.WriteFile(short, wavetest.Bytes(t, h, func(int, int) float64 { return 0 }), 0o600))
	err = verb(t, &got, append(args, short)...)
	assert.Equal(t, fault.BadInput, fault.KindOf(err))
	assert.ErrorContains(t, err, "pad or to cut")
	after, err := os.ReadFile(out)
	require.NoError(t, err)
	assert.Equal(t, before, after, "a ply that is refused leaves what stood there")
	require.NoError(t, verb(t, &got, append(args, short, "--lengths", "pad")...))
	assert.Equal(t, 4, got.Channels)
}

func TestSync(t *testing.T) {
	dir := t.TempDir()
	scene := rand.New(rand.NewPCG(1, 2))
	sound := make([]float64, 10*48000)
	level := 0.0
	for i := range sound {
		if i%3000 == 0 {
			level = scene.Float64() * scene.Float64()
		}
		sound[i] = level * (scene.Float64()*2 - 1)
	}
	file := func(name string, seconds float64, at func(i int) float64) string {
		path := filepath.Join(dir, name)
		h := wave.Header{Format: wavetest.PCM24(1), Frames: int64(seconds * 48000)}
		require.NoError(t, os.WriteFile(path, wavetest.Bytes(t, h, func(_, i int) float64 { return at(i) }), 0o600))
		return path
	}
	reference := file("reference.wav", 10, func(i int) float64 { return sound[i] })
	later := file("later.wav", 6, func(i int) float64 { return 0.5 * sound[i+77_777] })
	stranger := file("stranger.wav", 6, func(i int) float64 { return math.Sin(float64(i*i) * 1e-7) })
	var got []struct {
		Path                                          string
		OffsetSamples                                 int64
		OffsetSeconds, Confidence, RunnerUp, DriftPPM float64
		Matched                                       bool
	}
	require.NoError(t, verb(t, &got, "sync", reference, later, stranger))
	require.Len(t, got, 2)
	assert.True(t, got[0].Matched)
	assert.EqualValues(t, 77_777, got[0].OffsetSamples, "it starts later than the reference")
	assert.InDelta(t, 77_777.0/48000, got[0].OffsetSeconds, 1e-6)
	assert.False(t, got[1].Matched, "%+v", got[1])
	assert.Error(t, verb(t, &got, "sync", reference, filepath.Join(dir, "none.wav")))
}

func TestGauge(t *testing.T) {
	path := poly(t, t.TempDir())
	var got map[string]any
	require.NoError(t, verb(t, &got, "gauge", path))
	for _, key := range []string{"integratedLUFS", "momentaryMaxLUFS", "shortTermMaxLUFS", "loudnessRangeLU", "truePeakMaxDBTP", "ppmMax",
		"channels"} {
		assert.Contains(t, got, key)
	}
	assert.Nil(t, got["shortTermMaxLUFS"], "2 s are too short for it")
	channels := got["channels"].([]any)
	require.Len(t, channels, 3)
	third := channels[2].(map[string]any)
	assert.Equal(t, 3.0, third["index"])
	assert.InDelta(t, -38.65, third["samplePeakDBFS"], 0.02, "97999 of 8388608")
	require.NoError(t, verb(t, &got, "gauge", path, "--layout", "lcr", "--order", "film"))
	assert.Equal(t, "C", got["channels"].([]any)[1].(map[string]any)["label"])
	assert.Error(t, verb(t, &got, "gauge", path, "--layout", "stereo"))
	assert.Error(t, verb(t, &got, "gauge", path, "--layout", "9.1"))
}

func TestDiagnose(t *testing.T) {
	path := filepath.Join(t.TempDir(), "take.wav")
	h := wave.Header{Format: wavetest.PCM24(3), Frames: 96000, IXML: &wave.IXML{Tracks: &wave.IXMLTracks{Tracks: []wave.IXMLTrack{{InterleaveIndex: "1", Name: "Boom"}, {InterleaveIndex: "2", Name: "Spare"}}}}}
	require.NoError(t, os.WriteFile(path, wavetest.Bytes(t, h, func(c, i int) float64 {
		return []float64{0.3, 0, -0.3}[c] * math.Sin(float64(i)*0.05)
	}), 0o600))
	var got []struct {
		Path     string
		Channels []struct {
			Index             int
			Name              string
			PeakDBFS, RMSDBFS *float64
			Findings          []struct {
				Kind, Message string
				With          []int
				Figure        float64
			}
		}
	}
	require.NoError(t, verb(t, &got, "diagnose", path))
	channels := got[0].Channels
	assert.Empty(t, channels[0].Findings)
	assert.Equal(t, "Boom", channels[0].Name)
	assert.InDelta(t, -10.46, *channels[0].PeakDBFS, 0.01)
	assert.Equal(t, "empty", channels[1].Findings[0].Kind)
	assert.Nil(t, channels[1].PeakDBFS)
	assert.Equal(t, "polarity", channels[2].Findings[0].Kind)
	assert.Equal(t, []int{1}, channels[2].Findings[0].With)
	assert.Error(t, verb(t, &got, "diagnose", path+".none"))
}

func TestPrintVerb(t *testing.T) {
	s := apptest.Start(t)
	s.Record("12A.wav", 2, "Boom", "Ines lav")
	production := s.Production()
	s.Bring(production, "12A.wav")
	v := s.Reel(production, "Reel 1")
	s.OK("POST", "/reels/"+v.ID+"/lay", map[string]any{"revision": 0, "takes": []string{s.Takes(production)["12A.wav"].ID}}, &v)
	dir := t.TempDir()
	var got struct {
		Files    []string
		Check    delivery.Report
		Manifest string
	}
	args := []string{"print", "--server", s.Base, "--production", "The Lantern Ferry", "--reel", "Reel 1", "--out", dir}
	require.NoError(t, verb(t, &got, append(args, "--spec", "six-channel-split", "--packaging", "per-group")...))
	require.Len(t, got.Files, 3)
	assert.True(t, got.Check.Pass)
	manifest, err := os.ReadFile(got.Manifest)
	require.NoError(t, err)
	assert.Contains(t, string(manifest), got.Check.Files[0].SHA256)
	for _, f := range got.Files {
		assert.FileExists(t, f)
	}

	spec := filepath.Join(dir, "mine.yaml")
	require.NoError(t, os.WriteFile(spec, []byte("id: mine\ntitle: Mine\ncontainer: wave\nsampleRate: 48000\nbitDepth: 24\npackaging: [per-group]\nnaming: {interleaved: a, per-group: \"{tag}\"}\ntruePeakMax: -20\ngroups: [{id: dx, name: D, tag: DX, layout: stereo, stems: [DX], loudness: {target: -10, tolerance: 0.5}}]\n"), 0o600))
	err = verb(t, &got, append(args, "--spec", spec)...)
	assert.ErrorIs(t, err, errWanting, "printed, and found wanting")
	assert.False(t, got.Check.Pass)

	for _, wrong := range [][]string{{"--spec", "none"}, {"--spec", "mine", "--reel", "Reel 9"}, {"--spec", "mine", "--production", "x"},
		{"--spec", "mine", "--server", "http://127.0.0.1:1"}} {
		err := verb(t, &got, append(append([]string{}, args...), wrong...)...)
		assert.Equal(t, fault.NotFound, fault.KindOf(err), "%v: %v", wrong, err)
	}
	var list []api.Spec
	s.OK("GET", "/specs?production="+production, nil, &list)
	shipped, err := contract.Shipped()
	require.NoError(t, err)
	assert.Len(t, list, len(shipped)+1)
}
