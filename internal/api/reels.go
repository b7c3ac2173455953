package api

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/core/weave"
	"zestyloom/internal/store"
)

// view makes what the interface shows of a reel.
func view(o store.OpenReel) ReelView {
	v := ReelView{
		Id: o.ID, Production: o.Production, Name: o.Name, Revision: o.Revision, Head: o.Reel.Head, End: o.Reel.End(),
		Stems: o.Reel.StemList(), Tracks: o.Reel.TrackList(), Clips: o.Reel.ClipList(), Groups: o.Reel.GroupList(), Outputs: o.Reel.OutputList(),
		Knots: o.Reel.KnotList(), Routes: weave.Routes(o.Reel), Findings: weave.Findings(o.Reel), Undo: o.Undo, Redo: o.Redo,
	}
	v.Tracks, v.Clips, v.Groups, v.Outputs, v.Knots = some(v.Tracks), some(v.Clips), some(v.Groups), some(v.Outputs), some(v.Knots)
	return v
}

// some makes an empty list of none, which JSON would write as null.
func some[T any](list []T) []T {
	if list == nil {
		return []T{}
	}
	return list
}

func (s *Server) show(c *gin.Context, status int, o store.OpenReel, err error) {
	if err != nil {
		s.fail(c, err)
		return
	}
	c.JSON(status, view(o))
}

// ListReels gives a production's reels.
func (s *Server) ListReels(c *gin.Context, id ProductionID) {
	list, err := s.Store.Reels(c, id)
	s.answer(c, http.StatusOK, list, err)
}

// CreateReel makes an empty reel.
func (s *Server) CreateReel(c *gin.Context, id ProductionID) {
	var body NewReel
	if !s.read(c, &body) {
		return
	}
	p, err := s.Store.Production(c, id)
	if err != nil {
		s.fail(c, err)
		return
	}
	start, err := p.FrameRate.ParseSample(body.Start, p.SampleRate)
	if err != nil {
		s.fail(c, err)
		return
	}
	reelID, err := s.Store.CreateReel(c, p, body.Name, start)
	if err != nil {
		s.fail(c, err)
		return
	}
	o, err := s.Store.Reel(c, reelID)
	s.show(c, http.StatusCreated, o, err)
}

// GetReel gives a reel as it is now.
func (s *Server) GetReel(c *gin.Context, id ReelID) {
	o, err := s.Store.Reel(c, id)
	s.show(c, http.StatusOK, o, err)
}

// GetHistory gives the newest steps.
func (s *Server) GetHistory(c *gin.Context, id ReelID) {
	steps, err := s.Store.History(c, id, 500)
	s.answer(c, http.StatusOK, steps, err)
}

// DoCommand does a command of core/reel.
func (s *Server) DoCommand(c *gin.Context, id ReelID) {
	var body CommandRequest
	if !s.read(c, &body) {
		return
	}
	command, err := reel.Decode(body.Kind, body.Command)
	if err != nil {
		s.fail(c, err)
		return
	}
	o, err := s.Store.Do(c, id, body.Revision, author(c), func(*reel.Reel) (reel.Command, error) { return command, nil })
	s.show(c, http.StatusOK, o, err)
}

// UndoReel takes the newest command back.
func (s *Server) UndoReel(c *gin.Context, id ReelID) {
	var body AtRevision
	if s.read(c, &body) {
		o, err := s.Store.Undo(c, id, body.Revision, author(c))
		s.show(c, http.StatusOK, o, err)
	}
}

// RedoReel brings it back.
func (s *Server) RedoReel(c *gin.Context, id ReelID) {
	var body AtRevision
	if s.read(c, &body) {
		o, err := s.Store.Redo(c, id, body.Revision, author(c))
		s.show(c, http.StatusOK, o, err)
	}
}

// TieKnots ties a row to an output in the natural way.
func (s *Server) TieKnots(c *gin.Context, id ReelID) {
	var body TieRequest
	if !s.read(c, &body) {
		return
	}
	o, err := s.Store.Do(c, id, body.Revision, author(c), func(r *reel.Reel) (reel.Command, error) {
		output, ok := r.Output(body.Output)
		if !ok {
			return nil, fault.New(fault.NotFound, "There is no output %q on this reel", body.Output)
		}
		return reel.SetKnots{Knots: weave.Tie(r, body.Row, body.From, output)}, nil
	})
	s.show(c, http.StatusOK, o, err)
}

// UnravelTake breaks a take's channels into tracks.
func (s *Server) UnravelTake(c *gin.Context, id ReelID) {
	var body UnravelRequest
	if !s.read(c, &body) {
		return
	}
	t, err := s.Store.Take(c, body.Take)
	if err != nil {
		s.fail(c, err)
		return
	}
	choice := reel.Choice{At: body.At}
	if body.Channels != nil {
		choice.Channels = *body.Channels
	}
	stems, err := s.Store.Stems(c, t.Production)
	if err != nil {
		s.fail(c, err)
		return
	}
	o, err := s.Store.Do(c, id, body.Revision, author(c), func(r *reel.Reel) (reel.Command, error) {
		return reel.Unravel(r, t.Source(store.ReelStems(stems)), choice)
	})
	s.show(c, http.StatusOK, o, err)
}
