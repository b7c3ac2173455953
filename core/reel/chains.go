package reel

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"zestyloom/core/chain"
	"zestyloom/core/fault"
)

// Chain is what is done to the sound of a row, before its level: processors, one after another. On a track it works before the track's gain and
// curves, on any other row on all that arrives there.
type Chain struct {
	ID    string       `json:"id"` // follows from the row
	Row   Row          `json:"row"`
	From  string       `json:"from"`
	Steps []chain.Step `json:"steps"`
	Off   bool         `json:"off,omitempty"` // all of it stays, and does nothing
	// Curves are of the steps' parameters, by StepCurve, over samples of the reel. They take the place of the value.
	Curves map[string][]Point `json:"curves,omitempty"`
}

// ChainID names the chain of a row.
func ChainID(row Row, from string) string { return string(row) + " " + from }

// StepCurve names the curve of a parameter of a step.
func StepCurve(step, parameter string) string { return step + " " + parameter }

// Sounds tells whether the chain does anything.
func (c Chain) Sounds() bool { return !c.Off && chain.Sounds(c.Steps) }

// Keys are the rows that drive what sounds of the chain.
func (c Chain) Keys() (list []chain.Key) {
	for _, s := range c.Steps {
		if s.Key != nil && !s.Off && !c.Off {
			list = append(list, *s.Key)
		}
	}
	return list
}

// ChainList gives the chains in an order that does not change.
func (r *Reel) ChainList() []Chain {
	return sorted(r.Chains, func(a, b Chain) int { return strings.Compare(a.ID, b.ID) })
}

// keyRows are those that may drive a processor.
var keyRows = []Row{TrackRow, StrandRow, StemRow, MixRow}

// SetChain has a row go through processors, or through none; what is left nil stays.
type SetChain struct {
	Row   Row           `json:"row"`
	From  string        `json:"from"`
	Steps *[]chain.Step `json:"steps,omitempty"` // all of them, in their order
	Off   *bool         `json:"off,omitempty"`
}

func (c SetChain) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	now, err := d.chain(c.Row, c.From)
	if err != nil {
		return Change{}, "", err
	}
	what := "chain of "
	if c.Steps != nil {
		if err := chain.Check(*c.Steps); err != nil {
			return Change{}, "", err
		}
		for _, s := range *c.Steps {
			if s.Key != nil && !d.rowThere(Row(s.Key.Row), s.Key.From) {
				return Change{}, "", fault.New(fault.NotFound, "There is no %s %q on this reel to drive a processor", s.Key.Row, s.Key.From)
			}
		}
		what = stepsWords(now.Steps, *c.Steps) + " of "
		now.Steps = slices.Clone(*c.Steps)
		now.Curves = curvesOf(now)
	}
	if c.Off != nil {
		now.Off = *c.Off
	}
	d.keepChain(now)
	return d.finish(), what + rowName(r, c.Row, c.From), nil
}

// stepsWords says what became of steps.
func stepsWords(was, now []chain.Step) string {
	title := func(s chain.Step) string {
		a, _ := chain.Look(s.Kind)
		return strings.ToLower(a.Title)
	}
	by := func(list []chain.Step, id string) int {
		return slices.IndexFunc(list, func(s chain.Step) bool { return s.ID == id })
	}
	switch {
	case len(now) == len(was)+1:
		if i := slices.IndexFunc(now, func(s chain.Step) bool { return by(was, s.ID) < 0 }); i >= 0 {
			return title(now[i])
		}
	case len(now) == len(was)-1:
		if i := slices.IndexFunc(was, func(s chain.Step) bool { return by(now, s.ID) < 0 }); i >= 0 {
			return "no " + title(was[i])
		}
	case len(now) == len(was):
		for _, s := range now {
			if i := by(was, s.ID); i >= 0 && !sameStep(was[i], s) {
				return title(s)
			}
		}
	}
	return "chain"
}

