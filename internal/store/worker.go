package store

import (
	"context"
	"sync"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
)

// Worker is a process that does work, as the other processes see it: a row, and an advisory lock on a connection of its
// own, which goes when the process does. It is safe for concurrent use.
type Worker struct {
	ID string

	store  *Store
	folder string
	mu     sync.Mutex
	conn   *pgx.Conn // holds the lock; nil while there is none
}

// silentAfter is how long a worker may not be heard of before it counts as gone, where its lock can't tell: the lock of
// a worker that lives is gone too after the database was started again.
const silentAfter = 15 * time.Second

// NewWorker makes a worker that nobody knows of until it Beats. folder tells its folder of media from others.
func (s *Store) NewWorker(folder string) *Worker {
	return &Worker{ID: uuid.NewString(), store: s, folder: folder}
}

// Folders gives the folders of media in which workers that live do their work.
func (s *Store) Folders(ctx context.Context) (folders []string, err error) {
	err = pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error { // the locks of those that have died are let go with it
		rows, err := tx.Query(ctx, "select folder from workers where folder <> '' and not pg_try_advisory_xact_lock(hashtextextended('worker ' || id, 0))")
		if err != nil {
			return err
		}
		folders, err = pgx.CollectRows(rows, pgx.RowTo[string])
		return err
	})
	return folders, err
}

// Beat tells the others that this worker lives. After the connection was lost it takes its lock again.
func (w *Worker) Beat(ctx context.Context) error {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.conn == nil || w.conn.IsClosed() {
		conn, err := pgx.ConnectConfig(ctx, w.store.Pool.Config().ConnConfig.Copy())
		if err != nil {
			return err
		}
		if _, err := conn.Exec(ctx, "select pg_advisory_lock(hashtextextended($1, 0))", "worker "+w.ID); err != nil {
			_ = conn.Close(context.WithoutCancel(ctx))
			return err
		}
		w.conn = conn
	}
	_, err := w.conn.Exec(ctx, "insert into workers (id, folder) values ($1, $2) on conflict (id) do update set seen_at = now()", w.ID,
		w.folder)
	return err
}

// Close lets go of the worker. What it worked on is free for others.
func (w *Worker) Close(ctx context.Context) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.conn != nil {
		_, _ = w.conn.Exec(ctx, "delete from workers where id = $1", w.ID) // if it fails, the lock tells
		_ = w.conn.Close(ctx)
		w.conn = nil
	}
}

// Abandon breaks the worker's connection without a word, as the end of its process does. It is for tests.
func (w *Worker) Abandon() {
	w.mu.Lock()
	defer w.mu.Unlock()
	_ = w.conn.PgConn().Conn().Close()
	w.conn = nil
}

// bury forgets workers whose processes have died, so that nobody holds what they worked on.
func (w *Worker) bury(ctx context.Context, tx pgx.Tx) error {
	rows, err := tx.Query(ctx, "select id::text, seen_at < now() - $2::interval, seen_at >= pg_postmaster_start_time() from workers where id <> $1 for update skip locked",
		w.ID, silentAfter.String())
	if err != nil {
		return err
	}
	type other struct {
		ID            string
		Silent, Fresh bool // fresh: heard of since the database was started, so that it held its lock then
	}
	others, err := pgx.CollectRows(rows, pgx.RowToStructByPos[other])
	if err != nil {
		return err
	}
	for _, o := range others {
		dead := o.Silent
		if !dead && o.Fresh {
			if err := tx.QueryRow(ctx, "select pg_try_advisory_xact_lock(hashtextextended($1, 0))",
				"worker "+o.ID).Scan(&dead); err != nil {
				return err
			}
		}
		if dead {
			if _, err := tx.Exec(ctx, "delete from workers where id = $1", o.ID); err != nil {
				return err
			}
		}
	}
	return nil
}

// Freed is work that waits again.
type Freed struct {
	ID  string
	Job *int64
}

// Free puts work back into the queue whose worker has died, or that this worker does not know of although it should:
// held are the tokens of what it does. The caller queues it.
func (w *Worker) Free(ctx context.Context, tx pgx.Tx, held []string) ([]Freed, error) {
	if err := w.bury(ctx, tx); err != nil {
		return nil, err
	}
	rows, err := tx.Query(ctx, `update work set state = 'queued', claim = null, worker = null, updated_at = now()
		where state = 'running' and (worker is null or worker = $1 and not claim::text = any($2)) returning id::text, job_id`, w.ID, held)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Freed])
}

// Lost gives those of the tokens that nothing is claimed with any more.
func (s *Store) Lost(ctx context.Context, tokens []string) ([]string, error) {
	if len(tokens) == 0 {
		return nil, nil
	}
	rows, err := s.Pool.Query(ctx, "select t from unnest($1::text[]) t where not exists (select 1 from work where claim::text = t and state = 'running')", tokens)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}
