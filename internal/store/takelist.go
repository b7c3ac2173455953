package store

import (
	"context"
	"slices"

	"github.com/jackc/pgx/v5"
)

// TakesAsked says which part of a production's takes somebody asks for.
type TakesAsked struct {
	After string // what follows the take of this order; empty for the first
	Since string // only what has changed since an answer with this stamp; empty for all
	Limit int
}

// TakesPage is a part of a production's takes, as of one moment.
type TakesPage struct {
	Takes []Take   // in order
	Next  string   // order of the last, where more follow
	Gone  []string // IDs of those that are not listed any more
	Count int      // how many takes there are in all
	Stamp string   // by which what changes from here on is asked for
	// Whole says that more has changed than is told: all has to be asked for.
	Whole bool
}

// TakesPage gives a part of the takes of a production, or what has changed in them.
//
// A row bears the number of the transaction that touched it last. The stamp of an answer is the lowest number that was under way then,
// or yet to come: whatever that answer did not see has it, or a higher one. So nothing is missed, whichever transaction ends first.
func (s *Store) TakesPage(ctx context.Context, production string, asked TakesAsked) (p TakesPage, err error) {
	err = pgx.BeginTxFunc(ctx, s.Pool, pgx.TxOptions{IsoLevel: pgx.RepeatableRead, AccessMode: pgx.ReadOnly}, func(tx pgx.Tx) error {
		var renamed bool
		err := tx.QueryRow(ctx, `select pg_snapshot_xmin(pg_current_snapshot())::text,
			(select count(*) from takes t where t.production_id = p.id and `+listed+`),
			case when $2 = '' then false else renamed >= $2::xid8 or $2::xid8 > pg_snapshot_xmax(pg_current_snapshot()) end
			from productions p where id = $1`, production, asked.Since).Scan(&p.Stamp, &p.Count, &renamed)
		if err != nil {
			return notFound(err, "production")
		}
		if asked.Since != "" {
			if p.Whole = renamed; p.Whole {
				return nil
			}
			return p.changed(ctx, tx, production, asked)
		}
		p.Takes, err = takesBy(ctx, tx, "where t.production_id = $1 and "+listed+` and t.sort > $2 collate "C" order by t.sort limit $3`, production,
			asked.After, asked.Limit+1)
		if err != nil {
			return err
		}
		if len(p.Takes) > asked.Limit {
			p.Takes = p.Takes[:asked.Limit]
			p.Next = p.Takes[asked.Limit-1].Order
		}
		return nameParts(ctx, tx, p.Takes)
	})
	return p, err
}

// changed finds what has been touched since, and what is tied to that: where it belongs may be another place now.
func (p *TakesPage) changed(ctx context.Context, tx pgx.Tx, production string, asked TakesAsked) error {
	all, err := takesBy(ctx, tx, `join (with recursive changed as (select id from takes where production_id = $1 and touched >= $2::xid8
			union select f.id from takes f join changed c on f.tie->>'reference' = c.id::text where f.tie is not null)
		select id from changed limit $3) c on c.id = t.id order by t.sort`, production, asked.Since, asked.Limit+1)
	if err != nil {
		return err
	}
	if p.Whole = len(all) > asked.Limit; p.Whole {
		return nil
	}
	p.Takes = slices.DeleteFunc(all, func(t Take) bool {
		unlisted := t.PartOf != nil || t.Dissolved
		if unlisted {
			p.Gone = append(p.Gone, t.ID)
		}
		return unlisted
	})
	return nameParts(ctx, tx, p.Takes)
}
