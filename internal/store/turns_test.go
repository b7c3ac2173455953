package store_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/internal/store"
	"zestyloom/internal/store/storetest"
)

// Somebody's mute is no obstacle to taking back one's own gain; the same field is, and it is said whose step is in the way, which may be set back
// anyway or passed by. Steps of others are taken back by choice.
func TestTurnsAmongSeveral(t *testing.T) {
	s := storetest.Open(t)
	id, take := crossing(t, s)
	o, err := s.Do(ctx, id, 1, "ines", command(reel.AddTake{Take: take, Title: "14/1", Length: 100,
		Parts: []reel.PartPlan{{Name: "Lav", Stem: "DX", Channels: []int{0}, Labels: []string{"M"}}}}))
	require.NoError(t, err)
	boom := o.Reel.TrackList()[0].ID
	do := func(author string, c reel.Command) {
		o, err = s.Do(ctx, id, o.Revision, author, command(c))
		require.NoError(t, err)
	}
	set := func(author string, dB float64) { do(author, reel.SetTrack{Track: boom, GainDB: &dB}) }
	set("ines", -3)
	do("tobiah", reel.SetTrack{Track: boom, Mute: new(true)})
	o, err = s.Undo(ctx, id, "ines", "", store.Turning{})
	require.NoError(t, err)
	assert.Zero(t, o.Reel.Tracks[boom].GainDB)
	assert.True(t, o.Reel.Tracks[boom].Mute, "nobody's undo changes what only the other did")
	o, err = s.Redo(ctx, id, "ines", "", store.Turning{})
	require.NoError(t, err)

	// The same field.
	first := o.Revision
	set("ines", -4)
	set("tobiah", -9)
	_, err = s.Undo(ctx, id, "ines", "", store.Turning{})
	var met *store.MetError
	require.ErrorAs(t, err, &met)
	assert.Equal(t, fault.Met, fault.KindOf(err))
	assert.Equal(t, `tobiah has changed track Boom since (gain of Boom), so "gain of Boom" can't be taken back as it was`, fault.Sentence(err))
	assert.Equal(t, first+1, met.Step)
	assert.False(t, met.At.IsZero())
	assert.Equal(t, "gain of Boom", turns(t, s, id, "ines").Undo, "a refusal changes nothing")
	_, err = s.Undo(ctx, id, "ines", "", store.Turning{Pass: true})
	assert.Equal(t, fault.BadInput, fault.KindOf(err), "which one is to be said")
	passed, err := s.Undo(ctx, id, "ines", "", store.Turning{Step: met.Step, Pass: true})
	require.NoError(t, err)
	assert.Equal(t, o.Revision, passed.Revision)
	_, err = s.Undo(ctx, id, "ines", "", store.Turning{Step: met.Step, Pass: true})
	require.NoError(t, err, "an answer may have been lost")
	_, err = s.Undo(ctx, id, "ines", "", store.Turning{})
	require.ErrorAs(t, err, &met)
	assert.Less(t, met.Step, first, "the one before is reached")
	o, err = s.Undo(ctx, id, "ines", "", store.Turning{Step: met.Step, Over: true})
	require.NoError(t, err)
	assert.Zero(t, o.Reel.Tracks[boom].GainDB)
	assert.True(t, o.Reel.Tracks[boom].Mute)

	// Another's, by choice; and back again.
	steps, err := s.History(ctx, id, 1<<60, 100)
	require.NoError(t, err)
	for _, st := range steps {
		if st.Author == "tobiah" && st.Name == "mute Boom" {
			o, err = s.Undo(ctx, id, "ines", "", store.Turning{Step: st.Revision})
			require.NoError(t, err)
			assert.False(t, o.Reel.Tracks[boom].Mute)
			o, err = s.Redo(ctx, id, "ines", "", store.Turning{Step: st.Revision})
			require.NoError(t, err)
			assert.True(t, o.Reel.Tracks[boom].Mute)
		}
	}

	o, err = s.Undo(ctx, id, "ines", "", store.Turning{Step: first + 1, Over: true})
	require.NoError(t, err, "what was passed by is taken back once it is named")
	assert.Equal(t, -3.0, o.Reel.Tracks[boom].GainDB)
	o, err = s.Redo(ctx, id, "ines", "", store.Turning{Step: first + 1})
	require.NoError(t, err)

	// What the rules of the reel are against is met as well: the row of a clip that was taken off is gone.
	var clip string
	for _, c := range o.Reel.Clips {
		if c.Track == boom {
			clip = c.ID
		}
	}
	do("ines", reel.RemoveClips{Clips: []string{clip}})
	do("tobiah", reel.RemoveTracks{Tracks: []string{boom}, Yes: true})
	_, err = s.Undo(ctx, id, "ines", "", store.Turning{})
	require.ErrorAs(t, err, &met)
	assert.NotContains(t, err.Error(), clip, "names, never IDs")
	_, err = s.Undo(ctx, id, "ines", "", store.Turning{Step: met.Step, Pass: true})
	require.NoError(t, err)
}

