package reel

import (
	"fmt"

	"zestyloom/core/fault"
)

// LayOutputs sets the output groups and ties the knots of the stems that should feed them. Knots that the user tied on
// outputs which stay are kept; those whose output goes away go with it.
type LayOutputs struct {
	Spec   string
	Title  string
	Groups []Group
	Knots  []Crosspoint
}

func (c LayOutputs) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	d.head.Spec = c.Spec
	next := *r
	next.Groups = map[string]Group{}
	for i, g := range c.Groups {
		g.Order = i + 1
		if _, twice := next.Groups[g.ID]; twice || g.ID == "" || len(g.Labels) == 0 {
			return Change{}, "", fault.New(fault.BadInput, "Output group %q is named twice or has no channels", g.Name)
		}
		next.Groups[g.ID] = g
		d.groups.put(g.ID, g)
	}
	for _, g := range r.GroupList() {
		if _, stays := next.Groups[g.ID]; !stays {
			d.groups.drop(g.ID)
		}
	}
	for _, k := range r.KnotList() {
		if _, stays := next.Output(k.Output); !stays {
			d.knots.drop(k.ID)
		}
	}
	for _, point := range c.Knots {
		k := point.Knot()
		if _, there := r.Knots[k.ID]; there {
			continue
		}
		if err := checkKnot(&next, k); err != nil {
			return Change{}, "", err
		}
		d.knots.put(k.ID, k)
	}
	return d.finish(), "choose " + c.Title, nil
}

// SetKnots ties knots, or sets their gain where they are tied.
type SetKnots struct {
	Knots []Crosspoint `json:"knots"`
}

func (c SetKnots) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	name := "tie knots"
	for _, point := range c.Knots {
		k := point.Knot()
		if err := checkKnot(r, k); err != nil {
			return Change{}, "", err
		}
		d.knots.put(k.ID, k)
		name = fmt.Sprintf("knot %s to %s", rowName(r, k.Row, k.From), outputName(r, k.Output))
	}
	return d.finish(), name, nil
}

// ClearKnots unties all knots of a row at an output.
type ClearKnots struct {
	Row    Row    `json:"row"`
	From   string `json:"from"`
	Output string `json:"output"`
}

func (c ClearKnots) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	for _, k := range r.KnotList() {
		if k.Row == c.Row && k.From == c.From && k.Output == c.Output {
			d.knots.drop(k.ID)
		}
	}
	return d.finish(), fmt.Sprintf("clear %s at %s", rowName(r, c.Row, c.From), outputName(r, c.Output)), nil
}

func knotID(row Row, from string, channel int, output string) string {
	return fmt.Sprintf("%s %s %d > %s", row, from, channel, output)
}

func checkKnot(r *Reel, k Knot) error {
	labels := r.RowLabels(k.Row, k.From)
	if k.Channel < 0 || k.Channel >= len(labels) {
		return fault.New(fault.NotFound, "%s %q has no channel %d to tie", k.Row, k.From, k.Channel+1)
	}
	if _, ok := r.Output(k.Output); !ok {
		return fault.New(fault.NotFound, "There is no output %q; choose a delivery spec first", k.Output)
	}
	return checkGain(k.GainDB)
}
