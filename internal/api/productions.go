package api

import (
	"net/http"
	"time"

	"github.com/gin-gonic/gin"

	"zestyloom/internal/store"
)

// ListProductions gives all productions.
func (s *Server) ListProductions(c *gin.Context) {
	list, err := s.Store.Productions(c)
	s.answer(c, http.StatusOK, list, err)
}

// CreateProduction makes one.
func (s *Server) CreateProduction(c *gin.Context, _ CreateProductionParams) {
	var body NewProduction
	if !s.read(c, &body) {
		return
	}
	p, err := s.Store.CreateProduction(c, body.Name, body.FrameRate)
	c.Header("Location", Base+"/productions/"+p.ID)
	s.answer(c, http.StatusCreated, p, err)
}

// GetProduction gives one.
func (s *Server) GetProduction(c *gin.Context, id ProductionID) {
	p, err := s.Store.Production(c, id)
	s.answer(c, http.StatusOK, p, err)
}

// ListWork gives a production's long work.
func (s *Server) ListWork(c *gin.Context, id ProductionID, p ListWorkParams) {
	list, err := s.Store.WorkList(c, id, pageOf(p.Limit, p.Before))
	s.answer(c, http.StatusOK, list, err)
}

// pageOf says which part of a list is asked for: the newest, unless it says otherwise.
func pageOf(limit *Limit, before *Before) store.Page {
	p := store.Page{Limit: 500, Before: time.Now().Add(24 * time.Hour)} // clocks may differ
	if limit != nil {
		p.Limit = *limit
	}
	if before != nil {
		p.Before = *before
	}
	return p
}

// shown is work without where its files lie, which is nobody's business.
func shown(w store.Work) store.Work {
	for i := range w.Report {
		w.Report[i].Folder = ""
	}
	return w
}

// GetWork gives one piece of work.
func (s *Server) GetWork(c *gin.Context, id WorkID) {
	w, err := s.Store.Work(c, id)
	s.answer(c, http.StatusOK, shown(w), err)
}

// RemoveWork forgets work with the files that it wrote for download.
func (s *Server) RemoveWork(c *gin.Context, id WorkID) { s.done(c, s.Jobs.Remove(c, id)) }

// RenameProduction gives a production another name.
func (s *Server) RenameProduction(c *gin.Context, id ProductionID) {
	var body RenameProductionJSONBody
	if !s.read(c, &body) {
		return
	}
	p, err := s.Store.RenameProduction(c, id, body.Name)
	s.answer(c, http.StatusOK, p, err)
}

// BeginWith says what new reels begin as.
func (s *Server) BeginWith(c *gin.Context, id ProductionID) {
	var body BeginWithJSONBody
	if !s.read(c, &body) {
		return
	}
	pattern := ""
	if body.Pattern != nil {
		pattern = body.Pattern.String()
	}
	p, err := s.Store.BeginWith(c, id, pattern)
	s.answer(c, http.StatusOK, p, err)
}

// RemoveProduction removes a production with all that is in it.
func (s *Server) RemoveProduction(c *gin.Context, id ProductionID) {
	s.done(c, s.Jobs.RemoveProduction(c, id))
}

// CancelWork stops work.
func (s *Server) CancelWork(c *gin.Context, id WorkID) { s.done(c, s.Jobs.Cancel(c, id)) }

// RetryWork queues work again.
func (s *Server) RetryWork(c *gin.Context, id WorkID) {
	var body Retry
	if c.Request.ContentLength != 0 && !s.read(c, &body) {
		return
	}
	s.done(c, s.Jobs.Retry(c, id, body.Again != nil && *body.Again))
}

// ListCards gives the names of the cards.
func (s *Server) ListCards(c *gin.Context) { c.JSON(http.StatusOK, s.Cards.Names()) }

// ListCardFiles gives what is in a folder of a card.
func (s *Server) ListCardFiles(c *gin.Context, card string, params ListCardFilesParams) {
	folder := ""
	if params.Folder != nil {
		folder = *params.Folder
	}
	list, err := s.Cards.List(card, folder)
	s.answer(c, http.StatusOK, list, err)
}

// ImportFromCard queues files of a card.
func (s *Server) ImportFromCard(c *gin.Context, id ProductionID, _ ImportFromCardParams) {
	var body CardImport
	if !s.read(c, &body) {
		return
	}
	p, err := s.Store.Production(c, id)
	if err != nil {
		s.fail(c, err)
		return
	}
	if err := s.Cards.Has(body.Card); err != nil {
		s.fail(c, err)
		return
	}
	ids := []string{}
	for _, file := range body.Paths {
		work, err := s.Jobs.ImportCard(c, p.ID, body.Card, file)
		if err != nil {
			s.fail(c, err)
			return
		}
		ids = append(ids, work)
	}
	c.JSON(http.StatusAccepted, ids)
}

// GetCondition says what of the server somebody should look after.
func (s *Server) GetCondition(c *gin.Context) {
	c.JSON(http.StatusOK, gin.H{"troubles": s.Jobs.Troubles()})
}

// GetStanding tells what a production is at.
func (s *Server) GetStanding(c *gin.Context, id ProductionID) {
	standing, err := s.Store.Standing(c, id)
	s.answer(c, http.StatusOK, standing, err)
}
