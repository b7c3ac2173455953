package dsp

import (
	"math"
	"slices"
)

// Law is a static curve: what is done to a level, in dB, by level. Its knee is quadratic (D. Giannoulis, M. Massberg, J. Reiss, "Digital
// Dynamic Range Compressor Design", JAES 60/6, 2012, equation 4).
type Law struct {
	Threshold float64 // dBFS
	Ratio     float64 // input dB for an output dB above the threshold, or output dB for an input dB below it; from 1
	Knee      float64 // dB around the threshold over which the curve bends
	Below     bool    // it acts below the threshold: an expander
	Range     float64 // dB that it takes away at most; 0 for no limit
}

// Gate is the ratio of a law below its threshold that takes all of the range away at once.
const Gate = 1e9

// Gain is what the law adds to a level, in dB: 0 or less.
func (l Law) Gain(level float64) float64 {
	over, half := level-l.Threshold, l.Knee/2
	var g float64
	switch {
	case l.Below && over >= half, !l.Below && over <= -half:
		return 0
	case l.Below && over > -half:
		g = -(l.Ratio - 1) * (over - half) * (over - half) / (2 * l.Knee)
	case l.Below:
		g = (l.Ratio - 1) * over
	case over < half:
		g = (1/l.Ratio - 1) * (over + half) * (over + half) / (2 * l.Knee)
	default:
		g = (1/l.Ratio - 1) * over
	}
	if l.Range > 0 {
		g = max(g, -l.Range)
	}
	return g
}

// Ride is how a gain follows its law.
type Ride struct {
	Law
	Attack, Release float64 // ms to 1 − 1⁄e of a change in dB, towards the louder side of what goes on: attack is when the level rises
	Makeup          float64 // dB added at the end
}

// Detector is what of a signal is its level.
type Detector struct {
	// RMS is the mean square over a time constant of 10 ms, raised by 3.01 dB so that a sine has the same level as by its peak; else it
	// is the largest sample of the last 5 ms, so that a gain does not follow the wave itself.
	RMS  bool
	Hold float64 // ms that the largest level is kept for; from 5 where it is by peak
	// Of is what filters the key, as it is at each place; nil for none.
	Of func(channels int) *Filter
}

// Dynamics has a gain follow the level of a signal, or of a key. One detector, the loudest of all channels, drives all of them.
//
// It works in steps of eight samples, which lie at multiples of eight on the clock: the level of a step is known at its end, the gain is
// smoothed from step to step, and the sound, which is so much later, goes from one gain to the next in a straight line.
type Dynamics struct {
	Taken func(at int64, gainDB float64) // is told the gain of each step; nil where nobody asks

	rate     float64
	at       func(at int64) Ride
	moves    bool
	ride     Ride
	detector Detector
	ahead    int // samples that the sound is later by, for the look-ahead
	channels int
	key      [][]float64 // of the next block; nil for the signal itself
	filter   *Filter
	copied   [][]float64
	delay    *Delay
	fades    float64                // what is left of a mean square after a sample
	shelf    func(at int64) float64 // Hz, where only what lies above is turned down; nil where all is
	state    []held                 // of the shelf
	memory   int

	// The step that goes on.
	level      float64   // as far as it has been heard
	before     float64   // of the step that ended
	square     []float64 // of each channel
	tops       *tops
	gain       float64 // dB, as it is smoothed
	last, next float64 // factors at the ends of the step that is heard
	acts       float64 // power from which on something is done
	powered    float64 // power of the last step
	wants      float64 // dB that the law gives it
	up, down   float64 // what is left of a distance after a step

	// Of the steps of a block: their levels, which become the gains of those that begin in it, and the factors at their ends.
	levels, ends []float64
}

// step is how many samples a gain is worked out for at a time.
const step = 8

// rmsTime is the time constant of a mean square, in seconds.
const rmsTime = 0.010

