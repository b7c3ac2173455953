package mix

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/layout"
)

var (
	pair  = []string{"L", "R"}
	five1 = []string{"L", "R", "C", "LFE", "Ls", "Rs"}
	film  = []string{"L", "C", "R", "Ls", "Rs", "LFE"}
	seven = []string{"L", "R", "C", "LFE", "Lss", "Rss", "Lrs", "Rrs"}
	top   = []string{"L", "R", "C", "LFE", "Lss", "Rss", "Lrs", "Rrs", "Ltf", "Rtf", "Ltr", "Rtr"}
)

// ITU-R BS.775-4, table 2, by hand: Lo = L + 0,7071 C + 0,7071 Ls; mono = 0,7071 (Lo + Ro); and with other coefficients.
func TestFoldDowns(t *testing.T) {
	const h = 0.7071067811865476
	off := func(dB float64) *float64 { return &dB }
	for name, c := range map[string]struct {
		from, to []string
		fold     func(*Fold)
		want     [][]float64
		lost     int
	}{
		"5.1 to a pair":      {five1, pair, nil, [][]float64{{1, 0, h, 0, h, 0}, {0, 1, h, 0, 0, h}}, 4},
		"5.1 film to a pair": {film, pair, nil, [][]float64{{1, h, 0, h, 0, 0}, {0, h, 1, 0, h, 0}}, 4},
		"surrounds at −6 dB": {five1, pair, func(f *Fold) { f.SurroundDB = -6.0205999132796239 },
			[][]float64{{1, 0, h, 0, 0.5, 0}, {0, 1, h, 0, 0, 0.5}}, 4},
		"centre at 0 dB": {five1, pair, func(f *Fold) { f.CentreDB = 0 }, [][]float64{{1, 0, 1, 0, h, 0}, {0, 1, 1, 0, 0, h}}, 4},
		"with LFE and trim": {five1, pair, func(f *Fold) { f.LFEDB, f.TrimDB = off(0), -6.0205999132796239 },
			[][]float64{{.5, 0, h / 2, .5, h / 2, 0}, {0, .5, h / 2, .5, 0, h / 2}}, 4},
		"5.1 to mono":    {five1, []string{"M"}, func(f *Fold) { f.MonoDB = -3.0102999566398120 }, [][]float64{{h, h, 1, 0, .5, .5}}, 6},
		"a pair to mono": {pair, []string{"M"}, nil, [][]float64{{.5, .5}}, 2},
		"7.1 to a pair":  {seven, pair, nil, [][]float64{{1, 0, h, 0, h, 0, h, 0}, {0, 1, h, 0, 0, h, 0, h}}, 6},
		"7.1 to 5.1": {seven, five1, nil, [][]float64{{1, 0, 0, 0, 0, 0, 0, 0}, {0, 1, 0, 0, 0, 0, 0, 0}, {0, 0, 1, 0, 0, 0, 0, 0},
			{0, 0, 0, 1, 0, 0, 0, 0}, {0, 0, 0, 0, h, 0, h, 0}, {0, 0, 0, 0, 0, h, 0, h}}, 4},
		"SMPTE to film": {five1, film, nil, [][]float64{{1, 0, 0, 0, 0, 0}, {0, 0, 1, 0, 0, 0}, {0, 1, 0, 0, 0, 0}, {0, 0, 0, 0, 1, 0},
			{0, 0, 0, 0, 0, 1}, {0, 0, 0, 1, 0, 0}}, 0},
		"a mono to a pair":   {[]string{"M"}, pair, nil, [][]float64{{h}, {h}}, 1},
		"a mono to 5.1":      {[]string{"M"}, five1, nil, [][]float64{{0}, {0}, {1}, {0}, {0}, {0}}, 1},
		"loose to mono":      {[]string{"M", "M", "M"}, []string{"M"}, nil, [][]float64{{1, 1, 1}}, 0},
		"a centre to a pair": {[]string{"C"}, pair, nil, [][]float64{{h}, {h}}, 1},
		"numbers":            {[]string{"1", "2", "3"}, []string{"1", "2"}, nil, [][]float64{{1, 0, 0}, {0, 1, 0}}, 1},
		"encoded":            {five1, pair, func(f *Fold) { f.Encoded = true }, [][]float64{{1, 0, h, 0, 0, 0}, {0, 1, h, 0, 0, 0}}, 4},
		"FuMa to a pair":     {[]string{"W", "X", "Y", "Z"}, pair, nil, [][]float64{{h, 0, .5, 0}, {h, 0, -.5, 0}}, 0},
		"FuMa to right left": {[]string{"W", "X", "Y", "Z"}, []string{"R", "L"}, nil, [][]float64{{h, 0, -.5, 0}, {h, 0, .5, 0}}, 0},
		"a field to mono":    {layout.ACNLabels(1), []string{"M"}, nil, [][]float64{{1, 0, 0, 0}}, 0},
		"FuMa to SN3D": {[]string{"W", "X", "Y", "Z"}, layout.ACNLabels(1), nil,
			[][]float64{{math.Sqrt2, 0, 0, 0}, {0, 0, 1, 0}, {0, 0, 0, 1}, {0, 1, 0, 0}}, 0},
	} {
		f := Usual()
		if c.fold != nil {
			c.fold(&f)
		}
		m, lost, ok := Carry(layout.Read(c.from), layout.Read(c.to), f)
		require.True(t, ok, name)
		assert.Len(t, lost, c.lost, "%s: %v", name, lost)
		for r, row := range c.want {
			for i, want := range row {
				assert.InDelta(t, want, m.At(r, i), 1e-9, "%s: %s from %s", name, c.to[r], c.from[i])
			}
		}
	}
	_, _, ok := Carry(layout.Read([]string{"LFE"}), layout.Read(pair), Usual())
	assert.False(t, ok)
}

