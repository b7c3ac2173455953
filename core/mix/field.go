package mix

import (
	"math"

	"zestyloom/core/layout"
)

// harmonics writes the real spherical harmonics of a direction to the third order, in ACN and SN3D (AmbiX; C. Nachbar and
// others, Ambisonics Symposium 2011): x to the front, y to the left, z up.
func harmonics(d vector) [16]float64 {
	x, y, z := d[0], d[1], d[2]
	root3, root15, low, high := math.Sqrt(3), math.Sqrt(15), math.Sqrt(3./8), math.Sqrt(5./8)
	return [16]float64{
		1,
		y, z, x,
		root3 * x * y, root3 * y * z, (3*z*z - 1) / 2, root3 * x * z, root3 / 2 * (x*x - y*y),
		high * y * (3*x*x - y*y), root15 * x * y * z, low * y * (5*z*z - 1), z * (5*z*z - 3) / 2, low * x * (5*z*z - 1),
		root15 / 2 * z * (x*x - y*y), high * x * (x*x - 3*y*y),
	}
}

// degree is the degree of an ambisonic channel.
func degree(acn int) int { return int(math.Sqrt(float64(acn))) }

// fromSN3D gives what a channel in SN3D is multiplied with to be in another norm: √(2l+1) for N3D; for FuMa, W is 3 dB
// lower and the others reach 1 at most (D. Malham, Higher order ambisonic systems, 2003).
func fromSN3D(acn int, norm layout.Norm) float64 {
	switch norm {
	case layout.N3D:
		return math.Sqrt(float64(2*degree(acn) + 1))
	case layout.FuMa:
		switch acn {
		case 0:
			return math.Sqrt2 / 2
		case 4, 5, 7, 8:
			return 2 / math.Sqrt(3)
		case 11, 13:
			return math.Sqrt(45. / 32)
		case 10, 14:
			return 3 / math.Sqrt(5)
		case 9, 15:
			return math.Sqrt(8. / 5)
		}
	}
	return 1
}

// Inward gives the matrix from a field's own channels to ACN and SN3D.
func Inward(f layout.Format) Matrix {
	m := Zero(len(f.ACN), len(f.ACN))
	for i, acn := range f.ACN {
		m.Set(acn, i, 1/fromSN3D(acn, f.Norm))
	}
	return m
}

// Outward gives the matrix from ACN and SN3D of the field's order to its own channels.
func Outward(f layout.Format) Matrix {
	m := Zero(len(f.ACN), len(f.ACN))
	for i, acn := range f.ACN {
		m.Set(i, acn, fromSN3D(acn, f.Norm))
	}
	return m
}

// order takes a field in ACN from one order to another: what is above is left out, what is not there is silent.
func order(from, to int) Matrix {
	m := Zero((to+1)*(to+1), (from+1)*(from+1))
	for i := range min(m.Rows, m.Cols) {
		m.Set(i, i, 1)
	}
	return m
}

// Encode gives the gains of a source at a direction to the channels of a field. Within the unit sphere (the length of the
// position below 1) the field loses its direction, down to the middle, which comes from everywhere.
func Encode(f layout.Format, p Position) []float64 {
	place := vector{p.Y, -p.X, p.Z}
	length := place.length()
	inward := min(1, length)
	if length > 0 {
		place = place.times(1 / length)
	}
	h := harmonics(place)
	out := make([]float64, len(f.ACN))
	for i, acn := range f.ACN {
		out[i] = h[acn] * fromSN3D(acn, f.Norm)
		if acn > 0 {
			out[i] *= inward * (1 - max(0, min(1, p.Spread)))
		}
	}
	return out
}

// Turn is how a field is rotated, in degrees: yaw to the left, pitch with the front upwards, roll with the left side
// upwards; first roll, then pitch, then yaw.
type Turn struct {
	Yaw   float64 `json:"yaw,omitempty"`
	Pitch float64 `json:"pitch,omitempty"`
	Roll  float64 `json:"roll,omitempty"`
}

// rotated gives where a direction comes to lie.
func (t Turn) rotated(d vector) vector {
	sin, cos := math.Sincos(t.Roll * math.Pi / 180)
	d = vector{d[0], cos*d[1] - sin*d[2], sin*d[1] + cos*d[2]}
	sin, cos = math.Sincos(t.Pitch * math.Pi / 180)
	d = vector{cos*d[0] - sin*d[2], d[1], sin*d[0] + cos*d[2]}
	sin, cos = math.Sincos(t.Yaw * math.Pi / 180)
	return vector{cos*d[0] - sin*d[1], sin*d[0] + cos*d[1], d[2]}
}

// node is a direction of a rule of integration over the sphere, whose weights add up to 1.
type node struct {
	at     vector
	weight float64
}

