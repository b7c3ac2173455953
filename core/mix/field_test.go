package mix

import (
	"math"
	"math/rand"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/layout"
)

// legendre gives SN3D harmonics from their definition, with associated Legendre functions by recursion, so that no closed
// form is shared with the code.
func legendre(order int, azimuth, elevation float64) (out []float64) {
	s, c := math.Sin(elevation), math.Cos(elevation)
	var p func(l, m int) float64
	p = func(l, m int) float64 {
		switch {
		case l < m:
			return 0
		case l == m:
			v := 1.0
			for i := 1; i <= m; i++ {
				v *= float64(2*i-1) * c
			}
			return v
		}
		return (float64(2*l-1)*s*p(l-1, m) - float64(l+m-1)*p(l-2, m)) / float64(l-m)
	}
	factorial := func(n int) float64 { return math.Gamma(float64(n + 1)) }
	for l := 0; l <= order; l++ {
		for m := -l; m <= l; m++ {
			a := int(math.Abs(float64(m)))
			norm := math.Sqrt(factorial(l-a) / factorial(l+a))
			switch {
			case m < 0:
				out = append(out, math.Sqrt2*norm*p(l, a)*math.Sin(float64(a)*azimuth))
			case m > 0:
				out = append(out, math.Sqrt2*norm*p(l, a)*math.Cos(float64(a)*azimuth))
			default:
				out = append(out, norm*p(l, 0))
			}
		}
	}
	return out
}

func directions() (list [][2]float64) {
	rnd := rand.New(rand.NewSource(3))
	for range 60 {
		list = append(list, [2]float64{rnd.Float64()*360 - 180, math.Asin(2*rnd.Float64()-1) * 180 / math.Pi})
	}
	return append(list, [2]float64{0, 0}, [2]float64{90, 0}, [2]float64{0, 90}, [2]float64{180, 0}, [2]float64{0, -90})
}

func TestHarmonics(t *testing.T) {
	for _, d := range directions() {
		h := harmonics(toward(d[0], d[1]))
		assert.InDeltaSlice(t, legendre(3, d[0]*math.Pi/180, d[1]*math.Pi/180), h[:], 1e-12)
	}
}

// FuMa's channels but W reach 1 at most over the sphere, which is how they are defined; N3D's have a mean power of 1.
func TestNorms(t *testing.T) {
	for acn := range 16 {
		most, mean := 0.0, 0.0
		for _, q := range sphere(12) {
			x := harmonics(q.at)[acn] * fromSN3D(acn, layout.N3D)
			mean += q.weight * x * x
		}
		for azimuth := 0.0; azimuth < 360; azimuth++ {
			for elevation := -90.0; elevation <= 90; elevation += 0.5 {
				most = max(most, math.Abs(harmonics(toward(azimuth, elevation))[acn]*fromSN3D(acn, layout.FuMa)))
			}
		}
		assert.InDelta(t, 1, mean, 1e-9, "ACN %d", acn)
		if acn == 0 {
			assert.InDelta(t, math.Sqrt2/2, most, 1e-12)
		} else {
			assert.InDelta(t, 1, most, 1e-3, "ACN %d", acn)
		}
	}
}

// A field goes through any norm and order of channels and comes back to −120 dB and better.
func TestFieldsGoRoundTrip(t *testing.T) {
	for order := 1; order <= 3; order++ {
		for _, labels := range [][]string{layout.ACNLabels(order), layout.N3DLabels(order), layout.FuMaLabels(order)} {
			f := layout.Read(labels)
			require.Equal(t, layout.Field, f.Kind)
			back := Inward(f).Mul(Outward(f))
			for i, g := range Identity(len(labels)).Gain {
				assert.InDelta(t, g, back.Gain[i], 1e-12)
			}
		}
	}
	w := layout.Read(layout.FuMaLabels(1))
	assert.InDelta(t, math.Sqrt2/2, Encode(w, at(20, 10))[0], 1e-12)
}

