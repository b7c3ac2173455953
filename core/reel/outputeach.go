package reel

import (
	"fmt"
	"strings"

	"zestyloom/core/fault"
	"zestyloom/core/layout"
)

// OutputEach gives each of some tracks an output group of its own, as wide as it is, which it feeds whole.
type OutputEach struct {
	Tracks []string `json:"tracks"`
}

// Plan is one step. It is NotFound where a track is gone, and BadInput where there is none, or more channels than a reel puts out.
func (c OutputEach) Plan(r *Reel, known Known) (Change, string, error) {
	if len(c.Tracks) == 0 {
		return Change{}, "", fault.New(fault.BadInput, "Choose the tracks that are to have outputs")
	}
	s := Sequence{Name: "outputs for " + plural(len(c.Tracks), "track")}
	taken := map[string]bool{}
	for _, g := range r.Groups {
		taken[g.Name] = true
	}
	for _, id := range c.Tracks {
		t, there := r.Tracks[id]
		if !there {
			return Change{}, "", noTrack()
		}
		group := groupOf(t)
		for n := 2; taken[group.Name]; n++ {
			group.Name = fmt.Sprintf("%.90s %d", t.Name, n)
		}
		taken[group.Name] = true
		s.Commands = append(s.Commands, func(*Reel) (Command, error) { return group, nil })
	}
	return s.Plan(r, known)
}

// groupOf is the output group that a track feeds whole.
func groupOf(t Track) SetGroup {
	name := []rune(t.Name)
	c := SetGroup{Name: string(name[:min(len(name), 90)]), Layout: layoutOf(t.Labels), Feed: &Feeder{Row: TrackRow, From: t.ID}}
	if c.Layout == string(layout.Discrete) {
		c.Width = len(t.Labels)
	} else {
		c.Order = strings.Join(t.Labels, ",")
	}
	return c
}
