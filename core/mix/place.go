package mix

import (
	"math"
	"slices"

	"zestyloom/core/layout"
)

// Position is where a source stands in a room from −1 to 1 each way.
type Position struct {
	X      float64 `json:"x"`                // right
	Y      float64 `json:"y"`                // front
	Z      float64 `json:"z,omitempty"`      // up
	Spread float64 `json:"spread,omitempty"` // 0 a point, 1 all around
}

// vector is a direction, or a place, with x to the front, y to the left and z up.
type vector [3]float64

func (a vector) dot(b vector) float64 { return a[0]*b[0] + a[1]*b[1] + a[2]*b[2] }
func (a vector) cross(b vector) vector {
	return vector{a[1]*b[2] - a[2]*b[1], a[2]*b[0] - a[0]*b[2], a[0]*b[1] - a[1]*b[0]}
}
func (a vector) plus(b vector) vector   { return vector{a[0] + b[0], a[1] + b[1], a[2] + b[2]} }
func (a vector) times(k float64) vector { return vector{k * a[0], k * a[1], k * a[2]} }
func (a vector) length() float64        { return math.Sqrt(a.dot(a)) }

func toward(azimuth, elevation float64) vector {
	az, el := azimuth*math.Pi/180, elevation*math.Pi/180
	return vector{math.Cos(az) * math.Cos(el), math.Sin(az) * math.Cos(el), math.Sin(el)}
}

// Room places sources between speakers: between the two around the position where all stand at one height, within the
// triangle around it where they do not (vector base amplitude panning, V. Pulkki, JAES 45/6, 1997). The power of all
// gains together is 1, wherever the position is.
type Room struct {
	n       int   // channels of the set
	used    []int // those that have a speaker which is no LFE
	at      []vector
	flat    bool
	pairs   []pairOf // flat: neighbours around the circle
	corners []corner // not flat
	shared  [][]int  // of points beyond the speakers: the speakers (places in used) that stand in for them
}

// pairOf are two neighbours; the gap between them begins at an azimuth, in radians, and is so wide.
type pairOf struct {
	a, b        int
	from, width float64
}

// corner is a triangle of points and the inverse of its base.
type corner struct {
	points  [3]int
	inverse [3]vector
}

// most is how many speakers a room has at most, and more than there are labels.
const most = 64

// NewRoom gives the room of a set's speakers; ok is false where fewer than two channels have a place, or more than 64.
func NewRoom(speakers []layout.Speaker) (room *Room, ok bool) {
	r := &Room{n: len(speakers), flat: true}
	for i, s := range speakers {
		if s.Label == "" || s.LFE || s.Label == "M" {
			continue
		}
		r.used = append(r.used, i)
		r.at = append(r.at, toward(s.Azimuth, s.Elevation))
		r.flat = r.flat && math.Abs(s.Elevation) < 10
	}
	if len(r.used) < 2 || len(r.used) > most {
		return nil, false
	}
	if r.flat {
		r.circle(speakers)
	} else {
		r.hull()
	}
	return r, true
}

// Channels is the number of channels of the set.
func (r *Room) Channels() int { return r.n }

func (r *Room) circle(speakers []layout.Speaker) {
	order := make([]int, len(r.used))
	azimuth := make([]float64, len(r.used))
	for i, u := range r.used {
		order[i] = i
		azimuth[i] = math.Mod(speakers[u].Azimuth*math.Pi/180+4*math.Pi, 2*math.Pi)
	}
	slices.SortStableFunc(order, func(a, b int) int {
		switch {
		case azimuth[a] < azimuth[b]:
			return -1
		case azimuth[a] > azimuth[b]:
			return 1
		}
		return 0
	})
	for i, a := range order {
		b := order[(i+1)%len(order)]
		width := math.Mod(azimuth[b]-azimuth[a]+2*math.Pi, 2*math.Pi)
		if len(order) > 1 && width == 0 && i == len(order)-1 {
			width = 2 * math.Pi
		}
		r.pairs = append(r.pairs, pairOf{a, b, azimuth[a], width})
	}
}

// Gains writes the gain to each channel of the set for a source at a position; an LFE gets none. dst has room for all.
func (r *Room) Gains(dst []float64, p Position) {
	clear(dst)
	place := vector{p.Y, -p.X, p.Z}
	if r.flat {
		place[2] = 0
	}
	var room [most]float64
	power := room[:len(r.used)]
	inward := place.length()
	if inward > 1-1e-9 { // on the wall, but for rounding
		inward = 1
	}
	if length := place.length(); length > 0 {
		r.spread(power, place.times(1/length), max(0, min(1, p.Spread)))
	}
	even := (1 - inward*inward) / float64(len(power))
	for i, u := range r.used {
		dst[u] = math.Sqrt(inward*inward*power[i] + even)
	}
}

