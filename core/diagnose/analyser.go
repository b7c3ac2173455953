package diagnose

import (
	"math"
	"sync"

	"zestyloom/core/chain"
)

// Kind of a finding.
type Kind string

const (
	Empty    Kind = "empty"    // figure: loudest 100 ms, dBFS
	Copy     Kind = "copy"     // figure: what is left of it without the other channel, dB
	Polarity Kind = "polarity" // a copy with polarity turned; figure as for Copy
	Mix      Kind = "mix"      // figure: what is left of it without the others, dB
	Low      Kind = "low"      // figure: loudest 100 ms, dBFS
	Clipped  Kind = "clipped"  // figure: runs of full-scale samples
	Hum      Kind = "hum"      // figure: level of the hum, dBFS
	Dropout  Kind = "dropout"  // figure: how many
	Click    Kind = "click"    // figure: how many
	Topped   Kind = "topped"   // tops cut off below full scale; figure: at which level, dBFS
	DC       Kind = "dc"       // figure: the offset, dBFS
	Rumble   Kind = "rumble"   // figure: how loud what lies below speech is in three seconds of four, dBFS
	NoPair   Kind = "noPair"   // read as left and right, by names that are those of no pair
)

// Finding is something about one channel.
type Finding struct {
	Kind    Kind    `json:"kind"`
	With    []int   `json:"with"` // other channels, from 1; empty where there are none
	Figure  float64 `json:"figure"`
	At      *int64  `json:"at,omitempty"` // the first sample of it; nil for what is everywhere
	Hz      float64 `json:"hz,omitempty"` // of a hum
	Message string  `json:"message"`
	// Remedy is what Against says, for who shows it.
	Remedy []chain.Step `json:"remedy,omitempty"`
}

// Channel is what was found on one channel. Levels are nil for digital silence; RMS is relative to a full-scale square
// wave.
type Channel struct {
	Index    int       `json:"index"` // from 1
	Name     string    `json:"name"`
	PeakDBFS *float64  `json:"peakDBFS"`
	RMSDBFS  *float64  `json:"rmsDBFS"`
	Findings []Finding `json:"findings"`
}

// The thresholds, in dBFS unless said otherwise.
const (
	emptyBelow    = -62 // loudest 100 ms of an open input
	lowBelow      = -42 // loudest 100 ms of a channel recorded too low
	dcAbove       = -60 // |mean|
	copyBelow     = -40 // dB: residual of a copy, against the channel
	mixBelow      = -20 // dB: residual of a mix, against the channel
	mostCompared  = 64  // channels among which sums are looked for
	mixShare      = -30 // dB: what a channel must contribute to be named
	fullScale     = 0.99996
	clippedRun    = 3     // samples at full scale
	aroundDropout = -50.0 // RMS before and after, that makes it lie inside signal
	maxDropoutSec = 0.5
	minDropout    = 32 // samples of exact zero
)

// Analyser takes blocks and gives findings at the end.
type Analyser struct {
	rate     int
	names    []string
	channels []tally
	gram     [][]float64 // sums of products of each two channels
	frames   int64
	window   int // samples in 100 ms
}

// tally is what is counted of one channel as it goes by.
type tally struct {
	sum, power, peak float64
	windowPower      float64
	windowFilled     int
	loudest          float64 // power of the loudest 100 ms
	run              int     // full-scale samples in a row
	runSign          bool
	clipped          int64
	clippedAt        int64 // the first
	at               int64
	ear              *Ear
}

// New prepares for channels with these names.
func New(sampleRate int, names []string) *Analyser {
	a := &Analyser{rate: sampleRate, names: names, channels: make([]tally, len(names)), window: max(1, sampleRate/10)}
	a.gram = make([][]float64, len(names))
	for i := range a.gram {
		a.gram[i] = make([]float64, i+1)
		a.channels[i].ear = NewEar(sampleRate, minDropout)
	}
	return a
}

// Write takes the next block of all channels. Samples must be finite.
func (a *Analyser) Write(block [][]float64) {
	var all sync.WaitGroup
	for c := range a.channels {
		all.Go(func() { a.channels[c].write(block[c], a.window) })
	}
	// Products of all pairs cost the square of the width; above 8 channels every so many-th block stands for all.
	if stride := max(1, int64(len(block)*len(block)/64)); len(block[0]) > 0 && (a.frames/int64(len(block[0])))%stride == 0 {
		for i := range block {
			for j := range i + 1 {
				a.gram[i][j] += dot(block[i], block[j])
			}
		}
	}
	a.frames += int64(len(block[0]))
	all.Wait()
}

