package weave

import (
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/dsp"
	"zestyloom/core/layout"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
)

var (
	mono = []string{"M"}
	pair = []string{"L", "R"}
)

type path struct {
	from, to int
	gain     float64
}

// feeds gives the gains from a track into a stem.
func feeds(track, stem []string, feed reel.Feed) mix.Matrix {
	e, ok := enter(&reel.Track{Labels: track, Feed: feed}, feed, layout.Read(track), layout.Read(stem), reel.Head{PanLaw: 3})
	if !ok {
		return mix.Zero(len(stem), len(track))
	}
	return e.Matrix
}

func routesOf(r *reel.Reel) []Route {
	routes, _ := Look(r)
	return routes
}

func TestFeeds(t *testing.T) {
	half := dsp.Gain(-3.0102999566398120)
	for name, c := range map[string]struct {
		track, stem []string
		feed        reel.Feed
		want        []path
	}{
		"mono in the middle":   {mono, pair, reel.Feed{}, []path{{0, 0, half}, {0, 1, half}}},
		"mono dual":            {mono, pair, reel.Feed{Dual: true}, []path{{0, 0, 1}, {0, 1, 1}}},
		"mono left":            {mono, pair, reel.Feed{Pan: -1}, []path{{0, 0, 1}}},
		"stereo":               {pair, pair, reel.Feed{}, []path{{0, 0, 1}, {1, 1, 1}}},
		"stereo balance right": {pair, pair, reel.Feed{Pan: 1}, []path{{1, 1, 1}}},
		"stereo into mono":     {pair, mono, reel.Feed{}, []path{{0, 0, 0.5}, {1, 0, 0.5}}},
		"mono into mono":       {mono, mono, reel.Feed{}, []path{{0, 0, 1}}},
		"surround into a pair": {[]string{"L", "C", "R", "Ls", "LFE"}, pair, reel.Feed{},
			[]path{{0, 0, 1}, {1, 0, half}, {1, 1, half}, {2, 1, 1}, {3, 0, half}}},
		"surround into mono": {[]string{"L", "C", "R"}, mono, reel.Feed{}, []path{{0, 0, 0.5}, {1, 0, half}, {2, 0, 0.5}}},
		"sound field": {[]string{"ACN0", "ACN1", "ACN2", "ACN3"}, pair, reel.Feed{},
			[]path{{0, 0, 0.5}, {1, 0, 0.5}, {0, 1, 0.5}, {1, 1, -0.5}}},
		"sound field in FuMa": {[]string{"W", "X", "Y", "Z"}, pair, reel.Feed{}, []path{{0, 0, 0.5 * math.Sqrt2}, {2, 0, 0.5},
			{0, 1, 0.5 * math.Sqrt2}, {2, 1, -0.5}}},
		"5.1 in 7.1": {[]string{"L", "Ls", "Rs"}, []string{"L", "R", "C", "LFE", "Lss", "Rss", "Lrs", "Rrs"}, reel.Feed{},
			[]path{{0, 0, 1}, {1, 4, half}, {1, 6, half}, {2, 5, half}, {2, 7, half}}},
		"7.1 in 5.1": {[]string{"L", "Lss", "Rss", "Lrs"}, []string{"L", "R", "C", "LFE", "Ls", "Rs"}, reel.Feed{},
			[]path{{0, 0, 1}, {1, 4, half}, {2, 5, half}, {3, 4, half}}},
		"heights in 7.1": {[]string{"L", "Ltf", "Rtr"}, []string{"L", "R", "Lss", "Rss", "Lrs", "Rrs"}, reel.Feed{},
			[]path{{0, 0, 1}, {1, 0, half}, {2, 3, 0.5}, {2, 5, 0.5}}},
		"surround by label": {[]string{"C", "L", "R"}, []string{"L", "R", "C"}, reel.Feed{}, []path{{0, 2, 1}, {1, 0, 1}, {2, 1, 1}}},
	} {
		got := feeds(c.track, c.stem, c.feed)
		require.Equal(t, []int{len(c.stem), len(c.track)}, []int{got.Rows, got.Cols}, name)
		for _, p := range c.want {
			assert.InDelta(t, p.gain, got.At(p.to, p.from), 1e-12, "%s: %d to %d", name, p.from, p.to)
			got.Set(p.to, p.from, 0)
		}
		for _, gain := range got.Gain {
			assert.Zero(t, gain, "%s: nothing else arrives", name)
		}
	}
}

