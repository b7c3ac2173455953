package diagnose

import "math"

// Clicks finds single samples that stand out of what is around them and that the sound comes back from, as a bit that was lost or a
// clock that slipped leaves them. What begins or breaks off, knocks or beats is none.
type Clicks struct {
	Count int64
	First int64 // sample

	near   int     // samples around that tell what is usual
	decay  float64 // share of the next sample in what is usual
	at     int64
	w      []float64 // the last samples and those of the block; the one that is looked at stands three before the next
	usual  float64   // power of how far samples stand out of those beside them, so far
	level  float64   // power of the sound so far
	recent float64   // the same of the last samples
	sound  float64
	count  int
	follow int     // samples since one stood out
	spike  float64 // how far
	back   float64 // how far the sound then is from where it was
	place  int64
	after  float64 // power of how far they stand out afterwards
}

// How far a sample must stand out of those beside it to be a click.
const (
	clickUsual = 16.0 // times what samples do before and after, as RMS
	clickLevel = 0.1  // times the level of the sound
	clickFloor = -50  // dBFS
	clickSides = 6    // samples beside it that are looked at
	clickWide  = 6    // samples that one click is spread over at most by the looking
)

// NewClicks begins to look, in sound at a rate in Hz.
func NewClicks(rate int) *Clicks {
	near := max(8*clickWide, rate/100)
	return &Clicks{near: near, decay: 1 / float64(near)}
}

// Write takes the next samples.
func (c *Clicks) Write(samples []float64) {
	if len(c.w) == 0 {
		c.w = make([]float64, clickSides)
	}
	copy(c.w, c.w[len(c.w)-clickSides:])
	c.w = append(c.w[:clickSides], samples...)
	floor, sides := math.Sqrt(power(clickFloor)), clickUsual*clickUsual/16 // its sides stand out less
	usual, level, recent, sound, count := c.usual, c.level, c.recent, c.sound, c.count
	for i := range samples {
		w := c.w[i : i+clickSides+1 : i+clickSides+1]
		// What the middle one is more than a cubic through the two on either side.
		out := math.Abs(w[3] - (4*(w[2]+w[4])-w[1]-w[5])/6)
		switch {
		case c.follow > 0:
			if c.level = level; c.heed(out, math.Abs(w[6]-w[0])) {
				usual = c.usual
			}
		case out > floor && out*out > sides*usual && c.at >= int64(c.near):
			c.usual, c.level = usual, level
			c.follow, c.spike, c.after = 1, 0, 0
			c.heed(out, math.Abs(w[6]-w[0]))
		default:
			recent, sound = recent+out*out, sound+w[6]*w[6]
			if count++; count == together {
				usual += (recent - together*usual) * c.decay
				level += (sound - together*level) * c.decay
				recent, sound, count = 0, 0, 0
			}
		}
		c.at++
	}
	c.usual, c.level, c.recent, c.sound, c.count = usual, level, recent, sound, count
}

// heed takes what follows after a sample that stands out, and judges it by that in the end, which it tells. across is how far the
// sound on one side is from that on the other.
func (c *Clicks) heed(out, across float64) (judged bool) {
	if c.follow <= clickWide {
		if out > c.spike {
			c.spike, c.back, c.place = out, across, c.at-3
		} else if c.at-3 == c.place+1 {
			c.back = max(c.back, across)
		}
	} else {
		c.after += out * out
	}
	if c.follow++; c.follow <= c.near {
		return false
	}
	after := c.after / float64(c.near-clickWide)
	usual, level := math.Sqrt(max(c.usual, after)), math.Sqrt(c.level)
	if c.spike > math.Sqrt(power(clickFloor)) && c.spike > clickUsual*usual && c.spike > clickLevel*level && c.back < c.spike/2 {
		if c.Count == 0 {
			c.First = c.place
		}
		c.Count++
	}
	c.usual, c.follow = after, 0
	return true
}
