package reel

import (
	"crypto/sha256"
	"encoding/base32"
	"fmt"
	"iter"
	"maps"
	"reflect"
	"slices"
	"strings"

	"zestyloom/core/fault"
)

// Put is one object before and after a change; nil where it is not there.
type Put[T any] struct {
	ID     string `json:"id"`
	Before *T     `json:"before,omitempty"`
	After  *T     `json:"after,omitempty"`
}

// Change is what a command does to a reel, object by object. It is what the history keeps.
type Change struct {
	Head   []Put[Head]  `json:"head,omitempty"`
	Stems  []Put[Stem]  `json:"stems,omitempty"`
	Tracks []Put[Track] `json:"tracks,omitempty"`
	Clips  []Put[Clip]  `json:"clips,omitempty"`
	Groups []Put[Group] `json:"groups,omitempty"`
	Knots  []Put[Knot]  `json:"knots,omitempty"`
	Marks  []Put[Mark]  `json:"marks,omitempty"`
	Mixes  []Put[Mix]   `json:"mixes,omitempty"`
	Buses  []Put[Bus]   `json:"buses,omitempty"`
	// Corrections go with the groups that they act on.
	Corrections []Put[Correction] `json:"corrections,omitempty"`
	Chains      []Put[Chain]      `json:"chains,omitempty"`
}

// Empty tells whether the change changes nothing.
func (c Change) Empty() bool {
	return len(c.Head) == 0 && !slices.ContainsFunc(kinds, func(k kind) bool { return k.count(&c) > 0 })
}

// Inverse gives the change that takes this one back.
func (c Change) Inverse() Change {
	back := Change{Head: turn(c.Head)}
	for _, k := range kinds {
		k.turn(&back, &c)
	}
	return back
}

// Takes gives the IDs of the takes that what the change puts refers to, each once and in order.
func (c Change) Takes() []string {
	used := map[string]bool{}
	for _, p := range c.Head {
		if p.After != nil {
			used[p.After.Picture.Take] = true
		}
	}
	for _, p := range c.Clips {
		if p.After != nil {
			p.After.uses(used)
		}
	}
	delete(used, "")
	return slices.Sorted(maps.Keys(used))
}

// uses notes the takes that a clip refers to, also through what it borrows and what it was settled from.
func (c Clip) uses(takes map[string]bool) {
	takes[c.Take] = true
	for _, l := range c.Lanes {
		for _, b := range l.Borrowed {
			takes[b.Take] = true
		}
	}
	for _, s := range c.Settled {
		s.uses(takes)
	}
}

func turn[T any](puts []Put[T]) []Put[T] {
	var out []Put[T]
	for i := len(puts) - 1; i >= 0; i-- {
		out = append(out, Put[T]{puts[i].ID, puts[i].After, puts[i].Before})
	}
	return out
}

// Apply makes a change. It is refused, with nothing changed, if an object is no longer as the change found it, or if the
// reel would then break its own rules: for commands and their inverses, for what was pasted and what was merged alike.
// The counter of objects only grows, so that no ID is ever given twice, whatever is taken back.
func (r *Reel) Apply(c Change) error {
	head := r.Head
	if err := r.Replay(c); err != nil {
		return err
	}
	if err := r.check(c); err != nil {
		back := c.Inverse()
		r.putAll(back)
		r.Head = head
		return err
	}
	return nil
}

// Replay makes a change that was made before, as when a reel is opened from its history: the rules that there are now are
// not asked for. It is refused, with nothing changed, if an object is no longer as the change found it.
func (r *Reel) Replay(c Change) error {
	head, next := map[string]Head{"": r.Head}, r.Head.Next
	for i, p := range c.Head {
		if p.Before == nil || p.After == nil {
			return fault.New(fault.BadInput, "A reel has one head")
		}
		if i == 0 {
			head[""] = r.Head.counted(p.Before.Next)
		}
		next = max(next, p.After.Next)
	}
	if err := unchanged(head, c.Head, "the reel"); err != nil {
		return err
	}
	for _, k := range kinds {
		if err := k.unchanged(r, &c); err != nil {
			return err
		}
	}
	put(head, c.Head)
	r.Head = head[""].counted(next)
	r.putAll(c)
	return nil
}

// putAll puts all objects of a change but the head.
func (r *Reel) putAll(c Change) {
	for _, k := range kinds {
		k.put(r, &c)
	}
}

func (h Head) counted(next int) Head {
	h.Next = next
	return h
}

func unchanged[T any](now map[string]T, puts []Put[T], what string) error {
	for _, p := range puts {
		v, there := now[p.ID]
		if there != (p.Before != nil) || there && !reflect.DeepEqual(v, *p.Before) {
			return fault.New(fault.Stale, "%s has been changed since; look at it and try again", called(what, v, p.Before, p.After))
		}
	}
	return nil
}

// called names an object for people: by its name, or by what it is.
func called[T any](what string, now T, others ...*T) string {
	for _, v := range append(others, &now) {
		if v == nil {
			continue
		}
		of := reflect.ValueOf(*v)
		if of.Kind() == reflect.Struct {
			if name := of.FieldByName("Name"); name.IsValid() && name.Kind() == reflect.String && name.Len() > 0 {
				return what + " " + name.String()
			}
		}
	}
	return "A " + strings.ToLower(what)
}

func put[T any](now map[string]T, puts []Put[T]) {
	for _, p := range puts {
		if p.After == nil {
			delete(now, p.ID)
		} else {
			now[p.ID] = *p.After
		}
	}
}

