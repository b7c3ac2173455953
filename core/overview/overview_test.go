package overview

import (
	"bytes"
	"context"
	"encoding/binary"
	"io"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
)

func TestSurvey(t *testing.T) {
	const frames = 3*32768 + 129
	src := wavetest.Stepped(t, 3, frames, nil)
	outs := make([]bytes.Buffer, len(OverviewFrames))
	to := make([]io.Writer, len(outs))
	for i := range outs {
		to[i] = &outs[i]
	}
	levels, warnings, err := Survey(context.Background(), src, to, nil)
	require.NoError(t, err)
	assert.Empty(t, warnings)
	samples := wavetest.Samples(t, src)
	for c, x := range samples {
		var peak, power float64
		for level, per := range OverviewFrames {
			b := outs[level].Bytes()
			count := (frames + per - 1) / per
			require.Len(t, b, count*3*OverviewBinBytes)
			for i := range count {
				low, high, squares := math.Inf(1), math.Inf(-1), 0.0
				part := x[i*per : min(frames, (i+1)*per)]
				for _, v := range part {
					low, high, squares = min(low, v), max(high, v), squares+v*v
				}
				at := (i*3 + c) * OverviewBinBytes
				require.EqualValues(t, math.Round(low*32767), int16(binary.LittleEndian.Uint16(b[at:])), "level %d bin %d", level, i)
				require.EqualValues(t, math.Round(high*32767), int16(binary.LittleEndian.Uint16(b[at+2:])))
				rms := math.Sqrt(squares / float64(len(part)))
				require.InDelta(t, rms*32767, int16(binary.LittleEndian.Uint16(b[at+4:])), 0.5001, "level %d bin %d", level, i)
			}
		}
		for _, v := range x {
			peak = max(peak, math.Abs(v))
			power += v * v
		}
		assert.InDelta(t, 20*math.Log10(peak), *levels[c].PeakDBFS, 1e-9)
		assert.InDelta(t, 10*math.Log10(power/frames), *levels[c].RMSDBFS, 1e-9)
	}
}

// C20. Samples that are no numbers are mended where they enter, and said.
func TestSamplesThatAreNoNumbers(t *testing.T) {
	h := wave.Header{Format: wave.Format{Encoding: wave.Float, Channels: 1, SampleRate: 48000, BitDepth: 32, Bytes: 4}, Frames: 1000}
	strange := map[int]float64{10: math.NaN(), 20: math.Inf(1), 30: math.Inf(-1), 40: 3e38, 50: -3e38, 60: 2}
	src := wavetest.Open(t, h, func(_, i int) float64 { return strange[i] })
	x := wavetest.Samples(t, src)[0]
	assert.Equal(t, []float64{0, 0, 0, 1 << 24, -(1 << 24), 2}, []float64{x[10], x[20], x[30], x[40], x[50], x[60]})
	to := []io.Writer{io.Discard, io.Discard, io.Discard}
	_, warnings, err := Survey(context.Background(), src, to, nil)
	require.NoError(t, err)
	require.Len(t, warnings, 1)
	assert.Contains(t, warnings[0].Message, "5 samples are no numbers")
}

func TestEmpty(t *testing.T) {
	quiet, loud := -80.0, -40.0
	assert.True(t, Level{}.Empty())
	assert.True(t, Level{RMSDBFS: &quiet}.Empty())
	assert.False(t, Level{RMSDBFS: &loud}.Empty())
}
