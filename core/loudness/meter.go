package loudness

import (
	"math"
	"runtime"
	"sync"
	"sync/atomic"

	"zestyloom/core/layout"
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

// Meter measures a stream of blocks.
type Meter struct {
	layout   layout.Layout
	channels []channel
	hop      int // samples in 10 ms, the step of all windows
	filled   int // samples of the present hop so far
	hops     int64
	recent   [shortHops]float64 // weighted power of the last hops, a ring
	gated    *histogram         // 400 ms blocks at 75 % overlap
	short    *histogram         // 3 s blocks
	momentaryMax,
	shortMax float64
	frames int64
	done   bool
}

type channel struct {
	weight  float64
	stages  [2]biquad
	hopSum  float64   // K-weighted power of the present hop
	hops    []float64 // of the hops that ended in the last block
	peak    float64
	power   float64 // of all samples, unweighted
	peaks   peaks
	measure bool
	strange int64
	mended  []float64
}

// NewMeter makes a meter with 4 times oversampling for true peak.
func NewMeter(sampleRate int, l layout.Layout) *Meter { return NewMeterAt(sampleRate, l, 4) }

// Windows in hops. Momentary loudness has 400 ms and short-term 3 s (EBU Tech 3341). Their maxima are taken at every hop;
// gates and range see blocks at every tenth, as BS.1770 and Tech 3342 have it.
const (
	momentaryHops = 40
	shortHops     = 300
	blockHops     = 10
)

// NewMeterAt makes a meter with another factor of oversampling for true peak: 4 or 8.
func NewMeterAt(sampleRate int, l layout.Layout, factor int) *Meter {
	m := &Meter{layout: l, hop: max(1, (sampleRate+50)/100), gated: &histogram{}, short: &histogram{}}
	ip := newInterpolator(factor)
	q := newQuick()
	for _, w := range l.Weights() {
		m.channels = append(m.channels, channel{weight: w, stages: kWeighting(sampleRate), peaks: newPeaks(sampleRate, ip, q), measure: w > 0})
	}
	return m
}

// together is how many samples a block must have, over all channels, for measuring its channels side by side to pay.
const together = 1 << 13

// Write takes the next block, as many channels as the layout has. The channels of a large block are measured side by
// side; the result is the same.
func (m *Meter) Write(block [][]float64) {
	n := len(block[0])
	m.frames += int64(n)
	if workers := min(runtime.GOMAXPROCS(0), len(m.channels)); workers > 1 && n*len(m.channels) >= together {
		var next atomic.Int64
		var wg sync.WaitGroup
		for range workers {
			wg.Go(func() {
				for c := next.Add(1) - 1; c < int64(len(m.channels)); c = next.Add(1) - 1 {
					m.channels[c].write(block[c], m.hop, m.filled)
				}
			})
		}
		wg.Wait()
	} else {
		for c := range m.channels {
			m.channels[c].write(block[c], m.hop, m.filled)
		}
	}
	ended := (m.filled + n) / m.hop
	for i := range ended {
		var power float64
		for c := range m.channels {
			if ch := &m.channels[c]; ch.measure {
				power += ch.weight * ch.hops[i] / float64(m.hop)
			}
		}
		m.endHop(power)
	}
	m.filled = (m.filled + n) % m.hop
}

// write measures the next samples of one channel. filled is how many of the present hop have come already; the sums of
// the hops that end are left in hops.
func (ch *channel) write(samples []float64, hop, filled int) {
	peak, power := ch.peak, ch.power
	for _, x := range samples {
		peak = max(peak, math.Abs(x))
		power += x * x
	}
	if power-power != 0 || peak-peak != 0 { // neither is a number
		samples = ch.mend(samples)
		peak, power = ch.peak, ch.power
		for _, x := range samples {
			peak = max(peak, math.Abs(x))
			power += x * x
		}
	}
	ch.peak, ch.power = peak, power
	ch.peaks.write(samples)
	ch.hops = ch.hops[:0]
	if !ch.measure {
		return
	}
	s0, s1, sum := ch.stages[0], ch.stages[1], ch.hopSum
	for len(samples) > 0 {
		n := min(len(samples), hop-filled)
		for _, x := range samples[:n] {
			y := s1.step(s0.step(x))
			sum += y * y
		}
		samples = samples[n:]
		if filled += n; filled == hop {
			ch.hops = append(ch.hops, sum)
			sum, filled = 0, 0
		}
	}
	ch.stages[0], ch.stages[1], ch.hopSum = s0, s1, sum
}

// mend counts what is no number, or so large that its power is none, and measures silence in its place.
func (ch *channel) mend(samples []float64) []float64 {
	ch.mended = append(ch.mended[:0], samples...)
	for i, x := range ch.mended {
		if !(math.Abs(x) < 1e100) {
			ch.mended[i] = 0
			ch.strange++
		}
	}
	return ch.mended
}

// endHop takes the weighted power of a hop of all channels.
func (m *Meter) endHop(power float64) {
	m.recent[m.hops%shortHops] = power
	m.hops++
	block := m.hops%blockHops == 0
	if m.hops >= momentaryHops {
		p := m.window(momentaryHops)
		m.momentaryMax = max(m.momentaryMax, p)
		if block {
			m.gated.add(p)
		}
	}
	if m.hops >= shortHops {
		p := m.window(shortHops)
		m.shortMax = max(m.shortMax, p)
		if block {
			m.short.add(p)
		}
	}
}

// window gives the mean power of the last hops.
func (m *Meter) window(hops int64) float64 {
	var sum float64
	for i := m.hops - hops; i < m.hops; i++ {
		sum += m.recent[i%shortHops]
	}
	return sum / float64(hops)
}

// Measurement ends the stream, if it has not ended, and gives what was found.
func (m *Meter) Measurement() Measurement {
	var out Measurement
	var truePeak, quasi float64
	for c := range m.channels {
		ch := &m.channels[c]
		if !m.done {
			ch.peaks.flush()
		}
		truePeak = max(truePeak, ch.peaks.peak)
		out.Unmeasured += ch.strange
		quasi = max(quasi, ch.peaks.quasi.highest)
		out.Channels = append(out.Channels, ChannelMeasurement{
			Index: c + 1, Label: m.layout.Labels[c], SamplePeakDBFS: decibels(ch.peak), TruePeakDBTP: decibels(ch.peaks.peak),
			RMSDBFS: decibels(math.Sqrt(ch.power / float64(max(1, m.frames)))),
		})
	}
	m.done = true
	out.TruePeakMaxDBTP = decibels(truePeak)
	if quasi > 0 {
		q := quasiPeak{highest: quasi}
		ppm := PPM(q.dBFS())
		out.PPMMax = &ppm
	}
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
