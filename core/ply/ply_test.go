package ply

import (
	"bytes"
	"context"
	"io"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/fault"
	"zestyloom/core/take"
	"zestyloom/core/unravel"
	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
)

// strand is a mono file of that name, length and time stamp (−1 for none).
func strand(t *testing.T, name string, frames int, stamp int64, change func(*wave.Header)) Strand {
	f := wavetest.Stepped(t, 1, frames, func(h *wave.Header) {
		h.IXML = &wave.IXML{Scene: "18C", Take: "2", Tracks: &wave.IXMLTracks{Tracks: []wave.IXMLTrack{{InterleaveIndex: "1", Name: name}}}}
		if stamp >= 0 {
			h.Bext = &wave.Bext{Description: "sTRK1=" + name + "\r\nsUBITS=7", TimeReference: stamp}
		}
		if change != nil {
			change(h)
		}
	})
	return Strand{f, take.Describe(f, name+".wav"), name + ".wav"}
}

func write(t *testing.T, p *Plied) *wave.File {
	var b bytes.Buffer
	require.NoError(t, p.Write(context.Background(), &b, nil))
	return wavetest.Read(t, b.Bytes())
}

func TestPlyOfWhatWasUnravelled(t *testing.T) {
	const frames = wave.AtOnce + 321
	src := wavetest.Stepped(t, 6, frames, func(h *wave.Header) {
		h.IXML = wavetest.IXML(nil)
		h.Bext = &wave.Bext{TimeReference: 1731456000}
	})
	d := take.Describe(src, "12A.wav")
	parts, err := take.Parts(d, []take.Set{take.Pair(3, 4)})
	require.NoError(t, err)
	outs := make([]bytes.Buffer, len(parts))
	to := make([]io.Writer, len(parts))
	for i := range outs {
		to[i] = &outs[i]
	}
	require.NoError(t, unravel.Write(context.Background(), src, d, parts, to, nil))
	var strands []Strand
	for i, name := range unravel.FileNames("12A.wav", parts) {
		f := wavetest.Read(t, outs[i].Bytes())
		strands = append(strands, Strand{f, take.Describe(f, name), name})
	}
	p, err := Plan(strands, RefuseLengths, RefuseStamps)
	require.NoError(t, err)
	again := write(t, p)
	raw, back := make([]byte, frames*src.FrameBytes()), make([]byte, frames*src.FrameBytes())
	_, err = src.ReadRaw(raw, 0)
	require.NoError(t, err)
	_, err = again.ReadRaw(back, 0)
	require.NoError(t, err)
	assert.True(t, bytes.Equal(raw, back), "the same samples, bit for bit")
	e := take.Describe(again, "x.wav")
	assert.Equal(t, d.StartSamples, e.StartSamples)
	assert.Equal(t, []string{"MixL", "Boom"}, e.Names()[:2])
	assert.Equal(t, "LF03", e.Roll)
}

func TestPlyTreatsDifferencesAsTold(t *testing.T) {
	a, b := strand(t, "Boom", 1000, 5000, nil), strand(t, "Ines", 800, 5100, nil)
	for name, c := range map[string]struct {
		lengths Lengths
		stamps  Stamps
		frames  int64 // −1: refused
		stamp   int64
		offset  int // of the second file
	}{
		"refused":        {RefuseLengths, RefuseStamps, -1, 0, 0},
		"length refused": {RefuseLengths, FirstStamp, -1, 0, 0},
		"padded":         {PadLengths, FirstStamp, 1000, 5000, 0},
		"cut":            {CutLengths, FirstStamp, 800, 5000, 0},
		"aligned":        {PadLengths, AlignStamps, 1000, 5000, 100},
		"aligned, cut":   {CutLengths, AlignStamps, 900, 5000, 100},
		"nonsense":       {"stretch", FirstStamp, -1, 0, 0},
		"nonsense too":   {PadLengths, "guess", -1, 0, 0},
	} {
		t.Run(name, func(t *testing.T) {
			p, err := Plan([]Strand{a, b}, c.lengths, c.stamps)
			if c.frames < 0 {
				assert.Equal(t, fault.BadInput, fault.KindOf(err), err)
				return
			}
			require.NoError(t, err)
			f := write(t, p)
			require.Equal(t, c.frames, f.Frames)
			assert.Equal(t, c.stamp, f.Bext.TimeReference)
			assert.Contains(t, f.Bext.Description, "sUBITS=7")
			got, first, second := wavetest.Samples(t, f), wavetest.Samples(t, a.File)[0], wavetest.Samples(t, b.File)[0]
			for i := range int(c.frames) {
				require.Equal(t, first[i], got[0][i])
				want := 0.0
				if j := i - c.offset; j >= 0 && j < len(second) {
					want = second[j]
				}
				require.Equal(t, want, got[1][i], "frame %d", i)
			}
		})
	}
}

func TestPlyRefuses(t *testing.T) {
	base := strand(t, "Boom", 100, 0, nil)
	for name, other := range map[string]Strand{
		"rate":          strand(t, "Ines", 100, 0, func(h *wave.Header) { h.SampleRate = 96000 }),
		"depth":         strand(t, "Ines", 100, 0, func(h *wave.Header) { h.BitDepth, h.Bytes = 16, 2 }),
		"one unstamped": strand(t, "Ines", 100, -1, nil),
	} {
		_, err := Plan([]Strand{base, other}, PadLengths, RefuseStamps)
		assert.Equal(t, fault.BadInput, fault.KindOf(err), name)
	}
	_, err := Plan([]Strand{base, strand(t, "Ines", 100, -1, nil)}, PadLengths, AlignStamps)
	assert.ErrorContains(t, err, "no time stamp to align")
	_, err = Plan([]Strand{base, strand(t, "Ines", 100, 48000*86400*9, nil)}, PadLengths, AlignStamps)
	assert.Error(t, err)
	_, err = Plan(nil, PadLengths, FirstStamp)
	assert.Error(t, err)
	p, err := Plan([]Strand{base}, RefuseLengths, RefuseStamps)
	require.NoError(t, err)
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	assert.Equal(t, fault.Cancelled, fault.KindOf(p.Write(ctx, io.Discard, nil)))
}

func TestSilenceOfUnsignedSamples(t *testing.T) {
	narrow := func(h *wave.Header) { h.BitDepth, h.Bytes = 8, 1 }
	p, err := Plan([]Strand{strand(t, "a", 10, 0, narrow), strand(t, "b", 4, 0, narrow)}, PadLengths, RefuseStamps)
	require.NoError(t, err)
	assert.Zero(t, wavetest.Samples(t, write(t, p))[1][9])
}

func TestPlyOverMidnight(t *testing.T) {
	const day = 24 * 3600 * 48000
	for _, order := range [][]int{{0, 1}, {1, 0}} {
		both := []Strand{strand(t, "Boom", 4000, day-1000, nil), strand(t, "Radio", 3000, 500, nil)}
		p, err := Plan([]Strand{both[order[0]], both[order[1]]}, RefuseLengths, AlignStamps)
		require.NoError(t, err)
		assert.Equal(t, int64(4500), p.Header.Frames)
		assert.Equal(t, int64(day-1000), p.Header.Bext.TimeReference)
	}
}
