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

// NodeID names a bus: a track, strand, stem, mix or output group.
type NodeID struct {
	Row reel.Row
	ID  string
}

// Node is a bus of the graph.
type Node struct {
	NodeID
	Format layout.Format
	Track  *reel.Track // of a track
	Bus    *reel.Bus   // what is done there with all that arrives, but for turning; nil where nothing is
	Out    []Edge      // to nodes that come later
	// Correction is what brings an output group to its limits, after its bus; nil where nothing does.
	Correction *reel.Correction
	// Chain is what all that arrives goes through before the bus, or before the gain of a track; nil where nothing is done.
	Chain *reel.Chain
}

// Moves tells whether the level of the bus changes with the clock.
func (n Node) Moves() bool {
	return n.Bus != nil && n.Bus.Moves(reel.GainCurve) || n.Correction != nil && n.Correction.Moves()
}

// level is the gain of the bus, without its curve.
func (n Node) level() float64 {
	gain := 1.0
	if n.Bus != nil {
		gain = dsp.Gain(n.Bus.GainDB)
	}
	if n.Correction != nil {
		gain *= dsp.Gain(n.Correction.GainDB)
	}
	return gain
}

// Edge takes the channels of a node to those of another.
type Edge struct {
	To     int         // place in Graph.Nodes
	Matrix mix.Matrix  // where nothing moves, the gains; else those of the beginning
	Phased *mix.Matrix // gains of what arrives turned by 90°, in an encoded fold-down
	Direct bool        // by a knot
	place  *placing    // where the gains follow from where a track stands
	rides  []ride      // knots whose gain moves
	said   bool        // somebody has said yes to what it folds or leaves out
}

// Moves tells whether the gains change with the clock.
func (e Edge) Moves() bool { return e.place != nil && e.place.moves || len(e.rides) > 0 }

// ride is a knot with a curve.
type ride struct {
	row, column int     // in the matrix
	gain        float64 // without the curve; below 0 where polarity is turned
	curve       []reel.Point
}

func (r ride) at(at int64) float64 { return r.gain * dsp.Gain(reel.Level(r.curve, at)) }

// turns gives where within a range the gains turn to move another way; none where they stay.
func (e Edge) turns(span reel.Span) (at []int64) {
	if e.place != nil {
		at = e.place.of.Turns(span)
	}
	for _, r := range e.rides {
		at = append(at, reel.TurnsOf(r.curve, span)...)
	}
	return at
}

// Sided tells whether a clip's own position between the sides acts on the edge.
func (e Edge) Sided() bool { return e.place != nil && e.place.panned }

// At writes the gains at a sample of the reel into dst, which is as large as Matrix. aside is added to the position
// between the sides.
func (e Edge) At(dst mix.Matrix, at int64, aside float64) {
	if e.place == nil {
		copy(dst.Gain, e.Matrix.Gain)
		for _, r := range e.rides {
			dst.Set(r.row, r.column, r.at(at))
		}
		return
	}
	f := e.place.of.Place(at)
	f.Pan += aside
	e.place.gains(dst, f)
}

// Graph is a reel as buses, each after all that feed it and all that drive its chain; where nothing is driven, tracks first and groups last. What is seen and what is heard come
// from it alike.
type Graph struct {
	Nodes   []Node
	Outputs []Output
	at      map[NodeID]int
	into    map[NodeID]int // where that arrives which is turned on its way to the node
	head    reel.Head
	barred  []barred
}

// barred is a way that was asked for and on which nothing would arrive: what is at its end has no place for any of it.
type barred struct {
	from, to int
	by       reel.Row // whose way it is: a track's into its stem, a mix's, a group's
}

// Output is a channel of a group's node.
type Output struct {
	reel.Output
	Node, Channel int
}

// Node gives the place of a node.
func (g *Graph) Node(row reel.Row, id string) (place int, there bool) {
	place, there = g.at[NodeID{row, id}]
	return place, there
}

// add makes a node. Where its bus balances or turns what arrives, that arrives at a node of its own before it, which is
// named by no row.
func (g *Graph) add(row reel.Row, id string, labels []string, track *reel.Track, bus *reel.Bus) {
	at, f := NodeID{row, id}, layout.Read(labels).In(g.head.Angles)
	if bus != nil && bus.Turned() {
		if e, ok := enter(bus, bus.Feed, f, f, g.head); ok {
			g.into[at], e.To = len(g.Nodes), len(g.Nodes)+1
			g.Nodes = append(g.Nodes, Node{Format: f, Out: []Edge{e}})
		}
	}
	g.at[at] = len(g.Nodes)
	g.Nodes = append(g.Nodes, Node{NodeID: at, Format: f, Track: track, Bus: bus})
}

