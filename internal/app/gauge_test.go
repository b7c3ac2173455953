package app_test

import (
	"net/http"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/internal/api"
	"zestyloom/internal/app/apptest"
)

// gauged waits until a reel is measured as it is.
func gauged(t *testing.T, s *apptest.Server, v api.ReelView, query string) (g api.GaugeView) {
	require.Eventually(t, func() bool {
		g = api.GaugeView{}
		s.OK("GET", "/reels/"+v.Id+"/gauge?"+query, nil, &g)
		return g.Share == 1
	}, 20*time.Second, 10*time.Millisecond)
	return g
}

func rowNamed(t *testing.T, g api.GaugeView, name string) api.GaugeRow {
	for _, r := range g.Rows {
		if r.Name == name && r.Row == "group" {
			return r
		}
	}
	t.Fatalf("no row is called %s", name)
	return api.GaugeRow{}
}

// A reel is measured as it is printed, judged by its spec or a profile, and measured on after an edit.
func TestAReelIsGauged(t *testing.T) {
	s := apptest.Start(t)
	production, v := crossing(t, s)
	g := gauged(t, s, v, "")
	mix := rowNamed(t, g, "Full mix")
	require.NotNil(t, mix.Whole)
	require.NotNil(t, mix.Limit)
	assert.Equal(t, "Eight-channel with full mix", g.JudgedBy)
	assert.InDelta(t, -23, *mix.Limit.Integrated, 1e-9)
	p := printed(s, production, v, map[string]any{"packaging": "per-group"})
	require.NotNil(t, p.Report)
	for _, printed := range p.Report.Groups {
		row := rowNamed(t, g, printed.Name)
		if printed.IntegratedLUFS == nil {
			assert.Nil(t, row.Whole.IntegratedLUFS)
			continue
		}
		assert.InDelta(t, *printed.IntegratedLUFS, *row.Whole.IntegratedLUFS, 0.01, printed.Name)
		assert.InDelta(t, *printed.TruePeakMaxDBTP, *row.Whole.TruePeakMaxDBTP, 0.01, printed.Name)
	}

	// By another profile it is judged otherwise; a track is measured when it is asked for; what is not there is refused.
	g = gauged(t, s, v, "profile=a85&row=track&id="+v.Tracks[0].ID)
	assert.Equal(t, "ATSC A/85", g.JudgedBy)
	assert.Equal(t, v.Tracks[0].Name, g.Rows[len(g.Rows)-1].Name)
	assert.NotNil(t, g.Rows[len(g.Rows)-1].Whole)
	s.Refused(http.StatusNotFound, "GET", "/reels/"+v.Id+"/gauge?profile=nobody", nil)
	s.Refused(http.StatusNotFound, "GET", "/reels/"+v.Id+"/gauge?row=track&id=nobody", nil)
	var lines api.GaugeLines
	s.OK("GET", "/reels/"+v.Id+"/gauge/lines?row=group&columns=100&id="+mix.Id, nil, &lines)
	assert.NotEmpty(t, lines.Lines.Momentary)
	var profiles []api.LimitProfile
	s.OK("GET", "/profiles", nil, &profiles)
	assert.NotEmpty(t, profiles)

	// An edit is measured on.
	s.Do(&v, "setTrack", map[string]any{"track": v.Tracks[0].ID, "gainDB": -20})
	softer := rowNamed(t, gauged(t, s, v, ""), "Full mix")
	assert.Less(t, *softer.Whole.IntegratedLUFS, *mix.Whole.IntegratedLUFS)

}

