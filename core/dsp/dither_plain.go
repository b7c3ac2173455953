//go:build !goexperiment.simd || !amd64 || plain

package dsp

// ditherEights dithers none here.
func ditherEights(_ []float64, _ uint64, _ int64, _ float64) int { return 0 }
