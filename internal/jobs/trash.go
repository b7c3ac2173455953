package jobs

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"zestyloom/core/fault"
	"zestyloom/internal/media"
)

// trashFolder holds what no row names, a folder for each day on which it was put there.
const trashFolder = "trash"

// keepTrash is how long it stays.
const keepTrash = 30 * 24 * time.Hour

// discardUnknown puts what nothing needs into the trash of today.
func (r *Runner) discardUnknown(key string) error {
	to := trashFolder + "/" + time.Now().UTC().Format(time.DateOnly) + "/" + key
	r.Log.Info("putting what nothing needs into the trash", "key", key, "trash", to)
	err := r.Media.Publish(key, to)
	for n := 2; fault.KindOf(err) == fault.Stale && n < 1000; n++ { // put there before, and brought back since
		err = r.Media.Publish(key, fmt.Sprintf("%s.%d", to, n))
	}
	return err
}

// emptyTrash removes what has lain in the trash for long enough.
func (r *Runner) emptyTrash() error {
	days, err := r.Media.List(trashFolder)
	if err != nil {
		return err
	}
	for _, day := range days {
		at, err := time.Parse(time.DateOnly, day)
		if err != nil || time.Since(at) < keepTrash {
			continue
		}
		r.Log.Info("emptying the trash", "day", day)
		if err := r.Media.RemoveAll(trashFolder + "/" + day); err != nil {
			return err
		}
	}
	return nil
}

// maxUnknown is how many takes and prints that no row names are usual at once: those of attempts that died. More of them, and more than
// a fifth of all, are somebody's work that the database has lost.
const maxUnknown = 10

// generationNote is where the folder notes how far its database has counted.
func (r *Runner) generationNote() string { return filepath.Join(r.Media.Root(), "generation") }

// noted is how far the folder's database had counted; 0 where there is no note yet.
func (r *Runner) noted() (int64, error) {
	b, err := os.ReadFile(r.generationNote())
	if errors.Is(err, fs.ErrNotExist) {
		return 0, nil
	}
	if err != nil {
		return 0, err
	}
	n, err := strconv.ParseInt(strings.TrimSpace(string(b)), 10, 64)
	if err != nil {
		return 0, fmt.Errorf("the note %s can't be read: %w", r.generationNote(), err)
	}
	return n, nil
}

// advance counts on in the database and then in the folder, before work writes anything there: whatever lies in the folder is then no
// newer than its note. The note never goes back.
func (r *Runner) advance(ctx context.Context) error {
	r.counting.Lock()
	defer r.counting.Unlock()
	now, err := r.Keeping.Advance(ctx)
	if err != nil {
		return err
	}
	was, err := r.noted()
	if err == nil && was < now {
		err = media.WriteNote(r.generationNote(), strconv.FormatInt(now, 10))
	}
	if err != nil {
		return err
	}
	return r.Keeping.SetNoted(ctx, now)
}

// Behind tells whether the folder lacks what work has written: it is an older copy, or work was done with another since.
func (r *Runner) Behind(ctx context.Context) (bool, error) {
	has, err := r.noted()
	if err != nil {
		return false, err
	}
	noted, err := r.Keeping.Noted(ctx)
	return has < noted, err
}

// older tells whether the database is one that was put back: it has counted less than the folder.
func (r *Runner) older(ctx context.Context) (bool, error) {
	noted, err := r.noted()
	if err != nil {
		return false, err
	}
	now, err := r.Keeping.Generation(ctx)
	return now < noted, err
}

// TakeAsItIs has the database be right, though it is older than the folder: what it does not know goes into the trash.
func (r *Runner) TakeAsItIs(ctx context.Context) error {
	noted, err := r.noted()
	if err != nil {
		return err
	}
	r.lost = true
	if err := r.Keeping.CountFrom(ctx, noted); err != nil {
		return err
	}
	known, err := r.Keeping.Noted(ctx)
	if err == nil && noted < known {
		err = media.WriteNote(r.generationNote(), strconv.FormatInt(known, 10))
	}
	return err
}