func sameStep(a, b chain.Step) bool {
	return a.Kind == b.Kind && a.Off == b.Off && a.Detector == b.Detector && maps.Equal(a.Values, b.Values) && slices.Equal(a.Profile, b.Profile) &&
		(a.Key == b.Key || a.Key != nil && b.Key != nil && *a.Key == *b.Key)
}

// curvesOf leaves a chain the curves of steps that are there.
func curvesOf(c Chain) map[string][]Point {
	var left map[string][]Point
	for name, points := range c.Curves {
		if step, parameter, ok := c.parameter(name); ok && step.ID != "" && !parameter.Fixed {
			if left == nil {
				left = map[string][]Point{}
			}
			left[name] = points
		}
	}
	return left
}

// parameter finds what a curve is of.
func (c Chain) parameter(name string) (step chain.Step, p chain.Parameter, ok bool) {
	id, parameter, _ := strings.Cut(name, " ")
	i := slices.IndexFunc(c.Steps, func(s chain.Step) bool { return s.ID == id })
	if i < 0 {
		return step, p, false
	}
	a, _ := chain.Look(c.Steps[i].Kind)
	p, ok = a.Of(parameter)
	return c.Steps[i], p, ok
}

// SetChainCurve draws the curve of a parameter of a step; no points take it back. With a range only the points in it are replaced.
type SetChainCurve struct {
	Row       Row     `json:"row"`
	From      string  `json:"from"`
	Step      string  `json:"step"`
	Parameter string  `json:"parameter"`
	Points    []Point `json:"points"` // over samples of the reel
	Range     *Span   `json:"range,omitempty"`
}

func (c SetChainCurve) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	now, err := d.chain(c.Row, c.From)
	if err != nil {
		return Change{}, "", err
	}
	name := StepCurve(c.Step, c.Parameter)
	step, _, ok := now.parameter(name)
	if !ok {
		return Change{}, "", fault.New(fault.NotFound, "This chain has no such processor, or that no %q", c.Parameter)
	}
	points := c.Points
	if c.Range != nil {
		points = replaced(now.Curves[name], *c.Range, points)
	}
	if points, err = steady(points); err != nil {
		return Change{}, "", err
	}
	curves := maps.Clone(now.Curves)
	if curves == nil {
		curves = map[string][]Point{}
	}
	if curves[name] = points; len(points) == 0 {
		delete(curves, name)
	}
	if now.Curves = curves; len(curves) == 0 {
		now.Curves = nil
	}
	d.chains.put(now.ID, now)
	a, _ := chain.Look(step.Kind)
	return d.finish(), fmt.Sprintf("%s curve of the %s of %s", c.Parameter, strings.ToLower(a.Title), rowName(r, c.Row, c.From)), nil
}

// chain gives the chain of a row as it is by now.
func (d *draft) chain(row Row, from string) (Chain, error) {
	if !slices.Contains(row.Words(), string(row)) || !d.rowThere(row, from) {
		return Chain{}, fault.New(fault.NotFound, "There is no %s %q on this reel", row, from)
	}
	if stem, strand := StemOf(from); row == StrandRow && !slices.Contains(d.reel.StrandList(stem), strand) {
		return Chain{}, fault.New(fault.NotFound, "No track is in the strand %q", strand)
	}
	id := ChainID(row, from)
	c, there := d.chains.get(id)
	if !there {
		c = Chain{ID: id, Row: row, From: from}
	}
	return c, nil
}

// rowThere tells whether a row is there as the draft stands.
func (d *draft) rowThere(row Row, from string) (there bool) {
	switch row {
	case TrackRow:
		_, there = d.tracks.get(from)
	case StrandRow:
		stem, _ := StemOf(from)
		_, there = d.stems.get(stem)
	case StemRow:
		_, there = d.stems.get(from)
	case MixRow:
		_, there = d.mixes.get(from)
	case GroupRow:
		_, there = d.groups.get(from)
	}
	return there
}

