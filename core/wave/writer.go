package wave

import (
	"bytes"
	"encoding/binary"
	"io"
	"math"

	"zestyloom/core/fault"
)

// RawChunk is a chunk to be written as it is.
type RawChunk struct {
	ID   string
	Body []byte
}

// Header is all of a file but its samples.
type Header struct {
	Format
	Frames int64 // sample frames that will be written
	Bext   *Bext
	IXML   *IXML
	Extra  []RawChunk
	Wide   bool // it is a BW64 (ITU-R BS.2088), whatever its size
}

// Container is the form the file will have: WAVE while every size fits 32 bits, RF64 beyond; BW64 where that is asked for.
func (h Header) Container() Container {
	if h.Wide {
		return BW64
	}
	if h.Frames*int64(h.FrameBytes()) > math.MaxUint32-(1<<24) { // leave room for the metadata chunks
		return RF64
	}
	return RIFF
}

// Marshal gives everything that stands before the first sample. Headers that differ only in bext's numbers and fixed
// fields have the same length, so that a header can be written again in place once loudness has been measured.
func (h Header) Marshal() ([]byte, error) {
	if h.Channels < 1 || h.Channels > maxChannels || h.Frames < 0 {
		return nil, fault.New(fault.BadInput, "A file with %d channels and %d frames can't be written", h.Channels, h.Frames)
	}
	le := binary.LittleEndian
	var b bytes.Buffer
	chunk := func(id string, body []byte) {
		b.WriteString(id)
		_ = binary.Write(&b, le, uint32(len(body)))
		b.Write(body)
		if len(body)&1 == 1 {
			b.WriteByte(0)
		}
	}
	data := h.Frames * int64(h.FrameBytes())
	long := h.Container() != RIFF
	b.WriteString("RIFF\x00\x00\x00\x00WAVE")
	if long {
		chunk("ds64", make([]byte, 28))
	}
	chunk("fmt ", h.format())
	if h.Bext != nil {
		chunk("bext", h.Bext.bytes())
	}
	if h.IXML != nil {
		x, err := h.IXML.bytes()
		if err != nil {
			return nil, fault.Wrap(fault.BadInput, err, "The names can't be written as iXML")
		}
		chunk("iXML", x)
	}
	for _, c := range h.Extra {
		chunk(c.ID, c.Body)
	}
	b.WriteString("data")
	size := uint32(min(data, math.MaxUint32))
	if h.Wide {
		size = math.MaxUint32 // ds64 says it
	}
	_ = binary.Write(&b, le, size)
	out := b.Bytes()
	riff := int64(len(out)) - 8 + data + data&1
	if long {
		copy(out, map[Container]string{RF64: "RF64", BW64: "BW64"}[h.Container()])
		le.PutUint32(out[4:], math.MaxUint32)
		le.PutUint64(out[20:], uint64(riff))
		le.PutUint64(out[28:], uint64(data))
		le.PutUint64(out[36:], uint64(h.Frames))
		le.PutUint32(out[len(out)-4:], math.MaxUint32)
	} else {
		le.PutUint32(out[4:], uint32(riff))
	}
	return out, nil
}

func (h Header) format() []byte {
	le := binary.LittleEndian
	tag := uint16(1)
	guid := pcmGUID
	if h.Encoding == Float {
		tag, guid = 3, floatGUID
	}
	b := make([]byte, 16, 40)
	le.PutUint16(b[2:], uint16(h.Channels))
	le.PutUint32(b[4:], uint32(h.SampleRate))
	le.PutUint32(b[8:], uint32(h.SampleRate*h.FrameBytes()))
	le.PutUint16(b[12:], uint16(h.FrameBytes()))
	le.PutUint16(b[14:], uint16(h.Bytes*8))
	if h.Channels <= 2 && h.BitDepth == h.Bytes*8 {
		le.PutUint16(b, tag)
		return b
	}
	le.PutUint16(b, 0xFFFE)
	b = le.AppendUint16(b, 22)
	b = le.AppendUint16(b, uint16(h.BitDepth))
	b = le.AppendUint32(b, h.Mask)
	return append(b, guid...)
}

// Writer writes one file, front to back.
type Writer struct {
	h       Header
	w       io.Writer
	written int64 // frames
	buf     []byte
}

// NewWriter writes the header and is then ready for h.Frames frames.
func NewWriter(w io.Writer, h Header) (*Writer, error) {
	head, err := h.Marshal()
	if err != nil {
		return nil, err
	}
	if _, err := w.Write(head); err != nil {
		return nil, err
	}
	return &Writer{h: h, w: w}, nil
}

// WriteRaw writes whole interleaved frames in the file's own format.
func (w *Writer) WriteRaw(raw []byte) error {
	w.written += int64(len(raw) / w.h.FrameBytes())
	_, err := w.w.Write(raw)
	return err
}

// WriteFrames writes a planar block (channels × frames) and gives the number of samples of each channel that had to
// be limited to full scale, added to clipped.
func (w *Writer) WriteFrames(block [][]float64, clipped []int64) error {
	n := len(block[0]) * w.h.FrameBytes()
	if cap(w.buf) < n {
		w.buf = make([]byte, n)
	}
	w.h.EncodeAll(w.buf[:n], block, clipped)
	return w.WriteRaw(w.buf[:n])
}

// Close ends the file. It is an error if another number of frames was written than the header says.
func (w *Writer) Close() error {
	if w.written != w.h.Frames {
		return fault.New(fault.Damaged, "The file should have %d frames, but %d were written", w.h.Frames, w.written)
	}
	if w.written*int64(w.h.FrameBytes())&1 == 1 {
		_, err := w.w.Write([]byte{0})
		return err
	}
	return nil
}
