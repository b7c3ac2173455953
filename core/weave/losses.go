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

// keeps tells whether a channel has a place of its own behind a matrix: one of a set at its label, or anywhere alone; one that
// stands by itself, and a speaker in a sound field, wherever it was put.
func keeps(m mix.Matrix, from, to layout.Format, channel int) bool {
	if from.Kind == layout.Single || from.Kind == layout.Loose || from.Kind != layout.Field && to.Kind == layout.Field {
		return arrives(m, channel)
	}
	for r := range m.Rows {
		if math.Abs(m.At(r, channel)) <= least {
			continue
		}
		alone := true
		for c := range m.Cols {
			alone = alone && (c == channel || math.Abs(m.At(r, c)) <= least)
		}
		if alone || to.Labels[r] == from.Labels[channel] {
			return true
		}
	}
	return false
}

// arrives tells whether anything of a channel comes through a matrix.
func arrives(m mix.Matrix, channel int) bool {
	for r := range m.Rows {
		if math.Abs(m.At(r, channel)) > least {
			return true
		}
	}
	return false
}

// loses gives the channels that have no place of their own behind an edge: folded into others, or left out. What is panned,
// placed or turned in a room goes where somebody put it, and is lost only where none of it arrives.
func (g *Graph) loses(from int, e *Edge) (lost []int) {
	n, to := g.Nodes[from], g.Nodes[e.To]
	m := e.Matrix
	if e.Phased != nil {
		m = e.through()
	}
	roams := e.place != nil && !e.place.fixed && n.Format.Kind != layout.Field
	for c := range n.Format.Labels {
		if roams && !arrives(m, c) || !roams && !keeps(m, n.Format, to.Format, c) {
			lost = append(lost, c)
		}
	}
	return lost
}

// groupsBehind gives the output groups (places of nodes) that anything may get to from each node, but for those that are derived
// from others: what those lose is said of how they are folded.
func (g *Graph) groupsBehind() [][]int {
	behind := make([][]int, len(g.Nodes))
	for at := len(g.Nodes) - 1; at >= 0; at-- {
		if g.Nodes[at].Row == reel.GroupRow {
			behind[at] = []int{at}
			continue
		}
		for _, e := range g.Nodes[at].Out {
			for _, group := range behind[e.To] {
				if !slices.Contains(behind[at], group) {
					behind[at] = append(behind[at], group)
				}
			}
		}
	}
	return behind
}

// suffers tells whether any channel of a track that comes to a node, on one of its channels that an edge has no place for, has
// none at the end either, in an output group behind the edge.
func (g *Graph) suffers(t trackReach, node, channel int, groups []int) bool {
	track := g.Nodes[t.at].Format
	here, there := mix.Identity(len(track.Labels)), true
	if node != t.at {
		here, there = t.to(node)
	}
	if !there {
		return false
	}
	for c := range track.Labels {
		if math.Abs(here.At(channel, c)) <= least {
			continue
		}
		for _, group := range groups {
			m, reaches := t.to(group)
			if !reaches || !keeps(m, track, g.Nodes[group].Format, c) {
				return true
			}
		}
	}
	return false
}

// folds finds ways on which channels of a set are folded or left out and have no other way to where they would be heard, while
// nobody has said yes to it. Only what comes to an output group counts. Saying yes is what sets it right: then it is meant.
func (g *Graph) folds(r *reel.Reel, tracks []trackReach) (found []Finding) {
	behind := g.groupsBehind()
	for at := range g.Nodes {
		if g.Nodes[at].Row == reel.TrackRow && g.Nodes[at].Track.Mute {
			continue
		}
		for k := range g.Nodes[at].Out {
			e := &g.Nodes[at].Out[k]
			if e.said || len(behind[e.To]) == 0 {
				continue
			}
			lost := slices.DeleteFunc(g.loses(at, e), func(channel int) bool {
				return !slices.ContainsFunc(tracks, func(t trackReach) bool { return g.suffers(t, at, channel, behind[e.To]) })
			})
			if len(lost) > 0 {
				found = append(found, g.unsaid(r, at, e, lost))
			}
		}
	}
	return found
}

// unsaid is the finding of an edge that folds or leaves out some channels, with the command that says yes to it.
func (g *Graph) unsaid(r *reel.Reel, at int, e *Edge, lost []int) Finding {
	from, to, yes := g.Nodes[at], g.named(e.To), true
	verb := "Fold"
	if decodes(from.Format, to.Format) {
		verb = "Decode"
	}
	how := howFolded(from.Format, to.Format, e, lost)
	switch to.Row {
	case reel.StrandRow, reel.StemRow:
		stem, _ := reel.StemOf(to.ID)
		return Finding{Rule: Folded, Track: from.ID, Message: fmt.Sprintf("%s has %d channels and %s %d, so it is %s",
			rowName(r, from.Row, from.ID), len(from.Format.Labels), r.Stems[stem].Name, len(to.Format.Labels), how),
			Fix: fix(reel.SetTrack{Track: from.ID, Folds: &yes}, "%s it so", verb)}
	case reel.MixRow:
		m := r.Mixes[to.ID]
		return Finding{Rule: FoldDown, Message: fmt.Sprintf("The mix %s is narrower than %s, which is in it, so that is %s", m.Name,
			rowName(r, from.Row, from.ID), how),
			Fix: fix(reel.SetMix{ID: m.ID, Name: m.Name, Language: m.Language, Labels: m.Labels, Rest: m.Rest, Terms: m.Terms,
				Folds: &yes}, "%s it so", verb)}
	}
	group := r.Groups[to.ID]
	f := Finding{Rule: FoldDown, Output: reel.OutputID(group.ID, group.Labels[0]), Message: fmt.Sprintf(
		"%s is narrower than %s, which feeds it, so that is %s", group.Name, rowName(r, from.Row, from.ID), how)}
	if e.Direct { // knots leave out what is not tied: yes to that would leave it silent
		f.Fix = tieIn(r, from.NodeID, group)
	}
	if f.Fix == nil {
		f.Fix = fix(saidYes(group), "%s it so", verb)
	}
	return f
}

