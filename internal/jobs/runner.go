package jobs

import (
	"context"
	"errors"
	"log/slog"
	"maps"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivertype"

	"zestyloom/core/fault"
	"zestyloom/internal/cards"
	"zestyloom/internal/library"
	"zestyloom/internal/media"
	"zestyloom/internal/receivers"
	"zestyloom/internal/store"
)

// Runner queues work and, once started, does it.
type Runner struct {
	Store     *store.Store
	Keeping   *store.Store // the same, with connections for the queue and for looking after work, which must go on whatever is worked on
	Media     *media.Folder
	Library   library.Library
	Cards     cards.Cards
	Receivers receivers.Folders
	Uploads   string // folder where uploads arrive
	Log       *slog.Logger
	// Ended is told of each attempt that came to an end; it may be nil.
	Ended func(kind, state string, took time.Duration)

	client *river.Client[pgx.Tx]
	worker *store.Worker
	stop   context.CancelFunc
	done   chan struct{}
	// Something in it asks for Sweep.
	sweeping chan struct{}

	claiming sync.RWMutex // held for reading while work is claimed, for writing while Recover looks
	mu       sync.Mutex
	held     map[string]context.CancelCauseFunc // attempts of this process by the token of their claim

	standstill atomic.Pointer[string] // why nothing is cleared away

	counting sync.Mutex // held while the folder's note is written
	lost     bool       // somebody has said that what no row names may go into the trash, however much it is
}

// beatEvery is how often a runner says that it lives, and looks for work that waits without a place in the queue.
const beatEvery = 2 * time.Second

// sweepEvery is how often what lies on the disk without a row is removed.
const sweepEvery = 10 * time.Minute

// jobArgs is what the queue carries; the rest stands in the work table, which alone decides what is to be done. A job of
// the queue is no more than a nudge: one too many does nothing, and one that is lost is made up for by Recover.
type jobArgs struct {
	Work string `json:"work"`
}

// Kind names the queue's kind of job.
func (jobArgs) Kind() string { return "work" }

// Open connects the runner to the queue without doing work yet.
func (r *Runner) Open() error {
	r.held, r.sweeping = map[string]context.CancelCauseFunc{}, make(chan struct{}, 1)
	identity, err := r.Media.Identity()
	if err != nil {
		return err
	}
	r.worker = r.Keeping.NewWorker(identity)
	workers := river.NewWorkers()
	river.AddWorker(workers, &nudged{runner: r})
	// What was queued before there were lanes, and what this version does not know, goes by the usual queue.
	queues := map[string]river.QueueConfig{river.QueueDefault: {MaxWorkers: 1}}
	for l, n := range slots {
		queues[string(l)] = river.QueueConfig{MaxWorkers: n}
	}
	client, err := river.NewClient(riverpgxv5.New(r.Keeping.Pool), &river.Config{
		Workers: workers, Queues: queues,
		JobTimeout: -1, MaxAttempts: 1, ErrorHandler: troubles{r.Log}, Logger: r.Log.With("part", "queue"),
		FetchPollInterval: 500 * time.Millisecond, FetchCooldown: 50 * time.Millisecond,
	})
	r.client = client
	return err
}

// troubles logs what goes wrong with the queue's jobs. What goes wrong with work is noted in its row.
type troubles struct{ log *slog.Logger }

func (t troubles) HandleError(_ context.Context, job *rivertype.JobRow, err error) *river.ErrorHandlerResult {
	t.log.Error("a job of the queue failed", "job", job.ID, "error", err)
	return nil
}

func (t troubles) HandlePanic(_ context.Context, job *rivertype.JobRow, value any, trace string) *river.ErrorHandlerResult {
	t.log.Error("a job of the queue panicked", "job", job.ID, "panic", value, "stack", trace)
	return nil
}

// nudged is told by the queue that work waits.
type nudged struct {
	river.WorkerDefaults[jobArgs]
	runner *Runner
}

// Work tries what waits. How that ends stands in the row of the work, so the queue is never told of a failure.
func (n *nudged) Work(ctx context.Context, job *river.Job[jobArgs]) error {
	n.runner.try(ctx, job.Args.Work)
	return nil
}

// Start begins to do work, first of all what a process left behind that died.
func (r *Runner) Start(ctx context.Context) error {
	if err := r.worker.Beat(ctx); err != nil {
		return err
	}
	if err := r.Recover(ctx); err != nil {
		return err
	}
	if err := r.client.Start(ctx); err != nil {
		return err
	}
	loop, stop := context.WithCancel(ctx)
	r.stop, r.done = stop, make(chan struct{})
	go func() {
		defer close(r.done)
		r.regroup(loop)
		if err := r.noteAll(loop); err != nil && loop.Err() == nil {
			r.Log.Error("noting takes beside their files", "error", err)
		}
		r.keep(loop)
	}()
	return nil
}

