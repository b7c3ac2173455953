package api

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"zestyloom/core/cutlist"
	"zestyloom/core/fault"
	"zestyloom/internal/jobs"
	"zestyloom/internal/library"
)

func (s *Server) library() library.Library { return library.Library{Store: s.Store, Media: s.Media} }

// maxList bounds a request with a cut list in it: as JSON its text may be twice as long.
const maxList = 2*cutlist.MaxBytes + maxBody

// ReadCutList says what a cut list would do to a reel. Nothing is changed.
func (s *Server) ReadCutList(c *gin.Context, id ReelID) {
	var body CutListText
	if !s.read(c, &body) {
		return
	}
	o, err := s.Store.Reel(c, id)
	if err != nil {
		s.fail(c, err)
		return
	}
	reading, err := s.library().Conform(c, o, body.Text)
	s.answer(c, http.StatusOK, reading, err)
}

// FollowCutList lays a reel out by a cut list, or has it follow a changed one.
func (s *Server) FollowCutList(c *gin.Context, id ReelID, p FollowCutListParams) {
	var body CutListText
	if !s.read(c, &body) {
		return
	}
	key := keyOf(p.IdempotencyKey)
	o, err := s.Store.Reel(c, id)
	if err != nil {
		s.fail(c, err)
		return
	}
	done, err := s.Store.Done(c, id, key)
	if done || err != nil { // by this very request, whose answer was lost
		s.show(c, http.StatusOK, o, p.Since, err)
		return
	}
	if o.Revision != body.Revision {
		s.fail(c, fault.New(fault.Stale, "Somebody has changed this reel since you read the list; read it again to see what it does now"))
		return
	}
	o, err = s.library().Follow(c, o, author(c), key, body.Name, body.Text)
	s.show(c, http.StatusOK, o, p.Since, err)
}

// GetCutList gives the cut list that a reel follows.
func (s *Server) GetCutList(c *gin.Context, id ReelID) {
	o, err := s.Store.Reel(c, id)
	if err == nil && o.Reel.Head.CutList == "" {
		err = fault.New(fault.NotFound, "%s follows no cut list", o.Name)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	list, err := s.Store.CutList(c, o.Reel.Head.CutList)
	s.answer(c, http.StatusOK, list, err)
}

// HandReelOver queues the writing of a reel for whoever carries on with it.
func (s *Server) HandReelOver(c *gin.Context, id ReelID, _ HandReelOverParams) {
	var body ReelOut
	if !s.read(c, &body) {
		return
	}
	o, err := s.Store.Reel(c, id)
	if err != nil {
		s.fail(c, err)
		return
	}
	how := jobs.ReelOut{Tracks: body.Tracks != nil && *body.Tracks}
	if body.Handle != nil {
		how.Handle = new(float64(*body.Handle))
	}
	work, err := s.Jobs.HandReelOver(c, o, how)
	s.answer(c, http.StatusAccepted, gin.H{"work": work}, err)
}

// ReadHandedOver makes a reel of what HandReelOver wrote.
func (s *Server) ReadHandedOver(c *gin.Context, id ProductionID, _ ReadHandedOverParams) {
	var body HandedOver
	if !s.read(c, &body) {
		return
	}
	p, err := s.Store.Production(c, id)
	if err != nil {
		s.fail(c, err)
		return
	}
	reel, notes, err := s.Jobs.ReadHandedOver(c, p, author(c), body.Name, []byte(body.Text))
	s.answer(c, http.StatusCreated, HandedReel{Id: reel, Notes: append([]string{}, notes...)}, err)
}
