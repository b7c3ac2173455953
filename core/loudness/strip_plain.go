package loudness

import "math"

// The work of a strip in plain Go: what is done where there are no vector instructions, and what those are held to. The
// order of operations is theirs, so that both give the same bits.

// betweenPlain gives quickFactor values for each of n samples and lane, which lie between sample quickTaps/2−1 of w and the
// next: their largest magnitudes, and what they do to the programme meters. w is frames × lanes, interleaved, n+quickTaps−1
// frames at least.
func betweenPlain(w []float32, n int, q *quick, m *quasi) (top eightShort) {
	for i := range n {
		x := (*[quickTaps * lanes]float32)(w[i*lanes:])
		for c := range lanes {
			var half, even, odd float32
			for j := range quickTaps / 2 {
				a, b := x[j*lanes+c], x[(quickTaps-1-j)*lanes+c]
				half += (a + b) * q.half[j]
				even += (a + b) * q.even[j]
				odd += (a - b) * q.odd[j]
			}
			v := [quickFactor]float32{x[(quickTaps/2-1)*lanes+c], even + odd, half, even - odd}
			for k := range v {
				v[k] = max(v[k], -v[k])
			}
			top[c] = max(top[c], max(v[0], v[1]), max(v[2], v[3]))
			for k, at := range []*float32{&m.slow[c], &m.fast[c]} {
				a := *at * m.fall
				rise := (max(v[0]-a, 0) + max(v[1]-a, 0)) + (max(v[2]-a, 0) + max(v[3]-a, 0))
				*at = a + rise*m.charge[k]
			}
			m.highest[c] = max(m.highest[c], m.slow[c]+m.fast[c])
		}
	}
	return top
}

// shortenPlain halves the bits.
func shortenPlain(dst []float32, x []float64) {
	for i, v := range x {
		dst[i] = float32(v)
	}
}

// weighPlain adds to the power of each lane of x, interleaved, and to that of it weighted.
func weighPlain(x []float64, k *weighting) {
	for len(x) >= lanes {
		for c, v := range x[:lanes] {
			k.power[c] += v * v
			k.crest[c] = max(k.crest[c], math.Abs(v))
			for s, f := range [...]*biquad{&k.shelf, &k.pass} {
				z := &k.z[s]
				y := f.b0*v + z[0][c]
				z[0][c] = f.b1*v - f.a1*y + z[1][c]
				z[1][c] = f.b2*v - f.a2*y
				v = y
			}
			k.sum[c] += v * v
		}
		x = x[lanes:]
	}
}

// convolvePlain gives as many values of a phase as dst holds, the first from the phaseTaps samples that w begins with. It
// adds in four chains, because one chain would wait for each addition before the next.
func convolvePlain(dst, w []float64, taps *[phaseTaps]float64) {
	for i := range dst {
		x := (*[phaseTaps]float64)(w[i:])
		var a, b, c, d float64
		for k := 0; k < phaseTaps; k += 4 {
			a += taps[k] * x[k]
			b += taps[k+1] * x[k+1]
			c += taps[k+2] * x[k+2]
			d += taps[k+3] * x[k+3]
		}
		dst[i] = (a + b) + (c + d)
	}
}
