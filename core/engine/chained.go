package engine

import (
	"zestyloom/core/chain"
	"zestyloom/core/dsp"
	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
)

// reader gives samples of a channel of a take from a frame on: silence before its first and after its last.
type reader func(x []float64, channel int, at int64) error

// chained reads channels of a take through a chain: what comes out is as if the take had been played from before, whatever is asked for first.
// The clock of the chain is the frames of the take.
type chained struct {
	from     reader
	channels []int // as from has them
	steps    []chain.Step
	rate     float64
	aside    *Aside
	around   int64 // frames by which the channels are asked for apart from each other
	memory   int64
	cell     int64 // frames of the clock after which it begins anew; 0 where it begins where it is asked for first
	runs     []*run
}

// run is a chain that runs.
type run struct {
	row  dsp.Processor
	cell int64       // which it runs in, by number
	next int64       // frame of the take that goes in next
	from int64       // frame of the first of have
	have [][]float64 // what has come out, channels × frames
}

// A chain that gives the same bits wherever reading begins has its clock divided into cells, at each of which it begins anew. A cell is of so
// many seconds at least, and so many times as long as the chain remembers.
const (
	leastCell = 8
	cellsOf   = 3
)

// newChained makes a reader of some channels of another, which it calls 0, 1 and so on. Where alike is set, every sample is the same bits
// wherever reading begins.
func newChained(from reader, channels []int, steps []chain.Step, rate int, around int64, alike bool) (*chained, error) {
	c := &chained{from: from, channels: channels, steps: steps, rate: float64(rate), around: around}
	row, err := c.make() // whether it can be, before anything sounds
	if err != nil {
		return nil, err
	}
	if c.memory = int64(row.Memory()); alike {
		c.cell = max(leastCell*int64(rate), cellsOf*c.memory)
	}
	return c, nil
}

func (c *chained) make() (dsp.Processor, error) {
	row, err := chain.MakeFor(c.steps, c.rate, len(c.channels))
	if err != nil {
		return nil, err
	}
	if c.aside != nil {
		return c.aside.around(len(c.channels), row), nil
	}
	return row, nil
}

// forget lets go of what a clip that has been passed would remember.
func (c *chained) forget() { c.runs = nil }

// samples gives one channel from a frame of the take on. It is a reader.
func (c *chained) samples(x []float64, channel int, at int64) error {
	for len(x) > 0 {
		n := int64(len(x))
		cell, begins := int64(0), at-c.around
		if c.cell > 0 {
			cell = timecode.FloorDiv(at, c.cell)
			begins = cell * c.cell
			n = min(n, begins+c.cell-at)
		}
		r, err := c.running(cell, begins, at)
		if err != nil {
			return err
		}
		for r.to() < at+n {
			if err := c.push(r, int(min(MaxBlock, at+n-r.to()))); err != nil {
				return err
			}
		}
		copy(x[:n], r.have[channel][at-r.from:])
		x, at = x[n:], at+n
	}
	return nil
}

// running gives the run that can go on at a frame in a cell: one that does, or a new one that begins where the cell does.
func (c *chained) running(cell, begins, at int64) (*run, error) {
	keep := max(begins, at-c.around) // others may ask for what lies before
	for i, r := range c.runs {
		if r.cell != cell {
			continue
		}
		if at >= r.from && at <= r.to() {
			if drop := keep - r.from; drop > 4*MaxBlock { // which nobody asks for any more
				for i := range r.have {
					r.have[i] = append(r.have[i][:0], r.have[i][drop:]...)
				}
				r.from += drop
			}
			return r, nil
		}
		c.runs = append(c.runs[:i], c.runs[i+1:]...)
		break
	}
	r, err := c.begin(cell, begins, keep)
	if err == nil {
		c.runs = append(c.runs[max(0, len(c.runs)-1):], r) // and the last one, whose end may be asked for still
	}
	return r, err
}

