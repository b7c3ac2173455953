package engine

import (
	"slices"
	"sync/atomic"

	"golang.org/x/sync/errgroup"

	"zestyloom/core/chain"
	"zestyloom/core/dsp"
	"zestyloom/core/fault"
	"zestyloom/core/layout"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
	"zestyloom/core/vec"
	"zestyloom/core/wave"
	"zestyloom/core/weave"
)

// MaxBlock is the most frames that one Render gives.
const MaxBlock = 1 << 14

// Opener opens the file of a take. The engine does not close it.
type Opener func(take string) (*wave.File, error)

// Options say what is different when listening; the zero value is what prints.
type Options struct {
	Solo []string // only these tracks sound; empty means all
	// Block is the most frames that one Render will be asked for, which is what room is kept for; 0 for MaxBlock.
	Block int
	// Chain gives what works on a node's channels behind the reel's own chain, of its own for each engine; nil where nothing does.
	Chain func(weave.Node) []dsp.Processor
	// RunUp is how many samples before a place to begin at least, where chains remember; and Most how many at most, 0 for no limit.
	RunUp, Most int64
	// Hands is how many tracks are rendered at a time where something remembers, so that one engine has to render all; 0 for one.
	Hands int
	// Aside has something else be heard of a chain than what comes out of it; nil for none.
	Aside *Aside
	// Told is told what the steps of chains do; nil where nobody asks.
	Told func(of weave.NodeID, step string, at int64, did chain.Did)
}

// Engine renders one state of a reel: it runs the graph of the weave. It is not safe for concurrent use.
type Engine struct {
	reel   *reel.Reel
	graph  *weave.Graph
	nodes  []node
	takes  map[string]*source
	frames int   // of the last block
	block  int   // the most frames of one
	next   int64 // where the last block ended
	aside  *Aside
	alike  bool // what goes through chains with its take comes out as the same bits wherever rendering begins
	// chained tells that a clip goes through a chain or a treatment, which is read front to back.
	chained bool
	warm    int64 // frames before a place from which to roll on, so that what has a memory remembers
	hands   []*hand
	tracked []*node     // those that are tracks that sound
	silence [][]float64 // what drives a chain where nothing does
	voice   [][]float64 // a clip that goes on by itself, and what of it the track's tap gets
}

// hand is room for a block each, for what is worked on by one at a time.
type hand struct{ scratch, other, level []float64 }

// node is a bus of the graph with its samples.
type node struct {
	weave.Node
	buf   [][]float64 // channels × a block
	dirty int         // frames of buf that may not be zero
	out   []edge
	chain *processing // nil where nothing is done
	lead  int64       // how many samples ahead of the outputs the node works
	// What is heard at the node itself, brought back to its time where it works ahead; buf where it does not.
	shown [][]float64
	back  *dsp.Delay
	track *track
	alone []*clip // of the block, of a track
}

// edge is a way out of a node with what it needs to run.
type edge struct {
	weave.Edge
	from, to mix.Matrix  // gains at the ends of a stretch
	delay    *dsp.Delay  // where another path to the same place takes longer
	held     [][]float64 // what comes out of it
	turn     *dsp.Quadrature
	turned   [][]float64
	lag      *dsp.Delay // of what is turned, where another path takes longer still
}

// track is what sounds of a track.
type track struct {
	reel.Track
	gain  float64
	law   dsp.PanLaw
	clips []clip
	sided bool // a clip's own position acts behind the track
}

// steady tells whether the track's gain is the same everywhere.
func (t *track) steady() bool { return len(t.Gain) == 0 }

// alone tells whether a clip goes on by itself, because it moves between the sides of a pair while its track is mono.
func (t *track) alone(c *clip) bool { return len(c.Pan) > 0 && len(t.Labels) == 1 && t.sided }

