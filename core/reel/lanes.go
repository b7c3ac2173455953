package reel

import (
	"fmt"
	"slices"

	"zestyloom/core/fault"
)

// AllLanes stands for every channel of a clip.
const AllLanes = -1

// lanes changes channels of a clip (from 0, or AllLanes). Nothing is put where change fails.
func (d *draft) lanes(id string, channel int, change func(c Clip, l *Lane) error) (Clip, error) {
	c, ok := d.clips.get(id)
	if !ok {
		return c, noClip()
	}
	if channel != AllLanes && (channel < 0 || channel >= len(c.Channels)) {
		return c, fault.New(fault.NotFound, "%s has no channel %d", c.Name, channel+1)
	}
	lanes := make([]Lane, len(c.Channels))
	copy(lanes, c.Lanes)
	for i := range lanes {
		if channel == AllLanes || i == channel {
			if err := change(c, &lanes[i]); err != nil {
				return c, err
			}
		}
	}
	c.Lanes = lanes
	d.clips.put(id, c)
	return c, nil
}

// within turns a range of the reel into frames of the clip's take, as far as it lies inside the clip.
func within(c Clip, from, to int64) (Span, error) {
	from, to = max(from, c.Start), min(to, c.End())
	if to-from < 2*Ramp {
		return Span{}, fault.New(fault.BadInput, "Choose a range of at least %d samples inside %s", 2*Ramp, c.Name)
	}
	return Span{c.Frame(from), c.Frame(to)}, nil
}

// laneWords names what was done where, for the history.
func laneWords(did string, c Clip, channel int) string {
	if channel == AllLanes || len(c.Channels) == 1 {
		return fmt.Sprintf("%s %s", did, c.Name)
	}
	return fmt.Sprintf("%s channel %d of %s", did, channel+1, c.Name)
}

// SetLane changes a channel's own settings; those left nil stay.
type SetLane struct {
	Clip    string   `json:"clip"`
	Channel int      `json:"channel"` // of the clip, from 0; −1 for all
	Off     *bool    `json:"off,omitempty"`
	GainDB  *float64 `json:"gainDB,omitempty"`
	Invert  *bool    `json:"invert,omitempty"`
	Delay   *int64   `json:"delay,omitempty"` // samples
	FadeIn  *Fade    `json:"fadeIn,omitempty"`
	FadeOut *Fade    `json:"fadeOut,omitempty"`
}

// maxDelay bounds a channel's delay: a second at 48 kHz is beyond any microphone's distance.
const maxDelay = 48000

func (c SetLane) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	did := ""
	clip, err := d.lanes(c.Clip, c.Channel, func(clip Clip, l *Lane) error {
		if c.Off != nil {
			l.Off, did = *c.Off, map[bool]string{true: "off", false: "on"}[*c.Off]
		}
		if c.GainDB != nil {
			if err := checkGain(*c.GainDB); err != nil {
				return err
			}
			l.GainDB, did = *c.GainDB, "gain of"
		}
		if c.Invert != nil {
			l.Invert, did = *c.Invert, "polarity of"
		}
		if c.Delay != nil {
			if *c.Delay < -maxDelay || *c.Delay > maxDelay {
				return fault.New(fault.BadInput, "A channel's delay is at most %d samples either way", maxDelay)
			}
			l.Delay, did = *c.Delay, "delay of"
		}
		for _, f := range []struct{ to, own, opposite *Fade }{{c.FadeIn, &l.FadeIn, &l.FadeOut}, {c.FadeOut, &l.FadeOut, &l.FadeIn}} {
			if f.to == nil {
				continue
			}
			if err := checkFade(*f.to, clip.Length); err != nil {
				return err
			}
			*f.own, did = *f.to, "fade of"
			f.opposite.Length = min(f.opposite.Length, clip.Length-f.own.Length)
		}
		return nil
	})
	if err != nil {
		return Change{}, "", err
	}
	return d.finish(), laneWords(did, clip, c.Channel), nil
}

// CutLane divides one channel of a clip, so that its pieces can be chosen; nothing that is heard changes.
type CutLane struct {
	Clip    string `json:"clip"`
	Channel int    `json:"channel"`
	At      int64  `json:"at"` // sample of the reel
}

func (c CutLane) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	clip, err := d.lanes(c.Clip, c.Channel, func(clip Clip, l *Lane) error {
		if !inside(clip, c.At) {
			return fault.New(fault.BadInput, "The playhead does not stand inside %s", clip.Name)
		}
		l.Cuts = append(slices.Clone(l.Cuts), clip.Frame(c.At))
		slices.Sort(l.Cuts)
		l.Cuts = slices.Compact(l.Cuts)
		return nil
	})
	if err != nil {
		return Change{}, "", err
	}
	return d.finish(), laneWords("cut", clip, c.Channel), nil
}

// Hush silences a range of a channel. What was borrowed there goes too.
type Hush struct {
	Clip    string `json:"clip"`
	Channel int    `json:"channel"` // from 0; −1 for all
	Span           // of the reel
}

func (c Hush) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	clip, err := d.lanes(c.Clip, c.Channel, func(clip Clip, l *Lane) error {
		s, err := within(clip, c.From, c.To)
		if err != nil {
			return err
		}
		l.Hushes, l.Borrowed = withSpan(l.Hushes, s), withoutBorrowed(l.Borrowed, s)
		return nil
	})
	if err != nil {
		return Change{}, "", err
	}
	return d.finish(), laneWords("hush", clip, c.Channel), nil
}