// ring are directions around one, as parts of the whole spread, that stand for all that a wide source covers.
var ring = []float64{-1, -2. / 3, -1. / 3, 0, 1. / 3, 2. / 3, 1}

// spread adds up the power of points on an arc (or, with height, on two arcs across each other) around a direction, and of all
// speakers alike: a source that is all around has the same power in each of them, wherever they stand.
func (r *Room) spread(power []float64, d vector, spread float64) {
	if spread == 0 {
		r.point(power, d, 1)
		return
	}
	up := vector{0, 0, 1}
	side := up.cross(d)
	if side.length() < 1e-9 { // straight up or down
		side = vector{0, 1, 0}
	}
	side = side.times(1 / side.length())
	arcs := []vector{side}
	if !r.flat {
		arcs = append(arcs, d.cross(side))
	}
	even := math.Pow(spread, 6) // so that a source that is a little wide stays where it is
	share := (1 - even) / float64(len(arcs)*len(ring))
	for _, arc := range arcs {
		for _, part := range ring {
			sin, cos := math.Sincos(part * spread * math.Pi)
			r.point(power, d.times(cos).plus(arc.times(sin)), share)
		}
	}
	for i := range power {
		power[i] += even / float64(len(power))
	}
}

// point adds the power of a point source, times a share.
func (r *Room) point(power []float64, d vector, share float64) {
	if r.flat {
		r.between(power, d, share)
		return
	}
	best, found := [3]float64{}, -1
	least := math.Inf(-1)
	for i, c := range r.corners {
		g := [3]float64{c.inverse[0].dot(d), c.inverse[1].dot(d), c.inverse[2].dot(d)}
		if low := min(g[0], g[1], g[2]); low > least {
			best, found, least = g, i, low
		}
		if least >= 0 {
			break
		}
	}
	var room [most]float64
	amplitude := room[:len(r.used)]
	sum := 0.0
	for i, p := range r.corners[found].points {
		g := max(0, best[i])
		if p < len(r.used) {
			amplitude[p] += g
			continue
		}
		stand := r.shared[p-len(r.used)]
		for _, s := range stand {
			amplitude[s] += g / math.Sqrt(float64(len(stand)))
		}
	}
	for _, a := range amplitude {
		sum += a * a
	}
	for i, a := range amplitude {
		power[i] += share * a * a / sum
	}
}

// between adds the power of a source on the circle. In a gap of half the circle and more, where no base of vectors has
// positive gains, it goes from one side to the other by the angle.
func (r *Room) between(power []float64, d vector, share float64) {
	azimuth := math.Atan2(d[1], d[0])
	for _, p := range r.pairs {
		into := azimuth - p.from
		for into < 0 {
			into += 2 * math.Pi
		}
		if into > p.width || p.width == 0 {
			continue
		}
		var a, b float64
		if p.width < math.Pi*0.98 {
			a, b = math.Sin(p.width-into), math.Sin(into)
		} else {
			b, a = math.Sincos(into / p.width * math.Pi / 2)
		}
		sum := a*a + b*b
		power[p.a] += share * a * a / sum
		power[p.b] += share * b * b / sum
		return
	}
}

// Around gives the matrix of a bonded set, whose own speakers are given, turned around by degrees (positive to the left)
// and made narrower or wider by a factor of its angles (1 as it is, 0 all in front), into the room. Its LFE goes to lfe,
// the place of the room's; where there is none (lfe < 0) it is left out.
func (r *Room) Around(speakers []layout.Speaker, turn, width float64, lfe int) Matrix {
	m := Zero(r.n, len(speakers))
	gains := make([]float64, r.n)
	for c, s := range speakers {
		switch {
		case s.LFE && lfe >= 0:
			m.Set(lfe, c, 1)
			continue
		case s.LFE || s.Label == "":
			continue
		}
		v := toward(s.Azimuth*width+turn, s.Elevation)
		r.Gains(gains, Position{X: -v[1], Y: v[0], Z: v[2]})
		for row, g := range gains {
			m.Set(row, c, g)
		}
	}
	return m
}