// New prepares a reel, opening every take that sounds. It fails if a take can't be opened, is at another rate than
// the reel, or has fewer channels than a clip uses.
func New(r *reel.Reel, open Opener, opt Options) (*Engine, error) {
	g, err := weave.Compile(r)
	if err != nil {
		return nil, err
	}
	e := &Engine{reel: r, graph: g, nodes: make([]node, len(g.Nodes)), takes: map[string]*source{}, block: opt.room(), alike: opt.RunUp > 0,
		aside: opt.Aside}
	for range max(1, opt.Hands) {
		e.hands = append(e.hands, &hand{make([]float64, e.block), make([]float64, e.block), make([]float64, e.block)})
	}
	e.voice, e.silence = channels(1, e.block), channels(1, e.block)
	for i, n := range g.Nodes {
		if e.nodes[i], err = e.newNode(n, opt); err != nil {
			return nil, err
		}
	}
	e.align()
	if slices.ContainsFunc(e.nodes, func(n node) bool { return n.chain.memory() > 0 }) { // what turns phases alone remembers exactly so much
		e.warm = max(e.warm, opt.RunUp)
	}
	if opt.Most > 0 {
		e.warm = min(e.warm, opt.Most)
	}
	for _, c := range r.ClipList() {
		at, _ := g.Node(reel.TrackRow, c.Track)
		t := e.nodes[at].track
		if t == nil || c.Mute {
			continue
		}
		made, err := e.newClip(c, t, open)
		if err != nil {
			return nil, err
		}
		t.clips = append(t.clips, made)
	}
	for i := range e.nodes {
		if e.nodes[i].track != nil {
			e.tracked = append(e.tracked, &e.nodes[i])
		}
	}
	if !e.Remembers() { // several engines take blocks in turn then
		e.hands = e.hands[:1]
	}
	return e, nil
}

func (e *Engine) newNode(n weave.Node, opt Options) (made node, err error) {
	made = node{Node: n, buf: channels(len(n.Format.Labels), opt.room())}
	if made.chain, err = e.process(n, opt); err != nil {
		return made, err
	}
	for _, out := range n.Out {
		made.out = append(made.out, edge{Edge: out, from: mix.Zero(out.Matrix.Rows, out.Matrix.Cols),
			to: mix.Zero(out.Matrix.Rows, out.Matrix.Cols)})
	}
	if n.Row != reel.TrackRow || n.Track.Mute || len(opt.Solo) > 0 && !slices.Contains(opt.Solo, n.ID) {
		return made, nil
	}
	made.track = &track{Track: *n.Track, gain: dsp.Gain(n.Track.GainDB), law: dsp.PanLaw(e.reel.Head.PanLaw)}
	made.track.sided = slices.ContainsFunc(n.Out, weave.Edge.Sided)
	if made.chain != nil && n.Chain != nil { // which comes before the track's gain, and does not know of sides
		after := *made.track
		made.chain.after = &after
		made.track.gain, made.track.GainDB, made.track.Gain, made.track.sided = 1, 0, nil, false
	}
	return made, nil
}

func (o Options) room() int {
	if o.Block > 0 {
		return min(o.Block, MaxBlock)
	}
	return MaxBlock
}

// channels makes room for a block.
func channels(n, block int) [][]float64 {
	buf := make([][]float64, n)
	for i := range buf {
		buf[i] = make([]float64, block)
	}
	return buf
}

// align has every node work as far ahead as the longest way behind it takes, since sources are files and can be read
// ahead, and delays what would arrive too early at a node that others reach later.
func (e *Engine) align() {
	for i := len(e.nodes) - 1; i >= 0; i-- {
		n := &e.nodes[i]
		for k := range n.out {
			n.lead = max(n.lead, e.nodes[n.out[k].To].ahead()+n.out[k].late())
		}
		if n.chain != nil { // which lie before it, and get their own after this
			for _, k := range n.chain.driven() {
				e.nodes[k.from].lead = max(e.nodes[k.from].lead, n.ahead()-int64(k.Late))
			}
		}
	}
	e.keys()
	memory := make([]int64, len(e.nodes)) // of all that comes to a node
	ahead := int64(0)
	for i := range e.nodes {
		n := &e.nodes[i]
		ahead = max(ahead, n.ahead())
		if n.chain != nil {
			for _, k := range n.chain.driven() {
				memory[i] = max(memory[i], memory[k.from])
			}
		}
		memory[i] += n.chain.memory()
		if n.shown = n.buf; n.lead > 0 {
			n.shown, n.back = channels(len(n.buf), e.block), dsp.NewDelay(len(n.buf), int(n.lead))
		}
		for k := range n.out {
			out := &n.out[k]
			if out.Phased != nil {
				out.turn, out.turned = dsp.NewQuadrature(2), channels(2, e.block)
				memory[out.To] = max(memory[out.To], memory[i]+int64(out.turn.Memory()))
			}
			memory[out.To] = max(memory[out.To], memory[i])
			if by := n.lead - e.nodes[out.To].ahead(); by > 0 {
				out.delay, out.held = dsp.NewDelay(len(n.buf), int(by)), channels(len(n.buf), e.block)
				if out.turn != nil && by > int64(out.turn.Latency()) {
					out.lag = dsp.NewDelay(2, int(by)-out.turn.Latency())
				}
			}
		}
	}
	if len(memory) > 0 {
		e.warm = ahead + slices.Max(memory)
	}
}

