// Package app puts the application together: store, media, work and server. Begin reading at Open.
package app

import (
	"context"
	"errors"
	"log/slog"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"runtime/debug"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"golang.org/x/sync/errgroup"
	"golang.org/x/sys/unix"

	"zestyloom/core/fault"
	"zestyloom/internal/api"
	"zestyloom/internal/cards"
	"zestyloom/internal/jobs"
	"zestyloom/internal/library"
	"zestyloom/internal/media"
	"zestyloom/internal/receivers"
	"zestyloom/internal/store"
)

// Config says where things are.
type Config struct {
	Database  string // PostgreSQL URL
	Data      string // folder for media and uploads
	Cards     cards.Cards
	Receivers receivers.Folders
	Pools     Pools    // of connections to the database; those that are left out have their usual size
	Hosts     []string // names that the server answers for besides loopback's
	AsItIs    bool     // the database is right, whatever the folder has besides
	Log       *slog.Logger
}

// Pools are the pools of connections to the database.
type Pools struct{ Requests, Working, Keeping int32 }

// use gives a pool the size that was asked for.
func use(u store.Use, connections int32) store.Use {
	if connections > 0 {
		u.Connections = connections
	}
	return u
}

// App is the application, ready to serve or work.
type App struct {
	Store *store.Store
	Media *media.Folder
	Jobs  *jobs.Runner
	api   *api.Server
	close []func() // from last to first
}

// Prepare does something before the application says that it is ready, though it serves already.
func (a *App) Prepare(do func() error) error {
	a.api.Preparing.Store(true)
	defer a.api.Preparing.Store(false)
	return do()
}

// ceiling gives the process a ceiling of memory, unless GOMEMLIMIT has: three quarters of what the machine, or its container, has. What is
// near it is collected at once, and large requests are refused. The rest is for the database and for ffmpeg.
func ceiling() {
	if os.Getenv("GOMEMLIMIT") != "" {
		return
	}
	var total int64
	if b, err := os.ReadFile("/sys/fs/cgroup/memory.max"); err == nil {
		total, _ = strconv.ParseInt(strings.TrimSpace(string(b)), 10, 64) // "max" is none
	}
	var s unix.Sysinfo_t
	if err := unix.Sysinfo(&s); err == nil {
		if all := int64(s.Totalram) * int64(s.Unit); total <= 0 || all < total {
			total = all
		}
	}
	if total > 0 {
		debug.SetMemoryLimit(total / 4 * 3)
	}
}

// Open connects everything and brings the database up to date.
func Open(ctx context.Context, c Config) (*App, error) {
	ceiling()
	a := &App{}
	if err := a.open(ctx, c); err != nil {
		a.Close()
		return nil, err
	}
	return a, nil
}

func (a *App) open(ctx context.Context, c Config) (err error) {
	s, err := store.OpenFor(ctx, c.Database, use(store.Requests, c.Pools.Requests))
	if err != nil {
		return err
	}
	a.Store, a.close = s, append(a.close, s.Close)
	working, err := s.Apart(ctx, use(store.Working, c.Pools.Working))
	if err != nil {
		return err
	}
	a.close = append(a.close, working.Close)
	keeping, err := s.Apart(ctx, use(store.Keeping, c.Pools.Keeping))
	if err != nil {
		return err
	}
	a.close = append(a.close, keeping.Close)
	if a.Media, err = media.OpenFolder(filepath.Join(c.Data, "media")); err != nil {
		return err
	}
	a.Media.Reserve = jobs.Reserve
	a.close = append(a.close, func() { a.Media.Close() })
	metrics := api.NewMetrics(s.CountWork, a.Media.Free, func() (int32, int32) {
		stat := s.Pool.Stat()
		return stat.AcquiredConns(),
			stat.MaxConns()
	})
	uploads := filepath.Join(c.Data, "uploads")
	a.Jobs = &jobs.Runner{Store: working, Keeping: keeping, Media: a.Media, Library: library.Library{Store: working, Media: a.Media},
		Cards: c.Cards, Receivers: c.Receivers,
		Uploads: uploads, Log: c.Log, Ended: metrics.WorkEnded}
	if err = bind(ctx, s, c.Data); err == nil {
		err = a.Jobs.Open()
	}
	if err == nil && c.AsItIs {
		err = a.Jobs.TakeAsItIs(ctx)
	}
	if err == nil {
		err = a.own(ctx, c.Data)
	}
	if err == nil {
		a.api, err = api.New(api.Config{Store: s, Media: a.Media, Jobs: a.Jobs, Cards: c.Cards, Uploads: uploads, Hosts: c.Hosts,
			Log:     c.Log,
			Metrics: metrics})
	}
	return err
}

