package reel

import (
	"cmp"
	"maps"
	"slices"
	"strings"

	"zestyloom/core/chain"
	"zestyloom/core/layout"
	"zestyloom/core/mix"
	"zestyloom/core/timecode"
)

// Head is what a reel has once.
type Head struct {
	Name       string        `json:"name"`
	SampleRate int           `json:"sampleRate"` // Hz
	FrameRate  timecode.Rate `json:"frameRate"`
	Start      int64         `json:"start"`          // first sample of the programme
	Free       bool          `json:"free,omitempty"` // nobody has chosen the start: it will be where what is laid first is
	PanLaw     float64       `json:"panLaw"`         // what a mono source in the middle of a pair loses on each side: 3, 4.5 or 6 dB
	Spec       string        `json:"spec"`           // the delivery spec that the outputs come from; empty before one is chosen
	Picture    Picture       `json:"picture,omitzero"`
	CutList    string        `json:"cutList,omitempty"` // ID of the cut list that it follows
	Angles     layout.Angles `json:"angles,omitempty"`  // of speakers that don't stand as the standard says
	Next       int           `json:"next"`              // number of the next object that is made
}

// Picture is the movie that the reel is cut to.
type Picture struct {
	Take  string `json:"take"`
	Of    string `json:"of,omitempty"` // as placing.File has it: the movie whose streams go with it
	Start int64  `json:"start"`        // where its first frame lies
}

// Stem is a named part of the mix with a bus of its own. Its ID is its two-letter tag.
type Stem struct {
	ID     string   `json:"id"`
	Name   string   `json:"name"`
	Labels []string `json:"labels"` // its channels
	Order  int      `json:"order"`
}

// Feed says how a track goes into the channels of its stem. Each of its numbers can move by a curve.
type Feed struct {
	Dual   bool     `json:"dual"`             // a mono track at unity on both sides of a pair, instead of by the pan law
	Pan    float64  `json:"pan"`              // −1 left to +1 right: pan of a mono track, balance of a stereo one
	Placed bool     `json:"placed,omitempty"` // it stands in the room, where the stem has one, instead of between the front pair
	Front  float64  `json:"front,omitempty"`  // −1 back to +1 front
	Up     float64  `json:"up,omitempty"`     // −1 below to +1 above
	Spread float64  `json:"spread,omitempty"` // 0 a point to 1 all around
	LFEDB  *float64 `json:"lfeDB,omitempty"`  // send to the LFE; nil for none
	Turn   float64  `json:"turn,omitempty"`   // degrees to the left that a set or sound field is turned around
	Pitch  float64  `json:"pitch,omitempty"`  // degrees that a sound field's front is lifted
	Roll   float64  `json:"roll,omitempty"`   // degrees that a sound field's left is lifted
	Narrow float64  `json:"narrow,omitempty"` // 0 a set as wide as it is, to 1 all of it in front
	Folds  bool     `json:"folds,omitempty"`  // somebody has said yes to what its stem has too few channels for
}

// Track is one row of the Loom.
type Track struct {
	ID        string   `json:"id"`
	Name      string   `json:"name"`
	Labels    []string `json:"labels"` // its channels; more than one are bonded
	Stem      string   `json:"stem"`
	Strand    string   `json:"strand,omitempty"` // the part of the stem that it belongs to
	Second    string   `json:"second,omitempty"` // a second stem that it feeds in the same way
	Suggested bool     `json:"suggested"`        // the stem is a suggestion that nobody has confirmed
	Feed      Feed     `json:"feed"`
	GainDB    float64  `json:"gainDB"`
	Mute      bool     `json:"mute"`
	Order     int      `json:"order"`
	Folder    string   `json:"folder,omitempty"` // the name of the run of tracks that it stands in
	Height    int      `json:"height,omitempty"` // of its row, from 1 (low) to 4; 0 is the usual
	Gain      []Point  `json:"gain,omitempty"`   // dB over samples of the reel, added to GainDB
	Pan       []Point  `json:"pan,omitempty"`    // over samples of the reel, instead of Feed.Pan
	Curves    Curves   `json:"curves,omitempty"` // of the other numbers of the feed, over samples of the reel
}

// Curves are those of parameters, by parameter.
type Curves map[Parameter][]Point

// with gives the curves with one of them set, or taken away where it has no points. The map itself is never changed.
func (c Curves) with(what Parameter, points []Point) Curves {
	next := maps.Clone(c)
	if next == nil {
		next = Curves{}
	}
	if next[what] = points; len(points) == 0 {
		delete(next, what)
	}
	if len(next) == 0 {
		return nil
	}
	return next
}