// entry is where that arrives which is sent to a node.
func (g *Graph) entry(row reel.Row, id string) (place int, there bool) {
	if place, there = g.into[NodeID{row, id}]; there {
		return place, true
	}
	return g.Node(row, id)
}

// Compile makes the graph of a reel. A group that is derived from itself is BadInput, with the way around; commands see to
// it that there is none.
func Compile(r *reel.Reel) (*Graph, error) {
	g := &Graph{at: map[NodeID]int{}, into: map[NodeID]int{}, head: r.Head}
	bus := func(row reel.Row, id string) *reel.Bus {
		if b, there := r.Buses[reel.BusID(row, id)]; there {
			return &b
		}
		return nil
	}
	for _, t := range r.TrackList() {
		g.add(reel.TrackRow, t.ID, t.Labels, &t, nil)
	}
	split := g.strands(r, bus)
	for _, s := range r.StemList() {
		g.add(reel.StemRow, s.ID, s.Labels, nil, bus(reel.StemRow, s.ID))
	}
	for _, m := range r.MixList() {
		g.add(reel.MixRow, m.ID, m.Labels, nil, bus(reel.MixRow, m.ID))
	}
	groups, err := derived(r)
	if err != nil {
		return nil, err
	}
	for _, group := range groups {
		g.add(reel.GroupRow, group.ID, group.Labels, nil, bus(reel.GroupRow, group.ID))
	}
	for _, c := range r.CorrectionList() {
		for _, id := range c.Groups {
			if at, there := g.at[NodeID{reel.GroupRow, id}]; there && !c.Off {
				g.Nodes[at].Correction = &c
			}
		}
	}
	for _, o := range r.OutputList() {
		node := g.at[NodeID{reel.GroupRow, o.Group}]
		g.Outputs = append(g.Outputs, Output{o, node, slices.Index(g.Nodes[node].Format.Labels, o.Label)})
	}
	g.feedStems(r, split)
	for _, m := range r.MixList() {
		g.sum(r, m, split)
	}
	for _, group := range groups {
		if f := group.Feed; f != nil {
			g.feedGroup(*f, group)
		}
	}
	g.tie(r)
	for _, c := range r.ChainList() {
		if at, there := g.at[NodeID{c.Row, c.From}]; there && c.Sounds() {
			g.Nodes[at].Chain = &c
		}
	}
	return g, g.order()
}

// Drivers gives the places of the nodes that drive the chain of one.
func (g *Graph) Drivers(at int) (list []int) {
	if c := g.Nodes[at].Chain; c != nil {
		for _, k := range c.Keys() {
			if from, there := g.at[NodeID{reel.Row(k.Row), k.From}]; there {
				list = append(list, from)
			}
		}
	}
	return list
}

// order puts every node after all that drive it, where anything does, and leaves the order as it is else. What turns what arrives stays right
// before its node.
func (g *Graph) order() error {
	if !slices.ContainsFunc(g.Nodes, func(n Node) bool { return n.Chain != nil && len(n.Chain.Keys()) > 0 }) {
		return nil
	}
	waits := make([]map[int]bool, len(g.Nodes)) // for whom each waits
	for i := range g.Nodes {
		waits[i] = map[int]bool{}
	}
	for i := range g.Nodes {
		for _, e := range g.Nodes[i].Out {
			if to := g.behind(e.To); to != i {
				waits[to][g.behind(i)] = true
			}
		}
		for _, from := range g.Drivers(i) {
			waits[i][from] = true
		}
	}
	place, order := map[int]int{}, []int{}
	for len(order) < len(g.Nodes) {
		next := -1
		for i := range g.Nodes {
			if _, done := place[i]; done || g.Nodes[i].Row == "" {
				continue
			}
			ready := true
			for from := range waits[i] {
				_, done := place[from]
				ready = ready && (done || from == i)
			}
			if ready {
				next = i
				break
			}
		}
		if next < 0 {
			return fault.New(fault.BadInput, "A chain is driven by what it reaches")
		}
		if next > 0 && g.Nodes[next-1].Row == "" {
			place[next-1] = len(order)
			order = append(order, next-1)
		}
		place[next] = len(order)
		order = append(order, next)
	}
	g.rearrange(order, place)
	return nil
}

