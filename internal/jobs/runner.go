package jobs

import (
	"context"
	"errors"
	"hash/fnv"
	"log/slog"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"

	"zestyloom/core/fault"
	"zestyloom/internal/cards"
	"zestyloom/internal/library"
	"zestyloom/internal/media"
	"zestyloom/internal/store"
)

// Runner queues work and, once started, does it.
type Runner struct {
	Store   *store.Store
	Media   *media.Folder
	Library library.Library
	Cards   cards.Cards
	Uploads string // folder where uploads arrive
	Log     *slog.Logger

	client *river.Client[pgx.Tx]
	stop   context.CancelFunc
	done   chan struct{}
}

// parallel is how many pieces of work run at once in one process.
const parallel = 2

// recoverEvery is how often a runner looks for work whose process has died.
const recoverEvery = 20 * time.Second

// jobArgs is what the queue carries; the rest stands in the work table.
type jobArgs struct {
	Work string `json:"work"`
}

// Kind names the queue's kind of job.
func (jobArgs) Kind() string { return "work" }

// Open connects the runner to the queue without doing work yet.
func (r *Runner) Open() error {
	workers := river.NewWorkers()
	river.AddWorker(workers, &worker{runner: r})
	client, err := river.NewClient(riverpgxv5.New(r.Store.Pool), &river.Config{
		Workers: workers, Queues: map[string]river.QueueConfig{river.QueueDefault: {MaxWorkers: parallel}},
		JobTimeout: -1, Logger: slog.New(slog.DiscardHandler), FetchPollInterval: 500 * time.Millisecond, FetchCooldown: 50 * time.Millisecond,
	})
	r.client = client
	return err
}

// Start begins to do work, first of all what a process left behind that died.
func (r *Runner) Start(ctx context.Context) error {
	if err := r.Recover(ctx); err != nil {
		return err
	}
	productions, err := r.Store.Productions(ctx)
	if err != nil {
		return err
	}
	for _, p := range productions { // a process may have ended between the last import and the grouping
		if err := r.Gather(ctx, p.ID); err != nil { // one production's trouble keeps nobody from working
			r.Log.Error("grouping files", "production", p.ID, "error", err)
		}
	}
	if err := r.client.Start(ctx); err != nil {
		return err
	}
	loop, stop := context.WithCancel(ctx)
	r.stop, r.done = stop, make(chan struct{})
	go func() {
		defer close(r.done)
		tick := time.NewTicker(recoverEvery)
		defer tick.Stop()
		for {
			select {
			case <-loop.Done():
				return
			case <-tick.C:
				if err := r.Recover(loop); err != nil && loop.Err() == nil {
					r.Log.Error("looking for abandoned work", "error", err)
				}
			}
		}
	}()
	return nil
}

// Stop interrupts running work, which another start takes up again, and waits for it to end.
func (r *Runner) Stop(ctx context.Context) error {
	if r.stop == nil {
		return nil
	}
	r.stop()
	<-r.done
	return r.client.StopAndCancel(ctx)
}

// add stores work and queues it, both or neither.
func (r *Runner) add(ctx context.Context, production, kind, title string, args any, also func(pgx.Tx, string) error) (id string, err error) {
	err = pgx.BeginFunc(ctx, r.Store.Pool, func(tx pgx.Tx) error {
		if id, err = r.Store.AddWork(ctx, tx, production, kind, title, args); err != nil {
			return err
		}
		if also != nil {
			if err := also(tx, id); err != nil {
				return err
			}
		}
		return r.queue(ctx, tx, id)
	})
	return id, err
}

func (r *Runner) queue(ctx context.Context, tx pgx.Tx, id string) error {
	job, err := r.client.InsertTx(ctx, tx, jobArgs{id}, nil)
	if err != nil {
		return err
	}
	return r.Store.SetJob(ctx, tx, id, job.Job.ID)
}

// Cancel stops work that waits or runs. What it has written so far is removed.
func (r *Runner) Cancel(ctx context.Context, id string) error {
	w, err := r.Store.Work(ctx, id)
	if err != nil {
		return err
	}
	if w.State != "queued" && w.State != "running" {
		return fault.New(fault.BadInput, "This work has ended already")
	}
	if err := r.Store.EndWork(ctx, id, "cancelled", "Stopped", nil); err != nil {
		return err
	}
	if w.Job != nil {
		if _, err := r.client.JobCancel(ctx, *w.Job); err != nil && !errors.Is(err, river.ErrNotFound) {
			return err
		}
	}
	return nil
}

// Retry queues work again that failed or was cancelled.
func (r *Runner) Retry(ctx context.Context, id string) error {
	w, err := r.Store.Work(ctx, id)
	if err != nil {
		return err
	}
	if w.State != "failed" && w.State != "cancelled" {
		return fault.New(fault.BadInput, "Only work that failed or was stopped can be tried again")
	}
	return pgx.BeginFunc(ctx, r.Store.Pool, func(tx pgx.Tx) error { return r.queue(ctx, tx, id) })
}

// lockOf is the number of the advisory lock that whoever does a piece of work holds.
func lockOf(id string) int64 {
	h := fnv.New64a()
	_, _ = h.Write([]byte("work " + id))
	return int64(h.Sum64())
}