// Place is where a track stands at one moment: its feed, with what its curves say.
func (t Track) Place(at int64) Feed {
	f := placed(t.Feed, t.Curves, at)
	if len(t.Pan) > 0 {
		f.Pan = Level(t.Pan, at)
	}
	return f
}

func placed(f Feed, curves Curves, at int64) Feed {
	for what, points := range curves {
		*f.number(what) = Level(points, at)
	}
	return f
}

// Moves tells whether any of the parameters has a curve.
func (t Track) Moves(parameters ...Parameter) bool {
	return slices.ContainsFunc(parameters, func(p Parameter) bool { return p == PanCurve && len(t.Pan) > 0 || len(t.Curves[p]) > 0 })
}

// Turns gives where within a range the place of the track turns to move another way: the points of its curves there, and the
// ends of the range where a curve runs on over it. It gives none where the track stands still.
func (t Track) Turns(span Span) []int64 {
	at := turns(nil, t.Pan, span)
	for what, points := range t.Curves {
		if what != GainCurve {
			at = turns(at, points, span)
		}
	}
	return at
}

// TurnsOf gives the same of one curve.
func TurnsOf(points []Point, span Span) []int64 { return turns(nil, points, span) }

func turns(at []int64, points []Point, span Span) []int64 {
	if len(points) == 0 || !slices.ContainsFunc(points, func(p Point) bool { return p.Value != points[0].Value }) {
		return at
	}
	first, last := points[0], points[len(points)-1]
	if first.At >= span.To || last.At <= span.From {
		return at
	}
	at = append(at, span.From, max(span.From, span.To-1))
	for _, p := range points {
		if p.At > span.From && p.At < span.To {
			at = append(at, p.At)
		}
	}
	return at
}

// number is the feed's number of a parameter.
func (f *Feed) number(what Parameter) *float64 {
	switch what {
	case PanCurve:
		return &f.Pan
	case FrontCurve:
		return &f.Front
	case UpCurve:
		return &f.Up
	case SpreadCurve:
		return &f.Spread
	case LFECurve:
		lfe := 0.0
		f.LFEDB = &lfe
		return f.LFEDB
	case TurnCurve:
		return &f.Turn
	case PitchCurve:
		return &f.Pitch
	case RollCurve:
		return &f.Roll
	case NarrowCurve:
		return &f.Narrow
	}
	return new(float64)
}

// Loose tells whether the track's channels are single microphones that lie together, each of which goes into the stem
// by itself, instead of a bonded set.
func (t Track) Loose() bool {
	return len(t.Labels) > 1 && !slices.ContainsFunc(t.Labels, func(l string) bool { return l != "M" })
}

// Mark is a marker, or a range where it has a length.
type Mark struct {
	ID     string `json:"id"`
	Name   string `json:"name"`
	At     int64  `json:"at"`
	Length int64  `json:"length,omitempty"`
	Note   string `json:"note,omitempty"`
}

// Group is a set of output channels that are delivered together.
type Group struct {
	ID       string   `json:"id"`
	Name     string   `json:"name"`
	Tag      string   `json:"tag"`
	Layout   string   `json:"layout"`
	Labels   []string `json:"labels"`
	Stems    []string `json:"stems"` // the stems that should feed it, by the spec
	Order    int      `json:"order"`
	Own      bool     `json:"own,omitempty"`      // made by the user, not by a spec
	Feed     *Feeder  `json:"feed,omitempty"`     // what feeds all of it, besides knots
	Silent   bool     `json:"silent,omitempty"`   // nothing is meant to feed it
	Language string   `json:"language,omitempty"` // of what is spoken in it, as ISO 639-2 writes it
	// Asked is the order of the channels that its spec asks for, where they lie in another.
	Asked []string `json:"asked,omitempty"`
	Folds bool     `json:"folds,omitempty"` // somebody has said yes to what it has too few channels for
}

// Feeder is what feeds a group: a mix, stem, strand or track, or another group, of which it is the fold-down.
type Feeder struct {
	Row  Row       `json:"row"`
	From string    `json:"from"`
	Fold *mix.Fold `json:"fold,omitempty"` // how channels that have no place of their own are folded; nil for the usual
}

// Folding is the fold that the feeder asks for.
func (f Feeder) Folding() mix.Fold {
	if f.Fold == nil {
		return mix.Usual()
	}
	return *f.Fold
}

// Mix is a named sum of stems and strands.
type Mix struct {
	ID       string   `json:"id"`
	Name     string   `json:"name"`
	Language string   `json:"language,omitempty"` // of what is spoken in it, as ISO 639-2 writes it
	Labels   []string `json:"labels"`
	Rest     bool     `json:"rest"` // every stem that no term names is in it, at 0 dB
	Terms    []Term   `json:"terms"`
	Order    int      `json:"order"`
	Folds    bool     `json:"folds,omitempty"` // somebody has said yes to what it has too few channels for
}

