package dsp

import (
	"math"
	"math/rand"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Every frequency comes out a quarter of its period earlier, beside the delay.
func TestQuadratureTurnsByNinetyDegrees(t *testing.T) {
	for _, f := range []float64{60, 100, 1000, 10_000, 20_000, 23_000} {
		q := NewQuadrature(1)
		x := make([]float64, 12_000)
		w := 2 * math.Pi * f / 48000
		for i := range x {
			x[i] = math.Cos(w * float64(i))
		}
		q.Process([][]float64{x}, 0)
		for i := 6000; i < 8000; i++ {
			require.InDelta(t, math.Cos(w*float64(i-q.Latency())+math.Pi/2), x[i], 0.012, "%g Hz", f)
		}
	}
}

func TestProcessorsDoNotKnowBlocks(t *testing.T) {
	rnd := rand.New(rand.NewSource(1))
	whole := make([]float64, 10_000)
	for i := range whole {
		whole[i] = rnd.NormFloat64()
	}
	for _, p := range []Processor{NewDelay(1, 700), NewQuadrature(1)} {
		parts := append([]float64{}, whole...)
		once := append([]float64{}, whole...)
		p.Process([][]float64{once}, 0)
		p.Reset()
		for at, n := 0, 1; at < len(parts); at, n = at+n, n*2 {
			n = min(n, len(parts)-at)
			p.Process([][]float64{parts[at : at+n]}, int64(at))
		}
		assert.Equal(t, once, parts)
		if d, is := p.(*Delay); is {
			assert.Equal(t, whole[:300], once[d.Latency():1000])
		}
	}
}
