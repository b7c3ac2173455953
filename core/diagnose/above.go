package diagnose

import "math"

// Above measures how much of the energy of one channel lies above a frequency.
type Above struct {
	stages       [2]stage
	above, whole float64
}

// stage is a second-order filter in transposed direct form II.
type stage struct{ b0, b1, a1, a2, x, y float64 }

// NewAbove begins to measure what lies above a frequency in Hz: through a Butterworth high pass of the fourth order, which is two of the
// second with the Q of its pole pairs, by the bilinear transform.
func NewAbove(rate int, hz float64) *Above {
	var a Above
	k := math.Tan(math.Pi * hz / float64(rate))
	for i, q := range []float64{0.5411961001461969, 1.3065629648763766} { // 1 / (2 cos(π/8)) and 1 / (2 cos(3π/8))
		norm := 1 + k/q + k*k
		a.stages[i] = stage{b0: 1 / norm, b1: -2 / norm, a1: 2 * (k*k - 1) / norm, a2: (1 - k/q + k*k) / norm}
	}
	return &a
}

// Write takes the next samples.
func (a *Above) Write(samples []float64) {
	one, two := &a.stages[0], &a.stages[1]
	for _, x := range samples {
		y := two.step(one.step(x))
		a.above += y * y
		a.whole += x * x
	}
}

func (s *stage) step(x float64) float64 {
	y := s.b0*x + s.x
	s.x = s.b1*x - s.a1*y + s.y
	s.y = s.b0*x - s.a2*y
	return y
}

// Share is that of the energy that lies above; 0 in silence.
func (a *Above) Share() float64 {
	if a.whole == 0 {
		return 0
	}
	return a.above / a.whole
}

// Below is the energy that lies below: with a Butterworth filter, all but what lies above.
func (a *Above) Below() float64 { return max(0, a.whole-a.above) }
