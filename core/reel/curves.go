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
)

// Words are all that there are.
func (CurveOf) Words() []string { return []string{string(OfClip), string(OfTrack)} }

// Parameter is what a curve changes.
type Parameter string

const (
	GainCurve Parameter = "gain" // in dB
	PanCurve  Parameter = "pan"  // −1 left to +1 right
)

// Words are all that there are.
func (Parameter) Words() []string { return []string{string(GainCurve), string(PanCurve)} }

// SetCurve draws the gain or pan of a clip or track. With a range only the points in it are replaced, as when it is
// trimmed while playing.
type SetCurve struct {
	Of     CurveOf   `json:"of"`
	ID     string    `json:"id"`
	What   Parameter `json:"what"`
	Points []Point   `json:"points"` // over samples of the reel, also for a clip
	Range  *Span     `json:"range,omitempty"`
}

func (c SetCurve) Plan(r *Reel, _ Known) (Change, string, error) {
	check := checkGain
	if c.What == PanCurve {
		check = checkPan
	} else if c.What != GainCurve {
		return Change{}, "", fault.New(fault.BadInput, "A curve is of gain or pan, not %q", c.What)
	}
	for _, p := range c.Points {
		if err := check(p.Value); err != nil {
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
func (d *draft) curve(of CurveOf, id string, what Parameter, change func(points []Point, offset int64, name string) ([]Point, error)) error {
	var points *[]Point
	var err error
	switch of {
	case OfClip:
		c, ok := d.clips.get(id)
		if !ok {
			return noClip()
		}
		points = &c.Gain
		if what == PanCurve {
			if t, _ := d.tracks.get(c.Track); len(t.Labels) > 2 {
				return fault.New(fault.BadInput, "%s lies on a track of %d channels, which has no left and right to pan between", c.Name, len(t.Labels))
			}
			points = &c.Pan
		}
		if *points, err = change(*points, c.Offset-c.Start, c.Name); err == nil {
			d.clips.put(id, c)
		}
	case OfTrack:
		t, ok := d.tracks.get(id)
		if !ok {
			return noTrack(id)
		}
		points = &t.Gain
		if what == PanCurve {
			points = &t.Pan
		}
		if *points, err = change(*points, 0, t.Name); err == nil {
			*points = some(*points)
			d.tracks.put(id, t)
		}
	default:
		return fault.New(fault.BadInput, "A curve is of a clip or a track, not %q", of)
	}
	return err
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
			out := []Point{{s.From, Level(points, s.From)}, {s.From + ramp, level(s.From + ramp)}, {s.To - ramp, level(s.To - ramp)}, {s.To, Level(points, s.To)}}
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