// keys has what drives a link meet what comes into it.
func (e *Engine) keys() {
	for i := range e.nodes {
		n := &e.nodes[i]
		if n.chain == nil {
			continue
		}
		for j := range n.chain.keys {
			k := &n.chain.keys[j]
			if k.from < 0 {
				continue
			}
			from := &e.nodes[k.from]
			if by := from.lead - (n.ahead() - int64(k.Late)); by > 0 {
				k.delay, k.held = dsp.NewDelay(len(from.buf), int(by)), channels(len(from.buf), e.block)
			}
		}
	}
}

// ahead is how many samples ahead of the outputs what comes into the node lies.
func (n *node) ahead() int64 {
	if n.chain == nil {
		return n.lead
	}
	return n.lead + n.chain.late
}

func (e *edge) late() int64 {
	if e.Phased == nil {
		return 0
	}
	return int64((&dsp.Quadrature{}).Latency())
}

// clear silences the bus. What was not written to since is silent already.
func (n *node) clear() {
	for _, ch := range n.buf {
		clear(ch[:n.dirty])
	}
	n.dirty = 0
}

// source opens a take once; name is what errors call it.
func (e *Engine) source(take, name string, open Opener) (*source, error) {
	if s, ok := e.takes[take]; ok {
		return s, nil
	}
	f, err := open(take)
	if err != nil {
		return nil, err
	}
	if f.SampleRate != e.reel.Head.SampleRate {
		return nil, fault.New(fault.Unsupported, "%s is at %d Hz and the reel at %d Hz; bring it to the reel's rate under Takes first",
			name,
			f.SampleRate, e.reel.Head.SampleRate)
	}
	s := &source{file: f}
	e.takes[take] = s
	return s, nil
}

// Remembers tells whether something in the graph has a memory, so that a block does not follow from its place alone.
func (e *Engine) Remembers() bool { return e.warm > 0 || e.chained }

// Render works out frames from..from+n, in samples since midnight. The results are read with Outputs and Listen and hold
// until the next Render. Where something in the graph has a memory, a block that does not follow the one before is rolled
// on to.
func (e *Engine) Render(from int64, n int) error {
	if n < 1 || n > e.block {
		return fault.New(fault.BadInput, "A block has 1 to %d frames, not %d", e.block, n)
	}
	if e.warm > 0 && from != e.next {
		e.reset()
		for at := from - e.warm; at < from; {
			block := min(int64(e.block), from-at)
			if err := e.run(at, int(block)); err != nil {
				return err
			}
			at += block
		}
	}
	e.frames, e.next = n, from+int64(n)
	return e.run(from, n)
}

func (e *Engine) reset() {
	for i := range e.nodes {
		if c := e.nodes[i].chain; c != nil {
			c.reset()
		}
		if e.nodes[i].back != nil {
			e.nodes[i].back.Reset()
		}
		for k := range e.nodes[i].out {
			if out := &e.nodes[i].out[k]; out.delay != nil {
				out.delay.Reset()
			}
			if out := &e.nodes[i].out[k]; out.turn != nil {
				out.turn.Reset()
			}
			if out := &e.nodes[i].out[k]; out.lag != nil {
				out.lag.Reset()
			}
		}
	}
}

func (e *Engine) run(from int64, n int) error {
	for i := range e.nodes {
		e.nodes[i].clear()
	}
	if err := e.tracks(from, n); err != nil {
		return err
	}
	for i := range e.nodes {
		b := &e.nodes[i]
		if b.track == nil && b.chain != nil || b.driven() {
			b.chain.run(e, b, from+b.ahead(), n)
		}
		if b.dirty > 0 {
			b.levels(from+b.lead, n)
		}
		e.send(b, from, n, weave.Edge.Sided)
		for _, c := range b.alone {
			if err := e.renderAlone(b, c, from, n); err != nil {
				return err
			}
		}
		e.send(b, from, n, func(edge weave.Edge) bool { return !edge.Sided() })
		if b.back != nil {
			for c := range b.buf {
				copy(b.shown[c][:n], b.buf[c][:n])
			}
			b.back.Process(cut(b.shown, n), from)
		}
	}
	return nil
}

