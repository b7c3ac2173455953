package store

import (
	"context"
	"errors"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/core/take"
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
	BeginsAs   string        `json:"beginsAs,omitempty"` // ID of the pattern that new reels begin as
	CreatedAt  time.Time     `json:"createdAt"`
}

const productionColumns = `select id::text, name, sample_rate, frame_rate, (select count(*) from takes t where t.production_id = p.id
	and t.part_of is null and not t.dissolved),
	(select count(*) from reels r where r.production_id = p.id), coalesce(pattern_id::text, ''), created_at from productions p `

func scanProduction(row pgx.CollectableRow) (p Production, err error) {
	err = row.Scan(&p.ID, &p.Name, &p.SampleRate, &p.FrameRate, &p.Takes, &p.Reels, &p.BeginsAs, &p.CreatedAt)
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

func productionName(name string) (string, error) {
	if name = strings.TrimSpace(name); name == "" || len([]rune(name)) > 100 {
		return "", fault.New(fault.BadInput, "A production needs a name of 1 to 100 characters")
	}
	return name, nil
}

func nameTaken(err error, name string) error {
	if codeOf(err) == uniqueViolation {
		return fault.New(fault.BadInput, "There is a production called %s already; choose another name", name)
	}
	return err
}

// RenameProduction gives a production another name. One that is taken is BadInput.
func (s *Store) RenameProduction(ctx context.Context, id, name string) (Production, error) {
	name, err := productionName(name)
	if err != nil {
		return Production{}, err
	}
	if _, err := s.Pool.Exec(ctx, "update productions set name = $2 where id = $1", id, name); err != nil {
		return Production{}, notFound(nameTaken(err, name), "production")
	}
	return s.Production(ctx, id)
}

// usualStart is where a reel starts that nobody has chosen a start for, while nothing is on it: 10:00:00:00.
const usualStart = "10:00:00:00"

// Begin gives a new reel as it is made for a production, without making it: as the pattern has it that its reels begin by. Without
// a start it is free to start where what is laid on it first does, or the one picture that there is.
func (s *Store) Begin(ctx context.Context, p Production, name string, start *int64) (*reel.Reel, error) {
	from, err := p.FrameRate.ParseSample(usualStart, p.SampleRate)
	if err != nil {
		return nil, err
	}
	if start != nil {
		from = timecode.Reading(*start)
	}
	fresh, err := s.begin(ctx, p, name, int64(from))
	if err != nil || start != nil {
		return fresh, err
	}
	fresh.Head.Free = true
	picture, err := s.OnePicture(ctx, p.ID)
	if err != nil || picture == "" {
		return fresh, err
	}
	return reel.Try(fresh, reel.SetReel{Picture: &reel.PictureChoice{Take: picture}}, s.Known(ctx, p.ID))
}

// OnePicture is the take that is the picture of a production, where there is one alone.
func (s *Store) OnePicture(ctx context.Context, production string) (id string, err error) {
	err = s.Pool.QueryRow(ctx, `select case when count(*) = 1 then min(id::text) else '' end from takes
		where production_id = $1 and kind = $2 and picture is not null and part_of is null and stream = 0`, production,
		take.Picture).Scan(&id)
	return id, err
}

func (s *Store) begin(ctx context.Context, p Production, name string, start int64) (*reel.Reel, error) {
	if p.BeginsAs != "" {
		saved, err := s.Pattern(ctx, p.BeginsAs)
		if err != nil {
			return nil, err
		}
		return saved.Pattern.Begin(name, p.SampleRate, p.FrameRate, start)
	}
	stems, err := s.Stems(ctx, p.ID)
	return reel.New(name, p.SampleRate, p.FrameRate, start, ReelStems(stems)), err
}

// RemoveProduction forgets a production with all that is in it. Whoever works on it has lost that work.
func (s *Store) RemoveProduction(ctx context.Context, tx pgx.Tx, id string) error {
	// Reels and groups first: they keep the takes that they use.
	for _, first := range []string{"delete from reels where production_id = $1", `delete from take_parts where whole_id in (select id
		from takes where production_id = $1)`} {
		if _, err := tx.Exec(ctx, first, id); err != nil {
			return notFound(err, "production")
		}
	}
	tag, err := tx.Exec(ctx, "delete from productions where id = $1", id)
	if err == nil && tag.RowsAffected() == 0 {
		err = pgx.ErrNoRows
	}
	return notFound(err, "production")
}

// ProductionFor finds a production by its ID or, where there is none of it, by its name, and makes one where there is neither.
func (s *Store) ProductionFor(ctx context.Context, id, name string, rate timecode.Rate) (found string, fresh bool, err error) {
	err = s.Pool.QueryRow(ctx, "select id::text from productions where id::text = $1 or name = $2 order by id::text = $1 desc limit 1", id,
		name).Scan(&found)
	if !errors.Is(err, pgx.ErrNoRows) {
		return found, false, err
	}
	p, err := s.CreateProduction(ctx, name, rate)
	return p.ID, true, err
}

// CreateProduction makes one at 48 kHz. A name that is taken is BadInput.
func (s *Store) CreateProduction(ctx context.Context, name string, rate timecode.Rate) (Production, error) {
	name, err := productionName(name)
	if err != nil {
		return Production{}, err
	}
	if !rate.Valid() {
		return Production{}, fault.New(fault.BadInput, "%s is not a frame rate that is known here", rate)
	}
	var id string
	err = pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		id, err = Once(ctx, tx, func() (id string, err error) {
			err = tx.QueryRow(ctx, "insert into productions (name, sample_rate, frame_rate) values ($1, 48000, $2) returning id::text",
				name,
				rate).Scan(&id)
			return id, err
		})
		return err
	})
	if err != nil {
		return Production{}, nameTaken(err, name)
	}
	return s.Production(ctx, id)
}
