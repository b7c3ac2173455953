package gauge

import (
	"context"
	"fmt"
	"maps"
	"math"
	"math/rand"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/chain"
	"zestyloom/core/engine"
	"zestyloom/core/fault"
	"zestyloom/core/loudness"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
	"zestyloom/core/weave"
)

const (
	rate  = 8000 // little to render
	start = 36000 * rate
)

func ptr[T any](x T) *T { return &x }

type shelf map[string]*wave.File

func (s shelf) Open(take string) (*wave.File, error) {
	if f, ok := s[take]; ok {
		return f, nil
	}
	return nil, fault.New(fault.NotFound, "no take %s", take)
}

func (s shelf) record(t testing.TB, name string, channels int, seconds float64) {
	h := wave.Header{Format: wavetest.PCM24(channels), Frames: int64(seconds * rate)}
	h.SampleRate = rate
	rnd := rand.New(rand.NewSource(int64(len(name))))
	s[name] = wavetest.Open(t, h, func(c, i int) float64 {
		return (rnd.Float64() - 0.5) * math.Abs(math.Sin(float64(i)/5000+float64(c))) * 0.7
	})
}

var known = reel.Takes{"cue": {Title: "Cue", Channels: 2, Frames: 30 * rate, SampleRate: rate},
	"poly": {Title: "12A/3", Channels: 4, Frames: 20 * rate, SampleRate: rate}}

func do(t testing.TB, r *reel.Reel, c reel.Command) {
	change, _, err := c.Plan(r, known)
	require.NoError(t, err)
	require.NoError(t, r.Apply(change))
}

func may(r *reel.Reel, c reel.Command) bool {
	change, _, err := c.Plan(r, known)
	return err == nil && r.Apply(change) == nil
}

// ferry is a reel of half a minute: dialogue, music, a mix in 5.1 with a fold-down, and stems.
func ferry(t testing.TB) (*reel.Reel, shelf) {
	s := shelf{}
	s.record(t, "poly", 4, 20)
	s.record(t, "cue", 2, 30)
	r := reel.New("Crossing", rate, timecode.Rate{Num: 25, Den: 1}, start, reel.DefaultStems())
	five, pair := []string{"L", "R", "C", "LFE", "Ls", "Rs"}, []string{"L", "R"}
	do(t, r, reel.SetStem{Stem: "DX", Labels: &five, Yes: true})
	do(t, r, reel.AddTake{Take: "poly", Title: "12A/3", Start: start + 3*rate, Length: 18 * rate, Parts: []reel.PartPlan{
		{Name: "Boom", Stem: "DX", Channels: []int{2}, Labels: []string{"M"}}, {Name: "Ines", Stem: "DX", Strand: "Ines Calder",
			Channels: []int{3}, Labels: []string{"M"}}}})
	do(t, r, reel.AddTake{Take: "cue", Title: "Cue", Start: start, Length: 30 * rate,
		Parts: []reel.PartPlan{{Name: "Cue", Stem: "MX", Channels: []int{0, 1}, Labels: pair}}})
	do(t, r, reel.SetMix{Name: "Full", Labels: five, Rest: true})
	do(t, r, reel.SetGroup{Name: "Full mix", Layout: "5.1", Feed: &reel.Feeder{Row: reel.MixRow, From: r.MixList()[0].ID}})
	do(t, r, reel.SetGroup{Name: "Stereo", Layout: "stereo", Feed: &reel.Feeder{Row: reel.GroupRow, From: r.GroupList()[0].ID,
		Fold: ptr(mix.Usual())}})
	do(t, r, reel.SetGroup{Name: "Music", Layout: "stereo", Feed: &reel.Feeder{Row: reel.StemRow, From: "MX"}})
	music := r.GroupList()[2]
	do(t, r, reel.SetKnots{Knots: []reel.Crosspoint{{Row: reel.StemRow, From: "MX", Channel: 1, Output: reel.OutputID(music.ID, "L"), GainDB: -20}}})
	return r, s
}

func rowsOf(r *reel.Reel) (rows []weave.NodeID) {
	for _, g := range r.GroupList() {
		rows = append(rows, weave.NodeID{Row: reel.GroupRow, ID: g.ID})
	}
	return append(rows, weave.NodeID{Row: reel.StemRow, ID: "DX"}, weave.NodeID{Row: reel.MixRow, ID: r.MixList()[0].ID},
		weave.NodeID{Row: reel.TrackRow, ID: r.TrackList()[0].ID})
}

func soundOf(take string) (string, error) { return "sound of " + take, nil }

