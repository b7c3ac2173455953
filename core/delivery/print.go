package delivery

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"hash"
	"io"
	"math"

	"golang.org/x/sync/errgroup"

	"zestyloom/core/dsp"
	"zestyloom/core/engine"
	"zestyloom/core/fault"
	"zestyloom/core/loudness"
	"zestyloom/core/reel"
	"zestyloom/core/wave"
)

// Output is where a file is written: front to back, and its header once more at the end.
type Output interface {
	io.Writer
	io.WriterAt
}

// Stamp is when a print is made, as bext writes it: yyyy-mm-dd and hh:mm:ss.
type Stamp struct{ Date, Time string }

// Printed is what Print remembers for Verify.
type Printed struct {
	Audio   map[string]string               // SHA-256 of each file's audio bytes as they were written, by file name
	Groups  map[string]loudness.Measurement // measured while printing, by group ID
	Clipped map[string]int64                // samples limited to full scale, by group ID
}

// blockFrames is the length of the blocks that are printed.
const blockFrames = 1 << 11

type file struct {
	plan    PlannedFile
	header  wave.Header
	out     Output
	writer  *wave.Writer
	hash    hash.Hash
	columns []int // of the engine's outputs
	limited []int64
}

// audioWriter passes audio on and hashes it.
type audioWriter struct {
	io.Writer
	hash hash.Hash
	skip int // bytes of header still to come
}

func (w *audioWriter) Write(b []byte) (int, error) {
	head := min(w.skip, len(b))
	w.skip -= head
	w.hash.Write(b[head:])
	return w.Writer.Write(b)
}

// Print renders the plan's files, all of them in one pass. r is the reel that NewPlan gave with the plan. create opens
// a file for writing; the caller closes it. progress is told the share done.
//
// Rendering, measuring and writing run side by side, each on its own goroutine, over a few blocks that go round.
func Print(ctx context.Context, p Plan, r *reel.Reel, open engine.Opener, create func(name string) (Output, error), stamp Stamp, progress func(float64)) (Printed, error) {
	printed := Printed{Audio: map[string]string{}, Groups: map[string]loudness.Measurement{}, Clipped: map[string]int64{}}
	if !p.Printable() {
		return printed, fault.New(fault.BadInput, "The plan has errors, so nothing was printed")
	}
	eng, err := engine.New(r, open, engine.Options{})
	if err != nil {
		return printed, err
	}
	outputs := r.OutputList()
	dither := make([]bool, len(outputs))
	meters := map[string]*loudness.Meter{}
	columns := map[string][]int{}
	for i, o := range outputs {
		dither[i] = p.Spec.BitDepth < 32 && !eng.Exact(i, p.Spec.BitDepth)
		columns[o.Group] = append(columns[o.Group], i)
	}
	for _, g := range r.GroupList() {
		meters[g.ID] = loudness.NewMeter(p.Spec.SampleRate, layoutOf(g))
	}
	var files []*file
	for _, planned := range p.Files {
		f, err := newFile(p, planned, r, create, stamp)
		if err != nil {
			return printed, err
		}
		files = append(files, f)
	}
	ring := newRing(len(outputs))
	work, ctx := errgroup.WithContext(ctx)
	work.Go(func() error {
		defer ring.end()
		for at := int64(0); at < p.Frames; {
			b, err := ring.empty(ctx)
			if err != nil {
				return fault.Wrap(fault.Cancelled, err, "The print was stopped")
			}
			n := int(min(blockFrames, p.Frames-at))
			if err := eng.Render(p.Start+at, n); err != nil {
				return err
			}
			for i, samples := range eng.Outputs() {
				to := b.fill(i, samples)
				if dither[i] {
					dsp.AddDither(to, p.Spec.BitDepth, i, at)
				}
				if p.Spec.BitDepth < 32 {
					printed.Clipped[outputs[i].Group] += limit(to, p.Spec.BitDepth)
				}
			}
			ring.pass(b)
			at += int64(n)
			progress(float64(at) / float64(p.Frames))
		}
		return nil
	})
	work.Go(func() error {
		for b := range ring.measure {
			for id, m := range meters {
				m.Write(pick(b.channels, columns[id]))
			}
			ring.release(b)
		}
		return nil
	})
	work.Go(func() error {
		var failed error
		for b := range ring.write {
			for _, f := range files {
				if failed == nil {
					failed = f.writer.WriteFrames(pick(b.channels, f.columns), f.limited)
				}
			}
			if failed != nil {
				return failed // which ends the context, and with it the others
			}
			ring.release(b)
		}
		return nil
	})
	if err := work.Wait(); err != nil {
		return printed, err
	}
	for id, m := range meters {
		printed.Groups[id] = m.Measurement()
	}
	for _, f := range files {
		if err := f.finish(printed); err != nil {
			return printed, err
		}
	}
	return printed, nil
}

