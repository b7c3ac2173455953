package jobs

import (
	"context"

	"github.com/jackc/pgx/v5"
)

// Remove forgets work, or a print, and stops it if need be. Its files are removed soon after.
func (r *Runner) Remove(ctx context.Context, id string) error {
	return r.remove(ctx, func(tx pgx.Tx) error {
		job, err := r.Store.RemoveWork(ctx, tx, id)
		if err != nil {
			return err
		}
		return r.unqueue(ctx, tx, job)
	})
}

// RemoveReel removes a reel with its history and prints. Prints of it that go on are stopped.
func (r *Runner) RemoveReel(ctx context.Context, id string) error {
	return r.remove(ctx, func(tx pgx.Tx) error {
		jobs, err := r.Store.RemoveReel(ctx, tx, id)
		for _, job := range jobs {
			if err == nil {
				err = r.unqueue(ctx, tx, &job)
			}
		}
		return err
	})
}

// RemoveProduction removes a production with all that is in it. Work on it is stopped.
func (r *Runner) RemoveProduction(ctx context.Context, id string) error {
	return r.remove(ctx, func(tx pgx.Tx) error { return r.Store.RemoveProduction(ctx, tx, id) })
}

func (r *Runner) remove(ctx context.Context, rows func(pgx.Tx) error) error {
	if err := pgx.BeginFunc(ctx, r.Store.Pool, rows); err != nil {
		return err
	}
	r.dropLost(ctx)
	r.sweepSoon()
	return nil
}

// sweepSoon has what nothing needs be removed without waiting for the next time.
func (r *Runner) sweepSoon() {
	select {
	case r.sweeping <- struct{}{}:
	default: // it will be
	}
}
