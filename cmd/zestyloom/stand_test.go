package main

import (
	"log/slog"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/fault"
	"zestyloom/demo"
	"zestyloom/internal/app"
	"zestyloom/internal/backup"
	"zestyloom/internal/jobs"
	"zestyloom/internal/store/storetest"
)

// backup, restore and rebuild say what they did, and end as found wanting where something is not as it was.
func TestStandVerbs(t *testing.T) {
	database, data, to := storetest.URL(t), t.TempDir(), t.TempDir()
	a, err := app.Open(t.Context(), app.Config{Database: database, Data: data, Log: slog.New(slog.DiscardHandler)})
	require.NoError(t, err)
	_, err = a.Store.CreateProduction(t.Context(), demo.Production, demo.FrameRate)
	require.NoError(t, err)
	a.Close()
	var d backup.Done
	require.NoError(t, verb(t, &d, "backup", to, "--database", database, "--data", data))
	assert.Equal(t, 1, d.Productions)
	assert.Zero(t, d.Takes)
	point := d.Point

	fresh, empty := storetest.URL(t), filepath.Join(t.TempDir(), "new")
	d = backup.Done{}
	require.NoError(t, verb(t, &d, "restore", to, "--database", fresh, "--data", empty))
	assert.Equal(t, backup.Done{Point: point, Productions: 1, Wrong: []string{}}, d)
	assert.Equal(t, fault.BadInput, fault.KindOf(verb(t, &d, "restore", to, "--database", database, "--data", t.TempDir())))
	assert.Equal(t, fault.NotFound, fault.KindOf(verb(t, &d, "restore", t.TempDir(), "--database", fresh, "--data", t.TempDir())))
	assert.Equal(t, fault.NotFound, fault.KindOf(verb(t, &d, "restore", to, "--point", "none", "--database", fresh, "--data", t.TempDir())))

	var r jobs.Rebuilt
	require.NoError(t, verb(t, &r, "rebuild", "--database", fresh, "--data", empty))
	assert.Zero(t, r.Takes)
	require.NoError(t, os.MkdirAll(filepath.Join(empty, "media/sources/nothing"), 0o755))
	assert.ErrorIs(t, verb(t, &r, "rebuild", "--database", fresh, "--data", empty), errWanting)
	assert.Len(t, r.Left, 1)
}
