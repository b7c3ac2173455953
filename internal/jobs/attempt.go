package jobs

import (
	"context"
	"errors"
	"fmt"
	"path"
	"runtime/debug"
	"sync"
	"time"

	"github.com/google/uuid"

	"zestyloom/core/fault"
	"zestyloom/internal/intake"
	"zestyloom/internal/store"
)

// attempt is one try at a piece of work. What it writes to the database is written under its claim, and its files lie in
// a folder of its own until they are whole, so that an attempt which has lost its claim can neither change nor spoil
// anything.
type attempt struct {
	*Runner
	store.Work
	claim  store.Claim
	cancel context.CancelCauseFunc
}

// maxAttempts is how often work is taken up again that the server did not survive.
const maxAttempts = 12

// toolAttempts is how often work is tried for which a tool fails.
const toolAttempts = 3

// try claims work that waits, does it and notes how it ended.
func (r *Runner) try(ctx context.Context, id string) {
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	a, err := r.claim(ctx, id, cancel)
	if err != nil {
		r.Log.Warn("work could not be claimed", "work", id, "error", err) // it waits, and is queued again
	}
	if a == nil {
		return
	}
	defer r.forget(a.claim.Token)
	defer a.clear()
	began := time.Now()
	var end store.End
	if a.Attempts > maxAttempts {
		err = fault.New(fault.Cancelled, "The server ended %d times while it did this, so it was given up; the server's log may say why",
			maxAttempts)
	} else {
		if err := a.advance(ctx); err != nil && ctx.Err() == nil {
			a.Log.Warn("the folder of media could not note how far its database is", "error", err)
		}
		end, err = a.safely(ctx)
	}
	a.end(ctx, end, err, began)
}

// claim gives nil where the work does not wait any more.
func (r *Runner) claim(ctx context.Context, id string, cancel context.CancelCauseFunc) (*attempt, error) {
	c := store.Claim{Work: id, Token: uuid.NewString()}
	r.claiming.RLock() // Recover must not see a claim in the database that is not held yet
	defer r.claiming.RUnlock()
	r.hold(c.Token, cancel)
	w, ok, err := r.Store.ClaimWork(ctx, c, r.worker.ID)
	if err != nil || !ok {
		r.forget(c.Token)
		return nil, err
	}
	c.Work = w.ID // of several prints that wait it is the one whose turn it is
	return &attempt{Runner: r, Work: w, claim: c, cancel: cancel}, nil
}

// safely does the work; a panic is an error of it.
func (a *attempt) safely(ctx context.Context) (end store.End, err error) {
	defer func() {
		if p := recover(); p != nil {
			a.Log.Error("panic in work", "work", a.ID, "kind", a.Kind, "panic", p, "stack", string(debug.Stack()))
			err = fmt.Errorf("panic: %v", p)
		}
	}()
	return a.do(ctx)
}

// end notes how the attempt ended. Where the process ends the work waits again; where the database can't be asked, or
// somebody else has the work, there is nothing to note: Recover finds what is left.
func (a *attempt) end(ctx context.Context, end store.End, err error, began time.Time) {
	after := context.WithoutCancel(ctx)
	end.State = "done"
	switch {
	case errors.Is(err, store.ErrLost) || errors.Is(context.Cause(ctx), store.ErrLost):
		a.Log.Info("work was stopped or is done by somebody else", "work", a.ID, "kind", a.Kind)
		return
	case err != nil && ctx.Err() != nil:
		if err := a.Store.ReleaseWork(after, a.claim); err != nil && !errors.Is(err, store.ErrLost) {
			a.Log.Warn("work could not be given back", "work", a.ID, "error", err)
		}
		return
	case err != nil && fault.KindOf(err) == "" && store.Unavailable(err):
		a.Log.Warn("work was interrupted by the database", "work", a.ID, "kind", a.Kind, "error", err)
		return
	case errors.Is(err, intake.ErrTool) && a.Attempts < toolAttempts:
		a.Log.Warn("a tool failed, and is tried again", "work", a.ID, "kind", a.Kind, "error", err)
		if err := a.Store.RepeatWork(after, a.claim); err != nil && !errors.Is(err, store.ErrLost) {
			a.Log.Warn("work could not be put back", "work", a.ID, "error", err)
		}
		return
	case err != nil:
		end = store.End{State: "failed", Message: sentence(err)}
	}
	a.Log.Info("work ended", "work", a.ID, "kind", a.Kind, "state", end.State, "took", time.Since(began).Round(time.Millisecond), "error",
		err)
	a.ended(a.Kind, end.State, time.Since(began))
	if err := persist(after, func() error { return a.Store.EndWork(after, a.claim, end) }); err != nil {
		a.Log.Warn("the end of work could not be noted", "work", a.ID, "error", err)
		return
	}
	if a.Kind == "import" {
		if err := a.Gather(after, a.Production); err != nil {
			a.Log.Error("grouping files", "production", a.Production, "error", err)
		}
	}
}

