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
	_, err = s.Pool.Exec(ctx, "update installation set bound_at = now()")
	return id, true, err
}
