package api

import (
	"math"
	"net/http"
	"slices"

	"github.com/gin-gonic/gin"

	"zestyloom/core/engine"
	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/core/view"
	"zestyloom/core/weave"
	"zestyloom/internal/store"
)

// some makes an empty list of none, which JSON would write as null.
func some[T any](list []T) []T {
	if list == nil {
		return []T{}
	}
	return list
}

// show answers with a reel: all of it, or what has changed after the revision that the caller has.
func (s *Server) show(c *gin.Context, status int, o store.OpenReel, since *int64, err error) {
	if err != nil {
		s.fail(c, err)
		return
	}
	turns, err := s.Store.Turns(c, o.ID, author(c))
	if err != nil {
		s.fail(c, err)
		return
	}
	of := view.Of{ID: o.ID, Production: o.Production, Revision: o.Revision, Turns: turns}
	if since != nil {
		touched, known, err := s.Store.Touched(c, o.ID, *since, o.Revision)
		if err != nil {
			s.fail(c, err)
			return
		}
		if known {
			c.JSON(status, view.Part(o.Reel, of, *since, touched))
			return
		}
	}
	c.JSON(status, view.Whole(o.Reel, of))
}

// ListReels gives a production's reels.
func (s *Server) ListReels(c *gin.Context, id ProductionID) {
	list, err := s.Store.Reels(c, id)
	s.answer(c, http.StatusOK, list, err)
}

// CreateReel makes an empty reel.
func (s *Server) CreateReel(c *gin.Context, id ProductionID, _ CreateReelParams) {
	var body NewReel
	if !s.read(c, &body) {
		return
	}
	p, err := s.Store.Production(c, id)
	if err != nil {
		s.fail(c, err)
		return
	}
	if body.FrameRate != nil {
		p.FrameRate = *body.FrameRate
	}
	var start *int64
	if body.Start != nil {
		reading, err := p.FrameRate.ParseSample(*body.Start, p.SampleRate)
		if err != nil {
			s.fail(c, err)
			return
		}
		start = new(int64(reading))
	}
	reelID, err := s.Store.CreateReel(c, p, body.Name, start)
	if err != nil {
		s.fail(c, err)
		return
	}
	o, err := s.Store.Reel(c, reelID)
	s.show(c, http.StatusCreated, o, nil, err)
}

// GetReel gives a reel as it is now.
func (s *Server) GetReel(c *gin.Context, id ReelID, p GetReelParams) {
	o, err := s.Store.Reel(c, id)
	s.show(c, http.StatusOK, o, p.Since, err)
}

// GetHistory gives the newest steps.
func (s *Server) GetHistory(c *gin.Context, id ReelID, p GetHistoryParams) {
	limit, before := 500, int64(math.MaxInt64)
	if p.Limit != nil {
		limit = *p.Limit
	}
	if p.Before != nil {
		before = *p.Before
	}
	steps, err := s.Store.History(c, id, before, limit)
	s.answer(c, http.StatusOK, steps, err)
}

// GetEffective gives what the channels of a row bring to the outputs.
func (s *Server) GetEffective(c *gin.Context, id ReelID, p GetEffectiveParams) {
	o, err := s.Store.Reel(c, id)
	if err != nil {
		s.fail(c, err)
		return
	}
	g, err := weave.Compile(o.Reel)
	if err != nil {
		s.fail(c, err)
		return
	}
	at, there := g.Node(reel.Row(p.Row), p.Id)
	if !there {
		s.fail(c, fault.New(fault.NotFound, "This reel has no such row"))
		return
	}
	s.answer(c, http.StatusOK, g.Effective(at, reel.Span{From: o.Reel.Head.Start, To: max(o.Reel.End(), o.Reel.Head.Start+1)}), nil)
}

// SentAt is a command and the revision that its sender has seen.
type SentAt struct {
	Revision int64 `json:"revision"`
	reel.Sent
}

// DoCommand does a command of core/reel.
func (s *Server) DoCommand(c *gin.Context, id ReelID, p DoCommandParams) {
	var body CommandRequest
	if !s.read(c, &body) {
		return
	}
	command, err := body.Decode()
	if err != nil {
		s.fail(c, err)
		return
	}
	o, err := s.Store.DoOnce(c, keyOf(p.IdempotencyKey), id, body.Revision, author(c),
		func(*reel.Reel) (reel.Command, error) { return command, nil })
	s.show(c, http.StatusOK, o, p.Since, err)
}

// keyOf is the key of a request; empty where it has none.
func keyOf(k *Key) string {
	if k == nil {
		return ""
	}
	return *k
}

