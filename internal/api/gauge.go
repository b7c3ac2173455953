package api

import (
	"net/http"
	"slices"

	"github.com/gin-gonic/gin"

	"zestyloom/core/contract"
	"zestyloom/core/correct"
	"zestyloom/core/fault"
	"zestyloom/core/loudness"
	"zestyloom/core/reel"
	"zestyloom/core/weave"
	"zestyloom/internal/analysis"
	"zestyloom/internal/store"
)

// ListProfiles gives the limits that are well known.
func (s *Server) ListProfiles(c *gin.Context) { s.answer(c, http.StatusOK, contract.Profiles(), nil) }

// GaugeReel gives what was last measured of a reel.
func (s *Server) GaugeReel(c *gin.Context, id ReelID, p GaugeReelParams) {
	o, err := s.Store.Reel(c, id)
	if err != nil {
		s.fail(c, err)
		return
	}
	rows := measuredRows(o.Reel)
	if p.Row != nil && p.Id != nil {
		also := weave.NodeID{Row: *p.Row, ID: *p.Id}
		if o.Reel.RowLabels(also.Row, also.ID) == nil {
			s.fail(c, fault.New(fault.NotFound, "One of the rows is no longer on the reel: a %s", also.Row))
			return
		}
		if !slices.Contains(rows, also) {
			rows = append(rows, also)
		}
	}
	now, share, err := s.gauges.Look(o, rows, factor((*int)(p.Oversample)))
	if err != nil {
		s.fail(c, err)
		return
	}
	g := gauged{s, c, o, now, text(p.Profile), ""}
	view := GaugeView{Revision: now.Revision, Share: share, Seconds: now.Seconds, Took: now.Took.Seconds(), Measured: now.Measured,
		Rows: []GaugeRow{}}
	limits, err := g.limits()
	if err != nil {
		s.fail(c, err)
		return
	}
	view.JudgedBy = g.title
	from, to := stepsOf(o.Reel.Head.Start, o.Reel.Head.SampleRate, p.From, p.To)
	for _, row := range rows {
		r := GaugeRow{Row: row.Row, Id: row.ID, Name: rowTitle(o.Reel, row), Tag: rowTag(o.Reel, row), Labels: o.Reel.RowLabels(row.Row,
			row.ID)}
		if row.Row == reel.GroupRow {
			limit := limits(row.ID)
			r.Limit = &limit
			r.Correction = g.correction(row.ID)
		}
		if w := now.Wholes[row]; w != nil {
			if p.From != nil || p.To != nil {
				measured := now.Rows[row]
				w = measured.Whole(from, min(to, measured.Hops()), now.Rows[analysis.Dialogue])
			}
			r.Whole = w
		}
		view.Rows = append(view.Rows, r)
	}
	c.JSON(http.StatusOK, view)
}

// gauged is what an answer about measurements is made of.
type gauged struct {
	s       *Server
	c       *gin.Context
	o       store.OpenReel
	now     analysis.State
	profile string
	title   string
}

// limits gives by what groups are judged: a profile, if one is asked for, else the limits of the reel's spec; no more than nothing where it has
// none.
func (g *gauged) limits() (func(group string) contract.Limit, error) {
	if g.profile != "" {
		p, err := contract.ProfileOf(g.profile)
		g.title = p.Source
		return func(string) contract.Limit { return p.Limits }, err
	}
	spec, err := g.s.spec(g.c, g.o.Production, g.o.Reel.Head.Spec)
	if g.o.Reel.Head.Spec == "" || fault.KindOf(err) == fault.NotFound { // none was chosen, or it is gone
		return func(string) contract.Limit { return contract.Limit{} }, nil
	}
	g.title = spec.Title
	return func(group string) contract.Limit {
		l, _ := spec.LimitOf(group)
		return l
	}, err
}

// correction gives what acts on a group.
func (g *gauged) correction(group string) *GaugeCorrection {
	found, there := g.o.Reel.CorrectionOn(group)
	if !there {
		return nil
	}
	start := g.o.Reel.Head.Start
	curves := curvesOf(found, start)
	works := correct.WorksOf(curves, g.o.Reel.Head.SampleRate, g.o.Reel.End()-start)
	basis, known := g.now.Basis[found.Of]
	return &GaugeCorrection{Of: found.Of, Groups: found.Groups, Title: found.To.Title, GainDB: found.GainDB, MatchDB: found.MatchDB,
		Off: found.Off, Before: found.Before, Ride: some(found.Ride),
		Works: works, Stale: found.Basis == "" || known && g.now.Revision == g.o.Revision && basis != found.Basis}
}

// curvesOf gives what a correction does, by samples of the programme.
func curvesOf(c reel.Correction, start int64) correct.Curves {
	return correct.Curves{GainDB: c.GainDB, Ride: c.Ride, Limit: c.Limit}.From(start)
}

