package loudness

import (
	"fmt"
	"math"
	"math/rand"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/layout"
)

// Short says what the whole meter says of short-term loudness, at all rates and layouts and in blocks of any size; and a sine of 997 Hz at
// −18 dBFS on one channel is −18 − 3.01 LUFS, as BS.1770 has it.
func TestShort(t *testing.T) {
	for _, rate := range []int{44100, 48000, 88200, 96000, 176400, 192000} {
		for _, labels := range [][]string{{"M"}, {"L", "R"}, {"L", "R", "C", "LFE", "Ls", "Rs"}} {
			l := layout.Layout{Labels: labels}
			short, live := NewShort(rate, l), NewLive(rate, l)
			rnd := rand.New(rand.NewSource(int64(rate)))
			for left := 7 * rate / 2; left > 0; {
				n := min(left, 1+rnd.Intn(3000))
				block := make([][]float64, len(labels))
				for c := range block {
					block[c] = make([]float64, n)
					for i := range block[c] {
						block[c][i] = (rnd.Float64() - 0.5) * math.Abs(math.Sin(float64(left-i)/float64(rate)))
					}
				}
				short.Write(block)
				live.Write(block)
				left -= n
			}
			r := live.Reading()
			require.NotNil(t, r.ShortTerm)
			assert.InDelta(t, *r.ShortTerm, LUFS(short.Power()), 0.06, fmt.Sprint(rate, labels))
		}
		sine := make([]float64, 2*rate)
		for i := range sine {
			sine[i] = math.Pow(10, -18.0/20) * math.Sin(2*math.Pi*997*float64(i)/float64(rate))
		}
		m := NewShort(rate, layout.Layout{Labels: []string{"L"}})
		assert.Zero(t, m.Power())
		m.Write([][]float64{sine})
		assert.InDelta(t, -21.01, LUFS(m.Power()), 0.05, fmt.Sprint(rate))
	}
}
