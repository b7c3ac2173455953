package storetest

import (
	"bytes"
	"context"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"
)

// Cluster is a PostgreSQL of a test's own, which it can stop as a power cut does.
type Cluster struct {
	URL  string // of an empty database
	t    testing.TB
	dir  string
	bin  string
	port int
}

// NewCluster starts one; it is removed when the test ends.
func NewCluster(t testing.TB) *Cluster {
	t.Helper()
	found, err := filepath.Glob("/usr/lib/postgresql/*/bin")
	require.NoError(t, err)
	require.NotEmpty(t, found, "PostgreSQL's programs are in none of Debian's places")
	dir, err := os.MkdirTemp("", "loom-cluster-") // not below t.TempDir, which the postgres user can't reach
	require.NoError(t, err)
	require.NoError(t, os.Chmod(dir, 0o755))
	c := &Cluster{t: t, dir: filepath.Join(dir, "data"), bin: slices.Max(found)}
	if os.Getuid() == 0 {
		out, err := exec.Command("chown", "postgres", dir).CombinedOutput()
		require.NoError(t, err, "%s", out)
	}
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	c.run("initdb", "-D", c.dir, "-U", "loom", "-A", "trust", "-E", "UTF8", "--locale=C.UTF-8", "--no-sync")
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	c.port = l.Addr().(*net.TCPAddr).Port
	require.NoError(t, l.Close())
	c.Start()
	t.Cleanup(func() { c.Stop() })
	admin := fmt.Sprintf("postgres://loom@127.0.0.1:%d/", c.port)
	conn, err := pgx.Connect(context.Background(), admin+"postgres")
	require.NoError(t, err)
	defer conn.Close(context.Background())
	_, err = conn.Exec(context.Background(), "create database loom")
	require.NoError(t, err)
	c.URL = admin + "loom"
	return c
}

// run runs one of PostgreSQL's programs, as the postgres user where we are root, as which they don't run.
func (c *Cluster) run(program string, args ...string) {
	c.t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	line := append([]string{filepath.Join(c.bin, program)}, args...)
	if os.Getuid() == 0 {
		line = append([]string{"runuser", "-u", "postgres", "--"}, line...)
	}
	cmd := exec.CommandContext(ctx, line[0], line[1:]...)
	cmd.Dir = "/"
	var said bytes.Buffer
	cmd.Stdout, cmd.Stderr = &said, &said
	cmd.WaitDelay = time.Second // the server keeps what pg_ctl had open
	if err := cmd.Run(); err != nil && !strings.Contains(err.Error(), exec.ErrWaitDelay.Error()) {
		require.NoError(c.t, err, "%s: %s", strings.Join(line, " "), said.String())
	}
}

// Start starts it again where it was.
func (c *Cluster) Start() {
	c.t.Helper()
	c.run("pg_ctl", "-D", c.dir, "-w", "-t", "30", "-l", filepath.Join(filepath.Dir(c.dir), "log"),
		"-o", fmt.Sprintf("-p %d -c listen_addresses=127.0.0.1 -c unix_socket_directories=''", c.port), "start")
}

// Stop ends it at once, without a word to anybody. What was committed is there after Start.
func (c *Cluster) Stop() {
	c.t.Helper()
	if _, err := os.Stat(filepath.Join(c.dir, "postmaster.pid")); err == nil {
		c.run("pg_ctl", "-D", c.dir, "-m", "immediate", "-w", "stop")
	}
}
