package main

import (
	"bufio"
	"context"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/demo"
	"zestyloom/internal/app"
	"zestyloom/internal/store/storetest"
)

// askedToShow makes a test process the demo of another one.
const askedToShow = "ZESTYLOOM_TEST_SHOWS"

func TestDemoProcess(t *testing.T) {
	data := os.Getenv(askedToShow)
	if data == "" {
		t.Skip("this is for TestTheDemoIsGoneOnWith")
	}
	c := root()
	c.SetArgs([]string{"demo", "--data", data, "--address", "127.0.0.1:0"})
	require.NoError(t, c.ExecuteContext(t.Context()))
}

// shown runs the demo and gives when it is ready, or, where that comes first, kills it after a time.
func shown(t *testing.T, database, data string, killed time.Duration) (ready bool) {
	c := exec.Command(os.Args[0], "-test.run=^TestDemoProcess$")
	c.Env = append(os.Environ(), askedToShow+"="+data, "ZESTYLOOM_DATABASE="+database)
	out, err := c.StderrPipe()
	require.NoError(t, err)
	require.NoError(t, c.Start())
	said := make(chan struct{})
	go func() {
		lines := bufio.NewScanner(out)
		for lines.Scan() {
			if strings.Contains(lines.Text(), "Zesty Loom is at") {
				close(said)
			}
		}
	}()
	select {
	case <-said:
		ready = true
	case <-time.After(killed):
	}
	_ = c.Process.Kill()
	_ = c.Wait()
	return ready
}

// The demo is killed again and again while it is made, is gone on with each time, and is whole in the end; one import has failed on the
// way. What users take away afterwards stays away.
func TestTheDemoIsGoneOnWith(t *testing.T) {
	database, data := storetest.URL(t), t.TempDir()
	for i, after := range []time.Duration{300 * time.Millisecond, 2 * time.Second, 4 * time.Second, 6 * time.Second, 3 * time.Second} {
		if shown(t, database, data, after) {
			break
		}
		if i == 2 { // as where the disk was full for a while
			a, err := app.Open(t.Context(), app.Config{Database: database, Data: data, Log: slog.New(slog.DiscardHandler)})
			require.NoError(t, err)
			_, err = a.Store.Pool.Exec(t.Context(), "update work set state = 'failed', claim = null, worker = null where id = (select id from work where kind = 'import' and state <> 'done' limit 1)")
			require.NoError(t, err)
			a.Close()
		}
	}
	require.True(t, shown(t, database, data, 3*time.Minute))
	a, err := app.Open(t.Context(), app.Config{Database: database, Data: data, Log: slog.New(slog.DiscardHandler)})
	require.NoError(t, err)
	productions, err := a.Store.Productions(t.Context())
	require.NoError(t, err)
	require.Len(t, productions, 1)
	reels, err := a.Store.Reels(t.Context(), productions[0].ID)
	require.NoError(t, err)
	var names []string
	for _, r := range reels {
		names = append(names, r.Name)
	}
	assert.ElementsMatch(t, []string{demo.Reel, demo.SurroundReel, demo.PromoReel, demo.EpisodeReel}, names)
	for _, r := range reels {
		o, err := a.Store.Reel(t.Context(), r.ID)
		require.NoError(t, err)
		assert.NotEmpty(t, o.Reel.Clips, r.Name)
	}
	require.NoError(t, a.Jobs.Open())
	require.NoError(t, a.Jobs.RemoveReel(t.Context(), reels[0].ID))
	a.Close()
	require.True(t, shown(t, database, data, time.Minute))
	a, err = app.Open(t.Context(), app.Config{Database: database, Data: data, Log: slog.New(slog.DiscardHandler)})
	require.NoError(t, err)
	defer a.Close()
	reels, err = a.Store.Reels(context.Background(), productions[0].ID)
	require.NoError(t, err)
	assert.Len(t, reels, 3)
}

// Making the cluster is stopped at any moment, and comes up at the next start.
func TestTheClusterIsMadeOrNot(t *testing.T) {
	script, err := os.ReadFile("../../loom")
	require.NoError(t, err)
	head, _, _ := strings.Cut(string(script), "\ncommand=${1:-}\n")
	dir := t.TempDir()
	functions := filepath.Join(dir, "loom")
	require.NoError(t, os.WriteFile(functions, []byte(head+"\n\"$@\"\n"), 0o755))
	start := func(killed time.Duration) error {
		c := exec.Command("bash", functions, "start_postgres")
		c.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
		require.NoError(t, c.Start())
		ended := make(chan error, 1)
		go func() { ended <- c.Wait() }()
		select {
		case err := <-ended:
			return err
		case <-time.After(killed):
			_ = syscall.Kill(-c.Process.Pid, syscall.SIGKILL)
			return <-ended
		}
	}
	t.Cleanup(func() {
		_ = exec.Command("bash", functions, "stop_postgres").Run()
		if at, err := exec.Command("bash", functions, "pg_dir").Output(); err == nil && strings.Contains(string(at), "zesty-loom/") {
			_ = os.RemoveAll(string(at))
		}
	})
	for i := range 6 {
		_ = start(time.Duration(50+200*i) * time.Millisecond)
	}
	require.NoError(t, start(time.Minute))
	out, err := exec.Command("bash", functions, "eval", "start_postgres; database trial").Output()
	require.NoError(t, err)
	assert.Contains(t, string(out), "/trial")
}