// measuredRows are those that are measured unasked: output groups and stems.
func measuredRows(r *reel.Reel) (rows []weave.NodeID) {
	for _, g := range r.GroupList() {
		rows = append(rows, weave.NodeID{Row: reel.GroupRow, ID: g.ID})
	}
	for _, s := range r.StemList() {
		rows = append(rows, weave.NodeID{Row: reel.StemRow, ID: s.ID})
	}
	return rows
}

func rowTitle(r *reel.Reel, id weave.NodeID) string {
	switch id.Row {
	case reel.GroupRow:
		return r.Groups[id.ID].Name
	case reel.StemRow:
		return r.Stems[id.ID].Name
	case reel.MixRow:
		return r.Mixes[id.ID].Name
	case reel.TrackRow:
		return r.Tracks[id.ID].Name
	}
	stem, strand := reel.StemOf(id.ID)
	if strand == "" {
		return r.Stems[stem].Name + ", no strand"
	}
	return strand
}

func rowTag(r *reel.Reel, id weave.NodeID) string {
	switch id.Row {
	case reel.GroupRow:
		return r.Groups[id.ID].Tag
	case reel.StemRow:
		return id.ID
	case reel.TrackRow:
		return r.Tracks[id.ID].Stem
	case reel.StrandRow:
		stem, _ := reel.StemOf(id.ID)
		return stem
	}
	return ""
}

// mostColumns bounds how many values of each line are given.
const mostColumns = 4000

// GaugeLines gives what ran over time on a row, and where it leaves its limits.
func (s *Server) GaugeLines(c *gin.Context, id ReelID, p GaugeLinesParams) {
	o, err := s.Store.Reel(c, id)
	if err != nil {
		s.fail(c, err)
		return
	}
	row := weave.NodeID{Row: p.Row, ID: p.Id}
	if o.Reel.RowLabels(row.Row, row.ID) == nil {
		s.fail(c, fault.New(fault.NotFound, "This %s is no longer on the reel", row.Row))
		return
	}
	rows := measuredRows(o.Reel)
	if !slices.Contains(rows, row) {
		rows = append(rows, row)
	}
	now, _, err := s.gauges.Look(o, rows, factor((*int)(p.Oversample)))
	if err != nil {
		s.fail(c, err)
		return
	}
	g := gauged{s, c, o, now, text(p.Profile), ""}
	measured, w := now.Rows[row], now.Wholes[row]
	out := GaugeLines{Revision: now.Revision, Places: []loudness.Place{}}
	if w != nil {
		from, to := stepsOf(o.Reel.Head.Start, o.Reel.Head.SampleRate, p.From, p.To)
		columns := columnsOf(p.Columns)
		out.Lines = measured.Lines(w, 0, from, min(to, measured.Hops()), columns)
		if c, there := o.Reel.CorrectionOn(row.ID); there && row.Row == reel.GroupRow && !c.Off && now.Revision == o.Revision {
			gains := curvesOf(c, o.Reel.Head.Start).Gains(o.Reel.Head.SampleRate, measured.Hops())
			for h := range gains {
				gains[h] = -gains[h]
			}
			before := Values(measured.ShortTermAt(gains, min(from, measured.Hops()), min(to, measured.Hops()), columns))
			out.Before = &before
		}
		limit := contract.Limit{}
		if row.Row == reel.GroupRow {
			limits, err := g.limits()
			if err != nil {
				s.fail(c, err)
				return
			}
			limit = limits(row.ID)
		}
		out.Places = measured.Places(w, 0, measured.Hops(), limitsOf(limit))
	}
	c.JSON(http.StatusOK, out)
}

// CorrectGroup queues the correction of an output group.
func (s *Server) CorrectGroup(c *gin.Context, id ReelID, _ CorrectGroupParams) {
	var body CorrectRequest
	if !s.read(c, &body) {
		return
	}
	o, err := s.Store.Reel(c, id)
	if err != nil {
		s.fail(c, err)
		return
	}
	g := gauged{s, c, o, analysis.State{}, text(body.Profile), ""}
	limits, err := g.limits()
	if err != nil {
		s.fail(c, err)
		return
	}
	limit := limits(body.Of)
	var groups []string
	if body.Groups != nil {
		groups = append([]string{}, *body.Groups...)
	}
	var ride []reel.Point
	if now, there := o.Reel.Corrections[reel.CorrectionID(body.Of)]; there && body.KeepRide != nil && *body.KeepRide {
		ride = now.Ride
	}
	work, err := s.Jobs.Correct(c, o, author(c), body.Of, groups, limit.Target(g.title), ride)
	s.answer(c, http.StatusAccepted, gin.H{"work": work}, err)
}

// GaugeParts gives the groups that are parts of one, and would be corrected with it.
func (s *Server) GaugeParts(c *gin.Context, id ReelID, p GaugePartsParams) {
	o, err := s.Store.Reel(c, id)
	var parts []string
	if err == nil {
		parts, err = weave.Parts(o.Reel, p.Of)
	}
	s.answer(c, http.StatusOK, parts, err)
}
