package contract

import (
	"math"

	"zestyloom/core/dsp"
)

// NullLimit is how much may be left when files, each at a gain, are taken from the one that is their sum, as the largest sample
// and as RMS, full scale 1. Each file was dithered by up to a step and rounded by up to half of one, so samples lie up to 1.5
// steps from what was mixed; the noise of that has a variance of 1/6 + 1/12 of a step squared in each, and may measure half as
// much again. In float there is only rounding.
func NullLimit(bits int, gains ...float64) (peak, rms float64) {
	if bits >= 32 {
		return dsp.Gain(-120), dsp.Gain(-120)
	}
	step := math.Ldexp(1, 1-bits)
	sum, power := 1.0, 1.0
	for _, g := range gains {
		sum += math.Abs(g)
		power += g * g
	}
	return 1.5 * step * sum * (1 + 1e-9), 1.5 * step * math.Sqrt(power/4)
}

// ReceivedLimit is how much a receiver minds that is left of what is to add up: within dBFS, −80 where nobody says; and twice what
// dither and rounding leave, since what was dithered once more is no fault.
func ReceivedLimit(within *float64, bits int, gains ...float64) (peak, rms float64) {
	dB := -80.0
	if within != nil {
		dB = *within
	}
	least, average := NullLimit(bits, gains...)
	return max(dsp.Gain(dB), 2*least), max(dsp.Gain(dB), 2*average)
}
