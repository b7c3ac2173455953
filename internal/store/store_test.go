package store_test

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/core/take"
	"zestyloom/core/timecode"
	"zestyloom/core/view"
	"zestyloom/internal/store"
	"zestyloom/internal/store/storetest"
)

var (
	ctx = context.Background()
	pal = timecode.Rate{Num: 25, Den: 1}
)

// How long what comes back is waited for, and how often it is looked at.
const retrying, tick = 20 * time.Second, 10 * time.Millisecond

func ferry(t testing.TB, s *store.Store) store.Production {
	p, err := s.CreateProduction(ctx, "The Lantern Ferry", pal)
	require.NoError(t, err)
	return p
}

func removeReel(s *store.Store, id string) error {
	return pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error { _, err := s.RemoveReel(ctx, tx, id); return err })
}

// claimed gives the claim to a piece of work of its own, as whoever makes a take has.
func claimed(s *store.Store, production string) (store.Claim, error) {
	w := s.NewWorker("")
	if err := w.Beat(ctx); err != nil {
		return store.Claim{}, err
	}
	defer w.Close(ctx)
	c := store.Claim{Work: uuid.NewString(), Token: uuid.NewString()}
	if err := s.AddArriving(ctx, c.Work, production, "x", struct{}{}); err != nil {
		return c, err
	}
	err := pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error { _, err := s.Arrived(ctx, tx, c.Work); return err })
	if err == nil {
		_, _, err = s.ClaimWork(ctx, c, w.ID)
	}
	return c, err
}

// add stores a take.
func add(s *store.Store, t store.Take) (string, error) {
	c, err := claimed(s, t.Production)
	if err != nil {
		return "", err
	}
	ids, err := s.AddTakes(ctx, c, []store.Take{t}, false)
	if err != nil {
		return "", err
	}
	return ids[0], nil
}

func addTake(t testing.TB, s *store.Store, production, sum string) string {
	id, err := add(s, store.Take{
		Production: production, Kind: take.Recording, FileName: sum + ".wav", MediaKey: "sources/" + sum, SHA256: sum,
		Description: take.Description{SampleRate: 48000, Frames: 48000, Channels: 1, Scene: "12A", Take: "3", Roll: "LF03",
			Tracks: []take.Track{{Index: 1, Name: "Boom", Use: take.Iso}}},
		Channels: []store.Channel{{Track: take.Track{Index: 1, Name: "Boom", Use: take.Iso}, FileName: "Boom"}},
	})
	require.NoError(t, err)
	return id
}

// edit changes a take of whatever production it is in.
func edit(s *store.Store, id string, e store.TakeEdit) error {
	t, err := s.Take(ctx, id)
	if err == nil {
		_, err = s.EditTakes(ctx, t.Production, "ines", []string{id}, e)
	}
	return err
}

func name(s *store.Store, id string, index int, text string) error {
	return edit(s, id, store.TakeEdit{Channels: []store.ChannelEdit{{Index: index, Name: &text}}})
}

func kind(s *store.Store, id string, k take.Kind) error {
	return edit(s, id, store.TakeEdit{Kind: &k})
}

func crossing(t testing.TB, s *store.Store) (reelID, takeID string) {
	p := ferry(t, s)
	takeID = addTake(t, s, p.ID, "a")
	reelID, err := s.CreateReel(ctx, p, "Reel 1", new(int64(36000*48000)))
	require.NoError(t, err)
	_, err = s.Do(ctx, reelID, 0, "ines", command(reel.AddTake{Take: takeID, Title: "12A/3", Length: 100,
		Parts: []reel.PartPlan{{Name: "Boom", Stem: "DX", Channels: []int{0}, Labels: []string{"M"}}}}))
	require.NoError(t, err)
	return reelID, takeID
}

func command(c reel.Command) func(*reel.Reel) (reel.Command, error) {
	return func(*reel.Reel) (reel.Command, error) { return c, nil }
}

func gain(r *reel.Reel, dB float64) func(*reel.Reel) (reel.Command, error) {
	return command(reel.SetTrack{Track: r.TrackList()[0].ID, GainDB: &dB})
}