// Term is a part of a mix, or one that is left out of it. A strand's term stands before that of its stem.
type Term struct {
	Row    Row     `json:"row"` // stem or strand
	From   string  `json:"from"`
	GainDB float64 `json:"gainDB"`
	Out    bool    `json:"out,omitempty"`
}

// StrandID names a strand of a stem. Tracks of no strand are those of the empty name.
func StrandID(stem, strand string) string { return stem + "/" + strand }

// StemOf gives the stem and the name of a strand.
func StemOf(strand string) (stem, name string) {
	stem, name, _ = strings.Cut(strand, "/")
	return stem, name
}

// Output is one output channel: a column of the weave. Its ID stays the same while its group and label do.
type Output struct {
	ID     string `json:"id"`
	Group  string `json:"group"`
	Label  string `json:"label"`
	Number int    `json:"number"` // from 1, over all groups
}

// Row says which kind of row of the weave something is about.
type Row string

const (
	TrackRow  Row = "track"
	StrandRow Row = "strand"
	StemRow   Row = "stem"
	MixRow    Row = "mix"
	GroupRow  Row = "group" // feeds the groups that are derived from it
)

// Words are all that there are.
func (Row) Words() []string {
	return []string{string(TrackRow), string(StrandRow), string(StemRow), string(MixRow), string(GroupRow)}
}

// Knot is a crosspoint of the reel.
type Knot struct {
	ID string `json:"id"` // follows from where it stands
	Crosspoint
}

// Crosspoint lets one channel of a track or stem feed one output.
type Crosspoint struct {
	Row     Row     `json:"row"`
	From    string  `json:"from"`    // ID of the track or stem
	Channel int     `json:"channel"` // of it, from 0
	Output  string  `json:"output"`
	GainDB  float64 `json:"gainDB"`
	Invert  bool    `json:"invert,omitempty"` // polarity turned
	Curve   []Point `json:"curve,omitempty"`  // of its gain over samples of the reel, in dB that are added to GainDB
}

// Crossing is where it is tied.
func (c Crosspoint) Crossing() Crossing { return Crossing{c.Row, c.From, c.Output} }

// Knot gives it the ID that follows from where it stands.
func (c Crosspoint) Knot() Knot { return Knot{knotID(c.Row, c.From, c.Channel, c.Output), c} }

// Reel is the whole. Objects are found by their ID. A Reel is changed by Apply alone.
type Reel struct {
	Head   Head             `json:"head"`
	Stems  map[string]Stem  `json:"stems"`
	Tracks map[string]Track `json:"tracks"`
	Clips  map[string]Clip  `json:"clips"`
	Groups map[string]Group `json:"groups"`
	Knots  map[string]Knot  `json:"knots"`
	Marks  map[string]Mark  `json:"marks"`
	Mixes  map[string]Mix   `json:"mixes,omitempty"`
	Buses  map[string]Bus   `json:"buses,omitempty"`
	// Corrections are by ID, which follows from the group.
	Corrections map[string]Correction `json:"corrections,omitempty"`
	Chains      map[string]Chain      `json:"chains,omitempty"` // by ID, which follows from the row
	// Treatments are of takes, by their ID. They are no part of the reel: who opens it says what they are.
	Treatments map[string][]chain.Treatment `json:"treatments,omitempty"`
	making     making
}

// DefaultStems are those that a production begins with, from top to bottom.
func DefaultStems() []Stem {
	stems := []Stem{{ID: "DX", Name: "Dialogue"}, {ID: "NX", Name: "Narration"}, {ID: "MX", Name: "Music"}, {ID: "FX", Name: "Effects"},
		{ID: "AX", Name: "Ambience"}}
	for i := range stems {
		stems[i].Labels, stems[i].Order = []string{"L", "R"}, i+1
	}
	return stems
}

// New makes an empty reel with the stems of its production.
func New(name string, sampleRate int, rate timecode.Rate, start int64, stems []Stem) *Reel {
	r := &Reel{
		Head:  Head{Name: name, SampleRate: sampleRate, FrameRate: rate, Start: start, PanLaw: 3, Next: 1},
		Stems: map[string]Stem{}, Tracks: map[string]Track{}, Clips: map[string]Clip{}, Groups: map[string]Group{}, Knots: map[string]Knot{},
		Marks: map[string]Mark{},
		Mixes: map[string]Mix{}, Buses: map[string]Bus{}, Corrections: map[string]Correction{}, Chains: map[string]Chain{},
	}
	for _, s := range stems {
		r.Stems[s.ID] = s
	}
	return r
}