// driven tells whether the node goes through a chain that another node drives.
func (b *node) driven() bool { return b.chain != nil && len(b.chain.keys) > 0 }

// tracks renders the clips of all tracks, and what these go through where no other node drives it: as many tracks at a time as there are hands.
func (e *Engine) tracks(from int64, n int) error {
	tracks := e.tracked
	two := func(h *hand, i int) (err error) { // as filters of two are done at once
		pair := tracks[i:min(i+2, len(tracks))]
		for _, b := range pair {
			if b.alone, err = e.renderTrack(h, b, from+b.ahead(), n); err != nil {
				return err
			}
		}
		e.processTracks(pair, from, n)
		return nil
	}
	if len(e.hands) == 1 {
		for i := 0; i < len(tracks); i += 2 {
			if err := two(e.hands[0], i); err != nil {
				return err
			}
		}
		return nil
	}
	var next atomic.Int64
	var work errgroup.Group
	for _, h := range e.hands {
		work.Go(func() error {
			for i := int(next.Add(2)) - 2; i < len(tracks); i = int(next.Add(2)) - 2 {
				if err := two(h, i); err != nil {
					return err
				}
			}
			return nil
		})
	}
	return work.Wait()
}

// levels multiplies with the level of the bus, and with that of its correction, for each sample from at on.
func (b *node) levels(at int64, n int) {
	if b.Bus != nil {
		raise(cut(b.buf, n), b.Bus.GainDB, at, b.Bus.Curves[reel.GainCurve])
	}
	if c := b.Correction; c != nil {
		raise(cut(b.buf, n), c.GainDB, at, c.Ride, c.Limit)
	}
}

// raise multiplies with a gain and with curves in dB, for each sample from at on.
func raise(buf [][]float64, gainDB float64, at int64, curves ...[]reel.Point) {
	gain := dsp.Gain(gainDB)
	for _, x := range buf {
		if gain != 1 {
			vec.Scale(x, gain)
		}
		for _, points := range curves {
			Curve(x, points, at)
		}
	}
}

func cut(buf [][]float64, n int) [][]float64 {
	out := make([][]float64, len(buf))
	for i := range buf {
		out[i] = buf[i][:n]
	}
	return out
}

// renderTrack renders the clips of a track, and gives those that are to be rendered alone: all that any edge may hear in the
// block, since an edge that is delayed hears what the track gave before.
func (e *Engine) renderTrack(h *hand, b *node, from int64, n int) (alone []*clip, err error) {
	for i := range b.track.clips {
		c := &b.track.clips[i]
		if c.Start >= from+int64(n) {
			break
		}
		if b.track.alone(c) {
			if c.End() > from-b.ahead() {
				alone = append(alone, c)
			} else {
				c.voice.forget()
			}
			continue
		}
		if c.End() <= from {
			c.voice.forget()
			continue
		}
		b.dirty = n
		if err := e.render(h, b.track, c, b.buf, from, n); err != nil {
			return nil, err
		}
	}
	return alone, nil
}

// renderAlone sends a clip that moves between the sides on from its track, on the edges that it moves on, and adds it to the
// track's bus for the others and for who listens to the track. Where an edge is delayed the clip is read so much later instead:
// a delay line holds one signal, and that is the track's.
func (e *Engine) renderAlone(b *node, c *clip, from int64, n int) error {
	for i := range b.out {
		out, to := &b.out[i], &e.nodes[b.out[i].To]
		at := from + to.ahead()
		if !out.Sided() || c.Start >= at+int64(n) || c.End() <= at {
			continue
		}
		clear(e.voice[0][:n])
		if err := e.render(e.hands[0], b.track, c, e.voice, at, n); err != nil {
			return err
		}
		to.dirty = n
		out.sendMoving(to.buf, cut(e.voice, n), at, n, func(at int64) float64 { return reel.Level(c.Pan, c.Frame(at)) })
	}
	if at := from + b.lead; c.Start >= at+int64(n) || c.End() <= at {
		return nil
	}
	b.dirty = n
	return e.render(e.hands[0], b.track, c, b.buf, from+b.lead, n)
}

