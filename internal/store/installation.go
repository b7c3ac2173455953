package store

import (
	"context"

	"zestyloom/core/fault"
)

// Bind holds the ID that a folder of media has against that of the database; empty where the folder has none. first
// tells that the folder is the first that this database has seen, and is to be given the ID.
func (s *Store) Bind(ctx context.Context, has string) (id string, first bool, err error) {
	var bound bool
	if err := s.Pool.QueryRow(ctx, "select id::text, bound_at is not null from installation").Scan(&id, &bound); err != nil {
		return "", false, err
	}
	switch {
	case has == id:
		return id, false, nil
	case has != "":
		return id, false, fault.New(fault.BadInput, "it belongs to another database. Start with the folder that this database has its recordings in, or with the database of this folder")
	case bound:
		return id, false, fault.New(fault.BadInput, "this database has its recordings in another folder. Start with that one")
	}
	return id, true, nil
}

// Bound notes that a folder has the database's ID, so that no other is taken for its own. It is said once the folder has it: a start
// that breaks off before can be done again.
func (s *Store) Bound(ctx context.Context) error {
	_, err := s.Pool.Exec(ctx, "update installation set bound_at = coalesce(bound_at, now())")
	return err
}

// Advance counts on, and gives where it is.
func (s *Store) Advance(ctx context.Context) (generation int64, err error) {
	err = s.Pool.QueryRow(ctx, "update installation set generation = generation + 1 returning generation").Scan(&generation)
	return generation, err
}

// Generation is how far the database has counted.
func (s *Store) Generation(ctx context.Context) (generation int64, err error) {
	err = s.Pool.QueryRow(ctx, "select generation from installation").Scan(&generation)
	return generation, err
}

// Noted is how far the folder of media is known to have noted.
func (s *Store) Noted(ctx context.Context) (noted int64, err error) {
	err = s.Pool.QueryRow(ctx, "select noted from installation").Scan(&noted)
	return noted, err
}

// SetNoted says that the folder of media has noted where the database is, before anything is written that belongs to it.
func (s *Store) SetNoted(ctx context.Context, generation int64) error {
	_, err := s.Pool.Exec(ctx, "update installation set noted = greatest(noted, $1)", generation)
	return err
}

// CountFrom has the database count on from at least there.
func (s *Store) CountFrom(ctx context.Context, generation int64) error {
	_, err := s.Pool.Exec(ctx, "update installation set generation = greatest(generation, $1)", generation)
	return err
}
