package loudness

import "math"

const (
	floorLUFS = -70.0 // the absolute gate
	ceilLUFS  = 40.0
	binsPerLU = 100
)

// histogram keeps block powers in bins of 0.01 LU with their exact sums, which holds memory still over any length.
// Means are exact but for the one bin that a gate cuts; percentiles are good to a bin.
type histogram struct {
	count [int((ceilLUFS - floorLUFS) * binsPerLU)]int64
	power [int((ceilLUFS - floorLUFS) * binsPerLU)]float64
}

func binOf(lufs float64) int {
	return max(0, min(int((ceilLUFS-floorLUFS)*binsPerLU)-1, int(math.Floor((lufs-floorLUFS)*binsPerLU))))
}

// add takes a block that is above the absolute gate.
func (h *histogram) add(power float64) {
	if l := lufs(power); l > floorLUFS {
		i := binOf(l)
		h.count[i]++
		h.power[i] += power
	}
}

// mean gives the mean power and number of blocks at or above a gate.
func (h *histogram) mean(gate float64) (power float64, blocks int64) {
	for i := binOf(gate); i < len(h.count); i++ {
		blocks += h.count[i]
		power += h.power[i]
	}
	if blocks > 0 {
		power /= float64(blocks)
	}
	return power, blocks
}

// percentile gives the loudness below which share of the blocks at or above gate lie.
func (h *histogram) percentile(gate, share float64, blocks int64) float64 {
	// Tech 3342's reference reads element round((n−1)·share) of the sorted list.
	rank := int64(math.Round(float64(blocks-1) * share))
	for i := binOf(gate); i < len(h.count); i++ {
		if rank < h.count[i] {
			return lufs(h.power[i] / float64(h.count[i]))
		}
		rank -= h.count[i]
	}
	return ceilLUFS
}

func lufs(power float64) float64 { return -0.691 + 10*math.Log10(power) }
