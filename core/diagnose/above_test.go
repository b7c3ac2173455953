package diagnose

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
)

// A Butterworth filter of the fourth order passes 1/(1+(f0/f)⁸) of the power of a sine.
func TestAbove(t *testing.T) {
	for _, rate := range []int{44100, 48000, 96000} {
		for _, hz := range []float64{20, 80, 120, 200, 300, 1000} {
			a, x := NewAbove(rate, 200), make([]float64, 4*rate)
			assert.Zero(t, a.Share())
			for i := range x {
				x[i] = math.Sin(float64(i) * 2 * math.Pi * hz / float64(rate))
			}
			a.Write(x[:999])
			a.Write(x[999:])
			assert.InDelta(t, 1/(1+math.Pow(200/hz, 8)), a.Share(), 0.005, "%g Hz at %d", hz, rate)
			assert.InDelta(t, 1/(1+math.Pow(hz/200, 8)), a.Below()/float64(2*rate), 0.005, "%g Hz at %d", hz, rate)
		}
	}
}
