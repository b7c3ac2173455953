//go:build goexperiment.simd && amd64 && !plain

package wave

import "simd/archsimd"

var wide = archsimd.X86.AVX512()

var (
	// fromThree are, of each half of 16 bytes, the four samples of three, each above a byte of nothing; toThree is the way back.
	fromThree = [32]int8{-1, 0, 1, 2, -1, 3, 4, 5, -1, 6, 7, 8, -1, 9, 10, 11, -1, 0, 1, 2, -1, 3, 4, 5, -1, 6, 7, 8, -1, 9, 10, 11}
	toThree   = [32]int8{0, 1, 2, 4, 5, 6, 8, 9, 10, 12, 13, 14, -1, -1, -1, -1, 0, 1, 2, 4, 5, 6, 8, 9, 10, 12, 13, 14, -1, -1, -1, -1}
)

// decodeEights decodes samples of 24 bits that follow each other, as long as there are eight and four bytes more, and gives how many it did.
func decodeEights(dst []float64, raw []byte) (n int) {
	if !wide {
		return 0
	}
	order, unit := archsimd.LoadInt8x32(&fromThree), archsimd.BroadcastFloat64x8(1.0/(1<<23))
	var both archsimd.Uint8x32
	for ; len(dst) >= 8 && len(raw) >= 28; n += 8 {
		both = both.SetLo(archsimd.LoadUint8x16((*[16]byte)(raw))).SetHi(archsimd.LoadUint8x16((*[16]byte)(raw[12:])))
		whole := both.PermuteOrZeroGrouped(order).AsInt32x8().ShiftAllRight(8)
		whole.ConvertToFloat64().Mul(unit).Store((*[8]float64)(dst))
		dst, raw = dst[8:], raw[24:]
	}
	archsimd.ClearAVXUpperBits()
	return n
}

// encodeEights encodes samples as 24 bits, eight at a time as long as none is to be limited, and gives how many it did.
func encodeEights(dst []byte, src []float64, step int) (n int) {
	if !wide {
		return 0
	}
	all := archsimd.BroadcastFloat64x8
	scale, whole, above, below := all(1<<23), all(3<<51), all(1<<23-0.5), all(-(1<<23)-0.5)
	order := archsimd.LoadInt8x32(&toThree)
	var out [8]int32
	for ; len(src) >= 8 && (step > 3 || len(dst) >= 28); n += 8 {
		v := archsimd.LoadFloat64x8((*[8]float64)(src)).Mul(scale)
		if v.Less(above).And(v.GreaterEqual(below)).ToBits() != 1<<8-1 {
			break
		}
		bits := v.Add(whole).AsInt64x8().TruncateToInt32()
		if src = src[8:]; step == 3 {
			packed := bits.AsUint8x32()
			packed = packed.PermuteOrZeroGrouped(order)
			packed.GetLo().Store((*[16]byte)(dst))
			packed.GetHi().Store((*[16]byte)(dst[12:]))
			dst = dst[24:]
			continue
		}
		bits.Store(&out)
		for i, b := range out {
			to := dst[i*step:]
			_ = to[2]
			to[0], to[1], to[2] = byte(b), byte(b>>8), byte(b>>16)
		}
		dst = dst[min(8*step, len(dst)):]
	}
	archsimd.ClearAVXUpperBits()
	return n
}
