package delivery

import (
	"context"
	"hash/maphash"
	"io"
	"maps"
	"math"
	"runtime"
	"slices"

	"golang.org/x/sync/errgroup"

	"zestyloom/core/chain"
	"zestyloom/core/contract"
	"zestyloom/core/dsp"
	"zestyloom/core/engine"
	"zestyloom/core/fault"
	"zestyloom/core/loudness"
	"zestyloom/core/reel"
	"zestyloom/core/vec"
	"zestyloom/core/weave"
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
	Audio  map[string]uint64 // a sum over each part's audio bytes as they were written, by name
	Whole  map[string]Whole  // parts that were whole already, by name
	Groups []map[string]Made // what came of each group, range by range, by group ID
}

// Made is what was measured of a group while it was printed.
type Made struct {
	loudness.Measurement
	Clipped int64   `json:"clipped,omitempty"` // samples limited to full scale
	Peak    float64 `json:"peak,omitempty"`    // the largest of those before they were limited; full scale is 1
}

// Whole is a part that an earlier print has made of all the same (Fingerprint), so that it need not be rendered again.
type Whole struct {
	SHA256 string
	When   string          // it was made, in words
	Groups map[string]Made // that it holds
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

// Press is what a plan is printed with.
type Press struct {
	Open     engine.Opener                             // the sound of takes
	Create   func(name string) (Output, error)         // opens a file for writing; whoever gave this closes it
	Stamp    Stamp                                     //
	Whole    map[string]Whole                          // parts, by name, that lie in their places already and stay as they are
	Progress func(share float64)                       // is told the share done; nil where nobody asks
	Ranged   func(parts []Part, printed Printed) error // is told of the parts of a range that are written whole; nil where nobody asks
}

// Print renders the plan's parts, all those of a range in one pass. r is the reel that NewPlan gave with the plan. What is to
// be at another rate than the reel is written as it is rendered, beside where it will be (Raw), and is for Resample.
func Print(ctx context.Context, p Plan, r *reel.Reel, press Press) (Printed, error) {
	whole := press.Whole
	printed := Printed{Audio: map[string]uint64{}, Whole: whole}
	if !p.Printable() {
		return printed, fault.New(fault.BadInput, "The plan has errors, so nothing was printed")
	}
	var groups []string
	total, done := int64(0), int64(0)
	for i, s := range p.Ranges {
		parts, of := p.left(i, whole)
		if groups = append(groups, of...); len(parts) > 0 {
			total += s.Frames()
		}
		printed.Groups = append(printed.Groups, p.wholeGroups(i, whole))
	}
	if total == 0 {
		return printed, nil
	}
	sounding, err := weave.Reaching(r, weave.Groups(groups))
	if err != nil {
		return printed, err
	}
	engines, err := newEngines(sounding, press.Open)
	if err != nil {
		return printed, err
	}
	for i, s := range p.Ranges {
		parts, of := p.left(i, whole)
		if len(parts) == 0 {
			continue
		}
		pass, err := newPass(p, r, i, parts, of, engines, press)
		if err != nil {
			return printed, err
		}
		err = pass.run(ctx, &printed, func(frames int64) {
			if press.Progress != nil {
				press.Progress(min(1, float64(done+frames)/float64(total)))
			}
		})
		if err == nil && press.Ranged != nil {
			err = press.Ranged(parts, printed)
		}
		if err != nil {
			return printed, err
		}
		done += s.Frames()
	}
	return printed, nil
}

// left gives the parts of a range that are still to be printed, and the groups in them.
func (p Plan) left(at int, whole map[string]Whole) (parts []Part, groups []string) {
	for _, part := range p.Parts() {
		if _, there := whole[part.Name]; there || p.Files[part.File].Range != at {
			continue
		}
		parts = append(parts, part)
		for _, id := range part.groups() {
			if !slices.Contains(groups, id) {
				groups = append(groups, id)
			}
		}
	}
	return parts, groups
}

// wholeGroups gives what is known of the groups of parts that are whole.
func (p Plan) wholeGroups(at int, whole map[string]Whole) map[string]Made {
	made := map[string]Made{}
	for _, part := range p.Parts() {
		if p.Files[part.File].Range == at {
			maps.Copy(made, whole[part.Name].Groups)
		}
	}
	return made
}

// Raw is what the name of a part is before it is resampled.
func Raw(name string) string { return name + ".raw.wav" }

// newEngines gives as many engines as there are processors, which take blocks in turn: one block does not wait for the one
// before. Where something in the reel remembers, it does, and there is one engine.
func newEngines(r *reel.Reel, open engine.Opener) ([]*engine.Engine, error) {
	var engines []*engine.Engine
	// Always as much, whatever else is printed, so that the bytes do not depend on that.
	runUp := chain.LongestMemory * int64(r.Head.SampleRate)
	at := min(runtime.GOMAXPROCS(0), mostEngines)
	for range at {
		e, err := engine.New(r, open, engine.Options{Block: blockFrames, RunUp: runUp, Most: runUp, Hands: at})
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
	at      int // place of the range
	span    PlannedRange
	outputs []reel.Output
	engines []*engine.Engine
	forms   []making
	exact   [][]bool // by form and output: it needs no dither
	signals []placedSignal
	files   []*file
	meters  *meters
	used    []bool // outputs that are of its groups
}

// newPass sets out to print parts of a range, with those groups in them.
func newPass(p Plan, r *reel.Reel, at int, parts []Part, groups []string, engines []*engine.Engine, press Press) (*pass, error) {
	measured := slices.DeleteFunc(r.GroupList(), func(g reel.Group) bool { return !slices.Contains(groups, g.ID) })
	s := &pass{plan: p, at: at, span: p.Ranges[at], outputs: r.OutputList(), engines: engines, meters: newMeters(measured, r, p.Rate)}
	s.signals = p.signals(s.span, r.Head.FrameRate)
	for _, o := range s.outputs {
		s.used = append(s.used, slices.Contains(groups, o.Group))
	}
	for _, part := range parts {
		want := p.Files[part.File].formOf(p.Rate)
		if !slices.Contains(s.forms, want) {
			s.forms = append(s.forms, want)
			exact := slices.Repeat([]bool{true}, len(s.outputs))
			if want.depth < 32 {
				exact = engines[0].Exact(reel.Span{From: s.span.From, To: s.span.To}, want.depth)
			}
			s.exact = append(s.exact, exact)
		}
		f, err := newFile(p, part, r, press.Create, press.Stamp)
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
	limited := make([]over, len(s.outputs))
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
							limited[c] = limited[c].and(o)
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
	measured := printed.Groups[s.at]
	for id, m := range s.meters.measurements() {
		measured[id] = Made{Measurement: m}
	}
	for c, o := range limited {
		if group := s.outputs[c].Group; s.used[c] {
			measured[group] = measured[group].with(o)
		}
	}
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

// with adds what was limited.
func (m Made) with(o over) Made {
	m.Clipped, m.Peak = m.Clipped+o.samples, max(m.Peak, o.peak)
	return m
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
			if !s.used[i] {
				continue // nobody reads it
			}
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
		if len(sig.Of) > 0 && !slices.ContainsFunc(sig.Of, func(id string) bool { return contract.Stands(id, o.Group) }) {
			continue
		}
		sig.add(x, at, s.plan.Rate)
		added = true
	}
	return added
}

func (o over) and(more over) over { return over{o.samples + more.samples, max(o.peak, more.peak)} }

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
