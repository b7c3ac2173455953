package reel

import (
	"fmt"
	"slices"
	"strings"

	"zestyloom/core/fault"
)

// together gives clips by ID with, unless alone, all that are tied to them, by start.
func (d *draft) together(ids []string, alone bool) ([]Clip, error) {
	if len(ids) == 0 {
		return nil, fault.New(fault.BadInput, "Choose a clip first")
	}
	chosen, ties := map[string]bool{}, map[string]bool{}
	for _, id := range ids {
		c, ok := d.clips.get(id)
		if !ok {
			return nil, noClip()
		}
		chosen[id] = true
		if c.Tie != "" && !alone {
			ties[c.Tie] = true
		}
	}
	var out []Clip
	for c := range d.clips.all() {
		if chosen[c.ID] || ties[c.Tie] {
			out = append(out, c)
		}
	}
	slices.SortFunc(out, byStart)
	return out, nil
}

func noClip() error { return fault.New(fault.NotFound, "This clip is no longer on the reel") }

// shift is clips whose sound is about to lie elsewhere in time.
type shift struct {
	draft *draft
	clips []Clip
	by    int64
	untie bool // it may put clips out of sync
	fresh bool // the clips part for good from those of their tie that stay: they get a tie of their own
}

// ties works out what the shift does to ties, and changes Tie, Was and Home of the clips. It is refused with Unties
// where clips would come out of sync with others that stay or with the picture.
//
// A tie that moves as a whole stays in sync, and takes the home of clips that were untied from it along. Home by the
// picture never moves.
func (s shift) ties() error {
	moving, whole := map[string]bool{}, map[string]bool{}
	for _, c := range s.clips {
		moving[c.ID] = true
		if c.Tie != "" {
			whole[c.Tie] = true
		}
	}
	left := map[string]int{} // clips of a tie that stay
	var others []Clip        // that were untied from one that moves
	for c := range s.draft.clips.all() {
		if c.Was != "" && c.Tie == "" && !moving[c.ID] && whole[c.Was] {
			others = append(others, c)
		}
		if whole[c.Tie] && !moving[c.ID] && (!s.fresh || s.apart(c)) {
			left[c.Tie]++
		}
	}
	var lost []string
	for _, c := range s.clips {
		if n := left[c.Tie]; c.Tie != "" && n > 0 {
			lost = append(lost, fmt.Sprintf("%s is tied to %s", c.Name, plural(n, "other clip")))
		} else if c.Picture && c.Slip() == 0 {
			lost = append(lost, c.Name+" is tied to the picture")
		}
	}
	if len(lost) > 0 && !s.untie {
		slices.Sort(lost)
		lost = slices.Compact(lost)
		more := ""
		if len(lost) > 3 {
			more, lost = fmt.Sprintf(" (and %d more)", len(lost)-3), lost[:3]
		}
		return fault.New(fault.Unties, "%s%s. This would put it %s out of sync", strings.Join(lost, "; "), more, s.draft.reel.Distance(s.by))
	}
	renamed := map[string]string{}
	for i := range s.clips {
		c := &s.clips[i]
		if c.Tie == "" {
			if c.Home != nil && !c.Picture && c.Was == "" {
				home := *c.Home + s.by
				c.Home = &home
			}
			continue
		}
		old, parts := c.Tie, left[c.Tie] > 0
		if !parts && !c.Picture && c.Home != nil {
			home := *c.Home + s.by
			c.Home = &home
		}
		switch {
		case s.fresh: // they stay tied to each other
			if renamed[old] == "" {
				renamed[old] = s.draft.id("tie")
			}
			c.Tie = renamed[old]
			if parts {
				c.Was = old
			}
		case parts:
			c.Tie, c.Was = "", old
		}
	}
	for _, c := range others {
		if left[c.Was] == 0 && !c.Picture && c.Home != nil {
			home := *c.Home + s.by
			c.Home = &home
			s.draft.clips.put(c.ID, c)
		}
	}
	return nil
}

// apart tells whether a clip that stays lies beside those that move, not wholly before them: only then is anything lost
// when the later part of a take moves away from the earlier.
func (s shift) apart(c Clip) bool {
	first := s.clips[0].Start
	for _, m := range s.clips {
		first = min(first, m.Start)
	}
	return c.End() > first
}

