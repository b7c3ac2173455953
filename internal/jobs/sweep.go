package jobs

import (
	"context"
	"errors"
	"fmt"
	"os"
	"strings"
	"time"

	"zestyloom/core/fault"
	"zestyloom/internal/backup"
)

// stagingFolder holds a folder for each attempt that goes on.
const stagingFolder = "attempts"

// Reserve is how many bytes are left free, so that the database and the system go on.
const Reserve = 256 << 20

// Room refuses what there is no space for.
func (r *Runner) Room(bytes int64) error {
	free, err := r.Media.Free()
	if err != nil {
		return err
	}
	if bytes > free-Reserve {
		return fault.New(fault.NoSpace, "The disk is too full for this: it needs about %s and %s are free. Make room on the server, then try again", mega(bytes), mega(max(0, free-Reserve)))
	}
	return nil
}

func mega(bytes int64) string { return fmt.Sprintf("%d MB", (bytes+999_999)/1_000_000) }

// keepUploads is how long the file of an upload is kept that did not become a take.
const keepUploads = 7 * 24 * time.Hour

// Sweep puts takes, prints and deliveries that lie on the disk and no row names into a trash, from where they go after a month. What
// attempts that died have left, batches that were removed and uploads that were given up are removed. What is there is listed first and asked for
// afterwards, so that nothing is taken for lost which came in between; and where the database does not answer, or is older than the
// folder, everything stays. What is moved with all that is in it is always the folder of one attempt, in which nobody else writes.
func (r *Runner) Sweep(ctx context.Context) error {
	older, err := r.older(ctx)
	if err != nil {
		return err
	}
	if older {
		return fault.New(fault.Stale, "This database is older than the folder of its media, as when a copy of it was put back. Nothing is cleared away: recordings that came since may lie there, and zestyloom rebuild brings them back. If it is to be so all the same, start once with --as-it-is")
	}
	return errors.Join(r.sweepMedia(ctx), r.sweepUploads(ctx), r.emptyTrash(), r.sweepReceivers(ctx), r.sweepPins(), r.Keeping.ForgetRequests(ctx,
		keepUploads))
}

func (r *Runner) sweepMedia(ctx context.Context) error {
	var there []string
	folders := []string{stagingFolder, "sources", "prints", "kept", "received"}
	batches, err := r.Media.List("batches")
	if err != nil {
		return err
	}
	for _, work := range batches {
		folders = append(folders, batchFolder(work))
	}
	for _, folder := range folders {
		names, err := r.Media.List(folder)
		if err != nil {
			return err
		}
		for _, name := range names {
			there = append(there, folder+"/"+name)
		}
	}
	needed, err := r.Keeping.NeededMedia(ctx)
	if err != nil {
		return err
	}
	var unknown []string
	lost, made := 0, 0
	for _, key := range there {
		work := strings.HasPrefix(key, "sources/") || strings.HasPrefix(key, "prints/")
		if work {
			made++
		}
		if needed.Needs(key) || r.arriving(key) {
			continue
		}
		if unknown = append(unknown, key); work {
			lost++
		}
	}
	if lost > maxUnknown && 5*lost > made && !r.lost {
		return fault.New(fault.Stale, "%d of %d takes and prints in the folder of media are in no row of the database. That is more than is usual, so nothing is cleared away. If they may go into the trash, start once with --as-it-is", lost, made)
	}
	for _, key := range unknown {
		if err := r.clearUnknown(key); err != nil {
			return err
		}
	}
	for _, work := range batches {
		if err := r.Media.RemoveEmpty(batchFolder(work)); err != nil {
			return err
		}
	}
	return nil
}

// clearUnknown puts what nothing needs into the trash; what can be made again is removed.
func (r *Runner) clearUnknown(key string) error {
	for _, original := range []string{"sources/", "prints/", "received/"} {
		if strings.HasPrefix(key, original) {
			return r.discardUnknown(key)
		}
	}
	r.Log.Info("removing what nothing needs", "key", key)
	return r.Media.RemoveAll(key)
}

// mayArrive is how long files of a delivery that have all come may lie there before a row names them.
const mayArrive = 10 * time.Minute

// mayPin is how long a backup may keep files pinned; those of one that was killed are let go after that, or by the next.
const mayPin = 7 * 24 * time.Hour

// arriving tells whether files may still be on their way into a folder.
func (r *Runner) arriving(key string) bool {
	info, err := r.Media.Stat(key)
	return strings.HasPrefix(key, "received/") && err == nil && time.Since(info.ModTime()) < mayArrive
}

// sweepPins lets go of what a backup has pinned that was killed long ago.
func (r *Runner) sweepPins() error {
	info, err := r.Media.Stat(backup.Pinned)
	if fault.KindOf(err) == fault.NotFound {
		return nil
	}
	if err != nil || time.Since(info.ModTime()) < mayPin {
		return err
	}
	return r.Media.RemoveAll(backup.Pinned)
}

// sweepReceivers takes away what handing over has begun in folders of the server and nobody goes on with.
func (r *Runner) sweepReceivers(ctx context.Context) error {
	waiting, err := r.Keeping.GoingOn(ctx, "deliver")
	if err != nil {
		return err
	}
	return r.Receivers.Clear(func(work string) bool { return waiting[work] })
}

func (r *Runner) sweepUploads(ctx context.Context) error {
	entries, err := os.ReadDir(r.Uploads)
	if errors.Is(err, os.ErrNotExist) {
		return nil
	}
	if err != nil {
		return err
	}
	if err := r.Keeping.GiveUpArriving(ctx, keepUploads); err != nil {
		return err
	}
	needed, err := r.Keeping.NeededUploads(ctx, keepUploads)
	if err != nil {
		return err
	}
	for _, e := range entries {
		id, _, _ := strings.Cut(e.Name(), ".")
		if needed[id] {
			continue
		}
		r.Log.Info("removing an upload that nothing needs", "upload", id)
		r.dropUpload(id)
	}
	return nil
}