// DipRange lowers a range of a channel, with a ramp at each end. Dips that lie there already are replaced.
type DipRange struct {
	Clip    string  `json:"clip"`
	Channel int     `json:"channel"` // from 0; −1 for all
	Span            // of the reel
	GainDB  float64 `json:"gainDB"`
	Ramp    int64   `json:"ramp,omitempty"` // samples
}

func (c DipRange) Plan(r *Reel, _ Known) (Change, string, error) {
	if err := checkGain(c.GainDB); err != nil {
		return Change{}, "", err
	}
	d := newDraft(r)
	clip, err := d.lanes(c.Clip, c.Channel, func(clip Clip, l *Lane) error {
		s, err := within(clip, c.From, c.To)
		if err != nil {
			return err
		}
		dip := Dip{s, c.GainDB, min(max(c.Ramp, Ramp), (s.To-s.From)/2)}
		l.Dips = append(withoutDips(slices.Clone(l.Dips), s), dip)
		slices.SortFunc(l.Dips, func(a, b Dip) int { return int(a.From - b.From) })
		return nil
	})
	if err != nil {
		return Change{}, "", err
	}
	return d.finish(), laneWords("dip", clip, c.Channel), nil
}

// Restore takes back what was done to a range of a channel: hushes, dips, borrowed sound and cuts.
type Restore struct {
	Clip    string `json:"clip"`
	Channel int    `json:"channel"` // from 0; −1 for all
	Span           // of the reel
}

func (c Restore) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	clip, err := d.lanes(c.Clip, c.Channel, func(clip Clip, l *Lane) error {
		s, err := within(clip, c.From, c.To)
		if err != nil {
			return err
		}
		l.Hushes, l.Dips, l.Borrowed = withoutSpans(l.Hushes, s), withoutDips(slices.Clone(l.Dips), s),
			withoutBorrowed(slices.Clone(l.Borrowed), s)
		l.Cuts = slices.DeleteFunc(slices.Clone(l.Cuts), func(at int64) bool { return at >= s.From && at <= s.To })
		return nil
	})
	if err != nil {
		return Change{}, "", err
	}
	return d.finish(), laneWords("restore", clip, c.Channel), nil
}

// Borrow lays a stretch of another take over one channel, crossfaded at both ends.
type Borrow struct {
	Clip        string  `json:"clip"`
	Channel     int     `json:"channel"`
	Span                // of the reel
	Take        string  `json:"take"`
	TakeChannel int     `json:"takeChannel"`      // from 0
	Offset      int64   `json:"offset,omitempty"` // frame of the take that sounds at From
	GainDB      float64 `json:"gainDB,omitempty"`
	Fade        Fade    `json:"fade,omitzero"`
	Quiet       *Span   `json:"quiet,omitempty"` // frames of the take that are spread as room tone; it has no offset then
}

// checkQuiet tells whether a take has the quiet that is spread.
func (b Borrowed) checkQuiet(from TakeInfo, rate int) error {
	if b.Quiet == nil {
		return nil
	}
	if n := float64(b.Quiet.To - b.Quiet.From); n < LeastQuiet*float64(rate) || n > MostQuiet*float64(rate) {
		return broken("Room tone is made of %g to %d seconds of quiet", LeastQuiet, MostQuiet)
	}
	if b.Quiet.To > from.Frames {
		return broken("%s is over before the quiet that was chosen", from.Title)
	}
	return nil
}

func (c Borrow) Plan(r *Reel, known Known) (Change, string, error) {
	if err := checkGain(c.GainDB); err != nil {
		return Change{}, "", err
	}
	if c.Take == "" || c.TakeChannel < 0 {
		return Change{}, "", fault.New(fault.BadInput, "Choose the take to borrow from")
	}
	if c.Channel == AllLanes {
		return Change{}, "", fault.New(fault.BadInput, "Borrowed sound lies over one channel; choose which")
	}
	from, err := known.Take(c.Take)
	if err != nil {
		return Change{}, "", err
	}
	if c.TakeChannel >= from.Channels {
		return Change{}, "", fault.New(fault.NotFound, "%s has no channel %d", from.Title, c.TakeChannel+1)
	}
	d := newDraft(r)
	clip, err := d.lanes(c.Clip, c.Channel, func(clip Clip, l *Lane) error {
		s, err := within(clip, c.From, c.To)
		if err != nil {
			return err
		}
		b := Borrowed{Span: s, Take: c.Take, Title: from.Title, Channel: c.TakeChannel, Offset: c.Offset + max(0, clip.Start-c.From),
			GainDB: c.GainDB, Fade: c.Fade, Quiet: c.Quiet}
		if c.Quiet != nil {
			b.Offset = s.From // one tone all over the clip, however often it is filled
		}
		if err := b.checkQuiet(from, r.Head.SampleRate); err != nil {
			return err
		}
		b.Fade.Length = min(max(b.Fade.Length, Ramp), (s.To-s.From)/2)
		if err := checkFade(b.Fade, s.To-s.From); err != nil {
			return err
		}
		l.Borrowed = append(withoutBorrowed(slices.Clone(l.Borrowed), s), b)
		slices.SortFunc(l.Borrowed, func(a, b Borrowed) int { return int(a.From - b.From) })
		return nil
	})
	if err != nil {
		return Change{}, "", err
	}
	return d.finish(), laneWords(map[bool]string{true: "room tone", false: "borrow"}[c.Quiet != nil]+" from "+from.Title+" for", clip, c.Channel), nil
}
