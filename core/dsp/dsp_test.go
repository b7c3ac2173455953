package dsp

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestPanLaws(t *testing.T) {
	for _, c := range []struct {
		law    PanLaw
		pos    float64
		lb, rb float64 // dB
	}{
		{3, 0, -3.0103, -3.0103}, {4.5, 0, -4.5154, -4.5154}, {6, 0, -6.0206, -6.0206},
		{3, -1, 0, math.Inf(-1)}, {3, 1, math.Inf(-1), 0}, {3, -0.5, -0.6877, -8.3435}, {3, -7, 0, math.Inf(-1)},
	} {
		l, r := Pan(c.pos, c.law)
		if !math.IsInf(c.lb, 0) {
			assert.InDelta(t, c.lb, DB(l), 1e-3)
		}
		if !math.IsInf(c.rb, 0) {
			assert.InDelta(t, c.rb, DB(r), 1e-3)
		}
	}
	for p := -1.0; p <= 1; p += 0.05 {
		l, r := Pan(p, 3)
		assert.InDelta(t, 1, l*l+r*r, 1e-12, "power stays the same")
	}
	l, r := Balance(0)
	assert.Equal(t, [2]float64{1, 1}, [2]float64{l, r})
	l, r = Balance(0.25)
	assert.Equal(t, [2]float64{0.75, 1}, [2]float64{l, r})
	assert.Equal(t, 1.0, Gain(0), "unity must be exact for transparency")
}

func TestDitherIsTriangularAndRepeats(t *testing.T) {
	const n = 1 << 18
	a, b := make([]float64, n), make([]float64, n)
	AddDither(a, 16, 2, 1000)
	AddDither(b[:777], 16, 2, 1000)
	AddDither(b[777:], 16, 2, 1777)
	assert.Equal(t, a, b, "blocks of any size give the same noise")
	step := math.Ldexp(1, -15)
	var sum, power, largest float64
	for _, x := range a {
		sum += x / step
		power += x / step * x / step
		largest = max(largest, math.Abs(x))
	}
	assert.LessOrEqual(t, largest, step)
	assert.InDelta(t, 0, sum/n, 0.005)
	assert.InDelta(t, 1.0/6, power/n, 0.002, "variance of a triangle over ±1 is 1/6")
	other := make([]float64, n)
	AddDither(other, 16, 3, 1000)
	var cross float64
	for i := range other {
		cross += other[i] * a[i] / step / step
	}
	assert.InDelta(t, 0, cross/n, 0.005, "channels are independent")
}
