package store

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"zestyloom/core/fault"
	"zestyloom/core/reel"
)

// snapshotEvery is how many revisions lie between two snapshots, and so how many changes opening a reel replays.
const snapshotEvery = 100

// ReelInfo is a reel without its contents.
type ReelInfo struct {
	ID         string    `json:"id"`
	Production string    `json:"production"`
	Name       string    `json:"name"`
	Revision   int64     `json:"revision"`
	CreatedAt  time.Time `json:"createdAt"`
}

// Step is an entry of a reel's history.
type Step struct {
	Revision int64     `json:"revision"`
	Kind     string    `json:"kind"` // do, undo, redo, or treat where the treatment of a take on it changed
	Name     string    `json:"name"`
	State    string    `json:"state"` // done, undone or dropped
	Author   string    `json:"author"`
	At       time.Time `json:"at"`
}

// OpenReel is a reel at a revision. Reel must not be changed.
type OpenReel struct {
	ReelInfo
	Reel *reel.Reel
}

// cachedReel saves replaying for a reel that this process has seen. The database stays what counts: the cache is used
// only at the revision that the row has.
type cachedReel struct {
	revision int64
	state    *reel.Reel
	used     time.Time
}

// A reel that nobody has asked for in so long is let go, where there are more than so many.
const (
	letGoAfter = 10 * time.Minute
	fewReels   = 8
)

// Reels lists the reels of a production by name.
func (s *Store) Reels(ctx context.Context, production string) ([]ReelInfo, error) {
	rows, err := s.Pool.Query(ctx, `select id::text, production_id::text, name, revision, created_at from reels where production_id = $1
		order by name`, production)
	if err != nil {
		return nil, notFound(err, "production")
	}
	list, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (r ReelInfo, err error) {
		err = row.Scan(&r.ID, &r.Production, &r.Name, &r.Revision, &r.CreatedAt)
		return r, err
	})
	return list, notFound(err, "production")
}

// CreateReel makes an empty reel, as Begin has it.
func (s *Store) CreateReel(ctx context.Context, p Production, name string, start *int64) (string, error) {
	o, err := s.CreateReelOf(ctx, p, name, start, "", nil)
	return o.ID, err
}

// CreateReelOf makes a reel, as Begin has it, and its first step, both or neither.
func (s *Store) CreateReelOf(ctx context.Context, p Production, name string, start *int64, author string, first reel.Command) (o OpenReel,
	err error) {
	name = strings.TrimSpace(name)
	if name == "" || len([]rune(name)) > 100 {
		return o, fault.New(fault.BadInput, "A reel needs a name of 1 to 100 characters")
	}
	fresh, err := s.Begin(ctx, p, name, start)
	if err != nil {
		return o, err
	}
	err = pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		id, err := Once(ctx, tx, func() (id string, err error) {
			if err := tx.QueryRow(ctx, "insert into reels (production_id, name) values ($1, $2) returning id::text", p.ID,
				name).Scan(&id); err != nil {
				return "", err
			}
			if _, err := tx.Exec(ctx, "insert into reel_snapshots (reel_id, revision, state) values ($1, 0, $2)", id,
				fresh); err != nil || first == nil {
				return id, err
			}
			_, err = s.editIn(ctx, tx, id, "", doing(ctx, Claim{}, "", 0, author, func(*reel.Reel) (reel.Command, error) { return first, nil }))
			return id, err
		})
		if err == nil {
			o, err = s.open(ctx, tx, id, "")
		}
		return err
	})
	if codeOf(err) == uniqueViolation {
		return o, fault.New(fault.BadInput, "This production has a reel called %s already; choose another name", name)
	}
	return o, err
}

// RemoveReel removes a reel with its history and prints, in a transaction of the caller's, and gives the queue's numbers
// of prints that went on. Whoever makes them has lost them.
func (s *Store) RemoveReel(ctx context.Context, tx pgx.Tx, id string) (jobs []int64, err error) {
	rows, err := tx.Query(ctx, "delete from work where id in (select id from prints where reel_id = $1) returning job_id", id)
	if err != nil {
		return nil, notFound(err, "reel")
	}
	found, err := pgx.CollectRows(rows, pgx.RowTo[*int64])
	if err != nil {
		return nil, notFound(err, "reel")
	}
	for _, job := range found {
		if job != nil {
			jobs = append(jobs, *job)
		}
	}
	tag, err := tx.Exec(ctx, "delete from reels where id = $1", id)
	if err == nil && tag.RowsAffected() == 0 {
		err = pgx.ErrNoRows
	}
	return jobs, notFound(err, "reel")
}

