//go:build goexperiment.simd && amd64 && !plain

package loudness

import "simd/archsimd"

var vectors = archsimd.X86.AVX2()

type four = archsimd.Float64x4

func all(x float64) four { return archsimd.BroadcastFloat64x4(x) }

// at gives the four lanes from c on of frame i.
func at(w []float64, i, c int) four { return archsimd.LoadFloat64x4((*[4]float64)(w[i*lanes+c:])) }

func of(x *eight, c int) *[4]float64 { return (*[4]float64)(x[c:]) }

// row is a value of each lane.
type row = archsimd.Float32x8

func rows(x float32) row { return archsimd.BroadcastFloat32x8(x) }

func from(x []float32) row { return archsimd.LoadFloat32x8((*[8]float32)(x)) }

func between(w []float32, n int, q *quick, m *quasi) (top eightShort) {
	if !vectors {
		return betweenPlain(w, n, q, m)
	}
	if wide && n > 1 && n%2 == 0 {
		return betweenPairs(w, n, q, m)
	}
	var half, even, odd [quickTaps / 2]row
	for j := range half {
		half[j], even[j], odd[j] = rows(q.half[j]), rows(q.even[j]), rows(q.odd[j])
	}
	fall, chargeSlow, chargeFast := rows(m.fall), rows(m.charge[0]), rows(m.charge[1])
	slow, fast, highest := from(m.slow[:]), from(m.fast[:]), from(m.highest[:])
	o := rows(0)
	most := o
	for i := range n {
		x := (*[quickTaps * lanes]float32)(w[i*lanes:])
		x0, x1, x2, x3, x4, x5 := from(x[0:]), from(x[8:]), from(x[16:]), from(x[24:]), from(x[32:]), from(x[40:])
		y0, y1, y2, y3, y4, y5 := from(x[88:]), from(x[80:]), from(x[72:]), from(x[64:]), from(x[56:]), from(x[48:])
		s0, s1, s2, s3, s4, s5 := x0.Add(y0), x1.Add(y1), x2.Add(y2), x3.Add(y3), x4.Add(y4), x5.Add(y5)
		h := o.Add(s0.Mul(half[0])).Add(s1.Mul(half[1])).Add(s2.Mul(half[2])).Add(s3.Mul(half[3])).Add(s4.Mul(half[4])).Add(s5.Mul(half[5]))
		e := o.Add(s0.Mul(even[0])).Add(s1.Mul(even[1])).Add(s2.Mul(even[2])).Add(s3.Mul(even[3])).Add(s4.Mul(even[4])).Add(s5.Mul(even[5]))
		d := o.Add(x0.Sub(y0).Mul(odd[0])).Add(x1.Sub(y1).Mul(odd[1])).Add(x2.Sub(y2).Mul(odd[2]))
		d = d.Add(x3.Sub(y3).Mul(odd[3])).Add(x4.Sub(y4).Mul(odd[4])).Add(x5.Sub(y5).Mul(odd[5]))
		v1, v3 := e.Add(d), e.Sub(d)
		v0, v1, v2, v3 := x5.Max(o.Sub(x5)), v1.Max(o.Sub(v1)), h.Max(o.Sub(h)), v3.Max(o.Sub(v3))
		most = most.Max(v0.Max(v1).Max(v2.Max(v3)))
		a := slow.Mul(fall)
		slow = a.Add(v0.Sub(a).Max(o).Add(v1.Sub(a).Max(o)).Add(v2.Sub(a).Max(o).Add(v3.Sub(a).Max(o))).Mul(chargeSlow))
		b := fast.Mul(fall)
		fast = b.Add(v0.Sub(b).Max(o).Add(v1.Sub(b).Max(o)).Add(v2.Sub(b).Max(o).Add(v3.Sub(b).Max(o))).Mul(chargeFast))
		highest = highest.Max(slow.Add(fast))
	}
	slow.Store((*[8]float32)(&m.slow))
	fast.Store((*[8]float32)(&m.fast))
	highest.Store((*[8]float32)(&m.highest))
	most.Store((*[8]float32)(&top))
	archsimd.ClearAVXUpperBits() // else what follows, in older instructions, is slow
	return top
}

