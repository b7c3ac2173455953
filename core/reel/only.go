package reel

// Only gives a reel of which nothing sounds but one channel of a clip (from 0), or all of them (AllLanes), in its place
// and as it is treated. It is for listening.
func (r *Reel) Only(clip string, channel int) (*Reel, error) {
	d := newDraft(r)
	c, err := d.lanes(clip, channel, func(Clip, *Lane) error { return nil })
	if err != nil {
		return nil, err
	}
	for i := range c.Lanes {
		if channel != AllLanes && i != channel {
			c.Lanes[i].Off = true
		}
	}
	c.Mute = false
	c.tidy()
	t := r.Tracks[c.Track]
	t.Mute = false
	alone := r.Clone()
	alone.Clips, alone.Tracks = map[string]Clip{c.ID: c}, map[string]Track{t.ID: t}
	return alone, nil
}
