package api

import (
	"io"
	"net/http"

	"github.com/gin-gonic/gin"

	"zestyloom/core/fault"
	"zestyloom/core/take"
	"zestyloom/internal/library"
)

// ListTakes gives a production's takes.
func (s *Server) ListTakes(c *gin.Context, id ProductionID) {
	takes, err := s.Store.Takes(c, id)
	if err != nil {
		s.fail(c, err)
		return
	}
	history, err := s.Store.TakeHistory(c, id)
	s.answer(c, http.StatusOK, TakeList{Takes: takes, Undo: history.Undo, Redo: history.Redo}, err)
}

// UndoTakeEdit takes the last edit of takes back.
func (s *Server) UndoTakeEdit(c *gin.Context, id ProductionID) {
	s.done(c, s.Store.UndoTakeEdit(c, id))
}

// RedoTakeEdit brings it back.
func (s *Server) RedoTakeEdit(c *gin.Context, id ProductionID) {
	s.done(c, s.Store.RedoTakeEdit(c, id))
}

// GetTake gives one take.
func (s *Server) GetTake(c *gin.Context, id TakeID) {
	t, err := s.Store.Take(c, id)
	s.answer(c, http.StatusOK, t, err)
}

// EditTake changes a take's kind, or the name of a channel.
func (s *Server) EditTake(c *gin.Context, id TakeID) {
	var body TakeEdit
	if !s.read(c, &body) {
		return
	}
	var err error
	switch {
	case body.Kind != nil && body.Channel == nil && body.Name == nil:
		err = s.Store.SetTakeKind(c, id, *body.Kind)
	case body.Kind == nil && body.Channel != nil && body.Name != nil:
		err = s.Store.NameChannel(c, id, *body.Channel, *body.Name)
	default:
		err = fault.New(fault.BadInput, "Say either the kind of the take, or a channel and its name")
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	s.GetTake(c, id)
}

// CarryNames names the other takes of the roll like this one.
func (s *Server) CarryNames(c *gin.Context, id TakeID) {
	changed, err := s.Store.CarryNames(c, id)
	s.answer(c, http.StatusOK, gin.H{"changed": changed}, err)
}

// RemoveTake forgets a take and the server's copy of it.
func (s *Server) RemoveTake(c *gin.Context, id TakeID) {
	key, err := s.Store.RemoveTake(c, id)
	if err == nil {
		err = s.Media.RemoveAll(key)
	}
	s.done(c, err)
}

// GetOverview gives a stretch of a take's overview. Bins beyond the end are left out.
func (s *Server) GetOverview(c *gin.Context, id TakeID, params GetOverviewParams) {
	t, err := s.Store.Take(c, id)
	if err != nil {
		s.fail(c, err)
		return
	}
	if params.Level < 0 || params.Level >= len(take.OverviewFrames) || params.From < 0 || params.Count < 1 || params.Count > 65536 {
		s.fail(c, fault.New(fault.BadInput, "There is no such stretch of the overview"))
		return
	}
	f, size, err := s.Media.Open(library.OverviewKey(t.MediaKey, params.Level))
	if err != nil {
		s.fail(c, err)
		return
	}
	defer f.Close()
	row := int64(len(t.Channels) * take.OverviewBinBytes)
	from := min(params.From*row, size)
	length := min(int64(params.Count)*row, size-from)
	c.Header("Cache-Control", "private, max-age=31536000, immutable") // a take's samples never change
	c.DataFromReader(http.StatusOK, length, "application/octet-stream", io.NewSectionReader(f, from, length), nil)
}