func newFile(p Plan, planned PlannedFile, r *reel.Reel, create func(name string) (Output, error), stamp Stamp) (*file, error) {
	var mask uint32
	if len(planned.Groups) == 1 {
		mask = layoutOf(r.Groups[planned.Groups[0]]).Mask()
	}
	f := &file{plan: planned, hash: sha256.New(), limited: make([]int64, len(planned.Channels))}
	f.header = wave.Header{Format: p.Spec.Format(len(planned.Channels), mask), Frames: p.Frames}
	f.header.Bext = &wave.Bext{
		Description: fmt.Sprintf("sSCENE=%s\r\nsTAPE=%s\r\nsNOTE=%s", p.Reel, p.Production, p.Spec.Title),
		Originator:  "Zesty Loom", Date: stamp.Date, Time: stamp.Time, TimeReference: p.Start,
		CodingHistory: fmt.Sprintf("A=PCM,F=%d,W=%d,M=%d channels,T=Zesty Loom\r\n", p.Spec.SampleRate, p.Spec.BitDepth, len(planned.Channels)),
	}
	rate := r.Head.FrameRate
	flag := "NDF"
	if rate.Drop {
		flag = "DF"
	}
	f.header.IXML = &wave.IXML{
		Version: "2.10", Project: p.Production, Scene: p.Reel, Note: p.Spec.Title,
		Speed: &wave.IXMLSpeed{TimecodeRate: fmt.Sprintf("%d/%d", rate.Num, rate.Den), TimecodeFlag: flag, FileSampleRate: fmt.Sprint(p.Spec.SampleRate), BitDepth: fmt.Sprint(p.Spec.BitDepth),
			StampHigh: fmt.Sprint(p.Start >> 32), StampLow: fmt.Sprint(p.Start & 0xffffffff), StampRate: fmt.Sprint(p.Spec.SampleRate)},
		Tracks: &wave.IXMLTracks{Count: fmt.Sprint(len(planned.Channels))},
	}
	outputs := r.OutputList()
	for _, c := range planned.Channels {
		f.header.IXML.Tracks.Tracks = append(f.header.IXML.Tracks.Tracks, wave.IXMLTrack{ChannelIndex: fmt.Sprint(c.Index), InterleaveIndex: fmt.Sprint(c.Index), Name: c.Name, Function: c.Label})
		for i, o := range outputs {
			if o.ID == c.Output {
				f.columns = append(f.columns, i)
			}
		}
	}
	head, err := f.header.Marshal()
	if err != nil {
		return nil, err
	}
	if f.out, err = create(planned.Name); err != nil {
		return nil, err
	}
	f.writer, err = wave.NewWriter(&audioWriter{f.out, f.hash, len(head)}, f.header)
	return f, err
}

// finish ends the file and writes its header again with the loudness of its group. A file of several groups has no
// loudness that means anything, so its fields stay empty.
func (f *file) finish(printed Printed) error {
	if err := f.writer.Close(); err != nil {
		return err
	}
	printed.Audio[f.plan.Name] = hex.EncodeToString(f.hash.Sum(nil))
	if len(f.plan.Groups) != 1 {
		return nil
	}
	m := printed.Groups[f.plan.Groups[0]]
	b := f.header.Bext
	b.IntegratedLUFS, b.RangeLU, b.TruePeakMaxDBTP, b.MomentaryMaxLUFS, b.ShortTermMaxLUFS = m.IntegratedLUFS, m.LoudnessRangeLU, m.TruePeakMaxDBTP, m.MomentaryMaxLUFS, m.ShortTermMaxLUFS
	head, err := f.header.Marshal()
	if err != nil {
		return err
	}
	_, err = f.out.WriteAt(head, 0)
	return err
}

// limit holds samples within what integers of that many bits can say, before they are measured, so that what is
// measured is what is written. It gives the number of samples that went over.
func limit(samples []float64, bits int) (over int64) {
	highest := 1 - math.Ldexp(1, 1-bits)
	for i, x := range samples {
		if x > highest {
			samples[i] = highest
		} else if x < -1 {
			samples[i] = -1
		} else {
			continue
		}
		if x > 1 || x < -1 { // reaching full scale, or rounding to it, is not clipping
			over++
		}
	}
	return over
}

func pick(block [][]float64, columns []int) [][]float64 {
	out := make([][]float64, len(columns))
	for i, c := range columns {
		out[i] = block[c]
	}
	return out
}
