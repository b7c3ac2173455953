package wave

import (
	"encoding/binary"
	"io"
)

// stale are chunks that tell of the very samples of one file, or of where its channels lie, and are wrong in any other.
var stale = map[string]bool{"levl": true, "PEAK": true, "axml": true, "chna": true, "bxml": true, "sxml": true, "MD5 ": true, "ds64": true,
	"fmt ": true, "data": true}

// maxCarried bounds how much of another file's chunks is taken along.
const maxCarried = 1 << 20

// Carried gives the chunks that a file made from this one takes along: those that are not known here as they stand, and
// what LIST INFO says. Marks by position come along where positions hold in the new file. What tells of the samples
// themselves is left behind, and so is what has more than a megabyte.
func (f *File) Carried(positions bool) []RawChunk {
	var out []RawChunk
	total := int64(0)
	for _, c := range f.Other {
		marks := c.ID == "cue "
		if stale[c.ID] || c.Size > maxCarried || total+c.Size > maxCarried {
			continue
		}
		body, err := f.ReadChunk(c)
		if err != nil || int64(len(body)) != c.Size {
			continue // what can't be read can't be taken along, and the audio matters more
		}
		if c.ID == "LIST" {
			marks = len(body) >= 4 && string(body[:4]) == "adtl"
		}
		if marks && !positions {
			continue
		}
		total += c.Size
		out = append(out, RawChunk{c.ID, body})
	}
	return out
}

// CarriedWhole is Carried for a file of the same channels in the same order, so that what describes them stays right.
func (f *File) CarriedWhole() []RawChunk {
	out := f.Carried(true)
	for _, c := range f.Other {
		if c.ID != "axml" && c.ID != "chna" || c.Size > maxCarried {
			continue
		}
		if body, err := f.ReadChunk(c); err == nil && int64(len(body)) == c.Size {
			out = append(out, RawChunk{c.ID, body})
		}
	}
	return out
}

// ReadChunk reads the body of a chunk listed in Other, up to maxMetadata bytes.
func (f *File) ReadChunk(c Chunk) ([]byte, error) {
	b := make([]byte, min(c.Size, maxMetadata))
	n, err := f.chunks.ReadAt(b, c.Offset)
	if n == len(b) {
		err = nil
	}
	return b[:n], err
}

// Raw gives the body of the first chunk of an ID that is listed in Other.
func (f *File) Raw(id string) (body []byte, there bool) {
	for _, c := range f.Other {
		if c.ID == id {
			body, err := f.ReadChunk(c)
			return body, err == nil
		}
	}
	return nil, false
}

// known are chunks that stand behind the audio in the files of recorders.
var known = map[string]bool{"bext": true, "iXML": true, "LIST": true, "cue ": true, "chna": true, "axml": true, "JUNK": true, "junk": true,
	"PAD ": true, "FLLR": true, "fact": true, "umid": true, "levl": true, "cart": true, "id3 ": true, "ID3 ": true}

// chunkAt gives the chunk whose header stands at a position: one that is known, or that fits into the file.
func (s *scanner) chunkAt(pos int64) (Chunk, bool) {
	head := make([]byte, 8)
	if n, _ := s.r.ReadAt(head, pos); n < 8 || !printable(head[:4]) {
		return Chunk{}, false
	}
	c := Chunk{string(head[:4]), pos + 8, int64(binary.LittleEndian.Uint32(head[4:]))}
	return c, known[c.ID] || c.Offset+c.Size <= s.size
}

// mayEnd tells whether the audio may end at a position: the file does so, or a chunk begins.
func (s *scanner) mayEnd(pos int64) bool {
	if pos += pos & 1; s.size-pos < 8 {
		return true
	}
	_, ok := s.chunkAt(pos)
	return ok
}

// tailBytes is how much of a file's end is searched for what stands behind audio of unknown length.
const tailBytes = 1 << 20

// rest gives the size of audio of unknown length from body on: all up to the end, but for known chunks that follow each
// other up to it.
func (s *scanner) rest(body int64) int64 {
	tail := max(body, s.size-tailBytes)
	b := make([]byte, s.size-tail)
	if n, err := s.r.ReadAt(b, tail); n < len(b) && err != nil && err != io.EOF {
		return s.size - body
	}
	tried := 0 // a hostile file may be full of beginnings
	for i := (body + tail) & 1; i+8 <= int64(len(b)) && tried < 1000; i += 2 {
		if !known[string(b[i:i+4])] {
			continue
		}
		if tried++; s.chain(tail + i) {
			return tail + i - body
		}
	}
	return s.size - body
}

// chain tells whether chunks follow each other from a position to the end of the file.
func (s *scanner) chain(pos int64) bool {
	for range 100 {
		c, ok := s.chunkAt(pos)
		if !ok {
			return false
		}
		end := c.Offset + c.Size
		if pos = end + end&1; end == s.size || pos == s.size {
			return true
		}
	}
	return false
}

// goesOn gives how long audio is that does not end where its header says: the size wrapped around at 4 GiB, or was last
// written before the recording ended. It is not ok where the audio does end there, or what follows is silence that was
// set aside for it.
func (s *scanner) goesOn(body, claimed int64) (size int64, ok bool) {
	left := s.size - body
	if s.mayEnd(body+claimed) || left-claimed < 4096 {
		return 0, false
	}
	for size := claimed + 1<<32; size <= left; size += 1 << 32 {
		if s.mayEnd(body + size) {
			return size, true
		}
	}
	b := make([]byte, min(left-claimed, 1<<16))
	n, _ := s.r.ReadAt(b, body+claimed)
	for _, x := range b[:n] {
		if x != 0 {
			return s.rest(body), true
		}
	}
	return 0, false
}

// Altered gives the header of a file that differs from this one in its samples alone: names, time stamp and what is not known here stay, what
// bext says of loudness goes.
func (f *File) Altered() Header {
	h := Header{Format: f.Format, Frames: f.Frames, IXML: f.IXML, Extra: f.CarriedWhole(), Wide: f.Container == BW64}
	if f.Bext != nil {
		b := *f.Bext
		b.ClearLoudness()
		h.Bext = &b
	}
	return h
}
