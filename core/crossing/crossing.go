// Package crossing finds where sound can be cut without a click: where it passes through zero.
package crossing

import "math"

// Nearest gives the frame nearest to another at which channels can be cut together: what is to the left ends with the frame before it, what is to
// the right begins with it. channels is planar, all of one length, linear; at is a frame of them. It is where every channel passes through zero, or
// is zero on one side; where there is no such frame, it is where the loudest of the two samples beside the cut, over all channels, is softest.
// Of two that are as near the earlier is taken. What is shorter than two frames, and no channels at all, are cut at the place itself.
func Nearest(channels [][]float64, at int) int {
	if len(channels) == 0 || len(channels[0]) < 2 {
		return at
	}
	last := len(channels[0]) - 1
	at = min(max(at, 1), last)
	softest, least := at, math.Inf(1)
	for away := 0; away <= last; away++ {
		for _, n := range [2]int{at - away, at + away} {
			if n < 1 || n > last {
				continue
			}
			crosses, step := true, 0.0
			for _, x := range channels {
				a, b := x[n-1], x[n]
				crosses = crosses && (a <= 0 && b >= 0 || a >= 0 && b <= 0)
				step = max(step, math.Abs(a), math.Abs(b))
			}
			if crosses {
				return n
			}
			if step < least {
				softest, least = n, step
			}
		}
	}
	return softest
}
