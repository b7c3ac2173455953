// Package ahead holds a reel as one page has it: as the server has confirmed it, and the page's own edits that it has not confirmed yet, which are shown at
// once. What is shown is those edits planned on what is confirmed, by the same rules by which the server plans them, anew whenever that moves on. Begin
// reading at Reel.
package ahead

import (
	"bytes"
	"encoding/json"
	"errors"
	"maps"
	"slices"

	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/core/view"
	"zestyloom/core/weave"
)

// Kind says what an edit asks for, and so by which address it is sent.
type Kind string

const (
	Command Kind = "command" // Body is a reel.Sent
	Ties    Kind = "ties"    // Body is a weave.TieAt
	Undo    Kind = "undo"    // of the newest of one's own steps that is left
	Redo    Kind = "redo"
	Other   Kind = "other" // what the server alone can do; it waits in its turn
)

// Edit is something asked for, under a key of its own.
type Edit struct {
	Key  string          `json:"key"`
	Kind Kind            `json:"kind"`
	Body json.RawMessage `json:"body,omitempty"`
	// Unsure says that it may have been made already: it was sent before the reel was opened, and no answer came. What is opened may have it, so it is not
	// planned again.
	Unsure bool `json:"unsure,omitempty"`
}

// Reel is a reel with edits of its own ahead of the server. It is not for several goroutines at once.
type Reel struct {
	of        view.Of
	confirmed *reel.Reel
	shown     *reel.Reel // with mine
	mine      []*edit    // in the order in which they were made
	steps     []*step    // one's own that are known here, from the oldest
	takes     reel.Takes
}

// edit is an edit that waits for the server.
type edit struct {
	Edit
	of      *step       // that it makes, takes back or brings back; nil where that is not known here
	change  reel.Change // that shows it
	planned bool        // it is shown
}

// step is an edit that undo takes back.
type step struct {
	key, name string
	change    reel.Change
	undone    bool
	vague     bool // the server has made something else of it than is known here
}

// Planned says what became of an edit here.
type Planned struct {
	View view.Reel // what of the reel it changes
	Name string    // as the history will have it; empty where that is not known
	// Shown tells whether it could be planned here. Else it is the server's to say what becomes of it.
	Shown bool
	// Of is the key of the step that a turn takes back or brings back; empty for the newest that the server finds.
	Of string
}

// errUnknown is for what can't be planned here.
var errUnknown = errors.New("the server alone knows")

// known tells commands of the takes that the page knows. What it does not know may be there all the same.
type known struct{ takes reel.Takes }

func (k known) Take(id string) (reel.TakeInfo, error) {
	info, there := k.takes[id]
	if !there {
		return info, errUnknown
	}
	return info, nil
}

// Open begins with all of a reel as the server has it.
func Open(v view.Reel) *Reel {
	r := &Reel{takes: reel.Takes{}}
	r.begin(v)
	return r
}

func (r *Reel) begin(v view.Reel) {
	r.of = view.Of{ID: v.ID, Production: v.Production, Revision: v.Revision, Turns: v.Turns}
	r.confirmed = v.Opened()
	r.shown = r.confirmed
}

// Know tells of takes, besides those that are known.
func (r *Reel) Know(takes reel.Takes) { maps.Copy(r.takes, takes) }

// Revision is the newest that the server has confirmed.
func (r *Reel) Revision() int64 { return r.of.Revision }

// Waiting is how many edits wait for the server.
func (r *Reel) Waiting() int { return len(r.mine) }

// Shows tells whether an edit waits and is shown. One that is shown is so no longer where it does not fit on what the server has confirmed since.
func (r *Reel) Shows(key string) bool {
	i := r.find(key)
	return i >= 0 && r.mine[i].planned
}

// Whole gives all of the reel as it is shown.
func (r *Reel) Whole() view.Reel { return view.Whole(r.shown, r.seen()) }

// Routing gives where everything goes, which what is told of edits leaves out: it takes longer than all else.
func (r *Reel) Routing() view.Reel { return view.Routing(r.shown, r.seen()) }

// Do plans an edit and shows it. It is refused, and does not wait, by the rules by which the server would refuse it. One that could not be planned waits
// all the same.
func (r *Reel) Do(e Edit) (Planned, error) {
	if i := r.find(e.Key); i >= 0 { // asked for twice
		return Planned{View: r.part(), Shown: r.mine[i].planned}, nil
	}
	m := &edit{Edit: e}
	if e.Kind == Undo || e.Kind == Redo {
		m.of = r.turned(e.Kind)
	}
	next, name, err := r.plan(m, r.shown)
	if kind := fault.KindOf(err); kind != "" {
		return Planned{}, err
	}
	did := Planned{Name: name, Shown: err == nil}
	r.mine = append(r.mine, m)
	if err == nil {
		r.shown = next
		r.stepped(m, name)
	}
	if m.planned && (e.Kind == Undo || e.Kind == Redo) {
		did.Of = m.of.key
	}
	did.View = r.part(m.change)
	return did, nil
}

