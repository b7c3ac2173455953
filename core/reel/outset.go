package reel

import (
	"maps"
	"slices"

	"zestyloom/core/layout"
	"zestyloom/core/timecode"
)

// Outset is what a new reel of a production begins with, so that nobody lays it anew: all of a reel that is not of its
// tracks. Objects keep their IDs, by which routes follow from reel to reel.
type Outset struct {
	Of     string           `json:"of"` // name of the reel that it was taken from
	Spec   string           `json:"spec,omitempty"`
	PanLaw float64          `json:"panLaw"`
	Angles layout.Angles    `json:"angles,omitempty"`
	Stems  map[string]Stem  `json:"stems"`
	Mixes  map[string]Mix   `json:"mixes,omitempty"`
	Groups map[string]Group `json:"groups,omitempty"`
	Knots  map[string]Knot  `json:"knots,omitempty"`
	Next   int              `json:"next"`
}

// OutsetOf takes the outset from a reel. What it has of single tracks, their knots and groups that they feed by themselves,
// has no meaning in another: such groups stay, and nothing feeds them.
func OutsetOf(r *Reel) Outset {
	h := r.Head
	o := Outset{Of: h.Name, Spec: h.Spec, PanLaw: h.PanLaw, Angles: h.Angles, Next: h.Next,
		Stems: maps.Clone(r.Stems), Mixes: maps.Clone(r.Mixes), Groups: maps.Clone(r.Groups), Knots: maps.Clone(r.Knots)}
	maps.DeleteFunc(o.Knots, func(_ string, k Knot) bool { return k.Row == TrackRow })
	for id, g := range o.Groups {
		if g.Feed != nil && g.Feed.Row == TrackRow {
			g.Feed = nil
			o.Groups[id] = g
		}
	}
	return o
}

// Begin makes a new reel. An outset that breaks a rule of reels is BadInput or Stale.
func (o Outset) Begin(name string, sampleRate int, rate timecode.Rate, start int64) (*Reel, error) {
	r := New(name, sampleRate, rate, start, nil)
	r.Head.Spec, r.Head.PanLaw, r.Head.Angles, r.Head.Next = o.Spec, o.PanLaw, o.Angles, max(o.Next, r.Head.Next)
	c := Change{Stems: puts(o.Stems), Mixes: puts(o.Mixes), Groups: puts(o.Groups), Knots: puts(o.Knots), Head: []Put[Head]{{Before: &r.Head, After: &r.Head}}}
	return r, r.Apply(c)
}

// puts has all objects made.
func puts[T any](objects map[string]T) (list []Put[T]) {
	for _, id := range slices.Sorted(maps.Keys(objects)) {
		after := objects[id]
		list = append(list, Put[T]{ID: id, After: &after})
	}
	return list
}