// Clone gives a copy that can be changed by Apply without the original changing. Objects are values whose slices are
// never changed in place, so the maps are all that needs copying.
func (r *Reel) Clone() *Reel {
	c := &Reel{Head: r.Head, Treatments: r.Treatments, making: r.making}
	for _, k := range kinds {
		k.clone(c, r)
	}
	return c
}

// TakesHeard gives the IDs of the takes whose sound the reel plays, each once and in order.
func (r *Reel) TakesHeard() []string {
	heard := map[string]bool{}
	for _, c := range r.Clips {
		c.Settled = nil // what it was rendered from is not played
		c.uses(heard)
	}
	return slices.Sorted(maps.Keys(heard))
}

func byOrder(a, b Track) int { return cmp.Or(a.Order-b.Order, strings.Compare(a.ID, b.ID)) }

// TrackList gives the tracks from top to bottom.
func (r *Reel) TrackList() []Track {
	return sorted(r.Tracks, byOrder)
}

// StemList gives the stems from top to bottom.
func (r *Reel) StemList() []Stem {
	return sorted(r.Stems, func(a, b Stem) int { return cmp.Or(a.Order-b.Order, strings.Compare(a.ID, b.ID)) })
}

// GroupList gives the output groups from left to right.
func (r *Reel) GroupList() []Group {
	return sorted(r.Groups, func(a, b Group) int { return cmp.Or(a.Order-b.Order, strings.Compare(a.ID, b.ID)) })
}

func byStart(a, b Clip) int {
	return cmp.Or(cmp.Compare(a.Start, b.Start), strings.Compare(a.ID, b.ID))
}

// ClipList gives the clips by start.
func (r *Reel) ClipList() []Clip {
	return sorted(r.Clips, byStart)
}

// MarkList gives the marks by place.
func (r *Reel) MarkList() []Mark {
	return sorted(r.Marks, func(a, b Mark) int { return cmp.Or(cmp.Compare(a.At, b.At), strings.Compare(a.ID, b.ID)) })
}

// BusList gives the buses in an order that does not change.
func (r *Reel) BusList() []Bus {
	return sorted(r.Buses, func(a, b Bus) int { return strings.Compare(a.ID, b.ID) })
}

// KnotList gives the knots in an order that does not change.
func (r *Reel) KnotList() []Knot {
	return sorted(r.Knots, func(a, b Knot) int { return strings.Compare(a.ID, b.ID) })
}

// OutputList gives the output channels from left to right.
func (r *Reel) OutputList() []Output {
	var out []Output
	for _, g := range r.GroupList() {
		for _, label := range g.Labels {
			out = append(out, Output{OutputID(g.ID, label), g.ID, label, len(out) + 1})
		}
	}
	return out
}

// OutputID names the output of a group's channel: the same while its group and label are.
func OutputID(group, label string) string { return group + "/" + label }

// Output finds an output channel.
func (r *Reel) Output(id string) (Output, bool) {
	for _, o := range r.OutputList() {
		if o.ID == id {
			return o, true
		}
	}
	return Output{}, false
}

// RowLabels gives the channel labels of a row of the weave, or nil where there is no such row.
func (r *Reel) RowLabels(row Row, id string) []string {
	switch row {
	case StemRow:
		return r.Stems[id].Labels
	case StrandRow:
		stem, _ := StemOf(id)
		return r.Stems[stem].Labels
	case MixRow:
		return r.Mixes[id].Labels
	case GroupRow:
		return r.Groups[id].Labels
	}
	return r.Tracks[id].Labels
}

// MixList gives the mixes in order.
func (r *Reel) MixList() []Mix {
	return sorted(r.Mixes, func(a, b Mix) int { return cmp.Or(a.Order-b.Order, strings.Compare(a.ID, b.ID)) })
}

// StrandList gives the names of the strands that tracks of a stem are in, by name; the empty one where a track is in none.
func (r *Reel) StrandList(stem string) []string {
	names := map[string]bool{}
	for _, t := range r.Tracks {
		if t.Stem == stem {
			names[t.Strand] = true
		}
	}
	return slices.Sorted(maps.Keys(names))
}

// End is the first sample after the last clip, or the start of the reel where that lies later.
func (r *Reel) End() int64 {
	end := r.Head.Start
	for _, c := range r.Clips {
		end = max(end, c.End())
	}
	return end
}

// clipsThat gives the clips for which is holds, by start. Sorting few is much less work than sorting all.
func (r *Reel) clipsThat(is func(Clip) bool) []Clip {
	var out []Clip
	for _, c := range r.Clips {
		if is(c) {
			out = append(out, c)
		}
	}
	slices.SortFunc(out, byStart)
	return out
}

func sorted[T any](m map[string]T, by func(a, b T) int) []T {
	return slices.SortedFunc(maps.Values(m), by)
}
