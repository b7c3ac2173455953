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
	n := min(len(sections), lanes*lane)
	var row [2 * lane]Section
	var are [2 * lane]held
	for k := range lanes * lane {
		row[k] = passing
		if k < n {
			row[k], are[k] = sections[k], state[k]
		}
	}
	// What lies at the ends is gone through by some of the sections alone.
	last := lanes*lane - 1
	var out [2 * lane]float64 // of each section
	move := func(i, from, to int) {
		for k := to; k >= from; k-- {
			var v float64
			if k > 0 {
				v = out[k-1]
			} else {
				v = x[i]
			}
			out[k] = are[k].step(v, &row[k])
		}
	}
	for i := range last {
		move(i, 0, i)
	}
	if lanes == 2 {
		pipeTwo(x, &row, &are, &out)
	} else {
		pipe(x, &row, &are, &out)
	}
	for i := len(x); i < len(x)+last; i++ {
		move(i, i-len(x)+1, last)
		x[i-last] = out[last]
	}
	for k := range n {
		state[k] = held{rest(are[k].one), rest(are[k].two)}
	}
	return n
}

// step gives what comes out for a sample that goes in.
func (h *held) step(v float64, s *Section) float64 {
	y := s.B0*v + h.one
	h.one = (s.B1*v + h.two) - s.A1*y
	h.two = s.B2*v - s.A2*y
	return y
}
