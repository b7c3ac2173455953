package wires

import (
	"errors"
	"fmt"
	"io"

	"zestyloom/core/fault"
	"zestyloom/core/layout"
	"zestyloom/core/reel"
	"zestyloom/core/unravel"
	"zestyloom/core/wave"
)

// recordedBits is how many bits of a sample are recorded: what a digital line carries.
const recordedBits = 24

// Out is a file that a recording is written to: front to back, and its header once more at the end.
type Out interface {
	io.Writer
	io.WriterAt
	Truncate(size int64) error
	Sync() error
	io.Closer
}

// Recording is what leaves on the outputs of a reel as it is written into files: a BW64 of 24 bits for each group, with the time stamp of its
// first sample and the label of each channel.
type Recording struct {
	sheets []sheet
	frames int64
	lost   []int64
}

// sheet is the file of a group.
type sheet struct {
	header wave.Header
	first  int // of its outputs
	out    Out
	writer *wave.Writer
}

// Record begins a recording at a place of a reel, in samples since midnight. What can't be begun leaves no file open.
func Record(r *reel.Reel, from int64, create func(name string) (Out, error)) (*Recording, error) {
	outputs := r.OutputList()
	if len(outputs) == 0 {
		return nil, fault.New(fault.BadInput, "There are no outputs to record")
	}
	rec := &Recording{lost: make([]int64, len(outputs))}
	taken := map[string]bool{}
	for i := 0; i < len(outputs); {
		g := r.Groups[outputs[i].Group]
		n := 0
		for i+n < len(outputs) && outputs[i+n].Group == g.ID {
			n++
		}
		if err := rec.open(r, g, outputs[i:i+n], i, from, taken, create); err != nil {
			return nil, errors.Join(err, rec.close())
		}
		i += n
	}
	return rec, nil
}

// open begins the file of outputs of a group.
func (rec *Recording) open(r *reel.Reel, g reel.Group, outputs []reel.Output, first int, from int64, taken map[string]bool,
	create func(name string) (Out, error)) error {
	rate := r.Head.SampleRate
	labels := make([]string, len(outputs))
	tracks := &wave.IXMLTracks{Count: fmt.Sprint(len(outputs))}
	for c, o := range outputs {
		labels[c] = o.Label
		tracks.Tracks = append(tracks.Tracks, wave.IXMLTrack{ChannelIndex: fmt.Sprint(o.Number), InterleaveIndex: fmt.Sprint(c + 1), Name: o.Label})
	}
	s := sheet{first: first, header: wave.Header{Wide: true,
		Format: wave.Format{Encoding: wave.PCM, Channels: len(outputs), SampleRate: rate, BitDepth: recordedBits, Bytes: recordedBits / 8,
			Mask: layout.Layout{Labels: labels}.Mask()},
		Bext: &wave.Bext{Description: fmt.Sprintf("sSCENE=%s\r\nsNOTE=%s", r.Head.Name, g.Name), Originator: "Zesty Loom", TimeReference: max(0, from)},
		IXML: &wave.IXML{Version: "2.10", Scene: r.Head.Name, Note: g.Name, Speed: wave.SpeedOf(r.Head.FrameRate, rate, recordedBits, from),
			Tracks: tracks},
	}}
	var err error
	if s.out, err = create(recordedName(r.Head.Name, g, taken)); err != nil {
		return err
	}
	rec.sheets = append(rec.sheets, s)
	last := &rec.sheets[len(rec.sheets)-1]
	last.writer, err = wave.NewWriter(s.out, s.header)
	return err
}

// recordedName gives the name of a group's file, that no other has.
func recordedName(name string, g reel.Group, taken map[string]bool) string {
	tag := g.Tag
	if tag == "" {
		tag = g.Name
	}
	base := unravel.FileSafe(name + "_" + tag)
	for n := 1; ; n++ {
		file := base + ".wav"
		if n > 1 {
			file = fmt.Sprintf("%s_%d.wav", base, n)
		}
		if !taken[file] {
			taken[file] = true
			return file
		}
	}
}

// Write takes the next block of all outputs, outputs × frames.
func (rec *Recording) Write(outputs [][]float64) error {
	if len(outputs) != len(rec.lost) || len(outputs[0]) == 0 {
		return nil
	}
	for _, s := range rec.sheets {
		end := s.first + s.header.Channels
		if err := s.writer.WriteFrames(outputs[s.first:end], rec.lost[s.first:end]); err != nil {
			return err
		}
	}
	rec.frames += int64(len(outputs[0]))
	return nil
}

// Frames is how many have been written.
func (rec *Recording) Frames() int64 { return rec.frames }

// Files is how many files there are.
func (rec *Recording) Files() int { return len(rec.sheets) }

// Over gives the outputs on which something was louder than full scale, from 0.
func (rec *Recording) Over() (list []int) {
	for i, n := range rec.lost {
		if n > 0 {
			list = append(list, i)
		}
	}
	return list
}

// End writes what was not known before, and closes the files: of as many frames as have been written to all of them.
func (rec *Recording) End() error {
	var errs []error
	for _, s := range rec.sheets {
		s.header.Frames = rec.frames
		errs = append(errs, s.end())
	}
	return errors.Join(append(errs, rec.close())...)
}

// end cuts off what was written of a block that other files lack, and writes the header again.
func (s sheet) end() error {
	head, err := s.header.Marshal()
	if err != nil {
		return err
	}
	size := int64(len(head)) + s.header.Frames*int64(s.header.FrameBytes())
	if err := s.out.Truncate(size + size%2); err != nil { // chunks have even sizes
		return err
	}
	if _, err := s.out.WriteAt(head, 0); err != nil {
		return err
	}
	return s.out.Sync()
}

func (rec *Recording) close() error {
	var errs []error
	for _, s := range rec.sheets {
		errs = append(errs, s.out.Close())
	}
	return errors.Join(errs...)
}
