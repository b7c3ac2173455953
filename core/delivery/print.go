package delivery

import (
	"context"
	"hash/maphash"
	"io"
	"math"
	"runtime"
	"slices"

	"golang.org/x/sync/errgroup"

	"zestyloom/core/dsp"
	"zestyloom/core/engine"
	"zestyloom/core/fault"
	"zestyloom/core/loudness"
	"zestyloom/core/reel"
	"zestyloom/core/vec"
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
	Audio   map[string]uint64                 // a sum over each part's audio bytes as they were written, by name
	Groups  []map[string]loudness.Measurement // measured while printing, range by range, by group ID
	Clipped map[string]int64                  // samples limited to full scale, by group ID
	Peaks   map[string]float64                // the largest of those before they were limited, by group ID; full scale is 1
}

// blockFrames is the length of the blocks that are printed.
const blockFrames = 1 << 11

// mostEngines bounds how many blocks are rendered side by side.
const mostEngines = 8

// seed is that of the sums by which what is read back is known to be what was written. The sums live no longer than the
// process; what is handed over is told by SHA-256.
var seed = maphash.MakeSeed()

func newSum() *maphash.Hash {
	h := &maphash.Hash{}
	h.SetSeed(seed)
	return h
}

// Print renders the plan's parts, all those of a range in one pass. r is the reel that NewPlan gave with the plan. create
// opens a file for writing; the caller closes it. What is to be at another rate than the reel is written as it is rendered,
// beside where it will be (Raw), and is for Resample. progress is told the share done.
func Print(ctx context.Context, p Plan, r *reel.Reel, open engine.Opener, create func(name string) (Output, error), stamp Stamp, progress func(float64)) (Printed, error) {
	printed := Printed{Audio: map[string]uint64{}, Clipped: map[string]int64{}, Peaks: map[string]float64{}}
	if !p.Printable() {
		return printed, fault.New(fault.BadInput, "The plan has errors, so nothing was printed")
	}
	engines, err := newEngines(r, open)
	if err != nil {
		return printed, err
	}
	total, done := int64(0), int64(0)
	for _, s := range p.Ranges {
		total += s.Frames()
	}
	for i, s := range p.Ranges {
		pass, err := newPass(p, r, i, engines, create, stamp)
		if err != nil {
			return printed, err
		}
		err = pass.run(ctx, &printed, func(frames int64) { progress(min(1, float64(done+frames)/float64(total))) })
		if err != nil {
			return printed, err
		}
		done += s.Frames()
	}
	return printed, nil
}

// Raw is what the name of a part is before it is resampled.
func Raw(name string) string { return name + ".raw.wav" }

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

// making is how samples are made ready for a file: their bits, and whether they are dithered.
type making struct {
	depth  int
	dither bool
}

// formOf is the form of a file while it is printed. What is resampled keeps all of its bits until then.
func (f PlannedFile) formOf(rate int) making {
	if f.Rate != rate || f.Depth >= 32 {
		return making{32, false}
	}
	return making{f.Depth, f.Dither}
}

// pass prints one range.
//
// Rendering, measuring and writing run side by side, each on its own goroutine, over a few blocks that go round.
type pass struct {
	plan    Plan
	span    PlannedRange
	outputs []reel.Output
	engines []*engine.Engine
	forms   []making
	exact   [][]bool // by form and output: it needs no dither
	signals []placedSignal
	files   []*file
	meters  *meters
}

func newPass(p Plan, r *reel.Reel, at int, engines []*engine.Engine, create func(name string) (Output, error), stamp Stamp) (*pass, error) {
	s := &pass{plan: p, span: p.Ranges[at], outputs: r.OutputList(), engines: engines, meters: newMeters(r.GroupList(), r, p.Rate)}
	s.signals = p.signals(s.span, r.Head.FrameRate)
	for _, part := range p.Parts() {
		planned := p.Files[part.File]
		if planned.Range != at {
			continue
		}
		want := planned.formOf(p.Rate)
		if !slices.Contains(s.forms, want) {
			s.forms = append(s.forms, want)
			exact := make([]bool, len(s.outputs))
			for i := range exact {
				exact[i] = want.depth >= 32 || engines[0].Exact(i, want.depth)
			}
			s.exact = append(s.exact, exact)
		}
		f, err := newFile(p, part, r, create, stamp)
		if err != nil {
			return nil, err
		}
		f.form = slices.Index(s.forms, want)
		s.files = append(s.files, f)
	}
	return s, nil
}

