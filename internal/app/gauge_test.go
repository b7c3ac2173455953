package app_test

import (
	"math"
	"net/http"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/layout"
	"zestyloom/core/loudness"
	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
	"zestyloom/internal/api"
	"zestyloom/internal/app/apptest"
)

// gauged waits until a reel is measured as it is.
func gauged(t *testing.T, s *apptest.Server, v api.ReelView, query string) (g api.GaugeView) {
	require.Eventually(t, func() bool {
		g = api.GaugeView{}
		s.OK("GET", "/reels/"+v.ID+"/gauge?"+query, nil, &g)
		return g.Share == 1
	}, 60*time.Second, 10*time.Millisecond)
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
	s.Refused(http.StatusNotFound, "GET", "/reels/"+v.ID+"/gauge?profile=nobody", nil)
	s.Refused(http.StatusNotFound, "GET", "/reels/"+v.ID+"/gauge?row=track&id=nobody", nil)
	var lines api.GaugeLines
	s.OK("GET", "/reels/"+v.ID+"/gauge/lines?row=group&columns=100&id="+mix.Id, nil, &lines)
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
	s.OK("GET", "/reels/"+v.ID+"/gauge/lines?row=group&columns=100&id="+mix.Id, nil, &lines)
	var parts []string
	s.OK("GET", "/reels/"+v.ID+"/gauge/parts?of="+mix.Id, nil, &parts)
	assert.Len(t, parts, 3)
	s.OK("POST", "/reels/"+v.ID+"/gauge/correct", api.CorrectRequest{Of: mix.Id}, nil)
	s.Settled(production)
	s.OK("GET", "/reels/"+v.ID, nil, &v)
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
	s.OK("GET", "/reels/"+v.ID+"/gauge/lines?row=group&columns=100&id="+mix.Id, nil, &lines)
	require.NotNil(t, lines.Before, "short-term loudness as it was before")
	assert.Len(t, *lines.Before, len(lines.Lines.ShortTerm))
	last := len(lines.Lines.ShortTerm) - 1
	assert.InDelta(t, *lines.Lines.ShortTerm[last]-corrected.Correction.GainDB, *(*lines.Before)[last], 0.3)
	p := printed(s, production, v, map[string]any{"packaging": "per-group"})
	require.NotNil(t, p.Receipt)
	for _, f := range p.Receipt.Findings {
		assert.NotContains(t, []string{"loudness", "ppm", "stems-sum-to-mix"}, map[bool]string{true: f.Rule}[f.Severity == "error"],
			f.Message)
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
		s.OK("POST", "/reels/"+v.ID+"/plan", map[string]any{"packaging": "per-group"}, &plan)
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
	s.Refused(http.StatusNotFound, "POST", "/reels/"+v.ID+"/gauge/correct", api.CorrectRequest{Of: "nobody"})
}

// A take in two files, one after another, is brought to a loudness as one programme; its files stay what they were but for that. One that
// carries several programmes says so, and does not stop the others.
func TestTakesAreLevelled(t *testing.T) {
	s := apptest.Start(t)
	seconds := int64(12)
	part := func(name string, from int64) {
		h := wave.Header{Format: wavetest.PCM24(2), Frames: seconds * 48000, Bext: &wave.Bext{Description: "Ferry",
			TimeReference: 36000*48000 + from}, IXML: &wave.IXML{Scene: "Promo", Take: "1", Note: "mine"}}
		b := wavetest.Bytes(t, h, func(c, i int) float64 {
			at, loud := from+int64(i), 1.0
			if at > 11*48000 && at < 13*48000 {
				loud = 3
			}
			return 0.02 * math.Sin(float64(at)*0.05) * loud * float64(c+1)
		})
		s.Put(name, append(b, []byte("mine\x04\x00\x00\x00note")...))
	}
	part("Promo_001.wav", 0)
	part("Promo_002.wav", seconds*48000)
	s.Record("12A.wav", 1, "Mix L", "Boom", "Ines lav")
	production := s.Production()
	s.Bring(production, "Promo_001.wav", "Promo_002.wav", "12A.wav")
	var whole api.Take
	require.Eventually(t, func() bool {
		whole = titled(t, s, production, "Promo/1")
		return whole.Assembly != nil
	}, 60*time.Second, 20*time.Millisecond, "they follow each other to the sample")
	s.OK("PATCH", "/takes/"+whole.ID, map[string]any{"sets": []any{map[string]any{"kind": "bonded", "channels": []int{1, 2},
		"labels": []string{"L", "R"}}}}, nil)

	var g api.TakeGauge
	measured := func(query string) {
		require.Eventually(t, func() bool {
			g = api.TakeGauge{}
			s.OK("GET", "/takes/"+whole.ID+"/gauge?"+query, nil, &g)
			return g.Share == 1
		}, 60*time.Second, 10*time.Millisecond)
	}
	measured("profile=r128")
	require.Len(t, g.Programmes, 1)
	assert.Equal(t, "EBU R 128", g.JudgedBy)
	assert.InDelta(t, -23, *g.Limit.Integrated, 1e-9)
	before := *g.Whole.IntegratedLUFS
	measured("profile=r128&oversample=8&from=0&to=96000")
	assert.InDelta(t, 2, g.Whole.Seconds, 0.02)
	assert.Less(t, *g.Whole.IntegratedLUFS, before-1, "it begins softly")

	other := titled(t, s, production, "12A/3")
	s.Refused(400, "POST", "/productions/"+production+"/level", map[string]any{"takes": []string{other.ID}, "profile": "r128"})
	s.Refused(400, "POST", "/productions/"+production+"/level", map[string]any{"takes": []string{whole.ID}})
	s.Refused(404, "POST", "/productions/"+production+"/level", map[string]any{"takes": []string{whole.ID}, "profile": "none"})
	s.OK("POST", "/specs", `spec: 2
id: range-alone
title: Range alone
programme: {frameRate: "25"}
groups: [{id: full, name: Full mix, tag: MIX, layout: stereo, from: {mix: full}}]
mixes: [{id: full, name: Full mix, layout: stereo}]
files: [{each: group, of: [full], name: "{reel}_{tag}", container: wave, depth: 24}]
limits: [{of: [full], rangeMax: 10}]
`, nil)
	nothing := map[string]any{"takes": []string{whole.ID}, "spec": "range-alone"}
	assert.Contains(t, s.Refused(400, "POST", "/productions/"+production+"/level", nothing), "Nothing is asked")
	var queued struct{ Work string }
	s.OK("POST", "/productions/"+production+"/level", map[string]any{"takes": []string{other.ID, whole.ID}, "profile": "r128-s1"}, &queued)
	s.Settled(production)
	w := work(s, queued.Work)
	assert.Equal(t, "1 of 2 takes could not be done", w.Message)
	assert.Contains(t, w.Report[0].Message, "3 programmes")
	require.Len(t, w.Report[1].Files, 2)
	assert.Contains(t, w.Report[1].Message, "→ −23.0 LUFS")
	assert.Contains(t, w.Report[1].Message, "the ride goes down to")
	at := int64(36000 * 48000)
	meter := loudness.NewStream(48000, 4, layout.ForWidth(2))
	for i := range 2 {
		file := w.Report[1].Files[i]
		assert.Equal(t, []string{"Promo_001.wav", "Promo_002.wav"}[i], file.Name)
		b := s.File("/work/" + w.ID + "/files/" + file.Name)
		x, f := samples(t, b)
		assert.EqualValues(t, at+int64(i)*seconds*48000, f.Bext.TimeReference)
		assert.Equal(t, "mine", f.IXML.Note)
		assert.Contains(t, string(b), "mine\x04\x00\x00\x00note")
		meter.Write(x)
	}
	row := meter.End()
	after := row.Whole(0, row.Hops(), loudness.Row{})
	assert.InDelta(t, -23, *after.IntegratedLUFS, 0.1)
	assert.LessOrEqual(t, *after.ShortTermMaxLUFS, -18.0, "the ride goes on where the second file begins")
}

// What could not be measured as a source was away is measured once that is back: nobody has to edit the reel for it.
func TestGaugeAfterASourceIsBack(t *testing.T) {
	s := apptest.Start(t)
	_, v := crossing(t, s)
	sources, err := filepath.Glob(filepath.Join(s.Data, "media/sources/*/source.wav"))
	require.NoError(t, err)
	for _, f := range sources {
		require.NoError(t, os.Rename(f, f+".away"))
	}
	ask := func() int { return s.Call("GET", "/reels/"+v.ID+"/gauge", nil, nil) }
	require.Eventually(t, func() bool { return ask() == http.StatusUnprocessableEntity || ask() == http.StatusNotFound }, time.Minute,
		50*time.Millisecond)
	for _, f := range sources {
		require.NoError(t, os.Rename(f+".away", f))
	}
	require.Eventually(t, func() bool { return ask() == http.StatusOK }, time.Minute, 50*time.Millisecond)
	for range 10 {
		require.Equal(t, http.StatusOK, ask())
	}
}
