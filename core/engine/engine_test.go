package engine

import (
	"math"
	"math/rand"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/dsp"
	"zestyloom/core/fault"
	"zestyloom/core/layout"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
	"zestyloom/core/weave"
)

const start = 36000 * 48000

// shelf holds takes in memory, by name.
type shelf map[string]*wave.File

func (s shelf) open(take string) (*wave.File, error) {
	if f, ok := s[take]; ok {
		return f, nil
	}
	return nil, fault.New(fault.NotFound, "no take %s", take)
}

func (s shelf) record(t testing.TB, name string, rate, channels, frames int) {
	h := wave.Header{Format: wavetest.PCM24(channels), Frames: int64(frames)}
	h.SampleRate = rate
	rnd := rand.New(rand.NewSource(int64(len(name) + frames)))
	s[name] = wavetest.Open(t, h, func(int, int) float64 { return rnd.Float64()*0.5 - 0.25 })
}

// samples gives one channel of a take.
func (s shelf) samples(t testing.TB, take string, channel int) []float64 {
	return wavetest.Samples(t, s[take])[channel]
}

// lenders are what commands are told of takes.
var lenders = reel.Takes{"other": {Title: "12A/4", Channels: 3, Frames: 40_000, SampleRate: 48000}}

func do(t testing.TB, r *reel.Reel, c reel.Command) {
	change, _, err := c.Plan(r, lenders)
	require.NoError(t, err)
	require.NoError(t, r.Apply(change))
}

func ptr[T any](x T) *T { return &x }

var pair = []string{"L", "R"}

// crossing lays two takes out: a recorder's with two isos, and a stereo cue, on three pairs and a mix.
func crossing(t testing.TB) (*reel.Reel, shelf) {
	s := shelf{}
	s.record(t, "poly", 48000, 4, 30000)
	s.record(t, "cue", 48000, 2, 50000)
	r := reel.New("Crossing", 48000, timecode.Rate{Num: 25, Den: 1}, start, reel.DefaultStems())
	groups := []reel.Group{{ID: "dx", Name: "Dialogue", Labels: pair, Stems: []string{"DX"}},
		{ID: "mx", Name: "Music", Labels: pair, Stems: []string{"MX"}}, {ID: "mix", Name: "Mix", Labels: pair, Stems: []string{"DX", "MX", "FX"}}}
	do(t, r, reel.AddTake{Take: "poly", Title: "12A/3", Start: start + 1000, Length: 30000, Parts: []reel.PartPlan{
		{Name: "Boom", Stem: "DX", Channels: []int{2}, Labels: []string{"M"}}, {Name: "Ines", Stem: "DX", Channels: []int{3},
			Labels: []string{"M"}}}})
	do(t, r, reel.AddTake{Take: "cue", Title: "Cue", Start: start + 20000, Length: 50000,
		Parts: []reel.PartPlan{{Name: "Cue", Stem: "MX", Channels: []int{0, 1}, Labels: pair}}})
	do(t, r, reel.LayOutputs{Spec: "s", Title: "S", Groups: groups, Knots: weave.GroupKnots(r, groups)})
	return r, s
}

// render gives all outputs over frames, cut into blocks of the given sizes in turn.
func render(t testing.TB, r *reel.Reel, s shelf, from int64, frames int, sizes ...int) [][]float64 {
	e, err := New(r, s.open, Options{})
	require.NoError(t, err)
	out := make([][]float64, len(r.OutputList()))
	for at, i := 0, 0; at < frames; i++ {
		n := min(sizes[i%len(sizes)], frames-at)
		require.NoError(t, e.Render(from+int64(at), n))
		for c, ch := range e.Outputs() {
			out[c] = append(out[c], ch...)
		}
		at += n
	}
	return out
}

// whole is all of a reel, and more.
var whole = reel.Span{From: 0, To: math.MaxInt64 / 2}

// Listening asks for small blocks from anywhere, printing for large ones from the start: they are the same samples.
func TestBlocksDoNotMatter(t *testing.T) {
	r, s := crossing(t)
	do(t, r, reel.SetTrack{Track: r.TrackList()[0].ID, GainDB: ptr(-4.5)})
	want := render(t, r, s, start, 72000, MaxBlock)
	assert.Equal(t, want, render(t, r, s, start, 72000, 480, 1, 1023, 4096))
	e, err := New(r, s.open, Options{})
	require.NoError(t, err)
	for _, at := range []int{40000, 3, 71000, 990} { // jumps, as a user makes them
		require.NoError(t, e.Render(start+int64(at), 960))
		for c, ch := range e.Outputs() {
			require.Equal(t, want[c][at:at+960], ch)
		}
	}
}