// SettleClips queues a settle.
func (s *Server) SettleClips(c *gin.Context, id ReelID, _ SettleClipsParams) {
	var body SettleRequest
	if !s.read(c, &body) {
		return
	}
	o, err := s.Store.Reel(c, id)
	if err == nil && body.Track != nil && body.Range != nil {
		o, err = s.cutEdges(c, o, *body.Track, *body.Range)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	var clips []reel.Clip
	switch {
	case body.Clips != nil:
		for _, clip := range o.Reel.ClipList() {
			if slices.Contains(*body.Clips, clip.ID) {
				clips = append(clips, clip)
			}
		}
	case body.Track != nil && body.Range != nil:
		clips = engine.Inside(o.Reel, *body.Track, *body.Range)
	case body.Track != nil:
		clips = engine.Inside(o.Reel, *body.Track, reel.Span{From: math.MinInt64, To: math.MaxInt64})
	}
	work, err := s.Jobs.Settle(c, o, author(c), clips)
	s.answer(c, http.StatusAccepted, gin.H{"work": work}, err)
}

// ReviseReel queues the replacing of the sound of a group.
func (s *Server) ReviseReel(c *gin.Context, id ReelID, _ ReviseReelParams) {
	var body ReviseRequest
	if !s.read(c, &body) {
		return
	}
	o, err := s.Store.Reel(c, id)
	var t store.Take
	if err == nil {
		t, err = s.Store.Take(c, body.Take)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	work, err := s.Jobs.Revise(c, o, author(c), body.Group, t)
	s.answer(c, http.StatusAccepted, gin.H{"work": work}, err)
}

// cutEdges cuts the clips that reach over the edges of a range of a track.
func (s *Server) cutEdges(c *gin.Context, o store.OpenReel, track string, span reel.Span) (store.OpenReel, error) {
	cut := reel.Sequence{Name: "cut a range to settle"}
	for _, at := range []int64{span.From, span.To} {
		for _, clip := range o.Reel.Clips {
			if clip.Track == track && clip.Start < at && at < clip.End() {
				cut.Commands = append(cut.Commands, func(r *reel.Reel) (reel.Command, error) {
					var there []string
					for _, x := range r.ClipList() {
						if x.Track == track && x.Start < at && at < x.End() {
							there = append(there, x.ID)
						}
					}
					return reel.CutClips{At: at, Clips: there, Alone: true}, nil
				})
				break
			}
		}
	}
	if len(cut.Commands) == 0 {
		return o, nil
	}
	return s.Store.Do(c, o.ID, o.Revision, author(c), func(*reel.Reel) (reel.Command, error) { return cut, nil })
}

// FindLenders lists takes to borrow from.
func (s *Server) FindLenders(c *gin.Context, id ReelID) {
	var body LenderRequest
	if !s.read(c, &body) {
		return
	}
	o, err := s.Store.Reel(c, id)
	if err != nil {
		s.fail(c, err)
		return
	}
	list, err := s.library().Lenders(c, o.Reel, body.Clip, body.Channel, reel.Span{From: body.From, To: body.To})
	s.answer(c, http.StatusOK, list, err)
}

// FindCrossing says where clips can be cut without a click.
func (s *Server) FindCrossing(c *gin.Context, id ReelID) {
	var body CrossingRequest
	if !s.read(c, &body) {
		return
	}
	o, err := s.Store.Reel(c, id)
	if err != nil {
		s.fail(c, err)
		return
	}
	clips := []string{}
	if body.Clips != nil {
		clips = *body.Clips
	}
	at, err := s.library().Crossing(c, o.Reel, clips, body.Alone != nil && *body.Alone, body.At)
	s.answer(c, http.StatusOK, gin.H{"at": at}, err)
}

// RemoveReel removes a reel with its history.
func (s *Server) RemoveReel(c *gin.Context, id ReelID) {
	s.done(c, s.Jobs.RemoveReel(c, id))
}

// UndoReel takes a step back.
func (s *Server) UndoReel(c *gin.Context, id ReelID, p UndoReelParams) {
	var body Turning
	if s.read(c, &body) {
		o, err := s.Store.Undo(c, id, author(c), keyOf(p.IdempotencyKey), store.Turning(body))
		s.show(c, http.StatusOK, o, p.Since, err)
	}
}

// RedoReel brings it back.
func (s *Server) RedoReel(c *gin.Context, id ReelID, p RedoReelParams) {
	var body Turning
	if s.read(c, &body) {
		o, err := s.Store.Redo(c, id, author(c), keyOf(p.IdempotencyKey), store.Turning(body))
		s.show(c, http.StatusOK, o, p.Since, err)
	}
}

// TieKnots ties rows to outputs in the natural way.
func (s *Server) TieKnots(c *gin.Context, id ReelID, p TieKnotsParams) {
	var body TieRequest
	if !s.read(c, &body) {
		return
	}
	command := weave.TieAt{At: body.At}
	o, err := s.Store.DoOnce(c, keyOf(p.IdempotencyKey), id, body.Revision, author(c), func(*reel.Reel) (reel.Command, error) { return command, nil })
	s.show(c, http.StatusOK, o, p.Since, err)
}
