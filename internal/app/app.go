// Package app puts the application together: store, media, work and server. Begin reading at Open.
package app

import (
	"context"
	"errors"
	"log/slog"
	"net"
	"net/http"
	"path/filepath"
	"sync"
	"time"

	"zestyloom/internal/api"
	"zestyloom/internal/cards"
	"zestyloom/internal/jobs"
	"zestyloom/internal/library"
	"zestyloom/internal/media"
	"zestyloom/internal/store"
)

// Config says where things are.
type Config struct {
	Database string // PostgreSQL URL
	Data     string // folder for media and uploads
	Cards    cards.Cards
	Hosts    []string // names that the server answers for besides loopback's
	Log      *slog.Logger
}

// App is the application, ready to serve or work.
type App struct {
	Store *store.Store
	Media *media.Folder
	Jobs  *jobs.Runner
	api   http.Handler
}

// Open connects everything and brings the database up to date.
func Open(ctx context.Context, c Config) (*App, error) {
	s, err := store.Open(ctx, c.Database)
	if err != nil {
		return nil, err
	}
	a := &App{Store: s}
	if a.Media, err = media.OpenFolder(filepath.Join(c.Data, "media")); err != nil {
		s.Close()
		return nil, err
	}
	uploads := filepath.Join(c.Data, "uploads")
	a.Jobs = &jobs.Runner{Store: s, Media: a.Media, Library: library.Library{Store: s, Media: a.Media}, Cards: c.Cards, Uploads: uploads, Log: c.Log}
	if err = a.Jobs.Open(); err == nil {
		a.api, err = api.New(api.Config{Store: s, Media: a.Media, Jobs: a.Jobs, Cards: c.Cards, Uploads: uploads, Hosts: c.Hosts, Log: c.Log})
	}
	if err != nil {
		a.Close()
		return nil, err
	}
	return a, nil
}

// Close lets go of everything.
func (a *App) Close() {
	a.Media.Close()
	a.Store.Close()
}

// stopWithin is how long open requests and work may take to end.
const stopWithin = 10 * time.Second

// Serve answers on l, and does work, until ctx ends.
func (a *App) Serve(ctx context.Context, l net.Listener) error {
	server := &http.Server{Handler: a.api, ReadHeaderTimeout: 10 * time.Second, BaseContext: func(net.Listener) context.Context { return ctx }}
	if err := a.Jobs.Start(context.WithoutCancel(ctx)); err != nil {
		return err
	}
	watching, unwatch := context.WithCancel(ctx)
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
	return errors.Join(err, server.Shutdown(end), a.Jobs.Stop(end))
}

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
