package reel

import (
	"cmp"
	"maps"
	"slices"
	"strings"

	"zestyloom/core/timecode"
)

// Head is what a reel has once.
type Head struct {
	Name       string        `json:"name"`
	SampleRate int           `json:"sampleRate"` // Hz
	FrameRate  timecode.Rate `json:"frameRate"`
	Start      int64         `json:"start"`  // first sample of the programme
	PanLaw     float64       `json:"panLaw"` // what a mono source in the middle of a pair loses on each side: 3, 4.5 or 6 dB
	Spec       string        `json:"spec"`   // the delivery spec that the outputs come from; empty before one is chosen
	Picture    Picture       `json:"picture,omitzero"`
	CutList    string        `json:"cutList,omitempty"` // ID of the cut list that it follows
	Next       int           `json:"next"`              // number of the next object that is made
}

// Picture is the movie that the reel is cut to.
type Picture struct {
	Take  string `json:"take"`
	Start int64  `json:"start"` // where its first frame lies
}

// Stem is a named part of the mix with a bus of its own. Its ID is its two-letter tag.
type Stem struct {
	ID     string   `json:"id"`
	Name   string   `json:"name"`
	Labels []string `json:"labels"` // its channels
	Order  int      `json:"order"`
}

// Feed says how a track goes into the channels of its stem.
type Feed struct {
	Dual bool    `json:"dual"` // a mono track at unity on both sides of a pair, instead of by the pan law
	Pan  float64 `json:"pan"`  // −1 left to +1 right: pan of a mono track, balance of a stereo one
}

// Track is one row of the Loom.
type Track struct {
	ID        string   `json:"id"`
	Name      string   `json:"name"`
	Labels    []string `json:"labels"` // its channels; more than one are bonded
	Stem      string   `json:"stem"`
	Strand    string   `json:"strand,omitempty"` // the part of the stem that it belongs to
	Suggested bool     `json:"suggested"`        // the stem is a suggestion that nobody has confirmed
	Feed      Feed     `json:"feed"`
	GainDB    float64  `json:"gainDB"`
	Mute      bool     `json:"mute"`
	Order     int      `json:"order"`
	Folder    string   `json:"folder,omitempty"` // the name of the run of tracks that it stands in
	Height    int      `json:"height,omitempty"` // of its row, from 1 (low) to 4; 0 is the usual
	Gain      []Point  `json:"gain,omitempty"`   // dB over samples of the reel, added to GainDB
	Pan       []Point  `json:"pan,omitempty"`    // over samples of the reel, instead of Feed.Pan
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
	ID     string   `json:"id"`
	Name   string   `json:"name"`
	Tag    string   `json:"tag"`
	Layout string   `json:"layout"`
	Labels []string `json:"labels"`
	Stems  []string `json:"stems"` // the stems that should feed it, by the spec
	Order  int      `json:"order"`
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
	TrackRow Row = "track"
	StemRow  Row = "stem"
)

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
}

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
}

// DefaultStems are those that a production begins with, from top to bottom.
func DefaultStems() []Stem {
	stems := []Stem{{ID: "DX", Name: "Dialogue"}, {ID: "NX", Name: "Narration"}, {ID: "MX", Name: "Music"}, {ID: "FX", Name: "Effects"}, {ID: "AX", Name: "Ambience"}}
	for i := range stems {
		stems[i].Labels, stems[i].Order = []string{"L", "R"}, i+1
	}
	return stems
}

// New makes an empty reel with the stems of its production.
func New(name string, sampleRate int, rate timecode.Rate, start int64, stems []Stem) *Reel {
	r := &Reel{
		Head:  Head{Name: name, SampleRate: sampleRate, FrameRate: rate, Start: start, PanLaw: 3, Next: 1},
		Stems: map[string]Stem{}, Tracks: map[string]Track{}, Clips: map[string]Clip{}, Groups: map[string]Group{}, Knots: map[string]Knot{}, Marks: map[string]Mark{},
	}
	for _, s := range stems {
		r.Stems[s.ID] = s
	}
	return r
}

// Clone gives a copy that can be changed by Apply without the original changing. Objects are values whose slices are
// never changed in place, so the maps are all that needs copying.
func (r *Reel) Clone() *Reel {
	c := &Reel{Head: r.Head}
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

// KnotList gives the knots in an order that does not change.
func (r *Reel) KnotList() []Knot {
	return sorted(r.Knots, func(a, b Knot) int { return strings.Compare(a.ID, b.ID) })
}

// OutputList gives the output channels from left to right.
func (r *Reel) OutputList() []Output {
	var out []Output
	for _, g := range r.GroupList() {
		for _, label := range g.Labels {
			out = append(out, Output{g.ID + "/" + label, g.ID, label, len(out) + 1})
		}
	}
	return out
}

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
	if row == StemRow {
		return r.Stems[id].Labels
	}
	return r.Tracks[id].Labels
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
