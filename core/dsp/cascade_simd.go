//go:build goexperiment.simd && amd64 && !plain

package dsp

import (
	"math"
	"simd/archsimd"
)

var (
	vectors = archsimd.X86.AVX()
	wide    = archsimd.X86.AVX512()
)

type four = archsimd.Float64x4

// lanesOf are the values of four sections.
type lanesOf struct{ b0, b1, b2, a1, a2, one, two, out four }

func lanesFrom(row []Section, are []held, out []float64) (l lanesOf) {
	var b0, b1, b2, a1, a2, one, two [lane]float64
	for k := range lane {
		s, h := row[k], are[k]
		b0[k], b1[k], b2[k], a1[k], a2[k], one[k], two[k] = s.B0, s.B1, s.B2, s.A1, s.A2, h.one, h.two
	}
	load := archsimd.LoadFloat64x4
	return lanesOf{load(&b0), load(&b1), load(&b2), load(&a1), load(&a2), load(&one), load(&two), load((*[lane]float64)(out))}
}

func (l *lanesOf) to(are []held, out []float64) {
	var one, two [lane]float64
	l.one.Store(&one)
	l.two.Store(&two)
	l.out.Store((*[lane]float64)(out))
	for k := range lane {
		are[k] = held{one[k], two[k]}
	}
}

// behind gives what goes into four sections: into the first the last lane of what came before, into each other what the one before it gave.
func behind(before, out four) four {
	return before.Select128FromPair(1, 2, out).SelectFromPairGrouped(1, 2, out)
}

// pipe runs samples from the fourth on through four sections.
func pipe(x []float64, row *[2 * lane]Section, are *[2 * lane]held, out *[2 * lane]float64) {
	l := lanesFrom(row[:lane], are[:lane], out[:lane])
	b0, b1, b2, a1, a2, one, two, y := l.b0, l.b1, l.b2, l.a1, l.a2, l.one, l.two, l.out
	var last [lane]float64
	for i := lane - 1; i < len(x); i++ {
		v := behind(archsimd.BroadcastFloat64x4(x[i]), y)
		y = b0.Mul(v).Add(one)
		one = b1.Mul(v).Add(two).Sub(a1.Mul(y))
		two = b2.Mul(v).Sub(a2.Mul(y))
		y.Store(&last)
		x[i-lane+1] = last[lane-1]
	}
	l.one, l.two, l.out = one, two, y
	l.to(are[:lane], out[:lane])
	archsimd.ClearAVXUpperBits() // else what follows, in older instructions, is slow
}

// behindWide are the lanes of what goes into eight sections: the first of what comes in, then those of what came out, one behind.
var behindWide = [8]uint64{8, 0, 1, 2, 3, 4, 5, 6}

// pipeWide does what pipeTwo does, with vectors of eight.
func pipeWide(x []float64, row *[2 * lane]Section, are *[2 * lane]held, out *[2 * lane]float64) {
	var b0s, b1s, b2s, a1s, a2s, ones, twos [2 * lane]float64
	for k, s := range row {
		b0s[k], b1s[k], b2s[k], a1s[k], a2s[k], ones[k], twos[k] = s.B0, s.B1, s.B2, s.A1, s.A2, are[k].one, are[k].two
	}
	load := archsimd.LoadFloat64x8
	b0, b1, b2, a1, a2, one, two, y := load(&b0s), load(&b1s), load(&b2s), load(&a1s), load(&a2s), load(&ones), load(&twos), load(out)
	lanes := archsimd.LoadUint64x8(&behindWide)
	for i := 2*lane - 1; i < len(x); i++ {
		v := y.ConcatPermute(archsimd.BroadcastFloat64x8(x[i]), lanes)
		y = b0.Mul(v).Add(one)
		one = b1.Mul(v).Add(two).Sub(a1.Mul(y))
		two = b2.Mul(v).Sub(a2.Mul(y))
		y.Store(out)
		x[i-2*lane+1] = out[2*lane-1]
	}
	one.Store(&ones)
	two.Store(&twos)
	for k := range are {
		are[k] = held{ones[k], twos[k]}
	}
	archsimd.ClearAVXUpperBits()
}