// Reel opens a reel as it is now.
func (s *Store) Reel(ctx context.Context, id string) (o OpenReel, err error) {
	err = pgx.BeginTxFunc(ctx, s.Pool, pgx.TxOptions{IsoLevel: pgx.RepeatableRead, AccessMode: pgx.ReadOnly}, func(tx pgx.Tx) error {
		o, err = s.open(ctx, tx, id, "")
		return err
	})
	return o, err
}

// Do plans a command on the reel as it is and makes its change. revision is what the caller has seen. Where others have
// changed the reel since, the command is made all the same unless it would change something that they changed too: that
// is Stale, says who did what, and changes nothing. A command that changes nothing gives the reel as it is.
func (s *Store) Do(ctx context.Context, id string, revision int64, author string, plan func(*reel.Reel) (reel.Command, error)) (OpenReel,
	error) {
	return s.do(ctx, Claim{}, "", id, revision, author, plan)
}

// DoOnce is Do for a request with a key of its own. Made again, it changes nothing and gives the reel as it is.
func (s *Store) DoOnce(ctx context.Context, key, id string, revision int64, author string,
	plan func(*reel.Reel) (reel.Command, error)) (OpenReel, error) {
	return s.do(ctx, Claim{}, key, id, revision, author, plan)
}

// DoUnder is Do under the claim of the work that does it.
func (s *Store) DoUnder(ctx context.Context, c Claim, id string, revision int64, author string,
	plan func(*reel.Reel) (reel.Command, error)) (OpenReel, error) {
	return s.do(ctx, c, "", id, revision, author, plan)
}

func (s *Store) do(ctx context.Context, c Claim, key, id string, revision int64, author string,
	plan func(*reel.Reel) (reel.Command, error)) (OpenReel, error) {
	return s.edit(ctx, id, key, doing(ctx, c, key, revision, author, plan))
}

// doing plans a command on the reel as it is.
func doing(ctx context.Context, c Claim, key string, revision int64, author string, plan func(*reel.Reel) (reel.Command, error)) planned {
	return func(tx pgx.Tx, o OpenReel, k *knownTakes) (step, error) {
		if c != (Claim{}) {
			if err := c.hold(ctx, tx); err != nil {
				return step{}, err
			}
		}
		command, err := plan(o.Reel)
		if err != nil {
			return step{}, err
		}
		change, name, err := command.Plan(o.Reel.Under(key), k)
		if err != nil || change.Empty() {
			return step{}, err
		}
		if err := conflict(ctx, tx, o, key, revision, change, reel.ByOrder(command)); err != nil {
			return step{}, err
		}
		_, err = tx.Exec(ctx, "update reel_log set state = 'dropped' where reel_id = $1 and kind = 'do' and state = 'undone' and author = $2",
			o.ID,
			author)
		return step{kind: "do", name: name, change: change, author: author}, err
	}
}

// conflict is Stale where a change meets one that was made after a revision, or names rows by an order that tracks do not
// stand in any more. Who sends edits one after another knows of those before, whose keys are the same up to their last full stop.
func conflict(ctx context.Context, tx pgx.Tx, o OpenReel, key string, revision int64, change reel.Change, byOrder bool) error {
	if o.Revision == revision {
		return nil
	}
	own := ""
	if end := strings.LastIndexByte(key, '.'); end > 0 {
		own = key[:end+1]
	}
	rows, err := tx.Query(ctx, `select author, name, change from reel_log where reel_id = $1 and revision > $2
		and ($3 = '' or key is null or not starts_with(key, $3)) order by revision`, o.ID, revision, own)
	if err != nil {
		return err
	}
	type later struct {
		Author, Name string
		Change       reel.Change
	}
	others, err := pgx.CollectRows(rows, pgx.RowToStructByPos[later])
	if err != nil {
		return err
	}
	for _, l := range others {
		if byOrder && l.Change.Reorders() {
			return stale(o.Revision, "%s has changed the order of the tracks in the meantime (%s), so it is not sure which row was meant. Your edit was not made; look at it and do it once more", l.Author, l.Name)
		}
		if change.Meets(l.Change) {
			return stale(o.Revision, "%s has changed the same in the meantime (%s). Your edit was not made; look at it and do it once more",
				l.Author, l.Name)
		}
	}
	return nil
}

// step is what edit writes to the log; an empty kind means nothing.
type step struct {
	kind, name, author string
	change             reel.Change
	of                 *int64
}

// Done tells whether the request of a key has changed a reel.
func (s *Store) Done(ctx context.Context, id, key string) (bool, error) {
	done, err := done(ctx, s.Pool, id, key)
	return done, notFound(err, "reel")
}

func done(ctx context.Context, q querier, id, key string) (done bool, err error) {
	if key == "" {
		return false, nil
	}
	var digest string
	err = q.QueryRow(ctx, "select digest from reel_log where reel_id = $1 and key = $2", id, key).Scan(&digest)
	if errors.Is(err, pgx.ErrNoRows) {
		return false, nil
	}
	if r := RequestOf(ctx); err == nil && r != nil && digest != "" && digest != r.Digest {
		err = errOtherRequest
	}
	return err == nil, err
}

