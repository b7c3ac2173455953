package wave_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/fault"
	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
)

// step makes a file each of whose samples tells which file, channel and frame it is.
func step(t *testing.T, channels, frames, file int) *wave.File {
	return wavetest.Open(t, wave.Header{Format: wavetest.PCM24(channels), Frames: int64(frames)}, func(c, i int) float64 {
		return float64(file*2_000_000+c*100_000+i) / (1 << 23)
	})
}

func sample(file, c, i int) float64 { return float64(file*2_000_000+c*100_000+i) / (1 << 23) }

func TestBeside(t *testing.T) {
	whole, err := wave.Beside([]*wave.File{step(t, 1, 9000, 0), step(t, 2, 5000, 1), step(t, 1, 9000, 2)})
	require.NoError(t, err)
	assert.Equal(t, 4, whole.Channels)
	assert.EqualValues(t, 9000, whole.Frames)
	got := wavetest.Samples(t, whole)
	for _, i := range []int{0, 4095, 4096, 4999, 5000, 8999} {
		pair := []float64{sample(1, 0, i), sample(1, 1, i)}
		if i >= 5000 {
			pair = []float64{0, 0} // after its end
		}
		assert.Equal(t, []float64{sample(0, 0, i), pair[0], pair[1], sample(2, 0, i)}, []float64{got[0][i], got[1][i], got[2][i], got[3][i]},
			"frame %d", i)
	}
	// From the middle, over the edge of a block.
	raw := make([]byte, 10*whole.FrameBytes())
	n, err := whole.ReadRaw(raw, 4090)
	require.NoError(t, err)
	require.Equal(t, 10, n)
	one := make([]float64, 10)
	whole.Decode(one, raw, 3)
	assert.Equal(t, sample(2, 0, 4099), one[9])
}

func TestJoined(t *testing.T) {
	whole, err := wave.Joined([]*wave.File{step(t, 2, 100, 0), step(t, 2, 1, 1), step(t, 2, 50, 2)})
	require.NoError(t, err)
	assert.EqualValues(t, 151, whole.Frames)
	got := wavetest.Samples(t, whole)
	assert.Equal(t, []float64{sample(0, 1, 99), sample(1, 1, 0), sample(2, 1, 0), sample(2, 1, 49)},
		[]float64{got[1][99], got[1][100], got[1][101], got[1][150]})
	raw := make([]byte, 3*whole.FrameBytes())
	n, err := whole.ReadRaw(raw, 99)
	require.NoError(t, err)
	assert.Equal(t, 3, n)
}

func TestComposedOfComposed(t *testing.T) {
	var lanes []*wave.File
	for lane := range 2 {
		j, err := wave.Joined([]*wave.File{step(t, 1, 10, lane), step(t, 1, 5, lane+2)})
		require.NoError(t, err)
		lanes = append(lanes, j)
	}
	whole, err := wave.Beside(lanes)
	require.NoError(t, err)
	got := wavetest.Samples(t, whole)
	assert.Equal(t, sample(3, 0, 4), got[1][14])
}

func TestWhatCannotBePutTogether(t *testing.T) {
	other := wave.Header{Format: wavetest.PCM24(1), Frames: 10}
	other.SampleRate = 44100
	slow := wavetest.Open(t, other, func(int, int) float64 { return 0 })
	for _, files := range [][]*wave.File{nil, {step(t, 1, 10, 0), slow}} {
		_, err := wave.Beside(files)
		assert.Equal(t, fault.BadInput, fault.KindOf(err))
	}
	_, err := wave.Joined([]*wave.File{step(t, 1, 10, 0), step(t, 2, 10, 0)})
	assert.Equal(t, fault.BadInput, fault.KindOf(err))
}
