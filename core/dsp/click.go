package dsp

import (
	"math"
	"slices"
)

// Click repairs what can't be of the sound: samples that do not follow from those before them nor from those after. In frames that overlap by half
// the sound is modelled as autoregressive (Burg's method); where what the model can't foretell, forwards and backwards, stands out by so many
// times what is usual there, the samples are put anew so that the model is met best from both sides (A. Janssen, R. Veldhuis and L. Vries,
// IEEE Trans. ASSP 34/2, 1986).
type Click struct {
	*frames
	Found func(at int64, samples int) // is told of each repair, frames that overlap each of theirs; nil where nobody asks

	at     func(at int64) Repair
	window []float64
	rate   float64
}

// Repair is what counts as a click.
type Repair struct {
	Sensitivity float64 // 0 to 1: from 30 times what is usual down to 5
	Longest     float64 // ms: what is longer stays, being sound
}

// order is that of the model at 48 kHz.
const order = 32

// NewClick makes one.
func NewClick(rate float64, at func(at int64) Repair) *Click {
	size := 2 * NoiseSize(rate)
	p := &Click{at: at, window: hann(size), rate: rate}
	p.frames = newFrames(size, size/2, p.work)
	return p
}

// Memory is a frame and the one before.
func (p *Click) Memory() int { return 2 * p.size }

func (p *Click) work(frame [][]float64, at int64) {
	r := p.at(at + int64(p.size/2))
	for _, x := range frame {
		for _, s := range p.clicks(x, r) {
			if p.Found != nil {
				p.Found(at+int64(s[0]), s[1]-s[0])
			}
		}
		for i := range x {
			x[i] *= p.window[i]
		}
	}
}

// clicks repairs a frame, and gives where: from and up to, by samples.
func (p *Click) clicks(x []float64, r Repair) [][2]int {
	model := burg(x, max(order, int(order*p.rate/48000)))
	if model == nil {
		return nil
	}
	longest := int(r.Longest / 1000 * p.rate)
	times := 30 * math.Pow(5.0/30, r.Sensitivity)
	spans := outliers(x, model, times, longest)
	for _, s := range spans {
		interpolate(x, model, s[0], s[1])
	}
	return spans
}

// burg gives the coefficients a₁ … of x[n] ≈ −Σ aₖ·x[n−k]; nil in silence.
func burg(x []float64, order int) []float64 {
	f, b := slices.Clone(x), slices.Clone(x)
	a := []float64{1}
	for m := 1; m <= order; m++ {
		num, den := 0.0, 0.0
		for n := m; n < len(x); n++ {
			num += f[n] * b[n-1]
			den += f[n]*f[n] + b[n-1]*b[n-1]
		}
		if den < 1e-20*float64(len(x)) {
			if m == 1 {
				return nil
			}
			break
		}
		k := -2 * num / den
		next := make([]float64, m+1)
		for i := range next {
			if i < m {
				next[i] = a[i]
			}
			if i > 0 {
				next[i] += k * a[m-i]
			}
		}
		a = next
		for n := len(x) - 1; n >= m; n-- {
			f[n], b[n] = f[n]+k*b[n-1], b[n-1]+k*f[n]
		}
	}
	return a
}

// outliers gives where both what the model can't foretell and what it can't tell backwards stand out.
func outliers(x, a []float64, times float64, longest int) (spans [][2]int) {
	n, p := len(x), len(a)-1
	ahead, back := make([]float64, n), make([]float64, n)
	for i := range x {
		for k, v := range a {
			if i >= p {
				ahead[i] += v * x[i-k]
			}
			if i < n-p {
				back[i] += v * x[i+k]
			}
		}
		ahead[i], back[i] = math.Abs(ahead[i]), math.Abs(back[i])
	}
	usual := usualOf(ahead[p:])
	near := max(8, longest/8) // samples between two that belong to one click
	for i := p; i < n-p; i++ {
		// What follows a click can't be foretold from it, and what comes before not told backwards: the click itself is neither.
		if min(ahead[i], back[i]) < times*usual(i-p) {
			continue
		}
		from, to := max(p, i-1), min(n-p, i+2)
		if k := len(spans) - 1; k >= 0 && from <= spans[k][1]+near {
			spans[k][1] = to
		} else {
			spans = append(spans, [2]int{from, to})
		}
	}
	return slices.DeleteFunc(spans, func(s [2]int) bool { return s[1]-s[0] > longest+4 })
}

// usualOf gives what is usual at each place, as a standard deviation: by the median of all, or by those of the fortieths of them around, which
// ever is most: where sound begins it is not the silence before that is usual.
func usualOf(x []float64) func(i int) float64 {
	median := func(x []float64) float64 {
		s := slices.Clone(x)
		slices.Sort(s)
		return max(s[len(s)/2]/0.6745, 1e-7)
	}
	all, block := median(x), max(1, len(x)/40)
	var each []float64
	for i := 0; i < len(x); i += block {
		each = append(each, max(all, median(x[i:min(len(x), i+block)])))
	}
	return func(i int) float64 {
		k := i / block
		return max(each[max(0, k-1)], each[k], each[min(len(each)-1, k+1)])
	}
}

// interpolate puts the samples from and up to so that Σ (Σ aₖ·x[n−k])² is least.
func interpolate(x, a []float64, from, to int) {
	m, p := to-from, len(a)-1
	r := make([]float64, p+1) // autocorrelation of the coefficients
	for lag := range r {
		for k := 0; k+lag <= p; k++ {
			r[lag] += a[k] * a[k+lag]
		}
	}
	matrix, b := make([]float64, m*m), make([]float64, m)
	for i := range m {
		for j := range m {
			if lag := max(i-j, j-i); lag <= p {
				matrix[i*m+j] = r[lag]
			}
		}
		for lag := -p; lag <= p; lag++ {
			if at := from + i + lag; at < from || at >= to {
				if at >= 0 && at < len(x) {
					b[i] -= r[max(lag, -lag)] * x[at]
				}
			}
		}
	}
	if symmetric(matrix, b, m) {
		copy(x[from:to], b)
	}
}
