package store

import (
	"context"
	"strings"

	"github.com/jackc/pgx/v5"

	"zestyloom/core/chain"
	"zestyloom/core/fault"
)

// KeptChain is a chain that a production keeps under a name.
type KeptChain struct {
	ID    string       `json:"id"`
	Name  string       `json:"name"`
	Steps []chain.Step `json:"steps"`
}

// mostKeptChains is how many chains a production keeps at most.
const mostKeptChains = 500

// KeptChains lists those of a production, by name.
func (s *Store) KeptChains(ctx context.Context, production string) ([]KeptChain, error) {
	rows, err := s.Pool.Query(ctx, "select id::text, name, steps from chains where production_id = $1 order by lower(name), name", production)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[KeptChain])
}

// KeepChain keeps a chain under a name; what had that name is no longer kept. It is BadInput where it can't be.
func (s *Store) KeepChain(ctx context.Context, production, name string, steps []chain.Step) (KeptChain, error) {
	if name = strings.TrimSpace(name); name == "" || len([]rune(name)) > 100 || strings.ContainsRune(name, 0) {
		return KeptChain{}, fault.New(fault.BadInput, "A chain needs a name of 1 to 100 characters")
	}
	if len(steps) == 0 {
		return KeptChain{}, fault.New(fault.BadInput, "There is nothing in the chain to keep")
	}
	if err := chain.Check(steps); err != nil {
		return KeptChain{}, err
	}
	var others int
	err := s.Pool.QueryRow(ctx, "select count(*) from chains where production_id = $1 and name <> $2", production, name).Scan(&others)
	if err == nil && others >= mostKeptChains {
		err = fault.New(fault.BadInput, "A production keeps at most %d chains; remove one first", mostKeptChains)
	}
	if err != nil {
		return KeptChain{}, err
	}
	kept := KeptChain{Name: name, Steps: steps}
	err = s.Pool.QueryRow(ctx, `insert into chains (production_id, name, steps) values ($1, $2, $3)
		on conflict (production_id, name) do update set steps = excluded.steps, changed_at = now() returning id::text`,
		production, name, steps).Scan(&kept.ID)
	return kept, err
}

// RemoveChain removes a chain that is kept. What goes through the same stays as it is.
func (s *Store) RemoveChain(ctx context.Context, production, id string) error {
	tag, err := s.Pool.Exec(ctx, "delete from chains where id = $1 and production_id = $2", id, production)
	if err == nil && tag.RowsAffected() == 0 {
		return fault.New(fault.NotFound, "This chain is no longer kept")
	}
	return notFound(err, "chain")
}
