package store_test

import (
	"encoding/json"
	"fmt"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/chain"
	"zestyloom/core/delivery"
	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/core/take"
	"zestyloom/internal/store"
	"zestyloom/internal/store/storetest"
)

func step(kind chain.Kind) []chain.Step { return []chain.Step{{ID: "1", Kind: kind}} }

// What a microphone is treated with stands in every reel that has it, as a revision of its own, until it is taken back in the takes.
func TestTreatmentsAreInEveryReel(t *testing.T) {
	s := storetest.Open(t)
	id, boom := crossing(t, s)
	before, err := s.Reel(ctx, id)
	require.NoError(t, err)
	assert.Nil(t, before.Reel.Treatments)
	events, cancel := s.Subscribe()
	defer cancel()
	go s.Watch(t.Context())
	<-events // from here on it is told
	changed, err := s.Treat(ctx, boom, "tobiah", store.Treat{Channels: []int{0}, Steps: step(chain.HighPass)})
	require.NoError(t, err)
	assert.Equal(t, 1, changed)
	for e := range events {
		if e.Kind == "reel" {
			assert.Equal(t, store.Event{Kind: "reel", ID: id, Revision: before.Revision + 1}, e)
			break
		}
	}
	now, err := s.Reel(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, before.Revision+1, now.Revision)
	want := chain.Treatment{Channels: []int{0}, Steps: step(chain.HighPass), Revision: 1}
	assert.Equal(t, map[string][]chain.Treatment{boom: {want}}, now.Reel.Treatments)
	assert.Nil(t, before.Reel.Treatments, "what was opened stays as it was")
	steps, err := s.History(ctx, id, 1<<40, 1)
	require.NoError(t, err)
	last := steps[0]
	assert.Equal(t, []string{"treat", "treatment of Boom", "tobiah"}, []string{last.Kind, last.Name, last.Author})

	// An edit of the reel goes on from before it, and its undo is not of the treatment.
	o, err := s.Do(ctx, id, before.Revision, "ines", gain(now.Reel, -3))
	require.NoError(t, err)
	assert.Equal(t, []chain.Treatment{want}, o.Reel.Treatments[boom], "in the answer")
	o, err = s.Undo(ctx, id, "ines", "", store.Turning{})
	require.NoError(t, err)
	assert.Equal(t, []chain.Treatment{want}, o.Reel.Treatments[boom])
	tried, err := s.Try(ctx, id, reel.SetReel{Name: new("x")})
	require.NoError(t, err)
	assert.Equal(t, []chain.Treatment{want}, tried.Treatments[boom], "on trial")
	got, err := s.Take(ctx, boom)
	require.NoError(t, err)
	assert.Equal(t, []chain.Treatment{want}, got.Treatments)

	// A print has what there was when it was asked for.
	work, err := claimed(s, o.Production)
	require.NoError(t, err)
	tx, err := s.Pool.Begin(ctx)
	require.NoError(t, err)
	require.NoError(t, s.AddPrint(ctx, tx, work.Work, id, o.Revision, delivery.Plan{}, o.Reel))
	require.NoError(t, tx.Commit(ctx))
	require.NoError(t, s.UndoTakeEdit(ctx, o.Production, 0, "tobiah"))
	printed, err := s.PrintedReel(ctx, work.Work)
	require.NoError(t, err)
	assert.Equal(t, map[string][]chain.Treatment{boom: {want}}, printed.Treatments)
	o2, err := s.Reel(ctx, id)
	require.NoError(t, err)
	assert.Nil(t, o2.Reel.Treatments, "taken back")
	assert.Equal(t, o.Revision+1, o2.Revision)
	require.NoError(t, s.RedoTakeEdit(ctx, o.Production, 0, "tobiah"))
	fresh, err := store.Open(ctx, s.Pool.Config().ConnString())
	require.NoError(t, err)
	defer fresh.Close()
	o3, err := fresh.Reel(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, []chain.Treatment{want}, o3.Reel.Treatments[boom], "to another process")

	// The same again changes nothing, and none takes it away.
	changed, err = s.Treat(ctx, boom, "ines", store.Treat{Channels: []int{0}, Steps: step(chain.HighPass)})
	require.NoError(t, err)
	assert.Zero(t, changed)
	_, err = s.Treat(ctx, boom, "ines", store.Treat{Channels: []int{0}})
	require.NoError(t, err)
	o4, err := s.Reel(ctx, id)
	require.NoError(t, err)
	assert.Nil(t, o4.Reel.Treatments)
	var plain int
	require.NoError(t, s.Pool.QueryRow(ctx, "select count(*) from takes where treatments is not null").Scan(&plain))
	assert.Zero(t, plain, "none is none in the database too")
	for _, wrong := range []store.Treat{{Channels: []int{1}, Steps: step(chain.Bell)}, {Steps: step(chain.Bell)},
		{Channels: []int{0}, Steps: step("echo")},
		{Channels: []int{0}, Steps: []chain.Step{{ID: "1", Kind: chain.Gate, Key: &chain.Key{Row: "stem", From: "MX"}}}}} {
		_, err = s.Treat(ctx, boom, "ines", wrong)
		assert.Equal(t, fault.BadInput, fault.KindOf(err), "%+v", wrong)
	}
}

