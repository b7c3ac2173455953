package reel

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"zestyloom/core/fault"
)

// losing refuses what would lose something, with all that would be lost, unless the user has said yes to it.
func losing(yes bool, what string, lost []string) error {
	if yes || len(lost) == 0 {
		return nil
	}
	slices.Sort(lost)
	lost = slices.Compact(lost)
	more := ""
	const most = 8
	if len(lost) > most {
		more, lost = fmt.Sprintf(", and %d more", len(lost)-most), lost[:most]
	}
	return fault.New(fault.Loses, "%s loses %s%s", what, strings.Join(lost, ", "), more)
}

// AddStem makes a stem at the bottom.
type AddStem struct {
	Tag    string   `json:"tag"` // two letters or a few more, by which it is known
	Name   string   `json:"name"`
	Labels []string `json:"labels"`
}

var tagShape = regexp.MustCompile(`^[A-Z][A-Z0-9&]{1,7}$`)

func (c AddStem) Plan(r *Reel, _ Known) (Change, string, error) {
	name := strings.TrimSpace(c.Name)
	if err := checkName(name, "A stem"); err != nil {
		return Change{}, "", err
	}
	if !tagShape.MatchString(c.Tag) {
		return Change{}, "", fault.New(fault.BadInput, "A stem's tag is 2 to 8 capital letters and digits, such as DX")
	}
	if s, there := r.Stems[c.Tag]; there {
		return Change{}, "", fault.New(fault.BadInput, "%s has the tag %s already", s.Name, c.Tag)
	}
	if err := checkLabels(c.Labels); err != nil {
		return Change{}, "", err
	}
	d := newDraft(r)
	order := 0
	for _, s := range r.Stems {
		order = max(order, s.Order)
	}
	d.stems.put(c.Tag, Stem{ID: c.Tag, Name: name, Labels: c.Labels, Order: order + 1})
	return d.finish(), "add the stem " + name, nil
}

// SetStem changes a stem's name or channels. Its knots follow by the labels of the channels; those that can't are lost.
type SetStem struct {
	Stem   string    `json:"stem"`
	Name   *string   `json:"name,omitempty"`
	Labels *[]string `json:"labels,omitempty"`
	Yes    bool      `json:"yes,omitempty"` // it may lose what it must
}

func (c SetStem) Plan(r *Reel, _ Known) (Change, string, error) {
	s, there := r.Stems[c.Stem]
	if !there {
		return Change{}, "", noStem()
	}
	d := newDraft(r)
	if c.Name != nil {
		if s.Name = strings.TrimSpace(*c.Name); s.Name == "" {
			return Change{}, "", fault.New(fault.BadInput, "A stem needs a name of 1 to 100 characters")
		}
	}
	if c.Labels != nil {
		if err := checkLabels(*c.Labels); err != nil {
			return Change{}, "", err
		}
		var lost []string
		for _, k := range r.KnotList() {
			stem, _ := StemOf(k.From)
			if k.Row == StemRow && k.From == s.ID || k.Row == StrandRow && stem == s.ID {
				lost = append(lost, d.rewire(k, s.Labels, *c.Labels)...)
			}
		}
		if err := losing(c.Yes, "Making "+s.Name+" "+plural(len(*c.Labels), "channel")+" wide", lost); err != nil {
			return Change{}, "", err
		}
		s.Labels = *c.Labels
	}
	d.stems.put(s.ID, s)
	return d.finish(), "stem " + s.Name, nil
}

// rewire has a knot follow the label of its channel, and gives the knot in words where there is no such label any more.
func (d *draft) rewire(k Knot, old, labels []string) (lost []string) {
	at := slices.Index(labels, old[k.Channel])
	if at < 0 && len(old) == 1 {
		return d.unknot(k)
	}
	if at == k.Channel {
		return nil
	}
	d.knots.drop(k.ID)
	if at < 0 {
		return []string{d.knotWords(k, old)}
	}
	k.Channel = at
	next := k.Crosspoint.Knot()
	d.knots.put(next.ID, next)
	return nil
}

func (d *draft) unknot(k Knot) []string {
	d.knots.drop(k.ID)
	return []string{d.knotWords(k, d.reel.RowLabels(k.Row, k.From))}
}

func (d *draft) knotWords(k Knot, labels []string) string {
	channel := ""
	if k.Channel < len(labels) && len(labels) > 1 {
		channel = " " + labels[k.Channel]
	}
	return fmt.Sprintf("the knot from %s%s to %s", rowName(d.reel, k.Row, k.From), channel, outputName(d.reel, k.Output))
}

