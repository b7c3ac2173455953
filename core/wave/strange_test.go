package wave

import (
	"bytes"
	"encoding/binary"
	"math"
	"strings"
	"testing"
	"unicode/utf16"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// noisy is a file that is nothing but noise between the stretches that are given.
type noisy struct {
	size  int64
	parts map[int64][]byte
}

func (s noisy) ReadAt(dst []byte, offset int64) (int, error) {
	for i := range dst {
		dst[i] = 0xfe
	}
	for at, part := range s.parts {
		for i, b := range part {
			if to := at + int64(i) - offset; to >= 0 && to < int64(len(dst)) {
				dst[to] = b
			}
		}
	}
	return len(dst), nil
}

func warned(f *File) string {
	var codes []string
	for _, w := range f.Warnings {
		codes = append(codes, w.Code)
	}
	return strings.Join(codes, " ")
}

func TestAudioThatGoesOnBeyondItsHeader(t *testing.T) {
	plain := poly(t, 2000, nil)
	data := bytes.Index(plain, []byte("data"))
	claim := func(b []byte, n uint32) []byte {
		b = bytes.Clone(b)
		binary.LittleEndian.PutUint32(b[data+4:], n)
		return b
	}
	list := append([]byte("LIST\x0c\x00\x00\x00INFOICMT"), 0, 0, 0, 0)
	junk := bytes.Repeat([]byte{0}, 8192)
	for name, c := range map[string]struct {
		file     []byte
		frames   int64
		warnings string
	}{
		"as it should be":          {plain, 2000, ""},
		"with a chunk behind":      {append(bytes.Clone(plain), list...), 2000, ""},
		"header of the first half": {claim(plain, 3000), 2000, "data-longer"},
		"and a chunk behind":       {append(claim(plain, 3000), list...), 2000, "data-longer"},
		"streamed":                 {claim(plain, math.MaxUint32), 2000, "header-unfinished"},
		"streamed, chunk behind":   {append(claim(plain, math.MaxUint32), list...), 2000, "header-unfinished"},
		"room set aside":           {append(bytes.Clone(plain), junk...), 2000, "garbage"},
		"RF64 without ds64":        {append([]byte("RF64\xff\xff\xff\xff"), claim(plain, math.MaxUint32)[8:]...), 2000, "header-unfinished"},
	} {
		f := open(t, c.file)
		assert.Equal(t, c.frames, f.Frames, name)
		assert.Equal(t, c.warnings, warned(f), name)
		assert.Equal(t, strings.Contains(c.warnings, "header") || strings.Contains(c.warnings, "data"), f.Recovered, name)
	}
}

// A recorder that counts in 32 bits goes on past 4 GiB, and its sizes begin again from 0.
func TestRIFFThatWrappedAround(t *testing.T) {
	head := poly(t, 2, nil)
	head = head[:len(head)-12]
	const audio = 1<<32 + 6*50_000
	binary.LittleEndian.PutUint32(head[len(head)-4:], 6*50_000)
	list := append([]byte("LIST\x0c\x00\x00\x00INFOICMT"), 0, 0, 0, 0)
	strange := []byte("lmp1\x04\x00\x00\x00glow") // known to nobody, so that only the size tells where it begins
	end := int64(len(head)) + audio
	for _, behind := range [][]byte{list, strange, nil} {
		r := noisy{end + int64(len(behind)), map[int64][]byte{0: head, end: behind}}
		f, err := Open(r, r.size)
		require.NoError(t, err)
		assert.EqualValues(t, audio/6, f.Frames)
		assert.Equal(t, "data-longer", warned(f)[:11])
	}
}

func TestIntegersInWiderFrames(t *testing.T) {
	h := Header{Format: Format{Encoding: PCM, Channels: 2, SampleRate: 48000, BitDepth: 32, Bytes: 4}, Frames: 2}
	head, err := h.Marshal()
	require.NoError(t, err)
	fmtAt := bytes.Index(head, []byte("fmt ")) + 8
	binary.LittleEndian.PutUint16(head[fmtAt+14:], 24) // 24 bits in frames of 2 × 4 bytes
	body := append(head, 0, 0, 0, 0x40, 0, 0, 0, 0xc0, 0, 0, 0, 0x20, 0, 0, 0, 0xe0)
	f := open(t, body)
	assert.Equal(t, Format{PCM, 2, 48000, 24, 4, 0}, f.Format)
	assert.Empty(t, f.Warnings)
	require.EqualValues(t, 2, f.Frames)
	raw, got := make([]byte, 16), make([]float64, 2)
	_, err = f.ReadRaw(raw, 0)
	require.NoError(t, err)
	f.Decode(got, raw, 0)
	assert.Equal(t, []float64{0.5, 0.25}, got)
	// A frame size that nothing else bears out is damage, and no width.
	binary.LittleEndian.PutUint32(body[fmtAt+8:], 7)
	assert.Equal(t, 3, open(t, body).Bytes)
}

func TestAIFFWithChunksOfWAVE(t *testing.T) {
	eight := form("AIFC", comm(1, 2, 8, "sowt"), sound(0x40, 0xc0))
	f := open(t, eight)
	raw, got := make([]byte, 2), make([]float64, 2)
	_, err := f.ReadRaw(raw, 0)
	require.NoError(t, err)
	f.Decode(got, raw, 0)
	assert.Equal(t, []float64{0.5, -0.5}, got, "8-bit samples are signed, also where the bytes of others are swapped")

	wav := make([]byte, 16)
	binary.LittleEndian.PutUint16(wav[2:], 7)
	f = open(t, form("AIFF", comm(1, 2, 16, ""), aiffChunk{"fmt ", wav}, sound(0x40, 0, 0xe0, 0)))
	assert.Equal(t, 1, f.Channels)
	assert.Equal(t, "foreign-chunk", warned(f))
}

func TestIXMLAsRecordersWriteIt(t *testing.T) {
	text := "<?xml version=\"1.0\"?><BWFXML><SCENE>12A</SCENE><TRACK_LIST><TRACK><CHANNEL_INDEX>1</CHANNEL_INDEX><NAME>Ferryman &amp; Søn</NAME></TRACK></TRACK_LIST>" +
		"<LANTERN colour=\"red\"><Wick>7</Wick></LANTERN><BEXT><BWF_TIME_REFERENCE_LOW>1</BWF_TIME_REFERENCE_LOW></BEXT></BWFXML>"
	wide := func(order binary.ByteOrder, mark bool) (b []byte) {
		units := utf16.Encode([]rune(text))
		if mark {
			units = append([]uint16{0xfeff}, units...)
		}
		for _, u := range units {
			b = append(b, 0, 0)
			order.PutUint16(b[len(b)-2:], u)
		}
		return append(b, 0, 0)
	}
	lower := text
	for _, name := range []string{"BWFXML", "SCENE", "TRACK_LIST", "TRACK", "NAME", "CHANNEL_INDEX"} {
		lower = strings.ReplaceAll(strings.ReplaceAll(lower, "<"+name+">", "<"+strings.ToLower(name)+">"), "</"+name+">",
			"</"+strings.ToLower(name)+">")
	}
	for name, b := range map[string][]byte{
		"UTF-8": []byte(text), "lower case": []byte(lower), "UTF-16, little": wide(binary.LittleEndian, true),
		"UTF-16, big": wide(binary.BigEndian, true), "UTF-16 without a mark": wide(binary.LittleEndian, false),
	} {
		x, err := ParseIXML(b)
		require.NoError(t, err, name)
		assert.Equal(t, "12A", x.Scene, name)
		require.NotNil(t, x.Tracks, name)
		assert.Equal(t, "Ferryman & Søn", x.Tracks.Tracks[0].Name, name)
		// What is not known is kept; what bext says better is not.
		out, err := x.bytes()
		require.NoError(t, err)
		assert.Contains(t, string(out), "<LANTERN colour=\"red\"><Wick>7</Wick></LANTERN>", name)
		assert.NotContains(t, string(out), "BWF_TIME", name)
	}
}

func TestTextIsNotCutInsideACharacter(t *testing.T) {
	b := Bext{Originator: strings.Repeat("ø", 20), Description: strings.Repeat("a", 255) + "ø"}
	again, err := ParseBext(b.bytes())
	require.NoError(t, err)
	assert.Equal(t, strings.Repeat("ø", 16), again.Originator)
	assert.Equal(t, strings.Repeat("a", 255), again.Description)
	assert.Equal(t, "øø", text([]byte("øø\xc3")), "what another writer cut")
	assert.Equal(t, "Café", text([]byte("Caf\xe9")), "Latin-1")
}

func TestUnknownChunksAreCarried(t *testing.T) {
	cue := make([]byte, 28)
	cue[0], cue[24] = 1, 9
	big := make([]byte, maxCarried+1)
	f := open(t, poly(t, 10, func(h *Header) {
		h.Extra = []RawChunk{{"lmp1", []byte("odd")}, {"PEAK", []byte("stale")}, {"cue ", cue}, {"LIST", []byte("INFOICMT\x02\x00\x00\x00hi")},
			{"big ", big}}
	}))
	ids := func(positions bool) (out []string) {
		for _, c := range f.Carried(positions) {
			out = append(out, c.ID)
		}
		return out
	}
	assert.Equal(t, []string{"lmp1", "cue ", "LIST"}, ids(true))
	assert.Equal(t, []string{"lmp1", "LIST"}, ids(false))
	assert.Equal(t, []byte("odd"), f.Carried(false)[0].Body)
}
