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
