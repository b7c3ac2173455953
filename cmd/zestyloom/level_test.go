package main

import (
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
)

// surround writes a mix in 5.1 as six monos that know their names only, with a time stamp, and gives their paths in the order of
// SMPTE: bursts over noise, silence between, an LFE at full scale.
func surround(t testing.TB, dir string, seconds int) (paths []string) {
	for c, label := range []string{"L", "R", "C", "LFE", "Ls", "Rs"} {
		r := rand.New(rand.NewPCG(uint64(c), 7))
		h := wave.Header{Format: wavetest.PCM24(1), Frames: int64(seconds) * 48000, Bext: &wave.Bext{Description: "Promo",
			TimeReference: 36000 * 48000},
			IXML: &wave.IXML{Scene: "Promo", Note: "from the mixer"}}
		path := filepath.Join(dir, "Ferry promo_"+label+".wav")
		b := wavetest.Bytes(t, h, func(_, i int) float64 {
			at := float64(i) / 48000
			switch {
			case label == "LFE":
				return math.Sin(2*math.Pi*45*at) * math.Abs(math.Sin(at))
			case int(at)%5 == 4:
				return 0
			case i%480000 < 60:
				return 0.9 * math.Sin(float64(i)*0.41+float64(c))
			}
			return 0.02 * r.NormFloat64()
		})
		require.NoError(t, os.WriteFile(path, append(b, []byte("mine\x04\x00\x00\x00note")...), 0o600))
		paths = append(paths, path)
	}
	return paths
}

// byFFmpeg measures six monos as 5.1 with ffmpeg.
func byFFmpeg(t testing.TB, paths []string) (integrated, truePeak float64) {
	ffmpeg, err := exec.LookPath("ffmpeg")
	require.NoError(t, err)
	args := []string{"-hide_banner", "-nostats"}
	inputs := ""
	for i, p := range paths {
		args = append(args, "-i", p)
		inputs += fmt.Sprintf("[%d:a]", i)
	}
	filter := inputs + "join=inputs=6:channel_layout=5.1(side),ebur128=peak=true:framelog=verbose"
	if len(paths) == 1 {
		filter = "ebur128=peak=true:framelog=verbose"
	}
	out, err := exec.Command(ffmpeg, append(args, "-filter_complex", filter, "-f", "null", "-")...).CombinedOutput()
	require.NoError(t, err, string(out))
	figure := func(form string) float64 {
		all := regexp.MustCompile(form).FindAllStringSubmatch(string(out), -1) // the last is the summary's
		require.NotEmpty(t, all, string(out))
		x, err := strconv.ParseFloat(all[len(all)-1][1], 64)
		require.NoError(t, err)
		return x
	}
	return figure(`I:\s+(-?[\d.]+) LUFS`), figure(`Peak:\s+(-?[\d.]+) dBFS`)
}

// Six monos are measured as the programme that they are, brought to a loudness and below a ceiling, and come back as six files that
// are what they were: ffmpeg says so as well.
func TestLevelSixMonos(t *testing.T) {
	dir, out := t.TempDir(), t.TempDir()
	paths := surround(t, dir, 20)
	var measured gauged
	require.NoError(t, verb(t, &measured, append([]string{"gauge"}, paths...)...))
	assert.Equal(t, "5.1", string(measured.Layout))
	integrated, peak := byFFmpeg(t, paths)
	assert.InDelta(t, integrated, *measured.IntegratedLUFS, 0.1)
	assert.InDelta(t, peak, *measured.TruePeakMaxDBTP, 0.3)
	// In another order, they are the same programme.
	var again gauged
	require.NoError(t, verb(t, &again, "gauge", paths[3], paths[5], paths[0], paths[4], paths[1], paths[2]))
	assert.InDelta(t, *measured.IntegratedLUFS, *again.IntegratedLUFS, 1e-9)

	var got leveled
	require.NoError(t, verb(t, &got, append(append([]string{"level"}, paths...), "--profile", "r128", "--out", out)...))
	assert.Empty(t, got.Missed)
	assert.InDelta(t, *measured.IntegratedLUFS, *got.Before.IntegratedLUFS, 0.01)
	assert.Positive(t, got.LimitedSamples)
	var made []string
	for i, p := range paths {
		made = append(made, filepath.Join(out, filepath.Base(p)))
		f, _, closer, err := openSound(t.Context(), made[i], 0)
		require.NoError(t, err)
		assert.EqualValues(t, 36000*48000, f.Bext.TimeReference)
		assert.Equal(t, "Promo", f.Bext.Description)
		assert.Equal(t, "from the mixer", f.IXML.Note)
		assert.Equal(t, 24, f.BitDepth)
		assert.EqualValues(t, 20*48000, f.Frames)
		assert.Contains(t, fmt.Sprint(f.Other), "mine", "chunks that nobody knows come along")
		require.NoError(t, closer.Close())
	}
	integrated, peak = byFFmpeg(t, made)
	assert.InDelta(t, -23, integrated, 0.1)
	assert.LessOrEqual(t, peak, -1.0)

	// One poly file, to a spec, at 16 bits; the figures go into its bext.
	poly := filepath.Join(dir, "poly.wav")
	require.NoError(t, verb(t, &struct{}{}, append(append([]string{"ply"}, paths...), "--out", poly)...))
	require.NoError(t, verb(t, &got, "level", poly, "--spec", "surround-and-stereo", "--layout", "5.1", "--out",
		filepath.Join(out, "poly.wav")))
	integrated, peak = byFFmpeg(t, []string{filepath.Join(out, "poly.wav")})
	assert.InDelta(t, *got.After.IntegratedLUFS, integrated, 0.1)
	assert.LessOrEqual(t, peak, *got.After.TruePeakMaxDBTP+0.1)
	f, _, closer, err := openSound(t.Context(), filepath.Join(out, "poly.wav"), 0)
	require.NoError(t, err)
	defer closer.Close()
	require.NotNil(t, f.Bext.IntegratedLUFS)
	assert.InDelta(t, *got.After.IntegratedLUFS, *f.Bext.IntegratedLUFS, 0.01)
}

