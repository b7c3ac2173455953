// Package onset finds where sounds begin: what the trade calls transients.
package onset

import "math"

const (
	// Before is how much of what comes before a stretch is to be given along with it, in seconds: what is in the background is known from there.
	Before = 0.1
	// Apart is how far onsets lie from each other at least, in seconds.
	Apart = 0.06
	// corner is where what is low begins to count for less, in Hz: rumble and hum are in the background of most recordings.
	corner, low = 800, 0.2 // and what is left of it, so that a thump still counts
	// rises is by how much a sound is louder than what was before it, as power; floor is what it has at least, as power of full scale.
	rises, floor = 10, 4e-7
	// after and behind are over how many milliseconds the sound and what is before it are measured.
	after, behind = 4, 30
	// begins is how far up its own height a sound has begun, as amplitude, and above is how far over the background's RMS that is at least.
	begins, above = 0.1, 5
)

// Frames gives the frames of x at which sounds begin, in order. x is one channel, linear, rate in Hz. A sound is what over 4 ms has ten times the
// power of the 30 ms before, with what is below 800 Hz turned down by 14 dB, and at least −64 dBFS of that; it begins where it has a tenth
// of its height. Of several within 60 ms only the first counts. What is shorter than the background and the sound has none.
func Frames(x []float64, rate int) []int {
	y := brightened(x, rate)
	hop := max(1, rate/1000)
	power := powers(y, hop)
	var out []int
	free := behind // the first step that may begin one
	for k := behind; k+after <= len(power); k++ {
		was, is := mean(power[k-behind:k]), mean(power[k:k+after])
		if k < free || is < floor || is < rises*was {
			continue
		}
		out = append(out, begin(y, k*hop, (k+after)*hop, was))
		free = k + int(Apart*1000)
	}
	return out
}

// brightened is a shelf of first order: what is far above the corner stays as it is, what is far below has low of it.
func brightened(x []float64, rate int) []float64 {
	take := 1 - math.Exp(-2*math.Pi*corner/float64(rate))
	y := make([]float64, len(x))
	below := 0.0
	for i, v := range x {
		below += take * (v - below)
		y[i] = v - (1-low)*below
	}
	return y
}

// powers gives the mean power of each whole step of x.
func powers(x []float64, hop int) []float64 {
	out := make([]float64, len(x)/hop)
	for k := range out {
		for _, v := range x[k*hop : (k+1)*hop] {
			out[k] += v * v
		}
		out[k] /= float64(hop)
	}
	return out
}

func mean(x []float64) (sum float64) {
	for _, v := range x {
		sum += v
	}
	return sum / float64(len(x))
}

// begin gives the first frame between two at which a sound stands out, over a background of some power.
func begin(y []float64, from, to int, background float64) int {
	peak := 0.0
	for _, v := range y[from:to] {
		peak = max(peak, math.Abs(v))
	}
	least := max(begins*peak, min(above*math.Sqrt(background), peak))
	for i, v := range y[from:to] {
		if math.Abs(v) >= least {
			return from + i
		}
	}
	return from
}
