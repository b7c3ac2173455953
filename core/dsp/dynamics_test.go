package dsp

import (
	"math"
	"math/rand"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/vec"
)

// tone is a sine at a level of its peak, in dBFS.
func tone(rate, f, level float64, n int) []float64 {
	x := make([]float64, n)
	for i := range x {
		x[i] = math.Pow(10, level/20) * math.Sin(2*math.Pi*f*float64(i)/rate)
	}
	return x
}

func rmsDB(x []float64) float64 {
	sum := 0.0
	for _, v := range x {
		sum += v * v
	}
	return 10 * math.Log10(sum/float64(len(x)))
}

// still gives a ride that does not move.
func still(rate float64, channels int, d Detector, ahead float64, r Ride) *Dynamics {
	return NewDynamics(rate, channels, d, ahead, func(int64) Ride { return r }, false, r)
}

// Static curves, by hand: a compressor of 4 to 1 above −24 with a knee of 6, an expander of 2 to 1 below −40, a gate.
func TestStaticCurves(t *testing.T) {
	compress := Law{Threshold: -24, Ratio: 4, Knee: 6}
	expand := Law{Threshold: -40, Ratio: 2, Knee: 10, Below: true, Range: 30}
	gate := Law{Threshold: -50, Ratio: Gate, Below: true, Range: 40}
	for _, k := range []struct {
		law         Law
		level, want float64
	}{
		{compress, -60, 0}, {compress, -27, 0}, {compress, -24, -0.5625}, {compress, -21, -2.25}, {compress, -12, -9}, {compress, 0, -18},
		{expand, -30, 0}, {expand, -35, 0}, {expand, -40, -1.25}, {expand, -45, -5}, {expand, -60, -20}, {expand, -90, -30},
		{gate, -49, 0}, {gate, -51, -40}, {gate, -120, -40},
		{Law{Threshold: -24, Ratio: 4}, -24, 0}, {Law{Threshold: -24, Ratio: 4}, -20, -3},
	} {
		require.InDelta(t, k.want, k.law.Gain(k.level), 1e-9, "%+v at %g", k.law, k.level)
		if k.level < -80 {
			continue
		}
		for _, rate := range rates {
			for _, rms := range []bool{false, true} {
				for _, f := range []float64{110, 1000} {
					r := Ride{Law: k.law, Attack: 5, Release: 60}
					if k.law.Below {
						r.Attack, r.Release = 5, 30
					}
					p := still(rate, 1, Detector{RMS: rms}, 0, r)
					n := int(rate)
					x := tone(rate, f, k.level, n)
					p.Process([][]float64{x}, 0)
					got := rmsDB(x[n-int(rate)/10:]) - (k.level - 10*math.Log10(2))
					if rms && f < 1000 || k.law.Knee == 0 && math.Abs(k.level-k.law.Threshold) < 2 && rms {
						continue // a mean square over 10 ms follows a low tone
					}
					require.InDelta(t, k.want, got, 0.05, "%+v at %g, %g Hz, rate %g, rms %v", k.law, k.level, f, rate, rms)
				}
			}
		}
	}
}

// Attack and release reach 1 − 1⁄e of a change in dB in their times.
func TestTimes(t *testing.T) {
	for _, rate := range rates {
		for _, k := range []struct{ attack, release float64 }{{1, 40}, {10, 120}, {30, 1000}} {
			r := Ride{Law: Law{Threshold: -30, Ratio: 10}, Attack: k.attack, Release: k.release}
			p := still(rate, 1, Detector{}, 0, r)
			type knot struct {
				at   int64
				gain float64
			}
			var gains []knot
			p.Taken = func(at int64, gain float64) { gains = append(gains, knot{at, gain}) }
			n := int(rate)
			x := make([]float64, 5*n+n/2)
			for i := range x { // full scale, up and down, for 1.5 s, after half a second of silence
				if i >= n/2 && i < 2*n {
					x[i] = float64(1 - i&1*2)
				}
			}
			p.Process([][]float64{x}, 0)
			reached := func(from float64, share float64, down bool) float64 {
				for _, g := range gains {
					if ms := float64(g.at+step)/rate*1000 - from; ms > 0 && (down && g.gain <= -27*share || !down && g.gain >= -27*share) {
						return ms
					}
				}
				return -1
			}
			slack := step / rate * 1000
			assert.InDelta(t, k.attack, reached(500, 1-1/math.E, true), 0.03*k.attack+slack, "attack at %g", rate)
			assert.InDelta(t, k.release, reached(2000, 1/math.E, false)-5, 0.03*k.release+slack, "release at %g, after the 5 ms of the detector", rate)
		}
	}
}