// planned gives a step for a reel as it is.
type planned func(pgx.Tx, OpenReel, *knownTakes) (step, error)

// edit makes one step in one transaction, unless the request of its key has made it before.
func (s *Store) edit(ctx context.Context, id, key string, work planned) (result OpenReel, err error) {
	err = pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		result, err = s.editIn(ctx, tx, id, key, work)
		return err
	})
	if err == nil {
		s.keep(id, result.Revision, as(result.Reel, nil))
	}
	return result, err
}

// editIn is edit in a transaction of the caller's.
func (s *Store) editIn(ctx context.Context, tx pgx.Tx, id, key string, work planned) (OpenReel, error) {
	o, err := s.open(ctx, tx, id, "for update")
	if err != nil {
		return o, err
	}
	if r := RequestOf(ctx); r != nil && key != "" {
		r.known = true
	}
	if before, err := done(ctx, tx, id, key); err != nil || before {
		return o, err
	}
	k := knownIn(ctx, tx, o.Production)
	st, err := work(tx, o, k)
	if err != nil || st.kind == "" {
		return o, err
	}
	if err := use(ctx, tx, o, st.change, k); err != nil {
		return o, err
	}
	next, err := o.Reel.With(st.change, k)
	if err != nil {
		return o, err
	}
	revision, digest := o.Revision+1, ""
	if r := RequestOf(ctx); r != nil {
		digest = r.Digest
	}
	if _, err := tx.Exec(ctx, `insert into reel_log (reel_id, revision, kind, name, change, of, author, key, digest) values ($1, $2, $3, $4, $5, $6,
		$7, nullif($8, ''), $9)`, id, revision, st.kind, st.name, st.change, st.of, st.author, key, digest); err != nil {
		return o, err
	}
	if _, err := tx.Exec(ctx, "update reels set revision = $2, name = $3 where id = $1", id, revision,
		next.Head.Name); codeOf(err) == uniqueViolation {
		return o, fault.New(fault.BadInput, "This production has a reel called %s already; choose another name", next.Head.Name)
	} else if err != nil {
		return o, err
	}
	if revision%snapshotEvery == 0 {
		if _, err := tx.Exec(ctx, "insert into reel_snapshots (reel_id, revision, state) values ($1, $2, $3)", id, revision,
			as(next, nil)); err != nil {
			return o, err
		}
	}
	o.Reel, o.Revision, o.Name = next, revision, next.Head.Name
	_, err = tx.Exec(ctx, "select pg_notify($1, $2)", changedChannel, fmt.Sprintf("reel %s %d", id, revision))
	return o, err
}

// use notes what a reel refers to, for good, as its history may bring it back. Takes that are not there, or not of its
// production, are NotFound.
func use(ctx context.Context, tx pgx.Tx, o OpenReel, change reel.Change, k *knownTakes) error {
	takes := change.Takes()
	if len(takes) == 0 {
		return nil
	}
	_, err := tx.Exec(ctx, "insert into reel_uses (reel_id, production_id, take_id) select $1, $2, unnest($3::uuid[]) on conflict do nothing",
		o.ID, o.Production, takes)
	if brokenReference(err) != "" || codeOf(err) == invalidText {
		return fault.New(fault.NotFound, "A take that this needs is not in the production; it may have been removed")
	}
	if err != nil {
		return err
	}
	return k.load(takes)
}

func (s *Store) keep(id string, revision int64, state *reel.Reel) {
	s.mu.Lock()
	defer s.mu.Unlock()
	now := time.Now()
	if c := s.reels[id]; c == nil || c.revision < revision {
		s.reels[id] = &cachedReel{revision, state, now}
	}
	if len(s.reels) > fewReels {
		maps.DeleteFunc(s.reels, func(_ string, c *cachedReel) bool { return now.Sub(c.used) > letGoAfter })
	}
}

// open reads a reel in a transaction, with what its takes are treated with.
func (s *Store) open(ctx context.Context, tx pgx.Tx, id, lock string) (OpenReel, error) {
	o, err := s.openPlain(ctx, tx, id, lock)
	if err != nil {
		return o, err
	}
	treatments, err := s.treatmentsIn(ctx, tx, o.Production)
	if err == nil {
		o.Reel = as(o.Reel, treatments)
	}
	return o, err
}

