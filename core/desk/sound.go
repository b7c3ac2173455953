package desk

import (
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"
	"sync"

	"zestyloom/core/contract"
	"zestyloom/core/diagnose"
	"zestyloom/core/dsp"
	"zestyloom/core/fault"
	"zestyloom/core/layout"
	"zestyloom/core/loudness"
)

// blockFrames is the length of the blocks that are read.
const blockFrames = 1 << 12

// listen reads the sound: the files of a range and rate in step.
func (c *checking) listen(ctx context.Context, list []*placed, progress func(float64)) error {
	type pass struct {
		span string
		rate int
	}
	var passes []pass
	total, done := int64(1), int64(0)
	for _, p := range list {
		if at := (pass{p.span, rateOf(p.file)}); !slices.Contains(passes, at) {
			passes = append(passes, at)
		}
		total += p.file.Size
	}
	measured := map[string]bool{}
	for _, at := range passes {
		h := hearing{checking: c, rate: at.rate, span: at.span, measured: measured, several: several(list)}
		size := int64(0)
		for _, p := range list {
			if p.span == at.span && rateOf(p.file) == at.rate {
				h.files = append(h.files, p)
				size += p.file.Size
			}
		}
		if err := h.run(ctx, func(share float64) { progress((float64(done) + share*float64(size)) / float64(total)) }); err != nil {
			return err
		}
		done += size
	}
	c.resampled()
	c.lengths(list)
	c.unmeasured(list, measured)
	return nil
}

// hearing is the sound of files that are read in step.
type hearing struct {
	*checking
	rate     int
	span     string
	files    []*placed
	measured map[string]bool // groups, by range
	streams  []*reading
	around   around
	columns  []*column
	groups   []*group
	proven   []*proof
	copies   *copies
	several  bool // some files are at other rates
}

// reading is a stream while it is read.
type reading struct {
	file   *placed
	stream int
	sound  Sound
	block  [][]float64
	frames int64 // read so far
	ended  bool
	most   int64 // what the file says that it has; 0 where it does not
}

// column is a channel of a file.
type column struct {
	place
	file       *placed
	from       *reading
	peak       float64
	peakAt     int64
	run, runs  int   // full-scale samples in a row; runs that are too long
	runAt      int64 // where the first of those began
	strange    int64
	strangeAt  int64
	stray      float64 // the largest sample around the programme that nobody asked for; where the first was
	strayAt    int64
	quietest   float64 // a sample that is not louder is as good as silent
	fullScale  float64
	tooManyRun int
	ear        *diagnose.Ear
	sketch     sketch          // where files are at several rates
	above      *diagnose.Above // of an LFE
}

// group is a group of which all channels are there.
type group struct {
	*instance
	columns []*column
	silent  int64 // frames of silence in a row
	longest int64
	worst   int64 // where the longest silence began
	loudest float64
	loudAt  int64 // where it was louder than silence first
	loud    bool
	peaks   loudness.Run // the largest sample of every peakFrames
	peak    float64      // since the last of those
	count   int
	sizes   []float64 // of the last block, the largest of the channels
}

// peakFrames is how many samples are one when a group is drawn.
const peakFrames = 480

func (h *hearing) run(ctx context.Context, progress func(float64)) error {
	defer func() {
		for _, r := range h.streams {
			if r.sound != nil {
				r.sound.Close()
			}
		}
	}()
	if err := h.open(ctx); err != nil || len(h.streams) == 0 {
		return err
	}
	h.arrange()
	bank := h.bank()
	length := int64(0)
	for _, r := range h.streams {
		length = max(length, r.most)
	}
	for at := int64(0); ; {
		if err := ctx.Err(); err != nil {
			return fault.Wrap(fault.Cancelled, err, "The check was stopped")
		}
		n, err := h.next()
		if err != nil {
			return err
		}
		if n == 0 {
			break
		}
		h.look(at, n)
		from, to := max(0, h.around.lead-at), min(int64(n), length-h.around.tail-at)
		if length == 0 || h.around.tail == 0 {
			to = int64(n)
		}
		if to > from {
			h.measure(bank, at, int(from), int(to))
		}
		at += int64(n)
		progress(float64(at) / float64(max(at, length)))
	}
	h.lasted()
	for _, p := range h.files {
		h.say(p)
	}
	for _, g := range h.groups {
		h.heard = append(h.heard, copyOf{g, h.rate, h.span})
	}
	h.levels(bank)
	h.ends()
	h.copied()
	h.sums()
	return nil
}

// lasted notes how long each file was; the streams of one last as long as each other.
func (h *hearing) lasted() {
	for _, r := range h.streams {
		if r.stream == 0 {
			r.file.length = r.frames
			continue
		}
		if first := r.file.length; r.frames != first {
			h.compare("length", r.file.file.Name, fmt.Sprintf("Stream %d: length in samples, as the first stream", r.stream+1), r.frames, first)
		}
	}
}

