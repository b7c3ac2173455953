package weave

import (
	"slices"

	"zestyloom/core/reel"
)

// Reaching gives a reel with no more than what reaches some of its output groups. Those sound in it exactly as before; of the
// other groups only the channels stay, which are silent, so that outputs keep their numbers.
func Reaching(r *reel.Reel, groups []string) (*reel.Reel, error) {
	g, err := Compile(r)
	if err != nil {
		return nil, err
	}
	reaches := g.reaching(groups)
	// A stem has a bus for each strand because of any of its tracks, and any of the mixes, that name one: so all of them stay.
	stems := map[string]bool{}
	for at := range reaches {
		switch at.Row {
		case reel.StemRow:
			stems[at.ID] = true
		case reel.StrandRow:
			stem, _ := reel.StemOf(at.ID)
			stems[stem] = true
		}
	}
	out := r.Clone()
	for id, t := range r.Tracks {
		if !reaches[NodeID{reel.TrackRow, id}] && !stems[t.Stem] && !stems[t.Second] {
			delete(out.Tracks, id)
		}
	}
	for id, c := range r.Clips {
		if _, there := out.Tracks[c.Track]; !there {
			delete(out.Clips, id)
		}
	}
	for id := range r.Stems {
		if !stems[id] {
			delete(out.Stems, id)
		}
	}
	for id, m := range r.Mixes {
		parts := slices.ContainsFunc(m.Terms, func(t reel.Term) bool {
			stem, _ := reel.StemOf(t.From)
			return t.Row == reel.StrandRow && stems[stem]
		})
		if !parts && !reaches[NodeID{reel.MixRow, id}] {
			delete(out.Mixes, id)
		}
	}
	for id, group := range r.Groups {
		if !reaches[NodeID{reel.GroupRow, id}] {
			out.Groups[id] = reel.Group{ID: id, Layout: group.Layout, Labels: group.Labels, Order: group.Order}
		}
	}
	for id, b := range r.Buses {
		if !reaches[NodeID{b.Row, b.From}] {
			delete(out.Buses, id)
		}
	}
	for id, k := range r.Knots {
		if o, there := r.Output(k.Output); !there || !reaches[NodeID{reel.GroupRow, o.Group}] || !reaches[NodeID{k.Row, k.From}] {
			delete(out.Knots, id)
		}
	}
	return out, nil
}

// reaching gives the nodes from which anything comes to groups, those groups among them.
func (g *Graph) reaching(groups []string) map[NodeID]bool {
	does := make([]bool, len(g.Nodes))
	named := map[NodeID]bool{}
	for i := len(g.Nodes) - 1; i >= 0; i-- { // each comes before all that it feeds
		n := g.Nodes[i]
		does[i] = n.Row == reel.GroupRow && slices.Contains(groups, n.ID) || slices.ContainsFunc(n.Out, func(e Edge) bool { return does[e.To] })
		if does[i] && n.Row != "" {
			named[n.NodeID] = true
		}
	}
	return named
}
