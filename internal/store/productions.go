package store

import (
	"context"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"zestyloom/core/fault"
	"zestyloom/core/timecode"
)

// Production is a piece of work with its takes and reels.
type Production struct {
	ID         string        `json:"id"`
	Name       string        `json:"name"`
	SampleRate int           `json:"sampleRate"`
	FrameRate  timecode.Rate `json:"frameRate"`
	Takes      int           `json:"takes"`
	Reels      int           `json:"reels"`
	CreatedAt  time.Time     `json:"createdAt"`
}

const productionColumns = `select id::text, name, sample_rate, frame_rate, (select count(*) from takes t where t.production_id = p.id and t.part_of is null and not t.dissolved),
	(select count(*) from reels r where r.production_id = p.id), created_at from productions p `

func scanProduction(row pgx.CollectableRow) (p Production, err error) {
	err = row.Scan(&p.ID, &p.Name, &p.SampleRate, &p.FrameRate, &p.Takes, &p.Reels, &p.CreatedAt)
	return p, err
}

// Productions lists them by name.
func (s *Store) Productions(ctx context.Context) ([]Production, error) {
	rows, err := s.Pool.Query(ctx, productionColumns+"order by name")
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, scanProduction)
}

// Production finds one by its ID.
func (s *Store) Production(ctx context.Context, id string) (Production, error) {
	rows, err := s.Pool.Query(ctx, productionColumns+"where id = $1", id)
	if err != nil {
		return Production{}, notFound(err, "production")
	}
	p, err := pgx.CollectExactlyOneRow(rows, scanProduction)
	return p, notFound(err, "production")
}

// CreateProduction makes one at 48 kHz. A name that is taken is BadInput.
func (s *Store) CreateProduction(ctx context.Context, name string, rate timecode.Rate) (Production, error) {
	name = strings.TrimSpace(name)
	if name == "" || len([]rune(name)) > 100 {
		return Production{}, fault.New(fault.BadInput, "A production needs a name of 1 to 100 characters")
	}
	if !rate.Valid() {
		return Production{}, fault.New(fault.BadInput, "%s is not a frame rate that is known here", rate)
	}
	var id string
	err := s.Pool.QueryRow(ctx, "insert into productions (name, sample_rate, frame_rate) values ($1, 48000, $2) returning id::text", name, rate).Scan(&id)
	if codeOf(err) == uniqueViolation {
		return Production{}, fault.New(fault.BadInput, "There is a production called %s already; choose another name", name)
	}
	if err != nil {
		return Production{}, err
	}
	return s.Production(ctx, id)
}
