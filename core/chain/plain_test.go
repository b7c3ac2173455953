package chain_test

import (
	"math"
	"math/rand"
	"testing"

	"github.com/stretchr/testify/require"

	"zestyloom/core/chain"
	"zestyloom/core/chain/chaintest"
)

// figures are the kinds that are held to figures of what they do, and have no plain form.
var figures = []chain.Kind{chain.Hum, chain.Noise, chain.Click, chain.Limiter, chain.Leveller, chain.Match, chain.DeEsser}

// Random steps of all kinds that have a plain form, at all rates, in blocks of all sizes, are what the plain form is.
func TestEveryKindIsWhatItIsPlainly(t *testing.T) {
	for _, about := range chain.Kinds {
		if !chaintest.Plain(about.Kind) {
			require.Contains(t, figures, about.Kind)
			continue
		}
		for seed := range int64(24) {
			rnd := rand.New(rand.NewSource(seed))
			rate := []float64{44100, 48000, 88200, 96000, 176400, 192000}[seed%6]
			s := chaintest.Random(rnd, about)
			require.NoError(t, chain.Check([]chain.Step{s}), "%v", s)
			x := make([][]float64, 2)
			for c := range x {
				for i := range 20000 {
					x[c] = append(x[c], rnd.NormFloat64()*0.2*math.Pow(math.Sin(float64(i)/2500), 4))
				}
			}
			want := chaintest.Plainly(s, rate, x, nil)
			row, err := chain.Make([]chain.Step{s}, chain.Asked{Rate: rate, Channels: 2, Pairs: [][2]int{{0, 1}}})
			require.NoError(t, err)
			got := inBlocks(row, x, rnd)
			late := row.Latency()
			for c := range want {
				for i := 0; i+late < len(got[c]); i++ {
					if d := math.Abs(got[c][i+late] - want[c][i]); !(d < 1e-7) {
						require.InDelta(t, want[c][i], got[c][i+late], 1e-7, "%v at %g Hz, channel %d, sample %d", s, rate, c, i)
					}
				}
			}
		}
	}
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
