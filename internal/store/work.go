package store

import (
	"context"
	"encoding/json"
	"errors"
	"path"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"zestyloom/core/chain"
	"zestyloom/core/delivery"
	"zestyloom/core/desk"
	"zestyloom/core/fault"
	"zestyloom/core/reel"
)

// Work is long work as the user sees it.
type Work struct {
	ID         string          `json:"id"`
	Production string          `json:"production"`
	Kind       string          `json:"kind"` // import, print, unravel, ply, sync, convert or diagnose
	Title      string          `json:"title"`
	State      string          `json:"state"`    // arriving, queued, running, done, failed or cancelled
	Progress   float64         `json:"progress"` // 0 to 1
	Message    string          `json:"message"`  // why it failed, or what to know
	Size       int64           `json:"size"`     // in bytes, of the file that is on its way; 0 where it is none
	Result     *string         `json:"result"`   // ID of the take that came of an import
	Offer      string          `json:"offer"`    // again: the file is in the production already, and can be taken in all the same
	Report     []Outcome       `json:"report"`   // of work on several takes: what became of each, as far as it is done
	Args       json.RawMessage `json:"-"`
	Job        *int64          `json:"-"`
	Attempts   int             `json:"-"` // that were made and did not come to an end
	CreatedAt  time.Time       `json:"createdAt"`
}

// Outcome is what became of one take.
type Outcome struct {
	Take    string        `json:"take"`
	Title   string        `json:"title"`
	OK      bool          `json:"ok"`
	Message string        `json:"message"`          // why it could not be done, or what to know
	Files   []WrittenFile `json:"files"`            // that were written
	Folder  string        `json:"folder,omitempty"` // key of the folder that they lie in
}

// WrittenFile is a file that work wrote.
type WrittenFile struct {
	Name   string   `json:"name"`
	Size   int64    `json:"size"`
	Tracks []string `json:"tracks"` // names of its channels
}

const workFields = `id::text, production_id::text, kind, title, state, progress, message, coalesce((args->>'size')::bigint, 0), result::text, offer, coalesce(report, '[]'), args, job_id, attempts, created_at `

const workColumns = "select " + workFields + "from work "

func scanWork(row pgx.CollectableRow) (w Work, err error) {
	err = row.Scan(&w.ID, &w.Production, &w.Kind, &w.Title, &w.State, &w.Progress, &w.Message, &w.Size, &w.Result, &w.Offer, &w.Report, &w.Args,
		&w.Job,
		&w.Attempts, &w.CreatedAt)
	return w, err
}

// Page is a part of a list whose newest come first.
type Page struct {
	Limit  int
	Before time.Time // only what is older
}

// WorkList gives the newest work of a production first, without reports, which may be long.
func (s *Store) WorkList(ctx context.Context, production string, p Page) ([]Work, error) {
	rows, err := s.Pool.Query(ctx, "select "+strings.Replace(workFields, "coalesce(report, '[]')", "'[]'::jsonb", 1)+
		"from work where production_id = $1 and created_at < $2 order by created_at desc limit $3", production, p.Before, p.Limit)
	if err != nil {
		return nil, notFound(err, "production")
	}
	list, err := pgx.CollectRows(rows, scanWork)
	return list, notFound(err, "production")
}

// Work finds one by its ID.
func (s *Store) Work(ctx context.Context, id string) (Work, error) {
	rows, err := s.Pool.Query(ctx, workColumns+"where id = $1", id)
	if err != nil {
		return Work{}, notFound(err, "work")
	}
	w, err := pgx.CollectExactlyOneRow(rows, scanWork)
	return w, notFound(err, "work")
}

// AddWork stores work that has been asked for, in a transaction of the caller's.
func (s *Store) AddWork(ctx context.Context, tx pgx.Tx, production, kind, title string, args any) (id string, err error) {
	err = tx.QueryRow(ctx, "insert into work (production_id, kind, title, args) values ($1, $2, $3, $4) returning id::text", production,
		kind,
		title, args).Scan(&id)
	return id, err
}

// WorkOn notes what a piece of work is about.
func (s *Store) WorkOn(ctx context.Context, tx pgx.Tx, id, about string) error {
	_, err := tx.Exec(ctx, "update work set result = $2 where id = $1", id, about)
	return err
}