// behind is the node of a row that one is, or that it turns what arrives for.
func (g *Graph) behind(at int) int {
	if g.Nodes[at].Row == "" {
		return at + 1
	}
	return at
}

// rearrange gives the nodes another order.
func (g *Graph) rearrange(order []int, place map[int]int) {
	nodes := make([]Node, len(order))
	for i, was := range order {
		nodes[i] = g.Nodes[was]
		for k := range nodes[i].Out {
			nodes[i].Out[k].To = place[nodes[i].Out[k].To]
		}
	}
	g.Nodes = nodes
	for _, m := range []map[NodeID]int{g.at, g.into} {
		for id, was := range m {
			m[id] = place[was]
		}
	}
	for i := range g.Outputs {
		g.Outputs[i].Node = place[g.Outputs[i].Node]
	}
	for i := range g.barred {
		g.barred[i].from, g.barred[i].to = place[g.barred[i].from], place[g.barred[i].to]
	}
}

// strands adds a bus for each strand of the stems that have strands by name, or of which a mix takes one by itself, and
// names those stems.
func (g *Graph) strands(r *reel.Reel, bus func(reel.Row, string) *reel.Bus) (split map[string]bool) {
	split = map[string]bool{}
	for _, t := range r.Tracks {
		split[t.Stem] = split[t.Stem] || t.Strand != ""
	}
	for _, m := range r.Mixes {
		for _, t := range m.Terms {
			if stem, _ := reel.StemOf(t.From); t.Row == reel.StrandRow {
				split[stem] = true
			}
		}
	}
	for _, s := range r.StemList() {
		if !split[s.ID] {
			continue
		}
		for _, name := range r.StrandList(s.ID) {
			id := reel.StrandID(s.ID, name)
			g.add(reel.StrandRow, id, s.Labels, nil, bus(reel.StrandRow, id))
		}
	}
	return split
}

// derived gives the groups, each after that which it is derived from.
func derived(r *reel.Reel) (list []reel.Group, err error) {
	state := map[string]int{} // 1 on the way, 2 in the list
	var visit func(g reel.Group, path []string) error
	visit = func(g reel.Group, path []string) error {
		path = append(path, g.Name)
		switch state[g.ID] {
		case 2:
			return nil
		case 1:
			return fault.New(fault.BadInput, "An output group is derived from itself: %v", path)
		}
		state[g.ID] = 1
		if g.Feed != nil && g.Feed.Row == reel.GroupRow {
			if from, there := r.Groups[g.Feed.From]; there {
				if err := visit(from, path); err != nil {
					return err
				}
			}
		}
		state[g.ID] = 2
		list = append(list, g)
		return nil
	}
	for _, g := range r.GroupList() {
		if err := visit(g, nil); err != nil {
			return nil, err
		}
	}
	return list, nil
}

// feedStems leads each track into its stems, by way of its strand where that has a bus, and strands into stems.
func (g *Graph) feedStems(r *reel.Reel, split map[string]bool) {
	for i := range g.Nodes {
		n := &g.Nodes[i]
		switch n.Row {
		case reel.TrackRow:
			for _, stem := range []string{n.Track.Stem, n.Track.Second} {
				to, there := g.entry(reel.StemRow, stem)
				if !there {
					continue
				}
				if stem == n.Track.Stem && split[stem] {
					to, _ = g.entry(reel.StrandRow, reel.StrandID(stem, n.Track.Strand))
				}
				e, ok := enter(n.Track, n.Track.Feed, n.Format, g.Nodes[to].Format, r.Head)
				if !ok {
					g.barred = append(g.barred, barred{i, to, reel.StemRow})
					continue
				}
				e.To, e.said = to, n.Track.Feed.Folds
				n.Out = append(n.Out, e)
			}
		case reel.StrandRow:
			stem, _ := reel.StemOf(n.ID)
			to, _ := g.entry(reel.StemRow, stem)
			n.Out = append(n.Out, Edge{To: to, Matrix: mix.Identity(len(n.Format.Labels))})
		}
	}
}

