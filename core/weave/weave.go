package weave

import (
	"cmp"
	"fmt"
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
			ways = append(ways, folded(i, label, stem)...)
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

// near are the places of a stem that stand in for one that it lacks, the first that are all there: a surround goes where
// surrounds are, shared by equal power, and only where there are none to the front.
var near = map[string][][]string{
	"Ls": {{"Lss", "Lrs"}}, "Rs": {{"Rss", "Rrs"}},
	"Lss": {{"Ls"}}, "Lrs": {{"Ls"}}, "Rss": {{"Rs"}}, "Rrs": {{"Rs"}},
	"Ltr": {{"Ls"}, {"Lss", "Lrs"}}, "Rtr": {{"Rs"}, {"Rss", "Rrs"}},
}

// folded gives the ways of a channel of a surround set into a stem that has no place for it: after ITU-R BS.775 where it
// has a front pair only.
func folded(from int, label string, stem []string) []Way {
	down := math.Sqrt2 / 2
	for _, places := range near[label] {
		if slices.ContainsFunc(places, func(p string) bool { return !slices.Contains(stem, p) }) {
			continue
		}
		gain := down
		if label[1:] == "tr" {
			gain = down / math.Sqrt(float64(len(places)))
		}
		var ways []Way
		for _, p := range places {
			ways = append(ways, Way{Path: Path{from, slices.Index(stem, p), gain}})
		}
		return ways
	}
	left, right := slices.Index(stem, "L"), slices.Index(stem, "R")
	if left < 0 || right < 0 {
		return nil
	}
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

// cardioids holds, for each order of a sound field, how much of each order makes a cardioid of that power, (½ + ½ cos)ⁿ as
// a sum of Legendre polynomials, and how far to the side it looks: where a source in front arrives at −6 dB on both sides.
var cardioids = []struct {
	shares  []float64
	azimuth float64 // radians
}{
	1: {[]float64{1. / 2, 1. / 2}, math.Pi / 2},
	2: {[]float64{1. / 3, 1. / 2, 1. / 6}, math.Acos(2*math.Sqrt(0.5) - 1)},
	3: {[]float64{1. / 4, 9. / 20, 1. / 4, 1. / 20}, math.Acos(2*math.Cbrt(0.5) - 1)},
}

// horizontal gives the spherical harmonics (ACN, SN3D, to the third order) of a direction on the horizon.
func horizontal(azimuth float64) []float64 {
	sin, cos := math.Sincos(azimuth)
	sin2, cos2 := math.Sincos(2 * azimuth)
	sin3, cos3 := math.Sincos(3 * azimuth)
	second, third, low := math.Sqrt(3)/2, math.Sqrt(5./8), -math.Sqrt(3./8)
	return []float64{1, sin, 0, cos, second * sin2, 0, -0.5, 0, second * cos2, third * sin3, 0, low * sin, 0, low * cos, 0, third * cos3}
}

// fieldWays decodes a sound field to a pair, by two cardioids of the field's own order that look to the left and to the
// right. In the first order that is L = ½(W + Y) and R = ½(W − Y) in SN3D; FuMa's W is 3 dB lower, so it is brought up. A
// label's place in the track tells the order of channels. It is nil where the track is no field or the stem no pair.
func fieldWays(track []string, left, right int) []Way {
	if left < 0 || right < 0 {
		return nil
	}
	if w, y := slices.Index(track, "W"), slices.Index(track, "Y"); w >= 0 && y >= 0 {
		up := 0.5 * math.Sqrt2
		return []Way{
			{Path: Path{w, left, up}, Side: Left}, {Path: Path{y, left, 0.5}, Side: Left},
			{Path: Path{w, right, up}, Side: Right}, {Path: Path{y, right, -0.5}, Side: Right},
		}
	}
	order := fieldOrder(track)
	if order == 0 {
		return nil
	}
	c := cardioids[order]
	var ways []Way
	for side, to := range map[Side]int{Left: left, Right: right} {
		azimuth := c.azimuth
		if side == Right {
			azimuth = -azimuth
		}
		for acn, harmonic := range horizontal(azimuth)[:(order+1)*(order+1)] {
			degree := int(math.Sqrt(float64(acn)))
			if gain := c.shares[degree] * harmonic; math.Abs(gain) > 1e-12 {
				ways = append(ways, Way{Path: Path{slices.Index(track, fmt.Sprintf("ACN%d", acn)), to, gain}, Side: side})
			}
		}
	}
	slices.SortFunc(ways, func(a, b Way) int { return cmp.Or(a.To-b.To, a.From-b.From) })
	return ways
}

// fieldOrder is the order of the sound field that a track holds, as far as it is decoded; 0 where it is none.
func fieldOrder(track []string) int {
	order := 0
	for order < len(cardioids)-1 && hasOrder(track, order+1) {
		order++
	}
	return order
}

// IsField tells whether channels are those of a sound field.
func IsField(labels []string) bool {
	return fieldOrder(labels) > 0 || slices.Contains(labels, "W") && slices.Contains(labels, "Y")
}

// hasOrder tells whether all channels of a field up to an order are there.
func hasOrder(track []string, order int) bool {
	for acn := range (order + 1) * (order + 1) {
		if !slices.Contains(track, fmt.Sprintf("ACN%d", acn)) {
			return false
		}
	}
	return true
}

// Tie gives the knots that tying a row to an output naturally means: the channel of the same label; a mono row's only
// channel; for a mono output, half of each side of a pair. Where nothing matches, the first channel.
func Tie(r *reel.Reel, row reel.Row, id string, output reel.Output) []reel.Crosspoint {
	labels := r.RowLabels(row, id)
	if row == reel.TrackRow && r.Tracks[id].Loose() {
		var all []reel.Crosspoint
		for i := range labels {
			all = append(all, reel.Crosspoint{Row: row, From: id, Channel: i, Output: output.ID})
		}
		return all
	}
	if i := slices.Index(labels, output.Label); i >= 0 {
		return []reel.Crosspoint{{Row: row, From: id, Channel: i, Output: output.ID}}
	}
	if len(r.Groups[output.Group].Labels) == 1 && len(labels) == 2 {
		fold := roundDB(dsp.DB(monoFold(2)))
		return []reel.Crosspoint{{Row: row, From: id, Output: output.ID, GainDB: fold}, {Row: row, From: id, Channel: 1, Output: output.ID, GainDB: fold}}
	}
	if len(labels) == 0 {
		return nil
	}
	return []reel.Crosspoint{{Row: row, From: id, Output: output.ID}}
}

func roundDB(dB float64) float64 { return float64(int64(dB*100-0.5)) / 100 }

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
