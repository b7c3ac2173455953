package engine

import (
	"fmt"
	"math"
	"math/rand"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/dsp"
	"zestyloom/core/layout"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
	"zestyloom/core/weave"
)

var (
	five1 = []string{"L", "R", "C", "LFE", "Ls", "Rs"}
	film  = []string{"L", "C", "R", "Ls", "Rs", "LFE"}
)

// probe is a take with a tone on one channel and silence on the others.
func probe(t testing.TB, s shelf, channels, on int) string {
	name := fmt.Sprintf("probe %d of %d", on, channels)
	if s[name] == nil {
		h := wave.Header{Format: wave.Format{Encoding: wave.Float, SampleRate: 48000, Channels: channels, BitDepth: 64, Bytes: 8}, Frames: 24000}
		s[name] = wavetest.Open(t, h, func(c, i int) float64 {
			if c != on {
				return 0
			}
			return 0.5 * math.Sin(float64(i)*2*math.Pi/48)
		})
	}
	return name
}

func try(t testing.TB, r *reel.Reel, c reel.Command) bool {
	change, _, err := c.Plan(r, lenders)
	return err == nil && r.Apply(change) == nil
}

// randomWeave makes a reel with tracks, stems, strands, mixes and groups of all formats, fed and tied at random.
func randomWeave(t testing.TB, rnd *rand.Rand) *reel.Reel {
	widths := [][]string{{"M"}, pair, five1, film, {"L", "R", "C"}, layout.ACNLabels(1), layout.FuMaLabels(1), {"M", "M", "M"},
		{"L", "R", "C", "LFE", "Lss", "Rss", "Lrs", "Rrs", "Ltf", "Rtf", "Ltr", "Rtr"}}
	r := reel.New("x", 48000, timecode.Rate{Num: 25, Den: 1}, start, reel.DefaultStems())
	for _, stem := range []string{"DX", "MX", "FX", "AX"} {
		labels := widths[rnd.Intn(len(widths))]
		if len(labels) == 3 && labels[0] == "M" {
			labels = pair
		}
		do(t, r, reel.SetStem{Stem: stem, Labels: &labels, Yes: true})
	}
	for i := range 6 {
		labels := widths[rnd.Intn(len(widths))]
		var channels []int
		for c := range labels {
			channels = append(channels, c)
		}
		stem := []string{"DX", "MX", "FX", "AX"}[rnd.Intn(4)]
		do(t, r, reel.AddTake{Take: "x", Title: fmt.Sprint(i), Start: start, Length: 24000,
			Parts: []reel.PartPlan{{Name: fmt.Sprint(i), Stem: stem, Strand: []string{"", "Ines", "Tobiah"}[rnd.Intn(3)], Channels: channels,
				Labels: labels}}})
		tracks := r.TrackList()
		set := reel.SetTrack{Track: tracks[len(tracks)-1].ID, GainDB: ptr(float64(rnd.Intn(9) - 6)), Pan: ptr(rnd.Float64()*2 - 1),
			Placed: ptr(rnd.Intn(2) == 0), Front: ptr(rnd.Float64()*2 - 1), Up: ptr(rnd.Float64()),
			Spread: ptr(rnd.Float64() * float64(rnd.Intn(2))), Dual: ptr(rnd.Intn(4) == 0)}
		if rnd.Intn(2) == 0 {
			set.Turn, set.Narrow, set.LFEDB, set.Pitch = ptr(rnd.Float64()*90), ptr(rnd.Float64()), ptr(-12.0), ptr(rnd.Float64()*30)
		}
		if second := []string{"", "DX", "FX"}[rnd.Intn(3)]; second != stem {
			set.Second = &second
		}
		do(t, r, set)
	}
	tracks := r.TrackList()
	do(t, r, reel.SetMix{Name: "Full", Labels: five1, Rest: true})
	do(t, r, reel.SetMix{Name: "M&E", Labels: pair, Rest: true, Terms: []reel.Term{{Row: reel.StemRow, From: "DX", Out: true},
		{Row: reel.StrandRow, From: reel.StrandID("MX", "Ines"), Out: true}, {Row: reel.StrandRow, From: reel.StrandID("FX", "Tobiah"),
			GainDB: -5}}})
	mixes := r.MixList()
	fold := mix.Usual()
	fold.SurroundDB, fold.TrimDB = -6, -1
	for _, c := range []reel.SetGroup{
		{Name: "Full", Layout: "5.1", Order: "film", Feed: &reel.Feeder{Row: reel.MixRow, From: mixes[0].ID}},
		{Name: "Stereo", Layout: "stereo", Feed: &reel.Feeder{Row: reel.GroupRow, From: "?", Fold: &fold}},
		{Name: "M&E", Layout: "stereo", Feed: &reel.Feeder{Row: reel.MixRow, From: mixes[1].ID}},
		{Name: "Strand", Layout: "dual mono", Feed: &reel.Feeder{Row: reel.StrandRow, From: reel.StrandID("MX", "Ines")}},
		{Name: "Stem", Layout: "7.1", Feed: &reel.Feeder{Row: reel.StemRow, From: "FX"}},
		{Name: "Track", Layout: "foa", Feed: &reel.Feeder{Row: reel.TrackRow, From: tracks[0].ID}},
		{Name: "Loose", Layout: "discrete", Width: 5},
	} {
		if c.Feed != nil && c.Feed.From == "?" {
			c.Feed.From = r.GroupList()[0].ID
		}
		do(t, r, c)
	}
	// In one order, so that a seed stands for one weave.
	for _, bus := range []weave.NodeID{{Row: reel.StrandRow, ID: reel.StrandID(tracks[1].Stem, tracks[1].Strand)}, {Row: reel.StemRow, ID: "AX"},
		{Row: reel.MixRow, ID: mixes[0].ID}, {Row: reel.GroupRow, ID: r.GroupList()[rnd.Intn(7)].ID}} {
		do(t, r, reel.SetBus{Row: bus.Row, From: bus.ID, GainDB: ptr(float64(rnd.Intn(7) - 6)), Pan: ptr(rnd.Float64()*2 - 1),
			Turn: ptr(rnd.Float64() * 90), Narrow: ptr(rnd.Float64() * float64(rnd.Intn(2)))})
	}
	groups := r.GroupList()
	do(t, r, reel.SetCorrection{Of: groups[rnd.Intn(7)].ID, Groups: []string{groups[rnd.Intn(7)].ID}, GainDB: float64(rnd.Intn(9) - 4)})
	outputs := r.OutputList()
	for range 12 {
		track := tracks[rnd.Intn(len(tracks))]
		froms := []reel.Crosspoint{{Row: reel.TrackRow, From: track.ID}, {Row: reel.StemRow, From: "MX"},
			{Row: reel.MixRow, From: mixes[rnd.Intn(2)].ID}, {Row: reel.StrandRow, From: reel.StrandID(track.Stem, track.Strand)}}
		k := froms[rnd.Intn(4)]
		k.Channel, k.Output, k.GainDB, k.Invert = rnd.Intn(3), outputs[rnd.Intn(len(outputs))].ID, float64(-rnd.Intn(12)), rnd.Intn(2) == 0
		try(t, r, reel.SetKnots{Knots: []reel.Crosspoint{k}})
	}
	return r
}

