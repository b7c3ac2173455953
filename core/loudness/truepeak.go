package loudness

import "math"

const (
	phaseTaps   = 24   // taps of each phase: flat to 0.45 fs, far inside the tolerance of BS.1770 annex 2
	kaiserBeta  = 7.86 // about 80 dB
	peakStretch = 64   // samples looked at together when deciding whether oversampling can matter
)

// interpolator holds the phases of an oversampling windowed sinc. It is computed once for each factor.
type interpolator struct {
	phases [][phaseTaps]float64
	bound  float64 // no output exceeds this times the largest input
}

func newInterpolator(factor int) *interpolator {
	ip := &interpolator{bound: 1}
	centre := float64(phaseTaps/2 - 1)
	for p := 1; p < factor; p++ { // phase 0 is the sample itself
		var taps [phaseTaps]float64
		var sum, abs float64
		for i := range taps {
			x := float64(i) - centre - float64(p)/float64(factor)
			edge := x / (phaseTaps / 2)
			if math.Abs(edge) < 1 {
				taps[i] = math.Sin(math.Pi*x) / (math.Pi * x) * bessel0(kaiserBeta*math.Sqrt(1-edge*edge)) / bessel0(kaiserBeta)
			}
			sum += taps[i]
		}
		for i := range taps {
			taps[i] /= sum
			abs += math.Abs(taps[i])
		}
		ip.phases = append(ip.phases, taps)
		ip.bound = max(ip.bound, abs)
	}
	return ip
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

// peakFinder finds the true peak of one channel.
type peakFinder struct {
	ip     *interpolator
	peak   float64
	window []float64 // the last phaseTaps−1 samples, then the new ones
}

func (f *peakFinder) write(samples []float64) {
	for len(samples) > 0 {
		n := min(len(samples), peakStretch)
		f.stretch(samples[:n])
		samples = samples[n:]
	}
}

func (f *peakFinder) stretch(samples []float64) {
	const keep = phaseTaps - 1
	if f.window == nil {
		f.window = make([]float64, keep, keep+peakStretch)
	}
	w := append(f.window[:keep], samples...)
	var largest float64
	for _, x := range w {
		largest = max(largest, math.Abs(x))
	}
	f.peak = max(f.peak, largest)
	// Interpolated values can't exceed bound × the largest sample around: most stretches need no more than that look.
	if largest*f.ip.bound > f.peak {
		peak := f.peak
		for p := range f.ip.phases {
			taps := &f.ip.phases[p]
			for i := 0; i+phaseTaps <= len(w); i++ {
				peak = max(peak, math.Abs(dot(taps, (*[phaseTaps]float64)(w[i:]))))
			}
		}
		f.peak = peak
	}
	copy(w, w[len(w)-keep:])
	f.window = w[:keep]
}

// dot adds in four chains, because one chain would wait for each addition before the next.
func dot(taps, x *[phaseTaps]float64) float64 {
	var a, b, c, d float64
	for i := 0; i < phaseTaps; i += 4 {
		a += taps[i] * x[i]
		b += taps[i+1] * x[i+1]
		c += taps[i+2] * x[i+2]
		d += taps[i+3] * x[i+3]
	}
	return (a + b) + (c + d)
}

// flush lets the filter's tail out after the last sample.
func (f *peakFinder) flush() { f.write(make([]float64, phaseTaps)) }
