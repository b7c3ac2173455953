package dsp

// A row of sections is worked out several at a time, each a sample behind the one before it: they need not wait for each other then, and are the
// same values as one after another.

// lane is how many sections are worked out together.
const lane = 4

// cascade runs samples through sections in place.
func cascade(x []float64, sections []Section, state []held) {
	for len(sections) > 0 {
		n := 0
		switch {
		case len(x) < 4*lane:
		case len(sections) > lane:
			n = together(x, sections, state, 2)
		default:
			n = together(x, sections, state, 1)
		}
		if n == 0 {
			state[0].run(x, sections[0])
			n = 1
		}
		sections, state = sections[n:], state[n:]
	}
}

// passing is a section that lets everything pass as it is.
var passing = Section{B0: 1}

// together runs samples through up to lanes times lane sections, and gives how many; 0 where there are no vectors.
func together(x []float64, sections []Section, state []held, lanes int) int {
	if !vectors {
		return 0
	}
	n, last := min(len(sections), lanes*lane), lanes*lane-1
	p := newPass(sections[:n], state[:n])
	for i := range last { // what lies at the ends is gone through by some of the sections alone
		p.move(x, i, 0, i)
	}
	if lanes == 2 {
		pipeTwo(x, &p.row, &p.are, &p.out)
	} else {
		pipe(x, &p.row, &p.are, &p.out)
	}
	p.end(x, last, state[:n])
	return n
}

// cascades is cascade of two signals of one length, each through sections of its own: as few as lane of each are done at once, and neither waits for the
// other. Two times more would be held outside of registers, which takes longer than one after the other.
func cascades(x, y []float64, f, g []Section, fs, gs []held) {
	const last = lane - 1
	most := max(len(f), len(g))
	if !wide || most > lane || most == 0 || len(x) < 4*lane || len(x) != len(y) {
		cascade(x, f, fs)
		cascade(y, g, gs)
		return
	}
	one, two := newPass(f, fs), newPass(g, gs)
	for i := range last {
		one.move(x, i, 0, i)
		two.move(y, i, 0, i)
	}
	pipeHalves(x, y, &one, &two)
	one.end(x, last, fs)
	two.end(y, last, gs)
}

// pass is a signal on its way through up to eight sections.
type pass struct {
	row [2 * lane]Section
	are [2 * lane]held
	out [2 * lane]float64 // of each section
}

func newPass(sections []Section, state []held) (p pass) {
	for k := range p.row {
		if p.row[k] = passing; k < len(sections) {
			p.row[k], p.are[k] = sections[k], state[k]
		}
	}
	return p
}

// move has a sample go in, and some of the sections go on.
func (p *pass) move(x []float64, i, from, to int) {
	for k := to; k >= from; k-- {
		var v float64
		if k > 0 {
			v = p.out[k-1]
		} else {
			v = x[i]
		}
		p.out[k] = p.are[k].step(v, &p.row[k])
	}
}

// end lets out what is still in the sections, of which the last is told, and gives back what they hold.
func (p *pass) end(x []float64, last int, state []held) {
	for i := len(x); i < len(x)+last; i++ {
		p.move(x, i, i-len(x)+1, last)
		x[i-last] = p.out[last]
	}
	for k := range state {
		state[k] = held{rest(p.are[k].one), rest(p.are[k].two)}
	}
}

// step gives what comes out for a sample that goes in.
func (h *held) step(v float64, s *Section) float64 {
	y := s.B0*v + h.one
	h.one = (s.B1*v + h.two) - s.A1*y
	h.two = s.B2*v - s.A2*y
	return y
}