// Two people edit and take back what they like: from any state each can take back all of their own, in any case, and nobody's undo changes what only
// the other did.
func TestTwoTakeBackAllOfTheirOwn(t *testing.T) {
	s := storetest.Open(t)
	id, take := crossing(t, s)
	var parts []reel.PartPlan
	for i := range 6 {
		parts = append(parts, reel.PartPlan{Name: fmt.Sprintf("Mic %d", i), Stem: "DX", Channels: []int{0}, Labels: []string{"M"}})
	}
	o, err := s.Do(ctx, id, 1, "start", command(reel.AddTake{Take: take, Title: "14/1", Length: 100, Parts: parts}))
	require.NoError(t, err)
	tracks := o.Reel.TrackList()
	r := rand.New(rand.NewPCG(29, 11))
	last := map[string]map[string]string{} // who set what last: author by track and field
	random := func(author string) reel.Command {
		x := tracks[r.IntN(len(tracks))]
		field := []string{"gain", "mute", "name"}[r.IntN(3)]
		if last[x.ID] == nil {
			last[x.ID] = map[string]string{}
		}
		if was := last[x.ID][field]; was != "" && was != author {
			last[x.ID][field] = "both"
		} else {
			last[x.ID][field] = author
		}
		switch field {
		case "gain":
			return reel.SetTrack{Track: x.ID, GainDB: new(float64(-r.IntN(40)) / 4)}
		case "mute":
			return reel.SetTrack{Track: x.ID, Mute: new(r.IntN(2) == 0)}
		}
		return reel.SetTrack{Track: x.ID, Name: new(fmt.Sprintf("%s %d", author, r.IntN(1000)))}
	}
	turn := func(author string, way func(store.Turning) (store.OpenReel, error)) bool {
		before := o.Reel
		now, err := way(store.Turning{})
		var met *store.MetError
		switch fault.KindOf(err) {
		case fault.Met:
			require.ErrorAs(t, err, &met)
			now, err = way(store.Turning{Step: met.Step, Over: r.IntN(2) == 0, Pass: true})
			require.NoError(t, err)
		case fault.BadInput:
			require.ErrorContains(t, err, "nothing to")
			return false
		default:
			require.NoError(t, err)
		}
		for _, x := range before.TrackList() {
			y := now.Reel.Tracks[x.ID]
			for field, same := range map[string]bool{"gain": x.GainDB == y.GainDB, "mute": x.Mute == y.Mute, "name": x.Name == y.Name} {
				if by := last[x.ID][field]; by != author && by != "both" {
					require.True(t, same, "%s of %s is not %s's", field, x.Name, author)
				}
			}
		}
		o = now
		return true
	}
	undo := func(author string) func(store.Turning) (store.OpenReel, error) {
		return func(how store.Turning) (store.OpenReel, error) { return s.Undo(ctx, id, author, "", how) }
	}
	redo := func(author string) func(store.Turning) (store.OpenReel, error) {
		return func(how store.Turning) (store.OpenReel, error) { return s.Redo(ctx, id, author, "", how) }
	}
	people := []string{"ines", "tobiah"}
	for range 2000 {
		author := people[r.IntN(2)]
		switch r.IntN(8) {
		default:
			now, err := s.Do(ctx, id, o.Revision, author, command(random(author)))
			require.NoError(t, err)
			o = now
		case 0, 1:
			turn(author, undo(author))
		case 2:
			turn(author, redo(author))
		}
	}
	for _, author := range people {
		n := 0
		for turn(author, undo(author)) {
			n++
		}
		assert.Greater(t, n, 50)
		assert.Empty(t, turns(t, s, id, author).Undo)
	}
}
