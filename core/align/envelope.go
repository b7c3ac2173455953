package align

import (
	"context"
	"math"
	"math/bits"

	"gonum.org/v1/gonum/dsp/fourier"

	"zestyloom/core/wave"
)

// envelopeRate is how many values of an envelope stand for a second.
const envelopeRate = 200

func hop(rate int) int { return rate / envelopeRate }

// mono adds the channels of a block up.
func mono(dst []float64, block [][]float64) []float64 {
	dst = dst[:len(block[0])]
	copy(dst, block[0])
	for _, ch := range block[1:] {
		for i, x := range ch {
			dst[i] += x
		}
	}
	return dst
}

// envelope gives the loudness of a recording over time as it rises and falls: the logarithm of its energy above some
// 300 Hz, less its average over the two seconds around.
func envelope(ctx context.Context, f *wave.File) ([]float64, error) {
	step := hop(f.SampleRate)
	a := 1 - math.Exp(-2*math.Pi*300/float64(f.SampleRate))
	var low, energy float64
	filled := 0
	logs := make([]float64, 0, f.Frames/int64(step)+1)
	sum := make([]float64, 64*step)
	err := f.EachBlock(64*step, func(_ int64, block [][]float64) error {
		for _, x := range mono(sum, block) {
			low += a * (x - low)
			energy += (x - low) * (x - low)
			if filled++; filled == step {
				logs = append(logs, math.Log(energy/float64(step)+1e-9))
				energy, filled = 0, 0
			}
		}
		return ctx.Err()
	})
	if err != nil {
		return nil, err
	}
	const around = envelopeRate
	out := make([]float64, len(logs))
	var running float64
	count, from, to := 0, 0, 0
	for i := range logs {
		for ; to < min(len(logs), i+around+1); to++ {
			running += logs[to]
			count++
		}
		for ; from < i-around; from++ {
			running -= logs[from]
			count--
		}
		out[i] = logs[i] - running/float64(count)
	}
	return out, nil
}

// coarsely gives the offset, in steps of the envelope, at which two envelopes agree best, and how good the next best
// offset is against it. It is not ok where an envelope is flat.
func coarsely(reference, recording []float64) (offset int, runnerUp float64, ok bool) {
	n := 1 << bits.Len(uint(len(reference)+len(recording)))
	fft := fourier.NewFFT(n)
	r, x := make([]float64, n), make([]float64, n)
	if !(normalise(r, reference) && normalise(x, recording)) {
		return 0, 0, false
	}
	a, b := fft.Coefficients(nil, r), fft.Coefficients(nil, x)
	for i := range a {
		a[i] *= complex(real(b[i]), -imag(b[i]))
	}
	c := fft.Sequence(nil, a)
	best := 0
	for i, v := range c {
		if v > c[best] {
			best = i
		}
	}
	second := 0.0
	for i, v := range c {
		away := min((i-best+n)%n, (best-i+n)%n)
		if away > envelopeRate/4 && v > second {
			second = v
		}
	}
	offset = best
	if offset >= len(reference) {
		offset -= n
	}
	return offset, second / c[best], c[best] > 0
}

// normalise copies an envelope at unit variance; it is false where there is none.
func normalise(dst, envelope []float64) bool {
	var power float64
	for _, v := range envelope {
		power += v * v
	}
	if power == 0 {
		return false
	}
	scale := 1 / math.Sqrt(power)
	for i, v := range envelope {
		dst[i] = v * scale
	}
	return true
}