// open begins reading every stream; what can't be read is said and left out.
func (h *hearing) open(ctx context.Context) error {
	var files []*placed
	for _, p := range h.files {
		var opened []*reading
		for i, s := range p.file.Streams {
			sound, err := s.Open(ctx)
			if err != nil {
				if fault.KindOf(err) == "" || fault.KindOf(err) == fault.Cancelled {
					return err
				}
				h.note(false, contract.Finding{Rule: "file", File: p.file.Name, Message: fault.Sentence(err)})
				break
			}
			r := &reading{file: p, stream: i, sound: sound, most: s.Frames}
			for range s.Channels {
				r.block = append(r.block, make([]float64, blockFrames))
			}
			opened = append(opened, r)
		}
		h.streams = append(h.streams, opened...)
		if len(opened) == len(p.file.Streams) {
			files = append(files, p)
		}
	}
	h.files = files
	return nil
}

// next reads a block of every stream; what has ended is silent. It gives the frames of the longest.
func (h *hearing) next() (most int, err error) {
	for _, r := range h.streams {
		for _, x := range r.block {
			clear(x)
		}
		if r.ended {
			continue
		}
		n, err := fill(r.sound, r.block)
		if err != nil && !errors.Is(err, io.EOF) {
			h.note(false, contract.Finding{Rule: "file", File: r.file.file.Name, Message: "It can't be read to its end: " + fault.Sentence(err)})
		}
		r.ended = err != nil
		r.frames += int64(n)
		most = max(most, n)
	}
	return most, nil
}

// arrange says what each channel is, which groups are whole, and what is to add up.
func (h *hearing) arrange() {
	h.around = h.checking.around(h.rate)
	byGroup := map[string]*group{}
	var order []string
	for _, r := range h.streams {
		if !slices.Contains(h.files, r.file) {
			continue
		}
		for _, at := range r.file.channels {
			if at.stream != r.stream {
				continue
			}
			depth := r.file.file.Streams[at.stream].Depth
			col := &column{place: at, file: r.file, from: r, fullScale: 1 - math.Ldexp(1, 1-max(8, min(depth, 24))), quietest: quiet(depth),
				tooManyRun: 3, ear: diagnose.NewEar(h.rate, diagnose.LeastInDelivery(h.rate))}
			if layout.Speakers[at.label].LFE {
				col.above = diagnose.NewAbove(h.rate, lowest)
			}
			if runs := h.spec.Checks["clipped"].Runs; runs > 0 {
				col.tooManyRun = runs
			}
			h.columns = append(h.columns, col)
			g := byGroup[at.group.key]
			if g == nil {
				g = &group{instance: at.group}
				byGroup[at.group.key] = g
				order = append(order, at.group.key)
			}
			if !slices.ContainsFunc(g.columns, func(c *column) bool { return c.label == at.label }) {
				g.columns = append(g.columns, col)
			}
		}
	}
	for _, key := range order {
		g := byGroup[key]
		slices.SortStableFunc(g.columns, func(a, b *column) int { return slices.Index(g.labels, a.label) - slices.Index(g.labels, b.label) })
		if len(g.columns) == len(g.labels) {
			h.groups = append(h.groups, g)
		}
	}
	h.proven = h.proofs()
	h.copies = newCopies(h.groups)
}

// quiet is the largest sample that silence may have: two steps, as dither makes it.
func quiet(depth int) float64 {
	if depth == 0 || depth >= 32 {
		return math.Ldexp(1, -22)
	}
	return math.Ldexp(2, 1-depth) * (1 + 1e-9)
}

// bank makes a meter for each group.
func (h *hearing) bank() *loudness.Bank {
	var layouts []layout.Layout
	for _, g := range h.groups {
		layouts = append(layouts, layout.Layout{Name: layout.Name(g.Layout), Labels: g.labels})
	}
	bank := loudness.NewBank(h.rate, 4, layouts...)
	if dialogue := h.dialogue(); dialogue >= 0 {
		for i := range h.groups {
			bank.Anchor(i, dialogue)
		}
	}
	return bank
}

// dialogue finds the group that is the dialogue by itself; −1 where there is none.
func (h *hearing) dialogue() int {
	return slices.IndexFunc(h.groups, func(g *group) bool { return g.From.Stem == "DX" || slices.Equal(g.From.Stems, []string{"DX"}) })
}

func (c *column) samples() []float64 { return c.from.block[c.channel] }

// look looks at the samples of every channel, wherever they are.
func (h *hearing) look(at int64, n int) {
	for i := range h.around.signals {
		s := &h.around.signals[i]
		for k, col := range h.columns {
			if !s.fromEnd || col.from.most > 0 {
				s.write(k, col.samples()[:n], at, col.from.most, h.rate)
			}
		}
	}
	for _, col := range h.columns {
		col.astray(&h.around, at, col.samples()[:n], h.rate)
		for i, x := range col.samples()[:n] {
			if math.IsNaN(x) || math.IsInf(x, 0) || math.Abs(x) > 1e6 {
				if col.strange == 0 {
					col.strangeAt = at + int64(i)
				}
				col.strange++
				col.samples()[i] = 0
				continue
			}
			full := math.Abs(x) >= col.fullScale
			if full {
				col.run++
				if col.run == col.tooManyRun {
					if col.runs == 0 {
						col.runAt = at + int64(i) - int64(col.run) + 1
					}
					col.runs++
				}
			} else {
				col.run = 0
			}
		}
	}
}