// send adds a node's channels to those that it leads to, on the edges that are taken. What it holds is heard at the outputs
// lead samples after from.
func (e *Engine) send(b *node, from int64, n int, taken func(weave.Edge) bool) {
	for i := range b.out {
		out, to := &b.out[i], &e.nodes[b.out[i].To]
		if !taken(out.Edge) || b.dirty == 0 && out.delay == nil && out.turn == nil {
			continue
		}
		to.dirty = n
		src := cut(b.buf, n)
		if out.turn != nil {
			out.sendTurned(cut(to.buf, n), src, from)
		}
		if out.delay != nil {
			for c := range src {
				copy(out.held[c], src[c])
			}
			src = cut(out.held, n)
			out.delay.Process(src, from)
		}
		if !out.Moves() {
			out.Matrix.Add(cut(to.buf, n), src)
			continue
		}
		out.sendMoving(to.buf, src, from+to.ahead(), n, nil) // after the delay, which is where it is heard
	}
}

// sendMoving is send on an edge whose gains move: they are exact at the ends of each stretch and linear between.
func (e *edge) sendMoving(dst, src [][]float64, from int64, n int, aside func(at int64) float64) {
	at := func(m mix.Matrix, place int64) {
		by := 0.0
		if aside != nil {
			by = aside(place)
		}
		e.At(m, place, by)
	}
	begin := floor(from)
	at(e.from, begin)
	for i := 0; i < n; {
		at(e.to, begin+stretchOf)
		into := int(from + int64(i) - begin)
		count := min(n-i, stretchOf-into)
		for r := range dst {
			for c := range src {
				mix.GlideAt(dst[r][i:i+count], src[c][i:i+count], e.from.At(r, c), e.to.At(r, c), into, stretchOf)
			}
		}
		i, begin = i+count, begin+stretchOf
		e.from, e.to = e.to, e.from
	}
}

// sendTurned adds what is turned by 90°.
func (e *edge) sendTurned(dst, src [][]float64, from int64) {
	turned := cut(e.turned, len(src[0]))
	for _, x := range turned {
		clear(x)
	}
	e.Phased.Add(turned, src)
	e.turn.Process(turned, from)
	if e.lag != nil {
		e.lag.Process(turned, from)
	}
	for r := range turned {
		mix.AddAt(dst[r], turned[r], 1)
	}
}

// Outputs gives all output channels of the last block, in the order of the reel's OutputList.
func (e *Engine) Outputs() [][]float64 {
	out := make([][]float64, len(e.graph.Outputs))
	for i, o := range e.graph.Outputs {
		out[i] = e.nodes[o.Node].shown[o.Channel][:e.frames]
	}
	return out
}

// At gives what is heard of the last block at a row; nil where there is no such row.
func (e *Engine) At(id weave.NodeID) [][]float64 {
	at, there := e.graph.Node(id.Row, id.ID)
	if !there {
		return nil
	}
	return cut(e.nodes[at].shown, e.frames)
}

// Exact tells of each output whether everything that it carries within a range of the reel stands on the grid of integers of
// that many bits. Such an output needs no dither.
func (e *Engine) Exact(span reel.Span, bits int) []bool {
	v := e.graph.Judge(e.reel, span)
	exact := make([]bool, len(v.Outputs))
	for i, o := range v.Outputs {
		exact[i] = o.OnGrid(bits, func(take string) int {
			if s := e.takes[take]; s != nil && s.file.Encoding == wave.PCM {
				return s.file.BitDepth
			}
			return 0
		})
	}
	return exact
}

// Tap is a point to listen at.
type Tap struct {
	// Kind is output, pair (the two outputs of which one is named), or a row of the weave: track, strand, stem, mix, group; or stems
	// for the sum of all stems.
	Kind string `json:"kind"`
	ID   string `json:"id"` // empty for stems
	// Check is how it is listened to; empty as it is.
	Check Check `json:"check"`
}

// Check is a way of listening that tells what a pair hides.
type Check string

const (
	AsItIs     Check = ""
	InMono     Check = "mono"       // both sides added up, at half each: what is out of phase goes
	Difference Check = "difference" // left less right, at half: what is the same on both sides goes
	FrontPair  Check = "front"      // of a wide set only left and right: what else a fold-down brings is not there
	Swapped    Check = "swap"       // left is right
	Headphones Check = "head"       // each speaker of a set where it stands around a head, for headphones; who listens makes that, by Around
)