func TestProductions(t *testing.T) {
	s := storetest.Open(t)
	p := ferry(t, s)
	again, err := s.Production(ctx, p.ID)
	require.NoError(t, err)
	assert.Equal(t, p, again)
	_, err = s.CreateProduction(ctx, "The Lantern Ferry", pal)
	assert.Equal(t, fault.BadInput, fault.KindOf(err))
	_, err = s.CreateProduction(ctx, "  ", pal)
	assert.Equal(t, fault.BadInput, fault.KindOf(err))
	_, err = s.CreateProduction(ctx, "x", timecode.Rate{Num: 17, Den: 1})
	assert.Equal(t, fault.BadInput, fault.KindOf(err))
	for _, id := range []string{"nonsense", "00000000-0000-0000-0000-000000000000"} {
		_, err = s.Production(ctx, id)
		assert.Equal(t, fault.NotFound, fault.KindOf(err), id)
		_, err = s.Take(ctx, id)
		assert.Equal(t, fault.NotFound, fault.KindOf(err), id)
		_, err = s.Reel(ctx, id)
		assert.Equal(t, fault.NotFound, fault.KindOf(err), id)
		_, err = s.Work(ctx, id)
		assert.Equal(t, fault.NotFound, fault.KindOf(err), id)
		_, err = s.Print(ctx, id)
		assert.Equal(t, fault.NotFound, fault.KindOf(err), id)
	}
}

func TestTakesAreTakenInOnce(t *testing.T) {
	s := storetest.Open(t)
	p := ferry(t, s)
	id := addTake(t, s, p.ID, "a")
	same := store.Take{Production: p.ID, FileName: "a.wav", SHA256: "a", MediaKey: "sources/again", Channels: []store.Channel{}}
	_, err := add(s, same)
	assert.Equal(t, store.Twin{Take: id, Title: "a.wav"}, err)
	c, err := claimed(s, p.ID)
	require.NoError(t, err)
	ids, err := s.AddTakes(ctx, c, []store.Take{same}, true)
	require.NoError(t, err, "it is wanted all the same")
	again, err := s.AddTakes(ctx, c, []store.Take{same}, true)
	require.NoError(t, err)
	assert.Equal(t, ids, again, "the answer was lost: one piece of work stores its takes once")
	same.FileName = "Ls.wav"
	_, err = add(s, same)
	assert.NoError(t, err, "the same bytes under another name are another channel of a set")
}

func TestTakeEditsCanBeUndone(t *testing.T) {
	s := storetest.Open(t)
	p := ferry(t, s)
	id := addTake(t, s, p.ID, "a")
	named := func() string {
		got, err := s.Take(ctx, id)
		require.NoError(t, err)
		assert.Equal(t, "Boom", got.Channels[0].FileName, "what the file says stays")
		return got.Channels[0].Name
	}
	require.NoError(t, name(s, id, 1, "Boom near"))
	require.NoError(t, name(s, id, 1, "Boom far"))
	require.NoError(t, name(s, id, 1, "Boom far"), "the same name again is no edit")
	assert.Error(t, name(s, id, 2, "x"))
	h, err := s.TakeHistory(ctx, p.ID, "ines")
	require.NoError(t, err)
	assert.Equal(t, store.TakeHistory{Undo: "name channel 1", Revision: 2}, h)
	require.NoError(t, s.UndoTakeEdit(ctx, p.ID, 0, "ines"))
	assert.Equal(t, "Boom near", named())
	require.NoError(t, s.UndoTakeEdit(ctx, p.ID, 0, "ines"))
	assert.Equal(t, "Boom", named())
	assert.Error(t, s.UndoTakeEdit(ctx, p.ID, 0, "ines"))
	require.NoError(t, s.RedoTakeEdit(ctx, p.ID, 0, "ines"))
	assert.Equal(t, "Boom near", named())
	require.NoError(t, kind(s, id, take.Effect))
	assert.Error(t, s.RedoTakeEdit(ctx, p.ID, 0, "ines"), "a new edit ends what could be redone")
	assert.Error(t, kind(s, id, "song"))
	got, err := s.Take(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, "FX", got.Channels[0].Suggested, "the suggestion follows the kind")
}

