package onset

import (
	"fmt"
	"math"
	"math/rand"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func ExampleFrames() {
	x := make([]float64, 48000)
	for i := 12345; i < 20000; i++ {
		x[i] = 0.5 * math.Cos(float64(i-12345)/8) // a tone that is there at once
	}
	fmt.Println(Frames(x, 48000))
	// Output: [12345]
}

var rates = []int{8000, 44100, 48000, 88200, 96000, 192000}

// Clicks, hits that die away and words that swell up are found where they were put, at any rate, over noise that is 40 dB softer, and over a hum.
func TestWhereSoundsBegin(t *testing.T) {
	rnd := rand.New(rand.NewSource(3))
	sounds := map[string]struct {
		of     func(seconds float64) float64
		within float64 // seconds
	}{
		"clicks": {func(s float64) float64 { return math.Exp(-s * 4000) }, 0.0003},
		"hits":   {func(s float64) float64 { return math.Exp(-s*30) * math.Cos(2*math.Pi*1500*s) }, 0.0005},
		"thumps": {func(s float64) float64 { return math.Exp(-s*25) * math.Sin(2*math.Pi*110*s) }, 0.003},
		"words":  {func(s float64) float64 { return min(1, s/0.01) * math.Exp(-s*16) * math.Sin(2*math.Pi*700*s) }, 0.005},
	}
	for _, rate := range rates {
		for name, sound := range sounds {
			x := make([]float64, 2*rate+rnd.Intn(1000))
			for i := range x {
				x[i] = 0.002*rnd.NormFloat64() + 0.004*math.Sin(2*math.Pi*50*float64(i)/float64(rate))
			}
			var put []int
			for at := rate / 5; at < len(x)-rate/2; at += rate/4 + rnd.Intn(rate/4) {
				put = append(put, at)
				for i := at; i < min(len(x), at+rate/4); i++ {
					x[i] += 0.4 * sound.of(float64(i-at)/float64(rate))
				}
			}
			found := Frames(x, rate)
			require.Len(t, found, len(put), "%s at %d Hz: %v for %v", name, rate, found, put)
			for i := range put {
				assert.InDelta(t, put[i], found[i], sound.within*float64(rate)+1, "%s at %d Hz", name, rate)
			}
		}
	}
}

// What only goes on has no beginning: noise, hum, tones that beat, a voice's pulses, silence, and what is softer than can be heard.
func TestWhatGoesOnBeginsNowhere(t *testing.T) {
	rnd := rand.New(rand.NewSource(4))
	for _, rate := range rates {
		for name, of := range map[string]func(i int) float64{
			"silence": func(int) float64 { return 0 },
			"noise":   func(int) float64 { return 0.1 * rnd.NormFloat64() },
			"hum":     func(i int) float64 { return 0.5 * math.Sin(2*math.Pi*50*float64(i)/float64(rate)) },
			"a tone":  func(i int) float64 { return 0.5 * math.Sin(2*math.Pi*997*float64(i)/float64(rate)) },
			"pulses": func(i int) float64 {
				if i%(rate/90) == 0 {
					return 0.8
				}
				return 0
			},
			"hardly anything": func(i int) float64 { return 1e-4 * float64(i/(rate/4)%2) * rnd.NormFloat64() },
		} {
			x := make([]float64, 2*rate)
			for i := range x {
				x[i] = of(i)
			}
			from := int(Before * float64(rate)) // a stretch that begins in the middle of something
			for _, at := range Frames(x, rate) {
				assert.Less(t, at, from, "%s at %d Hz", name, rate)
			}
		}
	}
}

func TestShortStretches(t *testing.T) {
	for n := range 40 {
		assert.Empty(t, Frames(make([]float64, n), 1000), n)
		assert.Empty(t, Frames(make([]float64, n), 300), n) // less than a frame a step
	}
	x := make([]float64, 34)
	x[33] = 1
	assert.Equal(t, []int{33}, Frames(x, 1000), "the last that there is room for")
}
