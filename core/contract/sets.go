package contract

import (
	"slices"
	"strings"

	"zestyloom/core/layout"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
	"zestyloom/core/sums"
)

// Sets gives groups of the spec as sums of stems and strands, as far as the spec's own words tell: a mix is all stems but those
// that it leaves out, and what stems are there is what the spec names and what a production begins with. Stems have no widths in
// a spec, so only groups of the same channels have anything in common, and fold-downs with what they are folded from. What a
// group made of each strand, stem or track is of, nothing tells.
func (s Spec) Sets() (list []sums.Set) {
	parts := s.atoms()
	for _, g := range s.Groups {
		if vectors := s.vectors(g, parts, len(s.Groups)); vectors != nil {
			list = append(list, sums.Set{ID: g.ID, Channels: vectors})
		}
	}
	return list
}

// atoms gives what each stem is made of: the strands of it that the spec names, and the rest.
func (s Spec) atoms() map[string][]string {
	stems := map[string][]string{}
	name := func(p StemPart) {
		if p.Stem == "" {
			return
		}
		if stems[p.Stem] == nil {
			stems[p.Stem] = []string{""}
		}
		if !slices.Contains(stems[p.Stem], p.Strand) {
			stems[p.Stem] = append(stems[p.Stem], p.Strand)
		}
	}
	for _, stem := range reel.DefaultStems() {
		name(StemPart{Stem: stem.ID})
	}
	for _, m := range s.Mixes {
		for _, p := range slices.Concat(m.Only, m.Without) {
			name(p)
		}
	}
	for _, g := range s.Groups {
		name(StemPart{Stem: g.From.Stem})
		for _, stem := range g.From.Stems {
			name(StemPart{Stem: stem})
		}
		if g.From.Strand != nil {
			name(*g.From.Strand)
		}
	}
	return stems
}

// vectors gives the channels of a group; nil where nothing tells. deep is how far folds of folds are followed.
func (s Spec) vectors(g Group, atoms map[string][]string, deep int) []sums.Vector {
	labels, err := g.Labels()
	if err != nil || deep < 0 {
		return nil
	}
	var of []StemPart
	whole := func(stem string) {
		for _, strand := range atoms[stem] {
			of = append(of, StemPart{stem, strand})
		}
	}
	switch from := g.From; {
	case from.Fold != nil:
		return s.folded(*from.Fold, labels, atoms, deep)
	case from.Mix != "":
		at := slices.IndexFunc(s.Mixes, func(m Mix) bool { return m.ID == from.Mix })
		if at < 0 {
			return nil // a mix of the reel, which only the reel knows
		}
		of = s.Mixes[at].parts(atoms)
	case from.Stem != "":
		whole(from.Stem)
	case from.Strand != nil:
		of = []StemPart{*from.Strand}
	case len(from.Stems) > 0: // what is tied by hand alone only the reel knows
		for _, stem := range from.Stems {
			whole(stem)
		}
	default:
		return nil
	}
	sorted := slices.Clone(labels)
	slices.Sort(sorted)
	vectors := make([]sums.Vector, len(labels))
	for i, label := range labels {
		vectors[i] = sums.Vector{}
		for _, p := range of {
			vectors[i][p.Stem+"/"+p.Strand+" "+label+" of "+strings.Join(sorted, " ")] = 1
		}
	}
	return vectors
}

// folded gives the channels of a fold-down of a group.
func (s Spec) folded(f Fold, labels []string, atoms map[string][]string, deep int) []sums.Vector {
	at := slices.IndexFunc(s.Groups, func(g Group) bool { return g.ID == f.Of })
	if at < 0 {
		return nil
	}
	source := s.vectors(s.Groups[at], atoms, deep-1)
	from, err := s.Groups[at].Labels()
	if source == nil || err != nil {
		return nil
	}
	levels := *f.Levels()
	m, _, ok := mix.Carry(layout.Read(from), layout.Read(labels), levels)
	if !ok {
		return nil
	}
	vectors := make([]sums.Vector, len(labels))
	for r := range vectors {
		vectors[r] = sums.Vector{}
		for c, v := range source {
			vectors[r].Add(v, m.At(r, c))
			if levels.Encoded && len(labels) == 2 {
				vectors[r].Add(v.Turned(), levels.Surrounds(layout.Read(from)).At(r, c))
			}
		}
	}
	return vectors
}

// parts gives the stems and strands of a mix.
func (m Mix) parts(atoms map[string][]string) (of []StemPart) {
	takes := func(p StemPart) bool {
		in := len(m.Only) == 0
		for _, o := range m.Only {
			in = in || o.Stem == p.Stem && (o.Strand == "" || o.Strand == p.Strand)
		}
		for _, o := range m.Without {
			in = in && !(o.Stem == p.Stem && (o.Strand == "" || o.Strand == p.Strand))
		}
		return in
	}
	for stem, strands := range atoms {
		for _, strand := range strands {
			if p := (StemPart{stem, strand}); takes(p) {
				of = append(of, p)
			}
		}
	}
	return of
}