// A tone in each channel of each track arrives at exactly the outputs that the effective routing says, at its gain, and
// everywhere else there is nothing.
func TestChannelIsolation(t *testing.T) {
	s := shelf{}
	heard := 0
	for seed := range int64(12) {
		r := randomWeave(t, rand.New(rand.NewSource(seed)))
		g, err := weave.Compile(r)
		require.NoError(t, err)
		want := map[string]float64{}
		for at, n := range g.Nodes {
			for _, e := range g.Effective(at, reel.Span{From: start, To: start + 1}) {
				gain := dsp.Gain(e.GainDB)
				if e.Invert {
					gain = -gain
				}
				want[fmt.Sprint(n.ID, " ", e.Channel, " ", e.Output)] = gain
			}
		}
		for _, clip := range r.ClipList() {
			for on := range clip.Channels {
				alone := r.Clone()
				c := clip
				c.Take = probe(t, s, len(clip.Channels), on)
				alone.Clips = map[string]reel.Clip{c.ID: c}
				got := render(t, alone, s, start+1000, 960, 960)
				tone := s.samples(t, c.Take, on)[1000:1960]
				for i, o := range r.OutputList() {
					gain := want[fmt.Sprint(clip.Track, " ", on, " ", o.ID)]
					for n, x := range got[i] {
						require.InDelta(t, gain*tone[n], x, 1e-7, "seed %d: channel %d of %s at %s", seed, on, clip.Name, o.ID)
					}
					if gain != 0 {
						heard++
					}
				}
			}
		}
	}
	assert.Greater(t, heard, 500)
}

