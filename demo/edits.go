package demo

import (
	"fmt"

	"zestyloom/core/reel"
)

// Edit is one step of the demo's reel: what it does is worked out on the reel as it is by then.
type Edit func(r *reel.Reel) (reel.Command, error)

// second gives the sample so many seconds after the reel's start.
func second(r *reel.Reel, s float64) int64 { return r.Head.Start + int64(s*float64(r.Head.SampleRate)) }

// span gives a range in seconds after the reel's start.
func span(r *reel.Reel, from, to float64) reel.Span {
	return reel.Span{From: second(r, from), To: second(r, to)}
}

// clipOn finds the clip of a track that lies at a second after the reel's start.
func clipOn(r *reel.Reel, track string, at float64) (reel.Clip, error) {
	for _, c := range r.ClipList() {
		if r.Tracks[c.Track].Name == track && c.Start <= second(r, at) && second(r, at) < c.End() {
			return c, nil
		}
	}
	return reel.Clip{}, fmt.Errorf("the demo's reel has no clip on %s at %g s", track, at)
}

// onClip makes an edit of a clip.
func onClip(track string, at float64, command func(r *reel.Reel, c reel.Clip) reel.Command) Edit {
	return func(r *reel.Reel) (reel.Command, error) {
		c, err := clipOn(r, track, at)
		if err != nil {
			return nil, err
		}
		return command(r, c), nil
	}
}

// onTrack makes an edit of a track.
func onTrack(name string, command func(r *reel.Reel, id string) reel.Command) Edit {
	return func(r *reel.Reel) (reel.Command, error) {
		for _, t := range r.Tracks {
			if t.Name == name {
				return command(r, t.ID), nil
			}
		}
		return nil, fmt.Errorf("the demo's reel has no track %s", name)
	}
}

func folder(name string, tracks ...string) []Edit {
	var edits []Edit
	for _, t := range tracks {
		edits = append(edits, onTrack(t, func(_ *reel.Reel, id string) reel.Command { return reel.SetTrack{Track: id, Folder: &name} }))
	}
	return edits
}

