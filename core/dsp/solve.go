package dsp

import "math"

// symmetric solves a·x = b for a positive definite matrix (n × n, row by row), by Cholesky's method, in place: x is in b. It is false where the
// matrix is not positive definite.
func symmetric(a, b []float64, n int) bool {
	for i := range n {
		for j := range i + 1 {
			sum := a[i*n+j]
			for k := range j {
				sum -= a[i*n+k] * a[j*n+k]
			}
			if i != j {
				a[i*n+j] = sum / a[j*n+j]
				continue
			}
			if sum <= 0 || math.IsNaN(sum) {
				return false
			}
			a[i*n+i] = math.Sqrt(sum)
		}
	}
	for i := range n {
		for k := range i {
			b[i] -= a[i*n+k] * b[k]
		}
		b[i] /= a[i*n+i]
	}
	for i := n - 1; i >= 0; i-- {
		for k := i + 1; k < n; k++ {
			b[i] -= a[k*n+i] * b[k]
		}
		b[i] /= a[i*n+i]
	}
	return true
}