// lookAhead delays and says so, as a limiter does.
type lookAhead struct{ *dsp.Delay }

// A processor that looks ahead is in one of two paths, in both at once, and behind the other: the paths still meet.
func TestPathsOfDifferentLatencyNull(t *testing.T) {
	r, s := crossing(t)
	track := r.TrackList()[0].ID
	do(t, r, reel.SetTrack{Track: track, Dual: ptr(true)})
	do(t, r, reel.SetTrack{Track: r.TrackList()[1].ID, Mute: ptr(true)})
	do(t, r, reel.SetGroup{Name: "Difference", Layout: "mono", Feed: &reel.Feeder{Row: reel.StemRow, From: "DX"}})
	groups := r.GroupList()
	null := groups[len(groups)-1].ID
	do(t, r, reel.SetKnots{Knots: []reel.Crosspoint{{Row: reel.TrackRow, From: track, Output: null + "/M", Invert: true}}})
	plain := render(t, r, s, start+500, 20000, 4096)
	chain := Options{Chain: func(n weave.Node) []dsp.Processor {
		switch {
		case n.Row == reel.StemRow && n.ID == "DX":
			return []dsp.Processor{lookAhead{dsp.NewDelay(2, 777)}, lookAhead{dsp.NewDelay(2, 64)}}
		case n.ID == "mix":
			return []dsp.Processor{lookAhead{dsp.NewDelay(2, 300)}}
		}
		return nil
	}}
	for name, blocks := range map[string][]int{"large": {16384}, "small": {480, 1, 1023}} {
		e, err := New(r, s.open, chain)
		require.NoError(t, err)
		for at, i := 0, 0; at < 20000; i++ {
			n := min(blocks[i%len(blocks)], 20000-at)
			require.NoError(t, e.Render(start+500+int64(at), n))
			for c, out := range e.Outputs() {
				require.Equal(t, plain[c][at:at+n], out, "%s blocks, output %d at %d", name, c, at)
			}
			at += n
		}
	}
	e, err := New(r, s.open, chain)
	require.NoError(t, err)
	for _, at := range []int{15000, 40, 7000} { // jumps, as a user makes them
		require.NoError(t, e.Render(start+500+int64(at), 960))
		for c, out := range e.Outputs() {
			require.Equal(t, plain[c][at:at+960], out)
		}
	}
	for _, x := range plain[len(plain)-1] {
		require.Zero(t, x)
	}
}

// An encoded fold-down: the front in its place to the sample, the surrounds a quarter turn from it and against each other.
func TestEncodedFoldDown(t *testing.T) {
	fold := mix.Usual()
	fold.Encoded = true
	at := func(on int) [][]float64 {
		s := shelf{}
		r := reel.New("x", 48000, timecode.Rate{Num: 25, Den: 1}, start, reel.DefaultStems())
		do(t, r, reel.SetStem{Stem: "FX", Labels: &five1})
		do(t, r, reel.AddTake{Take: probe(t, s, 6, on), Title: "x", Start: start, Length: 24000,
			Parts: []reel.PartPlan{{Name: "x", Stem: "FX", Channels: []int{0, 1, 2, 3, 4, 5}, Labels: five1}}})
		do(t, r, reel.SetGroup{Name: "Full", Layout: "5.1", Feed: &reel.Feeder{Row: reel.StemRow, From: "FX"}})
		do(t, r, reel.SetGroup{Name: "LtRt", Layout: "stereo", Feed: &reel.Feeder{Row: reel.GroupRow, From: r.GroupList()[0].ID, Fold: &fold}})
		return render(t, r, s, start+5000, 4800, 1000)
	}
	for on, want := range map[int][2]float64{0: {0.5, 0}, 1: {0, 0.5}, 2: {0.5 * math.Sqrt2 / 2, 0.5 * math.Sqrt2 / 2}} {
		out := at(on)
		for i := range 4800 {
			tone := math.Sin(float64(i+5000) * 2 * math.Pi / 48)
			require.InDelta(t, 0.5*tone, out[on][i], 1e-12, "the set that is folded stays in its place")
			require.InDelta(t, want[0]*tone, out[6][i], 1e-9)
			require.InDelta(t, want[1]*tone, out[7][i], 1e-9)
		}
	}
	for _, on := range []int{4, 5} {
		out := at(on)
		for i := range 4800 {
			turned := 0.5 * math.Sqrt2 / 2 * math.Cos(float64(i+5000)*2*math.Pi/48) // sin(x + 90°)
			require.InDelta(t, turned, out[6][i], 1e-3)
			require.InDelta(t, -turned, out[7][i], 1e-3)
		}
	}
}

