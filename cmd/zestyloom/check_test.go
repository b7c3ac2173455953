package main

import (
	"fmt"
	"math"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/contract"
	"zestyloom/core/desk"
	"zestyloom/core/fault"
	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
)

// lay writes a file of tones, a frequency a channel; change may alter a sample.
func lay(t *testing.T, path string, channels, frames int, change func(c, i int, x float64) float64) string {
	h := wave.Header{Format: wavetest.PCM24(channels), Frames: int64(frames), Bext: &wave.Bext{TimeReference: 36000 * 48000}}
	b := wavetest.Bytes(t, h, func(c, i int) float64 {
		x := 0.1 * math.Sin(float64(i)*float64(c+1)/40)
		if change != nil {
			x = change(c, i, x)
		}
		return x
	})
	require.NoError(t, os.WriteFile(path, b, 0o600))
	return path
}

// check answers with a receipt and, for what is wrong, with the exit status that says so; a spec or path that is not there is
// neither.
func TestCheckVerb(t *testing.T) {
	dir := t.TempDir()
	path := lay(t, filepath.Join(dir, "The_Lantern_Ferry_Reel_1_SPLIT.wav"), 6, 96000, nil)
	var r desk.Receipt
	require.NoError(t, verb(t, &r, "check", path, "--spec", "six-channel-split"))
	assert.True(t, r.Pass, "%+v", r.Findings)
	lay(t, path, 5, 96000, nil)
	assert.ErrorIs(t, verb(t, &r, "check", dir, "--spec", "six-channel-split"), errWanting)
	assert.False(t, r.Pass)
	assert.Equal(t, "channels", r.Findings[0].Rule, "what is wrong stands first")
	assert.Equal(t, contract.Error, r.Findings[0].Severity)
	for _, wrong := range [][]string{{"check", path, "--spec", "none"}, {"check", path + "x", "--spec", "six-channel-split"}} {
		assert.Equal(t, fault.NotFound, fault.KindOf(verb(t, &r, wrong...)), wrong)
	}
}

// compare finds where one channel differs, to the sample, and by how much; another version of a file is the same file.
func TestCompareVerb(t *testing.T) {
	a, b := t.TempDir(), t.TempDir()
	lay(t, filepath.Join(a, "Ferry_v1.wav"), 2, 96000, nil)
	lay(t, filepath.Join(b, "Ferry_v2.wav"), 2, 96000, nil)
	var c desk.Comparison
	require.NoError(t, verb(t, &c, "compare", a, b))
	assert.True(t, c.Equal)
	lay(t, filepath.Join(b, "Ferry_v2.wav"), 2, 96000, func(c, i int, x float64) float64 {
		if c == 1 && i >= 48000 && i < 48010 {
			return x + 0.25
		}
		return x
	})
	lay(t, filepath.Join(b, "More.wav"), 1, 100, nil)
	assert.ErrorIs(t, verb(t, &c, "compare", a, b), errWanting)
	require.Len(t, c.Differences, 2)
	d := c.Differences[0]
	assert.Equal(t, desk.Difference{File: "Ferry_v1.wav", Channel: 2, From: "10:00:01:00", To: "10:00:01:00", FromSeconds: d.FromSeconds,
		PeakDBFS: d.PeakDBFS, Message: "Differs by up to −12.0 dBFS"}, d)
	assert.InDelta(t, 1, *d.FromSeconds, 1e-9)
	assert.InDelta(t, -12.04, *d.PeakDBFS, 0.01)
	assert.Equal(t, "It is in the second alone", c.Differences[1].Message)
	require.Len(t, c.Nulls, 1)
	assert.Nil(t, c.Nulls[0].Left.Values[0])

	lay(t, filepath.Join(b, "Ferry_v2.wav"), 2, 96000-1920, nil)
	assert.ErrorIs(t, verb(t, &c, "compare", filepath.Join(a, "Ferry_v1.wav"), filepath.Join(b, "Ferry_v2.wav")), errWanting)
	assert.Contains(t, c.Differences[0].Message, "96000 samples long, and the other 94080")
	assert.Equal(t, fault.NotFound, fault.KindOf(verb(t, &c, "compare", a, b+"x")))
}

