package main

import (
	"math"
	"math/rand"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
)

// chained has a file go through a chain and gives what came out.
func chained(t *testing.T, path, text string, more ...string) (*wave.File, [][]float64) {
	dir := t.TempDir()
	file, out := filepath.Join(dir, "chain.yaml"), filepath.Join(dir, "out.wav")
	require.NoError(t, os.WriteFile(file, []byte(text), 0o600))
	var p []processed
	require.NoError(t, verb(t, &p, append([]string{"process", path, "--chain", file, "--out", out}, more...)...))
	require.Len(t, p, 1)
	return readAll(t, out)
}

func readAll(t *testing.T, path string) (*wave.File, [][]float64) {
	b, err := os.Open(path)
	require.NoError(t, err)
	t.Cleanup(func() { b.Close() })
	info, err := b.Stat()
	require.NoError(t, err)
	f, err := wave.Open(b, info.Size())
	require.NoError(t, err)
	all := make([][]float64, f.Channels)
	require.NoError(t, f.EachBlock(4096, func(_ int64, block [][]float64) error {
		for c := range block {
			all[c] = append(all[c], block[c]...)
		}
		return nil
	}))
	return f, all
}

// recorded writes noise as a recorder would have, with a chunk that nobody knows.
func recorded(t *testing.T, rate, channels, frames int) string {
	rnd := rand.New(rand.NewSource(1))
	format := wavetest.PCM24(channels)
	format.SampleRate = rate
	h := wave.Header{Format: format, Frames: int64(frames), Bext: &wave.Bext{TimeReference: 36000 * 48000, Description: "zNOTE=windy"},
		Extra: []wave.RawChunk{{ID: "Zest", Body: []byte("as it came")}}}
	b := wavetest.Bytes(t, h, func(int, int) float64 { return math.Max(-1, math.Min(1, 0.1*rnd.NormFloat64())) })
	path := filepath.Join(t.TempDir(), "12A.wav")
	require.NoError(t, os.WriteFile(path, b, 0o600))
	return path
}

// Filters are those of another program that goes by the same note, names, stamp and unknown chunks stay, and so do length and place.
func TestProcessVerb(t *testing.T) {
	for _, rate := range []int{44100, 48000, 96000} {
		path := recorded(t, rate, 2, 3*rate+7)
		f, got := chained(t, path, "chain: [{kind: bell, frequency: 320, gain: -4, q: 1.2}, {kind: low-shelf, frequency: 150, gain: 5, q: 0.707}]")
		assert.EqualValues(t, 3*rate+7, f.Frames)
		assert.EqualValues(t, 36000*48000, f.Bext.TimeReference)
		assert.Equal(t, "zNOTE=windy", f.Bext.Description)
		chunk, there := f.Raw("Zest")
		assert.True(t, there)
		assert.Equal(t, "as it came", string(chunk))
		other := filepath.Join(t.TempDir(), "other.wav")
		out, err := exec.Command("ffmpeg", "-v", "error", "-i", path, "-af", "aformat=dblp,equalizer=f=320:t=q:w=1.2:g=-4,"+
			"lowshelf=f=150:t=q:w=0.707:g=5", "-c:a", "pcm_f32le", other).CombinedOutput()
		require.NoError(t, err, "%s", out)
		_, want := readAll(t, other)
		worst := 0.0
		for c := range want {
			for i := range want[c] {
				worst = math.Max(worst, math.Abs(want[c][i]-got[c][i]))
			}
		}
		assert.Less(t, worst, 4.0/(1<<23), "but for dither, at %d Hz", rate)
	}
}

// What looks ahead and works in frames leaves every sample in its place; what does nothing changes no bit.
func TestProcessKeepsPlaces(t *testing.T) {
	path := recorded(t, 48000, 1, 100_001)
	_, was := readAll(t, path)
	_, same := chained(t, path, "chain: [{kind: gain, gain: 3, off: true}]")
	assert.True(t, same[0][777] == was[0][777] && same[0][100_000] == was[0][100_000])
	for _, text := range []string{"{kind: limiter, ceiling: -0.1}", "{kind: compressor, threshold: 0, ahead: 7}", "{kind: match}", "{kind: click, sensitivity: 0}",
		"{kind: noise, reduction: 0}", "{kind: hum}", "{kind: leveller, range: 0}", "{kind: delay, samples: 0}", "{kind: width, width: 1}"} {
		f, got := chained(t, path, "chain: ["+text+"]")
		require.EqualValues(t, 100_001, f.Frames)
		for _, i := range []int{0, 1, 5000, 50_000, 99_999, 100_000} {
			require.InDelta(t, was[0][i], got[0][i], 3e-3, "%s at %d", text, i)
		}
	}
	_, later := chained(t, path, "chain: [{kind: delay, samples: 480, ms: 10}]")
	assert.InDelta(t, was[0][0], later[0][960], 1e-6)
}

// What can't be done is said: a chain that is none, a frequency above half the rate, a stretch that is not there.
func TestProcessRefuses(t *testing.T) {
	dir := t.TempDir()
	file, path := filepath.Join(dir, "chain.yaml"), recorded(t, 32000, 1, 32000)
	for text, said := range map[string]string{
		"chain: [{kind: bell, frequency: 3}]":                           "minimum",
		"chain: [{kind: low-pass, frequency: 18000}]":                   "above half the rate",
		"chain: [{kind: noise, profile: {from: 5, to: 6}}]":             "a tenth of a second within the file",
		"chain: [{kind: compressor, key: {row: stem, from: Dialogue}}]": "row of a reel",
	} {
		require.NoError(t, os.WriteFile(file, []byte(text), 0o600))
		err := verb(t, &[]processed{}, "process", path, "--chain", file, "--out", filepath.Join(dir, "out.wav"))
		require.ErrorContains(t, err, said)
		assert.NoFileExists(t, filepath.Join(dir, "out.wav"))
	}
	require.NoError(t, os.WriteFile(file, []byte("chain: [{kind: gain, gain: 3}]"), 0o600))
	require.ErrorContains(t, verb(t, &[]processed{}, "process", path, path, "--chain", file, "--out", filepath.Join(dir, "none")), "folder")
}
