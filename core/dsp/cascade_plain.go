//go:build !goexperiment.simd || !amd64 || plain

package dsp

// Without vectors, one section after another is as fast.
const vectors, wide = false, false

func pipe(_ []float64, _ *[2 * lane]Section, _ *[2 * lane]held, _ *[2 * lane]float64) {}

func pipeTwo(_ []float64, _ *[2 * lane]Section, _ *[2 * lane]held, _ *[2 * lane]float64) {}

func pipeHalves(_, _ []float64, _, _ *pass) {}
