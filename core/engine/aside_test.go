package engine

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/chain"
	"zestyloom/core/dsp"
	"zestyloom/core/reel"
	"zestyloom/core/weave"
)

// What a chain takes away, and what comes out of it, are what came to it; that alone is heard at a gain. So it is on rows, which may be driven by
// others, on clips and on channels, in whatever blocks; what is around stays in its place.
func TestWhatGoesAndWhatStaysAreAll(t *testing.T) {
	r, s := voiceOnPair(t)
	key := &chain.Key{Row: "stem", From: "DX"}
	late := []chain.Step{{ID: "1", Kind: chain.HighPass, Values: map[string]float64{"frequency": 300}},
		{ID: "2", Kind: chain.Compressor, Key: key, Values: map[string]float64{"threshold": -40, "ratio": 8, "ahead": 3}}}
	do(t, r, reel.SetChain{Row: reel.StemRow, From: "MX", Steps: &late})
	var clip reel.Clip
	for _, c := range r.ClipList() {
		if c.Take == "cue" {
			clip = c
		}
	}
	one, from, n := 1, clip.Start-100, 12_000
	heard := func(r *reel.Reel, row weave.NodeID, aside *Aside, sizes ...int) (out [][]float64) {
		e, err := New(r, s.open, Options{Aside: aside})
		require.NoError(t, err)
		out = make([][]float64, 2)
		for at, i := 0, 0; at < n; i++ {
			count := min(sizes[i%len(sizes)], n-at)
			require.NoError(t, e.Render(from+int64(at), count))
			for c, x := range e.At(row) {
				out[c] = append(out[c], x...)
			}
			at += count
		}
		return out
	}
	track, stem := weave.NodeID{Row: reel.TrackRow, ID: clip.Track}, weave.NodeID{Row: reel.StemRow, ID: "MX"}
	for _, c := range []struct {
		name  string
		at    weave.NodeID
		aside Aside
		less  reel.Command // has the reel be without it
	}{
		{"a row", stem, Aside{Row: "stem", ID: "MX"}, reel.SetChain{Row: reel.StemRow, From: "MX", Off: ptr(true)}},
		{"a clip", track, Aside{Row: "clip", ID: clip.ID}, reel.SetClipChain{Clips: []string{clip.ID}}},
		{"a channel", track, Aside{Row: "clip", ID: clip.ID, Channel: &one}, reel.SetClipChain{Clips: []string{clip.ID}, Channel: &one}},
	} {
		name, bare := c.name, r.Clone()
		do(t, bare, c.less)
		if name == "a channel" { // what comes after it would do something else to something else
			do(t, r, reel.SetClipChain{Clips: []string{clip.ID}})
			do(t, bare, reel.SetClipChain{Clips: []string{clip.ID}})
		}
		removed, plain := c.aside, c.aside
		removed.Removed, plain.GainDB = true, -6
		stays, comes := heard(r, c.at, nil, 4096), heard(bare, c.at, nil, 4096)
		goes, alone := heard(r, c.at, &removed, 1000, 77), heard(r, c.at, &plain, 4096)
		differs := false
		for ch := range stays {
			for i := range stays[ch] {
				if name == "a channel" && ch == 0 { // the other one stays as it is
					require.Equal(t, stays[ch][i], goes[ch][i])
					continue
				}
				differs = differs || goes[ch][i] > 1e-3
				require.InDelta(t, comes[ch][i], stays[ch][i]+goes[ch][i], 1e-7, "%s, channel %d, sample %d", name, ch, i)
				require.InDelta(t, comes[ch][i]*dsp.Gain(-6), alone[ch][i], 1e-7, "%s alone, channel %d, sample %d", name, ch, i)
			}
		}
		assert.True(t, differs, "%s: something goes", name)
	}
	// Of a row that goes through nothing nothing goes.
	for _, x := range heard(r, weave.NodeID{Row: reel.TrackRow, ID: clip.Track}, &Aside{Row: "track", ID: clip.Track, Removed: true}, 4096) {
		for _, v := range x {
			require.Zero(t, v)
		}
	}
}
