package weave

import (
	"slices"

	"zestyloom/core/reel"
)

// Parts gives the output groups that are parts of another: all that reaches them reaches it as well, and neither is fed by the other. What
// is done to the sound of all of it has to be done to theirs, so that they still add up to it.
func Parts(r *reel.Reel, group string) ([]string, error) {
	g, err := Compile(r)
	if err != nil {
		return nil, err
	}
	sources := func(id string) map[NodeID]bool {
		all := g.reaching(Groups([]string{id}))
		for at := range all {
			if at.Row == reel.GroupRow || at.Row == reel.MixRow { // by whatever way it comes
				delete(all, at)
			}
		}
		return all
	}
	whole := sources(group)
	parts := []string{}
	for _, other := range r.GroupList() {
		from := sources(other.ID)
		if other.ID == group || len(from) == 0 || derivedFrom(r, other.ID, group) || derivedFrom(r, group, other.ID) {
			continue
		}
		if !slices.ContainsFunc(keys(from), func(at NodeID) bool { return !whole[at] }) {
			parts = append(parts, other.ID)
		}
	}
	return parts, nil
}

func keys(m map[NodeID]bool) (list []NodeID) {
	for k := range m {
		list = append(list, k)
	}
	return list
}

// derivedFrom tells whether a group is derived from another, by whatever way.
func derivedFrom(r *reel.Reel, from, to string) bool {
	for seen := 0; seen <= len(r.Groups); seen++ {
		g, there := r.Groups[to]
		if !there || g.Feed == nil || g.Feed.Row != reel.GroupRow {
			return false
		}
		if to = g.Feed.From; to == from {
			return true
		}
	}
	return false
}