func TestUnityIsTransparent(t *testing.T) {
	r, s := crossing(t)
	tracks := r.TrackList()
	do(t, r, reel.SetTrack{Track: tracks[0].ID, Dual: ptr(true)})
	do(t, r, reel.SetTrack{Track: tracks[1].ID, Mute: ptr(true)})
	got := render(t, r, s, start+1000, 30000, 5000)
	boom := s.samples(t, "poly", 2)
	assert.Equal(t, boom, got[0])
	assert.Equal(t, boom, got[1])
	e, err := New(r, s.open, Options{})
	require.NoError(t, err)
	assert.Equal(t, []bool{true, true, true, true, true, true}, e.Exact(whole, 24))
	assert.Equal(t, []bool{false, false, false, false, false, false}, e.Exact(whole, 16), "24 bits do not fit 16")
	assert.Equal(t, []bool{false, false, true, true, false, false}, e.Exact(reel.Span{From: start, To: start + 20000}, 16), "before the cue")
	do(t, r, reel.SetTrack{Track: tracks[0].ID, Dual: ptr(false), Pan: ptr(-1.0)})
	e, err = New(r, s.open, Options{})
	require.NoError(t, err)
	assert.Equal(t, []bool{true, true}, e.Exact(whole, 24)[:2], "hard to one side, all of it goes there and nothing to the other")
	both := r.OutputList()[0].ID // which the other side of the stem feeds as well, with nothing
	do(t, r, reel.SetKnots{Knots: []reel.Crosspoint{{Row: reel.StemRow, From: "DX", Channel: 1, Output: both, GainDB: -3}}})
	e, err = New(r, s.open, Options{})
	require.NoError(t, err)
	assert.True(t, e.Exact(whole, 24)[0])
	do(t, r, reel.SetTrack{Track: tracks[0].ID, Pan: ptr(0.0)})
	do(t, r, reel.SetTrack{Track: tracks[2].ID, GainDB: ptr(-1.0)})
	e, err = New(r, s.open, Options{})
	require.NoError(t, err)
	assert.Equal(t, make([]bool, 6), e.Exact(whole, 24), "the pan law and a gain take it off the grid")
}

func TestSoloIsForListening(t *testing.T) {
	r, s := crossing(t)
	e, err := New(r, s.open, Options{Solo: []string{r.TrackList()[2].ID}})
	require.NoError(t, err)
	require.NoError(t, e.Render(start+20000, 1000))
	for c, silent := range []bool{true, true, false, false, false, false} {
		var sum float64
		for _, x := range e.Outputs()[c] {
			sum += math.Abs(x)
		}
		assert.Equal(t, silent, sum == 0, c)
	}
}

func TestTaps(t *testing.T) {
	r, s := crossing(t)
	e, err := New(r, s.open, Options{})
	require.NoError(t, err)
	require.NoError(t, e.Render(start+25000, 512))
	left, right := make([]float64, 512), make([]float64, 512)
	boom := s.samples(t, "poly", 2)[24000:24512]
	cueR := s.samples(t, "cue", 1)[5000:5512]
	require.NoError(t, e.Listen(Tap{Kind: "track", ID: r.TrackList()[0].ID}, left, right))
	assert.Equal(t, boom, left)
	assert.Equal(t, boom, right)
	require.NoError(t, e.Listen(Tap{Kind: "stem", ID: "MX"}, left, right))
	assert.Equal(t, cueR, right)
	require.NoError(t, e.Listen(Tap{Kind: "output", ID: "mx/R"}, left, right))
	assert.Equal(t, cueR, left, "one output sounds on both sides")
	require.NoError(t, e.Listen(Tap{Kind: "group", ID: "mix"}, left, right))
	assert.Equal(t, e.Outputs()[4], left)
	assert.Equal(t, e.Outputs()[5], right)
	require.NoError(t, e.Listen(Tap{Kind: "stems", ID: ""}, left, right))
	assert.Equal(t, e.Outputs()[4], left, "the sum of all stems is what the full mix gets")
	assert.Equal(t, fault.NotFound, fault.KindOf(e.Listen(Tap{Kind: "stem", ID: "ZZ"}, left, right)))
	// A pair is its two sides, whichever of them is named.
	outputs, list := e.Outputs(), r.OutputList()
	for _, side := range []string{"mx/L", "mx/R"} {
		require.NoError(t, e.Listen(Tap{Kind: "pair", ID: side}, left, right))
		for i, o := range list {
			switch o.ID {
			case "mx/L":
				assert.Equal(t, outputs[i], left)
			case "mx/R":
				assert.Equal(t, outputs[i], right)
			}
		}
	}
	assert.Equal(t, fault.NotFound, fault.KindOf(e.Listen(Tap{Kind: "pair", ID: "mx/M"}, left, right)))
}

