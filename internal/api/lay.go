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
func (s *Server) LookAtLaying(c *gin.Context, id ProductionID) {
	var body LayChoice
	if !s.read(c, &body) {
		return
	}
	look, err := s.lookAtLaying(c, id, body)
	s.answer(c, http.StatusOK, look, err)
}

func (s *Server) lookAtLaying(ctx context.Context, production string, body LayChoice) (reel.Laying, error) {
	var onto *reel.Reel
	if body.Reel != nil {
		open, err := s.Store.Reel(ctx, *body.Reel)
		if err != nil {
			return reel.Laying{}, err
		}
		onto = open.Reel
	} else {
		p, err := s.Store.Production(ctx, production)
		if err != nil {
			return reel.Laying{}, err
		}
		if onto, err = s.Store.Begin(ctx, p, "New", nil); err != nil {
			return reel.Laying{}, err
		}
	}
	takes, err := s.toLay(ctx, body.Takes)
	if err != nil {
		return reel.Laying{}, err
	}
	sources, err := s.laySources(ctx, takes)
	if err != nil {
		return reel.Laying{}, err
	}
	command := laying(body.How)
	files := map[string][]string{}
	if !command.Plain {
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
	command.Takes = sources
	if command.Picture, err = s.pictureFor(ctx, production, onto); err != nil {
		return reel.Laying{}, err
	}
	look, err := command.Look(onto, s.Store.Known(ctx, production))
	for i := range look.Rows {
		look.Rows[i].Joined = files[look.Rows[i].Take]
	}
	return look, err
}

// laying is a command of which the takes are not known yet.
func laying(how LayHow) reel.LayTakes {
	is := func(b *bool) bool { return b != nil && *b }
	c := reel.LayTakes{Plain: is(how.Plain), Route: true, Start: how.Start, Choice: reel.Choice{Together: is(how.Together)}}
	if how.Channels != nil {
		c.Choice.Channels = *how.Channels
	}
	if how.Places != nil {
		c.At = *how.Places
	}
	return c
}

// pictureFor is the picture that a reel gets when something is laid on it: the one that there is, where its start is free.
func (s *Server) pictureFor(ctx context.Context, production string, onto *reel.Reel) (string, error) {
	if !onto.Placing().Free {
		return "", nil
	}
	return s.Store.OnePicture(ctx, production)
}

// LayTakes lays takes onto a reel. Monos of one part of a finished mix become one take first, which is a step of its own in the
// history of takes.
func (s *Server) LayTakes(c *gin.Context, id ReelID, p LayTakesParams) {
	var body LayRequest
	if !s.read(c, &body) {
		return
	}
	command := reel.LayTakes{Route: true}
	if body.How != nil {
		command = laying(*body.How)
	}
	sources, err := s.joined(c, author(c), body.Takes, command.Plain)
	if err != nil {
		s.fail(c, err)
		return
	}
	command.Takes, command.Choice.Reuse = sources, body.Reuse != nil && *body.Reuse
	command.Anyway = body.Anyway != nil && *body.Anyway
	open, err := s.Store.Reel(c, id)
	if err != nil {
		s.fail(c, err)
		return
	}
	if command.Picture, err = s.pictureFor(c, open.Production, open.Reel); err != nil {
		s.fail(c, err)
		return
	}
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
