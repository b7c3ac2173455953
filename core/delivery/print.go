package delivery

import (
	"context"
	"fmt"
	"hash/maphash"
	"io"
	"math"
	"runtime"

	"golang.org/x/sync/errgroup"

	"zestyloom/core/dsp"
	"zestyloom/core/engine"
	"zestyloom/core/fault"
	"zestyloom/core/layout"
	"zestyloom/core/loudness"
	"zestyloom/core/reel"
	"zestyloom/core/vec"
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
	Audio   map[string]uint64               // a sum over each file's audio bytes as they were written, by file name
	Groups  map[string]loudness.Measurement // measured while printing, by group ID
	Clipped map[string]int64                // samples limited to full scale, by group ID
	Peaks   map[string]float64              // the largest of those before they were limited, by group ID; full scale is 1
}

// blockFrames is the length of the blocks that are printed.
const blockFrames = 1 << 11

// mostEngines bounds how many blocks are rendered side by side.
const mostEngines = 8

type file struct {
	plan    PlannedFile
	header  wave.Header
	out     Output
	writer  *wave.Writer
	hash    *maphash.Hash
	columns []int // of the engine's outputs
	limited []int64
}

// seed is that of the sums by which what is read back is known to be what was written. The sums live no longer than the
// process; what is handed over is told by SHA-256.
var seed = maphash.MakeSeed()

func newSum() *maphash.Hash {
	h := &maphash.Hash{}
	h.SetSeed(seed)
	return h
}

// audioWriter passes audio on and hashes it.
type audioWriter struct {
	io.Writer
	hash *maphash.Hash
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
	printed := Printed{Audio: map[string]uint64{}, Clipped: map[string]int64{}, Peaks: map[string]float64{}}
	if !p.Printable() {
		return printed, fault.New(fault.BadInput, "The plan has errors, so nothing was printed")
	}
	engines, err := newEngines(r, open)
	if err != nil {
		return printed, err
	}
	outputs := r.OutputList()
	dither := make([]bool, len(outputs))
	for i := range outputs {
		dither[i] = p.Spec.BitDepth < 32 && !engines[0].Exact(i, p.Spec.BitDepth)
	}
	meters := newMeters(p, r)
	var files []*file
	for _, planned := range p.Files {
		f, err := newFile(p, planned, r, create, stamp)
		if err != nil {
			return printed, err
		}
		files = append(files, f)
	}
	ring := newRing(len(outputs), len(engines))
	work, ctx := errgroup.WithContext(ctx)
	work.Go(func() error {
		defer ring.end()
		renderers, ctx := errgroup.WithContext(ctx)
		for k, eng := range engines {
			renderers.Go(func() error {
				for at := int64(k) * blockFrames; at < p.Frames; at += blockFrames * int64(len(engines)) {
					b, err := ring.empty(ctx)
					if err != nil {
						return fault.Wrap(fault.Cancelled, err, "The print was stopped")
					}
					over, err := render(eng, p, b, dither, at)
					if err != nil {
						return err
					}
					err = ring.pass(ctx, k, b, func() {
						for c, o := range over {
							group := outputs[c].Group
							printed.Clipped[group] += o.samples
							printed.Peaks[group] = max(printed.Peaks[group], o.peak)
						}
						progress(min(1, float64(at+blockFrames)/float64(p.Frames)))
					})
					if err != nil {
						return fault.Wrap(fault.Cancelled, err, "The print was stopped")
					}
				}
				return nil
			})
		}
		return renderers.Wait()
	})
	work.Go(func() error {
		for b := range ring.measure {
			meters.write(b.channels)
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
	printed.Groups = meters.measurements()
	for _, f := range files {
		if err := f.finish(printed); err != nil {
			return printed, err
		}
	}
	return printed, nil
}

// newEngines gives as many engines as there are processors, which take blocks in turn: one block does not wait for the one
// before. Where something in the reel remembers, it does, and there is one engine.
func newEngines(r *reel.Reel, open engine.Opener) ([]*engine.Engine, error) {
	var engines []*engine.Engine
	for range min(runtime.GOMAXPROCS(0), mostEngines) {
		e, err := engine.New(r, open, engine.Options{Block: blockFrames})
		if err != nil {
			return nil, err
		}
		if engines = append(engines, e); e.Remembers() {
			break
		}
	}
	return engines, nil
}

// over is what went over full scale: how many samples, and the largest of them.
type over struct {
	samples int64
	peak    float64
}

// render makes a block as it is to be written. It gives what of each output was limited.
func render(eng *engine.Engine, p Plan, b *block, dither []bool, at int64) (went []over, err error) {
	if err := eng.Render(p.Start+at, int(min(blockFrames, p.Frames-at))); err != nil {
		return nil, err
	}
	went = make([]over, len(dither))
	for i, samples := range eng.Outputs() {
		to := b.fill(i, samples)
		if dither[i] {
			dsp.AddDither(to, p.Spec.BitDepth, i, at)
		}
		if p.Spec.BitDepth < 32 {
			went[i] = limit(to, p.Spec.BitDepth)
		}
	}
	return went, nil
}

func newFile(p Plan, planned PlannedFile, r *reel.Reel, create func(name string) (Output, error), stamp Stamp) (*file, error) {
	var mask uint32
	if len(planned.Groups) == 1 {
		mask = layoutOf(r.Groups[planned.Groups[0]]).Mask()
	}
	f := &file{plan: planned, hash: newSum(), limited: make([]int64, len(planned.Channels))}
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
	printed.Audio[f.plan.Name] = f.hash.Sum64()
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
// measured is what is written.
func limit(samples []float64, bits int) (went over) {
	highest := 1 - math.Ldexp(1, 1-bits)
	if vec.Largest(samples) <= highest { // as it is nearly always
		return over{}
	}
	for i, x := range samples {
		if x > highest {
			samples[i] = highest
		} else if x < -1 {
			samples[i] = -1
		} else {
			continue
		}
		if x > 1 || x < -1 { // reaching full scale, or rounding to it, is not clipping
			went.samples++
			went.peak = max(went.peak, math.Abs(x))
		}
	}
	return went
}

// meters measure all output groups together.
type meters struct {
	bank   *loudness.Bank
	groups []reel.Group
	picked []int // the outputs, group after group
}

func newMeters(p Plan, r *reel.Reel) *meters {
	m := &meters{groups: r.GroupList()}
	var layouts []layout.Layout
	for _, g := range m.groups {
		layouts = append(layouts, layoutOf(g))
		for i, o := range r.OutputList() {
			if o.Group == g.ID {
				m.picked = append(m.picked, i)
			}
		}
	}
	m.bank = loudness.NewBank(p.Spec.SampleRate, 4, layouts...)
	return m
}

// write takes a block of all outputs, in the order of the reel's OutputList.
func (m *meters) write(block [][]float64) { m.bank.Write(pick(block, m.picked)) }

// measurements gives what was found, by group.
func (m *meters) measurements() map[string]loudness.Measurement {
	found := map[string]loudness.Measurement{}
	for i, one := range m.bank.Measurements() {
		found[m.groups[i].ID] = one
	}
	return found
}

func pick(block [][]float64, columns []int) [][]float64 {
	out := make([][]float64, len(columns))
	for i, c := range columns {
		out[i] = block[c]
	}
	return out
}
