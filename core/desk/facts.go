package desk

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"zestyloom/core/contract"
	"zestyloom/core/layout"
	"zestyloom/core/timecode"
	"zestyloom/core/unravel"
)

// instance is a group as it is in the files: one of the spec's, or one of those made of each strand, stem or track.
type instance struct {
	contract.Group
	key    string // tells it from others
	labels []string
}

// place is a channel of a group in a stream.
type place struct {
	stream, channel int // from 0
	group           *instance
	label           string
}

// placed is a file of which it is known what each channel is.
type placed struct {
	matched
	span     string // which of several ranges it is of
	channels []place
	length   int64 // frames of its first stream, as read
}

// facts holds what a file says of itself against the spec, and finds what its channels are; nil where that can't be told.
func (c *checking) facts(one matched) *placed {
	f, want := one.file, one.slot.spec
	if len(f.Streams) == 0 && len(f.Doubts) > 0 {
		c.refused = true
		return nil // it can't be read, which has been said
	}
	c.compare("container", f.Name, "Container", f.Container, want.Container)
	p := &placed{matched: one, span: one.found["range"]}
	wanted := c.streams(one)
	if len(f.Streams) != len(wanted) {
		c.compare("stream", f.Name, "Number of streams of sound", len(f.Streams), len(wanted))
		c.refused = true
		return nil
	}
	for i, s := range f.Streams {
		called := ""
		if len(f.Streams) > 1 {
			called = fmt.Sprintf("Stream %d: ", i+1)
		}
		c.compare("codec", f.Name, called+"coding", s.Codec, want.Coded())
		if want.Rate != 0 {
			c.compare("sample-rate", f.Name, called+"sample rate in Hz", s.Rate, want.Rate)
		}
		depth := want.Depth
		if depth == 0 {
			depth = 24
		}
		c.compare("bit-depth", f.Name, called+"bits", bits(s.Depth), bits(depth))
		places, ok := c.channels(one, i, wanted[i], called)
		if !ok {
			c.refused = true
			return nil
		}
		p.channels = append(p.channels, places...)
		c.stream(f, s, wanted[i], called)
	}
	c.picture(f, want)
	if rate, asks := c.spec.FrameRate(); asks && f.FrameRate.Valid() {
		c.compare("frame-rate", f.Name, "Frames a second", f.FrameRate.Number(), rate.Number())
	}
	if want.ADM != nil {
		channels := 0
		for _, s := range f.Streams {
			channels += s.Channels
		}
		c.compare("adm", f.Name, "Channels that the description after BS.2076 has", f.Described, channels)
		if f.ADM != nil {
			c.described(p)
		}
	}
	return p
}

func bits(depth int) string {
	if depth == 32 {
		return "32 bit float"
	}
	return fmt.Sprintf("%d bit", depth)
}

// wanted is a stream that the spec asks for.
type wanted struct {
	contract.Stream
	groups []*instance
}

// streams gives the streams that a file is to have: in a movie those of the spec, or one for each group; else one.
func (c *checking) streams(one matched) (list []wanted) {
	of := func(groups []contract.Group) (out []*instance) {
		for _, g := range groups {
			if one.slot.many && len(one.file.Streams) > 0 {
				g = g.Wide(one.file.Streams[0].Channels)
			}
			labels, _ := g.Labels()
			i := &instance{Group: g, key: g.ID, labels: labels}
			if one.slot.many {
				i.key += "." + one.found["group"]
				i.Name = one.found["group"]
			}
			out = append(out, i)
		}
		return out
	}
	switch f := one.slot.spec; {
	case len(f.Streams) > 0:
		for _, s := range f.Streams {
			var groups []contract.Group
			for _, g := range one.slot.groups {
				if slices.Contains(s.Of, g.ID) {
					groups = append(groups, g)
				}
			}
			list = append(list, wanted{s, of(groups)})
		}
	case contract.Holds(f.Container).Movie:
		for i, g := range one.slot.groups {
			if g.Optional && len(one.file.Streams) < len(one.slot.groups) {
				continue // it is one of those that are not there
			}
			list = append(list, wanted{contract.Stream{Default: i == 0}, of([]contract.Group{g})})
		}
	default:
		list = append(list, wanted{contract.Stream{}, of(one.slot.groups)})
	}
	return list
}