func measure(t testing.TB, g *Gauge, r *reel.Reel, s shelf) Done {
	done, err := g.Measure(context.Background(), r, Asked{Rows: rowsOf(r), Sound: soundOf, Open: s.Open})
	require.NoError(t, err)
	return done
}

// randomEdit is something that somebody does to the reel.
func randomEdit(rnd *rand.Rand, r *reel.Reel) reel.Command {
	clips, tracks, groups := r.ClipList(), r.TrackList(), r.GroupList()
	c, track := clips[rnd.Intn(len(clips))], tracks[rnd.Intn(len(tracks))]
	at := start + rnd.Int63n(28*rate)
	span := reel.Span{From: at, To: at + 200 + rnd.Int63n(2*rate)}
	points := []reel.Point{{At: span.From, Value: -float64(rnd.Intn(9))}, {At: span.To, Value: -float64(rnd.Intn(9))}}
	switch rnd.Intn(20) {
	case 17:
		return reel.Hush{Clip: c.ID, Channel: -1, Span: span}
	case 18:
		return reel.DipRange{Clip: c.ID, Channel: 0, Span: span, GainDB: -9, Ramp: 100}
	case 19:
		return reel.Borrow{Clip: c.ID, Channel: 0, Span: span, Take: "poly", TakeChannel: 1, Offset: 100, Fade: reel.Fade{Length: 80}}
	case 0:
		return reel.MoveClips{Clips: []string{c.ID}, By: rnd.Int63n(2*rate) - rate, Alone: true, Untie: true}
	case 1:
		return reel.TrimClip{Clip: c.ID, Edge: reel.EndEdge, By: -rnd.Int63n(rate), Alone: true}
	case 2:
		return reel.CutClips{At: at, Clips: []string{c.ID}, Alone: true}
	case 3:
		return reel.SetClip{Clip: c.ID, GainDB: ptr(-float64(rnd.Intn(9)))}
	case 4:
		return reel.SetClip{Clip: c.ID, FadeIn: &reel.Fade{Length: rnd.Int63n(rate)},
			FadeOut: &reel.Fade{Length: rnd.Int63n(rate), Curve: reel.Power}}
	case 5:
		return reel.SetCurve{Of: reel.OfClip, ID: c.ID, What: reel.GainCurve, Points: points, Range: &span}
	case 6:
		return reel.SetCurve{Of: reel.OfTrack, ID: track.ID, What: reel.PanCurve, Points: []reel.Point{{At: span.From, Value: -1},
			{At: span.To, Value: 0.5}}, Range: &span}
	case 7:
		return reel.SetTrack{Track: track.ID, GainDB: ptr(-float64(rnd.Intn(4))), Mute: ptr(rnd.Intn(5) == 0)}
	case 8:
		return reel.SetBus{Row: reel.StemRow, From: "MX", GainDB: ptr(-float64(rnd.Intn(4)))}
	case 9:
		if at%2 == 0 {
			return reel.SetCurve{Of: reel.OfKnot, ID: r.KnotList()[0].ID, What: reel.GainCurve, Points: points, Range: &span}
		}
		return reel.SetCurve{Of: "group", ID: groups[rnd.Intn(len(groups))].ID, What: reel.GainCurve, Points: points, Range: &span}
	case 10:
		return reel.SetCorrection{Of: groups[0].ID, Groups: []string{groups[2].ID}, GainDB: -2, Limit: points}
	case 11:
		return reel.RemoveCorrection{Of: groups[0].ID}
	case 12:
		return reel.SlipClip{Clip: c.ID, By: rnd.Int63n(300), Alone: true, Untie: true}
	case 13:
		return reel.SetLane{Clip: c.ID, Channel: 0, GainDB: ptr(-3.0), Invert: ptr(rnd.Intn(2) == 0), Delay: ptr(rnd.Int63n(20))}
	case 14:
		return reel.RemoveClips{Clips: []string{c.ID}}
	case 15:
		return reel.AddTake{Take: "cue", Title: "Cue", Start: at, Offset: rnd.Int63n(rate), Length: 1000 + rnd.Int63n(4*rate), Frames: 30 * rate,
			Parts: []reel.PartPlan{{Name: fmt.Sprint("Cue ", rnd.Intn(3)), Stem: "MX", Channels: []int{0, 1}, Labels: []string{"L", "R"}}},
			Reuse: true}
	}
	return reel.RangeGain{Of: reel.OfTrack, IDs: []string{track.ID}, Span: span, GainDB: -6, Ramp: 100}
}

