package take

import (
	"context"
	"fmt"
	"io"
	"path"
	"runtime"
	"strings"

	"golang.org/x/sync/errgroup"

	"zestyloom/core/fault"
	"zestyloom/core/wave"
)

// blockFrames is how many frames of a file are in memory at once.
const blockFrames = 1 << 14

// Part is what becomes one track, or one file: one channel or a set of them.
type Part struct {
	Name     string
	Channels []int    // of the source, from 0
	Labels   []string // of each channel in the part, such as M or L, R
}

// Parts cuts a take into one part for each channel, in channel order, but for the given pairs (from 1), which stay
// together and stand where their first channel does. A channel in two pairs, or one that is not there, is an error.
func Parts(d Description, pairs [][2]int) ([]Part, error) {
	pairOf := map[int][2]int{}
	for _, p := range pairs {
		for _, c := range p {
			if c < 1 || c > d.Channels {
				return nil, fault.New(fault.BadInput, "Pair %d-%d names channel %d, but there are channels 1 to %d", p[0], p[1], c, d.Channels)
			}
			if _, twice := pairOf[c]; twice || p[0] == p[1] {
				return nil, fault.New(fault.BadInput, "Channel %d stands in the pairs twice", c)
			}
		}
		pairOf[p[0]], pairOf[p[1]] = p, p
	}
	var parts []Part
	done := map[int]bool{}
	for c := 1; c <= d.Channels; c++ {
		if done[c] {
			continue
		}
		p, paired := pairOf[c]
		if !paired {
			parts = append(parts, Part{ChannelName(d.Tracks[c-1]), []int{c - 1}, []string{"M"}})
			continue
		}
		done[p[0]], done[p[1]] = true, true
		parts = append(parts, Part{PairName(ChannelName(d.Tracks[p[0]-1]), ChannelName(d.Tracks[p[1]-1])), []int{p[0] - 1, p[1] - 1}, []string{"L", "R"}})
	}
	return parts, nil
}

// ChannelName is the name of a channel, or its number where it has none.
func ChannelName(t Track) string {
	if t.Name != "" {
		return t.Name
	}
	return fmt.Sprintf("Channel %d", t.Index)
}

// PairName joins the names of a pair: what they have in common where they differ only in a side, else both.
func PairName(left, right string) string {
	l, okL := strings.CutSuffix(left, "L")
	r, okR := strings.CutSuffix(right, "R")
	if common := strings.TrimRight(l, " ._-"); okL && okR && l == r && common != "" {
		return common
	}
	if left == right {
		return left
	}
	return left + " + " + right
}

// Header makes the header of the file that a part of src becomes: the same samples, time stamp and description, with
// only its own tracks named.
func (p Part) Header(src *wave.File, d Description) wave.Header {
	h := wave.Header{Format: src.Format, Frames: src.Frames}
	h.Channels, h.Mask = len(p.Channels), 0
	if src.Bext != nil {
		b := *src.Bext
		b.ClearLoudness() // was measured on all channels
		b.Description = p.bextDescription(d, b.Description)
		h.Bext = &b
	} else if d.StartSamples != nil {
		h.Bext = &wave.Bext{Description: p.bextDescription(d, ""), TimeReference: *d.StartSamples}
	}
	x := wave.IXML{Version: "2.10"}
	if src.IXML != nil {
		x = *src.IXML
	}
	x.Scene, x.Take, x.Tape, x.Note = d.Scene, d.Take, d.Roll, d.Note
	if d.Circled {
		x.Circled = "TRUE"
	}
	tracks := &wave.IXMLTracks{Count: fmt.Sprint(len(p.Channels))}
	for i, c := range p.Channels {
		t := d.Tracks[c]
		tracks.Tracks = append(tracks.Tracks, wave.IXMLTrack{ChannelIndex: fmt.Sprint(t.Index), InterleaveIndex: fmt.Sprint(i + 1), Name: ChannelName(t), Function: t.Function})
	}
	x.Tracks = tracks
	h.IXML = &x
	return h
}

