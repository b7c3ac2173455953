package mix

import (
	"fmt"
	"math"
	"math/rand"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/layout"
)

var surrounds = []layout.Name{layout.Stereo, layout.LCR, layout.Five0, layout.Five1, layout.Seven1, layout.Five14, layout.Seven14}

func roomOf(t testing.TB, name layout.Name) (*Room, []layout.Speaker) {
	l, err := layout.New(name, "", 0)
	require.NoError(t, err)
	speakers := layout.Read(l.Labels).Speakers()
	room, ok := NewRoom(speakers)
	require.True(t, ok)
	return room, speakers
}

// at is a position on the sphere.
func at(azimuth, elevation float64) Position {
	v := toward(azimuth, elevation)
	return Position{X: -v[1], Y: v[0], Z: v[2]}
}

func gains(r *Room, p Position) []float64 {
	g := make([]float64, r.Channels())
	r.Gains(g, p)
	return g
}

func power(g []float64) (sum float64) {
	for _, x := range g {
		sum += x * x
	}
	return sum
}

// Power is constant over the circle, the sphere and the inside, at any spread, and an LFE gets nothing.
func TestPowerIsConstant(t *testing.T) {
	for _, name := range surrounds {
		r, speakers := roomOf(t, name)
		for azimuth := -180.0; azimuth <= 180; azimuth += 2.5 {
			for elevation := -90.0; elevation <= 90; elevation += 5 {
				for _, in := range []float64{0, 0.3, 0.8, 1} {
					p := at(azimuth, elevation)
					p.X, p.Y, p.Z, p.Spread = in*p.X, in*p.Y, in*p.Z, math.Abs(azimuth)/180
					g := gains(r, p)
					require.InDelta(t, 1, power(g), 1e-9, "%s at %g°, %g°", name, azimuth, elevation)
					for i, s := range speakers {
						require.False(t, math.IsNaN(g[i]))
						if s.LFE {
							require.Zero(t, g[i])
						}
					}
				}
			}
		}
	}
}

// A source where a speaker stands comes from that speaker alone; what is left and right are each other's mirror; and no
// small step of the source is a large one of a gain.
func TestSourcesComeFromWhereTheyAre(t *testing.T) {
	for _, name := range surrounds {
		r, speakers := roomOf(t, name)
		l, _ := layout.New(name, "", 0)
		mirror := make([]int, len(speakers))
		for i, label := range l.Labels {
			other := label
			switch label[0] {
			case 'L':
				other = "R" + label[1:]
			case 'R':
				other = "L" + label[1:]
			}
			if mirror[i] = slices.Index(l.Labels, other); label == "LFE" {
				mirror[i] = i
			}
		}
		for i, s := range speakers {
			if s.LFE {
				continue
			}
			g := gains(r, at(s.Azimuth, s.Elevation))
			assert.InDelta(t, 1, g[i], 1e-9, "%s: %s", name, s.Label)
		}
		for elevation := -90.0; elevation <= 90; elevation += 7.5 {
			last := gains(r, at(-180, elevation))
			for azimuth := -180.0; azimuth <= 180; azimuth += 0.5 {
				g := gains(r, at(azimuth, elevation))
				other := gains(r, at(-azimuth, elevation))
				for i := range g {
					require.InDelta(t, g[i], other[mirror[i]], 1e-9, "%s at %g°, %g°", name, azimuth, elevation)
					require.InDelta(t, last[i], g[i], 0.16, "%s at %g°, %g°", name, azimuth, elevation)
				}
				last = g
			}
		}
	}
}

// Between two speakers the gains are those of the tangent law, tan φ ÷ tan φ₀ = (a − b) ÷ (a + b), which is what vector
// base panning comes to on a circle.
func TestTangentLaw(t *testing.T) {
	r, _ := roomOf(t, layout.Five1)
	for phi := -14.0; phi <= 14; phi += 0.5 {
		g := gains(r, at(15+phi, 0)) // between C (0°) and L (30°)
		assert.InDelta(t, math.Tan(phi*math.Pi/180)/math.Tan(15*math.Pi/180), (g[0]-g[2])/(g[0]+g[2]), 1e-9)
		assert.Zero(t, g[1]+g[3]+g[4]+g[5])
	}
}

