package weave

import (
	"fmt"
	"math"
	"slices"

	"zestyloom/core/reel"
)

// Rule names what a finding is about.
type Rule string

const (
	Unreached Rule = "unreached"  // a track that reaches no output
	Muted     Rule = "muted"      // a track that is muted and so will not be printed
	Unfed     Rule = "unfed"      // an output that nothing feeds
	OneSided  Rule = "one-sided"  // a mono that feeds only one side of a pair
	FedTwice  Rule = "fed-twice"  // a source that arrives at one output by two paths
	Folded    Rule = "folded"     // a bonded set that its stem has too few channels for
	Lost      Rule = "lost"       // a mono that loses level on the way to where nothing is panned
	FullRange Rule = "full-range" // an LFE that is fed with sound that is none
	FoldDown  Rule = "fold-down"  // an output group that is narrower than what feeds it, and nobody has said how it is folded
	Order     Rule = "order"      // a group whose channels lie in another order than its spec asks for, or than other groups'
	Crossed   Rule = "crossed"    // left and right changed over
	Doubled   Rule = "doubled"    // a take that is laid twice at the same place
	Silenced  Rule = "silenced"   // sound that is asked for somewhere and does not arrive there at all
	Still     Rule = "still"      // a clip that pans by itself, where the chain of its track does not know of sides
	Language  Rule = "language"   // a mix with another language's narration, two of them, or none
)

// Rules are all that there are.
var Rules = []Rule{Unreached, Muted, Unfed, OneSided, FedTwice, Folded, Lost, FullRange, FoldDown, Order, Crossed, Silenced, Doubled, Still,
	Language}

// Finding is something about the weave that is probably wrong. Track or Output is empty where it is about the other.
type Finding struct {
	Rule    Rule   `json:"rule"`
	Track   string `json:"track,omitempty"`
	Output  string `json:"output,omitempty"`
	Message string `json:"message"`
	Fix     *Fix   `json:"fix,omitempty"` // what sets it right, where one command does
}

// findings looks at the routes of a reel.
func (g *Graph) findings(r *reel.Reel, routes []Route, tracks []trackReach) []Finding {
	found := []Finding{}
	outputs := r.OutputList()
	if len(outputs) == 0 {
		return found
	}
	byTrack := map[string]map[string]Route{}
	for _, route := range routes {
		if byTrack[route.Track] == nil {
			byTrack[route.Track] = map[string]Route{}
		}
		byTrack[route.Track][route.Output] = route
	}
	off, pairs := false, pairsOf(outputs)
	fed := map[string]bool{}
	for _, t := range r.TrackList() {
		if t.Mute {
			found = append(found, Finding{Rule: Muted, Track: t.ID, Message: t.Name + " is muted and will not be printed",
				Fix: fix(reel.SetTrack{Track: t.ID, Mute: &off}, "Unmute it")})
			continue
		}
		reach := byTrack[t.ID]
		if len(reach) == 0 {
			why := "it is in no stem, and nothing takes it by itself"
			if t.Stem != "" {
				why = "no knot is set for " + r.Stems[t.Stem].Name
			}
			found = append(found, Finding{Rule: Unreached, Track: t.ID, Message: t.Name + " reaches no output: " + why})
			continue
		}
		for _, o := range outputs {
			route, ok := reach[o.ID]
			if !ok {
				continue
			}
			fed[o.ID] = true
			if route.Twice {
				found = append(found, Finding{Rule: FedTwice, Track: t.ID, Output: o.ID,
					Message: fmt.Sprintf("%s arrives at %s twice, through %s and by a knot of its own; together they make %+.1f dB", t.Name, name(r, o),
						r.Stems[t.Stem].Name, route.GainDB),
					Fix: fix(reel.ClearKnots{At: []reel.Crossing{{Row: reel.TrackRow, From: t.ID, Output: o.ID}}}, "Clear the knot of its own")})
			}
		}
		found = append(found, oneSided(r, t, pairs, reach)...)
		found = append(found, lost(r, t, reach)...)
	}
	for _, more := range [][]Finding{fullRange(r, outputs), fullRangeSends(r, byTrack, outputs), languages(r),
		g.languageLevels(r, tracks), g.folds(r, tracks), g.doubled(r, tracks), orders(r),
		crossed(r, pairs), g.still(r)} {
		found = append(found, more...)
	}
	silent, silenced := g.silenced(r, tracks, fed)
	found = append(found, silenced...)
	for _, o := range outputs {
		if !fed[o.ID] && !r.Groups[o.Group].Silent && !silent[o.Group] {
			found = append(found, Finding{Rule: Unfed, Output: o.ID, Message: "Nothing feeds " + name(r, o) + "; it would be silent"})
		}
	}
	return found
}

// opposite is the other side of a pair of outputs.
var opposite = map[string]string{"L": "R", "Lo": "Ro", "Lt": "Rt", "Ls": "Rs", "Lss": "Rss", "Lrs": "Rrs", "Ltf": "Rtf", "Ltr": "Rtr"}

// pairsOf gives the pairs of each group, left and right; in film order the centre lies between.
func pairsOf(outputs []reel.Output) (pairs [][2]reel.Output) {
	for _, a := range outputs {
		other, paired := opposite[a.Label]
		at := slices.IndexFunc(outputs, func(o reel.Output) bool { return o.Group == a.Group && o.Label == other })
		if paired && at >= 0 {
			pairs = append(pairs, [2]reel.Output{a, outputs[at]})
		}
	}
	return pairs
}

// Pair gives the left and right of the pair that an output is one side of.
func Pair(outputs []reel.Output, id string) (left, right reel.Output, paired bool) {
	for _, p := range pairsOf(outputs) {
		if p[0].ID == id || p[1].ID == id {
			return p[0], p[1], true
		}
	}
	return left, right, false
}

// oneSided finds pairs of which a mono track reaches only one side, or the other at least 40 dB lower.
func oneSided(r *reel.Reel, t reel.Track, pairs [][2]reel.Output, reach map[string]Route) []Finding {
	if len(t.Labels) != 1 {
		return nil
	}
	var findings []Finding
	for _, p := range pairs {
		a, b := p[0], p[1]
		left, okL := reach[a.ID]
		right, okR := reach[b.ID]
		if !okL && !okR || okL && okR && math.Abs(left.GainDB-right.GainDB) < 40 {
			continue
		}
		present, missing := a, b
		if !okL || okR && right.GainDB > left.GainDB {
			present, missing = b, a
		}
		findings = append(findings, Finding{Rule: OneSided, Track: t.ID, Output: missing.ID,
			Message: fmt.Sprintf("%s reaches %s but not %s", t.Name, name(r, present), missing.Label), Fix: fixOneSided(r, t, present, missing)})
	}
	return findings
}

func name(r *reel.Reel, o reel.Output) string { return r.Groups[o.Group].Name + " " + o.Label }
