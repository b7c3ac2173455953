package weave

import (
	"math"
	"slices"

	"zestyloom/core/dsp"
	"zestyloom/core/fault"
	"zestyloom/core/layout"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
)

// Tie gives the knots that a user's tying a row to an output naturally means: each channel of a loose row and a mono row's
// only channel, whole; of a set or sound field what is natural. Where nothing is, the first channel.
func Tie(r *reel.Reel, row reel.Row, id string, output reel.Output) []reel.Crosspoint {
	from := layout.Read(r.RowLabels(row, id)).In(r.Head.Angles)
	var knots []reel.Crosspoint
	if from.Kind != layout.Single && from.Kind != layout.Loose {
		knots = natural(from, layout.Read(r.Groups[output.Group].Labels).In(r.Head.Angles), row, id, output)
	}
	if len(knots) > 0 {
		return knots
	}
	for i := range from.Labels {
		if knots = append(knots, reel.Crosspoint{Row: row, From: id, Channel: i, Output: output.ID}); from.Kind != layout.Loose {
			break
		}
	}
	return knots
}

// Crossing is where a row meets an output, or a whole group where its ID is given.
type Crossing struct {
	Row    reel.Row `json:"row"`
	From   string   `json:"from"`
	Output string   `json:"output"`
}

// TieAt ties rows to outputs in the natural way.
type TieAt struct {
	At []Crossing `json:"at"`
}

// Plan is that of reel.SetKnots, with the knots that tying means on the reel as it is; NotFound where there is no such output.
func (c TieAt) Plan(r *reel.Reel, known reel.Known) (reel.Change, string, error) {
	var knots []reel.Crosspoint
	for _, x := range c.At {
		output, single := r.Output(x.Output)
		group, whole := r.Groups[x.Output]
		switch {
		case single:
			knots = append(knots, Tie(r, x.Row, x.From, output)...)
		case whole:
			knots = append(knots, TieGroup(r, x.Row, x.From, group)...)
		default:
			return reel.Change{}, "", fault.New(fault.NotFound, "There is no output %q on this reel", x.Output)
		}
	}
	return reel.SetKnots{Knots: knots}.Plan(r, known)
}

// TieGroup gives the knots by which each channel of a group gets of a row what it means to it: a mono goes to the middle of
// a pair and to the centre of a wide room, a set to its channels, folded where it must be.
func TieGroup(r *reel.Reel, row reel.Row, id string, group reel.Group) (knots []reel.Crosspoint) {
	from, to := layout.Read(r.RowLabels(row, id)).In(r.Head.Angles), layout.Read(group.Labels).In(r.Head.Angles)
	for _, label := range group.Labels {
		knots = append(knots, natural(from, to, row, id, reel.Output{ID: reel.OutputID(group.ID, label), Group: group.ID, Label: label})...)
	}
	return knots
}

// natural gives the knots by which an output gets of a row what its group gets by meaning, folded where it must be.
func natural(from, to layout.Format, row reel.Row, id string, output reel.Output) (knots []reel.Crosspoint) {
	m, _, _ := mix.Carry(from, to, mix.Usual())
	at := slices.Index(to.Labels, output.Label)
	for c := range m.Cols {
		if gain := m.At(at, c); math.Abs(gain) > least {
			knots = append(knots, reel.Crosspoint{Row: row, From: id, Channel: c, Output: output.ID, GainDB: dsp.DB(math.Abs(gain)) + 0,
				Invert: gain < 0})
		}
	}
	return knots
}

func roundDB(dB float64) float64 { return math.Round(dB*100)/100 + 0 } // no −0

// GroupKnots gives the knots that a spec asks for: each stem of each group to that group's outputs.
func GroupKnots(r *reel.Reel, groups []reel.Group) []reel.Crosspoint {
	var knots []reel.Crosspoint
	next := *r
	next.Groups = map[string]reel.Group{}
	for i, g := range groups {
		g.Order = i + 1
		next.Groups[g.ID] = g
	}
	for _, o := range next.OutputList() {
		g := next.Groups[o.Group]
		for _, stem := range g.Stems {
			if s, ok := r.Stems[stem]; ok {
				knots = append(knots, natural(layout.Read(s.Labels).In(r.Head.Angles), layout.Read(g.Labels).In(r.Head.Angles), reel.StemRow, stem,
					o)...)
			}
		}
	}
	return knots
}

