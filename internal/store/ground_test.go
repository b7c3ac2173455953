package store_test

import (
	"fmt"
	"math/rand/v2"
	"sync"
	"testing"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/core/take"
	"zestyloom/internal/store"
	"zestyloom/internal/store/storetest"
)

func lay(takeID string) reel.Command {
	return reel.AddTake{Take: takeID, Title: "x", Length: 1000, Parts: []reel.PartPlan{{Name: "x", Stem: "DX", Channels: []int{0},
		Labels: []string{"M"}}}}
}

// A1. What is written under a claim that has been lost is not written.
func TestALostClaimWritesNothing(t *testing.T) {
	s := storetest.Open(t)
	p := ferry(t, s)
	c, err := claimed(s, p.ID)
	require.NoError(t, err)
	require.NoError(t, s.SetProgress(ctx, c, 0.5))
	for name, lost := range map[string]store.Claim{"another's": {Work: c.Work, Token: uuid.NewString()},
		"none's": {Work: uuid.NewString(), Token: c.Token}, "nonsense": {Work: c.Work, Token: "x"}} {
		assert.ErrorIs(t, s.SetProgress(ctx, lost, 0.9), store.ErrLost, name)
		assert.ErrorIs(t, s.SetOutcomes(ctx, lost, nil), store.ErrLost, name)
		assert.ErrorIs(t, s.EndWork(ctx, lost, store.End{State: "done"}), store.ErrLost, name)
		assert.ErrorIs(t, s.ReleaseWork(ctx, lost), store.ErrLost, name)
		assert.ErrorIs(t, s.PutMatch(ctx, lost, p.ID, store.Match{}), store.ErrLost, name)
		_, err := s.AddTakes(ctx, lost, []store.Take{{Production: p.ID, SHA256: "a"}}, false)
		assert.ErrorIs(t, err, store.ErrLost, name)
		_, err = s.AddConverted(ctx, lost, "ines", store.Take{Production: p.ID}, store.Converted{})
		assert.ErrorIs(t, err, store.ErrLost, name)
	}
	w, err := s.Work(ctx, c.Work)
	require.NoError(t, err)
	assert.Equal(t, []any{"running", 0.5}, []any{w.State, w.Progress})
	require.NoError(t, pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error { _, err := s.CancelWork(ctx, tx, c.Work); return err }))
	assert.ErrorIs(t, s.EndWork(ctx, c, store.End{State: "done"}), store.ErrLost, "it was cancelled")
	lost, err := s.Lost(ctx, []string{c.Token})
	require.NoError(t, err)
	assert.Equal(t, []string{c.Token}, lost)
}

// A1. Work of a worker that has died is free, that of one that lives is not, also just after the database was started.
func TestOnlyTheDeadLoseTheirWork(t *testing.T) {
	cluster := storetest.NewCluster(t)
	s, err := store.Open(ctx, cluster.URL)
	require.NoError(t, err)
	defer s.Close()
	p := ferry(t, s)
	alive, dead, me := s.NewWorker(""), s.NewWorker(""), s.NewWorker("")
	claims := map[string]store.Claim{}
	for name, w := range map[string]*store.Worker{"alive": alive, "dead": dead, "me": me} {
		require.NoError(t, w.Beat(ctx))
		c := store.Claim{Work: uuid.NewString(), Token: uuid.NewString()}
		require.NoError(t, s.AddArriving(ctx, c.Work, p.ID, name, struct{}{}))
		require.NoError(t, pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error { _, err := s.Arrived(ctx, tx, c.Work); return err }))
		_, ok, err := s.ClaimWork(ctx, c, w.ID)
		require.NoError(t, err)
		require.True(t, ok)
		_, ok, err = s.ClaimWork(ctx, store.Claim{Work: c.Work, Token: uuid.NewString()}, w.ID)
		require.NoError(t, err)
		require.False(t, ok, "what is claimed is claimed once")
		claims[name] = c
	}
	free := func(held ...string) (ids []string) {
		require.Eventually(t, func() bool {
			return pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
				freed, err := me.Free(ctx, tx, append([]string{}, held...))
				for _, f := range freed {
					ids = append(ids, f.ID)
				}
				return err
			}) == nil
		}, retrying, tick)
		return ids
	}
	mine := claims["me"].Token
	assert.Empty(t, free(mine))
	dead.Abandon()
	var freed []string
	// PostgreSQL lets the lock go when it has seen that the connection is gone, which takes it a moment.
	require.Eventually(t, func() bool { freed = append(freed, free(mine)...); return len(freed) > 0 }, retrying, tick)
	assert.Equal(t, []string{claims["dead"].Work}, freed)
	cluster.Stop()
	cluster.Start()
	require.Eventually(t, func() bool { return me.Beat(ctx) == nil }, retrying, tick)
	assert.Empty(t, free(mine), "after a start of the database nobody holds a lock, and that says nothing")
	require.Eventually(t, func() bool { return alive.Beat(ctx) == nil }, retrying, tick)
	assert.Empty(t, free(mine))
	assert.Equal(t, []string{claims["me"].Work}, free(), "what this process does not know of")
}

