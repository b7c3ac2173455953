package api

import (
	"context"
	"net/http"
	"slices"

	"github.com/gin-gonic/gin"

	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/internal/store"
)

// toLay finds takes that are to be laid; what has become part of another since is that other.
func (s *Server) toLay(ctx context.Context, ids []string) (takes []store.Take, err error) {
	seen := map[string]bool{}
	for _, id := range ids {
		t, err := s.Store.Take(ctx, id)
		if err == nil && t.PartOf != nil {
			t, err = s.Store.Take(ctx, *t.PartOf)
		}
		if err != nil {
			return nil, err
		}
		if len(takes) > 0 && t.Production != takes[0].Production {
			return nil, fault.New(fault.BadInput, "The takes are of two productions")
		}
		if len(t.Channels) == 0 {
			return nil, fault.New(fault.BadInput, "%s has no sound to lay", t.Title())
		}
		if !seen[t.ID] {
			seen[t.ID], takes = true, append(takes, t)
		}
	}
	return takes, nil
}

func (s *Server) laySources(ctx context.Context, takes []store.Take) ([]reel.Source, error) {
	stems, err := s.Store.Stems(ctx, takes[0].Production)
	if err != nil {
		return nil, err
	}
	var list []reel.Source
	for _, t := range takes {
		list = append(list, t.Source(store.ReelStems(stems)))
	}
	return list, nil
}

// LookAtLaying says how takes would be laid.
func (s *Server) LookAtLaying(c *gin.Context, id ReelID) {
	var body LayChoice
	if !s.read(c, &body) {
		return
	}
	list, err := s.lookAtLaying(c, id, body)
	s.answer(c, http.StatusOK, list, err)
}

func (s *Server) lookAtLaying(ctx context.Context, id string, body LayChoice) ([]reel.LaidTake, error) {
	open, err := s.Store.Reel(ctx, id)
	if err != nil {
		return nil, err
	}
	takes, err := s.toLay(ctx, body.Takes)
	if err != nil {
		return nil, err
	}
	sources, err := s.laySources(ctx, takes)
	if err != nil {
		return nil, err
	}
	plain := body.Plain != nil && *body.Plain
	files := map[string][]string{}
	if !plain {
		for _, join := range reel.Joins(sources) {
			var parts []reel.Source
			for _, id := range join {
				i := slices.IndexFunc(sources, func(x reel.Source) bool { return x.Take == id })
				parts = append(parts, sources[i])
				files[join[0]] = append(files[join[0]], takes[slices.IndexFunc(takes, func(t store.Take) bool { return t.ID == id })].FileName)
			}
			sources = slices.DeleteFunc(sources, func(x reel.Source) bool { return slices.Contains(join, x.Take) })
			sources = append(sources, reel.Joined(parts))
		}
	}
	rows, err := reel.LayTakes{Takes: sources, Plain: plain, Route: true}.Look(open.Reel)
	for i := range rows {
		rows[i].Joined = files[rows[i].Take]
	}
	return rows, err
}

// LayTakes lays several takes onto a reel. Monos of one part of a finished mix become one take first, which is a step of its own
// in the history of takes.
func (s *Server) LayTakes(c *gin.Context, id ReelID, p LayTakesParams) {
	var body LayRequest
	if !s.read(c, &body) {
		return
	}
	plain := body.Plain != nil && *body.Plain
	sources, err := s.joined(c, author(c), body.Takes, plain)
	if err != nil {
		s.fail(c, err)
		return
	}
	command := reel.LayTakes{Takes: sources, Plain: plain, Route: true, Reuse: body.Reuse != nil && *body.Reuse}
	o, err := s.Store.DoOnce(c, keyOf(p.IdempotencyKey), id, body.Revision, author(c),
		func(*reel.Reel) (reel.Command, error) { return command, nil })
	s.show(c, http.StatusOK, o, p.Since, err)
}

// joined gives the takes as they are laid, and makes those of several files that are to be.
func (s *Server) joined(ctx context.Context, author string, ids []string, plain bool) ([]reel.Source, error) {
	takes, err := s.toLay(ctx, ids)
	if err != nil {
		return nil, err
	}
	sources, err := s.laySources(ctx, takes)
	if err != nil || plain {
		return sources, err
	}
	joins := reel.Joins(sources)
	if len(joins) == 0 {
		return sources, nil
	}
	production := takes[0].Production
	for _, join := range joins {
		made, err := s.Store.Group(ctx, production, author, join)
		if err != nil {
			return nil, err
		}
		if _, err := s.Jobs.Diagnose(ctx, production, made); err != nil {
			return nil, err
		}
	}
	if takes, err = s.toLay(ctx, ids); err != nil { // the parts are their take now
		return nil, err
	}
	return s.laySources(ctx, takes)
}
