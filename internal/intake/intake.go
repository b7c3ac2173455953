package intake

import (
	"bytes"
	"context"
	"errors"
	"io"
	"math"
	"os"
	"path"
	"slices"
	"strings"

	"zestyloom/core/fault"
	"zestyloom/core/take"
	"zestyloom/core/wave"
)

// Contents says what is in a file.
type Contents struct {
	// Direct tells that the file is WAVE or AIFF, which are read where they lie; everything else is extracted first.
	Direct  bool
	Streams []Stream
	Movie   *Movie // nil unless the file has a picture
}

// Stream is one audio stream of a file.
type Stream struct {
	Index       int // among the file's audio streams, from 0
	Description take.Description

	codec  string  // of a movie's stream
	begins float64 // seconds after the movie, as it says
}

// Endings are those of the files that can be taken in, lower case.
var Endings = []string{".wav", ".wave", ".bwf", ".rf64", ".aif", ".aiff", ".aifc", ".flac", ".mov", ".mp4", ".m4v", ".mkv", ".mxf"}

// Readable tells by its name whether a file can be taken in.
func Readable(name string) bool {
	lower := strings.ToLower(path.Ext(name))
	for _, e := range Endings {
		if lower == e {
			return true
		}
	}
	return false
}

// Probe reads what is in a local file. name is what the file is called by its owner. Errors are of kind BadInput,
// Unsupported or Damaged.
func Probe(ctx context.Context, local, name string) (Contents, error) {
	f, err := os.Open(local)
	if err != nil {
		return Contents{}, err
	}
	defer f.Close()
	head := make([]byte, 16)
	n, err := io.ReadFull(f, head)
	if err != nil && !errors.Is(err, io.ErrUnexpectedEOF) && !errors.Is(err, io.EOF) {
		return Contents{}, err
	}
	switch head = head[:n]; {
	case bytes.HasPrefix(head, []byte("fLaC")), bytes.HasPrefix(head, []byte("ID3")) && taggedFLAC(f):
		d, err := describeFLAC(io.NewSectionReader(f, 0, math.MaxInt64), name)
		return Contents{Streams: []Stream{{Description: d}}}, err
	case isMovie(head):
		return probeMovie(ctx, local, name)
	}
	info, err := f.Stat()
	if err != nil {
		return Contents{}, err
	}
	w, err := wave.Open(f, info.Size())
	if err != nil {
		return Contents{}, err
	}
	return Contents{Direct: true, Streams: []Stream{{Description: take.Describe(w, name)}}}, nil
}

// isMovie knows the containers that ffmpeg reads for us by their first bytes: ISO base media and QuickTime, Matroska,
// MXF.
func isMovie(head []byte) bool {
	if len(head) >= 8 {
		switch string(head[4:8]) {
		case "ftyp", "moov", "mdat", "wide", "free", "skip":
			return true
		}
	}
	return bytes.HasPrefix(head, []byte{0x1a, 0x45, 0xdf, 0xa3}) || bytes.HasPrefix(head, []byte{0x06, 0x0e, 0x2b, 0x34})
}

// Extract writes the sound of a stream to a local WAVE file, with the descriptions that the source holds. progress,
// which may be nil, is told the share done. doubts are what is wrong with what was read all the same.
func Extract(ctx context.Context, local string, s Stream, out string, progress func(float64)) (doubts []take.Warning, err error) {
	if s.codec != "" {
		return nil, extractMovie(ctx, local, s, out, progress)
	}
	f, err := os.Open(local)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	to, err := os.Create(out)
	if err != nil {
		return nil, err
	}
	doubt, err := decodeFLAC(ctx, f, to, progress)
	if doubt != "" {
		doubts = []take.Warning{{Code: "checksum", Message: doubt}}
	}
	return doubts, errors.Join(err, to.Close())
}

// Open opens a stream of a local file for reading, decoding it into a temporary file where it can't be read in place.
// The caller closes the second result.
func Open(ctx context.Context, local, name string, stream int) (*wave.File, take.Description, io.Closer, error) {
	var none take.Description
	c, err := Probe(ctx, local, name)
	if err != nil {
		return nil, none, nil, err
	}
	if stream < 0 || stream >= len(c.Streams) {
		if len(c.Streams) == 0 {
			return nil, none, nil, fault.New(fault.BadInput, "The file has no sound in it")
		}
		return nil, none, nil, fault.New(fault.BadInput, "The file has no audio stream %d; it has %d", stream+1, len(c.Streams))
	}
	d := c.Streams[stream].Description
	if c.Direct {
		w, f, err := openWave(local)
		return w, d, f, err
	}
	temp, err := os.CreateTemp("", "loom-sound-*.wav")
	if err != nil {
		return nil, none, nil, err
	}
	gone := removed{temp}
	doubts, err := Extract(ctx, local, c.Streams[stream], temp.Name(), nil)
	if err == nil {
		var w *wave.File
		if w, err = open(temp); err == nil {
			d.Frames, d.Recovered = w.Frames, w.Recovered // what was found, not what was claimed
			d.Warnings = slices.Concat(d.Warnings, w.Warnings, doubts)
			return w, d, gone, nil
		}
	}
	gone.Close()
	return nil, none, nil, err
}

func openWave(local string) (*wave.File, *os.File, error) {
	f, err := os.Open(local)
	if err != nil {
		return nil, nil, err
	}
	w, err := open(f)
	if err != nil {
		f.Close()
		return nil, nil, err
	}
	return w, f, nil
}

func open(f *os.File) (*wave.File, error) {
	info, err := f.Stat()
	if err != nil {
		return nil, err
	}
	return wave.Open(f, info.Size())
}

// removed is a temporary file that goes when it is closed.
type removed struct{ *os.File }

func (r removed) Close() error { return errors.Join(r.File.Close(), os.Remove(r.Name())) }
