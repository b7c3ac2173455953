package weave

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"zestyloom/core/dsp"
	"zestyloom/core/layout"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
)

// Fix is a command that sets right what a finding is about, with what it does in words.
type Fix struct {
	Name    string    `json:"name"`
	Command reel.Sent `json:"command"`
}

func fix(c reel.Command, name string, args ...any) *Fix {
	return &Fix{fmt.Sprintf(name, args...), reel.Send(c)}
}

// fixOneSided ties the missing side as the other is tied, or puts a track that is panned all the way into the middle.
func fixOneSided(r *reel.Reel, t reel.Track, present, missing reel.Output) *Fix {
	var knots []reel.Crosspoint
	for _, k := range r.KnotList() {
		if k.Row == reel.TrackRow && k.From == t.ID && k.Output == present.ID {
			c := k.Crosspoint
			c.Output = missing.ID
			knots = append(knots, c)
		}
	}
	switch {
	case len(knots) > 0:
		return fix(reel.SetKnots{Knots: knots}, "Set %s to %s as well", t.Name, missing.Label)
	case math.Abs(t.Feed.Pan) > 0.9 && len(t.Pan) == 0:
		middle := 0.0
		return fix(reel.SetTrack{Track: t.ID, Pan: &middle}, "Put %s in the middle", t.Name)
	}
	return nil
}

// lost finds monos that lose level on the way to where nothing is to be panned: to both channels of a dual mono, or to a mono
// that the sides of their stem are tied to.
func lost(r *reel.Reel, t reel.Track, reach map[string]Route) (found []Finding) {
	if len(t.Labels) != 1 || t.Feed.Dual || t.Feed.Placed {
		return nil
	}
	for _, g := range r.GroupList() {
		if len(g.Labels) == 1 && !g.Folds && (g.Feed != nil || g.Own) { // what a spec ties is asked for
			found = append(found, lostInMono(r, t, g, reach)...)
		}
		if g.Layout != reel.DualMono {
			continue
		}
		var by []float64
		for _, l := range g.Labels {
			if route, ok := reach[g.ID+"/"+l]; ok && route.Stem && !route.Direct {
				by = append(by, route.GainDB-t.GainDB)
			}
		}
		if len(by) < 2 || math.Abs(by[0]-by[1]) > 0.05 || by[0] > -2.9 || by[0] < -6.1 {
			continue
		}
		yes := true
		found = append(found, Finding{Rule: Lost, Track: t.ID, Output: g.ID + "/" + g.Labels[0],
			Message: fmt.Sprintf("%s loses %.0f dB on the way to %s, where the pan law has nothing to pan", t.Name, -by[0], g.Name),
			Fix:     fix(reel.SetTrack{Track: t.ID, Dual: &yes}, "Send %s at unity to both sides", t.Name)})
	}
	return found
}

// lostInMono finds that a mono arrives 3 or 6 dB lower at a mono group, because its stem has it on both sides by the pan law.
// Where somebody says how a group is folded that is said there.
func lostInMono(r *reel.Reel, t reel.Track, g reel.Group, reach map[string]Route) []Finding {
	output := reel.OutputID(g.ID, g.Labels[0])
	route, there := reach[output]
	by := route.GainDB - t.GainDB
	if !there || route.Direct || by > -2.9 || by < -6.1 {
		return nil
	}
	if f := g.Feed; f != nil {
		if f.Fold != nil || f.Row == reel.GroupRow {
			return nil
		}
		c, fold := again(g), mix.Usual()
		fold.MonoDB = roundDB(dsp.DB(0.5) - by)
		if by = math.Round(by*100) / 100; by == -3.01 {
			fold.MonoDB = dsp.DB(math.Sqrt2 / 2)
		}
		c.Feed = &reel.Feeder{Row: f.Row, From: f.From, Fold: &fold}
		return []Finding{{Rule: Lost, Track: t.ID, Output: output,
			Message: fmt.Sprintf("%s loses %.0f dB on the way to %s: the pan law puts it on both sides of %s, which are added there", t.Name, -by,
				g.Name, rowName(r, f.Row, f.From)), Fix: fix(c, "Add both sides at −%.0f dB", -fold.MonoDB)}}
	}
	var knots []reel.Crosspoint
	for _, k := range r.KnotList() {
		if k.Row == reel.StemRow && k.From == t.Stem && k.Output == output {
			k.GainDB = roundDB(k.GainDB - by)
			knots = append(knots, k.Crosspoint)
		}
	}
	if len(knots) != 2 {
		return nil
	}
	return []Finding{{Rule: Lost, Track: t.ID, Output: output,
		Message: fmt.Sprintf("%s loses %.0f dB on the way to %s: the pan law puts it on both sides of %s, which are added there", t.Name, -by,
			g.Name, r.Stems[t.Stem].Name),
		Fix: fix(reel.SetKnots{Knots: knots}, "Set both sides %.0f dB higher", -by)}}
}

