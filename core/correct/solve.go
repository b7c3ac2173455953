package correct

import (
	"math"
	"slices"

	"zestyloom/core/loudness"
	"zestyloom/core/reel"
)

// Curves are what a correction does: a gain, and curves in dB over samples that count from the programme's first.
type Curves struct {
	GainDB float64
	Ride   []reel.Point
	Limit  []reel.Point
}

// margins are by how much more than asked is aimed at, because what comes of it was measured to miss.
type margins struct {
	loudness              float64 // LU that the target is moved by
	ceiling               float64 // dB below it
	short, momentary, ppm float64 // LU, LU and dB below the limits
}

const (
	// cell is the grid of the limiter, in samples: gains change over no less, so that no step is heard.
	cell = loudness.CellFrames
	// The limiter begins to pull down so long before a peak, at the slope that takes it there, and lets go more slowly.
	attackDB  = 3000.0 // dB a second: 6 dB in 2 ms
	releaseDB = 60.0   // dB a second
	// A ride is so slow that it is not heard as a change.
	rideDB = 4.0 // dB a second
	// rideHops is the grid of a ride: 100 ms.
	rideHops = 10
)

// problem is a programme that is to be brought to a target.
type problem struct {
	rate   int
	to     reel.Target
	power  []float64    // of every hop
	spoken []bool       // blocks in which dialogue is heard, by hop; nil where loudness is that of all
	quasi  []float64    // dB, of every hop
	cells  []float64    // dB, of every cell from the first sample on: true peak of the loudest channel
	ride   []reel.Point // that somebody has drawn; nil where it is worked out
	frames int64
}

// newProblem collects what is known of a row.
func newProblem(row loudness.Row, to reel.Target, w *loudness.Whole) *problem {
	p := &problem{rate: row.Rate, to: to}
	for _, piece := range row.Pieces {
		p.power = append(p.power, piece.Power...)
		for _, q := range piece.Quasi {
			p.quasi = append(p.quasi, q.DB())
		}
		p.addCells(piece)
		p.frames += piece.Frames
	}
	if to.Dialogue {
		p.spoken = w.Spoken()
	}
	return p
}

// addCells lays the cells of a piece on the grid of the whole programme, which a piece need not begin on.
func (p *problem) addCells(piece *loudness.Piece) {
	need := int((p.frames + piece.Frames + cell - 1) / cell)
	for len(p.cells) < need {
		p.cells = append(p.cells, math.Inf(-1))
	}
	for k, size := range piece.Cells {
		first := p.frames + int64(k)*cell
		last := min(first+cell, p.frames+piece.Frames) - 1
		for at := first / cell; at <= last/cell; at++ {
			p.cells[at] = max(p.cells[at], size.DB())
		}
	}
}

// solve works the curves out. The loudness that comes of them is foretold from the power of hops, which is right but for what a gain
// does within one.
//
// Where limits hold loudness down, more gain is given only as long as it still makes the programme louder by a tenth of itself.
func (p *problem) solve(m margins) Curves {
	c := p.curves(0, m)
	if p.to.Integrated == nil {
		return c
	}
	c, held := p.approach(c, m)
	if held {
		if beyond, there := p.beyond(c, m); there {
			c, _ = p.approach(beyond, m)
		}
	}
	return c
}

// worth is by how much louder a programme becomes at least, for each decibel of gain, for the gain to be worth it.
const worth = 0.1

// approach goes on from curves towards the loudness that is asked for, step by step; held tells that the limits hold it down.
func (p *problem) approach(c Curves, m margins) (_ Curves, held bool) {
	now, heard := p.foretell(c)
	for range 40 {
		by := *p.to.Integrated + m.loudness - now
		if !heard || math.Abs(by) < 0.002 {
			break
		}
		next := p.curves(max(-60, min(60, c.GainDB+by)), m)
		louder, still := p.foretell(next)
		if still && by > 0.05 && louder-now < worth*by {
			return c, true
		}
		c, now, heard = next, louder, still
	}
	return c, false
}

// beyond looks for the gain that does bring the programme to the loudness that is asked for, where the next step makes it hardly
// louder: a click in quiet speech is all that is above the gate until the limiter has brought it down to the rest.
func (p *problem) beyond(c Curves, m margins) (Curves, bool) {
	now, _ := p.foretell(c)
	for gain := c.GainDB + 1; gain <= 60; gain++ {
		next := p.curves(gain, m)
		louder, heard := p.foretell(next)
		if heard && louder >= *p.to.Integrated+m.loudness {
			return next, louder-now >= worth*(gain-c.GainDB)
		}
	}
	return c, false
}

// curves gives what a gain asks for.
func (p *problem) curves(gainDB float64, m margins) Curves {
	c := Curves{GainDB: gainDB, Ride: p.ride}
	if c.Ride == nil {
		c.Ride = p.rides(gainDB, m)
	}
	c.Limit = p.limits(c, m)
	return c
}

// Gains gives the gain in dB at the middle of each of so many hops of 10 ms.
func (c Curves) Gains(rate, hops int) []float64 {
	hop := int64(loudness.HopFrames(rate))
	out := make([]float64, hops)
	ride, limit := walk{points: c.Ride}, walk{points: c.Limit}
	for h := range out {
		at := int64(h)*hop + hop/2
		out[h] = c.GainDB + ride.at(at) + limit.at(at)
	}
	return out
}

