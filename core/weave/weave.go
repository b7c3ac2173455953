package weave

import (
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

// monoFold is the gain of each channel in a mono sum, −6.02 dB for a pair: it can't clip where the channels do not.
func monoFold(channels int) float64 { return 1 / float64(channels) }

// Feeds gives the paths from the channels of a track to the channels of a stem, without the track's gain.
//
// Channels go to the channel of the same label. A mono track goes to a pair by the pan law, or at unity on both sides
// where its feed is dual. A pair goes to a mono stem as half of each side. A surround set goes to a pair folded down
// after ITU-R BS.775 (centre and surrounds at −3 dB, no LFE), and a sound field decoded.
func Feeds(track, stem []string, feed reel.Feed, panLaw float64) []Path {
	left, right := slices.Index(stem, "L"), slices.Index(stem, "R")
	switch {
	case len(track) == 1 && !slices.Contains(stem, track[0]) && left >= 0 && right >= 0:
		l, r := dsp.Pan(feed.Pan, dsp.PanLaw(panLaw))
		if feed.Dual {
			l, r = 1, 1
		}
		return audible([]Path{{0, left, l}, {0, right, r}})
	case len(stem) == 1:
		var paths []Path
		gain := 1.0
		if len(track) > 1 {
			gain = monoFold(len(track))
		}
		for i := range track {
			paths = append(paths, Path{i, 0, gain})
		}
		return paths
	}
	l, r := dsp.Balance(feed.Pan)
	if paths := fieldFeeds(track, left, right, l, r); paths != nil {
		return audible(paths)
	}
	var paths []Path
	for i, label := range track {
		to := slices.Index(stem, label)
		if to < 0 {
			paths = append(paths, folded(i, label, left, right, l, r)...)
			continue
		}
		gain := 1.0
		switch label {
		case "L":
			gain = l
		case "R":
			gain = r
		}
		paths = append(paths, Path{i, to, gain})
	}
	return audible(paths)
}

// folded gives the paths of a channel of a surround set into a pair that has no place for it, after ITU-R BS.775.
func folded(from int, label string, left, right int, leftGain, rightGain float64) []Path {
	if left < 0 || right < 0 {
		return nil
	}
	down := math.Sqrt2 / 2
	switch s := layout.Speakers[label]; {
	case label == "C":
		return []Path{{from, left, down * leftGain}, {from, right, down * rightGain}}
	case s.LFE || s.Label == "" || label == "M":
		return nil
	case s.Azimuth > 0:
		return []Path{{from, left, down * leftGain}}
	default:
		return []Path{{from, right, down * rightGain}}
	}
}

// fieldFeeds decodes a first-order sound field to a pair: two cardioids that look 90° to the left and to the right,
// L = ½(W + Y) and R = ½(W − Y) in SN3D. FuMa's W is 3 dB lower, so it is brought up. A label's place in the track
// tells the order. It is nil where the track is no field or the stem no pair.
func fieldFeeds(track []string, left, right int, leftGain, rightGain float64) []Path {
	w, y, up := slices.Index(track, "ACN0"), slices.Index(track, "ACN1"), 1.0
	if w < 0 {
		w, y, up = slices.Index(track, "W"), slices.Index(track, "Y"), math.Sqrt2
	}
	if w < 0 || y < 0 || left < 0 || right < 0 {
		return nil
	}
	return []Path{{w, left, 0.5 * up * leftGain}, {y, left, 0.5 * leftGain}, {w, right, 0.5 * up * rightGain}, {y, right, -0.5 * rightGain}}
}

func audible(paths []Path) []Path {
	return slices.DeleteFunc(paths, func(p Path) bool { return p.Gain == 0 })
}

// Tie gives the knots that tying a row to an output naturally means: the channel of the same label; a mono row's only
// channel; for a mono output, half of each side of a pair. Where nothing matches, the first channel.
func Tie(r *reel.Reel, row reel.Row, id string, output reel.Output) []reel.Knot {
	labels := r.RowLabels(row, id)
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
