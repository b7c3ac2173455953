package backup

import (
	"compress/gzip"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"golang.org/x/sys/unix"

	"zestyloom/core/fault"
	"zestyloom/internal/media"
	"zestyloom/internal/store"
)

// Asked is a backup that is asked for.
type Asked struct {
	Database string // PostgreSQL URL
	Data     string // folder of media and uploads
	To       string // folder of the copies
	Keep     int    // how many points stay; 0 for all
	Verify   bool   // read the copies of earlier backups again too
	Progress func(share float64)
}

// Pinned is where files have a second name in the folder of media while they are copied, so that who removes them meanwhile takes
// nothing away from the point.
const Pinned = "pinned"

// To makes a point: the rows of all tables in one transaction, and the files that they name. People go on working. What was copied
// before is not copied again, and a backup that was stopped is gone on with.
func To(ctx context.Context, asked Asked) (d Done, err error) {
	for _, dir := range []string{"points", "tables", "files"} {
		if err := os.MkdirAll(filepath.Join(asked.To, dir), 0o755); err != nil {
			return d, media.Explain(err)
		}
	}
	for _, dir := range []string{asked.To, asked.Data} { // the pins are of one backup too
		unlock, err := lock(dir)
		if err != nil {
			return d, err
		}
		defer unlock()
	}
	pins := filepath.Join(asked.Data, "media", Pinned)
	if err := os.RemoveAll(pins); err != nil { // of a backup that was stopped
		return d, err
	}
	defer os.RemoveAll(pins)
	p, known, err := snapshot(ctx, asked, pins)
	if err != nil {
		return d, err
	}
	copied, verified, wrong, err := copies(ctx, asked, &p, pins, known)
	if err != nil {
		return d, err
	}
	b, err := json.MarshalIndent(p, "", " ")
	if err == nil {
		err = media.WriteNote(pointFile(asked.To, p.ID), string(b))
	}
	if err == nil && asked.Keep > 0 {
		err = prune(asked.To, asked.Keep)
	}
	d = p.done()
	d.Copied, d.Verified, d.Wrong = copied, verified, append(d.Wrong, wrong...)
	return d, err
}

// lock keeps two backups from working in one folder.
func lock(dir string) (unlock func(), err error) {
	f, err := os.OpenFile(filepath.Join(dir, "backup.lock"), os.O_RDWR|os.O_CREATE, 0o644)
	if err != nil {
		return nil, media.Explain(err)
	}
	if err := unix.Flock(int(f.Fd()), unix.LOCK_EX|unix.LOCK_NB); err != nil {
		f.Close()
		return nil, fault.New(fault.Stale, "Another backup works in %s just now", dir)
	}
	return func() { f.Close() }, nil
}

// tries is how often a moment is looked for at which all that rows name is there.
const tries = 5

// snapshot reads all tables in one transaction and pins the files that they name. Who removes something in between has it done again; a
// folder that is missing every time is lacking. known are the SHA-256 that the database has of files, by key.
func snapshot(ctx context.Context, asked Asked, pins string) (p Point, known map[string]string, err error) {
	conn, err := pgx.Connect(ctx, asked.Database)
	if err != nil {
		return p, nil, fault.Wrap(fault.NotFound, err, "The database can't be asked: %v", err)
	}
	defer conn.Close(context.WithoutCancel(ctx))
	for n := 1; ; n++ {
		p = Point{ID: time.Now().UTC().Format("20060102T150405.000Z"), At: time.Now().UTC(), Lacking: []string{}}
		err = pgx.BeginTxFunc(ctx, conn, pgx.TxOptions{IsoLevel: pgx.RepeatableRead, AccessMode: pgx.ReadOnly}, func(tx pgx.Tx) error {
			if err := p.head(ctx, tx); err != nil {
				return err
			}
			if known, err = soundSums(ctx, tx); err != nil {
				return err
			}
			named, err := store.NamedMedia(ctx, tx)
			if err != nil {
				return err
			}
			if err := p.pin(asked.Data, pins, named); err != nil {
				return err
			}
			if len(p.Lacking) > 0 && n < tries {
				return nil
			}
			return p.tables(ctx, tx, asked.To)
		})
		if err != nil || len(p.Lacking) == 0 || n == tries {
			return p, known, err
		}
		select {
		case <-ctx.Done():
			return p, nil, ctx.Err()
		case <-time.After(100 * time.Millisecond):
		}
	}
}

