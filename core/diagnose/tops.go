package diagnose

import "math"

// Tops finds waves whose tops are cut off below full scale, all at one level: clipped before they were turned down.
type Tops struct {
	Count int64   // tops that are cut off at the level
	First int64   // sample
	Level float64 // full scale 1

	at       int64
	last     float64
	slope    float64 // into the run
	length   int
	shortest int
	longest  int
}

// What tops that are cut off look like.
const (
	flat      = 1.0 / (1 << 21) // samples of a run lie no further apart, so that dither to 24 bits does not hide them
	steep     = 64 * flat       // and come and go so fast at least, which no wave does that turns by itself
	topRun    = 4               // samples
	mostTop   = 0.002           // seconds: what is longer is no top
	fewestTop = 20
	lowestTop = -30 // dBFS
)

// Write takes the next samples, at a rate in Hz.
func (t *Tops) Write(samples []float64, rate int) {
	last := t.last
	for i, x := range samples {
		step := x - last
		if step <= flat && step >= -flat {
			t.length++
			last = x
			continue
		}
		if t.length >= topRun && math.Abs(step) > steep && step*t.slope < 0 && t.slope*last > 0 {
			t.top(last, t.at+int64(i), rate)
		}
		if t.slope, t.length = step, 1; math.Abs(step) <= steep {
			t.slope = 0
		}
		if level := math.Abs(x); level > t.Level+2*flat && t.Count > 0 { // what is louder was not cut off
			t.Level, t.Count = level, 0
		}
		last = x
	}
	t.last = last
	t.at += int64(len(samples))
}

// top takes a run that has ended as one more top.
func (t *Tops) top(last float64, end int64, rate int) {
	level := math.Abs(last)
	if float64(t.length) > mostTop*float64(rate) || level < math.Sqrt(power(lowestTop)) || level >= fullScale {
		return
	}
	if level > t.Level+2*flat {
		t.Level, t.Count = level, 0
	}
	if level < t.Level-2*flat {
		return
	}
	if t.Count == 0 {
		t.First, t.shortest, t.longest = end-int64(t.length), t.length, t.length
	}
	t.Count++
	t.shortest, t.longest = min(t.shortest, t.length), max(t.longest, t.length)
}

// Cut tells whether tops are cut off: often, and for as long as the wave would have been over, which is never the same twice. Waves
// that are square are that by themselves.
func (t *Tops) Cut() bool { return t.Count >= fewestTop && t.longest >= 2*t.shortest }
