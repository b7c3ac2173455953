package desk

import (
	"math"
	"math/rand"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/contract"
)

// gone is the sound of a file that ends before its programme.
const gone = 1e9

// sketched is a sound of two seconds at a rate, by its time.
func sketched(rate int, sound func(seconds float64) float64) *column {
	c := &column{}
	x := make([]float64, 2*rate)
	for i := range x {
		x[i] = sound(float64(i) / float64(rate))
		c.peak = max(c.peak, math.Abs(x[i]))
	}
	for at := 0; at < len(x) && sound(0) != gone; at += 997 {
		c.sketch.write(x[at:min(at+997, len(x))], rate)
	}
	return c
}

// A copy at another rate is the same sound, or is not; of what has nothing low only the level is told, and so it proves nothing else.
func TestACopyAtAnotherRate(t *testing.T) {
	tone := func(hz, level float64) func(float64) float64 {
		return func(s float64) float64 { return level * math.Sin(2*math.Pi*hz*s+0.3) }
	}
	rnd := rand.New(rand.NewSource(1))
	dither := func(float64) float64 { return (rnd.Float64() - 0.5) / (1 << 15) }
	voice := func(s float64) float64 { return tone(110, 0.2)(s)*(1+math.Sin(9*s)) + tone(2000, 0.05)(s) }
	for name, c := range map[string]struct {
		was, now func(float64) float64
		ok, all  bool // it is the same, and all that is proven of the one is of the other
	}{
		"the same":            {voice, voice, true, true},
		"polarity turned":     {voice, func(s float64) float64 { return -voice(s) }, false, false},
		"0.2 dB up":           {voice, func(s float64) float64 { return 1.0233 * voice(s) }, false, false},
		"10 ms late":          {voice, func(s float64) float64 { return voice(s - 0.01) }, false, false},
		"silence":             {voice, dither, false, false},
		"dither alone":        {dither, dither, true, true},
		"a high tone":         {tone(1000, 0.2), tone(1000, 0.2), true, false},
		"a high tone, and no": {tone(1000, 0.2), dither, false, false},
		"nothing at all":      {voice, func(float64) float64 { return gone }, false, false},
		"a high tone, louder": {tone(1000, 0.2), tone(1000, 0.25), false, false},
	} {
		for _, rates := range [][2]int{{48000, 44100}, {48000, 96000}, {44100, 96000}} {
			g := func(at int) copyOf {
				sound := []func(float64) float64{c.was, c.now}[at]
				placed := &placed{matched: matched{file: File{Name: "x"}}}
				col := sketched(rates[at], sound)
				col.file = placed
				return copyOf{&group{instance: &instance{key: "mix", labels: []string{"M"}}, columns: []*column{col}}, rates[at], ""}
			}
			check := checking{nulled: map[string]bool{at("mix", rates[0]): true}, receipt: Receipt{Pass: true}, heard: []copyOf{g(0), g(1)}}
			check.resampled()
			require.Len(t, check.receipt.Findings, 1)
			assert.Equal(t, map[bool]contract.Severity{true: contract.OK, false: contract.Error}[c.ok], check.receipt.Findings[0].Severity,
				"%s at %v: %s", name, rates, check.receipt.Findings[0].Measured)
			assert.Equal(t, c.all, check.nulled[at("mix", rates[1])], "%s at %v", name, rates)
		}
	}
}
