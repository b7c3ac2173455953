package dsp

import (
	"math"
	"math/cmplx"
	"slices"

	"gonum.org/v1/gonum/dsp/fourier"
)

// Hum takes a series of tones away: a mains frequency and its multiples, found within ±1 % of where they are said to be and followed as they
// drift. Nothing is filtered: in frames of four seconds the series is fitted to the sound, and what fits is subtracted, so that all that lies
// between the tones stays. The fit counts what is quiet for more than what is loud, so that speech does not bend it, and of each tone no more
// is taken than both halves of a frame agree upon.
type Hum struct {
	*frames
	Found func(at int64, frequency, amplitude float64) // is told of each frame and channel: Hz, and the amplitude of the whole series; nil where nobody asks

	rate   float64
	at     func(at int64) Series
	window []float64
	below  *below
	series Series // that below was made for
}

// Series is a mains frequency and how many of its multiples are taken, the first among them.
type Series struct {
	Frequency float64
	Harmonics int
}

// below is a frame with all that lies above the series gone, at a lower rate, at which the series is looked for.
type below struct {
	by                    int     // samples of the frame for one
	rate                  float64 // Hz
	taps                  []float64
	x                     []float64
	lacks                 []bool // where nothing was recorded: before the first sample of a take and after its last
	window, part, weights []float64
	fft                   *fourier.FFT
	padded                []float64
	spectrum              []complex128
}

// newBelow makes room for frames of n samples. The rate becomes five times the highest tone, and the filter has taps for 80 dB (J. Kaiser, 1974).
func newBelow(rate float64, n int, s Series) *below {
	top := s.Frequency * float64(s.Harmonics) * (1 + 2*humSearch)
	b := &below{by: max(1, int(rate/(5*top)))}
	b.rate = rate / float64(b.by)
	half := 5*b.by - 4
	sum := 0.0
	for i := -half; i <= half; i++ {
		u := float64(i) / float64(half+1)
		b.taps = append(b.taps, sinc(float64(i)*2*2.5*top/rate)*bessel(8*math.Sqrt(1-u*u)))
		sum += b.taps[len(b.taps)-1]
	}
	for i := range b.taps {
		b.taps[i] /= sum
	}
	length := n / b.by
	padded := 1
	for padded < 2*length {
		padded *= 2
	}
	b.lacks = make([]bool, length)
	b.x, b.weights, b.padded, b.spectrum = make([]float64, length), make([]float64, length), make([]float64, padded), make([]complex128, padded/2+1)
	b.window, b.part, b.fft = hann(length), hann(length/parts+2), fourier.NewFFT(padded)
	return b
}

// take filters a frame. The middle of what comes out is that of the frame.
func (b *below) take(frame []float64) {
	half := len(b.taps) / 2
	middle := len(frame)/2 - len(b.x)/2*b.by
	for i := range b.x {
		at := middle + i*b.by - half
		sum := 0.0
		for k := max(0, -at); k < len(b.taps) && at+k < len(frame); k++ {
			sum += b.taps[k] * frame[at+k]
		}
		b.x[i] = sum
	}
	// The filter reaches over the ends of what was recorded, and what it makes of them is none of a series.
	silent, reach := 0, half/b.by+1
	clear(b.lacks)
	for i := range b.x {
		middle := middle + i*b.by
		if silent++; !nothing(frame[max(0, middle-b.by/2):min(len(frame), middle+b.by/2+1)]) {
			silent = 0
		}
		if silent > reach { // a run of it, and not a wave that goes through 0
			for k := max(0, i-silent-reach); k < min(len(b.x), i+reach+1); k++ {
				b.lacks[k] = true
			}
		}
	}
}

func nothing(x []float64) bool {
	return !slices.ContainsFunc(x, func(v float64) bool { return v != 0 })
}

// response is what the filter does to a frequency: it turns no phase.
func (b *below) response(frequency, rate float64) float64 {
	half, sum := len(b.taps)/2, 0.0
	for k, v := range b.taps {
		sum += v * math.Cos(2*math.Pi*frequency/rate*float64(k-half))
	}
	return sum
}

// humSearch is how far from where it should be the frequency is looked for, as a share of it.
const humSearch = 0.01

// NewHum makes one.
func NewHum(rate float64, at func(at int64) Series) *Hum {
	h := &Hum{rate: rate, at: at}
	hop := int(math.Round(2 * rate))
	h.frames = newFrames(2*hop, hop, h.work)
	return h
}

// hann is a periodic Hann window, of which those that overlap by half add up to 1.
func hann(n int) []float64 {
	w := make([]float64, n)
	for i := range w {
		w[i] = 0.5 - 0.5*math.Cos(2*math.Pi*float64(i)/float64(n))
	}
	return w
}

// Memory is a frame, and the one before.
func (h *Hum) Memory() int { return 2 * h.size }