// A5. A reel refers to takes of its production alone, and keeps what it ever used.
func TestReelsReferToTakesThatAreThere(t *testing.T) {
	s := storetest.Open(t)
	id, takeID := crossing(t, s)
	o, err := s.Do(ctx, id, 1, "ines", command(lay(takeID)))
	require.NoError(t, err)
	var clip reel.Clip
	for _, c := range o.Reel.Clips {
		if c.Length == 1000 {
			clip = c
		}
	}
	line := reel.Span{From: clip.Start, To: clip.Start + 500}
	other, err := s.CreateProduction(ctx, "Another", pal)
	require.NoError(t, err)
	foreign := addTake(t, s, other.ID, "f")
	gone := addTake(t, s, o.Production, "g")
	_, err = s.RemoveTake(ctx, gone)
	require.NoError(t, err)
	for name, takeID := range map[string]string{"none": uuid.NewString(), "nonsense": "t", "of another production": foreign,
		"removed": gone} {
		_, err := s.Do(ctx, id, o.Revision, "ines", command(lay(takeID)))
		assert.Equal(t, fault.NotFound, fault.KindOf(err), "%s: %v", name, err)
		_, err = s.Do(ctx, id, o.Revision, "ines", command(reel.Borrow{Clip: clip.ID, Channel: 0, Span: line, Take: takeID,
			TakeChannel: 0}))
		assert.Equal(t, fault.NotFound, fault.KindOf(err), "borrowed, %s: %v", name, err)
		for _, revision := range []int64{o.Revision, 0} { // a picture goes on without the take, to what needs the transaction
			_, err = s.Do(ctx, id, revision, "ines", command(reel.SetReel{Picture: &reel.PictureChoice{Take: takeID, Start: new(int64(9))}}))
			assert.Equal(t, fault.NotFound, fault.KindOf(err), "picture, %s, at %d: %v", name, revision, err)
		}
	}
	lender := addTake(t, s, o.Production, "l")
	_, err = s.Do(ctx, id, o.Revision, "ines", command(reel.Borrow{Clip: clip.ID, Channel: 0, Span: line, Take: lender, TakeChannel: 0}))
	require.NoError(t, err)
	_, err = s.RemoveTake(ctx, lender)
	assert.ErrorContains(t, err, "Reel 1 uses this take")
	// A reel keeps a group that was taken apart, and the group its files.
	a, b := addTake(t, s, o.Production, "a1"), addTake(t, s, o.Production, "b1")
	group, err := s.Group(ctx, o.Production, "ines", []string{a, b})
	require.NoError(t, err)
	_, err = s.Do(ctx, id, o.Revision, "ines", command(lay(group)))
	require.NoError(t, err)
	require.NoError(t, s.TakeApart(ctx, group, "ines"))
	_, err = s.RemoveTake(ctx, a)
	assert.ErrorContains(t, err, "is made of this take")
	require.NoError(t, removeReel(s, id))
	_, err = s.RemoveTake(ctx, takeID)
	assert.NoError(t, err, "nothing uses it any more")
}