// Distance says a length in frames and samples.
func (r *Reel) Distance(by int64) string {
	if by < 0 {
		by = -by
	}
	rate := r.Head.FrameRate
	per := int64(r.Head.SampleRate) * rate.Den
	frames := by * rate.Num / per
	rest := by - (frames*per+rate.Num-1)/rate.Num
	switch {
	case frames == 0:
		return plural(int(by), "sample")
	case rest <= 0:
		return plural(int(frames), "frame")
	}
	return plural(int(frames), "frame") + " and " + plural(int(rest), "sample")
}

// Adrift is a clip that is out of sync.
type Adrift struct {
	Clip    string `json:"clip"`
	Samples int64  `json:"samples"` // how much later than in sync; negative is earlier
	Words   string `json:"words"`
}

// Adrifts lists the clips that are out of sync, by start.
func (r *Reel) Adrifts() []Adrift {
	out := []Adrift{}
	for _, c := range r.clipsThat(func(c Clip) bool { return c.Slip() != 0 }) {
		slip := c.Slip()
		words := r.Distance(slip) + map[bool]string{true: " late", false: " early"}[slip > 0]
		out = append(out, Adrift{c.ID, slip, words})
	}
	return out
}

// Untie lets clips go from those that they are tied to. Nothing moves yet.
type Untie struct {
	Clips []string `json:"clips"`
}

func (c Untie) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	clips, err := d.together(c.Clips, true)
	if err != nil {
		return Change{}, "", err
	}
	for _, clip := range clips {
		if clip.Tie != "" {
			clip.Was, clip.Tie = clip.Tie, ""
			d.clips.put(clip.ID, clip)
		}
	}
	return d.finish(), "untie " + clips[0].Name, nil
}

// TieBack brings clips back into sync: those that were untied go where those lie that they were tied to, and are tied to
// them; the others go where their take belongs. What lies there is not covered.
type TieBack struct {
	Clips []string `json:"clips"`
}

func (c TieBack) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	clips, err := d.together(c.Clips, false)
	if err != nil {
		return Change{}, "", err
	}
	ties := map[string]Clip{} // one of each tie there is
	for _, clip := range r.Clips {
		if clip.Tie != "" {
			ties[clip.Tie] = clip
		}
	}
	for _, clip := range clips {
		slip := int64(0)
		if with, there := ties[clip.Was]; there {
			clip.Tie, clip.Was, clip.Picture, slip = clip.Was, "", with.Picture, with.Slip()
		} else if clip.Tie == "" && clip.Was != "" {
			clip.Tie, clip.Was = clip.Was, ""
		}
		clip.Start += slip - clip.Slip()
		if err := checkPlace(r, clip); err != nil {
			return Change{}, "", err
		}
		d.clips.put(clip.ID, clip)
	}
	return d.finish(), "tie " + clips[0].Name + " back", nil
}

// TieClips ties clips to each other as they lie, and to the picture if asked. They are in sync then by definition.
type TieClips struct {
	Clips   []string `json:"clips"`
	Picture bool     `json:"picture,omitempty"`
}

func (c TieClips) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	clips, err := d.together(c.Clips, false)
	if err != nil {
		return Change{}, "", err
	}
	if len(clips) < 2 && !c.Picture {
		return Change{}, "", fault.New(fault.BadInput, "Choose two clips or more to tie, or tie one to the picture")
	}
	tie := ""
	if len(clips) > 1 {
		tie = d.id("tie")
	}
	picture := c.Picture || slices.ContainsFunc(clips, func(x Clip) bool { return x.Picture })
	for _, clip := range clips {
		home := clip.Start - clip.Offset
		clip.Tie, clip.Was, clip.Home, clip.Picture = tie, "", &home, picture
		d.clips.put(clip.ID, clip)
	}
	name := "tie " + plural(len(clips), "clip")
	if c.Picture {
		name += " to the picture"
	}
	return d.finish(), name, nil
}

func checkPlace(r *Reel, c Clip) error {
	if most := 2 * 24 * 3600 * int64(r.Head.SampleRate); c.Start < 0 || c.Length < 0 || c.Start > most || c.Length > most-c.Start {
		return fault.New(fault.BadInput, "%s would lie outside the clock", c.Name)
	}
	return nil
}