// fullRangeSends finds tracks that send all of their sound to the LFE of their stem, from where it arrives at one.
func fullRangeSends(r *reel.Reel, reach map[string]map[string]Route, outputs []reel.Output) (found []Finding) {
	for _, t := range r.TrackList() {
		if t.Mute || !t.Feed.Placed || t.Feed.LFEDB == nil && !t.Moves(reel.LFECurve) || isLFE(t.Name) {
			continue
		}
		for _, o := range outputs {
			if _, there := reach[t.ID][o.ID]; !there || !layout.Speakers[o.Label].LFE {
				continue
			}
			none := -96.0
			found = append(found, Finding{Rule: FullRange, Track: t.ID, Output: o.ID, Message: fmt.Sprintf("%s sends all of its sound to the LFE, and so to %s", t.Name, name(r, o)),
				Fix: fix(reel.SetTrack{Track: t.ID, LFEDB: &none}, "Take the send off")})
			break
		}
	}
	return found
}

// isLFE tells whether something is called an LFE, such as one of six monos.
func isLFE(name string) bool { return strings.Contains(strings.ToUpper(name), "LFE") }

// fullRange finds knots that feed an LFE with sound that is none. What is called an LFE, such as one of six monos, is one.
func fullRange(r *reel.Reel, outputs []reel.Output) (found []Finding) {
	for _, o := range outputs {
		if !layout.Speakers[o.Label].LFE || len(r.Groups[o.Group].Labels) < 3 {
			continue
		}
		for _, k := range r.KnotList() {
			labels := r.RowLabels(k.Row, k.From)
			if k.Output != o.ID || k.Channel >= len(labels) || layout.Speakers[labels[k.Channel]].LFE || isLFE(rowName(r, k.Row, k.From)) {
				continue
			}
			f := Finding{Rule: FullRange, Output: o.ID, Message: fmt.Sprintf("%s is fed with all of %s, which is no LFE", name(r, o),
				rowName(r, k.Row, k.From)),
				Fix: fix(reel.ClearKnots{At: []reel.Crossing{k.Crossing()}}, "Clear that knot")}
			if k.Row == reel.TrackRow {
				f.Track = k.From
			}
			found = append(found, f)
		}
	}
	return found
}

func rowName(r *reel.Reel, row reel.Row, id string) string {
	switch row {
	case reel.TrackRow:
		return r.Tracks[id].Name
	case reel.MixRow:
		return r.Mixes[id].Name
	case reel.GroupRow:
		return r.Groups[id].Name
	case reel.StrandRow:
		_, strand := reel.StemOf(id)
		return strand
	}
	return r.Stems[id].Name
}

// again is the command that leaves a group as it is.
func again(g reel.Group) reel.SetGroup {
	c := reel.SetGroup{ID: g.ID, Name: g.Name, Tag: g.Tag, Layout: g.Layout, Feed: g.Feed}
	switch {
	case g.Layout == string(layout.Discrete):
		c.Width = len(g.Labels)
	case g.Layout != reel.DualMono:
		c.Order = strings.Join(g.Labels, ",")
	}
	return c
}

// orders finds groups whose channels lie in another order than their spec asks for, or, made by hand, than the first group that
// has the same channels.
func orders(r *reel.Reel) (found []Finding) {
	groups := r.GroupList()
	for i, g := range groups {
		want, whose := g.Asked, "its spec asks for"
		if len(want) == 0 && g.Own {
			for _, other := range groups[:i] {
				if len(other.Labels) == len(g.Labels) && !slices.Equal(other.Labels, g.Labels) && layout.SameChannels(other.Labels, g.Labels) {
					want, whose = other.Labels, other.Name+" has"
					break
				}
			}
		}
		if len(want) == 0 {
			continue
		}
		c := again(g)
		c.Order = strings.Join(want, ",")
		found = append(found, Finding{Rule: Order, Output: reel.OutputID(g.ID, g.Labels[0]),
			Message: fmt.Sprintf("The channels of %s lie in the order %s; %s %s", g.Name, strings.Join(g.Labels, " "), whose,
				strings.Join(want, " ")),
			Fix: fix(c, "Put them in that order")})
	}
	return found
}

