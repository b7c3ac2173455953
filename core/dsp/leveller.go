package dsp

import "math"

// Leveller brings a signal towards a loudness, slowly, as a hand on a fader would. It works in hops of 100 ms on the clock: the power of each,
// weighted as it is asked to be; the mean over a window, by a raised cosine, of those hops that are above a gate; the gain from that to the
// target, and its mean over a second, linear in dB from hop to hop. Where nothing in the window is above the gate the gain goes back to 0 dB.
type Leveller struct {
	Taken func(at int64, gainDB float64) // is told the gain of each hop; nil where nobody asks

	at       func(at int64) Towards
	weighing *Filter
	hop      int64
	window   []float64 // weights of the hops before, the last first
	powers   []float64 // of the hops before, the last first
	wants    []float64 // gains that are averaged, the last first
	sums     []float64 // of squares in the hop that goes on, of each channel
	delay    *Delay
	copied   [][]float64
	ends     [2]float64
}

// Towards is what a leveller aims at.
type Towards struct {
	Target float64 // LUFS
	Range  float64 // dB up or down at most
	Gate   float64 // LUFS below which nothing counts
}

// levelAhead and levelSmooth are in hops: how far it looks ahead, and over how many gains the mean is taken.
const (
	levelAhead  = 10
	levelSmooth = 10
)

// NewLeveller makes one. weighing filters what is measured (K-weighting); window is in seconds.
func NewLeveller(rate float64, channels int, weighing []Section, window float64, at func(at int64) Towards) *Leveller {
	hops := max(1, int(math.Round(window*10)))
	p := &Leveller{at: at, weighing: NewFilter(channels, weighing), hop: int64(math.Round(rate / 10)), powers: make([]float64, hops),
		wants: make([]float64, levelSmooth), copied: make([][]float64, channels), sums: make([]float64, channels)}
	for k := range hops {
		p.window = append(p.window, 0.5-0.5*math.Cos(2*math.Pi*(float64(k)+0.5)/float64(hops)))
	}
	p.delay = NewDelay(channels, p.Latency())
	return p
}

// Process levels in place.
func (p *Leveller) Process(channels [][]float64, at int64) {
	n := len(channels[0])
	for c, x := range channels {
		p.copied[c] = append(p.copied[c][:0], x...)
	}
	p.weighing.Process(p.copied, at)
	p.delay.Process(channels, at)
	for i := 0; i < n; {
		into := (at + int64(i)) % p.hop
		if into < 0 {
			into += p.hop
		}
		count := int(min(int64(n-i), p.hop-into))
		if into == 0 {
			p.begin(at + int64(i))
		}
		for c, x := range p.copied {
			for _, v := range x[i : i+count] {
				p.sums[c] += v * v
			}
		}
		slope := (p.ends[1] - p.ends[0]) / float64(p.hop)
		for j := range count {
			gain := Gain(p.ends[0] + slope*float64(into+int64(j)))
			for _, x := range channels {
				x[i+j] *= gain
			}
		}
		i += count
	}
}

// begin takes the hop that has ended up.
func (p *Leveller) begin(at int64) {
	sum := 0.0
	for _, v := range p.sums {
		sum += v
	}
	clear(p.sums)
	shift(p.powers, sum/float64(p.hop))
	aim := p.at(at)
	gate := math.Pow(10, (aim.Gate+0.691)/10)
	power, weight := 0.0, 0.0
	for k, v := range p.powers {
		if v >= gate {
			power, weight = power+v*p.window[k], weight+p.window[k]
		}
	}
	want := 0.0
	if weight > 0 {
		want = max(-aim.Range, min(aim.Range, aim.Target-(10*math.Log10(power/weight)-0.691)))
	}
	shift(p.wants, want)
	mean := 0.0
	for _, v := range p.wants {
		mean += v
	}
	p.ends = [2]float64{p.ends[1], mean / levelSmooth}
	if p.Taken != nil {
		p.Taken(at-int64(p.Latency()), p.ends[1])
	}
}

func shift(list []float64, v float64) {
	copy(list[1:], list)
	list[0] = v
}

// Latency is a second, and the hop that is measured.
func (p *Leveller) Latency() int { return int(p.hop) * (levelAhead + 1) }

// Memory is the window and what is averaged.
func (p *Leveller) Memory() int {
	return int(p.hop)*(len(p.powers)+levelSmooth+2) + p.Latency() + p.weighing.Memory()
}

// Reset forgets the past.
func (p *Leveller) Reset() {
	p.weighing.Reset()
	p.delay.Reset()
	clear(p.powers)
	clear(p.wants)
	clear(p.sums)
	p.ends = [2]float64{}
}
