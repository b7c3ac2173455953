package reel

import (
	"encoding/json"
	"math/rand"
	"reflect"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What nobody has touched since is taken back whole, whatever command made it; what others have made meanwhile stays.
func TestAnyChangeIsTakenBackAmongOthers(t *testing.T) {
	meetings, apart := 0, 0
	for seed := range int64(60) {
		rnd := rand.New(rand.NewSource(seed))
		r := someReel(rnd, 30)
		for range 12 {
			mine, ok := someChange(rnd, r)
			if !ok {
				continue
			}
			after, err := r.With(mine, shelf{})
			require.NoError(t, err)
			back, met := mine.Inverse().Onto(after, false)
			require.Empty(t, met)
			was, err := after.With(back, shelf{})
			require.NoError(t, err)
			require.Equal(t, plainly(t, r), plainly(t, was))
			again, met := mine.Onto(was, false)
			require.Empty(t, met)
			now, err := was.With(again, shelf{})
			require.NoError(t, err)
			require.Equal(t, plainly(t, after), plainly(t, now))

			others, ok := someChange(rnd, after)
			if !ok {
				r = after
				continue
			}
			theirs, err := after.With(others, shelf{})
			require.NoError(t, err)
			back, met = mine.Inverse().Onto(theirs, false)
			for _, m := range met {
				require.True(t, others.Touches(m), "%+v", m)
				require.NotEmpty(t, m.Name)
				meetings++
			}
			if !mine.Meets(others) {
				require.Empty(t, met)
				apart++
			}
			if without, err := theirs.With(back, shelf{}); err == nil {
				stays(t, others, mine, theirs, without)
			}
			r = theirs
		}
	}
	assert.Greater(t, meetings, 20)
	assert.Greater(t, apart, 200)
}

// stays holds every object that only the others have touched to what they made it.
func stays(t *testing.T, others, mine Change, theirs, without *Reel) {
	touched, own := reflect.ValueOf(TouchedBy(others)), reflect.ValueOf(TouchedBy(mine))
	for i := range touched.NumField() {
		name := touched.Type().Field(i).Name
		if name == "Head" {
			continue
		}
		a, b := reflect.ValueOf(theirs).Elem().FieldByName(name), reflect.ValueOf(without).Elem().FieldByName(name)
		for _, id := range touched.Field(i).MapKeys() {
			if own.Field(i).MapIndex(id).IsValid() {
				continue
			}
			x, y := a.MapIndex(id), b.MapIndex(id)
			require.Equal(t, x.IsValid(), y.IsValid(), "%s %s", name, id)
			if x.IsValid() {
				require.Equal(t, x.Interface(), y.Interface(), "%s %s", name, id)
			}
		}
	}
}

func someReel(rnd *rand.Rand, commands int) *Reel {
	r := ferry()
	for range commands {
		if c, ok := someChange(rnd, r); ok {
			r, _ = r.With(c, shelf{})
		}
	}
	return r
}

// someChange is one that a reel takes.
func someChange(rnd *rand.Rand, r *Reel) (Change, bool) {
	for range 20 {
		_, c := randomCommand(rnd, r)
		change, _, err := c.Plan(r, shelf{})
		if err != nil || change.Empty() {
			continue
		}
		if _, err := r.With(change, shelf{}); err == nil {
			return change, true
		}
	}
	return Change{}, false
}

// plainly is all of a reel but the counter of its objects.
func plainly(t *testing.T, r *Reel) string {
	r = r.Clone()
	r.Head = r.Head.counted(0)
	b, err := json.Marshal(r)
	require.NoError(t, err)
	return string(b)
}

// Fields, keys of a map and what a pointer leads to are told apart; what was made otherwise since is met, and set all the same where that is meant.
func TestFieldsAreToldApart(t *testing.T) {
	r := ferry()
	track := func(change func(*Track)) Track {
		x := Track{ID: "t1", Name: "Boom", Stem: "DX", Labels: []string{"M"}, Curves: map[Parameter][]Point{"front": {{At: 1, Value: 1}}}}
		change(&x)
		return x
	}
	before, after := track(func(*Track) {}), track(func(x *Track) {
		x.GainDB, x.Curves = -3, map[Parameter][]Point{"front": {{At: 1, Value: 1}}, "up": {{At: 2, Value: 0.5}}}
	})
	back := Change{Tracks: []Put[Track]{{ID: "t1", Before: &before, After: &after}}}.Inverse()
	for name, c := range map[string]struct {
		now  func(*Track)
		want func(*Track)
		met  bool
	}{
		"a mute stays":             {func(x *Track) { x.Mute = true }, func(x *Track) { x.Mute = true }, false},
		"another curve stays":      {func(x *Track) { x.Curves["front"] = nil }, func(x *Track) { x.Curves["front"] = nil }, false},
		"a new curve stays":        {func(x *Track) { x.Curves["spread"] = []Point{{}} }, func(x *Track) { x.Curves["spread"] = []Point{{}} }, false},
		"it is as it was by now":   {func(x *Track) { x.GainDB = 0 }, func(*Track) {}, false},
		"the same gain is met":     {func(x *Track) { x.GainDB = -9 }, func(x *Track) { x.GainDB = -9 }, true},
		"the same curve is met":    {func(x *Track) { x.Curves["up"] = []Point{{}} }, func(x *Track) { x.Curves["up"] = []Point{{}} }, true},
		"the curve has gone again": {func(x *Track) { delete(x.Curves, "up") }, func(*Track) {}, false},
	} {
		t.Run(name, func(t *testing.T) {
			now := track(func(x *Track) {
				x.GainDB, x.Curves = -3, map[Parameter][]Point{"front": {{At: 1, Value: 1}}, "up": {{At: 2, Value: 0.5}}}
				c.now(x)
			})
			r.Tracks = map[string]Track{"t1": now}
			fits, met := back.Onto(r, false)
			assert.Equal(t, c.met, len(met) > 0)
			put(r.Tracks, fits.Tracks)
			want := before
			want.Curves = map[Parameter][]Point{"front": {{At: 1, Value: 1}}}
			c.want(&want)
			assert.Equal(t, want, r.Tracks["t1"])
			if c.met {
				assert.Equal(t, "track Boom", met[0].Name)
				r.Tracks = map[string]Track{"t1": now}
				fits, _ = back.Onto(r, true)
				put(r.Tracks, fits.Tracks)
				assert.Equal(t, before, r.Tracks["t1"])
			}
		})
	}
	r.Tracks = map[string]Track{}
	fits, met := back.Onto(r, false)
	assert.Empty(t, fits.Tracks)
	require.Len(t, met, 1)
	assert.True(t, met[0].Gone)
	fits, _ = back.Onto(r, true)
	assert.Equal(t, []Put[Track]{{ID: "t1", After: &before}}, fits.Tracks)
}

// Two changes meet where they are of the same field, or of whether something is there. Where a clip lies is one thing.
func TestWhatMeets(t *testing.T) {
	r := filled(t)
	track := func(did func(*Track)) Change {
		was := r.Tracks["t1"]
		is := was
		did(&is)
		return Change{Tracks: []Put[Track]{{"t1", &was, &is}}}
	}
	clip := func(did func(*Clip)) Change {
		was := r.Clips["c1"]
		is := was
		did(&is)
		return Change{Clips: []Put[Clip]{{"c1", &was, &is}}}
	}
	head := func(did func(*Head)) Change {
		was := r.Head
		is := was
		did(&is)
		return Change{Head: []Put[Head]{{"", &was, &is}}}
	}
	was := r.Tracks["t1"]
	gone := Change{Tracks: []Put[Track]{{"t1", &was, nil}}}
	muted := track(func(x *Track) { x.Mute = !x.Mute })
	moved := clip(func(x *Clip) { x.Start += 10 })
	for name, c := range map[string]struct {
		a, b  Change
		meets bool
	}{
		"mute and gain":          {muted, track(func(x *Track) { x.GainDB -= 3 }), false},
		"gain and gain":          {track(func(x *Track) { x.GainDB = -11 }), track(func(x *Track) { x.GainDB = -12 }), true},
		"pan and front":          {track(func(x *Track) { x.Feed.Pan = 0.9 }), track(func(x *Track) { x.Feed.Front = 0.9 }), false},
		"pan and pan":            {track(func(x *Track) { x.Feed.Pan = 0.9 }), track(func(x *Track) { x.Feed.Pan = 0.8 }), true},
		"what is gone":           {gone, muted, true},
		"another object":         {muted, moved, false},
		"a move and a trim":      {moved, clip(func(x *Clip) { x.Length -= 5 }), true},
		"a move and a gain":      {moved, clip(func(x *Clip) { x.GainDB -= 5 }), false},
		"the name and the start": {head(func(h *Head) { h.Name = "Night" }), head(func(h *Head) { h.Start++ }), false},
		"two names":              {head(func(h *Head) { h.Name = "Night" }), head(func(h *Head) { h.Name = "Day" }), true},
		"the counter":            {head(func(h *Head) { h.Next += 2 }), head(func(h *Head) { h.Next++ }), false},
	} {
		assert.Equal(t, c.meets, c.a.Meets(c.b), name)
		assert.Equal(t, c.meets, c.b.Meets(c.a), name)
	}
}
