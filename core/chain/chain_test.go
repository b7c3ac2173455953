package chain

import (
	"fmt"
	"math"
	"math/rand"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/fault"
	"zestyloom/core/layout"
	"zestyloom/core/loudness"
)

const example = `chain:
  - {kind: high-pass, frequency: 80, slope: 24}
  - {kind: bell, frequency: 320, gain: -4, q: 1.2}
  - {kind: high-shelf, frequency: 6000, gain: 3, q: 0.707}
  - {kind: compressor, threshold: -24, ratio: 4, knee: 6, attack: 10, release: 120, detector: peak}
  - {kind: hum, frequency: 50, harmonics: 10}
  - {kind: noise, reduction: 12, profile: {from: 0.5, to: 1.5}}
  - {kind: limiter, ceiling: -3}
`

func TestRead(t *testing.T) {
	steps, err := Read([]byte(example))
	require.NoError(t, err)
	require.Len(t, steps, 7)
	assert.Equal(t, Step{ID: "2", Kind: Bell, Values: map[string]float64{"frequency": 320, "gain": -4, "q": 1.2}}, steps[1])
	assert.Equal(t, &Stretch{0.5, 1.5}, steps[5].Learnt)
	for text, said := range map[string]string{
		"chain: [{kind: bell, frequency: 5}]":              "minimum",
		"chain: [{kind: high-pass, slope: 20}]":            "multipleOf",
		"chain: [{kind: bell, ratio: 3}]":                  "ratio",
		"chain: [{kind: flanger}]":                         "one of",
		"chain: [{frequency: 80}]":                         "kind",
		"chain: [{kind: bell, key: {row: stem, from: x}}]": "key",
		"chain: 5":  "array",
		"steps: []": "steps",
		"chain: [{kind: gate, detector: average}]":             "one of",
		"chain: [{kind: bell, frequency: .nan}]":               "chain",
		"chain: [{kind: noise, profile: [1, 2]}]":              "profile",
		"chain: [" + strings.Repeat("{kind: gain},", 25) + "]": "maxItems",
	} {
		_, err := Read([]byte(text))
		require.Error(t, err, text)
		assert.Equal(t, fault.BadInput, fault.KindOf(err), text)
		_ = said
	}
}

// What can't be a chain is refused: names that are none or stand twice, more processors than there may be, values that no parameter has.
func TestCheck(t *testing.T) {
	gain := Step{ID: "a", Kind: Gain}
	assert.NoError(t, Check([]Step{gain, {ID: "b-2", Kind: Bell, Values: map[string]float64{"q": 3}}}))
	for what, steps := range map[string][]Step{
		"no ID": {{Kind: Gain}}, "twice": {gain, gain}, "a space": {{ID: "a b", Kind: Gain}}, "too many": slices.Repeat([]Step{gain}, 25),
		"hums": {{ID: "1", Kind: Hum}, {ID: "2", Kind: Hum}, {ID: "3", Kind: Hum}}, "no kind": {{ID: "1"}},
		"value":     {{ID: "1", Kind: Bell, Values: map[string]float64{"gain": 99}}},
		"no number": {{ID: "1", Kind: Bell, Values: map[string]float64{"gain": math.NaN()}}},
		"whole":     {{ID: "1", Kind: HighPass, Values: map[string]float64{"slope": 20}}},
		"parameter": {{ID: "1", Kind: Bell, Values: map[string]float64{"ratio": 2}}}, "detector": {{ID: "1", Kind: Gain, Detector: RMS}},
		"key": {{ID: "1", Kind: Limiter, Key: &Key{"stem", "DX"}}}, "profile": {{ID: "1", Kind: Noise, Profile: []float64{1}}},
		"no profile": {{ID: "1", Kind: Gain, Profile: make([]float64, 61)}},
	} {
		assert.Equal(t, fault.BadInput, fault.KindOf(Check(steps)), what)
	}
}

// What is written is read as it was, for every kind.
func TestWrite(t *testing.T) {
	steps := []Step{}
	for n, a := range Kinds {
		s := Step{ID: fmt.Sprint(n + 1), Kind: a.Kind, Values: map[string]float64{}, Off: n%2 == 0}
		for _, p := range a.Parameters {
			s.Values[p.Name] = p.Low
		}
		if a.Detector {
			s.Detector = RMS
		}
		if a.Keyed {
			s.Key = &Key{"stem", "Dialogue"}
		}
		if a.Kind == Noise {
			s.Profile = slices.Repeat([]float64{-90.5}, len(Sixths))
		}
		steps = append(steps, s)
	}
	text, err := Write(steps)
	require.NoError(t, err)
	again, err := Read(text)
	require.NoError(t, err, "%s", text)
	assert.Equal(t, steps, again)
}

// made gives a step of every kind, with what is usual or with values by chance.
func made(a About, rnd *rand.Rand) Step {
	s := Step{ID: "one", Kind: a.Kind, Values: map[string]float64{}}
	for _, p := range a.Parameters {
		v := p.Default
		if rnd != nil {
			v = p.Low + rnd.Float64()*(p.High-p.Low)
			if p.Whole > 0 {
				v = math.Round(v/p.Whole) * p.Whole
			}
		}
		s.Values[p.Name] = v
	}
	return s
}

