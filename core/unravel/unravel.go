package unravel

import (
	"context"
	"fmt"
	"io"
	"math"
	"runtime"
	"slices"
	"strings"
	"unicode/utf8"

	"golang.org/x/sync/errgroup"

	"zestyloom/core/dsp"
	"zestyloom/core/fault"
	"zestyloom/core/layout"
	"zestyloom/core/take"
	"zestyloom/core/wave"
)

// Header makes the header of the file that a part of src becomes: the same samples, time stamp and description, with
// only its own tracks named.
func Header(p take.Part, src *wave.File, d take.Description) wave.Header {
	h := wave.Header{Format: src.Format, Frames: src.Frames, Extra: src.Carried(true)}
	h.Channels, h.Mask = len(p.Labels), layout.Layout{Labels: p.Labels}.Mask()
	if h.Channels < 2 {
		h.Mask = 0
	}
	if src.Bext != nil {
		b := *src.Bext
		b.ClearLoudness() // was measured on all channels
		b.Description = bextDescription(p, d, b.Description)
		h.Bext = &b
	} else if d.StartSamples != nil {
		h.Bext = &wave.Bext{Description: bextDescription(p, d, ""), TimeReference: *d.StartSamples}
	}
	x := wave.IXML{Version: "2.10"}
	if src.IXML != nil {
		x = *src.IXML
	}
	x.Scene, x.Take, x.Tape, x.Note = d.Scene, d.Take, d.Roll, d.Note
	if d.Circled {
		x.Circled = "TRUE"
	}
	x.FileSet = nil // what was recorded together is told by scene, take and time stamp
	tracks := &wave.IXMLTracks{Count: fmt.Sprint(len(p.Labels))}
	for i, t := range tracksOf(p, d) {
		tracks.Tracks = append(tracks.Tracks, wave.IXMLTrack{ChannelIndex: fmt.Sprint(t.Index), InterleaveIndex: fmt.Sprint(i + 1),
			Name: take.ChannelName(t), Function: t.Function})
	}
	x.Tracks = tracks
	h.IXML = &x
	return h
}

// SettledHeader makes the header of the file that work on src becomes, starting at a time stamp in samples: what src says
// of the take and what is not known here go along, the names of its channels are new ones.
func SettledHeader(src *wave.File, names []string, start int64) wave.Header {
	h := wave.Header{Bext: &wave.Bext{}, IXML: &wave.IXML{Version: "2.10"}, Extra: src.Carried(false)}
	if src.Bext != nil {
		*h.Bext = *src.Bext
		h.Bext.ClearLoudness()
	}
	lines := take.OtherLines(h.Bext.Description)
	if src.IXML != nil {
		*h.IXML = *src.IXML
		h.IXML.FileSet, h.IXML.Speed = nil, nil // it is a file of its own, and begins elsewhere
	}
	h.IXML.Tracks = &wave.IXMLTracks{Count: fmt.Sprint(len(names))}
	for i, name := range names {
		n := fmt.Sprint(i + 1)
		lines = append(lines, "sTRK"+n+"="+name)
		h.IXML.Tracks.Tracks = append(h.IXML.Tracks.Tracks, wave.IXMLTrack{ChannelIndex: n, InterleaveIndex: n, Name: name})
	}
	h.Bext.Description, h.Bext.TimeReference = strings.Join(lines, "\r\n"), start
	return h
}

// bextDescription keeps the lines that are about the take and writes the track lines anew.
func bextDescription(p take.Part, d take.Description, old string) string {
	lines := take.OtherLines(old)
	for i, t := range tracksOf(p, d) {
		lines = append(lines, fmt.Sprintf("sTRK%d=%s", i+1, take.ChannelName(t)))
	}
	return strings.Join(lines, "\r\n")
}

// tracksOf describes the channels of the part's own file.
func tracksOf(p take.Part, d take.Description) []take.Track {
	var tracks []take.Track
	for _, c := range p.Channels {
		tracks = append(tracks, d.Tracks[c])
	}
	if p.Sum {
		tracks = tracks[:1]
		tracks[0].Name, tracks[0].Function = p.Name, ""
	}
	return tracks
}

// Names gives the names of the channels of the part's own file.
func Names(p take.Part, d take.Description) []string {
	var names []string
	for _, t := range tracksOf(p, d) {
		names = append(names, take.ChannelName(t))
	}
	return names
}

// FileNames gives each part a file name of its own: the source's name, the part's place and its name.
func FileNames(source string, parts []take.Part) []string {
	base := take.Bare(source)
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
func FileSafe(s string) string { return FileSafeTo(s, 80) }

// FileSafeTo is FileSafe for another length, in characters; it is also held to the 200 bytes that leave room for an
// ending in what file systems take.
func FileSafeTo(s string, most int) string {
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
	for n := 0; n < len(s); { // never in the middle of a character
		_, size := utf8.DecodeRuneInString(s[n:])
		if most--; most < 0 || n+size > 200 {
			s = strings.Trim(s[:n], "_.")
			break
		}
		n += size
	}
	if s == "" {
		return "unnamed"
	}
	return s
}

// Write copies the parts of src to writers, one for each part, byte for byte and in one pass over the source; only a
// sum is worked out, with dither where it does not stand on the grid of the samples. The writers are used side by side, so no two may be the same.
// progress, which may be nil, is told the share done, 0 to 1.
func Write(ctx context.Context, src *wave.File, d take.Description, parts []take.Part, to []io.Writer, progress func(float64)) error {
	writers := make([]*wave.Writer, len(parts))
	for i, p := range parts {
		w, err := wave.NewWriter(to[i], Header(p, src, d))
		if err != nil {
			return err
		}
		writers[i] = w
	}
	// While the parts of one block are written, side by side, the next block is read.
	block := src.BlockFrames(wave.AtOnce, src.Frames)
	raw, next := make([]byte, block*src.FrameBytes()), make([]byte, block*src.FrameBytes())
	outs := make([][]byte, len(parts))
	for i, p := range parts {
		outs[i] = make([]byte, block*len(p.Labels)*src.Bytes)
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
				width := len(p.Labels)
				if p.Sum {
					sum(p, outs[i], src, raw, n, at)
					return writers[i].WriteRaw(outs[i][:n*src.Bytes])
				}
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

// sum adds the channels of a block up, each at 1/n.
func sum(p take.Part, out []byte, src *wave.File, raw []byte, n int, at int64) {
	total, one := make([]float64, n), make([]float64, n)
	for _, c := range p.Channels {
		src.Decode(one, raw, c)
		for i, x := range one {
			total[i] += x / float64(len(p.Channels))
		}
	}
	format := src.Format
	format.Channels = 1
	if format.Encoding == wave.PCM && !onGrid(total, 8*format.Bytes) {
		dsp.AddDither(total, 8*format.Bytes, p.Channels[0], at)
	}
	format.Encode(out, total, 0)
}

// onGrid tells whether samples stand on the grid of integers of that many bits: silence does, and needs no dither.
func onGrid(samples []float64, bits int) bool {
	scale := math.Ldexp(1, bits-1)
	return !slices.ContainsFunc(samples, func(x float64) bool { return x*scale != math.Trunc(x*scale) })
}
