package wave

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"io"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/fault"
)

// poly writes a small two-channel 24-bit file whose sample at frame i of channel c is 100*i + c steps.
func poly(t testing.TB, frames int, change func(*Header)) []byte {
	h := Header{Format: Format{Encoding: PCM, Channels: 2, SampleRate: 48000, BitDepth: 24, Bytes: 3}, Frames: int64(frames),
		Bext: &Bext{Description: "sSCENE=12A", TimeReference: 48000 * 36000},
		IXML: &IXML{Scene: "12A", Take: "3", Tracks: &IXMLTracks{Count: "2", Tracks: []IXMLTrack{{"1", "1", "Boom", ""},
			{"2", "2", "Ines & lav", ""}}}}}
	if change != nil {
		change(&h)
	}
	var b bytes.Buffer
	w, err := NewWriter(&b, h)
	require.NoError(t, err)
	block := make([][]float64, h.Channels)
	for c := range block {
		for i := range frames {
			block[c] = append(block[c], float64(100*i+c)/(1<<23))
		}
	}
	require.NoError(t, w.WriteFrames(block, make([]int64, h.Channels)))
	require.NoError(t, w.Close())
	return b.Bytes()
}

func open(t testing.TB, b []byte) *File {
	f, err := Open(bytes.NewReader(b), int64(len(b)))
	require.NoError(t, err)
	return f
}

func TestWriteThenRead(t *testing.T) {
	f := open(t, poly(t, 1000, nil))
	assert.Equal(t, RIFF, f.Container)
	assert.Equal(t, Format{PCM, 2, 48000, 24, 3, 0}, f.Format)
	assert.EqualValues(t, 1000, f.Frames)
	assert.Empty(t, f.Warnings)
	assert.EqualValues(t, 48000*36000, f.Bext.TimeReference)
	assert.Equal(t, "Ines & lav", f.IXML.Tracks.Tracks[1].Name)
	raw := make([]byte, 10*f.FrameBytes())
	n, err := f.ReadRaw(raw, 995)
	require.NoError(t, err)
	require.Equal(t, 5, n)
	got := make([]float64, 5)
	f.Decode(got, raw, 1)
	assert.Equal(t, float64(99501)/(1<<23), got[0])
	_, err = f.ReadRaw(raw, 1000)
	assert.ErrorIs(t, err, io.EOF)
}

func TestEveryEncodingIsExact(t *testing.T) {
	for _, f := range []Format{{PCM, 3, 48000, 8, 1, 0}, {PCM, 3, 48000, 16, 2, 0}, {PCM, 3, 44100, 24, 3, 7}, {PCM, 3, 48000, 24, 4, 0},
		{PCM, 3, 48000, 32, 4, 0}, {Float, 3, 96000, 32, 4, 0}, {Float, 3, 48000, 64, 8, 0}} {
		raw := make([]byte, 4*f.FrameBytes())
		samples := []float64{-1, -0.5, 0, 1 - 1/math.Ldexp(1, 8*min(f.Bytes, 4)-1)}
		if f.Encoding == Float {
			samples[3] = 1.5 // float has room above full scale
		}
		for c := range f.Channels {
			assert.Zero(t, f.Encode(raw, samples, c))
		}
		got := make([]float64, 4)
		f.Decode(got, raw, 2)
		assert.Equal(t, samples, got, "%+v", f)
		var b bytes.Buffer
		w, err := NewWriter(&b, Header{Format: f, Frames: 4})
		require.NoError(t, err)
		require.NoError(t, w.WriteRaw(raw))
		require.NoError(t, w.Close())
		assert.Equal(t, f, open(t, b.Bytes()).Format)
	}
}

func TestEncodeLimits(t *testing.T) {
	f := Format{PCM, 1, 48000, 16, 2, 0}
	raw := make([]byte, 8)
	assert.Equal(t, 3, f.Encode(raw, []float64{1, -1.1, math.NaN(), 0.25}, 0))
	got := make([]float64, 4)
	f.Decode(got, raw, 0)
	assert.Equal(t, []float64{32767.0 / 32768, -1, 0, 0.25}, got)
}