// walk reads a curve in the order of time.
type walk struct {
	points []reel.Point
	next   int
}

func (w *walk) at(at int64) float64 {
	if len(w.points) == 0 {
		return 0
	}
	for w.next < len(w.points) && w.points[w.next].At <= at {
		w.next++
	}
	switch w.next {
	case 0:
		return w.points[0].Value
	case len(w.points):
		return w.points[w.next-1].Value
	}
	a, b := w.points[w.next-1], w.points[w.next]
	return a.Value + (b.Value-a.Value)*float64(at-a.At)/float64(b.At-a.At)
}

// foretell gives the integrated loudness that comes of curves; not heard where nothing is above the gates.
func (p *problem) foretell(c Curves) (lufs float64, heard bool) {
	gains := c.Gains(p.rate, len(p.power))
	power := make([]float64, len(gains))
	for h, g := range gains {
		power[h] = p.power[h] * math.Pow(10, g/10)
	}
	return loudness.Gated(power, p.spoken)
}

// rides gives the ride that brings what is over the limits of short-term and momentary loudness and of the programme meter below them:
// every hop of a window that is too loud goes down by as much as the window is over.
func (p *problem) rides(gainDB float64, m margins) []reel.Point {
	n := (len(p.power) + rideHops - 1) / rideHops
	need := make([]float64, n)
	lower := func(from, to int, by float64) { // hops
		for k := max(0, from/rideHops); k <= min(n-1, (to-1)/rideHops); k++ {
			need[k] = min(need[k], by)
		}
	}
	window := func(limit *float64, margin float64, hops int) {
		if limit == nil {
			return
		}
		var sum float64
		for h, power := range p.power {
			if sum += power; h >= hops {
				sum -= p.power[h-hops]
			}
			if h+1 >= hops && sum > 0 {
				if over := loudness.LUFS(sum/float64(hops)) + gainDB - (*limit - margin); over > 0 {
					lower(h+1-hops, h+1, -over)
				}
			}
		}
	}
	window(p.to.ShortTermMax, m.short, 300)
	window(p.to.MomentaryMax, m.momentary, 40)
	if p.to.PPMMax != nil {
		limit := -18 + 4*(*p.to.PPMMax-4) - m.ppm // dBFS
		for h, q := range p.quasi {
			if over := q + gainDB - limit; over > 0 {
				lower(h-5, h+1, -over) // what charges the meter came a little before
			}
		}
	}
	step := rideDB * rideHops / 100
	slopes(need, step, step)
	return corners(need, int64(rideHops*loudness.HopFrames(p.rate)), 0.15)
}

// limits gives what the limiter does: nowhere less than each cell needs, falling and rising no faster than it may.
func (p *problem) limits(c Curves, m margins) []reel.Point {
	if p.to.TruePeak == nil {
		return nil
	}
	ceiling := *p.to.TruePeak - m.ceiling
	need := make([]float64, len(p.cells)+1) // at the ends of cells
	ride := walk{points: c.Ride}
	for k, peak := range p.cells {
		// The ride is at most what it is at one of the cell's ends.
		gain := c.GainDB + max(ride.at(int64(k)*cell), (&walk{points: c.Ride, next: ride.next}).at(int64(k+1)*cell))
		if over := peak + gain - ceiling; over > 0 {
			need[k], need[k+1] = min(need[k], -over), min(need[k+1], -over)
		}
	}
	seconds := float64(cell) / float64(p.rate)
	slopes(need, attackDB*seconds, releaseDB*seconds)
	return corners(need, cell, 0.02)
}

// slopes lowers values so that they fall by no more than attack from one to the next, and rise by no more than release.
func slopes(values []float64, attack, release float64) {
	for k := len(values) - 2; k >= 0; k-- {
		values[k] = min(values[k], values[k+1]+attack)
	}
	for k := 1; k < len(values); k++ {
		values[k] = min(values[k], values[k-1]+release)
	}
}

// corners gives the points of a curve on a grid, without those that lie on a line between others to within a tolerance, and never
// above it. Where it does nothing there are no points but those on either side.
func corners(values []float64, grid int64, tolerance float64) []reel.Point {
	if !slices.ContainsFunc(values, func(v float64) bool { return v < 0 }) {
		return nil
	}
	var out []reel.Point
	put := func(k int) {
		out = append(out, reel.Point{At: int64(k) * grid, Value: math.Round(values[k]*1000)/1000 - 0.0005})
	}
	put(0)
	for k := 0; k < len(values)-1; {
		// As far as a straight line holds: what it may be at each step lies in a wedge.
		low, high := math.Inf(-1), math.Inf(1)
		end := k + 1
		for j := k + 1; j < len(values); j++ {
			slope := (values[j] - values[k]) / float64(j-k)
			if slope < low || slope > high+1e-9 || j > k+1 && values[j-1] == 0 && values[j] != 0 {
				break // rest ends where it ends, not where it is nearly over
			}
			if end, high = j, min(high, slope); values[j] == 0 && values[j-1] != 0 {
				break
			}
			low = max(low, (values[j]-tolerance-values[k])/float64(j-k))
		}
		put(end)
		k = end
	}
	for i := range out { // at rest it is exactly at rest
		if out[i].Value > -0.001 {
			out[i].Value = 0
		}
	}
	return out
}
