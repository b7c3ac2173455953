package jobs

import (
	"context"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"time"

	"github.com/jackc/pgx/v5"

	"zestyloom/core/contract"
	"zestyloom/core/delivery"
	"zestyloom/core/desk"
	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/core/wave"
	"zestyloom/internal/intake"
	"zestyloom/internal/library"
	"zestyloom/internal/media"
	"zestyloom/internal/reception"
	"zestyloom/internal/store"
)

// Print queues a print of a reel as it is now. r is the reel that delivery.NewPlan gave with the plan.
func (r *Runner) Print(ctx context.Context, info store.ReelInfo, plan delivery.Plan, laid *reel.Reel) (string, error) {
	title := fmt.Sprintf("%s, %s", info.Name, plan.Spec.Title)
	return r.add(ctx, info.Production, "print", title, struct{}{}, func(tx pgx.Tx, id string) error {
		return r.Store.AddPrint(ctx, tx, id, info.ID, info.Revision, plan, laid)
	})
}

// Hold keeps a print from being begun, or pauses it: it goes on with what is whole when it is given a turn again.
func (r *Runner) Hold(ctx context.Context, id string) error {
	if err := r.Store.Hold(ctx, id); err != nil {
		return err
	}
	r.dropLost(ctx)
	return nil
}

// print makes the files, checks them, and publishes them with their report.
func (a *attempt) print(ctx context.Context) (end store.End, err error) {
	p, err := a.Store.Print(ctx, a.ID)
	if err != nil {
		return end, err
	}
	if p.Report != nil { // published before the work was interrupted
		receipt := desk.Receipt{Pass: true}
		if p.Receipt != nil {
			receipt = *p.Receipt
		}
		return verdict(*p.Report, receipt), nil
	}
	laid, err := a.Store.PrintedReel(ctx, a.ID)
	if err != nil {
		return end, err
	}
	return a.deliver(ctx, p, laid)
}

func verdict(r delivery.Report, receipt desk.Receipt) store.End {
	switch {
	case r.Pass && receipt.Pass:
		return said("Every check passed, and the desk accepts it")
	case r.Pass:
		return said("Printed, but the desk refuses it")
	}
	return said("Printed, but the check found something wanting")
}

// deliver makes the files of a print in the staging folder, checks and publishes them: what is printed first, then what is put
// together of that. What has been made before and not changed since is taken as it is. What is made on the way does not stay.
func (a *attempt) deliver(ctx context.Context, p store.Print, laid *reel.Reel) (end store.End, err error) {
	began := time.Now()
	made := &making{attempt: a}
	defer made.close()
	at, err := a.Store.RevisedAt(ctx, p.Reel, p.Revision) // so that a second print is the same bytes
	if err != nil {
		return end, err
	}
	stamp := delivery.Stamp{Date: at.Format("2006-01-02"), Time: at.Format("15:04:05")}
	session := a.Library.Session(ctx)
	defer session.Close()
	records, err := a.recordsOf(ctx, p.Plan, laid, session, made)
	if err != nil {
		return end, err
	}
	before, err := a.again(ctx, p.Reel, laid, made, records)
	if err != nil {
		return end, err
	}
	if before != nil {
		before.Report.Seconds, before.Report.Made = time.Since(began).Seconds(), 0
		return a.publish(ctx, records, *before.Report, *before.Receipt, delivery.Printed{})
	}
	if err := a.Room(max(0, p.Plan.Bytes()-records.linked)); err != nil {
		return end, err
	}
	printed, err := a.render(ctx, p.Plan, laid, session, made, records, stamp)
	if err != nil {
		return end, err
	}
	report, err := delivery.Verify(ctx, p.Plan, laid, printed, made.open, a.progress(ctx, 0.5, 0.65))
	if err != nil {
		return end, err
	}
	if err := a.muxAll(ctx, p.Plan, laid, made, records, &report); err != nil {
		return end, err
	}
	if err := made.tidy(p.Plan); err != nil {
		return end, err
	}
	receipt, err := a.prove(ctx, p.Plan, report)
	if err != nil {
		return end, err
	}
	report.Seconds, report.Made = time.Since(began).Seconds(), p.Plan.Samples(slices.Collect(maps.Keys(records.whole))...)
	report.CheckedBy = program()
	return a.publish(ctx, records, report, receipt, printed)
}

// publish gives the files that lie in the staging folder their place, with what was found of them.
func (a *attempt) publish(ctx context.Context, records *records, report delivery.Report, receipt desk.Receipt,
	printed delivery.Printed) (end store.End, err error) {
	folder := "prints/" + a.claim.Token
	if err := a.Media.Publish(a.staging(), folder); err != nil {
		return end, err
	}
	files := records.published(folder, report, printed)
	err = persist(ctx, func() error { return a.Store.SetReport(ctx, a.claim, folder, report, receipt, files) })
	if err == nil && records.long() {
		a.sweepSoon() // what was kept for another attempt
	}
	return verdict(report, receipt), err
}

