package delivery

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"zestyloom/core/contract"
	"zestyloom/core/dsp"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
	"zestyloom/core/unravel"
	"zestyloom/core/weave"
)

// laying turns a spec into output groups and mixes of a reel.
type laying struct {
	spec   contract.Spec
	reel   *reel.Reel
	groups []reel.Group
	mixes  []reel.Mix
	lacks  []lack // what the spec asks for and the reel has not
}

// lack is something that a group is to be fed from and that the reel has not.
type lack struct{ group, words string }

// LayOut gives the command that lays the spec's output channels out on a reel and feeds them.
func LayOut(s contract.Spec, r *reel.Reel) (reel.LayOutputs, error) {
	l, err := lay(s, r)
	if err != nil {
		return reel.LayOutputs{}, err
	}
	return reel.LayOutputs{Spec: s.ID, Title: s.Title, Groups: l.groups, Mixes: l.mixes, Knots: weave.GroupKnots(r, l.groups)}, nil
}

func lay(s contract.Spec, r *reel.Reel) (*laying, error) {
	l := &laying{spec: s, reel: r}
	for _, g := range s.Groups {
		labels, err := g.Labels()
		if err != nil {
			return nil, err
		}
		made := reel.Group{ID: g.ID, Name: g.Name, Tag: g.Tag, Layout: g.Layout, Labels: labels, Stems: []string{}, Language: g.Language}
		switch {
		case g.From.Each != nil:
			l.each(g, made)
		case g.From.Stems != nil:
			made.Stems = g.From.Stems
			if len(made.Stems) > 0 && !slices.ContainsFunc(made.Stems, func(stem string) bool { _, there := r.Stems[stem]; return there }) {
				l.lack(g, strings.Join(made.Stems, " and "))
			}
			l.groups = append(l.groups, made)
		case g.From.Silence:
			made.Silent = true
			l.groups = append(l.groups, made)
		default:
			feed, lacks := l.feed(g)
			if lacks != "" {
				if !g.Optional {
					l.lack(g, lacks)
					l.groups = append(l.groups, made)
				}
				continue
			}
			made.Feed = feed
			l.groups = append(l.groups, made)
		}
	}
	l.unfold()
	return l, nil
}

func (l *laying) lack(g contract.Group, what string) {
	l.lacks = append(l.lacks, lack{g.ID, fmt.Sprintf("The spec feeds %s from %s, which this reel does not have", g.Name, what)})
}

// feed finds what feeds a group; lacks says what the reel has not.
func (l *laying) feed(g contract.Group) (feed *reel.Feeder, lacks string) {
	from := g.From
	switch {
	case from.Fold != nil:
		return &reel.Feeder{Row: reel.GroupRow, From: from.Fold.Of, Fold: from.Fold.Levels()}, ""
	case from.Mix != "":
		id := l.mix(from.Mix)
		if id == "" {
			return nil, fmt.Sprintf("the mix %q", from.Mix)
		}
		return l.feeder(g, reel.MixRow, id), ""
	case from.Stem != "":
		if _, there := l.reel.Stems[from.Stem]; !there {
			return nil, from.Stem
		}
		return l.feeder(g, reel.StemRow, from.Stem), ""
	case from.Strand != nil:
		if !slices.Contains(l.reel.StrandList(from.Strand.Stem), from.Strand.Strand) {
			return nil, fmt.Sprintf("the strand %s of %s", from.Strand.Strand, from.Strand.Stem)
		}
		return l.feeder(g, reel.StrandRow, reel.StrandID(from.Strand.Stem, from.Strand.Strand)), ""
	}
	for _, t := range l.reel.TrackList() {
		if strings.EqualFold(t.Name, from.Track) {
			return l.feeder(g, reel.TrackRow, t.ID), ""
		}
	}
	return nil, fmt.Sprintf("the track %q", from.Track)
}

// feeder feeds a group from a row. How a mono is made of a pair is the spec's; that anything is folded is pointed out, until
// somebody says yes.
func (l *laying) feeder(g contract.Group, row reel.Row, id string) *reel.Feeder {
	f := &reel.Feeder{Row: row, From: id}
	if row != reel.MixRow && g.Layout == "mono" {
		usual := mix.Usual()
		if row == reel.StrandRow {
			usual.MonoDB = dsp.DB(math.Sqrt2 / 2) // a voice in the middle of a pair comes back as it was before it was there
		}
		f.Fold = &usual
	}
	return f
}