// What is turned is what would have been encoded in the turned direction, and turning back gives the field again.
func TestRotation(t *testing.T) {
	for of := 1; of <= 3; of++ {
		f := layout.Read(layout.ACNLabels(of))
		for i, turn := range []Turn{{Yaw: 30}, {Pitch: 20}, {Roll: -50}, {Yaw: 110, Pitch: -35, Roll: 12}} {
			m := Rotate(of, turn)
			for _, d := range directions() {
				v := turn.rotated(toward(d[0], d[1]))
				got := [][]float64{}
				for range m.Rows {
					got = append(got, []float64{0})
				}
				src := [][]float64{}
				for _, x := range Encode(f, at(d[0], d[1])) {
					src = append(src, []float64{x})
				}
				m.Add(got, src)
				for row, want := range Encode(f, Position{X: -v[1], Y: v[0], Z: v[2]}) {
					require.InDelta(t, want, got[row][0], 1e-12, "turn %d", i)
				}
			}
			back := Zero(m.Cols, m.Rows) // a rotation's inverse is its transpose, within a degree
			for r := range m.Rows {
				for c := range m.Cols {
					back.Set(c, r, m.At(r, c))
				}
			}
			round := back.Mul(m)
			for k, g := range Identity(m.Rows).Gain {
				require.InDelta(t, g, round.Gain[k], 1e-12)
			}
		}
	}
	assert.Equal(t, Identity(4), Rotate(1, Turn{}))
	front := vector{1, 0, 0}
	assert.InDelta(t, 1, Turn{Yaw: 90}.rotated(front)[1], 1e-12, "yaw is to the left")
	assert.InDelta(t, 1, Turn{Pitch: 90}.rotated(front)[2], 1e-12, "pitch lifts the front")
	assert.InDelta(t, 1, Turn{Roll: 90}.rotated(vector{0, 1, 0})[2], 1e-12, "roll lifts the left")
}

// Decoded sources on the horizon keep their power, and come from where they are.
func TestDecodingEnergy(t *testing.T) {
	for _, c := range []struct {
		name   layout.Name
		order  int
		within float64 // dB
		off    float64 // degrees
	}{
		// Between its surrounds 5.1 has a gap of 140°.
		{layout.Five1, 1, 1, 40}, {layout.Five1, 2, 1, 32}, {layout.Five1, 3, 1.5, 28}, {layout.Seven1, 3, 1, 11},
		{layout.Five14, 3, 2.2, 25}, {layout.Seven14, 2, 1, 6}, {layout.Seven14, 3, 1, 10},
	} {
		room, speakers := roomOf(t, c.name)
		m := Decode(c.order, room)
		mean, worst, most := 0.0, 0.0, 0.0
		for azimuth := -180.0; azimuth < 180; azimuth += 5 {
			h := harmonics(toward(azimuth, 0))
			sum, pointing := 0.0, vector{}
			for row := range m.Rows {
				g := 0.0
				for acn := range m.Cols {
					g += m.At(row, acn) * h[acn]
				}
				if speakers[row].LFE {
					require.Zero(t, g)
				}
				sum += g * g
				pointing = pointing.plus(toward(speakers[row].Azimuth, speakers[row].Elevation).times(g * g))
			}
			mean += sum / 72
			worst = max(worst, math.Abs(10*math.Log10(sum)))
			away := math.Abs(math.Remainder(math.Atan2(pointing[1], pointing[0])*180/math.Pi-azimuth, 360))
			most = max(most, away)
		}
		t.Logf("%s order %d: power within %.2f dB, energy points at most %.1f° away", c.name, c.order, worst, most)
		assert.InDelta(t, 1, mean, 1e-9)
		assert.Less(t, worst, c.within, "%s order %d", c.name, c.order)
		assert.Less(t, most, c.off, "%s order %d", c.name, c.order)
	}
}
