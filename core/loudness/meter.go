package loudness

import (
	"math"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"

	"zestyloom/core/layout"
	"zestyloom/core/vec"
)

// Measurement is what a Meter has found, in the form of the gauge verb. A value that does not exist (silence, or too
// short for its window) is nil.
type Measurement struct {
	IntegratedLUFS   *float64             `json:"integratedLUFS"`
	MomentaryMaxLUFS *float64             `json:"momentaryMaxLUFS"`
	ShortTermMaxLUFS *float64             `json:"shortTermMaxLUFS"`
	LoudnessRangeLU  *float64             `json:"loudnessRangeLU"`
	TruePeakMaxDBTP  *float64             `json:"truePeakMaxDBTP"`
	PPMMax           *float64             `json:"ppmMax"` // on the scale where PPM 4 is −18 dBFS and a division 4 dB
	Channels         []ChannelMeasurement `json:"channels"`
	// Unmeasured counts samples that are no numbers. Where there are any, nothing else that is said holds.
	Unmeasured int64 `json:"unmeasured,omitempty"`
}

// ChannelMeasurement is about one channel. RMS is relative to a full-scale square wave: a full-scale sine reads −3.01.
type ChannelMeasurement struct {
	Index          int      `json:"index"` // from 1
	Label          string   `json:"label"`
	SamplePeakDBFS *float64 `json:"samplePeakDBFS"`
	TruePeakDBTP   *float64 `json:"truePeakDBTP"`
	RMSDBFS        *float64 `json:"rmsDBFS"`
}

// Meter measures a stream of blocks as one programme.
type Meter struct{ bank *Bank }

// NewMeter makes a meter with 4 times oversampling for true peak.
func NewMeter(sampleRate int, l layout.Layout) *Meter { return NewMeterAt(sampleRate, l, 4) }

// NewMeterAt makes a meter with another factor of oversampling for true peak: 4 or 8.
func NewMeterAt(sampleRate int, l layout.Layout, factor int) *Meter {
	return &Meter{NewBank(sampleRate, factor, l)}
}

// Write takes the next block, as many channels as the layout has.
func (m *Meter) Write(block [][]float64) { m.bank.Write(block) }

// Measurement ends the stream, if it has not ended, and gives what was found.
func (m *Meter) Measurement() Measurement { return m.bank.Measurements()[0] }

// Bank measures several programmes that run together, whose channels it takes side by side, eight at a time.
type Bank struct {
	programmes []programme
	channels   []channel
	strips     []*strip
	hop        int // samples in 10 ms, the step of all windows
	filled     int // samples of the present hop so far
	frames     int64
	rate       int // Hz
	done       bool
	anchors    map[int]*anchor // by programme
}

// programme is channels that are one thing.
type programme struct {
	layout layout.Layout
	from   int // first of the bank's channels
	hops   int64
	recent [shortHops]float64             // weighted power of the last hops, a ring
	tens   [shortHops / blockHops]float64 // sums of each blockHops of them
	most   float64                        // sum of all of those but the oldest
	now    [2]float64                     // power of the momentary and of the short-term window that end with the last hop
	gated  *histogram                     // 400 ms blocks at 75 % overlap
	short  *histogram                     // 3 s blocks
	momentaryMax,
	shortMax float64
	momentaryAt, shortAt int64     // hops at the end of those windows
	run                  Run       // short-term power, at every tenth hop
	blocks               []float64 // powers of the 400 ms blocks that ended in the last Write
}

type channel struct {
	weight  float64
	hops    []float64 // K-weighted power of the hops that ended in the last block
	strange int64
	mended  []float64
}

// Windows in hops. Momentary loudness has 400 ms and short-term 3 s (EBU Tech 3341). Their maxima are taken at every hop;
// gates and range see blocks at every tenth, as BS.1770 and Tech 3342 have it.
const (
	momentaryHops = 40
	shortHops     = 300
	blockHops     = 10
)