// measure measures what is programme of a block that begins at a place of the files: samples from one on and before another.
func (h *hearing) measure(bank *loudness.Bank, at int64, from, to int) {
	var all [][]float64
	for _, g := range h.groups {
		for _, col := range g.columns {
			x := col.samples()[from:to]
			all = append(all, x)
			for i, v := range x {
				if v = math.Abs(v); v > col.peak {
					col.peak, col.peakAt = v, at+int64(from+i)
				}
			}
		}
	}
	var aside sync.WaitGroup
	aside.Go(func() {
		for _, g := range h.groups {
			for _, col := range g.columns {
				col.listen(from, to)
				if h.several {
					col.sketch.write(col.samples()[from:to], h.rate)
				}
			}
		}
		h.copies.write(from, to)
	})
	aside.Go(func() {
		for _, g := range h.groups {
			g.quiet(at, from, to)
		}
		for _, p := range h.proven {
			p.write(from, to)
		}
	})
	if len(all) > 0 {
		bank.Write(all)
	}
	aside.Wait()
}

// quiet counts how long a group is silent.
func (g *group) quiet(at int64, from, to int) {
	sizes := g.sizes[:0]
	for range to - from {
		sizes = append(sizes, 0)
	}
	for _, col := range g.columns {
		for i, x := range col.samples()[from:to] {
			sizes[i] = max(sizes[i], math.Abs(x))
		}
	}
	g.sizes = sizes
	quietest := g.columns[0].quietest
	for i := from; i < to; i++ {
		size := sizes[i-from]
		g.peak = max(g.peak, size)
		loud := size > quietest
		if loud {
			g.loudest = max(g.loudest, size)
		}
		if g.count++; g.count == peakFrames {
			g.peaks.Add(g.peak)
			g.peak, g.count = 0, 0
		}
		if loud {
			if !g.loud {
				g.loud, g.loudAt = true, at+int64(i)
			}
			g.silent = 0
			continue
		}
		if g.silent++; g.silent > g.longest {
			g.longest, g.worst = g.silent, at+int64(i)-g.silent+1
		}
	}
}

// place says where in a file something is, for people and for players.
func (c *checking) place(f contract.Finding, file File, at int64) contract.Finding {
	begin, _ := c.begins(file)
	seconds := float64(at) / float64(rateOf(file))
	f.Timecode, f.Seconds = c.rate.LabelAt(int64(begin)+at, rateOf(file)), &seconds
	return f
}

// on says on which channel of which file something is.
func on(f contract.Finding, c *column) contract.Finding {
	f.File, f.Channel = c.file.file.Name, c.channel+1
	if len(c.file.file.Streams) > 1 {
		f.Stream = c.stream + 1
	}
	return f
}

// say says what was heard of the channels of a file.
func (h *hearing) say(p *placed) {
	mine := around{lead: h.around.lead, tail: h.around.tail, programme: h.around.programme}
	for _, s := range h.around.signals {
		s.channels = slices.Clone(s.channels)
		var own []tone
		for i, col := range h.columns {
			switch {
			case col.file != p:
			case i < len(s.channels):
				own = append(own, s.channels[i])
			default:
				own = append(own, tone{})
			}
		}
		s.channels = own
		mine.signals = append(mine.signals, s)
	}
	h.lines(p, mine)
	for _, col := range h.columns {
		if col.file != p {
			continue
		}
		if col.strange > 0 {
			f := contract.Finding{Rule: "measurable", Message: "Samples are no numbers, or louder than anything can be",
				Measured: fmt.Sprint(col.strange), Limit: "0"}
			h.note(false, h.place(on(f, col), p.file, col.strangeAt))
		}
		h.damage(col)
		if col.stray > 0 {
			f := contract.Finding{Rule: "lead", Message: col.name() + ": something is heard around the programme that the spec does not ask for",
				Measured: level(col.stray), Limit: fmt.Sprintf("at most %s", level(dsp.Gain(strayAbove)))}
			h.note(false, h.place(on(f, col), p.file, col.strayAt))
		}
		if col.runs > 0 {
			f := contract.Finding{Rule: "clipped", Measured: fmt.Sprint(col.runs), Limit: "0",
				Message: fmt.Sprintf("%s: %d or more samples in a row are at full scale", col.name(), col.tooManyRun)}
			h.note(false, h.place(on(f, col), p.file, col.runAt))
		}
	}
}

// name says what a channel is of.
func (c *column) name() string {
	if len(c.group.labels) == 1 {
		return c.group.Name
	}
	return c.group.Name + " " + c.label
}

func figure(x *float64, unit string) string {
	if x == nil || math.IsInf(*x, -1) {
		return "silent"
	}
	return strings.Replace(fmt.Sprintf("%.2f %s", *x, unit), "-", "−", 1)
}

func level(x float64) string {
	if x == 0 {
		return "nothing"
	}
	return strings.Replace(fmt.Sprintf("%.1f dBFS", dsp.DB(x)), "-", "−", 1)
}