// A plane wave from a direction, encoded by the definition of SN3D, arrives at a side as the cardioid of the field's order
// that looks there: (½ + ½ cos)ⁿ, which the harmonics do not come into.
func TestFieldsAreDecodedInTheirOrder(t *testing.T) {
	for order, look := range []float64{1: 90, 2: 65.530, 3: 54.033} { // arccos(2·½^(1/n) − 1), in degrees
		var labels []string
		for i := range (order + 1) * (order + 1) {
			labels = append(labels, fmt.Sprintf("ACN%d", i))
		}
		if order == 0 {
			continue
		}
		for azimuth := -180.0; azimuth < 180; azimuth += 7.5 {
			var got [2]float64
			m := feeds(labels, pair, reel.Feed{})
			for side := range got {
				for c, x := range encoded(azimuth * math.Pi / 180) {
					if c < m.Cols {
						got[side] += m.At(side, c) * x
					}
				}
			}
			for side, at := range []float64{look, -look} {
				want := math.Pow(0.5+0.5*math.Cos((azimuth-at)*math.Pi/180), float64(order))
				assert.InDelta(t, want, got[side], 1e-4, "order %d, side %d, from %g°", order, side, azimuth)
			}
		}
	}
}

// encoded gives a plane wave on the horizon in ACN and SN3D, from the associated Legendre functions at the equator:
// N·P(0)·cos or sin, with the values of P(0) written out.
func encoded(a float64) []float64 {
	n := func(l, m int) float64 {
		f := func(k int) float64 { return math.Gamma(float64(k + 1)) }
		return math.Sqrt(2 * f(l-m) / f(l+m))
	}
	return []float64{
		1, n(1, 1) * math.Sin(a), 0, n(1, 1) * math.Cos(a),
		n(2, 2) * 3 * math.Sin(2*a), 0, -0.5, 0, n(2, 2) * 3 * math.Cos(2*a),
		n(3, 3) * 15 * math.Sin(3*a), 0, n(3, 1) * -1.5 * math.Sin(a), 0, n(3, 1) * -1.5 * math.Cos(a), 0, n(3, 3) * 15 * math.Cos(3*a),
	}
}

func TestOneSideIsMissedInAnyOrder(t *testing.T) {
	for _, labels := range [][]string{{"L", "R", "C", "LFE", "Ls", "Rs"}, {"L", "C", "R", "Ls", "Rs", "LFE"}} {
		r, boom, _ := crossing(t)
		groups := []reel.Group{{ID: "all", Name: "Mix", Labels: labels, Stems: []string{"DX", "MX"}}}
		left := -1.0
		apply(t, r, reel.LayOutputs{Spec: "s", Title: "S", Groups: groups, Knots: GroupKnots(r, groups)})
		assert.NotContains(t, rulesOf(r), OneSided)
		apply(t, r, reel.SetTrack{Track: boom, Pan: &left})
		assert.Equal(t, []string{"all/R"}, rulesOf(r)[OneSided], labels)
	}
}

func rulesOf(r *reel.Reel) map[Rule][]string {
	out := map[Rule][]string{}
	for _, f := range Findings(r) {
		out[f.Rule] = append(out[f.Rule], f.Output)
	}
	return out
}

// crossing makes a reel with a mono boom in DX, a stereo cue in MX, two pairs and a mono output.
func crossing(t *testing.T) (r *reel.Reel, boom, cue string) {
	r = reel.New("Crossing", 48000, timecode.Rate{Num: 25, Den: 1}, 0, reel.DefaultStems())
	groups := []reel.Group{{ID: "dx", Name: "Dialogue", Layout: "stereo", Labels: pair, Stems: []string{"DX"}},
		{ID: "mx", Name: "Music", Layout: "stereo", Labels: pair, Stems: []string{"MX"}},
		{ID: "all", Name: "Mono", Layout: "mono", Labels: mono, Stems: []string{"DX", "MX"}, Folds: true}}
	for _, c := range []reel.Command{
		reel.AddTake{Take: "a", Title: "12A/3", Length: 10, Parts: []reel.PartPlan{{Name: "Boom", Stem: "DX", Channels: []int{0}, Labels: mono}}},
		reel.AddTake{Take: "b", Title: "Cue", Length: 10, Parts: []reel.PartPlan{{Name: "Cue", Stem: "MX", Channels: []int{0, 1}, Labels: pair}}},
		reel.LayOutputs{Spec: "s", Title: "S", Groups: groups, Knots: GroupKnots(r, groups)},
	} {
		apply(t, r, c)
	}
	tracks := r.TrackList()
	return r, tracks[0].ID, tracks[1].ID
}