func (s *pass) run(ctx context.Context, printed *Printed, progress func(frames int64)) error {
	frames := s.span.Frames()
	ring := newRing(len(s.outputs), len(s.forms), len(s.engines))
	work, ctx := errgroup.WithContext(ctx)
	work.Go(func() error {
		defer ring.end()
		renderers, ctx := errgroup.WithContext(ctx)
		for k, eng := range s.engines {
			renderers.Go(func() error {
				for at := int64(k) * blockFrames; at < frames; at += blockFrames * int64(len(s.engines)) {
					b, err := ring.empty(ctx)
					if err != nil {
						return fault.Wrap(fault.Cancelled, err, "The print was stopped")
					}
					over, err := s.render(eng, b, at)
					if err != nil {
						return err
					}
					err = ring.pass(ctx, k, b, func() {
						for c, o := range over {
							group := s.outputs[c].Group
							printed.Clipped[group] += o.samples
							printed.Peaks[group] = max(printed.Peaks[group], o.peak)
						}
						progress(at + blockFrames)
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
			s.measure(b)
			ring.release(b)
		}
		return nil
	})
	work.Go(func() error {
		for b := range ring.write {
			for _, f := range s.files {
				if err := f.writer.WriteFrames(pick(b.forms[f.form], f.columns), f.limited); err != nil {
					return err // which ends the context, and with it the others
				}
			}
			ring.release(b)
		}
		return nil
	})
	if err := work.Wait(); err != nil {
		return err
	}
	measured := s.meters.measurements()
	printed.Groups = append(printed.Groups, measured)
	for _, f := range s.files {
		if err := f.finish(printed, measured); err != nil {
			return err
		}
	}
	return nil
}

// measure measures what of a block is programme: line-up tones are none.
func (s *pass) measure(b *block) {
	n := int64(len(b.forms[0][0]))
	from, to := max(0, s.span.Lead-b.at), min(n, s.span.Frames()-s.span.Tail-b.at)
	if to <= from {
		return
	}
	channels := make([][]float64, len(b.forms[0]))
	for c, x := range b.forms[0] {
		channels[c] = x[from:to]
	}
	s.meters.write(channels)
}

// over is what went over full scale: how many samples, and the largest of them.
type over struct {
	samples int64
	peak    float64
}

// render makes a block of the range's files that begins at a place of them, in every form. It gives what of each output was
// limited, in the form where most was.
func (s *pass) render(eng *engine.Engine, b *block, at int64) (went []over, err error) {
	n := min(blockFrames, s.span.Frames()-at)
	b.at = at
	from, to := max(0, s.span.Lead-at), min(n, s.span.Frames()-s.span.Tail-at) // of the block, which are programme
	var programme [][]float64
	if to > from {
		if err := eng.Render(s.span.From+at+from-s.span.Lead, int(to-from)); err != nil {
			return nil, err
		}
		programme = eng.Outputs()
	}
	went = make([]over, len(s.outputs))
	for k, f := range s.forms {
		for i, o := range s.outputs {
			x := b.room(k, i, int(n))
			if to > from {
				clear(x[:from])
				copy(x[from:to], programme[i])
				clear(x[to:])
			} else {
				clear(x)
			}
			signal := s.signal(x, o, at)
			if f.dither && (!s.exact[k][i] || signal) {
				dsp.AddDither(x, f.depth, i, at)
			}
			if f.depth < 32 {
				if o := limit(x, f.depth); o.samples > went[i].samples {
					went[i] = o
				}
			}
		}
	}
	return went, nil
}

// signal adds what leads and follows the programme, and tells whether anything was.
func (s *pass) signal(x []float64, o reel.Output, at int64) bool {
	added := false
	for _, sig := range s.signals {
		if sig.at >= at+int64(len(x)) || sig.at+sig.length <= at {
			continue
		}
		if len(sig.Of) > 0 && !slices.ContainsFunc(sig.Of, func(id string) bool { return stands(id, o.Group) }) {
			continue
		}
		sig.add(x, at, s.plan.Rate)
		added = true
	}
	return added
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

func pick(block [][]float64, columns []int) [][]float64 {
	out := make([][]float64, len(columns))
	for i, c := range columns {
		out[i] = block[c]
	}
	return out
}