// What is hard to bring to a loudness is there by ffmpeg's meter too, in every layout that it weighs as ITU-R BS.1770-5 does, as one file.
func TestHardMaterialInEveryLayoutByFFmpeg(t *testing.T) {
	dir := t.TempDir()
	for _, l := range []struct {
		name     string
		channels int
		mask     uint32
	}{{"mono", 1, 0x4}, {"stereo", 2, 0x3}, {"3.0", 3, 0x7}, {"5.0", 5, 0x607}, {"5.1", 6, 0x60f}} {
		for name, signal := range hardMaterial(l.channels) {
			what := l.name + ", " + name
			path, out := filepath.Join(dir, what+".wav"), filepath.Join(dir, what+", levelled.wav")
			h := wave.Header{Format: wavetest.PCM24(l.channels), Frames: 12 * 48000}
			h.Mask = l.mask
			require.NoError(t, os.WriteFile(path, wavetest.Bytes(t, h, signal), 0o600))
			var got leveled
			require.NoError(t, verb(t, &got, "level", path, "--profile", "r128", "--out", out), what)
			require.Empty(t, got.Missed, what)
			integrated, peak := byFFmpeg(t, []string{out})
			assert.InDelta(t, -23, integrated, 0.1, what)
			assert.LessOrEqual(t, peak, -1.0, what)
		}
	}
}

// hardMaterial are bursts with silence between, one channel that is far louder than the others, and clicks far above what lies below.
func hardMaterial(channels int) map[string]func(c, i int) float64 {
	r := rand.New(rand.NewPCG(3, 4))
	return map[string]func(c, i int) float64{
		"bursts": func(_, i int) float64 {
			if i%24000 > 2400 {
				return 0
			}
			return 0.7 * math.Sin(float64(i)*0.3)
		},
		"one loud channel": func(c, i int) float64 {
			if c == channels-1 {
				return 0.95 * math.Sin(float64(i)*0.11) * math.Abs(math.Sin(float64(i)/48000))
			}
			return 0.01 * r.NormFloat64()
		},
		"clicks": func(_, i int) float64 {
			if i%96000 == 1000 {
				return 0.9
			}
			return 0.006 * r.NormFloat64()
		},
		"a low tone at full scale last": func(c, i int) float64 { // the LFE of 5.1
			if c == channels-1 {
				return math.Sin(float64(i) * 2 * math.Pi * 40 / 48000)
			}
			return 0.05 * r.NormFloat64() * math.Abs(math.Sin(float64(i)/96000))
		},
	}
}

