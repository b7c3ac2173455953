//go:build goexperiment.simd && amd64 && !plain

package dsp

import (
	"math"
	"simd/archsimd"
)

// Here the steps of dynamics are done eight at a time, or the eight samples of one, with the same operations in the same order as without vectors,
// so that the results are the same to the last bit.

type eight = archsimd.Float64x8

func load(x []float64) eight { return archsimd.LoadFloat64x8((*[step]float64)(x)) }

// pairsOf are the lanes of two vectors of eight of which each holds four, two or one value for each of some steps, brought next to each other.
var (
	evenPairs = [8]uint64{0, 1, 4, 5, 8, 9, 12, 13}
	oddPairs  = [8]uint64{2, 3, 6, 7, 10, 11, 14, 15}
)

// raiseSteps brings the levels of whole steps up, and gives how many it did.
func raiseSteps(levels, x []float64) (n int) {
	if !wide || len(x) < step*step {
		return 0
	}
	sign := archsimd.BroadcastUint64x8(1 << 63)
	even, odd := archsimd.LoadUint64x8(&evenPairs), archsimd.LoadUint64x8(&oddPairs)
	most := archsimd.BroadcastUint64x8(math.Float64bits(math.MaxFloat64))
	far := func(x []float64) archsimd.Uint64x8 { return load(x).AsUint64x8().AndNot(sign) }
	two := func(a, b archsimd.Uint64x8) archsimd.Uint64x8 {
		return a.InterleaveLoGrouped(b).Max(a.InterleaveHiGrouped(b))
	}
	four := func(a, b archsimd.Uint64x8) archsimd.Uint64x8 {
		return a.ConcatPermute(b, even).Max(a.ConcatPermute(b, odd))
	}
	for ; len(x) >= step*step && len(levels) >= step; n += step {
		a, b := two(far(x), far(x[8:])), two(far(x[16:]), far(x[24:]))
		c, d := two(far(x[32:]), far(x[40:])), two(far(x[48:]), far(x[56:]))
		all := four(four(a, b), four(c, d))
		all = all.Masked(all.LessEqual(most)) // what is no number is silent
		had := archsimd.LoadFloat64x8((*[step]float64)(levels)).AsUint64x8()
		had.Max(all).AsFloat64x8().Store((*[step]float64)(levels))
		x, levels = x[step*step:], levels[step:]
	}
	archsimd.ClearAVXUpperBits()
	return n
}

// factorsOfEight turns dB into factors, and gives how many it did.
func factorsOfEight(dst, dB []float64) (n int) {
	if !wide || len(dB) < step {
		return 0
	}
	all := archsimd.BroadcastFloat64x8
	one, half, bound, bias := all(1), all(1./2), all(1000), archsimd.BroadcastInt64x8(1023)
	perOctave, whole, ln2 := all(perOctave), all(whole), all(math.Ln2)
	a3, a4, a5, a6, a7, a8 := all(1./6), all(1./24), all(1./120), all(1./720), all(1./5040), all(1./40320)
	for ; len(dB) >= step && len(dst) >= step; n += step {
		t := load(dB).Mul(perOctave)
		if t.Less(bound).And(t.Greater(all(0).Sub(bound))).ToBits() != 1<<step-1 {
			break
		}
		k := t.Add(whole).Sub(whole)
		x := t.Sub(k).Mul(ln2)
		x2 := x.Mul(x)
		x4 := x2.Mul(x2)
		low := one.Add(x).Add(x2.Mul(half.Add(x.Mul(a3))))
		high := a4.Add(x.Mul(a5)).Add(x2.Mul(a6.Add(x.Mul(a7)))).Add(x4.Mul(a8))
		power := k.ConvertToInt64().Add(bias).ShiftAllLeft(52).AsFloat64x8()
		low.Add(x4.Mul(high)).Mul(power).Store((*[step]float64)(dst))
		dst, dB = dst[step:], dB[step:]
	}
	archsimd.ClearAVXUpperBits()
	return n
}

// rampSteps multiplies whole steps by what goes from one end to the next, and gives how many it did.
func rampSteps(x, ends []float64) (n int) {
	if !wide {
		return 0
	}
	in, eighth := load(along[:]), archsimd.BroadcastFloat64x8(1./step)
	for ; len(x) >= step && len(ends) >= 2; n++ {
		from, to := archsimd.BroadcastFloat64x8(ends[0]), archsimd.BroadcastFloat64x8(ends[1])
		gain := from.Add(to.Sub(from).Mul(eighth).Mul(in))
		load(x).Mul(gain).Store((*[step]float64)(x))
		x, ends = x[step:], ends[1:]
	}
	archsimd.ClearAVXUpperBits()
	return n
}