// NewDynamics makes one for so many channels. ahead is the look-ahead in ms; at gives what it does at a place, which is the same everywhere
// unless it moves. slowest are the longest times it will have, in ms.
func NewDynamics(rate float64, channels int, d Detector, ahead float64, at func(at int64) Ride, moves bool, slowest Ride) *Dynamics {
	n := step * int(math.Round(ahead*rate/1000/step))
	p := &Dynamics{rate: rate, at: at, moves: moves, detector: d, ahead: n + step, channels: channels, delay: NewDelay(channels, n+step),
		square: make([]float64, channels), fades: math.Exp(-1 / (rmsTime * rate))}
	hold := d.Hold
	if !d.RMS {
		hold = max(5, hold)
	}
	p.tops = newTops(max(1, int(math.Ceil(hold*rate/1000/step))))
	if d.Of != nil {
		p.filter, p.copied = d.Of(channels), make([][]float64, channels)
		p.memory = p.filter.Memory()
	}
	p.memory += p.ahead + step*p.tops.most + int(sinks*max(slowest.Attack, slowest.Release)/1000*rate)
	if d.RMS {
		p.memory += int(sinks * rmsTime * rate)
	}
	p.ride = at(0)
	p.times()
	p.Reset()
	return p
}

// sinks is how many time constants it takes for a difference of 60 dB in gain to sink to 10⁻⁶ dB, which is −140 dB of the signal.
const sinks = 18

// Shelf has only what lies above a frequency be turned down, by a high shelf whose gain it is.
func (p *Dynamics) Shelf(frequency func(at int64) float64) {
	p.shelf, p.state = frequency, make([]held, p.channels)
	p.memory += FilterMemory([]Section{HighShelf(p.rate, min(frequency(0), p.rate*0.49), -20, shelfQ)})
	p.Reset()
}

// shelfQ is that of the shelf of a de-esser: as steep as it can be without a bump.
const shelfQ = math.Sqrt2 / 2

// Key has the next block be driven by another signal: channels × frames, as many as it will work on.
func (p *Dynamics) Key(channels [][]float64) { p.key = channels }

// times works out what is left of a distance after a step.
func (p *Dynamics) times() {
	p.acts = math.Pow(10, (p.ride.Threshold-p.ride.Knee/2)/10) * (1 - 1e-9)
	left := func(ms float64) float64 { return math.Exp(-step / (max(ms, 1e-3) / 1000 * p.rate)) }
	p.down, p.up = left(p.ride.Attack), left(p.ride.Release)
	if p.ride.Below {
		p.down, p.up = p.up, p.down
	}
}

// Process works in place. What can be done for all steps at once is: the gains alone wait for each other.
func (p *Dynamics) Process(channels [][]float64, at int64) {
	n := len(channels[0])
	if n == 0 {
		return
	}
	p.hear(p.listen(channels, at), n, at) // before the sound is put off in place, as the key may be the sound itself
	p.follow(at)
	p.delay.Process(channels, at)
	into := int(at & (step - 1))
	if p.shelf != nil {
		p.bend(channels, into, at)
		return
	}
	for _, x := range channels {
		ramps(x, p.ends, into)
	}
}

// listen gives what the level is taken of.
func (p *Dynamics) listen(channels [][]float64, at int64) [][]float64 {
	key := p.key
	if p.key = nil; key == nil {
		key = channels
	}
	if p.filter == nil {
		return key
	}
	for c := range p.copied {
		p.copied[c] = append(p.copied[c][:0], key[min(c, len(key)-1)]...)
	}
	p.filter.Process(p.copied, at)
	return p.copied
}

// hear finds the level of each step, as far as it lies in the block: the largest sample, or the largest mean square at its end.
func (p *Dynamics) hear(key [][]float64, n int, at int64) {
	into := int(at & (step - 1))
	count := (into + n + step - 1) / step
	p.before, p.levels = p.level, append(p.levels[:0], make([]float64, count)...)
	if !p.detector.RMS {
		for _, x := range key {
			raise(p.levels, x, into)
		}
		if into > 0 {
			p.levels[0] = max(p.levels[0], p.level)
		}
	} else {
		for c, square := range p.square {
			p.square[c] = p.squares(key[min(c, len(key)-1)], square, into)
		}
	}
	p.level = p.levels[count-1]
}

// squares follows the mean square of a channel, and gives what it is in the end.
func (p *Dynamics) squares(x []float64, square float64, into int) float64 {
	for k := 0; len(x) > 0; k++ {
		n := min(step-into, len(x))
		for _, v := range x[:n] {
			square = v*v + (square-v*v)*p.fades
		}
		square = rest(square)
		if square > p.levels[k] || square != square { // which none is larger than
			p.levels[k] = square
		}
		x, into = x[n:], 0
	}
	return square
}

