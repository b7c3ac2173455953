package jobs

import (
	"bytes"
	"context"
	"encoding/json"

	"github.com/jackc/pgx/v5"

	"zestyloom/core/fault"
	"zestyloom/internal/papers"
	"zestyloom/internal/receivers"
	"zestyloom/internal/store"
)

type handOverArgs struct {
	Print  string `json:"print"`
	Folder string `json:"folder"` // its name
}

// HandOver queues the writing of a finished print into a folder of the server.
func (r *Runner) HandOver(ctx context.Context, production string, p store.Print, folder string) (string, error) {
	if _, known := r.Receivers[folder]; !known {
		return "", fault.New(fault.NotFound, "There is no folder called %q on this server that deliveries are written to", folder)
	}
	return r.add(ctx, production, "deliver", p.Plan.Folder()+" to "+folder, handOverArgs{p.ID, folder}, func(tx pgx.Tx, id string) error {
		return r.Store.WorkOn(ctx, tx, id, p.ID)
	})
}

func (a *attempt) handOver(ctx context.Context) (end store.End, err error) {
	var args handOverArgs
	if err := json.Unmarshal(a.Args, &args); err != nil {
		return end, err
	}
	p, err := a.Store.Print(ctx, args.Print)
	if err != nil {
		return end, err
	}
	if p.Report == nil {
		return end, fault.New(fault.NotFound, "This print has no files; it was not finished")
	}
	laid, err := a.Store.PrintedReel(ctx, p.ID)
	if err != nil {
		return end, err
	}
	sheets, err := papers.Of(p, laid)
	if err != nil {
		return end, err
	}
	sums := map[string]string{}
	for _, f := range p.Report.Files {
		sums[f.Name] = f.SHA256
	}
	for _, sheet := range sheets {
		sums[sheet.Name] = "" // some say when they were written
	}
	if a.Receivers.Whole(ctx, args.Folder, p.Plan.Folder(), sums) {
		return said("%s lies in %s, whole", p.Plan.Folder(), args.Folder), nil // the work was interrupted before that was noted
	}
	w, err := a.Receivers.Begin(args.Folder, p.Plan.Folder(), a.ID)
	if err != nil {
		return end, err
	}
	if err := a.writeOut(ctx, w, p, sheets); err != nil {
		if gone := w.GiveUp(); gone != nil {
			a.Log.Warn("what was begun in a folder could not be taken away", "folder", args.Folder, "error", gone)
		}
		return end, err
	}
	if err := w.Finish(args.Folder); err != nil {
		return end, err
	}
	return said("Written to %s as %s", args.Folder, p.Plan.Folder()), nil
}

func (a *attempt) writeOut(ctx context.Context, w *receivers.Writing, p store.Print, sheets []papers.Paper) error {
	total, done := int64(1), int64(0)
	for _, f := range p.Report.Files {
		total += f.Size
	}
	progress := a.progress(ctx, 0, 1)
	for _, f := range p.Report.Files {
		from, _, err := a.Media.Open(p.Folder + "/" + f.Name)
		if err != nil {
			return err
		}
		err = w.Add(ctx, f.Name, f.SHA256, from, func(n int64) { progress(float64(done+n) / float64(total)) })
		from.Close()
		if err != nil {
			return err
		}
		done += f.Size
	}
	for _, sheet := range sheets {
		if err := w.Add(ctx, sheet.Name, "", bytes.NewReader(sheet.Text), func(int64) {}); err != nil {
			return err
		}
	}
	return nil
}
