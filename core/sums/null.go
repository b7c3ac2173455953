package sums

import (
	"math"

	"zestyloom/core/dsp"
)

// Null takes from each channel of a set what it is the sum of, block by block, and keeps what is left.
type Null struct {
	Sum
	Rows []Row
	// of gives the samples of a channel of a set; it may give others than asked for, to see whether those would add up.
	of      func(set string, channel int) []float64
	turners []*dsp.Quadrature // of each part, where any is turned by 90°
	wait    *dsp.Delay        // of all that is not
	at      int64
}

// Row is what is left of one channel of the whole.
type Row struct {
	Peak, Power float64 // of what is left, full scale 1
	PeakAt      int64   // frame of the largest
	OverAt      int64   // where it went over the limit first; −1 where it did not
	Frames      int64   // that were compared
	Limit, RMS  float64 // how much may be left
}

// NewNull begins to prove a sum. limit says how much may be left of a channel whose parts come at gains.
func NewNull(s Sum, of func(set string, channel int) []float64, limit func(row int, gains []float64) (peak, rms float64)) *Null {
	n := &Null{Sum: s, of: of, Rows: make([]Row, len(s.Parts[0].Gains))}
	for i := range n.Rows {
		peak, rms := limit(i, s.gains(i))
		n.Rows[i] = Row{OverAt: -1, Limit: peak, RMS: rms}
	}
	return n
}

// gains gives those of all parts in a channel of the whole, but for those that are 0.
func (s Sum) gains(row int) (gains []float64) {
	for _, p := range s.Parts {
		gains = append(gains, p.Gains[row]...)
		if p.Turned != nil {
			gains = append(gains, p.Turned[row]...)
		}
	}
	return gains
}

// phased tells whether any part is turned.
func (s Sum) phased() bool {
	for _, p := range s.Parts {
		if p.Turned != nil {
			return true
		}
	}
	return false
}

// Write takes the samples from one on and before another of the block that of gives; blocks follow on each other.
func (n *Null) Write(from, to int) {
	left := make([][]float64, len(n.Rows))
	for r := range n.Rows {
		left[r] = make([]float64, to-from)
		copy(left[r], n.of(n.Whole, r)[from:to])
	}
	skip := int64(0)
	if n.phased() {
		skip = n.turn(left, from, to)
	} else {
		n.take(left, from, to)
	}
	for r := range n.Rows {
		n.Rows[r].write(left[r], n.at, skip)
	}
	n.at += int64(to - from)
}

func (n *Null) take(left [][]float64, from, to int) {
	for _, p := range n.Parts {
		for r := range left {
			for c, gain := range p.Gains[r] {
				if gain == 0 {
					continue
				}
				for i, x := range n.of(p.ID, c)[from:to] {
					left[r][i] -= gain * x
				}
			}
		}
	}
}

// turn is take where parts are turned by 90°, which takes time: all else waits for it. It gives how many samples from the beginning
// tell nothing, because what lies before them, which the filter looks at too, is not in the files.
func (n *Null) turn(left [][]float64, from, to int) (skip int64) {
	latency := (&dsp.Quadrature{}).Latency()
	if n.wait == nil {
		n.wait = dsp.NewDelay(len(left), latency)
		for range n.Parts {
			n.turners = append(n.turners, dsp.NewQuadrature(len(left)))
		}
	}
	n.take(left, from, to)
	n.wait.Process(left, 0)
	for k, p := range n.Parts {
		if p.Turned == nil {
			continue
		}
		quarter := make([][]float64, len(left))
		for r := range quarter {
			quarter[r] = make([]float64, to-from)
			for c, gain := range p.Turned[r] {
				if gain != 0 {
					for i, x := range n.of(p.ID, c)[from:to] {
						quarter[r][i] += gain * x
					}
				}
			}
		}
		n.turners[k].Process(quarter, 0)
		for r := range left {
			for i, x := range quarter[r] {
				left[r][i] -= x
			}
		}
	}
	return int64(2 * latency)
}

func (r *Row) write(left []float64, at, skip int64) {
	for i, x := range left {
		if at+int64(i) < skip {
			continue
		}
		r.Frames++
		r.Power += x * x
		if x = math.Abs(x); x > r.Peak {
			r.Peak, r.PeakAt = x, at+int64(i)
		}
		if x > r.Limit && r.OverAt < 0 {
			r.OverAt = at + int64(i)
		}
	}
}

// OK tells whether no more is left than may be. What was not compared does not pass.
func (r Row) OK() bool {
	return r.Frames > 0 && r.Peak <= r.Limit && r.Average() <= r.RMS
}

// Average is what is left as RMS.
func (r Row) Average() float64 { return math.Sqrt(r.Power / float64(max(1, r.Frames))) }

// OK tells whether it adds up in every channel.
func (n *Null) OK() bool {
	for _, r := range n.Rows {
		if !r.OK() {
			return false
		}
	}
	return true
}

// Lost tells whether a channel has left more than it may already.
func (n *Null) Lost() bool {
	for _, r := range n.Rows {
		if r.OverAt >= 0 {
			return true
		}
	}
	return false
}