// regroup joins files whose process ended between the last import and the grouping.
func (r *Runner) regroup(ctx context.Context) {
	productions, err := r.Store.Productions(ctx)
	for _, p := range productions {
		if err := r.Gather(ctx, p.ID); err != nil && ctx.Err() == nil { // one production's trouble keeps nobody from working
			r.Log.Error("grouping files", "production", p.ID, "error", err)
		}
	}
	if err != nil && ctx.Err() == nil {
		r.Log.Error("grouping files", "error", err)
	}
}

// keep says that the process lives and looks after work until ctx ends.
func (r *Runner) keep(ctx context.Context) {
	tick := time.NewTicker(beatEvery)
	defer tick.Stop()
	var swept time.Time
	for {
		if err := r.beat(ctx); err != nil && ctx.Err() == nil {
			r.Log.Error("looking after work", "error", err)
		} else if time.Since(swept) > sweepEvery {
			swept = time.Now()
			err := r.Sweep(ctx)
			if r.standsStill(err); err != nil && ctx.Err() == nil {
				r.Log.Error("clearing what nothing needs", "error", err)
			}
		}
		select {
		case <-ctx.Done():
			return
		case <-r.sweeping:
			swept = time.Time{}
		case <-tick.C:
		}
	}
}

// standsStill notes why nothing is cleared away, where somebody has to decide.
func (r *Runner) standsStill(err error) {
	r.standstill.Store(nil)
	if fault.KindOf(err) == fault.Stale {
		why := fault.Sentence(err)
		r.standstill.Store(&why)
	}
}

// Troubles says what of the server somebody should look after.
func (r *Runner) Troubles() []string {
	troubles := []string{}
	if why := r.standstill.Load(); why != nil {
		troubles = append(troubles, *why)
	}
	if err := r.Room(0); fault.KindOf(err) == fault.NoSpace {
		troubles = append(troubles, "The disk of the server is full: nothing more can be brought in or printed until there is room")
	}
	return troubles
}

func (r *Runner) beat(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, 10*time.Second) // a database that hangs is as good as none
	defer cancel()
	if err := r.worker.Beat(ctx); err != nil {
		return err
	}
	lost, err := r.Keeping.Lost(ctx, r.tokens())
	if err != nil {
		return err
	}
	for _, token := range lost {
		r.drop(token)
	}
	return errors.Join(r.Recover(ctx), r.takeArrived(ctx))
}

// Stop interrupts running work, which another start takes up again, and waits for it to end.
func (r *Runner) Stop(ctx context.Context) error {
	if r.stop == nil {
		return nil
	}
	r.stop()
	<-r.done
	err := r.client.StopAndCancel(ctx)
	r.worker.Close(ctx)
	return err
}

func (r *Runner) hold(token string, cancel context.CancelCauseFunc) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.held[token] = cancel
}

func (r *Runner) forget(token string) {
	r.mu.Lock()
	defer r.mu.Unlock()
	delete(r.held, token)
}

// drop stops an attempt of this process that has lost its claim.
func (r *Runner) drop(token string) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if cancel := r.held[token]; cancel != nil {
		cancel(store.ErrLost)
	}
}

func (r *Runner) tokens() []string {
	r.mu.Lock()
	defer r.mu.Unlock()
	return slices.AppendSeq([]string{}, maps.Keys(r.held)) // none is a list too: in SQL, null would match nothing
}

func (r *Runner) ended(kind, state string, took time.Duration) {
	if r.Ended != nil {
		r.Ended(kind, state, took)
	}
}

// add stores work and queues it, both or neither, and once for each time that the request which asks for it does.
func (r *Runner) add(ctx context.Context, production, kind, title string, args any, also func(pgx.Tx, string) error) (id string,
	err error) {
	err = pgx.BeginFunc(ctx, r.Store.Pool, func(tx pgx.Tx) error {
		id, err = store.Once(ctx, tx, func() (string, error) {
			id, err := r.Store.AddWork(ctx, tx, production, kind, title, args)
			if err == nil && also != nil {
				err = also(tx, id)
			}
			if err == nil {
				err = r.queue(ctx, tx, id)
			}
			return id, err
		})
		return err
	})
	return id, err
}

// queueOf is the queue of a kind of work.
func queueOf(kind string) string {
	if k, known := kinds[kind]; known {
		return string(k.lane)
	}
	return river.QueueDefault
}