// An encoded fold-down stays what it is where another path from its source takes longer.
func TestEncodedFoldDownBesideALongerWay(t *testing.T) {
	fold := mix.Usual()
	fold.Encoded = true
	s := shelf{}
	r := reel.New("x", 48000, timecode.Rate{Num: 25, Den: 1}, start, reel.DefaultStems())
	do(t, r, reel.SetStem{Stem: "FX", Labels: &five1})
	parts := []reel.PartPlan{{Name: "x", Stem: "FX", Channels: []int{0, 1, 2, 3, 4, 5}, Labels: five1}}
	do(t, r, reel.AddTake{Take: probe(t, s, 6, 4), Title: "x", Start: start, Length: 24000, Parts: parts})
	do(t, r, reel.SetGroup{Name: "Full", Layout: "5.1", Feed: &reel.Feeder{Row: reel.StemRow, From: "FX"}})
	full := r.GroupList()[0].ID
	do(t, r, reel.SetGroup{Name: "LtRt", Layout: "stereo", Feed: &reel.Feeder{Row: reel.GroupRow, From: full, Fold: &fold}})
	do(t, r, reel.SetGroup{Name: "Again", Layout: "5.1", Feed: &reel.Feeder{Row: reel.GroupRow, From: full}})
	again := r.GroupList()[2].ID
	do(t, r, reel.SetGroup{Name: "Later", Layout: "stereo", Feed: &reel.Feeder{Row: reel.GroupRow, From: again, Fold: &fold}})
	plain := render(t, r, s, start+5000, 4800, 1000)
	e, err := New(r, s.open, Options{Chain: func(n weave.Node) []dsp.Processor {
		if n.ID == again {
			return []dsp.Processor{lookAhead{dsp.NewDelay(6, 777)}}
		}
		return nil
	}})
	require.NoError(t, err)
	require.NoError(t, e.Render(start+5000, 4800))
	for c, out := range e.Outputs() {
		for i := range out {
			require.InDelta(t, plain[c][i], out[i], 1e-12, "output %d at %d", c, i)
		}
	}
	assert.Equal(t, plain[6], plain[14], "the later one is the same")
}

// Positions of a mono in the room move by their curves without a step, and their power stays.
func TestMovesInTheRoom(t *testing.T) {
	s := shelf{}
	name := probe(t, s, 1, 0)
	r := reel.New("x", 48000, timecode.Rate{Num: 25, Den: 1}, start, reel.DefaultStems())
	do(t, r, reel.SetStem{Stem: "FX", Labels: &five1})
	do(t, r, reel.AddTake{Take: name, Title: "x", Start: start, Length: 24000, Parts: []reel.PartPlan{{Name: "x", Stem: "FX",
		Channels: []int{0}, Labels: []string{"M"}}}})
	track := r.TrackList()[0].ID
	do(t, r, reel.SetTrack{Track: track, Placed: ptr(true), Front: ptr(1.0), LFEDB: ptr(-20.0)})
	do(t, r, reel.SetGroup{Name: "Full", Layout: "5.1", Feed: &reel.Feeder{Row: reel.StemRow, From: "FX"}})
	var pan, front []reel.Point
	for i := range 41 {
		sin, cos := math.Sincos(float64(i) / 40 * 2 * math.Pi)
		pan, front = append(pan, reel.Point{At: start + int64(i)*500, Value: sin}), append(front,
			reel.Point{At: start + int64(i)*500, Value: cos})
	}
	do(t, r, reel.SetCurve{Of: reel.OfTrack, ID: track, What: reel.PanCurve, Points: pan})
	do(t, r, reel.SetCurve{Of: reel.OfTrack, ID: track, What: reel.FrontCurve, Points: front})
	out := render(t, r, s, start, 20000, 4096)
	tone := s.samples(t, name, 0)
	for i := 100; i < 19900; i++ {
		if math.Abs(tone[i]) < 0.1 {
			continue
		}
		sum := 0.0
		for c, label := range five1 {
			g := out[c][i] / tone[i]
			if label == "LFE" {
				require.InDelta(t, 0.1, g, 1e-9)
				continue
			}
			sum += g * g
		}
		require.InDelta(t, 1, sum, 0.03, "at %d: a turn in 0.4 s", i)
	}
	assert.InDelta(t, 1, out[2][12]/tone[12], 1e-3, "it begins in the centre")
	assert.InDelta(t, 0.5, math.Pow(out[4][10013]/tone[10013], 2), 0.02, "half way round it is behind, between both surrounds")
	again := render(t, r, s, start, 20000, 333, 1)
	assert.Equal(t, out, again)
}

