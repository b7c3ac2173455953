package engine

import (
	"fmt"
	"math"
	"math/rand"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/dsp"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
)

// onGrid tells whether samples stand on the grid of integers of 24 bits, but for what rounding in 64 bits leaves.
func onGrid(x []float64) bool {
	for _, v := range x {
		if v *= 1 << 23; math.Abs(v-math.Round(v)) > 1e-4 {
			return false
		}
	}
	return true
}

func exactOf(t testing.TB, r *reel.Reel, s shelf, span reel.Span) []bool {
	e, err := New(r, s.open, Options{})
	require.NoError(t, err)
	return e.Exact(span, 24)
}

// Reels at random, of what leaves samples on their grid and what takes them off it, here and there: an output is held to be exact
// where its samples are, and nowhere else.
func TestExactIsWhatStandsOnTheGrid(t *testing.T) {
	exact, others, needless := 0, 0, 0
	for seed := range int64(60) {
		rnd := rand.New(rand.NewSource(seed))
		r, s := crossing(t)
		do(t, r, reel.AddTake{Take: "poly", Title: "Loose", Start: start + 2000, Length: 20000, Parts: []reel.PartPlan{
			{Name: "Bell", Stem: "FX", Strand: "Bell", Channels: []int{0, 1}, Labels: []string{"L", "R"}}}})
		fold := mix.Usual()
		fold.MonoDB = dsp.DB(math.Sqrt2 / 2)
		do(t, r, reel.SetTrack{Track: r.TrackList()[0].ID, Strand: ptr("Ines Calder")})
		do(t, r, reel.SetGroup{Name: "Ines", Layout: "mono", Feed: &reel.Feeder{Row: reel.StrandRow,
			From: reel.StrandID("DX", "Ines Calder"), Fold: &fold}})
		do(t, r, reel.SetGroup{Name: "Cue", Layout: "dual mono", Feed: &reel.Feeder{Row: reel.TrackRow, From: r.TrackList()[2].ID}})
		do(t, r, reel.SetMix{Name: "M&E", Labels: pair, Rest: true, Terms: []reel.Term{{Row: reel.StemRow, From: "DX", Out: true}}})
		do(t, r, reel.SetGroup{Name: "M&E", Layout: "stereo", Feed: &reel.Feeder{Row: reel.MixRow, From: r.MixList()[0].ID}})
		for range rnd.Intn(7) {
			tracks, clips := r.TrackList(), r.ClipList()
			track, clip := tracks[rnd.Intn(len(tracks))].ID, clips[rnd.Intn(len(clips))]
			at := clip.Start + rnd.Int63n(clip.Length)
			span := reel.Span{From: at, To: at + 500 + int64(rnd.Intn(9000))}
			channel := rnd.Intn(len(clip.Channels))
			level := []reel.Point{{At: at, Value: 0}, {At: at + 1000, Value: float64(rnd.Intn(3) - 1)}, {At: at + 4000, Value: 0}}
			try(t, r, []reel.Command{
				reel.SetTrack{Track: track, Dual: ptr(true)}, reel.SetTrack{Track: track, Pan: ptr(float64(rnd.Intn(3) - 1))},
				reel.SetTrack{Track: track, GainDB: ptr(float64(rnd.Intn(2)))}, reel.SetTrack{Track: track, Mute: ptr(true)},
				reel.Hush{Clip: clip.ID, Channel: channel, Span: span}, reel.DipRange{Clip: clip.ID, Channel: channel, Span: span, GainDB: -6, Ramp: 100},
				reel.SetLane{Clip: clip.ID, Channel: channel, Off: ptr(true)}, reel.SetLane{Clip: clip.ID, Channel: channel, Invert: ptr(true)},
				reel.SetLane{Clip: clip.ID, Channel: channel, Delay: ptr(int64(77))},
				reel.Borrow{Clip: clip.ID, Channel: channel, Span: span, Take: "poly", Offset: 500, Fade: reel.Fade{Length: 100}},
				reel.SetClip{Clip: clip.ID, FadeIn: &reel.Fade{Length: 900}}, reel.SetClip{Clip: clip.ID, FadeOut: &reel.Fade{Length: 900}},
				reel.SetCurve{Of: reel.OfTrack, ID: track, What: reel.GainCurve, Points: level},
				reel.SetCurve{Of: reel.OfClip, ID: clip.ID, What: reel.PanCurve, Points: level},
				reel.SetCurve{Of: "stem", ID: "DX", What: reel.PanCurve, Points: level},
				reel.SetCurve{Of: "stem", ID: "MX", What: reel.GainCurve, Points: level},
				reel.SetCurve{Of: reel.OfKnot, ID: r.KnotList()[0].ID, What: reel.GainCurve, Points: level},
				reel.SetTrack{Track: track, Second: ptr("FX")},
				reel.SetCorrection{Of: "mix", Groups: []string{"mx"}, GainDB: float64(rnd.Intn(2)), Limit: level},
				reel.CutClips{At: at}, reel.MoveClips{Clips: []string{clip.ID}, By: 333, Untie: true},
				reel.SetBus{Row: reel.StemRow, From: "FX", GainDB: ptr(dsp.DB(2))},
			}[rnd.Intn(22)])
		}
		from := start + int64(rnd.Intn(60000))
		frames := 500 + rnd.Intn(20000)
		got := render(t, r, s, from, frames, 4096)
		for i, is := range exactOf(t, r, s, reel.Span{From: from, To: from + int64(frames)}) {
			if is {
				exact++
				require.True(t, onGrid(got[i]), "seed %d: output %d is said to be exact", seed, i)
				continue
			}
			if others++; onGrid(got[i]) {
				needless++
			}
		}
	}
	assert.Greater(t, exact, 150)
	assert.Greater(t, others, 150)
	assert.LessOrEqual(t, needless, others/50, "what moves only while nothing of it sounds")
}

