package engine

import (
	"context"
	"slices"

	"zestyloom/core/chain"
	"zestyloom/core/dsp"
	"zestyloom/core/fault"
	"zestyloom/core/layout"
	"zestyloom/core/reel"
	"zestyloom/core/weave"
)

// processing is what a node's channels go through.
type processing struct {
	links []dsp.Processor
	late  int64 // samples that they take
	// after is what a track does behind its chain: its gain and its curve.
	after *track
	keys  []key
	// quiet counts the frames since anything last came in. After as many as are remembered there is nothing left to come, where nothing else
	// drives it.
	quiet, most int64
	rests       bool
}

// key is a signal that drives a link.
type key struct {
	chain.Keyed
	row   *chain.Row
	from  int // node
	delay *dsp.Delay
	held  [][]float64
}

// curveOf is a parameter that moves by points; nil where there are none.
func curveOf(points []reel.Point) *chain.Curve {
	if len(points) == 0 {
		return nil
	}
	c := &chain.Curve{At: func(at int64) float64 { return reel.Level(points, at) }, Low: points[0].Value, High: points[0].Value}
	for _, p := range points {
		c.Low, c.High = min(c.Low, p.Value), max(c.High, p.Value)
	}
	return c
}

// rowOf makes the chain of a node; nil where it has none.
func rowOf(n weave.Node, rate int, told func(step string, at int64, did chain.Did)) (*chain.Row, error) {
	if n.Chain == nil {
		return nil, nil
	}
	c := n.Chain
	return chain.Make(c.Steps, chain.Asked{Rate: float64(rate), Channels: len(n.Format.Labels), Pairs: sides(n.Format),
		Moving: func(s chain.Step, parameter string) *chain.Curve {
			return curveOf(c.Curves[reel.StepCurve(s.ID, parameter)])
		},
		Told: told})
}

// sides gives the pairs of a set: left and right, in front and around.
func sides(f layout.Format) (list [][2]int) {
	for _, pair := range [][2]string{{"L", "R"}, {"Ls", "Rs"}, {"Lrs", "Rrs"}, {"Lss", "Rss"}, {"Ltf", "Rtf"}, {"Ltr", "Rtr"}} {
		l, r := slices.Index(f.Labels, pair[0]), slices.Index(f.Labels, pair[1])
		if l >= 0 && r >= 0 {
			list = append(list, [2]int{l, r})
		}
	}
	return list
}

// Aside is a chain of which something else is heard: of a row, of a clip ("clip"), or of a channel of it.
type Aside struct {
	Row     string  `json:"row"`
	ID      string  `json:"id"`
	Channel *int    `json:"channel"` // of a clip, from 0; where there is none the clip's own chain
	Removed bool    `json:"removed"` // what it takes away; else what comes to it
	GainDB  float64 `json:"gainDB"`  // at which that is heard, to be as loud
}

// of tells whether it is about a chain.
func (a *Aside) of(row, id string, channel *int) bool {
	return a != nil && a.Row == row && a.ID == id && (a.Channel == nil) == (channel == nil) && (channel == nil || *a.Channel == *channel)
}

// around gives a processor of what is heard instead; row may be nil, which does nothing.
func (a *Aside) around(channels int, row *chain.Row) dsp.Processor {
	if row == nil {
		return dsp.NewAside(channels, nil, a.Removed, dsp.Gain(a.GainDB))
	}
	return dsp.NewAside(channels, row, a.Removed, dsp.Gain(a.GainDB))
}

