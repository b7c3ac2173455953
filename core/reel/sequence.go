package reel

import (
	"encoding/json"
	"fmt"
	"reflect"

	"zestyloom/core/fault"
)

// Sequence does commands one after the other as one step of the history. Each is planned on what those before it made.
type Sequence struct {
	Name     string
	Commands []func(r *Reel) (Command, error)
}

func (c Sequence) Plan(r *Reel, known Known) (Change, string, error) {
	next := r.Clone()
	var changes []Change
	for _, make := range c.Commands {
		command, err := make(next)
		if err != nil {
			return Change{}, "", err
		}
		change, _, err := command.Plan(next, known)
		if err != nil {
			return Change{}, "", err
		}
		if err := next.Apply(change); err != nil {
			return Change{}, "", err
		}
		changes = append(changes, change)
	}
	d := newDraft(r)
	d.head = next.Head
	for _, change := range changes {
		for _, k := range kinds {
			k.into(d, &change, next)
		}
	}
	return d.finish(), c.Name, nil
}

// Several is a Sequence as clients send it: the same thing done to several clips, say. It does not hold others of its
// kind.
type Several struct {
	Commands []Sent `json:"commands"`
}

// Sent is a command as clients send it.
type Sent struct {
	Kind    string          `json:"kind"`
	Command json.RawMessage `json:"command"`
}

// Send gives a command as clients send it.
func Send(c Command) Sent {
	for kind, t := range Kinds() {
		if t == reflect.TypeOf(c) {
			text, err := json.Marshal(c)
			if err != nil {
				panic(err) // commands are plain values
			}
			return Sent{kind, text}
		}
	}
	panic(fmt.Sprintf("%T is not among the commands", c))
}

// Decode reads it.
func (s Sent) Decode() (Command, error) { return Decode(s.Kind, s.Command) }

// maxSteps bounds what can be done in one step.
const maxSteps = 1000

func (c Several) Plan(r *Reel, known Known) (Change, string, error) {
	if len(c.Commands) == 0 || len(c.Commands) > maxSteps {
		return Change{}, "", fault.New(fault.BadInput, "One step does 1 to %d commands", maxSteps)
	}
	s := Sequence{}
	for i, step := range c.Commands {
		command, err := step.Decode()
		if err != nil {
			return Change{}, "", err
		}
		if _, nested := command.(Several); nested {
			return Change{}, "", fault.New(fault.BadInput, "Several commands can't hold several commands")
		}
		s.Commands = append(s.Commands, func(r *Reel) (Command, error) {
			if i == 0 {
				_, name, err := command.Plan(r, known)
				if s.Name = name; len(c.Commands) > 1 {
					s.Name = fmt.Sprintf("%s and %d more", name, len(c.Commands)-1)
				}
				if err != nil {
					return nil, err
				}
			}
			return command, nil
		})
	}
	change, _, err := s.Plan(r, known)
	return change, s.Name, err
}