// pipeTwo runs samples from the eighth on through eight sections.
func pipeTwo(x []float64, row *[2 * lane]Section, are *[2 * lane]held, out *[2 * lane]float64) {
	if wide {
		pipeWide(x, row, are, out)
		return
	}
	f, g := lanesFrom(row[:lane], are[:lane], out[:lane]), lanesFrom(row[lane:], are[lane:], out[lane:])
	fb0, fb1, fb2, fa1, fa2, f1, f2, fy := f.b0, f.b1, f.b2, f.a1, f.a2, f.one, f.two, f.out
	gb0, gb1, gb2, ga1, ga2, g1, g2, gy := g.b0, g.b1, g.b2, g.a1, g.a2, g.one, g.two, g.out
	var last [lane]float64
	for i := 2*lane - 1; i < len(x); i++ {
		w := behind(fy, gy)
		v := behind(archsimd.BroadcastFloat64x4(x[i]), fy)
		fy = fb0.Mul(v).Add(f1)
		gy = gb0.Mul(w).Add(g1)
		f1 = fb1.Mul(v).Add(f2).Sub(fa1.Mul(fy))
		g1 = gb1.Mul(w).Add(g2).Sub(ga1.Mul(gy))
		f2 = fb2.Mul(v).Sub(fa2.Mul(fy))
		g2 = gb2.Mul(w).Sub(ga2.Mul(gy))
		gy.Store(&last)
		x[i-2*lane+1] = last[lane-1]
	}
	f.one, f.two, f.out, g.one, g.two, g.out = f1, f2, fy, g1, g2, gy
	f.to(are[:lane], out[:lane])
	g.to(are[lane:], out[lane:])
	archsimd.ClearAVXUpperBits()
}

// eightOf are the values of eight sections.
type eightOf struct{ b0, b1, b2, a1, a2, one, two, out eight }

func eightFrom(row [2 * lane]Section, are [2 * lane]held, out [2 * lane]float64) (e eightOf) {
	var b0, b1, b2, a1, a2, one, two [2 * lane]float64
	for k, s := range row {
		b0[k], b1[k], b2[k], a1[k], a2[k], one[k], two[k] = s.B0, s.B1, s.B2, s.A1, s.A2, are[k].one, are[k].two
	}
	load := archsimd.LoadFloat64x8
	return eightOf{load(&b0), load(&b1), load(&b2), load(&a1), load(&a2), load(&one), load(&two), load(&out)}
}

func (e *eightOf) to(are *[2 * lane]held, out *[2 * lane]float64) {
	var one, two [2 * lane]float64
	e.one.Store(&one)
	e.two.Store(&two)
	e.out.Store(out)
	for k := range are {
		are[k] = held{one[k], two[k]}
	}
}

// behindHalves are the lanes of what goes into four sections and four others.
var behindHalves = [8]uint64{8, 0, 1, 2, 9, 4, 5, 6}

// secondLane is below 0 in the second lane alone.
var secondLane = [8]uint64{1: math.MaxUint64}

// pipeHalves runs two signals from the fourth sample on through four sections each.
func pipeHalves(x, y []float64, p, q *pass) {
	var row [2 * lane]Section
	var are [2 * lane]held
	var out [2 * lane]float64
	copy(row[:lane], p.row[:])
	copy(row[lane:], q.row[:])
	copy(are[:lane], p.are[:])
	copy(are[lane:], q.are[:])
	copy(out[:lane], p.out[:])
	copy(out[lane:], q.out[:])
	e := eightFrom(row, are, out)
	b0, b1, b2, a1, a2, one, two, z := e.b0, e.b1, e.b2, e.a1, e.a2, e.one, e.two, e.out
	lanes, second := archsimd.LoadUint64x8(&behindHalves), archsimd.LoadUint64x8(&secondLane).AsInt64x8().Less(archsimd.BroadcastInt64x8(0))
	y = y[:len(x)]
	for i := lane - 1; i < len(x); i++ {
		in := archsimd.BroadcastFloat64x8(y[i]).Merge(archsimd.BroadcastFloat64x8(x[i]), second)
		v := z.ConcatPermute(in, lanes)
		z = b0.Mul(v).Add(one)
		one = b1.Mul(v).Add(two).Sub(a1.Mul(z))
		two = b2.Mul(v).Sub(a2.Mul(z))
		z.Store(&out)
		x[i-lane+1], y[i-lane+1] = out[lane-1], out[2*lane-1]
	}
	e.one, e.two, e.out = one, two, z
	e.to(&are, &out)
	copy(p.are[:lane], are[:lane])
	copy(q.are[:lane], are[lane:])
	copy(p.out[:lane], out[:lane])
	copy(q.out[:lane], out[lane:])
	archsimd.ClearAVXUpperBits()
}
