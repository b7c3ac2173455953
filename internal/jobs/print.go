package jobs

import (
	"context"
	"fmt"
	"os"
	"time"

	"github.com/jackc/pgx/v5"

	"zestyloom/core/delivery"
	"zestyloom/core/reel"
	"zestyloom/internal/media"
	"zestyloom/internal/store"
)

// printFolder is the key under which the files of a print lie.
func printFolder(id string) string { return "prints/" + id }

// PrintKey is where a file of a print lies.
func PrintKey(id, name string) string { return printFolder(id) + "/" + name }

// Print queues a print of a reel as it is now. r is the reel that delivery.NewPlan gave with the plan.
func (r *Runner) Print(ctx context.Context, info store.ReelInfo, plan delivery.Plan, laid *reel.Reel) (string, error) {
	title := fmt.Sprintf("%s, %s", info.Name, plan.Spec.Title)
	return r.add(ctx, info.Production, "print", title, struct{}{}, func(tx pgx.Tx, id string) error {
		return r.Store.AddPrint(ctx, tx, id, info.ID, info.Revision, plan, laid)
	})
}

// print makes the files and checks them.
func (r *Runner) print(ctx context.Context, w store.Work) (message string, err error) {
	p, err := r.Store.Print(ctx, w.ID)
	if err != nil {
		return "", err
	}
	laid, err := r.Store.PrintedReel(ctx, w.ID)
	if err != nil {
		return "", err
	}
	var written []media.File
	var opened []*os.File
	defer func() {
		for _, f := range written {
			f.Close()
		}
		for _, f := range opened {
			f.Close()
		}
		if err != nil {
			_ = r.Media.RemoveAll(printFolder(w.ID))
		}
	}()
	if err := r.Media.RemoveAll(printFolder(w.ID)); err != nil { // left by a try that was interrupted
		return "", err
	}
	session := r.Library.Session(ctx)
	defer session.Close()
	create := func(name string) (delivery.Output, error) {
		f, err := r.Media.Create(PrintKey(w.ID, name))
		if err == nil {
			written = append(written, f)
		}
		return f, err
	}
	now := time.Now()
	stamp := delivery.Stamp{Date: now.Format("2006-01-02"), Time: now.Format("15:04:05")}
	printed, err := delivery.Print(ctx, p.Plan, laid, session.Open, create, stamp, r.progress(ctx, w.ID, 0, 0.6))
	if err != nil {
		return "", err
	}
	for _, f := range written {
		if err := f.Sync(); err != nil {
			return "", err
		}
	}
	open := func(name string) (delivery.Opened, error) {
		f, size, err := r.Media.Open(PrintKey(w.ID, name))
		if err != nil {
			return delivery.Opened{}, err
		}
		opened = append(opened, f)
		return delivery.Opened{ReaderAt: f, Size: size}, nil
	}
	report, err := delivery.Verify(ctx, p.Plan, laid, printed, open, r.progress(ctx, w.ID, 0.6, 1))
	if err != nil {
		return "", err
	}
	if err := r.Store.SetReport(ctx, w.ID, report); err != nil {
		return "", err
	}
	if report.Pass {
		return "Every check passed", nil
	}
	return "Printed, but the check found something wanting", nil
}
