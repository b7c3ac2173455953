package diagnose

import (
	"fmt"
	"math"
)

// Ear listens to one channel as it goes by for what is wrong with it by itself, and where: sound that breaks off, clicks, tops that
// are cut off, hum. Takes, the desk and whoever measures hear with it.
type Ear struct {
	rate   int
	gaps   *Gaps
	clicks *Clicks
	tops   Tops
	hum    *humMeter
}

// NewEar begins to listen, to sound at a rate in Hz, in which so many zeros are a gap.
func NewEar(rate, zeros int) *Ear {
	return &Ear{rate: rate, gaps: NewGaps(rate, zeros), clicks: NewClicks(rate), hum: newHumMeter(rate)}
}

// Write takes the next samples, which must be finite.
func (e *Ear) Write(samples []float64) {
	e.gaps.Write(samples)
	e.clicks.Write(samples)
	e.tops.Write(samples, e.rate)
	e.hum.write(samples)
}

// Damage is something that is wrong with a channel by itself.
type Damage struct {
	Kind    Kind
	Figure  float64 // as that of a Finding of its kind
	At      int64   // the first sample of it; −1 for what is everywhere
	Hz      float64 // of a hum
	Message string
}

// Damage gives all that was heard.
func (e *Ear) Damage() (found []Damage) {
	add := func(kind Kind, figure float64, at int64, format string, args ...any) {
		found = append(found, Damage{Kind: kind, Figure: figure, At: at, Message: fmt.Sprintf(format, args...)})
	}
	for _, tone := range e.hum.tones {
		if e.hum.seconds >= 2 && float64(tone.present) >= 0.8*float64(e.hum.seconds) {
			level := decibels(tone.power / float64(tone.present))
			add(Hum, level, -1, "Hum at %.0f Hz and its harmonics, %s", tone.hz, dBFS(level))
			found[len(found)-1].Hz = tone.hz
		}
	}
	if n := e.gaps.Count; n > 0 {
		to := "exact zeros"
		if e.gaps.First.Held {
			to = "a value that is held"
		}
		add(Dropout, float64(n), e.gaps.First.At, "%s: the sound breaks off to %s for %.0f ms and goes on", count(n, "dropout", "dropouts"), to,
			math.Ceil(1000*float64(e.gaps.First.Length)/float64(e.rate)))
	}
	if n := e.clicks.Count; n > 0 {
		add(Click, float64(n), e.clicks.First, "%s: a sample that stands out of the sound around it", count(n, "click", "clicks"))
	}
	if e.tops.Cut() {
		level := 20 * math.Log10(e.tops.Level)
		add(Topped, level, e.tops.First, "The tops of %d waves are cut off at %s: clipped before it was turned down", e.tops.Count, dBFS(level))
	}
	return found
}