// A key drives it, filtered; and what is worked on is put off by the look-ahead alone.
func TestKeys(t *testing.T) {
	const rate = 48000
	r := Ride{Law: Law{Threshold: -30, Ratio: 4}, Attack: 5, Release: 50}
	high := func(channels int) *Filter { return NewFilter(channels, Butterworth(rate, 2000, 48, true)) }
	for _, k := range []struct {
		key  float64 // Hz
		want float64
	}{{100, -20}, {7901, -20 - 0.75*20}} {
		p := still(rate, 2, Detector{Of: high}, 3, r)
		x, key := tone(rate, 500, -20, rate), tone(rate, k.key, -10, rate)
		out := [][]float64{append([]float64{}, x...), append([]float64{}, x...)}
		p.Key([][]float64{key})
		p.Process(out, 0)
		assert.InDelta(t, k.want, rmsDB(out[1][rate/2:])+3.01, 0.05)
		assert.Equal(t, 152, p.Latency(), "3 ms and a step")
	}
}

// Two channels get the gain of the louder one.
func TestLinked(t *testing.T) {
	const rate = 48000
	loud, soft := tone(rate, 1000, -4, rate), tone(rate, 700, -50, rate)
	still(rate, 2, Detector{}, 0, Ride{Law: Law{Threshold: -24, Ratio: 4}, Attack: 5, Release: 50}).Process([][]float64{soft, loud}, 0)
	assert.InDelta(t, -50-15, rmsDB(soft[rate/2:])+3.01, 0.05)
}

// A de-esser takes what is sharp down, and leaves what lies below.
func TestDeEsser(t *testing.T) {
	const rate = 48000
	band := func(channels int) *Filter { return NewFilter(channels, Butterworth(rate, 5000, 12, true)) }
	for f, want := range map[float64]float64{9001: -12, 300: 0} {
		p := still(rate, 1, Detector{Of: band}, 1, Ride{Law: Law{Threshold: -30, Ratio: 10, Range: 12}, Attack: 1, Release: 40})
		p.Shelf(func(int64) float64 { return 3000 })
		x := tone(rate, f, -10, rate)
		p.Process([][]float64{x}, 0)
		assert.InDelta(t, -10+want, rmsDB(x[rate/2:])+3.01, 0.5, "%g Hz", f)
	}
}

// hard is material on which limiters fail: clipped noise, bursts, tones between the samples, steps.
func hard(seed int64) []float64 {
	rnd := rand.New(rand.NewSource(seed))
	x := make([]float64, 4*44100)
	for i := range 22050 {
		x[i] = max(-1, min(1, 3*rnd.NormFloat64()))
	}
	// At the very edge of the band the signal between samples is whatever one likes.
	NewFilter(1, Butterworth(44100, 18_000, 48, false)).Process([][]float64{x[:22050]}, 0)
	for i := range x {
		at := float64(i) / 44100
		switch {
		case at < 0.5:
		case at < 1:
			x[i] = 1.4 * math.Sin(math.Pi/2*float64(i)+math.Pi/4) // 3 dB between the samples
		case at < 1.5 && int(at*40)%7 == 0:
			x[i] = 2 * math.Sin(2*math.Pi*997*at)
		case at < 2:
			x[i] = 0.05 * rnd.NormFloat64()
		case at < 2.5 && rnd.Intn(2000) == 0:
			x[i] = 4
		case at < 3:
			x[i] = 1.5 * float64(1-2*(int(at*330)%2))
		case at < 3.5:
			x[i] = 1.2 * math.Sin(2*math.Pi*(50+19_950*(at-3))*(at-3)) // to 20 kHz
		default:
			x[i] = 1.1 * float64(1-2*((i/4)%2))
		}
	}
	return append(x, make([]float64, 4410)...) // what ends ends in what is limited
}