func apply(t testing.TB, r *reel.Reel, c reel.Command) {
	change, _, err := c.Plan(r, nil)
	require.NoError(t, err)
	require.NoError(t, r.Apply(change))
}

func TestGroupKnots(t *testing.T) {
	r, _, _ := crossing(t)
	gains := map[string]float64{}
	for _, k := range r.KnotList() {
		gains[k.ID] = roundDB(k.GainDB)
	}
	assert.Equal(t, map[string]float64{
		"stem DX 0 > dx/L": 0, "stem DX 1 > dx/R": 0, "stem MX 0 > mx/L": 0, "stem MX 1 > mx/R": 0,
		"stem DX 0 > all/M": -6.02, "stem DX 1 > all/M": -6.02, "stem MX 0 > all/M": -6.02, "stem MX 1 > all/M": -6.02,
	}, gains)
}

func TestRoutes(t *testing.T) {
	r, boom, cue := crossing(t)
	gain := 2.0
	apply(t, r, reel.SetTrack{Track: boom, GainDB: &gain})
	apply(t, r, reel.SetKnots{Knots: []reel.Crosspoint{{Row: reel.TrackRow, From: cue, Output: "dx/L", GainDB: -4}}})
	got := map[string]Route{}
	for _, route := range routesOf(r) {
		got[route.Track+" "+route.Output] = route
	}
	assert.InDelta(t, -3.01+2, got[boom+" dx/L"].GainDB, 0.01)
	assert.True(t, got[boom+" dx/L"].Stem)
	assert.InDelta(t, 0, got[cue+" mx/R"].GainDB, 1e-9)
	assert.True(t, got[cue+" dx/L"].Direct)
	assert.InDelta(t, -4, got[cue+" dx/L"].GainDB, 1e-9)
	assert.NotContains(t, got, boom+" mx/L")
	assert.Len(t, got, 3+3+1)
}

// What moves, on the track, by its place or on a bus behind it, is said as from how low to how high.
func TestEffectiveIsARangeWhereAnythingMoves(t *testing.T) {
	r, boom, cue := crossing(t)
	ride := []reel.Point{{At: 100, Value: -6}, {At: 200, Value: 2}}
	apply(t, r, reel.SetCurve{Of: "track", ID: cue, What: reel.GainCurve, Points: ride})
	apply(t, r, reel.SetCurve{Of: "track", ID: boom, What: reel.PanCurve, Points: []reel.Point{{At: 0, Value: -1}, {At: 300, Value: 1}}})
	apply(t, r, reel.SetCurve{Of: "stem", ID: "MX", What: reel.GainCurve, Points: []reel.Point{{At: 0, Value: 0}, {At: 300, Value: -12}}})
	g, err := Compile(r)
	require.NoError(t, err)
	of := func(track string, span reel.Span) map[string][2]float64 {
		at, there := g.Node(reel.TrackRow, track)
		require.True(t, there)
		got := map[string][2]float64{}
		for _, e := range g.Effective(at, span) {
			if e.Channel == 0 {
				got[e.Output] = [2]float64{e.LowDB, e.GainDB}
			}
		}
		return got
	}
	whole := reel.Span{From: 0, To: 301}
	assert.InDeltaSlice(t, []float64{-18, 2}, at(of(cue, whole)["mx/L"]), 1e-9, "the lowest of the track with the lowest of its stem")
	assert.InDeltaSlice(t, []float64{SilentDB, 0}, at(of(boom, whole)["dx/L"]), 1e-9, "from the left to the right: no more of it left")
	assert.InDeltaSlice(t, []float64{-6, -6}, at(of(cue, reel.Span{From: 0, To: 1})["mx/L"]), 1e-9, "nothing moves where the reel begins")
}

func at(levels [2]float64) []float64 { return levels[:] }