// each makes a group like one for each strand, stem or track.
func (l *laying) each(g contract.Group, like reel.Group) {
	add := func(row reel.Row, id, name string) {
		made := like
		made.ID = g.ID + "." + strings.ToLower(unravel.FileSafeTo(name, 60))
		for n := 2; slices.ContainsFunc(l.groups, func(x reel.Group) bool { return x.ID == made.ID }); n++ {
			made.ID = fmt.Sprintf("%s.%s-%d", g.ID, strings.ToLower(unravel.FileSafeTo(name, 60)), n)
		}
		as := g.Wide(l.width(row, id))
		made.Layout = as.Layout
		made.Labels, _ = as.Labels() // of a layout that is known
		made.Name, made.Feed = name, l.feeder(as, row, id)
		l.groups = append(l.groups, made)
	}
	found := len(l.groups)
	of := func(stem string) bool { return g.From.Each.Stem == "" || g.From.Each.Stem == stem }
	switch g.From.Each.Row {
	case reel.StemRow:
		for _, s := range l.reel.StemList() {
			if of(s.ID) {
				add(reel.StemRow, s.ID, s.Name)
			}
		}
	case reel.StrandRow:
		for _, s := range l.reel.StemList() {
			for _, strand := range l.reel.StrandList(s.ID) {
				if of(s.ID) && strand != "" {
					add(reel.StrandRow, reel.StrandID(s.ID, strand), strand)
				}
			}
		}
	default:
		for _, t := range l.reel.TrackList() {
			if of(t.Stem) {
				add(reel.TrackRow, t.ID, t.Name)
			}
		}
	}
	if len(l.groups) == found && !g.Optional {
		l.lack(g, fmt.Sprintf("each %s of %s", g.From.Each.Row, g.From.Each.Stem))
	}
}

// width tells how many channels a strand, stem or track wants to be delivered in: one where none of its tracks has sides or is put
// to one, else two.
func (l *laying) width(row reel.Row, id string) int {
	for _, t := range l.reel.Tracks {
		stem, strand := reel.StemOf(id)
		in := t.ID == id
		if row != reel.TrackRow {
			in = t.Stem == stem && (row == reel.StemRow || t.Strand == strand) || row == reel.StemRow && t.Second == stem
		}
		aside := row != reel.TrackRow && (t.Feed.Pan != 0 || t.Moves(reel.PanCurve))
		if in && (len(t.Labels) > 1 || aside) {
			return 2
		}
	}
	return 1
}

// mix finds a mix of the reel, or proposes the spec's.
func (l *laying) mix(id string) string {
	at := slices.IndexFunc(l.spec.Mixes, func(m contract.Mix) bool { return m.ID == id })
	name := id
	if at >= 0 {
		name = l.spec.Mixes[at].Name
	}
	for _, m := range slices.Concat(l.reel.MixList(), l.mixes) {
		if strings.EqualFold(m.Name, name) {
			return m.ID
		}
	}
	if at < 0 {
		return ""
	}
	m := l.spec.Mixes[at]
	made := reel.Mix{ID: "spec-" + m.ID, Name: m.Name, Language: m.Language, Labels: l.widest(m), Rest: len(m.Only) == 0, Terms: []reel.Term{}}
	for _, p := range m.Only {
		made.Terms = l.term(made.Terms, p, false)
	}
	for _, p := range m.Without {
		made.Terms = l.term(made.Terms, p, true)
	}
	l.mixes = append(l.mixes, made)
	return made.ID
}

func (l *laying) term(terms []reel.Term, p contract.StemPart, out bool) []reel.Term {
	if _, there := l.reel.Stems[p.Stem]; !there {
		return terms // what is not there is not in it
	}
	if p.Strand == "" {
		return append(terms, reel.Term{Row: reel.StemRow, From: p.Stem, Out: out})
	}
	return append(terms, reel.Term{Row: reel.StrandRow, From: reel.StrandID(p.Stem, p.Strand), Out: out})
}

// widest gives the channels of a mix: as it says, else those of the widest group that it feeds.
func (l *laying) widest(m contract.Mix) []string {
	if m.Layout != "" {
		if labels, err := (contract.Group{Layout: m.Layout}).Labels(); err == nil {
			return labels
		}
	}
	labels := []string{"L", "R"}
	for _, g := range l.spec.Groups {
		if own, err := (contract.Group{Layout: g.Layout}).Labels(); err == nil && g.From.Mix == m.ID && len(own) > len(labels) {
			labels = own
		}
	}
	return labels
}

// unfold leaves out fold-downs of groups that are not there.
func (l *laying) unfold() {
	there := map[string]bool{}
	for _, g := range l.groups {
		there[g.ID] = true
	}
	for again := true; again; {
		before := len(there)
		maps.DeleteFunc(there, func(id string, _ bool) bool {
			i := slices.IndexFunc(l.groups, func(g reel.Group) bool { return g.ID == id })
			f := l.groups[i].Feed
			return f != nil && f.Row == reel.GroupRow && !there[f.From]
		})
		again = len(there) != before
	}
	l.groups = slices.DeleteFunc(l.groups, func(g reel.Group) bool { return !there[g.ID] })
}
