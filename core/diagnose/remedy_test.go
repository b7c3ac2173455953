package diagnose

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/chain"
)

// What is suggested against a finding can be done, and done, the finding is there no more.
func TestRemediesHelp(t *testing.T) {
	const rate, seconds = 48000, 12
	noise := rand.New(rand.NewPCG(1, 2))
	voice := func(i int) float64 { // comes and goes, as speech does, in a room
		t := float64(i) / rate
		return 0.0005*noise.NormFloat64() + 0.2*math.Max(0, math.Sin(2*math.Pi*0.7*t))*(math.Sin(2*math.Pi*220*t)+0.5*math.Sin(2*math.Pi*613*t))
	}
	low := rumbling(seconds, 0.02)
	for name, c := range map[string]struct {
		kind Kind
		add  func(i int) float64
	}{
		"hum at 50": {Hum, func(i int) float64 {
			return 0.02*math.Sin(2*math.Pi*50*float64(i)/rate) + 0.01*math.Sin(2*math.Pi*100*float64(i)/rate)
		}},
		"hum at 60": {Hum, func(i int) float64 {
			return 0.02*math.Sin(2*math.Pi*60*float64(i)/rate) + 0.01*math.Sin(2*math.Pi*120*float64(i)/rate)
		}},
		"clicks": {Click, func(i int) float64 {
			if i%70001 == 35000 {
				return 0.7
			}
			return 0
		}},
		"rumble":    {Rumble, func(i int) float64 { return low[i] }},
		"an offset": {DC, func(int) float64 { return 0.01 }},
	} {
		x := make([]float64, rate*seconds)
		for i := range x {
			x[i] = voice(i) + c.add(i)
		}
		of := func(x []float64) []Finding {
			a := New(rate, []string{"Boom"})
			a.Write([][]float64{x})
			return a.Findings()[0].Findings
		}
		before := of(x)
		require.Len(t, before, 1, name)
		require.Equal(t, c.kind, before[0].Kind, name)
		steps := before[0].Against()
		require.NoError(t, chain.Check(steps), name)
		row, err := chain.MakeFor(steps, rate, 1)
		require.NoError(t, err)
		y := append(append([]float64{}, x...), make([]float64, row.Latency())...)
		row.Process([][]float64{y}, 0)
		assert.Empty(t, of(y[row.Latency()+rate:]), name)
	}
	for _, kind := range []Kind{Empty, Copy, Mix, Low, Clipped, Dropout, Topped, NoPair, Hum} {
		assert.Nil(t, Finding{Kind: kind}.Against(), string(kind))
	}
}
