package lineup

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/layout"
)

func TestToneIsOneOfItsLevelAndPitch(t *testing.T) {
	for _, rate := range []int{44100, 48000, 88200, 96000, 192000} {
		x := make([]float64, rate)
		Tone(x, 7*int64(rate)*3600+11, rate) // late in the day
		sum, crossings := 0.0, 0
		for i, v := range x {
			sum += v * v
			if i > 0 && x[i-1] < 0 && v >= 0 {
				crossings++
			}
		}
		assert.InDelta(t, -18-3.0103, 10*math.Log10(sum/float64(rate)), 1e-6, "the power of a sine is 3 dB below its peak")
		assert.InDelta(t, 1000, crossings, 1)
		part := make([]float64, 100)
		Tone(part, 7*int64(rate)*3600+11+500, rate)
		assert.Equal(t, x[500:600], part, "a function of the place")
	}
}

func TestEveryChannelHasAName(t *testing.T) {
	voice, other := NewVoice(48000), NewVoice(44100)
	for label := range layout.Speakers {
		x, err := voice.Say(label, 1)
		require.NoError(t, err, label)
		assert.NotContains(t, wordsOf(label, 1), "output", "%s has a name of its own", label)
		peak := 0.0
		for _, v := range x {
			peak = max(peak, math.Abs(v))
		}
		assert.InDelta(t, -12, 20*math.Log10(peak), 1, label)
		assert.InDelta(t, 0.9, float64(len(x))/48000, 0.65, "%s takes between a quarter of a second and a second and a half", label)
	}
	for n := range 140 {
		x, err := other.Say("ACN3", n)
		require.NoError(t, err, "output %d", n)
		assert.Less(t, float64(len(x))/44100, 2.6)
	}
	assert.Equal(t, []string{"output", "40", "7"}, wordsOf("N3D1", 47))
	assert.Equal(t, []string{"output", "60"}, wordsOf("7", 60))
	assert.Equal(t, []string{"output", "1", "2", "8"}, wordsOf("7", 128))
}
