package dsp

import (
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
)

// ears gives what a head hears of one source.
func ears(rate float64, d Direction, x []float64) (left, right []float64) {
	left, right = make([]float64, len(x)), make([]float64, len(x))
	h := NewHead(rate, []Direction{d})
	for at := 0; at < len(x); { // in blocks of odd sizes
		n := min(len(x)-at, 1+at%97)
		h.Add(left[at:at+n], right[at:at+n], [][]float64{x[at : at+n]})
		at += n
	}
	return left, right
}

// tone measures a sine of f Hz in the second half of a signal: its gain, and by how many seconds it is late.
func toneOf(x []float64, rate, f float64) (gain, late float64) {
	var re, im float64
	half := len(x) / 2
	turns := math.Floor(float64(len(x)-half) * f / rate)
	n := int(math.Round(turns * rate / f))
	for i := half; i < half+n; i++ {
		a := 2 * math.Pi * f * float64(i) / rate
		re, im = re+x[i]*math.Sin(a), im+x[i]*math.Cos(a)
	}
	return 2 * math.Hypot(re, im) / float64(n), -math.Atan2(im, re) / (2 * math.Pi * f)
}

// Which ear hears what: the values by hand. A source at the left is 0.655 ms earlier there ((a/c)(1 + π/2)), twice as strong in the highs, and
// 11 dB softer at the far ear; one in front or above is the same in both; low tones go round the head.
func TestHead(t *testing.T) {
	sine := func(rate, f float64) []float64 {
		x := make([]float64, int(rate/2))
		for i := range x {
			x[i] = math.Sin(2 * math.Pi * f * float64(i) / rate)
		}
		return x
	}
	for _, rate := range []float64{44100, 48000, 88200, 96000, 176400, 192000} {
		name := fmt.Sprint(rate)
		for _, d := range []Direction{{}, {Azimuth: 180}, {Elevation: 90}, {Azimuth: 77, Elevation: 90}} {
			l, r := ears(rate, d, sine(rate, 440))
			for i := range l {
				if math.Abs(l[i]-r[i]) > 1e-12 {
					assert.InDelta(t, l[i], r[i], 1e-12, "%s %v", name, d)
					break
				}
			}
		}
		l, r := ears(rate, Direction{Azimuth: 90}, sine(rate, 100))
		gl, tl := toneOf(l, rate, 100)
		gr, tr := toneOf(r, rate, 100)
		assert.InDelta(t, headGain, gl, 0.02, name)
		assert.InDelta(t, headGain, gr, 0.02, name)
		// At low tones the shadow itself is late by (1 − α)/2ω₀: α is 2 at the near ear and 1.05 + 0.95·cos 216° = 0.2814 at the far one.
		shadow := headRadius / soundSpeed / 2 * ((1 - 0.28144) - (1 - 2))
		assert.InDelta(t, headRadius/soundSpeed*(1+math.Pi/2)+shadow, tr-tl, 3e-6, name)
		l, r = ears(rate, Direction{Azimuth: 90}, sine(rate, 12000))
		gl, _ = toneOf(l, rate, 12000)
		gr, _ = toneOf(r, rate, 12000)
		assert.InDelta(t, 6, 20*math.Log10(gl/headGain), 0.6, name)
		assert.Less(t, 20*math.Log10(gr/headGain), -10.0, name)
		// The right is the left the other way round.
		other, same := ears(rate, Direction{Azimuth: -90}, sine(rate, 12000))
		assert.Equal(t, l, same, name)
		assert.Equal(t, r, other, name)
	}
}