// head notes what the point is of.
func (p *Point) head(ctx context.Context, tx pgx.Tx) error {
	return tx.QueryRow(ctx, `select (select max(version_id) from goose_db_version where is_applied), id::text, generation,
		(select count(*) from productions), (select count(*) from takes) from installation`).
		Scan(&p.Schema, &p.Installation, &p.Generation, &p.Productions, &p.Takes)
}

// soundSums are the SHA-256 of takes' sounds, by key.
func soundSums(ctx context.Context, tx pgx.Tx) (map[string]string, error) {
	rows, err := tx.Query(ctx, "select sound_key, sound->>'sha256' from takes where sound_key <> '' and sound is not null")
	if err != nil {
		return nil, err
	}
	known := map[string]string{}
	var key, sum string
	_, err = pgx.ForEachRow(rows, []any{&key, &sum}, func() error { known["media/"+key] = sum; return nil })
	return known, err
}

// pin gives all files that are named a second name.
func (p *Point) pin(data, pins string, named store.Named) error {
	p.Files = nil
	for _, folder := range named.Folders {
		err := p.pinAll(data, pins, "media/"+folder)
		if errors.Is(err, fs.ErrNotExist) {
			p.Lacking = append(p.Lacking, folder)
			continue
		}
		if err != nil {
			return err
		}
	}
	for _, id := range named.Uploads {
		for _, name := range []string{id, id + ".info"} {
			if err := p.pinAll(data, pins, "uploads/"+name); err != nil && !errors.Is(err, fs.ErrNotExist) {
				return err
			}
		}
	}
	slices.SortFunc(p.Files, func(a, b File) int { return strings.Compare(a.Key, b.Key) })
	p.Files = slices.CompactFunc(p.Files, func(a, b File) bool { return a.Key == b.Key })
	return nil
}

func (p *Point) pinAll(data, pins, key string) error {
	return filepath.WalkDir(filepath.Join(data, filepath.FromSlash(key)), func(path string, e fs.DirEntry, err error) error {
		if err != nil || e.IsDir() {
			return err
		}
		rel, err := filepath.Rel(data, path)
		if err != nil {
			return err
		}
		info, err := e.Info()
		if err != nil {
			return err
		}
		to := filepath.Join(pins, rel)
		if err := os.MkdirAll(filepath.Dir(to), 0o755); err != nil {
			return media.Explain(err)
		}
		if err := os.Link(path, to); err != nil && !errors.Is(err, fs.ErrExist) {
			return err
		}
		p.Files = append(p.Files, File{Key: filepath.ToSlash(rel), Size: info.Size(), Modified: info.ModTime().UnixNano()})
		return nil
	})
}

// passing are columns that hold for a process alone: what is being worked on waits again where it is put back.
var passing = map[string][]string{"work": {"worker", "claim", "job_id"}}

// ourTables are the tables that are copied, each after those that it refers to: neither the queue's, which follows from ours, nor that
// of the processes that live.
const ourTables = `with recursive t as (select c.oid, c.relname from pg_class c where c.relnamespace = 'public'::regnamespace and c.relkind = 'r'
		and c.relname not like 'river\_%' and c.relname not in ('goose_db_version', 'workers')),
	f as (select conrelid as a, confrelid as b from pg_constraint where contype = 'f' and conrelid <> confrelid),
	depth as (select oid, 0 as d from t union select f.a, d + 1 from depth join f on f.b = depth.oid where d < 50)
	select t.relname from t join depth on depth.oid = t.oid group by t.relname order by max(d), t.relname`

func (p *Point) tables(ctx context.Context, tx pgx.Tx, to string) error {
	rows, err := tx.Query(ctx, ourTables)
	if err != nil {
		return err
	}
	names, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(tableFile(to, p.ID, "x")), 0o755); err != nil {
		return media.Explain(err)
	}
	p.Tables = nil
	for _, name := range names {
		rows, err := tx.Query(ctx, `select attname, attidentity <> '' from pg_attribute where attrelid = $1::regclass and attnum > 0 and not attisdropped
			and attgenerated = '' order by attnum`, name)
		if err != nil {
			return err
		}
		t := Table{Name: name}
		var column string
		var identity bool
		if _, err := pgx.ForEachRow(rows, []any{&column, &identity}, func() error {
			if identity {
				t.Identity = column
			}
			if !slices.Contains(passing[name], column) {
				t.Columns = append(t.Columns, column)
			}
			return nil
		}); err != nil {
			return err
		}
		if err := t.write(ctx, tx, tableFile(to, p.ID, name)); err != nil {
			return err
		}
		p.Tables = append(p.Tables, t)
	}
	return nil
}