// Every kind can be made for every rate, with all that its parameters may be, also where they move, and gives numbers.
func TestEveryKind(t *testing.T) {
	rnd := rand.New(rand.NewSource(1))
	for _, a := range Kinds {
		for _, rate := range []float64{44100, 48000, 192000} {
			for n := range 4 {
				steps := []Step{made(a, rnd)}
				if n == 0 {
					steps = []Step{made(a, nil)}
				}
				require.NoError(t, Check(steps), "%s", a.Kind)
				asked := Asked{Rate: rate, Channels: 2, Pairs: [][2]int{{0, 1}}}
				if n == 3 {
					asked.Moving = func(s Step, name string) *Curve {
						p, _ := a.Of(name)
						if p.Fixed {
							return nil
						}
						swing := 0.1 * (p.High - p.Low)
						hold := func(v float64) float64 { return max(p.Low, min(p.High, v)) }
						if name == "frequency" && p.High > 1000 {
							hold = func(v float64) float64 { return max(p.Low, min(p.High, 0.4*rate, v)) }
						}
						return &Curve{func(at int64) float64 { return hold(s.Value(name) + swing*math.Sin(float64(at)/3000)) },
							hold(s.Value(name) - swing), hold(s.Value(name) + swing)}
					}
				}
				r, err := Make(steps, asked)
				require.NoError(t, err, "%s", a.Kind)
				x := [][]float64{make([]float64, int(rate/3)), make([]float64, int(rate/3))}
				for i := range x[0] {
					x[0][i], x[1][i] = rnd.NormFloat64()/10, rnd.NormFloat64()/20
				}
				r.Process(x, 12345)
				for _, side := range x {
					for _, v := range side {
						require.False(t, math.IsNaN(v) || math.Abs(v) > 1e4, "%s %v gives %g", a.Kind, steps[0].Values, v)
					}
				}
				assert.GreaterOrEqual(t, r.Memory(), 0)
				assert.LessOrEqual(t, float64(r.Memory())/rate, float64(LongestMemory), "%s %v", a.Kind, steps[0].Values)
			}
		}
	}
}

// A noise profile says the same at every rate: white noise of −60 dB of full scale, from 20 Hz to half the rate.
func TestNoiseProfile(t *testing.T) {
	rnd := rand.New(rand.NewSource(2))
	for _, rate := range []float64{44100, 48000, 96000, 192000} {
		x := make([]float64, int(3*rate))
		for i := range x {
			x[i] = 1e-3 * rnd.NormFloat64()
		}
		want := -60 - 10*math.Log10(rate/2)
		for k, v := range LearnNoise(rate, x) {
			assert.InDelta(t, want, v, 1.2, "%g Hz at %g", Sixths[k], rate)
		}
		step := Step{ID: "n", Kind: Noise, Values: map[string]float64{"reduction": 12}, Profile: LearnNoise(rate, x)}
		r, err := Make([]Step{step}, Asked{Rate: rate, Channels: 1})
		require.NoError(t, err)
		before := power(x[int(rate):])
		r.Process([][]float64{x}, 0)
		assert.InDelta(t, -12, power(x[int(rate):])-before, 1.5, "rate %g", rate)
	}
}

func power(x []float64) float64 {
	sum := 0.0
	for _, v := range x {
		sum += v * v
	}
	return 10 * math.Log10(sum/float64(len(x)))
}

// The limiter keeps to what the desk measures, on noise as white as it can be and on squares.
func TestLimiterByTheMeter(t *testing.T) {
	rnd := rand.New(rand.NewSource(3))
	for _, rate := range []int{44100, 48000, 96000} {
		r, err := Make([]Step{{ID: "l", Kind: Limiter, Values: map[string]float64{"ceiling": -3}}}, Asked{Rate: float64(rate), Channels: 2})
		require.NoError(t, err)
		x := [][]float64{make([]float64, 3*rate), make([]float64, 3*rate)}
		for i := range 2 * rate {
			x[0][i] = max(-1, min(1, 2*rnd.NormFloat64()))
			x[1][i] = float64(1 - 2*(i/37%2))
		}
		r.Process(x, 0)
		m := loudness.NewMeter(rate, layout.ForWidth(2))
		m.Write(x)
		assert.LessOrEqual(t, *m.Measurement().TruePeakMaxDBTP, -2.9, "rate %d", rate)
	}
}

// What the page and people read of the kinds is complete: docs/chains.md has each parameter with its range.
func TestTheDocsHaveAllKinds(t *testing.T) {
	doc, err := os.ReadFile("../../docs/chains.md")
	require.NoError(t, err)
	for _, a := range Kinds {
		assert.NotEmpty(t, a.Title)
		assert.NotEmpty(t, a.About)
		assert.NotEmpty(t, a.Source)
		assert.Contains(t, string(doc), described(a), "docs/chains.md lacks this")
	}
}

// described is a kind as docs/chains.md has it.
func described(a About) string {
	b := &strings.Builder{}
	fmt.Fprintf(b, "### `%s`\n\n%s. *%s.*\n\n", a.Kind, a.About, a.Source)
	for _, p := range a.Parameters {
		unit := p.Unit
		if unit == "" {
			unit = "–"
		}
		fmt.Fprintf(b, "- `%s` (%s), %g to %g, else %g: %s", p.Name, unit, p.Low, p.High, p.Default, p.About)
		if p.Fixed {
			b.WriteString("; has no curve")
		}
		b.WriteString("\n")
	}
	return b.String()
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(example))
	f.Fuzz(func(t *testing.T, text []byte) {
		steps, err := Read(text)
		if err != nil {
			return
		}
		again, err := Write(steps)
		require.NoError(t, err)
		back, err := Read(again)
		require.NoError(t, err, "%s", again)
		require.Len(t, back, len(steps))
		_, _ = Make(steps, Asked{Rate: 48000, Channels: 2})
	})
}
