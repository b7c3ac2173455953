package store

import (
	"context"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"

	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/core/view"
)

// Turning says which step is taken back or brought back, and how.
type Turning struct {
	Key  string // under which it was made, instead of its revision
	Over bool   // also where others have made something else since of what it made
	Pass bool   // it stays as it is, and the one before is next
	Step int64  // its revision; 0, without a key, for the newest of one's own that is left
}

// MetError is a step that can't be taken back, or brought back, without undoing what somebody has made since.
type MetError struct {
	Fault error
	Step  int64     // that was asked for
	At    time.Time // when somebody did something else; zero where the rules of the reel are in the way
}

func (e *MetError) Error() string { return e.Fault.Error() }

func (e *MetError) Unwrap() error { return e.Fault }

// Undo takes a step back: of each object what the step changed becomes what it was before, and what others have changed of the same object stays
// (reel.Change.Onto). Where they have changed the same, it is MetError, unless that is meant. Only one's own steps are found without being named. key is
// that of the request, as for DoOnce; it may be empty.
func (s *Store) Undo(ctx context.Context, id, author, key string, how Turning) (OpenReel, error) {
	return s.turn(ctx, id, author, key, "undo", how)
}

// Redo brings a step back that was taken back, by the same rules.
func (s *Store) Redo(ctx context.Context, id, author, key string, how Turning) (OpenReel, error) {
	return s.turn(ctx, id, author, key, "redo", how)
}

// logged is a step as it stands in the history.
type logged struct {
	Revision          int64
	Name, Author, Key string
}

// turned finds what undo would take back, and redo bring back. Each is one look into an index.
func turned(ctx context.Context, q querier, kind, id, author string, how Turning) (l logged, err error) {
	state, order := "done", "desc"
	if kind == "redo" {
		state, order = "undone", "asc"
	}
	const ask = "select revision, name, author, coalesce(key, '') from reel_log where reel_id = $1 and kind = 'do' and "
	var row pgx.Row
	switch named := "(state = $3 or state = 'passed' and $3 = 'done')"; { // one that was passed by may be named
	case how.Key != "":
		row = q.QueryRow(ctx, ask+"key = $2 and "+named, id, how.Key, state)
	case how.Step > 0:
		row = q.QueryRow(ctx, ask+"revision = $2 and "+named, id, how.Step, state)
	default:
		row = q.QueryRow(ctx, ask+"state = '"+state+"' and author = $2 order by revision "+order+" limit 1", id, author)
	}
	err = row.Scan(&l.Revision, &l.Name, &l.Author, &l.Key)
	return l, err
}

func (s *Store) turn(ctx context.Context, id, author, key, kind string, how Turning) (OpenReel, error) {
	return s.edit(ctx, id, key, func(tx pgx.Tx, o OpenReel, k *knownTakes) (st step, err error) {
		if how.Pass && how.Step == 0 && how.Key == "" { // or a request that is made again would pass another
			return st, fault.New(fault.BadInput, "Which step is passed by is to be said")
		}
		of, err := turned(ctx, tx, kind, id, author, how)
		if errors.Is(err, pgx.ErrNoRows) && how.Pass {
			return st, nil // it has been passed
		}
		if errors.Is(err, pgx.ErrNoRows) {
			return st, fault.New(fault.BadInput, "There is nothing to %s on this reel", kind)
		}
		if err != nil {
			return st, err
		}
		state := map[string]string{"undo": "undone", "redo": "done"}[kind]
		if how.Pass { // what is done stays so, and what is not is never brought back
			state = map[string]string{"undo": "passed", "redo": "dropped"}[kind]
		}
		var change reel.Change
		err = tx.QueryRow(ctx, "update reel_log set state = $3 where reel_id = $1 and revision = $2 returning change", id, of.Revision, state).Scan(&change)
		if err != nil || how.Pass {
			return st, err
		}
		if kind == "undo" {
			change = change.Inverse()
		}
		fits, met := change.Onto(o.Reel, how.Over)
		if len(met) > 0 && !how.Over {
			return st, metBy(ctx, tx, o, of, met[0], kind)
		}
		if err := use(ctx, tx, o, fits, k); err != nil {
			return st, err
		}
		if _, err := o.Reel.With(fits, k); fault.KindOf(err) != "" { // by the rules, as the others have made it
			return st, &MetError{fault.Wrap(fault.Met, err, "%q can't be %s as the reel is now: %s", of.Name, ways[kind], fault.Sentence(err)), of.Revision, time.Time{}}
		} else if err != nil {
			return st, err
		}
		return step{kind: kind, name: of.Name, author: author, change: fits, of: &of.Revision}, nil
	})
}

var ways = map[string]string{"undo": "taken back", "redo": "brought back"}

// metBy says who has made something else of an object, and when.
func metBy(ctx context.Context, tx pgx.Tx, o OpenReel, of logged, met reel.Met, kind string) error {
	rows, err := tx.Query(ctx, `select author, name, at, change from reel_log where reel_id = $1 and revision > $2 order by author = $3, revision desc`,
		o.ID, of.Revision, of.Author)
	if err != nil {
		return err
	}
	type other struct {
		Author, Name string
		At           time.Time
		Change       reel.Change
	}
	var by other
	for rows.Next() && by.Author == "" {
		l, err := pgx.RowToStructByPos[other](rows)
		if err != nil {
			rows.Close()
			return err
		}
		if l.Change.Touches(met) {
			by = l
		}
	}
	if rows.Close(); rows.Err() != nil {
		return rows.Err()
	}
	if by.Author == "" {
		by = other{Author: "Somebody", Name: "it is not known how"}
	}
	did := "changed"
	if met.Gone {
		did = "removed"
	}
	return &MetError{fault.New(fault.Met, "%s has %s %s since (%s), so %q can't be %s as it was", by.Author, did, met.Name, by.Name, of.Name, ways[kind]),
		of.Revision, by.At}
}

// Turns gives what undo and redo would do: one's own steps.
func (s *Store) Turns(ctx context.Context, id, author string) (t view.Turns, err error) {
	for kind, to := range map[string]struct{ name, key *string }{"undo": {&t.Undo, &t.UndoKey}, "redo": {&t.Redo, &t.RedoKey}} {
		l, err := turned(ctx, s.Pool, kind, id, author, Turning{})
		if errors.Is(err, pgx.ErrNoRows) {
			continue
		}
		if err != nil {
			return t, notFound(err, "reel")
		}
		*to.name, *to.key = l.Name, l.Key
	}
	return t, nil
}
