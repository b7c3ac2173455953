package api

import (
	"context"
	"io"
	"maps"
	"net/http"
	"slices"

	"github.com/gin-gonic/gin"

	"zestyloom/core/contract"
	"zestyloom/core/delivery"
	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/internal/store"
)

// specs gives the shipped specs and then those of the users' own that a production has, which take the place of shipped ones
// with the same ID.
func (s *Server) specs(ctx context.Context, production string) ([]store.ListedSpec, error) {
	shipped, err := contract.Shipped()
	if err != nil {
		return nil, err
	}
	own, err := s.Store.Specs(ctx, production)
	if err != nil {
		return nil, err
	}
	var specs []store.ListedSpec
	for _, spec := range shipped {
		if _, taken := own[spec.ID]; !taken {
			specs = append(specs, store.ListedSpec{Spec: spec, Kept: store.Shipped})
		}
	}
	for _, id := range slices.Sorted(maps.Keys(own)) {
		spec, err := contract.Parse([]byte(own[id].Text))
		if err != nil {
			s.Log.Warn("a stored spec is no longer valid", "spec", id, "error", err)
			continue
		}
		specs = append(specs, store.ListedSpec{Spec: spec, Kept: own[id].Kept(), Version: own[id].Version})
	}
	return specs, nil
}

// spec finds one of a production's specs.
func (s *Server) spec(ctx context.Context, production, id string) (contract.Spec, error) {
	specs, err := s.specs(ctx, production)
	if err != nil {
		return contract.Spec{}, err
	}
	for _, spec := range specs {
		if spec.ID == id {
			return spec.Spec, nil
		}
	}
	if id == "" {
		return contract.Spec{}, fault.New(fault.BadInput, "Choose a delivery spec for this reel first")
	}
	return contract.Spec{}, fault.New(fault.NotFound, "There is no delivery spec %q on this server", id)
}

// ListSpecs gives all specs that a production can choose from.
func (s *Server) ListSpecs(c *gin.Context, p ListSpecsParams) {
	specs, err := s.specs(c, text(p.Production))
	s.answer(c, http.StatusOK, specs, err)
}

func text(t *string) string {
	if t == nil {
		return ""
	}
	return *t
}

// AddSpec keeps a user's spec, for a production or for all.
func (s *Server) AddSpec(c *gin.Context, p AddSpecParams) {
	written, err := io.ReadAll(c.Request.Body)
	if err != nil {
		s.fail(c, err)
		return
	}
	spec, err := contract.Parse(written)
	if err == nil {
		err = notShipped(spec.ID)
	}
	if err == nil && text(p.Production) != "" {
		_, err = s.Store.Production(c, text(p.Production))
	}
	if err == nil {
		err = s.Store.PutSpec(c, text(p.Production), spec.ID, string(written), author(c))
	}
	s.answer(c, http.StatusCreated, spec, err)
}

// notShipped refuses the ID of a spec that ships: who chooses that means what ships.
func notShipped(id string) error {
	shipped, err := contract.Shipped()
	if id == delivery.AsIsID {
		return fault.New(fault.BadInput, "%s is what a print of a reel without a spec is called; give yours another id", id)
	}
	if err == nil && slices.ContainsFunc(shipped, func(x contract.Spec) bool { return x.ID == id }) {
		err = fault.New(fault.BadInput, "A spec called %s ships with the program; give yours another id", id)
	}
	return err
}

// GetSpecText gives a spec as it is written, or was in an earlier version.
func (s *Server) GetSpecText(c *gin.Context, id string, p GetSpecTextParams) {
	versions, err := s.Store.SpecVersions(c, text(p.Production), id)
	if err != nil {
		s.fail(c, err)
		return
	}
	answer := SpecText{Id: id, Kept: store.Shipped, Example: []string{}}
	if p.Version != nil {
		versions = slices.DeleteFunc(versions, func(o store.OwnSpec) bool { return o.Version != *p.Version })
	}
	if len(versions) > 0 {
		answer.Text, answer.Kept, answer.Version = versions[0].Text, versions[0].Kept(), &versions[0].Version
	} else if written, there := contract.ShippedText(id); there && p.Version == nil {
		answer.Text = string(written)
	} else {
		s.fail(c, fault.New(fault.NotFound, "There is no delivery spec %q on this server, or not in this version", id))
		return
	}
	spec, err := contract.Parse([]byte(answer.Text))
	answer.Title = spec.Title
	for _, f := range spec.Files {
		if name, err := f.Example(spec); err == nil {
			answer.Example = append(answer.Example, name)
		}
	}
	s.answer(c, http.StatusOK, answer, err)
}

// ListSpecVersions gives what a spec of the users' own is and was, the newest first.
func (s *Server) ListSpecVersions(c *gin.Context, id string, p ListSpecVersionsParams) {
	versions, err := s.Store.SpecVersions(c, text(p.Production), id)
	if _, shipped := contract.ShippedText(id); err == nil && len(versions) == 0 && !shipped {
		err = fault.New(fault.NotFound, "There is no delivery spec %q on this server", id)
	}
	list := []SpecVersion{}
	for _, o := range versions {
		list = append(list, SpecVersion{Version: o.Version, Author: o.Author, KeptAt: o.KeptAt})
	}
	s.answer(c, http.StatusOK, list, err)
}

// GetSpecSchema gives the JSON schema of specs.
func (s *Server) GetSpecSchema(c *gin.Context) {
	c.Data(http.StatusOK, "application/schema+json", contract.Schema())
}

// ChooseSpec lays a spec's outputs out on a reel.
func (s *Server) ChooseSpec(c *gin.Context, id ReelID, p ChooseSpecParams) {
	var body SpecChoice
	if !s.read(c, &body) {
		return
	}
	was, err := s.Store.Reel(c, id)
	var spec contract.Spec
	if err == nil {
		spec, err = s.spec(c, was.Production, body.Spec)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	o, err := s.Store.DoOnce(c, keyOf(p.IdempotencyKey), id, body.Revision, author(c), func(r *reel.Reel) (reel.Command, error) {
		lay, err := delivery.LayOut(spec, r)
		lay.Yes = body.Yes != nil && *body.Yes
		return lay, err
	})
	s.show(c, http.StatusOK, o, p.Since, err)
}

// RemoveSpec removes a spec of the users' own.
func (s *Server) RemoveSpec(c *gin.Context, id string, p RemoveSpecParams) {
	s.done(c, s.Store.RemoveSpec(c, text(p.Production), id))
}
