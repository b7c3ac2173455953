package desk

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"zestyloom/core/adm"
	"zestyloom/core/contract"
	"zestyloom/core/layout"
)

// described holds a description after BS.2076 against what the spec says that the channels are, field by field.
func (c *checking) described(p *placed) {
	d, file := *p.file.ADM, p.file.Name
	wrong := func(format string, args ...any) {
		c.note(false, contract.Finding{Rule: "adm", File: file, Message: "The description after BS.2076: " + fmt.Sprintf(format, args...)})
	}
	objects := map[string]int{} // of groups
	for _, at := range p.channels {
		object, ch, found := carrying(d, at.channel+1)
		if !found {
			wrong("nothing is said of channel %d, %s %s", at.channel+1, at.group.Name, at.label)
			continue
		}
		if first, known := objects[at.group.key]; known && first != object {
			wrong("the channels of %s are in several objects", at.group.Name)
		}
		objects[at.group.key] = object
		for _, fault := range saidOf(at, ch) {
			wrong("channel %d, %s %s, is %s", at.channel+1, at.group.Name, at.label, fault)
		}
	}
	length := float64(p.file.Streams[0].Frames) / float64(rateOf(p.file))
	if d.Seconds > 0 && math.Abs(d.Seconds-length) > 0.002 {
		wrong("the programme lasts %.3f s, and the file %.3f", d.Seconds, length)
	}
	for _, at := range p.channels {
		object, there := objects[at.group.key]
		if !there {
			continue
		}
		delete(objects, at.group.key) // once for each
		c.object(d, object, at.group, length, wrong)
	}
}

// object holds an object against the group that it is.
func (c *checking) object(d adm.Document, at int, g *instance, length float64, wrong func(string, ...any)) {
	o := d.Objects[at]
	if o.Name != g.Name {
		wrong("%s is called %q", g.Name, o.Name)
	}
	if g.Language != "" && o.Language != g.Language {
		wrong("the language of %s is %q, and should be %q", g.Name, o.Language, g.Language)
	}
	if o.From > 0.002 || o.Lasts > 0 && o.From+o.Lasts < length-0.002 {
		wrong("%s is heard from %.3f s for %.3f s, and the file lasts %.3f", g.Name, o.From, o.Lasts, length)
	}
	if len(o.Channels) != len(g.labels) {
		wrong("%s has %d channels, and should have %d", g.Name, len(o.Channels), len(g.labels))
	}
	if d.Programmes != nil && !slices.ContainsFunc(d.Programmes, func(p adm.Programme) bool { return slices.Contains(p.Objects, at) }) {
		wrong("%s is in no programme, so that nobody hears it", g.Name)
	}
}

// carrying finds what a description says of a channel of the file, from 1.
func carrying(d adm.Document, track int) (object int, ch adm.Channel, found bool) {
	for i, o := range d.Objects {
		for _, c := range o.Channels {
			if c.Track == track {
				return i, c, true
			}
		}
	}
	return 0, ch, false
}

// astray is by how many degrees a speaker may stand elsewhere than its label says: layouts of the standard leave that much.
const astray = 20

// saidOf gives what a description says of a channel that is not so.
func saidOf(at place, ch adm.Channel) (wrong []string) {
	format := layout.Read(at.group.labels)
	if format.Kind == layout.Field {
		i := slices.Index(format.Labels, at.label)
		acn := format.ACN[i]
		if ch.Norm == "" || ch.Order*ch.Order+ch.Order+ch.Degree != acn {
			return []string{fmt.Sprintf("no component %d of a sound field there", acn)}
		}
		if !strings.EqualFold(ch.Norm, string(format.Norm)) {
			return []string{"scaled by " + ch.Norm + " there"}
		}
		return nil
	}
	s := format.Speakers()[slices.Index(format.Labels, at.label)]
	if ch.Norm != "" {
		return []string{"a component of a sound field there"}
	}
	if s.Label == "" || at.label == "M" {
		return nil // it has no place that could be another
	}
	if s.LFE != ch.LFE {
		wrong = append(wrong, map[bool]string{true: "no LFE there: its low-pass is missing", false: "an LFE there"}[s.LFE])
	}
	if turn := math.Abs(math.Remainder(ch.Azimuth-s.Azimuth, 360)); !s.LFE && (turn > astray || math.Abs(ch.Elevation-s.Elevation) > astray) {
		wrong = append(wrong, fmt.Sprintf("at %.0f° and %.0f° up there, and should be at %.0f° and %.0f°", ch.Azimuth, ch.Elevation, s.Azimuth,
			s.Elevation))
	}
	if label, known := layout.Label(ch.Label); known && label != at.label {
		wrong = append(wrong, "called "+ch.Label+" there")
	}
	return wrong
}
