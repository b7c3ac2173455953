//go:build !goexperiment.simd || !amd64 || plain

package loudness

func between(w []float32, n int, q *quick, m *quasi) eightShort { return betweenPlain(w, n, q, m) }

func shorten(dst []float32, x []float64) { shortenPlain(dst, x) }

func weigh(x []float64, k *weighting) { weighPlain(x, k) }

func convolve(dst, w []float64, taps *[phaseTaps]float64) { convolvePlain(dst, w, taps) }