// follow works out the gain of each step that begins in the block, and the factors between which all of them lie.
func (p *Dynamics) follow(at int64) {
	p.ends = append(p.ends[:0], p.last, p.next)
	ended := p.levels[:len(p.levels)-1] // before each step that begins
	if into := at & (step - 1); into != 0 {
		at += step - into
	} else {
		p.ends = append(p.ends[:0], p.next)
		copy(p.levels[1:], p.levels)
		p.levels[0], ended = p.before, p.levels
	}
	p.tops.hold(ended)
	p.smooth(ended, at)
	from, to := len(p.ends), len(p.ends)+len(ended)
	p.ends = slices.Grow(p.ends, len(ended))[:to]
	factors(p.ends[from:], ended)
	p.last, p.next = p.ends[to-2], p.ends[to-1]
}

// smooth turns the held level before each step into the gain that the step goes to, in dB.
func (p *Dynamics) smooth(levels []float64, at int64) {
	gain, wants, powered, moves, rms := p.gain, p.wants, p.powered, p.moves, p.detector.RMS
	for i, level := range levels {
		if moves {
			p.ride = p.at(at + int64(i)*step)
			p.times()
		}
		power := level * level // of a sine that large
		if rms {
			power = 2 * level
		}
		switch {
		case power == powered && !moves: // as it is while a peak is held
		case p.ride.Below || power >= p.acts:
			wants = p.ride.Law.Gain(10 * math.Log10(max(power, 1e-30)))
		default:
			wants = 0 // below that nothing is done, whatever the level is
		}
		powered = power
		if wants < gain {
			gain = wants + (gain-wants)*p.down
		} else {
			gain = wants + (gain-wants)*p.up
		}
		levels[i] = gain + p.ride.Makeup
		if p.Taken != nil {
			p.Taken(at+int64(i)*step-int64(p.ahead), gain)
		}
	}
	p.gain, p.wants, p.powered = gain, wants, powered
}

// raise brings the levels of steps up to the largest of the samples that lie in each, whatever its sign. into samples of the first have gone before. A
// step with a sample that is no number counts as silent.
func raise(levels, x []float64, into int) {
	if head := min((step-into)&(step-1), len(x)); head > 0 {
		levels[0] = max(levels[0], farthest(x[:head]))
		x, levels = x[head:], levels[1:]
	}
	n := raiseSteps(levels, x)
	for levels, x = levels[n:], x[n*step:]; len(x) > 0; levels = levels[1:] {
		count := min(step, len(x))
		levels[0] = max(levels[0], farthest(x[:count]))
		x = x[count:]
	}
}

// farthest is the largest of some samples, whatever its sign; 0 where that is no number. Without their signs, floats are in the order of their bits.
func farthest(x []float64) float64 {
	var a, b uint64
	for ; len(x) >= 2; x = x[2:] {
		a, b = max(a, math.Float64bits(x[0])&^(1<<63)), max(b, math.Float64bits(x[1])&^(1<<63))
	}
	if len(x) > 0 {
		a = max(a, math.Float64bits(x[0])&^(1<<63))
	}
	if v := math.Float64frombits(max(a, b)); v <= math.MaxFloat64 {
		return v
	}
	return 0
}

// factors is Gain of each, to 10⁻⁹ of it, which is −180 dB.
func factors(dst, dB []float64) {
	for i := factorsOfEight(dst, dB); i < len(dB); i++ {
		dst[i] = factor(dB[i])
	}
}

// factor is Gain in a fifth of the time: 2 to the nearest whole, times the series of the rest.
func factor(dB float64) float64 {
	t := dB * perOctave
	if !(t > -1000 && t < 1000) {
		return Gain(dB)
	}
	k := t + whole - whole
	x := (t - k) * math.Ln2
	x2 := x * x
	x4 := x2 * x2 // in pairs, which need not wait for each other
	e := ((1 + x) + x2*(1./2+x*(1./6))) + x4*(((1./24+x*(1./120))+x2*(1./720+x*(1./5040)))+x4*(1./40320))
	return e * math.Float64frombits(uint64(int64(k)+1023)<<52)
}

