package store

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"zestyloom/core/contract"
	"zestyloom/core/fault"
)

// OwnSpec is a delivery spec that a user has brought in or changed.
type OwnSpec struct {
	ID         string
	Production *string // nil for all productions
	Version    int     // from 1
	Text       string  // as it was written
	Author     string
	KeptAt     time.Time
}

// SpecKept says whose a spec is.
type SpecKept string

const (
	Shipped      SpecKept = "shipped"
	ForAll       SpecKept = "forAll"
	InProduction SpecKept = "inProduction"
)

// Kept says whose it is.
func (o OwnSpec) Kept() SpecKept {
	if o.Production != nil {
		return InProduction
	}
	return ForAll
}

// ListedSpec is a spec that can be chosen, and whose it is.
type ListedSpec struct {
	contract.Spec
	Kept    SpecKept `json:"kept"`
	Version int      `json:"version,omitempty"` // of the users' own, from 1
}

const ownSpec = "select id, production_id::text, version, text, author, kept_at from specs "

// Specs gives the specs that users have brought in for a production, or for all, as they are now, by ID. That of the
// production takes the place of one for all.
func (s *Store) Specs(ctx context.Context, production string) (map[string]OwnSpec, error) {
	list, err := s.ownSpecs(ctx, ownSpec+"where production_id is null or production_id = nullif($1, '')::uuid order by production_id nulls first, version",
		production)
	specs := map[string]OwnSpec{}
	for _, o := range list {
		specs[o.ID] = o
	}
	return specs, err
}

// SpecVersions gives what a spec is and was, the newest first: that of the production, where it has one, else that for all.
func (s *Store) SpecVersions(ctx context.Context, production, id string) ([]OwnSpec, error) {
	return s.ownSpecs(ctx, ownSpec+`where id = $2 and production_id is not distinct from
		(select production_id from specs where id = $2 and (production_id is null or production_id = nullif($1, '')::uuid) order by production_id nulls last limit 1)
		order by version desc`, production, id)
}

func (s *Store) ownSpecs(ctx context.Context, query string, args ...any) ([]OwnSpec, error) {
	rows, err := s.Pool.Query(ctx, query, args...)
	if err != nil {
		return nil, notFound(err, "production")
	}
	list, err := pgx.CollectRows(rows, pgx.RowToStructByPos[OwnSpec])
	return list, notFound(err, "production")
}

// PutSpec keeps a spec for a production, or for all where that is empty, as the next version of the one with its ID there.
// The same text again is no other version.
func (s *Store) PutSpec(ctx context.Context, production, id, text, author string) error {
	return pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "select pg_advisory_xact_lock(hashtext('spec ' || $1))", id); err != nil { // one version after another
			return err
		}
		_, err := tx.Exec(ctx, `insert into specs (production_id, id, version, text, author)
			select p.id, $2, coalesce(max(s.version), 0) + 1, $3, $4
			from (select nullif($1, '')::uuid as id) p left join specs s on s.id = $2 and s.production_id is not distinct from p.id
			group by p.id having coalesce((array_agg(s.text order by s.version desc))[1], '') <> $3`, production, id, text, author)
		return notFound(err, "production")
	})
}

// RemoveSpec removes a spec that a user brought in, with what it was before: that of the production, where it has one, else
// that for all.
func (s *Store) RemoveSpec(ctx context.Context, production, id string) error {
	tag, err := s.Pool.Exec(ctx, `delete from specs where id = $2 and production_id is not distinct from
		(select production_id from specs where id = $2 and (production_id is null or production_id = nullif($1, '')::uuid) order by production_id nulls last limit 1)`, production, id)
	if err == nil && tag.RowsAffected() == 0 {
		return fault.New(fault.NotFound, "There is no spec %q that somebody has brought in; those that ship stay", id)
	}
	return notFound(err, "production")
}