func (r *Runner) queue(ctx context.Context, tx pgx.Tx, id string) error {
	kind, err := r.Store.KindOf(ctx, tx, id)
	if err != nil {
		return err
	}
	job, err := r.client.InsertTx(ctx, tx, jobArgs{id}, &river.InsertOpts{Queue: queueOf(kind)})
	if err != nil {
		return err
	}
	return r.Store.SetJob(ctx, tx, id, job.Job.ID)
}

// unqueue takes a job out of the queue; whoever does it is told.
func (r *Runner) unqueue(ctx context.Context, tx pgx.Tx, job *int64) error {
	if job == nil {
		return nil
	}
	_, err := r.client.JobCancelTx(ctx, tx, *job)
	if errors.Is(err, river.ErrNotFound) {
		return nil
	}
	return err
}

// Cancel stops work that arrives, waits or runs. What it has written so far is removed.
func (r *Runner) Cancel(ctx context.Context, id string) error {
	err := pgx.BeginFunc(ctx, r.Store.Pool, func(tx pgx.Tx) error {
		job, err := r.Store.CancelWork(ctx, tx, id)
		if err != nil {
			return err
		}
		return r.unqueue(ctx, tx, job)
	})
	if err != nil {
		return err
	}
	r.dropLost(ctx)
	return nil
}

// dropLost stops those attempts of this process that have lost their claims, without waiting for the next beat.
func (r *Runner) dropLost(ctx context.Context) {
	lost, err := r.Keeping.Lost(ctx, r.tokens())
	if err != nil {
		r.Log.Warn("looking for lost claims", "error", err) // the next beat looks again
	}
	for _, token := range lost {
		r.drop(token)
	}
}

// Retry queues work again that failed or was cancelled. Imports may say with again that a file is wanted although the
// production has it; such work may be done already.
func (r *Runner) Retry(ctx context.Context, id string, again bool) error {
	var more map[string]any
	if again {
		more = map[string]any{"again": true}
	}
	return pgx.BeginFunc(ctx, r.Store.Pool, func(tx pgx.Tx) error {
		if err := r.Store.RetryWork(ctx, tx, id, more); err != nil {
			return err
		}
		return r.queue(ctx, tx, id)
	})
}

// claimedLately is how old a running job of the queue may be whose work still waits: it is about to be claimed.
const claimedLately = 10 * time.Second

// Recover queues work again whose process has died, and work that waits although the queue does not know of it.
func (r *Runner) Recover(ctx context.Context) error {
	r.claiming.Lock()
	err := pgx.BeginFunc(ctx, r.Keeping.Pool, func(tx pgx.Tx) error {
		freed, err := r.worker.Free(ctx, tx, r.tokens())
		if err != nil {
			return err
		}
		for _, f := range freed {
			r.Log.Info("taking up abandoned work", "work", f.ID)
			if err := errors.Join(r.unqueue(ctx, tx, f.Job), r.queue(ctx, tx, f.ID)); err != nil {
				return err
			}
		}
		return nil
	})
	r.claiming.Unlock()
	if err != nil {
		return err
	}
	return r.requeue(ctx)
}

// requeue queues work that waits and whose job is over or gone.
func (r *Runner) requeue(ctx context.Context) error {
	waiting, err := r.Keeping.Waiting(ctx)
	if err != nil || len(waiting) == 0 {
		return err
	}
	var jobs []int64
	for _, w := range waiting {
		if w.Job != nil {
			jobs = append(jobs, *w.Job)
		}
	}
	known := map[int64]bool{}
	for part := range slices.Chunk(jobs, 1000) {
		list, err := r.client.JobList(ctx, river.NewJobListParams().IDs(part...).First(len(part)).
			States(rivertype.JobStateAvailable, rivertype.JobStatePending, rivertype.JobStateRetryable, rivertype.JobStateScheduled,
				rivertype.JobStateRunning))
		if err != nil {
			return err
		}
		for _, j := range list.Jobs {
			known[j.ID] = j.State != rivertype.JobStateRunning || j.AttemptedAt == nil || time.Since(*j.AttemptedAt) < claimedLately
		}
	}
	for _, w := range waiting {
		if w.Job != nil && known[*w.Job] {
			continue
		}
		err := pgx.BeginFunc(ctx, r.Keeping.Pool, func(tx pgx.Tx) error {
			if waits, err := r.Keeping.StillWaits(ctx, tx, w); err != nil || !waits {
				return err
			}
			return r.queue(ctx, tx, w.ID)
		})
		if err != nil {
			return err
		}
	}
	return nil
}
