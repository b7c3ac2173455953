package reel

import (
	"slices"

	"zestyloom/core/fault"
	"zestyloom/core/placing"
)

// TakeInfo is what is known of a take that a reel refers to.
type TakeInfo struct {
	Title      string
	Channels   int
	Frames     int64 // at SampleRate
	SampleRate int
	File       placing.File // what tells where it belongs
}

// Known tells commands of the takes that they name, so that none of them has to say what its take is like.
type Known interface {
	// Take is NotFound where the reel's production has no such take. An error without a kind means that nobody could tell.
	Take(id string) (TakeInfo, error)
}

// Takes are known by ID.
type Takes map[string]TakeInfo

// Take looks a take up.
func (t Takes) Take(id string) (TakeInfo, error) {
	info, there := t[id]
	if !there {
		return info, fault.New(fault.NotFound, "A take that this needs is not in the production; it may have been removed")
	}
	return info, nil
}

// Try plans a command and makes its change on a copy of the reel, by all rules.
func Try(r *Reel, c Command, known Known) (*Reel, error) {
	change, _, err := c.Plan(r, known)
	if err != nil {
		return nil, err
	}
	return r.With(change, known)
}

// With gives a copy of the reel to which a change was made. It is refused by the rules of Apply, and where clips use what
// their takes don't have.
func (r *Reel) With(c Change, known Known) (*Reel, error) {
	next := r.Clone()
	if err := next.Apply(c); err != nil {
		return nil, err
	}
	for _, p := range c.Clips {
		if p.After == nil {
			continue
		}
		if err := p.After.checkTakes(r.Head.SampleRate, known); err != nil {
			return nil, err
		}
	}
	return next, nil
}

func (c Clip) checkTakes(rate int, known Known) error {
	t, err := known.Take(c.Take)
	if err != nil {
		return err
	}
	if t.SampleRate != rate {
		return broken("%s is at %d Hz and the reel at %d Hz; resample it under Takes first", c.Name, t.SampleRate, rate)
	}
	if c.Offset+c.Length > t.Frames || slices.Max(c.Channels) >= t.Channels {
		return broken("%s would use more than its take has: %d frames of %d channels", c.Name, t.Frames, t.Channels)
	}
	for _, l := range c.Lanes {
		for _, b := range l.Borrowed {
			from, err := known.Take(b.Take)
			if err != nil {
				return err
			}
			if b.Channel >= from.Channels || from.SampleRate != rate {
				return broken("%s would borrow from a channel that there is not, or from a take at another rate", c.Name)
			}
			if err := b.checkQuiet(from, rate); err != nil {
				return err
			}
		}
	}
	return nil
}
