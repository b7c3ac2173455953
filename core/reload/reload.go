// Package reload makes a reel of a delivery, so that one thing can be changed and the rest printed again as it was.
//
// In: what the desk says of the files, the takes that they were brought in as, the spec, if there is one. Out: the commands that lay
// a track for each group with its channels tied straight to its outputs, and where the reel starts. Begin reading at Load.
package reload

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"zestyloom/core/contract"
	"zestyloom/core/desk"
	"zestyloom/core/fault"
	"zestyloom/core/layout"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
)

// Source names a stream of sound of a file; streams count from 0.
type Source struct {
	File   string
	Stream int
}

// Take is what a stream was brought in as.
type Take struct {
	ID     string
	Title  string
	Rate   int   // Hz
	Frames int64 // sample frames
	// Picture tells that it came with one.
	Picture bool
}

// Start is where the reel begins, at a rate in Hz: with the programme, after leader and handles. What has no time stamp begins at
// ten hours.
func Start(r desk.Receipt, rate int) (programme, files int64) {
	usual, _ := r.FrameRate.ParseSample("10:00:00:00", rate)
	files = int64(usual)
	for _, f := range r.Files {
		if at, known := begins(r, f, rate); known {
			files = int64(at)
			break
		}
	}
	return files + samples(r.Lead+r.Handles, rate), files
}

func samples(seconds float64, rate int) int64 { return int64(math.Round(seconds * float64(rate))) }

func begins(r desk.Receipt, f desk.File, rate int) (timecode.Reading, bool) {
	if f.Start != nil && len(f.Streams) > 0 && f.Streams[0].Rate > 0 {
		return f.Start.Convert(f.Streams[0].Rate, rate), true
	}
	if f.Timecode == "" {
		return 0, false
	}
	at, err := r.FrameRate.ParseSample(f.Timecode, rate)
	return at, err == nil
}

// group is a set of channels and where each of them is.
type group struct {
	id, name string
	places   []desk.Place
}

// Load gives the step that makes a reel without tracks, at a rate in Hz, one of a delivery. Takes at another rate are refused, with
// what to do.
func Load(r desk.Receipt, name string, takes map[Source]Take, spec *contract.Spec, rate int) (reel.Sequence, error) {
	step := reel.Sequence{Name: "load " + name}
	groups := groupsOf(r)
	if len(groups) == 0 {
		return step, fault.New(fault.BadInput, "Nothing is known of what these files hold, so no reel can be made of them")
	}
	_, files := Start(r, rate)
	lay := reel.LayOutputs{Title: name, Groups: outputs(groups, spec), Yes: true}
	if spec != nil {
		lay.Spec = spec.ID
	}
	var ties []tie
	var bare []int // tracks of no stem
	for _, g := range groups {
		tracks, tied, err := g.tracks(r, takes, files, rate)
		if err != nil {
			return step, err
		}
		for i := range tied {
			tied[i].track += len(step.Commands)
		}
		ties = append(ties, tied...)
		for _, t := range tracks {
			if t.Parts[0].Stem == "" { // a take is laid for a stem; a mix is then taken out of it
				bare = append(bare, len(step.Commands))
				t.Parts[0].Stem = "FX"
			}
			step.Commands = append(step.Commands, func(*reel.Reel) (reel.Command, error) { return t, nil })
		}
	}
	none := ""
	for _, at := range bare {
		step.Commands = append(step.Commands, func(made *reel.Reel) (reel.Command, error) {
			return reel.SetTrack{Track: made.TrackList()[at].ID, Stem: &none}, nil
		})
	}
	if picture := pictureOf(r, takes); picture != "" { // it begins with its file
		step.Commands = append(step.Commands, func(*reel.Reel) (reel.Command, error) {
			return reel.SetReel{Picture: &reel.PictureChoice{Take: picture, Start: &files}}, nil
		})
	}
	step.Commands = append(step.Commands, func(made *reel.Reel) (reel.Command, error) {
		tracks := made.TrackList()
		for _, t := range ties {
			lay.Knots = append(lay.Knots, reel.Crosspoint{Row: reel.TrackRow, From: tracks[t.track].ID, Channel: t.channel, Output: t.output})
		}
		return lay, nil
	})
	return step, nil
}

