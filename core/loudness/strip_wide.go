//go:build goexperiment.simd && amd64 && !plain

package loudness

import "simd/archsimd"

// Where there are vectors of 512 bits, two frames are read between at a time, both circuits of the programme meter are charged
// together, and all lanes are weighted together. The operations on each value, and their order, stay the same.

var wide = archsimd.X86.AVX512()

type pair = archsimd.Float32x16

func pairs(x float32) pair { return archsimd.BroadcastFloat32x16(x) }

// two gives the values of two frames, one after the other.
func two(x []float32) pair { return archsimd.LoadFloat32x16((*[16]float32)(x)) }

// both gives the same values to both circuits.
func both(x row) pair { var p pair; return p.SetLo(x).SetHi(x) }

// betweenPairs does what between does for an even number of frames.
func betweenPairs(w []float32, n int, q *quick, m *quasi) (top eightShort) {
	var half, even, odd [quickTaps / 2]pair
	for j := range half {
		half[j], even[j], odd[j] = pairs(q.half[j]), pairs(q.even[j]), pairs(q.odd[j])
	}
	fall, charge := pairs(m.fall), rowsOf(rows(m.charge[0]), rows(m.charge[1]))
	at, highest := rowsOf(from(m.slow[:]), from(m.fast[:])), from(m.highest[:])
	o := pairs(0)
	most := o
	for i := 0; i < n; i += 2 {
		x := (*[(quickTaps + 1) * lanes]float32)(w[i*lanes:])
		x0, x1, x2, x3, x4, x5 := two(x[0:]), two(x[8:]), two(x[16:]), two(x[24:]), two(x[32:]), two(x[40:])
		y0, y1, y2, y3, y4, y5 := two(x[88:]), two(x[80:]), two(x[72:]), two(x[64:]), two(x[56:]), two(x[48:])
		s0, s1, s2, s3, s4, s5 := x0.Add(y0), x1.Add(y1), x2.Add(y2), x3.Add(y3), x4.Add(y4), x5.Add(y5)
		h := o.Add(s0.Mul(half[0])).Add(s1.Mul(half[1])).Add(s2.Mul(half[2])).Add(s3.Mul(half[3])).Add(s4.Mul(half[4])).Add(s5.Mul(half[5]))
		e := o.Add(s0.Mul(even[0])).Add(s1.Mul(even[1])).Add(s2.Mul(even[2])).Add(s3.Mul(even[3])).Add(s4.Mul(even[4])).Add(s5.Mul(even[5]))
		d := o.Add(x0.Sub(y0).Mul(odd[0])).Add(x1.Sub(y1).Mul(odd[1])).Add(x2.Sub(y2).Mul(odd[2]))
		d = d.Add(x3.Sub(y3).Mul(odd[3])).Add(x4.Sub(y4).Mul(odd[4])).Add(x5.Sub(y5).Mul(odd[5]))
		v1, v3 := e.Add(d), e.Sub(d)
		v0, v1, v2, v3 := x5.Max(o.Sub(x5)), v1.Max(o.Sub(v1)), h.Max(o.Sub(h)), v3.Max(o.Sub(v3))
		most = most.Max(v0.Max(v1).Max(v2.Max(v3)))
		at = charged(at, both(v0.GetLo()), both(v1.GetLo()), both(v2.GetLo()), both(v3.GetLo()), fall, charge, o)
		highest = highest.Max(at.GetLo().Add(at.GetHi()))
		at = charged(at, both(v0.GetHi()), both(v1.GetHi()), both(v2.GetHi()), both(v3.GetHi()), fall, charge, o)
		highest = highest.Max(at.GetLo().Add(at.GetHi()))
	}
	at.GetLo().Store((*[8]float32)(&m.slow))
	at.GetHi().Store((*[8]float32)(&m.fast))
	highest.Store((*[8]float32)(&m.highest))
	most.GetLo().Max(most.GetHi()).Store((*[8]float32)(&top))
	archsimd.ClearAVXUpperBits()
	return top
}

func rowsOf(a, b row) pair { var p pair; return p.SetLo(a).SetHi(b) }

// charged gives what four values make of the circuits.
func charged(at, v0, v1, v2, v3, fall, charge, o pair) pair {
	a := at.Mul(fall)
	rise := v0.Sub(a).Max(o).Add(v1.Sub(a).Max(o)).Add(v2.Sub(a).Max(o).Add(v3.Sub(a).Max(o)))
	return a.Add(rise.Mul(charge))
}

func eightOf(x *eight) archsimd.Float64x8 { return archsimd.LoadFloat64x8((*[8]float64)(x)) }

// weighWide does what weigh does.
func weighWide(x []float64, k *weighting) {
	all := archsimd.BroadcastFloat64x8
	f, g := k.shelf, k.pass
	fb0, fb1, fb2, fa1, fa2 := all(f.b0), all(f.b1), all(f.b2), all(f.a1), all(f.a2)
	gb0, gb1, gb2, ga1, ga2 := all(g.b0), all(g.b1), all(g.b2), all(g.a1), all(g.a2)
	f0, f1, g0, g1 := eightOf(&k.z[0][0]), eightOf(&k.z[0][1]), eightOf(&k.z[1][0]), eightOf(&k.z[1][1])
	sum, power, crest, o := eightOf(&k.sum), eightOf(&k.power), eightOf(&k.crest), all(0)
	for ; len(x) >= lanes; x = x[lanes:] {
		v := archsimd.LoadFloat64x8((*[8]float64)(x))
		power, crest = power.Add(v.Mul(v)), crest.Max(v.Max(o.Sub(v)))
		y := v.Mul(fb0).Add(f0)
		f0 = v.Mul(fb1).Sub(y.Mul(fa1)).Add(f1)
		f1 = v.Mul(fb2).Sub(y.Mul(fa2))
		z := y.Mul(gb0).Add(g0)
		g0 = y.Mul(gb1).Sub(z.Mul(ga1)).Add(g1)
		g1 = y.Mul(gb2).Sub(z.Mul(ga2))
		sum = sum.Add(z.Mul(z))
	}
	f0.Store((*[8]float64)(&k.z[0][0]))
	f1.Store((*[8]float64)(&k.z[0][1]))
	g0.Store((*[8]float64)(&k.z[1][0]))
	g1.Store((*[8]float64)(&k.z[1][1]))
	sum.Store((*[8]float64)(&k.sum))
	power.Store((*[8]float64)(&k.power))
	crest.Store((*[8]float64)(&k.crest))
	archsimd.ClearAVXUpperBits()
}
