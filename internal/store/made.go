package store

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"zestyloom/core/delivery"
)

// Made is a file that a print has made.
type Made struct {
	Fingerprint string // of all that decides what it is
	Key         string
	Size        int64 // bytes
	SHA256      string
	Groups      map[string]delivery.Made // what was measured of what it holds
	MadeAt      time.Time
}

// KeptFolder is where a print that is not finished keeps what it has made.
func KeptFolder(print string) string { return "kept/" + print }

// MadeBefore finds files with one of these fingerprints, those made last first.
func (s *Store) MadeBefore(ctx context.Context, fingerprints []string) ([]Made, error) {
	rows, err := s.Pool.Query(ctx, "select fingerprint, key, size, sha256, groups, made_at from made where fingerprint = any($1) order by made_at desc", fingerprints)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Made])
}

// KeepMade notes what a print has made before it is finished.
func (s *Store) KeepMade(ctx context.Context, c Claim, made []Made) error {
	return pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		if err := c.hold(ctx, tx); err != nil {
			return err
		}
		return addMade(ctx, tx, c.Work, made)
	})
}

// PrintPace is how many seconds a sample of one channel took of late, in prints with a movie or without; 0 where none was made.
func (s *Store) PrintPace(ctx context.Context, movie bool) (seconds float64, err error) {
	err = s.Pool.QueryRow(ctx, `select coalesce(percentile_cont(0.5) within group (order by pace), 0) from (
		select pace from prints where movie = $1 and pace > 0 order by created_at desc limit 9) lately`, movie).Scan(&seconds)
	return seconds, err
}

func addMade(ctx context.Context, tx pgx.Tx, print string, made []Made) error {
	batch := &pgx.Batch{}
	for _, m := range made {
		batch.Queue(`insert into made (fingerprint, print_id, key, size, sha256, groups, made_at) values ($1, $2, $3, $4, $5, $6, $7)
			on conflict (fingerprint, print_id) do update set key = excluded.key, size = excluded.size, sha256 = excluded.sha256, groups = excluded.groups, made_at = excluded.made_at`,
			m.Fingerprint, print, m.Key, m.Size, m.SHA256, m.Groups, m.MadeAt)
	}
	return tx.SendBatch(ctx, batch).Close()
}