func (h *Hum) work(frame [][]float64, at int64) {
	if h.window == nil {
		h.window = hann(h.size)
	}
	s := h.at(at + int64(h.size/2))
	s.Harmonics = min(s.Harmonics, int(0.45*h.rate/s.Frequency))
	for _, x := range frame {
		if s.Harmonics > 0 {
			h.subtract(x, s, at)
		}
		for i := range x {
			x[i] *= h.window[i]
		}
	}
}

// subtract takes the series out of a frame.
func (h *Hum) subtract(x []float64, s Series, at int64) {
	if h.below == nil || h.series != s {
		h.below, h.series = newBelow(h.rate, len(x), s), s
	}
	b := h.below
	b.take(x)
	if !b.weigh() {
		return
	}
	f := chirp{b.coarse(s), 0}
	for range 3 {
		f = b.refine(f, s)
	}
	if math.Abs(f.frequency/s.Frequency-1) > 1.5*humSearch {
		return
	}
	tones := b.fit(f, s.Harmonics)
	b.agree(f, tones)
	power := 0.0
	for k := range tones {
		tones[k] /= complex(b.response(f.frequency*float64(k+1), h.rate), 0)
		power += real(tones[k])*real(tones[k]) + imag(tones[k])*imag(tones[k])
	}
	f.along(len(x), h.rate, func(i int, z complex128) {
		sum, p := 0.0, complex(1, 0)
		for _, a := range tones {
			p *= z
			sum += real(a)*real(p) - imag(a)*imag(p)
		}
		x[i] -= sum
	})
	if h.Found != nil {
		h.Found(at, f.frequency, math.Sqrt(power))
	}
}

// weigh says how much each sample counts: under the window, and the less the louder it is around. It is false in silence.
func (b *below) weigh() bool {
	x := b.x
	block := max(1, int(b.rate/25))
	var powers, low []float64
	for i := 0; i < len(x); i += block {
		sum, n := 0.0, 0.0
		for k := i; k < min(len(x), i+block); k++ {
			if !b.lacks[k] {
				sum, n = sum+x[k]*x[k], n+1
			}
		}
		powers = append(powers, sum/max(1, n))
		if n > 0 {
			low = append(low, powers[len(powers)-1])
		}
	}
	slices.Sort(low)
	if len(low) < len(powers)/leastOf || low[len(low)-1] < 1e-14 {
		return false
	}
	quiet := max(low[len(low)/8], 1e-14)
	for i, p := range powers {
		powers[i] = quiet * quiet / (p*p + quiet*quiet)
	}
	for i := range x { // from the middle of one block to that of the next, so that nothing steps
		at := (float64(i)+0.5)/float64(block) - 0.5
		k := int(math.Floor(at))
		one, two := powers[max(0, k)], powers[min(len(powers)-1, k+1)]
		if b.weights[i] = b.window[i] * (one + (at-float64(k))*(two-one)); b.lacks[i] {
			b.weights[i] = 0
		}
	}
	return true
}

// leastOf is of how many parts of a frame one has to be there for anything to be found in it.
const leastOf = 8

// chirp is a frequency in the middle of a frame, and how it changes, in Hz and Hz a second.
type chirp struct{ frequency, slope float64 }

// coarse finds the frequency whose multiples hold the most, by the spectrum of the frame.
func (b *below) coarse(s Series) float64 {
	t, x := b, b.x
	clear(t.padded)
	for i, v := range x {
		t.padded[i] = v * t.weights[i]
	}
	b.fft.Coefficients(t.spectrum, t.padded)
	bin := b.rate / float64(len(t.padded))
	best, most := s.Frequency, -1.0
	finest := bin / float64(s.Harmonics) / 2
	for f := s.Frequency * (1 - humSearch); f <= s.Frequency*(1+humSearch); f += finest {
		sum := 0.0
		for k := 1; k <= s.Harmonics; k++ {
			sum += cmplx.Abs(t.spectrum[int(math.Round(f*float64(k)/bin))])
		}
		if sum > most {
			best, most = f, sum
		}
	}
	return best
}

// along calls f for every sample of a frame with e^{iθ}, θ being the phase of the first tone, 0 in the middle of the frame.
func (c chirp) along(n int, rate float64, f func(i int, z complex128)) {
	dt := 1 / rate
	t := -float64(n/2) / rate
	phase := func(t float64) float64 { return 2 * math.Pi * (c.frequency*t + c.slope*t*t/2) }
	var z, turn, more complex128
	more = cmplx.Exp(complex(0, 2*math.Pi*c.slope*dt*dt))
	for i := range n {
		if i%1024 == 0 { // anew, so that no error grows
			now := t + float64(i)*dt
			z = cmplx.Exp(complex(0, phase(now)))
			turn = cmplx.Exp(complex(0, phase(now+dt)-phase(now)))
		}
		f(i, z)
		z *= turn
		turn *= more
	}
}

// parts are into how many pieces a frame is cut to see how its phases go on.
const parts = 4