// 24 bits are written and read as one sample after another would be, at all lengths and strides, wherever one is limited, and nothing beside them.
func TestManySamplesAreAsOne(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 4))
	for range 2000 {
		f := Format{Encoding: PCM, Channels: 1 + r.IntN(4), SampleRate: 48000, BitDepth: 24, Bytes: 3}
		x, channel := make([]float64, r.IntN(60)), r.IntN(f.Channels)
		for i := range x {
			x[i] = 2*r.Float64() - 1
			if r.IntN(30) == 0 {
				x[i] = []float64{1, -1, 1 - 0x1p-24, -1 - 0x1p-24, 1.5, math.NaN(), math.Inf(1), math.Inf(-1), 0x1p-24, 0x3p-24}[r.IntN(10)]
			}
		}
		size := len(x) * f.FrameBytes()
		got, want := bytes.Repeat([]byte{0xa5}, size), bytes.Repeat([]byte{0xa5}, size)
		clipped, of := f.Encode(got, x, channel), 0
		all, one, went := make([][]float64, f.Channels), bytes.Repeat([]byte{1}, size), make([]int64, f.Channels)
		for c := range all {
			all[c] = append(append(all[c], x[min(c, len(x)):]...), x[:min(c, len(x))]...)
			went[c] = -int64(f.Encode(one, all[c], c))
		}
		more := bytes.Repeat([]byte{2}, size)
		f.EncodeAll(more, all, went)
		require.Equal(t, one, more)
		require.Equal(t, make([]int64, f.Channels), went)
		for i := range x {
			of += f.Encode(want[i*f.FrameBytes():], x[i:i+1], channel)
		}
		require.Equal(t, want, got)
		require.Equal(t, of, clipped)
		read := make([]float64, len(x))
		f.Decode(read, got, channel)
		for i := range x {
			one := make([]float64, 1)
			f.Decode(one, got[i*f.FrameBytes():], channel)
			require.Equal(t, one[0], read[i])
			if x[i] != x[i] {
				x[i] = 0
			}
			require.InDelta(t, max(-1, min(1, x[i])), read[i], 0x1.01p-23, "%d of %d", i, len(x))
		}
	}
}

func TestExtractIsBitForBit(t *testing.T) {
	for _, bytes := range []int{1, 2, 3, 4, 8} {
		f := Format{PCM, 2, 48000, 8 * bytes, bytes, 0}
		raw := make([]byte, 5*f.FrameBytes())
		for i := range raw {
			raw[i] = byte(i * 7)
		}
		out := make([]byte, 5*bytes)
		f.Extract(out, raw, 5, 1, 0, 1)
		for i := range 5 {
			assert.Equal(t, raw[(2*i+1)*bytes:(2*i+2)*bytes], out[i*bytes:(i+1)*bytes])
		}
	}
}

func TestHeaderKeepsItsLength(t *testing.T) {
	h := Header{Format: Format{PCM, 6, 48000, 24, 3, 0x3f}, Frames: 10, Bext: &Bext{}}
	before, _ := h.Marshal()
	lufs, peak := -23.04, -1.2
	h.Bext.IntegratedLUFS, h.Bext.TruePeakMaxDBTP = &lufs, &peak
	after, _ := h.Marshal()
	require.Len(t, after, len(before))
	f := open(t, append(after, make([]byte, 180)...))
	assert.InDelta(t, -23.04, *f.Bext.IntegratedLUFS, 1e-9)
	assert.Nil(t, f.Bext.RangeLU, "what was not measured is not invented")
	assert.EqualValues(t, 0x3f, f.Mask)
}

// sparse is a file whose bytes after head are zero.
type sparse struct{ head []byte }

func (s sparse) ReadAt(p []byte, off int64) (int, error) {
	clear(p)
	if off < int64(len(s.head)) {
		copy(p, s.head[off:])
	}
	return len(p), nil
}

func TestBeyondFourGigabytes(t *testing.T) {
	h := Header{Format: Format{PCM, 32, 48000, 24, 3, 0}, Frames: 48000 * 7200}
	assert.Equal(t, RF64, h.Container())
	head, err := h.Marshal()
	require.NoError(t, err)
	size := int64(len(head)) + h.Frames*96
	f, err := Open(sparse{head}, size)
	require.NoError(t, err)
	assert.Equal(t, RF64, f.Container)
	assert.Equal(t, h.Frames, f.Frames)
	assert.Empty(t, f.Warnings)
	n, err := f.ReadRaw(make([]byte, 96*10), h.Frames-3)
	require.NoError(t, err)
	assert.Equal(t, 3, n)
}

