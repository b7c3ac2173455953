package reload

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/contract"
	"zestyloom/core/desk"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
)

// known are the takes of a movie with a mix and a music stream.
var known = map[Source]Take{{"x.mov", 0}: {"a", "Mix", 48000, 96000, true}, {"x.mov", 1}: {"b", "Music", 48000, 96000, false}}

func receipt() desk.Receipt {
	r := desk.Receipt{FrameRate: timecode.Rate{Num: 25, Den: 1}, Files: []desk.File{{Name: "x.mov", Pictures: 1, Timecode: "10:00:00:00",
		Streams: []desk.Stream{{Rate: 48000, Channels: 2}, {Rate: 48000, Channels: 2}}}}}
	for i, name := range []string{"Full mix", "Music"} {
		for c, label := range []string{"L", "R"} {
			r.Places = append(r.Places, desk.Place{File: "x.mov", Stream: i, Channel: c, Group: []string{"mix", "music"}[i], Name: name, Label: label})
		}
	}
	return r
}

// A movie that is loaded as a reel has its picture where it was, its groups as they were, and what the spec says of them.
func TestAMovieKeepsItsPicture(t *testing.T) {
	spec := &contract.Spec{ID: "s", Groups: []contract.Group{{ID: "mix", Name: "Full mix", Tag: "MIX", Layout: "stereo", Language: "eng"},
		{ID: "music", Name: "Music", Tag: "MX", Layout: "stereo", From: contract.Source{Stem: "MX"}}}}
	step, err := Load(receipt(), "x", known, spec, 48000)
	require.NoError(t, err)
	start, files := Start(receipt(), 48000)
	assert.Equal(t, []int64{36000 * 48000, 36000 * 48000}, []int64{start, files})
	r := reel.New("x", 48000, timecode.Rate{Num: 25, Den: 1}, start, reel.DefaultStems())
	change, _, err := step.Plan(r, reel.Takes{"a": {Title: "Mix", Channels: 2, Frames: 96000, SampleRate: 48000},
		"b": {Title: "Music", Channels: 2, Frames: 96000, SampleRate: 48000}})
	require.NoError(t, err)
	require.NoError(t, r.Apply(change))
	assert.Equal(t, reel.Picture{Take: "a", Start: files}, r.Head.Picture)
	groups := r.GroupList()
	require.Len(t, groups, 2)
	assert.Equal(t, []string{"Full mix", "MIX", "stereo", "eng"}, []string{groups[0].Name, groups[0].Tag, groups[0].Layout, groups[0].Language})
	assert.Len(t, r.Knots, 4)
}
