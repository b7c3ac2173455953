package ahead_test

import (
	"encoding/json"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/ahead"
	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
	"zestyloom/core/view"
)

// crossing is a reel with one track, as a server gives it.
func crossing(t testing.TB) view.Reel {
	r := reel.New("Crossing", 48000, timecode.Rate{Num: 25, Den: 1}, 0, reel.DefaultStems())
	r, err := reel.Try(r, reel.AddTrack{Name: "Boom", Labels: []string{"M"}, Stem: "DX"}, nil)
	require.NoError(t, err)
	return view.Whole(r, view.Of{ID: "r", Revision: 4, Turns: view.Turns{Undo: "add track Boom", UndoKey: "old.1"}})
}

func gain(key string, dB float64) ahead.Edit {
	body, _ := json.Marshal(reel.Send(reel.SetTrack{Track: "t1", GainDB: &dB}))
	return ahead.Edit{Key: key, Kind: ahead.Command, Body: body}
}

// answer is what the server says once it has made an edit that changes the track.
func answer(r *ahead.Reel, dB float64, key string) view.Reel {
	v := r.Whole()
	track := v.Tracks[0]
	track.GainDB = dB
	return view.Reel{ID: "r", Revision: v.Revision + 1, Head: v.Head, Tracks: []reel.Track{track}, Turns: view.Turns{Undo: "gain of Boom", UndoKey: key},
		Since: &view.Since{Revision: v.Revision}}
}

func TestAnEditIsShownAndConfirmed(t *testing.T) {
	r := ahead.Open(crossing(t))
	did, err := r.Do(gain("me.1", -3))
	require.NoError(t, err)
	assert.True(t, did.Shown)
	assert.Equal(t, "gain of Boom", did.Name)
	assert.Equal(t, -3.0, did.View.Tracks[0].GainDB)
	assert.Equal(t, "gain of Boom", did.View.Undo)
	again, err := r.Do(gain("me.1", -3))
	require.NoError(t, err, "asked for twice it is one")
	assert.True(t, again.View.Empty())
	assert.Equal(t, 1, r.Waiting())

	v, err := r.Follow(answer(r, -3, "me.1"), "me.1")
	require.NoError(t, err)
	assert.True(t, v.Empty(), "what is shown is what was made")
	assert.Equal(t, int64(5), v.Revision)
	assert.Zero(t, r.Waiting())
}

func TestWhatTheServerMakesOfItIsWhatCounts(t *testing.T) {
	r := ahead.Open(crossing(t))
	_, err := r.Do(gain("me.1", -3))
	require.NoError(t, err)
	v, err := r.Follow(answer(r, -4, "me.1"), "me.1")
	require.NoError(t, err)
	assert.Equal(t, -4.0, v.Tracks[0].GainDB)
	did, err := r.Do(ahead.Edit{Key: "me.2", Kind: ahead.Undo})
	require.NoError(t, err)
	assert.False(t, did.Shown, "what it would be taken back to is not known here")
}

func TestAnEditIsRefused(t *testing.T) {
	r := ahead.Open(crossing(t))
	_, err := r.Do(gain("me.1", 500))
	assert.Equal(t, fault.BadInput, fault.KindOf(err))
	assert.Zero(t, r.Waiting())
	_, err = r.Do(gain("me.2", -3))
	require.NoError(t, err)
	v := r.Refuse("me.2")
	assert.Zero(t, v.Tracks[0].GainDB)
	assert.Equal(t, "add track Boom", v.Undo)
	assert.True(t, r.Refuse("me.2").Empty(), "it waits no more")
}

