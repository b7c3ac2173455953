package weave

import (
	"cmp"
	"math"
	"slices"

	"zestyloom/core/dsp"
	"zestyloom/core/layout"
	"zestyloom/core/reel"
)

// Path is one channel feeding another at a gain (a factor, 1 = 0 dB).
type Path struct {
	From, To int
	Gain     float64
}

// Side says which of two gains that follow a position a path is subject to.
type Side int8

const (
	Neither Side = iota
	Left
	Right
)

// Way is a path whose gain depends on a position between left and right.
type Way struct {
	Path // Gain is that of the path without the position
	Side Side
	Pan  bool // the side's gain is by the pan law, as for a mono; else it is a balance
}

// At gives the factor of the way at a position.
func (w Way) At(position float64, law dsp.PanLaw) float64 {
	if w.Side == Neither {
		return w.Gain
	}
	var l, r float64
	if w.Pan {
		l, r = dsp.Pan(position, law)
	} else {
		l, r = dsp.Balance(position)
	}
	if w.Side == Left {
		return w.Gain * l
	}
	return w.Gain * r
}

// monoFold is the gain of each channel in a mono sum, −6.02 dB for a pair: it can't clip where the channels do not.
func monoFold(channels int) float64 { return 1 / float64(channels) }

// Feeds gives the paths from the channels of a track to the channels of a stem, without the track's gain, where the
// track stands at one position.
func Feeds(track, stem []string, feed reel.Feed, panLaw float64) []Path {
	var paths []Path
	for _, w := range Ways(track, stem, feed.Dual) {
		if gain := w.At(feed.Pan, dsp.PanLaw(panLaw)); gain != 0 {
			paths = append(paths, Path{w.From, w.To, gain})
		}
	}
	return paths
}

// Ways gives the paths from the channels of a track to the channels of a stem.
//
// Channels go to the channel of the same label. A mono, and each channel of a loose track, goes to a pair by the pan
// law, or at unity on both sides where the feed is dual. A set goes to a mono stem as an equal part of each channel; the
// channels of a loose track go there whole, as they would by themselves. A surround set goes to a pair folded down after
// ITU-R BS.775 (centre and surrounds at −3 dB, no LFE), and a sound field decoded.
func Ways(track, stem []string, dual bool) []Way {
	left, right := slices.Index(stem, "L"), slices.Index(stem, "R")
	loose := reel.Track{Labels: track}.Loose()
	var ways []Way
	switch {
	case len(stem) == 1:
		gain := 1.0
		if len(track) > 1 && !loose {
			gain = monoFold(len(track))
		}
		for i := range track {
			ways = append(ways, Way{Path: Path{i, 0, gain}})
		}
		return ways
	case (len(track) == 1 || loose) && !slices.Contains(stem, track[0]):
		if left < 0 || right < 0 {
			return nil
		}
		for i := range track {
			for side, to := range map[Side]int{Left: left, Right: right} {
				w := Way{Path: Path{i, to, 1}, Side: side, Pan: true}
				if dual {
					w.Side = Neither
				}
				ways = append(ways, w)
			}
		}
		slices.SortFunc(ways, func(a, b Way) int { return cmp.Or(a.From-b.From, a.To-b.To) })
		return ways
	}
	if field := fieldWays(track, left, right); field != nil {
		return field
	}
	for i, label := range track {
		to := slices.Index(stem, label)
		if to < 0 {
			ways = append(ways, folded(i, label, left, right)...)
			continue
		}
		w := Way{Path: Path{i, to, 1}}
		switch label {
		case "L":
			w.Side = Left
		case "R":
			w.Side = Right
		}
		ways = append(ways, w)
	}
	return ways
}

// Spread gives the ways from the channels of a clip to those of the track that it lies on, which it must fit. A mono on
// a pair goes there by the pan law, a pair on a mono track as half of each, a sum as an equal part of each channel. The
// position moves a mono, or the balance of a pair, between the sides of a pair; of a mono track it has no say.
func Spread(channels int, sum bool, labels []string) []Way {
	if sum || len(labels) == 1 {
		var ways []Way
		for i := range channels {
			ways = append(ways, Way{Path: Path{i, 0, 1 / float64(channels)}})
		}
		return ways
	}
	if channels == 1 {
		return Ways([]string{"M"}, labels, false)
	}
	if slices.Equal(labels, []string{"L", "R"}) {
		return Ways(labels, labels, false)
	}
	var ways []Way
	for i := range labels {
		ways = append(ways, Way{Path: Path{i, i, 1}})
	}
	return ways
}

// folded gives the ways of a channel of a surround set into a pair that has no place for it, after ITU-R BS.775.
func folded(from int, label string, left, right int) []Way {
	if left < 0 || right < 0 {
		return nil
	}
	down := math.Sqrt2 / 2
	l, r := Way{Path: Path{from, left, down}, Side: Left}, Way{Path: Path{from, right, down}, Side: Right}
	switch s := layout.Speakers[label]; {
	case label == "C":
		return []Way{l, r}
	case s.LFE || s.Label == "" || label == "M":
		return nil
	case s.Azimuth > 0:
		return []Way{l}
	default:
		return []Way{r}
	}
}

