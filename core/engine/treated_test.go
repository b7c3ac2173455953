package engine

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/chain"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
	"zestyloom/core/weave"
)

// processed gives channels of a take as a treatment makes them of the whole of it.
func processed(t testing.TB, s shelf, take string, of chain.Treatment) (out [][]float64) {
	row, err := of.Make(48000)
	require.NoError(t, err)
	for _, c := range of.Channels {
		out = append(out, append(s.samples(t, take, c), make([]float64, row.Latency())...))
	}
	row.Process(out, 0)
	for i := range out {
		out[i] = out[i][row.Latency():]
	}
	return out
}

// A microphone is treated wherever it sounds: in each clip of it, whole, trimmed or cut, where it is borrowed, and under a chain of the clip; not in
// a clip that has none of it. Channels that are treated together are held by the same detector, also where one of them sounds alone.
func TestTreatmentsAreWhereverTheMicrophoneSounds(t *testing.T) {
	r, s := crossing(t)
	boom, ines, cue := r.TrackList()[0], r.TrackList()[1], r.TrackList()[2]
	on := func(track string) reel.Clip {
		for _, c := range r.ClipList() {
			if c.Track == track {
				return c
			}
		}
		t.Fatal("no clip")
		return reel.Clip{}
	}
	pressed := []chain.Step{{ID: "1", Kind: chain.Compressor, Values: map[string]float64{"threshold": -30, "ratio": 8, "attack": 1, "release": 40, "ahead": 3}}}
	treatments := map[string][]chain.Treatment{
		"poly": {{Channels: []int{2}, Steps: []chain.Step{{ID: "1", Kind: chain.HighPass, Values: map[string]float64{"frequency": 200}}}}},
		"cue":  {{Channels: []int{0, 1}, Steps: pressed}}}
	r.Treatments = treatments
	wantBoom, wantCue := processed(t, s, "poly", treatments["poly"][0])[0], processed(t, s, "cue", treatments["cue"][0])
	track := func(id string, from int64, n int, sizes ...int) [][]float64 {
		e, err := New(r, s.open, Options{Solo: []string{id}})
		require.NoError(t, err)
		var out [][]float64
		for at, i := 0, 0; at < n; i++ {
			count := min(sizes[i%len(sizes)], n-at)
			require.NoError(t, e.Render(from+int64(at), count))
			heard := e.At(weave.NodeID{Row: reel.TrackRow, ID: id})
			if out == nil {
				out = make([][]float64, len(heard))
			}
			for c, x := range heard {
				out[c] = append(out[c], x...)
			}
			at += count
		}
		return out
	}
	near := func(want, got []float64, why string) {
		require.Equal(t, len(want), len(got))
		for i := range want {
			require.InDelta(t, want[i], got[i], 1e-7, "%s, frame %d", why, i)
		}
	}
	b, c := on(boom.ID), on(cue.ID)
	near(wantBoom, track(boom.ID, b.Start, 30000, 4096)[0], "whole")
	near(wantBoom[12345:20000], track(boom.ID, b.Start+12345, 20000-12345, 1, 999)[0], "from within")
	near(wantCue[1], track(cue.ID, c.Start, 50000, 4096)[1], "a pair")
	near(s.samples(t, "poly", 3), track(ines.ID, b.Start, 30000, 4096)[0], "another channel is as recorded")
	do(t, r, reel.CutClips{At: b.Start + 9000, Clips: []string{b.ID}, Alone: true})
	near(wantBoom, track(boom.ID, b.Start, 30000, 4096)[0], "cut")
	// Borrowed, and one side of the pair alone.
	borrow, _, err := reel.Borrow{Clip: on(ines.ID).ID, Channel: 0, Take: "cue", TakeChannel: 1, Offset: 4000,
		Span: reel.Span{From: start + 5000, To: start + 15000}}.Plan(r, reel.Takes{"cue": {Title: "Cue", Channels: 2, Frames: 50000, SampleRate: 48000}})
	require.NoError(t, err)
	require.NoError(t, r.Apply(borrow))
	near(wantCue[1][6000:12000], track(ines.ID, start+7000, 6000, 4096)[0], "borrowed")
	// Says no.
	for _, one := range r.ClipList() {
		do(t, r, reel.SetClip{Clip: one.ID, Untreated: ptr(true)})
	}
	e, err := New(r, s.open, Options{})
	require.NoError(t, err)
	assert.False(t, e.Remembers())
	plain := r.Clone()
	plain.Treatments = nil
	assert.Equal(t, render(t, plain, s, start, 72000, 4096), render(t, r, s, start, 72000, 4096), "untreated, what is borrowed too")
	// Under the clip's own chain.
	do(t, r, reel.SetClip{Clip: c.ID, Untreated: ptr(false)})
	do(t, r, reel.SetClipChain{Clips: []string{c.ID}, Steps: pressed})
	row, err := chain.MakeFor(pressed, 48000, 2)
	require.NoError(t, err)
	both := [][]float64{append(wantCue[0], make([]float64, row.Latency())...), append(wantCue[1], make([]float64, row.Latency())...)}
	row.Process(both, 0)
	near(both[0][row.Latency()+20000:row.Latency()+30000], track(cue.ID, c.Start+20000, 10000, 4096)[0], "its own chain comes after")
}

