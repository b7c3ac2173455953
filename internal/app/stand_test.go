package app_test

import (
	"bytes"
	"context"
	"crypto/sha256"
	"fmt"
	"io/fs"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/internal/api"
	"zestyloom/internal/app"
	"zestyloom/internal/app/apptest"
	"zestyloom/internal/backup"
	"zestyloom/internal/store/storetest"
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
			require.Len(t, s.Takes(p), 1, "%+v: the one without a note was taken in anew", s.Settled(p))
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

// contents gives all rows of all tables of a server's database, as texts, but for what holds for a process alone.
func contents(t *testing.T, database string) map[string][]string {
	conn, err := pgx.Connect(t.Context(), database)
	require.NoError(t, err)
	defer conn.Close(context.WithoutCancel(t.Context()))
	rows, err := conn.Query(t.Context(), `select relname from pg_class where relnamespace = 'public'::regnamespace and relkind = 'r' and relname not like 'river%'
		and relname not in ('goose_db_version', 'workers')`)
	require.NoError(t, err)
	tables, err := pgx.CollectRows(rows, pgx.RowTo[string])
	require.NoError(t, err)
	all := map[string][]string{}
	for _, table := range tables {
		rows, err := conn.Query(t.Context(), "select (to_jsonb(x) - '{worker,claim,job_id,touched,renamed}'::text[])::text as row from "+table+" x order by 1")
		require.NoError(t, err)
		all[table], err = pgx.CollectRows(rows, pgx.RowTo[string])
		require.NoError(t, err)
	}
	return all
}

// files gives the SHA-256 of all files that rows may name, by path.
func files(t *testing.T, data string) map[string]string {
	all := map[string]string{}
	for _, dir := range []string{"sources", "prints", "received", "batches"} {
		err := filepath.WalkDir(filepath.Join(data, "media", dir), func(path string, e fs.DirEntry, err error) error {
			if err != nil || e.IsDir() {
				return nil
			}
			b, err := os.ReadFile(path)
			require.NoError(t, err)
			rel, err := filepath.Rel(data, path)
			require.NoError(t, err)
			all[rel] = fmt.Sprintf("%x", sha256.Sum256(b))
			return nil
		})
		require.NoError(t, err)
	}
	return all
}

func backedUp(t *testing.T, s *apptest.Server, to string) backup.Done {
	d, err := backup.To(t.Context(), backup.Asked{Database: s.Database, Data: s.Data, To: to, Progress: func(float64) {}})
	require.NoError(t, err)
	require.Empty(t, d.Wrong)
	return d
}

// A server is backed up while people work, and restored on an empty machine: the same, row by row and byte by byte, and it goes on.
func TestBackedUpAndRestored(t *testing.T) {
	s := apptest.Start(t)
	production, v := crossing(t, s)
	p := printed(s, production, v, map[string]any{"packaging": "interleaved"})
	s.OK("POST", "/prints/"+p.ID+"/receipts", nil, nil)
	to := t.TempDir()
	stop, worked := make(chan struct{}), make(chan struct{})
	go func() { // somebody edits, brings in and removes all the while
		defer close(worked)
		for i := 0; ; i++ {
			name := fmt.Sprintf("more%d.wav", i)
			s.Record(name, 0.5+float64(i)/100, "Boom")
			s.Bring(production, name)
			s.Do(&v, "setMark", map[string]any{"name": name, "at": 36000*48000 + i})
			if take := s.Takes(production)[name]; i%2 == 0 {
				s.OK("DELETE", "/takes/"+take.ID, nil, nil)
			}
			select {
			case <-stop:
				return
			default:
			}
		}
	}()
	first := backedUp(t, s, to)
	for range 4 {
		d := backedUp(t, s, to)
		assert.Less(t, d.Copied, first.Copied, "what is there is not copied again")
	}
	close(stop)
	<-worked
	s.Settled(production)
	last := backedUp(t, s, to)
	want, wantFiles := contents(t, s.Database), files(t, s.Data)
	sound := s.File("/takes/" + s.Takes(production)["12A.wav"].ID + "/samples?channel=2&from=0&count=1000")
	s.Stop()

	points, err := backup.Points(to)
	require.NoError(t, err)
	require.Len(t, points, 6)
	for _, point := range points { // each is whole: whatever its rows name is there
		r := &apptest.Server{Data: filepath.Join(t.TempDir(), "empty"), Database: storetest.URL(t)}
		wanted := backup.Wanted{From: to, Point: point, Database: r.Database, Data: r.Data, Progress: func(float64) {}}
		d, err := backup.Restore(t.Context(), wanted)
		require.NoError(t, err)
		assert.Empty(t, d.Wrong)
		if point != last.Point {
			continue
		}
		got := contents(t, r.Database)
		for table, rows := range want {
			assert.Equal(t, rows, got[table], table)
		}
		restored := files(t, r.Data)
		for path, sum := range restored {
			assert.Equal(t, wantFiles[path], sum, path)
		}
		assert.NotEmpty(t, restored)
		_, err = backup.Restore(t.Context(), wanted)
		assert.ErrorContains(t, err, "something in", "and nothing is written over")
		s.Database, s.Data = r.Database, r.Data
	}
	s.Run() // it goes on
	assert.Equal(t, sound, s.File("/takes/"+s.Takes(production)["12A.wav"].ID+"/samples?channel=2&from=0&count=1000"))
	s.OK("GET", "/reels/"+v.ID, nil, &v)
	s.Do(&v, "setMark", map[string]any{"name": "after", "at": 36000 * 48000})
	s.Record("new.wav", 1, "Boom")
	assert.Equal(t, "done", s.Bring(production, "new.wav")["new.wav"].State)
	again := printed(s, production, v, map[string]any{"packaging": "interleaved"})
	assert.Equal(t, "done", again.State, again.Message)
	s.Stop() // before its database goes
}

// What is removed while a backup copies is in it all the same: its rows name it.
func TestWhatIsRemovedMeanwhileIsBackedUp(t *testing.T) {
	s := apptest.Start(t)
	production, _ := crossing(t, s)
	s.Settled(production)
	to, gone := t.TempDir(), false
	d, err := backup.To(t.Context(), backup.Asked{Database: s.Database, Data: s.Data, To: to, Progress: func(float64) {
		if !gone { // the first of many files has been copied
			gone = true
			require.NoError(t, os.RemoveAll(filepath.Join(s.Data, "media/sources")))
		}
	}})
	require.NoError(t, err)
	require.Empty(t, d.Wrong)
	data := t.TempDir()
	back, err := backup.Restore(t.Context(), backup.Wanted{From: to, Database: storetest.URL(t), Data: data, Progress: func(float64) {}})
	require.NoError(t, err)
	assert.Empty(t, back.Wrong)
	sounds, err := filepath.Glob(filepath.Join(data, "media/sources/*/source.wav"))
	require.NoError(t, err)
	assert.Len(t, sounds, len(s.Takes(production)))
}

// A backup and a restoring that are stopped anywhere are gone on with, and what has been damaged is found.
func TestBackupsThatAreStoppedAndDamaged(t *testing.T) {
	s := apptest.Start(t)
	production, _ := crossing(t, s)
	s.Settled(production)
	to := t.TempDir()
	for n := 1; ; n += 3 { // stopped after so many steps
		ctx, cancel := context.WithCancel(t.Context())
		steps := 0
		_, err := backup.To(ctx, backup.Asked{Database: s.Database, Data: s.Data, To: to, Progress: func(float64) {
			if steps++; steps == n {
				cancel()
			}
		}})
		cancel()
		if err == nil {
			break
		}
		points, _ := backup.Points(to)
		require.Empty(t, points, "half a backup is no point")
	}
	left, err := filepath.Glob(filepath.Join(s.Data, "media/pinned/*"))
	require.NoError(t, err)
	assert.Empty(t, left)
	d := backedUp(t, s, to)
	assert.Zero(t, d.Copied)

	wanted := backup.Wanted{From: to, Database: storetest.URL(t), Data: t.TempDir(), Progress: func(float64) {}}
	for n := 1; ; n += 3 {
		ctx, cancel := context.WithCancel(t.Context())
		steps := 0
		wanted.Progress = func(float64) {
			if steps++; steps == n {
				cancel()
			}
		}
		_, err := backup.Restore(ctx, wanted)
		cancel()
		if err == nil {
			break
		}
	}
	want, got := contents(t, s.Database), contents(t, wanted.Database)
	assert.Equal(t, want, got)

	sound, err := filepath.Glob(filepath.Join(to, "files/media/sources/*/source.wav"))
	require.NoError(t, err)
	b, err := os.ReadFile(sound[0])
	require.NoError(t, err)
	b[len(b)/2] ^= 1
	require.NoError(t, os.WriteFile(sound[0], b, 0o644))
	wanted = backup.Wanted{From: to, Database: storetest.URL(t), Data: t.TempDir(), Progress: func(float64) {}}
	_, err = backup.Restore(t.Context(), wanted)
	require.ErrorContains(t, err, "no longer what it was")
	d, err = backup.To(t.Context(), backup.Asked{Database: s.Database, Data: s.Data, To: to, Verify: true, Keep: 1,
		Progress: func(float64) {}})
	require.NoError(t, err)
	require.Len(t, d.Wrong, 1)
	wanted.Data, wanted.Database = t.TempDir(), storetest.URL(t)
	_, err = backup.Restore(t.Context(), wanted)
	require.NoError(t, err, "it was copied anew")
	points, err := backup.Points(to)
	require.NoError(t, err)
	assert.Len(t, points, 1, "and the others went")

	// A file that was written anew is copied anew, though it is as long.
	source, err := filepath.Glob(filepath.Join(s.Data, "media/sources/*/take.json"))
	require.NoError(t, err)
	note, err := os.ReadFile(source[0])
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(source[0], bytes.Replace(note, []byte("LF03"), []byte("LF04"), 1), 0o644))
	assert.EqualValues(t, len(note), backedUp(t, s, to).Copied)
	// Two backups of one server at once would take each other's pins away.
	err = nil
	_, first := backup.To(t.Context(), backup.Asked{Database: s.Database, Data: s.Data, To: t.TempDir(), Progress: func(float64) {
		if err == nil {
			_, err = backup.To(t.Context(), backup.Asked{Database: s.Database, Data: s.Data, To: t.TempDir(), Progress: func(float64) {}})
		}
	}})
	require.NoError(t, first)
	require.ErrorContains(t, err, "Another backup")

	tables, err := filepath.Glob(filepath.Join(to, "tables/*/takes.gz"))
	require.NoError(t, err)
	for _, damage := range []func([]byte) []byte{func(b []byte) []byte { return b[:len(b)/2] }, func(b []byte) []byte { return b[:5] },
		func(b []byte) []byte { b[len(b)-20] ^= 4; return b }} {
		was := map[string][]byte{}
		for _, table := range tables {
			was[table], err = os.ReadFile(table)
			require.NoError(t, err)
			require.NoError(t, os.WriteFile(table, damage(bytes.Clone(was[table])), 0o644))
		}
		wanted.Data, wanted.Database = filepath.Join(t.TempDir(), "empty"), storetest.URL(t)
		_, err = backup.Restore(t.Context(), wanted)
		require.ErrorContains(t, err, "The copy of the table takes is no longer what it was")
		assert.NoDirExists(t, wanted.Data, "nothing is written before all of it is known to be whole")
		for table, b := range was {
			require.NoError(t, os.WriteFile(table, b, 0o644))
		}
	}
}

