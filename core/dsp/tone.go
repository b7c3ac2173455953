package dsp

import (
	"math"

	"zestyloom/core/timecode"
)

// Tone spreads a stretch of quiet without end, so that neither a seam nor a repetition is heard: grains of it, from places that follow from
// their number alone, cross each other halfway by sines, whose squares add up to one, since what comes from two places of a noise adds up by its
// power. Some are turned upside down, which no noise shows. It is a function of the place.
type Tone struct {
	quiet  []float64
	grain  int64 // samples; the next begins after half of it
	window []float64
}

// The length of a grain, in seconds: half of the quiet where that is less.
const longestGrain = 1.2

// NewTone makes one of samples at a rate in Hz: of a quarter of a second at least.
func NewTone(rate float64, quiet []float64) *Tone {
	grain := min(int64(longestGrain*rate), int64(len(quiet))/2) &^ 1
	t := &Tone{quiet: quiet, grain: grain, window: make([]float64, grain)}
	for i := range t.window {
		t.window[i] = math.Sin(math.Pi * (float64(i) + 0.5) / float64(grain))
	}
	return t
}

// Fill gives samples from a place on.
func (t *Tone) Fill(x []float64, at int64) {
	clear(x)
	half := t.grain / 2
	first := timecode.FloorDiv(at, half) - 1
	for k := first; k*half < at+int64(len(x)); k++ {
		from, sign := t.of(k)
		begin := k * half
		for p := max(at, begin); p < min(at+int64(len(x)), begin+t.grain); p++ {
			x[p-at] += sign * t.window[p-begin] * t.quiet[from+p-begin]
		}
	}
}

// of gives where in the quiet a grain begins, and whether it is turned.
func (t *Tone) of(k int64) (from int64, sign float64) {
	room := int64(len(t.quiet)) - t.grain + 1
	from = int64(scattered(uint64(k)) % uint64(room))
	// A grain that goes on where the one before it is would add up with it by its amplitude.
	before := int64(scattered(uint64(k-1)) % uint64(room))
	if apart := t.grain / 24; abs(from-before-t.grain/2) < apart {
		from = (from + room/2) % room
	}
	sign = 1
	if scattered(uint64(k)^0xa5a5)>>63 == 1 {
		sign = -1
	}
	return from, sign
}

// scattered is a number that looks like none of its neighbours' (S. Vigna, splitmix64, 2015; in the public domain).
func scattered(x uint64) uint64 {
	x += 0x9e3779b97f4a7c15
	x = (x ^ x>>30) * 0xbf58476d1ce4e5b9
	x = (x ^ x>>27) * 0x94d049bb133111eb
	return x ^ x>>31
}

func abs(x int64) int64 { return max(x, -x) }