// Where it is printed, each sample of what goes through a treatment is the same bits wherever rendering begins, and whatever blocks it is in.
func TestTreatmentsPrintAlike(t *testing.T) {
	s := shelf{}
	s.record(t, "long", 48000, 2, 1_000_000)
	r := reel.New("Crossing", 48000, timecode.Rate{Num: 25, Den: 1}, start, reel.DefaultStems())
	do(t, r, reel.AddTake{Take: "long", Title: "12A/3", Start: start - 700, Length: 1_000_000, Parts: []reel.PartPlan{
		{Name: "Boom", Stem: "DX", Channels: []int{0}, Labels: []string{"M"}}, {Name: "Ines", Stem: "DX", Channels: []int{1}, Labels: []string{"M"}}}})
	steps := []chain.Step{{ID: "1", Kind: chain.LowShelf}, {ID: "2", Kind: chain.Compressor, Values: map[string]float64{"threshold": -60, "attack": 250, "release": 250}}}
	r.Treatments = map[string][]chain.Treatment{"long": {{Channels: []int{0, 1}, Steps: steps}}}
	clip := r.ClipList()[0]
	do(t, r, reel.SetClipChain{Clips: []string{clip.ID}, Steps: steps})
	do(t, r, reel.SetLane{Clip: clip.ID, Channel: 0, Delay: ptr(int64(300))})
	stretch := func(from, n int64, block int) (out []float64) {
		e, err := New(r, s.open, Options{RunUp: 48000})
		require.NoError(t, err)
		for at := int64(0); at < n; at += int64(block) {
			require.NoError(t, e.Render(start+from+at, int(min(int64(block), n-at))))
			out = append(out, e.At(weave.NodeID{Row: reel.StemRow, ID: "DX"})[0]...)
		}
		return out
	}
	whole := stretch(0, 1_000_000, MaxBlock)
	for _, from := range []int64{383_000, 384_700, 500_000, 770_001} {
		require.Equal(t, whole[from:from+20_000], stretch(from, 20_000, 7_000), "from %d", from)
	}
}

// As many tracks at a time as there are hands: the samples are the same.
func TestHandsMakeNoDifference(t *testing.T) {
	for _, made := range []func(testing.TB) (*reel.Reel, shelf){manyChains, crossing} { // of takes of their own, and of one that tracks share
		r, s := made(t)
		r.Treatments = map[string][]chain.Treatment{}
		for _, c := range r.ClipList() {
			r.Treatments[c.Take] = append(r.Treatments[c.Take], chain.Treatment{Channels: c.Channels, Steps: []chain.Step{{ID: "1", Kind: chain.Leveller}}})
		}
		sameByHands(t, r, s)
	}
}

func sameByHands(t *testing.T, r *reel.Reel, s shelf) {
	heard := func(hands int) (out [][]float64) {
		e, err := New(r, s.open, Options{Hands: hands, Most: 1000})
		require.NoError(t, err)
		require.True(t, e.Remembers())
		for at := int64(0); at < 60_000; at += 3000 {
			require.NoError(t, e.Render(start+at, 3000))
			for i := range e.nodes {
				for _, x := range e.nodes[i].buf {
					out = append(out, slices.Clone(x[:3000]))
				}
			}
		}
		return out
	}
	one := heard(1)
	for _, hands := range []int{2, 5} {
		require.Equal(t, one, heard(hands), "%d hands", hands)
	}
}
