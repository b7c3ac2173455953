package app_test

import (
	"maps"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/pattern"
	"zestyloom/core/reel"
	"zestyloom/internal/api"
	"zestyloom/internal/app/apptest"
	"zestyloom/internal/store"
)

// A pattern is saved from a reel, goes out as a document and comes in again, and makes other reels like it: new ones, and those
// that are worked on.
func TestPatterns(t *testing.T) {
	s := apptest.Start(t)
	production, v := crossing(t, s)
	s.Do(&v, "setMix", map[string]any{"name": "Full mix", "labels": []string{"L", "R", "C", "LFE", "Ls", "Rs"}, "rest": true})
	s.Do(&v, "setGroup", map[string]any{"name": "Full mix 5.1", "layout": "5.1", "feed": map[string]any{"row": "mix", "from": v.Mixes[0].ID}})
	s.Do(&v, "setKnots", map[string]any{"knots": []map[string]any{{"row": "track", "from": v.Tracks[0].ID, "channel": 0, "output": "effects/L",
		"gainDB": -6}}})
	var saved store.SavedPattern
	s.OK("POST", "/reels/"+v.ID+"/pattern", map[string]any{"name": "Ferry", "about": "As reel 1"}, &saved)
	assert.Contains(t, s.Refused(409, "POST", "/reels/"+v.ID+"/pattern", map[string]any{"name": "Ferry"}), "whose place this would take")
	s.OK("POST", "/reels/"+v.ID+"/pattern", map[string]any{"name": "Ferry", "about": "As reel 1", "replace": true}, &saved)

	text := string(s.File("/patterns/" + saved.ID))
	p, err := pattern.Parse([]byte(text))
	require.NoError(t, err)
	assert.Equal(t, saved.Pattern, p)
	var second store.SavedPattern
	s.OK("POST", "/patterns", strings.Replace(text, "name: Ferry", "name: Ferry by hand", 1), &second)
	assert.Contains(t, s.Refused(400, "POST", "/patterns", strings.Replace(text, "layout: \"5.1\"", "layout: \"5.7\"", 1)),
		"The pattern is not as it should be")
	assert.Contains(t, s.Refused(400, "POST", "/patterns", strings.Replace(text, "labels: [L, R]", "labels: [L, L]", 1)),
		"No reel can be as this pattern has it")
	assert.Contains(t, s.Refused(400, "POST", "/patterns", "pattern: 1\nname: x\nstems: [{id: dx}]"), "The pattern is not as it should be")
	var list []store.SavedPattern
	s.OK("GET", "/patterns", nil, &list)
	assert.Equal(t, []string{"Ferry", "Ferry by hand"}, []string{list[0].Pattern.Name, list[1].Pattern.Name})

	// A new reel begins as it.
	s.OK("PUT", "/productions/"+production+"/pattern", map[string]any{"pattern": second.ID}, nil)
	var other api.ReelView
	s.OK("POST", "/productions/"+production+"/reels", map[string]any{"name": "Reel 2", "start": "10:00:00:00"}, &other)
	assert.Equal(t, len(v.Outputs), len(other.Outputs))
	assert.Equal(t, len(v.Tracks), len(other.Tracks))
	assert.Equal(t, len(v.Knots), len(other.Knots))

	// One that is worked on becomes so, in one step, and back.
	s.OK("PUT", "/productions/"+production+"/pattern", map[string]any{}, nil)
	var third api.ReelView
	s.OK("POST", "/productions/"+production+"/reels", map[string]any{"name": "Reel 3", "start": "10:00:00:00"}, &third)
	s.Do(&third, "setGroup", map[string]any{"name": "Scratch", "layout": "mono"})
	var fits []reel.Fitted
	s.OK("POST", "/reels/"+third.ID+"/pattern/fit", map[string]any{"reel": v.ID}, &fits)
	does := map[string]reel.Fits{}
	for _, f := range fits {
		does[string(f.Row)+" "+f.Name] = f.Does
	}
	assert.Equal(t, []reel.Fits{reel.FitsNew, reel.FitsLeft, reel.FitsSame}, []reel.Fits{does["group Full mix 5.1"], does["group Scratch"],
		does["stem Music"]})
	s.OK("POST", "/reels/"+third.ID+"/pattern/apply", map[string]any{"revision": third.Revision, "pattern": saved.ID,
		"remove": []map[string]any{{"row": "group", "id": third.Groups[0].ID}}}, &third)
	assert.Equal(t, len(v.Outputs), len(third.Outputs))
	assert.Empty(t, third.Tracks, "tracks are made only where that is wanted")
	assert.Equal(t, "apply the pattern Ferry", third.Undo)
	s.OK("POST", "/reels/"+third.ID+"/undo", api.Turning{}, &third)
	assert.Len(t, third.Outputs, 1)

	assert.Contains(t, s.Refused(400, "POST", "/reels/"+third.ID+"/pattern/fit", map[string]any{}), "Name a pattern, or a reel")
	s.OK("DELETE", "/patterns/"+saved.ID, nil, nil)
	assert.Contains(t, s.Refused(404, "GET", "/patterns/"+saved.ID, nil), "no such pattern")
}

