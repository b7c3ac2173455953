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

// peaks reads one channel between its samples: its true peak, and its quasi-peak.
type peaks struct {
	ip    *interpolator
	quick *quick
	quasi quasiPeak
	peak  float64
	// margin is how far, as a factor, the quick look may lie below the true peak of a stretch: 2.6 dB. It does where all
	// is close to half the rate, which the short filter lets through only in part.
	margin float64

	window []float64 // the last phaseTaps−1 samples, then the new ones
	over   []float64
	near   []float64 // exact values of a stretch
}

func newPeaks(sampleRate int, ip *interpolator, q *quick) peaks {
	return peaks{ip: ip, quick: q, quasi: newQuasiPeak(quickFactor * sampleRate), margin: 1.35}
}

func (f *peaks) write(samples []float64) {
	for len(samples) > 0 {
		n := min(len(samples), peakStretch)
		f.stretch(samples[:n])
		samples = samples[n:]
	}
}

func (f *peaks) stretch(samples []float64) {
	const keep = phaseTaps - 1
	if f.window == nil {
		f.window = make([]float64, keep, keep+peakStretch)
		f.over = make([]float64, quickFactor*peakStretch)
	}
	w := append(f.window[:keep], samples...)
	var largest float64
	for _, x := range w {
		largest = max(largest, math.Abs(x))
	}
	// The values of this stretch lie in the middle of the window, where the longer filter's do.
	const skip = (phaseTaps - quickTaps) / 2
	over := f.over[:quickFactor*len(samples)]
	about := f.quick.write(over, w[skip:len(w)-(phaseTaps-quickTaps-skip)])
	f.quasi.write(over)
	f.peak = max(f.peak, largest)
	if f.margin*max(about, largest) > f.peak {
		f.exact(w)
	}
	copy(w, w[len(w)-keep:])
	f.window = w[:keep]
}

// exact looks at all values of a stretch. Between values the crest is that of the parabola through three of them: a tone
// near half the rate has few values around its crest even at four times the rate.
func (f *peaks) exact(w []float64) {
	factor := len(f.ip.phases) + 1
	n := len(w) - phaseTaps + 1
	if need := factor*n + 1; cap(f.near) < need {
		f.near = make([]float64, need)
	}
	near := f.near[:factor*n+1]
	for i := range n {
		x := (*[phaseTaps]float64)(w[i:])
		near[factor*i] = x[phaseTaps/2-1]
		for p := range f.ip.phases {
			near[factor*i+p+1] = dot(&f.ip.phases[p], x)
		}
	}
	near[factor*n] = w[n+phaseTaps/2-1]
	peak := f.peak
	for i, v := range near {
		m := math.Abs(v)
		if i > 0 && i < len(near)-1 {
			a, b := near[i-1]*sign(v), near[i+1]*sign(v)
			if bend := a - 2*m + b; bend < 0 && m >= a && m >= b {
				m -= (a - b) * (a - b) / (8 * bend)
			}
		}
		peak = max(peak, m)
	}
	f.peak = peak
}

func sign(x float64) float64 {
	if x < 0 {
		return -1
	}
	return 1
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
func (f *peaks) flush() { f.write(make([]float64, phaseTaps)) }
