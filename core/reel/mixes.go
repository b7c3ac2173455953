package reel

import (
	"cmp"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"unicode"

	"zestyloom/core/fault"
	"zestyloom/core/layout"
)

// Takes tells whether a strand of a stem is in the mix: by its own term, else by that of its stem, else with the rest.
func (m Mix) Takes(stem, strand string) bool {
	in := m.Rest
	for _, t := range m.Terms {
		switch {
		case t.Row == StrandRow && t.From == StrandID(stem, strand):
			return !t.Out
		case t.Row == StemRow && t.From == stem:
			in = !t.Out
		}
	}
	return in
}

// SetMix makes a mix, or changes one.
type SetMix struct {
	ID       string   `json:"id,omitempty"` // empty for a new one
	Name     string   `json:"name"`
	Language string   `json:"language,omitempty"`
	Labels   []string `json:"labels"`
	Rest     bool     `json:"rest,omitempty"` // every stem that no term names
	Terms    []Term   `json:"terms,omitempty"`
	Folds    *bool    `json:"folds,omitempty"` // whether somebody has said yes to what it has too few channels for; nil where that stays
	Yes      bool     `json:"yes,omitempty"`
}

func (c SetMix) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	m := r.Mixes[c.ID] // what the command has no word for stays
	m.ID, m.Name, m.Language, m.Labels, m.Rest = c.ID, strings.TrimSpace(c.Name), strings.TrimSpace(c.Language), c.Labels, c.Rest
	if m.Terms = c.Terms; m.Terms == nil {
		m.Terms = []Term{}
	}
	if c.Folds != nil {
		m.Folds = *c.Folds
	}
	if err := checkName(m.Name, "A mix"); err != nil {
		return Change{}, "", err
	}
	if err := checkLabels(c.Labels); err != nil {
		return Change{}, "", err
	}
	for _, other := range r.Mixes {
		if other.ID != c.ID && strings.EqualFold(other.Name, m.Name) {
			return Change{}, "", fault.New(fault.BadInput, "There is a mix called %s already", other.Name)
		}
		if c.ID == "" {
			m.Order = max(m.Order, other.Order+1)
		}
	}
	var lost []string
	if c.ID == "" {
		m.ID = d.id("mix")
	} else {
		old, there := r.Mixes[c.ID]
		if !there {
			return Change{}, "", fault.New(fault.NotFound, "This mix is no longer on the reel")
		}
		for _, k := range r.KnotList() {
			if k.Row == MixRow && k.From == m.ID {
				lost = append(lost, d.rewire(k, old.Labels, m.Labels)...)
			}
		}
	}
	d.mixes.put(m.ID, m)
	return d.finish(), "mix " + m.Name, losing(c.Yes, "Making "+m.Name+" "+plural(len(m.Labels), "channel")+" wide", lost)
}

// RemoveMixes takes mixes off the reel.
type RemoveMixes struct {
	Mixes []string `json:"mixes"`
	Yes   bool     `json:"yes,omitempty"`
}

func (c RemoveMixes) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	var names []string
	gone := map[string]bool{}
	for _, id := range c.Mixes {
		m, there := r.Mixes[id]
		if !there {
			return Change{}, "", fault.New(fault.NotFound, "This mix is no longer on the reel")
		}
		names, gone[id] = append(names, m.Name), true
		d.mixes.drop(id)
	}
	lost := d.without(func(row Row, from string) bool { return row == MixRow && gone[from] })
	what := strings.Join(names, ", ")
	return d.finish(), "remove the mix " + what, losing(c.Yes, "Removing "+what, lost)
}

// SetGroup makes an output group, or changes one. Knots follow by the labels of its channels.
type SetGroup struct {
	ID       string  `json:"id,omitempty"` // empty for a new one
	Name     string  `json:"name"`
	Tag      string  `json:"tag,omitempty"`
	Layout   string  `json:"layout"`             // mono, dual mono, stereo, lcr, 5.0, 5.1, 7.1, 5.1.4, 7.1.4, foa, hoa2, hoa3 or discrete
	Order    string  `json:"order,omitempty"`    // smpte, film, or labels written out
	Width    int     `json:"width,omitempty"`    // channels of a discrete group
	Feed     *Feeder `json:"feed,omitempty"`     // what feeds all of it; nil for knots alone
	Language *string `json:"language,omitempty"` // of what is spoken in it, as ISO 639-2 writes it; nil where that stays
	Folds    *bool   `json:"folds,omitempty"`    // whether somebody has said yes to what it has too few channels for; nil where that stays
	Yes      bool    `json:"yes,omitempty"`
}