// Six mono files of a finished mix are joined, laid and routed by one command.
func TestAFinishedMixIsLaid(t *testing.T) {
	s := apptest.Start(t)
	var names []string
	for _, name := range []string{"MixL", "Mix_R", "DX", "VO", "MusicL", "MusicR"} {
		s.Record("promo/"+name+".wav", 1, "")
		names = append(names, "promo/"+name+".wav")
	}
	production := s.Production()
	s.Bring(production, names...)
	var ids []string
	for _, take := range s.Takes(production) {
		ids = append(ids, take.ID)
	}
	v := s.Reel(production, "Promo")
	var look reel.Laying
	s.OK("POST", "/productions/"+production+"/lay/look", map[string]any{"takes": ids, "reel": v.ID, "how": map[string]any{}}, &look)
	var says []string
	for _, l := range look.Rows {
		says = append(says, l.Group.Name+" "+l.Group.Layout)
	}
	assert.Equal(t, []string{"Full mix stereo", "Dialogue mono", "Narration mono", "Music stereo"}, says)
	s.OK("POST", "/reels/"+v.ID+"/lay", map[string]any{"revision": v.Revision, "takes": ids}, &v)
	assert.Equal(t, "lay 4 takes", v.Undo)
	assert.Len(t, v.Tracks, 4)
	assert.Len(t, v.Outputs, 6)
	assert.Empty(t, v.Findings, "nothing is wrong with it")
	assert.Len(t, s.Takes(production), 4, "the pairs are takes now")
	// It is printed as its outputs are: nobody has to write a spec for that.
	p := printed(s, production, v, map[string]any{"packaging": "per-group"})
	require.NotNil(t, p.Report, p.Message)
	require.Len(t, p.Report.Files, 4)
	assert.Equal(t, "The_Lantern_Ferry_Promo_Full_mix.wav", p.Report.Files[0].Name)
	assert.Equal(t, "as-it-is", p.Plan.Spec.ID)
	for _, f := range p.Report.Findings {
		assert.NotEqualValues(t, "error", f.Severity, "%+v", f)
	}
	var again api.ReelView
	other := s.Reel(production, "Promo again")
	s.OK("POST", "/reels/"+other.ID+"/lay", map[string]any{"revision": other.Revision, "takes": ids}, &again)
	assert.Len(t, again.Outputs, 6, "the files are known for what they have become")
}

// What would lie before the reel's start is asked about; a place, a start or a yes settles it. A new reel begins with its material.
func TestLayingAsks(t *testing.T) {
	s := apptest.Start(t)
	s.Record("day1/12A.wav", 4, "12A")
	production := s.Production()
	s.Bring(production, "day1/12A.wav")
	id := s.Takes(production)["12A.wav"].ID
	stamp := *s.Takes(production)["12A.wav"].Description.StartSamples
	var late api.ReelView
	s.OK("POST", "/productions/"+production+"/reels", api.NewReel{Name: "Late", Start: new("12:00:00:00")}, &late)
	lay := func(revision int64, more map[string]any) map[string]any {
		body := map[string]any{"revision": revision, "takes": []string{id}}
		maps.Copy(body, more)
		return body
	}
	assert.Contains(t, s.Refused(409, "POST", "/reels/"+late.ID+"/lay", lay(late.Revision, nil)), "before the reel starts")
	var look reel.Laying
	s.OK("POST", "/productions/"+production+"/lay/look", map[string]any{"takes": []string{id}, "reel": late.ID, "how": map[string]any{}}, &look)
	assert.True(t, look.Rows[0].Place.Ask)
	assert.Equal(t, stamp, look.Rows[0].Place.At)
	var v api.ReelView
	s.OK("POST", "/reels/"+late.ID+"/lay", lay(late.Revision, map[string]any{"anyway": true}), &v)
	assert.Equal(t, stamp, v.Clips[0].Start)
	s.OK("POST", "/reels/"+late.ID+"/lay", lay(v.Revision, map[string]any{"how": map[string]any{"places": map[string]int64{id: 13 * 3600 * 48000}}}), &v)
	assert.EqualValues(t, 13*3600*48000, v.Clips[1].Start, "as the user says")

	var fresh api.ReelView
	s.OK("POST", "/productions/"+production+"/reels", api.NewReel{Name: "Fresh"}, &fresh)
	s.OK("POST", "/reels/"+fresh.ID+"/lay", lay(fresh.Revision, nil), &v)
	assert.Equal(t, stamp, v.Clips[0].Start)
	assert.EqualValues(t, 10*3600*48000, v.Head.Start, "on the hour before its first take")
	s.OK("POST", "/reels/"+fresh.ID+"/undo", api.Turning{}, &v)
	assert.Empty(t, v.Clips)
	s.OK("POST", "/reels/"+fresh.ID+"/lay", lay(v.Revision, map[string]any{"how": map[string]any{"start": stamp}}), &v)
	assert.Equal(t, stamp, v.Head.Start)
}