// NewBank makes a meter for each layout, with a factor of oversampling for true peak: 4 or 8.
func NewBank(sampleRate, factor int, layouts ...layout.Layout) *Bank {
	b := &Bank{rate: sampleRate, hop: hopOf(sampleRate)}
	for _, l := range layouts {
		p := newProgramme(l)
		p.from = len(b.channels)
		b.programmes = append(b.programmes, p)
		for _, w := range l.Weights() {
			b.channels = append(b.channels, channel{weight: w})
		}
	}
	long, quick := newInterpolator(factor), newQuick()
	for at := 0; at < len(b.channels); at += lanes {
		b.strips = append(b.strips, newStrip(sampleRate, min(lanes, len(b.channels)-at), long, quick))
	}
	return b
}

// hopOf is how many samples 10 ms are.
func hopOf(sampleRate int) int { return max(1, (sampleRate+50)/100) }

// together is how many samples a block must have, over all channels, for measuring strips side by side to pay.
const together = 1 << 13

// Write takes the next block: the channels of all programmes, one after another. The strips of a large block are measured
// side by side; the result is the same.
func (b *Bank) Write(block [][]float64) {
	n := len(block[0])
	b.frames += int64(n)
	for c := range b.channels {
		block = b.channels[c].mend(block, c)
	}
	measure := func(i int) { b.measure(i, block[i*lanes:min((i+1)*lanes, len(block))]) }
	if workers := min(runtime.GOMAXPROCS(0), len(b.strips)); workers > 1 && n*len(b.channels) >= together {
		var next atomic.Int64
		var wg sync.WaitGroup
		for range workers {
			wg.Go(func() {
				for i := next.Add(1) - 1; i < int64(len(b.strips)); i = next.Add(1) - 1 {
					measure(int(i))
				}
			})
		}
		wg.Wait()
	} else {
		for i := range b.strips {
			measure(i)
		}
	}
	ended := (b.filled + n) / b.hop
	for p := range b.programmes {
		b.programmes[p].blocks = b.programmes[p].blocks[:0]
		for i := range ended {
			b.programmes[p].endHop(b.power(p, i))
		}
	}
	for p, a := range b.anchors {
		own, dialogue := b.programmes[p].blocks, b.programmes[a.dialogue].blocks
		for i := range own {
			a.add(own[i], dialogue[i])
		}
	}
	b.filled = (b.filled + n) % b.hop
}

// power gives the weighted power of a hop of a programme.
func (b *Bank) power(p, hop int) (power float64) {
	from := b.programmes[p].from
	for _, ch := range b.channels[from : from+len(b.programmes[p].layout.Labels)] {
		power += ch.weight * ch.hops[hop] / float64(b.hop)
	}
	return power
}

// measure writes a block to a strip and leaves the sums of the hops that end with its channels.
func (b *Bank) measure(at int, block [][]float64) {
	s, channels := b.strips[at], b.channels[at*lanes:][:len(block)]
	for c := range channels {
		channels[c].hops = channels[c].hops[:0]
	}
	filled, frames := b.filled, len(block[0])
	for from := 0; from < frames; from += peakStretch {
		n := min(peakStretch, frames-from)
		s.write(block, from, n, math.Inf(1))
		for i := 0; i < n; {
			to := min(n, i+b.hop-filled)
			s.weigh(i, to)
			filled += to - i
			if i = to; filled < b.hop {
				continue
			}
			for c := range channels {
				channels[c].hops = append(channels[c].hops, s.weighted.sum[c])
			}
			s.weighted.sum, filled = eight{}, 0
		}
		s.shift(n)
	}
}

// mend counts what of channel c is no number, or so large that its power is none, and puts silence in its place.
func (ch *channel) mend(block [][]float64, c int) [][]float64 {
	strange := func(x float64) bool { return !(math.Abs(x) < 1e100) }
	if !strange(vec.Largest(block[c])) {
		return block
	}
	ch.mended = append(ch.mended[:0], block[c]...)
	for i, x := range ch.mended {
		if strange(x) {
			ch.mended[i] = 0
			ch.strange++
		}
	}
	block = slices.Clone(block)
	block[c] = ch.mended
	return block
}

