package reel

import (
	"fmt"
	"reflect"

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
}

// Empty tells whether the change changes nothing.
func (c Change) Empty() bool {
	return len(c.Head)+len(c.Stems)+len(c.Tracks)+len(c.Clips)+len(c.Groups)+len(c.Knots) == 0
}

// Inverse gives the change that takes this one back.
func (c Change) Inverse() Change {
	return Change{turn(c.Head), turn(c.Stems), turn(c.Tracks), turn(c.Clips), turn(c.Groups), turn(c.Knots)}
}

func turn[T any](puts []Put[T]) []Put[T] {
	var out []Put[T]
	for i := len(puts) - 1; i >= 0; i-- {
		out = append(out, Put[T]{puts[i].ID, puts[i].After, puts[i].Before})
	}
	return out
}

// Apply makes a change. It is refused, with nothing changed, if an object is no longer as the change found it.
func (r *Reel) Apply(c Change) error {
	head := map[string]Head{"": r.Head}
	for _, err := range []error{
		check(head, c.Head, "the reel"), check(r.Stems, c.Stems, "stem"), check(r.Tracks, c.Tracks, "track"),
		check(r.Clips, c.Clips, "clip"), check(r.Groups, c.Groups, "output group"), check(r.Knots, c.Knots, "knot"),
	} {
		if err != nil {
			return err
		}
	}
	put(head, c.Head)
	r.Head = head[""]
	put(r.Stems, c.Stems)
	put(r.Tracks, c.Tracks)
	put(r.Clips, c.Clips)
	put(r.Groups, c.Groups)
	put(r.Knots, c.Knots)
	return nil
}

func check[T any](now map[string]T, puts []Put[T], what string) error {
	for _, p := range puts {
		v, there := now[p.ID]
		if there != (p.Before != nil) || there && !reflect.DeepEqual(v, *p.Before) {
			return fault.New(fault.Stale, "%s %s has been changed since; look at it and try again", what, p.ID)
		}
	}
	return nil
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

// draft collects a change while a command works out what it is.
type draft struct {
	reel   *Reel
	head   Head
	change Change
}

func (d *draft) id(prefix string) string {
	id := fmt.Sprintf("%s%d", prefix, d.head.Next)
	d.head.Next++
	return id
}

// finish adds the head if it changed.
func (d *draft) finish() Change {
	if before := d.reel.Head; before != d.head {
		after := d.head
		d.change.Head = []Put[Head]{{"", &before, &after}}
	}
	return d.change
}

// set notes that an object becomes after, or goes away where after is nil. Objects that stay the same are left out.
func set[T any](now map[string]T, puts *[]Put[T], id string, after *T) {
	p := Put[T]{ID: id, After: after}
	if v, there := now[id]; there {
		if after != nil && reflect.DeepEqual(v, *after) {
			return
		}
		p.Before = &v
	} else if after == nil {
		return
	}
	*puts = append(*puts, p)
}