// openPlain reads a reel by itself: the cache, or the newest snapshot, and the changes since.
func (s *Store) openPlain(ctx context.Context, tx pgx.Tx, id, lock string) (o OpenReel, err error) {
	if err := tx.QueryRow(ctx, "select id::text, production_id::text, name, revision, created_at from reels where id = $1 "+lock,
		id).Scan(&o.ID, &o.Production, &o.Name, &o.Revision, &o.CreatedAt); err != nil {
		return o, notFound(err, "reel")
	}
	s.mu.Lock()
	c := s.reels[id]
	if c != nil {
		c.used = time.Now()
	}
	s.mu.Unlock()
	var from int64
	switch {
	case c != nil && c.revision == o.Revision:
		o.Reel = c.state
		return o, nil
	case c != nil && c.revision < o.Revision && o.Revision-c.revision < snapshotEvery:
		from = c.revision
		o.Reel = c.state.Clone()
	default:
		o.Reel = &reel.Reel{}
		err = tx.QueryRow(ctx, "select revision, state from reel_snapshots where reel_id = $1 order by revision desc limit 1",
			id).Scan(&from,
			o.Reel)
	}
	if err != nil {
		return o, err
	}
	if err = replayed(ctx, tx, &o, from); err == nil {
		s.keep(id, o.Revision, o.Reel)
	}
	return o, err
}

// replayed brings a reel from a revision to its own.
func replayed(ctx context.Context, tx pgx.Tx, o *OpenReel, from int64) error {
	rows, err := tx.Query(ctx, "select change from reel_log where reel_id = $1 and revision > $2 and revision <= $3 order by revision", o.ID, from,
		o.Revision)
	if err != nil {
		return err
	}
	changes, err := pgx.CollectRows(rows, pgx.RowTo[reel.Change])
	if err != nil {
		return err
	}
	for _, change := range changes {
		if err := o.Reel.Replay(change); err != nil {
			return fault.Wrap(fault.Damaged, err, "The history of %s does not fit together", o.Name)
		}
	}
	return nil
}

// ReelAt gives a reel as it was at a revision, with what its takes are treated with now.
func (s *Store) ReelAt(ctx context.Context, id string, revision int64) (o OpenReel, err error) {
	err = pgx.BeginTxFunc(ctx, s.Pool, pgx.TxOptions{IsoLevel: pgx.RepeatableRead, AccessMode: pgx.ReadOnly}, func(tx pgx.Tx) error {
		now := int64(0)
		if err := tx.QueryRow(ctx, "select id::text, production_id::text, name, revision, created_at from reels where id = $1", id).Scan(&o.ID,
			&o.Production, &o.Name, &now, &o.CreatedAt); err != nil {
			return notFound(err, "reel")
		}
		if revision < 0 || revision > now {
			return fault.New(fault.NotFound, "%s has never been at step %d", o.Name, revision)
		}
		var from int64
		o.Revision, o.Reel = revision, &reel.Reel{}
		if err := tx.QueryRow(ctx, "select revision, state from reel_snapshots where reel_id = $1 and revision <= $2 order by revision desc limit 1",
			id, revision).Scan(&from, o.Reel); err != nil {
			return err
		}
		if err := replayed(ctx, tx, &o, from); err != nil {
			return err
		}
		treatments, err := s.treatmentsIn(ctx, tx, o.Production)
		o.Reel = as(o.Reel, treatments)
		return err
	})
	return o, err
}

// Touched gives what was changed after a revision up to another. known is false where that is more than is worth
// telling one by one.
func (s *Store) Touched(ctx context.Context, id string, after, upTo int64) (t reel.Touched, known bool, err error) {
	const most = 200
	if after < 0 || after > upTo || upTo-after > most {
		return t, false, nil
	}
	rows, err := s.Pool.Query(ctx, "select change from reel_log where reel_id = $1 and revision > $2 and revision <= $3", id, after, upTo)
	if err != nil {
		return t, false, notFound(err, "reel")
	}
	changes, err := pgx.CollectRows(rows, pgx.RowTo[reel.Change])
	return reel.TouchedBy(changes...), err == nil, notFound(err, "reel")
}

// RevisedAt gives when a reel came to a revision, in UTC.
func (s *Store) RevisedAt(ctx context.Context, id string, revision int64) (at time.Time, err error) {
	err = s.Pool.QueryRow(ctx, `select coalesce((select at from reel_log where reel_id = $1 and revision = $2), (select created_at from reels
		where id = $1))`, id, revision).Scan(&at)
	return at.UTC(), notFound(err, "reel")
}

// History lists the newest steps of a reel before a revision first.
func (s *Store) History(ctx context.Context, id string, before int64, limit int) ([]Step, error) {
	rows, err := s.Pool.Query(ctx, `select revision, kind, name, state, author, at from reel_log where reel_id = $1 and revision < $2
		order by revision desc limit $3`, id, before, limit)
	if err != nil {
		return nil, notFound(err, "reel")
	}
	steps, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (st Step, err error) {
		err = row.Scan(&st.Revision, &st.Kind, &st.Name, &st.State, &st.Author, &st.At)
		return st, err
	})
	return steps, notFound(err, "reel")
}
