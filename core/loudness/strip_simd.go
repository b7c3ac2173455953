//go:build goexperiment.simd && amd64 && !plain

package loudness

import "simd/archsimd"

var vectors = archsimd.X86.AVX2()

type four = archsimd.Float64x4

func all(x float64) four { return archsimd.BroadcastFloat64x4(x) }

// at gives the four lanes from c on of frame i.
func at(w []float64, i, c int) four { return archsimd.LoadFloat64x4((*[4]float64)(w[i*lanes+c:])) }

func of(x *eight, c int) *[4]float64 { return (*[4]float64)(x[c:]) }

func between(w []float64, n int, q *quick, m *quasi) (top eight) {
	if !vectors {
		return betweenPlain(w, n, q, m)
	}
	var half, even, odd [quickTaps / 2]four
	for j := range half {
		half[j], even[j], odd[j] = all(q.half[j]), all(q.even[j]), all(q.odd[j])
	}
	values := m.over[:n*quickFactor*lanes]
	for c := 0; c < lanes; c += 4 {
		o := all(0)
		most := o
		for i := range n {
			x := (*[(quickTaps-1)*lanes + 4]float64)(w[i*lanes+c:])
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
			to := (*[(quickFactor-1)*lanes + 4]float64)(values[i*quickFactor*lanes+c:])
			v0.Store((*[4]float64)(to[0:]))
			v1.Store((*[4]float64)(to[8:]))
			v2.Store((*[4]float64)(to[16:]))
			v3.Store((*[4]float64)(to[24:]))
		}
		most.Store(of(&top, c))
	}
	charge(values, m)
	archsimd.ClearAVXUpperBits() // else what follows, in older instructions, is slow
	return top
}

func from(x []float64) four { return archsimd.LoadFloat64x4((*[4]float64)(x)) }

// charge does to the programme meters what magnitudes do, which come interleaved.
func charge(values []float64, m *quasi) {
	fall, keepSlow, keepFast, chargeSlow, chargeFast := all(m.fall), all(m.keep[0]), all(m.keep[1]), all(m.charge[0]), all(m.charge[1])
	slow, fast, highest := from(m.slow[:]), from(m.fast[:]), from(m.highest[:])
	slow4, fast4, highest4 := from(m.slow[4:]), from(m.fast[4:]), from(m.highest[4:])
	for ; len(values) >= lanes; values = values[lanes:] {
		v := from(values)
		slow = slow.Mul(fall).Max(slow.Mul(keepSlow).Add(v.Mul(chargeSlow)))
		fast = fast.Mul(fall).Max(fast.Mul(keepFast).Add(v.Mul(chargeFast)))
		highest = highest.Max(slow.Add(fast))
		v = from(values[4:])
		slow4 = slow4.Mul(fall).Max(slow4.Mul(keepSlow).Add(v.Mul(chargeSlow)))
		fast4 = fast4.Mul(fall).Max(fast4.Mul(keepFast).Add(v.Mul(chargeFast)))
		highest4 = highest4.Max(slow4.Add(fast4))
	}
	slow.Store(of(&m.slow, 0))
	fast.Store(of(&m.fast, 0))
	highest.Store(of(&m.highest, 0))
	slow4.Store(of(&m.slow, 4))
	fast4.Store(of(&m.fast, 4))
	highest4.Store(of(&m.highest, 4))
}

func largest(w []float64) (top eight) {
	if !vectors {
		return largestPlain(w)
	}
	o := all(0)
	a, b := o, o
	for i := range len(w) / lanes {
		x, y := at(w, i, 0), at(w, i, 4)
		a, b = a.Max(x.Max(o.Sub(x))), b.Max(y.Max(o.Sub(y)))
	}
	a.Store(of(&top, 0))
	b.Store(of(&top, 4))
	archsimd.ClearAVXUpperBits()
	return top
}

func weigh(x []float64, k *weighting) {
	if !vectors {
		weighPlain(x, k)
		return
	}
	f, g := k.shelf, k.pass
	fb0, fb1, fb2, fa1, fa2 := all(f.b0), all(f.b1), all(f.b2), all(f.a1), all(f.a2)
	gb0, gb1, gb2, ga1, ga2 := all(g.b0), all(g.b1), all(g.b2), all(g.a1), all(g.a2)
	for c := 0; c < lanes; c += 4 {
		f0, f1 := archsimd.LoadFloat64x4(of(&k.z[0][0], c)), archsimd.LoadFloat64x4(of(&k.z[0][1], c))
		g0, g1 := archsimd.LoadFloat64x4(of(&k.z[1][0], c)), archsimd.LoadFloat64x4(of(&k.z[1][1], c))
		sum, power := archsimd.LoadFloat64x4(of(&k.sum, c)), archsimd.LoadFloat64x4(of(&k.power, c))
		for i := range len(x) / lanes {
			v := at(x, i, c)
			power = power.Add(v.Mul(v))
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
