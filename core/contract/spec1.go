package contract

import (
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"
)

// First is a spec of the first version, which had one form of file for all its groups.
type First struct {
	ID          string               `json:"id"`
	Title       string               `json:"title"`
	Receiver    string               `json:"receiver"`
	About       string               `json:"about"`
	Container   Container            `json:"container"`
	SampleRate  int                  `json:"sampleRate"`
	BitDepth    int                  `json:"bitDepth"`
	Packaging   []Packaging          `json:"packaging"`
	FrameRate   string               `json:"frameRate"`
	Start       string               `json:"start"`
	Naming      map[Packaging]string `json:"naming"`
	TruePeakMax *float64             `json:"truePeakMax"`
	PPMMax      *float64             `json:"ppmMax"`
	Groups      []struct {
		ID       string   `json:"id"`
		Name     string   `json:"name"`
		Tag      string   `json:"tag"`
		Layout   string   `json:"layout"`
		Order    string   `json:"order"`
		Stems    []string `json:"stems"`
		Loudness *struct {
			Target    float64 `json:"target"`
			Tolerance float64 `json:"tolerance"`
		} `json:"loudness"`
	} `json:"groups"`
}

// isFirst tells whether a spec is of the first version, which did not say one.
func isFirst(text []byte) bool {
	var v map[string]any
	if yaml.Unmarshal(text, &v) != nil {
		return false
	}
	_, says := v["spec"]
	return !says && v["packaging"] != nil && v["naming"] != nil
}

// Upgraded says the same in the language of today.
func (f First) Upgraded() Spec {
	s := Spec{Version: 2, ID: f.ID, Title: f.Title, Receiver: f.Receiver, About: f.About, Packaging: f.Packaging,
		Programme: Programme{FrameRate: f.FrameRate, Start: f.Start}}
	for _, g := range f.Groups {
		s.Groups = append(s.Groups, Group{ID: g.ID, Name: g.Name, Tag: g.Tag, Layout: g.Layout, Order: g.Order, From: Source{Stems: g.Stems}})
		if g.Loudness != nil {
			s.Limits = append(s.Limits, Limit{Of: []string{g.ID}, Integrated: &g.Loudness.Target, Tolerance: &g.Loudness.Tolerance})
		}
	}
	if f.TruePeakMax != nil || f.PPMMax != nil {
		s.Limits = append(s.Limits, Limit{TruePeak: f.TruePeakMax, PPMMax: f.PPMMax})
	}
	for _, p := range f.Packaging {
		file := File{Packaging: p, Name: f.Naming[p], Container: f.Container, Rate: f.SampleRate, Depth: f.BitDepth}
		if p == PerGroup {
			file.Each = "group"
		}
		s.Files = append(s.Files, file)
	}
	slices.SortStableFunc(s.Files, func(a, b File) int {
		return slices.Index(f.Packaging, a.Packaging) - slices.Index(f.Packaging, b.Packaging)
	})
	for i := range s.Files {
		s.Files[i].Name = strings.TrimSpace(s.Files[i].Name)
	}
	return s
}
