package view_test

import (
	"encoding/json"
	"reflect"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/reel"
	"zestyloom/core/view"
)

// kindsOf gives the names of the kinds of objects, as a change has them.
func kindsOf(t *testing.T) (names []string) {
	change := reflect.TypeFor[reel.Change]()
	for i := range change.NumField() {
		if name := change.Field(i).Name; name != "Head" {
			names = append(names, name)
		}
	}
	require.Contains(t, names, "Clips")
	return names
}

// A kind of object that a view forgot would be gone from a reel that a page opens, and would never be seen to change.
func TestEveryKindIsInAView(t *testing.T) {
	full := (&reel.Reel{Head: reel.Head{Name: "Crossing", SampleRate: 48000}}).Clone()
	var touched reel.Touched
	touched.Add(reel.Touched{})
	for _, kind := range kindsOf(t) {
		objects := reflect.ValueOf(full).Elem().FieldByName(kind)
		one := reflect.New(objects.Type().Elem()).Elem()
		one.FieldByName("ID").SetString("x " + kind)
		objects.SetMapIndex(reflect.ValueOf("x "+kind), one)
		names := reflect.ValueOf(touched).FieldByName(kind)
		names.SetMapIndex(reflect.ValueOf("x "+kind), reflect.ValueOf(true))
		names.SetMapIndex(reflect.ValueOf("gone "+kind), reflect.ValueOf(true))
	}
	of := view.Of{ID: "r", Production: "p", Revision: 4}
	text, err := json.Marshal(view.Objects(full, of, 3, touched))
	require.NoError(t, err)
	var v view.Reel
	require.NoError(t, json.Unmarshal(text, &v))

	other := (&reel.Reel{}).Clone()
	for _, kind := range kindsOf(t) {
		objects := reflect.ValueOf(other).Elem().FieldByName(kind)
		objects.SetMapIndex(reflect.ValueOf("gone "+kind), reflect.New(objects.Type().Elem()).Elem())
	}
	v.Into(other)
	assert.Equal(t, full.Head, other.Head)
	named := v.Touched(reel.Head{})
	assert.True(t, named.Head)
	for _, kind := range kindsOf(t) {
		objects := reflect.ValueOf(other).Elem().FieldByName(kind)
		assert.Equal(t, 1, objects.Len(), kind)
		assert.True(t, objects.MapIndex(reflect.ValueOf("x "+kind)).IsValid(), kind)
		assert.Equal(t, 2, reflect.ValueOf(named).FieldByName(kind).Len(), kind)
		name := strings.ToLower(kind[:1]) + kind[1:]
		assert.Contains(t, string(text), `"`+name+`":[{`)
	}
	assert.False(t, v.Empty())
}

func TestWhatChangesNothingIsEmpty(t *testing.T) {
	r := reel.New("Crossing", 48000, reel.Head{}.FrameRate, 0, reel.DefaultStems())
	assert.True(t, view.Objects(r, view.Of{}, 1, reel.Touched{}).Empty())
	assert.False(t, view.Objects(r, view.Of{}, 1, reel.Touched{Marks: map[string]bool{"m": true}}).Empty())
	assert.False(t, view.Objects(r, view.Of{}, 1, reel.Touched{Clips: map[string]bool{"c": true}}).Empty())
	assert.False(t, view.Objects(r, view.Of{}, 1, reel.Touched{Tracks: map[string]bool{"t": true}}).Empty())
}

// Where anything goes is told apart from the objects: together they are a part.
func TestAPartIsItsObjectsAndWhereTheyGo(t *testing.T) {
	r := reel.New("Crossing", 48000, reel.Head{}.FrameRate, 0, reel.DefaultStems())
	of := view.Of{ID: "r", Revision: 2}
	touched := reel.Touched{Stems: map[string]bool{"DX": true}}
	part, objects, routing := view.Part(r, of, 1, touched), view.Objects(r, of, 1, touched), view.Routing(r, of)
	assert.True(t, part.Since.Routed)
	assert.False(t, objects.Since.Routed)
	assert.True(t, routing.Since.Routed)
	assert.True(t, routing.Empty())
	assert.Equal(t, part.Routes, routing.Routes)
	assert.Equal(t, part.Findings, routing.Findings)
	assert.Equal(t, part.Outputs, routing.Outputs)
	assert.Equal(t, part.Stems, objects.Stems)
	assert.False(t, view.Part(r, of, 1, reel.Touched{Clips: map[string]bool{"c": true}}).Since.Routed)
}