// bind makes sure that the folder of media belongs to the database: a worker with another folder would fail everybody's
// work. A database that was never used has the first folder that comes.
func bind(ctx context.Context, s *store.Store, data string) error {
	file := filepath.Join(data, "installation")
	b, err := os.ReadFile(file)
	if err != nil && !errors.Is(err, os.ErrNotExist) {
		return err
	}
	id, first, err := s.Bind(ctx, strings.TrimSpace(string(b)))
	if err != nil {
		return fault.Wrap(fault.KindOf(err), err, "The folder %s: %s", data, fault.Sentence(err))
	}
	if !first {
		return s.Bound(ctx) // a start that broke off may have left the folder with the ID alone
	}
	if err := media.WriteNote(file, id); err != nil {
		return err
	}
	return s.Bound(ctx)
}

// own refuses a folder of media that is a copy of the one that others work in, or that lacks what they have written.
func (a *App) own(ctx context.Context, data string) error {
	mine, err := a.Media.Identity()
	if err != nil {
		return err
	}
	others, err := a.Store.Folders(ctx)
	if err != nil {
		return err
	}
	for _, o := range others {
		if !media.SameFolder(mine, o) {
			return fault.New(fault.BadInput, "The folder %s is a copy: a server or worker that runs has its recordings in another one. Start with that one, so that each finds what the other brings in", data)
		}
	}
	behind, err := a.Jobs.Behind(ctx)
	if err == nil && behind {
		err = fault.New(fault.BadInput, "The folder %s is an older copy: recordings have come into another one since. Start with that one. If it is lost, start once with --as-it-is; takes whose recordings are missing will say so", data)
	}
	return err
}

// Close lets go of everything.
func (a *App) Close() {
	for _, c := range slices.Backward(a.close) {
		c()
	}
}

// Serve answers on l, and does work, until ctx ends. Then requests in flight finish, work is put back, and whatever would
// go on for longer is cut off.
func (a *App) Serve(ctx context.Context, l net.Listener) error {
	// What requests do does not end with ctx: an edit that is being made is made.
	base, cut := context.WithCancel(context.WithoutCancel(ctx))
	defer cut()
	server := &http.Server{
		Handler: a.api, ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute, MaxHeaderBytes: 64 << 10,
		BaseContext: func(net.Listener) context.Context { return base },
	}
	if err := a.Jobs.Start(context.WithoutCancel(ctx)); err != nil {
		return err
	}
	watching, unwatch := context.WithCancel(context.WithoutCancel(ctx))
	var watch sync.WaitGroup
	watch.Go(func() { a.Store.Watch(watching) })
	defer watch.Wait()
	defer unwatch()
	failed := make(chan error, 1)
	go func() { failed <- server.Serve(l) }()
	var err error
	select {
	case <-ctx.Done():
	case err = <-failed:
	}
	end, cancel := context.WithTimeout(context.WithoutCancel(ctx), stopWithin)
	defer cancel()
	var both errgroup.Group
	both.Go(func() error {
		a.api.End()
		requests, cancel := context.WithTimeout(end, finishWithin)
		defer cancel()
		if server.Shutdown(requests) != nil { // downloads go on for as long as somebody reads
			cut()
			return server.Close()
		}
		return nil
	})
	both.Go(func() error { return a.Jobs.Stop(end) })
	if stopped := both.Wait(); err == nil || errors.Is(err, http.ErrServerClosed) {
		err = stopped
	}
	return err
}

// stopWithin is how long open requests and work may take to end, finishWithin how much of that requests have.
const (
	stopWithin   = 9 * time.Second
	finishWithin = 4 * time.Second
)

// Work does queued work without serving, until ctx ends.
func (a *App) Work(ctx context.Context) error {
	if err := a.Jobs.Start(context.WithoutCancel(ctx)); err != nil {
		return err
	}
	<-ctx.Done()
	end, cancel := context.WithTimeout(context.WithoutCancel(ctx), stopWithin)
	defer cancel()
	return a.Jobs.Stop(end)
}
