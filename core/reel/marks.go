package reel

import (
	"fmt"
	"strconv"
	"strings"

	"zestyloom/core/fault"
)

// SetMark makes or changes a marker or range.
type SetMark struct {
	ID     string `json:"id,omitempty"` // empty for a new one
	Name   string `json:"name"`
	At     int64  `json:"at"`
	Length int64  `json:"length,omitempty"`
	Note   string `json:"note,omitempty"`
}

func (c SetMark) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	if c.ID == "" {
		c.ID = d.id("m")
	} else if _, ok := r.Marks[c.ID]; !ok {
		return Change{}, "", fault.New(fault.NotFound, "This mark is no longer on the reel")
	}
	m := Mark{ID: c.ID, Name: strings.TrimSpace(c.Name), At: c.At, Length: c.Length, Note: strings.TrimSpace(c.Note)}
	if _, there := r.Marks[m.ID]; !there && m.Name != "" { // specs name marks: a new one takes the name of none that is there
		m.Name = freeName(m.Name, func(name string) bool {
			for _, other := range r.Marks {
				if other.Name == name {
					return true
				}
			}
			return false
		})
	}
	if err := checkName(m.Name, "A mark"); err != nil {
		return Change{}, "", err
	}
	if m.At < 0 || m.Length < 0 || m.At+m.Length > 2*24*3600*int64(r.Head.SampleRate) || len([]rune(m.Note)) > 10_000 {
		return Change{}, "", fault.New(fault.BadInput, "A mark lies on the clock, and its note has at most 10,000 characters")
	}
	d.marks.put(m.ID, m)
	return d.finish(), "mark " + m.Name, nil
}

// freeName gives a name that is not taken: the name itself, or with the next number that is free behind it.
func freeName(name string, taken func(string) bool) string {
	base, n := name, 1
	if i := strings.LastIndexByte(name, ' '); i > 0 {
		if number, err := strconv.Atoi(name[i+1:]); err == nil && number > 0 && number < 1e6 {
			base, n = name[:i], number
		}
	}
	for taken(name) {
		n++
		name = fmt.Sprintf("%s %d", base, n)
	}
	return name
}

// RemoveMarks takes marks off the reel.
type RemoveMarks struct {
	Marks []string `json:"marks"`
}

func (c RemoveMarks) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	name := ""
	for _, id := range c.Marks {
		m, ok := r.Marks[id]
		if !ok {
			return Change{}, "", fault.New(fault.NotFound, "This mark is no longer on the reel")
		}
		name = m.Name
		d.marks.drop(id)
	}
	if len(c.Marks) > 1 {
		name = plural(len(c.Marks), "mark")
	}
	return d.finish(), "remove mark " + name, nil
}