// A clip uses channels of its take at gains of its own.
func TestChannelsInsideAClip(t *testing.T) {
	r, s := crossing(t)
	clip := r.ClipList()[2]
	require.Equal(t, "cue", clip.Take)
	change, _, err := reel.SetMatrix{Clip: clip.ID, Channels: []int{1, 0}, Matrix: [][]float64{{1, 0}, {0.25, -0.5}}}.Plan(r, s.known())
	require.NoError(t, err)
	require.NoError(t, r.Apply(change))
	got := render(t, r, s, clip.Start, 1000, 300)
	left, right := s.samples(t, "cue", 0), s.samples(t, "cue", 1)
	for i := range 1000 {
		require.InDelta(t, right[i], got[2][i], 1e-12)
		require.InDelta(t, 0.25*right[i]-0.5*left[i], got[3][i], 1e-12)
	}
	assert.Equal(t, []bool{true, false}, exactOf(t, r, s, whole)[2:4], "the other side as it is, and parts of both")
}

// A clip that moves between the sides by itself, and a track that moves, sound the same whether or not another way from them
// takes longer, in whatever blocks: what is delayed moves where it is heard.
func TestMovesBesideALongerWay(t *testing.T) {
	fold := mix.Usual()
	fold.Encoded = true
	for name, how := range map[string]func(r *reel.Reel, track string, clip reel.Clip){
		"a clip": func(r *reel.Reel, _ string, clip reel.Clip) {
			do(t, r, reel.SetCurve{Of: reel.OfClip, ID: clip.ID, What: reel.PanCurve, Points: []reel.Point{{At: start + 2000, Value: -1},
				{At: start + 9000, Value: 1}}})
		},
		"a track": func(r *reel.Reel, track string, _ reel.Clip) {
			do(t, r, reel.SetCurve{Of: reel.OfTrack, ID: track, What: reel.PanCurve, Points: []reel.Point{{At: start + 2000, Value: -1},
				{At: start + 9000, Value: 1}}})
		},
		"a stem": func(r *reel.Reel, _ string, _ reel.Clip) {
			do(t, r, reel.SetCurve{Of: "stem", ID: "MX", What: reel.PanCurve, Points: []reel.Point{{At: start + 2000, Value: -1},
				{At: start + 9000, Value: 1}}})
		},
	} {
		t.Run(name, func(t *testing.T) {
			r, s := crossing(t)
			track := r.TrackList()[0].ID
			do(t, r, reel.SetTrack{Track: track, Second: ptr("MX")})
			for _, c := range r.ClipList() {
				if c.Track == track {
					how(r, track, c)
				}
			}
			plain := render(t, r, s, start, 40000, 4096)
			do(t, r, reel.SetStem{Stem: "FX", Labels: &five1})
			do(t, r, reel.SetMix{Name: "Surround", Labels: five1, Rest: true, Terms: []reel.Term{{Row: reel.StemRow, From: "MX", Out: true}}})
			do(t, r, reel.SetGroup{Name: "LtRt", Layout: "stereo", Feed: &reel.Feeder{Row: reel.MixRow, From: r.MixList()[0].ID, Fold: &fold}})
			for _, blocks := range [][]int{{4096}, {480}, {1, 1023}} {
				got := render(t, r, s, start, 40000, blocks...)
				same(t, plain, got[:len(plain)])
				lt, all := got[len(plain)], plain[4] // of Mix, which has the same but for MX; nothing is in the surrounds
				for i := range lt {
					require.InDelta(t, all[i]-plain[2][i], lt[i], 1e-9, "%v at %d", blocks, i)
				}
			}
		})
	}
}
