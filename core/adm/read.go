package adm

import (
	"bytes"
	"encoding/binary"
	"encoding/xml"
	"fmt"
	"slices"
	"strings"

	"zestyloom/core/fault"
)

// Read gives the document that chunks describe. A reference that leads nowhere, or a track that is described otherwise in the
// two, is Damaged, and so is what is no description.
func Read(axml, chna []byte) (Document, error) {
	if len(axml) > 16<<20 {
		return Document{}, fault.New(fault.Damaged, "The description is larger than any can be")
	}
	x, err := parse(axml)
	if err != nil {
		return Document{}, err
	}
	tracks, err := table(chna)
	if err != nil {
		return Document{}, err
	}
	r := reader{x: x, tracks: tracks}
	if err := r.resolve(); err != nil {
		return Document{}, err
	}
	return r.document()
}

// parse finds the description, whatever it stands in.
func parse(text []byte) (extended, error) {
	var x extended
	d := xml.NewDecoder(bytes.NewReader(text))
	for {
		t, err := d.Token()
		if err != nil {
			return x, fault.Wrap(fault.Damaged, err, "There is no description in the axml chunk")
		}
		if e, begins := t.(xml.StartElement); begins && e.Name.Local == "audioFormatExtended" {
			if err := d.DecodeElement(&x, &e); err != nil {
				return x, fault.Wrap(fault.Damaged, err, "The description in the axml chunk can't be read")
			}
			return x, nil
		}
	}
}

// row is a line of the chna chunk.
type row struct {
	index            int
	uid, track, pack string
}

func table(chna []byte) (rows []row, err error) {
	if len(chna) < 4 {
		return nil, fault.New(fault.Damaged, "The chna chunk is cut short")
	}
	n := int(binary.LittleEndian.Uint16(chna[2:]))
	if len(chna) < 4+40*n {
		return nil, fault.New(fault.Damaged, "The chna chunk says %d tracks and holds %d", n, (len(chna)-4)/40)
	}
	text := func(b []byte) string { return strings.TrimRight(string(b), "\x00 ") }
	for i := range n {
		b := chna[4+40*i:]
		if index := int(binary.LittleEndian.Uint16(b)); index > 0 {
			rows = append(rows, row{index, text(b[2:14]), text(b[14:28]), text(b[28:39])})
		}
	}
	return rows, nil
}

type reader struct {
	x      extended
	tracks []row
}

// find gives the element of an ID.
func find[T any](list []T, id func(T) string, want string) (T, bool) {
	i := slices.IndexFunc(list, func(x T) bool { return strings.EqualFold(id(x), want) })
	if i < 0 {
		var none T
		return none, false
	}
	return list[i], true
}

func lost(what, id, by string) error {
	return fault.New(fault.Damaged, "%s refers to the %s %s, which is not described", by, what, id)
}

// resolve follows every reference.
func (r reader) resolve() error {
	x := r.x
	for _, p := range x.Programmes {
		for _, id := range p.Contents {
			if _, there := find(x.Contents, func(c content) string { return c.ID }, id); !there {
				return lost("content", id, p.ID)
			}
		}
	}
	for _, c := range x.Contents {
		for _, id := range c.Objects {
			if _, there := find(x.Objects, func(o object) string { return o.ID }, id); !there {
				return lost("object", id, c.ID)
			}
		}
	}
	for _, o := range x.Objects {
		for _, id := range o.Packs {
			if _, there := find(x.Packs, func(p pack) string { return p.ID }, id); !there {
				return lost("pack", id, o.ID)
			}
		}
		for _, id := range o.UIDs {
			if _, there := find(x.UIDs, func(u uid) string { return u.ID }, id); !there {
				return lost("track", id, o.ID)
			}
		}
	}
	for _, p := range x.Packs {
		for _, id := range p.Channels {
			if _, there := find(x.Channels, func(c channel) string { return c.ID }, id); !there {
				return lost("channel", id, p.ID)
			}
		}
	}
	for _, row := range r.tracks {
		u, there := find(x.UIDs, func(u uid) string { return u.ID }, row.uid)
		if !there {
			return lost("track", row.uid, fmt.Sprintf("Track %d of the chna chunk", row.index))
		}
		if !strings.EqualFold(u.Pack, row.pack) || !strings.EqualFold(u.Track, row.track) {
			return fault.New(fault.Damaged, "Track %d is %s of %s in the chna chunk, and %s of %s in the description", row.index, row.track,
				row.pack, u.Track, u.Pack)
		}
		if _, err := r.channel(u.Track); err != nil {
			return err
		}
	}
	return nil
}

