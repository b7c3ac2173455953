package weave

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/chain"
	"zestyloom/core/reel"
)

func chained(t *testing.T, r *reel.Reel, row reel.Row, from string, steps ...chain.Step) {
	for i := range steps {
		steps[i].ID = string(rune('a' + i))
	}
	apply(t, r, reel.SetChain{Row: row, From: from, Steps: &steps})
}

// What a chain does is not known beforehand: nothing that has been through one stands on a grid, and a set that goes through one of its own is the
// sum of nothing. Through the chain of a stem its groups still add up.
func TestChainsInTheGraph(t *testing.T) {
	r, boom, _ := crossing(t)
	dual := true
	apply(t, r, reel.SetTrack{Track: boom, Dual: &dual})
	whole := func() bool {
		v := Judge(r, reel.Span{From: 0, To: 10})
		require.NotEmpty(t, v.Outputs[0].Arrivals)
		return v.Outputs[0].OnGrid(24, func(string) int { return 24 })
	}
	assert.True(t, whole())
	chained(t, r, reel.TrackRow, boom, chain.Step{Kind: chain.Bell})
	assert.False(t, whole(), "through the chain of a track")
	chained(t, r, reel.TrackRow, boom)
	chained(t, r, reel.StemRow, "DX", chain.Step{Kind: chain.Bell})
	assert.False(t, whole(), "through the chain of a stem")
	chained(t, r, reel.StemRow, "DX")
	clip := r.ClipList()[0]
	apply(t, r, reel.SetClipChain{Clips: []string{clip.ID}, Steps: []chain.Step{{ID: "1", Kind: chain.Bell}}})
	assert.False(t, whole(), "through the chain of a clip")
	apply(t, r, reel.SetClipChain{Clips: []string{clip.ID}, Steps: []chain.Step{{ID: "1", Kind: chain.Bell, Off: true}}})
	assert.True(t, whole(), "which is off")
	first := 0
	apply(t, r, reel.SetClipChain{Clips: []string{clip.ID}, Channel: &first, Steps: []chain.Step{{ID: "1", Kind: chain.Bell}}})
	assert.False(t, whole(), "through the chain of a channel")
	apply(t, r, reel.SetClipChain{Clips: []string{clip.ID}, Channel: &first, Steps: []chain.Step{{ID: "1", Kind: chain.Bell, Off: true}}})
	assert.True(t, whole(), "which is off")
	treat := func(channel int, off bool) {
		r.Treatments = map[string][]chain.Treatment{clip.Take: {{Channels: []int{channel}, Steps: []chain.Step{{ID: "1", Kind: chain.Bell}}, Off: off}}}
	}
	treat(clip.Channels[0], false)
	assert.False(t, whole(), "through a treatment")
	treat(clip.Channels[0], true)
	assert.True(t, whole(), "which is off")
	treat(clip.Channels[0]+1, false)
	assert.True(t, whole(), "of a channel that does not sound")
	treat(clip.Channels[0], false)
	apply(t, r, reel.SetClip{Clip: clip.ID, Untreated: &dual})
	assert.True(t, whole(), "which the clip has none of")
}

func TestSumsThroughChains(t *testing.T) {
	r, _, _ := crossing(t)
	groups := []reel.Group{{ID: "dx", Name: "Dialogue", Layout: "stereo", Labels: pair, Stems: []string{"DX"}},
		{ID: "mx", Name: "Music", Layout: "stereo", Labels: pair, Stems: []string{"MX"}},
		{ID: "mix", Name: "Mix", Layout: "stereo", Labels: pair, Stems: []string{"DX", "MX"}}}
	apply(t, r, reel.LayOutputs{Spec: "s", Title: "S", Groups: groups, Knots: GroupKnots(r, groups), Yes: true})
	found := func() int { return len(Sums(r, []string{"dx", "mx", "mix"})) }
	assert.Equal(t, 1, found())
	chained(t, r, reel.StemRow, "DX", chain.Step{Kind: chain.Limiter})
	assert.Equal(t, 1, found(), "both get what has been through it")
	chained(t, r, reel.GroupRow, "mix", chain.Step{Kind: chain.Limiter})
	assert.Zero(t, found(), "a mix that is limited by itself is not the sum of its stems")
}

// What drives a chain comes before what it drives, and stays with it where a reel is cut down to what reaches a row.
func TestWhatDrivesComesFirst(t *testing.T) {
	r, boom, cue := crossing(t)
	chained(t, r, reel.TrackRow, cue, chain.Step{Kind: chain.Compressor, Key: &chain.Key{Row: "stem", From: "DX"}})
	g, err := Compile(r)
	require.NoError(t, err)
	music, _ := g.Node(reel.TrackRow, cue)
	dialogue, _ := g.Node(reel.StemRow, "DX")
	assert.Greater(t, music, dialogue)
	for at, n := range g.Nodes {
		for _, e := range n.Out {
			assert.Greater(t, e.To, at, "each before all that it feeds")
		}
	}
	for _, o := range g.Outputs {
		assert.Equal(t, o.Group, g.Nodes[o.Node].ID)
	}
	part, err := Reaching(r, Groups([]string{"mx"}))
	require.NoError(t, err)
	assert.Contains(t, part.Tracks, boom)
	assert.Contains(t, part.Stems, "DX")
	part, err = Reaching(r, Groups([]string{"dx"}))
	require.NoError(t, err)
	assert.NotContains(t, part.Tracks, cue)
	assert.Empty(t, part.Chains)
}

// A clip that pans by itself where all of its mono track goes through a chain is found.
func TestPansThatCantAct(t *testing.T) {
	r, boom, _ := crossing(t)
	clip := r.ClipList()[0]
	apply(t, r, reel.SetCurve{Of: reel.OfClip, ID: clip.ID, What: reel.PanCurve, Points: []reel.Point{{At: 0, Value: -1}, {At: 9, Value: 1}}})
	assert.NotContains(t, rulesOf(r), Still)
	chained(t, r, reel.TrackRow, boom, chain.Step{Kind: chain.Bell})
	assert.Contains(t, rulesOf(r), Still)
}