// pictureOf is the take of the first movie that has a picture; empty where none has.
func pictureOf(r desk.Receipt, takes map[Source]Take) string {
	for _, f := range r.Files {
		for i := range f.Streams {
			if t := takes[Source{f.Name, i}]; f.Pictures > 0 && t.Picture {
				return t.ID
			}
		}
	}
	return ""
}

// tie leads a channel of a track, which is the so-manieth of its reel, to an output.
type tie struct {
	track, channel int
	output         string
}

// groupsOf gives the sets of a delivery, each channel once, though several files may have it.
func groupsOf(r desk.Receipt) (groups []*group) {
	for _, p := range r.Places {
		at := slices.IndexFunc(groups, func(g *group) bool { return g.id == p.Group })
		if at < 0 {
			groups = append(groups, &group{id: p.Group, name: p.Name})
			at = len(groups) - 1
		}
		g := groups[at]
		if !slices.ContainsFunc(g.places, func(x desk.Place) bool { return x.Label == p.Label }) {
			g.places = append(g.places, p)
		}
	}
	return groups
}

// tracks lays the group: one track where all of it is side by side in one stream, else one for each channel.
func (g *group) tracks(r desk.Receipt, takes map[Source]Take, files int64, rate int) (list []reel.AddTake, ties []tie, err error) {
	together := !slices.ContainsFunc(g.places, func(p desk.Place) bool { return p.File != g.places[0].File || p.Stream != g.places[0].Stream })
	runs := [][]desk.Place{g.places}
	if !together {
		runs = nil
		for _, p := range g.places {
			runs = append(runs, []desk.Place{p})
		}
	}
	lead, tail := samples(r.Lead, rate), samples(r.Tail, rate)
	for _, run := range runs {
		t, there := takes[Source{run[0].File, run[0].Stream}]
		switch {
		case !there:
			return nil, nil, fault.New(fault.NotFound, "%s is not in the production yet", run[0].File)
		case t.Rate != rate:
			return nil, nil, fault.New(fault.BadInput, "%s is at %d Hz and the production at %d; resample it under Takes first", run[0].File, t.Rate,
				rate)
		}
		for c, p := range run {
			ties = append(ties, tie{len(list), c, reel.OutputID(g.id, p.Label)})
		}
		list = append(list, reel.AddTake{Take: t.ID, Title: t.Title, Start: files + lead, Offset: lead, Length: t.Frames - lead - tail,
			Frames: t.Frames,
			Parts:  []reel.PartPlan{g.part(run)}, Stems: reel.DefaultStems()})
	}
	return list, ties, nil
}

// part is the track of a run of channels: a set where their labels are one, else microphones that lie together.
func (g *group) part(run []desk.Place) reel.PartPlan {
	part := reel.PartPlan{Name: g.name, Stem: stemOf(g.name), Decided: true}
	for _, p := range run {
		part.Channels, part.Labels = append(part.Channels, p.Channel), append(part.Labels, p.Label)
	}
	if _, known := layout.ForLabels(part.Labels); !known || len(run) == 1 {
		for i := range part.Labels {
			part.Labels[i] = "M"
		}
	}
	if len(run) == 1 && len(g.places) > 1 {
		part.Name += " " + run[0].Label
	}
	return part
}

// stemOf is the stem that a set is called after; none where it is a mix or nobody can tell.
func stemOf(name string) string {
	for _, s := range reel.DefaultStems() {
		if strings.HasPrefix(strings.ToLower(name), strings.ToLower(s.Name)) || strings.EqualFold(name, s.ID) {
			return s.ID
		}
	}
	return ""
}

// outputs gives the groups that the sets come out of: as the spec has them, but fed by nothing than what is tied to them.
func outputs(groups []*group, spec *contract.Spec) (list []reel.Group) {
	for i, g := range groups {
		var labels []string
		for _, p := range g.places {
			labels = append(labels, p.Label)
		}
		made := reel.Group{ID: g.id, Name: g.name, Tag: fmt.Sprint("G", i+1), Labels: labels, Stems: []string{}, Layout: "discrete",
			Own: spec == nil}
		if l, known := layout.ForLabels(labels); known {
			made.Layout = string(l.Name)
		}
		if spec != nil {
			for _, s := range spec.Groups {
				if contract.Stands(s.ID, g.id) {
					made.Tag, made.Layout, made.Language, made.Silent = s.Tag, s.Layout, s.Language, s.From.Silence
				}
			}
		}
		list = append(list, made)
	}
	return list
}
