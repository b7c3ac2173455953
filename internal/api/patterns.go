package api

import (
	"context"
	"io"
	"net/http"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"zestyloom/core/fault"
	"zestyloom/core/pattern"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
)

// ListPatterns gives all patterns.
func (s *Server) ListPatterns(c *gin.Context) {
	list, err := s.Store.Patterns(c)
	s.answer(c, http.StatusOK, list, err)
}

// AddPattern saves a pattern that somebody has as a document.
func (s *Server) AddPattern(c *gin.Context, params AddPatternParams) {
	text, err := io.ReadAll(c.Request.Body)
	if err != nil {
		s.fail(c, err)
		return
	}
	p, err := pattern.Parse(text)
	if err == nil {
		err = begins(p)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	saved, err := s.Store.SavePattern(c, p, params.Replace != nil && *params.Replace)
	s.answer(c, http.StatusCreated, saved, err)
}

// begins tells what rule of reels a pattern breaks: better now than when a reel is to begin as it.
func begins(p reel.Pattern) error {
	if _, err := p.Begin(p.Name, 48000, timecode.Rates[0], 0); err != nil {
		return fault.New(fault.BadInput, "No reel can be as this pattern has it: %s", fault.Sentence(err))
	}
	return nil
}

// SavePattern saves what a reel has as a pattern.
func (s *Server) SavePattern(c *gin.Context, id ReelID, _ SavePatternParams) {
	var body PatternName
	if !s.read(c, &body) {
		return
	}
	open, err := s.Store.Reel(c, id)
	if err != nil {
		s.fail(c, err)
		return
	}
	about := ""
	if body.About != nil {
		about = *body.About
	}
	p := reel.PatternOf(open.Reel, body.Name, about)
	if p.Words, err = s.Store.Words(c, open.Production); err != nil {
		s.fail(c, err)
		return
	}
	saved, err := s.Store.SavePattern(c, p, body.Replace != nil && *body.Replace)
	s.answer(c, http.StatusCreated, saved, err)
}

// GetPatternSchema gives the JSON schema of patterns.
func (s *Server) GetPatternSchema(c *gin.Context) {
	c.Data(http.StatusOK, "application/schema+json", pattern.Schema())
}

// GetPattern gives a pattern as a document.
func (s *Server) GetPattern(c *gin.Context, id uuid.UUID) {
	saved, err := s.Store.Pattern(c, id.String())
	if err != nil {
		s.fail(c, err)
		return
	}
	text, err := pattern.Write(saved.Pattern)
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Data(http.StatusOK, "application/yaml", text)
}

// RemovePattern removes a pattern.
func (s *Server) RemovePattern(c *gin.Context, id uuid.UUID) {
	s.done(c, s.Store.RemovePattern(c, id.String()))
}

// source gives the pattern that is named, or that of the reel that is.
func (s *Server) source(ctx context.Context, saved, of *uuid.UUID) (reel.Pattern, error) {
	switch {
	case saved != nil && of == nil:
		p, err := s.Store.Pattern(ctx, saved.String())
		return p.Pattern, err
	case of != nil && saved == nil:
		open, err := s.Store.Reel(ctx, of.String())
		if err != nil {
			return reel.Pattern{}, err
		}
		p := reel.PatternOf(open.Reel, open.Reel.Head.Name, "")
		p.Words, err = s.Store.Words(ctx, open.Production)
		return p, err
	}
	return reel.Pattern{}, fault.New(fault.BadInput, "Name a pattern, or a reel to take it from")
}

// FitPattern says what a pattern would do to a reel.
func (s *Server) FitPattern(c *gin.Context, id ReelID) {
	var body PatternSource
	if !s.read(c, &body) {
		return
	}
	p, err := s.source(c, body.Pattern, body.Reel)
	if err != nil {
		s.fail(c, err)
		return
	}
	open, err := s.Store.Reel(c, id)
	if err != nil {
		s.fail(c, err)
		return
	}
	list, err := p.Fit(open.Reel)
	s.answer(c, http.StatusOK, list, err)
}

// ApplyPattern makes a reel as a pattern has it.
func (s *Server) ApplyPattern(c *gin.Context, id ReelID, params ApplyPatternParams) {
	var body PatternApplied
	if !s.read(c, &body) {
		return
	}
	p, err := s.source(c, body.Pattern, body.Reel)
	if err != nil {
		s.fail(c, err)
		return
	}
	command := reel.ApplyPattern{Pattern: p, Tracks: body.Tracks != nil && *body.Tracks, Yes: body.Yes != nil && *body.Yes}
	if body.Remove != nil {
		command.Remove = *body.Remove
	}
	o, err := s.Store.DoOnce(c, keyOf(params.IdempotencyKey), id, body.Revision, author(c),
		func(*reel.Reel) (reel.Command, error) { return command, nil })
	if err == nil {
		err = s.Store.Learn(c, o.Production, p.Words)
	}
	s.show(c, http.StatusOK, o, params.Since, err)
}