// Two ways that move may add up to one at one moment and not at the next; two that stand still do so always.
func TestUnityIsNoNumberThatAddsUp(t *testing.T) {
	r, s := crossing(t)
	mute(t, r, 1, 2)
	do(t, r, reel.SetTrack{Track: r.TrackList()[0].ID, Dual: ptr(true), Second: ptr("MX")})
	half := dsp.DB(0.5)
	for _, stem := range []string{"DX", "MX"} {
		do(t, r, reel.SetBus{Row: reel.StemRow, From: stem, GainDB: &half})
	}
	require.True(t, exactOf(t, r, s, whole)[4], "half and half")
	for i, stem := range []string{"DX", "MX"} {
		do(t, r, reel.SetCurve{Of: reel.CurveOf(reel.StemRow), ID: stem, What: reel.GainCurve, Points: []reel.Point{
			{At: start + 5000, Value: 0}, {At: start + 15000, Value: float64(3 - 6*i)}}})
	}
	require.False(t, exactOf(t, r, s, whole)[4])
	require.False(t, onGrid(render(t, r, s, start, 30000, 4096)[4]))
	require.True(t, exactOf(t, r, s, reel.Span{From: start, To: start + 5000})[4], "before they move")
}

func mute(t testing.TB, r *reel.Reel, tracks ...int) {
	for _, i := range tracks {
		do(t, r, reel.SetTrack{Track: r.TrackList()[i].ID, Mute: ptr(true)})
	}
}

// What is done to one channel of a clip leaves the others on their grid, and what is silent needs no noise.
func TestADipIsItsChannelsOwn(t *testing.T) {
	r, s := crossing(t)
	cue := r.ClipList()[2]
	span := reel.Span{From: cue.Start + 1000, To: cue.Start + 9000}
	for name, c := range map[string]struct {
		command reel.Command
		want    []bool
	}{
		"a dip":      {reel.DipRange{Clip: cue.ID, Channel: 0, Span: span, GainDB: -6, Ramp: 100}, []bool{false, true}},
		"a hush":     {reel.Hush{Clip: cue.ID, Channel: 1, Span: span}, []bool{true, false}},
		"off":        {reel.SetLane{Clip: cue.ID, Channel: 1, Off: ptr(true)}, []bool{true, true}},
		"a level":    {reel.SetLane{Clip: cue.ID, Channel: 1, GainDB: ptr(-1.0)}, []bool{true, false}},
		"turned":     {reel.SetLane{Clip: cue.ID, Channel: 1, Invert: ptr(true)}, []bool{true, true}},
		"all hushed": {reel.Hush{Clip: cue.ID, Channel: 0, Span: reel.Span{From: cue.Start, To: cue.End()}}, []bool{true, true}},
	} {
		edited := r.Clone()
		do(t, edited, c.command)
		in := reel.Span{From: cue.Start + 500, To: cue.End() - 500}
		require.Equal(t, c.want, exactOf(t, edited, s, in)[2:4], name)
		require.Equal(t, []bool{true, true}, exactOf(t, edited, s, reel.Span{From: start, To: cue.Start})[2:4], fmt.Sprint(name, ": elsewhere"))
	}
}
