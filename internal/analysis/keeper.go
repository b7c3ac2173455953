package analysis

import (
	"context"
	"errors"
	"log/slog"
	"slices"
	"sync"
	"time"

	"zestyloom/core/fault"
	"zestyloom/core/gauge"
	"zestyloom/core/loudness"
	"zestyloom/core/reel"
	"zestyloom/core/weave"
	"zestyloom/internal/library"
	"zestyloom/internal/store"
)

// Keeper measures reels in the background. It may be used by several goroutines.
type Keeper struct {
	Library library.Library
	Log     *slog.Logger

	mu    sync.Mutex
	reels map[string]*kept
	files map[string]*keptFile
	turns chan struct{} // one at a time measures files
	end   context.CancelFunc
	ctx   context.Context
	going sync.WaitGroup
}

// mostKept bounds the memory that measurements take, and mostReels how many reels they are of: the least lately used are let go.
const (
	mostKept  = 192 << 20
	mostReels = 16
	// mostBeside is how many rows stay measured besides those that are looked at.
	mostBeside = 6
	// patience is how long an answer waits for measuring that will soon be done.
	patience = 250 * time.Millisecond
	// again is how long after it failed measuring is tried once more.
	again = 5 * time.Second
)

// kept is what is known of a reel.
type kept struct {
	gauge  gauge.Gauge // of the one who measures
	busy   bool
	share  float64
	now    State
	fails  error // that measuring ended with, at the revision that it was for
	at     int64
	failed time.Time
	used   time.Time
	done   chan struct{} // closed when the present measuring ends
}

// State is what was measured of a reel at a revision.
type State struct {
	Revision int64
	Factor   int // of oversampling for true peak
	Rows     map[weave.NodeID]loudness.Row
	Wholes   map[weave.NodeID]*loudness.Whole // of all of it
	Basis    map[string]string                // of the groups that are corrected: what their corrections would be worked out on
	Took     time.Duration                    // to bring it up to date
	Measured float64                          // seconds of sound that were measured to do so
	Seconds  float64                          // that the reel is long
}

// Dialogue is the row that tells where dialogue is heard.
var Dialogue = weave.NodeID{Row: reel.StemRow, ID: "DX"}

// Open makes the keeper ready; Close ends what it does.
func (k *Keeper) Open() {
	k.reels, k.files, k.turns = map[string]*kept{}, map[string]*keptFile{}, make(chan struct{}, 1)
	k.ctx, k.end = context.WithCancel(context.Background())
}

// Close ends all measuring, and waits for that.
func (k *Keeper) Close() {
	k.end()
	k.going.Wait()
}