// channel finds the channel that a track carries, by way of its stream.
func (r reader) channel(trackID string) (channel, error) {
	t, there := find(r.x.Tracks, func(t track) string { return t.ID }, trackID)
	if !there {
		return channel{}, lost("track format", trackID, "A track")
	}
	s, there := find(r.x.Streams, func(s stream) string { return s.ID }, t.Stream)
	if !there {
		return channel{}, lost("stream", t.Stream, t.ID)
	}
	c, there := find(r.x.Channels, func(c channel) string { return c.ID }, s.Channel)
	if !there {
		return channel{}, lost("channel", s.Channel, s.ID)
	}
	return c, nil
}

// document puts the objects together, in the order of the contents.
func (r reader) document() (d Document, err error) {
	if len(r.x.Programmes) > 0 {
		d.Programme, d.Language = r.x.Programmes[0].Name, r.x.Programmes[0].Language
		d.Seconds = seconds(r.x.Programmes[0].End)
	}
	places := map[string][]int{} // of the objects of each content
	for _, c := range r.x.Contents {
		for _, id := range c.Objects {
			o, _ := find(r.x.Objects, func(o object) string { return o.ID }, id)
			made := Object{Name: o.Name, Language: c.Language, From: seconds(o.Start), Lasts: seconds(o.Duration)}
			places[strings.ToUpper(c.ID)] = append(places[strings.ToUpper(c.ID)], len(d.Objects))
			if c.Dialogue != nil {
				made.Dialogue = *c.Dialogue
			}
			for _, u := range o.UIDs {
				found, err := r.carried(u)
				if err != nil {
					return d, err
				}
				made.Channels = append(made.Channels, found...)
			}
			d.Objects = append(d.Objects, made)
		}
	}
	for _, p := range r.x.Programmes {
		made := Programme{Name: p.Name, Language: p.Language}
		for _, id := range p.Contents {
			made.Objects = append(made.Objects, places[strings.ToUpper(id)]...)
		}
		d.Programmes = append(d.Programmes, made)
	}
	if len(d.Programmes) == 1 && len(d.Programmes[0].Objects) == len(d.Objects) {
		d.Programmes = nil
	}
	return d, nil
}

// carried gives the channels of the file that carry a track of the description.
func (r reader) carried(id string) (list []Channel, err error) {
	u, _ := find(r.x.UIDs, func(u uid) string { return u.ID }, id)
	c, err := r.channel(u.Track)
	if err != nil {
		return nil, err
	}
	for _, row := range r.tracks {
		if !strings.EqualFold(row.uid, id) {
			continue
		}
		ch := Channel{Track: row.index, LFE: c.Frequency != nil && c.Frequency.Type == "lowPass"}
		if len(c.Blocks) > 0 {
			b := c.Blocks[0]
			ch.Label, ch.Norm = b.Speaker, b.Norm
			if b.Order != nil && b.Degree != nil {
				ch.Order, ch.Degree = *b.Order, *b.Degree
				if ch.Norm == "" {
					ch.Norm = "SN3D" // where none is said (BS.2076)
				}
				ch.Label = fmt.Sprintf("ACN%d", ch.Order*ch.Order+ch.Order+ch.Degree)
			}
			for _, p := range b.Positions {
				switch p.Coordinate {
				case "azimuth":
					ch.Azimuth = p.Value
				case "elevation":
					ch.Elevation = p.Value
				}
			}
		}
		list = append(list, ch)
	}
	return list, nil
}

func seconds(text string) float64 {
	var h, m int
	var s float64
	if n, _ := fmt.Sscanf(text, "%d:%d:%f", &h, &m, &s); n != 3 {
		return 0
	}
	return float64(h*3600+m*60) + s
}
