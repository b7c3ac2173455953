package chain_test

import (
	"fmt"
	"math"
	"math/rand"
	"testing"

	"github.com/stretchr/testify/require"

	"zestyloom/core/chain"
	"zestyloom/core/chain/chaintest"
)

// figures are the kinds that are held to figures of what they do, and have no plain form.
var figures = []chain.Kind{chain.Hum}

// asides are the kinds whose plain form is asked for over more sound, less often as it takes long, or does not compute the same to the last digits.
var asides = map[chain.Kind]struct {
	frames, seeds int
	within        float64
}{
	chain.Leveller: {120_000, 6, 1e-6}, // its power is a long sum
	chain.Limiter:  {8_000, 6, 1e-7},
	chain.Match:    {12_000, 6, 1e-7},
	chain.Noise:    {60_000, 6, 2e-5}, // by a polynomial for an integral
	chain.Click:    {30_000, 6, 1e-6}, // by another way through the same equations
}

// Random steps of all kinds that have a plain form, at all rates, in blocks of all sizes, are what the plain form is.
func TestEveryKindIsWhatItIsPlainly(t *testing.T) {
	for _, about := range chain.Kinds {
		if !chaintest.Plain(about.Kind) {
			require.Contains(t, figures, about.Kind)
			continue
		}
		aside, there := asides[about.Kind]
		if !there {
			aside.frames, aside.seeds, aside.within = 20_000, 24, 1e-7
		}
		t.Run(string(about.Kind), func(t *testing.T) {
			t.Parallel()
			acts := false
			for seed := range int64(aside.seeds) {
				rnd := rand.New(rand.NewSource(seed))
				rate := []float64{44100, 48000, 88200, 96000, 176400, 192000}[seed%6]
				acts = heldToPlain(t, rnd, chaintest.Random(rnd, about), rate, aside.frames, aside.within) || acts
			}
			require.True(t, acts, "nothing was done at all")
		})
	}
}

// heldToPlain holds a step to its plain form, and tells whether it did anything.
func heldToPlain(t *testing.T, rnd *rand.Rand, s chain.Step, rate float64, frames int, within float64) (changed bool) {
	require.NoError(t, chain.Check([]chain.Step{s}), "%v", s)
	x := make([][]float64, 2)
	for c := range x {
		for i := range frames {
			x[c] = append(x[c], rnd.NormFloat64()*0.2*math.Pow(math.Sin(float64(i)/2500), 4)+0.2*math.Sin(float64(i)/19))
			if s.Kind == chain.Click && rnd.Intn(5000) == 0 {
				x[c][i] += 3
			}
		}
	}
	want := chaintest.Plainly(s, rate, x, nil)
	row, err := chain.Make([]chain.Step{s}, chain.Asked{Rate: rate, Channels: 2, Pairs: [][2]int{{0, 1}}})
	require.NoError(t, err)
	late := row.Latency()
	for c := range x {
		x[c] = append(x[c], make([]float64, late)...)
	}
	got := inBlocks(row, x, rnd)
	for c := range want {
		for i := range want[c] {
			if d := math.Abs(got[c][i+late] - want[c][i]); !(d < within) {
				require.InDelta(t, want[c][i], got[c][i+late], within, "%v at %g Hz, channel %d, sample %d", s, rate, c, i)
			}
			changed = changed || want[c][i] != x[c][i]
		}
	}
	return changed
}

// inBlocks runs a signal through a row in blocks of random sizes.
func inBlocks(row *chain.Row, x [][]float64, rnd *rand.Rand) [][]float64 {
	out := make([][]float64, len(x))
	for c := range x {
		out[c] = append(out[c], x[c]...)
	}
	for at := 0; at < len(x[0]); {
		n := min(len(x[0])-at, 1+rnd.Intn(3000))
		row.Process([][]float64{out[0][at : at+n], out[1][at : at+n]}, int64(at))
		at += n
	}
	return out
}

// Two rows of any steps work together as each would alone, bit for bit, whatever the blocks are and wherever each lies on the clock.
func TestTwoRowsTogether(t *testing.T) {
	const frames = 9000
	for seed := range int64(40) {
		rnd := rand.New(rand.NewSource(seed))
		var rows, alone [2]*chain.Row
		var sound, want [2][][]float64
		for k := range rows {
			var steps []chain.Step
			for n := range rnd.Intn(5) {
				s := chaintest.Random(rnd, chain.Kinds[rnd.Intn(len(chain.Kinds))])
				s.ID, s.Off = fmt.Sprint(n), rnd.Intn(5) == 0
				steps = append(steps, s)
			}
			var err error
			rows[k], err = chain.MakeFor(steps, 48000, 1)
			require.NoError(t, err)
			alone[k], err = chain.MakeFor(steps, 48000, 1)
			require.NoError(t, err)
			x := make([]float64, frames)
			for i := range x {
				x[i] = rnd.NormFloat64() * 0.1
			}
			sound[k], want[k] = [][]float64{x}, [][]float64{append([]float64(nil), x...)}
		}
		begins := [2]int64{256 * rnd.Int63n(100), 256 * rnd.Int63n(100)}
		for at := 0; at < frames; {
			n := min(frames-at, 1+rnd.Intn(2500))
			part := func(x [][]float64) [][]float64 { return [][]float64{x[0][at : at+n]} }
			chain.Together(rows[0], rows[1], part(sound[0]), part(sound[1]), begins[0]+int64(at), begins[1]+int64(at))
			for k := range alone {
				alone[k].Process(part(want[k]), begins[k]+int64(at))
			}
			at += n
		}
		require.Equal(t, want, sound, "%d", seed)
	}
}
