package dsp

import "math"

// Gain turns decibels into a factor. 0 dB is exactly 1.
func Gain(dB float64) float64 { return math.Pow(10, dB/20) }

// DB turns a factor into decibels; 0 gives negative infinity.
func DB(gain float64) float64 { return 20 * math.Log10(math.Abs(gain)) }

// PanLaw is what a mono source in the middle of a pair loses on each side, in dB: 3 (equal power), 4.5 or 6.
type PanLaw float64

// Pan gives the gains of a mono source on the left and right of a pair. Position runs from −1 (left) to +1 (right).
// The sine/cosine law is raised to law/3, so that −4.5 and −6 dB follow the same curve.
func Pan(position float64, law PanLaw) (left, right float64) {
	position = max(-1, min(1, position))
	switch position { // the ends are exact, not sin(0) ± rounding
	case -1:
		return 1, 0
	case 1:
		return 0, 1
	}
	angle := (position + 1) * math.Pi / 4
	power := float64(law) / 3
	if power == 1 { // the usual one, without the power
		return math.Cos(angle), math.Sin(angle)
	}
	return math.Pow(math.Cos(angle), power), math.Pow(math.Sin(angle), power)
}

// Balance gives the gains of a stereo source: the side away from the position is lowered, the other stays at unity.
func Balance(position float64) (left, right float64) {
	position = max(-1, min(1, position))
	return min(1, 1-position), min(1, 1+position)
}
