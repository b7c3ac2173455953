package store

import (
	"context"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"zestyloom/core/fault"
	"zestyloom/core/reel"
)

// snapshotEvery is how many revisions lie between two snapshots, and so how many changes opening a reel replays.
const snapshotEvery = 100

// ReelInfo is a reel without its contents.
type ReelInfo struct {
	ID         string    `json:"id"`
	Production string    `json:"production"`
	Name       string    `json:"name"`
	Revision   int64     `json:"revision"`
	CreatedAt  time.Time `json:"createdAt"`
}

// Step is an entry of a reel's history.
type Step struct {
	Revision int64     `json:"revision"`
	Kind     string    `json:"kind"` // do, undo or redo
	Name     string    `json:"name"`
	State    string    `json:"state"` // done, undone or dropped
	Author   string    `json:"author"`
	At       time.Time `json:"at"`
}

// OpenReel is a reel at a revision. Reel must not be changed.
type OpenReel struct {
	ReelInfo
	Reel *reel.Reel
	Undo string // what undo would take back; empty where there is nothing
	Redo string
}

// cachedReel saves replaying for a reel that this process has seen. The database stays what counts: the cache is used
// only at the revision that the row has.
type cachedReel struct {
	revision int64
	state    *reel.Reel
}

// Reels lists the reels of a production by name.
func (s *Store) Reels(ctx context.Context, production string) ([]ReelInfo, error) {
	rows, err := s.Pool.Query(ctx, "select id::text, production_id::text, name, revision, created_at from reels where production_id = $1 order by name", production)
	if err != nil {
		return nil, notFound(err, "production")
	}
	list, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (r ReelInfo, err error) {
		err = row.Scan(&r.ID, &r.Production, &r.Name, &r.Revision, &r.CreatedAt)
		return r, err
	})
	return list, notFound(err, "production")
}

// CreateReel makes an empty reel.
func (s *Store) CreateReel(ctx context.Context, p Production, name string, start int64) (string, error) {
	name = strings.TrimSpace(name)
	if name == "" || len([]rune(name)) > 100 {
		return "", fault.New(fault.BadInput, "A reel needs a name of 1 to 100 characters")
	}
	stems, err := s.Stems(ctx, p.ID)
	if err != nil {
		return "", err
	}
	var id string
	err = pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		if err := tx.QueryRow(ctx, "insert into reels (production_id, name) values ($1, $2) returning id::text", p.ID, name).Scan(&id); err != nil {
			return err
		}
		_, err := tx.Exec(ctx, "insert into reel_snapshots (reel_id, revision, state) values ($1, 0, $2)", id, reel.New(name, p.SampleRate, p.FrameRate, start, ReelStems(stems)))
		return err
	})
	if codeOf(err) == uniqueViolation {
		return "", fault.New(fault.BadInput, "This production has a reel called %s already; choose another name", name)
	}
	return id, err
}

// Reel opens a reel as it is now.
func (s *Store) Reel(ctx context.Context, id string) (o OpenReel, err error) {
	err = pgx.BeginTxFunc(ctx, s.Pool, pgx.TxOptions{IsoLevel: pgx.RepeatableRead, AccessMode: pgx.ReadOnly}, func(tx pgx.Tx) error {
		o, err = s.open(ctx, tx, id, "")
		return err
	})
	return o, err
}

// Do plans a command on the reel as it is and makes its change. revision is what the caller has seen; another one is
// Stale, and nothing is changed. A command that changes nothing gives the reel as it is.
func (s *Store) Do(ctx context.Context, id string, revision int64, author string, plan func(*reel.Reel) (reel.Command, error)) (OpenReel, error) {
	return s.edit(ctx, id, revision, func(tx pgx.Tx, o OpenReel) (step, error) {
		command, err := plan(o.Reel)
		if err != nil {
			return step{}, err
		}
		change, name, err := command.Plan(o.Reel)
		if err != nil || change.Empty() {
			return step{}, err
		}
		_, err = tx.Exec(ctx, "update reel_log set state = 'dropped' where reel_id = $1 and kind = 'do' and state = 'undone'", id)
		return step{kind: "do", name: name, change: change, author: author}, err
	})
}

// Undo takes back the newest command that has not been.
func (s *Store) Undo(ctx context.Context, id string, revision int64, author string) (OpenReel, error) {
	return s.edit(ctx, id, revision, func(tx pgx.Tx, _ OpenReel) (step, error) {
		return turn(ctx, tx, id, author, "undo", "done", "undone", "desc")
	})
}

// Redo brings the command back that was taken back last.
func (s *Store) Redo(ctx context.Context, id string, revision int64, author string) (OpenReel, error) {
	return s.edit(ctx, id, revision, func(tx pgx.Tx, _ OpenReel) (step, error) {
		return turn(ctx, tx, id, author, "redo", "undone", "done", "asc")
	})
}

// step is what edit writes to the log; an empty kind means nothing.
type step struct {
	kind, name, author string
	change             reel.Change
	of                 *int64
}

