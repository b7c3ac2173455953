package diagnose

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
)

// Sound that breaks off is found where it does, at any rate and in whatever blocks; what fades, pauses or is clipped is no gap.
func TestGaps(t *testing.T) {
	for _, rate := range []int{44100, 48000, 96000} {
		for name, c := range map[string]struct {
			change func(i int, x float64) float64
			length float64 // seconds; 0 for no gap
			held   bool
		}{
			"whole":     {func(_ int, x float64) float64 { return x }, 0, false},
			"a hole":    {between(rate, 1, 1.01, func(float64, float64) float64 { return 0 }), 0.01, false},
			"held":      {between(rate, 1, 1.006, func(_, first float64) float64 { return first }), 0.006, true},
			"too short": {between(rate, 1, 1.003, func(float64, float64) float64 { return 0 }), 0, false},
			"a pause":   {between(rate, 1, 1.8, func(float64, float64) float64 { return 0 }), 0, false},
			"hushed": {func(i int, x float64) float64 {
				at := float64(i) / float64(rate)
				return x * math.Min(1, math.Max(0, math.Abs(at-1.05)-0.05)/0.0014)
			}, 0, false},
			"the end": {between(rate, 1.5, 9, func(float64, float64) float64 { return 0 }), 0, false},
			"clipped": {between(rate, 1, 1.01, func(float64, float64) float64 { return 1 }), 0, false},
		} {
			x := make([]float64, 2*rate)
			for i := range x {
				x[i] = c.change(i, 0.3*math.Sin(float64(i)*2*math.Pi*331/float64(rate)+0.3))
			}
			for _, block := range []int{len(x), 480, 1} {
				g := NewGaps(rate, LeastInDelivery(rate))
				for at := 0; at < len(x); at += block {
					g.Write(x[at:min(at+block, len(x))])
				}
				if c.length == 0 {
					assert.Zero(t, g.Count, "%s at %d", name, rate)
					continue
				}
				assert.EqualValues(t, 1, g.Count, "%s at %d", name, rate)
				assert.InDelta(t, rate, float64(g.First.At), 2, "%s at %d", name, rate)
				assert.InDelta(t, c.length*float64(rate), float64(g.First.Length), 2, "%s at %d", name, rate)
				assert.Equal(t, c.held, g.First.Held, name)
			}
		}
	}
}

// between changes samples from a time on and before another, in seconds; first is the one with which it begins.
func between(rate int, from, to float64, change func(x, first float64) float64) func(i int, x float64) float64 {
	first := 0.0
	return func(i int, x float64) float64 {
		a, b := int(from*float64(rate)), int(to*float64(rate))
		if i == a {
			first = x
		}
		if i >= a && i < b {
			return change(x, first)
		}
		return x
	}
}
