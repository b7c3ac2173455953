package reel

import (
	"maps"
	"slices"

	"zestyloom/core/fault"
)

// Handed makes an empty reel what another is that was handed over, by name and all.
type Handed struct{ Reel *Reel }

// Plan refuses where anything lies on the reel already.
func (c Handed) Plan(r *Reel, _ Known) (Change, string, error) {
	if len(r.Clips)+len(r.Tracks) > 0 {
		return Change{}, "", fault.New(fault.BadInput, "A reel that was handed over is read into a new one")
	}
	if c.Reel.Head.SampleRate != r.Head.SampleRate {
		return Change{}, "", fault.New(fault.BadInput, "This reel runs at %d Hz and the production at %d Hz", c.Reel.Head.SampleRate, r.Head.SampleRate)
	}
	d := newDraft(r)
	name := d.head.Name
	d.head = c.Reel.Head
	d.head.Name = name
	for _, k := range kinds {
		k.become(d, c.Reel)
	}
	return d.finish(), "reel that was handed over", nil
}

// Onto gives the clip on another take that has the same sound from the frame first of this one on, and so many frames.
func (c Clip) Onto(take string, first, frames int64) Clip {
	if c.Take = take; first == 0 {
		c.Lanes = slices.Clone(c.Lanes)
		for i := range c.Lanes {
			c.Lanes[i].Borrowed = slices.Clone(c.Lanes[i].Borrowed)
		}
		return c
	}
	c.Offset -= first
	if c.Frames > 0 {
		c.Frames = frames
	}
	if c.Home != nil {
		home := *c.Home + first
		c.Home = &home
	}
	c.moveTreatment(-first)
	return c
}

// Fitted gives the clip within its take, and its fades within it.
func (c Clip) Fitted() Clip {
	if c.Offset < 0 {
		c.Start, c.Length, c.Offset = c.Start-c.Offset, c.Length+c.Offset, 0
	}
	if c.Frames > 0 {
		c.Length = min(c.Length, c.Frames-c.Offset)
	}
	if c.Length > 0 {
		c.Lanes = slices.Clone(c.Lanes)
		c.fitFades()
	}
	return c
}

// TakesReferred gives the IDs of all takes that the reel refers to, each once and in order: those that sound, its picture,
// and what was settled.
func (r *Reel) TakesReferred() []string {
	all := map[string]bool{r.Head.Picture.Take: true}
	for _, c := range r.Clips {
		c.uses(all)
	}
	delete(all, "")
	return slices.Sorted(maps.Keys(all))
}
