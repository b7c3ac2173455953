package dsp

import (
	"fmt"
	"math"
	"math/cmplx"
	"math/rand"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var rates = []float64{44100, 48000, 88200, 96000, 192000}

// analogue is the gain of a prototype at s = jΩ, Ω = tan(πf⁄rate) ⁄ tan(πf₀⁄rate), which the bilinear transform keeps: the note's H(s), apart
// from its coefficients.
func analogue(h func(s complex128) complex128, rate, f0, f float64) float64 {
	s := complex(0, math.Tan(math.Pi*f/rate)/math.Tan(math.Pi*f0/rate))
	return 20 * math.Log10(cmplx.Abs(h(s)))
}

// measured is the gain of a processor at a frequency, by a tone that has gone on for long.
func measured(p Processor, rate, f float64) float64 {
	n := int(rate / 2)
	x := make([]float64, n)
	w := 2 * math.Pi * f / rate
	for i := range x {
		x[i] = math.Sin(w * float64(i))
	}
	p.Process([][]float64{x}, 0)
	// The amplitude of the second half, by correlation over whole periods.
	periods := math.Floor(float64(n/2) * f / rate)
	count := int(math.Round(periods * rate / f))
	var re, im float64
	for i := n - count; i < n; i++ {
		hann := 0.5 - 0.5*math.Cos(2*math.Pi*float64(i-n+count)/float64(count))
		re, im = re+hann*x[i]*math.Cos(w*float64(i)), im+hann*x[i]*math.Sin(w*float64(i))
	}
	return 20 * math.Log10(4*math.Hypot(re, im)/float64(count))
}

// The filters have the responses of the note's prototypes, at every rate.
func TestResponses(t *testing.T) {
	const q, gain = 1.2, -4.0
	a := math.Pow(10, gain/40)
	c := func(v float64) complex128 { return complex(v, 0) }
	for _, rate := range rates {
		for _, f0 := range []float64{30, 320, 6000, 18_000} {
			for name, k := range map[string]struct {
				made []Section
				h    func(s complex128) complex128
			}{
				"low-pass":  {[]Section{LowPass(rate, f0, q)}, func(s complex128) complex128 { return 1 / (s*s + s/q + 1) }},
				"high-pass": {[]Section{HighPass(rate, f0, q)}, func(s complex128) complex128 { return s * s / (s*s + s/q + 1) }},
				"notch":     {[]Section{Notch(rate, f0, q)}, func(s complex128) complex128 { return (s*s + 1) / (s*s + s/q + 1) }},
				"bell": {[]Section{Bell(rate, f0, gain, q)}, func(s complex128) complex128 {
					return (s*s + s*c(a/q) + 1) / (s*s + s*c(1/(a*q)) + 1)
				}},
				"low-shelf": {[]Section{LowShelf(rate, f0, gain, q)}, func(s complex128) complex128 {
					r := c(math.Sqrt(a) / q)
					return c(a) * (s*s + r*s + c(a)) / (c(a)*s*s + r*s + 1)
				}},
				"high-shelf": {[]Section{HighShelf(rate, f0, gain, q)}, func(s complex128) complex128 {
					r := c(math.Sqrt(a) / q)
					return c(a) * (c(a)*s*s + r*s + 1) / (s*s + r*s + c(a))
				}},
			} {
				for _, f := range []float64{40, 100, 320, 1000, 5500, 15_000} {
					want := analogue(k.h, rate, f0, f)
					require.InDelta(t, max(-200, want), max(-200, Response(k.made, rate, f)), 1e-3, "%s %g at %g Hz, rate %g", name, f0, f, rate)
					if want > -60 && (f0 == 320 || rate == 48000) {
						require.InDelta(t, want, measured(NewFilter(1, k.made), rate, f), 0.02, "%s %g at %g Hz, rate %g", name, f0, f, rate)
					}
				}
			}
		}
	}
}

// A Butterworth filter of order n has |H|² = 1 ⁄ (1 + Ω^2n).
func TestButterworth(t *testing.T) {
	for _, rate := range rates {
		for slope := 6; slope <= 48; slope += 6 {
			for _, f := range []float64{40, 79, 80, 81, 200, 1000, 15_000} {
				ratio := math.Tan(math.Pi*f/rate) / math.Tan(math.Pi*80/rate)
				low := -10 * math.Log10(1+math.Pow(ratio, float64(slope)/3))
				high := -10 * math.Log10(1+math.Pow(1/ratio, float64(slope)/3))
				assert.InDelta(t, high, Response(Butterworth(rate, 80, slope, true), rate, f), 1e-3, "%d dB at %g Hz", slope, f)
				if low > -150 {
					assert.InDelta(t, low, Response(Butterworth(rate, 80, slope, false), rate, f), 2e-3, "%d dB at %g Hz", slope, f)
				}
			}
		}
		assert.InDelta(t, -10*math.Log10(1+math.Pow(2, 8)), measured(NewFilter(1, Butterworth(rate, 80, 24, true)), rate, 40), 0.1)
	}
}

// noiseOf is noise with holes and peaks, the same at every run.
func noiseOf(n int, seed int64) []float64 {
	rnd := rand.New(rand.NewSource(seed))
	x := make([]float64, n)
	loud := 0.1
	for i := range x {
		if i%3000 == 0 {
			loud = math.Pow(10, -2*rnd.Float64())
		}
		x[i] = loud * rnd.NormFloat64()
	}
	return x
}

// every is one of each processor, with parameters that move where they can.
func every(rate float64) map[string]func() Processor {
	sway := func(from, to float64) func(at int64) float64 {
		return func(at int64) float64 {
			return from + (to-from)*(0.5-0.5*math.Cos(2*math.Pi*float64(at)/rate))
		}
	}
	ride := func(below bool) Ride {
		return Ride{Law: Law{Threshold: -24, Ratio: 4, Knee: 6, Below: below, Range: 40}, Attack: 10, Release: 120}
	}
	moving := func(at int64) Ride {
		r := ride(false)
		r.Threshold = sway(-30, -12)(at)
		return r
	}
	key := func(channels int) *Filter { return NewFilter(channels, []Section{HighPass(rate, 300, 0.7)}) }
	return map[string]func() Processor{
		"filter": func() Processor {
			return NewFilter(2, append(Butterworth(rate, 80, 48, true), Bell(rate, 320, -4, 1.2)))
		},
		"moving filter": func() Processor {
			return NewMovingFilter(2, func(at int64) []Section { return []Section{Bell(rate, sway(200, 0.4*rate)(at), 12, 4)} },
				FilterMemory([]Section{Bell(rate, 200, 12, 4)}))
		},
		"compressor": func() Processor {
			return NewDynamics(rate, 2, Detector{}, 5, func(int64) Ride { return ride(false) }, false, ride(false))
		},
		"moving compressor": func() Processor {
			return NewDynamics(rate, 2, Detector{RMS: true, Of: key}, 0, moving, true, ride(false))
		},
		"gate": func() Processor {
			return NewDynamics(rate, 2, Detector{Hold: 50}, 1, func(int64) Ride { return ride(true) }, false, ride(true))
		},
		"de-esser": func() Processor {
			p := NewDynamics(rate, 2, Detector{Of: key}, 1, func(int64) Ride { return ride(false) }, false, ride(false))
			p.Shelf(sway(rate*0.1, rate*0.3))
			return p
		},
		"limiter":  func() Processor { return NewLimiter(rate, 2, 2, 80, sway(-6, -3)) },
		"level":    func() Processor { return NewLevel(sway(-12, 6), true) },
		"polarity": func() Processor { return Polarity{} },
		"width":    func() Processor { return NewWidth([][2]int{{0, 1}}, sway(0, 2)) },
		"later":    func() Processor { return NewLater(2, 500, func(at int64) int { return int(sway(0, 500)(at)) }) },
		"leveller": func() Processor {
			return NewLeveller(rate, 2, nil, 3, func(int64) Towards { return Towards{-23, 12, -50} })
		},
		"hum":            func() Processor { return NewHum(rate, func(int64) Series { return Series{50, 4} }) },
		"noise":          func() Processor { return NewNoise(rate, 2, Learn(rate, noiseOf(20_000, 9)), sway(6, 12)) },
		"noise unlearnt": func() Processor { return NewNoise(rate, 2, nil, func(int64) float64 { return 12 }) },
		"click":          func() Processor { return NewClick(rate, func(int64) Repair { return Repair{0.5, 2} }) },
		"match":          func() Processor { return NewMatch(rate, sloping()) },
	}
}

func sloping() (list []float64) {
	for k := range Thirds {
		list = append(list, float64(k)/3-5)
	}
	return list
}

// What comes out is the same however what comes in is cut into blocks, and, after the processor has been reset, is so to −140 dBFS as soon as
// it has run for as long as it remembers.
func TestBlocksAndSeeks(t *testing.T) {
	const rate = 8000
	for name, made := range every(rate) {
		t.Run(name, func(t *testing.T) {
			whole, p := [][]float64{noiseOf(15*rate, 1), noiseOf(15*rate, 2)}, made()
			n := len(whole[0])
			const from = 777 // of the clock
			once := [][]float64{append([]float64{}, whole[0]...), append([]float64{}, whole[1]...)}
			p.Process(once, from)
			rnd := rand.New(rand.NewSource(3))
			run := func(begin, end int) [][]float64 {
				out := [][]float64{append([]float64{}, whole[0][begin:end]...), append([]float64{}, whole[1][begin:end]...)}
				for at := 0; at < end-begin; {
					count := min(end-begin-at, 1+rnd.Intn(1500))
					p.Process([][]float64{out[0][at : at+count], out[1][at : at+count]}, from+int64(begin+at))
					at += count
				}
				return out
			}
			p.Reset()
			parts := run(0, n)
			for c := range parts {
				for i := range parts[c] {
					require.Equal(t, once[c][i], parts[c][i], "in blocks, at %d", i)
				}
			}
			warm := p.Latency() + p.Memory()
			require.Less(t, warm, n-rate, "%d samples", warm)
			for _, begin := range []int{1, 1000, n - rate/2 - warm} {
				if begin < 0 || begin+warm > n-100 {
					continue
				}
				p.Reset()
				out := run(begin, n)
				worst := 0.0
				for c := range out {
					for i := warm; i < len(out[c]); i++ {
						worst = max(worst, math.Abs(out[c][i]-once[c][begin+i]))
					}
				}
				assert.LessOrEqual(t, worst, 1e-7, "from %d on, after %d", begin, warm)
			}
		})
	}
}

// A parameter that moves makes no step: between one sample and the next a steady tone changes by no more than it does by itself.
func TestNothingStepsWhereParametersMove(t *testing.T) {
	const rate = 48000.0
	for name, made := range every(rate) {
		if name == "noise unlearnt" || name == "hum" { // in which a tone is noise
			continue
		}
		x := make([]float64, 2*int(rate))
		for i := range x {
			x[i] = 0.5 * math.Sin(2*math.Pi*200*float64(i)/rate)
		}
		p := made()
		block := [][]float64{x, append([]float64{}, x...)}
		p.Process(block, 0)
		steepest := 0.5 * 2 * math.Pi * 200 / rate * 5 // at 12 dB more
		begin := p.Latency() + int(rate/2)
		for i := begin + 2; i < len(x); i++ {
			bend := math.Abs(x[i] - 2*x[i-1] + x[i-2])
			require.Less(t, bend, steepest*0.2, fmt.Sprintf("%s at %d", name, i))
		}
	}
}
