package jobs

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/timecode"
	"zestyloom/internal/media"
	"zestyloom/internal/store"
	"zestyloom/internal/store/storetest"
)

// sweeper is a runner over an empty database and folder.
func sweeper(t *testing.T) (*Runner, string) {
	s, err := store.Open(context.Background(), storetest.URL(t))
	require.NoError(t, err)
	t.Cleanup(s.Close)
	dir := t.TempDir()
	folder, err := media.OpenFolder(filepath.Join(dir, "media"))
	require.NoError(t, err)
	t.Cleanup(func() { folder.Close() })
	return &Runner{Store: s, Keeping: s, Media: folder, Uploads: filepath.Join(dir, "uploads"), Log: slog.New(slog.DiscardHandler)}, dir
}

// strangers lays takes into the folder that no row names.
func strangers(t *testing.T, dir string, n int) []string {
	var files []string
	for i := range n {
		file := filepath.Join(dir, "media", "sources", fmt.Sprintf("%08d-2222-4333-8444-555555555555", i), "source.wav")
		require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
		require.NoError(t, os.WriteFile(file, []byte("x"), 0o644))
		files = append(files, file)
	}
	return files
}

// What no row names goes into the trash of the day, from where it can be brought back, and after a month from there.
func TestSweepIntoTheTrash(t *testing.T) {
	ctx := context.Background()
	r, dir := sweeper(t)
	inTrash := func() []string {
		found, err := filepath.Glob(filepath.Join(dir, "media", "trash", "*", "sources", "*", "source.wav"))
		require.NoError(t, err)
		return found
	}
	for n := 1; n <= 2; n++ { // the second time something of that name is there already
		file := strangers(t, dir, 1)[0]
		require.NoError(t, r.Sweep(ctx))
		assert.NoFileExists(t, file)
		assert.Len(t, inTrash(), n)
	}
	trash := filepath.Join(dir, "media", "trash")
	require.NoError(t, os.Rename(filepath.Join(trash, time.Now().UTC().Format(time.DateOnly)), filepath.Join(trash, "2020-02-03")))
	require.NoError(t, os.MkdirAll(filepath.Join(trash, "somebody's own"), 0o755))
	require.NoError(t, r.Sweep(ctx))
	assert.Empty(t, inTrash())
	assert.DirExists(t, filepath.Join(trash, "somebody's own"))
}

// More than is usual that no row names is somebody's work, and stays until somebody says otherwise.
func TestSweepStopsAtMoreThanIsUsual(t *testing.T) {
	ctx := context.Background()
	r, dir := sweeper(t)
	files := strangers(t, dir, maxUnknown+1)
	assert.ErrorContains(t, r.Sweep(ctx), "11 of 11 takes and prints")
	for _, f := range files {
		assert.FileExists(t, f)
	}
	require.NoError(t, r.TakeAsItIs(ctx))
	require.NoError(t, r.Sweep(ctx))
	assert.NoFileExists(t, files[0])
}

// A database that was put back is older than its folder: nothing is cleared away, until it is said to be right.
func TestSweepStopsWhereTheDatabaseIsOlder(t *testing.T) {
	ctx := context.Background()
	r, dir := sweeper(t)
	require.NoError(t, r.advance(ctx))
	yesterday, err := r.Store.Generation(ctx)
	require.NoError(t, err)
	for range 3 {
		require.NoError(t, r.advance(ctx))
	}
	file := strangers(t, dir, 1)[0]
	upload := filepath.Join(dir, "uploads", "11111111-2222-4333-8444-555555555555.wav")
	require.NoError(t, os.MkdirAll(filepath.Dir(upload), 0o755))
	require.NoError(t, os.WriteFile(upload, []byte("x"), 0o644))
	_, err = r.Store.Pool.Exec(ctx, "update installation set generation = $1", yesterday) // yesterday's copy is put back
	require.NoError(t, err)
	assert.ErrorContains(t, r.Sweep(ctx), "older than the folder")
	require.NoError(t, r.advance(ctx)) // work goes on, and makes it no younger
	assert.ErrorContains(t, r.Sweep(ctx), "older than the folder")
	assert.FileExists(t, file)
	assert.FileExists(t, upload)
	require.NoError(t, r.TakeAsItIs(ctx))
	require.NoError(t, r.Sweep(ctx))
	assert.NoFileExists(t, file)

	require.NoError(t, os.WriteFile(r.generationNote(), []byte("no number\n"), 0o644))
	file = strangers(t, dir, 1)[0]
	assert.Error(t, r.Sweep(ctx), "who can't tell clears nothing away")
	assert.FileExists(t, file)
}

// A1. What work has given its place and not yet noted is not swept, though nothing in the folder above is named by a row
// (found when the server was killed again and again); what an attempt that died has left there goes, and the folder with
// it.
func TestSweepLeavesWhatWorkIsAboutToName(t *testing.T) {
	ctx := context.Background()
	r, dir := sweeper(t)
	s := r.Store
	p, err := s.CreateProduction(ctx, "The Lantern Ferry", timecode.Rate{Num: 25, Den: 1})
	require.NoError(t, err)
	const going, dead, token = "11111111-2222-4333-8444-555555555555", "21111111-2222-4333-8444-555555555555",
		"31111111-2222-4333-8444-555555555555"
	for work, state := range map[string]string{going: "running", dead: "queued"} {
		_, err = s.Pool.Exec(ctx, "insert into work (id, production_id, kind, title, state, args, claim) values ($1, $2, 'ply', 'x', $3, '{}', case when $3 = 'running' then $4::uuid end)", work, p.ID, state, token)
		require.NoError(t, err)
	}
	lay := func(key string) string {
		file := filepath.Join(dir, "media", key)
		require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
		require.NoError(t, os.WriteFile(file, []byte("x"), 0o644))
		return file
	}
	kept := lay("batches/" + going + "/" + token + "-12A/12A.wav")
	lay("batches/" + going + "/41111111-2222-4333-8444-555555555555-12A/12A.wav")
	lay("batches/" + dead + "/41111111-2222-4333-8444-555555555555-12A/12A.wav")
	coming, forgotten := lay("received/a/x.wav"), lay("received/b/x.wav")
	long := time.Now().Add(-2 * mayArrive)
	require.NoError(t, os.Chtimes(filepath.Dir(forgotten), long, long))
	require.NoError(t, r.Sweep(ctx))
	assert.FileExists(t, kept)
	assert.FileExists(t, coming, "files for the desk may still be on their way")
	assert.NoFileExists(t, forgotten)
	left, err := filepath.Glob(filepath.Join(dir, "media/batches/*/*"))
	require.NoError(t, err)
	assert.Equal(t, []string{filepath.Dir(kept)}, left)
	assert.NoDirExists(t, filepath.Join(dir, "media/batches", dead))
}
