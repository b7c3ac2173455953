package api

import (
	"context"
	"io"
	"math"
	"net/http"
	"slices"

	"github.com/gin-gonic/gin"

	"zestyloom/core/chain"
	"zestyloom/core/dsp"
	"zestyloom/core/engine"
	"zestyloom/core/fault"
	"zestyloom/core/layout"
	"zestyloom/core/loudness"
	"zestyloom/core/reel"
	"zestyloom/core/weave"
)

// ListProcessors gives the kinds of processors.
func (s *Server) ListProcessors(c *gin.Context) { c.JSON(http.StatusOK, chain.Kinds) }

// ChainResponse says what the filters of a chain do to frequencies.
func (s *Server) ChainResponse(c *gin.Context) {
	var body ChainResponseJSONRequestBody
	if !s.read(c, &body) {
		return
	}
	if err := chain.Check(body.Steps); err != nil {
		s.fail(c, err)
		return
	}
	answer := ChainResponse{All: make([]float64, len(body.Frequencies)), Steps: [][]float64{}}
	for _, step := range body.Steps {
		one := []float64{}
		sections := chain.Sections(step.Kind, body.Rate, step.Value)
		if sections != nil {
			for k, f := range body.Frequencies {
				dB := max(-200, dsp.Response(sections, body.Rate, min(f, body.Rate/2)))
				if one = append(one, dB); !step.Off {
					answer.All[k] += dB
				}
			}
		}
		answer.Steps = append(answer.Steps, one)
	}
	c.JSON(http.StatusOK, answer)
}

// WriteChain gives a chain as people keep it.
func (s *Server) WriteChain(c *gin.Context) {
	var steps []chain.Step
	if !s.read(c, &steps) {
		return
	}
	err := chain.Check(steps)
	var text []byte
	if err == nil {
		text, err = chain.Write(steps)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Data(http.StatusOK, "application/yaml", text)
}

// ReadChain gives the steps of a chain that somebody kept.
func (s *Server) ReadChain(c *gin.Context) {
	text, err := io.ReadAll(c.Request.Body)
	if err != nil {
		s.fail(c, fault.Wrap(fault.BadInput, err, "The chain did not arrive whole"))
		return
	}
	steps, err := chain.Read(text)
	s.answer(c, http.StatusOK, steps, err)
}

// LearnForChain gives what a step learns from a stretch.
func (s *Server) LearnForChain(c *gin.Context, id ReelID) {
	var body LearnForChainJSONRequestBody
	if !s.read(c, &body) {
		return
	}
	open, err := s.Store.Reel(c, id)
	if err != nil {
		s.fail(c, err)
		return
	}
	leave, err := s.renders(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	defer leave()
	session := s.library().Session(c)
	defer session.Close()
	learnt, err := learn(open.Reel.Head.SampleRate, body.Span, body.Like, func(span reel.Span) ([]float64, error) {
		x, err := engine.Stretch(c, open.Reel, weave.NodeID{Row: body.Row, ID: body.From}, span, body.Step, session.Open, nil)
		return slices.Concat(x...), err
	})
	s.answer(c, http.StatusOK, learnt, err)
}

// learn gives what is learnt from a range, at a rate in Hz: of a noise; or, where there is what it is to be like, of a match.
func learn(rate int, span reel.Span, like *reel.Span, heard func(reel.Span) ([]float64, error)) ([]float64, error) {
	ranges := []reel.Span{span}
	if like != nil {
		ranges = append(ranges, *like)
	}
	var sounds [][]float64
	for _, r := range ranges {
		if r.To-r.From < int64(rate)/10 {
			return nil, fault.New(fault.BadInput, "To learn from, a tenth of a second is needed: choose a range")
		}
		x, err := heard(r)
		if err != nil {
			return nil, err
		}
		sounds = append(sounds, x)
	}
	if like == nil {
		return chain.LearnNoise(float64(rate), sounds[0]), nil
	}
	return dsp.MatchTo(dsp.Spectrum(float64(rate), sounds[0]), dsp.Spectrum(float64(rate), sounds[1]), 24), nil
}

// ChainSpectrum gives what comes to a chain and what leaves it.
func (s *Server) ChainSpectrum(c *gin.Context, id ReelID, p ChainSpectrumParams) {
	open, err := s.Store.Reel(c, id)
	if err != nil {
		s.fail(c, err)
		return
	}
	leave, err := s.renders(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	defer leave()
	session := s.library().Session(c)
	defer session.Close()
	rate := open.Reel.Head.SampleRate
	node := weave.NodeID{Row: p.Row, ID: p.From}
	now, there := open.Reel.Chains[reel.ChainID(p.Row, p.From)]
	if !there {
		s.fail(c, fault.New(fault.NotFound, "This row has no chain"))
		return
	}
	about := int64(rate) * 2 / 5
	span := reel.Span{From: p.At - about/2, To: p.At + about/2}
	bare := open.Reel.Clone()
	delete(bare.Chains, now.ID)
	did := doings{}
	before, err := engine.Stretch(c, bare, node, span, "", session.Open, nil)
	var after [][]float64
	if err == nil {
		after, err = engine.Stretch(c, open.Reel, node, span, "", session.Open, did.note)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	labels := layout.Layout{Labels: open.Reel.RowLabels(p.Row, p.From)}
	c.JSON(http.StatusOK, spectra(rate, labels, before, after, did.list(now.Steps)))
}

// spectra says what a stretch is before a chain and after it.
func spectra(rate int, labels layout.Layout, before, after [][]float64, did []ChainStepDid) ChainSpectrum {
	answer := ChainSpectrum{Frequencies: dsp.Thirds, Did: did}
	for k, x := range [][][]float64{before, after} {
		m := loudness.NewMeter(rate, labels)
		m.Write(x)
		answer.Loudness = append(answer.Loudness, m.Measurement().MomentaryMaxLUFS)
		list := dsp.Spectrum(float64(rate), slices.Concat(x...))
		if k == 0 {
			answer.Before = list
		} else {
			answer.After = list
		}
	}
	return answer
}

// renders waits until there is room to render a stretch for a request: one at a time, so that those who play are not kept waiting.
func (s *Server) renders(ctx context.Context) (leave func(), err error) {
	select {
	case s.rendering <- struct{}{}:
		return func() { <-s.rendering }, nil
	case <-ctx.Done():
		return nil, fault.Wrap(fault.Cancelled, ctx.Err(), "Nobody waits for it any more")
	}
}

// doings is what steps did over a stretch: the most of it.
type doings map[string]chain.Did

func (d doings) note(step string, did chain.Did) {
	now := d[step]
	now.Repaired += did.Repaired
	if did.Hz != 0 {
		now.Hz = did.Hz
	}
	if math.Abs(did.DB) > math.Abs(now.DB) {
		now.DB = did.DB
	}
	d[step] = now
}

// list gives what there is to tell, in the order of the steps.
func (d doings) list(steps []chain.Step) []ChainStepDid {
	list := []ChainStepDid{}
	for _, s := range steps {
		did, there := d[s.ID]
		if !there {
			continue
		}
		one := ChainStepDid{Step: s.ID}
		switch {
		case did.Hz != 0:
			one.Hz = &did.Hz
		case did.Repaired != 0:
			one.Repaired = &did.Repaired
		default:
			one.DB = &did.DB
		}
		list = append(list, one)
	}
	return list
}
