package reel

import (
	"reflect"
	"slices"
)

// Met is an object of which a change and somebody else have made different things since.
type Met struct {
	Kind string // as people call it: clip, track …
	ID   string
	Name string // as people call the object: "clip Ines lav"
	Gone bool   // somebody has taken it away
}

// Onto gives a change as it can be made to a reel that has been changed since: of each object what the change has changed becomes what the change says,
// field by field, and all else stays as it is now. Where a field is not as the change found it, or the object is gone, or there again, it is met: it
// stays as it is, or, if over is set, becomes what the change says all the same.
func (c Change) Onto(r *Reel, over bool) (fits Change, met []Met) {
	if len(c.Head) > 0 {
		was, wants := c.Head[0].Before.counted(0), c.Head[len(c.Head)-1].After.counted(0)
		m := merge{over: over}
		now := r.Head
		after := m.value(reflect.ValueOf(now.counted(0)), reflect.ValueOf(was), reflect.ValueOf(wants)).Interface().(Head).counted(now.Next)
		if m.met {
			met = append(met, Met{Kind: "reel", Name: "the reel"})
		}
		if !reflect.DeepEqual(now, after) {
			fits.Head = []Put[Head]{{"", &now, &after}}
		}
	}
	for _, k := range kinds {
		met = append(met, k.onto(r, &c, &fits, over)...)
	}
	return fits, met
}

func (k kindOf[T]) onto(r *Reel, c, fits *Change, over bool) (met []Met) {
	for _, p := range *k.change(c) {
		now, there := (*k.reel(r))[p.ID]
		put := Put[T]{ID: p.ID, After: p.After}
		if there {
			put.Before = &now
		}
		of := Met{Kind: k.name, ID: p.ID, Name: called(k.name, now, p.Before, p.After), Gone: !there}
		switch {
		case there && p.Before != nil && p.After != nil: // it was changed
			m := merge{over: over}
			after := m.value(reflect.ValueOf(now), reflect.ValueOf(*p.Before), reflect.ValueOf(*p.After)).Interface().(T)
			if put.After = &after; m.met {
				met = append(met, of)
			}
		case there != (p.Before != nil), there && !reflect.DeepEqual(now, *p.Before): // it is gone, there again, or has become another since
			if there == (p.After != nil) && (!there || reflect.DeepEqual(now, *p.After)) {
				continue // and is what it is to be
			}
			if met = append(met, of); !over {
				continue
			}
		}
		if put.Before == nil && put.After == nil || put.Before != nil && put.After != nil && reflect.DeepEqual(*put.Before, *put.After) {
			continue
		}
		*k.change(fits) = append(*k.change(fits), put)
	}
	return met
}

// Touches tells whether a change made something of an object that was met.
func (c Change) Touches(met Met) bool {
	if met.Kind == "reel" {
		return changesHead(c)
	}
	return slices.ContainsFunc(kinds, func(k kind) bool { return k.puts(&c, met) })
}

func (k kindOf[T]) puts(c *Change, met Met) bool {
	return k.name == met.Kind && slices.ContainsFunc(*k.change(c), func(p Put[T]) bool { return p.ID == met.ID })
}

// merge makes of a value what was changed of it: met is set where it had been changed otherwise.
type merge struct{ over, met bool }

func (m *merge) value(now, was, wants reflect.Value) reflect.Value {
	same := func(a, b reflect.Value) bool { return reflect.DeepEqual(a.Interface(), b.Interface()) }
	switch {
	case same(was, wants), same(now, wants):
		return now
	case same(now, was):
		return wants
	}
	switch now.Kind() {
	case reflect.Struct:
		out := reflect.New(now.Type()).Elem()
		for i := range now.NumField() {
			out.Field(i).Set(m.value(now.Field(i), was.Field(i), wants.Field(i)))
		}
		return out
	case reflect.Map:
		return m.entries(now, was, wants)
	case reflect.Pointer:
		if !now.IsNil() && !was.IsNil() && !wants.IsNil() {
			out := reflect.New(now.Type().Elem())
			out.Elem().Set(m.value(now.Elem(), was.Elem(), wants.Elem()))
			return out
		}
	}
	if m.met = true; m.over {
		return wants
	}
	return now
}

// entries is value of a map, key by key.
func (m *merge) entries(now, was, wants reflect.Value) reflect.Value {
	out := reflect.MakeMap(now.Type())
	for _, from := range []reflect.Value{now, was, wants} {
		for _, k := range from.MapKeys() {
			if out.MapIndex(k).IsValid() {
				continue
			}
			n, a, b := now.MapIndex(k), was.MapIndex(k), wants.MapIndex(k)
			if n.IsValid() && a.IsValid() && b.IsValid() {
				out.SetMapIndex(k, m.value(n, a, b))
				continue
			}
			same := func(x, y reflect.Value) bool {
				return x.IsValid() == y.IsValid() && (!x.IsValid() || reflect.DeepEqual(x.Interface(), y.Interface()))
			}
			if v := n; !same(a, b) && !same(n, b) {
				if !same(n, a) {
					m.met = true
				}
				if same(n, a) || m.over {
					v = b
				}
				if v.IsValid() {
					out.SetMapIndex(k, v)
				}
			} else if v.IsValid() {
				out.SetMapIndex(k, v)
			}
		}
	}
	return out
}