// draft collects a change while a command works out what it is. Reading from a layer gives what the command has made of
// an object so far.
type draft struct {
	reel   *Reel
	head   Head
	stems  layer[Stem]
	tracks layer[Track]
	clips  layer[Clip]
	groups layer[Group]
	knots  layer[Knot]
	marks  layer[Mark]
	mixes  layer[Mix]
	buses  layer[Bus]

	corrections layer[Correction]
	chains      layer[Chain]
}

func newDraft(r *Reel) *draft {
	d := &draft{reel: r, head: r.Head}
	for _, k := range kinds {
		k.begin(d)
	}
	return d
}

// id names a new object: by the reel's counter, or by the edit that makes it (Reel.Under). Either way the counter goes on.
func (d *draft) id(prefix string) string {
	id := fmt.Sprintf("%s%d", prefix, d.head.Next)
	if d.reel.making.by != "" {
		id = fmt.Sprintf("%s_%s_%d", prefix, d.reel.making.by, d.head.Next-d.reel.making.from)
	}
	d.head.Next++
	return id
}

// making names what an edit makes: by is of the edit, from where the counter stood when it began.
type making struct {
	by   string
	from int
}

// Under gives the reel for planning an edit that has a key of its own. What the edit makes is then named by the key, so that it has the same IDs
// wherever, and whenever, the edit is planned: on the page that asks for it, and by the server, after edits of others. Without a key it is the reel.
func (r *Reel) Under(key string) *Reel {
	if key == "" {
		return r
	}
	c := *r
	sum := sha256.Sum256([]byte(key))
	c.making = making{strings.ToLower(base32.StdEncoding.EncodeToString(sum[:10])), r.Head.Next} // 80 bits
	return &c
}

// finish gives the change.
func (d *draft) finish() Change {
	for _, c := range d.clips.above {
		if c != nil {
			c.tidy() // c is the draft's own copy
		}
	}
	d.followGroups()
	d.followRows()
	var c Change
	for _, k := range kinds {
		k.finish(d, &c)
	}
	if before := d.reel.Head; !reflect.DeepEqual(before, d.head) {
		after := d.head
		c.Head = []Put[Head]{{"", &before, &after}}
	}
	return c
}

// layer lies over objects: what is put or dropped there is seen through it, and the objects stay as they are.
type layer[T any] struct {
	below map[string]T
	above map[string]*T
}

func over[T any](below map[string]T) layer[T] { return layer[T]{below, map[string]*T{}} }

func (l layer[T]) get(id string) (v T, there bool) {
	if p, changed := l.above[id]; changed {
		if p == nil {
			return v, false
		}
		return *p, true
	}
	v, there = l.below[id]
	return v, there
}

func (l layer[T]) put(id string, v T) { l.above[id] = &v }

func (l layer[T]) drop(id string) { l.above[id] = nil }

// all goes through the objects as they are by now, in no order.
func (l layer[T]) all() iter.Seq[T] {
	return func(yield func(T) bool) {
		for id, v := range l.below {
			if _, changed := l.above[id]; !changed && !yield(v) {
				return
			}
		}
		for _, id := range slices.Collect(maps.Keys(l.above)) { // who looks may put
			if p := l.above[id]; p != nil && !yield(*p) {
				return
			}
		}
	}
}

// puts gives what has changed, by ID.
func (l layer[T]) puts() []Put[T] {
	var out []Put[T]
	for _, id := range slices.Sorted(maps.Keys(l.above)) {
		p := Put[T]{ID: id, After: l.above[id]}
		if v, there := l.below[id]; there {
			p.Before = &v
		}
		if p.Before == nil && p.After == nil || p.Before != nil && p.After != nil && reflect.DeepEqual(*p.Before, *p.After) {
			continue
		}
		out = append(out, p)
	}
	return out
}

func equal(a, b Clip) bool {
	a.tidy()
	b.tidy()
	return reflect.DeepEqual(a, b)
}

// Touched names the objects that changes make, alter or take away, by kind.
type Touched struct {
	Stems, Tracks, Clips, Groups, Knots, Marks, Mixes, Buses, Corrections, Chains map[string]bool
	Head                                                                          bool
}

// TouchedBy collects what changes touch. The counter in the head does not count: it is no part of what users see.
func TouchedBy(changes ...Change) Touched {
	var t Touched
	for _, c := range append([]Change{{}}, changes...) { // of nothing, the names are none
		for _, k := range kinds {
			k.touch(&t, &c)
		}
		t.Head = t.Head || changesHead(c)
	}
	return t
}

// Add names what others touch as well.
func (t *Touched) Add(others Touched) {
	t.Head = t.Head || others.Head
	for _, k := range kinds {
		k.also(t, &others)
	}
}

// Meets tells whether two changes are of the same: of a field of an object, of whether it is there, or of what the reel has once.
func (c Change) Meets(other Change) bool {
	for _, p := range c.Head {
		for _, q := range other.Head {
			before, after := p.Before.counted(0), p.After.counted(0)
			was, is := q.Before.counted(0), q.After.counted(0)
			if meet(Put[Head]{Before: &before, After: &after}, Put[Head]{Before: &was, After: &is}) {
				return true
			}
		}
	}
	return slices.ContainsFunc(kinds, func(k kind) bool { return k.meets(&c, &other) })
}

func changesHead(c Change) bool {
	for _, p := range c.Head {
		if p.Before.Differs(*p.After) {
			return true
		}
	}
	return false
}

// Differs tells whether another head says something else. The counter of objects does not count: it is no part of what users see.
func (h Head) Differs(other Head) bool { return !reflect.DeepEqual(h.counted(0), other.counted(0)) }
