package loudness

import "math"

// quickTaps are the taps of each phase of the quick oversampling: flat within 0.1 dB to 0.4 fs.
const quickTaps = 12

// quickFactor is how many values stand for a sample where the programme meter reads.
const quickFactor = 4

// quick is a short oversampling filter, by which the programme meter reads between the samples, and which tells where
// the true peak may lie.
type quick struct {
	taps [quickFactor - 1][quickTaps]float64
}

func newQuick() *quick {
	q := &quick{}
	for p := range q.taps {
		copy(q.taps[p][:], phase(quickTaps, 5, float64(p+1)/quickFactor))
	}
	return q
}

// write gives quickFactor values for each sample of w from its quickTaps−1st on; those of sample i lie between it and
// the one before quickTaps/2−1 more. It gives the largest magnitude among them.
func (q *quick) write(dst, w []float64) (largest float64) {
	n := len(w) - quickTaps + 1
	for i := range n {
		x := (*[quickTaps]float64)(w[i:])
		d := dst[quickFactor*i:][:quickFactor]
		d[0] = x[quickTaps/2-1]
		for p := range q.taps {
			t := &q.taps[p]
			var a, b, c float64
			for j := 0; j < quickTaps; j += 3 {
				a += t[j] * x[j]
				b += t[j+1] * x[j+1]
				c += t[j+2] * x[j+2]
			}
			d[p+1] = a + b + c
		}
		for _, v := range d {
			largest = max(largest, math.Abs(v))
		}
	}
	return largest
}
