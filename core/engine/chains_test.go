package engine

import (
	"math"
	"math/rand"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/chain"
	"zestyloom/core/chain/chaintest"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
	"zestyloom/core/weave"
)

// manyChains is a reel with something done on every kind of row: a voice that is filtered and held down, music that is ducked under the stem of the
// dialogue, an effect that is late and rises, a stem and an output group that are limited, and a group that has the dialogue by itself.
func manyChains(t testing.TB) (*reel.Reel, shelf) {
	s := shelf{}
	s.record(t, "voice", 48000, 1, 60_000)
	s.record(t, "cue", 48000, 2, 60_000)
	s.record(t, "bell", 48000, 1, 60_000)
	r := reel.New("Crossing", 48000, timecode.Rate{Num: 25, Den: 1}, start, reel.DefaultStems())
	groups := []reel.Group{{ID: "mix", Name: "Mix", Layout: "stereo", Labels: pair, Stems: []string{"DX", "MX", "FX"}},
		{ID: "dx", Name: "Dialogue", Layout: "stereo", Labels: pair, Stems: []string{"DX"}, Order: 1}}
	for _, c := range []reel.Command{
		reel.AddTake{Take: "voice", Title: "12A", Start: start + 1000, Length: 50_000, Parts: []reel.PartPlan{{Name: "Boom", Stem: "DX",
			Channels: []int{0}, Labels: []string{"M"}}}},
		reel.AddTake{Take: "cue", Title: "Cue", Start: start, Length: 60_000, Parts: []reel.PartPlan{{Name: "Cue", Stem: "MX", Channels: []int{0, 1},
			Labels: pair}}},
		reel.AddTake{Take: "bell", Title: "Bell", Start: start + 5000, Length: 40_000, Parts: []reel.PartPlan{{Name: "Bell", Stem: "FX",
			Channels: []int{0}, Labels: []string{"M"}}}},
		reel.LayOutputs{Spec: "s", Title: "S", Groups: groups, Knots: weave.GroupKnots(r, groups)},
	} {
		do(t, r, c)
	}
	tracks := r.TrackList()
	put := func(row reel.Row, from string, steps ...chain.Step) {
		for i := range steps {
			steps[i].ID = string(rune('a' + i))
		}
		do(t, r, reel.SetChain{Row: row, From: from, Steps: &steps})
	}
	n := func(pairs ...any) map[string]float64 {
		m := map[string]float64{}
		for i := 0; i < len(pairs); i += 2 {
			m[pairs[i].(string)] = pairs[i+1].(float64)
		}
		return m
	}
	put(reel.TrackRow, tracks[0].ID, chain.Step{Kind: chain.HighPass, Values: n("frequency", 200.0, "slope", 18.0)},
		chain.Step{Kind: chain.Bell, Values: n("frequency", 3000.0, "gain", 6.0, "q", 2.0)},
		chain.Step{Kind: chain.Compressor, Values: n("threshold", -20.0, "ratio", 4.0, "knee", 6.0, "attack", 2.0, "release", 30.0, "ahead", 3.0, "makeup", 2.0)})
	put(reel.TrackRow, tracks[1].ID, chain.Step{Kind: chain.Polarity}, chain.Step{Kind: chain.Compressor, Detector: chain.RMS,
		Key: &chain.Key{Row: "stem", From: "DX"}, Values: n("threshold", -30.0, "ratio", 8.0, "attack", 5.0, "release", 40.0)},
		chain.Step{Kind: chain.Width, Values: n("width", 0.5)})
	put(reel.TrackRow, tracks[2].ID, chain.Step{Kind: chain.Delay, Values: n("samples", 700.0)}, chain.Step{Kind: chain.Gain})
	do(t, r, reel.SetChainCurve{Row: reel.TrackRow, From: tracks[2].ID, Step: "b", Parameter: "gain",
		Points: []reel.Point{{At: start + 6000, Value: -20}, {At: start + 30_000, Value: 3}}})
	put(reel.StemRow, "FX", chain.Step{Kind: chain.Compressor, Key: &chain.Key{Row: "track", From: tracks[0].ID}, // which comes early
		Values: n("threshold", -30.0, "ratio", 3.0, "release", 50.0)})
	put(reel.StemRow, "DX", chain.Step{Kind: chain.Limiter, Values: n("ceiling", -9.0, "release", 20.0)})
	put(reel.GroupRow, "mix", chain.Step{Kind: chain.Gate, Off: true}, chain.Step{Kind: chain.Limiter, Values: n("ceiling", -4.0, "ahead", 1.0)})
	do(t, r, reel.SetTrack{Track: tracks[0].ID, GainDB: ptr(-3.0)})
	do(t, r, reel.SetCurve{Of: reel.OfTrack, ID: tracks[0].ID, What: "gain", Points: []reel.Point{{At: start, Value: 0}, {At: start + 40_000, Value: -6}}})
	do(t, r, reel.SetBus{Row: reel.StemRow, From: "DX", GainDB: ptr(1.5)})
	do(t, r, reel.SetBus{Row: reel.GroupRow, From: "mix", GainDB: ptr(-1.0)})
	return r, s
}

