package api

import (
	"math"
	"net/http"
	"slices"

	"github.com/gin-gonic/gin"

	"zestyloom/core/contract"
	"zestyloom/core/fault"
	"zestyloom/core/layout"
	"zestyloom/core/loudness"
	"zestyloom/core/reel"
	"zestyloom/internal/analysis"
)

// judge gives by what programmes of a layout are judged, and its title: a profile, or a spec; nothing where neither is named.
func (s *Server) judge(c *gin.Context, production, profile, spec string) (title string, limit func(layout.Layout) (contract.Limit, error),
	err error) {
	switch {
	case profile != "":
		p, err := contract.ProfileOf(profile)
		return p.Source, func(layout.Layout) (contract.Limit, error) { return p.Limits, nil }, err
	case spec != "":
		found, err := s.spec(c, production, spec)
		return found.Title, found.LimitFor, err
	}
	return "", func(layout.Layout) (contract.Limit, error) { return contract.Limit{}, nil }, nil
}

// gaugedTake is what an answer about the measurements of a take is made of.
type gaugedTake struct {
	programmes []analysis.Programme
	measured   analysis.Measured
	share      float64
	title      string
	limit      contract.Limit
	rate       int
}

func (s *Server) gaugeTake(c *gin.Context, id, programme, profile, spec string, oversample *int) (g gaugedTake, err error) {
	t, err := s.Store.Take(c, id)
	if err != nil {
		return g, err
	}
	g.programmes, g.rate = analysis.Programmes(t), t.Description.SampleRate
	if len(g.programmes) == 0 {
		return g, fault.New(fault.BadInput, "%s has no sound", t.Title())
	}
	p := g.programmes[0]
	if programme != "" {
		i := slices.IndexFunc(g.programmes, func(p analysis.Programme) bool { return p.ID == programme })
		if i < 0 {
			return g, fault.New(fault.NotFound, "There is no programme that begins with channel %s in %s", programme, t.Title())
		}
		p = g.programmes[i]
	}
	title, limit, err := s.judge(c, t.Production, profile, spec)
	if err != nil {
		return g, err
	}
	g.title = title
	if g.limit, err = limit(p.Layout()); fault.KindOf(err) == fault.NotFound { // it is measured all the same
		g.limit, err = contract.Limit{}, nil
	}
	if err == nil {
		g.measured, g.share, err = s.gauges.LookAtTake(t, p, factor(oversample))
	}
	return g, err
}

func factor(oversample *int) int {
	if oversample != nil && *oversample == 8 {
		return 8
	}
	return 4
}

// GaugeTake gives what was measured of a programme of a take.
func (s *Server) GaugeTake(c *gin.Context, id TakeID, p GaugeTakeParams) {
	g, err := s.gaugeTake(c, id, text(p.Programme), text(p.Profile), text(p.Spec), (*int)(p.Oversample))
	if err != nil {
		s.fail(c, err)
		return
	}
	view := TakeGauge{Share: g.share, JudgedBy: g.title, Programmes: g.programmes, Limit: &g.limit, Whole: g.measured.Whole}
	if view.Whole != nil && (p.From != nil || p.To != nil) {
		from, to := g.hops(p.From, p.To)
		view.Whole = g.measured.Row.Whole(from, to, loudness.Row{})
	}
	c.JSON(http.StatusOK, view)
}

// hops gives the steps of 10 ms of a range in samples; all where none is named.
func (g gaugedTake) hops(from, to *int64) (first, last int) {
	first, last = stepsOf(0, g.rate, from, to)
	return first, min(last, g.measured.Row.Hops())
}

// stepsOf gives the steps of 10 ms of a range in samples of something that begins at start; all where none is named.
func stepsOf(start int64, rate int, from, to *int64) (first, last int) {
	hop := int64(loudness.HopFrames(rate))
	last = math.MaxInt
	if from != nil {
		first = int(max(0, *from-start) / hop)
	}
	if to != nil {
		last = int(max(0, *to-start) / hop)
	}
	return first, max(first, last)
}

// GaugeTakeLines gives what ran over time on a programme of a take.
func (s *Server) GaugeTakeLines(c *gin.Context, id TakeID, p GaugeTakeLinesParams) {
	g, err := s.gaugeTake(c, id, text(p.Programme), text(p.Profile), text(p.Spec), (*int)(p.Oversample))
	if err != nil {
		s.fail(c, err)
		return
	}
	out := GaugeLines{Places: []loudness.Place{}}
	if w := g.measured.Whole; w != nil {
		from, to := g.hops(p.From, p.To)
		out.Lines = g.measured.Row.Lines(w, 0, from, to, columnsOf(p.Columns))
		out.Places = g.measured.Row.Places(w, 0, g.measured.Row.Hops(), limitsOf(g.limit))
	}
	c.JSON(http.StatusOK, out)
}

func columnsOf(asked *int) int {
	if asked == nil {
		return 1000
	}
	return min(*asked, mostColumns)
}

// limitsOf are what places are looked for by; digital silence is told of from ten seconds on.
func limitsOf(l contract.Limit) loudness.Limits {
	return loudness.Limits{MomentaryMax: l.MomentaryMax, ShortTermMax: l.ShortTermMax, TruePeak: l.TruePeak, PPMMax: l.PPMMax, Silence: 10}
}

// LevelTakes queues bringing takes to what a spec or a profile asks for.
func (s *Server) LevelTakes(c *gin.Context, id ProductionID, _ LevelTakesParams) {
	var body LevelRequest
	if !s.read(c, &body) {
		return
	}
	if (text(body.Profile) == "") == (text(body.Spec) == "") {
		s.fail(c, fault.New(fault.BadInput, "Say what to bring them to: a spec, or a profile"))
		return
	}
	title, limit, err := s.judge(c, id, text(body.Profile), text(body.Spec))
	if err != nil {
		s.fail(c, err)
		return
	}
	work, err := s.Jobs.Level(c, id, body.Takes, func(l layout.Layout) (reel.Target, error) {
		asked, err := limit(l)
		return asked.Target(title), err
	})
	s.answer(c, http.StatusAccepted, gin.H{"work": work}, err)
}