func TestFoldVerb(t *testing.T) {
	dir := t.TempDir()
	path := lay(t, filepath.Join(dir, "six.wav"), 6, 4800, func(c, i int, x float64) float64 { return 9 * x })
	out := filepath.Join(dir, "two.wav")
	var r folded
	require.NoError(t, verb(t, &r, "fold", path, "--layout", "5.1", "--to", "stereo", "--out", out))
	assert.Equal(t, out, r.Path)
	assert.Equal(t, 2, r.Channels)
	assert.Greater(t, r.OverDB, 1.0)
	b, err := os.ReadFile(out)
	require.NoError(t, err)
	assert.Len(t, wavetest.Samples(t, wavetest.Read(t, b)), 2)
	left, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Len(t, left, 2, "nothing half is left")
	assert.Error(t, verb(t, &r, "fold", path, "--layout", "7.1", "--to", "stereo", "--out", out))
	assert.Error(t, verb(t, &r, "fold", path, "--layout", "5.1", "--to", "round", "--out", out))
}

// A file that holds several sets by the names of its channels is folded as the set that is wider; two such sets have to be told apart.
func TestFoldKnowsASetByItsNames(t *testing.T) {
	dir := t.TempDir()
	write := func(name string, channels ...string) string {
		h := wave.Header{Format: wavetest.PCM24(len(channels)), Frames: 4800, IXML: &wave.IXML{Tracks: &wave.IXMLTracks{Count: fmt.Sprint(len(channels))}}}
		for i, c := range channels {
			n := fmt.Sprint(i + 1)
			h.IXML.Tracks.Tracks = append(h.IXML.Tracks.Tracks, wave.IXMLTrack{ChannelIndex: n, InterleaveIndex: n, Name: c})
		}
		path := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(path, wavetest.Bytes(t, h, func(c, _ int) float64 { return float64(c+1) / 100 }), 0o600))
		return path
	}
	room := []string{"Full mix 5.1 L", "Full mix 5.1 R", "Full mix 5.1 C", "Full mix 5.1 LFE", "Full mix 5.1 Ls", "Full mix 5.1 Rs"}
	ours := write("eight.wav", append(room, "Full mix stereo L", "Full mix stereo R")...)
	out := filepath.Join(dir, "two.wav")
	var r folded
	require.NoError(t, verb(t, &r, "fold", ours, "--to", "stereo", "--out", out))
	b, err := os.ReadFile(out)
	require.NoError(t, err)
	for side, x := range wavetest.Samples(t, wavetest.Read(t, b)) { // by hand: L + √½·C + √½·Ls
		assert.InDelta(t, []float64{0.01, 0.02}[side]+math.Sqrt2/2*(0.03+[]float64{0.05, 0.06}[side]), x[100], 1e-6)
	}
	two := write("sixteen.wav", append(room, "Other L", "Other R", "Other C", "Other LFE", "Other Ls", "Other Rs")...)
	assert.ErrorContains(t, verb(t, &r, "fold", two, "--to", "stereo", "--out", out), "several sets")
}

// Without a spec it is said what a delivery is.
func TestCheckWithoutASpecSaysWhatItIs(t *testing.T) {
	dir := t.TempDir()
	lay(t, filepath.Join(dir, "Ferry_L.wav"), 1, 4800, nil)
	lay(t, filepath.Join(dir, "Ferry_R.wav"), 1, 4800, nil)
	var r desk.Receipt
	require.NoError(t, verb(t, &r, "check", dir))
	require.Len(t, r.Seen, 1)
	assert.Equal(t, []string{"stereo", "L", "R"}, append([]string{r.Seen[0].Layout}, r.Seen[0].Labels...))
}