// sphere is exact for polynomials to degree 2·rings − 1: Gauss–Legendre in height, even steps around.
func sphere(rings int) (nodes []node) {
	for i := range rings {
		z := math.Cos(math.Pi * (float64(i) + 0.75) / (float64(rings) + 0.5))
		var slope float64
		for range 50 { // Newton's method on the Legendre polynomial
			below, p := 1.0, z
			for l := 2; l <= rings; l++ {
				below, p = p, (float64(2*l-1)*z*p-float64(l-1)*below)/float64(l)
			}
			slope = float64(rings) * (z*p - below) / (z*z - 1)
			z -= p / slope
		}
		weight := 1 / ((1 - z*z) * slope * slope) // half of Gauss's, which add up to 2
		r := math.Sqrt(1 - z*z)
		for k := range 2 * rings {
			sin, cos := math.Sincos(math.Pi * float64(k) / float64(rings))
			nodes = append(nodes, node{vector{r * cos, r * sin, z}, weight / float64(2*rings)})
		}
	}
	return nodes
}

// turns is exact to degree 7, as much as the product of two harmonics of the third order has.
var turns, around12 = sphere(4), sphere(12)

// Rotate gives the matrix that turns a field of an order in ACN and SN3D. Each degree turns by itself; its matrix is the
// integral over the sphere of what a direction is afterwards times what it was.
func Rotate(of int, t Turn) Matrix {
	n := (of + 1) * (of + 1)
	m := Zero(n, n)
	if t == (Turn{}) {
		return Identity(n)
	}
	for _, q := range turns {
		was, is := harmonics(q.at), harmonics(t.rotated(q.at))
		for row := range n {
			l := degree(row)
			for col := l * l; col < (l+1)*(l+1); col++ {
				m.Gain[row*n+col] += q.weight * float64(2*l+1) * is[row] * was[col]
			}
		}
	}
	return m
}

// focus holds, for each order, where the energy of a decoded source is most in its direction: the largest root of the
// Legendre polynomial of the next degree, whose polynomials up to the order are the weights (max rE; J. Daniel, 2000).
var focus = []float64{1: 0.5773502691896258, 2: 0.7745966692414834, 3: 0.8611363115940526}

// Decode gives the matrix from a field of an order in ACN and SN3D to the speakers of a room: the field is played by
// imagined speakers all around, each of which stands in the room as a source (all-round decoding; F. Zotter and M. Frank,
// JAES 60/10, 2012). A source on the horizon arrives with a power of 1, in the middle over all directions.
func Decode(of int, room *Room) Matrix {
	n := (of + 1) * (of + 1)
	m := Zero(room.n, n)
	weights := []float64{1, focus[of], (3*focus[of]*focus[of] - 1) / 2, (5*math.Pow(focus[of], 3) - 3*focus[of]) / 2}
	gains := make([]float64, room.n)
	for _, q := range around12 {
		room.Gains(gains, Position{X: -q.at[1], Y: q.at[0], Z: q.at[2]})
		h := harmonics(q.at)
		for row, g := range gains {
			for acn := range n {
				l := degree(acn)
				m.Gain[row*n+acn] += q.weight * g * weights[l] * float64(2*l+1) * h[acn]
			}
		}
	}
	total, directions := 0.0, 0
	for azimuth := 0.0; azimuth < 360; azimuth += 5 {
		h := harmonics(toward(azimuth, 0))
		for row := range m.Rows {
			sum := 0.0
			for acn := range n {
				sum += m.At(row, acn) * h[acn]
			}
			total += sum * sum
		}
		directions++
	}
	return m.Scaled(1 / math.Sqrt(total/float64(directions)))
}

// cardioids holds, for each order of a sound field, how much of each degree makes a cardioid of that power, (½ + ½ cos)ⁿ,
// as a sum of Legendre polynomials, and how far to the side it looks: where a source in front arrives at −6 dB on both
// sides.
var cardioids = []struct {
	shares  []float64
	azimuth float64 // degrees
}{
	1: {[]float64{1. / 2, 1. / 2}, 90},
	2: {[]float64{1. / 3, 1. / 2, 1. / 6}, math.Acos(2*math.Sqrt(0.5)-1) * 180 / math.Pi},
	3: {[]float64{1. / 4, 9. / 20, 1. / 4, 1. / 20}, math.Acos(2*math.Cbrt(0.5)-1) * 180 / math.Pi},
}

// Sides decodes a field of an order in ACN and SN3D to a pair: two cardioids of its order that look left and right. In the
// first order that is L = ½(W + Y) and R = ½(W − Y).
func Sides(of int) Matrix {
	n := (of + 1) * (of + 1)
	m := Zero(2, n)
	for side, azimuth := range []float64{cardioids[of].azimuth, -cardioids[of].azimuth} {
		h := harmonics(toward(azimuth, 0))
		for acn := range n {
			if gain := cardioids[of].shares[degree(acn)] * h[acn]; math.Abs(gain) > 1e-12 {
				m.Set(side, acn, gain)
			}
		}
	}
	return m
}
