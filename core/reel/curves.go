package reel

import (
	"cmp"
	"fmt"
	"slices"

	"zestyloom/core/fault"
)

// CurveOf says whose curve something is about.
type CurveOf string

const (
	OfClip  CurveOf = "clip"
	OfTrack CurveOf = "track"
	OfKnot  CurveOf = "knot"
	// The others are the words of rows.
)

// Words are all that there are.
func (CurveOf) Words() []string {
	return []string{string(OfClip), string(OfTrack), string(OfKnot), string(StrandRow), string(StemRow), string(MixRow), string(GroupRow)}
}

// Parameter is what a curve changes.
type Parameter string

const (
	GainCurve   Parameter = "gain"   // in dB
	PanCurve    Parameter = "pan"    // −1 left to +1 right
	FrontCurve  Parameter = "front"  // −1 back to +1 front
	UpCurve     Parameter = "up"     // −1 below to +1 above
	SpreadCurve Parameter = "spread" // 0 to 1
	LFECurve    Parameter = "lfe"    // send in dB
	TurnCurve   Parameter = "turn"   // degrees
	PitchCurve  Parameter = "pitch"
	RollCurve   Parameter = "roll"
	NarrowCurve Parameter = "narrow" // 0 to 1
)

// Words are all that there are.
func (Parameter) Words() []string {
	return []string{"gain", "pan", "front", "up", "spread", "lfe", "turn", "pitch", "roll", "narrow"}
}

// check tells whether a value of the parameter can be.
func (p Parameter) check(v float64) error {
	within := func(low, high float64) error {
		if !(v >= low && v <= high) {
			return fault.New(fault.BadInput, "%s runs from %g to %g", p, low, high)
		}
		return nil
	}
	switch p {
	case GainCurve, LFECurve:
		return checkGain(v)
	case PanCurve:
		return checkPan(v)
	case FrontCurve, UpCurve:
		return within(-1, 1)
	case SpreadCurve, NarrowCurve:
		return within(0, 1)
	case TurnCurve, PitchCurve, RollCurve:
		return within(-3600, 3600) // ten times around, so that a turn can go on
	}
	return fault.New(fault.BadInput, "%q is nothing that a curve could be of", p)
}

// SetCurve draws a curve of a clip, a track, a knot, a strand, stem, mix or output group. With a range only the points in it are replaced, as when it is
// trimmed while playing.
type SetCurve struct {
	Of     CurveOf   `json:"of"`
	ID     string    `json:"id"`
	What   Parameter `json:"what"`
	Points []Point   `json:"points"` // over samples of the reel, also for a clip
	Range  *Span     `json:"range,omitempty"`
}

func (c SetCurve) Plan(r *Reel, _ Known) (Change, string, error) {
	if err := c.What.check(0); err != nil { // which each of them can be
		return Change{}, "", err
	}
	for _, p := range c.Points {
		if err := c.What.check(p.Value); err != nil {
			return Change{}, "", err
		}
	}
	d := newDraft(r)
	name := ""
	err := d.curve(c.Of, c.ID, c.What, func(points []Point, offset int64, called string) ([]Point, error) {
		name = called
		fresh := movedPoints(c.Points, offset)
		if c.Range == nil {
			return steady(fresh)
		}
		s := c.Range.moved(offset)
		return steady(replaced(points, s, fresh))
	})
	return d.finish(), fmt.Sprintf("%s curve of %s", c.What, name), err
}

// curve changes a curve. change gets its points and what to add to a sample of the reel to get one of its places.
func (d *draft) curve(of CurveOf, id string, what Parameter, change func(points []Point, offset int64, name string) ([]Point,
	error)) error {
	var points *[]Point
	var err error
	switch of {
	case OfClip:
		c, ok := d.clips.get(id)
		if !ok {
			return noClip()
		}
		points = &c.Gain
		if what != GainCurve && what != PanCurve {
			return fault.New(fault.BadInput, "A clip has curves of gain and pan; draw %s on its track", what)
		}
		if what == PanCurve {
			if t, _ := d.tracks.get(c.Track); len(t.Labels) > 2 {
				return fault.New(fault.BadInput, "%s lies on a track of %d channels, which has no left and right to pan between", c.Name,
					len(t.Labels))
			}
			points = &c.Pan
		}
		if *points, err = change(*points, c.Offset-c.Start, c.Name); err == nil {
			d.clips.put(id, c)
		}
	case OfTrack:
		t, ok := d.tracks.get(id)
		if !ok {
			return noTrack()
		}
		fresh, err := change(t.curve(what), 0, t.Name)
		if err != nil {
			return err
		}
		t.setCurve(what, some(fresh))
		d.tracks.put(id, t)
	case OfKnot:
		k, ok := d.knots.get(id)
		if !ok {
			return fault.New(fault.NotFound, "This knot is no longer there")
		}
		if what != GainCurve {
			return fault.New(fault.BadInput, "A knot has a curve of gain; draw %s on its row", what)
		}
		if k.Curve, err = change(k.Curve, 0, crossingsName(d.reel, []Crossing{k.Crossing()})); err == nil {
			k.Curve = some(k.Curve)
			d.knots.put(id, k)
		}
	default:
		b, err := d.bus(Row(of), id)
		if err != nil {
			return err
		}
		fresh, err := change(b.Curves[what], 0, rowName(d.reel, b.Row, id))
		if err != nil {
			return err
		}
		b.Curves = b.Curves.with(what, fresh)
		d.keepBus(b)
	}
	return err
}