// Route is what one track reaches on one output, over all its paths.
type Route struct {
	Track  string  `json:"track"`
	Output string  `json:"output"`
	GainDB float64 `json:"gainDB"` // of the track's strongest channel, its paths added up, with the track's gain
	Direct bool    `json:"direct"` // by a knot of the track's own
	Stem   bool    `json:"stem"`   // through its stem
	Twice  bool    `json:"twice"`  // one channel arrives both ways
	Invert bool    `json:"invert"` // with its polarity turned
}

// Effective is what one channel of a row brings to one output, over all its paths, within a range of the reel.
type Effective struct {
	Channel int     `json:"channel"` // of the row, from 0
	Output  string  `json:"output"`
	GainDB  float64 `json:"gainDB"` // where it is highest, with a track's own gain
	LowDB   float64 `json:"lowDB"`  // where it is lowest, not under SilentDB; GainDB where nothing moves
	Invert  bool    `json:"invert"`
}

// SilentDB is the level at which nothing arrives any more.
const SilentDB = -140

// least is the gain below which nothing is said to arrive.
const least = 1e-7

// reach gives the gains from a node's channels to each node, by way of those of its edges that are taken. What arrives turned
// by 90° adds its power. gains and level say which gains count of an edge, and of a node.
func (g *Graph) reach(from int, take func(*Edge) bool, gains func(*Edge) mix.Matrix, level func(at int) float64) map[int]mix.Matrix {
	reached := map[int]mix.Matrix{}
	add := func(e *Edge, m mix.Matrix) {
		next := gains(e).Mul(m)
		if e.Phased != nil {
			for i, turned := range e.Phased.Mul(m).Gain {
				if next.Gain[i] == 0 {
					next.Gain[i] = turned
				} else {
					next.Gain[i] = math.Copysign(math.Hypot(next.Gain[i], turned), next.Gain[i])
				}
			}
		}
		if was, there := reached[e.To]; there {
			for i := range next.Gain {
				next.Gain[i] += was.Gain[i]
			}
		}
		reached[e.To] = next
	}
	own := mix.Identity(len(g.Nodes[from].Format.Labels)).Scaled(level(from))
	for k := range g.Nodes[from].Out {
		if e := &g.Nodes[from].Out[k]; take(e) {
			add(e, own)
		}
	}
	for at := from + 1; at < len(g.Nodes); at++ {
		if m, there := reached[at]; there {
			if level := level(at); level != 1 {
				m = m.Scaled(level)
				reached[at] = m
			}
			for k := range g.Nodes[at].Out {
				add(&g.Nodes[at].Out[k], m)
			}
		}
	}
	return reached
}

// begins gives the gains from a node's channels to each node where the reel begins.
func (g *Graph) begins(from int, take func(*Edge) bool) map[int]mix.Matrix {
	return g.reach(from, take, func(e *Edge) mix.Matrix { return e.Matrix }, func(at int) float64 { return g.Nodes[at].level() })
}

func anyWay(*Edge) bool { return true }

// strongest is the channel of a track that arrives at an output most; 0 where none does.
func (o Output) strongest(reached map[int]mix.Matrix, channel int) float64 {
	m, there := reached[o.Node]
	if !there {
		return 0
	}
	return m.At(o.Channel, channel)
}

// trackReach is where the channels of a track get, where the reel begins: by way of its stems, and by knots of its own.
type trackReach struct {
	at           int
	stem, direct map[int]mix.Matrix
}

// to gives the gains to a node, over all ways.
func (t trackReach) to(node int) (m mix.Matrix, there bool) {
	a, inStem := t.stem[node]
	b, byKnot := t.direct[node]
	switch {
	case !byKnot:
		return a, inStem
	case !inStem:
		return b, byKnot
	}
	m = mix.Zero(a.Rows, a.Cols)
	for i := range m.Gain {
		m.Gain[i] = a.Gain[i] + b.Gain[i]
	}
	return m, true
}

