package loudness

import "math"

const (
	phaseTaps   = 48  // taps of each phase: flat within 0.2 dB to 0.46 fs (BS.1770 annex 2 asks for less)
	phaseBeta   = 5.5 // Kaiser window, about 58 dB
	peakStretch = 64  // samples looked at together when deciding whether the peak can lie among them
)

// interpolator holds the phases of an oversampling windowed sinc. It is computed once for each factor.
type interpolator struct{ phases [][phaseTaps]float64 }

func newInterpolator(factor int) *interpolator {
	ip := &interpolator{}
	for p := 1; p < factor; p++ { // phase 0 is the sample itself
		ip.phases = append(ip.phases, [phaseTaps]float64(phase(phaseTaps, phaseBeta, float64(p)/float64(factor))))
	}
	return ip
}

// phase gives the taps of a windowed sinc for the place at (0 to 1) between the two samples in the middle.
func phase(taps int, beta, at float64) []float64 {
	out := make([]float64, taps)
	var sum float64
	for i := range out {
		x := float64(i) - float64(taps/2-1) - at
		if edge := x / float64(taps/2); math.Abs(edge) < 1 {
			out[i] = math.Sin(math.Pi*x) / (math.Pi * x) * bessel0(beta*math.Sqrt(1-edge*edge)) / bessel0(beta)
		}
		sum += out[i]
	}
	for i := range out {
		out[i] /= sum
	}
	return out
}

// bessel0 is the modified Bessel function of order 0, by its series.
func bessel0(x float64) float64 {
	sum, term := 1.0, 1.0
	for k := 1.0; term > sum*1e-17; k++ {
		term *= (x / 2 / k) * (x / 2 / k)
		sum += term
	}
	return sum
}