// refine betters a frequency and its slope by how the phase of each tone goes on from part to part of a frame.
func (b *below) refine(c chirp, s Series) chirp {
	tones, _ := b.correlate(c, s.Harmonics)
	apart := float64(len(b.x)) / parts / b.rate
	// d = δ + ρ·t, weighted by what the tones hold.
	var w, wt, wtt, wd, wtd float64
	for k := range s.Harmonics {
		for j := range parts - 1 {
			turn := tones[j+1][k] * cmplx.Conj(tones[j][k])
			size := cmplx.Abs(turn) * float64((k+1)*(k+1))
			d := cmplx.Phase(turn) / (2 * math.Pi * float64(k+1) * apart)
			t := (float64(j) + 1 - parts/2) * apart
			w, wt, wtt, wd, wtd = w+size, wt+size*t, wtt+size*t*t, wd+size*d, wtd+size*t*d
		}
	}
	det := w*wtt - wt*wt
	if w == 0 || det <= 0 {
		return c
	}
	slope := (w*wtd - wt*wd) / det
	return chirp{c.frequency + (wd-slope*wt)/w, c.slope + max(-0.1, min(0.1, slope))}
}

// correlate gives what the tones come to in each part of a frame (parts × harmonics), each under a window of its own so that one tone does not
// reach into the next, and what the weights come to.
func (b *below) correlate(c chirp, harmonics int) (tones [parts][]complex128, weight [parts]float64) {
	for j := range tones {
		tones[j] = make([]complex128, harmonics)
	}
	x := b.x
	c.along(len(x), b.rate, func(i int, z complex128) {
		j := min(parts-1, i*parts/len(x))
		w := b.weights[i] * b.part[i-j*len(x)/parts]
		weight[j] += w
		v, p := complex(x[i]*w, 0), complex(1, 0)
		z = cmplx.Conj(z)
		for k := range tones[j] {
			p *= z
			tones[j][k] += v * p
		}
	})
	return tones, weight
}

// fit gives the amplitudes of the tones, by weighted least squares: x ≈ Σ Re(aₖ·e^{ikθ}), aₖ being a cosine's and, turned round, a sine's.
func (b *below) fit(c chirp, harmonics int) []complex128 {
	w := make([]complex128, 2*harmonics+1) // Σ w·e^{imθ}
	x := b.x
	c.along(len(x), b.rate, func(i int, z complex128) {
		p := complex(b.weights[i], 0)
		for m := range w {
			w[m] += p
			p *= z
		}
	})
	sums := make([]complex128, harmonics)
	c.along(len(x), b.rate, func(i int, z complex128) {
		v, p := complex(x[i]*b.weights[i], 0), complex(1, 0)
		z = cmplx.Conj(z)
		for k := range sums {
			p *= z
			sums[k] += v * p
		}
	})
	n := 2 * harmonics
	a, y := make([]float64, n*n), make([]float64, n)
	at := func(m int) complex128 {
		if m < 0 {
			return cmplx.Conj(w[-m])
		}
		return w[m]
	}
	for k := range harmonics {
		y[2*k], y[2*k+1] = real(sums[k]), -imag(sums[k])
		for l := range harmonics { // by the sums of products of cosines and sines
			less, more := at(k-l), at(k+l+2)
			a[2*k*n+2*l] = (real(less) + real(more)) / 2
			a[2*k*n+2*l+1] = (imag(more) - imag(less)) / 2
			a[(2*k+1)*n+2*l] = (imag(more) + imag(less)) / 2
			a[(2*k+1)*n+2*l+1] = (real(less) - real(more)) / 2
		}
	}
	if !symmetric(a, y, n) {
		return nil
	}
	tones := make([]complex128, harmonics)
	for k := range tones {
		tones[k] = complex(y[2*k], -y[2*k+1])
	}
	return tones
}

// agree leaves of each tone what the halves of a frame agree upon; or the halves of that half which there is, at the ends of what was recorded.
func (b *below) agree(c chirp, tones []complex128) {
	found, weight := b.correlate(c, len(tones))
	halves := [2][2]int{{0, 1}, {2, 3}}
	switch left, right := weight[0]+weight[1], weight[2]+weight[3]; {
	case left < right/16:
		halves = [2][2]int{{2, 2}, {3, 3}}
	case right < left/16:
		halves = [2][2]int{{0, 0}, {1, 1}}
	}
	half := func(of [2]int, k int) complex128 {
		return (found[of[0]][k] + found[of[1]][k]) / complex(max(weight[of[0]]+weight[of[1]], 1e-30), 0)
	}
	for k := range tones {
		one, two := half(halves[0], k), half(halves[1], k)
		both := real(one)*real(one) + imag(one)*imag(one) + real(two)*real(two) + imag(two)*imag(two)
		apart := cmplx.Abs(one - two)
		if both == 0 {
			tones[k] = 0
			continue
		}
		if share := apart * apart / both; share > 0.1 {
			tones[k] *= complex(max(0, 1-share), 0)
		}
	}
}
