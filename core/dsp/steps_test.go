package dsp

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What is done for many steps at once is done as for one: all sizes, wherever a block begins, with what is no number and what is far off.
func TestStepsTogether(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 3))
	for range 3000 {
		into, x := r.IntN(step), make([]float64, r.IntN(300))
		for i := range x {
			x[i] = math.Ldexp(r.Float64()-0.5, r.IntN(9)-4)
			switch r.IntN(400) {
			case 0:
				x[i] = math.NaN()
			case 1:
				x[i] = math.Inf(1 - 2*r.IntN(2))
			}
		}
		count := (into + len(x) + step - 1) / step
		levels, ends := make([]float64, count), make([]float64, count+1)
		for k := range ends {
			ends[k] = r.Float64() * 2
		}
		for k := range levels {
			levels[k] = r.Float64() / 4
		}
		want, ramped := append([]float64(nil), levels...), append([]float64(nil), x...)
		for k := range levels {
			part := x[max(0, k*step-into):min(len(x), (k+1)*step-into)]
			want[k] = max(levels[k], farthest(part))
			ramp(ramped[max(0, k*step-into):min(len(x), (k+1)*step-into)], ends[k:], max(0, into-k*step))
		}
		raise(levels, x, into)
		require.Equal(t, want, levels, "%d samples, %d into a step", len(x), into)
		ramps(x, ends, into)
		require.Equal(t, bitsOf(ramped), bitsOf(x), "%d samples, %d into a step", len(x), into)
	}
}

func bitsOf(x []float64) (bits []uint64) {
	for _, v := range x {
		bits = append(bits, math.Float64bits(v))
	}
	return bits
}

// Factors together are the factors one by one, far below and above what a gain is too.
func TestFactorsTogether(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 4))
	for range 3000 {
		dB, got, want := make([]float64, r.IntN(40)), make([]float64, 40), make([]float64, 40)
		for i := range dB {
			dB[i] = math.Ldexp(r.Float64()-0.5, r.IntN(9))
			if r.IntN(200) == 0 {
				dB[i] = []float64{-1e11, 1e5, math.NaN(), -6021, 6021, 0}[r.IntN(6)]
			}
			want[i] = factor(dB[i])
		}
		factors(got, dB)
		require.Equal(t, bitsOf(want), bitsOf(got), "%v", dB)
	}
}

// A block is dithered as sample by sample is.
func TestDitherTogether(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 5))
	for range 500 {
		x, at, bits, channel := make([]float64, r.IntN(50)), r.Int64N(1<<40)-100, []int{8, 16, 24}[r.IntN(3)], r.IntN(64)
		for i := range x {
			x[i] = r.Float64() - 0.5
		}
		want := append([]float64(nil), x...)
		for i := range want {
			AddDither(want[i:i+1], bits, channel, at+int64(i))
		}
		AddDither(x, bits, channel, at)
		assert.Equal(t, bitsOf(want), bitsOf(x))
	}
}
