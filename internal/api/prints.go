package api

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"math"
	"net/http"
	"path"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"zestyloom/core/contract"
	"zestyloom/core/delivery"
	"zestyloom/core/fault"
	"zestyloom/core/gauge"
	"zestyloom/core/reel"
	"zestyloom/internal/papers"
	"zestyloom/internal/store"
)

// wanted is a print that is asked for.
type wanted struct {
	reel     string
	revision *int64
	spec     contract.Spec
	asked    delivery.Asked
}

// wants reads a request to print. A spec that is only tried may come with it.
func (s *Server) wants(c *gin.Context, id string, trying bool) (w wanted, err error) {
	var body PrintRequest
	if !s.read(c, &body) {
		return w, errAnswered
	}
	w = wanted{reel: id, revision: body.Revision}
	if body.Packaging != nil {
		w.asked.Packaging = *body.Packaging
	}
	if body.Range != nil {
		w.asked.Range = *body.Range
	}
	w.asked.Restamp = body.Restamp != nil && *body.Restamp
	if body.Text != nil && trying {
		w.spec, err = contract.Parse([]byte(*body.Text))
		return w, err
	}
	named := ""
	if body.Spec != nil {
		named = *body.Spec
	}
	o, err := s.Store.Reel(c, id)
	if err != nil {
		return w, err
	}
	w.spec, err = s.specFor(c, o, named)
	return w, err
}

// specFor is the spec that a reel is printed by: the one that is named, else its own, else its outputs as they are.
func (s *Server) specFor(ctx context.Context, o store.OpenReel, named string) (contract.Spec, error) {
	named = cmp.Or(named, o.Reel.Head.Spec)
	if len(o.Reel.Groups) > 0 && (named == "" || named == delivery.AsIsID) {
		return delivery.AsIs(o.Reel), nil
	}
	return s.spec(ctx, o.Production, named)
}

// errAnswered says that the request has had its answer.
var errAnswered = errors.New("answered")

// plan works out what a print that is asked for would write.
func (s *Server) plan(ctx context.Context, w wanted) (o store.OpenReel, plan delivery.Plan, laid *reel.Reel, err error) {
	if o, err = s.Store.Reel(ctx, w.reel); err != nil {
		return o, plan, nil, err
	}
	if w.revision != nil && *w.revision != o.Revision {
		return o, plan, nil, s.changedSince(ctx, o, *w.revision)
	}
	p, err := s.Store.Production(ctx, o.Production)
	if err != nil {
		return o, plan, nil, err
	}
	w.asked.Date = time.Now().Format(time.DateOnly)
	if w.asked.Version, err = s.Store.PrintsOf(ctx, w.reel, w.spec.ID); err != nil {
		return o, plan, nil, err
	}
	w.asked.Version++
	if plan, laid, err = delivery.NewPlan(p.Name, o.Reel, w.spec, w.asked); err != nil {
		return o, plan, nil, err
	}
	plan.Revision = o.Revision
	if free, err := s.Media.Free(); err == nil { // where that is not known, the disk says so itself
		plan.Needs(free)
	}
	pace, err := s.Store.PrintPace(ctx, plan.Movie())
	if err != nil {
		return o, plan, nil, err
	}
	plan.Seconds = pace * float64(plan.Samples())
	if err = s.sources(ctx, &plan, laid); err == nil {
		err = s.pictures(ctx, &plan, laid)
	}
	if err == nil {
		err = s.corrections(ctx, &plan, laid)
	}
	return o, plan, laid, err
}

// corrections notes those that were worked out on what their groups are no more.
func (s *Server) corrections(ctx context.Context, plan *delivery.Plan, laid *reel.Reel) error {
	session := s.library().Session(ctx)
	defer session.Close()
	for _, c := range laid.CorrectionList() {
		if c.Off {
			continue
		}
		basis, err := gauge.Basis(laid, c.Of, session.Sound)
		if err != nil {
			return err
		}
		if basis != c.Basis {
			plan.Outdated(laid.Groups[c.Of].Name)
		}
	}
	return nil
}

// begin queues a print; a plan that stops it is BadInput.
func (s *Server) begin(ctx context.Context, w wanted) (id string, err error) {
	o, plan, laid, err := s.plan(ctx, w)
	if err != nil {
		return "", err
	}
	if !plan.Printable() {
		for _, f := range plan.Findings {
			if f.Severity == contract.Error {
				return "", fault.New(fault.BadInput, "%s", f.Message)
			}
		}
	}
	return s.Jobs.Print(ctx, o.ReelInfo, plan, laid)
}