// channels says what each channel of a stream is; not ok where that can't be told.
func (c *checking) channels(one matched, at int, want wanted, called string) (places []place, ok bool) {
	s := one.file.Streams[at]
	groups := want.groups
	width := func(groups []*instance) (n int) {
		for _, g := range groups {
			n += len(g.labels)
		}
		return n
	}
	if one.slot.label != "" {
		groups = []*instance{want.groups[0]}
		c.compare("channels", one.file.Name, called+"number of channels", s.Channels, 1)
		if s.Channels != 1 {
			return nil, false
		}
		places = []place{{at, 0, groups[0], one.slot.label}}
		c.names(one, at, places, called)
		return places, true
	}
	if s.Channels != width(groups) { // what is optional may not be there
		groups = slices.DeleteFunc(slices.Clone(groups), func(g *instance) bool { return g.Optional })
	}
	if s.Channels != width(groups) {
		c.compare("channels", one.file.Name, called+"number of channels", s.Channels, width(want.groups))
		return nil, false
	}
	c.compare("channels", one.file.Name, called+"number of channels", s.Channels, width(groups))
	for _, g := range groups {
		for _, l := range g.labels {
			places = append(places, place{at, len(places), g, l})
		}
	}
	c.names(one, at, places, called)
	if len(groups) == 1 && len(s.Speakers) > 1 && !groups[0].from(s.Speakers) {
		c.compare("order", one.file.Name, called+"speakers that its mask names", strings.Join(s.Speakers, " "),
			strings.Join(groups[0].labels, " "))
	}
	return places, true
}

// from tells whether the channels of a group are those of speakers, in that order; what stands for no speakers is from any.
func (i *instance) from(speakers []string) bool {
	return slices.Equal(i.labels, speakers) || slices.ContainsFunc(i.labels, func(l string) bool { return layout.Speakers[l].Label == "" })
}

// names holds the names of channels to what they are: their groups, and their labels in order.
func (c *checking) names(one matched, at int, places []place, called string) {
	names := one.file.Streams[at].Names
	if len(names) == 0 {
		return
	}
	var want []string
	if one.slot.many { // what is called after a strand is called so as files are
		names = slices.Clone(names)
		for i := range names {
			names[i] = unravel.FileSafeTo(names[i], 40)
		}
	}
	for _, p := range places {
		name := p.group.Name
		if len(p.group.labels) > 1 {
			name += " " + p.label
		}
		if one.slot.many {
			name = unravel.FileSafeTo(name, 40)
		}
		want = append(want, name)
	}
	rule, message := "names", called+"names of the channels"
	sorted := func(list []string) []string { return slices.Sorted(slices.Values(list)) }
	if !slices.Equal(names, want) && slices.Equal(sorted(names), sorted(want)) {
		rule, message = "order", called+"order of the channels, by their names"
	}
	c.compare(rule, one.file.Name, message, strings.Join(names, ", "), strings.Join(want, ", "))
}

// mostLate is how many seconds a stream may begin beside the picture: containers that count in milliseconds are as exact as that.
const mostLate = 0.0015

// stream holds what a container says of a stream of a movie.
func (c *checking) stream(f File, s Stream, want wanted, called string) {
	holds := contract.Holds(f.Container)
	if !holds.Movie {
		return
	}
	c.note(math.Abs(s.Late) < mostLate, contract.Finding{Rule: "start", File: f.Name, Message: called + "where the sound begins, against the picture",
		Measured: strings.Replace(fmt.Sprintf("%+.1f ms", 1000*s.Late), "-", "−", 1), Limit: "+0.0 ms"})
	var labels, names []string
	language := want.Language
	for _, g := range want.groups {
		labels, names = append(labels, g.labels...), append(names, g.Name)
		if language == "" {
			language = g.Language
		}
	}
	title := want.Title
	if title == "" && len(names) > 0 {
		title = names[0]
	}
	if layout := contract.Standard(labels); layout != "" && layout != "mono" && s.Layout != "" {
		c.compare("order", f.Name, called+"layout", s.Layout, layout)
	}
	if holds.Titles {
		c.compare("names", f.Name, called+"title", s.Title, title)
		c.compare("stream", f.Name, called+"chosen by players", yes(s.Default), yes(want.Default))
	}
	if holds.Languages && language != "" {
		c.compare("language", f.Name, called+"language", s.Language, language)
	}
}

func yes(b bool) string {
	if b {
		return "yes"
	}
	return "no"
}

