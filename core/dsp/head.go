package dsp

import "math"

// Head gives what two ears hear of sources that stand around a head: a sphere that sound reaches the far ear of later and duller. It is as
// simple as one can be, with no shape of an outer ear: it tells left from right and near from far, and hardly front from back.
//
// The delay is Woodworth's for a sphere, R. S. Woodworth, Experimental Psychology (1938): −(a/c)·cos β where an ear is in view of the source,
// (a/c)·(β − π/2) where it is not. The shadow is one pole and one zero, C. P. Brown and R. O. Duda, IEEE Trans. Speech and Audio Processing 6
// (1998): (1 + jωα/2ω₀)/(1 + jω/2ω₀) with ω₀ = c/a and α = 1.05 + 0.95·cos(β·180°/150°).
type Head struct{ ways [][2]way }

// headRadius is that of a usual head, in metres; soundSpeed in metres a second; headGain keeps two speakers together as loud as a pair.
const (
	headRadius = 0.0875
	soundSpeed = 343
	headGain   = math.Sqrt2 / 2
)

// Direction is where a source stands, in degrees: azimuth from the front, to the left above 0; elevation from level, upwards above 0.
type Direction struct{ Azimuth, Elevation float64 }

// way is from a source to an ear.
type way struct {
	held       []float64 // a ring of what came
	at         int
	whole      int
	part       [4]float64 // how much of four samples next to each other stands for one between (Lagrange)
	b0, b1, a1 float64
	x, y       float64
}

// incidence gives the angle between a source and the axis of an ear, in radians from 0 to π.
func incidence(d Direction, left bool) float64 {
	a, e := d.Azimuth*math.Pi/180, d.Elevation*math.Pi/180
	side := math.Sin(a) * math.Cos(e) // how far to the left
	if !left {
		side = -side
	}
	return math.Acos(max(-1, min(1, side)))
}

// headDelay is how much later than at the middle of the head sound is at an ear, in seconds.
func headDelay(beta float64) float64 {
	if beta < math.Pi/2 {
		return -headRadius / soundSpeed * math.Cos(beta)
	}
	return headRadius / soundSpeed * (beta - math.Pi/2)
}

// NewHead makes a head for sources of a sample rate in Hz.
func NewHead(sampleRate float64, sources []Direction) *Head {
	h := &Head{}
	for _, d := range sources {
		var ears [2]way
		for i, left := range []bool{true, false} {
			ears[i] = newWay(sampleRate, incidence(d, left))
		}
		h.ways = append(h.ways, ears)
	}
	return h
}

func newWay(sampleRate, beta float64) (w way) {
	late := (headDelay(beta)+headRadius/soundSpeed)*sampleRate + 1 // never before what came, with one sample around it
	w.whole = int(late)
	x := late - float64(w.whole)
	w.part = [4]float64{-x * (x - 1) * (x - 2) / 6, (x + 1) * (x - 1) * (x - 2) / 2, -(x + 1) * x * (x - 2) / 2, (x + 1) * x * (x - 1) / 6}
	w.held = make([]float64, w.whole+4)
	k := sampleRate * headRadius / soundSpeed // 2·rate/2ω₀, by the bilinear transform
	alpha := 1.05 + 0.95*math.Cos(beta*180/150)
	w.b0, w.b1, w.a1 = (1+k*alpha)/(1+k), (1-k*alpha)/(1+k), (1-k)/(1+k)
	return w
}

// Add adds to left and right what the ears hear of sources, sources × frames, in the order in which they were named.
func (h *Head) Add(left, right []float64, sources [][]float64) {
	for i, x := range sources {
		for ear, out := range [][]float64{left, right} {
			h.ways[i][ear].add(out, x)
		}
	}
}

func (w *way) add(out, x []float64) {
	n := len(w.held)
	for i, v := range x {
		w.held[w.at] = v
		late := 0.0
		for k, part := range w.part { // from one sample before the place to two after it
			late += part * w.held[(w.at-w.whole+1-k+2*n)%n]
		}
		w.at = (w.at + 1) % n
		y := w.b0*late + w.b1*w.x - w.a1*w.y
		w.x, w.y = late, y
		out[i] += headGain * y
	}
}