func TestNamesAreCarriedOverARoll(t *testing.T) {
	s := storetest.Open(t)
	p := ferry(t, s)
	a, b := addTake(t, s, p.ID, "a"), addTake(t, s, p.ID, "b")
	wide, err := add(s, store.Take{Production: p.ID, SHA256: "c", Description: take.Description{Roll: "LF03"},
		Channels: make([]store.Channel, 2)})
	require.NoError(t, err)
	other, err := add(s, store.Take{Production: p.ID, SHA256: "d", Description: take.Description{Roll: "B-02"},
		Channels: make([]store.Channel, 1)})
	require.NoError(t, err)
	c := addTake(t, s, p.ID, "e")
	require.NoError(t, name(s, a, 1, "Boom, near"))
	changed, err := s.CarryNames(ctx, a, "ines")
	require.NoError(t, err)
	assert.Equal(t, 2, changed)
	names := func() (list []string) {
		for _, id := range []string{a, b, wide, other, c} {
			got, err := s.Take(ctx, id)
			require.NoError(t, err)
			list = append(list, got.Channels[0].Name)
		}
		return list
	}
	assert.Equal(t, []string{"Boom, near", "Boom, near", "", "", "Boom, near"}, names(), "only the same roll and as many channels")
	require.NoError(t, s.UndoTakeEdit(ctx, p.ID, 0, "ines"))
	assert.Equal(t, []string{"Boom, near", "Boom", "", "", "Boom"}, names(), "one undo takes all of it back")
	require.NoError(t, s.RedoTakeEdit(ctx, p.ID, 0, "ines"))
	assert.Equal(t, "Boom, near", names()[4])
	changed, err = s.CarryNames(ctx, a, "ines")
	require.NoError(t, err)
	assert.Zero(t, changed)
	_, err = s.CarryNames(ctx, "nonsense", "ines")
	assert.Equal(t, fault.NotFound, fault.KindOf(err))
}

func TestATakeInUseStays(t *testing.T) {
	s := storetest.Open(t)
	id, takeID := crossing(t, s)
	_, err := s.RemoveTake(ctx, takeID)
	assert.Equal(t, fault.BadInput, fault.KindOf(err))
	o, err := s.Undo(ctx, id, "ines", "", store.Turning{})
	require.NoError(t, err)
	assert.Empty(t, o.Reel.Clips)
	_, err = s.RemoveTake(ctx, takeID)
	assert.Error(t, err, "redo could bring its clip back")
	other := addTake(t, s, o.Production, "b")
	keys, err := s.RemoveTake(ctx, other)
	require.NoError(t, err)
	assert.Equal(t, []string{"sources/b"}, keys)
}

func TestUndoReachesAcrossARestart(t *testing.T) {
	url := storetest.URL(t)
	s, err := store.Open(ctx, url)
	require.NoError(t, err)
	id, _ := crossing(t, s)
	o, err := s.Reel(ctx, id)
	require.NoError(t, err)
	states := []string{asJSON(t, o.Reel)}
	for i := range snapshotAndMore {
		o, err = s.Do(ctx, id, o.Revision, "ines", gain(o.Reel, float64(-i)/10-0.1))
		require.NoError(t, err)
		states = append(states, asJSON(t, o.Reel))
	}
	s.Close()

	s, err = store.Open(ctx, url)
	require.NoError(t, err)
	defer s.Close()
	o, err = s.Reel(ctx, id)
	require.NoError(t, err)
	assert.JSONEq(t, states[len(states)-1], asJSON(t, o.Reel))
	assert.Empty(t, turns(t, s, id, "tobiah"))
	assert.Equal(t, view.Turns{Undo: "gain of Boom"}, turns(t, s, id, "ines"))
	for i := len(states) - 2; i >= 0; i-- {
		o, err = s.Undo(ctx, id, "ines", "", store.Turning{})
		require.NoError(t, err)
		require.JSONEq(t, states[i], asJSON(t, o.Reel))
	}
	assert.Equal(t, view.Turns{Undo: "unravel 12A/3", Redo: "gain of Boom"}, turns(t, s, id, "ines"))
	o, err = s.Redo(ctx, id, "ines", "", store.Turning{})
	require.NoError(t, err)
	assert.JSONEq(t, states[1], asJSON(t, o.Reel))
	o, err = s.Do(ctx, id, o.Revision, "ines", gain(o.Reel, 3))
	require.NoError(t, err)
	assert.Empty(t, turns(t, s, id, "ines").Redo)
	_, err = s.Redo(ctx, id, "ines", "", store.Turning{})
	assert.Equal(t, fault.BadInput, fault.KindOf(err))
	steps, err := s.History(ctx, id, 1<<60, 3)
	require.NoError(t, err)
	assert.Equal(t, []string{"do", "redo", "undo"}, []string{steps[0].Kind, steps[1].Kind, steps[2].Kind})
}

