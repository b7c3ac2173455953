package intake

import (
	"context"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/fault"
)

// tool puts a program in the place of ffmpeg.
func tool(t *testing.T, script string) {
	dir := t.TempDir()
	for _, name := range []string{"ffmpeg", "ffprobe"} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte("#!/bin/sh\n"+script+"\n"), 0o755))
	}
	t.Setenv("PATH", dir+":"+os.Getenv("PATH"))
}

// A tool that hangs is ended, one that goes on slowly is not, and one that the system has ended is not called a damaged movie.
func TestAToolThatHangsOrIsKilled(t *testing.T) {
	was, wasProbe := stalledAfter, looksFor
	stalledAfter, looksFor = 400*time.Millisecond, 400*time.Millisecond
	defer func() { stalledAfter, looksFor = was, wasProbe }()
	for name, c := range map[string]struct {
		script, says string
		again        bool
	}{
		"hangs at once":     {"exec sleep 60", "made no progress", true},
		"hangs in between":  {"echo out_time_us=1000; while sleep 0.1; do echo out_time_us=2000; done", "made no progress", true},
		"killed":            {"kill -KILL $$", "memory", true},
		"slow, but goes on": {"for i in 1 2 3 4 5 6 7 8; do echo out_time_us=$i; sleep 0.15; done", "", false},
		"damaged movie":     {"echo 'moov atom not found' >&2; exit 1", "damaged", false},
	} {
		t.Run(name, func(t *testing.T) {
			tool(t, c.script)
			began := time.Now()
			err := encode(context.Background(), 10, nil, "-y", "out")
			assert.Less(t, time.Since(began), 20*time.Second)
			if c.says == "" {
				require.NoError(t, err)
				return
			}
			require.ErrorContains(t, err, c.says)
			assert.Equal(t, c.again, assert.ObjectsAreEqual(fault.Away, fault.KindOf(err)))
			if c.again {
				assert.ErrorIs(t, err, ErrTool)
			}
		})
	}
	tool(t, "exec sleep 60")
	_, err := run(context.Background(), "ffprobe", "x")
	assert.ErrorIs(t, err, ErrTool)
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, err = run(ctx, "ffprobe", "x")
	assert.Equal(t, fault.Cancelled, fault.KindOf(err), "who stops it is told so")
}
