package dsp

import (
	"math"

	"zestyloom/core/vec"
)

// Level multiplies all channels with a gain in dB, which may move: from one end of a stretch to the other it is linear in dB.
type Level struct {
	at    func(at int64) float64
	moves bool
}

// NewLevel makes one.
func NewLevel(at func(at int64) float64, moves bool) *Level { return &Level{at, moves} }

// Process multiplies in place.
func (p *Level) Process(channels [][]float64, at int64) {
	if !p.moves {
		gain := Gain(p.at(at))
		for _, x := range channels {
			vec.Scale(x, gain)
		}
		return
	}
	alongStretches(len(channels[0]), at, func(begin int64, i, count, into int) {
		from := p.at(begin)
		slope := (p.at(begin+stretchOf) - from) / stretchOf
		for j := range count {
			gain := Gain(from + slope*float64(into+j))
			for _, x := range channels {
				x[i+j] *= gain
			}
		}
	})
}

// alongStretches calls f for each part of a block of n frames from at on that lies in one stretch: its beginning, where it begins in the block,
// how many frames it has, and how many of the stretch have gone.
func alongStretches(n int, at int64, f func(begin int64, i, count, into int)) {
	for i := 0; i < n; {
		begin := stretch(at + int64(i))
		into := int(at + int64(i) - begin)
		count := min(n-i, stretchOf-into)
		f(begin, i, count, into)
		i += count
	}
}

// Latency is none.
func (p *Level) Latency() int { return 0 }

// Memory is none.
func (p *Level) Memory() int { return 0 }

// Reset does nothing.
func (p *Level) Reset() {}

// Polarity turns the sign of all channels round.
type Polarity struct{}

// Process turns in place.
func (Polarity) Process(channels [][]float64, _ int64) {
	for _, x := range channels {
		for i := range x {
			x[i] = -x[i]
		}
	}
}

// Latency is none.
func (Polarity) Latency() int { return 0 }

// Memory is none.
func (Polarity) Memory() int { return 0 }

// Reset does nothing.
func (Polarity) Reset() {}

// Width scales the difference of each pair: 0 is mono, 1 as it is, 2 twice as wide. The sum stays.
type Width struct {
	pairs [][2]int
	at    func(at int64) float64
}

// NewWidth makes one for pairs of channels.
func NewWidth(pairs [][2]int, at func(at int64) float64) *Width { return &Width{pairs, at} }

// Process widens in place.
func (p *Width) Process(channels [][]float64, at int64) {
	alongStretches(len(channels[0]), at, func(begin int64, i, count, into int) {
		from := p.at(begin)
		slope := (p.at(begin+stretchOf) - from) / stretchOf
		for _, pair := range p.pairs {
			left, right := channels[pair[0]][i:i+count], channels[pair[1]][i:i+count]
			for j := range left {
				mid, side := (left[j]+right[j])/2, (left[j]-right[j])/2*(from+slope*float64(into+j))
				left[j], right[j] = mid+side, mid-side
			}
		}
	})
}

// Latency is none.
func (p *Width) Latency() int { return 0 }

// Memory is none.
func (p *Width) Memory() int { return 0 }

// Reset does nothing.
func (p *Width) Reset() {}

// Later keeps all channels back by a number of samples that may move: from one end of a stretch to the other it is blended from the one place
// to the other. Unlike Delay it is heard: nothing makes up for it.
type Later struct {
	at   func(at int64) int
	most int
	past [][]float64
	work []float64
}

// NewLater makes one that keeps back by most at the most.
func NewLater(channels, most int, at func(at int64) int) *Later {
	p := &Later{at: at, most: most, past: make([][]float64, channels)}
	for c := range p.past {
		p.past[c] = make([]float64, most)
	}
	return p
}

// Process keeps back in place.
func (p *Later) Process(channels [][]float64, at int64) {
	for c, x := range channels {
		p.work = append(append(p.work[:0], p.past[c]...), x...)
		copy(p.past[c], p.work[len(x):])
		alongStretches(len(x), at, func(begin int64, i, count, into int) {
			from, to := min(p.most, max(0, p.at(begin))), min(p.most, max(0, p.at(begin+stretchOf)))
			a, b := p.work[p.most-from+i:], p.work[p.most-to+i:]
			for j := range count {
				t := float64(into+j) / stretchOf
				x[i+j] = a[j] + t*(b[j]-a[j])
			}
		})
	}
}

// Latency is none that would be made up for.
func (p *Later) Latency() int { return 0 }

// Memory is the most that it keeps back.
func (p *Later) Memory() int { return p.most }

// Reset empties it.
func (p *Later) Reset() {
	for _, x := range p.past {
		clear(x)
	}
}

// SpeedOfSound is in metres a second, in air of 20 °C.
const SpeedOfSound = 343.2

// Samples gives how many samples sound takes for metres.
func Samples(metres, rate float64) float64 { return math.Round(metres / SpeedOfSound * rate) }
