//go:build !goexperiment.simd || !amd64 || plain

package loudness

func narrowed(do func()) { do() }
