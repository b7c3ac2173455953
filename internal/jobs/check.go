package jobs

import (
	"context"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"zestyloom/core/contract"
	"zestyloom/core/desk"
	"zestyloom/internal/reception"
	"zestyloom/internal/store"
)

// ReceivedFolder gives a new folder for the files of a delivery, and the one in which they arrive until they are all there. What arrives
// when the process ends is removed.
func (r *Runner) ReceivedFolder() (folder, arriving string) {
	id := uuid.NewString()
	return "received/" + id, stagingFolder + "/" + r.worker.ID + "-" + id
}

// Check queues a delivery for the desk. Its files lie in the folder that the receipt names.
func (r *Runner) Check(ctx context.Context, receipt store.Receipt) (string, error) {
	return r.add(ctx, receipt.Production, "check", receipt.Name, struct{}{}, func(tx pgx.Tx, id string) error {
		return r.Store.AddReceipt(ctx, tx, id, receipt)
	})
}

// check has the desk look at a delivery.
func (a *attempt) check(ctx context.Context) (end store.End, err error) {
	r, err := a.Store.Receipt(ctx, a.ID)
	if err != nil {
		return end, err
	}
	if r.Receipt != nil { // it was found before the work was interrupted
		return judged(*r.Receipt), nil
	}
	d, err := a.received(ctx, r)
	if err != nil {
		return end, err
	}
	defer d.Close()
	var found desk.Receipt
	if r.Spec == nil {
		found = desk.Look(d.Files)
	} else if found, err = desk.Check(ctx, d.Files, d.Sums, *r.Spec, r.Packaging, a.progress(ctx, 0, 1)); err != nil {
		return end, err
	}
	return judged(found), persist(ctx, func() error { return a.Store.SetReceipt(ctx, a.claim, found) })
}

// received opens the files of a delivery. What came as a ZIP is unpacked, so that it can be heard.
func (a *attempt) received(ctx context.Context, r store.Receipt) (*reception.Delivery, error) {
	if err := a.unzip(ctx, r.Folder); err != nil {
		return nil, err
	}
	inside, err := a.Media.Path(r.Folder + "/x")
	if err != nil {
		return nil, err
	}
	return reception.Open(ctx, filepath.Dir(inside), "")
}

// came is where, in the folder of a delivery, the ZIP lies that it came as, while its files take its place. It stays, empty: what is a ZIP
// then was in the ZIP.
const came = ".zip"

// unzip has the files of a ZIP take its place. To do so twice does nothing.
func (a *attempt) unzip(ctx context.Context, folder string) error {
	names, err := a.Media.List(folder)
	if err != nil {
		return err
	}
	if !slices.Contains(names, came) {
		zipped := slices.DeleteFunc(names, func(name string) bool { return !strings.EqualFold(path.Ext(name), ".zip") })
		if len(zipped) != 1 {
			return nil
		}
		if err := a.Media.Publish(folder+"/"+zipped[0], folder+"/"+came+"/"+zipped[0]); err != nil {
			return err
		}
	}
	zips, err := a.Media.List(folder + "/" + came)
	if err != nil || len(zips) == 0 {
		return err
	}
	local, err := a.Media.Path(folder + "/" + came + "/" + zips[0])
	if err != nil {
		return err
	}
	staged, err := a.Media.Path(a.staged("x"))
	if err != nil {
		return err
	}
	if err := reception.Unpack(ctx, local, filepath.Dir(staged), a.Room); err != nil {
		return err
	}
	unpacked := os.DirFS(filepath.Dir(staged))
	err = fs.WalkDir(unpacked, ".", func(name string, e fs.DirEntry, err error) error {
		if err != nil || e.IsDir() {
			return err
		}
		return a.Media.Link(a.staged(name), folder+"/"+name)
	})
	if err != nil {
		return err
	}
	return a.Media.RemoveAll(folder + "/" + came + "/" + zips[0])
}

func judged(r desk.Receipt) store.End {
	wrong := 0
	for _, f := range r.Findings {
		if f.Severity == contract.Error {
			wrong++
		}
	}
	switch {
	case r.Pass && len(r.Seen) > 0:
		return said("Looked at")
	case r.Pass:
		return said("Accepted")
	case wrong == 1:
		return said("Refused: 1 fault")
	}
	return said("Refused: %d faults", wrong)
}