// process gives what a node's channels go through; nil for nothing.
func (e *Engine) process(n weave.Node, opt Options) (*processing, error) {
	p := &processing{}
	var told func(step string, at int64, did chain.Did)
	if opt.Told != nil {
		told = func(step string, at int64, did chain.Did) { opt.Told(n.NodeID, step, at, did) }
	}
	row, err := rowOf(n, e.reel.Head.SampleRate, told)
	if err != nil {
		return nil, fault.Wrap(fault.KindOf(err), err, "The chain of %s: %v", e.reel.RowName(n.Row, n.ID), err)
	}
	if row != nil && row.Idle() {
		row = nil
	}
	if opt.Aside.of(string(n.Row), n.ID, nil) {
		p.links = append(p.links, opt.Aside.around(len(n.Format.Labels), row))
	} else if row != nil {
		p.links = append(p.links, row)
	}
	if row != nil {
		for _, k := range row.Keys() {
			from, there := e.graph.Node(reel.Row(k.Row), k.From)
			if !there { // a strand that no track is in just now is silent
				from = -1
			}
			p.keys = append(p.keys, key{Keyed: k, row: row, from: from})
		}
	}
	if opt.Chain != nil {
		p.links = append(p.links, opt.Chain(n)...)
	}
	if len(p.links) == 0 {
		return nil, nil
	}
	for _, l := range p.links {
		p.late += int64(l.Latency())
		p.most += int64(l.Memory() + l.Latency())
	}
	return p, nil
}

// memory is for how long the links remember, in samples.
func (p *processing) memory() (n int64) {
	if p == nil {
		return 0
	}
	for _, l := range p.links {
		n += int64(l.Memory())
	}
	return n
}

// driven gives what drives the links, as far as it is on the reel.
func (p *processing) driven() []key {
	return slices.DeleteFunc(slices.Clone(p.keys), func(k key) bool { return k.from < 0 })
}

func (p *processing) reset() {
	for _, l := range p.links {
		l.Reset()
	}
	for _, k := range p.keys {
		if k.delay != nil {
			k.delay.Reset()
		}
	}
	p.quiet, p.rests = 0, false
}

// feed gives a link what drives it.
func (k *key) feed(from *node, at int64, n int) {
	src := cut(from.buf, n)
	if k.delay != nil {
		for c := range src {
			copy(k.held[c], src[c])
		}
		src = cut(k.held, n)
		k.delay.Process(src, at)
	}
	k.row.Feed(k.Link, src)
}

// run has a node's channels go through its links. at is where on the clock what comes in lies.
func (p *processing) run(e *Engine, b *node, at int64, n int) {
	if p.begin(e, b, at, n) {
		p.process(b, at, n)
	}
}

// begin feeds the links what drives them, and tells whether there is anything to go through them.
func (p *processing) begin(e *Engine, b *node, at int64, n int) bool {
	for i := range p.keys {
		k := &p.keys[i]
		if k.from < 0 {
			k.row.Feed(k.Link, cut(e.silence, n))
		} else {
			k.feed(&e.nodes[k.from], at, n)
		}
	}
	if b.dirty > 0 {
		p.quiet, p.rests = 0, false
	} else if p.quiet += int64(n); len(p.keys) == 0 && p.quiet > p.most+int64(n) { // what is driven goes on while nothing comes
		if !p.rests { // what is left lies below all that counts
			for _, l := range p.links {
				l.Reset()
			}
			p.rests = true
		}
		return false
	}
	b.dirty = n
	return true
}

func (p *processing) process(b *node, at int64, n int) {
	for _, l := range p.links {
		l.Process(cut(b.buf, n), at)
		at -= int64(l.Latency())
	}
	p.end(b, at, n)
}

// end is what a track does behind its chain.
func (p *processing) end(b *node, at int64, n int) {
	if t := p.after; t != nil {
		raise(cut(b.buf, n), t.GainDB, at, t.Gain)
	}
}

// processTracks has two tracks, or one, go through their chains, where no other node drives these.
func (e *Engine) processTracks(list []*node, from int64, n int) {
	var ready [2]*node
	var rows [2]*chain.Row
	count := 0
	for _, b := range list {
		if b.chain == nil || b.driven() || !b.chain.begin(e, b, from+b.ahead(), n) {
			continue
		}
		if ready[count] = b; len(b.chain.links) == 1 {
			rows[count], _ = b.chain.links[0].(*chain.Row)
		}
		count++
	}
	if rows[0] != nil && rows[1] != nil {
		a, b := ready[0], ready[1]
		chain.Together(rows[0], rows[1], cut(a.buf, n), cut(b.buf, n), from+a.ahead(), from+b.ahead())
		for k, x := range ready {
			x.chain.end(x, from+x.ahead()-int64(rows[k].Latency()), n)
		}
		return
	}
	for _, b := range ready[:count] {
		b.chain.process(b, from+b.ahead(), n)
	}
}

