package reel

import (
	"maps"
	"slices"

	"zestyloom/core/chain"
)

// TreatmentsOf gives what treats the channels of a clip's take; nil where nothing does, or the clip has none of it.
func (r *Reel) TreatmentsOf(c Clip) []chain.Treatment {
	if c.Untreated {
		return nil
	}
	return chain.HeardOf(r.Treatments[c.Take], c.Channels)
}

// TreatmentsOfBorrowed gives what treats what a clip borrows, in the same way.
func (r *Reel) TreatmentsOfBorrowed(c Clip, b Borrowed) []chain.Treatment {
	if c.Untreated {
		return nil
	}
	return chain.HeardOf(r.Treatments[b.Take], []int{b.Channel})
}

// Treated tells whether anything of a clip goes through a treatment.
func (r *Reel) Treated(c Clip) bool {
	if len(r.TreatmentsOf(c)) > 0 {
		return true
	}
	for _, l := range c.Lanes {
		for _, b := range l.Borrowed {
			if len(r.TreatmentsOfBorrowed(c, b)) > 0 {
				return true
			}
		}
	}
	return false
}

// TreatmentsHeard gives the treatments that are heard on the reel, by take; nil where none is.
func (r *Reel) TreatmentsHeard() map[string][]chain.Treatment {
	channels := map[string]map[int]bool{}
	use := func(take string, of ...int) {
		if channels[take] == nil {
			channels[take] = map[int]bool{}
		}
		for _, c := range of {
			channels[take][c] = true
		}
	}
	for _, c := range r.Clips {
		if c.Untreated {
			continue
		}
		use(c.Take, c.Channels...)
		for _, l := range c.Lanes {
			for _, b := range l.Borrowed {
				use(b.Take, b.Channel)
			}
		}
	}
	var heard map[string][]chain.Treatment
	for take, of := range channels {
		if list := chain.HeardOf(r.Treatments[take], slices.Collect(maps.Keys(of))); list != nil {
			if heard == nil {
				heard = map[string][]chain.Treatment{}
			}
			heard[take] = list
		}
	}
	return heard
}
