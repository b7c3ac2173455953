package diagnose

import (
	"math"
	"math/rand"
	"testing"

	"github.com/stretchr/testify/assert"
)

// heard gives the kinds of damage that an ear tells of, and where the first of them is, in blocks of any size alike.
func heard(t *testing.T, rate int, x []float64) (list []Damage) {
	for n, block := range []int{len(x), 480, 1} {
		e := NewEar(rate, LeastInDelivery(rate))
		for at := 0; at < len(x); at += block {
			e.Write(x[at:min(at+block, len(x))])
		}
		if now := e.Damage(); n == 0 {
			list = now
		} else {
			assert.Equal(t, list, now, "blocks of %d", block)
		}
	}
	return list
}

// What is damaged is found where it is, at any rate; what only sounds like it is not.
func TestEar(t *testing.T) {
	const seconds = 3
	for _, rate := range []int{44100, 48000, 96000} {
		per := float64(rate)
		sine := func(hz, level float64) func(i int) float64 {
			return func(i int) float64 { return level * math.Sin(float64(i)*2*math.Pi*hz/per+0.3) }
		}
		rnd := rand.New(rand.NewSource(1))
		low, rattle := 0.0, 0.0
		rumble := func(int) float64 { low += 0.1 * (rnd.Float64() - 0.5 - low); return low }
		spiked := func(of func(int) float64, size float64, wide int) func(i int) float64 {
			return func(i int) float64 {
				if i >= rate && i < rate+wide {
					return of(i) + size
				}
				return of(i)
			}
		}
		clip := func(of func(int) float64, at float64) func(i int) float64 {
			return func(i int) float64 { return max(-at, min(at, of(i))) }
		}
		beating := func(i int) float64 { return sine(331, 0.5)(i) * (0.6 + 0.4*math.Sin(float64(i)*5/per)) }
		dithered := func(i int) float64 { return clip(beating, 0.3)(i) + math.Round(2*(rnd.Float64()-0.5))/(1<<23) }
		for name, c := range map[string]struct {
			sound func(i int) float64
			kind  Kind // none where there is nothing
			at    int64
		}{
			"a sine":               {sine(1000, 0.3), "", 0},
			"a low sine":           {sine(40, 0.9), "", 0},
			"rumble":               {rumble, "", 0},
			"a click":              {spiked(rumble, 0.5, 1), Click, int64(rate)},
			"a click on a sine":    {spiked(sine(200, 0.3), -0.1, 1), Click, int64(rate)},
			"a click in silence":   {spiked(func(int) float64 { return 0 }, 0.1, 1), Click, int64(rate)},
			"two samples":          {spiked(sine(200, 0.3), 0.2, 2), Click, int64(rate)},
			"a step":               {spiked(rumble, 0.2, rate), "", 0},
			"a tone begins":        {func(i int) float64 { return sine(1000, 0.5)(i) * float64(min(1, i/rate)) }, "", 0},
			"cut from tone to low": {func(i int) float64 { return []func(int) float64{sine(100, 0.3), rumble}[min(1, i/rate)](i) }, "", 0},
			"a knock": {func(i int) float64 {
				if i%(rate/2) == 99 {
					rattle = 0.8
				}
				rattle *= 0.995
				return rattle * (rnd.Float64() - 0.5)
			}, "", 0},
			"a saw":             {func(i int) float64 { return 0.3 * (math.Mod(float64(i)*110/per, 1) - 0.5) }, "", 0},
			"tops cut off":      {clip(beating, 0.3), Topped, -1},
			"and dithered":      {dithered, Topped, -1},
			"a square":          {clip(sine(331, 1000), 0.3), "", 0},
			"louder later":      {func(i int) float64 { return clip(beating, []float64{0.3, 1}[min(1, i/(2*rate))])(i) }, "", 0},
			"hum":               {func(i int) float64 { return 0.1*rumble(i) + sine(50, 0.02)(i) + sine(100, 0.01)(i) }, Hum, -1},
			"cut off on a sine": {func(i int) float64 { return sine(440, 0.3)(i) * float64(1-min(1, i/rate)) }, "", 0},
		} {
			x := make([]float64, seconds*rate)
			for i := range x {
				x[i] = c.sound(i)
			}
			list := heard(t, rate, x)
			if c.kind == "" {
				assert.Empty(t, list, "%s at %d", name, rate)
				continue
			}
			if assert.Len(t, list, 1, "%s at %d", name, rate) {
				assert.Equal(t, c.kind, list[0].Kind, "%s at %d", name, rate)
				if c.at > 0 {
					assert.InDelta(t, c.at, list[0].At, 2, "%s at %d", name, rate)
					assert.EqualValues(t, 1, list[0].Figure, name)
				}
			}
		}
	}
}