// curve gives the points of a parameter.
func (t Track) curve(what Parameter) []Point {
	switch what {
	case GainCurve:
		return t.Gain
	case PanCurve:
		return t.Pan
	}
	return t.Curves[what]
}

// setCurve sets them. The map of curves is never changed in place.
func (t *Track) setCurve(what Parameter, points []Point) {
	switch what {
	case GainCurve:
		t.Gain = points
	case PanCurve:
		t.Pan = points
	default:
		t.Curves = t.Curves.with(what, points)
	}
}

// replaced puts fresh points in place of those in a range; at the range's ends the curve stays as it was.
func replaced(points []Point, s Span, fresh []Point) []Point {
	var out []Point
	for _, p := range points {
		if p.At < s.From || p.At > s.To {
			out = append(out, p)
		}
	}
	before, after := Point{s.From - Ramp, Level(points, s.From-Ramp)}, Point{s.To + Ramp, Level(points, s.To+Ramp)}
	out = append(out, before, after)
	for _, p := range fresh {
		if p.At >= s.From && p.At <= s.To {
			out = append(out, p)
		}
	}
	return out
}

// steady sorts points and thins them: of two that are nearer than a ramp the later is left out, or moved where its
// value is another, so that no change is quicker than a ramp.
func steady(points []Point) ([]Point, error) {
	const most = 100_000
	if len(points) > most {
		return nil, fault.New(fault.BadInput, "A curve has at most %d points", most)
	}
	return unstepped(points), nil
}

// unstepped is steady for points of which there are not too many.
func unstepped(points []Point) []Point {
	points = slices.Clone(points)
	slices.SortStableFunc(points, func(a, b Point) int { return cmp.Compare(a.At, b.At) })
	var out []Point
	for _, p := range points {
		if n := len(out); n > 0 && p.At-out[n-1].At < Ramp {
			if p.Value == out[n-1].Value {
				continue
			}
			p.At = out[n-1].At + Ramp
		}
		out = append(out, p)
	}
	return out
}

// RangeGain lifts or lowers a range of clips or tracks by their curves, with a ramp at each end.
type RangeGain struct {
	Of     CurveOf  `json:"of"`
	IDs    []string `json:"ids"`
	Span            // of the reel
	GainDB float64  `json:"gainDB"`         // added to what is there
	Ramp   int64    `json:"ramp,omitempty"` // samples
}

func (c RangeGain) Plan(r *Reel, _ Known) (Change, string, error) {
	if c.To-c.From < 4*Ramp || len(c.IDs) == 0 {
		return Change{}, "", fault.New(fault.BadInput, "Choose a range of at least %d samples first", 4*Ramp)
	}
	d := newDraft(r)
	name := ""
	ramp := min(max(c.Ramp, Ramp), (c.To-c.From)/3)
	for _, id := range c.IDs {
		err := d.curve(c.Of, id, GainCurve, func(points []Point, offset int64, called string) ([]Point, error) {
			name = called
			s := c.moved(offset)
			level := func(at int64) float64 { return min(MaxGainDB, max(MinGainDB, Level(points, at)+c.GainDB)) }
			out := []Point{{s.From, Level(points, s.From)}, {s.From + ramp, level(s.From + ramp)}, {s.To - ramp, level(s.To - ramp)},
				{s.To, Level(points, s.To)}}
			for _, p := range points {
				switch {
				case p.At < s.From || p.At > s.To:
					out = append(out, p)
				case p.At > s.From+ramp && p.At < s.To-ramp:
					out = append(out, Point{p.At, level(p.At)})
				}
			}
			return steady(out)
		})
		if err != nil {
			return Change{}, "", err
		}
	}
	if len(c.IDs) > 1 {
		name = plural(len(c.IDs), string(c.Of))
	}
	return d.finish(), fmt.Sprintf("%+.1f dB over a range of %s", c.GainDB, name), nil
}
