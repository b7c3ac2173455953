package loudness

import (
	"math"

	"zestyloom/core/dsp"
)

// biquad is a second-order filter in transposed direct form II.
type biquad struct{ b0, b1, b2, a1, a2 float64 }

// kWeighting gives the two stages of ITU-R BS.1770's K-weighting at any sample rate. The standard tabulates the
// coefficients at 48 kHz only; these are the analogue shelf and high-pass which the bilinear transform turns into
// that very table, so that other rates get the same response.
func kWeighting(sampleRate int) [2]biquad {
	fs := float64(sampleRate)
	const (
		shelfHz, shelfDB, shelfQ = 1681.974450955533, 3.999843853973347, 0.7071752369554196
		passHz, passQ            = 38.13547087602444, 0.5003270373238773
	)
	k := math.Tan(math.Pi * shelfHz / fs)
	vh := math.Pow(10, shelfDB/20)
	vb := math.Pow(vh, 0.4996667741545416)
	a0 := 1 + k/shelfQ + k*k
	shelf := biquad{
		b0: (vh + vb*k/shelfQ + k*k) / a0, b1: 2 * (k*k - vh) / a0, b2: (vh - vb*k/shelfQ + k*k) / a0,
		a1: 2 * (k*k - 1) / a0, a2: (1 - k/shelfQ + k*k) / a0,
	}
	k = math.Tan(math.Pi * passHz / fs)
	a0 = 1 + k/passQ + k*k
	pass := biquad{b0: 1, b1: -2, b2: 1, a1: 2 * (k*k - 1) / a0, a2: (1 - k/passQ + k*k) / a0}
	return [2]biquad{shelf, pass}
}

// Weighting gives the K-weighting as sections, for whoever weighs one signal by itself.
func Weighting(sampleRate int) (list []dsp.Section) {
	for _, b := range kWeighting(sampleRate) {
		list = append(list, dsp.Section{B0: b.b0, B1: b.b1, B2: b.b2, A1: b.a1, A2: b.a2})
	}
	return list
}