// prove has the desk look at what was made, as a receiver would: at the files alone, with the spec.
func (a *attempt) prove(ctx context.Context, p delivery.Plan, report delivery.Report) (desk.Receipt, error) {
	inside, err := a.Media.Path(a.staged("x"))
	if err != nil {
		return desk.Receipt{}, err
	}
	sums := map[string]string{}
	for _, f := range report.Files {
		sums[f.Name] = f.SHA256
	}
	d, err := reception.OpenOurs(ctx, filepath.Dir(inside), sums)
	if err != nil {
		return desk.Receipt{}, err
	}
	defer d.Close()
	return desk.Check(ctx, d.Files, p.Sums, p.Spec, p.Packaging, a.progress(ctx, 0.85, 1))
}

// render writes the parts of a print, those at other rates at last.
func (a *attempt) render(ctx context.Context, p delivery.Plan, laid *reel.Reel, session *library.Session, made *making, records *records,
	stamp delivery.Stamp) (printed delivery.Printed, err error) {
	keep := func(parts []delivery.Part, printed delivery.Printed, resampled bool) error {
		if err := made.sync(); err != nil || !records.long() {
			return err
		}
		for _, part := range parts {
			if f := p.Files[part.File]; (f.Rate != p.Rate) == resampled {
				if err := records.keep(ctx, []string{part.Name}, groupsOf(p, part.File, printed)); err != nil {
					return err
				}
			}
		}
		return nil
	}
	printed, err = delivery.Print(ctx, p, laid, delivery.Press{Open: session.Open, Create: made.create, Stamp: stamp, Whole: records.whole,
		Progress: a.progress(ctx, 0, 0.45),
		Ranged:   func(parts []delivery.Part, printed delivery.Printed) error { return keep(parts, printed, false) }})
	if err != nil {
		return printed, err
	}
	if err := delivery.Resample(ctx, p, laid, printed, made.open, made.create, stamp, a.progress(ctx, 0.45, 0.5)); err != nil {
		return printed, err
	}
	return printed, keep(p.Parts(), printed, true)
}

// making holds the files of a print while they are made.
type making struct {
	*attempt
	written []media.File
	opened  []*os.File
	names   []string // of all that was written
}

func (m *making) create(name string) (delivery.Output, error) {
	f, err := m.Media.Create(m.staged(name))
	if err == nil {
		m.written, m.names = append(m.written, f), append(m.names, name)
	}
	return f, err
}

func (m *making) open(name string) (delivery.Opened, error) {
	f, size, err := m.Media.Open(m.staged(name))
	if err != nil {
		return delivery.Opened{}, err
	}
	m.opened = append(m.opened, f)
	return delivery.Opened{ReaderAt: f, Size: size}, nil
}

// sync has all that was written be on the disk, and lets go of it.
func (m *making) sync() error {
	defer func() {
		for _, f := range m.written {
			f.Close()
		}
		m.written = nil
	}()
	for _, f := range m.written {
		if err := f.Sync(); err != nil {
			return err
		}
	}
	return nil
}

func (m *making) close() {
	for _, f := range m.written {
		f.Close()
	}
	for _, f := range m.opened {
		f.Close()
	}
}

// tidy takes away what is no file of the plan.
func (m *making) tidy(p delivery.Plan) error {
	for _, name := range m.names {
		if slices.ContainsFunc(p.Files, func(f delivery.PlannedFile) bool { return f.Name == name }) {
			continue
		}
		if err := m.Media.RemoveAll(m.staged(name)); err != nil {
			return err
		}
	}
	return nil
}

// muxAll puts together the files that are no WAVE, and has another program look at them.
func (a *attempt) muxAll(ctx context.Context, p delivery.Plan, laid *reel.Reel, made *making, records *records,
	report *delivery.Report) error {
	var files []int
	for i, f := range p.Files {
		if f.Container != contract.Wave && f.Container != contract.BW64 {
			files = append(files, i)
		}
	}
	for n, i := range files {
		share := func(x float64) float64 { return 0.65 + 0.2*(float64(n)+x)/float64(len(files)) }
		if err := a.mux(ctx, p, i, laid, made, records, report, a.progress(ctx, share(0), share(1))); err != nil {
			return err
		}
	}
	// Files in the order of the plan.
	at := map[string]int{}
	for i, f := range p.Files {
		at[f.Name] = i
	}
	slices.SortStableFunc(report.Files, func(x, y delivery.DeliveredFile) int { return at[x.Name] - at[y.Name] })
	return nil
}

