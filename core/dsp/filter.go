package dsp

import (
	"math"
	"math/cmplx"
	"slices"
)

// Section is a filter of second order, or of first where A2 and B2 are 0:
// H(z) = (B0 + B1·z⁻¹ + B2·z⁻²) ⁄ (1 + A1·z⁻¹ + A2·z⁻²).
type Section struct{ B0, B1, B2, A1, A2 float64 }

// The shapes below are those of the W3C note "Audio EQ Cookbook" (R. Bristow-Johnson, 2021): the bilinear transform of an analogue
// prototype, with the frequency warped so that it lies where it is asked for. Frequencies are in Hz and below half the rate, gains in dB;
// q is that of the note.

// cookbook gives the note's cos ω₀ and α.
func cookbook(rate, frequency, q float64) (cos, alpha float64) {
	w := 2 * math.Pi * frequency / rate
	return math.Cos(w), math.Sin(w) / (2 * q)
}

func section(b0, b1, b2, a0, a1, a2 float64) Section {
	return Section{b0 / a0, b1 / a0, b2 / a0, a1 / a0, a2 / a0}
}

// LowPass lets pass what lies below a frequency, by 12 dB an octave.
func LowPass(rate, frequency, q float64) Section {
	c, a := cookbook(rate, frequency, q)
	return section((1-c)/2, 1-c, (1-c)/2, 1+a, -2*c, 1-a)
}

// HighPass lets pass what lies above a frequency, by 12 dB an octave.
func HighPass(rate, frequency, q float64) Section {
	c, a := cookbook(rate, frequency, q)
	return section((1+c)/2, -(1 + c), (1+c)/2, 1+a, -2*c, 1-a)
}

// Notch takes a frequency away.
func Notch(rate, frequency, q float64) Section {
	c, a := cookbook(rate, frequency, q)
	return section(1, -2*c, 1, 1+a, -2*c, 1-a)
}

// Bell raises or lowers what lies around a frequency.
func Bell(rate, frequency, gainDB, q float64) Section {
	c, a := cookbook(rate, frequency, q)
	g := Gain(gainDB / 2)
	return section(1+a*g, -2*c, 1-a*g, 1+a/g, -2*c, 1-a/g)
}

// LowShelf raises or lowers what lies below a frequency, where half of the gain is reached.
func LowShelf(rate, frequency, gainDB, q float64) Section {
	c, a := cookbook(rate, frequency, q)
	g := Gain(gainDB / 2)
	r := 2 * math.Sqrt(g) * a
	return section(g*((g+1)-(g-1)*c+r), 2*g*((g-1)-(g+1)*c), g*((g+1)-(g-1)*c-r),
		(g+1)+(g-1)*c+r, -2*((g-1)+(g+1)*c), (g+1)+(g-1)*c-r)
}

// HighShelf raises or lowers what lies above a frequency, where half of the gain is reached.
func HighShelf(rate, frequency, gainDB, q float64) Section {
	c, a := cookbook(rate, frequency, q)
	g := Gain(gainDB / 2)
	r := 2 * math.Sqrt(g) * a
	return section(g*((g+1)+(g-1)*c+r), -2*g*((g-1)+(g+1)*c), g*((g+1)+(g-1)*c-r),
		(g+1)-(g-1)*c+r, 2*((g-1)-(g+1)*c), (g+1)-(g-1)*c-r)
}

// Butterworth gives the sections of a filter that falls by slope dB an octave, a multiple of 6 up to 48, and by 3 dB at the frequency: those
// of second order are the note's, at q = 1 ⁄ (2·sin((2k−1)·π⁄2n)) for k = 1 … n⁄2 (S. Butterworth, 1930), and where n is odd one is of
// first order, by the same transform.
func Butterworth(rate, frequency float64, slope int, high bool) []Section {
	n := slope / 6
	var list []Section
	for k := 1; k <= n/2; k++ {
		q := 1 / (2 * math.Sin(float64(2*k-1)*math.Pi/float64(2*n)))
		if high {
			list = append(list, HighPass(rate, frequency, q))
		} else {
			list = append(list, LowPass(rate, frequency, q))
		}
	}
	if n%2 == 1 {
		t := math.Tan(math.Pi * frequency / rate)
		s := Section{B0: t / (1 + t), B1: t / (1 + t), A1: (t - 1) / (t + 1)}
		if high {
			s.B0, s.B1 = 1/(1+t), -1/(1+t)
		}
		list = append(list, s)
	}
	return list
}

// Response gives the gain of a filter at a frequency, in dB.
func Response(sections []Section, rate, frequency float64) float64 {
	z := cmplx.Exp(complex(0, -2*math.Pi*frequency/rate))
	h := complex(1, 0)
	for _, s := range sections {
		h *= (complex(s.B0, 0) + complex(s.B1, 0)*z + complex(s.B2, 0)*z*z) / (1 + complex(s.A1, 0)*z + complex(s.A2, 0)*z*z)
	}
	return DB(cmplx.Abs(h))
}

// forgets is after how many samples a pole of that radius has sunk by 160 dB.
func forgets(radius float64) int {
	if radius <= 0 {
		return 2
	}
	return 2 + int(math.Ceil(8*math.Ln10/-math.Log(min(radius, 1-1e-9))))
}