func TestDamage(t *testing.T) {
	whole := poly(t, 1000, nil)
	le := binary.LittleEndian
	dataAt := bytes.Index(whole, []byte("data")) + 4
	fmtAt := bytes.Index(whole, []byte("fmt ")) + 8
	edit := func(change func([]byte) []byte) []byte { return change(bytes.Clone(whole)) }
	for name, c := range map[string]struct {
		file      []byte
		frames    int64
		recovered bool
		warning   string
		kind      fault.Kind
		offset    int64
	}{
		"empty":             {file: nil, kind: fault.BadInput, offset: 0},
		"not audio":         {file: []byte("A ferry's log book, not a recording."), kind: fault.BadInput, offset: 0},
		"another RIFF":      {file: []byte("RIFF\x04\x00\x00\x00AVI LIST"), kind: fault.BadInput, offset: 8},
		"cut in its header": {file: whole[:7], kind: fault.BadInput, offset: 7},
		"cut in fmt":        {file: whole[:30], kind: fault.Damaged, offset: 12},
		"cut before data":   {file: whole[:dataAt-10], kind: fault.Damaged, offset: int64(dataAt - 10)},
		"cut in the audio":  {file: whole[:len(whole)-601], frames: 899, recovered: true, warning: "data-truncated"},
		"no channels": {file: edit(func(b []byte) []byte { le.PutUint16(b[fmtAt+2:], 0); return b }), kind: fault.Damaged,
			offset: int64(fmtAt + 2)},
		"absurd channels": {file: edit(func(b []byte) []byte { le.PutUint16(b[fmtAt+2:], 65535); return b }), kind: fault.Damaged,
			offset: int64(fmtAt + 2)},
		"no sample rate": {file: edit(func(b []byte) []byte { le.PutUint32(b[fmtAt+4:], 0); return b }), kind: fault.Damaged,
			offset: int64(fmtAt + 4)},
		"unknown encoding": {file: edit(func(b []byte) []byte { le.PutUint16(b[fmtAt:], 0x55); return b }), kind: fault.Unsupported,
			offset: int64(fmtAt)},
		"12-byte samples": {file: edit(func(b []byte) []byte { le.PutUint16(b[fmtAt+14:], 96); return b }), kind: fault.Unsupported,
			offset: int64(fmtAt + 14)},
		"garbage after": {file: edit(func(b []byte) []byte { return append(b, 0xff, 0, 1, 2, 3, 4, 5, 6, 7) }), frames: 1000,
			warning: "garbage"},
		"stray bytes after": {file: edit(func(b []byte) []byte { return append(b, 1, 2, 3) }), frames: 1000, warning: "trailing-bytes"},
		"wrong block align": {file: edit(func(b []byte) []byte { le.PutUint16(b[fmtAt+12:], 1); return b }), frames: 1000,
			warning: "block-align"},
		"lost power": {file: edit(func(b []byte) []byte { le.PutUint32(b[4:], 0); le.PutUint32(b[dataAt:], 0); return b }), frames: 1000,
			recovered: true, warning: "header-unfinished"},
		"chunk beyond file": {file: edit(func(b []byte) []byte { return append(b, []byte("LIST\xff\xff\xff\x7fabcd")...) }), frames: 1000,
			warning: "chunk-too-large"},
		"second data": {file: edit(func(b []byte) []byte { return append(b, []byte("data\x02\x00\x00\x00ab")...) }), frames: 1000,
			warning: "repeated-data"},
		"truly no audio": {file: poly(t, 0, nil), frames: 0},
		"odd chunk in front": {file: edit(func(b []byte) []byte {
			return append(append(bytes.Clone(b[:12]), []byte("note\x03\x00\x00\x00abc\x00")...), b[12:]...)
		}), frames: 1000},
	} {
		t.Run(name, func(t *testing.T) {
			f, err := Open(bytes.NewReader(c.file), int64(len(c.file)))
			if c.kind != "" {
				require.Error(t, err)
				assert.Equal(t, c.kind, fault.KindOf(err), err)
				assert.Contains(t, fault.Sentence(err), fmt.Sprintf("(at byte %d)", c.offset))
				return
			}
			require.NoError(t, err)
			assert.Equal(t, c.frames, f.Frames)
			assert.Equal(t, c.recovered, f.Recovered)
			if c.warning == "" {
				assert.Empty(t, f.Warnings)
			} else {
				require.NotEmpty(t, f.Warnings)
				assert.Equal(t, c.warning, f.Warnings[0].Code)
			}
		})
	}
}

