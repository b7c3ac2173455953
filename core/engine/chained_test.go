package engine

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/chain"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
)

// alone is what one of two channels goes through by itself.
var alone = []chain.Step{{ID: "1", Kind: chain.Bell, Values: map[string]float64{"frequency": 700, "gain": 9}},
	{ID: "2", Kind: chain.Gate, Values: map[string]float64{"threshold": -30, "ahead": 1}}}

// voiceOnPair is a reel with a stereo take on one track, its channels delayed against each other, and another that begins later.
func voiceOnPair(t testing.TB) (*reel.Reel, shelf) {
	r, s := crossing(t)
	for _, c := range r.ClipList() {
		if c.Take == "cue" {
			do(t, r, reel.TrimClip{Clip: c.ID, Edge: reel.StartEdge, By: 9000, Alone: true})
			do(t, r, reel.SetLane{Clip: c.ID, Channel: 1, Delay: ptr(int64(37))})
			steps := []chain.Step{{ID: "1", Kind: chain.HighPass, Values: map[string]float64{"frequency": 60}},
				{ID: "2", Kind: chain.Compressor, Values: map[string]float64{"threshold": -20, "ratio": 6, "release": 60, "ahead": 2}}}
			do(t, r, reel.SetClipChain{Clips: []string{c.ID}, Steps: steps})
			do(t, r, reel.SetClipChain{Clips: []string{c.ID}, Channel: ptr(1), Steps: alone})
		}
	}
	return r, s
}

// A clip goes through its chain as all of its take would, from its beginning: where it is trimmed, cut or moved makes no difference, and every
// sample stays in its place.
func TestClipsThroughChains(t *testing.T) {
	r, s := voiceOnPair(t)
	var clip reel.Clip
	for _, c := range r.ClipList() {
		if len(c.Chain) > 0 {
			clip = c
		}
	}
	frames := int(s["cue"].Frames)
	row, err := chain.Make(clip.Chain, chain.Asked{Rate: 48000, Channels: 2, Pairs: [][2]int{{0, 1}}})
	require.NoError(t, err)
	first, err := chain.MakeFor(alone, 48000, 1)
	require.NoError(t, err)
	require.Positive(t, first.Latency())
	right := append(s.samples(t, "cue", 1), make([]float64, first.Latency())...)
	first.Process([][]float64{right}, 0)
	whole := [][]float64{append(s.samples(t, "cue", 0), make([]float64, row.Latency())...), append(right[first.Latency():], make([]float64, row.Latency())...)}
	row.Process(whole, 0)
	track := clip.Track
	solo := func(r *reel.Reel, from int64, n int, sizes ...int) [][]float64 {
		e, err := New(r, s.open, Options{Solo: []string{track}})
		require.NoError(t, err)
		assert.True(t, e.Remembers())
		out := make([][]float64, 2)
		for at, i := 0, 0; at < n; i++ {
			count := min(sizes[i%len(sizes)], n-at)
			require.NoError(t, e.Render(from+int64(at), count))
			for c, x := range e.Outputs()[2:4] {
				out[c] = append(out[c], x...)
			}
			at += count
		}
		return out
	}
	check := func(got [][]float64, from int64, slack float64) {
		for i := range got[0] {
			frame := clip.Frame(from + int64(i))
			inside := from+int64(i) >= clip.Start && from+int64(i) < clip.End()
			for c, delay := range []int64{0, 37} {
				want := 0.0
				if f := frame - delay; inside && f < int64(frames) {
					want = whole[c][int(f)+row.Latency()]
				}
				require.InDelta(t, want, got[c][i], slack, "channel %d, frame %d", c, frame)
			}
		}
	}
	got := solo(r, clip.Start-200, 30_000, 4096)
	check(got, clip.Start-200, 1e-12)
	check(solo(r, clip.Start-200, 30_000, 1, 777, 16384), clip.Start-200, 1e-12)
	check(solo(r, clip.Start+11_111, 9000, 512), clip.Start+11_111, 1e-7)
	do(t, r, reel.CutClips{At: clip.Start + 7000, Clips: []string{clip.ID}, Alone: true})
	check(solo(r, clip.Start-200, 30_000, 1000), clip.Start-200, 1e-7)
}

// What is settled stands where it stood, whatever looks ahead behind it, and the track's chain is not in it twice.
func TestSettlingPastWhatLooksAhead(t *testing.T) {
	r, s := manyChains(t)
	bare := r.Clone()
	bare.Chains = nil
	track := r.TrackList()[0]
	settled := func(r *reel.Reel) []float64 {
		var b bytes.Buffer
		at, err := Settle(t.Context(), r, Inside(r, track.ID, Whole(r)), s.open, &b, wave.Header{}, func(float64) {})
		require.NoError(t, err)
		f, err := wave.Open(bytes.NewReader(b.Bytes()), int64(b.Len()))
		require.NoError(t, err)
		require.Equal(t, at.Frames, f.Frames)
		return wavetest.Samples(t, f)[0]
	}
	assert.Equal(t, settled(bare), settled(r))
	// An encoded fold-down looks ahead as well.
	groups := append(r.GroupList(), reel.Group{ID: "lt", Name: "Lt/Rt", Layout: "stereo", Labels: pair, Own: true, Order: 9,
		Feed: &reel.Feeder{Row: reel.StemRow, From: "AX", Fold: &mix.Fold{Encoded: true}}})
	with := bare.Clone()
	with.Groups = map[string]reel.Group{}
	for _, g := range groups {
		with.Groups[g.ID] = g
	}
	assert.Equal(t, settled(bare), settled(with))
}