// stepped notes what an edit that was planned makes of the steps.
func (r *Reel) stepped(m *edit, name string) {
	switch m.Kind {
	case Undo:
		m.of.undone = true
	case Redo:
		m.of.undone = false
	default:
		if m.change.Empty() {
			return
		}
		r.steps = slices.DeleteFunc(r.steps, func(s *step) bool { return s.undone }) // nothing is brought back after something new
		m.of = &step{key: m.Key, name: name, change: m.change}
		r.steps = append(r.steps, m.of)
	}
}

// plan gives a reel with an edit made, and notes the change. errUnknown, or what has no kind, is the server's to say.
func (r *Reel) plan(m *edit, on *reel.Reel) (next *reel.Reel, name string, err error) {
	m.planned, m.change = false, reel.Change{}
	if m.Unsure {
		return nil, "", errUnknown
	}
	var change reel.Change
	switch m.Kind {
	case Command, Ties:
		command, err := m.command()
		if err != nil {
			return nil, "", err
		}
		if change, name, err = command.Plan(on.Under(m.Key), known{r.takes}); err != nil {
			return nil, "", err
		}
	case Undo, Redo:
		if m.of == nil || m.of.vague {
			return nil, "", errUnknown
		}
		wants := m.of.change
		if m.Kind == Undo {
			wants = wants.Inverse()
		}
		var met []reel.Met
		if change, met = wants.Onto(on, false); len(met) > 0 {
			return nil, "", errUnknown // the server says whom it meets
		}
		name = m.of.name
	default:
		return nil, "", errUnknown
	}
	if next, err = on.With(change, known{r.takes}); err != nil {
		if m.Kind == Undo || m.Kind == Redo {
			err = errUnknown
		}
		return nil, "", err
	}
	m.change, m.planned = change, true
	return next, name, nil
}

// command reads what an edit asks for.
func (m *edit) command() (reel.Command, error) {
	if m.Kind == Ties {
		var ties weave.TieAt
		if err := json.Unmarshal(m.Body, &ties); err != nil {
			return nil, fault.Wrap(fault.BadInput, err, "What is to be tied can't be read")
		}
		return ties, nil
	}
	var sent reel.Sent
	if err := json.Unmarshal(m.Body, &sent); err != nil {
		return nil, fault.Wrap(fault.BadInput, err, "The command can't be read")
	}
	command, err := sent.Decode()
	if set, is := command.(reel.SetReel); is && set.Picture != nil && set.Picture.Take != "" {
		return nil, errUnknown // where a picture belongs follows from more than is known here of takes
	}
	return command, err
}

// turned gives the step that undo would take back, or redo bring back; nil where it is not known here which the server would find.
func (r *Reel) turned(kind Kind) *step {
	if slices.ContainsFunc(r.mine, func(m *edit) bool { return !m.planned }) {
		return nil // it may be that one
	}
	var found *step
	for _, s := range r.steps {
		if s.undone == (kind == Redo) {
			if found = s; kind == Redo {
				break // the one that was done first
			}
		}
	}
	key := r.of.Turns.UndoKey
	if kind == Redo {
		key = r.of.Turns.RedoKey
	}
	if found == nil || found.vague || len(r.mine) == 0 && found.key != key {
		return nil
	}
	return found
}

// seen is what a view of the reel as it is shown says.
func (r *Reel) seen() view.Of {
	of := r.of
	if len(r.mine) == 0 {
		return of
	}
	if s := r.turned(Undo); s != nil {
		of.Turns.Undo, of.Turns.UndoKey = s.name, s.key
	} else if r.awaits(Undo) {
		of.Turns.Undo, of.Turns.UndoKey = before, "" // which that is the server knows
	}
	if s := r.turned(Redo); s != nil {
		of.Turns.Redo, of.Turns.RedoKey = s.name, s.key
	} else if r.awaits(Command) || r.awaits(Ties) {
		of.Turns.Redo, of.Turns.RedoKey = "", "" // nothing is brought back after something new
	} else if r.awaits(Redo) {
		of.Turns.Redo, of.Turns.RedoKey = before, ""
	}
	return of
}

// before is what the next step is called while nobody here knows its name.
const before = "the step before that"

// awaits tells whether an edit of a kind is shown and waits, and none waits that is not shown: then what the server said of turns is of before it.
func (r *Reel) awaits(kind Kind) bool {
	if slices.ContainsFunc(r.mine, func(m *edit) bool { return !m.planned }) {
		return false
	}
	return slices.ContainsFunc(r.mine, func(m *edit) bool { return m.Kind == kind })
}

// part is what of the reel changes touch, as it is shown.
func (r *Reel) part(changes ...reel.Change) view.Reel {
	t := reel.TouchedBy(changes...)
	v := view.Objects(r.shown, r.seen(), r.of.Revision, t)
	v.Since.Routed = view.Routes(t)
	return v
}