// picture says whether the picture is there that is asked for, and counts as the spec does.
func (c *checking) picture(f File, want contract.File) {
	if !contract.Holds(want.Container).Movie {
		return
	}
	asked := 0
	if want.Picture == "reference" {
		asked = 1
	}
	c.compare("picture", f.Name, "Number of pictures", f.Pictures, asked)
}

// together holds the files of a range against each other: they begin together, where the spec says, and last as long.
func (c *checking) together(list []*placed) {
	first := map[string]*placed{}
	earliest, begun := "", int64(0)
	start, _ := c.rate.ParseSample(c.spec.Programme.Start, 48000) // where it is not asked for, nobody asks which is the first
	for _, p := range list {
		at, known := c.begins(p.file)
		if other := first[p.span]; other == nil {
			first[p.span] = p
		} else if _, stamped := c.begins(other.file); known && !stamped {
			first[p.span] = p // what has none is held to what has one
		}
		if known {
			moment := c.rate.Near(at.Convert(rateOf(p.file), 48000), int64(start), 48000) // on either side of midnight
			if len(first) == 1 || moment < begun {
				earliest, begun = p.span, moment
			}
		}
	}
	for _, p := range list {
		if c.spec.Programme.Start != "" && contract.Holds(p.slot.spec.Container).Movie && p.slot.spec.Picture != "reference" &&
			p.file.Pictures == 0 && p.file.Timecode == "" {
			c.receipt.Findings = append(c.receipt.Findings, contract.Finding{Rule: "start", Severity: contract.Warning, File: p.file.Name,
				Message: "Where it begins could not be checked: a movie without a picture has no timecode of its own", Measured: "not measured",
				Limit: c.spec.Programme.Start})
		}
		at, stamped := c.begins(p.file)
		other := first[p.span]
		begin, known := c.begins(other.file)
		switch want, asked := c.asked(p.file); {
		case asked && p.span == earliest: // of several ranges the first begins where the spec says
			measured := "none"
			if stamped {
				measured = c.stamp(p.file, at)
			}
			c.compare("start", p.file.Name, "Time stamp of the first sample", measured, c.stamp(p.file, want))
		case other != p && stamped && known:
			want := begin.Convert(rateOf(other.file), rateOf(p.file))
			c.compare("start", p.file.Name, "Time stamp of the first sample, as in "+other.file.Name, c.stamp(p.file, at), c.stamp(p.file, want))
		case other != p && known && contract.Holds(p.file.Container).Stamp:
			c.compare("start", p.file.Name, "Time stamp of the first sample, as in "+other.file.Name, "none", c.stamp(other.file, begin))
		}
	}
}

func rateOf(f File) int {
	if len(f.Streams) == 0 || f.Streams[0].Rate == 0 {
		return 48000
	}
	return f.Streams[0].Rate
}

// begins gives the time stamp of a file's first sample, at its rate.
func (c *checking) begins(f File) (at timecode.Reading, known bool) {
	if f.Start != nil {
		return *f.Start, true
	}
	if f.Timecode == "" {
		return 0, false
	}
	at, err := c.rate.ParseSample(strings.ReplaceAll(f.Timecode, ";", ":"), rateOf(f))
	if err != nil {
		at, err = c.rate.ParseSample(f.Timecode, rateOf(f))
	}
	return at, err == nil
}

// asked gives where the spec has a file begin, at its rate: the programme's start, less handles and leader. A container that
// can't say it is not asked.
func (c *checking) asked(f File) (at timecode.Reading, asked bool) {
	holds := contract.Holds(f.Container)
	if c.spec.Programme.Start == "" || !holds.Stamp && !(holds.Timecode && (f.Pictures > 0 || f.Timecode != "")) {
		return 0, false
	}
	start, err := c.rate.ParseSample(c.spec.Programme.Start, rateOf(f))
	if err != nil {
		return 0, false
	}
	return c.rate.Since(int64(start)-c.around(rateOf(f)).programme, rateOf(f)), true // which may be before midnight
}

// stamp writes a position so that a single sample shows.
func (c *checking) stamp(f File, at timecode.Reading) string {
	if f.Start == nil {
		return c.rate.LabelAt(int64(at), rateOf(f))
	}
	return fmt.Sprintf("%d (%s)", at, c.rate.LabelAt(int64(at), rateOf(f)))
}
