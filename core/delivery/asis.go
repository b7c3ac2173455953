package delivery

import (
	"strings"

	"zestyloom/core/contract"
	"zestyloom/core/layout"
	"zestyloom/core/reel"
)

// AsIsID is that of the spec that AsIs gives; no other has it.
const AsIsID = "as-it-is"

// AsIs is the spec of a reel that is laid out for none: its outputs as they are, a file for each group, or all in one. It asks for
// nothing else.
func AsIs(r *reel.Reel) contract.Spec {
	s := contract.Spec{Version: 2, ID: AsIsID, Title: "The outputs as they are",
		About:     "A file for each output group, or all of them in one file, as the reel has them.",
		Packaging: []contract.Packaging{contract.PerGroup, contract.Interleaved},
		Files: []contract.File{
			{Packaging: contract.PerGroup, Name: "{production}_{reel}_{group}", Each: "group", Container: contract.Wave, Codec: contract.PCM,
				Depth: 24},
			{Packaging: contract.Interleaved, Name: "{production}_{reel}", Container: contract.Wave, Codec: contract.PCM, Depth: 24}}}
	for _, g := range r.GroupList() {
		made := contract.Group{ID: g.ID, Name: g.Name, Tag: g.Tag, Layout: g.Layout, Language: g.Language, From: sourceOf(r, g)}
		if g.Layout == string(layout.Discrete) {
			made.Width = len(g.Labels)
		} else {
			made.Order = strings.Join(g.Labels, ",")
		}
		s.Groups = append(s.Groups, made)
	}
	return s
}

// sourceOf says what feeds a group in the words of a spec; no stems where knots alone do.
func sourceOf(r *reel.Reel, g reel.Group) contract.Source {
	f := g.Feed
	switch {
	case g.Silent:
		return contract.Source{Silence: true}
	case f == nil:
		return contract.Source{Stems: append([]string{}, g.Stems...)}
	}
	switch f.Row {
	case reel.MixRow:
		return contract.Source{Mix: r.Mixes[f.From].Name}
	case reel.StemRow:
		return contract.Source{Stem: f.From}
	case reel.StrandRow:
		stem, strand := reel.StemOf(f.From)
		return contract.Source{Strand: &contract.StemPart{Stem: stem, Strand: strand}}
	case reel.GroupRow:
		m := f.Folding()
		return contract.Source{Fold: &contract.Fold{Of: f.From, Centre: &m.CentreDB, Surround: &m.SurroundDB, Mono: &m.MonoDB, Trim: m.TrimDB,
			LFE: m.LFEDB, Encoded: m.Encoded}}
	default:
		return contract.Source{Track: r.Tracks[f.From].Name}
	}
}

// onReel tells whether a reel's outputs are those of a spec as they stand on it.
func onReel(r *reel.Reel, spec contract.Spec) bool {
	return r.Head.Spec == spec.ID || spec.ID == AsIsID
}
