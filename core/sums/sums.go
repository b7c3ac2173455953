// Package sums finds what must add up among sets of channels, and proves it on samples.
//
// In: sets, each channel of which is known as a sum of sources at gains. Out: which sets are sums of which others, and at which
// gains, each set in one of them at least where there is any; and how much is left of a set when that is taken from it. It knows
// nothing of reels or specs: weave gives it the sets of a graph, contract those that a spec tells of. Begin reading at Find.
package sums

import (
	"cmp"
	"maps"
	"math"
	"math/big"
	"slices"
	"strings"
)

// Vector is a channel as a sum of sources: the gain of each as a factor, by whatever names it.
type Vector map[string]float64

// Add adds a channel at a gain.
func (v Vector) Add(other Vector, gain float64) {
	for source, g := range other {
		if v[source] += g * gain; math.Abs(v[source]) < 1e-12 {
			delete(v, source)
		}
	}
}

// turned marks a source whose phase is turned by 90°.
const turned = "\x0090"

// Turned is the channel turned by 90°.
func (v Vector) Turned() Vector {
	out := Vector{}
	for source, g := range v {
		out[source+turned] = g
	}
	return out
}

// Set is channels that are delivered together.
type Set struct {
	ID       string
	Channels []Vector
}

// sources counts what is in a set.
func (s Set) sources() int {
	all := map[string]bool{}
	for _, c := range s.Channels {
		for source := range c {
			all[source] = true
		}
	}
	return len(all)
}

// Part is a set in a sum, with the gains from its channels to those of the whole, a row for each of the whole's.
type Part struct {
	ID     string      `json:"id"`
	Gains  [][]float64 `json:"gains"`
	Turned [][]float64 `json:"turned,omitempty"` // of what is turned by 90° before it is added
}

// Sum says that a set is the sum of others.
type Sum struct {
	Whole string `json:"whole"`
	Parts []Part `json:"parts"`
}

// Sets names all that the sum is of, the whole first.
func (s Sum) Sets() []string {
	ids := []string{s.Whole}
	for _, p := range s.Parts {
		ids = append(ids, p.ID)
	}
	return ids
}

func (s Sum) key() string {
	ids := s.Sets()
	slices.Sort(ids)
	return strings.Join(ids, "\x00")
}

// has tells whether some gain of a part is such.
func (p Part) has(such func(g float64) bool) bool {
	return slices.ContainsFunc(p.Gains, func(row []float64) bool { return slices.ContainsFunc(row, such) })
}

// plain tells whether nothing is taken away: all gains are 0 or more.
func (s Sum) plain() bool {
	return !slices.ContainsFunc(s.Parts, func(p Part) bool { return p.has(func(g float64) bool { return g < 0 }) })
}

// steepest is the largest gain that a part may have: what is lifted more than that lifts the noise of dither as well.
const steepest = 4.0

// Find gives the sums that hold whatever the sources are: few of them, and each set that is in any in one at least. Sets without
// any source are in none.
func Find(sets []Set) []Sum {
	sets = slices.DeleteFunc(slices.Clone(sets), func(s Set) bool { return s.sources() == 0 })
	f := newFinder(sets)
	found, in := map[string]Sum{}, map[string]bool{}
	look := func(whole int, others []int) {
		if sum, ok := f.sumOf(whole, others); ok {
			sum = f.turnedRound(sum)
			found[sum.key()] = sum
			for _, id := range sum.Sets() {
				in[id] = true
			}
		}
	}
	for whole := range sets {
		look(whole, f.meeting(whole))
	}
	for whole, s := range sets { // what is left may need sets that it has nothing in common with, to take others away
		if all := f.allBut(whole); !in[s.ID] && len(all) > len(f.meeting(whole)) {
			look(whole, all)
		}
	}
	list := slices.SortedFunc(maps.Values(found), func(a, b Sum) int {
		return cmp.Or(cmp.Compare(len(a.Parts), len(b.Parts)), cmp.Compare(f.at[a.Whole], f.at[b.Whole]), cmp.Compare(a.key(), b.key()))
	})
	return covering(list)
}

// covering takes of sums, again and again, that which has most sets that none before it had, those of few parts first.
func covering(list []Sum) (taken []Sum) {
	has := map[string]bool{}
	fresh := func(s Sum) (n int) {
		for _, id := range s.Sets() {
			if !has[id] {
				n++
			}
		}
		return n
	}
	for {
		best, most := -1, 0
		for i, s := range list {
			if n := fresh(s); n > most {
				best, most = i, n
			}
		}
		if best < 0 {
			return taken
		}
		taken = append(taken, list[best])
		for _, id := range list[best].Sets() {
			has[id] = true
		}
	}
}

