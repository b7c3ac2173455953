//go:build !goexperiment.simd || !amd64 || plain

package loudness

func between(w []float64, n int, q *quick, m *quasi) eight { return betweenPlain(w, n, q, m) }

func largest(w []float64) eight { return largestPlain(w) }

func weigh(x []float64, k *weighting) { weighPlain(x, k) }

func convolve(dst, w []float64, taps *[phaseTaps]float64) { convolvePlain(dst, w, taps) }
