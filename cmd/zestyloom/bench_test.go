package main

import (
	"context"
	"io"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
)

// tenMinutes writes a recording of ten minutes that comes and goes as speech does, second by second.
func tenMinutes(b *testing.B, channels int) string {
	const seconds = 600
	h := wave.Header{Format: wavetest.PCM24(channels), Frames: seconds * 48000}
	path := filepath.Join(b.TempDir(), "take.wav")
	f, err := os.Create(path)
	require.NoError(b, err)
	defer f.Close()
	w, err := wave.NewWriter(f, h)
	require.NoError(b, err)
	rnd := rand.New(rand.NewPCG(1, 2))
	second := make([][]float64, channels)
	for c := range second {
		second[c] = make([]float64, 48000)
		for i := range second[c] {
			second[c][i] = 0.2 * (rnd.Float64()*2 - 1) * math.Abs(math.Sin(float64(i)/48000*9+float64(c)))
		}
	}
	var loud, soft []byte
	loud = make([]byte, 48000*h.FrameBytes())
	soft = make([]byte, len(loud))
	for c := range second {
		h.Encode(loud, second[c], c)
		for i := range second[c] {
			second[c][i] *= 0.2
		}
		h.Encode(soft, second[c], c)
	}
	for i := range seconds {
		block := soft
		if i%3 == 0 {
			block = loud
		}
		require.NoError(b, w.WriteRaw(block))
	}
	require.NoError(b, w.Close())
	return path
}

// ratio runs ours and its reference in turn and reports how many times the reference's time ours takes.
func ratio(b *testing.B, name string, ours, reference func()) {
	reference() // once for the page cache
	var own, other time.Duration
	for b.Loop() {
		t := time.Now()
		reference()
		other += time.Since(t)
		t = time.Now()
		ours()
		own += time.Since(t)
	}
	b.ReportMetric(own.Seconds()/other.Seconds(), name)
}

// BenchmarkUnravelAgainstCopy: the goal is no more than 2.5 times a copy of the same bytes.
func BenchmarkUnravelAgainstCopy(b *testing.B) {
	path := tenMinutes(b, 16)
	dir := b.TempDir()
	ratio(b, "times-cp", func() {
		out := filepath.Join(dir, "out")
		_, err := unravel(context.Background(), path, 0, out, "")
		require.NoError(b, err)
		require.NoError(b, os.RemoveAll(out))
	}, func() {
		from, err := os.Open(path)
		require.NoError(b, err)
		defer from.Close()
		copied := filepath.Join(dir, "copy.wav")
		to, err := os.Create(copied)
		require.NoError(b, err)
		_, err = io.Copy(to, from)
		require.NoError(b, err)
		require.NoError(b, to.Close())
		require.NoError(b, os.Remove(copied))
	})
}

// BenchmarkGaugeAgainstFFmpeg: the goal is a quarter of the time of ffmpeg's ebur128 with true peak. Noise is the
// hardest for true peak, as nearly every stretch might hold it.
func BenchmarkGaugeAgainstFFmpeg(b *testing.B) {
	ffmpeg, err := exec.LookPath("ffmpeg")
	if err != nil {
		b.Skip("ffmpeg is not installed")
	}
	path := tenMinutes(b, 6)
	ratio(b, "times-ffmpeg", func() {
		_, err := gauge(context.Background(), path, "", "")
		require.NoError(b, err)
	}, func() {
		out, err := exec.Command(ffmpeg, "-v", "error", "-i", path, "-af", "ebur128=peak=true:framelog=verbose", "-f", "null", "-").CombinedOutput()
		require.NoError(b, err, string(out))
	})
}
