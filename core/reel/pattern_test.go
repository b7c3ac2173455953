package reel

import (
	"encoding/json"
	"math/rand"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/chain"
	"zestyloom/core/fault"
	"zestyloom/core/layout"
	"zestyloom/core/timecode"
)

var wide = []string{"L", "R", "C", "LFE", "Ls", "Rs"}

// patterned is a reel with a mix in 5.1, a strand of its own, a fold-down and knots of every kind of row.
func patterned(t *testing.T) *Reel {
	r := New("Reel 1", 48000, timecode.Rate{Num: 25, Den: 1}, 0, DefaultStems())
	for _, c := range []Command{
		SetStem{Stem: "DX", Labels: &wide}, SetMix{Name: "Full mix", Language: "eng", Labels: wide, Rest: true,
			Terms: []Term{{Row: StrandRow, From: StrandID("DX", "Tobiah"), GainDB: -3}}},
		SetReel{PanLaw: ptr(4.5), Angles: &layout.Angles{"Ls": {Azimuth: 120}}},
		AddTake{Take: "boom", Title: "12A/3", Length: 48000, Parts: []PartPlan{{Name: "Boom", Stem: "DX", Strand: "Ines", Channels: []int{0},
			Labels: []string{"M"}}}},
	} {
		do(t, r, c)
	}
	track, full := r.TrackList()[0].ID, r.MixList()[0].ID
	do(t, r, SetTrack{Track: track, Placed: ptr(true), Front: ptr(1.0), GainDB: ptr(-7.0), Folder: ptr("Voices")})
	do(t, r, SetGroup{Name: "Full mix 5.1", Layout: "5.1", Feed: &Feeder{Row: MixRow, From: full}})
	do(t, r, SetGroup{Name: "Stereo", Layout: "stereo", Feed: &Feeder{Row: GroupRow, From: r.GroupList()[0].ID}})
	do(t, r, SetGroup{Name: "Ines", Layout: "mono", Feed: &Feeder{Row: StrandRow, From: StrandID("DX", "Ines")}})
	do(t, r, SetGroup{Name: "Boom", Layout: "mono", Feed: &Feeder{Row: TrackRow, From: track}})
	out := r.OutputList()
	do(t, r, SetKnots{Knots: []Crosspoint{{Row: StemRow, From: "MX", Output: out[0].ID},
		{Row: TrackRow, From: track, Output: out[1].ID, GainDB: -6}, {Row: MixRow, From: full, Channel: 2, Output: out[8].ID, Invert: true}}})
	return r
}

// A new reel by a pattern is as the one that it was taken from, without what lies on it.
func TestAPatternMakesAReelLikeItsOwn(t *testing.T) {
	r := patterned(t)
	kept, err := json.Marshal(PatternOf(r, "Ferry", "Surround and stereo")) // as it is stored
	require.NoError(t, err)
	var p Pattern
	require.NoError(t, json.Unmarshal(kept, &p))
	require.NoError(t, p.Check())
	assert.Equal(t, "full-mix-5-1", p.Groups[0].ID)
	assert.Equal(t, Crosspoint{Row: TrackRow, From: "boom", Output: "full-mix-5-1/R", GainDB: -6}, p.Knots[len(p.Knots)-1],
		"named by what it is called")

	next, err := p.Begin("Reel 2", 48000, timecode.Rate{Num: 24, Den: 1}, 3600)
	require.NoError(t, err)
	assert.Equal(t, p, PatternOf(next, "Ferry", "Surround and stereo"))
	assert.Empty(t, next.Clips)
	assert.Equal(t, 0.0, next.TrackList()[0].GainDB, "a gain is of what lies there")
	assert.Equal(t, 4.5, next.Head.PanLaw)
	assert.Equal(t, timecode.Rate{Num: 24, Den: 1}, next.Head.FrameRate)
	same, err := p.Fit(next)
	require.NoError(t, err)
	for _, f := range same {
		assert.Equal(t, FitsSame, f.Does, "%+v", f)
	}
}