// finder holds sets as columns of numbers.
type finder struct {
	sets   []Set
	at     map[string]int // of sets, by ID
	phases bool           // some set has sources turned by 90°, so that others may have to be turned
	keys   map[string]int
	plain  [][][]float64 // by set and channel
	turned [][][]float64
	has    []*big.Int // by set: a bit for each source that it has, turned or not
}

func newFinder(sets []Set) *finder {
	f := &finder{sets: sets, at: map[string]int{}, keys: map[string]int{}}
	name := func(v Vector) {
		for _, source := range slices.Sorted(maps.Keys(v)) {
			if _, known := f.keys[source]; !known {
				f.keys[source] = len(f.keys)
			}
			if base, phased := strings.CutSuffix(source, turned); phased {
				f.phases = true
				if _, known := f.keys[base]; !known {
					f.keys[base] = len(f.keys)
				}
			}
		}
	}
	for i, s := range sets {
		f.at[s.ID] = i
		for _, c := range s.Channels {
			name(c)
		}
	}
	if f.phases {
		for _, s := range sets {
			for _, c := range s.Channels {
				name(c.Turned())
			}
		}
	}
	column := func(v Vector) []float64 {
		x := make([]float64, len(f.keys))
		for source, g := range v {
			x[f.keys[source]] = g
		}
		return x
	}
	for _, s := range sets {
		has := new(big.Int)
		for _, c := range s.Channels {
			for source, gain := range c {
				if math.Abs(gain) > nothing { // what a hushed way leaves is not there
					has.SetBit(has, f.keys[strings.TrimSuffix(source, turned)], 1)
				}
			}
		}
		f.has = append(f.has, has)
		var plain, turned [][]float64
		for _, c := range s.Channels {
			plain = append(plain, column(c))
			if f.phases {
				turned = append(turned, column(c.Turned()))
			}
		}
		f.plain, f.turned = append(f.plain, plain), append(f.turned, turned)
	}
	return f
}

// sumOf finds a sum that a set is: of one other, of two, else of as few as are left when one after the other is taken away that
// is not needed. Numbers are looked at only where every source of the set is in the others, which leaves few to look at.
func (f *finder) sumOf(whole int, others []int) (Sum, bool) {
	for _, a := range others {
		if s, ok := f.solve(whole, []int{a}); ok {
			return s, true
		}
	}
	for i, a := range others {
		for _, b := range others[i+1:] {
			if s, ok := f.solve(whole, []int{a, b}); ok {
				return s, true
			}
		}
	}
	sum, ok := f.solve(whole, others)
	for i := 0; ok && i < len(sum.Parts) && !f.independent(sum); {
		var fewer []int
		for k, p := range sum.Parts {
			if k != i {
				fewer = append(fewer, f.at[p.ID])
			}
		}
		if s, still := f.solve(whole, fewer); still {
			sum = s
		} else {
			i++
		}
	}
	return sum, ok
}

// meeting are the sets that have any source of one.
func (f *finder) meeting(one int) []int {
	return slices.DeleteFunc(f.allBut(one), func(i int) bool { return new(big.Int).And(f.has[one], f.has[i]).Sign() == 0 })
}

func (f *finder) allBut(one int) (list []int) {
	for i := range f.sets {
		if i != one {
			list = append(list, i)
		}
	}
	return list
}

// independent tells whether no channel of a sum's parts is a sum of the others, so that it adds up in no other way and needs each.
func (f *finder) independent(s Sum) bool {
	b := newBasis(len(f.keys))
	for _, p := range s.Parts {
		for _, c := range f.columns([]int{f.at[p.ID]}) {
			b.add(c)
		}
	}
	return b.count == len(b.ortho)
}

// covers tells whether every source of a set is in others.
func (f *finder) covers(whole int, parts []int) bool {
	left := new(big.Int).Set(f.has[whole])
	for _, p := range parts {
		left.AndNot(left, f.has[p])
	}
	return left.Sign() == 0
}

// turnedRound gives a sum the other way round where something is taken away in it: of its sets the one that is the plain sum of
// the others. It can only be one from which all the others are taken away.
func (f *finder) turnedRound(s Sum) Sum {
	if s.plain() {
		return s
	}
	for i, part := range s.Parts {
		rest := slices.Delete(slices.Clone(s.Parts), i, i+1)
		if slices.ContainsFunc(rest, func(p Part) bool { return p.has(func(g float64) bool { return g > 0 }) }) {
			continue
		}
		var others []int
		for _, id := range s.Sets() {
			if id != part.ID {
				others = append(others, f.at[id])
			}
		}
		if round, ok := f.solve(f.at[part.ID], others); ok && round.plain() && len(round.Parts) == len(s.Parts) {
			return round
		}
	}
	return s
}

