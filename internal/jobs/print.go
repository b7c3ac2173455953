package jobs

import (
	"context"
	"fmt"
	"os"

	"github.com/jackc/pgx/v5"

	"zestyloom/core/delivery"
	"zestyloom/core/reel"
	"zestyloom/internal/media"
	"zestyloom/internal/store"
)

// Print queues a print of a reel as it is now. r is the reel that delivery.NewPlan gave with the plan.
func (r *Runner) Print(ctx context.Context, info store.ReelInfo, plan delivery.Plan, laid *reel.Reel) (string, error) {
	title := fmt.Sprintf("%s, %s", info.Name, plan.Spec.Title)
	return r.add(ctx, info.Production, "print", title, struct{}{}, func(tx pgx.Tx, id string) error {
		return r.Store.AddPrint(ctx, tx, id, info.ID, info.Revision, plan, laid)
	})
}

// print makes the files, checks them, and publishes them with their report.
func (a *attempt) print(ctx context.Context) (end store.End, err error) {
	p, err := a.Store.Print(ctx, a.ID)
	if err != nil {
		return end, err
	}
	if p.Report != nil { // published before the work was interrupted
		return verdict(*p.Report), nil
	}
	laid, err := a.Store.PrintedReel(ctx, a.ID)
	if err != nil {
		return end, err
	}
	if err := a.Room(p.Plan.Bytes()); err != nil {
		return end, err
	}
	printed, err := a.printFiles(ctx, p, laid)
	if err != nil {
		return end, err
	}
	report, err := a.verify(ctx, p.Plan, laid, printed)
	if err != nil {
		return end, err
	}
	folder := "prints/" + a.claim.Token
	if err := a.Media.Publish(a.staging(), folder); err != nil {
		return end, err
	}
	return verdict(report), persist(ctx, func() error { return a.Store.SetReport(ctx, a.claim, folder, report) })
}

func verdict(r delivery.Report) store.End {
	if r.Pass {
		return said("Every check passed")
	}
	return said("Printed, but the check found something wanting")
}

func (a *attempt) printFiles(ctx context.Context, p store.Print, laid *reel.Reel) (delivery.Printed, error) {
	var written []media.File
	defer func() {
		for _, f := range written {
			f.Close()
		}
	}()
	session := a.Library.Session(ctx)
	defer session.Close()
	create := func(name string) (delivery.Output, error) {
		f, err := a.Media.Create(a.staged(name))
		if err == nil {
			written = append(written, f)
		}
		return f, err
	}
	at, err := a.Store.RevisedAt(ctx, p.Reel, p.Revision) // so that a second print is the same bytes
	if err != nil {
		return delivery.Printed{}, err
	}
	stamp := delivery.Stamp{Date: at.Format("2006-01-02"), Time: at.Format("15:04:05")}
	printed, err := delivery.Print(ctx, p.Plan, laid, session.Open, create, stamp, a.progress(ctx, 0, 0.6))
	for _, f := range written {
		if err == nil {
			err = f.Sync()
		}
	}
	return printed, err
}

func (a *attempt) verify(ctx context.Context, plan delivery.Plan, laid *reel.Reel, printed delivery.Printed) (delivery.Report, error) {
	var opened []*os.File
	defer func() {
		for _, f := range opened {
			f.Close()
		}
	}()
	open := func(name string) (delivery.Opened, error) {
		f, size, err := a.Media.Open(a.staged(name))
		if err != nil {
			return delivery.Opened{}, err
		}
		opened = append(opened, f)
		return delivery.Opened{ReaderAt: f, Size: size}, nil
	}
	return delivery.Verify(ctx, plan, laid, printed, open, a.progress(ctx, 0.6, 1))
}
