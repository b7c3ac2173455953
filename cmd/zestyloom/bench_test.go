package main

import (
	"context"
	"io"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"zestyloom/core/chain"
	"zestyloom/core/ply"
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
		_, _, err := unravelFile(context.Background(), path, 0, out, "")
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

// BenchmarkGaugeAgainstFFmpeg: the goal is a sixth of the time of ffmpeg's ebur128 with true peak. Noise is the
// hardest for true peak, as nearly every stretch might hold it.
func BenchmarkGaugeAgainstFFmpeg(b *testing.B) {
	ffmpeg, err := exec.LookPath("ffmpeg")
	if err != nil {
		b.Skip("ffmpeg is not installed")
	}
	path := tenMinutes(b, 6)
	ratio(b, "times-ffmpeg", func() {
		_, err := gauge(context.Background(), []string{path}, 0, "", "", 4)
		require.NoError(b, err)
	}, func() {
		out, err := exec.Command(ffmpeg, "-v", "error", "-i", path, "-af", "ebur128=peak=true:framelog=verbose", "-f", "null",
			"-").CombinedOutput()
		require.NoError(b, err, string(out))
	})
}

// BenchmarkProcessAgainstFFmpeg: the goal is a third of the time of ffmpeg's own filters for the same, per core; each has one.
func BenchmarkProcessAgainstFFmpeg(b *testing.B) {
	ffmpeg, err := exec.LookPath("ffmpeg")
	if err != nil {
		b.Skip("ffmpeg is not installed")
	}
	path := tenMinutes(b, 2)
	for name, c := range map[string]struct{ chain, filter string }{
		"filters": {"{kind: bell, frequency: 320, gain: -4, q: 1}, {kind: bell, frequency: 900, gain: 2, q: 1}, " +
			"{kind: bell, frequency: 2500, gain: 3, q: 1}, {kind: bell, frequency: 6000, gain: -2, q: 1}",
			"equalizer=f=320:t=q:w=1:g=-4,equalizer=f=900:t=q:w=1:g=2,equalizer=f=2500:t=q:w=1:g=3,equalizer=f=6000:t=q:w=1:g=-2"},
		"compressor": {"{kind: compressor, threshold: -24, ratio: 4, knee: 6, attack: 10, release: 120, detector: peak}",
			"acompressor=threshold=-24dB:ratio=4:knee=6dB:attack=10:release=120:detection=peak"},
	} {
		b.Run(name, func(b *testing.B) {
			dir := b.TempDir()
			steps, err := chain.Read([]byte("chain: [" + c.chain + "]"))
			require.NoError(b, err)
			was := runtime.GOMAXPROCS(1)
			defer runtime.GOMAXPROCS(was)
			out := filepath.Join(dir, "out.wav")
			ratio(b, "times-ffmpeg", func() {
				_, _, err := processFile(context.Background(), path, 0, steps, "", out)
				require.NoError(b, err)
				require.NoError(b, os.Remove(out))
			}, func() {
				said, err := exec.Command(ffmpeg, "-v", "error", "-y", "-threads", "1", "-filter_threads", "1", "-i", path, "-af", c.filter, "-c:a",
					"pcm_s24le", out).CombinedOutput()
				require.NoError(b, err, string(said))
			})
		})
	}
}

// BenchmarkBeyondFourGiB probes, unravels and plies a take above 4 GiB. Memory must stay below 300 MiB, whatever the
// length. The take is a sparse file: all its samples are silence, but they are read and written like any others.
func BenchmarkBeyondFourGiB(b *testing.B) {
	const channels, limit = 8, 300 << 20
	h := wave.Header{Format: wavetest.PCM24(channels), Frames: (4<<30 + 64<<20) / (channels * 3)}
	head, err := h.Marshal()
	require.NoError(b, err)
	dir := b.TempDir()
	path := filepath.Join(dir, "long.wav")
	require.NoError(b, os.WriteFile(path, head, 0o600))
	require.NoError(b, os.Truncate(path, int64(len(head))+h.Frames*channels*3))
	for b.Loop() {
		f, d, closer, err := openSound(context.Background(), path, 0)
		require.NoError(b, err)
		require.Equal(b, wave.RF64, d.Container)
		require.Equal(b, h.Frames, f.Frames)
		require.NoError(b, closer.Close())
		files, _, err := unravelFile(context.Background(), path, 0, filepath.Join(dir, "out"), "")
		require.NoError(b, err)
		var paths []string
		for _, f := range files {
			paths = append(paths, f.Path)
		}
		plied := filepath.Join(dir, "plied.wav")
		_, err = plyFiles(context.Background(), paths, plied, ply.RefuseLengths, ply.RefuseStamps)
		require.NoError(b, err)
		f, _, closer, err = openSound(context.Background(), plied, 0)
		require.NoError(b, err)
		require.Equal(b, h.Frames, f.Frames)
		require.NoError(b, closer.Close())
		require.NoError(b, os.RemoveAll(filepath.Join(dir, "out")))
		require.NoError(b, os.Remove(plied))
	}
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	require.Less(b, m.Sys, uint64(limit))
	b.ReportMetric(float64(m.Sys)/(1<<20), "MiB")
}