func TestFindings(t *testing.T) {
	left, yes := -1.0, true
	for name, c := range map[string]struct {
		change func(r *reel.Reel, boom, cue string) []reel.Command
		rules  map[Rule]int
	}{
		"all is well": {func(*reel.Reel, string, string) []reel.Command { return nil }, map[Rule]int{}},
		"stem untied": {func(r *reel.Reel, boom, cue string) []reel.Command {
			return []reel.Command{reel.ClearKnots{At: []reel.Crossing{{Row: reel.StemRow, From: "DX", Output: "dx/L"},
				{Row: reel.StemRow, From: "DX", Output: "dx/R"}, {Row: reel.StemRow, From: "DX", Output: "all/M"}}}}
		}, map[Rule]int{Unreached: 1, Silenced: 1}},
		"mono on one side": {func(r *reel.Reel, boom, cue string) []reel.Command {
			return []reel.Command{reel.SetTrack{Track: boom, Pan: &left}}
		}, map[Rule]int{OneSided: 1, Unfed: 1}},
		"fed twice": {func(r *reel.Reel, boom, cue string) []reel.Command {
			return []reel.Command{reel.SetKnots{Knots: []reel.Crosspoint{{Row: reel.TrackRow, From: cue, Output: "mx/L"}}}}
		}, map[Rule]int{FedTwice: 1}},
		"muted": {func(r *reel.Reel, boom, cue string) []reel.Command {
			return []reel.Command{reel.SetTrack{Track: cue, Mute: &yes}}
		}, map[Rule]int{Muted: 1, Unfed: 2}},
	} {
		t.Run(name, func(t *testing.T) {
			r, boom, cue := crossing(t)
			for _, command := range c.change(r, boom, cue) {
				apply(t, r, command)
			}
			got := map[Rule]int{}
			for _, f := range Findings(r) {
				got[f.Rule]++
				assert.NotEmpty(t, f.Message)
			}
			assert.Equal(t, c.rules, got)
		})
	}
}

func TestNoOutputsNoFindings(t *testing.T) {
	r := reel.New("x", 48000, timecode.Rate{Num: 25, Den: 1}, 0, reel.DefaultStems())
	assert.Empty(t, Findings(r))
}

func TestPathsAddUp(t *testing.T) {
	r, boom, _ := crossing(t)
	apply(t, r, reel.SetKnots{Knots: []reel.Crosspoint{{Row: reel.TrackRow, From: boom, Output: "dx/L", GainDB: 3}}})
	for _, route := range routesOf(r) {
		switch {
		case route.Track == boom && route.Output == "dx/L":
			assert.True(t, route.Direct && route.Stem && route.Twice)
			assert.InDelta(t, 6.525, route.GainDB, 0.005, "0.7071 + 1.4125 = 2.1196")
		case route.Track == boom && route.Output == "all/M":
			assert.InDelta(t, -3.01, route.GainDB, 0.02, "both halves of the mono sum")
			assert.False(t, route.Twice, "a mono that meets itself in the mono sum is as it should be")
		}
	}
}

// A wide stem feeds a narrower group folded down, a mono one the middle of a wide group.
func TestStemsFeedGroupsByMeaning(t *testing.T) {
	r, _, _ := crossing(t)
	wide := []string{"L", "R", "C", "LFE", "Ls", "Rs"}
	apply(t, r, reel.SetStem{Stem: "FX", Labels: &wide})
	one := []string{"M"}
	apply(t, r, reel.SetStem{Stem: "NX", Labels: &one})
	film := []string{"L", "C", "R", "Ls", "Rs", "LFE"}
	got := map[string]float64{}
	for _, k := range GroupKnots(r, []reel.Group{{ID: "st", Labels: pair, Stems: []string{"FX"}},
		{ID: "all", Labels: film, Stems: []string{"FX", "NX"}}}) {
		got[k.Knot().ID] = roundDB(k.GainDB)
	}
	assert.Equal(t, map[string]float64{
		"stem FX 0 > st/L": 0, "stem FX 2 > st/L": -3.01, "stem FX 4 > st/L": -3.01, "stem FX 1 > st/R": 0, "stem FX 2 > st/R": -3.01,
		"stem FX 5 > st/R":  -3.01,
		"stem FX 0 > all/L": 0, "stem FX 2 > all/C": 0, "stem FX 1 > all/R": 0, "stem FX 4 > all/Ls": 0, "stem FX 5 > all/Rs": 0,
		"stem FX 3 > all/LFE": 0,
		"stem NX 0 > all/C":   0,
	}, got)
	assert.Empty(t, natural(layout.Read(pair), layout.Read(film), reel.StemRow, "DX", reel.Output{ID: "all/C", Label: "C"}),
		"a pair has no centre")
}