// keepChain puts a chain, or takes it away where it has no steps.
func (d *draft) keepChain(c Chain) {
	if len(c.Steps) == 0 {
		d.chains.drop(c.ID)
		return
	}
	d.chains.put(c.ID, c)
}

// followRows has levels and chains go with their rows, and what is driven by a row that goes be off: driven by itself it would do something
// else. A strand goes with its stem: tracks may come back into it.
func (d *draft) followRows() {
	for b := range d.buses.all() {
		if !d.rowThere(b.Row, b.From) {
			d.buses.drop(b.ID)
		}
	}
	list := slices.SortedFunc(d.chains.all(), func(a, b Chain) int { return strings.Compare(a.ID, b.ID) })
	for _, c := range list {
		if !d.rowThere(c.Row, c.From) {
			d.chains.drop(c.ID)
			continue
		}
		steps := slices.Clone(c.Steps)
		changed := false
		for i, s := range steps {
			if s.Key != nil && !d.rowThere(Row(s.Key.Row), s.Key.From) {
				steps[i].Key, steps[i].Off, changed = nil, true, true
			}
		}
		if changed {
			c.Steps = steps
			d.chains.put(c.ID, c)
		}
	}
}

// moveChains has the chains of output groups go to those that stand for them.
func (d *draft) moveChains(heirs map[string]string) (lost []string) {
	return inherited(d.chains, d.reel.ChainList(), heirs, func(c Chain) (Row, string) { return c.Row, c.From },
		func(c Chain, to string) (string, Chain) {
			c.From, c.ID = to, ChainID(GroupRow, to)
			return c.ID, c
		}, func(c Chain) string { return "the chain of " + rowName(d.reel, c.Row, c.From) })
}

// inherited has what is done on output groups go to those that stand for them. of gives the row of an object, onto the object of another, and words
// what is lost with one that has no heir, or whose heir has its own.
func inherited[T any](l layer[T], list []T, heirs map[string]string, of func(T) (Row, string), onto func(T, string) (string, T),
	words func(T) string) (lost []string) {
	for _, v := range list {
		row, from := of(v)
		to := heirs[from]
		if row != GroupRow || to == from {
			continue
		}
		id, _ := onto(v, from)
		l.drop(id)
		next, heir := onto(v, to)
		if _, taken := l.get(next); taken || to == "" {
			lost = append(lost, words(v))
			continue
		}
		l.put(next, heir)
	}
	return lost
}

func (r *Reel) checkChain(id string, c Chain) error {
	if c.ID != id || id != ChainID(c.Row, c.From) || !word(id, 300) {
		return broken("A chain is called after the row that it is of")
	}
	if len(c.Steps) == 0 {
		return broken("The chain of %s would have no processors", rowName(r, c.Row, c.From))
	}
	if err := chain.Check(c.Steps); err != nil {
		return err
	}
	for name, points := range c.Curves {
		_, p, ok := c.parameter(name)
		if !ok || p.Fixed {
			return broken("A chain has no curve of %q", name)
		}
		if err := checkCurve(points, p.Check); err != nil {
			return err
		}
	}
	return r.checkChainRow(c)
}

// checkChainRow looks at the row of a chain, and at those that drive it: they are there, and nothing that it feeds does.
func (r *Reel) checkChainRow(c Chain) error {
	if r.RowLabels(c.Row, c.From) == nil || !slices.Contains(c.Row.Words(), string(c.Row)) {
		return apart("A chain would be left of %s %q, which is not on the reel", c.Row, c.From)
	}
	for _, s := range c.Steps {
		if s.Key == nil {
			continue
		}
		if !slices.Contains(keyRows, Row(s.Key.Row)) || r.RowLabels(Row(s.Key.Row), s.Key.From) == nil {
			return apart("A processor of %s would be driven by %s %q, which is not on the reel", rowName(r, c.Row, c.From), s.Key.Row, s.Key.From)
		}
		if r.drives(rowOf{c.Row, c.From}, rowOf{Row(s.Key.Row), s.Key.From}, map[rowOf]bool{}) {
			return broken("%s reaches %s, and can't be driven by it", rowName(r, c.Row, c.From), rowName(r, Row(s.Key.Row), s.Key.From))
		}
	}
	return nil
}

