//go:build goexperiment.simd && amd64 && !plain

package vec

import "simd/archsimd"

var vectors = archsimd.X86.AVX2()

// width is how many samples are worked on at a time: several vectors, so that they need not wait for each other.
const width = 16

type block = *[width]float64

func at(x block, i int) archsimd.Float64x4 { return archsimd.LoadFloat64x4((*[4]float64)(x[i:])) }

func add(dst, x []float64, gain float64) (n int) {
	if !vectors || len(x) < width {
		return 0
	}
	g := archsimd.BroadcastFloat64x4(gain)
	for ; len(x) >= width && len(dst) >= width; n += width {
		d, v := block(dst), block(x)
		at(d, 0).Add(g.Mul(at(v, 0))).Store((*[4]float64)(d[0:]))
		at(d, 4).Add(g.Mul(at(v, 4))).Store((*[4]float64)(d[4:]))
		at(d, 8).Add(g.Mul(at(v, 8))).Store((*[4]float64)(d[8:]))
		at(d, 12).Add(g.Mul(at(v, 12))).Store((*[4]float64)(d[12:]))
		dst, x = dst[width:], x[width:]
	}
	archsimd.ClearAVXUpperBits() // else what follows, in older instructions, is slow
	return n
}

func addAlong(dst, x, along []float64, base, step float64) (n int) {
	if !vectors || len(x) < width {
		return 0
	}
	b, s := archsimd.BroadcastFloat64x4(base), archsimd.BroadcastFloat64x4(step)
	for ; len(x) >= width && len(dst) >= width && len(along) >= width; n += width {
		d, v, p := block(dst), block(x), block(along)
		at(d, 0).Add(b.Add(s.Mul(at(p, 0))).Mul(at(v, 0))).Store((*[4]float64)(d[0:]))
		at(d, 4).Add(b.Add(s.Mul(at(p, 4))).Mul(at(v, 4))).Store((*[4]float64)(d[4:]))
		at(d, 8).Add(b.Add(s.Mul(at(p, 8))).Mul(at(v, 8))).Store((*[4]float64)(d[8:]))
		at(d, 12).Add(b.Add(s.Mul(at(p, 12))).Mul(at(v, 12))).Store((*[4]float64)(d[12:]))
		dst, x, along = dst[width:], x[width:], along[width:]
	}
	archsimd.ClearAVXUpperBits()
	return n
}

func largest(x []float64) (most float64, n int) {
	if !vectors || len(x) < width {
		return 0, 0
	}
	o := archsimd.BroadcastFloat64x4(0)
	a, b, c, d, whole := o, o, o, o, o
	for ; len(x) >= width; n += width {
		v := block(x)
		// x − x is 0 of every number, and what is none stays in the sum: maxima lose it.
		whole = whole.Add(at(v, 0).Sub(at(v, 0)).Add(at(v, 4).Sub(at(v, 4)))).Add(at(v, 8).Sub(at(v, 8)).Add(at(v, 12).Sub(at(v, 12))))
		a, b = a.Max(at(v, 0)).Max(o.Sub(at(v, 0))), b.Max(at(v, 4)).Max(o.Sub(at(v, 4)))
		c, d = c.Max(at(v, 8)).Max(o.Sub(at(v, 8))), d.Max(at(v, 12)).Max(o.Sub(at(v, 12)))
		x = x[width:]
	}
	var four, none [4]float64
	a.Max(b).Max(c.Max(d)).Store(&four)
	whole.Store(&none)
	archsimd.ClearAVXUpperBits()
	if none != [4]float64{} {
		return 0, 0
	}
	return max(four[0], four[1], four[2], four[3]), n
}

func scale(x []float64, gain float64) (n int) {
	if !vectors || len(x) < width {
		return 0
	}
	g := archsimd.BroadcastFloat64x4(gain)
	for ; len(x) >= width; n += width {
		v := block(x)
		at(v, 0).Mul(g).Store((*[4]float64)(v[0:]))
		at(v, 4).Mul(g).Store((*[4]float64)(v[4:]))
		at(v, 8).Mul(g).Store((*[4]float64)(v[8:]))
		at(v, 12).Mul(g).Store((*[4]float64)(v[12:]))
		x = x[width:]
	}
	archsimd.ClearAVXUpperBits()
	return n
}

func mul(x, y []float64) (n int) {
	if !vectors || len(x) < width {
		return 0
	}
	for ; len(x) >= width && len(y) >= width; n += width {
		v, w := block(x), block(y)
		at(v, 0).Mul(at(w, 0)).Store((*[4]float64)(v[0:]))
		at(v, 4).Mul(at(w, 4)).Store((*[4]float64)(v[4:]))
		at(v, 8).Mul(at(w, 8)).Store((*[4]float64)(v[8:]))
		at(v, 12).Mul(at(w, 12)).Store((*[4]float64)(v[12:]))
		x, y = x[width:], y[width:]
	}
	archsimd.ClearAVXUpperBits()
	return n
}
