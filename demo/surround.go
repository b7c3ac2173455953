package demo

import (
	"fmt"
	"math"

	"zestyloom/core/mix"
	"zestyloom/core/reel"
)

// SurroundReel is the name of the demo's second reel.
const SurroundReel = "Reel 2, Crossing in 5.1"

// SurroundLayout is what lies on it: the same crossing, laid for a room.
func SurroundLayout() []Placed {
	return []Placed{
		{File: "LF03_12A_T03.wav", Channels: []int{3, 4, 5, 8}, GainDB: 0.3, Stem: "DX"},
		{File: "LF03_12B_T01.wav", Channels: []int{3, 4, 8}, GainDB: 0.3, Stem: "DX"},
		{File: "LF03_14_T01.wav", Channels: []int{1, 2, 3}, GainDB: 0.3, Stem: "DX"},
		{File: "Narration English.wav", At: "10:00:03:12", GainDB: 1, Stem: "NX", Track: "Narration English"},
		{File: "Narration Portuguese.wav", At: "10:00:03:12", GainDB: 1, Stem: "NX", Track: "Narration Portuguese"},
		{File: "Accordion cue.wav", At: "10:00:01:00", GainDB: -1.5, Stem: "MX"},
		{File: "Ferry waltz", At: "10:01:34:00", GainDB: -2, Stem: "MX", Track: "Ferry waltz"},
		{File: "Winch.wav", At: "10:01:17:12", GainDB: -3, Stem: "FX"},
		{File: "Chain.wav", At: "10:01:12:00", GainDB: -6, Stem: "FX"},
		{File: "Bell.wav", At: "10:01:26:20", GainDB: -3, Stem: "FX"},
		{File: "River bed.wav", At: "10:00:00:00", GainDB: -4, Stem: "AX"},
		{File: "River bank", At: "10:00:54:00", GainDB: -12, Stem: "AX", Track: "River bank"},
		{File: "Deck field.wav", At: "10:01:34:00", GainDB: -10, Stem: "AX", Track: "Deck field"},
	}
}

// SurroundEdits make the stems wide, place and move what sounds in the room, and lay out a 5.1 mix in two languages, its
// stereo, and an M&E. The spec's own groups make room for them.
func SurroundEdits() []Edit {
	yes, front, lfe, turn, narrow, tilt := true, 1.0, -30.0, 20.0, 0.25, 10.0
	edits := wideStems()
	for _, track := range []string{"Boom", "Ines lav", "Tobiah lav", "Radio", "Narration English", "Narration Portuguese", "Winch", "Chain",
		"Bell"} {
		edits = append(edits, onTrack(track, func(_ *reel.Reel, id string) reel.Command {
			return reel.SetTrack{Track: id, Placed: &yes, Front: &front}
		}))
	}
	edits = append(edits,
		onTrack("Winch", func(_ *reel.Reel, id string) reel.Command { return reel.SetTrack{Track: id, LFEDB: &lfe} }),
		onTrack("Ferry waltz", func(_ *reel.Reel, id string) reel.Command { return reel.SetTrack{Track: id, Narrow: &narrow} }),
		onTrack("Deck field", func(_ *reel.Reel, id string) reel.Command {
			return reel.SetTrack{Track: id, Turn: &turn, Pitch: &tilt}
		}),
		moved("Bell", reel.PanCurve, math.Sin), moved("Bell", reel.FrontCurve, math.Cos),
		specGroupsGo,
	)
	edits = append(edits, twoLanguages()...)
	return append(edits,
		ofMix("English 5.1", "ENG", "5.1", "English"), foldOf("English stereo", "ENGST", "English 5.1"), ofMix("M&E 5.1", "ME", "5.1", "M&E"),
		ofMix("Portuguese 5.1", "POR", "5.1", "Portuguese"),
	)
}

// wideStems makes all stems 5.1 wide.
func wideStems() (edits []Edit) {
	for _, stem := range []string{"DX", "NX", "MX", "FX", "AX"} {
		edits = append(edits, just(reel.SetStem{Stem: stem, Labels: &surround, Yes: true}))
	}
	return edits
}

// twoLanguages makes a mix of all with either narration, and one without voices.
func twoLanguages() []Edit {
	return []Edit{
		just(reel.SetMix{Name: "English", Language: "eng", Labels: surround, Rest: true,
			Terms: []reel.Term{{Row: reel.StrandRow, From: reel.StrandID("NX", "Portuguese"), Out: true}}}),
		just(reel.SetMix{Name: "Portuguese", Language: "por", Labels: surround, Rest: true,
			Terms: []reel.Term{{Row: reel.StrandRow, From: reel.StrandID("NX", "English"), Out: true}}}),
		just(reel.SetMix{Name: "M&E", Labels: surround, Rest: true, Terms: []reel.Term{{Row: reel.StemRow, From: "DX", Out: true},
			{Row: reel.StemRow, From: "NX", Out: true}}}),
	}
}

func just(c reel.Command) Edit {
	return func(*reel.Reel) (reel.Command, error) { return c, nil }
}

// moved draws a curve of a place once around the room while the track's first clip sounds.
func moved(track string, what reel.Parameter, by func(float64) float64) Edit {
	return onTrack(track, func(r *reel.Reel, id string) reel.Command {
		var from, to int64
		for _, c := range r.ClipList() {
			if c.Track == id && to == 0 {
				from, to = c.Start, c.End()
			}
		}
		const steps = 32
		var points []reel.Point
		for i := range int64(steps + 1) {
			points = append(points, reel.Point{At: from + (to-from)*i/steps, Value: math.Round(by(2*math.Pi*float64(i)/steps)*1000) / 1000})
		}
		return reel.SetCurve{Of: reel.OfTrack, ID: id, What: what, Points: points}
	})
}

// specGroupsGo takes the groups away that the spec has brought.
func specGroupsGo(r *reel.Reel) (reel.Command, error) {
	c := reel.RemoveGroups{Yes: true}
	for _, g := range r.GroupList() {
		c.Groups = append(c.Groups, g.ID)
	}
	return c, nil
}

func ofMix(name, tag, layout, of string) Edit {
	return func(r *reel.Reel) (reel.Command, error) {
		for _, m := range r.MixList() {
			if m.Name == of {
				return reel.SetGroup{Name: name, Tag: tag, Layout: layout, Feed: &reel.Feeder{Row: reel.MixRow, From: m.ID, Fold: foldFor(layout)}}, nil
			}
		}
		return nil, fmt.Errorf("the demo's reel has no mix %s", of)
	}
}

// foldFor says that a mix in 5.1 is meant to be folded for a narrower group.
func foldFor(layout string) *mix.Fold {
	if layout != "stereo" {
		return nil
	}
	fold := mix.Usual()
	return &fold
}

func foldOf(name, tag, of string) Edit {
	return func(r *reel.Reel) (reel.Command, error) {
		for _, g := range r.GroupList() {
			if g.Name == of {
				fold := mix.Usual()
				return reel.SetGroup{Name: name, Tag: tag, Layout: "stereo", Feed: &reel.Feeder{Row: reel.GroupRow, From: g.ID, Fold: &fold}}, nil
			}
		}
		return nil, fmt.Errorf("the demo's reel has no output group %s", of)
	}
}