// sum leads stems and strands into a mix. A stem of which a strand is taken by itself, or left out, goes there strand by
// strand.
func (g *Graph) sum(r *reel.Reel, m reel.Mix, split map[string]bool) {
	to, _ := g.entry(reel.MixRow, m.ID)
	terms := map[NodeID]reel.Term{}
	parted := map[string]bool{}
	for _, t := range m.Terms {
		terms[NodeID{t.Row, t.From}] = t
		if t.Row == reel.StrandRow {
			stem, _ := reel.StemOf(t.From)
			parted[stem] = true
		}
	}
	for _, s := range r.StemList() {
		whole, named := terms[NodeID{reel.StemRow, s.ID}]
		in := named && !whole.Out || !named && m.Rest
		if !parted[s.ID] {
			if in {
				g.connect(NodeID{reel.StemRow, s.ID}, to, whole.GainDB, mix.Usual(), m.Folds)
			}
			continue
		}
		for _, name := range r.StrandList(s.ID) {
			strand := NodeID{reel.StrandRow, reel.StrandID(s.ID, name)}
			t, own := terms[strand]
			switch {
			case own && !t.Out:
				g.connect(strand, to, t.GainDB, mix.Usual(), m.Folds)
			case !own && in:
				g.connect(strand, to, whole.GainDB, mix.Usual(), m.Folds)
			}
		}
	}
}

// connect leads a node into another by meaning, at a gain. said tells that somebody has said yes to what it folds.
func (g *Graph) connect(from NodeID, to int, gainDB float64, f mix.Fold, said bool) {
	at, there := g.at[from]
	if !there {
		return
	}
	n := &g.Nodes[at]
	m, _, ok := mix.Carry(n.Format, g.Nodes[to].Format, f)
	if !ok && !f.Encoded {
		g.barred = append(g.barred, barred{at, to, g.named(to).Row})
		return
	}
	e := Edge{To: to, Matrix: m.Scaled(dsp.Gain(gainDB)), said: said}
	if f.Encoded && len(g.Nodes[to].Format.Labels) == 2 {
		turned := f.Surrounds(n.Format).Scaled(dsp.Gain(gainDB))
		if slices.ContainsFunc(turned.Gain, func(g float64) bool { return g != 0 }) {
			e.Phased = &turned
		}
	}
	n.Out = append(n.Out, e)
}

// feedGroup leads into a group what feeds it. Whoever says how it is folded has said yes to it.
func (g *Graph) feedGroup(f reel.Feeder, group reel.Group) {
	to, _ := g.entry(reel.GroupRow, group.ID)
	g.connect(NodeID{f.Row, f.From}, to, 0, f.Folding(), group.Folds || f.Row == reel.GroupRow || group.Own && f.Fold != nil)
}

// named is the node of a row that what arrives at a place is for: the one behind where it is turned.
func (g *Graph) named(at int) Node {
	if g.Nodes[at].Row == "" {
		at++
	}
	return g.Nodes[at]
}

// tie adds the knots: those from one row to one group are one edge.
func (g *Graph) tie(r *reel.Reel) {
	column := map[string]Output{}
	for _, o := range g.Outputs {
		column[o.ID] = o
	}
	type pair struct{ from, to int }
	edges, rides := map[pair]mix.Matrix{}, map[pair][]ride{}
	var order []pair
	for _, k := range r.KnotList() {
		from, there := g.at[NodeID{k.Row, k.From}]
		o, tied := column[k.Output]
		if !there || !tied || k.Channel >= len(g.Nodes[from].Format.Labels) {
			continue
		}
		to, _ := g.entry(reel.GroupRow, o.Group)
		p := pair{from, to}
		m, begun := edges[p]
		if !begun {
			m = mix.Zero(len(g.Nodes[to].Format.Labels), len(g.Nodes[from].Format.Labels))
			edges[p] = m
			order = append(order, p)
		}
		gain := dsp.Gain(k.GainDB)
		if k.Invert {
			gain = -gain
		}
		if len(k.Curve) > 0 {
			moving := ride{row: o.Channel, column: k.Channel, gain: gain, curve: k.Curve}
			rides[p], gain = append(rides[p], moving), moving.at(r.Head.Start)
		}
		m.Set(o.Channel, k.Channel, gain)
	}
	for _, p := range order {
		n := &g.Nodes[p.from]
		group := r.Groups[g.named(p.to).ID]
		asked := n.Row == reel.StemRow && slices.Contains(group.Stems, n.ID) // tied for the spec, and not by somebody's hand
		n.Out = append(n.Out, Edge{To: p.to, Matrix: edges[p], rides: rides[p], Direct: true, said: group.Folds || !asked})
	}
}

// mover is what has a place that may change with the clock: a track, or a bus that turns what arrives.
type mover interface {
	Place(at int64) reel.Feed
	Moves(...reel.Parameter) bool
	Turns(reel.Span) []int64
}

