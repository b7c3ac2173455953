package store_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/take"
	"zestyloom/internal/store"
	"zestyloom/internal/store/storetest"
)

// Each foreign key is asked by when what it names is removed; without an index on it the whole table is read for each row.
func TestEveryForeignKeyHasAnIndex(t *testing.T) {
	s := storetest.Open(t)
	rows, err := s.Pool.Query(ctx, `select c.conrelid::regclass::text || ' ' || c.conname from pg_constraint c where c.contype = 'f'
		and c.connamespace = 'public'::regnamespace and c.conrelid::regclass::text not like 'river%' and not exists (
			select 1 from pg_index i where i.indrelid = c.conrelid and c.conkey[1] = any (i.indkey[0:cardinality(c.conkey) - 1]))`)
	require.NoError(t, err)
	without, err := pgx.CollectRows(rows, pgx.RowTo[string])
	require.NoError(t, err)
	assert.Empty(t, without)
}

// Moves in the queue keep their order for ever, however often the same two are put before each other.
func TestTurnsKeepTheirOrder(t *testing.T) {
	s := storetest.Open(t)
	p := ferry(t, s)
	var ids []string
	for range 4 {
		require.NoError(t, pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
			id, err := s.AddWork(ctx, tx, p.ID, "print", "a print", map[string]any{})
			ids = append(ids, id)
			return err
		}))
	}
	order := func() (got []string) {
		rows, err := s.Pool.Query(ctx, "select id::text from work order by turn")
		require.NoError(t, err)
		got, err = pgx.CollectRows(rows, pgx.RowTo[string])
		require.NoError(t, err)
		return got
	}
	want := slices.Clone(ids)
	rnd := rand.New(rand.NewPCG(1, 2))
	for range 200 {
		i, before := rnd.IntN(len(want)), ""
		id := want[i]
		want = slices.Delete(want, i, i+1)
		to := rnd.IntN(len(want) + 1)
		if to < len(want) {
			before = want[to]
		}
		want = slices.Insert(want, to, id)
		require.NoError(t, s.SetTurn(ctx, id, before))
		require.Equal(t, want, order())
	}
	for range 60 { // which halved the room between two, until there was none
		require.NoError(t, s.SetTurn(ctx, want[1], want[0]))
		want[0], want[1] = want[1], want[0]
		require.Equal(t, want, order())
	}
	assert.Error(t, s.SetTurn(ctx, "no-work", ""))
}

