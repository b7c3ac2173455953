package weave

import (
	"fmt"
	"math"
	"slices"

	"zestyloom/core/mix"
	"zestyloom/core/reel"
	"zestyloom/core/sums"
)

// Sums gives what must add up among output groups of a reel, whatever sounds: parts of a mix, a mix less a stem, strands of a
// stem, fold-downs, encoded ones too. It follows from the graph alone, however the groups came to be fed; none of the groups that
// have anything to do with another is left out.
func Sums(r *reel.Reel, groups []string) []sums.Sum {
	g, err := Compile(r)
	if err != nil {
		return nil
	}
	list, in := []sums.Sum{}, map[string]bool{}
	// First as if every row could sound, so that a stem that nothing lies on is in the sums of its mix; then as it is.
	for _, all := range []bool{true, false} {
		vectors := g.vectors(r, all)
		var sets []sums.Set
		for _, id := range groups {
			if at, there := g.Node(reel.GroupRow, id); there {
				sets = append(sets, sums.Set{ID: id, Channels: vectors[at]})
			}
		}
		for _, s := range sums.Find(sets) {
			if slices.ContainsFunc(s.Sets(), func(id string) bool { return !in[id] }) {
				list = append(list, s)
			}
		}
		for _, s := range list {
			for _, id := range s.Sets() {
				in[id] = true
			}
		}
	}
	return list
}

// vectors gives the channels of every node as sums of sources. A source is a channel of a track; or of a bus, where what arrives
// there does so at gains that move, so that it is one thing for all behind it; or, where all rows count, of one that no track feeds.
func (g *Graph) vectors(r *reel.Reel, rows bool) [][]sums.Vector {
	roaming := map[string]bool{} // tracks with clips that move by themselves
	for _, c := range r.Clips {
		roaming[c.Track] = roaming[c.Track] || len(c.Pan) > 0
	}
	all := make([][]sums.Vector, len(g.Nodes))
	moved, fed := make([]bool, len(g.Nodes)), make([]bool, len(g.Nodes))
	for at := range g.Nodes {
		n := &g.Nodes[at]
		for len(all[at]) < len(n.Format.Labels) {
			all[at] = append(all[at], sums.Vector{})
		}
		if n.Row == reel.TrackRow || moved[at] || rows && !fed[at] && n.Row != reel.GroupRow || n.Bus != nil && n.Bus.Moves(reel.GainCurve) || n.Chain != nil {
			for c := range all[at] {
				all[at][c] = sums.Vector{fmt.Sprintf("%s %s/%d (%d)", n.Row, n.ID, c, at): 1}
			}
		} else {
			g.leveled(n, all[at])
		}
		for k := range n.Out {
			e := &n.Out[k]
			fed[e.To] = true
			if e.Moves() || e.Sided() && roaming[n.ID] {
				moved[e.To] = true
				continue
			}
			if all[e.To] == nil {
				for range g.Nodes[e.To].Format.Labels {
					all[e.To] = append(all[e.To], sums.Vector{})
				}
			}
			through(all[e.To], all[at], e.Matrix, false)
			if e.Phased != nil {
				through(all[e.To], all[at], *e.Phased, true)
			}
		}
	}
	return all
}

func through(to, from []sums.Vector, m mix.Matrix, turned bool) {
	for c, v := range from {
		if turned {
			v = v.Turned()
		}
		for r := range to {
			if gain := m.At(r, c); math.Abs(gain) > 1e-12 {
				to[r].Add(v, gain)
			}
		}
	}
}

// leveled does to the channels of a node what its bus and its correction do. A correction that moves does the same at the same
// sample to all groups that it acts on: what has been through it is another source, and the same one for all of them.
func (g *Graph) leveled(n *Node, channels []sums.Vector) {
	by := ""
	if c := n.Correction; c != nil && c.Moves() {
		by = " through " + c.ID
	}
	level := n.level()
	for c, v := range channels {
		channels[c] = sums.Vector{}
		for source, gain := range v {
			channels[c][source+by] = gain * level
		}
	}
}
