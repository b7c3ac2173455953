package weave

import (
	"math"
	"slices"

	"zestyloom/core/chain"
	"zestyloom/core/dsp"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
)

// Verdict is what every output channel receives within a range of the reel. Whoever wants to know that reads it here: the
// plan, the papers, the description after BS.2076, dither, the findings.
type Verdict struct {
	Range   reel.Span
	Outputs []Received // in the order of the reel's OutputList
}

// Received is what one output channel receives.
type Received struct {
	Output
	Arrivals []Arrival // by track, then by the clock
}

// Arrival is one channel of one clip at an output channel, over all the ways by which it comes there.
type Arrival struct {
	Track   *reel.Track
	Clip    *reel.Clip
	Channel int     // of the clip, from 0
	Low     float64 // gain as a factor where it is lowest in the range; negative where its polarity is turned
	High    float64 // where it is highest
	Moves   bool    // the gain changes with the clock, or what arrives is turned by 90°
	// Whole tells that what arrives stands on the grid of integers of the take's bits wherever the range is: nothing on the way
	// moves, fades or turns, and all that adds up comes to a whole number of times the source.
	Whole bool
}

// Take is the take that it is of, and Of the take's channel.
func (a Arrival) Take() string { return a.Clip.Take }

// Of is the channel of the take, from 0.
func (a Arrival) Of() int { return a.Clip.Channels[a.Channel] }

// OnGrid tells whether all that arrives stands on the grid of integers of that many bits, so that rounding to them takes
// nothing away; bits gives those of a take, 0 for one that stands on no grid.
func (r Received) OnGrid(depth int, bits func(take string) int) bool {
	for _, a := range r.Arrivals {
		b := bits(a.Clip.Take)
		if !a.Whole || b == 0 || b > depth {
			return false
		}
	}
	return true
}

// Stems names the stems of the tracks that arrive, in order.
func (r Received) Stems() (stems []string) {
	for _, a := range r.Arrivals {
		for _, stem := range []string{a.Track.Stem, a.Track.Second} {
			if stem != "" && !slices.Contains(stems, stem) {
				stems = append(stems, stem)
			}
		}
	}
	slices.Sort(stems)
	return stems
}

// Judge gives what the outputs of a reel receive of its clips in a range; nothing where its groups go round in a circle, which no
// command makes.
func Judge(r *reel.Reel, span reel.Span) Verdict {
	g, err := Compile(r)
	if err != nil {
		return Verdict{Range: span}
	}
	return g.Judge(r, span)
}

// whole is how far from a whole number a gain may be that stands for one: what rounding in 64 bits leaves of sums such as
// √½·√½ + √½·√½, and far below half a step of 24 bits.
const whole = 1e-12

// Judge says what every output receives of the clips of a reel that lie in a range. r is the reel that the graph was made of.
func (g *Graph) Judge(r *reel.Reel, span reel.Span) Verdict { return g.judge(r, span, r.ClipList()) }

// judge says what every output receives of some clips in a range.
func (g *Graph) judge(r *reel.Reel, span reel.Span, of []reel.Clip) Verdict {
	v := Verdict{Range: span, Outputs: make([]Received, len(g.Outputs))}
	for i, o := range g.Outputs {
		v.Outputs[i].Output = o
	}
	clips := map[string][]reel.Clip{}
	for _, c := range of {
		if !c.Mute && c.End() > span.From && c.Start < span.To {
			clips[c.Track] = append(clips[c.Track], c)
		}
	}
	for at := range g.Nodes {
		n := &g.Nodes[at]
		if n.Row != reel.TrackRow || n.Track.Mute || len(clips[n.ID]) == 0 {
			continue
		}
		moves := &movement{graph: g, span: hull(clips[n.ID], span), edges: map[*Edge]envelope{}} // where anything of the track sounds
		ways := waysOf{high: g.reached(at, moves, highest), low: g.reached(at, moves, lowest)}
		ways.ever, ways.loose = g.loosened(at, moves)
		own := curveOver(n.Track.Gain, span).plus(n.Track.GainDB)
		for i := range clips[n.ID] {
			g.arrive(&v, r, n, &clips[n.ID][i], ways, own, span)
		}
	}
	return v
}

// waysOf is how the channels of a track reach each node.
type waysOf struct {
	high, low map[int]mix.Matrix
	ever      map[int]mix.Matrix // not 0 where anything may get, were it panned otherwise
	loose     map[int]mix.Matrix // not 0 where any way moves or turns phases
}

