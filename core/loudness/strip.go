package loudness

import "math"

// lanes is how many channels a strip measures side by side. What is done to one sample of a channel waits for what was
// done to the one before, so channels, which do not wait for each other, are what vector instructions work on.
const lanes = 8

// eight holds a value of each lane. What is read between the samples is worked out in half the bits, twice as fast: it tells
// where the true peak may lie, which is then worked out in full, and moves the programme meters.
type (
	eight      [lanes]float64
	eightShort [lanes]float32
)

// Oversampling by the short filter, by which the programme meter reads between the samples, and which tells where the true
// peak may lie: flat within 0.1 dB to 0.4 fs.
const (
	quickTaps   = 12 // of each phase
	quickFactor = 4  // values for each sample
)

// quick holds the taps of the short filter, folded: the phase at half a sample is symmetric, and those at a quarter and at
// three quarters are mirror images, so that they share their even and odd parts.
type quick struct{ half, even, odd [quickTaps / 2]float32 }

func newQuick() *quick {
	q := &quick{}
	quarter, half := phase(quickTaps, 5, 0.25), phase(quickTaps, 5, 0.5)
	for j := range quickTaps / 2 {
		a, b := quarter[j], quarter[quickTaps-1-j]
		q.half[j], q.even[j], q.odd[j] = float32(half[j]), float32((a+b)/2), float32((a-b)/2)
	}
	return q
}

// Ballistics are how a programme meter of IEC 60268-10 moves: two charging circuits, one slow and one fast, whose mean meets the standard's
// table of tone-burst readings, and how it falls back. The charging times, in seconds of full rectified input, were fitted to that table.
type Ballistics struct {
	Slow, Fast          float64 // s
	Sine                float64 // a sine charges the circuits to less than its peak; this makes a steady one read its peak value
	FallDB, FallSeconds float64
}

var (
	// TypeII reads bursts of 10 ms at −2.5 dB, of 5 ms at −4 dB and of 1.5 ms at −9 dB, and falls by 24 dB in 2.8 s.
	TypeII = Ballistics{0.0060, 0.0010, quasiSine, 24, 2.8}
	// TypeI reads bursts of 10 ms at −1 dB, of 5 ms at −2 dB, of 3 ms at −4 dB and of 0.4 ms at −15 dB, and falls by 20 dB in 1.7 s.
	TypeI = Ballistics{0.0020, 0.0010, 1.0223, 20, 1.7}
)

const quasiSine = 1.02958

// quasi is a programme meter of up to eight channels.
//
// From one sample to the next a circuit at a falls to fall·a, and each of the values between rises it by charge·(x − fall·a) where it
// is above that.
type quasi struct {
	fall       float32
	charge     [2]float32
	slow, fast eightShort
	highest    eightShort // sum of both circuits
}

func newQuasi(sampleRate int, b Ballistics) quasi {
	fs := float64(sampleRate)
	q := quasi{fall: float32(math.Pow(10, -b.FallDB/20/b.FallSeconds/fs))}
	for i, seconds := range []float64{b.Slow, b.Fast} {
		q.charge[i] = float32((1 - math.Exp(-1/(fs*seconds))) / quickFactor)
	}
	return q
}

// dBFS turns a sum of both circuits into dBFS, for which a steady sine reads its peak.
func (b Ballistics) dBFS(sum float64) float64 { return 20 * math.Log10(sum/2*b.Sine) }

// weighting is K-weighting, with the power before and after it.
type weighting struct {
	shelf, pass biquad
	z           [2][2]eight // of both filters
	sum         eight       // of what comes out of them
	power       eight       // of what goes in
	crest       eight       // the largest sample that went in
}

// strip measures up to eight channels.
type strip struct {
	channels int
	quick    *quick
	long     *interpolator
	quasi    quasi
	weighted weighting
	peak     eight // true peak, where it lies between samples
	// margin is how far, as a factor, the quick look may lie below the true peak of a stretch: 2.6 dB. It does where all
	// is close to half the rate, which the short filter lets through only in part.
	margin float64
	// window holds the last phaseTaps−1 samples of each lane, then the new ones: frames × lanes, interleaved.
	window []float64
	short  []float32 // the same in half the bits, as long
	alone  []float64 // one lane of the window
	near   []float64 // exact values of a stretch
}