// bextDescription keeps the lines that are about the take and writes the track lines anew.
func (p Part) bextDescription(d Description, old string) string {
	lines := otherLines(old)
	for i, c := range p.Channels {
		lines = append(lines, fmt.Sprintf("sTRK%d=%s", i+1, ChannelName(d.Tracks[c])))
	}
	return strings.Join(lines, "\r\n")
}

// otherLines gives the lines of a bext description that are not about its tracks.
func otherLines(description string) []string {
	var lines []string
	for line := range strings.FieldsFuncSeq(description, func(r rune) bool { return r == '\r' || r == '\n' }) {
		if m := bextLine.FindStringSubmatch(line); m == nil || !strings.HasPrefix(m[1], "TRK") {
			lines = append(lines, line)
		}
	}
	return lines
}

// FileNames gives each part a file name of its own: the source's name, the part's place and its name.
func FileNames(source string, parts []Part) []string {
	base := strings.TrimSuffix(path.Base(source), path.Ext(source))
	names := make([]string, len(parts))
	for i, p := range parts {
		channels := make([]string, len(p.Channels))
		for j, c := range p.Channels {
			channels[j] = fmt.Sprint(c + 1)
		}
		names[i] = fmt.Sprintf("%s_%s_%s.wav", base, strings.Join(channels, "-"), FileSafe(p.Name))
	}
	return names
}

// FileSafe replaces what file systems and receivers' systems do not take in names.
func FileSafe(s string) string {
	s = strings.Map(func(r rune) rune {
		switch {
		case r >= 'a' && r <= 'z', r >= 'A' && r <= 'Z', r >= '0' && r <= '9', r == '-', r == '.', r > 0x7f:
			return r
		case r == '&' || r == '+':
			return '+'
		default:
			return '_'
		}
	}, s)
	for strings.Contains(s, "__") {
		s = strings.ReplaceAll(s, "__", "_")
	}
	s = strings.Trim(s, "_.")
	if r := []rune(s); len(r) > 80 {
		s = string(r[:80])
	}
	if s == "" {
		return "unnamed"
	}
	return s
}

// Unravel copies the parts of src to writers, one for each part, byte for byte and in one pass over the source. The
// writers are used side by side, so no two may be the same.
// progress, which may be nil, is told the share done, 0 to 1.
func Unravel(ctx context.Context, src *wave.File, d Description, parts []Part, to []io.Writer, progress func(float64)) error {
	writers := make([]*wave.Writer, len(parts))
	for i, p := range parts {
		w, err := wave.NewWriter(to[i], p.Header(src, d))
		if err != nil {
			return err
		}
		writers[i] = w
	}
	// While the parts of one block are written, side by side, the next block is read.
	raw, next := make([]byte, blockFrames*src.FrameBytes()), make([]byte, blockFrames*src.FrameBytes())
	outs := make([][]byte, len(parts))
	for i, p := range parts {
		outs[i] = make([]byte, blockFrames*len(p.Channels)*src.Bytes)
	}
	n := 0
	var err error
	if src.Frames > 0 {
		if n, err = src.ReadRaw(raw, 0); err != nil {
			return err
		}
	}
	for at := int64(0); at < src.Frames; {
		if err := ctx.Err(); err != nil {
			return fault.Wrap(fault.Cancelled, err, "Unravel was stopped")
		}
		var work errgroup.Group
		work.SetLimit(runtime.GOMAXPROCS(0) + 1)
		following := 0
		if at+int64(n) < src.Frames {
			work.Go(func() (err error) {
				following, err = src.ReadRaw(next, at+int64(n))
				return err
			})
		}
		for i, p := range parts {
			work.Go(func() error {
				width := len(p.Channels)
				for j, c := range p.Channels {
					src.Extract(outs[i], raw, n, c, j, width)
				}
				return writers[i].WriteRaw(outs[i][:n*width*src.Bytes])
			})
		}
		if err := work.Wait(); err != nil {
			return err
		}
		at += int64(n)
		raw, next, n = next, raw, following
		if progress != nil {
			progress(float64(at) / float64(src.Frames))
		}
	}
	for _, w := range writers {
		if err := w.Close(); err != nil {
			return err
		}
	}
	return nil
}