// On a reel that is worked on, what is called or meant the same becomes as the pattern's; the rest stays, and can go.
func TestAPatternOnAReelWithWork(t *testing.T) {
	p := PatternOf(patterned(t), "Ferry", "")
	r := New("Reel 7", 48000, timecode.Rate{Num: 25, Den: 1}, 0, DefaultStems())
	do(t, r, aTake("Boom ", 1)) // its track is called "Boom a"
	do(t, r, aTake("Lav", 1))
	boom := r.TrackList()[0].ID
	do(t, r, SetTrack{Track: boom, Name: ptr("BOOM"), GainDB: ptr(2.0)})
	do(t, r, SetGroup{Name: "Stereo", Layout: "stereo"})
	do(t, r, SetGroup{Name: "Scratch", Layout: "mono"})
	do(t, r, AddStem{Tag: "WX", Name: "Walla", Labels: []string{"L", "R"}})
	stereo, scratch := r.GroupList()[0], r.GroupList()[1]
	do(t, r, SetKnots{Knots: []Crosspoint{{Row: StemRow, From: "DX", Output: OutputID(stereo.ID, "L")},
		{Row: StemRow, From: "WX", Output: OutputID(stereo.ID, "R")}, {Row: StemRow, From: "DX", Output: OutputID(scratch.ID, "M")}}})
	before := r.Clone()

	fits := map[string]Fits{}
	list, err := p.Fit(r)
	require.NoError(t, err)
	for _, f := range list {
		fits[string(f.Row)+" "+f.Name] = f.Does
	}
	assert.Equal(t, map[string]Fits{
		"stem Dialogue": FitsChanges, "stem Narration": FitsSame, "stem Music": FitsSame, "stem Effects": FitsSame, "stem Ambience": FitsSame,
		"stem Walla":   FitsLeft,
		"mix Full mix": FitsNew, "group Full mix 5.1": FitsNew, "group Stereo": FitsChanges, "group Ines": FitsNew, "group Boom": FitsNew,
		"group Scratch": FitsLeft,
		"track Boom":    FitsChanges, "track Lava": FitsLeft,
	}, fits)

	change, name := do(t, r, ApplyPattern{Pattern: p, Tracks: true, Remove: []Left{{GroupRow, scratch.ID}}})
	assert.Equal(t, "apply the pattern Ferry", name)
	assert.Equal(t, []string{"Full mix 5.1", "Stereo", "Ines", "Boom"}, names(r.GroupList(), func(g Group) string { return g.Name }))
	assert.Equal(t, stereo.ID, r.GroupList()[1].ID, "it is the same group as before")
	assert.Equal(t, wide, r.Stems["DX"].Labels)
	assert.Contains(t, r.Stems, "WX")
	assert.Equal(t, 2.0, r.Tracks[boom].GainDB)
	assert.Equal(t, []any{"Ines", true}, []any{r.Tracks[boom].Strand, r.Tracks[boom].Feed.Placed})
	assert.Len(t, r.Clips, 2)
	assert.NotContains(t, r.Knots, knotID(StemRow, "DX", 0, OutputID(stereo.ID, "L")),
		"between the pattern's rows and groups its knots hold alone")
	assert.Contains(t, r.Knots, knotID(StemRow, "WX", 0, OutputID(stereo.ID, "R")), "what it does not know stays")
	assert.Contains(t, r.Knots, knotID(TrackRow, boom, 0, OutputID("full-mix-5-1", "R")))
	assert.Equal(t, boom, r.GroupList()[3].Feed.From)
	require.NoError(t, r.Apply(change.Inverse()))
	before.Head.Next = r.Head.Next
	assert.Equal(t, before, r)

	plain := p
	plain.Spec, plain.PanLaw, plain.Speakers = "", 0, nil
	do(t, r, SetReel{PanLaw: ptr(6.0), Angles: &layout.Angles{"Rs": {Azimuth: -100}}})
	do(t, r, LayOutputs{Spec: "own", Title: "Own", Groups: pairGroups, Yes: true})
	do(t, r, ApplyPattern{Pattern: plain, Yes: true})
	assert.Equal(t, []any{"own", 6.0, layout.Angles{"Rs": {Azimuth: -100}}}, []any{r.Head.Spec, r.Head.PanLaw, r.Head.Angles},
		"what it leaves out stays")

	broken := p
	broken.Knots = []Crosspoint{{Row: MixRow, From: "nothing", Output: "full-mix-5-1/L"}}
	_, err = broken.Fit(r)
	require.Error(t, err, "what can't be applied does not fit")
	_, _, err = ApplyPattern{Pattern: broken}.Plan(r, nil)
	assert.ErrorContains(t, err, `a knot names the mix "nothing", which is not in it`)
	assert.Equal(t, fault.BadInput, fault.KindOf(err))
}

func names[T any](list []T, of func(T) string) (out []string) {
	for _, x := range list {
		out = append(out, of(x))
	}
	return out
}

// What would be lost is asked about: a channel of a group, which goes, with a knot to it from a track.
func TestAPatternAsksBeforeItLoses(t *testing.T) {
	p := PatternOf(patterned(t), "Ferry", "")
	r := New("Reel 7", 48000, timecode.Rate{Num: 25, Den: 1}, 0, DefaultStems())
	do(t, r, aTake("Lav", 1))
	do(t, r, SetGroup{Name: "Stereo", Layout: "5.1"})
	g := r.GroupList()[0].ID
	do(t, r, SetKnots{Knots: []Crosspoint{{Row: TrackRow, From: r.TrackList()[0].ID, Output: OutputID(g, "C")},
		{Row: TrackRow, From: r.TrackList()[0].ID, Output: OutputID(g, "L")}}})
	refused(t, r, fault.Loses, "Applying Ferry loses the knot from Lava to Stereo C", ApplyPattern{Pattern: p, Tracks: true})
	do(t, r, ApplyPattern{Pattern: p, Tracks: true, Yes: true})
	assert.Contains(t, r.Knots, knotID(TrackRow, r.TrackList()[0].ID, 0, OutputID(g, "L")))
}