// sources puts into a plan what is wrong with the sound that the reel plays: a file that is missing, cut short or no
// longer what was taken in.
func (s *Server) sources(ctx context.Context, plan *delivery.Plan, r *reel.Reel) error {
	session := s.library().Session(ctx)
	defer session.Close()
	for _, id := range r.TakesHeard() {
		_, err := session.Open(id)
		if err == nil {
			continue
		}
		if fault.KindOf(err) == "" {
			return err
		}
		plan.Findings = append(plan.Findings, contract.Finding{Rule: "source", Severity: contract.Error, Message: fault.Sentence(err)})
	}
	return nil
}

// pictures says what becomes of the reel's picture in the files that have it.
func (s *Server) pictures(ctx context.Context, plan *delivery.Plan, r *reel.Reel) error {
	if r.Head.Picture.Take == "" || !slices.ContainsFunc(plan.Files, func(f delivery.PlannedFile) bool { return f.Picture }) {
		return nil
	}
	t, err := s.Store.Take(ctx, r.Head.Picture.Take)
	if err != nil || t.Picture == nil {
		plan.Findings = append(plan.Findings, contract.Finding{Rule: "picture", Severity: contract.Error,
			Message: "The picture of the reel is no longer there; choose another in the Loom"})
		return nil
	}
	plan.SayPictures(r.Head, delivery.Movie{Codec: t.Picture.Codec, Rate: t.Picture.FrameRate,
		Seconds: float64(t.Description.Frames) / float64(t.Description.SampleRate)})
	return nil
}

// changedSince says what was done to a reel after a revision.
func (s *Server) changedSince(ctx context.Context, o store.OpenReel, revision int64) error {
	const shown = 3
	steps, err := s.Store.History(ctx, o.ID, math.MaxInt64, int(min(max(o.Revision-revision, 1), 100)))
	if err != nil {
		return err
	}
	var did []string
	for _, st := range steps {
		if did = append(did, fmt.Sprintf("%s by %s", st.Name, st.Author)); len(did) == shown && len(steps) > shown {
			did = append(did, fmt.Sprintf("and %d more", len(steps)-shown))
			break
		}
	}
	return fault.New(fault.Stale, "The reel has been changed since you looked at the plan (%s). Nothing was printed; look at the plan again",
		strings.Join(did, ", "))
}

// PlanPrint gives what a print would write, and what is wrong.
func (s *Server) PlanPrint(c *gin.Context, id ReelID) {
	w, err := s.wants(c, id, true)
	if errors.Is(err, errAnswered) {
		return
	}
	var plan delivery.Plan
	if err == nil {
		_, plan, _, err = s.plan(c, w)
	}
	s.answer(c, http.StatusOK, plan, err)
}

