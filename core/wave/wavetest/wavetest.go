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

// Stepped makes a file whose channel c at frame i is a step of its own, so that any mix-up shows.
func Stepped(t testing.TB, channels, frames int, change func(*wave.Header)) *wave.File {
	h := wave.Header{Format: PCM24(channels), Frames: int64(frames)}
	if change != nil {
		change(&h)
	}
	return Open(t, h, func(c, i int) float64 { return float64((i*31+c*7919)%100000-50000) / (1 << 23) })
}

// IXML is what a recorder says of a take of three tracks.
func IXML(change func(*wave.IXML)) *wave.IXML {
	x := &wave.IXML{Scene: "12A", Take: "3", Tape: "LF03", Note: "rope creaks", Circled: "TRUE",
		Speed: &wave.IXMLSpeed{TimecodeRate: "25/1", TimecodeFlag: "NDF", StampHigh: "0", StampLow: "1731456000", StampRate: "48000"},
		Tracks: &wave.IXMLTracks{Tracks: []wave.IXMLTrack{
			{ChannelIndex: "1", InterleaveIndex: "1", Name: "MixL", Function: "L-MIX"}, {ChannelIndex: "3", InterleaveIndex: "2", Name: "Boom"},
			{ChannelIndex: "9", InterleaveIndex: "99", Name: "nowhere"}}}}
	if change != nil {
		change(x)
	}
	return x
}
