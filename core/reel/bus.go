package reel

import (
	"fmt"
	"slices"

	"zestyloom/core/fault"
)

// Bus is what a strand, stem, mix or output group does with all that arrives on it: a level, and how its set is balanced and
// turned. Each of its numbers can move. Where nothing is done there is no object.
type Bus struct {
	ID     string  `json:"id"` // follows from the row
	Row    Row     `json:"row"`
	From   string  `json:"from"`             // ID of the strand, stem, mix or group
	GainDB float64 `json:"gainDB,omitempty"` //
	Feed   Feed    `json:"feed,omitzero"`    // balance and turning alone; what arrives has a place already
	Curves Curves  `json:"curves,omitempty"` // over samples of the reel; that of gain is added to GainDB
}

// BusID names the bus of a row.
func BusID(row Row, from string) string { return string(row) + " " + from }

// busParameters are those that a bus has.
var busParameters = []Parameter{GainCurve, PanCurve, TurnCurve, PitchCurve, RollCurve, NarrowCurve}

// Place is how the bus is balanced and turned at one moment.
func (b Bus) Place(at int64) Feed { return placed(b.Feed, b.Curves, at) }

// Moves tells whether any of the parameters has a curve.
func (b Bus) Moves(parameters ...Parameter) bool {
	return slices.ContainsFunc(parameters, func(p Parameter) bool { return len(b.Curves[p]) > 0 })
}

// Turns gives where within a range what the bus balances and turns turns to move another way; see Track.Turns.
func (b Bus) Turns(span Span) (at []int64) {
	for what, points := range b.Curves {
		if what != GainCurve {
			at = turns(at, points, span)
		}
	}
	return at
}

// Turned tells whether the bus does more than to set a level.
func (b Bus) Turned() bool { return b.Feed != Feed{} || b.Moves(busParameters[1:]...) }

func (b Bus) idle() bool { return b.GainDB == 0 && b.Feed == Feed{} && len(b.Curves) == 0 }

// SetBus sets the level, balance and turning of a strand, stem, mix or output group; what is left nil stays.
type SetBus struct {
	Row    Row      `json:"row"`
	From   string   `json:"from"`
	GainDB *float64 `json:"gainDB,omitempty"`
	Pan    *float64 `json:"pan,omitempty"`    // balance, −1 left to +1 right
	Turn   *float64 `json:"turn,omitempty"`   // degrees to the left
	Pitch  *float64 `json:"pitch,omitempty"`  // degrees that a sound field's front is lifted
	Roll   *float64 `json:"roll,omitempty"`   // degrees that a sound field's left is lifted
	Narrow *float64 `json:"narrow,omitempty"` // 0 a set as wide as it is, to 1 all of it in front
}

func (c SetBus) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	b, err := d.bus(c.Row, c.From)
	if err != nil {
		return Change{}, "", err
	}
	what := "level"
	if c.GainDB != nil {
		b.GainDB = *c.GainDB
	}
	for _, set := range []struct {
		parameter Parameter
		value     *float64
	}{{PanCurve, c.Pan}, {TurnCurve, c.Turn}, {PitchCurve, c.Pitch}, {RollCurve, c.Roll}, {NarrowCurve, c.Narrow}} {
		if set.value != nil { // a figure that is set takes the place of its curve
			*b.Feed.number(set.parameter), what = *set.value, string(set.parameter)
			b.Curves = b.Curves.with(set.parameter, nil)
		}
	}
	d.keepBus(b)
	return d.finish(), what + " of " + rowName(r, c.Row, c.From), nil
}

// bus gives what a row does with what arrives, as it is by now.
func (d *draft) bus(row Row, from string) (Bus, error) {
	if row == TrackRow || !slices.Contains(row.Words(), string(row)) || d.reel.RowLabels(row, from) == nil {
		return Bus{}, fault.New(fault.NotFound, "There is no %s %q on this reel", row, from)
	}
	if stem, strand := StemOf(from); row == StrandRow && !slices.Contains(d.reel.StrandList(stem), strand) {
		return Bus{}, fault.New(fault.NotFound, "No track is in the strand %q", strand)
	}
	id := BusID(row, from)
	b, there := d.buses.get(id)
	if !there {
		b = Bus{ID: id, Row: row, From: from}
	}
	return b, nil
}

// keepBus puts a bus, or takes it away where it does nothing.
func (d *draft) keepBus(b Bus) {
	if b.idle() {
		d.buses.drop(b.ID)
		return
	}
	d.buses.put(b.ID, b)
}

func (r *Reel) checkBus(id string, b Bus) error {
	if b.ID != id || id != BusID(b.Row, b.From) || b.Row == TrackRow || !word(id, 300) {
		return broken("A level is called after the row that it is of")
	}
	if b.idle() {
		return broken("The level of %s would say nothing", rowName(r, b.Row, b.From))
	}
	if err := checkGain(b.GainDB); err != nil {
		return err
	}
	if f := b.Feed; f.Dual || f.Placed || f.Folds || f.Front != 0 || f.Up != 0 || f.Spread != 0 || f.LFEDB != nil {
		return broken("A %s has its places; it can be balanced and turned", b.Row)
	}
	if err := b.Feed.check(); err != nil {
		return err
	}
	for what, points := range b.Curves {
		if !slices.Contains(busParameters, what) {
			return broken("A %s has no curve of %s", b.Row, what)
		}
		if err := checkCurve(points, what.check); err != nil {
			return err
		}
	}
	return r.checkBusRow(b)
}

func (r *Reel) checkBusRow(b Bus) error {
	if r.RowLabels(b.Row, b.From) == nil || !slices.Contains(b.Row.Words(), string(b.Row)) {
		return apart("A level would be left of %s %q, which is not on the reel", b.Row, b.From)
	}
	return nil
}

// busWords is what is lost with the level of a row.
func busWords(r *Reel, b Bus) string {
	return fmt.Sprintf("the level of %s", rowName(r, b.Row, b.From))
}
