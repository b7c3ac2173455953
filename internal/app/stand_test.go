package app_test

import (
	"bytes"
	"context"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/internal/api"
	"zestyloom/internal/app"
	"zestyloom/internal/app/apptest"
)

// opened gives the application on a server's database and a folder, without serving, until the test ends.
func opened(t *testing.T, s *apptest.Server, data string) (*app.App, error) {
	a, err := app.Open(t.Context(), app.Config{Database: s.Database, Data: data, Log: slog.New(slog.DiscardHandler)})
	if err == nil {
		t.Cleanup(a.Close)
	}
	return a, err
}

// statement does something in a server's database that no user can.
func statement(t *testing.T, database, sql string) {
	conn, err := pgx.Connect(t.Context(), database)
	require.NoError(t, err)
	defer conn.Close(context.WithoutCancel(t.Context()))
	_, err = conn.Exec(t.Context(), sql)
	require.NoError(t, err)
}

func copied(t *testing.T, from string) string {
	to := filepath.Join(t.TempDir(), "copy")
	out, err := exec.Command("cp", "-a", from, to).CombinedOutput()
	require.NoError(t, err, string(out))
	return to
}

// A server with a copy of another's folder would find none of what the other brings in, nor the other what it does.
func TestACopyOfTheFolderIsRefused(t *testing.T) {
	s := apptest.Start(t)
	s.Record("one.wav", 1, "Boom")
	s.Record("two.wav", 1.5, "Boom")
	production := s.Production()
	s.Bring(production, "one.wav")
	twin := copied(t, s.Data)
	_, err := opened(t, s, twin)
	require.ErrorContains(t, err, "is a copy", "while the other runs")
	same, err := opened(t, s, s.Data)
	require.NoError(t, err, "a second worker in the same folder")
	same.Close()

	s.Stop()
	first := s.Data
	s.Data = twin // moved to another disk
	s.Run()
	s.Bring(production, "two.wav")
	assert.NotEmpty(t, s.File("/takes/"+s.Takes(production)["two.wav"].ID+"/samples?channel=1&from=0&count=100"))
	s.Stop()
	_, err = opened(t, s, first)
	require.ErrorContains(t, err, "older copy", "it lacks the second take")
	a, err := app.Open(t.Context(), app.Config{Database: s.Database, Data: first, AsItIs: true, Log: slog.New(slog.DiscardHandler)})
	require.NoError(t, err, "unless somebody says so")
	a.Close()
	_, err = opened(t, s, first)
	assert.NoError(t, err)
}

// Takes are brought back from the folder of media alone: where the database is lost, and where it is yesterday's.
func TestTakesAreBroughtBackFromTheFolder(t *testing.T) {
	s := apptest.Start(t)
	s.Record("day1/12A.wav", 2, "Mix L", "Boom", "Ines lav")
	s.Record("day1/18C.wav", 1, "Boom")
	s.Record("day1/old.wav", 1.2, "Boom")
	production := s.Production()
	s.Bring(production, "day1/12A.wav", "day1/18C.wav", "day1/old.wav")
	was := s.Takes(production)
	resampled := queued(s, "/takes/"+was["18C.wav"].ID+"/convert", map[string]any{"driftPPM": 500})
	s.Settled(production)
	require.Equal(t, "done", work(s, resampled).State)
	was = s.Takes(production)
	sound := s.File("/takes/" + was["12A.wav"].ID + "/samples?channel=3&from=0&count=96000")
	s.Stop()

	notes, err := filepath.Glob(filepath.Join(s.Data, "media/sources/*/take.json"))
	require.NoError(t, err)
	require.Len(t, notes, 4)
	for _, note := range notes { // as one that came in before there were notes
		if b, err := os.ReadFile(note); err == nil && bytes.Contains(b, []byte(`"old.wav"`)) {
			require.NoError(t, os.Remove(note))
		}
	}
	statement(t, s.Database, "truncate productions, work cascade")
	a, err := opened(t, s, s.Data)
	require.NoError(t, err)
	out, err := a.Jobs.Rebuild(t.Context(), false, func(float64) {})
	require.NoError(t, err)
	assert.Empty(t, out.Left)
	assert.Equal(t, 3, out.Takes)
	assert.Equal(t, 2, out.Productions, "its own, and one for what nothing is known of")
	again, err := a.Jobs.Rebuild(t.Context(), false, func(float64) {})
	require.NoError(t, err)
	assert.Zero(t, again.Takes)
	a.Close()

	s.Run()
	var list []api.Production
	s.OK("GET", "/productions", nil, &list)
	require.Len(t, list, 2)
	byName := map[string]string{}
	for _, p := range list {
		byName[p.Name] = p.ID
		s.Settled(p.ID)
	}
	now := s.Takes(byName["The Lantern Ferry"])
	require.Contains(t, now, "12A.wav")
	got := now["12A.wav"]
	assert.Equal(t, was["12A.wav"].Description, got.Description)
	assert.Equal(t, was["12A.wav"].SHA256, got.SHA256)
	assert.NotNil(t, got.Channels[0].Findings, "it is listened to again")
	assert.Equal(t, sound, s.File("/takes/"+got.ID+"/samples?channel=3&from=0&count=96000"))
	for name, p := range byName {
		if name != "The Lantern Ferry" {
			require.Len(t, s.Takes(p), 1, "the one without a note was taken in anew")
		}
	}
	s.Stop()

	// A file that is no longer what it was is left where it is, and named; and what lies in the trash is brought back too.
	statement(t, s.Database, "truncate productions, work cascade")
	folders := map[string]string{} // by the file that lies in them
	notes, err = filepath.Glob(filepath.Join(s.Data, "media/sources/*/take.json"))
	require.NoError(t, err)
	for _, note := range notes {
		b, err := os.ReadFile(note)
		require.NoError(t, err)
		for _, name := range []string{"12A.wav", "18C.wav"} {
			if bytes.Contains(b, []byte(`"`+name+`"`)) {
				folders[name] = filepath.Dir(note)
			}
		}
	}
	require.NoError(t, os.WriteFile(filepath.Join(folders["12A.wav"], "source.wav"), []byte("RIFF"), 0o644))
	trashed := filepath.Join(s.Data, "media/trash/2026-11-29/sources")
	require.NoError(t, os.MkdirAll(trashed, 0o755))
	require.NoError(t, os.Rename(folders["18C.wav"], filepath.Join(trashed, filepath.Base(folders["18C.wav"]))))
	a, err = opened(t, s, s.Data)
	require.NoError(t, err)
	out, err = a.Jobs.Rebuild(t.Context(), true, func(float64) {})
	require.NoError(t, err)
	require.Len(t, out.Left, 1)
	assert.Contains(t, out.Left[0], "is not what it was")
	assert.DirExists(t, folders["18C.wav"])
}