// Known tells whether there is such a check.
func (c Check) Known() bool {
	return slices.Contains([]Check{AsItIs, InMono, Difference, FrontPair, Swapped, Headphones}, c)
}

// Listen gives the last block at a tap as a stereo pair. A single channel sounds on both sides; wider sets are folded
// down as usual, for listening only, unless its check is for the front pair. left and right have room for the block.
func (e *Engine) Listen(tap Tap, left, right []float64) error {
	clear(left[:e.frames])
	clear(right[:e.frames])
	sides := [][]float64{left[:e.frames], right[:e.frames]}
	heard := false
	if tap.Kind == "pair" {
		heard = e.listenToPair(tap.ID, sides)
	}
	for i := range e.nodes {
		n := &e.nodes[i]
		channel, here := e.tapped(n, i, tap)
		if !here {
			continue
		}
		heard = true
		if channel >= 0 || len(n.buf) == 1 {
			for _, side := range sides {
				mix.AddAt(side, n.shown[max(0, channel)][:e.frames], 1)
			}
			continue
		}
		pair := Pair(n.Format)
		if tap.Check == FrontPair {
			pair = frontOf(n.Format, pair)
		}
		pair.Add(sides, cut(n.shown, e.frames))
	}
	if !heard {
		return fault.New(fault.NotFound, "There is nothing to hear there: the %s was removed or is muted", tap.Kind)
	}
	tap.Check.apply(sides[0], sides[1])
	return nil
}

// listenToPair gives the two sides of a pair of outputs, and tells whether there are.
func (e *Engine) listenToPair(id string, sides [][]float64) bool {
	left, right, paired := weave.Pair(e.reel.OutputList(), id)
	if !paired {
		return false
	}
	for _, o := range e.graph.Outputs {
		switch o.ID {
		case left.ID:
			mix.AddAt(sides[0], e.nodes[o.Node].shown[o.Channel][:e.frames], 1)
		case right.ID:
			mix.AddAt(sides[1], e.nodes[o.Node].shown[o.Channel][:e.frames], 1)
		}
	}
	return true
}

func (c Check) apply(left, right []float64) {
	if c == Swapped {
		for i, l := range left {
			left[i], right[i] = right[i], l
		}
	}
	sign := map[Check]float64{InMono: 1, Difference: -1}[c]
	if sign == 0 {
		return
	}
	for i, l := range left {
		x := (l + sign*right[i]) / 2
		left[i], right[i] = x, x
	}
}

// frontOf keeps of a fold-down what comes from the front left and right; all of it where a set has no such channels.
func frontOf(f layout.Format, pair mix.Matrix) mix.Matrix {
	if !slices.Contains(f.Labels, "L") || !slices.Contains(f.Labels, "R") {
		return pair
	}
	front := mix.Zero(pair.Rows, pair.Cols)
	for c, label := range f.Labels {
		if label == "L" || label == "R" {
			front.Set(0, c, pair.At(0, c))
			front.Set(1, c, pair.At(1, c))
		}
	}
	return front
}

// tapped tells whether a tap is at a node, and at which of its channels; −1 for all.
func (e *Engine) tapped(n *node, at int, tap Tap) (channel int, here bool) {
	switch {
	case n.Row == "": // what lies before a bus that turns what arrives
		return 0, false
	case tap.Kind == "stems":
		return -1, n.Row == reel.StemRow
	case tap.Kind == "pair": // which is heard by itself
		return 0, false
	case tap.Kind == "output":
		for _, o := range e.graph.Outputs {
			if o.ID == tap.ID && o.Node == at {
				return o.Channel, true
			}
		}
		return 0, false
	case n.Row == reel.TrackRow && n.track == nil:
		return 0, false
	}
	return -1, string(n.Row) == tap.Kind && n.ID == tap.ID
}

// Pair folds a set down to a pair, for listening: what has no place in it, but for an LFE, comes from the middle.
func Pair(f layout.Format) mix.Matrix {
	m, lost, _ := mix.Carry(f, layout.Read([]string{"L", "R"}), mix.Usual())
	for _, l := range lost {
		if len(l.Into) > 0 || layout.Speakers[l.Channel].LFE {
			continue
		}
		for c, label := range f.Labels {
			if label == l.Channel {
				m.Set(0, c, dsp.Gain(mix.Usual().CentreDB))
				m.Set(1, c, dsp.Gain(mix.Usual().CentreDB))
			}
		}
	}
	return m
}