func (a *attempt) mux(ctx context.Context, p delivery.Plan, file int, laid *reel.Reel, made *making, records *records,
	report *delivery.Report, progress func(float64)) error {
	f := p.Files[file]
	m, path, shown, err := a.muxing(ctx, p, file, laid)
	if err != nil {
		return err
	}
	if err := records.takeMovie(ctx, m, shown, made); err != nil {
		return err
	}
	var parts []string
	for _, name := range m.Parts {
		local, err := a.Media.Path(a.staged(name))
		if err != nil {
			return err
		}
		parts = append(parts, local)
	}
	out, err := a.Media.Path(a.staged(f.Name))
	if err != nil {
		return err
	}
	seconds := float64(f.Frames) / float64(f.Rate)
	before, linked := records.whole[f.Name]
	if !linked {
		if err := intake.Mux(ctx, m, parts, path, out, seconds, func(x float64) { progress(0.6 * x) }); err != nil {
			return err
		}
	}
	found, err := intake.Streams(ctx, out)
	if err != nil {
		return err
	}
	var decoded []delivery.Decoded
	for i, name := range m.Parts {
		o, err := made.open(name)
		if err != nil {
			return err
		}
		part, err := wave.Open(o, o.Size)
		if err != nil {
			return err
		}
		d, err := intake.Compare(ctx, out, i, part)
		if err != nil {
			return err
		}
		decoded = append(decoded, d)
		progress(0.6 + 0.3*float64(i+1)/float64(len(m.Parts)))
	}
	findings := m.Check(found, decoded)
	if linked {
		findings = append(findings, contract.Finding{Rule: "audio", Severity: contract.OK, File: f.Name,
			Message: "Nothing that is in it has changed, so it was not put together again: it is, byte for byte, the file that was made " + before.When})
	}
	report.Hold(findings, p.Spec)
	o, err := made.open(f.Name)
	if err != nil {
		return err
	}
	d, err := delivery.Delivered(ctx, f.Name, o)
	if err != nil {
		return err
	}
	d.Linked = before.When
	report.Files = append(report.Files, d)
	progress(1)
	return records.keep(ctx, []string{f.Name}, map[string]delivery.Made{})
}

// muxing gives how a file is put together, with the path of the picture that goes into it and what tells that from others.
func (a *attempt) muxing(ctx context.Context, p delivery.Plan, file int, laid *reel.Reel) (m delivery.Muxing, path, shown string, err error) {
	var picture *delivery.Picture
	if p.Files[file].Picture {
		if picture, path, shown, err = a.picture(ctx, p, p.Files[file], laid.Head); err != nil {
			return m, "", "", err
		}
	}
	return p.Muxing(file, laid.Head, picture), path, shown, nil
}

// unchanged holds the file of a take to its checksum, as its sound is when it is opened: another movie in its place is not delivered.
func (a *attempt) unchanged(ctx context.Context, path string, t store.Take) error {
	f, err := os.Open(path)
	if err != nil {
		return media.Explain(err)
	}
	defer f.Close()
	sum, err := media.Hash(ctx, f)
	if err == nil && t.SHA256 != "" && sum != t.SHA256 {
		err = fault.New(fault.Damaged, "The picture %s is not the movie that was brought in: its file was changed, or the disk is failing. "+
			"Bring it in again and choose it in the Loom", t.FileName)
	}
	return err
}

// picture finds the reel's picture and how it goes into a file; sum tells what it is.
func (a *attempt) picture(ctx context.Context, p delivery.Plan, f delivery.PlannedFile, head reel.Head) (picture *delivery.Picture, path,
	sum string, err error) {
	t, err := a.Store.Take(ctx, head.Picture.Take)
	if err != nil || t.Picture == nil {
		return nil, "", "", fault.Wrap(fault.NotFound, err, "The picture of the reel is no longer there; choose another in the Loom and print again")
	}
	path, err = a.Media.Path(library.SourceKey(t.MediaKey, t.FileName))
	if err != nil {
		return nil, "", "", err
	}
	if err := a.unchanged(ctx, path, t); err != nil {
		return nil, "", "", err
	}
	contents, err := intake.Probe(ctx, path, t.FileName)
	if err != nil || contents.Movie == nil {
		return nil, "", "", fault.Wrap(fault.Damaged, err, "The picture %s can't be read any more; bring it in again", t.FileName)
	}
	how := p.PictureOf(f, head, delivery.Movie{Codec: contents.Movie.Codec, Rate: contents.Movie.FrameRate, Seconds: contents.Movie.Seconds})
	return &how, path, t.SHA256, nil
}