// KindOf is the kind of a piece of work.
func (s *Store) KindOf(ctx context.Context, tx pgx.Tx, id string) (kind string, err error) {
	err = tx.QueryRow(ctx, "select kind from work where id = $1", id).Scan(&kind)
	return kind, notFound(err, "work")
}

// SetJob notes the queue's number of a piece of work that waits.
func (s *Store) SetJob(ctx context.Context, tx pgx.Tx, id string, job int64) error {
	_, err := tx.Exec(ctx, "update work set job_id = $2, updated_at = now() where id = $1", id, job)
	return err
}

// Claim is the right to do a piece of work and to write what becomes of it. It is lost when the work is cancelled, or
// when the process was taken for dead.
type Claim struct{ Work, Token string }

// ErrLost is what writing under a claim gives that has been lost. Nothing is written.
var ErrLost = errors.New("the claim to this work has been lost")

// ClaimWork takes work that waits: the print whose turn it is where a print is meant, since any print that waits is as good. ok is
// false where none waits, or not any more.
func (s *Store) ClaimWork(ctx context.Context, c Claim, worker string) (w Work, ok bool, err error) {
	rows, err := s.Pool.Query(ctx, `update work set state = 'running', claim = $2, worker = $3, attempts = attempts + 1, progress = 0,
		message = '', updated_at = now()
		where id = coalesce((select next.id from work meant join work next on next.kind = 'print' and next.state = 'queued'
			where meant.id = $1 and meant.kind = 'print' and next.turn < 'infinity' order by next.turn, next.id limit 1 for update of next skip locked), $1)
		and state = 'queued' and turn < 'infinity' returning `+workFields, c.Work, c.Token, worker)
	if err != nil {
		return w, false, err
	}
	w, err = pgx.CollectExactlyOneRow(rows, scanWork)
	if errors.Is(err, pgx.ErrNoRows) {
		return w, false, nil
	}
	return w, err == nil, err
}

// hold keeps a claim from being lost until the transaction ends.
func (c Claim) hold(ctx context.Context, tx pgx.Tx) error {
	var held bool
	err := tx.QueryRow(ctx, "select true from work where id = $1 and claim::text = $2 and state = 'running' for share", c.Work,
		c.Token).Scan(&held)
	return lost(err)
}

func lost(err error) error {
	if errors.Is(err, pgx.ErrNoRows) {
		return ErrLost
	}
	return err
}

// under changes the row of claimed work; set is what comes after "update work set", its arguments from $3 on.
func (s *Store) under(ctx context.Context, c Claim, set string, args ...any) error {
	tag, err := s.Pool.Exec(ctx, "update work set "+set+", updated_at = now() where id = $1 and claim::text = $2 and state = 'running'",
		append([]any{c.Work, c.Token}, args...)...)
	if err == nil && tag.RowsAffected() == 0 {
		return ErrLost
	}
	return err
}

// SetProgress notes how far work is, 0 to 1.
func (s *Store) SetProgress(ctx context.Context, c Claim, progress float64) error {
	return s.under(ctx, c, "progress = $3", progress)
}

// SetOutcomes stores what has become of the takes that work is about.
func (s *Store) SetOutcomes(ctx context.Context, c Claim, report []Outcome) error {
	return s.under(ctx, c, "report = $3", report)
}

// End is how work ended.
type End struct {
	State   string // done or failed
	Message string
	Result  *string
	Offer   string
}

// EndWork notes how work ended.
func (s *Store) EndWork(ctx context.Context, c Claim, e End) error {
	return s.under(ctx, c, "state = $3, message = $4, result = coalesce($5, case when kind = 'deliver' then result end), offer = $6, progress = case when $3 = 'done' then 1 else progress end, claim = null, worker = null, attempts = 0",
		e.State, e.Message, e.Result, e.Offer)
}

// ReleaseWork gives claimed work back as if it had not been begun.
func (s *Store) ReleaseWork(ctx context.Context, c Claim) error {
	return s.under(ctx, c, "state = 'queued', claim = null, worker = null, attempts = attempts - 1")
}

// RepeatWork puts claimed work back to be tried again; what was tried counts.
func (s *Store) RepeatWork(ctx context.Context, c Claim) error {
	return s.under(ctx, c, "state = 'queued', claim = null, worker = null")
}