func TestLossesAreSaid(t *testing.T) {
	_, lost, _ := Carry(layout.Read(five1), layout.Read(pair), Usual())
	var said []string
	for _, l := range lost {
		said = append(said, l.String())
	}
	assert.Equal(t, []string{"C goes into L and R at −3.0 dB", "LFE is left out", "Ls goes into L at −3.0 dB", "Rs goes into R at −3.0 dB"},
		said)
	_, lost, _ = Carry(layout.Read(layout.ACNLabels(2)), layout.Read(layout.ACNLabels(1)), Usual())
	assert.Len(t, lost, 5, "the channels of the second degree")
}

// Whatever goes anywhere, no channel that has a place in both formats is moved, and none gains power on the way but an
// encoded one.
func TestEveryFormatToEveryOther(t *testing.T) {
	formats := [][]string{{"M"}, {"M", "M"}, pair, {"L", "R", "C"}, five1, film, seven, top, layout.ACNLabels(1), layout.N3DLabels(3),
		layout.FuMaLabels(2), {"1", "2", "3", "4"}}
	for _, a := range formats {
		for _, b := range formats {
			from, to := layout.Read(a), layout.Read(b)
			m, lost, _ := Carry(from, to, Usual())
			require.Equal(t, []int{len(b), len(a)}, []int{m.Rows, m.Cols})
			if from.Kind == layout.Field || to.Kind == layout.Field {
				continue
			}
			for c := range a {
				sum := 0.0
				for r := range b {
					require.False(t, math.IsNaN(m.At(r, c)))
					sum += m.At(r, c) * m.At(r, c)
				}
				if len(b) > 1 && to.Kind != layout.Loose {
					assert.LessOrEqual(t, sum, 1+1e-9, "%v to %v", a, b)
				}
				gone := false
				for _, l := range lost {
					gone = gone || l.Channel == a[c]
				}
				if sum == 0 {
					assert.True(t, gone, "%s of %v has no way to %v, and that is said", a[c], a, b)
				}
			}
		}
	}
}
