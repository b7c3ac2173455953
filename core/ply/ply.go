package ply

import (
	"context"
	"fmt"
	"io"
	"slices"
	"strings"

	"zestyloom/core/fault"
	"zestyloom/core/take"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
)

// Lengths says what ply does with files of different lengths.
type Lengths string

// Stamps says what ply does with files whose time stamps differ.
type Stamps string

const (
	RefuseLengths Lengths = "refuse"
	PadLengths    Lengths = "pad" // silence after the shorter ones
	CutLengths    Lengths = "cut" // all end with the shortest

	RefuseStamps Stamps = "refuse"
	AlignStamps  Stamps = "align" // each lies at its own time stamp, silence before the later ones
	FirstStamp   Stamps = "first" // all begin together, at the first file's time stamp
)

// Strand is one file to be plied.
type Strand struct {
	File        *wave.File
	Description take.Description
	Name        string // of the file, for messages
}

// Plied is what a ply will write: the header, and where each strand lies in it.
type Plied struct {
	Header  wave.Header
	Tracks  []string // names of the channels
	strands []Strand
	offsets []int64 // frames of silence before each strand
}

// Plan plans to twist files into one, their channels in the order given. Files must have the same rate and sample
// format; lengths and time stamps must agree unless it is said how to treat them. Errors are of kind BadInput.
func Plan(strands []Strand, lengths Lengths, stamps Stamps) (*Plied, error) {
	if len(strands) == 0 {
		return nil, fault.New(fault.BadInput, "There is nothing to ply")
	}
	switch {
	case lengths != RefuseLengths && lengths != PadLengths && lengths != CutLengths:
		return nil, fault.New(fault.BadInput, "Lengths that differ can be refused, padded or cut, not %q", lengths)
	case stamps != RefuseStamps && stamps != AlignStamps && stamps != FirstStamp:
		return nil, fault.New(fault.BadInput, "Time stamps that differ can be refused, aligned or taken from the first, not %q", stamps)
	}
	first := strands[0]
	p := &Plied{strands: strands, offsets: make([]int64, len(strands))}
	start := first.Description.StartSamples
	channels := 0
	for i, s := range strands {
		f, g := s.File.Format, first.File.Format
		channels += f.Channels
		if f.SampleRate != g.SampleRate {
			return nil, fault.New(fault.BadInput, "%s is at %d Hz and %s at %d Hz; files of different rates can't be plied", s.Name,
				f.SampleRate, first.Name, g.SampleRate)
		}
		if f.Encoding != g.Encoding || f.BitDepth != g.BitDepth || f.Bytes != g.Bytes {
			return nil, fault.New(fault.BadInput, "%s has %d bit %s samples and %s %d bit %s; they can't be plied without changing one",
				s.Name, f.BitDepth, f.Encoding, first.Name, g.BitDepth, g.Encoding)
		}
		stamp := s.Description.StartSamples
		if stamps == RefuseStamps && !SameStamp(stamp, start) {
			return nil, fault.New(fault.BadInput, "%s starts at %s and %s at %s; say whether to align them or to take the first", s.Name,
				stampWord(s), first.Name, stampWord(first))
		}
		if stamps == AlignStamps {
			if stamp == nil {
				return nil, fault.New(fault.BadInput, "%s has no time stamp to align it by", s.Name)
			}
			near := first.Description.Rate().Near(timecode.Reading(*stamp), *first.Description.StartSamples, g.SampleRate)
			p.offsets[i] = near
		}
	}
	if stamps == AlignStamps {
		earliest := slices.Min(p.offsets)
		for i := range p.offsets {
			p.offsets[i] -= earliest
		}
		since := int64(first.Description.Rate().Since(earliest, first.File.Format.SampleRate))
		start = &since
	}
	frames := int64(-1)
	for i, s := range strands {
		end := p.offsets[i] + s.File.Frames
		switch {
		case frames < 0:
			frames = end
		case lengths == PadLengths || lengths == RefuseLengths && stamps == AlignStamps:
			frames = max(frames, end)
		case lengths == CutLengths:
			frames = min(frames, end)
		case end != frames:
			return nil, fault.New(fault.BadInput, "%s has %d sample frames and %s %d; say whether to pad or to cut", s.Name,
				s.File.Frames, first.Name, first.File.Frames)
		}
	}
	const dayAt192k = 24 * 3600 * 192000
	if frames > dayAt192k {
		return nil, fault.New(fault.BadInput, "The time stamps lie so far apart that the file would last more than a day")
	}
	p.header(start, channels, max(frames, 0))
	return p, nil
}

