package jobs

import (
	"context"
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

// A1. What work has given its place and not yet noted is not swept, though nothing in the folder above is named by a row
// (found when the server was killed again and again); what an attempt that died has left there goes, and the folder with
// it.
func TestSweepLeavesWhatWorkIsAboutToName(t *testing.T) {
	ctx := context.Background()
	s, err := store.Open(ctx, storetest.URL(t))
	require.NoError(t, err)
	defer s.Close()
	dir := t.TempDir()
	folder, err := media.OpenFolder(filepath.Join(dir, "media"))
	require.NoError(t, err)
	defer folder.Close()
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
	r := &Runner{Store: s, Media: folder, Uploads: filepath.Join(dir, "uploads"), Log: slog.New(slog.DiscardHandler)}
	require.NoError(t, r.Sweep(ctx))
	assert.FileExists(t, kept)
	assert.FileExists(t, coming, "files for the desk may still be on their way")
	assert.NoFileExists(t, forgotten)
	left, err := filepath.Glob(filepath.Join(dir, "media/batches/*/*"))
	require.NoError(t, err)
	assert.Equal(t, []string{filepath.Dir(kept)}, left)
	assert.NoDirExists(t, filepath.Join(dir, "media/batches", dead))
}
