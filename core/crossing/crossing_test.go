package crossing

import (
	"fmt"
	"math"
	"math/rand"
	"testing"

	"github.com/stretchr/testify/assert"
)

func ExampleNearest() {
	boom := []float64{0.5, 0.3, -0.1, -0.4, -0.2, 0.1}
	lav := []float64{0.2, 0.1, 0.1, 0.3, -0.1, 0.2}
	fmt.Println(Nearest([][]float64{boom}, 3), Nearest([][]float64{boom, lav}, 3))
	// Output: 2 5
}

func TestNearest(t *testing.T) {
	for name, c := range map[string]struct {
		channels [][]float64
		at, is   int
	}{
		"nothing":                         {nil, 7, 7},
		"too short":                       {[][]float64{{1}}, 0, 0},
		"silence":                         {[][]float64{{0, 0, 0, 0}}, 2, 2},
		"beyond the end":                  {[][]float64{{0, 0, 0, 0}}, 9, 3},
		"before the start":                {[][]float64{{0, 0, 0, 0}}, -4, 1},
		"the earlier of two as near":      {[][]float64{{-1, 1, 1, -1}}, 2, 1},
		"on a zero":                       {[][]float64{{1, 1, 0, 1, 1, 1}}, 5, 3},
		"no channel crosses: the softest": {[][]float64{{9, 8, 3, 4, 8}}, 4, 3},
		"they do not cross together":      {[][]float64{{1, -1, -1, -1}, {1, 1, 0.25, -0.5}}, 3, 3},
	} {
		assert.Equal(t, c.is, Nearest(c.channels, c.at), name)
	}
}

// A sine's crossings are where its formula says, from any place, at all rates.
func TestNearestOfASine(t *testing.T) {
	rnd := rand.New(rand.NewSource(1))
	for _, rate := range []float64{8000, 44100, 48000, 88200, 96000, 192000} {
		for range 50 {
			hz, phase := 60+rnd.Float64()*500, rnd.Float64()
			x := make([]float64, int(rate/20))
			for i := range x {
				x[i] = math.Sin(2 * math.Pi * (hz*float64(i)/rate + phase))
			}
			at := len(x)/3 + rnd.Intn(len(x)/3)
			n := Nearest([][]float64{x}, at)
			half := rate / hz / 2
			assert.LessOrEqual(t, math.Abs(float64(n-at)), half/2+1, "no crossing is further away")
			k := math.Round(2 * (hz*float64(n)/rate + phase)) // the crossing, in half periods
			exact := (k/2 - phase) * rate / hz
			assert.InDelta(t, exact, float64(n)-0.5, 0.51, "it lies between the two samples")
		}
	}
}
