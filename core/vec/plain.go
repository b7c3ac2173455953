//go:build !goexperiment.simd || !amd64 || plain

package vec

// How much of the work is done here: none.

func add(_, _ []float64, _ float64) int { return 0 }

func addAlong(_, _, _ []float64, _, _ float64) int { return 0 }

func largest(_ []float64) (float64, int) { return 0, 0 }

func scale(_ []float64, _ float64) int { return 0 }

func mul(_, _ []float64) int { return 0 }