func dot(x, y []float64) float64 {
	var a, b, c, d float64
	y = y[:len(x)]
	i := 0
	for ; i+4 <= len(x); i += 4 {
		a += x[i] * y[i]
		b += x[i+1] * y[i+1]
		c += x[i+2] * y[i+2]
		d += x[i+3] * y[i+3]
	}
	for ; i < len(x); i++ {
		a += x[i] * y[i]
	}
	return (a + b) + (c + d)
}

func (t *tally) write(samples []float64, window int) {
	for i, x := range samples {
		magnitude := math.Abs(x)
		t.sum += x
		t.power += x * x
		t.peak = max(t.peak, magnitude)
		t.windowPower += x * x
		if t.windowFilled++; t.windowFilled == window {
			t.loudest = max(t.loudest, t.windowPower/float64(window))
			t.windowPower, t.windowFilled = 0, 0
		}
		if magnitude < fullScale {
			t.run = 0
			continue
		}
		if t.run > 0 && t.runSign != (x > 0) {
			t.run = 0
		}
		t.runSign = x > 0
		if t.run++; t.run == clippedRun {
			if t.clipped == 0 {
				t.clippedAt = t.at + int64(i) - clippedRun + 1
			}
			t.clipped++
		}
	}
	t.at += int64(len(samples))
	t.ear.Write(samples)
}

// humMeter compares, second by second, the mains' frequencies and their harmonics with what lies beside them.
type humMeter struct {
	rate    int // of buf
	buf     []float64
	sum     float64 // of the samples that become the next one in buf
	summed  int
	seconds int
	tones   [2]humTone // 50 and 60 Hz
	rumble  *rumbleMeter
}

type humTone struct {
	hz      float64
	present int     // seconds in which it stood out
	power   float64 // of the tones in those seconds
}

// humDecimation is how many samples are averaged into one before hum is looked for: what lies above some hundred Hz is
// of no interest, and what little of it folds down does not stand still at the mains' frequencies.
const humDecimation = 16

func newHumMeter(rate int) *humMeter {
	rate /= humDecimation
	return &humMeter{rate: rate, buf: make([]float64, 0, rate), tones: [2]humTone{{hz: 50}, {hz: 60}},
		rumble: newRumbleMeter(rate)}
}

func (h *humMeter) write(samples []float64) {
	for _, x := range samples {
		h.sum += x
		if h.summed++; h.summed < humDecimation {
			continue
		}
		h.buf = append(h.buf, h.sum/humDecimation)
		h.sum, h.summed = 0, 0
		if len(h.buf) == h.rate {
			h.second()
			h.buf = h.buf[:0]
		}
	}
}

// harmonics of the mains that are looked at, the fundamental first.
const harmonics = 4

// standsOut is how far above its neighbourhood a line of hum must be, as a ratio of powers (15 dB).
const standsOut = 32

func (h *humMeter) second() {
	h.seconds++
	h.rumble.second(h.buf)
	for i := range h.tones {
		t := &h.tones[i]
		lines, total := 0, 0.0
		for k := 1; k <= harmonics; k++ {
			at := t.hz * float64(k)
			line := goertzel(h.buf, h.rate, at)
			beside := (goertzel(h.buf, h.rate, at-7) + goertzel(h.buf, h.rate, at-4) + goertzel(h.buf, h.rate, at+4) + goertzel(h.buf, h.rate,
				at+7)) / 4
			if line > standsOut*beside && line > power(-75) {
				lines++
				total += line
			} else if k == 1 {
				break // hum without its fundamental or second harmonic is a note
			}
		}
		if lines >= 2 {
			t.present++
			t.power += total
		}
	}
}

// goertzel gives the power of a sine at hz in a second of samples, Hann-windowed, so that a sine of amplitude a gives
// a²/2.
func goertzel(samples []float64, rate int, hz float64) float64 {
	w := 2 * math.Pi * hz / float64(rate)
	coefficient := 2 * math.Cos(w)
	step := 2 * math.Pi / float64(len(samples))
	// The window's cosine comes from a recursion, as calling cos for each sample would cost more than the filter.
	c0, c1, twice := math.Cos(-step), 1.0, 2*math.Cos(step)
	var s1, s2 float64
	for _, x := range samples {
		s := x*(0.5-0.5*c1) + coefficient*s1 - s2
		s2, s1 = s1, s
		c0, c1 = c1, twice*c1-c0
	}
	magnitude := s1*s1 + s2*s2 - coefficient*s1*s2
	amplitude := 2 * math.Sqrt(max(0, magnitude)) / (float64(len(samples)) * 0.5)
	return amplitude * amplitude / 2
}

func power(dB float64) float64 { return math.Pow(10, dB/10) }

func decibels(power float64) float64 { return 10 * math.Log10(power) }