// to is the frame up to which it has come.
func (r *run) to() int64 {
	if len(r.have) == 0 {
		return r.from
	}
	return r.from + int64(len(r.have[0]))
}

// begin has what comes out be right from a frame on, and kept from another.
func (c *chained) begin(cell, at, keep int64) (*run, error) {
	row, err := c.make()
	if err != nil {
		return nil, err
	}
	r := &run{row: row, cell: cell, have: make([][]float64, len(c.channels))}
	r.next = max(min(0, at), at-c.memory) // before the take there is nothing to remember
	for r.from = r.next - int64(row.Latency()); r.from < keep; {
		if err := c.push(r, int(min(MaxBlock, keep-r.from))); err != nil {
			return nil, err
		}
		r.from = r.to()
		for i := range r.have {
			r.have[i] = r.have[i][:0]
		}
	}
	return r, nil
}

// push has the next n frames go in, and what comes out stand at the end of what it has.
func (c *chained) push(r *run, n int) error {
	block := make([][]float64, len(c.channels))
	for i, channel := range c.channels {
		block[i] = make([]float64, n)
		if err := c.from(block[i], channel, r.next); err != nil {
			return fault.Wrap(fault.KindOf(err), err, "the take could not be read")
		}
	}
	r.row.Process(block, r.next)
	r.next += int64(n)
	for i := range block {
		r.have[i] = append(r.have[i], block[i]...)
	}
	return nil
}

// treated reads a take through the treatments of its channels.
type treated struct {
	plain reader
	of    map[int]place // by channel of the take
	all   []*chained
}

// place is where a channel comes out.
type place struct {
	*chained
	channel int
}

func newTreated(plain reader, list []chain.Treatment, rate int, around int64, alike bool) (*treated, error) {
	t := &treated{plain: plain, of: map[int]place{}}
	for _, one := range list {
		c, err := newChained(plain, one.Channels, one.Steps, rate, around, alike)
		if err != nil {
			return nil, err
		}
		t.all = append(t.all, c)
		for i, channel := range one.Channels {
			t.of[channel] = place{c, i}
		}
	}
	return t, nil
}

func (t *treated) samples(x []float64, channel int, at int64) error {
	if p, there := t.of[channel]; there {
		return p.chained.samples(x, p.channel, at)
	}
	return t.plain(x, channel, at)
}

// voice is how a clip reads: its own take, and what it borrows of others.
type voice struct {
	own      reader // by channel of the clip
	borrowed map[borrowing]reader
	chains   []*chained // to forget
	tones    []*tone
}

// chained gives a reader of a clip's channels: each through its own chain, and all through the clip's.
func (v *voice) chained(c reel.Clip, take reader, rate int, around int64, e *Engine) (reader, error) {
	through := func(from reader, channels []int, steps []chain.Step, alone *int) (*chained, error) {
		ch, err := newChained(from, channels, steps, rate, around, e.alike)
		if err != nil {
			return nil, err
		}
		if e.aside.of("clip", c.ID, alone) {
			ch.aside = e.aside
		}
		v.chains = append(v.chains, ch)
		return ch, nil
	}
	sounds := func(steps []chain.Step, alone *int) bool {
		return chain.Sounds(steps) || e.aside.of("clip", c.ID, alone)
	}
	var err error
	own, every := make([]*chained, len(c.Channels)), make([]int, len(c.Channels))
	for i, channel := range c.Channels {
		var steps []chain.Step
		if every[i] = i; i < len(c.Lanes) {
			steps = c.Lanes[i].Chain
		}
		if sounds(steps, &i) {
			if own[i], err = through(take, []int{channel}, steps, &i); err != nil {
				return nil, err
			}
		}
	}
	channels := func(x []float64, channel int, at int64) error {
		if own[channel] != nil {
			return own[channel].samples(x, 0, at)
		}
		return take(x, c.Channels[channel], at)
	}
	if !sounds(c.Chain, nil) {
		return channels, nil
	}
	all, err := through(channels, every, c.Chain, nil)
	if err != nil {
		return nil, err
	}
	return all.samples, nil
}

