package store

import (
	"context"
	"errors"
	"math"
	"time"

	"github.com/jackc/pgx/v5"

	"zestyloom/core/align"
	"zestyloom/core/fault"
)

// Method is how takes are lined up.
type Method string

const (
	ByTimecode Method = "timecode"
	ByWaveform Method = "waveform"
	ByBoth     Method = "both" // by timecode first, then by waveform around it
)

// Match is what lining a take up found.
type Match struct {
	ID        string      `json:"id"`
	Take      string      `json:"take"`
	Reference *string     `json:"reference"` // nil where nothing fits
	Method    Method      `json:"method"`
	Result    align.Match `json:"result"`
	Reason    string      `json:"reason"` // why nothing fits
	Refused   bool        `json:"refused"`
	FoundAt   time.Time   `json:"foundAt"`
}

// matchResult is how a match is stored.
type matchResult struct {
	align.Match
	Reason string `json:"reason,omitempty"`
}

// Matches gives what was found for the takes of a production, a page at a time: those that follow the match of an ID, or the first.
func (s *Store) Matches(ctx context.Context, production, after string, limit int) ([]Match, error) {
	rows, err := s.Pool.Query(ctx, `select id::text, take_id::text, reference_id::text, method, result, refused, found_at from matches
		where production_id = $1 and ($2 = '' or id > nullif($2, '')::uuid) order by id limit $3`, production, after, limit)
	if err != nil {
		return nil, notFound(err, "production")
	}
	list, err := pgx.CollectRows(rows, scanMatch)
	if list == nil {
		list = []Match{}
	}
	return list, notFound(err, "production")
}

func scanMatch(row pgx.CollectableRow) (m Match, err error) {
	var r matchResult
	err = row.Scan(&m.ID, &m.Take, &m.Reference, &m.Method, &r, &m.Refused, &m.FoundAt)
	m.Result, m.Reason = r.Match, r.Reason
	return m, err
}

// PutMatch stores what lining a take up found, in place of what was found before, under the claim of the work that did.
func (s *Store) PutMatch(ctx context.Context, c Claim, production string, m Match) error {
	return pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		if err := c.hold(ctx, tx); err != nil {
			return err
		}
		return putMatch(ctx, tx, production, m)
	})
}

func putMatch(ctx context.Context, tx pgx.Tx, production string, m Match) error {
	_, err := tx.Exec(ctx, `insert into matches (production_id, take_id, reference_id, method, result) values ($1, $2, $3, $4, $5)
		on conflict (take_id) do update set reference_id = excluded.reference_id, method = excluded.method, result = excluded.result, refused = false, found_at = now()`,
		production, m.Take, m.Reference, m.Method, matchResult{m.Result, m.Reason})
	return err
}

// RefuseMatch notes that a match is wrong, or takes that back.
func (s *Store) RefuseMatch(ctx context.Context, takeID string, refused bool) error {
	tag, err := s.Pool.Exec(ctx, "update matches set refused = $2 where take_id = $1", takeID, refused)
	if err != nil {
		return notFound(err, "match")
	}
	if tag.RowsAffected() == 0 {
		return notFound(pgx.ErrNoRows, "match")
	}
	return nil
}

// Bounds of a tie's numbers. A recorder runs a few ppm off; where one was pulled down by a thousandth, it is 1,000.
const (
	maxTieHours = 48
	maxDriftPPM = 2000
)

// check holds a tie's numbers to sense; rate is that of the take.
func (t Tie) check(rate int) error {
	switch limit := maxTieHours * 3600 * int64(rate); {
	case t.Offset < -limit || t.Offset > limit:
		return fault.New(fault.BadInput, "A take can't lie more than %d hours from what it is tied to", maxTieHours)
	case !(math.Abs(t.DriftPPM) <= maxDriftPPM):
		return fault.New(fault.BadInput, "A drift is at most %d parts in a million either way", maxDriftPPM)
	case !(t.Confidence >= 0 && t.Confidence <= 1):
		return fault.New(fault.BadInput, "A tie's confidence lies between 0 and 1")
	}
	return nil
}

// SetTie ties a take to a reference, or unties it where tie is nil, as one step to undo. The other streams of its file go along:
// they begin together.
func (s *Store) SetTie(ctx context.Context, id, author string, tie *Tie) error {
	t, err := s.Take(ctx, id)
	if err != nil {
		return err
	}
	name, stored := "untie "+t.Title(), (*Tie)(nil)
	if tie != nil {
		if err := tie.check(t.Description.SampleRate); err != nil {
			return err
		}
		ref, err := s.Take(ctx, tie.Reference)
		switch {
		case err != nil:
			return err
		case ref.Production != t.Production:
			return notFound(pgx.ErrNoRows, "take")
		case ref.ID == id:
			return fault.New(fault.BadInput, "A take can't be tied to itself")
		}
		name = "tie " + t.Title() + " to " + ref.Title()
		stored = new(*tie)
		stored.Title = ""
	}
	ids := []string{id}
	if t.SHA256 != "" {
		streams, err := takesBy(ctx, s.Pool, "where t.production_id = $1 and t.sha256 = $2 and t.stream <> $3", t.Production, t.SHA256,
			t.Stream)
		if err != nil {
			return err
		}
		for _, other := range streams {
			if (stored == nil || other.ID != stored.Reference) && other.Description.SampleRate == t.Description.SampleRate {
				ids = append(ids, other.ID)
			}
		}
	}
	_, err = s.editTakes(ctx, t.Production, author, ids, func(_ pgx.Tx, _ string, f *takeFields) (string, error) {
		f.Tie = stored
		return name, nil
	})
	return err
}

// noCircle refuses ties that lead back to the take that they begin at, by whatever edit.
func noCircle(ctx context.Context, tx pgx.Tx, id string) error {
	var title *string
	err := tx.QueryRow(ctx, `with recursive chain as (select r.id, r.tie, r.file_name, 1 as depth from takes t
			join takes r on r.id = (t.tie->>'reference')::uuid where t.id = $1
		union all select r.id, r.tie, r.file_name, depth + 1 from takes r join chain c on r.id = (c.tie->>'reference')::uuid where depth < 32)
		select (select file_name from takes where id = $1) from chain where id = $1 or depth = 32 limit 1`, id).Scan(&title)
	if errors.Is(err, pgx.ErrNoRows) {
		return nil
	}
	if err != nil {
		return err
	}
	return fault.New(fault.BadInput, "Ties would lead from %s in a circle back to it; untie the one that it would be tied to first", *title)
}
