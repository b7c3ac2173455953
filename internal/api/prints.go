package api

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"net/http"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"zestyloom/core/delivery"
	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/internal/store"
)

// specs gives the shipped specs and then the user's own, which take the place of shipped ones with the same ID.
func (s *Server) specs(ctx context.Context) ([]delivery.Spec, error) {
	specs, err := delivery.Shipped()
	if err != nil {
		return nil, err
	}
	texts, err := s.Store.Specs(ctx)
	if err != nil {
		return nil, err
	}
	for id, text := range texts {
		spec, err := delivery.ParseSpec([]byte(text))
		if err != nil {
			s.Log.Warn("a stored spec is no longer valid", "spec", id, "error", err)
			continue
		}
		specs = slices.DeleteFunc(specs, func(x delivery.Spec) bool { return x.ID == id })
		specs = append(specs, spec)
	}
	return specs, nil
}

func (s *Server) spec(ctx context.Context, id string) (delivery.Spec, error) {
	specs, err := s.specs(ctx)
	if err != nil {
		return delivery.Spec{}, err
	}
	for _, spec := range specs {
		if spec.ID == id {
			return spec, nil
		}
	}
	if id == "" {
		return delivery.Spec{}, fault.New(fault.BadInput, "Choose a delivery spec for this reel first")
	}
	return delivery.Spec{}, fault.New(fault.NotFound, "There is no delivery spec %q on this server", id)
}

// ListSpecs gives all specs.
func (s *Server) ListSpecs(c *gin.Context) {
	specs, err := s.specs(c)
	s.answer(c, http.StatusOK, specs, err)
}

// AddSpec stores a user's spec.
func (s *Server) AddSpec(c *gin.Context) {
	text, err := io.ReadAll(c.Request.Body)
	if err != nil {
		s.fail(c, err)
		return
	}
	spec, err := delivery.ParseSpec(text)
	if err == nil {
		err = notShipped(spec.ID)
	}
	if err == nil {
		err = s.Store.PutSpec(c, spec.ID, string(text))
	}
	s.answer(c, http.StatusCreated, spec, err)
}

// notShipped refuses the ID of a spec that ships: who chooses that means what ships.
func notShipped(id string) error {
	shipped, err := delivery.Shipped()
	if err == nil && slices.ContainsFunc(shipped, func(x delivery.Spec) bool { return x.ID == id }) {
		err = fault.New(fault.BadInput, "A spec called %s ships with the program; give yours another id", id)
	}
	return err
}

// GetSpecSchema gives the JSON schema of specs.
func (s *Server) GetSpecSchema(c *gin.Context) {
	c.Data(http.StatusOK, "application/schema+json", delivery.Schema())
}

// ChooseSpec lays a spec's outputs out on a reel.
func (s *Server) ChooseSpec(c *gin.Context, id ReelID, p ChooseSpecParams) {
	var body SpecChoice
	if !s.read(c, &body) {
		return
	}
	spec, err := s.spec(c, body.Spec)
	if err != nil {
		s.fail(c, err)
		return
	}
	o, err := s.Store.DoOnce(c, keyOf(p.IdempotencyKey), id, body.Revision, author(c), func(r *reel.Reel) (reel.Command, error) {
		lay, err := spec.LayOut(r)
		lay.Yes = body.Yes != nil && *body.Yes
		return lay, err
	})
	s.show(c, http.StatusOK, o, p.Since, err)
}

// plan works out what a request to print means.
func (s *Server) plan(c *gin.Context, id string) (o store.OpenReel, plan delivery.Plan, laid *reel.Reel, ok bool) {
	var body PrintRequest
	if !s.read(c, &body) {
		return o, plan, nil, false
	}
	o, err := s.Store.Reel(c, id)
	if err != nil {
		s.fail(c, err)
		return o, plan, nil, false
	}
	if body.Revision != nil && *body.Revision != o.Revision {
		s.fail(c, s.changedSince(c, o, *body.Revision))
		return o, plan, nil, false
	}
	p, err := s.Store.Production(c, o.Production)
	if err != nil {
		s.fail(c, err)
		return o, plan, nil, false
	}
	specID := o.Reel.Head.Spec
	if body.Spec != nil && *body.Spec != "" {
		specID = *body.Spec
	}
	spec, err := s.spec(c, specID)
	if err != nil {
		s.fail(c, err)
		return o, plan, nil, false
	}
	var packaging delivery.Packaging
	if body.Packaging != nil {
		packaging = *body.Packaging
	}
	if plan, laid, err = delivery.NewPlan(p.Name, o.Reel, spec, packaging); err == nil {
		plan.Revision = o.Revision
		err = s.sources(c, &plan, laid)
	}
	if err != nil {
		s.fail(c, err)
		return o, plan, nil, false
	}
	return o, plan, laid, true
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
		plan.Findings = append(plan.Findings, delivery.Finding{Rule: "source", Severity: delivery.Error, Message: fault.Sentence(err)})
	}
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
	return fault.New(fault.Stale, "The reel has been changed since you looked at the plan (%s). Nothing was printed; look at the plan again", strings.Join(did, ", "))
}

// PlanPrint gives what a print would write, and what is wrong.
func (s *Server) PlanPrint(c *gin.Context, id ReelID) {
	if _, plan, _, ok := s.plan(c, id); ok {
		c.JSON(http.StatusOK, plan)
	}
}

// StartPrint queues a print.
func (s *Server) StartPrint(c *gin.Context, id ReelID) {
	o, plan, laid, ok := s.plan(c, id)
	if !ok {
		return
	}
	if !plan.Printable() {
		for _, f := range plan.Findings {
			if f.Severity == delivery.Error {
				s.fail(c, fault.New(fault.BadInput, "%s", f.Message))
				return
			}
		}
	}
	work, err := s.Jobs.Print(c, o.ReelInfo, plan, laid)
	if err != nil {
		s.fail(c, err)
		return
	}
	p, err := s.Store.Print(c, work)
	c.Header("Location", Base+"/prints/"+work)
	s.answer(c, http.StatusAccepted, p, err)
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

// RemoveSpec removes a spec of the user's own.
func (s *Server) RemoveSpec(c *gin.Context, id string) { s.done(c, s.Store.RemoveSpec(c, id)) }

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

// GetPrintArchive sends all files with the report and a manifest that sha256sum reads.
func (s *Server) GetPrintArchive(c *gin.Context, id PrintID) {
	p, ok := s.delivered(c, id)
	if !ok {
		return
	}
	report, err := json.MarshalIndent(p.Report, "", "  ")
	if err != nil {
		s.fail(c, err)
		return
	}
	manifest := ""
	for _, f := range p.Report.Files {
		manifest += fmt.Sprintf("%s  %s\n", f.SHA256, f.Name)
	}
	a := s.archive(c, p.Plan.Spec.ID, p.CreatedAt)
	for _, f := range p.Report.Files {
		a.file(p.Folder+"/"+f.Name, f.Name, f.Size)
	}
	a.add("report.json", bytes.NewReader(report))
	a.add("manifest.sha256", strings.NewReader(manifest))
	a.close()
}