// SameStamp tells whether two files say the same of when they begin.
func SameStamp(a, b *int64) bool { return a == nil && b == nil || a != nil && b != nil && *a == *b }

func stampWord(s Strand) string {
	if s.Description.StartTimecode != nil {
		return *s.Description.StartTimecode
	}
	if s.Description.StartSamples != nil {
		return fmt.Sprintf("sample %d", *s.Description.StartSamples)
	}
	return "no time stamp"
}

func (p *Plied) header(start *int64, channels int, frames int64) {
	first := p.strands[0]
	h := wave.Header{Format: first.File.Format, Frames: frames, Extra: first.File.Carried(p.offsets[0] == 0)}
	h.Channels, h.Mask = channels, 0
	x := wave.IXML{Version: "2.10"}
	if first.File.IXML != nil {
		x = *first.File.IXML
		x.FileSet = nil // what belonged together is one file now
	}
	d := first.Description
	x.Scene, x.Take, x.Tape, x.Note = d.Scene, d.Take, d.Roll, d.Note
	if d.Circled {
		x.Circled = "TRUE"
	}
	x.Tracks = &wave.IXMLTracks{Count: fmt.Sprint(channels)}
	description := []string{}
	if first.File.Bext != nil {
		description = take.OtherLines(first.File.Bext.Description)
	}
	for _, s := range p.strands {
		for _, t := range s.Description.Tracks {
			name := t.Name
			if name == "" {
				name = strings.TrimSuffix(s.Name, ".wav")
				if len(s.Description.Tracks) > 1 {
					name = take.ChannelName(t)
				}
			}
			p.Tracks = append(p.Tracks, name)
			n := fmt.Sprint(len(p.Tracks))
			x.Tracks.Tracks = append(x.Tracks.Tracks, wave.IXMLTrack{ChannelIndex: n, InterleaveIndex: n, Name: name, Function: t.Function})
			description = append(description, fmt.Sprintf("sTRK%s=%s", n, name))
		}
	}
	if start != nil {
		b := wave.Bext{}
		if first.File.Bext != nil {
			b = *first.File.Bext
		}
		b.ClearLoudness()
		b.TimeReference, b.Description = *start, strings.Join(description, "\r\n")
		h.Bext = &b
		if x.Speed != nil {
			speed := *x.Speed
			speed.StampHigh, speed.StampLow, speed.StampRate = fmt.Sprint(*start>>32), fmt.Sprint(*start&0xffffffff),
				fmt.Sprint(h.SampleRate)
			x.Speed = &speed
		}
	}
	h.IXML = &x
	p.Header = h
}

// Write writes the plied file, byte for byte and in blocks. progress, which may be nil, is told the share done.
func (p *Plied) Write(ctx context.Context, to io.Writer, progress func(float64)) error {
	w, err := wave.NewWriter(to, p.Header)
	if err != nil {
		return err
	}
	h := p.Header
	most := h.BlockFrames(wave.AtOnce, h.Frames)
	out := make([]byte, most*h.FrameBytes())
	widest := 0
	for _, s := range p.strands {
		widest = max(widest, s.File.FrameBytes())
	}
	raw := make([]byte, most*widest)
	for at := int64(0); at < h.Frames; {
		if err := ctx.Err(); err != nil {
			return fault.Wrap(fault.Cancelled, err, "Ply was stopped")
		}
		n := int(min(int64(most), h.Frames-at))
		to := 0
		for i, s := range p.strands {
			block := raw[:n*s.File.FrameBytes()]
			if err := s.File.ReadOver(block, at-p.offsets[i], n); err != nil {
				return fault.Wrap(fault.KindOf(err), err, "%s could not be read", s.Name)
			}
			for c := range s.File.Channels {
				s.File.Extract(out, block, n, c, to, h.Channels)
				to++
			}
		}
		if err := w.WriteRaw(out[:n*h.FrameBytes()]); err != nil {
			return err
		}
		at += int64(n)
		if progress != nil {
			progress(float64(at) / float64(h.Frames))
		}
	}
	return w.Close()
}
