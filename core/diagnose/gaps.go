package diagnose

import "math"

// Gap is where sound breaks off to exact zeros, or to a value that is held, and goes on.
type Gap struct {
	At     int64 // sample with which it begins
	Length int64 // samples
	Held   bool  // at a value that is not zero
}

// Gaps finds gaps in one channel as it goes by: runs of one value with sound close before and after. Sound that fades out and in
// again, as where a channel is hushed, is no gap: at a gap it breaks off from one sample to the next.
type Gaps struct {
	Count int64
	First Gap

	near     int // samples around a gap that tell whether there is sound
	zeros    int // that are a gap at least
	holds    int
	longest  int
	at       int64
	value    float64 // of the run
	length   int     // of the run
	edge     float64 // the sample before the run
	before   float64 // power of what came before the run, but for the last samples
	recent   float64 // power of those
	count    int
	follow   int // samples after the run so far
	after    float64
	entering float64 // the first sample after the run
}

// heldFor is how long a value other than zero has to be held, and zero in what is delivered, in seconds.
const heldFor = 0.005

// NewGaps begins to look, in sound at a rate in Hz, for runs of at least so many zeros.
func NewGaps(rate, zeros int) *Gaps {
	return &Gaps{near: rate / 100, zeros: zeros, holds: int(heldFor * float64(rate)), longest: int(maxDropoutSec * float64(rate))}
}

// LeastInDelivery is of how many zeros a gap is made in what is delivered.
func LeastInDelivery(rate int) int { return int(heldFor * float64(rate)) }

// abrupt is how much of the level before and after a gap the samples beside it have at least.
const abrupt = 0.05

// Write takes the next samples.
func (g *Gaps) Write(samples []float64) {
	value, recent, count := g.value, g.recent, g.count
	for i, x := range samples {
		switch {
		case x == value && g.follow == 0:
			g.length++
			continue
		case g.follow > 0:
			g.after += x * x
			if g.follow++; g.follow > g.near {
				g.end(g.at + int64(i) + 1)
				value = g.value
			}
			continue
		case g.length > 1:
			if g.long() && g.before > power(aroundDropout) {
				g.entering, g.follow, g.after = x, 1, x*x // what follows for 10 ms decides
				continue
			}
			g.pass()
		}
		recent += value * value
		if count++; count == together {
			g.before += (recent/together - g.before) * together / float64(g.near)
			recent, count = 0, 0
		}
		g.edge, value, g.value, g.length = value, x, x, 1
	}
	g.recent, g.count = recent, count
	g.at += int64(len(samples))
}

// together is how many samples are taken for one where the level before a gap is followed.
const together = 16

// pass lets a run go by that is no gap; its last sample goes by as all do.
func (g *Gaps) pass() {
	g.before += (g.value*g.value - g.before) * (1 - math.Exp(-float64(g.length-1)/float64(g.near)))
}

func (g *Gaps) long() bool {
	least := g.holds
	if g.value == 0 {
		least = g.zeros
	}
	return g.length >= least && g.length <= g.longest && math.Abs(g.value) < fullScale // what is clipped is told as that
}

// end judges a run by what came after it.
func (g *Gaps) end(now int64) {
	after := g.after / float64(g.near)
	if level := math.Sqrt(max(g.before, after)); after > power(aroundDropout) &&
		max(math.Abs(g.edge-g.value), math.Abs(g.entering-g.value)) > abrupt*level {
		if g.Count == 0 {
			g.First = Gap{now - 1 - int64(g.near) - int64(g.length), int64(g.length), g.value != 0}
		}
		g.Count++
	}
	g.before, g.follow, g.after, g.value, g.length = after, 0, 0, 0, 0
	g.recent, g.count = 0, 0
}