// nothing is what may be left of a channel that is a sum, of gains that were worked out in 64 bits.
const nothing = 1e-9

// columns are the channels of sets, turned ones too where there are any.
func (f *finder) columns(parts []int) (list [][]float64) {
	for _, p := range parts {
		list = append(append(list, f.plain[p]...), f.turned[p]...)
	}
	return list
}

// solve gives the gains at which sets add up to one; not ok where they don't, or where a gain is too steep. Parts of which nothing is
// needed are left out.
func (f *finder) solve(whole int, parts []int) (sum Sum, ok bool) {
	if !f.covers(whole, parts) {
		return sum, false
	}
	b := newBasis(len(f.keys))
	for _, c := range f.columns(parts) {
		b.add(c)
	}
	rows := make([][]float64, len(f.plain[whole]))
	for row, target := range f.plain[whole] {
		gains, left := b.express(target)
		if left > nothing {
			return sum, false
		}
		rows[row] = gains
	}
	sum = f.made(whole, parts, rows)
	steep := slices.ContainsFunc(sum.Parts, func(p Part) bool { return p.largest() > steepest })
	return sum, !steep && len(sum.Parts) > 0
}

// made is a sum by the gains of all columns of its parts, a row for each channel of the whole.
func (f *finder) made(whole int, parts []int, rows [][]float64) Sum {
	sum := Sum{Whole: f.sets[whole].ID}
	at := 0
	for _, p := range parts {
		part, n := Part{ID: f.sets[p].ID}, len(f.plain[p])
		for _, gains := range rows {
			part.Gains = append(part.Gains, slices.Clone(gains[at:at+n]))
			if f.phases {
				part.Turned = append(part.Turned, slices.Clone(gains[at+n:at+2*n]))
			}
		}
		if at += n; f.phases {
			at += n
		}
		sum.Parts = append(sum.Parts, part)
	}
	return sum.tidied()
}

// largest is the largest of a part's gains.
func (p Part) largest() (gain float64) {
	for _, m := range [][][]float64{p.Gains, p.Turned} {
		for _, row := range m {
			for _, g := range row {
				gain = max(gain, math.Abs(g))
			}
		}
	}
	return gain
}

// tidied leaves out parts of which nothing is needed.
func (s Sum) tidied() Sum {
	some := func(m [][]float64) (some bool) {
		for _, row := range m {
			for i, g := range row {
				if math.Abs(g) < nothing {
					row[i] = 0
				}
				some = some || row[i] != 0
			}
		}
		return some
	}
	out := Sum{Whole: s.Whole}
	for _, p := range s.Parts {
		plain, phased := some(p.Gains), some(p.Turned)
		if !phased {
			p.Turned = nil
		}
		if plain || phased {
			out.Parts = append(out.Parts, p)
		}
	}
	return out
}

// basis is columns made orthogonal one after the other (modified Gram-Schmidt); those that depend on the ones before have no use.
type basis struct {
	size   int
	ortho  [][]float64
	mixed  [][]float64 // of each column: its parts along those of ortho
	column []int       // of each of ortho: the column that it came from
	count  int
}

func newBasis(size int) *basis { return &basis{size: size} }

func dot(a, b []float64) (sum float64) {
	for i, x := range a {
		sum += x * b[i]
	}
	return sum
}

// reduce takes from x what lies along the basis, and gives how much that is along each.
func (b *basis) reduce(x []float64) (along []float64) {
	for _, q := range b.ortho {
		g := dot(q, x)
		for i := range x {
			x[i] -= g * q[i]
		}
		along = append(along, g)
	}
	return along
}

func (b *basis) add(column []float64) {
	x := slices.Clone(column)
	before := math.Sqrt(dot(x, x))
	along := b.reduce(x)
	length := math.Sqrt(dot(x, x))
	b.count++
	if length <= nothing*max(1, before) {
		return
	}
	for i := range x {
		x[i] /= length
	}
	b.ortho, b.mixed, b.column = append(b.ortho, x), append(b.mixed, append(along, length)), append(b.column, b.count-1)
}

// express gives the gains of all columns that add up to a target, and how much of it they leave.
func (b *basis) express(target []float64) (gains []float64, left float64) {
	x := slices.Clone(target)
	along := b.reduce(x)
	gains = make([]float64, b.count)
	for i := len(b.ortho) - 1; i >= 0; i-- { // back through the triangle
		g := along[i] / b.mixed[i][i]
		for k := range i {
			along[k] -= g * b.mixed[i][k]
		}
		gains[b.column[i]] = g
	}
	return gains, math.Sqrt(dot(x, x))
}
