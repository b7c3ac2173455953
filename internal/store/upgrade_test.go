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
const lastVersion = 8

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
		outset = `{"of":"Crossing","panLaw":4.5,"angles":{"Ls":{"azimuth":120,"elevation":0}},"next":9,"stems":{"MX":{"id":"MX","name":"Music","labels":["L","R"],"order":2},"DX":{"id":"DX","name":"Dialogue","labels":["L","R"],"order":1}},
			"groups":{"dialogue":{"id":"dialogue","name":"Dialogue","tag":"DX","layout":"stereo","labels":["L","R"],"stems":["DX"],"order":1}},
			"knots":{"stem DX 0 > dialogue/L":{"id":"stem DX 0 > dialogue/L","row":"stem","from":"DX","channel":0,"output":"dialogue/L","gainDB":-3}}}`
		change = `{"tracks":[{"id":"t1","before":{"id":"t1","name":"Boom","labels":["M"],"stem":"DX","suggested":true,"feed":{"dual":false,"pan":-0.5},"gainDB":-2,"mute":false,"order":1,"pan":[{"at":5,"value":1}]},
			"after":{"id":"t1","name":"Boom","labels":["M"],"stem":"DX","suggested":false,"feed":{"dual":true,"pan":-0.5},"gainDB":-2,"mute":false,"order":1}}]}`
	)
	for _, s := range []struct {
		sql  string
		args []any
	}{
		{"insert into productions (id, name, sample_rate, frame_rate) values ($1, 'The Lantern Ferry', 48000, '{\"num\":25,\"den\":1,\"drop\":false}')", []any{production}},
		{"update productions set outset = $1", []any{outset}},
		{"insert into reels (id, production_id, name, revision) values ($1, $2, 'Crossing', 1)", []any{first, production}},
		{"insert into reel_snapshots (reel_id, revision, state) values ($1, 0, $2)", []any{first, state}},
		{"insert into reel_log (reel_id, revision, kind, name, change, author) values ($1, 1, 'do', 'feed of Boom', $2, 'Ines')",
			[]any{first, change}},
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
	assert.Equal(t, []any{"The Lantern Ferry", 1}, []any{p.Name, p.Reels})
	o, err := s.Reel(ctx, first)
	require.NoError(t, err)
	assert.True(t, o.Reel.Tracks["t1"].Feed.Dual)
	assert.Len(t, o.Reel.Knots, 1)
	angles := layout.Angles{"Ls": {Azimuth: 120}}
	o, err = s.Do(ctx, first, 1, "Ines", func(*reel.Reel) (reel.Command, error) { return reel.SetReel{Angles: &angles}, nil })
	require.NoError(t, err)
	for range 2 {
		o, err = s.Undo(ctx, first, "Ines", "", store.Turning{})
		require.NoError(t, err)
	}
	assert.Equal(t, reel.Feed{Pan: -0.5}, o.Reel.Tracks["t1"].Feed, "what was done before the upgrade is taken back too")
	assert.Nil(t, o.Reel.Head.Angles)

	// What its new reels began with is a pattern now, and they begin so still.
	saved, err := s.Pattern(ctx, p.BeginsAs)
	require.NoError(t, err)
	assert.Equal(t, "The Lantern Ferry, Crossing 11111111", saved.Pattern.Name)
	require.NoError(t, saved.Pattern.Check())
	begins := func(name string) []any {
		p, err := s.Production(ctx, production)
		require.NoError(t, err)
		id, err := s.CreateReel(ctx, p, name, new(int64(0)))
		require.NoError(t, err)
		o, err := s.Reel(ctx, id)
		require.NoError(t, err)
		return []any{len(o.Reel.Stems), len(o.Reel.OutputList()), len(o.Reel.Knots), len(o.Reel.Tracks), o.Reel.Head.PanLaw,
			o.Reel.Head.FrameRate}
	}
	at25 := timecode.Rate{Num: 25, Den: 1}
	assert.Equal(t, []any{2, 2, 1, 0, 4.5, at25}, begins("Reel 2"))

	// Another takes its place, and without one there are stems alone.
	own, err := s.SavePattern(ctx, reel.PatternOf(o.Reel, "Own", ""), false)
	require.NoError(t, err)
	_, err = s.SavePattern(ctx, reel.PatternOf(o.Reel, " Own", ""), false)
	assert.ErrorContains(t, err, "There is a pattern called Own already")
	again, err := s.SavePattern(ctx, reel.PatternOf(o.Reel, "Own", "once more"), true)
	require.NoError(t, err)
	assert.Equal(t, own.ID, again.ID)
	p, err = s.BeginWith(ctx, production, own.ID)
	require.NoError(t, err)
	assert.Equal(t, own.ID, p.BeginsAs)
	assert.Equal(t, []any{1, 2, 1, 1, 4.5, at25}, begins("Reel 3"))
	require.NoError(t, s.RemovePattern(ctx, own.ID))
	assert.Equal(t, []any{5, 0, 0, 0, 3.0, at25}, begins("Reel 4"))
	assert.ErrorContains(t, s.RemovePattern(ctx, own.ID), "no longer there")
	_, err = s.BeginWith(ctx, production, own.ID)
	assert.Error(t, err)
}
