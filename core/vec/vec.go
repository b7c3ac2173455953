// Package vec does simple sums over samples, by vector instructions where there are any: with GOEXPERIMENT=simd, on a
// processor that has AVX2. Else, and for what is left over, plain Go does the same operations in the same order, so that the
// results are the same to the last bit. Begin reading at Add.
package vec

import "math"

// Add adds x, times a gain, to dst, which is as long.
func Add(dst, x []float64, gain float64) {
	n := add(dst, x, gain)
	dst = dst[:len(x)]
	for i := n; i < len(x); i++ {
		dst[i] += gain * x[i]
	}
}

// AddAlong adds x to dst, which is as long, at gains base + step·at, with at as long too.
func AddAlong(dst, x, at []float64, base, step float64) {
	n := addAlong(dst, x, at, base, step)
	dst, at = dst[:len(x)], at[:len(x)]
	for i := n; i < len(x); i++ {
		dst[i] += (base + step*at[i]) * x[i]
	}
}

// Largest gives the largest magnitude in x; what is not a number where there is any.
func Largest(x []float64) float64 {
	most, n := largest(x)
	for _, v := range x[n:] {
		most = max(most, math.Abs(v))
	}
	return most
}

// Scale multiplies x with a gain.
func Scale(x []float64, gain float64) {
	for i := scale(x, gain); i < len(x); i++ {
		x[i] *= gain
	}
}

// Mul multiplies x with y, which is as long.
func Mul(x, y []float64) {
	n := mul(x, y)
	y = y[:len(x)]
	for i := n; i < len(x); i++ {
		x[i] *= y[i]
	}
}
