// Package store keeps productions, takes, reels and work in PostgreSQL.
//
// In: core's values. Out: the same, as of now or of a revision. A reel is changed by Do, Undo and Redo alone, each in
// one transaction. Begin reading at Open and Reels.
package store

import (
	"context"
	"embed"
	"errors"
	"io/fs"
	"sync"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivermigrate"

	"zestyloom/core/fault"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Store is safe for concurrent use.
type Store struct {
	Pool *pgxpool.Pool

	mu       sync.Mutex
	reels    map[string]*cachedReel
	watchers map[string]map[chan struct{}]bool // by reel
}

// Open connects to the database and brings its tables up to date.
func Open(ctx context.Context, url string) (*Store, error) {
	pool, err := pgxpool.New(ctx, url)
	if err != nil {
		return nil, err
	}
	if err := migrate(ctx, pool); err != nil {
		pool.Close()
		return nil, err
	}
	return &Store{Pool: pool, reels: map[string]*cachedReel{}, watchers: map[string]map[chan struct{}]bool{}}, nil
}

// Close ends the connections.
func (s *Store) Close() { s.Pool.Close() }

func migrate(ctx context.Context, pool *pgxpool.Pool) error {
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	db := stdlib.OpenDBFromPool(pool)
	defer db.Close()
	provider, err := goose.NewProvider(goose.DialectPostgres, db, files)
	if err != nil {
		return err
	}
	if _, err := provider.Up(ctx); err != nil {
		return err
	}
	queue, err := rivermigrate.New(riverpgxv5.New(pool), nil)
	if err != nil {
		return err
	}
	_, err = queue.Migrate(ctx, rivermigrate.DirectionUp, nil)
	return err
}

// notFound turns pgx's "no rows", and an ID that is not one, into an error for people.
func notFound(err error, what string) error {
	if errors.Is(err, pgx.ErrNoRows) || codeOf(err) == invalidText {
		return fault.New(fault.NotFound, "There is no such %s; it may have been removed", what)
	}
	return err
}

const (
	uniqueViolation = "23505"
	invalidText     = "22P02"
	checkViolation  = "23514"
)

func codeOf(err error) string {
	var pg *pgconn.PgError
	if errors.As(err, &pg) {
		return pg.Code
	}
	return ""
}
