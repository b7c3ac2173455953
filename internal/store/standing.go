package store

import (
	"context"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"
)

// Standing is what a production is at.
type Standing struct {
	Takes    int             `json:"takes"`
	Unplaced int             `json:"unplaced"` // with sound, no timecode, and tied to nothing
	Damaged  int             `json:"damaged"`
	Reels    []StandingReel  `json:"reels"` // the one that was changed last first
	Delivery *LatestDelivery `json:"delivery,omitempty"`
	Working  int             `json:"working"` // pieces of work that wait or are under way
	Failed   int             `json:"failed"`
	People   []string        `json:"people"` // who has changed something in the last seven days, the latest first
}

// StandingReel is a reel and its latest change.
type StandingReel struct {
	ID        string    `json:"id"`
	Name      string    `json:"name"`
	ChangedAt time.Time `json:"changedAt"`
	ChangedBy string    `json:"changedBy"` // empty before anybody has
}

// LatestDelivery is the print that was made last, and what the desk says of it.
type LatestDelivery struct {
	Print    string    `json:"print"`
	Reel     string    `json:"reel"`
	ReelName string    `json:"reelName"`
	At       time.Time `json:"at"`
	Verdict  string    `json:"verdict"` // accepted, refused or unchecked
}

// Standing tells what a production is at.
func (s *Store) Standing(ctx context.Context, production string) (Standing, error) {
	out := Standing{Reels: []StandingReel{}, People: []string{}}
	if _, err := s.Production(ctx, production); err != nil {
		return out, err
	}
	err := s.Pool.QueryRow(ctx, `select count(*),
		count(*) filter (where has_sound and tie is null and not stamped and kind in ('recording', 'camera')),
		count(*) filter (where damaged),
		(select count(*) from work where production_id = $1 and state in ('queued', 'running')),
		(select count(*) from work where production_id = $1 and state = 'failed')
		from takes where production_id = $1 and part_of is null and not dissolved`, production).
		Scan(&out.Takes, &out.Unplaced, &out.Damaged, &out.Working, &out.Failed)
	if err != nil {
		return out, err
	}
	rows, err := s.Pool.Query(ctx, `select r.id::text, r.name, coalesce(l.at, r.created_at) as changed_at, coalesce(l.author, '')
		from reels r left join lateral (select at, author from reel_log where reel_id = r.id order by revision desc limit 1) l on true
		where r.production_id = $1 order by changed_at desc`, production)
	if err != nil {
		return out, err
	}
	if out.Reels, err = pgx.CollectRows(rows, pgx.RowToStructByPos[StandingReel]); err != nil {
		return out, err
	}
	var d LatestDelivery
	err = s.Pool.QueryRow(ctx, `select p.id::text, r.id::text, r.name, p.created_at,
		p.verdict
		from prints p join work w on w.id = p.id join reels r on r.id = p.reel_id
		where r.production_id = $1 and w.state = 'done' order by p.created_at desc limit 1`, production).
		Scan(&d.Print, &d.Reel, &d.ReelName, &d.At, &d.Verdict)
	if err == nil {
		out.Delivery = &d
	} else if !errors.Is(err, pgx.ErrNoRows) {
		return out, err
	}
	rows, err = s.Pool.Query(ctx, `select author from (
		select l.author, l.at from reel_log l join reels r on r.id = l.reel_id where r.production_id = $1
		union all select author, at from take_edits where production_id = $1) changes
		where at > now() - interval '7 days' and author <> '' group by author order by max(at) desc limit 5`, production)
	if err != nil {
		return out, err
	}
	out.People, err = pgx.CollectRows(rows, pgx.RowTo[string])
	return out, err
}
