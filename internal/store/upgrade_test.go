package store_test

import (
	"database/sql"
	"os"
	"testing"

	_ "github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/layout"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
	"zestyloom/internal/store"
	"zestyloom/internal/store/storetest"
)

// lastVersion is that of the tables before this one.
const lastVersion = 7

// A database that the last version has used is brought up to date, and what is in it opens as it was, goes on and is taken
// back.
func TestADatabaseOfTheLastVersion(t *testing.T) {
	url := storetest.URL(t)
	db, err := sql.Open("pgx", url)
	require.NoError(t, err)
	provider, err := goose.NewProvider(goose.DialectPostgres, db, os.DirFS("migrations"))
	require.NoError(t, err)
	_, err = provider.UpTo(ctx, lastVersion)
	require.NoError(t, err)
	const (
		production = "11111111-1111-1111-1111-111111111111"
		first      = "22222222-2222-2222-2222-222222222222"
		state      = `{"head":{"name":"Crossing","sampleRate":48000,"frameRate":{"num":25,"den":1,"drop":false},"start":1728000000,"panLaw":4.5,"spec":"a","next":9},
			"stems":{"DX":{"id":"DX","name":"Dialogue","labels":["L","R"],"order":1}},
			"tracks":{"t1":{"id":"t1","name":"Boom","labels":["M"],"stem":"DX","suggested":true,"feed":{"dual":false,"pan":-0.5},"gainDB":-2,"mute":false,"order":1,"pan":[{"at":5,"value":1}]}},
			"clips":{},"groups":{"dialogue":{"id":"dialogue","name":"Dialogue","tag":"DX","layout":"stereo","labels":["L","R"],"stems":["DX"],"order":1}},
			"knots":{"stem DX 0 > dialogue/L":{"id":"stem DX 0 > dialogue/L","row":"stem","from":"DX","channel":0,"output":"dialogue/L","gainDB":0}}}`
		change = `{"tracks":[{"id":"t1","before":{"id":"t1","name":"Boom","labels":["M"],"stem":"DX","suggested":true,"feed":{"dual":false,"pan":-0.5},"gainDB":-2,"mute":false,"order":1,"pan":[{"at":5,"value":1}]},
			"after":{"id":"t1","name":"Boom","labels":["M"],"stem":"DX","suggested":false,"feed":{"dual":true,"pan":-0.5},"gainDB":-2,"mute":false,"order":1}}]}`
	)
	for _, s := range []struct {
		sql  string
		args []any
	}{
		{"insert into productions (id, name, sample_rate, frame_rate) values ($1, 'The Lantern Ferry', 48000, '{\"num\":25,\"den\":1,\"drop\":false}')", []any{production}},
		{"insert into reels (id, production_id, name, revision) values ($1, $2, 'Crossing', 1)", []any{first, production}},
		{"insert into reel_snapshots (reel_id, revision, state) values ($1, 0, $2)", []any{first, state}},
		{"insert into reel_log (reel_id, revision, kind, name, change, author) values ($1, 1, 'do', 'feed of Boom', $2, 'Ines')", []any{first, change}},
	} {
		_, err := db.ExecContext(ctx, s.sql, s.args...)
		require.NoError(t, err, s.sql)
	}
	require.NoError(t, db.Close())

	s, err := store.Open(ctx, url)
	require.NoError(t, err)
	defer s.Close()
	p, err := s.Production(ctx, production)
	require.NoError(t, err)
	assert.Equal(t, []any{"The Lantern Ferry", 1, ""}, []any{p.Name, p.Reels, p.BeginsAs})
	o, err := s.Reel(ctx, first)
	require.NoError(t, err)
	assert.True(t, o.Reel.Tracks["t1"].Feed.Dual)
	assert.Len(t, o.Reel.Knots, 1)
	angles := layout.Angles{"Ls": {Azimuth: 120}}
	o, err = s.Do(ctx, first, 1, "Ines", func(*reel.Reel) (reel.Command, error) { return reel.SetReel{Angles: &angles}, nil })
	require.NoError(t, err)
	for range 2 {
		o, err = s.Undo(ctx, first, o.Revision, "Ines", "")
		require.NoError(t, err)
	}
	assert.Equal(t, reel.Feed{Pan: -0.5}, o.Reel.Tracks["t1"].Feed, "what was done before the upgrade is taken back too")
	assert.Nil(t, o.Reel.Head.Angles)

	// A new reel begins with stems alone, until it is told otherwise.
	names := func(name string) []any {
		id, err := s.CreateReel(ctx, p, name, 0)
		require.NoError(t, err)
		o, err := s.Reel(ctx, id)
		require.NoError(t, err)
		return []any{len(o.Reel.Stems), len(o.Reel.OutputList()), len(o.Reel.Knots), o.Reel.Head.PanLaw, o.Reel.Head.FrameRate}
	}
	assert.Equal(t, []any{5, 0, 0, 3.0, timecode.Rate{Num: 25, Den: 1}}, names("Reel 2"))
	p, err = s.SetOutset(ctx, production, first)
	require.NoError(t, err)
	assert.Equal(t, "Crossing", p.BeginsAs)
	assert.Equal(t, []any{1, 2, 1, 4.5, timecode.Rate{Num: 25, Den: 1}}, names("Reel 3"))
	p, err = s.SetOutset(ctx, production, "")
	require.NoError(t, err)
	assert.Empty(t, p.BeginsAs)
	assert.Equal(t, []any{5, 0, 0, 3.0, timecode.Rate{Num: 25, Den: 1}}, names("Reel 4"))
	other, err := s.CreateProduction(ctx, "Another", timecode.Rate{Num: 24, Den: 1})
	require.NoError(t, err)
	_, err = s.SetOutset(ctx, other.ID, first)
	assert.ErrorContains(t, err, "no such reel")
}
