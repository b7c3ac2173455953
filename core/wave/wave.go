package wave

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"io"

	"zestyloom/core/fault"
)

// Encoding of samples.
type Encoding string

const (
	PCM   Encoding = "pcm"
	Float Encoding = "float"
)

// Container is the outermost form of a file.
type Container string

const (
	RIFF Container = "wave"
	RIFX Container = "rifx"
	RF64 Container = "rf64"
	BW64 Container = "bw64"
	AIFF Container = "aiff"
	AIFC Container = "aifc"
)

// maxChannels is more than any recorder writes; a file that claims more has a damaged header.
const maxChannels = 1024

// maxMetadata bounds how much of one metadata chunk is held in memory.
const maxMetadata = 8 << 20

// Format is what the fmt chunk says.
type Format struct {
	Encoding   Encoding
	Channels   int
	SampleRate int    // Hz
	BitDepth   int    // valid bits of a sample
	Bytes      int    // bytes of one sample in the file; integers narrower than that stand left-justified
	Mask       uint32 // dwChannelMask, 0 where there is none
}

// FrameBytes is the size of one sample of all channels.
func (f Format) FrameBytes() int { return f.Channels * f.Bytes }

// Chunk is the place of a chunk's body in the file.
type Chunk struct {
	ID           string
	Offset, Size int64
}

// Warning says what was wrong with a file that could be read all the same. Offset is in bytes.
type Warning struct {
	Code    string `json:"code"`
	Message string `json:"message"`
	Offset  int64  `json:"offset"`
}

// File is an open file. It is safe for concurrent reads if its ReaderAt is.
type File struct {
	Container Container
	Format
	Frames     int64 // sample frames that can be read
	DataOffset int64
	Bext       *Bext     // nil where there is none
	IXML       *IXML     // nil where there is none
	Audio      []AudioID // what chna says of the channels
	Cues       []Cue     // marks by position
	Other      []Chunk   // what is not known here, and marks and texts as they stand
	Warnings   []Warning
	Recovered  bool // true where the audio's length had to be found out because the header is wrong

	r      io.ReaderAt
	chunks io.ReaderAt // where Other stands: r, unless the audio is read through something
	size   int64
}

var (
	pcmGUID   = []byte{1, 0, 0, 0, 0, 0, 0x10, 0, 0x80, 0, 0, 0xaa, 0, 0x38, 0x9b, 0x71}
	floatGUID = []byte{3, 0, 0, 0, 0, 0, 0x10, 0, 0x80, 0, 0, 0xaa, 0, 0x38, 0x9b, 0x71}
)

// Open reads the structure and metadata of a file of size bytes. Its errors are of kind BadInput (not a WAVE file),
// Unsupported (an encoding that is not read) or Damaged (nothing can be saved), each with the byte offset.
func Open(r io.ReaderAt, size int64) (*File, error) {
	if size == 0 {
		return nil, fault.At(fault.BadInput, 0, "The file is empty")
	}
	head := make([]byte, 12)
	if n, err := r.ReadAt(head, 0); n < len(head) {
		if err != nil && !errors.Is(err, io.EOF) {
			return nil, fault.Wrap(fault.Damaged, err, "The file could not be read")
		}
		return nil, fault.At(fault.BadInput, int64(n), "This is not a WAVE file: it ends before its header does")
	}
	f := &File{r: r, chunks: r, size: size}
	switch string(head[:4]) {
	case "RIFF":
		f.Container = RIFF
	case "RF64":
		f.Container = RF64
	case "BW64":
		f.Container = BW64
	case "RIFX":
		if string(head[8:]) == "WAVE" {
			if err := openRIFX(f, head); err != nil {
				return nil, err
			}
			return f, nil
		}
	case "FORM":
		if form := string(head[8:]); form == "AIFF" || form == "AIFC" {
			if err := openAIFF(f, form); err != nil {
				return nil, err
			}
			return f, nil
		}
		return nil, fault.At(fault.BadInput, 8, "This is an IFF file, but it holds no AIFF audio")
	default:
		return nil, fault.At(fault.BadInput, 0, "This is not a WAVE, RF64, BW64 or AIFF file")
	}
	if string(head[8:]) != "WAVE" {
		return nil, fault.At(fault.BadInput, 8, "This is a RIFF file, but it holds no WAVE audio")
	}
	riffSize := int64(binary.LittleEndian.Uint32(head[4:]))
	s := scanner{File: f, riffSize: riffSize, order: binary.LittleEndian}
	if err := s.scan(); err != nil {
		return nil, err
	}
	return f, nil
}

// scanner walks the chunks once.
type scanner struct {
	*File
	riffSize   int64
	order      binary.ByteOrder
	ds64Data   int64 // size of data by ds64, or -1
	ds64Table  map[string]int64
	haveFormat bool
	haveData   bool
	dataSize   int64
	cueTexts   map[uint32]string
}

