package loudness

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/layout"
)

// A run keeps the largest values, however long it is, in a room that does not grow.
func TestRunsKeepWhatIsLargest(t *testing.T) {
	for _, n := range []int{1, points - 1, points, points + 1, 10*points + 7, 100 * points} {
		var r Run
		for i := range n {
			x := float64(i % 7)
			if i == n/2 {
				x = 1000
			}
			r.Add(x)
		}
		c := r.Curve(0.1, func(x float64) *float64 { return &x })
		require.LessOrEqual(t, len(c.Values), points)
		at := float64(n/2) * 0.1 / c.Seconds
		assert.Equal(t, 1000.0, *c.Values[int(at)], "%d values", n)
		assert.InDelta(t, float64(n)*0.1, float64(len(c.Values))*c.Seconds, c.Seconds)
	}
}

// The curve of short-term loudness has no value before its window is full, and its largest is the maximum.
func TestShortTermOverTime(t *testing.T) {
	stereo, err := layout.New(layout.Stereo, "smpte", 0)
	require.NoError(t, err)
	b := NewBank(48000, 4, stereo)
	for s := range 10 {
		x := make([]float64, 48000)
		for i := range x {
			x[i] = 0.1 * float64(s%2) * math.Sin(float64(i)*2*math.Pi*1000/48000)
		}
		b.Write([][]float64{x, x})
	}
	c, m := b.ShortTerm(0), b.Measurements()[0]
	require.Len(t, c.Values, 100)
	assert.InDelta(t, 0.1, c.Seconds, 1e-9)
	largest := math.Inf(-1)
	for i, v := range c.Values {
		assert.Equal(t, i < 29, v == nil, i)
		if v != nil {
			largest = max(largest, *v)
		}
	}
	assert.InDelta(t, *m.ShortTermMaxLUFS, largest, 0.01)
}
