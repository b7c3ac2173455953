package mix

import "zestyloom/core/vec"

// Matrix holds the gain, as a factor, from each channel of one set to each of another.
type Matrix struct {
	Rows, Cols int       // destinations, sources
	Gain       []float64 // row after row
}

// Zero gives a matrix that lets nothing through.
func Zero(rows, cols int) Matrix { return Matrix{rows, cols, make([]float64, rows*cols)} }

// Identity takes each channel to the one of its number.
func Identity(n int) Matrix {
	m := Zero(n, n)
	for i := range n {
		m.Set(i, i, 1)
	}
	return m
}

// At gives the gain from a source to a destination.
func (m Matrix) At(row, col int) float64 { return m.Gain[row*m.Cols+col] }

// Set sets it.
func (m Matrix) Set(row, col int, gain float64) { m.Gain[row*m.Cols+col] = gain }

// Mul gives the matrix of b and then m: m·b. m has as many sources as b has destinations.
func (m Matrix) Mul(b Matrix) Matrix {
	out := Zero(m.Rows, b.Cols)
	for r := range m.Rows {
		for k := range m.Cols {
			g := m.At(r, k)
			if g == 0 {
				continue
			}
			for c := range b.Cols {
				out.Gain[r*b.Cols+c] += g * b.At(k, c)
			}
		}
	}
	return out
}

// Scaled gives the matrix with all gains times a factor.
func (m Matrix) Scaled(gain float64) Matrix {
	out := Zero(m.Rows, m.Cols)
	for i, g := range m.Gain {
		out.Gain[i] = g * gain
	}
	return out
}

// Unity tells whether every gain is 0 or 1, so that what comes through stands on the grid of its bits.
func (m Matrix) Unity() bool {
	for _, g := range m.Gain {
		if g != 0 && g != 1 {
			return false
		}
	}
	return true
}

// Add adds sources to destinations (channels × frames each, of one length).
func (m Matrix) Add(dst, src [][]float64) {
	for r, out := range dst {
		for c, x := range src {
			AddAt(out, x, m.At(r, c))
		}
	}
}

// GlideAt adds samples at a gain that goes from one value to another over a number of frames, of which x holds those from
// into on: linear, so that nothing steps.
func GlideAt(dst, x []float64, from, to float64, into, over int) {
	if from == to {
		AddAt(dst, x, from)
		return
	}
	dst = dst[:len(x)]
	step := (to - from) / float64(over)
	for len(x) > 0 { // the places as floats come from a table
		n := min(len(x), len(places)-into%len(places))
		base, at := from+step*float64(into-into%len(places)), places[into%len(places):][:n]
		vec.AddAlong(dst[:n], x[:n], at, base, step) // as it is wherever blocks begin
		dst, x, into = dst[n:], x[n:], into+n
	}
}

// places are the first whole numbers.
var places = func() (list [256]float64) {
	for i := range list {
		list[i] = float64(i)
	}
	return list
}()

// AddAt adds samples at a gain.
func AddAt(dst, x []float64, gain float64) {
	if gain != 0 {
		vec.Add(dst, x, gain)
	}
}
