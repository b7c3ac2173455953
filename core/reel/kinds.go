package reel

import (
	"maps"
	"reflect"
)

// kind is one kind of object. All that is done to every kind alike goes through kinds: cloning, applying, turning round,
// checking, merging.
type kind interface {
	clone(to, from *Reel)
	count(c *Change) int
	turn(to, from *Change)
	unchanged(r *Reel, c *Change) error
	put(r *Reel, c *Change)
	check(r *Reel, c *Change) error
	begin(d *draft)
	finish(d *draft, c *Change)
	become(d *draft, want *Reel)
	into(d *draft, c *Change, now *Reel)
	touch(t *Touched, c *Change)
	also(t, others *Touched)
	meets(c, other *Change) bool
	onto(r *Reel, c, fits *Change, over bool) []Met
	puts(c *Change, met Met) bool
}

// kinds are all that there are. A new kind of object is one entry, and a field in Reel, Change, draft and Touched each.
var kinds []kind

func init() { // the rules of objects look at the others
	kinds = []kind{
		kindOf[Stem]{"stem", func(r *Reel) *map[string]Stem { return &r.Stems }, func(c *Change) *[]Put[Stem] { return &c.Stems },
			func(d *draft) *layer[Stem] { return &d.stems }, func(t *Touched) *map[string]bool { return &t.Stems }, (*Reel).checkStem},
		kindOf[Track]{"track", func(r *Reel) *map[string]Track { return &r.Tracks }, func(c *Change) *[]Put[Track] { return &c.Tracks },
			func(d *draft) *layer[Track] { return &d.tracks }, func(t *Touched) *map[string]bool { return &t.Tracks }, (*Reel).checkTrack},
		kindOf[Clip]{"clip", func(r *Reel) *map[string]Clip { return &r.Clips }, func(c *Change) *[]Put[Clip] { return &c.Clips },
			func(d *draft) *layer[Clip] { return &d.clips }, func(t *Touched) *map[string]bool { return &t.Clips }, (*Reel).checkClip},
		kindOf[Group]{"output group", func(r *Reel) *map[string]Group { return &r.Groups }, func(c *Change) *[]Put[Group] { return &c.Groups },
			func(d *draft) *layer[Group] { return &d.groups }, func(t *Touched) *map[string]bool { return &t.Groups }, (*Reel).checkGroup},
		kindOf[Knot]{"knot", func(r *Reel) *map[string]Knot { return &r.Knots }, func(c *Change) *[]Put[Knot] { return &c.Knots },
			func(d *draft) *layer[Knot] { return &d.knots }, func(t *Touched) *map[string]bool { return &t.Knots }, (*Reel).checkTied},
		kindOf[Mark]{"mark", func(r *Reel) *map[string]Mark { return &r.Marks }, func(c *Change) *[]Put[Mark] { return &c.Marks },
			func(d *draft) *layer[Mark] { return &d.marks }, func(t *Touched) *map[string]bool { return &t.Marks }, (*Reel).checkMark},
		kindOf[Mix]{"mix", func(r *Reel) *map[string]Mix { return &r.Mixes }, func(c *Change) *[]Put[Mix] { return &c.Mixes },
			func(d *draft) *layer[Mix] { return &d.mixes }, func(t *Touched) *map[string]bool { return &t.Mixes }, (*Reel).checkMix},
		kindOf[Bus]{"level", func(r *Reel) *map[string]Bus { return &r.Buses }, func(c *Change) *[]Put[Bus] { return &c.Buses },
			func(d *draft) *layer[Bus] { return &d.buses }, func(t *Touched) *map[string]bool { return &t.Buses }, (*Reel).checkBus},
		kindOf[Correction]{"correction", func(r *Reel) *map[string]Correction { return &r.Corrections },
			func(c *Change) *[]Put[Correction] { return &c.Corrections },
			func(d *draft) *layer[Correction] { return &d.corrections }, func(t *Touched) *map[string]bool { return &t.Corrections },
			(*Reel).checkCorrection},
		kindOf[Chain]{"chain", func(r *Reel) *map[string]Chain { return &r.Chains }, func(c *Change) *[]Put[Chain] { return &c.Chains },
			func(d *draft) *layer[Chain] { return &d.chains }, func(t *Touched) *map[string]bool { return &t.Chains }, (*Reel).checkChain},
	}
}

