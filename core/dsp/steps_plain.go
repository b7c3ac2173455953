//go:build !goexperiment.simd || !amd64 || plain

package dsp

// How many of the steps are done here: none.

func raiseSteps(_, _ []float64) int { return 0 }

func factorsOfEight(_, _ []float64) int { return 0 }

func rampSteps(_, _ []float64) int { return 0 }
