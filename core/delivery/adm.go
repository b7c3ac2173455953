package delivery

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"zestyloom/core/adm"
	"zestyloom/core/layout"
	"zestyloom/core/reel"
	"zestyloom/core/wave"
	"zestyloom/core/weave"
)

// describe gives the chunks that say what is in a file after ITU-R BS.2076: an object for each group.
func describe(p Plan, f PlannedFile, r *reel.Reel) ([]wave.RawChunk, error) {
	axml, chna, err := adm.Write(p.document(f, r), f.Rate, f.Depth)
	if err != nil {
		return nil, err
	}
	return []wave.RawChunk{{ID: "chna", Body: chna}, {ID: "axml", Body: axml}}, nil
}

// document describes a file.
func (p Plan) document(f PlannedFile, r *reel.Reel) adm.Document {
	d := adm.Document{Programme: f.ADM, Seconds: float64(f.Frames) / float64(f.Rate)}
	span := p.Ranges[f.Range]
	received := weave.Judge(r, reel.Span{From: span.From, To: span.To})
	for _, id := range f.Groups {
		g := r.Groups[id]
		o := adm.Object{Name: g.Name, Language: g.Language, Dialogue: spoken(received, id)}
		if d.Language == "" {
			d.Language = g.Language
		}
		format := layout.Read(g.Labels).In(r.Head.Angles)
		for i, c := range f.Channels {
			if c.Group == id {
				o.Channels = append(o.Channels, component(format, c.Label, i+1))
			}
		}
		d.Objects = append(d.Objects, o)
	}
	d.Programmes = programmes(received, f, d)
	return d
}

// programmes says which groups of a file sound together: those that have nothing in common, such as a sound field and what is heard
// over it. What has the same source as another, such as a mix and its fold-down, is a programme of its own.
func programmes(v weave.Verdict, f PlannedFile, d adm.Document) (list []adm.Programme) {
	sources := make([]map[string]bool, len(f.Groups))
	for i, id := range f.Groups {
		sources[i] = map[string]bool{}
		for _, o := range v.Outputs {
			if o.Group == id {
				for _, a := range o.Arrivals {
					sources[i][fmt.Sprint(a.Clip.ID, a.Channel)] = true
				}
			}
		}
	}
	var in []map[string]bool // sources of each programme
	for i, of := range sources {
		at := slices.IndexFunc(in, func(has map[string]bool) bool {
			return len(of) > 0 && !slices.ContainsFunc(slices.Collect(maps.Keys(of)), func(s string) bool { return has[s] })
		})
		if at < 0 {
			at = len(in)
			in, list = append(in, map[string]bool{}), append(list, adm.Programme{Language: d.Objects[i].Language})
		}
		maps.Copy(in[at], of)
		list[at].Objects = append(list[at].Objects, i)
	}
	if len(list) == 1 {
		return nil
	}
	for i := range list {
		var names []string
		for _, at := range list[i].Objects {
			names = append(names, d.Objects[at].Name)
		}
		if list[i].Name = d.Programme; i > 0 {
			list[i].Name += ": " + strings.Join(names, ", ")
		}
	}
	return list
}

// spoken says how a group is described, by what arrives there: as dialogue where dialogue and narration alone do, as mixed where
// others do as well, else as without dialogue.
func spoken(v weave.Verdict, group string) (dialogue int) {
	voices, others := false, false
	for _, o := range v.Outputs {
		if o.Group != group {
			continue
		}
		for _, stem := range o.Stems() {
			if stem == "DX" || stem == "NX" {
				voices = true
			} else {
				others = true
			}
		}
	}
	switch {
	case voices && others:
		return 2
	case voices:
		return 1
	}
	return 0
}

// component is a channel of a format: a speaker where it stands, or a component of a sound field.
func component(format layout.Format, label string, track int) adm.Channel {
	c := adm.Channel{Track: track, Label: label}
	if format.Kind == layout.Field {
		for i, l := range format.Labels {
			if l == label {
				acn := format.ACN[i]
				c.Order = int(math.Sqrt(float64(acn)))
				c.Degree = acn - c.Order*c.Order - c.Order
			}
		}
		c.Norm = string(format.Norm)
		return c
	}
	for _, s := range format.Speakers() {
		if s.Label == label {
			c.Azimuth, c.Elevation, c.LFE = s.Azimuth, s.Elevation, s.LFE
		}
	}
	return c
}
