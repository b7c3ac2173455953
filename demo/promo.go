package demo

import "zestyloom/core/reel"

// PromoReel is the name of the demo's third reel: a finished mix that came back as six mono files and goes out as a pair, two
// monos and a pair.
const PromoReel = "Reel 3, Promo mix returned"

// PromoLayout is what lies on it.
func PromoLayout() []Placed {
	return []Placed{
		{File: "Crossing promo MIX", At: ReelStart, Track: "Mix"},
		{File: "Crossing promo DIALOGUE.wav", At: ReelStart, Track: "Dialogue"},
		{File: "Crossing promo NARRATION.wav", At: ReelStart, Track: "Narration"},
		{File: "Crossing promo MUSIC", At: ReelStart, Track: "Music"},
	}
}

// PromoEdits have each track feed an output group of its own, whole, and no stem.
func PromoEdits() []Edit {
	none := ""
	edits := []Edit{specGroupsGo}
	for _, out := range []struct{ track, tag, layout string }{{"Mix", "MIX", "stereo"}, {"Dialogue", "DX", "mono"},
		{"Narration", "NX", "mono"}, {"Music", "MX", "stereo"}} {
		edits = append(edits,
			onTrack(out.track, func(_ *reel.Reel, id string) reel.Command { return reel.SetTrack{Track: id, Stem: &none} }),
			onTrack(out.track, func(_ *reel.Reel, id string) reel.Command {
				return reel.SetGroup{Name: out.track, Tag: out.tag, Layout: out.layout, Feed: &reel.Feeder{Row: reel.TrackRow, From: id}}
			}))
	}
	return edits
}
