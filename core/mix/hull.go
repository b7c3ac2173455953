package mix

import (
	"math"
	"slices"
)

// hull finds the faces of the speakers' convex hull. Where a face has more than three corners, a point in its middle that
// all of them stand in for keeps the sides alike; so does a point straight below where no speaker is, and one above.
func (r *Room) hull() {
	points := slices.Clone(r.at)
	var level []int // speakers at the ear stand in for what is below them
	lowest, highest := 1.0, -1.0
	for i, p := range points {
		lowest, highest = min(lowest, p[2]), max(highest, p[2])
		if math.Abs(p[2]) < 0.2 {
			level = append(level, i)
		}
	}
	extra := func(at vector, stand []int) {
		points = append(points, at)
		r.shared = append(r.shared, stand)
	}
	if lowest > -0.9 && len(level) > 0 {
		extra(vector{0, 0, -1}, level)
	}
	if highest < 0.9 {
		var top []int
		for i, p := range r.at {
			if p[2] > highest-0.2 {
				top = append(top, i)
			}
		}
		if len(top) < 3 { // else they are a face, and its middle is found below
			extra(vector{0, 0, 1}, top)
		}
	}
	for _, face := range faces(points) {
		if len(face) == 3 {
			r.triangle(points, face[0], face[1], face[2])
			continue
		}
		middle := vector{}
		var stand []int
		for _, i := range face {
			middle = middle.plus(points[i])
			if i < len(r.used) {
				stand = append(stand, i)
			}
		}
		points = append(points, middle.times(1/middle.length()))
		r.shared = append(r.shared, stand)
		for k, i := range face {
			r.triangle(points, i, face[(k+1)%len(face)], len(points)-1)
		}
	}
}

func (r *Room) triangle(points []vector, a, b, c int) {
	u, v, w := points[a], points[b], points[c]
	volume := u.dot(v.cross(w))
	if math.Abs(volume) < 1e-9 {
		return
	}
	r.corners = append(r.corners, corner{[3]int{a, b, c}, [3]vector{v.cross(w).times(1 / volume), w.cross(u).times(1 / volume),
		u.cross(v).times(1 / volume)}})
}

// faces gives the faces of the convex hull of points on a sphere, each as its corners in turn. Points are few, so every
// plane through three of them is tried.
func faces(points []vector) (list [][]int) {
	const flat = 1e-6
	seen := map[string]bool{}
	for i := range points {
		for j := i + 1; j < len(points); j++ {
			for k := j + 1; k < len(points); k++ {
				normal := points[j].plus(points[i].times(-1)).cross(points[k].plus(points[i].times(-1)))
				if normal.length() < flat {
					continue
				}
				normal = normal.times(1 / normal.length())
				if normal.dot(points[i]) < 0 {
					normal = normal.times(-1)
				}
				distance := normal.dot(points[i])
				var on []int
				outside := false
				for p, at := range points {
					switch d := normal.dot(at) - distance; {
					case d > flat:
						outside = true
					case d > -flat:
						on = append(on, p)
					}
				}
				name := ""
				for _, p := range on {
					name += string(rune(p)) + ","
				}
				if outside || seen[name] {
					continue
				}
				seen[name] = true
				list = append(list, around(points, on, normal))
			}
		}
	}
	return list
}

// around puts the corners of a face in turn.
func around(points []vector, face []int, normal vector) []int {
	middle := vector{}
	for _, i := range face {
		middle = middle.plus(points[i])
	}
	middle = middle.times(1 / float64(len(face)))
	first := points[face[0]].plus(middle.times(-1))
	second := normal.cross(first)
	angle := func(i int) float64 {
		d := points[i].plus(middle.times(-1))
		return math.Atan2(d.dot(second), d.dot(first))
	}
	slices.SortFunc(face, func(a, b int) int {
		switch x, y := angle(a), angle(b); {
		case x < y:
			return -1
		case x > y:
			return 1
		}
		return a - b
	})
	return face
}