func TestChecks(t *testing.T) {
	r, s := crossing(t)
	e, err := New(r, s.open, Options{})
	require.NoError(t, err)
	require.NoError(t, e.Render(start+25000, 512))
	left, right := make([]float64, 512), make([]float64, 512)
	mixL, mixR := e.Outputs()[4], e.Outputs()[5]
	for check, sign := range map[Check]float64{InMono: 1, Difference: -1} {
		require.NoError(t, e.Listen(Tap{Kind: "group", ID: "mix", Check: check}, left, right))
		assert.Equal(t, left, right)
		for i := range left {
			assert.InDelta(t, (mixL[i]+sign*mixR[i])/2, left[i], 1e-15)
		}
	}
	require.NoError(t, e.Listen(Tap{Kind: "group", ID: "mix", Check: Swapped}, left, right))
	assert.Equal(t, mixR, left)
	assert.Equal(t, mixL, right)
	surround := layout.Read([]string{"L", "R", "C", "LFE", "Ls", "Rs"})
	front := frontOf(surround, Pair(surround))
	assert.Equal(t, []float64{1, 0, 0, 0, 0, 0, 0, 1, 0, 0, 0, 0}, front.Gain)
	field := layout.Read([]string{"ACN0", "ACN1", "ACN2", "ACN3"})
	assert.Equal(t, Pair(field), frontOf(field, Pair(field)), "a sound field has no front pair of its own")
	assert.False(t, Check("loudly").Known())
}

// Around a head each speaker is heard where it stands: the row that is listened to channel by channel, what is no row as a pair in front.
func TestAround(t *testing.T) {
	r, s := crossing(t)
	e, err := New(r, s.open, Options{})
	require.NoError(t, err)
	for _, tap := range []Tap{{Kind: "group", ID: "mix"}, {Kind: "stem", ID: "MX"}, {Kind: "output", ID: "mx/R"}, {Kind: "stems"}} {
		tap.Check = Headphones
		a := e.NewAround(tap)
		head := dsp.NewHead(48000, []dsp.Direction{{Azimuth: 30}, {Azimuth: -30}})
		loud := false
		for _, n := range []int{512, 100, 1024} {
			require.NoError(t, e.Render(start+25000, n))
			left, right, l, r := make([]float64, n), make([]float64, n), make([]float64, n), make([]float64, n)
			require.NoError(t, e.Listen(Tap{Kind: tap.Kind, ID: tap.ID}, l, r))
			require.NoError(t, e.ListenAround(a, tap, left, right))
			wantL, wantR := make([]float64, n), make([]float64, n)
			head.Add(wantL, wantR, [][]float64{l, r})
			require.Equal(t, wantL, left, "%v", tap)
			require.Equal(t, wantR, right)
			loud = loud || slices.Max(left) > 0
		}
		assert.True(t, loud, "%v", tap)
	}
	assert.Equal(t, fault.NotFound, fault.KindOf(e.ListenAround(e.NewAround(Tap{Kind: "stem", ID: "ZZ"}), Tap{Kind: "stem", ID: "ZZ"},
		make([]float64, 1024), make([]float64, 1024))))
	// A sound field is heard by speakers all around, and an LFE, which has no place, is not.
	full := reel.New("Field", 48000, timecode.Rate{Num: 25, Den: 1}, 0, []reel.Stem{
		{ID: "AX", Name: "Field", Labels: []string{"ACN0", "ACN1", "ACN2", "ACN3"}}, {ID: "FX", Name: "Wide", Labels: []string{"L", "R", "C", "LFE", "Ls", "Rs"}}})
	e, err = New(full, s.open, Options{})
	require.NoError(t, err)
	a := e.NewAround(Tap{Kind: "stem", ID: "AX"})
	assert.Equal(t, 4, a.decode.Cols)
	assert.Equal(t, len(field), a.decode.Rows)
	a = e.NewAround(Tap{Kind: "stem", ID: "FX"})
	for c := range 6 {
		for row := range 6 {
			want := 0.0
			if row == c && row != 3 {
				want = 1
			}
			assert.Equal(t, want, a.decode.At(row, c))
		}
	}
}