// A mix is corrected with its stems and taken back, and what is printed through the correction is what was asked, and adds up.
func TestAMixIsCorrected(t *testing.T) {
	s := apptest.Start(t)
	production, v := crossing(t, s)
	mix := rowNamed(t, gauged(t, s, v, ""), "Full mix")
	s.Do(&v, "setTrack", map[string]any{"track": v.Tracks[0].ID, "gainDB": -20})
	var lines api.GaugeLines
	s.OK("GET", "/reels/"+v.Id+"/gauge/lines?row=group&columns=100&id="+mix.Id, nil, &lines)
	var parts []string
	s.OK("GET", "/reels/"+v.Id+"/gauge/parts?of="+mix.Id, nil, &parts)
	assert.Len(t, parts, 3)
	s.OK("POST", "/reels/"+v.Id+"/gauge/correct", api.CorrectRequest{Of: mix.Id}, nil)
	s.Settled(production)
	s.OK("GET", "/reels/"+v.Id, nil, &v)
	assert.Equal(t, "correct Full mix", v.Undo)
	g := gauged(t, s, v, "")
	corrected := rowNamed(t, g, "Full mix")
	require.NotNil(t, corrected.Correction)
	assert.False(t, corrected.Correction.Stale)
	assert.Len(t, corrected.Correction.Groups, 4)
	assert.InDelta(t, -23, *corrected.Whole.IntegratedLUFS, 0.1)
	require.NotNil(t, corrected.Limit.PPMMax)
	assert.LessOrEqual(t, *corrected.Whole.PPMMax, *corrected.Limit.PPMMax)
	assert.Equal(t, mix.Id, rowNamed(t, g, "Dialogue").Correction.Of)
	assert.Nil(t, lines.Before)
	s.OK("GET", "/reels/"+v.Id+"/gauge/lines?row=group&columns=100&id="+mix.Id, nil, &lines)
	require.NotNil(t, lines.Before, "short-term loudness as it was before")
	assert.Len(t, *lines.Before, len(lines.Lines.ShortTerm))
	last := len(lines.Lines.ShortTerm) - 1
	assert.InDelta(t, *lines.Lines.ShortTerm[last]-corrected.Correction.GainDB, *(*lines.Before)[last], 0.3)
	p := printed(s, production, v, map[string]any{"packaging": "per-group"})
	require.NotNil(t, p.Receipt)
	for _, f := range p.Receipt.Findings {
		assert.NotContains(t, []string{"loudness", "ppm", "stems-sum-to-mix"}, map[bool]string{true: f.Rule}[f.Severity == "error"], f.Message)
	}
	at := func(file int) float64 {
		x, _ := samples(t, s.File("/prints/"+p.ID+"/files/"+p.Plan.Files[file].Name))
		return x[0][48000*3]
	}
	assert.InDelta(t, at(3), at(0)+at(1)+at(2), 8.0/(1<<23), "but for how finely it is written")

	// Once the mix is another, the correction is to be worked out anew.
	s.Do(&v, "setTrack", map[string]any{"track": v.Tracks[0].ID, "gainDB": 0})
	assert.True(t, rowNamed(t, gauged(t, s, v, ""), "Full mix").Correction.Stale)
	warned := func() (n int) {
		var plan api.Plan
		s.OK("POST", "/reels/"+v.Id+"/plan", map[string]any{"packaging": "per-group"}, &plan)
		for _, f := range plan.Findings {
			if f.Rule == "correction" {
				n++
			}
		}
		return n
	}
	assert.Equal(t, 1, warned())
	s.Do(&v, "changeCorrection", map[string]any{"of": mix.Id, "off": true})
	assert.Zero(t, warned())
	off := rowNamed(t, gauged(t, s, v, ""), "Full mix")
	assert.InDelta(t, *mix.Whole.IntegratedLUFS, *off.Whole.IntegratedLUFS, 1e-9)
	s.Do(&v, "removeCorrection", map[string]any{"of": mix.Id})
	assert.Nil(t, rowNamed(t, gauged(t, s, v, ""), "Full mix").Correction)
	s.Refused(http.StatusNotFound, "POST", "/reels/"+v.Id+"/gauge/correct", api.CorrectRequest{Of: "nobody"})
}