// endHop takes the weighted power of a hop of all channels.
func (m *programme) endHop(power float64) {
	m.recent[m.hops%shortHops] = power
	m.hops++
	block := m.hops%blockHops == 0
	if block {
		var sum float64
		for i := m.hops - blockHops; i < m.hops; i++ {
			sum += m.recent[i%shortHops]
		}
		m.tens[(m.hops/blockHops-1)%int64(len(m.tens))] = sum
		m.most = 0
		for i := int64(1); i < int64(len(m.tens)); i++ {
			m.most += m.tens[(m.hops/blockHops+i)%int64(len(m.tens))]
		}
	}
	if m.hops >= momentaryHops {
		p := m.window(momentaryHops)
		m.now[0] = p
		if p > m.momentaryMax {
			m.momentaryMax, m.momentaryAt = p, m.hops
		}
		if block {
			m.gated.add(p)
			m.blocks = append(m.blocks, p)
		}
	}
	if m.hops >= shortHops {
		p := m.short3()
		m.now[1] = p
		if p > m.shortMax {
			m.shortMax, m.shortAt = p, m.hops
		}
		if block {
			m.short.add(p)
			m.run.Add(p)
		}
	} else if block {
		m.run.Add(0)
	}
}

// short3 gives the mean power of the short-term window: what lies at its ends, and between them the sums of whole blocks.
func (m *programme) short3() float64 {
	sum := m.most
	into := m.hops % blockHops
	if into == 0 {
		return (sum + m.tens[m.hops/blockHops%int64(len(m.tens))]) / shortHops
	}
	for i := m.hops - into; i < m.hops; i++ {
		sum += m.recent[i%shortHops]
	}
	for i := m.hops - shortHops; i%blockHops != 0; i++ {
		sum += m.recent[i%shortHops]
	}
	return sum / shortHops
}

// window gives the mean power of the last hops.
func (m *programme) window(hops int64) float64 {
	var sum float64
	for i := m.hops - hops; i < m.hops; {
		if i%blockHops == 0 && i+blockHops <= m.hops {
			sum += m.tens[i/blockHops%int64(len(m.tens))]
			i += blockHops
			continue
		}
		sum += m.recent[i%shortHops]
		i++
	}
	return sum / float64(hops)
}

// Measurements ends the stream, if it has not ended, and gives what was found of each programme.
func (b *Bank) Measurements() []Measurement {
	if !b.done {
		for _, s := range b.strips {
			s.flush()
		}
	}
	b.done = true
	var all []Measurement
	for _, p := range b.programmes {
		out := p.measurement()
		var truePeak, quasi float64
		for i, label := range p.layout.Labels {
			at := p.from + i
			s, c := b.strips[at/lanes], at%lanes
			peak := max(s.peak[c], s.weighted.crest[c])
			truePeak, quasi = max(truePeak, peak), max(quasi, float64(s.quasi.highest[c]))
			out.Unmeasured += b.channels[at].strange
			out.Channels = append(out.Channels, ChannelMeasurement{
				Index: i + 1, Label: label, SamplePeakDBFS: decibels(s.weighted.crest[c]), TruePeakDBTP: decibels(peak),
				RMSDBFS: decibels(math.Sqrt(s.weighted.power[c] / float64(max(1, b.frames)))),
			})
		}
		out.TruePeakMaxDBTP = decibels(truePeak)
		out.PPMMax = ppmOf(quasi)
		all = append(all, out)
	}
	return all
}

// measurement gives what was found of all channels together.
func (m *programme) measurement() (out Measurement) {
	if m.momentaryMax > 0 {
		out.MomentaryMaxLUFS = finite(lufs(m.momentaryMax))
	}
	if m.shortMax > 0 {
		out.ShortTermMaxLUFS = finite(lufs(m.shortMax))
	}
	if p, n := m.gated.mean(floorLUFS); n > 0 {
		p, _ = m.gated.mean(lufs(p) - 10)
		out.IntegratedLUFS = finite(lufs(p))
	}
	if p, n := m.short.mean(floorLUFS); n > 0 {
		gate := lufs(p) - 20
		_, n = m.short.mean(gate)
		lra := m.short.percentile(gate, 0.95, n) - m.short.percentile(gate, 0.10, n)
		out.LoudnessRangeLU = &lra
	}
	return out
}

func decibels(x float64) *float64 {
	if x <= 0 {
		return nil
	}
	return finite(20 * math.Log10(x))
}

func finite(x float64) *float64 {
	if math.IsInf(x, 0) || math.IsNaN(x) {
		return nil
	}
	return &x
}