// plainly is a chain by its definitions, over all of a signal whose first sample lies at a place: no block, no latency, no state but what is written
// here.
func plainly(t testing.TB, c reel.Chain, x [][]float64, at int64, key [][]float64) [][]float64 {
	for _, s := range c.Steps {
		if s.Off {
			continue
		}
		switch points := c.Curves[s.ID+" gain"]; {
		case s.Kind == chain.Gain && len(points) > 0:
			for i := range x[0] { // linear in dB between the ends of stretches of 256
				p := at + int64(i)
				begin := p - p%256
				a, b := line(points, begin), line(points, begin+256)
				x[0][i] *= db(a + (b-a)*float64(p-begin)/256)
			}
		default:
			require.True(t, chaintest.Plain(s.Kind), "nothing plain is known of %s", s.Kind)
			by := key
			if s.Key == nil {
				by = nil
			}
			x = chaintest.Plainly(s, 48000, x, by)
		}
	}
	return x
}

// plain renders the reel of manyChains from its start: track by track, stem by stem, group by group.
func plain(t testing.TB, r *reel.Reel, s shelf, frames int) map[string][][]float64 {
	const from = start
	sums := func() [][]float64 { return [][]float64{make([]float64, frames), make([]float64, frames)} }
	stems := map[string][][]float64{"DX": sums(), "MX": sums(), "FX": sums()}
	order := r.TrackList() // the dialogue first, which drives the music
	chains := func(row reel.Row, id string, x [][]float64, key [][]float64) [][]float64 {
		c, there := r.Chains[reel.ChainID(row, id)]
		if !there {
			return x
		}
		return plainly(t, c, x, from, key)
	}
	levelled := func(row reel.Row, id string, x [][]float64) {
		for c := range x {
			for i := range x[c] {
				x[c][i] *= db(r.Buses[reel.BusID(row, id)].GainDB)
			}
		}
	}
	var voice [][]float64 // which drives the effects
	finish := func(stem string) {
		stems[stem] = chains(reel.StemRow, stem, stems[stem], voice)
		levelled(reel.StemRow, stem, stems[stem])
	}
	for _, track := range order {
		x := make([][]float64, len(track.Labels))
		for _, c := range r.ClipList() {
			if c.Track != track.ID {
				continue
			}
			for ch := range c.Channels {
				x[ch] = make([]float64, frames)
				for i, v := range s.samples(t, c.Take, c.Channels[ch]) {
					at := int(c.Start-from) + i - int(c.Offset)
					if at >= 0 && at < frames && int64(at)+from < c.End() {
						x[ch][at] = v
					}
				}
			}
		}
		x = chains(reel.TrackRow, track.ID, x, stems["DX"])
		for ch := range x {
			for i := range x[ch] {
				x[ch][i] *= db(track.GainDB) * db(line(track.Gain, int64(from+i)))
				y := x[ch][i]
				if len(x) == 2 {
					stems[track.Stem][ch][i] += y
					continue
				}
				stems[track.Stem][0][i] += y * math.Sqrt2 / 2
				stems[track.Stem][1][i] += y * math.Sqrt2 / 2
			}
		}
		if voice == nil {
			voice = x
		}
		finish(track.Stem)
	}
	mix := sums()
	for _, stem := range stems {
		for c := range mix {
			for i := range mix[c] {
				mix[c][i] += stem[c][i]
			}
		}
	}
	mix = chains(reel.GroupRow, "mix", mix, nil)
	levelled(reel.GroupRow, "mix", mix)
	return map[string][][]float64{"mix": mix, "dx": stems["DX"]}
}

// What the engine makes of chains is what their definitions say, each sample in its place, with all that look ahead and all that is driven.
func TestChainsAgainstTheirDefinitions(t *testing.T) {
	r, s := manyChains(t)
	const frames = 62_000
	want := plain(t, r, s, frames)
	for _, blocks := range [][]int{{4096}, {1, 1023, 480, 16384}} {
		got := render(t, r, s, start, frames, blocks...)
		for c := range 2 {
			for i := range frames {
				require.InDelta(t, want["mix"][c][i], got[c][i], 1e-9, "mix %d at %d", c, i)
				require.InDelta(t, want["dx"][c][i], got[2+c][i], 1e-9, "dialogue %d at %d", c, i)
			}
		}
	}
}

