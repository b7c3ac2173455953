package diagnose

import (
	"math"
	"slices"

	"zestyloom/core/dsp"
)

// A channel rumbles where what lies below all speech is loud by itself for most of the time, and in the pauses, as a voice comes and goes, louder
// than what lies above it: wind, traffic, an air duct. Both are asked of quarters of a second.
const (
	rumbleFrom, rumbleTo = 10, 40   // Hz; an offset is something else, and so is the mains' hum
	besideFrom, besideTo = 100, 600 // Hz
	rumbleAbove          = -55      // dBFS, three quarters of the time
	rumbleOver           = 6        // dB over what lies above it, a quarter of the time
	rumbleSeconds        = 4        // of sound, at least
)

// rumbleMeter keeps, of each quarter of a second, how loud what lies below speech is: over full scale, and over what lies above it. It counts levels, as
// memory must not grow with length.
type rumbleMeter struct {
	low, beside *dsp.Filter
	at          int64
	parts       int
	levels      [200]int // parts by dBFS below full scale
	over        [200]int // and by dB over what lies beside, from +100 down
}

func newRumbleMeter(rate int) *rumbleMeter {
	band := func(from, to float64) *dsp.Filter {
		r := float64(rate)
		return dsp.NewFilter(1, slices.Concat(dsp.Butterworth(r, from, 24, true), dsp.Butterworth(r, min(to, 0.45*r), 48, false)))
	}
	return &rumbleMeter{low: band(rumbleFrom, rumbleTo), beside: band(besideFrom, besideTo)}
}

// second takes a second of sound.
func (m *rumbleMeter) second(x []float64) {
	low, beside := [][]float64{slices.Clone(x)}, [][]float64{slices.Clone(x)}
	m.low.Process(low, m.at)
	m.beside.Process(beside, m.at)
	if m.at += int64(len(x)); m.at == int64(len(x)) {
		return // the filters come in during the first
	}
	for k := range 4 {
		of := func(x []float64) float64 {
			x = x[k*len(x)/4 : (k+1)*len(x)/4]
			return decibels(max(1e-20, dot(x, x)/float64(len(x))))
		}
		loud := of(low[0])
		m.parts++
		m.levels[slot(-loud)]++
		m.over[slot(100-(loud-of(beside[0])))]++
	}
}

func slot(v float64) int { return int(math.Max(0, math.Min(199, math.Round(v)))) }

// rumble gives how loud the channel rumbles, in dBFS (RMS), and whether it does.
func (m *rumbleMeter) rumble() (level float64, there bool) {
	if m.parts < 4*rumbleSeconds {
		return 0, false
	}
	// held gives the first slot in or below which are so many of the parts.
	held := func(counts []int, share float64) (k int) {
		for n := counts[0]; float64(n) < share*float64(m.parts); n += counts[k] {
			k++
		}
		return k
	}
	level = -float64(held(m.levels[:], 0.75))
	return level, level >= rumbleAbove && 100-held(m.over[:], 0.25) >= rumbleOver
}