func (s *scanner) warn(code string, offset int64, format string, args ...any) {
	if len(s.Warnings) < 100 { // a hostile file may hold millions of faults
		s.Warnings = append(s.Warnings, Warning{code, fmt.Sprintf(format, args...), offset})
	}
}

func (s *scanner) scan() error {
	s.ds64Data = -1
	pos := int64(12)
	for pos < s.size {
		head := make([]byte, 8)
		if n, _ := s.r.ReadAt(head, pos); n < 8 {
			s.warn("trailing-bytes", pos, "%d stray bytes stand at the end of the file", s.size-pos)
			break
		}
		id := string(head[:4])
		if !printable(head[:4]) {
			s.warn("garbage", pos, "What follows here is not a chunk; it was left alone")
			break
		}
		claimed := int64(s.order.Uint32(head[4:]))
		body := pos + 8
		if claimed == 0xFFFFFFFF && s.Container != RIFF {
			if id == "data" && s.ds64Data >= 0 {
				claimed = s.ds64Data
			} else if n, ok := s.ds64Table[id]; ok {
				claimed = n
			}
		}
		size := claimed
		if id == "data" {
			next, err := s.data(body, claimed)
			if err != nil {
				return err
			}
			pos = next
			continue
		}
		if size > s.size-body {
			size = s.size - body
			s.warn("chunk-too-large", pos, "Chunk %q says it has %d bytes, but only %d are left in the file", id, claimed, size)
			if id == "fmt " && size < 16 {
				return fault.At(fault.Damaged, pos, "The file ends inside its format chunk, so its sound can't be read")
			}
		}
		if err := s.chunk(id, body, size); err != nil {
			return err
		}
		pos = body + size + size&1
	}
	if !s.haveFormat {
		return fault.At(fault.Damaged, pos, "The file has no format chunk, so its sound can't be read")
	}
	if !s.haveData {
		return fault.At(fault.Damaged, min(pos, s.size), "The file holds no audio: it ends before its data chunk")
	}
	return nil
}

func printable(id []byte) bool {
	for _, c := range id {
		if c < 0x20 || c > 0x7e {
			return false
		}
	}
	return true
}

// data notes where the audio is and gives the position of the next chunk.
func (s *scanner) data(body, claimed int64) (int64, error) {
	if s.haveData {
		s.warn("repeated-data", body-8, "A second data chunk was left alone")
		return min(body+claimed+claimed&1, s.size), nil
	}
	s.haveData = true
	s.DataOffset = body
	left := s.size - body
	size := claimed
	// A header written before recording began says 0 (or all ones); if the RIFF size disagrees with the file too,
	// power was lost and everything up to the end is audio.
	unfinished := s.riffSize != s.size-8 && s.riffSize+s.riffSize&1 != s.size-8
	longer, more := s.goesOn(body, claimed)
	switch {
	case claimed == 0xFFFFFFFF && claimed > left: // a stream, or RF64 that lost its ds64
		size = s.rest(body)
		s.Recovered = true
		s.warn("header-unfinished", body-8, "The header does not say how long the audio is; %d bytes of audio were found", size)
	case claimed > left:
		size = left
		s.Recovered = true
		s.warn("data-truncated", body-8, "The audio should have %d bytes, but the file ends after %d of them; what is there was kept",
			claimed,
			left)
	case claimed == 0 && left > 0 && unfinished:
		size = s.rest(body)
		s.Recovered = true
		s.warn("header-unfinished", body-8, "The recorder did not finish its header (it says no audio); %d bytes of audio were saved", size)
	case claimed > 0 && more:
		size = longer
		s.Recovered = true
		s.warn("data-longer", body-8, "The header says %d bytes of audio, but it goes on for %d; all of it was kept", claimed, longer)
	}
	s.dataSize = size
	if s.haveFormat {
		s.countFrames()
	}
	return body + size + size&1, nil
}

func (s *scanner) countFrames() {
	fb := int64(s.FrameBytes())
	s.Frames = s.dataSize / fb
	if odd := s.dataSize % fb; odd != 0 {
		s.warn("odd-last-frame", s.DataOffset+s.Frames*fb, "The last frame is incomplete (%d of %d bytes) and was left out", odd, fb)
	}
}