// Recover queues work again whose process has died: its job is not waiting in the queue, and nobody holds its lock.
func (r *Runner) Recover(ctx context.Context) error {
	rows, err := r.Store.Pool.Query(ctx, `select w.id::text, w.job_id from work w left join river_job j on j.id = w.job_id
		where w.state in ('queued', 'running') and (j.id is null or j.state not in ('available', 'scheduled', 'retryable', 'pending'))`)
	if err != nil {
		return err
	}
	type abandoned struct {
		ID  string
		Job *int64
	}
	list, err := pgx.CollectRows(rows, pgx.RowToStructByPos[abandoned])
	if err != nil {
		return err
	}
	for _, a := range list {
		err := pgx.BeginFunc(ctx, r.Store.Pool, func(tx pgx.Tx) error {
			var free bool
			if err := tx.QueryRow(ctx, "select pg_try_advisory_xact_lock($1)", lockOf(a.ID)).Scan(&free); err != nil || !free {
				return err
			}
			var open bool
			if err := tx.QueryRow(ctx, "select state in ('queued', 'running') from work where id = $1 for update", a.ID).Scan(&open); err != nil || !open {
				return err
			}
			if _, err := tx.Exec(ctx, "update river_job set state = 'discarded', finalized_at = now() where id = $1 and state = 'running'", a.Job); err != nil {
				return err
			}
			r.Log.Info("taking up abandoned work", "work", a.ID)
			return r.queue(ctx, tx, a.ID)
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// worker does one piece of work at a time for the queue.
type worker struct {
	river.WorkerDefaults[jobArgs]
	runner *Runner
}

// Work does the work. It is never retried by the queue itself: what failed waits for the user, what was interrupted
// by the end of the process is put back.
func (w *worker) Work(ctx context.Context, job *river.Job[jobArgs]) error {
	r := w.runner
	id := job.Args.Work
	conn, err := r.Store.Pool.Acquire(ctx)
	if err != nil {
		return river.JobSnooze(time.Second)
	}
	defer conn.Release()
	var mine bool
	if err := conn.QueryRow(ctx, "select pg_try_advisory_lock($1)", lockOf(id)).Scan(&mine); err != nil {
		return river.JobSnooze(time.Second)
	}
	if !mine {
		return river.JobCancel(errors.New("somebody else does this work"))
	}
	defer func() {
		_, _ = conn.Exec(context.WithoutCancel(ctx), "select pg_advisory_unlock($1)", lockOf(id))
	}()
	work, err := r.Store.Work(ctx, id)
	if err != nil && fault.KindOf(err) == "" {
		return river.JobSnooze(time.Second)
	}
	if err != nil || work.State == "cancelled" || work.State == "done" {
		return river.JobCancel(errors.New("there is nothing to do"))
	}
	result, message, err := r.do(ctx, work)
	after := context.WithoutCancel(ctx)
	if work.Kind == "import" {
		defer func() { // once it has been noted that this import has ended
			if err := r.Gather(after, work.Production); err != nil {
				r.Log.Error("grouping files", "production", work.Production, "error", err)
			}
		}()
	}
	switch {
	case err == nil:
		return r.Store.EndWork(after, id, "done", message, result)
	case ctx.Err() != nil:
		if now, readErr := r.Store.Work(after, id); readErr == nil && (now.State == "running" || now.State == "queued") {
			return river.JobSnooze(0) // the process ends; the work goes on at the next start
		}
		return river.JobCancel(err)
	}
	r.Log.Warn("work failed", "work", id, "kind", work.Kind, "error", err)
	if err := r.Store.EndWork(after, id, "failed", sentence(err), nil); err != nil {
		return err
	}
	return river.JobCancel(err)
}

// sentence is what the user is told. Errors without a kind are ours, not the user's; their words stay in the log.
func sentence(err error) string {
	if fault.KindOf(err) == "" {
		return "Something went wrong on the server. Try again; if it stays, the server's log says more"
	}
	return fault.Sentence(err)
}

func (r *Runner) do(ctx context.Context, w store.Work) (result *string, message string, err error) {
	if err := r.Store.SetProgress(ctx, w.ID, 0); err != nil {
		return nil, "", err
	}
	switch w.Kind {
	case "import":
		return r.bringIn(ctx, w)
	case "print":
		message, err = r.print(ctx, w)
	case "unravel", "ply":
		message, err = r.batch(ctx, w)
	case "sync":
		message, err = r.sync(ctx, w)
	case "convert":
		return r.convert(ctx, w)
	case "list":
		message, err = r.list(ctx, w)
	case "settle":
		return r.settle(ctx, w)
	case "diagnose":
		err = r.lookAt(ctx, w)
	default:
		err = fault.New(fault.Unsupported, "This server does not know work of kind %q", w.Kind)
	}
	return nil, message, err
}

// progress gives a function that notes progress, at most a few times a second, over a part of the whole.
func (r *Runner) progress(ctx context.Context, id string, from, to float64) func(float64) {
	var last time.Time
	return func(share float64) {
		if now := time.Now(); now.Sub(last) > 200*time.Millisecond {
			last = now
			if err := r.Store.SetProgress(ctx, id, from+(to-from)*share); err != nil && ctx.Err() == nil {
				r.Log.Warn("noting progress", "error", err)
			}
		}
	}
}
