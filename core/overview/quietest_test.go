package overview

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestQuietest(t *testing.T) {
	bins := func(levels ...[2]float64) (b []byte) {
		for _, channels := range levels {
			for _, rms := range channels {
				b = bin{low: -rms, high: rms, power: rms * rms, count: 1}.append(b)
			}
		}
		return b
	}
	loud, low, none := 0.5, 0.01, 0.0
	b := bins([2]float64{loud, low}, [2]float64{low, low}, [2]float64{low, loud}, [2]float64{loud, none}, [2]float64{low / 2, none}, [2]float64{low / 2, none})
	for _, c := range []struct {
		channel, n, at int
		found          bool
	}{{0, 1, 4, true}, {0, 2, 4, true}, {0, 3, 0, true}, {1, 2, 0, true}, {1, 1, 0, true}, {0, 7, 0, false}, {1, 4, 0, false}} {
		at, found := Quietest(b, 2, c.channel, c.n)
		assert.Equal(t, c.found, found, "%+v", c)
		if found {
			assert.Equal(t, c.at, at, "%+v", c)
		}
	}
	_, found := Quietest(bins([2]float64{none, math.SmallestNonzeroFloat64}), 2, 0, 1)
	assert.False(t, found, "digital silence is no room")
}