func TestMetadataAfterAudioAndUnknownChunks(t *testing.T) {
	plain := poly(t, 10, func(h *Header) { h.Bext, h.IXML = nil, nil })
	x, _ := (&IXML{Scene: "14"}).bytes()
	for _, c := range []RawChunk{{"cust", []byte("odd")}, {"iXML", x}} {
		plain = append(plain, c.ID...)
		plain = binary.LittleEndian.AppendUint32(plain, uint32(len(c.Body)))
		plain = append(plain, c.Body...)
		if len(c.Body)&1 == 1 {
			plain = append(plain, 0)
		}
	}
	binary.LittleEndian.PutUint32(plain[4:], uint32(len(plain)-8))
	f := open(t, plain)
	assert.Equal(t, "14", f.IXML.Scene)
	require.Len(t, f.Other, 1)
	body, err := f.ReadChunk(f.Other[0])
	require.NoError(t, err)
	assert.Equal(t, "odd", string(body))
}

func TestBadIXMLIsAWarning(t *testing.T) {
	b := poly(t, 10, func(h *Header) { h.IXML, h.Extra = nil, []RawChunk{{"iXML", []byte("<BWFXML><SCENE>12A")}} })
	f := open(t, b)
	assert.Nil(t, f.IXML)
	assert.Equal(t, "ixml-unreadable", f.Warnings[0].Code)
	latin := poly(t, 10, func(h *Header) {
		h.IXML, h.Extra = nil, []RawChunk{{"iXML", []byte("<?xml version=\"1.0\" encoding=\"ISO-8859-1\"?><BWFXML><NOTE>pr\xfcfen & go</NOTE></BWFXML>")}}
	})
	assert.Equal(t, "prüfen & go", open(t, latin).IXML.Note)
}

func TestEachBlock(t *testing.T) {
	f := open(t, poly(t, 1000, nil))
	var got []float64
	require.NoError(t, f.EachBlock(300, func(at int64, block [][]float64) error {
		assert.EqualValues(t, len(got), at)
		got = append(got, block[1]...)
		return nil
	}))
	require.Len(t, got, 1000)
	assert.Equal(t, float64(99901)/(1<<23), got[999])
	stop := fault.New(fault.Cancelled, "enough")
	assert.Equal(t, error(stop), f.EachBlock(300, func(int64, [][]float64) error { return stop }))

	h := Header{Format: Format{Float, 1, 48000, 32, 4, 0}, Frames: 3}
	var b bytes.Buffer
	w, err := NewWriter(&b, h)
	require.NoError(t, err)
	require.NoError(t, w.WriteFrames([][]float64{{0.5, math.NaN(), math.Inf(1)}}, make([]int64, 1)))
	require.NoError(t, open(t, b.Bytes()).EachBlock(10, func(_ int64, block [][]float64) error {
		assert.Equal(t, []float64{0.5, 0, 0}, block[0], "what is no number counts as silence")
		return nil
	}))
}

func TestCloseCountsFrames(t *testing.T) {
	w, err := NewWriter(io.Discard, Header{Format: Format{PCM, 1, 48000, 24, 3, 0}, Frames: 3})
	require.NoError(t, err)
	require.NoError(t, w.WriteRaw(make([]byte, 6)))
	assert.Error(t, w.Close())
}

func FuzzOpen(f *testing.F) {
	whole := poly(f, 20, nil)
	f.Add(whole)
	f.Add(whole[:60])
	f.Add([]byte("RF64\xff\xff\xff\xffWAVEds64\x1c\x00\x00\x00"))
	f.Add(form("AIFF", comm(2, 2, 24, ""), sound(1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12)))
	f.Add(form("AIFC", sound(1, 2, 3, 4), comm(1, 1, 32, "fl32")))
	f.Fuzz(func(t *testing.T, b []byte) {
		w, err := Open(bytes.NewReader(b), int64(len(b)))
		if err != nil {
			if fault.KindOf(err) == "" {
				t.Fatalf("an error without a kind: %v", err)
			}
			return
		}
		if w.DataOffset+w.Frames*int64(w.FrameBytes()) > int64(len(b)) {
			t.Fatal("more frames than the file has bytes")
		}
		if w.Frames > 0 {
			raw := make([]byte, w.FrameBytes())
			if _, err := w.ReadRaw(raw, w.Frames-1); err != nil {
				t.Fatal(err)
			}
			w.Decode(make([]float64, 1), raw, w.Channels-1)
		}
	})
}