// arrive adds what the outputs receive of a clip.
func (g *Graph) arrive(v *Verdict, r *reel.Reel, n *Node, c *reel.Clip, ways waysOf, own dB, span reel.Span) {
	heard := reel.Span{From: max(span.From, c.Start), To: min(span.To, c.End())}
	frames := reel.Span{From: c.Frame(heard.From), To: c.Frame(heard.To)}
	level, pan := own.times(curveOver(c.Gain, frames)).plus(c.GainDB), curveOver(c.Pan, frames)
	faded := fadesIn(c.FadeIn, c.FadeOut, c, heard)
	spread := SpreadOf(*c, n.Track.Labels, 0, dsp.PanLaw(r.Head.PanLaw))
	processed := chain.Sounds(c.Chain) || r.Treated(*c)
	for k := range c.Channels {
		lane := laneOver(c, k, heard)
		if lane.silent {
			continue
		}
		for i, o := range g.Outputs {
			high, there := ways.high[o.Node]
			if !there {
				continue
			}
			low, loose, roams := ways.low[o.Node], ways.loose[o.Node], false
			a := Arrival{Track: n.Track, Clip: c, Channel: k}
			for t := range n.Format.Labels {
				s := spread.At(t, k)
				a.High += high.At(o.Channel, t) * s
				a.Low += low.At(o.Channel, t) * s
				a.Moves = a.Moves || s != 0 && loose.At(o.Channel, t) != 0
				roams = roams || pan != (dB{}) && ways.ever[o.Node].At(o.Channel, t) != 0
			}
			a.High, a.Low = a.High*dsp.Gain(level.high)*lane.gain, a.Low*dsp.Gain(level.low)*lane.gain
			if math.Abs(a.High) <= least && !roams {
				continue
			}
			a.Moves = a.Moves || level.low != level.high || lane.moves || faded || roams || processed
			a.Whole = !a.Moves && math.Abs(a.High-math.Round(a.High)) < whole
			v.Outputs[i].Arrivals = append(v.Outputs[i].Arrivals, a)
		}
	}
}

// dB is a level, or something else that has a curve, that moves between two values.
type dB struct{ low, high float64 }

func (l dB) plus(more float64) dB { return dB{l.low + more, l.high + more} }

func (l dB) times(other dB) dB { return dB{l.low + other.low, l.high + other.high} }

// curveOver gives between which values a curve stays within a range.
func curveOver(points []reel.Point, span reel.Span) dB {
	if len(points) == 0 {
		return dB{}
	}
	a, b := reel.Level(points, span.From), reel.Level(points, max(span.From, span.To-1))
	l := dB{min(a, b), max(a, b)}
	for _, p := range points {
		if p.At > span.From && p.At < span.To {
			l = dB{min(l.low, p.Value), max(l.high, p.Value)}
		}
	}
	return l
}

// laneOver is what is done to a channel of a clip within a range of the reel.
type overLane struct {
	silent bool
	gain   float64 // where nothing but levels is done
	moves  bool
}

func laneOver(c *reel.Clip, channel int, heard reel.Span) overLane {
	if len(c.Lanes) == 0 {
		return overLane{gain: 1}
	}
	l := c.Lanes[channel]
	out := overLane{silent: l.Off, gain: dsp.Gain(l.GainDB), moves: fadesIn(l.FadeIn, l.FadeOut, c, heard) || chain.Sounds(l.Chain)}
	if l.Invert {
		out.gain = -out.gain
	}
	frames := reel.Span{From: c.Frame(heard.From), To: c.Frame(heard.To)}
	meets := func(s reel.Span) bool { return s.To > frames.From && s.From < frames.To }
	for _, h := range l.Hushes {
		ramp := min(reel.Ramp, (h.To-h.From)/2)
		switch {
		case h.From+ramp <= frames.From && h.To-ramp >= frames.To:
			out.silent = true
		case meets(h):
			out.moves = true
		}
	}
	out.moves = out.moves || slices.ContainsFunc(l.Dips, func(d reel.Dip) bool { return meets(d.Span) }) ||
		slices.ContainsFunc(l.Borrowed, func(b reel.Borrowed) bool { return meets(b.Span) })
	if slices.ContainsFunc(l.Borrowed, func(b reel.Borrowed) bool { return meets(b.Span) }) {
		out.silent = false
	}
	return out
}

// fadesIn tells whether a clip fades in or out within a range of the reel.
func fadesIn(in, out reel.Fade, c *reel.Clip, heard reel.Span) bool {
	return in.Length > 0 && c.Start+in.Length > heard.From || out.Length > 0 && c.End()-out.Length < heard.To
}

// hull is the part of a range from the first of some clips to the last.
func hull(clips []reel.Clip, span reel.Span) reel.Span {
	h := reel.Span{From: span.To, To: span.From}
	for _, c := range clips {
		h = reel.Span{From: min(h.From, max(span.From, c.Start)), To: max(h.To, min(span.To, c.End()))}
	}
	return h
}

// movement is between which gains a graph moves within a range, found as it is asked for.
type movement struct {
	graph *Graph
	span  reel.Span
	edges map[*Edge]envelope
}

// envelope is an edge that moves: the gains where they are highest and lowest within a range.
type envelope struct {
	high, low mix.Matrix
	still     bool
}

