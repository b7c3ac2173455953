package vec

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
)

// Whatever the length, with and without vector instructions, the results are those of one operation after another.
func TestSums(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	some := func(n int) []float64 {
		x := make([]float64, n)
		for i := range x {
			x[i] = r.NormFloat64()
		}
		return x
	}
	for n := range 70 {
		dst, x, at := some(n), some(n), some(n)
		want := map[string][]float64{"Add": make([]float64, n), "AddAlong": make([]float64, n), "Scale": make([]float64, n),
			"Mul": make([]float64, n)}
		for i := range n {
			want["Add"][i] = dst[i] + 0.7*x[i]
			want["AddAlong"][i] = dst[i] + (0.3+0.01*at[i])*x[i]
			want["Scale"][i] = dst[i] * 0.7
			want["Mul"][i] = dst[i] * x[i]
		}
		most := 0.0
		for _, v := range x {
			most = max(most, math.Abs(v))
		}
		assert.Equal(t, most, Largest(x))
		for name, do := range map[string]func(d []float64){
			"Add":      func(d []float64) { Add(d, x, 0.7) },
			"AddAlong": func(d []float64) { AddAlong(d, x, at, 0.3, 0.01) },
			"Scale":    func(d []float64) { Scale(d, 0.7) },
			"Mul":      func(d []float64) { Mul(d, x) },
		} {
			got := append([]float64{}, dst...)
			do(got)
			assert.Equal(t, append([]float64{}, want[name]...), got, "%s of %d", name, n)
		}
	}
}

// What is not a number is not passed over, wherever it stands.
func TestLargestOfWhatIsNoNumber(t *testing.T) {
	for at := range 40 {
		x := make([]float64, 40)
		x[0], x[39] = 2, 3
		x[at] = math.NaN()
		assert.True(t, math.IsNaN(Largest(x)), "%d", at)
		x[at] = math.Inf(-1)
		assert.True(t, math.IsInf(Largest(x), 1), "%d", at)
	}
}