// CancelWork ends work that waits, arrives or runs, and gives the queue's number of it. Whoever does it has lost it.
func (s *Store) CancelWork(ctx context.Context, tx pgx.Tx, id string) (job *int64, err error) {
	err = tx.QueryRow(ctx, `update work set state = 'cancelled', message = 'Stopped', claim = null, worker = null, updated_at = now()
		where id = $1 and state in ('arriving', 'queued', 'running') returning job_id`, id).Scan(&job)
	return job, notIn(ctx, tx, id, err, "This work has ended already")
}

// RemoveWork forgets work, with the print that it made, and gives the queue's number of it. Whoever does it has lost it.
func (s *Store) RemoveWork(ctx context.Context, tx pgx.Tx, id string) (job *int64, err error) {
	err = tx.QueryRow(ctx, "delete from work where id = $1 returning job_id", id).Scan(&job)
	return job, notFound(err, "work")
}

// RetryWork has work wait again that failed or was cancelled. What args says of another way to do it is added.
func (s *Store) RetryWork(ctx context.Context, tx pgx.Tx, id string, args map[string]any) error {
	if args == nil {
		args = map[string]any{}
	}
	err := tx.QueryRow(ctx, `update work set state = 'queued', progress = 0, message = '', attempts = 0, args = args || $2, updated_at = now(),
		offer = ''
		 where id = $1 and (state in ('failed', 'cancelled') or state = 'done' and offer <> '') returning id::text`, id, args).Scan(&id)
	return notIn(ctx, tx, id, err, "Only work that failed or was stopped can be tried again")
}

// notIn explains that a piece of work was not in a state: there is none, or the sentence.
func notIn(ctx context.Context, q querier, id string, err error, sentence string) error {
	if !errors.Is(err, pgx.ErrNoRows) {
		return notFound(err, "work")
	}
	if err := q.QueryRow(ctx, "select id::text from work where id = $1", id).Scan(&id); err != nil {
		return notFound(err, "work")
	}
	return fault.New(fault.BadInput, "%s", sentence)
}

// AddArriving stores work whose file is on its way.
func (s *Store) AddArriving(ctx context.Context, id, production, title string, args any) error {
	_, err := s.Pool.Exec(ctx, "insert into work (id, production_id, kind, title, state, args) values ($1, $2, 'import', $3, 'arriving', $4)",
		id, production, title, args)
	if brokenReference(err) != "" {
		err = pgx.ErrNoRows
	}
	return notFound(err, "production")
}

// RemoveArriving forgets work whose file will not come. It is refused where the file is there and being taken in.
func (s *Store) RemoveArriving(ctx context.Context, id string) error {
	if _, err := s.Pool.Exec(ctx, "delete from work where id = $1 and state in ('arriving', 'done', 'failed', 'cancelled')",
		id); err != nil {
		return notFound(err, "upload")
	}
	if _, err := s.Work(ctx, id); err == nil {
		return fault.New(fault.BadInput, "The file has arrived and is being taken in; stop that instead")
	}
	return nil
}

// SetTurn has a print that waits come before another that waits, or after all where that is empty. All that wait are numbered anew, so
// that there is always room between two; who is queued later comes after them, by the clock.
func (s *Store) SetTurn(ctx context.Context, id, before string) error {
	return pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, `select id::text from work where kind = 'print' and state = 'queued' and (turn < 'infinity' or id = $1)
			order by turn, created_at, id for no key update`, id)
		if err != nil {
			return notFound(err, "work")
		}
		order, err := pgx.CollectRows(rows, pgx.RowTo[string])
		if err != nil {
			return notFound(err, "work")
		}
		from, to := slices.Index(order, id), len(order)-1
		if from >= 0 {
			order = slices.Delete(order, from, from+1)
		}
		if before != "" {
			to = slices.Index(order, before)
		}
		if from < 0 || to < 0 {
			return fault.New(fault.Stale, "One of these prints does not wait any more; look at the queue again")
		}
		_, err = tx.Exec(ctx, `update work set turn = n, updated_at = now() from unnest($1::uuid[]) with ordinality o (id, n) where work.id = o.id`,
			slices.Insert(order, to, id))
		return err
	})
}

// Hold keeps a print from being begun, or from going on, until it is given a turn again. Whoever does it has lost it.
func (s *Store) Hold(ctx context.Context, id string) error {
	tag, err := s.Pool.Exec(ctx, `update work set turn = 'infinity', state = 'queued', claim = null, worker = null, attempts = 0, updated_at = now()
		where id = $1 and kind = 'print' and state in ('queued', 'running')`, id)
	if err != nil {
		return notFound(err, "work")
	}
	if tag.RowsAffected() == 0 {
		return fault.New(fault.Stale, "This print is over; look at the queue again")
	}
	return nil
}