// A reel is had as it was at any step, on either side of a snapshot; there is none before the first or after the last.
func TestAReelIsHadAsItWas(t *testing.T) {
	s := storetest.Open(t)
	id, _ := crossing(t, s)
	o, err := s.Reel(ctx, id)
	require.NoError(t, err)
	first := o.Revision
	was := map[int64]string{first: asJSON(t, o.Reel)}
	for i := range snapshotAndMore {
		o, err = s.Do(ctx, id, o.Revision, "editor", gain(o.Reel, -float64(i+1)/10))
		require.NoError(t, err)
		was[o.Revision] = asJSON(t, o.Reel)
	}
	for _, revision := range []int64{first, first + 1, 99, 100, 101, o.Revision - 1, o.Revision} {
		at, err := s.ReelAt(ctx, id, revision)
		require.NoError(t, err)
		assert.JSONEq(t, was[revision], asJSON(t, at.Reel), "%d", revision)
		assert.Equal(t, revision, at.Revision)
	}
	for _, revision := range []int64{-1, o.Revision + 1} {
		_, err = s.ReelAt(ctx, id, revision)
		assert.Equal(t, fault.NotFound, fault.KindOf(err))
	}
	_, err = s.ReelAt(ctx, "00000000-0000-0000-0000-000000000000", 0)
	assert.Equal(t, fault.NotFound, fault.KindOf(err))
}

// snapshotAndMore is more than lie between two snapshots, so that both ways of opening a reel are gone.
const snapshotAndMore = 130

func asJSON(t *testing.T, v any) string {
	b, err := json.Marshal(v)
	require.NoError(t, err)
	return string(b)
}

func turns(t *testing.T, s *store.Store, id, author string) view.Turns {
	got, err := s.Turns(ctx, id, author)
	require.NoError(t, err)
	return got
}

func mute(track string) func(*reel.Reel) (reel.Command, error) {
	yes := true
	return command(reel.SetTrack{Track: track, Mute: &yes})
}

