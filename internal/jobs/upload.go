package jobs

import (
	"context"
	"encoding/json"
	"io"
	"os"
	"path"
	"path/filepath"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"zestyloom/core/fault"
)

// An upload has the ID of the work that will take it in. The row is made before the first byte comes, so that a file
// which is there whole is taken in whatever becomes of the request that brought its last byte.

// BeginUpload stores the work that takes a file in once it has arrived, and gives the ID that the upload must have.
func (r *Runner) BeginUpload(ctx context.Context, production, name string, size int64) (string, error) {
	id := uuid.NewString()
	return id, r.Store.AddArriving(ctx, id, production, path.Base(name), importArgs{Upload: id, Name: path.Base(name), Size: size})
}

// EndUpload queues the work of an upload that is whole. To say so twice does nothing.
func (r *Runner) EndUpload(ctx context.Context, id string) error {
	return pgx.BeginFunc(ctx, r.Store.Pool, func(tx pgx.Tx) error {
		if ok, err := r.Store.Arrived(ctx, tx, id); err != nil || !ok {
			return err
		}
		return r.queue(ctx, tx, id)
	})
}

// takeArrived queues the work of uploads that are whole although nobody said so: the process ended, or the database was
// down, when their last byte came.
func (r *Runner) takeArrived(ctx context.Context) error {
	ids, err := r.Store.Arriving(ctx)
	if err != nil {
		return err
	}
	for _, id := range ids {
		if !r.whole(id) {
			continue
		}
		if err := r.EndUpload(ctx, id); err != nil {
			return err
		}
	}
	return nil
}

// whole tells whether an upload has as many bytes as was said when it began.
func (r *Runner) whole(id string) bool {
	b, err := os.ReadFile(r.uploadPath(id) + ".info")
	if err != nil {
		return false
	}
	var said struct{ Size int64 }
	if json.Unmarshal(b, &said) != nil || said.Size <= 0 {
		return false
	}
	info, err := os.Stat(r.uploadPath(id))
	return err == nil && info.Size() == said.Size
}

func (r *Runner) uploadPath(id string) string { return filepath.Join(r.Uploads, filepath.Base(id)) }

func (r *Runner) openUpload(id string) (io.ReadCloser, int64, error) {
	f, err := os.Open(r.uploadPath(id))
	if err != nil {
		return nil, 0, fault.Wrap(fault.NotFound, err, "The upload is no longer on the server; upload the file again")
	}
	info, err := f.Stat()
	if err != nil {
		f.Close()
		return nil, 0, err
	}
	return f, info.Size(), nil
}

// dropUpload removes an upload that has become a take, or that nobody wants any more.
func (r *Runner) dropUpload(id string) {
	for _, suffix := range []string{"", ".info", ".lock"} {
		_ = os.Remove(r.uploadPath(id) + suffix)
	}
}