func TestWhatIsNotKnownHereWaits(t *testing.T) {
	unsure, kept := gain("me.1", -3), reel.Send(reel.SetReel{Picture: &reel.PictureChoice{Take: "p"}})
	unsure.Unsure = true
	picture, err := json.Marshal(kept)
	require.NoError(t, err)
	for name, e := range map[string]ahead.Edit{
		"a spec":                       {Key: "me.1", Kind: ahead.Other},
		"a picture":                    {Key: "me.1", Kind: ahead.Command, Body: picture},
		"what may have been made":      unsure,
		"a step of before":             {Key: "me.1", Kind: ahead.Undo},
		"what was never taken back":    {Key: "me.1", Kind: ahead.Redo},
		"a kind that there is not yet": {Key: "me.1", Kind: "dance"},
	} {
		r := ahead.Open(crossing(t))
		did, err := r.Do(e)
		require.NoError(t, err, name)
		assert.False(t, did.Shown, name)
		assert.True(t, did.View.Empty(), name)
		assert.Equal(t, 1, r.Waiting(), name)
		assert.False(t, r.Shows("me.1"), name)
		assert.Equal(t, "add track Boom", did.View.Undo, name)
	}
}

// Whoever presses again before the server has answered has a step to press for, whether or not it is known which.
func TestWhatUndoAndRedoSay(t *testing.T) {
	r := ahead.Open(crossing(t))
	says := func(e ahead.Edit, undo, redo string) {
		did, err := r.Do(e)
		require.NoError(t, err)
		assert.Equal(t, undo, did.View.Undo, e.Key)
		assert.Equal(t, redo, did.View.Redo, e.Key)
	}
	says(gain("me.1", -3), "gain of Boom", "")
	says(ahead.Edit{Key: "me.2", Kind: ahead.Undo}, "the step before that", "gain of Boom")
	says(ahead.Edit{Key: "me.3", Kind: ahead.Redo}, "gain of Boom", "")
	says(ahead.Edit{Key: "me.4", Kind: ahead.Undo}, "the step before that", "gain of Boom")
	says(gain("me.5", -6), "gain of Boom", "")
	says(ahead.Edit{Key: "me.6", Kind: ahead.Other}, "add track Boom", "")
}

func TestWhatDoesNotFit(t *testing.T) {
	r := ahead.Open(crossing(t))
	_, err := r.Follow(view.Reel{Revision: 9, Since: &view.Since{Revision: 7}}, "")
	assert.ErrorIs(t, err, ahead.ErrGap)
	_, err = r.Do(gain("me.1", -3))
	require.NoError(t, err)
	whole := crossing(t)
	whole.Revision = 9
	v, err := r.Follow(whole, "")
	require.NoError(t, err)
	assert.Equal(t, -3.0, v.Tracks[0].GainDB, "what waits is on it")
	late := crossing(t)
	late.Revision, late.Since = 6, &view.Since{Revision: 4}
	v, err = r.Follow(late, "")
	require.NoError(t, err)
	assert.Equal(t, int64(9), v.Revision, "it was overtaken")
}

// What a page asks is answered, whatever it is.
func FuzzAsk(f *testing.F) {
	v, err := json.Marshal(crossing(f))
	require.NoError(f, err)
	edit, err := json.Marshal(gain("me.1", -3))
	require.NoError(f, err)
	for _, q := range []string{`{"reel":"r","do":%s}`, `{"reel":"r","follow":%s}`, `{"reel":"r","whole":true}`, `{"reel":"r","routing":true}`,
		`{"reel":"r","refuse":"me.1"}`, `{"reel":"x","close":true}`, `nothing`} {
		f.Add(fmt.Appendf(nil, q, edit))
	}
	f.Fuzz(func(t *testing.T, question []byte) {
		all := ahead.Reels{}
		all.Ask(fmt.Appendf(nil, `{"reel":"r","open":%s}`, v))
		for range 2 {
			var a ahead.Answer
			require.NoError(t, json.Unmarshal(all.Ask(question), &a))
		}
	})
}

func ExampleReel() {
	page := ahead.Open(view.Whole(reel.New("Crossing", 48000, timecode.Rate{Num: 25, Den: 1}, 0, reel.DefaultStems()), view.Of{ID: "r", Revision: 1}))
	body, _ := json.Marshal(reel.Send(reel.AddTrack{Name: "Boom", Labels: []string{"M"}, Stem: "DX"}))
	did, _ := page.Do(ahead.Edit{Key: "page.1", Kind: ahead.Command, Body: body})
	fmt.Println(did.Name, did.Shown, did.View.Tracks[0].Name, page.Waiting())
	// Output: add track Boom true Boom 1
}