func (s *scanner) chunk(id string, body, size int64) error {
	read := func() []byte {
		b := make([]byte, min(size, maxMetadata))
		n, _ := s.r.ReadAt(b, body)
		if s.Container == RIFX {
			return turned(id, b[:n])
		}
		return b[:n]
	}
	if s.Container == RIFX && id != "fmt " && id != "bext" && id != "iXML" {
		return nil
	}
	switch id {
	case "fmt ":
		if s.haveFormat {
			s.warn("repeated-format", body-8, "A second format chunk was left alone")
			return nil
		}
		if err := s.format(read(), body); err != nil {
			return err
		}
		s.haveFormat = true
		if s.haveData {
			s.countFrames()
		}
	case "ds64":
		b := read()
		if len(b) < 28 {
			s.warn("ds64-short", body-8, "The chunk of 64-bit sizes is incomplete")
			return nil
		}
		if n := int64(binary.LittleEndian.Uint64(b[8:])); n >= 0 {
			s.ds64Data = n
		}
		s.riffSize = int64(binary.LittleEndian.Uint64(b))
		s.ds64Table = map[string]int64{}
		for rest := b[28:]; len(rest) >= 12 && len(s.ds64Table) < 64; rest = rest[12:] {
			if n := int64(binary.LittleEndian.Uint64(rest[4:])); n >= 0 {
				s.ds64Table[string(rest[:4])] = n
			}
		}
	case "bext":
		if s.Bext != nil {
			s.warn("repeated-bext", body-8, "A second bext chunk was left alone")
			return nil
		}
		b, err := ParseBext(read())
		if err != nil {
			s.warn("bext-unreadable", body-8, "The bext chunk can't be read: %v", err)
			return nil
		}
		s.Bext = b
	case "iXML":
		if s.IXML != nil {
			s.warn("repeated-ixml", body-8, "A second iXML chunk was left alone")
			return nil
		}
		x, err := ParseIXML(read())
		if err != nil {
			s.warn("ixml-unreadable", body-8, "The iXML chunk can't be read, so names may be missing: %v", err)
			return nil
		}
		s.IXML = x
	case "chna":
		if s.Audio == nil {
			s.Audio = parseChna(read())
			s.other(id, body, size)
		}
	case "cue ":
		s.cues(read())
		s.other(id, body, size)
	case "LIST":
		s.labels(read())
		s.other(id, body, size)
	case "JUNK", "junk", "PAD ", "FLLR", "fact":
		// padding, or numbers that follow from the rest
	default:
		s.other(id, body, size)
	}
	return nil
}

func (s *scanner) other(id string, body, size int64) {
	if len(s.Other) < 1000 {
		s.Other = append(s.Other, Chunk{id, body, size})
	}
}

func (s *scanner) format(b []byte, at int64) error {
	if len(b) < 16 {
		return fault.At(fault.Damaged, at-8, "The format chunk has %d bytes and needs 16", len(b))
	}
	le := binary.LittleEndian
	tag := le.Uint16(b)
	f := Format{Channels: int(le.Uint16(b[2:])), SampleRate: int(le.Uint32(b[4:])), BitDepth: int(le.Uint16(b[14:]))}
	blockAlign := int(le.Uint16(b[12:]))
	switch {
	case f.Channels == 0:
		return fault.At(fault.Damaged, at+2, "The header says that the file has 0 channels, so its sound can't be read")
	case f.Channels > maxChannels:
		return fault.At(fault.Damaged, at+2, "The header says %d channels, which no recorder writes; it is damaged", f.Channels)
	case f.SampleRate < 1000 || f.SampleRate > 1<<20:
		return fault.At(fault.Damaged, at+4, "The header says %d samples a second, which can't be", f.SampleRate)
	}
	container := f.BitDepth // for the plain tags the container is the next whole byte
	if tag == 0xFFFE {
		if len(b) < 40 {
			return fault.At(fault.Damaged, at-8, "The extensible format chunk is cut short")
		}
		if valid := int(le.Uint16(b[18:])); valid > 0 && valid <= f.BitDepth {
			f.BitDepth = valid
		}
		f.Mask = le.Uint32(b[20:])
		switch {
		case bytes.Equal(b[24:40], pcmGUID):
			tag = 1
		case bytes.Equal(b[24:40], floatGUID):
			tag = 3
		default:
			return fault.At(fault.Unsupported, at+24, "The sound is in an encoding that is not plain PCM or float")
		}
	}
	f.Bytes = (container + 7) / 8
	// Some write 24 bits in frames of 32 and say so only by the size of the frame.
	if wide := blockAlign / f.Channels; tag == 1 && wide > f.Bytes && wide <= 4 && wide*f.Channels == blockAlign &&
		int(le.Uint32(b[8:])) == f.SampleRate*blockAlign {
		f.Bytes = wide
	}
	switch tag {
	case 1:
		f.Encoding = PCM
		if f.Bytes < 1 || f.Bytes > 4 {
			return fault.At(fault.Unsupported, at+14, "Integer samples of %d bits are not read (8 to 32 are)", f.BitDepth)
		}
	case 3:
		f.Encoding = Float
		if container != 32 && container != 64 {
			return fault.At(fault.Unsupported, at+14, "Float samples of %d bits are not read (32 and 64 are)", f.BitDepth)
		}
	default:
		return fault.At(fault.Unsupported, at, "The sound is in WAVE format %#04x; PCM and float are read", tag)
	}
	if blockAlign != f.FrameBytes() {
		s.warn("block-align", at+12, "The header says %d bytes a frame; %d channels of %d bits have %d", blockAlign, f.Channels, f.BitDepth,
			f.FrameBytes())
	}
	s.Format = f
	return nil
}