// That clearing away stands still is said where people see it.
func TestAnOlderDatabaseIsSaid(t *testing.T) {
	s := apptest.Start(t)
	s.Record("one.wav", 1, "Boom")
	s.Bring(s.Production(), "one.wav")
	var condition struct{ Troubles []string }
	s.OK("GET", "/condition", nil, &condition)
	assert.Empty(t, condition.Troubles)
	s.Stop()
	statement(t, s.Database, "update installation set generation = 0, noted = 0")
	s.Run()
	require.Eventually(t, func() bool {
		s.OK("GET", "/condition", nil, &condition)
		return len(condition.Troubles) == 1 && strings.Contains(condition.Troubles[0], "older than the folder")
	}, time.Minute, 50*time.Millisecond)
	s.OK("GET", "/productions", nil, nil)
}

// Two tools that hang stop those who wait behind them, and nobody else; and whoever stops them is obeyed.
func TestAToolThatHangsStopsOneLaneAlone(t *testing.T) {
	s := apptest.Alone(t)
	production, v := crossing(t, s)
	tools := t.TempDir()
	for _, name := range []string{"ffmpeg", "ffprobe"} {
		real, err := exec.LookPath(name)
		require.NoError(t, err)
		script := "#!/bin/sh\ncase \"$*\" in *source.mov*) exec sleep 600 ;; esac\nexec " + real + " \"$@\"\n"
		require.NoError(t, os.WriteFile(filepath.Join(tools, name), []byte(script), 0o755))
	}
	t.Setenv("PATH", tools+":"+os.Getenv("PATH"))
	var movies []string
	for i := range 3 {
		movies = append(movies, fmt.Sprintf("hangs%d.mov", i))
		s.Put(movies[i], append([]byte{0, 0, 0, 20}, []byte(fmt.Sprintf("ftypqt  hangs %d", i))...))
	}
	var imports []string
	s.OK("POST", "/productions/"+production+"/imports", api.CardImport{Card: "LF03", Paths: movies}, &imports)
	states := func() (n map[string]int) {
		n = map[string]int{}
		for _, id := range imports {
			n[work(s, id).State]++
		}
		return n
	}
	require.Eventually(t, func() bool { return states()["running"] == 2 }, time.Minute, 20*time.Millisecond)
	var p api.Print
	s.OK("POST", "/reels/"+v.ID+"/prints", map[string]any{"packaging": "interleaved"}, &p)
	batch := queued(s, "/productions/"+production+"/batches", map[string]any{"kind": "ply",
		"takes": []string{s.Takes(production)["12A.wav"].ID}, "settings": map[string]any{"all": true, "singly": false}})
	var desk api.Receipt
	for _, id := range []string{p.ID, batch} {
		require.Eventually(t, func() bool { return work(s, id).State == "done" }, time.Minute, 20*time.Millisecond, work(s, id).Message)
	}
	s.OK("POST", "/prints/"+p.ID+"/receipts", nil, &desk)
	require.Eventually(t, func() bool { return work(s, desk.ID).State == "done" }, time.Minute, 20*time.Millisecond)
	assert.Equal(t, map[string]int{"running": 2, "queued": 1}, states(), "they hang all the while")
	for _, id := range imports {
		s.OK("POST", "/work/"+id+"/cancel", nil, nil)
	}
	s.Record("after.wav", 1, "Boom")
	assert.Equal(t, "done", s.Bring(production, "after.wav")["after.wav"].State, "and the lane is free again")
}
