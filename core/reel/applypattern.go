package reel

import (
	"slices"

	"zestyloom/core/chain"
	"zestyloom/core/timecode"
)

// Begin makes a new reel as a pattern has it. A pattern that breaks a rule of reels is BadInput or Stale.
func (p Pattern) Begin(name string, sampleRate int, rate timecode.Rate, start int64) (*Reel, error) {
	r := New(name, sampleRate, rate, start, nil)
	change, _, err := ApplyPattern{Pattern: p, Tracks: true}.Plan(r, nil)
	if err != nil {
		return nil, err
	}
	return r, r.Apply(change)
}

// ApplyPattern makes a reel as a pattern has it. Objects that are the same by name or meaning become as the pattern's, what the
// reel lacks is made, and what the pattern has nothing like stays, unless it is named to go. Between the stems, mixes and
// groups that are in the pattern its knots hold alone; what is laid and done on tracks stays.
type ApplyPattern struct {
	Pattern Pattern
	Tracks  bool   // tracks that the reel lacks are made too
	Remove  []Left // what is left of the reel and is to go
	Yes     bool   // it may lose what it must
}

// Left is an object of the reel that a pattern has nothing like.
type Left struct {
	Row Row    `json:"row"`
	ID  string `json:"id"`
}

func (c ApplyPattern) Plan(r *Reel, known Known) (Change, string, error) {
	if err := c.Pattern.Check(); err != nil {
		return Change{}, "", err
	}
	commands := []func(*Reel) (Command, error){func(*Reel) (Command, error) { return onlyPattern{c}, nil }}
	then := func(command Command) {
		commands = append(commands, func(*Reel) (Command, error) { return command, nil })
	}
	gone := map[Row][]string{}
	for _, l := range c.Remove {
		gone[l.Row] = append(gone[l.Row], l.ID)
	}
	if ids := gone[TrackRow]; len(ids) > 0 {
		then(RemoveTracks{Tracks: ids, Yes: true})
	}
	if ids := gone[GroupRow]; len(ids) > 0 {
		then(RemoveGroups{Groups: ids, Yes: true})
	}
	if ids := gone[MixRow]; len(ids) > 0 {
		then(RemoveMixes{Mixes: ids, Yes: true})
	}
	for _, id := range gone[StemRow] {
		then(RemoveStem{Stem: id, Yes: true})
	}
	return Sequence{Name: "apply the pattern " + c.Pattern.Name, Commands: commands}.Plan(r, known)
}

// onlyPattern applies a pattern and lets what is left of the reel be.
type onlyPattern struct{ ApplyPattern }

func (c onlyPattern) Plan(r *Reel, _ Known) (Change, string, error) {
	p := c.Pattern
	a := applying{draft: newDraft(r), pattern: p, to: p.match(r), labels: map[Row]map[string][]string{StemRow: {}, MixRow: {}, TrackRow: {}}}
	// What a pattern leaves out, a reel keeps.
	if p.Spec != "" {
		a.head.Spec = p.Spec
	}
	if p.PanLaw != 0 {
		a.head.PanLaw = p.PanLaw
	}
	if len(p.Speakers) > 0 {
		a.head.Angles = p.Speakers
	}
	a.stems()
	a.tracks(c.Tracks)
	a.mixes()
	a.groups()
	a.knots()
	a.lost = append(a.lost, a.followGroups()...)
	if err := a.chains(); err != nil {
		return Change{}, "", err
	}
	return a.finish(), "", losing(c.Yes, "Applying "+p.Name, a.lost)
}

// applying is a pattern on its way onto a reel.
type applying struct {
	*draft
	pattern Pattern
	to      renaming                    // the pattern's objects to the reel's
	labels  map[Row]map[string][]string // of the reel's rows, where they become others
	lost    []string
}

// make gives an object of the pattern a place on the reel: its own ID where that is free.
func (a *applying) make(row Row, id, prefix string, taken bool) string {
	if taken || madeID.MatchString(id) {
		id = a.id(prefix)
	}
	return id
}

func (a *applying) stems() {
	for i, s := range a.pattern.Stems {
		id := a.to.of(StemRow, s.ID)
		if id == "" {
			id = s.ID // its tag, which no stem has, else it would be that one
			a.to.put(StemRow, s.ID, id)
		}
		a.labels[StemRow][id] = s.Labels
		a.draft.stems.put(id, Stem{ID: id, Name: s.Name, Labels: s.Labels, Order: i + 1})
	}
	n := len(a.pattern.Stems)
	for _, s := range a.reel.StemList() {
		if !a.to.taken(StemRow, s.ID) {
			n++
			s.Order = n
			a.draft.stems.put(s.ID, s)
		}
	}
}

// tracks has tracks go where the pattern's go. Those that it has and the reel lacks are made at the bottom.
func (a *applying) tracks(fresh bool) {
	order := lastOrder(a.reel)
	for _, t := range a.pattern.Tracks {
		id := a.to.of(TrackRow, t.ID)
		to, there := a.reel.Tracks[id]
		if !there {
			if !fresh {
				continue
			}
			_, taken := a.draft.tracks.get(t.ID)
			id, order = a.make(TrackRow, t.ID, "t", taken), order+1
			a.to.put(TrackRow, t.ID, id)
			to = Track{ID: id, Name: t.Name, Labels: t.Labels, Order: order, Folder: t.Folder, Height: t.Height}
		}
		to.Stem, to.Second, to.Strand, to.Suggested, to.Feed = a.to.of(StemRow, t.Stem), a.to.of(StemRow, t.Second), t.Strand, false, t.Feed
		if to.Stem == "" {
			to.Second = ""
		}
		a.draft.tracks.put(id, to)
	}
}