// After any edits what is kept is what measuring from scratch gives, bit for bit, and most of it was kept.
func TestMeasuringOnIsMeasuringAnew(t *testing.T) {
	kept, measured, made := 0, 0, 0
	for seed := range int64(3) {
		rnd := rand.New(rand.NewSource(seed))
		r, s := ferry(t)
		g := &Gauge{}
		measure(t, g, r, s)
		for range 10 {
			c := randomEdit(rnd, r)
			if len(r.Clips) < 2 || !may(r, c) {
				continue
			}
			made++
			done := measure(t, g, r, s)
			kept, measured = kept+done.Kept, measured+done.Pieces
			fresh := &Gauge{}
			measure(t, fresh, r, s)
			for _, id := range rowsOf(r) {
				got, _ := g.Row(id)
				want, _ := fresh.Row(id)
				require.Equal(t, want.Layout, got.Layout)
				require.Len(t, got.Pieces, len(want.Pieces))
				for i := range want.Pieces {
					require.Equal(t, want.Pieces[i], got.Pieces[i], "seed %d: %T, piece %d of %v", seed, c, i, id)
				}
			}
		}
	}
	assert.Greater(t, made, 20)
	assert.Greater(t, kept, measured, "most edits touch little")
}

// Names, marks and what is muted change nothing; a short edit touches the pieces that it lies in.
func TestWhatAnEditTouches(t *testing.T) {
	r, s := ferry(t)
	g := &Gauge{}
	pieces := measure(t, g, r, s)
	assert.Zero(t, pieces.Kept)
	assert.Equal(t, 15*len(rowsOf(r)), pieces.Pieces)
	touched := func(c reel.Command) int {
		do(t, r, c)
		return measure(t, g, r, s).Pieces
	}
	cue := r.ClipList()[0]
	for _, c := range r.ClipList() {
		if c.Take == "cue" {
			cue = c
		}
	}
	assert.Zero(t, touched(reel.SetTrack{Track: cue.Track, Name: ptr("Accordion")}))
	assert.Zero(t, touched(reel.SetMark{Name: "Here", At: start}))
	assert.Zero(t, touched(reel.CutClips{At: start + 10*rate + 77, Clips: []string{cue.ID}, Alone: true}), "a cut is not heard")
	// Two seconds of music in the middle: in its group, the mix, both mixes' groups; not in dialogue.
	span := reel.Span{From: start + 14*rate, To: start + 16*rate}
	n := touched(reel.RangeGain{Of: reel.OfTrack, IDs: []string{cue.Track}, Span: span, GainDB: -6, Ramp: 100})
	assert.LessOrEqual(t, n, 4*3, "of %d", pieces.Pieces)
	assert.GreaterOrEqual(t, n, 4)
	row, _ := g.Row(rowsOf(r)[0])
	w := row.Whole(0, row.Hops(), loudness.Row{})
	assert.InDelta(t, 30, w.Seconds, 0.01)
	g.Forget(rowsOf(r)[:1])
	assert.Equal(t, 1, len(g.rows))
	assert.Positive(t, g.Size())
}

// What can't be read, or is stopped, is said; what was measured before stays.
func TestMeasuringThatFails(t *testing.T) {
	r, s := ferry(t)
	g := &Gauge{}
	ctx, stop := context.WithCancel(context.Background())
	_, err := g.Measure(ctx, r, Asked{Rows: rowsOf(r), Sound: soundOf, Open: s.Open, Progress: func(share float64) {
		if share > 0.3 {
			stop()
		}
	}})
	assert.Equal(t, fault.Cancelled, fault.KindOf(err))
	done := measure(t, g, r, s)
	assert.Positive(t, done.Kept, "what was done before it was stopped")
	missing := maps.Clone(s)
	delete(missing, "cue")
	_, err = (&Gauge{}).Measure(context.Background(), r, Asked{Rows: rowsOf(r), Sound: soundOf, Open: missing.Open})
	assert.Equal(t, fault.NotFound, fault.KindOf(err))
	_, err = (&Gauge{}).Measure(context.Background(), r, Asked{Rows: []weave.NodeID{{Row: reel.StemRow, ID: "QQ"}}, Sound: soundOf,
		Open: s.Open})
	assert.Equal(t, fault.NotFound, fault.KindOf(err))
	assert.True(t, slices.Equal(rowsOf(r), rowsOf(r.Clone())))
}

// True peak is looked for at the factor that is asked for; another has all of it measured again.
func TestOversampling(t *testing.T) {
	r, sounds := ferry(t)
	rows := rowsOf(r)
	g := Gauge{}
	for _, c := range []struct{ asked, want int }{{0, 4}, {4, 4}, {8, 8}, {8, 8}, {4, 4}} {
		before := g.rows[rows[0]]
		done, err := g.Measure(context.Background(), r, Asked{Rows: rows, Factor: c.asked, Sound: soundOf, Open: sounds.Open})
		require.NoError(t, err)
		assert.Equal(t, c.want, g.rows[rows[0]].factor)
		assert.Equal(t, before != nil && before.factor == c.want, done.Kept > 0, "asked for %d", c.asked)
	}
}

