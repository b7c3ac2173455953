package loudness

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/layout"
)

// A programme that is loud where nobody speaks is measured where somebody does: as that stretch by itself.
func TestLoudnessWhereTheDialogueIsHeard(t *testing.T) {
	mono, err := layout.New(layout.Mono, "", 0)
	require.NoError(t, err)
	pair, err := layout.New(layout.Stereo, "", 0)
	require.NoError(t, err)
	for _, rate := range []int{44100, 48000, 96000} {
		// 12 s: speech from 4 to 8 s, while the music is low; long before and after it is 20 dB louder.
		speaks := func(i int) bool { return i >= 4*rate && i < 8*rate }
		sine := func(i int, hz, level float64) float64 { return level * math.Sin(2*math.Pi*hz*float64(i)/float64(rate)) }
		dialogue := func(i int) float64 {
			if speaks(i) {
				return sine(i, 440, 0.1)
			}
			return sine(i, 440, 0.0005) // the room, far below the gate
		}
		music := func(i int) float64 {
			if i >= 3*rate && i < 9*rate { // it makes room before somebody speaks
				return sine(i, 997, 0.05)
			}
			return sine(i, 997, 0.5)
		}
		b := NewBank(rate, 4, mono, pair)
		b.Anchor(1, 0)
		alone := NewMeter(rate, pair)
		const step = 1000
		for at := 0; at < 12*rate; at += step {
			d, m := make([]float64, step), make([]float64, step)
			for i := range d {
				d[i] = dialogue(at + i)
				m[i] = d[i] + music(at+i)
			}
			b.Write([][]float64{d, m, m})
			if at >= 4*rate+rate/2 && at+step <= 8*rate-rate/2 {
				alone.Write([][]float64{m, m})
			}
		}
		all := b.Measurements()
		got := b.Anchored(1)
		require.NotNil(t, got)
		assert.InDelta(t, *alone.Measurement().IntegratedLUFS, *got, 0.35, "at %d Hz: blocks at the edges hold less speech", rate)
		assert.Greater(t, *all[1].IntegratedLUFS, *got+10)
		assert.Nil(t, b.Anchored(0), "nobody has asked")
	}
	silent := NewBank(48000, 4, mono, mono)
	silent.Anchor(1, 0)
	x := make([]float64, 48000)
	for i := range x {
		x[i] = 0.1 * math.Sin(float64(i)*0.1)
	}
	silent.Write([][]float64{make([]float64, 48000), x})
	silent.Measurements()
	assert.Nil(t, silent.Anchored(1), "nobody speaks, so there is nothing to measure")
}