// kindOf says where the objects of a type live, and the rules that one keeps.
type kindOf[T any] struct {
	name    string
	reel    func(*Reel) *map[string]T
	change  func(*Change) *[]Put[T]
	draft   func(*draft) *layer[T]
	touched func(*Touched) *map[string]bool
	rules   func(r *Reel, id string, v T) error
}

func (k kindOf[T]) clone(to, from *Reel) {
	if *k.reel(to) = maps.Clone(*k.reel(from)); *k.reel(to) == nil { // reels of before there was the kind
		*k.reel(to) = map[string]T{}
	}
}

func (k kindOf[T]) count(c *Change) int { return len(*k.change(c)) }

func (k kindOf[T]) turn(to, from *Change) { *k.change(to) = turn(*k.change(from)) }

func (k kindOf[T]) unchanged(r *Reel, c *Change) error {
	return unchanged(*k.reel(r), *k.change(c), k.name)
}

func (k kindOf[T]) put(r *Reel, c *Change) {
	now := k.reel(r)
	if *now == nil {
		*now = map[string]T{}
	}
	put(*now, *k.change(c))
}

func (k kindOf[T]) check(r *Reel, c *Change) error {
	for _, p := range *k.change(c) {
		if p.After != nil {
			if err := k.rules(r, p.ID, *p.After); err != nil {
				return err
			}
		}
	}
	return nil
}

func (k kindOf[T]) begin(d *draft) { *k.draft(d) = over(*k.reel(d.reel)) }

func (k kindOf[T]) finish(d *draft, c *Change) { *k.change(c) = k.draft(d).puts() }

// become makes the objects those of another reel.
func (k kindOf[T]) become(d *draft, want *Reel) {
	l := k.draft(d)
	for id := range l.below {
		l.drop(id)
	}
	for id, v := range *k.reel(want) {
		l.put(id, v)
	}
}

// into notes that the objects of a change became what they are now.
func (k kindOf[T]) into(d *draft, c *Change, now *Reel) {
	l := k.draft(d)
	for _, p := range *k.change(c) {
		if v, there := (*k.reel(now))[p.ID]; there {
			l.put(p.ID, v)
		} else {
			l.drop(p.ID)
		}
	}
}

func (k kindOf[T]) touch(t *Touched, c *Change) {
	names := k.touched(t)
	if *names == nil {
		*names = map[string]bool{}
	}
	for _, p := range *k.change(c) {
		(*names)[p.ID] = true
	}
}

func (k kindOf[T]) also(t, others *Touched) {
	names := k.touched(t)
	if *names = maps.Clone(*names); *names == nil {
		*names = map[string]bool{}
	}
	maps.Copy(*names, *k.touched(others))
}

func (k kindOf[T]) meets(c, other *Change) bool {
	theirs := map[string]Put[T]{}
	for _, p := range *k.change(other) {
		theirs[p.ID] = p
	}
	for _, p := range *k.change(c) {
		if q, both := theirs[p.ID]; both && meet(p, q) {
			return true
		}
	}
	return false
}

// meet tells whether two changes of one object are of the same of it: of a field, or of whether it is there.
func meet[T any](a, b Put[T]) bool {
	if a.Before == nil || a.After == nil || b.Before == nil || b.After == nil {
		return true
	}
	return meetIn(reflect.ValueOf(*a.Before), reflect.ValueOf(*a.After), reflect.ValueOf(*b.Before), reflect.ValueOf(*b.After))
}

func meetIn(a, toA, b, toB reflect.Value) bool {
	same := func(x, y reflect.Value) bool { return reflect.DeepEqual(x.Interface(), y.Interface()) }
	if same(a, toA) || same(b, toB) {
		return false
	}
	if a.Kind() != reflect.Struct || liesElsewhere(a, toA) && liesElsewhere(b, toB) {
		return true
	}
	for i := range a.NumField() {
		if meetIn(a.Field(i), toA.Field(i), b.Field(i), toB.Field(i)) {
			return true
		}
	}
	return false
}

// liesElsewhere tells whether something is a clip that lies otherwise than before. Where a clip lies is one thing: who moves it means all of it, also where
// somebody has cut it in two.
func liesElsewhere(before, after reflect.Value) bool {
	a, is := before.Interface().(Clip)
	if !is {
		return false
	}
	b := after.Interface().(Clip)
	return a.Track != b.Track || a.Start != b.Start || a.Offset != b.Offset || a.Length != b.Length
}
