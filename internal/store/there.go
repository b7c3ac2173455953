package store

import (
	"context"

	"github.com/jackc/pgx/v5"
)

// named are the kinds of things that requests name, and the tables that hold them.
var named = map[string]string{"production": "productions", "take": "takes", "reel": "reels", "work": "work", "print": "prints",
	"receipt": "receipts"}

// There is NotFound where there is nothing of a kind that has an ID. Kinds that are kept elsewhere are for others to know.
func (s *Store) There(ctx context.Context, kind, id string) error {
	table, known := named[kind]
	if !known {
		return nil
	}
	var there bool
	err := s.Pool.QueryRow(ctx, "select exists (select 1 from "+table+" where id = $1)", id).Scan(&there)
	if err == nil && !there {
		err = pgx.ErrNoRows
	}
	return notFound(err, kind)
}

// AnyTakes is NotFound where none of these is a take of a production. Work on several says of each what became of it.
func (s *Store) AnyTakes(ctx context.Context, production string, ids []string) error {
	var there bool
	err := s.Pool.QueryRow(ctx, "select exists (select 1 from takes where id = any($2::uuid[]) and production_id = $1)", production,
		ids).Scan(&there)
	if err == nil && !there {
		err = pgx.ErrNoRows
	}
	return notFound(err, "take")
}
