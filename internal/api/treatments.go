package api

import (
	"net/http"
	"slices"

	"github.com/gin-gonic/gin"

	"zestyloom/core/chain"
	"zestyloom/core/engine"
	"zestyloom/core/layout"
	"zestyloom/core/reel"
	"zestyloom/internal/store"
)

// TreatTake has channels of a take go through processors wherever they sound.
func (s *Server) TreatTake(c *gin.Context, id TakeID) {
	var body Treat
	if !s.read(c, &body) {
		return
	}
	changed, err := s.Store.Treat(c, id, author(c), body)
	s.answer(c, http.StatusOK, gin.H{"changed": changed}, err)
}

// TreatmentSpectrum gives what channels of a take are around a frame, and what steps make of them.
func (s *Server) TreatmentSpectrum(c *gin.Context, id TakeID) {
	var body TreatmentSpectrumJSONRequestBody
	if !s.read(c, &body) {
		return
	}
	did := doings{}
	var answer ChainSpectrum
	err := s.recorded(c, id, body.Channels, body.Steps, func(t store.Take, hear recorded) error {
		rate := t.Description.SampleRate
		about := int64(rate) * 2 / 5
		before, after, err := hear(reel.Span{From: body.At - about/2, To: body.At + about/2}, did.note)
		if err != nil {
			return err
		}
		answer = spectra(rate, layout.ForWidth(len(body.Channels)), before, after, did.list(body.Steps))
		return nil
	})
	s.answer(c, http.StatusOK, answer, err)
}

// LearnForTreatment gives what a step learns from a range of a take.
func (s *Server) LearnForTreatment(c *gin.Context, id TakeID) {
	var body LearnForTreatmentJSONRequestBody
	if !s.read(c, &body) {
		return
	}
	var learnt []float64
	err := s.recorded(c, id, body.Channels, body.Steps, func(t store.Take, hear recorded) (err error) {
		learnt, err = learn(t.Description.SampleRate, body.Span, body.Like, func(span reel.Span) ([]float64, error) {
			_, after, err := hear(span, nil)
			return slices.Concat(after...), err
		})
		return err
	})
	s.answer(c, http.StatusOK, learnt, err)
}

// recorded gives a range of a take before some steps and after them.
type recorded func(span reel.Span, told func(string, int64, chain.Did)) (before, after [][]float64, err error)

// recorded has something look at channels of a take through steps.
func (s *Server) recorded(c *gin.Context, id TakeID, channels []int, steps []chain.Step, look func(store.Take, recorded) error) error {
	t, err := s.Store.Take(c, id)
	if err != nil {
		return err
	}
	one := []chain.Treatment{{Channels: channels, Steps: steps}}
	if err := chain.CheckTreatments(one, len(t.Channels), float64(t.Description.SampleRate)); err != nil {
		return err
	}
	leave, err := s.renders(c)
	if err != nil {
		return err
	}
	defer leave()
	session := s.library().Session(c)
	defer session.Close()
	recording := engine.Recording{Take: t.ID, Channels: channels, Steps: steps}
	return look(t, func(span reel.Span, told func(string, int64, chain.Did)) ([][]float64, [][]float64, error) {
		return recording.Of(c, span, session.Open, told)
	})
}