// fieldWays decodes a first-order sound field to a pair: two cardioids that look 90° to the left and to the right,
// L = ½(W + Y) and R = ½(W − Y) in SN3D. FuMa's W is 3 dB lower, so it is brought up. A label's place in the track
// tells the order. It is nil where the track is no field or the stem no pair.
func fieldWays(track []string, left, right int) []Way {
	w, y, up := slices.Index(track, "ACN0"), slices.Index(track, "ACN1"), 1.0
	if w < 0 {
		w, y, up = slices.Index(track, "W"), slices.Index(track, "Y"), math.Sqrt2
	}
	if w < 0 || y < 0 || left < 0 || right < 0 {
		return nil
	}
	return []Way{
		{Path: Path{w, left, 0.5 * up}, Side: Left}, {Path: Path{y, left, 0.5}, Side: Left},
		{Path: Path{w, right, 0.5 * up}, Side: Right}, {Path: Path{y, right, -0.5}, Side: Right},
	}
}

// Tie gives the knots that tying a row to an output naturally means: the channel of the same label; a mono row's only
// channel; for a mono output, half of each side of a pair. Where nothing matches, the first channel.
func Tie(r *reel.Reel, row reel.Row, id string, output reel.Output) []reel.Knot {
	labels := r.RowLabels(row, id)
	if row == reel.TrackRow && r.Tracks[id].Loose() {
		var all []reel.Knot
		for i := range labels {
			all = append(all, reel.NewKnot(row, id, i, output.ID, 0))
		}
		return all
	}
	if i := slices.Index(labels, output.Label); i >= 0 {
		return []reel.Knot{reel.NewKnot(row, id, i, output.ID, 0)}
	}
	if len(r.Groups[output.Group].Labels) == 1 && len(labels) == 2 {
		fold := roundDB(dsp.DB(monoFold(2)))
		return []reel.Knot{reel.NewKnot(row, id, 0, output.ID, fold), reel.NewKnot(row, id, 1, output.ID, fold)}
	}
	if len(labels) == 0 {
		return nil
	}
	return []reel.Knot{reel.NewKnot(row, id, 0, output.ID, 0)}
}

func roundDB(dB float64) float64 { return float64(int64(dB*100-0.5)) / 100 }

// GroupKnots gives the knots that a spec asks for: each stem of each group to that group's outputs.
func GroupKnots(r *reel.Reel, groups []reel.Group) []reel.Knot {
	var knots []reel.Knot
	next := *r
	next.Groups = map[string]reel.Group{}
	for i, g := range groups {
		g.Order = i + 1
		next.Groups[g.ID] = g
	}
	for _, o := range next.OutputList() {
		for _, stem := range next.Groups[o.Group].Stems {
			if s, ok := r.Stems[stem]; ok && (slices.Contains(s.Labels, o.Label) || len(next.Groups[o.Group].Labels) == 1) {
				knots = append(knots, Tie(&next, reel.StemRow, stem, o)...)
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
}

// arrivals is what the channels of one track bring to one output: gains by stem and by the track's own knots.
type arrivals struct{ stem, direct map[int]float64 }

func (a *arrivals) add(to *map[int]float64, channel int, gain float64) {
	if *to == nil {
		*to = map[int]float64{}
	}
	(*to)[channel] += gain
}

func (a arrivals) route(track, output string, gainDB float64) Route {
	route := Route{Track: track, Output: output, Stem: a.stem != nil, Direct: a.direct != nil}
	strongest := 0.0
	for c, g := range a.stem {
		if own, both := a.direct[c]; both {
			route.Twice = true
			g += own
		}
		strongest = max(strongest, g)
	}
	for _, g := range a.direct {
		strongest = max(strongest, g)
	}
	route.GainDB = dsp.DB(strongest) + gainDB
	return route
}

// Routes gives every track's reach, muted tracks left out, in the order of tracks and outputs.
func Routes(r *reel.Reel) []Route {
	outputs := r.OutputList()
	type row struct {
		kind reel.Row
		id   string
	}
	knots := map[row][]reel.Knot{}
	for _, k := range r.KnotList() {
		knots[row{k.Row, k.From}] = append(knots[row{k.Row, k.From}], k)
	}
	routes := []Route{}
	for _, t := range r.TrackList() {
		if t.Mute {
			continue
		}
		at := map[string]*arrivals{}
		cell := func(output string) *arrivals {
			if at[output] == nil {
				at[output] = &arrivals{}
			}
			return at[output]
		}
		for _, p := range Feeds(t.Labels, r.Stems[t.Stem].Labels, t.Feed, r.Head.PanLaw) {
			for _, k := range knots[row{reel.StemRow, t.Stem}] {
				if k.Channel == p.To {
					a := cell(k.Output)
					a.add(&a.stem, p.From, p.Gain*dsp.Gain(k.GainDB))
				}
			}
		}
		for _, k := range knots[row{reel.TrackRow, t.ID}] {
			a := cell(k.Output)
			a.add(&a.direct, k.Channel, dsp.Gain(k.GainDB))
		}
		for _, o := range outputs {
			if a := at[o.ID]; a != nil {
				routes = append(routes, a.route(t.ID, o.ID, t.GainDB))
			}
		}
	}
	return routes
}