func (a *applying) mixes() {
	for _, m := range a.pattern.Mixes {
		if a.to.of(MixRow, m.ID) == "" {
			_, taken := a.reel.Mixes[m.ID]
			a.to.put(MixRow, m.ID, a.make(MixRow, m.ID, "x", taken))
		}
	}
	for i, m := range a.pattern.Mixes {
		id := a.to.of(MixRow, m.ID)
		a.labels[MixRow][id] = m.Labels
		a.draft.mixes.put(id, Mix{ID: id, Name: m.Name, Language: m.Language, Labels: m.Labels, Rest: m.Rest, Terms: a.to.terms(m.Terms),
			Folds: m.Folds, Order: i + 1})
	}
	n := len(a.pattern.Mixes)
	for _, m := range a.reel.MixList() {
		if !a.to.taken(MixRow, m.ID) {
			n++
			m.Order = n
			a.draft.mixes.put(m.ID, m)
		}
	}
}

func (a *applying) groups() {
	for _, g := range a.pattern.Groups {
		if a.to.of(GroupRow, g.ID) == "" {
			_, taken := a.reel.Groups[g.ID]
			a.to.put(GroupRow, g.ID, a.make(GroupRow, g.ID, "g", taken))
		}
	}
	for i, g := range a.pattern.Groups {
		id := a.to.of(GroupRow, g.ID)
		a.draft.groups.put(id, Group{ID: id, Name: g.Name, Tag: g.Tag, Layout: g.Layout, Labels: g.Labels,
			Stems: append([]string{}, a.to.stems(g.Stems)...), Own: g.Own, Feed: a.to.feed(g.Feed), Asked: g.Asked, Silent: g.Silent,
			Language: g.Language, Folds: g.Folds, Order: i + 1})
	}
	n := len(a.pattern.Groups)
	for _, g := range a.reel.GroupList() {
		if a.to.taken(GroupRow, g.ID) {
			continue
		}
		n++
		g.Order = n
		a.draft.groups.put(g.ID, g)
	}
}

// knots keeps the knots that the pattern has nothing to say of, by the labels of their channels, and ties the pattern's.
func (a *applying) knots() {
	said := map[string]bool{} // tracks that the pattern has knots of
	for _, k := range a.pattern.Knots {
		if k.Row == TrackRow {
			said[a.to.of(TrackRow, k.From)] = true
		}
	}
	for _, k := range a.reel.KnotList() {
		o, _ := a.reel.Output(k.Output)
		ours := a.to.taken(GroupRow, o.Group)
		known := k.Row == TrackRow && said[k.From] || k.Row == StemRow && a.to.taken(StemRow, k.From) || k.Row == MixRow &&
			a.to.taken(MixRow, k.From) || k.Row == StrandRow && a.to.taken(StemRow, first(StemOf(k.From)))
		if ours && known {
			a.draft.knots.drop(k.ID)
			continue
		}
		if g, _ := a.draft.groups.get(o.Group); !slices.Contains(g.Labels, o.Label) {
			a.lost = append(a.lost, a.unknot(k)...)
			continue
		}
		row, id := k.Row, k.From
		if row == StrandRow {
			row, id = StemRow, first(StemOf(id))
		}
		if labels, becomes := a.labels[row][id]; becomes {
			a.lost = append(a.lost, a.rewire(k, a.reel.RowLabels(k.Row, k.From), labels)...)
		}
	}
	for _, k := range a.pattern.Knots {
		group, label := outputParts(a.pattern, k.Output)
		k.From, k.Output = a.to.of(k.Row, k.From), OutputID(a.to.of(GroupRow, group), label)
		if k.From == "" {
			continue // of a track that is not made
		}
		knot := k.Knot()
		knot.Curve = a.reel.Knots[knot.ID].Curve // of the sound that lies here
		a.draft.knots.put(knot.ID, knot)
	}
}

// chains has rows go through what they go through in the pattern; curves stay that are of the same parameter of the same step. What would be
// driven by a row that it reaches on this reel is off.
func (a *applying) chains() error {
	for _, c := range a.pattern.Chains {
		from := a.to.of(c.Row, c.From)
		if from == "" {
			continue // of a track that is not made
		}
		now, _ := a.draft.chains.get(ChainID(c.Row, from))
		steps := a.to.steps(c.Steps)
		for i, s := range steps {
			if k := slices.IndexFunc(now.Steps, func(x chain.Step) bool { return x.ID == s.ID && sameStep(x, s) }); k >= 0 {
				steps[i] = now.Steps[k] // with where it has learnt what it knows
			}
		}
		now.ID, now.Row, now.From, now.Steps, now.Off = ChainID(c.Row, from), c.Row, from, steps, c.Off
		now.Curves = curvesOf(now)
		a.draft.chains.put(now.ID, now)
	}
	made := a.reel.Clone()
	if err := made.Replay(a.finish()); err != nil {
		return err
	}
	for _, c := range a.pattern.Chains {
		now, there := made.Chains[ChainID(c.Row, a.to.of(c.Row, c.From))]
		if !there {
			continue
		}
		for i, s := range now.Steps {
			if s.Key != nil && made.drives(rowOf{now.Row, now.From}, rowOf{Row(s.Key.Row), s.Key.From}, map[rowOf]bool{}) {
				now.Steps = slices.Clone(now.Steps)
				now.Steps[i].Key, now.Steps[i].Off = nil, true
				made.Chains[now.ID] = now
				a.draft.chains.put(now.ID, now)
			}
		}
	}
	return nil
}

// outputParts gives the group and the label of an output of a pattern.
func outputParts(p Pattern, output string) (group, label string) {
	for _, g := range p.Groups {
		for _, l := range g.Labels {
			if OutputID(g.ID, l) == output {
				return g.ID, l
			}
		}
	}
	return "", ""
}