// columns are a table's, as SQL names them.
func (t Table) columns() string {
	quoted := make([]string, len(t.Columns))
	for i, c := range t.Columns {
		quoted[i] = pgx.Identifier{c}.Sanitize()
	}
	return strings.Join(quoted, ", ")
}

func (t *Table) write(ctx context.Context, tx pgx.Tx, path string) error {
	f, err := os.Create(path)
	if err != nil {
		return media.Explain(err)
	}
	defer f.Close()
	hash := sha256.New()
	packed := gzip.NewWriter(f)
	tag, err := tx.Conn().PgConn().CopyTo(ctx, tee{packed, hash}, fmt.Sprintf("copy %s (%s) to stdout", pgx.Identifier{t.Name}.Sanitize(),
		t.columns()))
	if err == nil {
		err = packed.Close()
	}
	if err == nil {
		err = f.Sync()
	}
	t.Rows, t.SHA256 = tag.RowsAffected(), hex.EncodeToString(hash.Sum(nil))
	return media.Explain(err)
}

// tee writes to both.
type tee struct {
	a, b interface{ Write([]byte) (int, error) }
}

func (t tee) Write(b []byte) (int, error) {
	_, _ = t.b.Write(b) // a hash takes everything
	return t.a.Write(b)
}

// copies copies what the point names and is not there yet, and notes what all of it is.
func copies(ctx context.Context, asked Asked, p *Point, pins string, known map[string]string) (copied int64, verified int, wrong []string,
	err error) {
	had, err := openSums(asked.To)
	if err != nil {
		return 0, 0, nil, err
	}
	defer had.file.Close()
	for i := range p.Files {
		if err := ctx.Err(); err != nil {
			return copied, verified, wrong, err
		}
		f := &p.Files[i]
		to := copyOf(asked.To, f.Key)
		info, err := os.Stat(to)
		there, whole := had.known[f.Key]
		whole = whole && err == nil && info.Size() == there.Size && there.Size == f.Size && there.Modified == f.Modified
		if whole && asked.Verify {
			_, sum, err := sumOf(to)
			if whole = err == nil && sum == there.SHA256; whole {
				verified++
			} else {
				wrong = append(wrong, f.Key+": its copy was no longer what it was, and was made anew")
			}
		}
		if whole {
			f.SHA256 = there.SHA256
		} else {
			if f.Size, f.SHA256, err = copyFile(filepath.Join(pins, filepath.FromSlash(f.Key)), to); err != nil {
				return copied, verified, wrong, err
			}
			_, again, err := sumOf(to)
			if err != nil || again != f.SHA256 {
				return copied, verified, wrong, fault.New(fault.Damaged, "The copy of %s reads otherwise than it was written; is the disk of %s failing?", f.Key, asked.To)
			}
			if err := had.note(*f); err != nil {
				return copied, verified, wrong, err
			}
			copied, verified = copied+f.Size, verified+1
		}
		if want, there := known[f.Key]; there && want != f.SHA256 {
			wrong = append(wrong, f.Key+" is no longer what came in")
		}
		asked.Progress(float64(i+1) / float64(len(p.Files)))
	}
	return copied, verified, wrong, media.Explain(had.file.Sync())
}

// prune removes all points but the newest, and the copies that none of those names.
func prune(to string, keep int) error {
	ids, err := Points(to)
	if err != nil || len(ids) <= keep {
		return err
	}
	needed := map[string]bool{}
	for _, id := range ids[len(ids)-keep:] {
		p, err := readPoint(to, id)
		if err != nil {
			return err
		}
		for _, f := range p.Files {
			needed[f.Key] = true
		}
	}
	for _, id := range ids[:len(ids)-keep] {
		if err := os.Remove(pointFile(to, id)); err != nil {
			return err
		}
		if err := os.RemoveAll(filepath.Dir(tableFile(to, id, "x"))); err != nil {
			return err
		}
	}
	files := filepath.Join(to, "files")
	return filepath.WalkDir(files, func(path string, e fs.DirEntry, err error) error {
		if err != nil || e.IsDir() {
			return err
		}
		key, err := filepath.Rel(files, path)
		if err == nil && !needed[filepath.ToSlash(key)] {
			err = os.Remove(path)
		}
		return err
	})
}