func (m *movement) edge(e *Edge) envelope {
	if !e.Moves() {
		return envelope{e.Matrix, e.Matrix, true}
	}
	env, known := m.edges[e]
	if !known {
		env = e.over(m.span)
		m.edges[e] = env
	}
	return env
}

// level is that of a node's bus and correction.
func (m *movement) level(at int) (l dB) {
	n := &m.graph.Nodes[at]
	if n.Bus != nil {
		l = curveOver(n.Bus.Curves[reel.GainCurve], m.span).plus(n.Bus.GainDB)
	}
	if c := n.Correction; c != nil {
		l = l.times(curveOver(c.Ride, m.span)).times(curveOver(c.Limit, m.span)).plus(c.GainDB)
	}
	return l
}

// instants is at how many places a moving edge is looked at between two points of its curves; where those are many, at them alone.
const instants = 8

// over gives between which gains an edge moves within a range.
func (e Edge) over(span reel.Span) envelope {
	at := e.turns(span)
	first := mix.Zero(e.Matrix.Rows, e.Matrix.Cols)
	e.At(first, span.From, 0)
	env := envelope{high: first, low: mix.Matrix{Rows: first.Rows, Cols: first.Cols, Gain: slices.Clone(first.Gain)}, still: true}
	if len(at) == 0 { // all its curves stay where they are
		return env
	}
	slices.Sort(at)
	if len(at) < 512 {
		for i, place := range at[1:] {
			for k := range int64(instants - 1) {
				at = append(at, at[i]+(place-at[i])*(k+1)/instants)
			}
		}
	}
	now := mix.Zero(first.Rows, first.Cols)
	for _, place := range at {
		e.At(now, place, 0)
		for i, gain := range now.Gain {
			env.still = env.still && gain == first.Gain[i]
			if math.Abs(gain) > math.Abs(env.high.Gain[i]) {
				env.high.Gain[i] = gain
			}
			if math.Abs(gain) < math.Abs(env.low.Gain[i]) {
				env.low.Gain[i] = gain
			}
		}
	}
	return env
}

// end is the gains of a moving edge, and of a moving level, that count.
type end func(envelope, dB) (mix.Matrix, float64)

func highest(e envelope, l dB) (mix.Matrix, float64) { return e.high, l.high }
func lowest(e envelope, l dB) (mix.Matrix, float64)  { return e.low, l.low }

// reached gives the gains from a track's channels to each node, where all that moves is at one end of how far it does.
func (g *Graph) reached(from int, moves *movement, end end) map[int]mix.Matrix {
	return g.reach(from, anyWay, func(e *Edge) mix.Matrix {
		m, _ := end(moves.edge(e), dB{})
		return m
	}, func(at int) float64 {
		_, level := end(envelope{}, moves.level(at))
		return dsp.Gain(level)
	})
}

// loosened gives, for each node, which of a track's channels may ever get there, and which do so by any way that moves or is
// turned by 90°: not 0 where one does.
func (g *Graph) loosened(from int, moves *movement) (ever, loose map[int]mix.Matrix) {
	ever, loose = map[int]mix.Matrix{from: mix.Identity(len(g.Nodes[from].Format.Labels))}, map[int]mix.Matrix{}
	join := func(to map[int]mix.Matrix, at int, m mix.Matrix) {
		was, there := to[at]
		if !there {
			was = mix.Zero(m.Rows, m.Cols)
			to[at] = was
		}
		for i, x := range m.Gain {
			if x != 0 {
				was.Gain[i] = 1
			}
		}
	}
	for at := from; at < len(g.Nodes); at++ {
		m, there := ever[at]
		if !there {
			continue
		}
		if l := moves.level(at); l.low != l.high || g.Nodes[at].Chain != nil {
			join(loose, at, m)
		}
		for k := range g.Nodes[at].Out {
			e := &g.Nodes[at].Out[k]
			through := e.through()
			join(ever, e.To, through.Mul(m))
			if was, some := loose[at]; some {
				join(loose, e.To, through.Mul(was))
			}
			if e.Phased != nil || !moves.edge(e).still {
				join(loose, e.To, through.Mul(m))
			}
		}
	}
	for at, m := range ever {
		if _, some := loose[at]; !some {
			loose[at] = mix.Zero(m.Rows, m.Cols)
		}
	}
	return ever, loose
}

// through is 1 wherever anything may ever go through the edge, a clip's own position included.
func (e *Edge) through() mix.Matrix {
	m := mix.Zero(e.Matrix.Rows, e.Matrix.Cols)
	for _, r := range e.rides {
		m.Set(r.row, r.column, 1)
	}
	for i := range m.Gain {
		switch {
		case e.place != nil && (e.place.moves || e.place.panned) && !(e.place.fixed && e.place.base.Gain[i] == 0),
			e.Matrix.Gain[i] != 0, e.Phased != nil && e.Phased.Gain[i] != 0:
			m.Gain[i] = 1
		}
	}
	return m
}
