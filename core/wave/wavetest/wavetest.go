// Package wavetest makes WAVE files in memory for tests. Begin reading at Open.
package wavetest

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/require"

	"zestyloom/core/wave"
)

// PCM24 is the usual format: 24-bit integers at 48 kHz.
func PCM24(channels int) wave.Format {
	return wave.Format{Encoding: wave.PCM, Channels: channels, SampleRate: 48000, BitDepth: 24, Bytes: 3}
}

// Bytes writes a file whose samples at says: frame i of channel c. The header's format and length are h's.
func Bytes(t testing.TB, h wave.Header, at func(c, i int) float64) []byte {
	var b bytes.Buffer
	w, err := wave.NewWriter(&b, h)
	require.NoError(t, err)
	block := make([][]float64, h.Channels)
	for c := range block {
		block[c] = make([]float64, h.Frames)
		for i := range block[c] {
			block[c][i] = at(c, i)
		}
	}
	require.NoError(t, w.WriteFrames(block, make([]int64, h.Channels)))
	require.NoError(t, w.Close())
	return b.Bytes()
}

// Open is Bytes, opened again.
func Open(t testing.TB, h wave.Header, at func(c, i int) float64) *wave.File {
	return Read(t, Bytes(t, h, at))
}

// Read opens the bytes of a file.
func Read(t testing.TB, b []byte) *wave.File {
	f, err := wave.Open(bytes.NewReader(b), int64(len(b)))
	require.NoError(t, err)
	return f
}

// Samples gives all channels of a file (channels × frames).
func Samples(t testing.TB, f *wave.File) [][]float64 {
	raw := make([]byte, int(f.Frames)*f.FrameBytes())
	n, err := f.ReadRaw(raw, 0)
	require.NoError(t, err)
	require.EqualValues(t, f.Frames, n)
	out := make([][]float64, f.Channels)
	for c := range out {
		out[c] = make([]float64, f.Frames)
		f.Decode(out[c], raw, c)
	}
	return out
}
