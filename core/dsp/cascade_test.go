package dsp

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
)

// rowOf gives so many sections of all shapes.
func rowOf(r *rand.Rand, n int) (list []Section) {
	for len(list) < n {
		f := 20 + 9000*r.Float64()
		list = append(list, []Section{Bell(48000, f, 12*r.Float64()-6, 0.5+r.Float64()), HighShelf(48000, f, -5, 0.7), LowShelf(48000, f, 4, 0.7),
			HighPass(48000, f/20, 0.7), Butterworth(48000, f, 6, false)[0], Notch(48000, f, 3)}[r.IntN(6)])
	}
	return list
}

// Several sections at a time give the same bits as one after another, whatever the blocks are.
func TestSectionsTogether(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for n := 1; n <= 19; n++ {
		sections := rowOf(r, n)
		want, got := make([]held, n), make([]held, n)
		for _, size := range []int{1, 2, 3, 15, 16, 17, 31, 32, 33, 512, 1000, 4097} {
			x := make([]float64, size)
			for i := range x {
				x[i] = r.NormFloat64()
			}
			y := slices.Clone(x)
			for k := range sections {
				want[k].run(x, sections[k])
			}
			cascade(y, sections, got)
			require.Equal(t, x, y, fmt.Sprint(n, " sections, ", size, " samples"))
			require.Equal(t, want, got, fmt.Sprint(n, " sections, ", size, " samples"))
		}
	}
}

// Two signals at a time give the same bits as one after the other, through rows of any lengths.
func TestTwoSignalsTogether(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 5))
	for n := 0; n <= 10; n++ {
		for m := 0; m <= 10; m++ {
			f, g := rowOf(r, n), rowOf(r, m)
			wantF, gotF, wantG, gotG := make([]held, n), make([]held, n), make([]held, m), make([]held, m)
			for _, size := range []int{1, 15, 16, 17, 33, 512, 1001} {
				x, y := make([]float64, size), make([]float64, size)
				for i := range x {
					x[i], y[i] = r.NormFloat64(), r.NormFloat64()
				}
				p, q := slices.Clone(x), slices.Clone(y)
				cascade(x, f, wantF)
				cascade(y, g, wantG)
				cascades(p, q, f, g, gotF, gotG)
				said := fmt.Sprint(n, " and ", m, " sections, ", size, " samples")
				require.Equal(t, x, p, said)
				require.Equal(t, y, q, said)
				require.Equal(t, wantF, gotF, said)
				require.Equal(t, wantG, gotG, said)
			}
		}
	}
}

// What is worked on together is what it is alone; what can't be is left.
func TestProcessorsTogether(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 6))
	filter := func(channels int) *Filter { return NewFilter(channels, rowOf(r, 3)) }
	sound := func() [][]float64 {
		x := make([]float64, 300)
		for i := range x {
			x[i] = r.NormFloat64()
		}
		return [][]float64{x}
	}
	f, g := filter(1), filter(1)
	x, y := sound(), sound()
	p, q := [][]float64{slices.Clone(x[0])}, [][]float64{slices.Clone(y[0])}
	require.True(t, Together(f, g, x, y))
	f.Reset()
	g.Reset()
	f.Process(p, 0)
	g.Process(q, 0)
	require.Equal(t, p, x)
	require.Equal(t, q, y)
	moving := NewMovingFilter(1, func(int64) []Section { return rowOf(rand.New(rand.NewPCG(1, 1)), 1) }, 10)
	for _, pair := range [][2]Processor{{f, f}, {f, moving}, {moving, f}, {f, filter(2)}, {filter(2), f}, {f, NewDelay(1, 3)}, {NewDelay(1, 3), f}} {
		a, b := sound(), sound()
		for k, on := range []*[][]float64{&a, &b} {
			if two, is := pair[k].(*Filter); is && len(two.state) == 2 {
				*on = append(*on, sound()[0])
			}
		}
		was := slices.Clone(a[0])
		require.False(t, Together(pair[0], pair[1], a, b))
		require.Equal(t, was, a[0])
	}
}

func BenchmarkSections(b *testing.B) {
	for _, n := range []int{1, 2, 4, 6, 8} {
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			f := NewFilter(1, rowOf(rand.New(rand.NewPCG(1, 2)), n))
			x := [][]float64{make([]float64, 4096)}
			for i := range x[0] {
				x[0][i] = rand.NormFloat64()
			}
			for b.Loop() {
				f.Process(x, 0)
			}
			b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N)/4096, "ns/sample")
		})
	}
}