func (r *Reel) find(key string) int {
	return slices.IndexFunc(r.mine, func(m *edit) bool { return m.Key == key })
}

// ErrGap is for a view that does not fit on what is known: all of the reel is to be asked for.
var ErrGap = errors.New("what has changed does not fit on what is known")

// Follow takes over what the server says of the reel: all of it, or what has changed since a revision that is known here. key is of the edit that it
// answers, which waits no more; empty where it answers none.
func (r *Reel) Follow(v view.Reel, key string) (view.Reel, error) {
	if v.Since != nil && v.Since.Revision > r.of.Revision {
		return view.Reel{}, ErrGap
	}
	i := r.find(key)
	var answered *edit
	if i >= 0 {
		answered = r.mine[i]
		r.mine = slices.Delete(r.mine, i, i+1)
	}
	if v.Revision < r.of.Revision { // overtaken, by what says more
		return r.anew(answered), nil
	}
	was, before := r.confirmed, r.of.Revision
	asPlanned := i == 0 && answered.planned && v.Since != nil && v.Revision == r.of.Revision+1
	r.of.Revision, r.of.Turns = v.Revision, v.Turns
	if v.Since == nil {
		r.confirmed = v.Opened()
		r.replan()
		r.resync()
		return r.Whole(), nil
	}
	r.confirmed = was.Clone()
	v.Into(r.confirmed)
	touched := v.Touched(was.Head)
	if asPlanned && r.same(was, answered.change, touched) {
		r.resync()
		return since(r.part(), before), nil
	}
	if answered != nil && answered.of != nil && (answered.Kind == Command || answered.Kind == Ties) {
		answered.of.vague = true
	}
	return since(r.anew(answered, touched), before), nil
}

func since(v view.Reel, revision int64) view.Reel {
	v.Since.Revision = revision
	return v
}

// same tells whether what is confirmed now is what was, with a change made to it, in all that has been touched.
func (r *Reel) same(was *reel.Reel, change reel.Change, touched reel.Touched) bool {
	planned := was.Clone()
	if planned.Replay(change) != nil {
		return false
	}
	touched.Add(reel.TouchedBy(change))
	a, errA := json.Marshal(view.Objects(planned, r.of, 0, touched))
	b, errB := json.Marshal(view.Objects(r.confirmed, r.of, 0, touched))
	return errA == nil && errB == nil && bytes.Equal(a, b)
}

// Refuse takes an edit away that the server has refused.
func (r *Reel) Refuse(key string) view.Reel {
	i := r.find(key)
	if i < 0 {
		return r.part()
	}
	m := r.mine[i]
	r.mine = slices.Delete(r.mine, i, i+1)
	if m.of != nil {
		switch m.Kind {
		case Undo:
			m.of.undone = false
		case Redo:
			m.of.undone = true
		default:
			r.steps = slices.DeleteFunc(r.steps, func(s *step) bool { return s == m.of })
			for _, later := range r.mine { // what turns it has nothing to turn
				if later.of == m.of {
					later.of = nil
				}
			}
		}
	}
	return r.anew(m)
}

// anew plans all that waits on what is confirmed by now, and gives what of the reel may have changed by that; was no longer waits.
func (r *Reel) anew(was *edit, also ...reel.Touched) view.Reel {
	changes := []reel.Change{}
	if was != nil {
		changes = append(changes, was.change)
	}
	for _, m := range r.mine {
		changes = append(changes, m.change)
	}
	r.replan()
	for _, m := range r.mine {
		changes = append(changes, m.change)
	}
	r.resync()
	t := reel.TouchedBy(changes...)
	for _, more := range also {
		t.Add(more)
	}
	v := view.Objects(r.shown, r.seen(), r.of.Revision, t)
	v.Since.Routed = view.Routes(t)
	return v
}

// replan makes what is shown of what is confirmed. What can't be planned any more waits: the server refuses it, or does it.
func (r *Reel) replan() {
	r.shown = r.confirmed
	for _, m := range r.mine {
		if next, name, err := r.plan(m, r.shown); err == nil {
			r.shown = next
			if m.of != nil && (m.Kind == Command || m.Kind == Ties) {
				m.of.change, m.of.name = m.change, name
			}
		}
	}
}

// resync lets what is known of steps go where the server, with nothing under way, would take back or bring back another.
func (r *Reel) resync() {
	if len(r.mine) > 0 || len(r.steps) == 0 {
		return
	}
	var undo, redo string
	for _, s := range r.steps {
		if !s.undone {
			undo = s.key
		} else if redo == "" {
			redo = s.key
		}
	}
	if undo != "" && undo != r.of.Turns.UndoKey || redo != "" && redo != r.of.Turns.RedoKey {
		r.steps = nil
	}
}
