package contract

import (
	_ "embed"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"

	"go.yaml.in/yaml/v3"

	"zestyloom/core/fault"
	"zestyloom/core/layout"
	"zestyloom/core/reel"
)

// Profile is limits that are well known.
type Profile struct {
	ID      string `json:"id"`
	Title   string `json:"title"`
	Source  string `json:"source"`            // the recommendation that it follows
	Edition string `json:"edition,omitempty"` //
	Limits  Limit  `json:"limits"`
}

//go:embed profiles.yaml
var profilesText []byte

// Profiles gives those that ship.
var Profiles = sync.OnceValue(func() (list []Profile) {
	var read any
	err := yaml.Unmarshal(profilesText, &read)
	text, inJSON := json.Marshal(read) // in which limits have their names
	if err = errors.Join(err, inJSON, json.Unmarshal(text, &list)); err != nil {
		panic(fmt.Errorf("the profiles that ship can't be read: %w", err)) // a test reads them
	}
	return list
})

// ProfileOf gives a profile by its ID: NotFound where there is none.
func ProfileOf(id string) (Profile, error) {
	i := slices.IndexFunc(Profiles(), func(p Profile) bool { return p.ID == id })
	if i < 0 {
		return Profile{}, fault.New(fault.NotFound, "There is no profile %q of limits; known are %s", id, profileNames())
	}
	return Profiles()[i], nil
}

// profileNames lists the IDs of all profiles, in words.
func profileNames() string {
	var ids []string
	for _, p := range Profiles() {
		ids = append(ids, p.ID)
	}
	return strings.Join(ids, ", ")
}

// Target is what the limit asks a programme to be brought to; title is whose limit it is.
func (l Limit) Target(title string) reel.Target {
	l = l.Whole()
	return reel.Target{Title: title, Integrated: l.Integrated, Dialogue: l.Measured == DialogueGate, TruePeak: l.TruePeak,
		ShortTermMax: l.ShortTermMax, MomentaryMax: l.MomentaryMax, PPMMax: l.PPMMax}
}

// LimitOf gives all that the spec limits of a group as one: the first loudness, and of maxima the strictest. It is not there where the spec
// asks for nothing.
func (s Spec) LimitOf(group string) (all Limit, there bool) {
	for _, l := range s.Limits {
		if !l.For(group) {
			continue
		}
		l = l.Whole()
		if all.Integrated == nil && l.Integrated != nil {
			all.Integrated, all.Tolerance, all.Measured, there = l.Integrated, l.Tolerance, l.Measured, true
		}
		for _, f := range []struct {
			all **float64
			one *float64
		}{{&all.RangeMax, l.RangeMax}, {&all.ShortTermMax, l.ShortTermMax}, {&all.MomentaryMax, l.MomentaryMax}, {&all.TruePeak, l.TruePeak},
			{&all.PPMMax, l.PPMMax}} {
			if f.one != nil && (*f.all == nil || *f.one < **f.all) {
				*f.all, there = f.one, true
			}
		}
	}
	return all, there
}

// LimitFor is what the spec asks of a file whose channels are a layout: the limit of a group of that layout, of one that has a loudness
// before others; where no group is of that layout, that of the first group that has a loudness. NotFound where it asks nothing of such.
func (s Spec) LimitFor(l layout.Layout) (Limit, error) {
	var alike, other *Limit
	for _, g := range s.Groups {
		limit, there := s.LimitOf(g.ID)
		labels, err := g.Labels()
		if !there || err != nil {
			continue
		}
		switch loud := limit.Integrated != nil; {
		case len(labels) == len(l.Labels) && layout.SameChannels(labels, l.Labels):
			if alike == nil || loud && alike.Integrated == nil {
				alike = &limit
			}
		case loud && other == nil:
			other = &limit
		}
	}
	if alike != nil {
		return *alike, nil
	}
	if other != nil {
		return *other, nil
	}
	return Limit{}, fault.New(fault.NotFound, "%s asks nothing of %d channels (%s)", s.Title, len(l.Labels), l.Name)
}

// TargetFor is what the spec asks a file whose channels are a layout to be brought to. NotFound where it asks nothing of such.
func (s Spec) TargetFor(l layout.Layout) (reel.Target, error) {
	limit, err := s.LimitFor(l)
	return limit.Target(s.Title), err
}
