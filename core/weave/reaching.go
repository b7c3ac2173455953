package weave

import (
	"slices"

	"zestyloom/core/chain"
	"zestyloom/core/reel"
)

// Reaching gives a reel with no more than what reaches some of its rows. Those sound in it exactly as before; of the output
// groups that nothing asks for only the channels stay, which are silent, so that outputs keep their numbers.
func Reaching(r *reel.Reel, rows []NodeID) (*reel.Reel, error) {
	g, err := Compile(r)
	if err != nil {
		return nil, err
	}
	reaches := g.reaching(rows)
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
	for id, c := range r.Chains {
		if !reaches[NodeID{c.Row, c.From}] {
			delete(out.Chains, id)
		}
	}
	for id, c := range r.Corrections {
		if !slices.ContainsFunc(c.Groups, func(group string) bool { return reaches[NodeID{reel.GroupRow, group}] }) {
			delete(out.Corrections, id)
		}
	}
	for id, k := range r.Knots {
		if o, there := r.Output(k.Output); !there || !reaches[NodeID{reel.GroupRow, o.Group}] || !reaches[NodeID{k.Row, k.From}] {
			delete(out.Knots, id)
		}
	}
	return out, nil
}

// Groups names the rows of output groups.
func Groups(ids []string) (rows []NodeID) {
	for _, id := range ids {
		rows = append(rows, NodeID{reel.GroupRow, id})
	}
	return rows
}

// Bare gives a reel without what nobody hears: names, order on the screen, what was and where things lie in sync.
func Bare(r *reel.Reel) *reel.Reel {
	out := r.Clone()
	h := out.Head
	out.Head = reel.Head{SampleRate: h.SampleRate, FrameRate: h.FrameRate, Start: h.Start, PanLaw: h.PanLaw, Angles: h.Angles}
	out.Marks = nil
	for id, c := range out.Clips {
		if c.Mute || out.Tracks[c.Track].Mute {
			delete(out.Clips, id)
			continue
		}
		c.Name, c.Stem, c.Frames, c.Tie, c.Was, c.Home, c.Picture, c.Settled, c.Event = "", "", 0, "", "", nil, false, nil, ""
		c.Chain, c.Lanes = chain.Heard(c.Chain), slices.Clone(c.Lanes)
		for i := range c.Lanes {
			c.Lanes[i].Chain, c.Lanes[i].Cuts = chain.Heard(c.Lanes[i].Chain), nil
		}
		if !slices.ContainsFunc(c.Lanes, reel.Lane.Done) {
			c.Lanes = nil
		}
		out.Clips[id] = c
	}
	out.Treatments = out.TreatmentsHeard()
	for id, c := range out.Clips { // having none of a treatment says something where there is one
		if c.Untreated {
			if c.Untreated = false; !out.Treated(c) {
				out.Clips[id] = c
			}
		}
	}
	for i, t := range out.TrackList() {
		t.Name, t.Suggested, t.Folder, t.Height, t.Order = "", false, "", 0, i
		for _, stem := range []*string{&t.Stem, &t.Second} {
			if _, there := out.Stems[*stem]; !there {
				*stem = ""
			}
		}
		out.Tracks[t.ID] = t
	}
	for id, s := range out.Stems {
		s.Name = ""
		out.Stems[id] = s
	}
	for id, c := range out.Chains {
		if c.Steps = chain.Heard(c.Steps); c.Off || len(c.Steps) == 0 {
			delete(out.Chains, id)
			continue
		}
		out.Chains[id] = c
	}
	for id, c := range out.Corrections {
		if c.To, c.MatchDB, c.Basis = (reel.Target{}), 0, ""; c.Off {
			delete(out.Corrections, id)
			continue
		}
		out.Corrections[id] = c
	}
	return out
}

// reaching gives the nodes from which anything comes to rows, those rows among them.
func (g *Graph) reaching(rows []NodeID) map[NodeID]bool {
	does := make([]bool, len(g.Nodes))
	named := map[NodeID]bool{}
	for i := len(g.Nodes) - 1; i >= 0; i-- { // each comes before all that it feeds
		n := g.Nodes[i]
		does[i] = does[i] || slices.Contains(rows, n.NodeID) || slices.ContainsFunc(n.Out, func(e Edge) bool { return does[e.To] })
		if does[i] && n.Row != "" {
			named[n.NodeID] = true
			for _, from := range g.Drivers(i) {
				does[from] = true
			}
		}
	}
	return named
}
