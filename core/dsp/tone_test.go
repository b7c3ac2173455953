package dsp

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// room is a quiet of so many samples: noise of a room, with more below than above.
func room(seed uint64, n int) []float64 {
	r := rand.New(rand.NewPCG(seed, 5))
	x := make([]float64, n)
	low := 0.0
	for i := range x {
		low += 0.02 * (r.NormFloat64() - low)
		x[i] = 0.003*low*8 + 0.0006*r.NormFloat64()
	}
	return x
}

// Room tone is as loud and of the same spectrum as the quiet that it is made of, all along; it repeats nowhere; it is the same whatever blocks it
// is asked for in; and there is no seam in it.
func TestToneIsTheRoom(t *testing.T) {
	for _, rate := range []int{44100, 48000, 96000} {
		for _, seconds := range []float64{0.25, 0.7, 2, 10} {
			if rate != 48000 && seconds != 2 {
				continue
			}
			quiet := room(uint64(rate), int(seconds*float64(rate)))
			tone := NewTone(float64(rate), quiet)
			x := make([]float64, 12*rate)
			tone.Fill(x, -int64(rate))
			// By blocks, and out of order.
			for _, at := range []int{0, 777, 5 * rate, rate - 3} {
				y := make([]float64, 1000)
				tone.Fill(y, int64(at-rate))
				require.Equal(t, x[at:at+1000], y)
			}
			power := func(x []float64) float64 {
				sum := 0.0
				for _, v := range x {
					sum += v * v
				}
				return 10 * math.Log10(sum/float64(len(x)))
			}
			assert.InDelta(t, power(quiet), power(x), 0.6, "%d Hz, %g s", rate, seconds)
			a, b := Spectrum(float64(rate), quiet), Spectrum(float64(rate), x)
			for k, f := range Thirds {
				if width := f * 0.23 * seconds; width > 60 { // enough of it to be known
					assert.InDelta(t, a[k], b[k], 1.6, "%d Hz, %g s, %g Hz", rate, seconds, f)
				}
			}
			if seconds < 2 || rate != 48000 {
				continue // of little, more comes again
			}
			// A second of it is found nowhere else in it, and no window of it stands out.
			probe := x[7*rate : 8*rate]
			own := power(probe)
			for at := 0; at+rate <= len(x); at += 211 {
				if at > 6*rate && at < 8*rate {
					continue
				}
				dot := 0.0
				for i := 0; i < rate; i += 3 {
					dot += probe[i] * x[at+i]
				}
				assert.Less(t, math.Abs(dot)/(math.Pow(10, own/10)*float64(rate)/3), 0.75, "%d Hz, %g s, at %d", rate, seconds, at)
			}
			for at := 0; at+rate/5 <= len(x); at += rate / 10 {
				assert.InDelta(t, power(x), power(x[at:at+rate/5]), 2.5)
			}
		}
	}
}
