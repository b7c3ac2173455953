package dsp

import "math"

// Processor works on a set of channels in place, block after block.
type Processor interface {
	// Process works on channels × frames that follow those of the call before. at is the place of the first on the clock, as it comes in:
	// what moves, and what works in steps, goes by that, so that it does not matter where blocks begin.
	Process(channels [][]float64, at int64)
	// Latency is how many samples later what goes in comes out.
	Latency() int
	// Memory is after how many samples the past no longer matters: what it changes lies below −140 dBFS.
	Memory() int
	// Reset forgets the past.
	Reset()
}

// Delay keeps channels back by a number of samples.
type Delay struct {
	by   int
	past [][]float64 // the last by samples of each channel
	work []float64
}

// NewDelay makes a delay of at least one sample for so many channels.
func NewDelay(channels, by int) *Delay {
	d := &Delay{by: by, past: make([][]float64, channels)}
	for i := range d.past {
		d.past[i] = make([]float64, by)
	}
	return d
}

// Process delays in place.
func (d *Delay) Process(channels [][]float64, _ int64) {
	for c, x := range channels {
		if n := len(x); d.by <= n {
			d.work = append(d.work[:0], x[n-d.by:]...)
			copy(x[d.by:], x)
			copy(x, d.past[c])
			copy(d.past[c], d.work)
			continue
		}
		d.work = append(append(d.work[:0], d.past[c]...), x...)
		copy(d.past[c], d.work[len(x):])
		copy(x, d.work)
	}
}

// Latency is the delay.
func (d *Delay) Latency() int { return d.by }

// Memory is the delay.
func (d *Delay) Memory() int { return d.by }

// Reset empties it.
func (d *Delay) Reset() {
	for _, p := range d.past {
		clear(p)
	}
}

// Quadrature turns every frequency by +90°: the discrete Hilbert transformer, which is −90°, negated; h(n) = −2⁄(πn) for odd n (A. Oppenheim and
// R. Schafer, Discrete-Time Signal Processing, 12.4), under a Kaiser window.
type Quadrature struct {
	half []float64 // 2⁄(πn) for n = 1, 3, …
	past [][]float64
	work []float64
}

// quadratureTaps is odd; the passband reaches from 60 Hz to 0.4975 of the sample rate at 48 kHz within 0.1 dB.
const quadratureTaps = 2047

// NewQuadrature makes one for so many channels.
func NewQuadrature(channels int) *Quadrature {
	const beta = 6
	centre := quadratureTaps / 2
	q := &Quadrature{past: make([][]float64, channels)}
	for n := 1; n <= centre; n += 2 {
		t := float64(n) / float64(centre+1)
		q.half = append(q.half, 2/(math.Pi*float64(n))*bessel(beta*math.Sqrt(1-t*t))/bessel(beta))
	}
	for i := range q.past {
		q.past[i] = make([]float64, quadratureTaps-1)
	}
	return q
}

// Process turns in place.
func (q *Quadrature) Process(channels [][]float64, _ int64) {
	centre := quadratureTaps / 2
	for c, x := range channels {
		q.work = append(append(q.work[:0], q.past[c]...), x...)
		copy(q.past[c], q.work[len(x):])
		for i := range x {
			mid, sum := i+centre, 0.0
			for k, h := range q.half {
				n := 2*k + 1
				sum += h * (q.work[mid+n] - q.work[mid-n])
			}
			x[i] = sum
		}
	}
}

// Latency is half the taps.
func (q *Quadrature) Latency() int { return quadratureTaps / 2 }

// Memory is all of the taps.
func (q *Quadrature) Memory() int { return quadratureTaps }

// Reset forgets the past.
func (q *Quadrature) Reset() {
	for _, p := range q.past {
		clear(p)
	}
}
