package wave_test

import (
	"bytes"
	"encoding/binary"
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
)

// rifx turns a WAVE file's numbers round, as writers on other processors have them.
func rifx(t *testing.T, riff []byte) []byte {
	b := bytes.Clone(riff)
	swap := func(at, n int) { slices.Reverse(b[at : at+n]) }
	copy(b, "RIFX")
	swap(4, 4)
	f := wavetest.Read(t, riff)
	for at := 12; at+8 <= len(b); {
		size := int(binary.LittleEndian.Uint32(b[at+4:]))
		swap(at+4, 4)
		body := at + 8
		switch string(b[at : at+4]) {
		case "fmt ":
			for _, n := range [][2]int{{0, 2}, {2, 2}, {4, 4}, {8, 4}, {12, 2}, {14, 2}} {
				swap(body+n[0], n[1])
			}
			if size >= 40 {
				for _, n := range [][2]int{{16, 2}, {18, 2}, {20, 4}, {24, 4}, {28, 2}, {30, 2}} {
					swap(body+n[0], n[1])
				}
			}
		case "bext":
			swap(body+338, 4)
			swap(body+342, 4)
		case "data":
			for i := body; f.Bytes > 1 && i+f.Bytes <= body+size; i += f.Bytes {
				swap(i, f.Bytes)
			}
		}
		at = body + size + size&1
	}
	return b
}

// RIFX is read as the RIFF file that it is the mirror of: samples, names and time stamp.
func TestRIFX(t *testing.T) {
	for _, format := range []wave.Format{wavetest.PCM24(3), {Encoding: wave.PCM, Channels: 2, SampleRate: 48000, BitDepth: 16, Bytes: 2},
		{Encoding: wave.PCM, Channels: 1, SampleRate: 44100, BitDepth: 8, Bytes: 1}, {Encoding: wave.Float, Channels: 2, SampleRate: 96000,
			BitDepth: 32, Bytes: 4}} {
		h := wave.Header{Format: format, Frames: 1001, Bext: &wave.Bext{Description: "Ferry", TimeReference: 36001*48000 + 1<<33},
			IXML: &wave.IXML{Scene: "12A", Take: "3"}}
		riff := wavetest.Bytes(t, h, func(c, i int) float64 { return math.Sin(float64(i*(c+1))/30) / 2 })
		want := wavetest.Read(t, riff)
		got := wavetest.Read(t, rifx(t, riff))
		assert.Equal(t, wave.RIFX, got.Container)
		assert.Equal(t, want.Format, got.Format)
		assert.Equal(t, wavetest.Samples(t, want), wavetest.Samples(t, got))
		assert.Equal(t, want.Bext.TimeReference, got.Bext.TimeReference)
		assert.Equal(t, "12A", got.IXML.Scene)
		require.Len(t, got.Warnings, 1)
		assert.Equal(t, "rifx", got.Warnings[0].Code)
	}
	_, err := wave.Open(bytes.NewReader([]byte("RIFX\x00\x00\x00\x04JUNK")), 12)
	assert.Error(t, err)
}