// saidYes makes the command that leaves a group as it is and says yes to what it folds.
func saidYes(group reel.Group) reel.SetGroup {
	c, yes := again(group), true
	c.Folds = &yes
	return c
}

// tieIn ties a row to a group by what its channels mean to it, folded where they must be, with a yes to that; nil where nothing of
// the row means anything to the group.
func tieIn(r *reel.Reel, row NodeID, group reel.Group) *Fix {
	knots := TieGroup(r, row.Row, row.ID, group)
	if len(knots) == 0 {
		return nil
	}
	name, commands := "Tie %s in", []reel.Sent{reel.Send(reel.SetKnots{Knots: knots})}
	if !slices.Equal(r.RowLabels(row.Row, row.ID), group.Labels) {
		name, commands = "Fold %s in", append(commands, reel.Send(saidYes(group)))
	}
	return fix(reel.Several{Commands: commands}, name, rowName(r, row.Row, row.ID))
}

// decodes tells whether a sound field becomes channels of speakers.
func decodes(from, to layout.Format) bool {
	return from.Kind == layout.Field && to.Kind != layout.Field
}

// howFolded says in numbers what becomes of channels on an edge.
func howFolded(from, to layout.Format, e *Edge, lost []int) string {
	if decodes(from, to) {
		switch {
		case to.Name == layout.Stereo:
			return "decoded to left and right by two cardioids"
		case len(to.Labels) == 1:
			return "decoded to what comes from everywhere"
		}
		return "decoded to its speakers"
	}
	said := make([]string, len(lost))
	for i, c := range lost {
		l := mix.Loss{Channel: from.Labels[c]}
		for r, label := range to.Labels {
			gain := e.Matrix.At(r, c)
			if e.Phased != nil {
				gain = math.Hypot(gain, e.Phased.At(r, c))
			}
			if math.Abs(gain) > least {
				l.Into, l.GainDB = append(l.Into, label), dsp.DB(gain)
			}
		}
		said[i] = l.String()
	}
	if !slices.ContainsFunc(said, func(s string) bool { return !strings.HasSuffix(s, "left out") }) {
		return "cut down: " + strings.Join(said, ", ")
	}
	return "folded: " + strings.Join(said, ", ")
}

// silenced finds output groups that would be silent, all of them, while what is to feed them sounds; silent names those. It finds
// tracks too of which nothing arrives in their stem.
func (g *Graph) silenced(r *reel.Reel, tracks []trackReach, fed map[string]bool) (silent map[string]bool, found []Finding) {
	sounds := map[string]bool{}
	for _, c := range r.Clips {
		sounds[c.Track] = sounds[c.Track] || !c.Mute
	}
	silent = map[string]bool{}
	for _, group := range r.GroupList() {
		if slices.ContainsFunc(group.Labels, func(l string) bool { return fed[reel.OutputID(group.ID, l)] }) {
			continue
		}
		var rows []NodeID
		if f := group.Feed; f != nil {
			rows = append(rows, NodeID{f.Row, f.From})
		}
		for _, stem := range group.Stems {
			rows = append(rows, NodeID{reel.StemRow, stem})
		}
		for _, row := range rows {
			if at, there := g.Node(row.Row, row.ID); there && g.sounding(at, tracks, sounds) {
				silent[group.ID] = true
				f := Finding{Rule: Silenced, Output: reel.OutputID(group.ID, group.Labels[0]), Message: fmt.Sprintf(
					"%s would be silent: nothing of %s arrives there, which sounds and is asked for", group.Name, rowName(r, row.Row, row.ID))}
				if group.Feed == nil {
					f.Fix = tieIn(r, row, group)
				}
				found = append(found, f)
				break
			}
		}
	}
	behind := g.groupsBehind()
	for _, b := range g.barred {
		from, to := g.Nodes[b.from], g.named(b.to)
		if b.by == reel.StemRow && from.Row == reel.TrackRow && !from.Track.Mute && sounds[from.ID] && len(behind[b.to]) > 0 {
			found = append(found, Finding{Rule: Silenced, Track: from.ID, Message: fmt.Sprintf(
				"%s is silent in %s, whose channels (%s) have no place for %s", rowName(r, from.Row, from.ID), rowName(r, to.Row, to.ID),
				strings.Join(to.Format.Labels, " "), strings.Join(from.Format.Labels, " "))})
		}
	}
	return silent, found
}

// sounding tells whether anything that sounds comes to a node.
func (g *Graph) sounding(node int, tracks []trackReach, sounds map[string]bool) bool {
	return slices.ContainsFunc(tracks, func(t trackReach) bool {
		if !sounds[g.Nodes[t.at].ID] {
			return false
		}
		m, there := t.to(node)
		return node == t.at || there && slices.ContainsFunc(m.Gain, func(gain float64) bool { return math.Abs(gain) > least })
	})
}