// borrowing is a stretch that a clip borrows: of which of its channels, and which in turn.
type borrowing struct{ channel, turn int }

// lender is what is borrowed of: a channel of a take, and what of it is spread as room tone.
type lender struct {
	take    string
	channel int
	quiet   reel.Span
}

// voiceOf makes the readers of a clip, through treatments and its own chain.
func (e *Engine) voiceOf(c reel.Clip, src *source, open Opener) (v voice, err error) {
	rate := e.reel.Head.SampleRate
	least, most := int64(0), int64(0)
	for _, l := range c.Lanes {
		least, most = min(least, l.Delay), max(most, l.Delay)
	}
	through := func(s *source, list []chain.Treatment, around int64) (reader, error) {
		for _, t := range list {
			if t.Channels[len(t.Channels)-1] >= s.file.Channels {
				return nil, fault.New(fault.Damaged, "The treatment of %s is of a channel that it does not have", c.Name)
			}
		}
		if len(list) == 0 {
			return s.samples, nil
		}
		t, err := newTreated(s.samples, list, rate, around, e.alike)
		if err != nil {
			return nil, fault.Wrap(fault.KindOf(err), err, "The treatment of %s: %v", c.Name, err)
		}
		v.chains = append(v.chains, t.all...)
		return t.samples, nil
	}
	take, err := through(src, e.reel.TreatmentsOf(c), most-least)
	if err != nil {
		return v, err
	}
	if v.own, err = v.chained(c, take, rate, most-least, e); err != nil {
		return v, fault.Wrap(fault.KindOf(err), err, "The chain of %s: %v", c.Name, err)
	}
	v.borrowed = map[borrowing]reader{}
	// What is borrowed of one channel is read by one, and what is spread of one quiet once, however often: memory does not grow with that.
	lenders, tones := map[lender]reader{}, map[lender]reader{}
	for i, l := range c.Lanes {
		for k, b := range l.Borrowed {
			other, err := e.source(b.Take, b.Title, open)
			if err != nil {
				return v, err
			}
			if b.Channel >= other.file.Channels {
				return v, fault.New(fault.Damaged, "%s asks for a channel of %s that it does not have", c.Name, b.Title)
			}
			key := lender{take: b.Take, channel: b.Channel}
			if lenders[key] == nil {
				if lenders[key], err = through(other, e.reel.TreatmentsOfBorrowed(c, b), 0); err != nil {
					return v, err
				}
			}
			if b.Quiet == nil {
				v.borrowed[borrowing{i, k}] = lenders[key]
				continue
			}
			plain := lenders[key]
			key.quiet = *b.Quiet
			if tones[key] == nil {
				t := &tone{from: plain, channel: b.Channel, quiet: *b.Quiet, rate: float64(rate)}
				tones[key], v.tones = t.samples, append(v.tones, t)
			}
			v.borrowed[borrowing{i, k}] = tones[key]
		}
	}
	return v, nil
}

// forget lets go of what a clip that has been passed would remember.
func (v voice) forget() {
	for _, c := range v.chains {
		c.forget()
	}
	for _, t := range v.tones {
		t.spread = nil
	}
}

// tone reads a stretch of quiet of a take, spread without end.
type tone struct {
	from    reader
	channel int
	quiet   reel.Span
	rate    float64
	spread  *dsp.Tone // once it has been read
}

func (t *tone) samples(x []float64, _ int, at int64) error {
	if t.spread == nil {
		quiet := make([]float64, t.quiet.To-t.quiet.From)
		for i := 0; i < len(quiet); i += MaxBlock {
			if err := t.from(quiet[i:min(i+MaxBlock, len(quiet))], t.channel, t.quiet.From+int64(i)); err != nil {
				return err
			}
		}
		t.spread = dsp.NewTone(t.rate, quiet)
	}
	t.spread.Fill(x, at)
	return nil
}
