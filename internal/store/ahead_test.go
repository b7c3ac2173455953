package store_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/internal/store"
	"zestyloom/internal/store/storetest"
)

// A page that makes edits one after another, each on what those before have made, says of all of them what it had seen before the first: none of its own
// stands in the way of those that follow, and what others have done since does.
func TestEditsThatBuildOnEachOther(t *testing.T) {
	s := storetest.Open(t)
	id, take := crossing(t, s)
	o, err := s.Do(ctx, id, 1, "ines", command(reel.AddTake{Take: take, Title: "14/1", Length: 100,
		Parts: []reel.PartPlan{{Name: "Lav", Stem: "DX", Channels: []int{0}, Labels: []string{"M"}}}}))
	require.NoError(t, err)
	seen, boom := o.Revision, o.Reel.TrackList()[0].ID
	set := func(key string, dB float64) error {
		_, err := s.DoOnce(ctx, key, id, seen, "ines", command(reel.SetTrack{Track: boom, GainDB: &dB}))
		return err
	}
	require.NoError(t, set("page.1", -3))
	require.NoError(t, set("page.2", -4))
	require.NoError(t, set("page.10", -5))
	assert.Equal(t, fault.Stale, fault.KindOf(set("another.11", -6)), "who has not seen it")
	assert.Equal(t, fault.Stale, fault.KindOf(set("pag.12", -6)), "a key that only begins alike")
	assert.Equal(t, fault.Stale, fault.KindOf(set("page", -6)), "a key of nothing before")
	o, err = s.Do(ctx, id, seen+3, "tobiah", command(reel.SetTrack{Track: boom, GainDB: new(-9.0)}))
	require.NoError(t, err)
	assert.Equal(t, fault.Stale, fault.KindOf(set("page.11", -6)), "somebody else has")
}

// What an edit makes is named by its key, so that edits that follow it can be made before the server has answered.
func TestWhatAnEditMakesIsNamedByItsKey(t *testing.T) {
	s := storetest.Open(t)
	id, _ := crossing(t, s)
	add := reel.AddTrack{Name: "Spot", Labels: []string{"M"}, Stem: "FX"}
	o, err := s.Reel(ctx, id)
	require.NoError(t, err)
	here, err := planned(o.Reel, "page.7", add)
	require.NoError(t, err)
	_, err = s.Do(ctx, id, o.Revision, "tobiah", command(add)) // the counter goes on
	require.NoError(t, err)
	o, err = s.DoOnce(ctx, "page.7", id, o.Revision, "ines", command(add))
	require.NoError(t, err)
	assert.Contains(t, o.Reel.Tracks, here)
	other, err := planned(o.Reel, "page.8", add)
	require.NoError(t, err)
	assert.NotContains(t, o.Reel.Tracks, other)
}

func planned(r *reel.Reel, key string, c reel.Command) (track string, err error) {
	change, _, err := c.Plan(r.Under(key), nil)
	if err != nil {
		return "", err
	}
	return change.Tracks[0].ID, nil
}

// A step is named by its key as well as by its revision, which a page does not know yet.
func TestAStepIsTakenBackByItsKey(t *testing.T) {
	s := storetest.Open(t)
	id, _ := crossing(t, s)
	add := func(key, name string) {
		_, err := s.DoOnce(ctx, key, id, 0, "ines", command(reel.AddTrack{Name: name, Labels: []string{"M"}, Stem: "FX"}))
		require.NoError(t, err)
	}
	add("page.1", "Spot")
	add("page.2", "Wash")
	assert.Equal(t, "page.2", turns(t, s, id, "ines").UndoKey)
	o, err := s.Undo(ctx, id, "ines", "page.3", store.Turning{Key: "page.1"})
	require.NoError(t, err)
	names := func(r *reel.Reel) (list []string) {
		for _, track := range r.TrackList() {
			list = append(list, track.Name)
		}
		return list
	}
	assert.Equal(t, []string{"Boom", "Wash"}, names(o.Reel))
	assert.Equal(t, "page.1", turns(t, s, id, "ines").RedoKey)
	again, err := s.Undo(ctx, id, "ines", "page.3", store.Turning{Key: "page.1"})
	require.NoError(t, err, "an answer may have been lost")
	assert.Equal(t, o.Revision, again.Revision)
	_, err = s.Undo(ctx, id, "ines", "page.4", store.Turning{Key: "page.1"})
	assert.Equal(t, fault.BadInput, fault.KindOf(err), "it has been taken back")
	o, err = s.Redo(ctx, id, "ines", "page.5", store.Turning{Key: "page.1"})
	require.NoError(t, err)
	assert.Equal(t, []string{"Boom", "Spot", "Wash"}, names(o.Reel))
}
