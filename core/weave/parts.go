package weave

import (
	"slices"

	"zestyloom/core/reel"
)

// Parts gives the output groups that are parts of another: all that reaches them reaches it as well, neither is fed by the other, and nothing
// else corrects them. What
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
		if c, on := r.CorrectionOn(other.ID); on && c.Of != group {
			continue // it is corrected with another
		}
		if other.ID == group || len(from) == 0 || r.Derives(other.ID, group) || r.Derives(group, other.ID) {
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