func (c SetGroup) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	g := r.Groups[c.ID] // what the command has no word for stays
	g.ID, g.Name, g.Tag, g.Layout, g.Feed = c.ID, strings.TrimSpace(c.Name), strings.TrimSpace(c.Tag), c.Layout, c.Feed
	g.Silent = g.Silent && g.Feed == nil
	if old := r.Groups[c.ID]; !reflect.DeepEqual(old.Feed, c.Feed) {
		g.Folds = c.Feed != nil && c.Feed.Fold != nil // who says how it is folded says that it is
	}
	if g.Stems == nil {
		g.Stems = []string{}
	}
	if c.Folds != nil {
		g.Folds = *c.Folds
	}
	if c.Language != nil {
		g.Language = *c.Language
	}
	if err := checkName(g.Name, "An output group"); err != nil {
		return Change{}, "", err
	}
	var err error
	if g.Labels, err = groupLabels(c.Layout, c.Order, c.Width); err != nil {
		return Change{}, "", err
	}
	var lost []string
	if c.ID == "" {
		g.ID, g.Own = d.id("g"), true
		for _, other := range r.Groups {
			g.Order = max(g.Order, other.Order)
		}
		g.Order++
	} else {
		old, there := r.Groups[c.ID]
		if !there {
			return Change{}, "", fault.New(fault.NotFound, "This output group is no longer on the reel")
		}
		g.Asked = asked(old, g)
		next := *r
		next.Groups = map[string]Group{g.ID: g}
		for _, k := range r.KnotList() {
			was, _ := r.Output(k.Output)
			if _, stays := next.Output(k.Output); was.Group == g.ID && !stays {
				lost = append(lost, d.unknot(k)...)
			}
		}
	}
	if g.Tag == "" {
		g.Tag = r.freeTag(g)
	}
	d.groups.put(g.ID, g)
	lost = append(lost, d.followGroups()...)
	return d.finish(), "output group " + g.Name, losing(c.Yes, "Laying "+g.Name+" out as "+c.Layout, lost)
}

// asked gives the order that a group's spec asks for, where the group as it becomes has another.
func asked(old, g Group) []string {
	want := old.Asked
	if len(want) == 0 && !old.Own {
		want = old.Labels
	}
	if slices.Equal(want, g.Labels) || !layout.SameChannels(want, g.Labels) {
		return nil
	}
	return want
}

// freeTag makes a tag of a group's name that no other has, since files are called by it.
func (r *Reel) freeTag(g Group) string {
	word := strings.Map(func(c rune) rune {
		if c = unicode.ToUpper(c); c < 128 && (unicode.IsLetter(c) || unicode.IsDigit(c) || c == '&') {
			return c
		}
		return -1
	}, g.Name)
	word = cmp.Or(word[:min(8, len(word))], "OUT")
	for tag, n := word, 2; ; tag, n = fmt.Sprint(word, n), n+1 {
		taken := false
		for _, other := range r.Groups {
			taken = taken || other.ID != g.ID && strings.EqualFold(other.Tag, tag)
		}
		if !taken {
			return tag
		}
	}
}

// groupLabels gives the labels of an output group. Dual mono is two channels with the same in both.
func groupLabels(name, order string, width int) ([]string, error) {
	if name == DualMono {
		return []string{"M1", "M2"}, nil
	}
	l, err := layout.New(layout.Name(name), order, width)
	return l.Labels, err
}

// DualMono is the layout of an output group of two channels that carry the same.
const DualMono = "dual mono"

// RemoveGroups takes output groups off the reel with the knots to them.
type RemoveGroups struct {
	Groups []string `json:"groups"`
	Yes    bool     `json:"yes,omitempty"`
}

func (c RemoveGroups) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	var names []string
	gone := map[string]bool{}
	for _, id := range c.Groups {
		g, there := r.Groups[id]
		if !there {
			return Change{}, "", fault.New(fault.NotFound, "This output group is no longer on the reel")
		}
		names, gone[id] = append(names, g.Name), true
		d.groups.drop(id)
	}
	for _, k := range r.Knots {
		if o, _ := r.Output(k.Output); gone[o.Group] {
			d.knots.drop(k.ID) // which go with the group, as everybody expects
		}
	}
	lost := d.without(func(row Row, from string) bool { return row == GroupRow && gone[from] })
	what := strings.Join(names, ", ")
	return d.finish(), "remove the output group " + what, losing(c.Yes, "Removing "+what, lost)
}
