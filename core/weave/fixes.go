package weave

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"zestyloom/core/layout"
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
		return fix(reel.SetKnots{Knots: knots}, "Tie %s to %s as well", t.Name, missing.Label)
	case math.Abs(t.Feed.Pan) > 0.9 && len(t.Pan) == 0:
		middle := 0.0
		return fix(reel.SetTrack{Track: t.ID, Pan: &middle}, "Put %s in the middle", t.Name)
	}
	return nil
}

// lost finds monos that lose level on the way to both channels of a dual mono, where nothing is to be panned.
func lost(r *reel.Reel, t reel.Track, reach map[string]Route) (found []Finding) {
	if len(t.Labels) != 1 || t.Feed.Dual || t.Feed.Placed {
		return nil
	}
	for _, g := range r.GroupList() {
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

// fullRange finds knots that feed an LFE with sound that is none. What is called an LFE, such as one of six monos, is one.
func fullRange(r *reel.Reel, outputs []reel.Output) (found []Finding) {
	for _, o := range outputs {
		if !layout.Speakers[o.Label].LFE || len(r.Groups[o.Group].Labels) < 3 {
			continue
		}
		for _, k := range r.KnotList() {
			labels := r.RowLabels(k.Row, k.From)
			if k.Output != o.ID || k.Channel >= len(labels) || layout.Speakers[labels[k.Channel]].LFE || strings.Contains(strings.ToUpper(rowName(r, k.Row, k.From)), "LFE") {
				continue
			}
			f := Finding{Rule: FullRange, Output: o.ID, Message: fmt.Sprintf("%s is fed with all of %s, which is no LFE", name(r, o), rowName(r, k.Row, k.From)),
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
	case reel.StrandRow:
		_, strand := reel.StemOf(id)
		return strand
	}
	return r.Stems[id].Name
}

// narration is the stem whose strands are languages.
const narration = "NX"

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