// Through chains a reel is rendered front to back: what is measured is what measuring all of it in one go gives, and what an edit changes for as long
// as a chain remembers is measured anew.
func TestMeasuringThroughChains(t *testing.T) {
	r, s := ferry(t)
	var cue reel.Clip
	for _, c := range r.ClipList() {
		if c.Take == "cue" {
			cue = c
		}
	}
	steps := []chain.Step{{ID: "1", Kind: chain.Compressor, Values: map[string]float64{"threshold": -40, "ratio": 8, "attack": 1, "release": 300,
		"ahead": 10}}}
	do(t, r, reel.SetChain{Row: reel.StemRow, From: "MX", Steps: &steps})
	do(t, r, reel.SetClipChain{Clips: []string{cue.ID}, Steps: []chain.Step{{ID: "1", Kind: chain.HighPass}}})
	g := &Gauge{}
	measure(t, g, r, s)
	same := func() {
		e, err := engine.New(r, s.Open, engine.Options{})
		require.NoError(t, err)
		for _, id := range rowsOf(r) {
			row, _ := g.Row(id)
			m := loudness.NewMeter(rate, row.Layout)
			for at := r.Head.Start; at < r.End(); at += 1000 {
				require.NoError(t, e.Render(at, int(min(1000, r.End()-at))))
				m.Write(e.At(id))
			}
			got, want := row.Whole(0, row.Hops(), loudness.Row{}), m.Measurement()
			require.InDelta(t, *want.IntegratedLUFS, *got.IntegratedLUFS, 0.01, "%v", id)
			require.InDelta(t, *want.TruePeakMaxDBTP, *got.TruePeakMaxDBTP, 0.02, "%v", id)
		}
	}
	same()
	// Louder up to where a piece ends: the piece after it is held down for a while.
	do(t, r, reel.RangeGain{Of: reel.OfClip, IDs: []string{cue.ID}, Span: reel.Span{From: start + 7*rate, To: start + 8*rate - 10}, GainDB: 12, Ramp: 100})
	assert.Greater(t, measure(t, g, r, s).Pieces, 2)
	same()
	// A treatment is heard where its microphone is, and nowhere else.
	before := measure(t, g, r, s)
	r.Treatments = map[string][]chain.Treatment{"cue": {{Channels: cue.Channels, Steps: []chain.Step{{ID: "1", Kind: chain.Compressor}}}}}
	treated := measure(t, g, r, s)
	assert.Positive(t, treated.Pieces)
	assert.Less(t, treated.Pieces, before.Kept)
	same()
	fresh := &Gauge{}
	measure(t, fresh, r, s)
	for _, id := range rowsOf(r) {
		got, _ := g.Row(id)
		want, _ := fresh.Row(id)
		for i := range want.Pieces {
			for c := range want.Pieces[i].Channels {
				is, was := got.Pieces[i].Channels[c], want.Pieces[i].Channels[c]
				require.InDelta(t, was.TruePeak, is.TruePeak, 1e-6, "piece %d of %v", i, id)
				require.InDelta(t, was.Power, is.Power, 1e-4*was.Power+1e-9, "piece %d of %v", i, id)
			}
		}
	}
	kept := measure(t, g, r, s)
	assert.Zero(t, kept.Pieces)
}

// A knot that is ridden touches the pieces that it is ridden in.
func TestARiddenKnotTouchesWhereItMoves(t *testing.T) {
	r, s := ferry(t)
	g := &Gauge{}
	measure(t, g, r, s)
	for i, points := range [][]reel.Point{{{At: start + 8*rate, Value: 0}, {At: start + 9*rate, Value: -9}, {At: start + 10*rate, Value: 0}}, nil} {
		do(t, r, reel.SetCurve{Of: reel.OfKnot, ID: r.KnotList()[0].ID, What: reel.GainCurve, Points: points})
		done := measure(t, g, r, s)
		assert.Greater(t, done.Pieces, 0, "%d: it is heard", i)
		assert.Less(t, done.Pieces, 12, "%d: and nowhere else", i)
		fresh := &Gauge{}
		measure(t, fresh, r, s)
		for _, id := range rowsOf(r) {
			got, _ := g.Row(id)
			want, _ := fresh.Row(id)
			require.Equal(t, want.Pieces, got.Pieces, "%v", id)
		}
	}
}
