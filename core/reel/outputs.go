package reel

import (
	"errors"
	"fmt"
	"reflect"
	"slices"

	"zestyloom/core/fault"
)

// LayOutputs sets the output groups and ties the knots of the stems that should feed them. What the user tied or fed goes
// along by meaning: to the group of the same ID, tag or stems, and there to the channel of the same label. What has no
// place there is lost, and asked about first.
type LayOutputs struct {
	Spec   string
	Title  string
	Groups []Group
	Mixes  []Mix // that the reel lacks
	Knots  []Crosspoint
	Yes    bool // it may lose what it must
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
	}
	var lost []string
	heirs := map[string]string{}
	for _, g := range r.GroupList() {
		heirs[g.ID] = heir(g, next.GroupList())
		if _, stays := next.Groups[g.ID]; !stays {
			d.groups.drop(g.ID)
		}
		if heirs[g.ID] == "" && g.Own {
			lost = append(lost, "the output group "+g.Name)
		}
	}
	inherit(next.Groups, r.GroupList(), heirs)
	for id, g := range next.Groups {
		if old, stays := r.Groups[id]; stays && reflect.DeepEqual(old.Feed, g.Feed) && slices.Equal(old.Stems, g.Stems) {
			g.Folds = g.Folds || old.Folds // it is folded as somebody said yes to
			next.Groups[id] = g
		}
		d.groups.put(id, g)
	}
	order := 0
	for _, m := range r.Mixes {
		order = max(order, m.Order)
	}
	for i, m := range c.Mixes {
		m.Order = order + i + 1
		d.mixes.put(m.ID, m)
	}
	for _, k := range r.KnotList() {
		lost = append(lost, d.moveKnot(k, &next, heirs)...)
	}
	lost = append(lost, d.moveBuses(heirs)...)
	lost = append(lost, d.moveChains(heirs)...)
	lost = append(lost, d.moveCorrections(heirs)...)
	lost = append(lost, d.followGroups()...)
	for _, point := range c.Knots {
		k := point.Knot()
		if _, there := d.knots.get(k.ID); there {
			continue
		}
		if err := checkKnot(&next, k); err != nil {
			return Change{}, "", err
		}
		d.knots.put(k.ID, k)
	}
	return d.finish(), "choose " + c.Title, losing(c.Yes, "Laying the outputs out for "+c.Title, lost)
}

// heir is the group that stands for another in a new order of outputs: that of its ID, else of its tag, else of its stems;
// empty where there is none.
func heir(g Group, groups []Group) string {
	for _, same := range []func(Group) bool{
		func(x Group) bool { return x.ID == g.ID },
		func(x Group) bool { return g.Tag != "" && x.Tag == g.Tag },
		func(x Group) bool { return len(g.Stems) > 0 && slices.Equal(x.Stems, g.Stems) },
	} {
		if i := slices.IndexFunc(groups, same); i >= 0 {
			return groups[i].ID
		}
	}
	return ""
}

// inherit has groups be fed by what fed those that they stand for.
func inherit(groups map[string]Group, old []Group, heirs map[string]string) {
	for _, g := range old {
		to, there := groups[heirs[g.ID]]
		if !there || g.Feed == nil || to.Feed != nil {
			continue
		}
		feed := *g.Feed
		if feed.Row == GroupRow {
			if feed.From = heirs[feed.From]; feed.From == "" || feed.From == to.ID {
				continue
			}
		}
		to.Feed = &feed
		groups[to.ID] = to
	}
}

// moveBuses has what is done on output groups go to those that stand for them.
func (d *draft) moveBuses(heirs map[string]string) (lost []string) {
	return inherited(d.buses, d.reel.BusList(), heirs, func(b Bus) (Row, string) { return b.Row, b.From },
		func(b Bus, to string) (string, Bus) {
			b.From, b.ID = to, BusID(GroupRow, to)
			return b.ID, b
		}, func(b Bus) string { return busWords(d.reel, b) })
}

// moveKnot has a knot go to the output that stands for its own. Those of a stem that its group is for come anew with the
// groups, but for what somebody has ridden. What has no place is given in words.
func (d *draft) moveKnot(k Knot, next *Reel, heirs map[string]string) (lost []string) {
	o, _ := d.reel.Output(k.Output)
	to := OutputID(heirs[o.Group], o.Label)
	if to == k.Output {
		if _, stays := next.Output(to); stays {
			return nil
		}
	}
	d.knots.drop(k.ID)
	if k.Row == StemRow && slices.Contains(d.reel.Groups[o.Group].Stems, k.From) && len(k.Curve) == 0 {
		return nil
	}
	if _, there := next.Output(to); !there {
		return []string{d.knotWords(k, d.reel.RowLabels(k.Row, k.From))}
	}
	k.Output = to
	moved := k.Crosspoint.Knot()
	d.knots.put(moved.ID, moved)
	return nil
}

// SetKnots ties knots, or sets their gain where they are tied. One that comes without a curve keeps what it has.
type SetKnots struct {
	Knots []Crosspoint `json:"knots"`
}

func (c SetKnots) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	var at []Crossing
	for _, point := range c.Knots {
		k := point.Knot()
		if err := checkKnot(r, k); err != nil {
			return Change{}, "", err
		}
		if was, tied := d.knots.get(k.ID); tied && k.Curve == nil {
			k.Curve = was.Curve
		}
		d.knots.put(k.ID, k)
		if !slices.Contains(at, k.Crossing()) {
			at = append(at, k.Crossing())
		}
	}
	return d.finish(), "tie " + crossingsName(r, at), nil
}

// Crossing is where a row meets an output.
type Crossing struct {
	Row    Row    `json:"row"`
	From   string `json:"from"`
	Output string `json:"output"`
}

// ClearKnots unties all knots that rows have at outputs.
type ClearKnots struct {
	At []Crossing `json:"at"`
}

func (c ClearKnots) Plan(r *Reel, _ Known) (Change, string, error) {
	if len(c.At) == 0 {
		return Change{}, "", fault.New(fault.BadInput, "Say where knots are to be cleared")
	}
	d := newDraft(r)
	for _, k := range r.KnotList() {
		if slices.Contains(c.At, k.Crossing()) {
			d.knots.drop(k.ID)
		}
	}
	return d.finish(), "clear " + crossingsName(r, c.At), nil
}

// crossingsName names where knots are tied or cleared: one by its row and output, several by their number.
func crossingsName(r *Reel, at []Crossing) string {
	if len(at) == 1 {
		return fmt.Sprintf("%s at %s", rowName(r, at[0].Row, at[0].From), outputName(r, at[0].Output))
	}
	return fmt.Sprintf("%d crossings", len(at))
}

func knotID(row Row, from string, channel int, output string) string {
	return fmt.Sprintf("%s %s %d > %s", row, from, channel, output)
}

func checkKnot(r *Reel, k Knot) error {
	if k.Row == GroupRow {
		return fault.New(fault.BadInput, "An output group feeds others as their fold-down, not by knots")
	}
	labels := r.RowLabels(k.Row, k.From)
	if k.Channel < 0 || k.Channel >= len(labels) {
		return fault.New(fault.NotFound, "%s %q has no channel %d to tie", k.Row, k.From, k.Channel+1)
	}
	if _, ok := r.Output(k.Output); !ok {
		return fault.New(fault.NotFound, "There is no output %q; choose a delivery spec first", k.Output)
	}
	return errors.Join(checkGain(k.GainDB), checkCurve(k.Curve, checkGain))
}
