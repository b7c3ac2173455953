package desk

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"zestyloom/core/contract"
	"zestyloom/core/diagnose"
	"zestyloom/core/dsp"
)

// sketch is what is kept of a channel to tell whether the same channel at another rate is the same sound, whatever filter made the one
// of the other: of the mean of every hundredth of a second, which hardly anything above the lowest octaves is left in, sums with
// random signs. The difference of two such sums has, on average, the square of the energy of what the sounds differ in (Johnson and
// Lindenstrauss), so that few numbers stand for any length.
type sketch struct {
	length int // samples of a block
	sum    float64
	count  int
	block  uint64
	sums   [64]float64
	energy float64 // of the means
	high   *diagnose.Above
	frames int64
}

// mostApart is how much of the energy of a copy at another rate may be apart from what it is a copy of: a difference of 0.14 dB.
const mostApart = 2.5e-4

func (s *sketch) write(x []float64, rate int) {
	s.length = rate / 100
	s.frames += int64(len(x))
	if s.high == nil {
		s.high = diagnose.NewAbove(rate, everyRate)
	}
	s.high.Write(x)
	for _, v := range x {
		s.sum += v
		if s.count++; s.count < s.length {
			continue
		}
		mean, signs := s.sum/float64(s.length), scrambled(s.block)
		s.energy += mean * mean
		for i := range s.sums {
			if signs>>i&1 == 0 {
				s.sums[i] += mean
			} else {
				s.sums[i] -= mean
			}
		}
		s.sum, s.count = 0, 0
		s.block++
	}
}

// scrambled gives random bits for a number (the finalizer of SplitMix64, Steele, Lea and Flood 2014).
func scrambled(x uint64) uint64 {
	x += 0x9e3779b97f4a7c15
	x = (x ^ x>>30) * 0xbf58476d1ce4e5b9
	x = (x ^ x>>27) * 0x94d049bb133111eb
	return x ^ x>>31
}

// apart gives how much of the energy of the louder of two is in what they differ in.
func (s *sketch) apart(other *sketch) float64 {
	left := 0.0
	for i := range s.sums {
		left += (s.sums[i] - other.sums[i]) * (s.sums[i] - other.sums[i])
	}
	if louder := max(s.energy, other.energy); louder > 0 {
		return left / float64(len(s.sums)) / louder
	}
	return 0
}

// Levels are compared below a frequency that every rate has, in Hz, and may differ by so much, in dB.
const (
	everyRate  = 12000
	mostLouder = 0.2
)

// louder gives by how many dB it is louder than another, below what any rate may have lost.
func (s *sketch) louder(other *sketch) float64 { return 10 * math.Log10(s.level()/other.level()) }

// level is the power of a sample there; 0 where there is none.
func (s *sketch) level() float64 {
	if s.frames == 0 {
		return 0
	}
	return s.high.Below() / float64(s.frames)
}

// deep tells whether so much of the sound is low that the means tell of it: else levels alone can be compared.
func (s *sketch) deep() bool {
	return s.block > 0 && s.energy/float64(s.block) > 1e-5*s.level()
}

// copyOf is a group at a rate, as it was heard.
type copyOf struct {
	group *group
	rate  int
	span  string
}

// resampled holds groups that are there at several rates to the one at which they were first heard, which is held to all else.
func (c *checking) resampled() {
	first := map[string]copyOf{}
	for _, now := range c.heard {
		key := now.span + "/" + keyed(now.group.key)
		was, again := first[key]
		if !again {
			first[key] = now
			continue
		}
		if was.rate == now.rate || len(was.group.columns) != len(now.group.columns) {
			continue
		}
		apart, at, proven := 0.0, 0, true
		for i, col := range now.group.columns {
			if was.group.columns[i].peak <= dsp.Gain(strayAbove) && col.peak <= dsp.Gain(strayAbove) {
				continue // of what is silent there is only dither, which is never the same
			}
			before := &was.group.columns[i].sketch
			d, both := 0.0, col.sketch.deep() && before.deep()
			if both {
				d = col.sketch.apart(before)
			}
			if by := col.sketch.louder(before); !(math.Abs(by) <= mostLouder) { // also where one of the two is silent
				d = max(d, 1)
			}
			if d > apart {
				apart, at = d, i
			}
			proven = proven && both
		}
		f := contract.Finding{Rule: "copy-rate", Message: fmt.Sprintf("%s at %g kHz is the same as at %g kHz", now.group.Name, khz(now), khz(was)),
			Measured: decibels(apart), Limit: "at most " + decibels(mostApart)}
		if apart > mostApart {
			f.Message = fmt.Sprintf("%s at %g kHz is not the same as at %g kHz", now.group.Name, khz(now), khz(was))
		} else if proven && c.nulled[was.id()] {
			c.nulled[now.id()] = true // by way of the other
		}
		c.note(apart <= mostApart, on(f, now.group.columns[at]))
	}
}

func khz(c copyOf) float64 { return float64(c.rate) / 1000 }

// decibels writes how much of a sound is left.
func decibels(power float64) string {
	if power == 0 {
		return "nothing left"
	}
	return strings.Replace(fmt.Sprintf("%.1f dB left", 10*math.Log10(power)), "-", "−", 1)
}

func (c copyOf) id() string { return at(c.group.key, c.rate) }

// several tells whether files of a delivery are at several rates.
func several(list []*placed) bool {
	return slices.ContainsFunc(list, func(p *placed) bool { return rateOf(p.file) != rateOf(list[0].file) })
}