// persistFor is how long something is written again that the database could not be asked for.
const persistFor = 30 * time.Second

// persist does something in the database, again where that could not be asked. do must be such that it may be done twice.
func persist(ctx context.Context, do func() error) error {
	until := time.Now().Add(persistFor)
	for wait := 50 * time.Millisecond; ; wait = min(2*wait, time.Second) {
		err := do()
		if err == nil || !store.Unavailable(err) || time.Now().After(until) {
			return err
		}
		select {
		case <-ctx.Done():
			return err
		case <-time.After(wait):
		}
	}
}

// staging is the folder of an attempt's files.
func (a *attempt) staging() string { return stagingFolder + "/" + a.claim.Token }

// staged is where a file is written that will lie under a key.
func (a *attempt) staged(key string) string { return a.staging() + "/" + path.Base(key) }

// clear removes what the attempt has not published.
func (a *attempt) clear() {
	if err := a.Media.RemoveAll(a.staging()); err != nil {
		a.Log.Warn("files of an attempt could not be removed", "work", a.ID, "error", err) // Sweep tries again
	}
}

// progress gives a function that notes progress, at most a few times a second, over a part of the whole. It stops the
// attempt that has lost its claim.
func (a *attempt) progress(ctx context.Context, from, to float64) func(float64) {
	var mu sync.Mutex
	var last time.Time
	return func(share float64) { // from any goroutine
		if !mu.TryLock() {
			return
		}
		defer mu.Unlock()
		now := time.Now()
		if now.Sub(last) < 200*time.Millisecond {
			return
		}
		last = now
		err := a.Store.SetProgress(ctx, a.claim, from+(to-from)*share)
		if errors.Is(err, store.ErrLost) {
			a.cancel(store.ErrLost)
		} else if err != nil && ctx.Err() == nil {
			a.Log.Warn("noting progress", "work", a.ID, "error", err)
		}
	}
}

// sentence is what the user is told. Errors without a kind are ours, not the user's; their words stay in the log.
func sentence(err error) string {
	if fault.KindOf(err) == "" {
		return "Something went wrong on the server. Try again; if it stays, the server's log says more"
	}
	return fault.Sentence(err)
}

// A queueLane is a part of the queue with slots of its own, so that whatever hangs keeps nobody from working but those behind it.
type queueLane string

const (
	imports   queueLane = "imports"
	prints    queueLane = "prints"
	desks     queueLane = "desk"
	measuring queueLane = "measuring"
	small     queueLane = "small"
)

// slots is how many pieces of work of a lane go on at once in one process. Most of them use all processors as it is.
var slots = map[queueLane]int{imports: 2, prints: 2, desks: 1, measuring: 1, small: 2}

// kinds are the kinds of work: how each is done, and in which lane.
var kinds = map[string]struct {
	lane queueLane
	do   func(*attempt, context.Context) (store.End, error)
}{
	"import":   {imports, (*attempt).bringIn},
	"print":    {prints, (*attempt).print},
	"check":    {desks, (*attempt).check},
	"sync":     {measuring, (*attempt).sync},
	"level":    {measuring, (*attempt).level},
	"correct":  {measuring, (*attempt).correct},
	"diagnose": {measuring, (*attempt).lookAt},
	"deliver":  {small, (*attempt).handOver},
	"unravel":  {small, (*attempt).batch},
	"ply":      {small, (*attempt).batch},
	"convert":  {small, (*attempt).convert},
	"list":     {small, (*attempt).handReelOver},
	"settle":   {small, (*attempt).settle},
	"revise":   {small, (*attempt).revise},
}

// do does the work of its kind. What it gives is how that ended, its state aside.
func (a *attempt) do(ctx context.Context) (store.End, error) {
	kind, known := kinds[a.Kind]
	if !known {
		return store.End{}, fault.New(fault.Unsupported, "This server does not know work of kind %q", a.Kind)
	}
	return kind.do(a, ctx)
}

// said is the end of work of which there is only something to say.
func said(format string, args ...any) store.End {
	return store.End{Message: fmt.Sprintf(format, args...)}
}
