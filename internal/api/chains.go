package api

import (
	"context"
	"io"
	"math"
	"net/http"
	"slices"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

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

// ListKeptChains gives the chains that a production keeps.
func (s *Server) ListKeptChains(c *gin.Context, id ProductionID) {
	list, err := s.Store.KeptChains(c, id)
	s.answer(c, http.StatusOK, list, err)
}

// KeepChain keeps a chain under a name.
func (s *Server) KeepChain(c *gin.Context, id ProductionID) {
	var body KeepChainJSONRequestBody
	if !s.read(c, &body) {
		return
	}
	kept, err := s.Store.KeepChain(c, id, body.Name, body.Steps)
	s.answer(c, http.StatusOK, kept, err)
}

// RemoveKeptChain removes one of them.
func (s *Server) RemoveKeptChain(c *gin.Context, id ProductionID, chain uuid.UUID) {
	s.done(c, s.Store.RemoveChain(c, id, chain.String()))
}

// LearnForChain gives what a step learns from a stretch.
func (s *Server) LearnForChain(c *gin.Context, id ReelID) {
	var body LearnForChainJSONRequestBody
	if !s.read(c, &body) {
		return
	}
	var learnt []float64
	err := s.rendered(c, id, func(r *reel.Reel, open engine.Opener) (err error) {
		heard := func(span reel.Span) ([]float64, error) {
			x, err := engine.Stretch(c, r, weave.NodeID{Row: reel.Row(body.Row), ID: body.From}, span, body.Step, open, nil)
			return slices.Concat(x...), err
		}
		if body.Row == ChainClip || body.Row == ChainMicrophone {
			heard = func(span reel.Span) ([]float64, error) {
				one, span, err := recordingOf(r, body.Row, body.From, body.Channel, span)
				if err != nil {
					return nil, err
				}
				at := slices.IndexFunc(one.Steps, func(s chain.Step) bool { return s.ID == body.Step })
				if at < 0 {
					return nil, fault.New(fault.NotFound, "There is no such processor")
				}
				one.Steps = one.Steps[:at]
				_, after, err := one.Of(c, span, open, nil)
				return slices.Concat(after...), err
			}
		}
		learnt, err = learn(r.Head.SampleRate, body.Span, body.Like, heard)
		return err
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

// rendered has something look at stretches of a reel, once there is room to render them.
func (s *Server) rendered(c *gin.Context, id ReelID, look func(r *reel.Reel, open engine.Opener) error) error {
	o, err := s.Store.Reel(c, id)
	if err != nil {
		return err
	}
	leave, err := s.renders(c)
	if err != nil {
		return err
	}
	defer leave()
	session := s.library().Session(c)
	defer session.Close()
	return look(o.Reel, session.Open)
}

// ChainSpectrum gives what comes to a chain and what leaves it.
func (s *Server) ChainSpectrum(c *gin.Context, id ReelID, p ChainSpectrumParams) {
	var answer ChainSpectrum
	err := s.rendered(c, id, func(r *reel.Reel, open engine.Opener) error {
		rate := r.Head.SampleRate
		about := int64(rate) * 2 / 5
		span, did := reel.Span{From: p.At - about/2, To: p.At + about/2}, doings{}
		if p.Row == ChainClip || p.Row == ChainMicrophone {
			one, span, err := recordingOf(r, p.Row, p.From, p.Channel, span)
			if err != nil {
				return err
			}
			before, after, err := one.Of(c, span, open, did.note)
			answer = spectra(rate, layout.ForWidth(len(one.Channels)), before, after, did.list(one.Steps))
			return err
		}
		node := weave.NodeID{Row: reel.Row(p.Row), ID: p.From}
		now, there := r.Chains[reel.ChainID(node.Row, node.ID)]
		if !there {
			return fault.New(fault.NotFound, "This row has no chain")
		}
		bare := r.Clone()
		delete(bare.Chains, now.ID)
		before, err := engine.Stretch(c, bare, node, span, "", open, nil)
		if err != nil {
			return err
		}
		after, err := engine.Stretch(c, r, node, span, "", open, did.note)
		if err == nil {
			answer = spectra(rate, layout.Layout{Labels: r.RowLabels(node.Row, node.ID)}, before, after, did.list(now.Steps))
		}
		return err
	})
	s.answer(c, http.StatusOK, answer, err)
}

// takenFor is for how many seconds it is told what a chain takes away, and takenEvery how many bins a second has.
const takenFor, takenEvery = 20, 100

// ChainTaken gives how much a chain takes away from a place on.
func (s *Server) ChainTaken(c *gin.Context, id ReelID, p ChainTakenParams) {
	list := []float64{}
	err := s.rendered(c, id, func(r *reel.Reel, open engine.Opener) error {
		rate := int64(r.Head.SampleRate)
		span := reel.Span{From: p.At, To: p.At + takenFor*rate}
		taken := engine.NewTaken(span, rate/takenEvery)
		var err error
		if p.Row == ChainClip || p.Row == ChainMicrophone {
			var one engine.Recording
			if one, span, err = recordingOf(r, p.Row, p.From, p.Channel, span); err == nil {
				taken = engine.NewTaken(span, rate/takenEvery)
				_, _, err = one.Of(c, span, open, taken.Note)
			}
		} else {
			_, err = engine.Stretch(c, r, weave.NodeID{Row: reel.Row(p.Row), ID: p.From}, span, "", open, taken.Note)
		}
		for _, dB := range taken.Bins() {
			list = append(list, math.Round(dB*10)/10)
		}
		return err
	})
	s.answer(c, http.StatusOK, list, err)
}

// recordingOf gives what the chain of a clip or of a channel of it, or the treatment of its microphone, is heard on, and a range of the reel in frames
// of its take.
func recordingOf(r *reel.Reel, of ChainOf, id string, channel *int, span reel.Span) (one engine.Recording, frames reel.Span, err error) {
	clip, there := r.Clips[id]
	if !there || channel != nil && *channel >= len(clip.Channels) {
		return one, frames, fault.New(fault.NotFound, "This clip is no longer there")
	}
	frames = reel.Span{From: clip.Frame(span.From), To: clip.Frame(span.To)}
	list := r.TreatmentsOf(clip)
	if of == ChainMicrophone {
		one = engine.Recording{Take: clip.Take, Channels: clip.Channels[:1]}
		for _, t := range list {
			if slices.Contains(t.Channels, clip.Channels[0]) {
				one.Channels, one.Steps = t.Channels, t.Steps
			}
		}
		return one, frames, nil
	}
	one = engine.Recording{Take: clip.Take, Channels: clip.Channels, Treatments: list, Steps: clip.Chain}
	for _, l := range clip.Lanes {
		one.Alone = append(one.Alone, l.Chain)
	}
	if channel != nil {
		one.Channels, one.Steps = clip.Channels[*channel:*channel+1], nil
		if one.Alone != nil {
			one.Steps, one.Alone = one.Alone[*channel], nil
		}
	}
	return one, frames, nil
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

func (d doings) note(step string, _ int64, did chain.Did) {
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