// StartPrint queues a print.
func (s *Server) StartPrint(c *gin.Context, id ReelID, _ StartPrintParams) {
	w, err := s.wants(c, id, false)
	if errors.Is(err, errAnswered) {
		return
	}
	work := ""
	if err == nil {
		work, err = s.begin(c, w)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	p, err := s.Store.Print(c, work)
	c.Header("Location", Base+"/prints/"+work)
	s.answer(c, http.StatusAccepted, p, err)
}

// QueuePrints queues several prints.
func (s *Server) QueuePrints(c *gin.Context, id ProductionID, _ QueuePrintsParams) {
	var body []ReelPrint
	if !s.read(c, &body) {
		return
	}
	answers := make([]QueueAnswer, len(body))
	for i, b := range body {
		answers[i] = QueueAnswer{Reel: b.Reel, Spec: b.Spec}
		var spec contract.Spec
		o, err := s.Store.Reel(c, b.Reel)
		if err == nil && o.Production != id {
			err = fault.New(fault.NotFound, "The reel is of another production")
		}
		if err == nil {
			spec, err = s.specFor(c, o, b.Spec)
		}
		if err == nil {
			answers[i].Print, err = s.begin(c, wanted{reel: b.Reel, spec: spec,
				asked: delivery.Asked{Restamp: b.Restamp != nil && *b.Restamp}})
		}
		if err != nil && fault.KindOf(err) == "" {
			s.fail(c, err)
			return
		}
		if err != nil {
			answers[i].Message = fault.Sentence(err)
		}
	}
	c.JSON(http.StatusAccepted, answers)
}

// PrintQueue gives the prints of a production that wait and run.
func (s *Server) PrintQueue(c *gin.Context, id ProductionID) {
	list, err := s.Store.PrintQueue(c, id)
	s.answer(c, http.StatusOK, list, err)
}

// SetTurn has a print come before another, or wait until it is given a turn again.
func (s *Server) SetTurn(c *gin.Context, id WorkID) {
	var body Turn
	if !s.read(c, &body) {
		return
	}
	before := ""
	if body.Before != nil {
		before = *body.Before
	}
	if body.Hold != nil && *body.Hold {
		s.done(c, s.Jobs.Hold(c, id))
		return
	}
	s.done(c, s.Store.SetTurn(c, id, before))
}

// ListPrints gives a reel's prints.
func (s *Server) ListPrints(c *gin.Context, id ReelID, p ListPrintsParams) {
	list, err := s.Store.Prints(c, id, pageOf(p.Limit, p.Before))
	s.answer(c, http.StatusOK, list, err)
}

// GetPrint gives one print.
func (s *Server) GetPrint(c *gin.Context, id PrintID) {
	p, err := s.Store.Print(c, id)
	s.answer(c, http.StatusOK, p, err)
}

// delivered finds a print whose files can be fetched.
func (s *Server) delivered(c *gin.Context, id string) (store.Print, bool) {
	p, err := s.Store.Print(c, id)
	if err == nil && p.Report == nil {
		err = fault.New(fault.NotFound, "This print has no files; it was not finished")
	}
	if err != nil {
		s.fail(c, err)
	}
	return p, err == nil
}

// RemovePrint removes a print with its files.
func (s *Server) RemovePrint(c *gin.Context, id PrintID) {
	_, err := s.Store.Print(c, id)
	if err == nil {
		err = s.Jobs.Remove(c, id)
	}
	s.done(c, err)
}

// GetPrintedFile sends one file, also in parts.
func (s *Server) GetPrintedFile(c *gin.Context, id PrintID, name string) {
	p, ok := s.delivered(c, id)
	if !ok {
		return
	}
	i := slices.IndexFunc(p.Report.Files, func(f delivery.DeliveredFile) bool { return f.Name == name })
	if i < 0 {
		s.fail(c, fault.New(fault.NotFound, "This print has no file %q", name))
		return
	}
	s.send(c, p.Folder+"/"+name, name, p.Report.Files[i].SHA256, p.CreatedAt)
}

func (s *Server) papersOf(ctx context.Context, p store.Print) ([]papers.Paper, error) {
	laid, err := s.Store.PrintedReel(ctx, p.ID)
	if err != nil {
		return nil, err
	}
	return papers.Of(p, laid)
}

// GetPrintArchive sends all files with the report and a manifest that sha256sum reads.
func (s *Server) GetPrintArchive(c *gin.Context, id PrintID) {
	p, ok := s.delivered(c, id)
	if !ok {
		return
	}
	sheets, err := s.papersOf(c, p)
	if err != nil {
		s.fail(c, err)
		return
	}
	folder := p.Plan.Folder()
	a := s.archive(c, folder, p.CreatedAt)
	for _, f := range p.Report.Files {
		a.file(p.Folder+"/"+f.Name, folder+"/"+f.Name, f.Size, f.SHA256)
	}
	for _, sheet := range sheets {
		a.add(folder+"/"+sheet.Name, bytes.NewReader(sheet.Text))
	}
	a.close()
}

// GetPaper gives one of the papers that lie beside the files of a print.
func (s *Server) GetPaper(c *gin.Context, id PrintID, name string) {
	p, ok := s.delivered(c, id)
	if !ok {
		return
	}
	sheets, err := s.papersOf(c, p)
	at := slices.IndexFunc(sheets, func(x papers.Paper) bool { return path.Base(x.Name) == name })
	if err == nil && at < 0 {
		err = fault.New(fault.NotFound, "This print has no paper %q", name)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	kinds := map[string]string{".html": "text/html; charset=utf-8", ".pdf": "application/pdf", ".json": "application/json",
		".csv": "text/csv; charset=utf-8", ".yaml": "application/yaml"}
	kind := kinds[path.Ext(name)]
	if kind == "" {
		kind = "text/plain; charset=utf-8"
	}
	c.Data(http.StatusOK, kind, sheets[at].Text)
}

// ListReceivers gives the names of the folders that deliveries may be written to.
func (s *Server) ListReceivers(c *gin.Context) { c.JSON(http.StatusOK, s.Jobs.Receivers.Names()) }

// HandOver queues the writing of a print's files into a folder of the server.
func (s *Server) HandOver(c *gin.Context, id PrintID, _ HandOverParams) {
	var body HandOverRequest
	if !s.read(c, &body) {
		return
	}
	p, ok := s.delivered(c, id)
	if !ok {
		return
	}
	o, err := s.Store.Reel(c, p.Reel)
	work := ""
	if err == nil {
		work, err = s.Jobs.HandOver(c, o.Production, p, body.Folder)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	w, err := s.Store.Work(c, work)
	s.answer(c, http.StatusAccepted, w, err)
}
