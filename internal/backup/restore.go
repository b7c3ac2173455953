package backup

import (
	"compress/gzip"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/jackc/pgx/v5"

	"zestyloom/core/fault"
	"zestyloom/internal/media"
	"zestyloom/internal/store"
)

// Wanted is a point that is to be put back.
type Wanted struct {
	From     string // folder of the copies
	Point    string // its ID; empty for the newest
	Database string // PostgreSQL URL, of an empty database
	Data     string // folder of media and uploads, in which nothing is yet
	Progress func(share float64)
}

// Restore puts a point back on a machine where nothing is yet. First the files come, each held against what it was; then all rows in
// one transaction. One that was stopped is gone on with.
func Restore(ctx context.Context, w Wanted) (d Done, err error) {
	if w.Point == "" {
		ids, err := Points(w.From)
		if err != nil {
			return d, err
		}
		if len(ids) == 0 {
			return d, fault.New(fault.NotFound, "There is no point in %s yet: no backup into it has come to its end", w.From)
		}
		w.Point = ids[len(ids)-1]
	}
	p, err := readPoint(w.From, w.Point)
	if err != nil {
		return d, err
	}
	d = p.done()
	for _, t := range p.Tables { // before anything is written
		if err := t.whole(tableFile(w.From, p.ID, t.Name)); err != nil {
			return d, err
		}
	}
	under := filepath.Join(w.Data, "restoring")
	resumed, err := w.empty(under)
	if err != nil {
		return d, err
	}
	if err := media.WriteNote(under, w.Point); err != nil {
		return d, err
	}
	for i, f := range p.Files {
		if err := ctx.Err(); err != nil {
			return d, err
		}
		copied, err := put(copyOf(w.From, f.Key), filepath.Join(w.Data, filepath.FromSlash(f.Key)), f)
		if err != nil {
			return d, err
		}
		d.Copied, d.Verified = d.Copied+copied, d.Verified+1
		w.Progress(float64(i+1) / float64(len(p.Files)))
	}
	if err := w.rows(ctx, p, resumed); err != nil {
		return d, err
	}
	for name, line := range map[string]string{"media/generation": strconv.FormatInt(p.Generation, 10), "installation": p.Installation} {
		if err := os.MkdirAll(filepath.Join(w.Data, filepath.Dir(name)), 0o755); err != nil {
			return d, err
		}
		if err := media.WriteNote(filepath.Join(w.Data, name), line); err != nil {
			return d, err
		}
	}
	return d, os.Remove(under)
}

// empty refuses a folder in which something is that this restoring has not put there. resumed tells that it was begun before.
func (w Wanted) empty(under string) (resumed bool, err error) {
	b, err := os.ReadFile(under)
	if err == nil {
		if at := strings.TrimSpace(string(b)); at != w.Point {
			return false, fault.New(fault.BadInput, "Into %s point %s was being restored; go on with that one, or begin with an empty folder", w.Data,
				at)
		}
		return true, nil
	}
	if !errors.Is(err, fs.ErrNotExist) {
		return false, err
	}
	for _, dir := range []string{"media", "uploads"} {
		names, err := os.ReadDir(filepath.Join(w.Data, dir))
		if err != nil && !errors.Is(err, fs.ErrNotExist) {
			return false, err
		}
		if len(names) > 0 {
			return false, fault.New(fault.BadInput, "There is something in %s already. A backup is restored into an empty folder, so that nothing is written over", filepath.Join(w.Data, dir))
		}
	}
	return false, media.Explain(os.MkdirAll(w.Data, 0o755))
}

// put copies a file that is not there yet, and holds it against what it was. It gives how many bytes it copied.
func put(from, to string, f File) (copied int64, err error) {
	if size, sum, err := sumOf(to); err == nil && size == f.Size && sum == f.SHA256 {
		return 0, nil
	}
	size, sum, err := copyFile(from, to)
	if err == nil && (size != f.Size || sum != f.SHA256) {
		_ = os.Remove(to)
		err = fault.New(fault.Damaged, "The copy of %s is no longer what it was when it was made; take an earlier point, or another copy of the backup", f.Key)
	}
	return size, err
}

// rows puts all rows back in one transaction.
func (w Wanted) rows(ctx context.Context, p Point, resumed bool) error {
	if err := store.Prepare(ctx, w.Database, p.Schema); err != nil {
		return err
	}
	conn, err := pgx.Connect(ctx, w.Database)
	if err != nil {
		return err
	}
	defer conn.Close(context.WithoutCancel(ctx))
	var installation string
	var used bool
	if err := conn.QueryRow(ctx, "select id::text, bound_at is not null or exists (select 1 from productions) from installation").
		Scan(&installation, &used); err != nil {
		return err
	}
	if resumed && installation == p.Installation {
		return nil // this restoring was stopped after its rows were there
	}
	if used {
		return fault.New(fault.BadInput, "The database has been used already. A backup is restored into an empty one, so that nothing is written over")
	}
	return pgx.BeginFunc(ctx, conn, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "delete from installation"); err != nil {
			return err
		}
		for _, t := range p.Tables {
			if err := t.read(ctx, tx, tableFile(w.From, p.ID, t.Name)); err != nil {
				return err
			}
		}
		// What was worked on waits again; a file that was on its way has to be sent again.
		_, err := tx.Exec(ctx, "update work set state = 'queued' where state = 'running'")
		if err == nil {
			_, err = tx.Exec(ctx, "delete from work where state = 'arriving'")
		}
		return err
	})
}

// unpacked reads a table's copy.
func (t Table) unpacked(path string, read func(io.Reader) error) error {
	f, err := os.Open(path)
	if err != nil {
		return media.Explain(err)
	}
	defer f.Close()
	packed, err := gzip.NewReader(f)
	if err == nil {
		err = read(packed)
	}
	return err
}

// whole is Damaged where a table's copy is no longer what it was.
func (t Table) whole(path string) error {
	hash := sha256.New()
	err := t.unpacked(path, func(r io.Reader) error {
		_, err := io.Copy(hash, r)
		return err
	})
	if err != nil || hex.EncodeToString(hash.Sum(nil)) != t.SHA256 {
		return fault.Wrap(fault.Damaged, err, "The copy of the table %s is no longer what it was when it was made; take another point, or another copy of the backup",
			t.Name)
	}
	return nil
}

func (t Table) read(ctx context.Context, tx pgx.Tx, path string) error {
	name := pgx.Identifier{t.Name}.Sanitize()
	err := t.unpacked(path, func(r io.Reader) error {
		tag, err := tx.Conn().PgConn().CopyFrom(ctx, r, fmt.Sprintf("copy %s (%s) from stdin", name, t.columns()))
		if err == nil && tag.RowsAffected() != t.Rows {
			err = fault.New(fault.Damaged, "The copy of the table %s has %d rows, and %d came", t.Name, t.Rows, tag.RowsAffected())
		}
		return err
	})
	if err != nil || t.Identity == "" {
		return err
	}
	column := pgx.Identifier{t.Identity}.Sanitize()
	_, err = tx.Exec(ctx, fmt.Sprintf("select setval(pg_get_serial_sequence('%s', '%s'), coalesce((select max(%s) from %s), 0) + 1, false)",
		t.Name, t.Identity, column, name))
	return err
}