// In a batch each is brought there by itself; one that can't be does not take the others along.
func TestLevelInABatch(t *testing.T) {
	dir, out := t.TempDir(), t.TempDir()
	path := func(name string, gain float64) string {
		r := rand.New(rand.NewPCG(1, 7))
		p := filepath.Join(dir, name)
		h := wave.Header{Format: wavetest.PCM24(2), Frames: 5 * 48000}
		h.BitDepth, h.Bytes = 16, 2
		require.NoError(t, os.WriteFile(p, wavetest.Bytes(t, h, func(int, int) float64 { return gain * r.NormFloat64() }), 0o600))
		return p
	}
	loud, quiet, silent := path("loud.wav", 0.2), path("quiet.wav", 0.002), path("silent.wav", 0)
	var got []leveled
	err := verb(t, &got, "level", loud, silent, quiet, "--each", "--profile", "td1008-speech", "--out", out)
	assert.ErrorContains(t, err, "loud enough")
	require.Len(t, got, 2)
	for i, name := range []string{"loud.wav", "quiet.wav"} {
		assert.Equal(t, []string{filepath.Join(out, name)}, got[i].Files)
		var m gauged
		require.NoError(t, verb(t, &m, "gauge", got[i].Files[0], "--oversample", "8"))
		assert.InDelta(t, -18, *m.IntegratedLUFS, 0.1)
		assert.LessOrEqual(t, *m.TruePeakMaxDBTP, -1.0)
	}
	assert.Error(t, verb(t, &got, "level", loud, "--out", out))
	assert.Error(t, verb(t, &got, "level", loud, quiet, "--profile", "r128", "--out", filepath.Join(dir, "x.wav")))
	assert.Error(t, verb(t, &got, "level", loud, "--profile", "streaming", "--out", out), "a file does not tell where dialogue is")
	assert.ErrorContains(t, verb(t, &got, "level", loud, "--profile", "x", "--out", out), "There is no profile")
	assert.Error(t, verb(t, &got, "gauge", loud, "--oversample", "3"))
	_, err = os.Stat(filepath.Join(out, "silent.wav"))
	assert.ErrorIs(t, err, os.ErrNotExist)
}

// Speech at −67 LUFS with one click in it comes to −23: the limiter brings the click down to the rest. What can't be reached is said,
// and ends with the status that says so.
func TestLevelBeyondAClick(t *testing.T) {
	dir, out := t.TempDir(), filepath.Join(t.TempDir(), "x.wav")
	path := func(name string, speech, click float64) string {
		r := rand.New(rand.NewPCG(3, 7))
		p := filepath.Join(dir, name)
		b := wavetest.Bytes(t, wave.Header{Format: wavetest.PCM24(1), Frames: 20 * 48000}, func(_, i int) float64 {
			if i >= 96000 && i < 96020 {
				return click
			}
			return speech * r.NormFloat64() * math.Abs(math.Sin(float64(i)/9000))
		})
		require.NoError(t, os.WriteFile(p, b, 0o600))
		return p
	}
	var got leveled
	require.NoError(t, verb(t, &got, "level", path("quiet.wav", 0.0006, 0.9), "--profile", "r128", "--out", out))
	assert.Less(t, *got.Before.IntegratedLUFS, -25.0, "of the click alone")
	assert.InDelta(t, -23, *got.After.IntegratedLUFS, 0.1)
	assert.LessOrEqual(t, *got.After.TruePeakMaxDBTP, -1.0)
	err := verb(t, &got, "level", path("click.wav", 0, 0.9), "--profile", "r128", "--out", out)
	if err == nil || len(got.Missed) > 0 { // one click alone is what no limiter makes a programme of
		assert.Error(t, err)
	}
}

// Of a movie with several streams somebody has to say which; of one with one nobody has.
func TestStreamsAreAskedFor(t *testing.T) {
	dir := t.TempDir()
	movie := func(name string, streams int) string {
		args := []string{"-v", "error"}
		for i := range streams {
			args = append(args, "-f", "lavfi", "-i", fmt.Sprintf("sine=frequency=%d:duration=4:sample_rate=48000", 300*(i+1)))
		}
		for i := range streams {
			args = append(args, "-map", fmt.Sprint(i))
		}
		p := filepath.Join(dir, name)
		out, err := exec.Command("ffmpeg", append(args, "-c:a", "pcm_s24le", p)...).CombinedOutput()
		require.NoError(t, err, "%s", out)
		return p
	}
	one, three := movie("one.mov", 1), movie("three.mov", 3)
	for _, args := range [][]string{{"gauge"}, {"diagnose"}, {"unravel", "--out", filepath.Join(dir, "u")},
		{"level", "--profile", "r128", "--out", filepath.Join(dir, "l.wav")}, {"fold", "--to", "mono", "--layout", "mono", "--out", filepath.Join(dir, "f.wav")}} {
		var any any
		at := func(path string, more ...string) error {
			return verb(t, &any, append(append([]string{args[0], path}, args[1:]...), more...)...)
		}
		require.NoError(t, at(one), args)
		require.ErrorContains(t, at(three), "say which with --stream 1 to 3", "%v", args)
		require.NoError(t, at(three, "--stream", "2"), args)
		require.Error(t, at(three, "--stream", "4"), args)
	}
}