func turn(ctx context.Context, tx pgx.Tx, id, author, kind, from, to, direction string) (step, error) {
	st := step{kind: kind, author: author}
	var of int64
	err := tx.QueryRow(ctx, "select revision, name, change from reel_log where reel_id = $1 and kind = 'do' and state = $2 order by revision "+direction+" limit 1", id, from).Scan(&of, &st.name, &st.change)
	if err == pgx.ErrNoRows {
		return st, fault.New(fault.BadInput, "There is nothing to %s on this reel", kind)
	}
	if err != nil {
		return st, err
	}
	st.of = &of
	if kind == "undo" {
		st.change = st.change.Inverse()
	}
	_, err = tx.Exec(ctx, "update reel_log set state = $3 where reel_id = $1 and revision = $2", id, of, to)
	return st, err
}

func (s *Store) edit(ctx context.Context, id string, revision int64, work func(pgx.Tx, OpenReel) (step, error)) (result OpenReel, err error) {
	err = pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		o, err := s.open(ctx, tx, id, "for update")
		if err != nil {
			return err
		}
		if o.Revision != revision {
			return fault.New(fault.Stale, "Somebody has changed this reel since you saw it. It has been loaded again; do your edit once more")
		}
		st, err := work(tx, o)
		if err != nil {
			return err
		}
		if st.kind == "" {
			result = o
			return nil
		}
		next := o.Reel.Clone()
		if err := next.Apply(st.change); err != nil {
			return err
		}
		revision := o.Revision + 1
		if _, err := tx.Exec(ctx, "insert into reel_log (reel_id, revision, kind, name, change, of, author) values ($1, $2, $3, $4, $5, $6, $7)", id, revision, st.kind, st.name, st.change, st.of, st.author); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, "update reels set revision = $2 where id = $1", id, revision); err != nil {
			return err
		}
		if revision%snapshotEvery == 0 {
			if _, err := tx.Exec(ctx, "insert into reel_snapshots (reel_id, revision, state) values ($1, $2, $3)", id, revision, next); err != nil {
				return err
			}
		}
		result = OpenReel{ReelInfo: o.ReelInfo, Reel: next}
		result.Revision = revision
		return heads(ctx, tx, &result)
	})
	if err == nil {
		s.keep(id, result.Revision, result.Reel)
	}
	return result, err
}

func (s *Store) keep(id string, revision int64, state *reel.Reel) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if c := s.reels[id]; c == nil || c.revision < revision {
		s.reels[id] = &cachedReel{revision, state}
	}
}

// open reads a reel in a transaction: the cache, or the newest snapshot, and the changes since.
func (s *Store) open(ctx context.Context, tx pgx.Tx, id, lock string) (o OpenReel, err error) {
	if err := tx.QueryRow(ctx, "select id::text, production_id::text, name, revision, created_at from reels where id = $1 "+lock, id).Scan(&o.ID, &o.Production, &o.Name, &o.Revision, &o.CreatedAt); err != nil {
		return o, notFound(err, "reel")
	}
	s.mu.Lock()
	c := s.reels[id]
	s.mu.Unlock()
	var from int64
	switch {
	case c != nil && c.revision == o.Revision:
		o.Reel = c.state
		return o, heads(ctx, tx, &o)
	case c != nil && c.revision < o.Revision && o.Revision-c.revision < snapshotEvery:
		from = c.revision
		o.Reel = c.state.Clone()
	default:
		o.Reel = &reel.Reel{}
		err = tx.QueryRow(ctx, "select revision, state from reel_snapshots where reel_id = $1 order by revision desc limit 1", id).Scan(&from, o.Reel)
	}
	if err != nil {
		return o, err
	}
	rows, err := tx.Query(ctx, "select change from reel_log where reel_id = $1 and revision > $2 order by revision", id, from)
	if err != nil {
		return o, err
	}
	changes, err := pgx.CollectRows(rows, pgx.RowTo[reel.Change])
	if err != nil {
		return o, err
	}
	for _, change := range changes {
		if err := o.Reel.Apply(change); err != nil {
			return o, fault.Wrap(fault.Damaged, err, "The history of %s does not fit together", o.Name)
		}
	}
	s.keep(id, o.Revision, o.Reel)
	return o, heads(ctx, tx, &o)
}

// heads fills in what undo and redo would do.
func heads(ctx context.Context, tx pgx.Tx, o *OpenReel) error {
	return tx.QueryRow(ctx, `select coalesce((select name from reel_log where reel_id = $1 and kind = 'do' and state = 'done' order by revision desc limit 1), ''),
		coalesce((select name from reel_log where reel_id = $1 and kind = 'do' and state = 'undone' order by revision limit 1), '')`, o.ID).Scan(&o.Undo, &o.Redo)
}

// History lists the newest steps of a reel first.
func (s *Store) History(ctx context.Context, id string, limit int) ([]Step, error) {
	rows, err := s.Pool.Query(ctx, "select revision, kind, name, state, author, at from reel_log where reel_id = $1 order by revision desc limit $2", id, limit)
	if err != nil {
		return nil, notFound(err, "reel")
	}
	steps, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (st Step, err error) {
		err = row.Scan(&st.Revision, &st.Kind, &st.Name, &st.State, &st.Author, &st.At)
		return st, err
	})
	return steps, notFound(err, "reel")
}
