package reel

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/layout"
	"zestyloom/core/timecode"
)

// What a reel has beyond its tracks is what the next one begins with, under the same IDs.
func TestOutsetOfAReel(t *testing.T) {
	r := New("Reel 1", 48000, timecode.Rate{Num: 25, Den: 1}, 0, DefaultStems())
	wide := []string{"L", "R", "C", "LFE", "Ls", "Rs"}
	law := 4.5
	for _, c := range []Command{
		SetStem{Stem: "DX", Labels: &wide}, SetMix{Name: "Full", Labels: wide, Rest: true},
		SetReel{PanLaw: &law, Angles: &layout.Angles{"Ls": {Azimuth: 120}}},
		AddTake{Take: "boom", Title: "12A/3", Length: 48000, Parts: []PartPlan{{Name: "Boom", Stem: "DX", Strand: "Ines", Channels: []int{0}, Labels: []string{"M"}}}},
	} {
		do(t, r, c)
	}
	track, full := r.TrackList()[0].ID, r.MixList()[0].ID
	do(t, r, SetGroup{Name: "Full", Layout: "5.1", Feed: &Feeder{Row: MixRow, From: full}})
	do(t, r, SetGroup{Name: "Ines", Layout: "mono", Feed: &Feeder{Row: StrandRow, From: StrandID("DX", "Ines")}})
	do(t, r, SetGroup{Name: "Boom", Layout: "mono", Feed: &Feeder{Row: TrackRow, From: track}})
	out := r.OutputList()
	do(t, r, SetKnots{Knots: []Crosspoint{{Row: StemRow, From: "MX", Output: out[0].ID}, {Row: TrackRow, From: track, Output: out[1].ID}, {Row: MixRow, From: full, Channel: 2, Output: out[2].ID, Invert: true}}})

	kept, err := json.Marshal(OutsetOf(r)) // as it is stored
	require.NoError(t, err)
	var o Outset
	require.NoError(t, json.Unmarshal(kept, &o))
	next, err := o.Begin("Reel 2", 48000, timecode.Rate{Num: 24, Den: 1}, 3600)
	require.NoError(t, err)
	assert.Equal(t, r.Stems, next.Stems)
	assert.Equal(t, r.Mixes, next.Mixes)
	assert.Equal(t, r.OutputList(), next.OutputList())
	assert.Len(t, next.Knots, 2, "that of the track stayed behind")
	assert.Empty(t, next.Tracks)
	assert.Nil(t, next.GroupList()[2].Feed, "a track fed it")
	assert.Equal(t, r.GroupList()[1].Feed, next.GroupList()[1].Feed, "a strand that comes with its tracks")
	assert.Equal(t, Head{Name: "Reel 2", SampleRate: 48000, FrameRate: timecode.Rate{Num: 24, Den: 1}, Start: 3600, PanLaw: 4.5, Angles: layout.Angles{"Ls": {Azimuth: 120}}, Next: r.Head.Next}, next.Head)
	assert.NotNil(t, r.Groups[r.GroupList()[2].ID].Feed, "the first reel stays as it is")

	o.Knots["x"] = Knot{ID: "x"}
	_, err = o.Begin("Reel 3", 48000, timecode.Rate{Num: 24, Den: 1}, 0)
	require.Error(t, err)
}
