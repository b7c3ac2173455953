package reel

import (
	"fmt"
	"slices"

	"zestyloom/core/fault"
)

// Piece is a stretch of the reel that moves as a whole.
type Piece struct {
	Span
	By int64 `json:"by"` // samples
}

// Rearrange follows a picture that was cut anew: what lies in each piece moves with it, and what lies where picture has
// gone goes with it. Between pieces everything follows the piece before it, and before the first the first.
//
// Clips that are in sync with the picture are cut where the pieces part. All others stay whole and move with their
// beginning, since music and rooms have their own joins. Marks and the curves of tracks move along.
type Rearrange struct {
	Pieces  []Piece `json:"pieces"` // apart, in order
	Gone    []Span  `json:"gone"`   // stretches whose picture is no longer there
	CutList string  `json:"cutList"`
}

// region is what happens to a place.
type region struct {
	by   int64
	gone bool
}

func (c Rearrange) at(x int64) region {
	for _, g := range c.Gone {
		if g.From <= x && x < g.To {
			return region{gone: true}
		}
	}
	i, inside := slices.BinarySearchFunc(c.Pieces, x, func(p Piece, x int64) int {
		switch {
		case p.To <= x:
			return -1
		case p.From > x:
			return 1
		}
		return 0
	})
	switch {
	case inside:
		return region{by: c.Pieces[i].By}
	case i > 0:
		return region{by: c.Pieces[i-1].By}
	case len(c.Pieces) > 0:
		return region{by: c.Pieces[0].By}
	}
	return region{}
}

// borders are the places where what happens changes.
func (c Rearrange) borders() []int64 {
	var all []int64
	for _, p := range c.Pieces {
		all = append(all, p.From, p.To)
	}
	for _, g := range c.Gone {
		all = append(all, g.From, g.To)
	}
	slices.Sort(all)
	return slices.DeleteFunc(slices.Compact(all), func(x int64) bool { return c.at(x-1) == c.at(x) })
}

func (c Rearrange) Plan(r *Reel, _ Known) (Change, string, error) {
	for i, p := range c.Pieces {
		if p.From >= p.To || i > 0 && p.From < c.Pieces[i-1].To {
			return Change{}, "", fault.New(fault.BadInput, "The pieces of a new cut follow each other and do not overlap")
		}
	}
	d := newDraft(r)
	d.head.CutList = c.CutList
	borders := c.borders()
	ties := map[string]map[int64]string{} // of each tie, what it is called where it moved by so much
	for _, clip := range r.ClipList() {
		parts := []Clip{clip}
		if clip.Picture || clip.Event != "" {
			// A crossfade may reach over a border: that is no reason to cut there.
			from, to := clip.Start+clip.FadeIn.Length, clip.End()-clip.FadeOut.Length
			for _, b := range borders {
				if b > from && b < to && inside(parts[len(parts)-1], b) {
					last := len(parts) - 1
					right := d.cut(parts[last], b)
					parts[last], _ = d.clips.get(parts[last].ID)
					parts = append(parts, right)
				}
			}
		}
		for _, part := range parts {
			to := c.at(part.Start + min(part.FadeIn.Length, part.Length/2))
			if to.gone && len(parts) == 1 && !clip.Picture && clip.Event == "" { // what is left of its picture carries it
				if b := slices.IndexFunc(borders, func(b int64) bool { return inside(part, b) && !c.at(b).gone }); b >= 0 {
					to = c.at(borders[b])
				}
			}
			if to.gone {
				d.clips.drop(part.ID)
				continue
			}
			part.Start += to.by
			if part.Home != nil {
				home := *part.Home + to.by
				part.Home = &home
			}
			if err := checkPlace(r, part); err != nil {
				return Change{}, "", err
			}
			if part.Tie != "" {
				names := ties[part.Tie]
				if names == nil {
					names = map[int64]string{to.by: part.Tie}
					ties[part.Tie] = names
				}
				if names[to.by] == "" {
					names[to.by] = d.id("tie")
				}
				part.Tie = names[to.by]
			}
			d.clips.put(part.ID, part)
		}
	}
	for _, m := range r.Marks {
		m.At = max(0, m.At+c.at(m.At).by)
		d.marks.put(m.ID, m)
	}
	for _, t := range r.Tracks {
		t.Gain, t.Pan = c.points(t.Gain), c.points(t.Pan)
		d.tracks.put(t.ID, t)
	}
	return d.finish(), fmt.Sprintf("conform to a new cut of %s", plural(len(c.Pieces), "piece")), nil
}

// points moves the corners of a curve. Those that come to lie on each other are a ramp apart.
func (c Rearrange) points(list []Point) []Point {
	var out []Point
	for _, p := range list {
		if to := c.at(p.At); !to.gone {
			out = append(out, Point{p.At + to.by, p.Value})
		}
	}
	return unstepped(out)
}

// Follow notes the cut list that the reel is laid out by.
type Follow struct{ CutList string }

func (c Follow) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	d.head.CutList = c.CutList
	return d.finish(), "cut list of the reel", nil
}

// Dissolve fades the sound over as a picture cut dissolves: clips that end where others of their track begin are drawn on
// under them, as far as their handles go, and both are faded over that stretch. A clip with none before it is faded in.
type Dissolve struct {
	At     int64 // where clips meet
	Length int64 // samples
}

func (c Dissolve) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	for _, right := range r.clipsThat(func(x Clip) bool { return x.Start == c.At }) {
		length := min(c.Length, right.Length-right.FadeOut.Length)
		for _, left := range r.clipsThat(func(x Clip) bool { return x.Track == right.Track && x.End() == c.At }) {
			length = min(length, max(0, left.Frames-left.Offset-left.Length))
			left.Length += length
			left.FadeOut = Fade{length, Power}
			left.fitFades()
			d.clips.put(left.ID, left)
		}
		right.FadeIn = Fade{length, Power}
		d.clips.put(right.ID, right)
	}
	return d.finish(), "dissolve", nil
}