// PrintQueue gives the prints of a production that wait or run, in their turn, and those that failed or were stopped lately.
func (s *Store) PrintQueue(ctx context.Context, production string) ([]Queued, error) {
	rows, err := s.Pool.Query(ctx, `select w.id::text, p.reel_id::text, w.title, w.state, w.progress, w.message, w.turn = 'infinity',
		w.updated_at from work w join prints p on p.id = w.id
		where w.production_id = $1 and (w.state in ('queued', 'running') or w.state in ('failed', 'cancelled') and w.updated_at > now() - interval '1 day')
		order by case w.state when 'running' then 0 when 'queued' then 1 else 2 end, case when w.state = 'queued' then w.turn end, w.updated_at desc, w.id limit 200`, production)
	if err != nil {
		return nil, notFound(err, "production")
	}
	list, err := pgx.CollectRows(rows, pgx.RowToStructByPos[Queued])
	if list == nil {
		list = []Queued{}
	}
	return list, notFound(err, "production")
}

// Queued is a print in the queue.
type Queued struct {
	ID        string    `json:"id"`
	Reel      string    `json:"reel"`
	Title     string    `json:"title"`
	State     string    `json:"state"`
	Progress  float64   `json:"progress"`
	Message   string    `json:"message"`
	Held      bool      `json:"held"` // it waits until it is given a turn
	UpdatedAt time.Time `json:"updatedAt"`
}

// Arrived has work wait whose file is there. ok is false where it did so already, or is gone.
func (s *Store) Arrived(ctx context.Context, tx pgx.Tx, id string) (ok bool, err error) {
	tag, err := tx.Exec(ctx, "update work set state = 'queued', updated_at = now() where id = $1 and state = 'arriving'", id)
	return tag.RowsAffected() == 1, err
}

// Arriving gives the IDs of work whose file is on its way.
func (s *Store) Arriving(ctx context.Context) ([]string, error) {
	return s.ids(ctx, "select id::text from work where state = 'arriving'")
}

// Waiting gives work that waits, with the queue's number of it.
func (s *Store) Waiting(ctx context.Context) ([]Freed, error) {
	rows, err := s.Pool.Query(ctx, "select id::text, job_id from work where state = 'queued' and turn < 'infinity'")
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Freed])
}

// StillWaits tells whether work waits with the queue's number as it was, and keeps that so until the transaction ends.
func (s *Store) StillWaits(ctx context.Context, tx pgx.Tx, f Freed) (waits bool, err error) {
	err = tx.QueryRow(ctx, "select true from work where id = $1 and state = 'queued' and job_id is not distinct from $2 for update", f.ID,
		f.Job).Scan(&waits)
	if errors.Is(err, pgx.ErrNoRows) {
		return false, nil
	}
	return waits, err
}

