//go:build goexperiment.simd && amd64 && !plain

package loudness

// narrowed does something without vectors of 512 bits.
func narrowed(do func()) {
	was := wide
	wide = false
	defer func() { wide = was }()
	do()
}
