package store

import (
	"context"
	"encoding/json"
	"time"

	"github.com/jackc/pgx/v5"

	"zestyloom/core/delivery"
	"zestyloom/core/reel"
)

// Work is long work as the user sees it.
type Work struct {
	ID         string          `json:"id"`
	Production string          `json:"production"`
	Kind       string          `json:"kind"` // import, print, unravel, ply, sync, convert or diagnose
	Title      string          `json:"title"`
	State      string          `json:"state"`    // queued, running, done, failed or cancelled
	Progress   float64         `json:"progress"` // 0 to 1
	Message    string          `json:"message"`  // why it failed, or what to know
	Result     *string         `json:"result"`   // ID of the take that came of an import
	Report     []Outcome       `json:"report"`   // of work on several takes: what became of each, as far as it is done
	Args       json.RawMessage `json:"-"`
	Job        *int64          `json:"-"`
	CreatedAt  time.Time       `json:"createdAt"`
}

// Outcome is what became of one take.
type Outcome struct {
	Take    string        `json:"take"`
	Title   string        `json:"title"`
	OK      bool          `json:"ok"`
	Message string        `json:"message"` // why it could not be done, or what to know
	Files   []WrittenFile `json:"files"`   // that were written
}

// WrittenFile is a file that work wrote.
type WrittenFile struct {
	Name   string   `json:"name"`
	Size   int64    `json:"size"`
	Tracks []string `json:"tracks"` // names of its channels
}

const workColumns = `select id::text, production_id::text, kind, title, state, progress, message, result::text, coalesce(report, '[]'), args, job_id, created_at from work `

func scanWork(row pgx.CollectableRow) (w Work, err error) {
	err = row.Scan(&w.ID, &w.Production, &w.Kind, &w.Title, &w.State, &w.Progress, &w.Message, &w.Result, &w.Report, &w.Args, &w.Job, &w.CreatedAt)
	return w, err
}

// WorkList gives the newest work of a production first.
func (s *Store) WorkList(ctx context.Context, production string) ([]Work, error) {
	rows, err := s.Pool.Query(ctx, workColumns+"where production_id = $1 order by created_at desc limit 500", production)
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
	err = tx.QueryRow(ctx, "insert into work (production_id, kind, title, args) values ($1, $2, $3, $4) returning id::text", production, kind, title, args).Scan(&id)
	return id, err
}

// SetJob notes the queue's number of a piece of work and puts it back to the start.
func (s *Store) SetJob(ctx context.Context, tx pgx.Tx, id string, job int64) error {
	_, err := tx.Exec(ctx, "update work set job_id = $2, state = 'queued', progress = 0, message = '', updated_at = now() where id = $1", id, job)
	return err
}

// SetProgress notes how far running work is.
func (s *Store) SetProgress(ctx context.Context, id string, progress float64) error {
	_, err := s.Pool.Exec(ctx, "update work set state = 'running', progress = $2, updated_at = now() where id = $1 and state in ('queued', 'running')", id, progress)
	return err
}

// SetOutcomes stores what has become of the takes that work is about.
func (s *Store) SetOutcomes(ctx context.Context, id string, report []Outcome) error {
	_, err := s.Pool.Exec(ctx, "update work set report = $2 where id = $1", id, report)
	return err
}

// OpenImports counts the imports of a production that are not done.
func (s *Store) OpenImports(ctx context.Context, production string) (n int, err error) {
	err = s.Pool.QueryRow(ctx, "select count(*) from work where production_id = $1 and kind = 'import' and state in ('queued', 'running')", production).Scan(&n)
	return n, err
}

// EndWork notes how work ended. Work that was cancelled stays so.
func (s *Store) EndWork(ctx context.Context, id, state, message string, result *string) error {
	_, err := s.Pool.Exec(ctx, `update work set state = $2, message = $3, result = $4, progress = case when $2 = 'done' then 1 else progress end, updated_at = now()
		where id = $1 and state in ('queued', 'running')`, id, state, message, result)
	return err
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
	CreatedAt time.Time        `json:"createdAt"`
}

const printColumns = `select p.id::text, p.reel_id::text, p.revision, w.state, w.progress, w.message, p.plan, p.report, p.created_at from prints p join work w on w.id = p.id `

func scanPrint(row pgx.CollectableRow) (p Print, err error) {
	err = row.Scan(&p.ID, &p.Reel, &p.Revision, &p.State, &p.Progress, &p.Message, &p.Plan, &p.Report, &p.CreatedAt)
	return p, err
}

// Prints lists the prints of a reel, newest first.
func (s *Store) Prints(ctx context.Context, reelID string) ([]Print, error) {
	rows, err := s.Pool.Query(ctx, printColumns+"where p.reel_id = $1 order by p.created_at desc", reelID)
	if err != nil {
		return nil, notFound(err, "reel")
	}
	list, err := pgx.CollectRows(rows, scanPrint)
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

// AddPrint stores what a print will be, with the reel as it is to be printed.
func (s *Store) AddPrint(ctx context.Context, tx pgx.Tx, id, reelID string, revision int64, plan delivery.Plan, r *reel.Reel) error {
	_, err := tx.Exec(ctx, "insert into prints (id, reel_id, revision, plan, reel) values ($1, $2, $3, $4, $5)", id, reelID, revision, plan, r)
	return err
}

// PrintedReel gives the reel as it was when the print was asked for.
func (s *Store) PrintedReel(ctx context.Context, id string) (*reel.Reel, error) {
	r := &reel.Reel{}
	err := s.Pool.QueryRow(ctx, "select reel from prints where id = $1", id).Scan(r)
	return r, notFound(err, "print")
}

// SetReport stores what the check of a print found.
func (s *Store) SetReport(ctx context.Context, id string, report delivery.Report) error {
	_, err := s.Pool.Exec(ctx, "update prints set report = $2 where id = $1", id, report)
	return err
}

// Specs gives the texts of the specs that users have brought in, by ID.
func (s *Store) Specs(ctx context.Context) (map[string]string, error) {
	rows, err := s.Pool.Query(ctx, "select id, text from specs")
	if err != nil {
		return nil, err
	}
	specs := map[string]string{}
	var id, text string
	_, err = pgx.ForEachRow(rows, []any{&id, &text}, func() error { specs[id] = text; return nil })
	return specs, err
}

// PutSpec stores a spec, in place of the one with its ID if there is one.
func (s *Store) PutSpec(ctx context.Context, id, text string) error {
	_, err := s.Pool.Exec(ctx, "insert into specs (id, text) values ($1, $2) on conflict (id) do update set text = excluded.text", id, text)
	return err
}