// tracks gives the reach of every track that is not muted, in their order.
func (g *Graph) tracks() (list []trackReach) {
	for at, n := range g.Nodes {
		if n.Row != reel.TrackRow || n.Track.Mute {
			continue
		}
		t := trackReach{at: at, stem: g.begins(at, func(e *Edge) bool { return !e.Direct })}
		if slices.ContainsFunc(n.Out, func(e Edge) bool { return e.Direct }) {
			t.direct = g.begins(at, func(e *Edge) bool { return e.Direct })
		}
		list = append(list, t)
	}
	return list
}

// Routes gives every track's reach, muted tracks left out, in the order of tracks and outputs.
func (g *Graph) Routes() []Route { return g.routes(g.tracks()) }

func (g *Graph) routes(tracks []trackReach) []Route {
	routes := []Route{}
	for _, t := range tracks {
		n, stem, direct := g.Nodes[t.at], t.stem, t.direct
		for _, o := range g.Outputs {
			route := Route{Track: n.ID, Output: o.ID}
			most := 0.0
			for c := range n.Format.Labels {
				a, b := o.strongest(stem, c), o.strongest(direct, c)
				route.Stem = route.Stem || math.Abs(a) > least
				route.Direct = route.Direct || math.Abs(b) > least
				route.Twice = route.Twice || math.Abs(a) > least && math.Abs(b) > least
				if math.Abs(a+b) > math.Abs(most) {
					most = a + b
				}
			}
			if route.Stem || route.Direct {
				route.GainDB, route.Invert = dsp.DB(math.Abs(most))+n.Track.GainDB, most < 0
				routes = append(routes, route)
			}
		}
	}
	return routes
}

// Effective gives what every channel of a node (a place in Nodes) brings to every output within a range; nothing where it is a
// muted track.
func (g *Graph) Effective(node int, span reel.Span) []Effective {
	list, n, own := []Effective{}, g.Nodes[node], dB{}
	if n.Row == reel.TrackRow {
		if n.Track.Mute {
			return list
		}
		own = curveOver(n.Track.Gain, span).plus(n.Track.GainDB)
	}
	moves := &movement{graph: g, span: span, edges: map[*Edge]envelope{}}
	high, low := g.reached(node, moves, highest), g.reached(node, moves, lowest)
	for _, o := range g.Outputs {
		for c := range n.Format.Labels {
			if gain := o.strongest(high, c); math.Abs(gain) > least {
				floor := max(dsp.DB(o.strongest(low, c))+own.low, SilentDB)
				list = append(list, Effective{c, o.ID, dsp.DB(gain) + own.high, floor, gain < 0})
			}
		}
	}
	return list
}

// Look gives the routes of a reel and what is wrong with them; nothing where its groups go round in a circle, which no
// command makes.
func Look(r *reel.Reel) ([]Route, []Finding) {
	g, err := Compile(r)
	if err != nil {
		return []Route{}, []Finding{}
	}
	reached := g.tracks()
	routes := g.routes(reached)
	return routes, g.findings(r, routes, reached)
}

// Findings gives what of a reel's weave is probably wrong, in the order of tracks and outputs.
func Findings(r *reel.Reel) []Finding {
	_, found := Look(r)
	return found
}

// Speaker is where the sound of a label comes from.
type Speaker struct {
	Label string `json:"label"`
	layout.Direction
}

// Speakers gives where those stand that stems, mixes and output groups have, in the order in which they come. The LFE has no
// place.
func Speakers(r *reel.Reel) []Speaker {
	var sets [][]string
	for _, s := range r.StemList() {
		sets = append(sets, s.Labels)
	}
	for _, m := range r.MixList() {
		sets = append(sets, m.Labels)
	}
	for _, g := range r.GroupList() {
		sets = append(sets, g.Labels)
	}
	list := []Speaker{}
	seen := map[string]bool{"": true, "M": true}
	for _, labels := range sets {
		f := layout.Read(labels).In(r.Head.Angles)
		for _, s := range f.Speakers() {
			if !seen[s.Label] && !s.LFE && f.Kind != layout.Field {
				seen[s.Label] = true
				list = append(list, Speaker{s.Label, layout.Direction{Azimuth: s.Azimuth, Elevation: s.Elevation}})
			}
		}
	}
	return list
}