// A6. Undo takes back what its author did, and nothing that others have done since.
func TestUndoOfTakesIsByAuthorAndByField(t *testing.T) {
	s := storetest.Open(t)
	p := ferry(t, s)
	a := addTake(t, s, p.ID, "a")
	do := func(author string, e store.TakeEdit) {
		_, err := s.EditTakes(ctx, p.ID, author, []string{a}, e)
		require.NoError(t, err)
	}
	do("ines", store.TakeEdit{Channels: []store.ChannelEdit{{Index: 1, Name: ptr("Boom near")}}})
	do("tobiah", store.TakeEdit{Slate: store.Slate{Note: ptr("windy")}})
	require.NoError(t, s.UndoTakeEdit(ctx, p.ID, 0, "ines"))
	got, err := s.Take(ctx, a)
	require.NoError(t, err)
	assert.Equal(t, []string{"Boom", "windy"}, []string{got.Channels[0].Name, got.Description.Note})
	assert.Equal(t, fault.Stale, fault.KindOf(s.UndoTakeEdit(ctx, p.ID, 0, "ines")), "what is left is another's, and was not seen")
	h, err := s.TakeHistory(ctx, p.ID, "ines")
	require.NoError(t, err)
	assert.Equal(t, []string{"note (tobiah)", "name channel 1"}, []string{h.Undo, h.Redo})
	do("tobiah", store.TakeEdit{Channels: []store.ChannelEdit{{Index: 1, Name: ptr("Boom far")}}})
	assert.Equal(t, fault.Stale, fault.KindOf(s.RedoTakeEdit(ctx, p.ID, 0, "ines")), "the name has been changed since")
	got, err = s.Take(ctx, a)
	require.NoError(t, err)
	assert.Equal(t, "Boom far", got.Channels[0].Name)
}

// A6. Edits and undos of several people at once: whatever was confirmed and not taken back by its author is there.
func TestEditsAndUndosOfTakesAtOnceLoseNothing(t *testing.T) {
	s := storetest.Open(t)
	p := ferry(t, s)
	var takes []string
	for i := range 3 {
		id, err := add(s, store.Take{Production: p.ID, Kind: take.Recording, FileName: fmt.Sprint(i), SHA256: fmt.Sprint(i),
			Description: take.Description{Channels: 4}, Channels: make([]store.Channel, 4)})
		require.NoError(t, err)
		takes = append(takes, id)
	}
	var all sync.WaitGroup
	want := make([][3]string, 4) // each editor has a channel, on all takes
	for editor := range 4 {
		all.Go(func() {
			author := fmt.Sprint("editor", editor)
			var before []([3]string)
			for i := range 15 {
				if len(before) > 0 && rand.IntN(3) == 0 {
					if !assert.NoError(t, s.UndoTakeEdit(ctx, p.ID, 0, author)) {
						return
					}
					want[editor], before = before[len(before)-1], before[:len(before)-1]
					continue
				}
				name, some := fmt.Sprintf("%d-%d", editor, i), takes[:1+rand.IntN(3)]
				if _, err := s.EditTakes(ctx, p.ID, author, some, store.TakeEdit{Channels: []store.ChannelEdit{{Index: editor + 1,
					Name: &name}}}); !assert.NoError(t, err) {
					return
				}
				before = append(before, want[editor])
				for n := range some {
					want[editor][n] = name
				}
			}
		})
	}
	all.Wait()
	for n, id := range takes {
		got, err := s.Take(ctx, id)
		require.NoError(t, err)
		for editor := range 4 {
			assert.Equal(t, want[editor][n], got.Channels[editor].Name)
		}
	}
}

// B12. Processes that start on an empty database at once wait for each other; an older program leaves a newer one alone.
func TestProcessesThatStartAtOnce(t *testing.T) {
	url := storetest.URL(t)
	var all sync.WaitGroup
	for range 4 {
		all.Go(func() {
			s, err := store.Open(ctx, url)
			if assert.NoError(t, err) {
				s.Close()
			}
		})
	}
	all.Wait()
	conn, err := pgx.Connect(ctx, url)
	require.NoError(t, err)
	defer conn.Close(ctx)
	_, err = conn.Exec(ctx, "insert into goose_db_version (version_id, is_applied) values (9999, true)")
	require.NoError(t, err)
	_, err = store.Open(ctx, url)
	assert.Equal(t, fault.Unsupported, fault.KindOf(err))
	assert.ErrorContains(t, err, "newer version")
}