func (s *Store) ids(ctx context.Context, query string, args ...any) ([]string, error) {
	rows, err := s.Pool.Query(ctx, query, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

// CountWork gives how much work there is in each state that is not an end, and how much has failed.
func (s *Store) CountWork(ctx context.Context) (map[string]int, error) {
	rows, err := s.Pool.Query(ctx, "select state, count(*) from work where state in ('arriving', 'queued', 'running', 'failed') group by state")
	if err != nil {
		return nil, err
	}
	counts := map[string]int{"arriving": 0, "queued": 0, "running": 0, "failed": 0}
	var state string
	var n int
	_, err = pgx.ForEachRow(rows, []any{&state, &n}, func() error { counts[state] = n; return nil })
	return counts, err
}

// OpenImports counts the imports of a production that are not done.
func (s *Store) OpenImports(ctx context.Context, production string) (n int, err error) {
	err = s.Pool.QueryRow(ctx, "select count(*) from work where production_id = $1 and kind = 'import' and state in ('queued', 'running')",
		production).Scan(&n)
	return n, err
}

// Needed are the folders of media that rows name, or that work which goes on may be about to name.
type Needed struct {
	folders map[string]bool // that are named
	claims  []string        // tokens; what is called after one belongs to its attempt
}

// GoingOn gives the IDs of work of a kind that waits or is under way.
func (s *Store) GoingOn(ctx context.Context, kind string) (map[string]bool, error) {
	ids, err := s.ids(ctx, "select id::text from work where kind = $1 and state in ('queued', 'running')", kind)
	going := map[string]bool{}
	for _, id := range ids {
		going[id] = true
	}
	return going, err
}

// Named is what rows name of media and uploads.
type Named struct {
	Folders []string // of media
	Uploads []string // IDs of uploads that have arrived and wait to be taken in
}

// namedFolders are the folders of media that rows name, but for what can be made again.
const namedFolders = `select media_key from takes where media_key <> '' union select folder from prints where folder <> ''
		union select folder from receipts
		union select regexp_replace(args->>'media', '/[^/]*$', '') from work where state in ('queued', 'running') and args->>'media' <> ''
		union select o->>'folder' from work, jsonb_array_elements(coalesce(report, '[]')) o where coalesce(o->>'folder', '') <> ''`

// NamedMedia gives what rows name.
func NamedMedia(ctx context.Context, tx pgx.Tx) (n Named, err error) {
	for query, to := range map[string]*[]string{namedFolders: &n.Folders,
		"select args->>'upload' from work where state in ('queued', 'running') and args->>'upload' <> ''": &n.Uploads} {
		rows, err := tx.Query(ctx, query)
		if err != nil {
			return n, err
		}
		if *to, err = pgx.CollectRows(rows, pgx.RowTo[string]); err != nil {
			return n, err
		}
	}
	return n, nil
}

// NeededMedia gives the folders of media that something needs.
func (s *Store) NeededMedia(ctx context.Context) (n Needed, err error) {
	// The claims come first: an attempt that ends in between has its row by then.
	// What is received is staged under the ID of the process that receives it.
	if n.claims, err = s.ids(ctx, "select claim::text from work where state = 'running' and claim is not null union select id::text from workers"); err != nil {
		return n, err
	}
	folders, err := s.ids(ctx, namedFolders+" union select 'kept/' || id from prints where report is null")
	n.folders = map[string]bool{}
	for _, f := range folders {
		n.folders[f] = true
	}
	return n, err
}

// Needs tells whether the folder of an attempt may not be removed: it is named, or lies in what is (batches of before
// there were attempts), or the attempt goes on.
func (n Needed) Needs(key string) bool {
	return n.folders[key] || n.folders[path.Dir(key)] ||
		slices.ContainsFunc(n.claims, func(token string) bool { return strings.Contains(key, token) })
}

// NeededUploads gives the IDs of uploads whose files something needs: work that is not done, or that somebody may want
// to try again for so long after it ended.
func (s *Store) NeededUploads(ctx context.Context, keep time.Duration) (map[string]bool, error) {
	ids, err := s.ids(ctx, `select args->>'upload' from work where kind = 'import' and args->>'upload' <> ''
		and (state in ('arriving', 'queued', 'running') or (state <> 'done' or offer <> '') and updated_at > now() - $1::interval)`, keep.String())
	needed := map[string]bool{}
	for _, id := range ids {
		needed[id] = true
	}
	return needed, err
}

// GiveUpArriving forgets work whose file has been on its way for longer than that.
func (s *Store) GiveUpArriving(ctx context.Context, after time.Duration) error {
	_, err := s.Pool.Exec(ctx, "delete from work where state = 'arriving' and updated_at < now() - $1::interval", after.String())
	return err
}

// PrintsOf counts a reel's prints by a spec.
func (s *Store) PrintsOf(ctx context.Context, reelID, spec string) (n int, err error) {
	err = s.Pool.QueryRow(ctx, "select count(*) from prints where reel_id = $1 and spec_id = $2", reelID, spec).Scan(&n)
	return n, notFound(err, "reel")
}

// Print is a delivery: its plan, and its report once it has been made.
type Print struct {
	ID        string           `json:"id"`
	Reel      string           `json:"reel"`
	Revision  int64            `json:"revision"`
	State     string           `json:"state"`
	Progress  float64          `json:"progress"`
	Message   string           `json:"message"`
	Plan      delivery.Plan    `json:"plan"`
	Report    *delivery.Report `json:"report"`
	Receipt   *desk.Receipt    `json:"receipt"` // what the desk says of it; nil for prints of before it did
	Folder    string           `json:"-"`       // key of the folder that its files lie in; empty until they do
	CreatedAt time.Time        `json:"createdAt"`
}

const printColumns = `select p.id::text, p.reel_id::text, p.revision, w.state, w.progress, w.message, p.plan, p.report, p.receipt, p.folder,
	p.created_at from prints p join work w on w.id = p.id `

func scanPrint(row pgx.CollectableRow) (p Print, err error) {
	err = row.Scan(&p.ID, &p.Reel, &p.Revision, &p.State, &p.Progress, &p.Message, &p.Plan, &p.Report, &p.Receipt, &p.Folder, &p.CreatedAt)
	return p, err
}

// ListedPrint is a print as a list shows it.
type ListedPrint struct {
	ID        string    `json:"id"`
	Reel      string    `json:"reel"`
	Revision  int64     `json:"revision"`
	State     string    `json:"state"`
	Progress  float64   `json:"progress"`
	Message   string    `json:"message"`
	Title     string    `json:"title"`  // of its spec
	Passed    *bool     `json:"passed"` // its check and, where it was asked, the desk; nil until there is a report
	CreatedAt time.Time `json:"createdAt"`
}

// Prints lists the prints of a reel, newest first.
func (s *Store) Prints(ctx context.Context, reelID string, p Page) ([]ListedPrint, error) {
	rows, err := s.Pool.Query(ctx, `select p.id::text, p.reel_id::text, p.revision, w.state, w.progress, w.message, p.title, p.passed, p.created_at
		from prints p join work w on w.id = p.id where p.reel_id = $1 and p.created_at < $2 order by p.created_at desc limit $3`, reelID, p.Before, p.Limit)
	if err != nil {
		return nil, notFound(err, "reel")
	}
	list, err := pgx.CollectRows(rows, pgx.RowToStructByPos[ListedPrint])
	return list, notFound(err, "reel")
}

// Print finds one by its ID.
func (s *Store) Print(ctx context.Context, id string) (Print, error) {
	rows, err := s.Pool.Query(ctx, printColumns+"where p.id = $1", id)
	if err != nil {
		return Print{}, notFound(err, "print")
	}
	p, err := pgx.CollectExactlyOneRow(rows, scanPrint)
	return p, notFound(err, "print")
}

// PrintsThatPassed lists prints of a reel that passed, at the desk too, as a program found that tells itself from others by a name;
// newest first, and no more than a few.
func (s *Store) PrintsThatPassed(ctx context.Context, reelID, program string) ([]Print, error) {
	rows, err := s.Pool.Query(ctx, printColumns+`where p.reel_id = $1 and p.checked_by = $2 and p.passed
		and p.verdict = 'accepted' and w.state = 'done' order by p.created_at desc limit 10`, reelID, program)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, scanPrint)
}

// AddPrint stores what a print will be, with the reel as it is to be printed.
func (s *Store) AddPrint(ctx context.Context, tx pgx.Tx, id, reelID string, revision int64, plan delivery.Plan, r *reel.Reel) error {
	heard := map[string][]chain.Treatment{}
	for _, take := range r.TakesHeard() {
		if list, there := r.Treatments[take]; there {
			heard[take] = list
		}
	}
	r = as(r, heard)
	_, err := tx.Exec(ctx, "insert into prints (id, reel_id, revision, plan, reel) values ($1, $2, $3, $4, $5)", id, reelID, revision, plan,
		r)
	return err
}

// PrintedReel gives the reel as it was when the print was asked for.
func (s *Store) PrintedReel(ctx context.Context, id string) (*reel.Reel, error) {
	r := &reel.Reel{}
	err := s.Pool.QueryRow(ctx, "select reel from prints where id = $1", id).Scan(r)
	return r, notFound(err, "print")
}

// SetReport stores where the files of a print lie, what their check found and what the desk says of them. made are those of them that may be taken again.
func (s *Store) SetReport(ctx context.Context, c Claim, folder string, report delivery.Report, receipt desk.Receipt, made []Made) error {
	return pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		if err := c.hold(ctx, tx); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, "delete from made where print_id = $1", c.Work); err != nil {
			return err
		}
		if err := addMade(ctx, tx, c.Work, made); err != nil {
			return err
		}
		_, err := tx.Exec(ctx, "update prints set folder = $2, report = $3, receipt = $4 where id = $1", c.Work, folder, report, receipt)
		return err
	})
}
