//go:build goexperiment.simd && amd64 && !plain

package dsp

import "simd/archsimd"

var counting = [8]uint64{0, 1, 2, 3, 4, 5, 6, 7}

// ditherEights dithers eight samples at a time, and gives how many it did.
func ditherEights(samples []float64, key uint64, position int64, scale float64) (n int) {
	if !wide || len(samples) < 8 {
		return 0
	}
	all := archsimd.BroadcastUint64x8
	keys, places, low, unit := all(key), archsimd.LoadUint64x8(&counting), all(1<<32-1), archsimd.BroadcastFloat64x8(scale)
	gamma, first, second := all(mixGamma), all(mixFirst), all(mixSecond)
	for ; len(samples) >= 8; n += 8 {
		z := keys.Xor(all(uint64(position + int64(n))).Add(places)).Add(gamma)
		z = z.Xor(z.ShiftAllRight(30)).Mul(first)
		z = z.Xor(z.ShiftAllRight(27)).Mul(second)
		r := z.Xor(z.ShiftAllRight(31))
		noise := r.ShiftAllRight(32).Sub(r.And(low)).AsInt64x8().ConvertToFloat64()
		x := (*[8]float64)(samples)
		archsimd.LoadFloat64x8(x).Add(noise.Mul(unit)).Store(x)
		samples = samples[8:]
	}
	archsimd.ClearAVXUpperBits()
	return n
}
