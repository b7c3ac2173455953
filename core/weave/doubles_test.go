package weave

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/reel"
)

func messages(r *reel.Reel, rule Rule) (said []string) {
	for _, f := range Findings(r) {
		if f.Rule == rule {
			said = append(said, f.Message)
		}
	}
	return said
}

// A take that is laid once more where it lies is 6 dB louder, which is said; what only looks like it is not.
func TestATakeThatIsLaidTwice(t *testing.T) {
	part := func(channel int) []reel.PartPlan {
		return []reel.PartPlan{{Name: "Copy", Stem: "DX", Channels: []int{channel}, Labels: mono}}
	}
	twice := reel.AddTake{Take: "a", Title: "12A/3", Length: 10, Parts: part(0)}
	r, boom, _ := crossing(t)
	apply(t, r, twice)
	assert.Equal(t, []string{"12A/3 is laid twice at 00:00:00:00, on Boom and on Copy; together they arrive at Dialogue L 6.0 dB louder"},
		messages(r, Doubled))
	for _, f := range Findings(r) {
		if f.Rule == Doubled {
			c, err := f.Fix.Command.Decode()
			require.NoError(t, err)
			apply(t, r, c)
		}
	}
	assert.Empty(t, messages(r, Doubled), "one of them is muted")
	for name, change := range map[string]func(r *reel.Reel){
		"another channel of it": func(r *reel.Reel) { apply(t, r, reel.AddTake{Take: "a", Title: "12A/3", Length: 10, Parts: part(1)}) },
		"another place": func(r *reel.Reel) {
			apply(t, r, reel.AddTake{Take: "a", Title: "12A/3", Start: 5, Length: 10, Parts: part(0)})
		},
		"another output": func(r *reel.Reel) {
			apply(t, r, twice)
			tracks, mx := r.TrackList(), "MX"
			apply(t, r, reel.SetTrack{Track: tracks[len(tracks)-1].ID, Stem: &mx})
			apply(t, r, reel.ClearKnots{At: []reel.Crossing{{Row: reel.StemRow, From: "MX", Output: "all/M"}}})
		},
		"polarity turned": func(r *reel.Reel) {
			apply(t, r, twice)
			turned := true
			for _, c := range r.ClipList() {
				if c.Take == "a" && c.Track != boom {
					apply(t, r, reel.SetLane{Clip: c.ID, Channel: 0, Invert: &turned})
				}
			}
		},
	} {
		r, _, _ := crossing(t)
		change(r)
		assert.Empty(t, messages(r, Doubled), name)
	}
	curve := func(of reel.CurveOf, id string, points ...reel.Point) func(r *reel.Reel) {
		return func(r *reel.Reel) {
			apply(t, r, twice)
			if of == "clip" {
				clips := r.ClipList()
				id = clips[slices.IndexFunc(clips, func(c reel.Clip) bool { return c.Take == "a" && c.Track != boom })].ID
			}
			apply(t, r, reel.SetCurve{Of: of, ID: id, What: reel.GainCurve, Points: points})
		}
	}
	for name, c := range map[string]struct {
		change func(r *reel.Reel)
		dB     string // how much louder, or nothing where it is not said
	}{
		"a clip that its curve hushes": {curve("clip", "", reel.Point{At: 0, Value: -90}), ""},
		"a clip that its curve leaves": {curve("clip", "", reel.Point{At: 0, Value: -6}), "3.5 dB"},
	} {
		r, _, _ := crossing(t)
		c.change(r)
		if said := messages(r, Doubled); c.dB == "" {
			assert.Empty(t, said, name)
		} else if assert.Len(t, said, 1, name) {
			assert.Contains(t, said[0], c.dB+" louder", name)
		}
	}
	long := reel.AddTake{Take: "c", Title: "Long", Length: 90000, Frames: 90000, Parts: part(0)}
	r, _, _ = crossing(t)
	apply(t, r, long)
	apply(t, r, reel.CutClips{At: 40000})
	var halves []string
	for _, c := range r.ClipList() {
		if c.Take == "c" {
			halves = append(halves, c.ID)
		}
	}
	apply(t, r, reel.Crossfade{Left: halves[0], Right: halves[1], Length: 4000, Curve: reel.Power})
	assert.Empty(t, messages(r, Doubled), "a crossfade within a take")
}

// Two languages that arrive at two levels by the ways that they take are pointed out; a voice that is lifted on its track is not.
func TestLanguagesArriveAtOneLevel(t *testing.T) {
	r, _, _ := crossing(t)
	for _, language := range []string{"English", "Portuguese"} {
		apply(t, r, reel.AddTake{Take: language, Title: language, Length: 10, Parts: []reel.PartPlan{{Name: language, Stem: "NX",
			Strand: language, Channels: []int{0}, Labels: mono}}})
		other := map[string]string{"English": "Portuguese", "Portuguese": "English"}[language]
		apply(t, r, reel.SetMix{Name: language, Language: language[:3], Labels: pair, Rest: true,
			Terms: []reel.Term{{Row: reel.StrandRow, From: reel.StrandID("NX", other), Out: true}}})
		mixes := r.MixList()
		apply(t, r, reel.SetGroup{Name: language + " stereo", Layout: "stereo", Feed: &reel.Feeder{Row: reel.MixRow, From: mixes[len(mixes)-1].ID}})
	}
	require.Empty(t, messages(r, Language))
	tracks := r.TrackList()
	last, dual, gain := tracks[len(tracks)-1].ID, true, 3.0
	apply(t, r, reel.SetTrack{Track: last, GainDB: &gain})
	require.Empty(t, messages(r, Language), "the voice is lifted")
	apply(t, r, reel.SetTrack{Track: last, Dual: &dual})
	require.Equal(t, []string{"The narration arrives 3.0 dB louder in Portuguese stereo than in English stereo"}, messages(r, Language))
	for _, f := range Findings(r) {
		if f.Rule == Language {
			c, err := f.Fix.Command.Decode()
			require.NoError(t, err)
			apply(t, r, c)
		}
	}
	require.Empty(t, messages(r, Language))
}