func TestAnEditThatMeetsAnothersIsRefused(t *testing.T) {
	s := storetest.Open(t)
	id, take := crossing(t, s)
	o, err := s.Do(ctx, id, 1, "ines", command(reel.AddTake{Take: take, Title: "14/1", Length: 100,
		Parts: []reel.PartPlan{{Name: "Lav", Stem: "DX", Channels: []int{0}, Labels: []string{"M"}}}}))
	require.NoError(t, err)
	boom, lav := o.Reel.TrackList()[0].ID, o.Reel.TrackList()[1].ID
	seen := o.Revision
	_, err = s.Do(ctx, id, seen, "ines", gain(o.Reel, -1))
	require.NoError(t, err)
	louder := gain(o.Reel, -7)
	_, err = s.Do(ctx, id, seen, "tobiah", louder)
	assert.Equal(t, fault.Stale, fault.KindOf(err))
	assert.ErrorContains(t, err, "ines has changed the same in the meantime (gain of Boom)")
	_, err = s.Undo(ctx, id, "tobiah", "", store.Turning{})
	assert.Equal(t, fault.BadInput, fault.KindOf(err), "what others have made is not theirs to take back unasked")
	o, err = s.Do(ctx, id, seen, "tobiah", mute(lav))
	require.NoError(t, err, "what meets nothing is made")
	o, err = s.Do(ctx, id, seen, "tobiah", mute(boom))
	require.NoError(t, err, "a mute is no gain")
	assert.True(t, o.Reel.Tracks[boom].Mute)
	assert.Equal(t, -1.0, o.Reel.Tracks[boom].GainDB)
	assert.True(t, o.Reel.Tracks[lav].Mute)
	touched, known, err := s.Touched(ctx, id, seen, o.Revision)
	require.NoError(t, err)
	assert.True(t, known)
	assert.Equal(t, map[string]bool{boom: true, lav: true}, touched.Tracks)
	_, known, err = s.Touched(ctx, id, -1, o.Revision)
	require.NoError(t, err)
	assert.False(t, known)

	// Each takes back their own.
	o, err = s.Undo(ctx, id, "ines", "", store.Turning{})
	require.NoError(t, err)
	assert.Zero(t, o.Reel.Tracks[boom].GainDB)
	assert.True(t, o.Reel.Tracks[lav].Mute)
	o, err = s.Redo(ctx, id, "ines", "", store.Turning{})
	require.NoError(t, err)
	assert.Equal(t, -1.0, o.Reel.Tracks[boom].GainDB)
	o, err = s.Do(ctx, id, o.Revision, "tobiah", gain(o.Reel, -2))
	require.NoError(t, err)
	_, err = s.Undo(ctx, id, "ines", "", store.Turning{})
	assert.Equal(t, fault.Met, fault.KindOf(err), "tobiah has set the same gain since")
}

func TestWatchersAreToldByOtherProcesses(t *testing.T) {
	url := storetest.URL(t)
	a, err := store.Open(ctx, url)
	require.NoError(t, err)
	defer a.Close()
	b, err := store.Open(ctx, url)
	require.NoError(t, err)
	defer b.Close()
	id, _ := crossing(t, a)
	changed, cancel := b.Subscribe() // before it watches, so that it is told when it listens
	watching, stop := context.WithCancel(ctx)
	var done sync.WaitGroup
	done.Go(func() { b.Watch(watching) })
	defer done.Wait()
	defer stop()
	assert.Equal(t, store.Event{}, <-changed, "it listens now")
	o, err := a.Reel(ctx, id)
	require.NoError(t, err)
	_, err = a.Do(ctx, id, o.Revision, "ines", gain(o.Reel, -3))
	require.NoError(t, err)
	select {
	case e := <-changed:
		assert.Equal(t, store.Event{Kind: "reel", ID: id, Revision: 2}, e)
	case <-time.After(time.Minute):
		t.Fatal("nobody was told")
	}
	addTake(t, a, o.Production, "b")
	told := map[string]bool{}
	for len(told) < 2 {
		e := <-changed
		assert.Equal(t, o.Production, e.ID)
		told[e.Kind] = true
	}
	assert.Equal(t, map[string]bool{"work": true, "takes": true}, told)
	now, err := b.Reel(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, -3.0, now.Reel.TrackList()[0].GainDB)
	cancel()
}

func TestRemovedReelsAreGone(t *testing.T) {
	s := storetest.Open(t)
	id, _ := crossing(t, s)
	require.NoError(t, removeReel(s, id))
	_, err := s.Reel(ctx, id)
	assert.Equal(t, fault.NotFound, fault.KindOf(err))
	assert.Equal(t, fault.NotFound, fault.KindOf(removeReel(s, id)))
}

func TestReelsAreRenamed(t *testing.T) {
	s := storetest.Open(t)
	id, _ := crossing(t, s)
	o, err := s.Reel(ctx, id)
	require.NoError(t, err)
	p, err := s.Production(ctx, o.Production)
	require.NoError(t, err)
	_, err = s.CreateReel(ctx, p, "Reel 2", new(int64(0)))
	require.NoError(t, err)
	name := func(to string) func(*reel.Reel) (reel.Command, error) { return command(reel.SetReel{Name: &to}) }
	o, err = s.Do(ctx, id, o.Revision, "ines", name("Night"))
	require.NoError(t, err)
	list, err := s.Reels(ctx, o.Production)
	require.NoError(t, err)
	assert.Equal(t, []string{"Night", "Reel 2"}, []string{list[0].Name, list[1].Name})
	_, err = s.Do(ctx, id, o.Revision, "ines", name("Reel 2"))
	assert.Equal(t, fault.BadInput, fault.KindOf(err))
	o, err = s.Undo(ctx, id, "ines", "", store.Turning{})
	require.NoError(t, err)
	assert.Equal(t, "Reel 1", o.Name)
}

