package wave

import (
	"encoding/binary"
	"fmt"
	"io"
	"math"

	"zestyloom/core/fault"
)

// openAIFF reads AIFF and AIFC (Audio Interchange File Format 1.3 and its extension with a compression type). Samples
// are given as WAVE has them: little-endian, 8-bit ones unsigned.
func openAIFF(f *File, form string) error {
	f.Container = AIFF
	if form == "AIFC" {
		f.Container = AIFC
	}
	s := scanner{File: f}
	var kind string
	claimedFrames := int64(-1)
	pos := int64(12)
	for pos < f.size {
		head := make([]byte, 8)
		if n, _ := f.r.ReadAt(head, pos); n < 8 {
			s.warn("trailing-bytes", pos, "%d stray bytes stand at the end of the file", f.size-pos)
			break
		}
		id := string(head[:4])
		if !printable(head[:4]) {
			s.warn("garbage", pos, "What follows here is not a chunk; it was left alone")
			break
		}
		claimed := int64(binary.BigEndian.Uint32(head[4:]))
		body := pos + 8
		size := min(claimed, f.size-body)
		switch id {
		case "COMM":
			if s.haveFormat {
				s.warn("repeated-format", pos, "A second format chunk was left alone")
				break
			}
			b := make([]byte, min(size, 64))
			n, _ := f.r.ReadAt(b, body)
			var err error
			if kind, claimedFrames, err = f.common(b[:n], body, form); err != nil {
				return err
			}
			s.haveFormat = true
		case "SSND":
			if s.haveData {
				s.warn("repeated-data", pos, "A second sound chunk was left alone")
				break
			}
			s.haveData = true
			b := make([]byte, 8)
			if n, _ := f.r.ReadAt(b, body); n < 8 {
				return fault.At(fault.Damaged, body, "The file ends where its sound should begin")
			}
			skip := int64(binary.BigEndian.Uint32(b))
			f.DataOffset = min(body+8+skip, f.size)
			s.dataSize = f.size - f.DataOffset
			switch {
			case claimed-8-skip > s.dataSize:
				f.Recovered = true
				s.warn("data-truncated", pos, "The audio should have %d bytes, but the file ends after %d of them; what is there was kept",
					claimed-8-skip, s.dataSize)
			case claimed <= 8 && s.dataSize > 0:
				f.Recovered = true
				s.warn("header-unfinished", pos, "The recorder did not finish its header (it says no audio); %d bytes of audio were saved", s.dataSize)
				size = f.size - body
			default:
				s.dataSize = max(0, claimed-8-skip)
			}
		case "fmt ", "ds64", "data":
			s.warn("foreign-chunk", pos, "Chunk %q belongs into a WAVE file and was left alone", id)
		default:
			if claimed > size {
				s.warn("chunk-too-large", pos, "Chunk %q says it has %d bytes, but only %d are left in the file", id, claimed, size)
			}
			// Recorders put the same descriptions into AIFF as into WAVE.
			if err := s.chunk(id, body, size); err != nil {
				return err
			}
		}
		pos = body + size + size&1
	}
	if !s.haveFormat {
		return fault.At(fault.Damaged, min(pos, f.size), "The file has no format chunk, so its sound can't be read")
	}
	if !s.haveData {
		return fault.At(fault.Damaged, min(pos, f.size), "The file holds no audio: it ends before its sound chunk")
	}
	s.countFrames()
	if claimedFrames > 0 && claimedFrames < f.Frames {
		f.Frames = claimedFrames // what follows is padding
	}
	if kind != "sowt" || f.Bytes == 1 { // bytes have no order, but a sign
		f.r = &bigEndian{r: f.r, format: f.Format, at: f.DataOffset}
		f.DataOffset = 0
	}
	f.Other = nil // AIFF's own chunks mean nothing in a WAVE file
	return nil
}

// common reads the COMM chunk.
func (f *File) common(b []byte, at int64, form string) (kind string, frames int64, err error) {
	if len(b) < 18 {
		return "", 0, fault.At(fault.Damaged, at, "The format chunk has %d bytes and needs 18", len(b))
	}
	be := binary.BigEndian
	kind = "NONE"
	if form == "AIFC" && len(b) >= 22 {
		kind = string(b[18:22])
	}
	rate := extended(b[8:18])
	format := Format{Channels: int(be.Uint16(b)), BitDepth: int(be.Uint16(b[6:])), Encoding: PCM}
	switch {
	case format.Channels == 0:
		return "", 0, fault.At(fault.Damaged, at, "The header says that the file has 0 channels, so its sound can't be read")
	case format.Channels > maxChannels:
		return "", 0, fault.At(fault.Damaged, at, "The header says %d channels, which no recorder writes; it is damaged", format.Channels)
	case !(rate >= 1000 && rate <= 1<<20):
		return "", 0, fault.At(fault.Damaged, at+8, "The header says %g samples a second, which can't be", rate)
	}
	format.SampleRate = int(math.Round(rate))
	switch kind {
	case "NONE", "twos", "sowt", "in24", "in32":
	case "fl32", "FL32":
		format.Encoding, format.BitDepth = Float, 32
	case "fl64", "FL64":
		format.Encoding, format.BitDepth = Float, 64
	default:
		return "", 0, fault.At(fault.Unsupported, at+18, "The sound is compressed (%s); plain PCM and float are read", fmt.Sprintf("%q", kind))
	}
	format.Bytes = (format.BitDepth + 7) / 8
	if format.Encoding == PCM && (format.Bytes < 1 || format.Bytes > 4) {
		return "", 0, fault.At(fault.Unsupported, at+6, "Integer samples of %d bits are not read (8 to 32 are)", format.BitDepth)
	}
	f.Format = format
	return kind, int64(be.Uint32(b[2:])), nil
}

// extended reads an 80-bit IEEE 754 number.
func extended(b []byte) float64 {
	exponent := int(binary.BigEndian.Uint16(b)&0x7fff) - 16383 - 63
	x := math.Ldexp(float64(binary.BigEndian.Uint64(b[2:])), exponent)
	if b[0]&0x80 != 0 {
		return -x
	}
	return x
}

// bigEndian turns the samples of a stretch of a file into little-endian ones. Offsets are multiples of a sample.
type bigEndian struct {
	r      io.ReaderAt
	format Format
	at     int64
}

func (b *bigEndian) ReadAt(dst []byte, offset int64) (int, error) {
	n, err := b.r.ReadAt(dst, b.at+offset)
	width := b.format.Bytes
	for i := 0; i+width <= n; i += width {
		s := dst[i : i+width]
		switch {
		case width == 1 && b.format.Encoding == PCM:
			s[0] ^= 0x80 // signed here, unsigned in WAVE
		default:
			for l, r := 0, width-1; l < r; l, r = l+1, r-1 {
				s[l], s[r] = s[r], s[l]
			}
		}
	}
	return n, err
}