// Whatever two reels are, the pattern of one can be applied to the other, nothing that lies on tracks is touched, and applied
// once more it changes nothing.
func TestPatternsOfAnyReelOnAnyOther(t *testing.T) {
	rounds := 150
	if testing.Short() {
		rounds = 20
	}
	for seed := range rounds {
		rnd := rand.New(rand.NewSource(int64(seed)))
		random := func() *Reel {
			r := ferry()
			for range 60 {
				_, c := randomCommand(rnd, r)
				if c == nil {
					continue
				}
				if change, _, err := c.Plan(r, shelf{}); err == nil {
					_ = r.Apply(change)
				}
			}
			return r
		}
		from, onto := random(), random()
		p := PatternOf(from, "Any", "")
		require.NoError(t, p.Check(), "seed %d", seed)
		before := onto.Clone()
		change, _, err := ApplyPattern{Pattern: p, Tracks: seed%2 == 0, Yes: true}.Plan(onto, shelf{})
		require.NoError(t, err, "seed %d", seed)
		require.NoError(t, onto.Apply(change), "seed %d", seed)
		require.Equal(t, before.Clips, onto.Clips, "seed %d", seed)
		again, _, err := ApplyPattern{Pattern: p, Tracks: seed%2 == 0}.Plan(onto, shelf{})
		require.NoError(t, err, "seed %d", seed)
		again.Head = nil
		require.Equal(t, Change{}, again, "seed %d", seed)
		require.NoError(t, onto.Apply(change.Inverse()), "seed %d", seed)
		before.Head.Next = onto.Head.Next
		require.Equal(t, before, onto, "seed %d", seed)
		fresh, err := p.Begin("New", 48000, timecode.Rates[0], 0)
		require.NoError(t, err, "seed %d", seed)
		require.Equal(t, p, PatternOf(fresh, "Any", ""), "seed %d", seed)
	}
}

// What a row goes through goes along with a pattern, with what drives it; where that is not there, or would be reached by what it drives, the
// processor is off.
func TestPatternsKeepChains(t *testing.T) {
	laid := func() *Reel {
		r := New("Reel 1", 48000, timecode.Rates[0], 0, DefaultStems())
		do(t, r, AddTake{Take: "boom", Title: "12A/3", Length: 48000, Parts: []PartPlan{{Name: "Boom", Stem: "DX", Channels: []int{0}, Labels: []string{"M"}}}})
		return r
	}
	from := laid()
	boom := from.TrackList()[0]
	steps := []chain.Step{{ID: "1", Kind: chain.Bell, Values: map[string]float64{"gain": -4}},
		{ID: "2", Kind: chain.Compressor, Key: &chain.Key{Row: "track", From: boom.ID}}}
	do(t, from, SetChain{Row: StemRow, From: "MX", Steps: &steps})
	do(t, from, SetChainCurve{Row: StemRow, From: "MX", Step: "1", Parameter: "gain", Points: []Point{{At: 5, Value: -3}}})
	p := PatternOf(from, "Ducked", "")
	require.Len(t, p.Chains, 1)
	onto := laid()
	do(t, onto, ApplyPattern{Pattern: p, Yes: true})
	got := onto.Chains[ChainID(StemRow, "MX")]
	assert.Equal(t, steps, got.Steps)
	assert.Empty(t, got.Curves)
	fresh, err := p.Begin("Reel 2", 48000, timecode.Rates[0], 0)
	require.NoError(t, err)
	assert.Equal(t, fresh.TrackList()[0].ID, fresh.Chains[ChainID(StemRow, "MX")].Steps[1].Key.From)
	// Without its tracks nothing drives it.
	bare := New("Reel 3", 48000, timecode.Rates[0], 0, DefaultStems())
	do(t, bare, ApplyPattern{Pattern: p, Yes: true})
	off := bare.Chains[ChainID(StemRow, "MX")].Steps
	assert.Equal(t, steps[0], off[0])
	assert.Nil(t, off[1].Key)
	assert.True(t, off[1].Off)
	// On a reel whose track is driven by the music, driving the music by the track would go round.
	round := laid()
	gated := []chain.Step{{ID: "1", Kind: chain.Gate, Key: &chain.Key{Row: "stem", From: "MX"}}}
	do(t, round, SetChain{Row: TrackRow, From: round.TrackList()[0].ID, Steps: &gated})
	do(t, round, ApplyPattern{Pattern: p, Yes: true})
	assert.True(t, round.Chains[ChainID(StemRow, "MX")].Steps[1].Off)
	assert.Nil(t, round.Chains[ChainID(StemRow, "MX")].Steps[1].Key)
	assert.NotNil(t, round.Chains[ChainID(TrackRow, round.TrackList()[0].ID)].Steps[0].Key, "what is on the reel stays")
	// It says which rows become others.
	list, err := p.Fit(laid())
	require.NoError(t, err)
	for _, f := range list {
		if f.Row == StemRow {
			assert.Equal(t, f.Name == "Music", f.Does == FitsChanges, f.Name)
		}
	}
}
