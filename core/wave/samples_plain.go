//go:build !goexperiment.simd || !amd64 || plain

package wave

// How many samples are done here: none.

func decodeEights(_ []float64, _ []byte) int { return 0 }

func decodePairs(_ []float64, _ []byte) int { return 0 }

func stepEights(_ []int32, _ []float64) int { return 0 }

func packEights(_ []byte, _ []int32) int { return 0 }

func packPairs(_ []byte, _, _ []int32) int { return 0 }
