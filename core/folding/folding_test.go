package folding

import (
	"bytes"
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/fault"
	"zestyloom/core/layout"
	"zestyloom/core/mix"
	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
)

// A fold-down is what BS.775 says, channel by channel, to the noise of its dither; it keeps the time stamp and says how far it went
// over.
func TestFoldsAsTheFormulaSays(t *testing.T) {
	from := []string{"L", "R", "C", "LFE", "Ls", "Rs"}
	for on, want := range [][2]float64{{1, 0}, {0, 1}, {0.7079, 0.7079}, {0, 0}, {0.5012, 0}, {0, 0.5012}} {
		src := wavetest.Open(t, wave.Header{Format: wavetest.PCM24(6), Frames: 10001, Bext: &wave.Bext{TimeReference: 777}},
			func(c, i int) float64 {
				if c != on {
					return 0
				}
				return 0.5 * math.Sin(float64(i)/10)
			})
		to, err := layout.New(layout.Stereo, "", 0)
		require.NoError(t, err)
		f := mix.Usual()
		f.CentreDB, f.SurroundDB = -3, -6
		var b bytes.Buffer
		over, err := Write(context.Background(), src, from, to, f, &b)
		require.NoError(t, err)
		assert.Zero(t, over)
		out := wavetest.Read(t, b.Bytes())
		assert.EqualValues(t, 777, out.Bext.TimeReference)
		assert.Equal(t, 24, out.BitDepth)
		x := wavetest.Samples(t, out)
		require.Len(t, x[0], 10001)
		for i := range x[0] {
			for side, gain := range want {
				require.InDelta(t, gain*0.5*math.Sin(float64(i)/10), x[side][i], 1e-4, "channel %d at %d", on, i)
			}
		}
	}
}

func TestSaysByHowMuchItGoesOver(t *testing.T) {
	src := wavetest.Open(t, wave.Header{Format: wavetest.PCM24(3), Frames: 1000}, func(int, int) float64 { return 0.9 })
	to, err := layout.New(layout.Mono, "", 0)
	require.NoError(t, err)
	f := mix.Usual()
	f.MonoDB, f.CentreDB = 0, 0
	var b bytes.Buffer
	over, err := Write(context.Background(), src, []string{"L", "R", "C"}, to, f, &b)
	require.NoError(t, err)
	x := wavetest.Samples(t, wavetest.Read(t, b.Bytes()))
	assert.Greater(t, over, 5.0)
	assert.InDelta(t, 1, x[0][500], 1e-6, "and is limited to full scale")
	_, err = Write(context.Background(), src, []string{"LFE", "LFE", "LFE"}, to, f, &b)
	assert.Equal(t, fault.BadInput, fault.KindOf(err))
}
