package dsp

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
)

// resampled reads a whole signal, given by its value at any time, in blocks.
func resampled(step float64, at func(float64) float64, length int64, block int) []float64 {
	r := NewResampler(step)
	out := make([]float64, r.Length(length))
	for from := 0; from < len(out); from += block {
		dst := out[from:min(len(out), from+block)]
		first, end := r.Span(int64(from), len(dst))
		input := make([]float64, end-first)
		for i := range input {
			if t := first + int64(i); t >= 0 && t < length {
				input[i] = at(float64(t))
			}
		}
		r.Block(dst, int64(from), input, first)
	}
	return out
}

// Tones come out at their level, in their place, and with nothing beside them.
func TestResampledTones(t *testing.T) {
	for name, step := range map[string]float64{"drift of 80 ppm": 1 / (1 + 80e-6), "drift of −30 ppm": 1 / (1 - 30e-6),
		"44.1 to 48 kHz": 44100.0 / 48000, "96 to 48 kHz": 2, "48.048 to 48 kHz": 48048.0 / 48000} {
		lower := min(1, 1/step) // of the input's rate
		for _, hz := range []float64{100, 1000, 7000, 15000, 20000} {
			w := 2 * math.Pi * hz / 48000 * lower
			tone := func(t float64) float64 { return math.Sin(w*t + 0.3) }
			out := resampled(step, tone, 12000, 777)
			// Away from the ends the output is the tone itself, at the place where it was asked for. 0.01 dB is 1.15e-3.
			worst := 0.0
			for i := 400; i < len(out)-400; i++ {
				worst = max(worst, math.Abs(out[i]-tone(float64(i)*step)))
			}
			assert.Less(t, worst, 1.15e-3, "%s, %g Hz", name, hz)
			if hz <= 15000 { // far from the edge all that is left is side lobes
				assert.Less(t, 20*math.Log10(worst+1e-12), -120.0, "%s, %g Hz", name, hz)
			}
		}
	}
}

// What the lower rate can't carry is gone, not folded back.
func TestNothingFoldsBack(t *testing.T) {
	for _, hz := range []float64{24500, 30000, 40000} { // at 96 kHz, going to 48
		w := 2 * math.Pi * hz / 96000
		out := resampled(2, func(t float64) float64 { return math.Sin(w * t) }, 24000, 1000)
		worst := 0.0
		for _, v := range out[400 : len(out)-400] {
			worst = max(worst, math.Abs(v))
		}
		assert.Less(t, 20*math.Log10(worst), -120.0, "%g Hz", hz)
	}
}

func TestResamplingIsOneWhateverTheBlocks(t *testing.T) {
	noise := make([]float64, 5000)
	AddDither(noise, 2, 1, 0)
	at := func(t float64) float64 { return noise[int(t)] }
	want := resampled(1.0001, at, 5000, 5000)
	assert.Equal(t, want, resampled(1.0001, at, 5000, 13))
	assert.EqualValues(t, 5000, NewResampler(1).Length(5000))
	assert.EqualValues(t, 10885, NewResampler(44100.0/48000).Length(10000))
	for i, v := range resampled(1, func(t float64) float64 { return 0.25 }, 3000, 100)[200:2800] {
		assert.InDelta(t, 0.25, v, 1e-12, i)
	}
}

func BenchmarkResampler(b *testing.B) {
	r := NewResampler(1.00003)
	dst := make([]float64, 4096)
	first, end := r.Span(0, len(dst))
	input := make([]float64, end-first)
	for b.Loop() {
		r.Block(dst, 0, input, first)
	}
	b.ReportMetric(float64(b.N)*4096/48000/b.Elapsed().Seconds(), "x-realtime")
}
