package reel

// Sequence does commands one after the other as one step of the history. Each is planned on what those before it made.
type Sequence struct {
	Name     string
	Commands []func(r *Reel) (Command, error)
}

func (c Sequence) Plan(r *Reel) (Change, string, error) {
	next := r.Clone()
	var changes []Change
	for _, make := range c.Commands {
		command, err := make(next)
		if err != nil {
			return Change{}, "", err
		}
		change, _, err := command.Plan(next)
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
		into(d.stems, change.Stems, next.Stems)
		into(d.tracks, change.Tracks, next.Tracks)
		into(d.clips, change.Clips, next.Clips)
		into(d.groups, change.Groups, next.Groups)
		into(d.knots, change.Knots, next.Knots)
		into(d.marks, change.Marks, next.Marks)
	}
	return d.finish(), c.Name, nil
}

// into notes that objects became what they are in now.
func into[T any](l layer[T], puts []Put[T], now map[string]T) {
	for _, p := range puts {
		if v, there := now[p.ID]; there {
			l.put(p.ID, v)
		} else {
			l.drop(p.ID)
		}
	}
}