func TestFoldForListening(t *testing.T) {
	labels := []string{"L", "R", "C", "LFE", "Ls", "Rs"}
	want := [][2]float64{{1, 0}, {0, 1}, {0.7071, 0.7071}, {0, 0}, {0.7071, 0}, {0, 0.7071}}
	m := Pair(layout.Read(labels))
	for i := range labels {
		assert.InDelta(t, want[i][0], m.At(0, i), 1e-4)
		assert.InDelta(t, want[i][1], m.At(1, i), 1e-4)
	}
	m = Pair(layout.Read([]string{"1", "2", "3"}))
	assert.InDelta(t, 0.7071, m.At(1, 2), 1e-4, "what has no place comes from the middle")
}

func TestWhatCannotPlay(t *testing.T) {
	r, s := crossing(t)
	s.record(t, "slow", 44100, 1, 100)
	do(t, r, reel.AddTake{Take: "slow", Title: "14/1", Start: start, Length: 100,
		Parts: []reel.PartPlan{{Name: "x", Stem: "FX", Channels: []int{0}, Labels: []string{"M"}}}})
	_, err := New(r, s.open, Options{})
	assert.Equal(t, fault.Unsupported, fault.KindOf(err))
	delete(s, "slow")
	_, err = New(r, s.open, Options{})
	assert.Equal(t, fault.NotFound, fault.KindOf(err))
	s.record(t, "slow", 48000, 1, 50) // became shorter than its clip
	e, err := New(r, s.open, Options{})
	require.NoError(t, err)
	require.NoError(t, e.Render(start, 100))
	assert.Error(t, e.Render(start, MaxBlock+1))
	small, err := New(r, s.open, Options{Block: 64})
	require.NoError(t, err)
	require.NoError(t, small.Render(start, 64))
	assert.Error(t, small.Render(start, 65), "it has no room for more")
}

// BenchmarkEngine40Tracks renders 40 tracks as they are, and with a point of automation every half second on each of them.
func BenchmarkEngine40Tracks(b *testing.B) {
	const seconds = 20
	for name, curves := range map[string][]reel.Parameter{"plain": nil, "gain": {"gain"}, "gain and position": {"gain", "pan"}} {
		b.Run(name, func(b *testing.B) {
			s := shelf{}
			s.record(b, "poly", 48000, 8, 48000*seconds)
			r := reel.New("x", 48000, timecode.Rate{Num: 25, Den: 1}, 0, reel.DefaultStems())
			groups := []reel.Group{{ID: "mix", Name: "Mix", Labels: pair, Stems: []string{"DX"}},
				{ID: "dx", Name: "DX", Labels: pair, Stems: []string{"DX"}}}
			for i := range 40 {
				do(b, r, reel.AddTake{Take: "poly", Title: "x", Length: 48000 * seconds, Parts: []reel.PartPlan{{Name: "x", Stem: "DX",
					Channels: []int{i % 8}, Labels: []string{"M"}}}})
			}
			do(b, r, reel.LayOutputs{Spec: "s", Title: "S", Groups: groups, Knots: weave.GroupKnots(r, groups)})
			for _, what := range curves {
				var points []reel.Point
				for i := range int64(2 * seconds) {
					points = append(points, reel.Point{At: i * 24000, Value: float64(i%3)/2 - 0.5})
				}
				for _, t := range r.TrackList() {
					do(b, r, reel.SetCurve{Of: reel.OfTrack, ID: t.ID, What: what, Points: points})
				}
			}
			e, err := New(r, s.open, Options{})
			require.NoError(b, err)
			at := int64(0)
			for b.Loop() {
				require.NoError(b, e.Render(at%(48000*(seconds-1)), 8192))
				at += 8192
			}
			b.ReportMetric(float64(at)/48000/b.Elapsed().Seconds(), "x-realtime")
		})
	}
}