// crossed finds rows whose left and right are tied the wrong way round at a pair.
func crossed(r *reel.Reel, pairs [][2]reel.Output) (found []Finding) {
	type end struct {
		row                 reel.Row
		from, label, output string
	}
	endOf := func(k reel.Knot) end {
		if labels := r.RowLabels(k.Row, k.From); k.Channel < len(labels) {
			return end{k.Row, k.From, labels[k.Channel], k.Output}
		}
		return end{}
	}
	at := map[end]reel.Knot{}
	for _, k := range r.Knots {
		at[endOf(k)] = k
	}
	pairAt := map[string][2]reel.Output{} // by its right side
	for _, p := range pairs {
		pairAt[p[1].ID] = p
	}
	for _, k := range r.KnotList() {
		e, p := endOf(k), pairAt[k.Output]
		if left, right := p[0], p[1]; e.label == "" || e.label != left.Label {
			continue
		} else if back, both := at[end{e.row, e.from, right.Label, left.ID}]; both {
			if _, straight := at[end{e.row, e.from, left.Label, left.ID}]; straight {
				continue
			}
			found = append(found, uncross(r, k, back, p))
		}
	}
	return found
}

// uncross is the finding of a left that goes right and a right that goes left, which are to be changed over.
func uncross(r *reel.Reel, toRight, toLeft reel.Knot, p [2]reel.Output) Finding {
	a, b := toRight.Crosspoint, toLeft.Crosspoint
	a.Output, b.Output = p[0].ID, p[1].ID
	f := Finding{Rule: Crossed, Output: p[0].ID, Message: fmt.Sprintf("%s and %s of %s are changed over at %s", p[0].Label, p[1].Label,
		rowName(r, a.Row, a.From), r.Groups[p[0].Group].Name),
		Fix: fix(reel.Several{Commands: []reel.Sent{reel.Send(reel.ClearKnots{At: []reel.Crossing{toRight.Crossing(), toLeft.Crossing()}}),
			reel.Send(reel.SetKnots{Knots: []reel.Crosspoint{a, b}})}}, "Change them back")}
	if a.Row == reel.TrackRow {
		f.Track = a.From
	}
	return f
}

// narration is the stem whose strands are languages.
const narration = "NX"

// still finds clips on mono tracks that pan by themselves, where their track goes through a chain.
func (g *Graph) still(r *reel.Reel) (found []Finding) {
	for _, c := range r.ClipList() {
		at, _ := g.Node(reel.TrackRow, c.Track)
		if n := g.Nodes[at]; len(c.Pan) > 0 && len(n.Format.Labels) == 1 && n.Chain != nil && !c.Mute && !n.Track.Mute {
			found = append(found, Finding{Rule: Still, Track: c.Track, Message: fmt.Sprintf("%s pans by a curve of its own, which does not act where all of %s "+
				"goes through a chain; draw the curve on the track", c.Name, n.Track.Name)})
		}
	}
	return found
}

// languages finds mixes in a language that have another's narration, two of them, or none.
func languages(r *reel.Reel) (found []Finding) {
	all := slices.DeleteFunc(r.StrandList(narration), func(s string) bool { return s == "" })
	for _, m := range r.MixList() {
		if m.Language == "" || len(all) == 0 {
			continue
		}
		var in []string
		right := "" // the strand that the mix is named for
		for _, s := range all {
			if m.Takes(narration, s) {
				in = append(in, s)
			}
			if strings.Contains(strings.ToLower(m.Name), strings.ToLower(s)) {
				right = s
			}
		}
		f := Finding{Rule: Language}
		switch {
		case len(in) == 0:
			f.Message = fmt.Sprintf("The mix %s is in a language and has no narration", m.Name)
		case len(in) > 1:
			f.Message = fmt.Sprintf("The mix %s has the narration of %s at once", m.Name, strings.Join(in, " and "))
		case right != "" && in[0] != right:
			f.Message = fmt.Sprintf("The mix %s has the narration of %s", m.Name, in[0])
		default:
			continue
		}
		if right != "" {
			f.Fix = fix(only(m, all, right), "Only %s in %s", right, m.Name)
		}
		found = append(found, f)
	}
	return found
}

// only leaves all strands of the narration but one out of a mix.
func only(m reel.Mix, strands []string, right string) reel.SetMix {
	c := reel.SetMix{ID: m.ID, Name: m.Name, Language: m.Language, Labels: m.Labels, Rest: m.Rest}
	for _, t := range m.Terms {
		if stem, _ := reel.StemOf(t.From); t.Row != reel.StrandRow || stem != narration {
			c.Terms = append(c.Terms, t)
		}
	}
	for _, s := range strands {
		c.Terms = append(c.Terms, reel.Term{Row: reel.StrandRow, From: reel.StrandID(narration, s), Out: s != right})
	}
	return c
}