const (
	perOctave = math.Ln10 / (20 * math.Ln2) // octaves of a factor in a dB
	whole     = 3 << 51                     // in a sum with this number the last bit is worth 1
)

// along is how far each sample of a step is in it.
var along = func() (list [step]float64) {
	for j := range list {
		list[j] = float64(j + 1)
	}
	return list
}()

// ramps multiplies samples by what goes in straight lines from one end of each step to the next; into samples of the first have gone before.
func ramps(x, ends []float64, into int) {
	if into > 0 {
		n := min(step-into, len(x))
		ramp(x[:n], ends, into)
		x, ends = x[n:], ends[1:]
	}
	for k := rampSteps(x, ends); k*step < len(x); k++ {
		ramp(x[k*step:min((k+1)*step, len(x))], ends[k:], 0)
	}
}

func ramp(x, ends []float64, into int) {
	slope := (ends[1] - ends[0]) / step
	for i := range x {
		x[i] *= ends[0] + slope*along[into+i]
	}
}

// bend filters by a shelf that goes from one gain to the next over each step; into samples of the first have gone before.
func (p *Dynamics) bend(channels [][]float64, into int, at int64) {
	for i, k := 0, 0; i < len(channels[0]); k++ {
		count := min(step-into, len(channels[0])-i)
		p.bendStep(channels, i, count, into, [2]float64(p.ends[k:]), at+int64(i))
		i, into = i+count, 0
	}
}

func (p *Dynamics) bendStep(channels [][]float64, i, count, into int, ends [2]float64, at int64) {
	shelf := func(at int64, gain float64) Section {
		return HighShelf(p.rate, min(p.shelf(at), p.rate*0.49), DB(gain), shelfQ)
	}
	from, to := shelf(at-int64(into), ends[0]), shelf(at-int64(into)+step, ends[1])
	for c, x := range channels {
		p.state[c].glide(x[i:i+count], from, to, into, step)
	}
}

// Latency is the look-ahead and a step.
func (p *Dynamics) Latency() int { return p.ahead }

// Memory is until a gain of long before makes no difference of −140 dB.
func (p *Dynamics) Memory() int { return p.memory }

// Reset forgets the past: the gain is that of silence.
func (p *Dynamics) Reset() {
	p.delay.Reset()
	p.tops.reset()
	if p.filter != nil {
		p.filter.Reset()
	}
	clear(p.state)
	p.level, p.powered = 0, -1
	clear(p.square)
	p.gain = p.ride.Law.Gain(-300)
	p.next = factor(p.gain + p.ride.Makeup)
	p.last = p.next
}

// tops keeps the largest of the last so many values: of those since the last multiple of so many, and of those of before that are still looked at
// (M. van Herk, Pattern Recognition Letters 13/7, 1992).
type tops struct {
	most   int     // values that are looked at
	at     int     // values since the last multiple
	values []int64 // since then; and of before, the largest from each on
	since  int64
}

func newTops(most int) *tops {
	t := &tops{most: most, values: make([]int64, most+1)}
	t.reset()
	return t
}

// ordered turns the bits of floats into integers of the same order, which are compared without a jump, and back.
func ordered(b int64) int64 { return b ^ (b >> 63 & math.MaxInt64) }

// hold turns each value into the largest of the last so many.
func (t *tops) hold(x []float64) {
	at, since, values := t.at, t.since, t.values
	for i, v := range x {
		k := ordered(int64(math.Float64bits(v)))
		values[at] = k
		since = max(since, k)
		at++
		most := max(since, values[at])
		if at == t.most {
			for i := at - 2; i >= 0; i-- {
				values[i] = max(values[i], values[i+1])
			}
			at, since = 0, math.MinInt64
		}
		x[i] = math.Float64frombits(uint64(ordered(most)))
	}
	t.at, t.since = at, since
}

// push is hold of a single value.
func (t *tops) push(v float64) float64 {
	x := [1]float64{v}
	t.hold(x[:])
	return x[0]
}

func (t *tops) reset() {
	for i := range t.values {
		t.values[i] = math.MinInt64
	}
	t.at, t.since = 0, math.MinInt64
}