// RemoveStem takes a stem off the reel. Its tracks go to another stem, or feed none.
type RemoveStem struct {
	Stem string `json:"stem"`
	To   string `json:"to,omitempty"` // where its tracks go; empty for none
	Yes  bool   `json:"yes,omitempty"`
}

func (c RemoveStem) Plan(r *Reel, _ Known) (Change, string, error) {
	s, there := r.Stems[c.Stem]
	if !there {
		return Change{}, "", noStem()
	}
	if _, there := r.Stems[c.To]; c.To != "" && (!there || c.To == c.Stem) {
		return Change{}, "", noStem()
	}
	d := newDraft(r)
	d.stems.drop(s.ID)
	var lost []string
	for _, t := range r.Tracks {
		if t.Stem == s.ID {
			if c.To == "" {
				lost = append(lost, "the way of "+t.Name)
			}
			t.Stem, t.Strand = c.To, ""
		}
		if t.Second == s.ID || t.Second == t.Stem || t.Stem == "" {
			t.Second = ""
		}
		d.tracks.put(t.ID, t)
	}
	of := func(row Row, from string) bool {
		stem, _ := StemOf(from)
		return row == StemRow && from == s.ID || row == StrandRow && stem == s.ID
	}
	lost = append(lost, d.without(of)...)
	return d.finish(), "remove the stem " + s.Name, losing(c.Yes, "Removing "+s.Name, lost)
}

// without takes away what refers to rows that go: knots, terms of mixes, feeds of groups. It gives them in words.
func (d *draft) without(gone func(row Row, from string) bool) (lost []string) {
	for _, k := range d.reel.KnotList() {
		if gone(k.Row, k.From) {
			lost = append(lost, d.unknot(k)...)
		}
	}
	for _, m := range d.reel.MixList() {
		kept := slices.DeleteFunc(slices.Clone(m.Terms), func(t Term) bool { return gone(t.Row, t.From) })
		if len(kept) == len(m.Terms) {
			continue
		}
		for _, t := range m.Terms {
			if gone(t.Row, t.From) && !t.Out {
				lost = append(lost, fmt.Sprintf("%s in %s", rowName(d.reel, t.Row, t.From), m.Name))
			}
		}
		m.Terms = kept
		d.mixes.put(m.ID, m)
	}
	return append(lost, d.unfed(gone)...)
}

// unfed leaves output groups without a feed whose row goes, and gives them in words.
func (d *draft) unfed(gone func(row Row, from string) bool) (lost []string) {
	for _, g := range d.reel.GroupList() {
		now, there := d.groups.get(g.ID)
		if there && now.Feed != nil && gone(now.Feed.Row, now.Feed.From) {
			lost = append(lost, fmt.Sprintf("what feeds %s", g.Name))
			now.Feed = nil
			d.groups.put(g.ID, now)
		}
	}
	return lost
}

// Reorder puts stems, mixes or output groups in another order. Those that are not named come after.
type Reorder struct {
	Row Row      `json:"row"` // stem, mix or group
	IDs []string `json:"ids"`
}

func (c Reorder) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	var all []string
	switch c.Row {
	case StemRow:
		for _, s := range r.StemList() {
			all = append(all, s.ID)
		}
	case MixRow:
		for _, m := range r.MixList() {
			all = append(all, m.ID)
		}
	case GroupRow:
		for _, g := range r.GroupList() {
			all = append(all, g.ID)
		}
	default:
		return Change{}, "", fault.New(fault.BadInput, "Stems, mixes and output groups have an order")
	}
	order := slices.Clone(c.IDs)
	for _, id := range all {
		if !slices.Contains(order, id) {
			order = append(order, id)
		}
	}
	for i, id := range order {
		if !slices.Contains(all, id) || slices.Index(order, id) != i {
			return Change{}, "", fault.New(fault.NotFound, "One of these is no longer a %s of the reel, or is named twice", c.Row)
		}
		switch c.Row {
		case StemRow:
			s := r.Stems[id]
			s.Order = i + 1
			d.stems.put(id, s)
		case MixRow:
			m := r.Mixes[id]
			m.Order = i + 1
			d.mixes.put(id, m)
		default:
			g := r.Groups[id]
			g.Order = i + 1
			d.groups.put(id, g)
		}
	}
	return d.finish(), "order of " + string(c.Row) + "s", nil
}