// Look gives what was last measured of a reel, and how far measuring it as it is now has come: share is 1 where it has. Rows that were
// not asked for before are measured along. factor is how many times the rate true peak is looked for at: 4 or 8. An error is that of measuring this revision.
func (k *Keeper) Look(o store.OpenReel, rows []weave.NodeID, factor int) (now State, share float64, err error) {
	k.mu.Lock()
	r := k.reels[o.ID]
	if r == nil {
		r = &kept{}
		k.reels[o.ID] = r
	}
	r.used = time.Now()
	if _, there := o.Reel.Stems[Dialogue.ID]; there && !slices.Contains(rows, Dialogue) {
		rows = append(slices.Clone(rows), Dialogue)
	}
	right := r.now.holds(o.Revision, rows, factor)
	failed := r.fails != nil && r.at == o.Revision && time.Since(r.failed) < again
	if !right && !failed && !r.busy {
		r.busy, r.share, r.done, r.fails = true, 0, make(chan struct{}), nil // what failed before is looked at anew
		k.going.Add(1)
		go k.measure(r, o, rows, factor)
	}
	done := r.done
	k.mu.Unlock()
	if !right && !failed {
		select {
		case <-done:
		case <-time.After(patience):
		}
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	if share = min(r.share, 0.99); r.now.holds(o.Revision, rows, factor) {
		share = 1
	}
	if r.fails != nil && r.at == o.Revision {
		err = r.fails
	}
	return r.now, share, err
}

// holds tells whether those rows were measured at a revision.
func (s State) holds(revision int64, rows []weave.NodeID, factor int) bool {
	return s.Revision == revision && s.Factor == factor && !slices.ContainsFunc(rows, func(id weave.NodeID) bool {
		_,
			there := s.Rows[id]
		return !there
	})
}

// measure brings what is kept of a reel up to date.
func (k *Keeper) measure(r *kept, o store.OpenReel, rows []weave.NodeID, factor int) {
	defer k.going.Done()
	began := time.Now()
	session := k.Library.Session(k.ctx)
	defer session.Close()
	// A few of those looked at before stay measured, so that one may go to and fro.
	asked := len(rows)
	for id := range r.now.Rows {
		if len(rows) < asked+mostBeside && o.Reel.RowLabels(id.Row, id.ID) != nil && !slices.Contains(rows, id) {
			rows = append(rows, id)
		}
	}
	r.gauge.Forget(rows)
	sounds := map[string]string{}
	sound := func(take string) (s string, err error) {
		if known, there := sounds[take]; there {
			return known, nil
		}
		s, err = session.Sound(take)
		if s == "" {
			s = "take " + take
		}
		sounds[take] = s
		return s, err
	}
	done, err := r.gauge.Measure(k.ctx, o.Reel, gauge.Asked{Rows: rows, Factor: factor, Sound: sound, Open: session.Open,
		Progress: func(share float64) {
			k.mu.Lock()
			r.share = min(share, 0.99)
			k.mu.Unlock()
		}})
	var now State
	if err == nil {
		now, err = k.stateOf(&r.gauge, o, rows, sound)
		now.Factor = factor
		now.Took, now.Measured = time.Since(began), float64(done.Pieces)*loudness.PieceSeconds/float64(max(1, len(rows)))
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	r.busy = false
	close(r.done)
	if r.fails, r.at = k.told("a reel", o.ID, err), o.Revision; err != nil {
		r.failed = time.Now()
		return
	}
	r.now = now
	k.letGo()
}

// told turns an error into what may be said of it; the log has the rest.
func (k *Keeper) told(what, id string, err error) error {
	if err == nil || fault.KindOf(err) != "" || errors.Is(err, context.Canceled) {
		return err
	}
	k.Log.Error("measuring "+what, "id", id, "error", err)
	return fault.New(fault.Unsupported, "Something went wrong while this was measured; the server's log says more")
}

func (k *Keeper) stateOf(g *gauge.Gauge, o store.OpenReel, rows []weave.NodeID, sound gauge.SoundOf) (State, error) {
	s := State{Revision: o.Revision, Rows: map[weave.NodeID]loudness.Row{}, Wholes: map[weave.NodeID]*loudness.Whole{},
		Basis:   map[string]string{},
		Seconds: float64(max(0, o.Reel.End()-o.Reel.Head.Start)) / float64(o.Reel.Head.SampleRate)}
	for _, id := range rows {
		s.Rows[id], _ = g.Row(id)
	}
	var wait sync.WaitGroup
	var mu sync.Mutex
	for id, row := range s.Rows {
		wait.Go(func() {
			w := row.Whole(0, row.Hops(), s.Rows[Dialogue])
			mu.Lock()
			s.Wholes[id] = w
			mu.Unlock()
		})
	}
	wait.Wait()
	for _, c := range o.Reel.CorrectionList() {
		basis, err := gauge.Basis(o.Reel, c.Of, sound)
		if err != nil {
			return s, err
		}
		s.Basis[c.Of] = basis
	}
	return s, nil
}

// letGo forgets the reels that were not looked at for longest, where more is kept than may be.
func (k *Keeper) letGo() {
	for {
		var size int64
		oldest, free := "", 0
		for id, r := range k.reels {
			if r.busy {
				continue
			}
			free++
			size += r.gauge.Size()
			if oldest == "" || r.used.Before(k.reels[oldest].used) {
				oldest = id
			}
		}
		if free < 2 || size <= mostKept && len(k.reels) <= mostReels {
			return
		}
		delete(k.reels, oldest)
	}
}