// aside are kinds that look further ahead than the reel is long, or ring before its start, where plain forms know of nothing, or whose plain form is
// not the same to the last digits, on which others would decide.
var aside = []chain.Kind{chain.Leveller, chain.Match, chain.Noise, chain.Click}

// Chains of any processors that have a plain form, on any row, driven by the row itself or by another, are what these are.
func TestRandomChainsAgainstTheirPlainForms(t *testing.T) {
	const frames, ahead = 62_000, 12_000 // a plain form knows of nothing behind the end, which chains look ahead to
	for seed := range int64(6) {
		r, s := manyChains(t)
		rnd := rand.New(rand.NewSource(seed))
		tracks := r.TrackList()
		drives := map[string]*chain.Key{reel.ChainID(reel.TrackRow, tracks[1].ID): {Row: "stem", From: "DX"},
			reel.ChainID(reel.StemRow, "FX"): {Row: "track", From: tracks[0].ID}}
		for _, c := range r.ChainList() {
			var steps []chain.Step
			for len(steps) < 2 || len(steps) < 1+rnd.Intn(4) {
				about := chain.Kinds[rnd.Intn(len(chain.Kinds))]
				driven := drives[c.ID] != nil && len(steps) == 1 // by another row, at least once, behind one that may be late
				if !chaintest.Plain(about.Kind) || slices.Contains(aside, about.Kind) || driven && !about.Keyed {
					continue
				}
				step := chaintest.Random(rnd, about)
				step.ID = string(rune('p' + len(steps))) // none that has a curve
				step.Off = !driven && rnd.Intn(6) == 0
				if gain, there := step.Values["gain"]; there {
					step.Values["gain"] = gain / 4 // or several together are louder than any file
				}
				if driven || about.Keyed && rnd.Intn(2) == 0 {
					step.Key = drives[c.ID]
				}
				steps = append(steps, step)
			}
			do(t, r, reel.SetChain{Row: c.Row, From: c.From, Steps: &steps})
		}
		want := plain(t, r, s, frames)
		got := render(t, r, s, start, frames, 1, 1023, 480, 16384)
		for c := range 2 {
			for i := range frames - ahead {
				most := 1e-6 * max(1, math.Abs(want["mix"][c][i]))
				if math.Abs(want["mix"][c][i]-got[c][i]) > most || math.Abs(want["dx"][c][i]-got[2+c][i]) > most {
					for _, x := range r.ChainList() {
						for _, y := range x.Steps {
							t.Log(x.ID, y.Kind, y.Off, y.Values, y.Key, y.Detector)
						}
					}
				}
				require.InDelta(t, want["mix"][c][i], got[c][i], most, "seed %d, mix %d at %d", seed, c, i)
				require.InDelta(t, want["dx"][c][i], got[2+c][i], most, "seed %d, dialogue %d at %d", seed, c, i)
			}
		}
	}
}

// Where one begins makes no difference that could be heard, however blocks are cut.
func TestSeeksInChains(t *testing.T) {
	r, s := manyChains(t)
	whole := render(t, r, s, start, 62_000, 4096)
	for _, from := range []int64{700, 20_001, 44_444} {
		got := render(t, r, s, start+from, 10_000, 512, 77)
		worst := 0.0
		for c := range got {
			for i := range got[c] {
				worst = max(worst, math.Abs(got[c][i]-whole[c][int(from)+i]))
			}
		}
		assert.Less(t, worst, 1e-7, "from %d", from)
	}
}

// A chain that does nothing, or is off, changes no bit; and what remembers is known.
func TestChainsThatDoNothing(t *testing.T) {
	r, s := manyChains(t)
	for id, c := range r.Chains {
		off := true
		do(t, r, reel.SetChain{Row: c.Row, From: c.From, Off: &off})
		require.True(t, r.Chains[id].Off)
	}
	bare := r.Clone()
	bare.Chains = nil
	want, got := render(t, bare, s, start, 62_000, 4096), render(t, r, s, start, 62_000, 4096)
	for c := range want {
		for i := range want[c] {
			require.Equal(t, want[c][i], got[c][i])
		}
	}
	before, after, err := Reach(r)
	require.NoError(t, err)
	assert.Zero(t, before+after)
	r, _ = manyChains(t)
	before, after, err = Reach(r)
	require.NoError(t, err)
	assert.EqualValues(t, 3*48+8+8*(12+4)+8+8*(6+4), after, "3 ms and a step, two limiters, and the step that the music waits for what drives it")
	assert.Greater(t, before, after)
}