func TestAFailingCommandChangesNothing(t *testing.T) {
	s := storetest.Open(t)
	id, _ := crossing(t, s)
	before, err := s.Reel(ctx, id)
	require.NoError(t, err)
	_, err = s.Do(ctx, id, before.Revision, "ines", command(reel.MoveClips{Clips: []string{"none"}}))
	assert.Equal(t, fault.NotFound, fault.KindOf(err))
	same, err := s.Do(ctx, id, before.Revision, "ines", gain(before.Reel, 0))
	require.NoError(t, err, "a command that changes nothing is no error")
	assert.Equal(t, before.Revision, same.Revision)
	after, err := s.Reel(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, before, after)
}

// Two processes with caches of their own, many edits at once from what each has seen long ago: each is made once or
// refused with a reason, none is lost, and undo takes back the editor's own alone.
func TestConcurrentEditorsLoseNothing(t *testing.T) {
	url := storetest.URL(t)
	a, err := store.Open(ctx, url)
	require.NoError(t, err)
	defer a.Close()
	b, err := store.Open(ctx, url)
	require.NoError(t, err)
	defer b.Close()
	id, takeID := crossing(t, a)
	var wg sync.WaitGroup
	made, refused := make(chan string, 1000), make(chan error, 1000)
	var steps atomic.Int64 // of editor 3
	steps.Add(15)
	for editor := range 6 {
		s := []*store.Store{a, b}[editor%2]
		author := fmt.Sprint(editor)
		wg.Go(func() {
			for i := range 15 {
				name := fmt.Sprintf("%d-%d", editor, i)
				_, err := s.Do(ctx, id, 1, author, command(reel.AddTake{Take: takeID, Title: name, Length: 1,
					Parts: []reel.PartPlan{{Name: name, Stem: "FX", Channels: []int{0}, Labels: []string{"M"}}}}))
				if !assert.NoError(t, err) {
					return
				}
				made <- name
				boom := "t1" // which everybody wants
				if _, err = s.Do(ctx, id, 1, author, command(reel.SetTrack{Track: boom,
					GainDB: ptr(float64(editor) + float64(i)/100 - 20)})); err != nil {
					refused <- err
				} else if editor == 3 {
					steps.Add(1)
				}
			}
		})
	}
	wg.Wait()
	close(made)
	close(refused)
	o, err := b.Reel(ctx, id)
	require.NoError(t, err)
	names := map[string]bool{}
	for _, track := range o.Reel.Tracks {
		names[track.Name] = true
	}
	for name := range made {
		assert.True(t, names[name], "%s was confirmed and is gone", name)
	}
	assert.Len(t, names, 1+6*15)
	n := 0
	for err := range refused {
		n++
		assert.Equal(t, fault.Stale, fault.KindOf(err))
	}
	assert.EqualValues(t, 1+6*15+6*15-n, o.Revision, "what was not refused was made")
	assert.Positive(t, n)
	for range steps.Load() {
		turned, err := a.Undo(ctx, id, "3", "", store.Turning{})
		require.NoError(t, err)
		o = turned
	}
	for _, track := range o.Reel.Tracks {
		assert.NotEqual(t, "3-", track.Name[:2], "undo takes back one's own")
	}
	assert.Len(t, o.Reel.Tracks, 1+5*15)
}

func TestOpenReportsAnUnreachableDatabase(t *testing.T) {
	_, err := store.Open(ctx, "postgres://nobody@127.0.0.1:1/none?connect_timeout=1")
	require.Error(t, err)
	assert.False(t, errors.Is(err, context.Canceled))
}