func TestSpreadAndTheMiddle(t *testing.T) {
	r, _ := roomOf(t, layout.Seven1)
	even := gains(r, Position{})
	for i, g := range even {
		if i != 3 {
			assert.InDelta(t, math.Sqrt(1./7), g, 1e-12)
		}
	}
	heard := func(spread float64) (n int) {
		for _, g := range gains(r, Position{Y: 1, Spread: spread}) {
			if g > 0.05 {
				n++
			}
		}
		return n
	}
	assert.Equal(t, 1, heard(0))
	assert.Equal(t, 3, heard(0.2))
	assert.Equal(t, 7, heard(1))
	for s := 0.0; s < 1; s += 0.05 {
		assert.LessOrEqual(t, heard(s), heard(s+0.05))
	}
}

// A source that is all around has the same power in every speaker but the LFE, whatever the room and wherever it stands.
func TestAllAroundIsTheSameEverywhere(t *testing.T) {
	for _, name := range []layout.Name{layout.Stereo, layout.LCR, layout.Five0, layout.Five1, layout.Seven1, layout.Five14, layout.Seven14} {
		r, speakers := roomOf(t, name)
		n := 0
		for _, s := range speakers {
			if !s.LFE {
				n++
			}
		}
		for _, p := range []Position{{Y: 1}, {X: -1}, {X: 0.6, Y: -0.8}, {Y: 0.8, Z: 0.6}} {
			p.Spread = 1
			for i, g := range gains(r, p) {
				if !speakers[i].LFE {
					assert.InDelta(t, math.Sqrt(1/float64(n)), g, 1e-9, "%s: %s", name, speakers[i].Label)
				}
			}
		}
	}
}

func TestASetIsTurnedAndNarrowed(t *testing.T) {
	r, speakers := roomOf(t, layout.Five1)
	_, pair := roomOf(t, layout.Stereo)
	m := r.Around(pair, 0, 1, 3)
	assert.Equal(t, []int{6, 2}, []int{m.Rows, m.Cols})
	assert.InDelta(t, 1, m.At(0, 0), 1e-9)
	assert.InDelta(t, 1, m.At(1, 1), 1e-9)
	m = r.Around(pair, 0, 0, 3)
	assert.InDelta(t, 1, m.At(2, 0), 1e-9, "narrowed to the centre")
	m = r.Around(pair, 140, 1, 3)
	assert.InDelta(t, 1, m.At(4, 1), 1e-9, "R turned by 140° stands at 110°, where Ls is")
	m = r.Around(speakers, 0, 1, 3)
	want := Identity(6)
	for i := range want.Gain {
		assert.InDelta(t, want.Gain[i], m.Gain[i], 1e-9)
	}
	_, ok := NewRoom(layout.Read([]string{"1", "2", "3"}).Speakers())
	assert.False(t, ok)
	_, ok = NewRoom(layout.Read([]string{"M"}).Speakers())
	assert.False(t, ok)
}

func TestMatrices(t *testing.T) {
	rnd := rand.New(rand.NewSource(1))
	random := func(rows, cols int) Matrix {
		m := Zero(rows, cols)
		for i := range m.Gain {
			m.Gain[i] = rnd.NormFloat64()
		}
		return m
	}
	a, b := random(3, 4), random(4, 2)
	src := [][]float64{{1, 0.5, -2}, {3, -1, 0.25}}
	buffers := func(n int) (out [][]float64) {
		for range n {
			out = append(out, make([]float64, 3))
		}
		return out
	}
	between, twice, once := buffers(4), buffers(3), buffers(3)
	b.Add(between, src)
	a.Add(twice, between)
	a.Mul(b).Add(once, src)
	for r := range once {
		for i := range once[r] {
			assert.InDelta(t, twice[r][i], once[r][i], 1e-12)
		}
	}
	glide := make([]float64, 3)
	GlideAt(glide, src[0], 0.5, 2, 2, 8)
	for i, x := range src[0] {
		share := float64(2+i) / 8
		assert.InDelta(t, (0.5*(1-share)+2*share)*x, glide[i], 1e-12)
	}
	assert.True(t, Identity(2).Unity())
	assert.False(t, Identity(2).Scaled(0.5).Unity())
}

func BenchmarkGains(b *testing.B) {
	for _, name := range []layout.Name{layout.Five1, layout.Seven14} {
		r, _ := roomOf(b, name)
		dst := make([]float64, r.Channels())
		for _, spread := range []float64{0, 0.3} {
			b.Run(fmt.Sprintf("%s spread %g", name, spread), func(b *testing.B) {
				b.ReportAllocs()
				for i := 0; b.Loop(); i++ {
					r.Gains(dst, Position{X: math.Sin(float64(i)), Y: math.Cos(float64(i)), Spread: spread})
				}
			})
		}
	}
}