// Edits cut the demo's reel, with every kind of edit that there is. takes gives the IDs of takes by file name.
func Edits(takes map[string]string) []Edit {
	power := func(seconds float64) *reel.Fade {
		return &reel.Fade{Length: int64(seconds * rate), Curve: reel.Power}
	}
	yes := true
	lane := func(track string, at float64, channel int, set reel.SetLane) Edit {
		return onClip(track, at, func(_ *reel.Reel, c reel.Clip) reel.Command {
			set.Clip, set.Channel = c.ID, channel
			return set
		})
	}
	hush := func(track string, from, to float64) Edit {
		return onClip(track, from, func(r *reel.Reel, c reel.Clip) reel.Command {
			return reel.Hush{Clip: c.ID, Channel: reel.AllLanes, Span: span(r, from, to)}
		})
	}
	mark := func(name string, at, length float64, note string) Edit {
		return func(r *reel.Reel) (reel.Command, error) {
			return reel.SetMark{Name: name, At: second(r, at), Length: int64(length * rate), Note: note}, nil
		}
	}
	fades := func(track string, at float64, in, out *reel.Fade) Edit {
		return onClip(track, at, func(_ *reel.Reel, c reel.Clip) reel.Command {
			return reel.SetClip{Clip: c.ID, FadeIn: in, FadeOut: out}
		})
	}
	db := func(x float64) *float64 { return &x }
	edits := []Edit{
		// 12A: rope creaks in the first line, so it is borrowed from take 1; lavs are hushed while nobody speaks.
		onClip("Ines lav", 34, func(r *reel.Reel, c reel.Clip) reel.Command {
			return reel.Borrow{Clip: c.ID, Channel: 0, Span: span(r, 33.6, 37.4), Take: takes["LF03_12A_T01.wav"], TakeChannel: 3,
				Offset: int64(1.1 * rate), Fade: *power(0.06)}
		}),
		hush("Tobiah lav", 32.4, 37.6),
		hush("Radio", 32.4, 47.4),
		onClip("Ines lav", 41, func(r *reel.Reel, c reel.Clip) reel.Command {
			return reel.DipRange{Clip: c.ID, Channel: 0, Span: span(r, 38.2, 42), GainDB: -9, Ramp: 2400}
		}),
		fades("Boom", 34, power(0.4), power(0.6)),
		// 12B: the boom is only used around Ines's line; the radio comes a little late on purpose.
		onTrack("Boom", func(r *reel.Reel, id string) reel.Command {
			return reel.CutOut{Span: span(r, 55, 60.5), Tracks: []string{id}}
		}),
		onClip("Boom", 62, func(_ *reel.Reel, c reel.Clip) reel.Command {
			return reel.SetClip{Clip: c.ID, GainDB: db(-3), FadeIn: power(0.25), FadeOut: power(0.5)}
		}),
		onClip("Radio", 56, func(_ *reel.Reel, c reel.Clip) reel.Command {
			return reel.MoveClips{Clips: []string{c.ID}, By: 3 * 1920, Alone: true, Untie: true}
		}),
		onTrack("Radio", func(r *reel.Reel, id string) reel.Command {
			return reel.SetCurve{Of: reel.OfTrack, ID: id, What: "pan", Points: []reel.Point{{At: second(r, 48), Value: 0},
				{At: second(r, 56), Value: 0.35}, {At: second(r, 66), Value: -0.2}}}
		}),
		// 14: cut for all, the end of the boom alone is taken away under the bell.
		onClip("Boom", 80, func(r *reel.Reel, c reel.Clip) reel.Command {
			return reel.CutClips{At: second(r, 78.5), Clips: []string{c.ID}}
		}),
		onClip("Boom", 80, func(r *reel.Reel, c reel.Clip) reel.Command {
			return reel.CutClips{At: second(r, 86.9), Clips: []string{c.ID}, Alone: true}
		}),
		onClip("Boom", 88, func(_ *reel.Reel, c reel.Clip) reel.Command { return reel.RemoveClips{Clips: []string{c.ID}} }),
		onClip("Tobiah lav", 87, func(_ *reel.Reel, c reel.Clip) reel.Command {
			return reel.TrimClip{Clip: c.ID, Edge: reel.EndEdge, By: -1 * rate, Alone: true}
		}),
		// 18C: one clip with four channels, worked on inside, tied to the picture where it was laid.
		lane("18C deck", 96, 3, reel.SetLane{GainDB: db(-9), Invert: &yes, FadeIn: power(1), FadeOut: power(1)}),
		lane("18C deck", 96, 1, reel.SetLane{Delay: ptr(int64(96))}),
		onClip("18C deck", 96, func(r *reel.Reel, c reel.Clip) reel.Command {
			return reel.CutLane{Clip: c.ID, Channel: 2, At: second(r, 100.5)}
		}),
		onClip("18C deck", 96, func(r *reel.Reel, c reel.Clip) reel.Command {
			return reel.Hush{Clip: c.ID, Channel: 2, Span: span(r, 100.5, 104.6)}
		}),
		onClip("18C deck", 96, func(r *reel.Reel, c reel.Clip) reel.Command {
			return reel.DipRange{Clip: c.ID, Channel: 1, Span: span(r, 94.2, 100), GainDB: -12, Ramp: 4800}
		}),
		onClip("18C deck", 96, func(_ *reel.Reel, c reel.Clip) reel.Command {
			return reel.TieClips{Clips: []string{c.ID}, Picture: true}
		}),
		onClip("Alternates", 4, func(_ *reel.Reel, c reel.Clip) reel.Command { return reel.SetClip{Clip: c.ID, Mute: &yes} }),
		onClip("Narration Portuguese", 5, func(_ *reel.Reel, c reel.Clip) reel.Command { return reel.SetClip{Clip: c.ID, Mute: &yes} }),
		// Music goes down under the narration and the radio, and ends in a waltz.
		onClip("Accordion cue", 20, func(r *reel.Reel, c reel.Clip) reel.Command {
			return reel.RangeGain{Of: reel.OfClip, IDs: []string{c.ID}, Span: span(r, 2.6, 12), GainDB: -7, Ramp: rate / 2}
		}),
		onTrack("Accordion cue", func(r *reel.Reel, id string) reel.Command {
			return reel.SetCurve{Of: reel.OfTrack, ID: id, What: "gain", Points: []reel.Point{{At: second(r, 30), Value: 0},
				{At: second(r, 32), Value: -5}, {At: second(r, 51), Value: -5}, {At: second(r, 53), Value: 0}}}
		}),
		fades("Accordion cue", 20, power(1.5), &reel.Fade{Length: 6 * rate, Curve: reel.Ess}),
		fades("Ferry waltz", 100, power(2), &reel.Fade{Length: 4 * rate, Curve: reel.Ess}),
		// Effects: the chain again and again, from left to right; the winch is settled afterwards.
		fades("Winch", 80, &reel.Fade{Length: rate / 4}, &reel.Fade{Length: 2 * rate, Curve: reel.Ess}),
		onClip("Winch", 80, func(r *reel.Reel, c reel.Clip) reel.Command {
			return reel.SetCurve{Of: reel.OfClip, ID: c.ID, What: "gain", Points: []reel.Point{{At: second(r, 78), Value: -8},
				{At: second(r, 82), Value: 0}, {At: second(r, 88), Value: -4}}}
		}),
		onClip("Chain", 74, func(r *reel.Reel, c reel.Clip) reel.Command {
			return reel.SetCurve{Of: reel.OfClip, ID: c.ID, What: "pan", Points: []reel.Point{{At: second(r, 72), Value: -0.6},
				{At: second(r, 77), Value: 0.6}}}
		}),
		onClip("Chain", 74, func(r *reel.Reel, c reel.Clip) reel.Command {
			return reel.PasteClips{Clips: []reel.Clip{c}, Tracks: []reel.Track{r.Tracks[c.Track]}, At: ptr(second(r, 111))}
		}),
		onClip("Bell", 88, func(r *reel.Reel, c reel.Clip) reel.Command {
			return reel.PasteClips{Clips: []reel.Clip{c}, Tracks: []reel.Track{r.Tracks[c.Track]}, At: ptr(second(r, 113))}
		}),
		// The river: the bed is laid on once more and crossfaded, the bank and the deck come in slowly.
		onClip("River bed", 20, func(r *reel.Reel, c reel.Clip) reel.Command {
			return reel.TrimClip{Clip: c.ID, Edge: reel.EndEdge, By: -10 * rate}
		}),
		onClip("River bed", 20, func(r *reel.Reel, c reel.Clip) reel.Command {
			c.Offset, c.Length = 8*rate, 35*rate
			return reel.PasteClips{Clips: []reel.Clip{c}, Tracks: []reel.Track{r.Tracks[c.Track]}, At: ptr(second(r, 85))}
		}),
		func(r *reel.Reel) (reel.Command, error) {
			left, err := clipOn(r, "River bed", 20)
			if err != nil {
				return nil, err
			}
			right, err := clipOn(r, "River bed", 90)
			return reel.Crossfade{Left: left.ID, Right: right.ID, Length: 4 * rate, Curve: reel.Power}, err
		},
		fades("River bed", 110, nil, &reel.Fade{Length: 3 * rate, Curve: reel.Ess}),
		fades("River bank", 60, power(3), power(4)),
		fades("Deck field", 100, power(2), power(3)),
		mark("First words", 34, 0, "Ines, borrowed from take 1: rope creaks in take 3"),
		mark("Radio late", 55.5, 0, "Three frames late on purpose: it comes from across the river"),
		mark("Crossing", 74, 16, "Winch and chain carry this; keep the lavs down"),
		mark("Landing", 110, 0, "Last bell"),
	}
	edits = append(edits, folder("Dialogue", "Boom", "Ines lav", "Tobiah lav", "Radio", "18C deck", "Alternates")...)
	edits = append(edits, folder("River", "River bed", "River bank", "Deck field", "Wheelhouse plant")...)
	return edits
}

// What is settled at the end: the clip of this track that lies at this second after the reel's start.
const (
	SettledTrack = "Winch"
	SettledAt    = 80.0
)

// Find gives the clip of a track that lies at a second after the reel's start.
func Find(r *reel.Reel, track string, at float64) (reel.Clip, error) { return clipOn(r, track, at) }

func ptr[T any](x T) *T { return &x }