// truePeak is the larger of what lies between the samples of all that there is, by 8 places and 128 taps, and of what is left below 22 of 24 of
// half the rate, by 16 places and 160 taps.
func truePeak(x []float64) (most float64) {
	x = append(append(make([]float64, 100), x...), make([]float64, 100)...)
	r := NewResampler(1.0 / 16)
	n := r.Length(int64(len(x)) - 100)
	block := make([]float64, 1<<14)
	for at := int64(100 * 16); at < n; at += int64(len(block)) {
		count := int(min(int64(len(block)), n-at))
		first, end := r.Span(at, count)
		r.Block(block[:count], at, x[max(0, first):min(int64(len(x)), end)], max(0, first))
		for _, v := range block[:count] {
			most = max(most, math.Abs(v))
		}
	}
	for k := range 8 {
		var taps [128]float64
		for i := range taps {
			t := float64(i-63) - float64(k)/8
			taps[i] = sinc(t) * (0.5 + 0.5*math.Cos(math.Pi*t/64.5))
		}
		for at := 0; at+len(taps) <= len(x); at++ {
			sum := 0.0
			for i, h := range taps {
				sum += h * x[at+i]
			}
			most = max(most, math.Abs(sum))
		}
	}
	return most
}

// No true peak is above the ceiling, and what is below is left alone.
func TestLimiterKeepsTruePeaks(t *testing.T) {
	for _, rate := range []float64{44100, 48000, 96000} {
		for _, ceiling := range []float64{-1, -3, -9} {
			for _, ahead := range []float64{1, 2, 5} {
				if (rate != 48000 || ceiling != -1) && (ahead != 2 || ceiling != -3) {
					continue
				}
				x := hard(4)
				NewLimiter(rate, 1, ahead, 60, func(int64) float64 { return ceiling }).Process([][]float64{x}, 0)
				peak := DB(truePeak(x))
				assert.LessOrEqual(t, peak, ceiling+0.1, "rate %g, look-ahead %g", rate, ahead)
				assert.Greater(t, peak, ceiling-0.6)
			}
		}
	}
	low := tone(48000, 997, -40, 48000) // far below full scale too
	NewLimiter(48000, 1, 2, 60, func(int64) float64 { return -55 }).Process([][]float64{low}, 0)
	assert.InDelta(t, -55, rmsDB(low[24000:])+3.01, 0.1)
	x := noiseOf(48000, 1)
	vec.Scale(x, 0.1)
	p := NewLimiter(48000, 1, 2, 60, func(int64) float64 { return 0 })
	out := append([]float64{}, x...)
	p.Process([][]float64{out}, 0)
	for i := p.Latency(); i < len(x); i++ {
		require.Equal(t, x[i-p.Latency()], out[i])
	}
}

// A leveller brings two voices of different loudness near the target, by no more than its range, and leaves silence.
func TestLeveller(t *testing.T) {
	const rate = 48000
	x := append(append(tone(rate, 1000, -30, 20*rate), make([]float64, 20*rate)...), tone(rate, 1000, -10, 20*rate)...)
	p := NewLeveller(rate, 1, nil, 3, func(int64) Towards { return Towards{-23, 6, -50} })
	p.Process([][]float64{x}, 0)
	at := func(second int) float64 { return rmsDB(x[second*rate:(second+1)*rate]) + 3.01 }
	assert.InDelta(t, -24, at(15), 0.05, "6 dB up at most")
	assert.InDelta(t, -16, at(55), 0.05, "and 6 dB down")
	y := tone(rate, 1000, -20, 20*rate)
	p.Reset()
	p.Process([][]float64{y}, 0)
	assert.InDelta(t, -23+0.69, rmsDB(y[15*rate:]), 0.05, "by BS.1770, a mean square of −23 LUFS is −22.31 dB")
}

func TestFactorIsGain(t *testing.T) {
	for dB := -300.0; dB < 100; dB += 0.0371 {
		assert.InEpsilon(t, Gain(dB), factor(dB), 2e-9, "%g dB", dB)
	}
	assert.Equal(t, 1.0, factor(0))
	for _, dB := range []float64{math.Inf(-1), -1e9, 1e9} {
		assert.Equal(t, Gain(dB), factor(dB))
	}
}