// On a roll the same microphones are treated: by their names, wherever they are in the file.
func TestARollIsTreated(t *testing.T) {
	s := storetest.Open(t)
	p := ferry(t, s)
	on := func(sum, roll string, names ...string) string {
		var channels []store.Channel
		for i, name := range names {
			channels = append(channels, store.Channel{Track: take.Track{Index: i + 1, Name: name, Use: take.Iso}})
		}
		id, err := add(s, store.Take{Production: p.ID, SHA256: sum, FileName: sum, Description: take.Description{Roll: roll, SampleRate: 48000},
			Channels: channels})
		require.NoError(t, err)
		return id
	}
	a, b := on("a", "LF03", "Boom", "Ines", ""), on("b", "LF03", "Ines", "Boom")
	c, d, e := on("c", "LF03", "Ines", "Tobiah"), on("d", "B-02", "Boom"), on("e", "LF03", "Mix L", "Mix R", "")
	fast, err := add(s, store.Take{Production: p.ID, SHA256: "g", FileName: "g", Description: take.Description{Roll: "LF03", SampleRate: 96000},
		Channels: []store.Channel{{Track: take.Track{Index: 1, Name: "Boom", Use: take.Iso}}}})
	require.NoError(t, err)
	treated := func(id string) (list [][]int) {
		got, err := s.Take(ctx, id)
		require.NoError(t, err)
		for _, t := range got.Treatments {
			list = append(list, t.Channels)
		}
		return list
	}
	changed, err := s.Treat(ctx, a, "ines", store.Treat{Channels: []int{0}, Steps: step(chain.Hum), Roll: true})
	require.NoError(t, err)
	assert.Equal(t, 2, changed)
	assert.Equal(t, [][]int{{0}}, treated(a))
	assert.Equal(t, [][]int{{1}}, treated(b))
	assert.Empty(t, treated(c))
	assert.Empty(t, treated(d), "another roll")
	assert.Empty(t, treated(fast), "another rate, for which a frequency may be too high")
	_, err = s.Treat(ctx, a, "ines", store.Treat{Channels: []int{0, 1}, Steps: step(chain.Compressor), Roll: true})
	require.NoError(t, err)
	assert.Equal(t, [][]int{{0, 1}}, treated(a), "in place of what one of them had")
	assert.Equal(t, [][]int{{0, 1}}, treated(b))
	assert.Empty(t, treated(c), "where both are not there, neither is treated")
	_, err = s.Treat(ctx, a, "ines", store.Treat{Channels: []int{2}, Steps: step(chain.Bell), Roll: true})
	require.NoError(t, err)
	assert.Equal(t, [][]int{{2}}, treated(e), "those without names by their places")
	_, err = s.Treat(ctx, b, "ines", store.Treat{Channels: []int{1}, Steps: step(chain.Bell)})
	require.NoError(t, err)
	assert.Equal(t, [][]int{{0}, {1}}, treated(b), "what is left of a pair keeps what it had")
	for range 4 {
		require.NoError(t, s.UndoTakeEdit(ctx, p.ID, 0, "ines"))
	}
	assert.Empty(t, append(treated(a), treated(b)...))
	_, err = s.Treat(ctx, on("f", "", "Boom"), "ines", store.Treat{Channels: []int{0}, Steps: step(chain.Bell), Roll: true})
	assert.ErrorContains(t, err, "on no roll")
}

// Takes are treated and reels with them edited at once: all of it is done, and the reel's history fits together.
func TestTreatingWhileReelsAreEdited(t *testing.T) {
	s := storetest.Open(t)
	const each = 30
	id, boom := crossing(t, s)
	o, err := s.Reel(ctx, id)
	require.NoError(t, err)
	var others []string // of the same roll, which the reel does not have yet
	for n := range 2 * each {
		others = append(others, addTake(t, s, o.Production, fmt.Sprint("take ", n)))
	}
	var wait sync.WaitGroup
	for who := range 4 {
		wait.Go(func() {
			for n := range each {
				if who%2 == 0 {
					_, err := s.Treat(ctx, boom, "ines", store.Treat{Channels: []int{0}, Roll: true, Steps: []chain.Step{{ID: "1", Kind: chain.Gain,
						Values: map[string]float64{"gain": float64(who*100+n) / 20}}}})
					assert.NoError(t, err)
					continue
				}
				_, err := s.Do(ctx, id, 1<<40, "tobiah", command(reel.AddTake{Take: others[who/2*each+n], Title: "12A/3", Start: int64(who*10_000 + n*100), Length: 100,
					Parts: []reel.PartPlan{{Name: "Boom", Stem: "DX", Channels: []int{0}, Labels: []string{"M"}}}}))
				assert.NoError(t, err)
			}
		})
	}
	wait.Wait()
	fresh, err := store.Open(ctx, s.Pool.Config().ConnString())
	require.NoError(t, err)
	defer fresh.Close()
	o, err = fresh.Reel(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, int64(1+4*each), o.Revision)
	for dB := -1.0; o.Revision%100 != 0; dB -= 0.1 { // up to a snapshot
		o, err = s.Do(ctx, id, o.Revision, "tobiah", gain(o.Reel, dB))
		require.NoError(t, err)
	}
	var kept int
	require.NoError(t, s.Pool.QueryRow(ctx, "select count(*) from reel_snapshots where state ? 'treatments'").Scan(&kept))
	assert.Zero(t, kept, "what is a take's is not kept with the reel")
	o, err = fresh.Reel(ctx, id)
	require.NoError(t, err)
	warm, err := s.Reel(ctx, id)
	require.NoError(t, err)
	a, err := json.Marshal(o.Reel)
	require.NoError(t, err)
	b, err := json.Marshal(warm.Reel)
	require.NoError(t, err)
	assert.JSONEq(t, string(a), string(b))
}
