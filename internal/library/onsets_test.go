package library

import (
	"math/rand"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
)

// Stretch by stretch there are the same onsets as in one, wherever stretches begin; a channel has its own, and all together those of both.
func TestOnsets(t *testing.T) {
	rnd := rand.New(rand.NewSource(7))
	claps := [2][]int64{}
	for at := int64(4000); at < 150000; at += 9000 + rnd.Int63n(9000) {
		c := rnd.Intn(2)
		claps[c] = append(claps[c], at)
	}
	f := wavetest.Open(t, wave.Header{Format: wavetest.PCM24(2), Frames: 160001}, func(c, i int) float64 {
		for _, at := range claps[c] {
			if since := int64(i) - at; since >= 0 && since < 100 {
				return 0.9 - float64(since)/120
			}
		}
		return 0
	})
	for channel := 1; channel <= 2; channel++ {
		whole, err := Onsets(f, channel, 0, 1<<20)
		require.NoError(t, err)
		assert.Equal(t, claps[channel-1], whole)
		var parts []int64
		for from := int64(-5000); from < f.Frames; {
			n := 1 + rnd.Intn(30000)
			part, err := Onsets(f, channel, from, n)
			require.NoError(t, err)
			parts = append(parts, part...)
			from += int64(n)
		}
		assert.Equal(t, whole, parts)
	}
	both, err := Onsets(f, 0, 0, 1<<20)
	require.NoError(t, err)
	assert.Len(t, both, len(claps[0])+len(claps[1]))
	for _, from := range []int64{-40, 1 << 40} {
		none, err := Onsets(f, 1, from, 30)
		require.NoError(t, err)
		assert.Equal(t, []int64{}, none)
	}
}
