package store

import (
	"context"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"zestyloom/core/reel"
)

// knownTakes tells commands of the takes of one production, and remembers what it was asked in one transaction.
type knownTakes struct {
	ctx        context.Context
	q          querier
	production string
	found      reel.Takes
}

func knownIn(ctx context.Context, q querier, production string) *knownTakes {
	return &knownTakes{ctx, q, production, reel.Takes{}}
}

// Known tells of the takes of a production.
func (s *Store) Known(ctx context.Context, production string) reel.Known {
	return knownIn(ctx, s.Pool, production)
}

// Take finds one take with its title.
func (k *knownTakes) Take(id string) (reel.TakeInfo, error) {
	if _, there := k.found[id]; there {
		return k.found.Take(id)
	}
	if uuid.Validate(id) != nil { // asked for it, PostgreSQL would end the transaction, in which a command may well go on without this take
		return reel.TakeInfo{}, notFound(pgx.ErrNoRows, "take")
	}
	list, err := takesBy(k.ctx, k.q, "where t.id = $1 and t.production_id = $2", id, k.production)
	if err != nil {
		return reel.TakeInfo{}, notFound(err, "take")
	}
	for _, t := range list {
		k.found[t.ID] = t.Info()
	}
	return k.found.Take(id)
}

// load looks many takes up at once, without their titles.
func (k *knownTakes) load(takes []string) error {
	const ask = `select id::text, jsonb_array_length(channels), (description->>'frames')::bigint, (description->>'sampleRate')::int
		from takes where id = any($1::uuid[]) and production_id = $2`
	rows, err := k.q.Query(k.ctx, ask, takes, k.production)
	if err != nil {
		return err
	}
	var id string
	var t reel.TakeInfo
	_, err = pgx.ForEachRow(rows, []any{&id, &t.Channels, &t.Frames, &t.SampleRate}, func() error {
		if _, there := k.found[id]; !there {
			k.found[id] = t
		}
		return nil
	})
	return err
}

// Try gives the reel as a command would make it, by the rules by which Do would.
func (s *Store) Try(ctx context.Context, id string, c reel.Command) (tried *reel.Reel, err error) {
	err = pgx.BeginTxFunc(ctx, s.Pool, pgx.TxOptions{IsoLevel: pgx.RepeatableRead, AccessMode: pgx.ReadOnly}, func(tx pgx.Tx) error {
		o, err := s.open(ctx, tx, id, "")
		if err != nil {
			return err
		}
		tried, err = reel.Try(o.Reel, c, knownIn(ctx, tx, o.Production))
		return err
	})
	return tried, err
}