func shorten(dst []float32, x []float64) {
	if !vectors {
		shortenPlain(dst, x)
		return
	}
	for ; len(x) >= lanes; dst, x = dst[lanes:], x[lanes:] {
		to := (*[8]float32)(dst)
		archsimd.LoadFloat64x4((*[4]float64)(x)).ConvertToFloat32().Store((*[4]float32)(to[:4]))
		archsimd.LoadFloat64x4((*[4]float64)(x[4:])).ConvertToFloat32().Store((*[4]float32)(to[4:]))
	}
	archsimd.ClearAVXUpperBits()
}

func weigh(x []float64, k *weighting) {
	if !vectors {
		weighPlain(x, k)
		return
	}
	if wide {
		weighWide(x, k)
		return
	}
	f, g := k.shelf, k.pass
	fb0, fb1, fb2, fa1, fa2 := all(f.b0), all(f.b1), all(f.b2), all(f.a1), all(f.a2)
	gb0, gb1, gb2, ga1, ga2 := all(g.b0), all(g.b1), all(g.b2), all(g.a1), all(g.a2)
	o := all(0)
	for c := 0; c < lanes; c += 4 {
		f0, f1 := archsimd.LoadFloat64x4(of(&k.z[0][0], c)), archsimd.LoadFloat64x4(of(&k.z[0][1], c))
		g0, g1 := archsimd.LoadFloat64x4(of(&k.z[1][0], c)), archsimd.LoadFloat64x4(of(&k.z[1][1], c))
		sum, power, crest := archsimd.LoadFloat64x4(of(&k.sum, c)), archsimd.LoadFloat64x4(of(&k.power, c)),
			archsimd.LoadFloat64x4(of(&k.crest, c))
		for i := range len(x) / lanes {
			v := at(x, i, c)
			power, crest = power.Add(v.Mul(v)), crest.Max(v.Max(o.Sub(v)))
			y := v.Mul(fb0).Add(f0)
			f0 = v.Mul(fb1).Sub(y.Mul(fa1)).Add(f1)
			f1 = v.Mul(fb2).Sub(y.Mul(fa2))
			z := y.Mul(gb0).Add(g0)
			g0 = y.Mul(gb1).Sub(z.Mul(ga1)).Add(g1)
			g1 = y.Mul(gb2).Sub(z.Mul(ga2))
			sum = sum.Add(z.Mul(z))
		}
		f0.Store(of(&k.z[0][0], c))
		f1.Store(of(&k.z[0][1], c))
		g0.Store(of(&k.z[1][0], c))
		g1.Store(of(&k.z[1][1], c))
		sum.Store(of(&k.sum, c))
		power.Store(of(&k.power, c))
		crest.Store(of(&k.crest, c))
	}
	archsimd.ClearAVXUpperBits()
}

func following(x *[phaseTaps + 7]float64, k int) four {
	return archsimd.LoadFloat64x4((*[4]float64)(x[k:]))
}

func convolve(dst, w []float64, taps *[phaseTaps]float64) {
	n := 0
	if vectors {
		for ; n+8 <= len(dst); n += 8 {
			x := (*[phaseTaps + 7]float64)(w[n:])
			a, b, c, d := all(0), all(0), all(0), all(0)
			e, f, g, h := a, a, a, a
			for k := 0; k < phaseTaps; k += 4 {
				t := all(taps[k])
				a, e = a.Add(t.Mul(following(x, k))), e.Add(t.Mul(following(x, k+4)))
				t = all(taps[k+1])
				b, f = b.Add(t.Mul(following(x, k+1))), f.Add(t.Mul(following(x, k+5)))
				t = all(taps[k+2])
				c, g = c.Add(t.Mul(following(x, k+2))), g.Add(t.Mul(following(x, k+6)))
				t = all(taps[k+3])
				d, h = d.Add(t.Mul(following(x, k+3))), h.Add(t.Mul(following(x, k+7)))
			}
			a.Add(b).Add(c.Add(d)).Store((*[4]float64)(dst[n:]))
			e.Add(f).Add(g.Add(h)).Store((*[4]float64)(dst[n+4:]))
		}
		archsimd.ClearAVXUpperBits()
	}
	convolvePlain(dst[n:], w[n:], taps)
}