func newStrip(sampleRate, channels int, long *interpolator, short *quick) *strip {
	s := &strip{channels: channels, quick: short, long: long, quasi: newQuasi(sampleRate, TypeII), margin: 1.35}
	k := kWeighting(sampleRate)
	s.weighted.shelf, s.weighted.pass = k[0], k[1]
	s.window = make([]float64, (phaseTaps-1+peakStretch)*lanes)
	s.short = make([]float32, (phaseTaps-1+peakStretch)*lanes)
	s.alone = make([]float64, phaseTaps-1+peakStretch)
	return s
}

// write measures the next n ≤ peakStretch samples of each channel, of which from is the first in the block, and gives the true
// peak of each: worked out in full where it may be a new one or above full, else as the short filter sees it.
func (s *strip) write(block [][]float64, from, n int, full float64) (peaks eight) {
	const keep = (phaseTaps - 1) * lanes
	spread(s.window[keep:], block, from, n)
	shorten(s.short[keep:], s.window[keep:keep+n*lanes])
	// The values of this stretch lie in the middle of the window, where the longer filter's do.
	const skip = (phaseTaps - quickTaps) / 2 * lanes
	about := between(s.short[skip:], n, s.quick, &s.quasi)
	for c := range s.channels {
		peaks[c] = float64(about[c])
		if may := s.margin * peaks[c]; may > s.peak[c] || may > full {
			for i := range n + phaseTaps - 1 {
				s.alone[i] = s.window[i*lanes+c]
			}
			peaks[c] = s.exact(s.alone[:n+phaseTaps-1], min(s.peak[c], peaks[c]))
			s.peak[c] = max(s.peak[c], peaks[c])
		}
	}
	return peaks
}

// reset forgets all.
func (s *strip) reset() {
	clear(s.window)
	clear(s.short)
	s.peak = eight{}
	s.quasi.slow, s.quasi.fast, s.quasi.highest = eightShort{}, eightShort{}, eightShort{}
	s.weighted = weighting{shelf: s.weighted.shelf, pass: s.weighted.pass}
}

// spread interleaves n frames of up to eight channels.
func spread[T float32 | float64](dst []T, block [][]float64, from, n int) {
	dst = dst[:n*lanes]
	for c, samples := range block {
		for i, x := range samples[from : from+n] {
			dst[i*lanes+c] = T(x)
		}
	}
}

// shift makes room for the samples after the n that were written.
func (s *strip) shift(n int) {
	copy(s.window, s.window[n*lanes:(n+phaseTaps-1)*lanes])
	copy(s.short, s.short[n*lanes:(n+phaseTaps-1)*lanes])
}

// weigh adds to the weighted power of samples from..to of those that were written last.
func (s *strip) weigh(from, to int) {
	const keep = phaseTaps - 1
	weigh(s.window[(keep+from)*lanes:(keep+to)*lanes], &s.weighted)
}

// flush lets the filters' tail out after the last sample.
func (s *strip) flush() {
	silence := make([][]float64, s.channels)
	for c := range silence {
		silence[c] = make([]float64, phaseTaps)
	}
	s.write(silence, 0, phaseTaps, math.Inf(1))
	s.shift(phaseTaps)
}

// exact gives the true peak of a stretch of one channel, or least where it is lower. Between values the crest is that of the parabola through three of
// them: a tone near half the rate has few values around its crest even at four times the rate.
func (s *strip) exact(w []float64, least float64) float64 {
	factor := len(s.long.phases) + 1
	n := len(w) - phaseTaps + 1
	if need := factor*n + 1; cap(s.near) < need {
		s.near = make([]float64, need)
	}
	near := s.near[:factor*n+1]
	for i := range n {
		near[factor*i] = w[i+phaseTaps/2-1]
	}
	var one [peakStretch]float64
	for p := range s.long.phases {
		convolve(one[:n], w, &s.long.phases[p])
		for i, v := range one[:n] {
			near[factor*i+p+1] = v
		}
	}
	near[factor*n] = w[n+phaseTaps/2-1]
	peak := least
	for i, v := range near {
		m := math.Abs(v)
		if m*1.25 <= peak { // no crest is higher: with a and b within ±m, (a−b)²/8 over the bend is at most m/4
			continue
		}
		if i > 0 && i < len(near)-1 {
			a, b := near[i-1]*sign(v), near[i+1]*sign(v)
			if bend := a - 2*m + b; bend < 0 && m >= a && m >= b {
				m -= (a - b) * (a - b) / (8 * bend)
			}
		}
		peak = max(peak, m)
	}
	return peak
}

func sign(x float64) float64 {
	if x < 0 {
		return -1
	}
	return 1
}