// memory is after how many samples the past no longer matters.
func (s Section) memory() int {
	d := s.A1*s.A1/4 - s.A2
	if d < 0 {
		return forgets(math.Sqrt(s.A2)) // a pair
	}
	return forgets(math.Abs(s.A1)/2 + math.Sqrt(d))
}

// stretchOf is over how many samples parameters that move go from one value to the next. The stretches lie at multiples of it on the
// clock, so that what comes out does not depend on where blocks begin.
const stretchOf = 256

// stretch gives the beginning of the stretch that a place lies in.
func stretch(at int64) int64 { return at &^ (stretchOf - 1) }

// Filter is a row of sections. Where they move, every coefficient goes from its value at one end of a stretch to that at the other in a
// straight line: as both are stable, so is all between (the stable ones are a triangle of A1 and A2, which is convex).
type Filter struct {
	at     func(at int64) []Section
	still  []Section // where nothing moves
	state  [][]held  // channel × section
	memory int
	// Sections at the ends of the stretch that was worked on last.
	begin    int64
	from, to []Section
}

// Join puts the sections of another filter that does not move behind this one's, which does not either; it tells whether it could.
func (f *Filter) Join(other *Filter) bool {
	if f.at != nil || other.at != nil || len(f.state) != len(other.state) {
		return false
	}
	f.still = slices.Concat(f.still, other.still)
	f.room(len(f.state), f.still)
	return true
}

// held is what a section remembers, in the transposed direct form II.
type held struct{ one, two float64 }

// NewFilter makes a filter that does not move.
func NewFilter(channels int, sections []Section) *Filter {
	f := &Filter{still: sections}
	f.room(channels, sections)
	return f
}

// NewMovingFilter makes a filter whose sections, always as many, follow from the clock. memory is the most that it remembers, as
// FilterMemory gives it.
func NewMovingFilter(channels int, at func(at int64) []Section, memory int) *Filter {
	f := &Filter{at: at, memory: memory}
	f.room(channels, at(0))
	f.memory = memory
	return f
}

func (f *Filter) room(channels int, sections []Section) {
	f.state = make([][]held, channels)
	for c := range f.state {
		f.state[c] = make([]held, len(sections))
	}
	f.memory = FilterMemory(sections)
}

// FilterMemory is after how many samples the past of these sections no longer matters.
func FilterMemory(sections []Section) (samples int) {
	for _, s := range sections {
		samples += s.memory()
	}
	return samples
}

// Together has two processors work on a signal each, one channel of as many frames, where that is the same as one after the other and quicker; it
// tells whether it has.
func Together(p, q Processor, x, y [][]float64) bool {
	f, is := p.(*Filter)
	g, alike := q.(*Filter)
	if !is || !alike || f == g || f.at != nil || g.at != nil || len(x) != 1 || len(y) != 1 || len(x[0]) != len(y[0]) {
		return false
	}
	cascades(x[0], y[0], f.still, g.still, f.state[0], g.state[0])
	return true
}

// Process filters in place.
func (f *Filter) Process(channels [][]float64, at int64) {
	if f.at == nil {
		c := 0
		for ; c+1 < len(channels); c += 2 {
			cascades(channels[c], channels[c+1], f.still, f.still, f.state[c], f.state[c+1])
		}
		if c < len(channels) {
			cascade(channels[c], f.still, f.state[c])
		}
		return
	}
	for n := 0; n < len(channels[0]); {
		begin := stretch(at + int64(n))
		if f.from == nil || begin != f.begin {
			f.from, f.to = f.at(begin), f.at(begin+stretchOf)
			f.begin = begin
		}
		into := int(at + int64(n) - begin)
		count := min(len(channels[0])-n, stretchOf-into)
		for c := range channels {
			for k := range f.from {
				f.state[c][k].glide(channels[c][n:n+count], f.from[k], f.to[k], into, stretchOf)
			}
		}
		n += count
	}
}

func (h *held) run(x []float64, s Section) {
	one, two := h.one, h.two
	for i, v := range x {
		y := s.B0*v + one
		one = (s.B1*v + two) - s.A1*y // in this order y is waited for least
		two = s.B2*v - s.A2*y
		x[i] = y
	}
	h.one, h.two = rest(one), rest(two)
}

// rest is 0 for what is too small to be heard by anything, which processors work on slowly.
func rest(v float64) float64 {
	if math.Abs(v) < 1e-150 {
		return 0
	}
	return v
}

// glide is run while the section goes from one to another over so many samples, of which into have gone.
func (h *held) glide(x []float64, from, to Section, into, over int) {
	if from == to {
		h.run(x, from)
		return
	}
	for i, v := range x {
		t := float64(into+i) / float64(over)
		u := 1 - t
		y := (u*from.B0+t*to.B0)*v + h.one
		h.one = ((u*from.B1+t*to.B1)*v + h.two) - (u*from.A1+t*to.A1)*y
		h.two = (u*from.B2+t*to.B2)*v - (u*from.A2+t*to.A2)*y
		x[i] = y
	}
	h.one, h.two = rest(h.one), rest(h.two)
}

// Latency is none.
func (f *Filter) Latency() int { return 0 }

// Memory is that of its poles.
func (f *Filter) Memory() int { return f.memory }

// Reset forgets the past.
func (f *Filter) Reset() {
	for _, s := range f.state {
		clear(s)
	}
}