// Reach is how far around a place a reel's chains and phases act on it, in samples: before, by what is remembered, and after, by what looks ahead.
func Reach(r *reel.Reel) (before, after int64, err error) {
	g, err := weave.Compile(r)
	if err != nil {
		return 0, 0, err
	}
	e := &Engine{reel: r, graph: g, nodes: make([]node, len(g.Nodes))}
	for i, n := range g.Nodes {
		if e.nodes[i], err = e.newNode(n, Options{Block: 1}); err != nil {
			return 0, 0, err
		}
	}
	e.align()
	for i := range e.nodes {
		after = max(after, e.nodes[i].ahead())
	}
	return e.warm, after, nil
}

// MostStretch is how much Stretch gives, in seconds.
const MostStretch = 30

// rollOn is for how many seconds before a stretch chains are run at most.
const rollOn = 10

// Stretch renders a range of a row by itself, at most MostStretch seconds of it: channels × frames. Where before names a step of the row's chain,
// it is what comes to that step, with no gain of the row's own; NotFound where there is none.
//
// told is told what the row's own steps do within the range, and where; nil where nobody asks.
func Stretch(ctx context.Context, r *reel.Reel, id weave.NodeID, span reel.Span, before string, open Opener,
	told func(step string, at int64, did chain.Did)) ([][]float64, error) {
	rate := int64(r.Head.SampleRate)
	frames := span.To - span.From
	if frames < 1 || frames > MostStretch*rate {
		return nil, fault.New(fault.BadInput, "A stretch of up to %d seconds can be looked at", MostStretch)
	}
	part, err := weave.Reaching(r, []weave.NodeID{id})
	if err != nil {
		return nil, err
	}
	if before != "" {
		if part, err = upTo(part, id, before); err != nil {
			return nil, err
		}
	}
	opt := Options{Most: rollOn * rate}
	if told != nil {
		opt.Told = func(of weave.NodeID, step string, at int64, did chain.Did) {
			if of == id && tells(at, did, span) {
				told(step, at, did)
			}
		}
	}
	e, err := New(part, open, opt)
	if err != nil {
		return nil, err
	}
	out := make([][]float64, len(r.RowLabels(id.Row, id.ID)))
	for at := int64(0); at < frames; at += MaxBlock {
		if ctx.Err() != nil {
			return nil, fault.Wrap(fault.Cancelled, ctx.Err(), "Nobody waits for it any more")
		}
		if err := e.Render(span.From+at, int(min(MaxBlock, frames-at))); err != nil {
			return nil, err
		}
		heard := e.At(id)
		if heard == nil {
			return nil, fault.New(fault.NotFound, "Nothing reaches %s", r.RowName(id.Row, id.ID))
		}
		for c, x := range heard {
			out[c] = append(out[c], x...)
		}
	}
	return out, nil
}

// upTo gives a reel in which a row's chain ends before a step, and what comes after does nothing.
func upTo(r *reel.Reel, id weave.NodeID, step string) (*reel.Reel, error) {
	r = r.Clone()
	key := reel.ChainID(id.Row, id.ID)
	c, there := r.Chains[key]
	at := slices.IndexFunc(c.Steps, func(s chain.Step) bool { return s.ID == step })
	if !there || at < 0 {
		return nil, fault.New(fault.NotFound, "%s has no such processor", r.RowName(id.Row, id.ID))
	}
	if c.Steps = slices.Clone(c.Steps[:at]); at == 0 {
		delete(r.Chains, key)
	} else {
		r.Chains[key] = c
	}
	if b, there := r.Buses[reel.BusID(id.Row, id.ID)]; there {
		b.GainDB, b.Curves = 0, nil
		r.Buses[b.ID] = b
	}
	if t, there := r.Tracks[id.ID]; there && id.Row == reel.TrackRow {
		t.GainDB, t.Gain = 0, nil
		r.Tracks[t.ID] = t
	}
	return r, nil
}