// placing is how the gains of an edge follow from where a track stands.
type placing struct {
	of       mover
	law      dsp.PanLaw
	moves    bool
	panned   bool       // between left and right of a pair, by the law
	left     int        // rows of the pair; −1 where there is none
	right    int        //
	base     mix.Matrix // before balance, turning and placing
	fixed    bool       // nothing goes where base has no gain
	in, out  mix.Matrix // of sound fields: before and after they are turned
	order    int        // of a sound field
	room     *mix.Room  // that a source stands in
	field    layout.Format
	lfe      int              // row of the LFE; −1 where there is none
	speakers []layout.Speaker // of a set that is turned in the room
	how      func(p *placing, dst mix.Matrix, f reel.Feed)
}

func (p *placing) gains(dst mix.Matrix, f reel.Feed) { p.how(p, dst, f) }

// enter gives the edge from a track into a stem, without the track's gain, or through a bus that turns what arrives. rest is
// the place that does not move. It is not ok where nothing would arrive.
//
// Channels go to those of the same label. A mono, and each channel of a loose track, goes to a pair by the pan law, or at
// unity on both sides where the feed is dual; where it is placed, into the room. A set goes by meaning, with balance
// between the front sides, or is turned and narrowed in the room. A sound field is turned and decoded.
func enter(t mover, rest reel.Feed, from, to layout.Format, head reel.Head) (Edge, bool) {
	p := &placing{of: t, law: dsp.PanLaw(head.PanLaw), left: slices.Index(to.Labels, "L"), right: slices.Index(to.Labels, "R")}
	p.lfe = slices.IndexFunc(to.Labels, func(l string) bool { return layout.Speakers[l].LFE })
	single := from.Kind == layout.Single || from.Kind == layout.Loose
	room, inRoom := mix.NewRoom(to.Speakers())
	pair := p.left >= 0 && p.right >= 0
	base, _, arrives := mix.Carry(from, to, mix.Usual())
	p.base = base
	turned := rest.Turn != 0 || rest.Narrow != 0 || t.Moves(reel.TurnCurve, reel.NarrowCurve)
	switch {
	case len(to.Labels) == 1:
		return Edge{Matrix: base}, arrives
	case single && to.Kind != layout.Field && slices.Contains(to.Labels, from.Labels[0]):
		p.how, p.fixed, p.moves = (*placing).balanced, true, t.Moves(reel.PanCurve)
	case single && to.Kind == layout.Field:
		p.field, p.how = to, (*placing).encoded
		p.moves = t.Moves(reel.PanCurve, reel.FrontCurve, reel.UpCurve, reel.SpreadCurve)
	case single && rest.Placed && inRoom && len(to.Labels) > 2:
		p.room, p.how = room, (*placing).inRoom
		p.moves = t.Moves(reel.PanCurve, reel.FrontCurve, reel.UpCurve, reel.SpreadCurve, reel.LFECurve)
	case single && to.Unnamed():
		return Edge{Matrix: base}, arrives
	case single && !pair:
		return Edge{}, false
	case single && rest.Dual:
		m := mix.Zero(len(to.Labels), len(from.Labels))
		for c := range from.Labels {
			m.Set(p.left, c, 1)
			m.Set(p.right, c, 1)
		}
		return Edge{Matrix: m}, true
	case single:
		p.panned, p.how, p.moves = true, (*placing).betweenSides, t.Moves(reel.PanCurve)
	case from.Kind == layout.Field:
		p.fieldFrom(from, to)
		p.moves = t.Moves(reel.PanCurve, reel.TurnCurve, reel.PitchCurve, reel.RollCurve)
	case turned && inRoom && len(to.Labels) > 2:
		p.room, p.speakers, p.how = room, from.Speakers(), (*placing).around
		p.moves = t.Moves(reel.TurnCurve, reel.NarrowCurve, reel.PanCurve)
	default:
		if !arrives {
			return Edge{}, false
		}
		p.how, p.fixed, p.moves = (*placing).balanced, true, t.Moves(reel.PanCurve)
	}
	e := Edge{Matrix: mix.Zero(len(to.Labels), len(from.Labels)), place: p}
	p.gains(e.Matrix, t.Place(head.Start))
	return e, true
}