// rowOf names a row.
type rowOf struct {
	row  Row
	from string
}

// drives tells whether what happens on a row comes to another, by sound or by what drives chains.
func (r *Reel) drives(from, to rowOf, seen map[rowOf]bool) bool {
	if from == to {
		return true
	}
	if seen[from] {
		return false
	}
	seen[from] = true
	for _, next := range r.fedBy(from) {
		if r.drives(next, to, seen) {
			return true
		}
	}
	for _, c := range r.Chains {
		for _, s := range c.Steps {
			if s.Key != nil && (rowOf{Row(s.Key.Row), s.Key.From}) == from && r.drives(rowOf{c.Row, c.From}, to, seen) {
				return true
			}
		}
	}
	return false
}

// fedBy gives the rows that a row feeds, as far as one of them could drive anything.
func (r *Reel) fedBy(at rowOf) (list []rowOf) {
	switch at.row {
	case TrackRow:
		t := r.Tracks[at.from]
		for _, stem := range []string{t.Stem, t.Second} {
			if stem != "" {
				list = append(list, rowOf{StemRow, stem}, rowOf{StrandRow, StrandID(stem, t.Strand)})
			}
		}
	case StrandRow:
		stem, _ := StemOf(at.from)
		list = append(list, rowOf{StemRow, stem})
		list = append(list, r.mixesOf()...)
	case StemRow:
		list = r.mixesOf()
	}
	return list
}

// mixesOf gives all mixes: which of them a stem is in may change, and is not looked at.
func (r *Reel) mixesOf() (list []rowOf) {
	for id := range r.Mixes {
		list = append(list, rowOf{MixRow, id})
	}
	return list
}

// SetClipChain has clips, or one channel of each, go through processors, or through none.
type SetClipChain struct {
	Clips   []string     `json:"clips"`
	Channel *int         `json:"channel,omitempty"` // of the clip, from 0; where there is none all its channels go through together
	Steps   []chain.Step `json:"steps"`             // all of them, in their order
}

func (c SetClipChain) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	name, what := "", "chain"
	for i, id := range c.Clips {
		clip, there := d.clips.get(id)
		if !there {
			return Change{}, "", noClip()
		}
		was, called := clip.Chain, clip.Name
		var err error
		if c.Channel == nil {
			clip.Chain = some(slices.Clone(c.Steps))
			d.clips.put(id, clip)
		} else if *c.Channel < 0 {
			err = fault.New(fault.NotFound, "%s has no channel %d", clip.Name, *c.Channel+1)
		} else if clip, err = d.lanes(id, *c.Channel, func(_ Clip, l *Lane) error {
			was, l.Chain = l.Chain, some(slices.Clone(c.Steps))
			return nil
		}); err == nil {
			called = laneWords("", clip, *c.Channel)[1:]
		}
		if err := errors.Join(err, checkClipSteps(clip, c.Steps)); err != nil {
			return Change{}, "", err
		}
		if i == 0 {
			name, what = called, stepsWords(was, c.Steps)
		}
	}
	if len(c.Clips) > 1 {
		name = plural(len(c.Clips), "clip")
	}
	return d.finish(), what + " of " + name, nil
}

// checkClipSteps looks at the chain of a clip or of one of its channels, which nothing else of the reel drives.
func checkClipSteps(c Clip, steps []chain.Step) error {
	if slices.ContainsFunc(steps, func(s chain.Step) bool { return s.Key != nil }) {
		return broken("The chain of %s would be driven by a row; draw it on its track instead", c.Name)
	}
	return chain.Check(steps)
}