// Whatever changes in the takes is told by what has changed since, however transactions come to lie: the list that a page keeps is the
// list that there is.
func TestTakesAreToldByWhatHasChanged(t *testing.T) {
	s := storetest.Open(t)
	p := ferry(t, s)
	_, err := s.Pool.Exec(ctx, `insert into takes (production_id, kind, file_name, came_from, media_key, size, sha256, stream, description, channels)
		select $1, 'recording', 'T' || n || '.wav', 'card', 'sources/' || n, 1, n::text, 0, jsonb_build_object('roll', case when n % 3 = 0 then '' else 'R' || n % 5 end,
			'frames', 48000, 'sampleRate', 48000, 'channels', 1, 'startSamples', n * 100), '[{"index": 1, "name": "Boom"}]' from generate_series(1, 150) n`, p.ID)
	require.NoError(t, err)
	all := func() (list []store.Take, stamp string) {
		for after := ""; ; {
			page, err := s.TakesPage(ctx, p.ID, store.TakesAsked{After: after, Limit: 20})
			require.NoError(t, err)
			if stamp == "" {
				stamp = page.Stamp
			}
			list = append(list, page.Takes...)
			require.LessOrEqual(t, len(page.Takes), 20)
			if after = page.Next; after == "" {
				require.Len(t, list, page.Count)
				return list, stamp
			}
		}
	}
	had, stamp := all()
	whole, err := s.Takes(ctx, p.ID)
	require.NoError(t, err)
	require.Equal(t, whole, had, "pages come to the list")
	require.True(t, slices.IsSortedFunc(had, func(a, b store.Take) int { return strings.Compare(a.Order, b.Order) }))

	rnd := rand.New(rand.NewPCG(3, 4))
	open, err := s.Pool.Begin(ctx) // it began early, and commits late
	require.NoError(t, err)
	_, err = open.Exec(ctx, "update takes set slate = '{\"roll\": \"Late\"}' where id = $1", had[7].ID)
	require.NoError(t, err)
	for round := range 60 {
		pick := had[rnd.IntN(len(had))]
		switch round % 6 {
		case 0:
			_, err = s.EditTakes(ctx, p.ID, "Mara", []string{pick.ID}, store.TakeEdit{Slate: store.Slate{Scene: new(fmt.Sprint(round))}})
		case 1:
			if pick.ID != had[0].ID {
				_ = s.SetTie(ctx, pick.ID, "Mara", &store.Tie{Reference: had[0].ID, Offset: int64(round)}) // a circle is refused
			}
		case 2: // what is tied to it belongs elsewhere now
			_, err = s.EditTakes(ctx, p.ID, "Mara", []string{had[0].ID}, store.TakeEdit{Slate: store.Slate{Roll: new(fmt.Sprint("R",
				round))}})
		case 3:
			_, err = s.Pool.Exec(ctx, "update takes set dissolved = not dissolved where id = $1", pick.ID)
		case 4:
			_, err = s.Pool.Exec(ctx, "delete from takes where id = $1", pick.ID)
		case 5:
			err = s.SetWords(ctx, p.ID, []take.Word{{Text: fmt.Sprint("boom", round), Kind: take.RoleWord, Means: "MX"}})
		}
		require.NoError(t, err, "%d", round)
		if round == 30 {
			require.NoError(t, open.Commit(ctx))
		}
		page, err := s.TakesPage(ctx, p.ID, store.TakesAsked{Since: stamp, Limit: 20})
		require.NoError(t, err)
		now, newStamp := all()
		if page.Whole {
			had, stamp = now, newStamp
			continue
		}
		had = slices.DeleteFunc(had, func(t store.Take) bool {
			return slices.Contains(page.Gone, t.ID) || slices.ContainsFunc(page.Takes, func(c store.Take) bool { return c.ID == t.ID })
		})
		had = append(had, page.Takes...)
		slices.SortFunc(had, func(a, b store.Take) int { return strings.Compare(a.Order, b.Order) })
		if len(had) != page.Count {
			had = now // one was removed: all is asked for
		}
		stamp = page.Stamp
		require.Equal(t, now, had, "round %d", round)
	}
	page, err := s.TakesPage(ctx, p.ID, store.TakesAsked{Since: "99999999999", Limit: 20}) // of another cluster
	require.NoError(t, err)
	assert.True(t, page.Whole)
}

// A statement has a deadline, and what is told of one that missed it is that the database could not be asked.
func TestAStatementThatTakesTooLongIsGivenUp(t *testing.T) {
	s, err := storetest.Open(t).Apart(ctx, store.Use{Connections: 1, Statement: 50 * time.Millisecond})
	require.NoError(t, err)
	defer s.Close()
	began := time.Now()
	_, err = s.Pool.Exec(ctx, "select pg_sleep(60)")
	require.Error(t, err)
	assert.True(t, store.Unavailable(err), "%v", err)
	assert.Less(t, time.Since(began), 30*time.Second)
	_, err = s.Pool.Exec(ctx, "select 1")
	assert.NoError(t, err)
}

// What a file says of itself may be of any length, and still has its place in the list.
func TestTakesWithLongNamesAreListed(t *testing.T) {
	s := storetest.Open(t)
	p := ferry(t, s)
	long := strings.Repeat("é\U0001F600", 4000)
	for i := range 3 {
		_, err := s.Pool.Exec(ctx, `insert into takes (production_id, kind, file_name, came_from, media_key, size, sha256, stream, description, channels)
			values ($1, 'recording', $2, 'card', $3, 1, $3, 0, jsonb_build_object('roll', $2::text), '[]')`, p.ID, long, fmt.Sprint(i))
		require.NoError(t, err)
	}
	page, err := s.TakesPage(ctx, p.ID, store.TakesAsked{Limit: 2})
	require.NoError(t, err)
	require.Len(t, page.Takes, 2)
	require.NotEmpty(t, page.Next)
	rest, err := s.TakesPage(ctx, p.ID, store.TakesAsked{After: page.Next, Limit: 2})
	require.NoError(t, err)
	assert.Len(t, rest.Takes, 1)
	assert.LessOrEqual(t, len([]rune(page.Next)), 500, "it fits into an address")
}
