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

// pairsApart has the samples of every second channel, as decodePairs has them of each 16 bytes, follow each other.
var pairsApart = [16]uint32{0, 1, 4, 5, 8, 9, 12, 13, 2, 3, 6, 7, 10, 11, 14, 15}

// twoOfFour are, of each 16 bytes, the samples of the first channel of two frames of two.
var twoOfFour = func() (list [64]int8) {
	for i := range list {
		list[i] = [16]int8{-1, 0, 1, 2, -1, 6, 7, 8, -1, -1, -1, -1, -1, -1, -1, -1}[i%16]
	}
	return list
}()

// decodePairs decodes samples of 24 bits of the first of two channels, as long as there are eight frames and four bytes more, and gives how many.
func decodePairs(dst []float64, raw []byte) (n int) {
	if !wide {
		return 0
	}
	order, unit := archsimd.LoadInt8x64(&twoOfFour), archsimd.BroadcastFloat64x8(1.0/(1<<23))
	apart := archsimd.LoadUint32x16(&pairsApart)
	var low, high archsimd.Uint8x32
	var all archsimd.Uint8x64
	for ; len(dst) >= 8 && len(raw) >= 52; n += 8 {
		low = low.SetLo(archsimd.LoadUint8x16((*[16]byte)(raw))).SetHi(archsimd.LoadUint8x16((*[16]byte)(raw[12:])))
		high = high.SetLo(archsimd.LoadUint8x16((*[16]byte)(raw[24:]))).SetHi(archsimd.LoadUint8x16((*[16]byte)(raw[36:])))
		all = all.SetLo(low).SetHi(high)
		whole := all.PermuteOrZeroGrouped(order).AsInt32x16().Permute(apart).GetLo().ShiftAllRight(8)
		whole.ConvertToFloat64().Mul(unit).Store((*[8]float64)(dst))
		dst, raw = dst[8:], raw[min(48, len(raw)):]
	}
	archsimd.ClearAVXUpperBits()
	return n
}

// stepEights makes samples integers, eight at a time as long as none is to be limited, and gives how many.
func stepEights(dst []int32, src []float64) (n int) {
	if !wide || len(src) < 8 {
		return 0
	}
	all := archsimd.BroadcastFloat64x8
	scale, whole, above, below := all(1<<23), all(3<<51), all(1<<23-0.5), all(-(1<<23)-0.5)
	for ; len(src) >= 8 && len(dst) >= 8; n += 8 {
		v := archsimd.LoadFloat64x8((*[8]float64)(src)).Mul(scale)
		if v.Less(above).And(v.GreaterEqual(below)).ToBits() != 1<<8-1 {
			break
		}
		v.Add(whole).AsInt64x8().TruncateToInt32().Store((*[8]int32)(dst))
		src, dst = src[8:], dst[8:]
	}
	archsimd.ClearAVXUpperBits()
	return n
}

// packEights writes integers of 24 bits as they follow each other, as long as there are eight and room for four bytes more, and gives how many.
func packEights(dst []byte, whole []int32) (n int) {
	if !wide {
		return 0
	}
	order := archsimd.LoadInt8x32(&toThree)
	for ; len(whole) >= 8 && len(dst) >= 28; n += 8 {
		store24(dst, archsimd.LoadInt32x8((*[8]int32)(whole)), order)
		whole, dst = whole[8:], dst[24:]
	}
	archsimd.ClearAVXUpperBits()
	return n
}

// store24 writes eight integers; what it writes after them is overwritten by the next.
func store24(dst []byte, whole archsimd.Int32x8, order archsimd.Int8x32) {
	packed := whole.AsUint8x32().PermuteOrZeroGrouped(order)
	packed.GetLo().Store((*[16]byte)(dst))
	packed.GetHi().Store((*[16]byte)(dst[12:]))
}

// packPairs writes integers of two channels in turn, as packEights does.
func packPairs(dst []byte, a, b []int32) (n int) {
	if !wide {
		return 0
	}
	order := archsimd.LoadInt8x32(&toThree)
	for ; len(a) >= 8 && len(b) >= 8 && len(dst) >= 52; n += 8 {
		x, y := archsimd.LoadInt32x8((*[8]int32)(a)), archsimd.LoadInt32x8((*[8]int32)(b))
		low, high := x.InterleaveLoGrouped(y), x.InterleaveHiGrouped(y)
		store24(dst, low.Select128FromPair(0, 2, high), order)
		store24(dst[24:], low.Select128FromPair(1, 3, high), order)
		a, b, dst = a[8:], b[8:], dst[48:]
	}
	archsimd.ClearAVXUpperBits()
	return n
}
