package dsp

import (
	"math"
)

// peakPhases is at how many places between two samples a limiter looks for the true peak, and peakHalf how many samples on each side it looks
// at, by a windowed sinc.
const (
	peakPhases = 16
	peakHalf   = 3 * step
	peakBeta   = 5.5
)

// peakEdges are the bands that it looks at, as shares of half the rate: whoever measures what comes out, or turns it into another form, lets
// all of it pass or takes what lies at the very edge away, and either may be the larger.
var peakEdges = []float64{1, 0.92}

// peakTable holds the taps between two samples, phase by phase, and peakMost by how much the signal between them can at most exceed the
// largest sample around.
var peakTable, peakMost = peaks()

func peaks() (table [][2 * peakHalf]float64, most float64) {
	for _, edge := range peakEdges {
		for k := range peakPhases {
			at, total := float64(k)/peakPhases, 0.0
			var taps [2 * peakHalf]float64
			for i := range taps {
				x := float64(i-peakHalf+1) - at
				u := x / peakHalf
				taps[i] = edge * sinc(edge*x) * bessel(peakBeta*math.Sqrt(max(0, 1-u*u))) / bessel(peakBeta)
				total += taps[i]
			}
			sum := 0.0
			for i := range taps {
				taps[i] /= total
				sum += math.Abs(taps[i])
			}
			if most = max(most, sum); edge < 1 || k > 0 {
				table = append(table, taps)
			}
		}
	}
	return table, most
}

// margin is how far below its ceiling a limiter aims, in dB: between two samples the gain moves too.
const margin = 0.03

// Limiter keeps true peaks (ITU-R BS.1770-5, annex 2, at sixteen places a sample) below a ceiling. One gain acts on all channels.
//
// It works in steps of eight samples, as Dynamics does. What a step may have at most is known three steps after it; the least of the look-ahead
// is held, let go of at the release, and averaged over the look-ahead, so that the gain is down, without a step, when the peak arrives.
type Limiter struct {
	Taken func(at int64, gainDB float64) // is told the gain of each step; nil where nobody asks

	ceiling func(at int64) float64
	ahead   int // steps of look-ahead
	up      float64
	delay   *Delay
	past    [][]float64 // of each channel: the samples that peaks are looked for in
	most    *tops       // the least that is allowed, turned round, as it is held
	held    float64     // dB, let go of
	window  []float64   // of what was held, to be averaged
	sum     int         // place in it
	ends    [2]float64
	steps   [][2]float64
	memory  int
}

// NewLimiter makes one. ahead and release are in ms; ceiling gives dBTP at a place.
func NewLimiter(rate float64, channels int, ahead, release float64, ceiling func(at int64) float64) *Limiter {
	m := max(1, int(math.Round(ahead*rate/1000/step)))
	p := &Limiter{ceiling: ceiling, ahead: m, up: math.Exp(-step / (max(release, 1e-3) / 1000 * rate)), delay: NewDelay(channels, step*(m+4)),
		past: make([][]float64, channels), most: newTops(m + 2), window: make([]float64, m)}
	for c := range p.past {
		p.past[c] = make([]float64, 2*peakHalf+step)
	}
	p.memory = p.Latency() + step*2*m + int(sinks*release/1000*rate)
	p.Reset()
	return p
}

// Process limits in place.
func (p *Limiter) Process(channels [][]float64, at int64) {
	n := len(channels[0])
	p.steps = p.steps[:0]
	for i := 0; i < n; {
		place := at + int64(i)
		count := min(step-int(place&(step-1)), n-i)
		if place&(step-1) == 0 {
			p.begin(place)
		}
		p.steps = append(p.steps, p.ends)
		for c, x := range channels {
			copy(p.past[c], p.past[c][count:])
			copy(p.past[c][len(p.past[c])-count:], x[i:i+count])
		}
		i += count
	}
	p.delay.Process(channels, at)
	for k, i := 0, 0; i < n; k++ {
		into := int((at + int64(i)) & (step - 1))
		count := min(step-into, n-i)
		if e := p.steps[k]; e != [2]float64{1, 1} {
			slope := (e[1] - e[0]) / step
			for _, x := range channels {
				for j := range count {
					x[i+j] *= e[0] + slope*float64(into+j+1)
				}
			}
		}
		i += count
	}
}

// begin takes up what the step that has become known may have at most, and goes on to the gain of the step that is heard next.
func (p *Limiter) begin(at int64) {
	allowed := 0.0
	ceiling := p.ceiling(at) - margin
	if peak := p.peak(Gain(ceiling)); peak > 0 {
		allowed = min(0, ceiling-DB(peak))
	}
	least := -p.most.push(-allowed)
	p.held = min(least, least+(p.held-least)*p.up)
	if p.held > -1e-9 {
		p.held = 0
	}
	p.window[p.sum] = p.held
	p.sum = (p.sum + 1) % len(p.window)
	mean := 0.0
	for _, v := range p.window {
		mean += v
	}
	mean /= float64(len(p.window))
	p.ends = [2]float64{p.ends[1], Gain(mean)}
	if p.Taken != nil {
		p.Taken(at-int64(p.Latency()), mean)
	}
}

// peak is the largest magnitude of a step, on its samples and between them; 0 where it can't reach what is allowed.
func (p *Limiter) peak(allowed float64) (most float64) {
	for _, x := range p.past {
		around := 0.0
		for _, v := range x {
			around = max(around, math.Abs(v))
		}
		if around*peakMost <= most || around*peakMost < allowed {
			continue
		}
		for i := range step {
			most = max(most, math.Abs(x[peakHalf-1+i]))
			near := x[i : i+2*peakHalf]
			for k := range peakTable {
				sum := 0.0
				for j, h := range &peakTable[k] {
					sum += h * near[j]
				}
				most = max(most, math.Abs(sum))
			}
		}
	}
	return most
}

// Latency is the look-ahead and what it takes to see a peak.
func (p *Limiter) Latency() int { return step * (p.ahead + 4) }

// Memory is until a gain of long before makes no difference of −140 dB.
func (p *Limiter) Memory() int { return p.memory }

// Reset forgets the past.
func (p *Limiter) Reset() {
	p.delay.Reset()
	p.most.reset()
	for _, x := range p.past {
		clear(x)
	}
	clear(p.window)
	p.held, p.sum, p.ends = 0, 0, [2]float64{1, 1}
}
