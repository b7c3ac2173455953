package store

import (
	"context"
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

// Matches gives what was found for the takes of a production.
func (s *Store) Matches(ctx context.Context, production string) ([]Match, error) {
	rows, err := s.Pool.Query(ctx, "select id::text, take_id::text, reference_id::text, method, result, refused, found_at from matches where production_id = $1 order by found_at, id", production)
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

// SetTie ties a take to a reference, or unties it where tie is nil, as one step to undo.
func (s *Store) SetTie(ctx context.Context, id, author string, tie *Tie) error {
	t, err := s.Take(ctx, id)
	if err != nil {
		return err
	}
	name := "untie " + t.Title()
	if tie != nil {
		ref, err := s.Take(ctx, tie.Reference)
		switch {
		case err != nil:
			return err
		case ref.Production != t.Production:
			return notFound(pgx.ErrNoRows, "take")
		case ref.ID == id:
			return fault.New(fault.BadInput, "A take can't be tied to itself")
		case ref.Tie != nil && ref.Tie.Reference == id:
			return fault.New(fault.BadInput, "%s is tied to %s already; untie that first", ref.Title(), t.Title())
		}
		name = "tie " + t.Title() + " to " + ref.Title()
		stored := *tie
		stored.Title = ""
		tie = &stored
	}
	_, err = s.editTakes(ctx, t.Production, author, []string{id}, func(_ pgx.Tx, _ string, f *takeFields) (string, error) {
		f.Tie = tie
		return name, nil
	})
	return err
}