// fieldFrom sets up a track that is a sound field.
func (p *placing) fieldFrom(from, to layout.Format) {
	p.in, p.order, p.how = mix.Inward(from), from.Order, (*placing).turnedField
	p.out, _, _ = mix.Carry(layout.Read(layout.ACNLabels(from.Order)), to, mix.Usual())
	if to.Kind == layout.Field {
		p.left, p.right = -1, -1
	}
}

func (p *placing) betweenSides(dst mix.Matrix, f reel.Feed) {
	clear(dst.Gain)
	l, r := dsp.Pan(f.Pan, p.law)
	for c := range dst.Cols {
		dst.Set(p.left, c, l)
		dst.Set(p.right, c, r)
	}
}

func (p *placing) balanced(dst mix.Matrix, f reel.Feed) {
	copy(dst.Gain, p.base.Gain)
	p.balance(dst, f)
}

// balance lowers the front side that is away from the position.
func (p *placing) balance(dst mix.Matrix, f reel.Feed) {
	if p.left < 0 || p.right < 0 || f.Pan == 0 {
		return
	}
	l, r := dsp.Balance(f.Pan)
	for c := range dst.Cols {
		dst.Set(p.left, c, l*dst.At(p.left, c))
		dst.Set(p.right, c, r*dst.At(p.right, c))
	}
}

func position(f reel.Feed) mix.Position {
	return mix.Position{X: max(-1, min(1, f.Pan)), Y: f.Front, Z: f.Up, Spread: f.Spread}
}

func (p *placing) inRoom(dst mix.Matrix, f reel.Feed) {
	var room [64]float64
	gains := room[:dst.Rows]
	p.room.Gains(gains, position(f))
	if p.lfe >= 0 && f.LFEDB != nil {
		gains[p.lfe] = dsp.Gain(*f.LFEDB)
	}
	for r, g := range gains {
		for c := range dst.Cols {
			dst.Set(r, c, g)
		}
	}
}

// encoded is a source in a sound field: where it is placed, or to the front between the sides.
func (p *placing) encoded(dst mix.Matrix, f reel.Feed) {
	at := position(f)
	if !f.Placed {
		at.Y, at.Z = math.Sqrt(1-at.X*at.X), 0
	}
	for r, g := range mix.Encode(p.field, at) {
		for c := range dst.Cols {
			dst.Set(r, c, g)
		}
	}
}

func (p *placing) around(dst mix.Matrix, f reel.Feed) {
	copy(dst.Gain, p.room.Around(p.speakers, f.Turn, 1-f.Narrow, p.lfe).Gain)
	p.balance(dst, f)
}

func (p *placing) turnedField(dst mix.Matrix, f reel.Feed) {
	m := p.in
	if turn := (mix.Turn{Yaw: f.Turn, Pitch: f.Pitch, Roll: f.Roll}); turn != (mix.Turn{}) {
		m = mix.Rotate(p.order, turn).Mul(m)
	}
	copy(dst.Gain, p.out.Mul(m).Gain)
	p.balance(dst, f)
}

// Spread gives the matrix from the channels of a clip to those of the track that it lies on, which it must fit, at a
// position of the clip's own. A mono on a pair goes there by the pan law, a pair on a mono track as half of each, a sum
// as an equal part of each channel; what is as wide as its track goes channel by channel, a pair with balance.
func Spread(channels int, sum bool, labels []string, aside float64, law dsp.PanLaw) mix.Matrix {
	m := mix.Zero(len(labels), channels)
	switch {
	case sum || len(labels) == 1:
		for c := range channels {
			m.Set(0, c, 1/float64(channels))
		}
	case channels == 1:
		left, right := slices.Index(labels, "L"), slices.Index(labels, "R")
		if left < 0 || right < 0 {
			break
		}
		l, r := dsp.Pan(aside, law)
		m.Set(left, 0, l)
		m.Set(right, 0, r)
	default:
		for c := range min(channels, len(labels)) {
			m.Set(c, c, 1)
		}
		if slices.Equal(labels, []string{"L", "R"}) && aside != 0 {
			l, r := dsp.Balance(aside)
			m.Set(0, 0, l)
			m.Set(1, 1, r)
		}
	}
	return m
}

// SpreadOf is Spread of a clip, which may have gains of its own for each channel.
func SpreadOf(c reel.Clip, labels []string, aside float64, law dsp.PanLaw) mix.Matrix {
	if c.Matrix == nil {
		return Spread(len(c.Channels), c.Sum, labels, aside, law)
	}
	return mix.Matrix{Rows: len(c.Matrix), Cols: len(c.Channels), Gain: slices.Concat(c.Matrix...)}
}
