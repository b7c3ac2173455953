package app_test

import (
	"net/http"
	"slices"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/chain"
	"zestyloom/core/delivery"
	"zestyloom/internal/api"
	"zestyloom/internal/app/apptest"
	"zestyloom/internal/store"
)

// A chain is a part of what is printed: another chain is another file, the same is the same to the bit and taken for unchanged, and one that is off
// is none.
func TestChainsArePrinted(t *testing.T) {
	s := apptest.Start(t)
	production, v := crossing(t, s)
	sums := func() (list []string) {
		p := printed(s, production, v, map[string]any{"packaging": "interleaved"})
		require.Equal(t, "done", p.State, p.Message)
		for _, f := range p.Report.Files {
			list = append(list, f.SHA256)
		}
		return list
	}
	bare := sums()
	track := v.Tracks[0].ID
	steps := []chain.Step{{ID: "1", Kind: chain.HighPass, Values: map[string]float64{"frequency": 300}},
		{ID: "2", Kind: chain.Compressor, Values: map[string]float64{"threshold": -50, "release": 400}}}
	s.Do(&v, "setChain", map[string]any{"row": "track", "from": track, "steps": steps})
	require.Len(t, v.Chains, 1)
	first := sums()
	assert.NotEqual(t, bare, first)
	assert.Equal(t, first, sums())
	s.Do(&v, "setChain", map[string]any{"row": "track", "from": track, "off": true})
	assert.Equal(t, bare, sums())
	s.Do(&v, "setChain", map[string]any{"row": "track", "from": track, "off": false})
	s.Do(&v, "setChainCurve", map[string]any{"row": "track", "from": track, "step": "2", "parameter": "threshold",
		"points": []map[string]any{{"at": v.Head.Start, "value": -60}, {"at": v.Head.Start + 48000, "value": -20}}})
	assert.NotContains(t, [][]string{bare, first}, sums())
	require.Equal(t, http.StatusBadRequest, s.Call("POST", "/reels/"+v.ID+"/commands", map[string]any{"revision": v.Revision, "kind": "setChain",
		"command": map[string]any{"row": "track", "from": track, "steps": []map[string]any{{"id": "1", "kind": "bell", "values": map[string]any{"q": 900}}}}},
		nil))
}

// A microphone that is treated is so in every print of every reel that has it, but in clips that have none of it; what stands in a print names
// the treatment.
func TestTreatmentsArePrinted(t *testing.T) {
	s := apptest.Start(t)
	production, v := crossing(t, s)
	sums := func() (list []string) {
		p := printed(s, production, v, map[string]any{"packaging": "interleaved"})
		require.Equal(t, "done", p.State, p.Message)
		for _, f := range p.Report.Files {
			list = append(list, f.SHA256)
		}
		return list
	}
	bare := sums()
	clip := v.Clips[0]
	steps := []chain.Step{{ID: "1", Kind: chain.LowPass, Values: map[string]float64{"frequency": 300}}}
	var changed struct{ Changed int }
	require.Equal(t, http.StatusOK, s.Call("POST", "/takes/"+clip.Take+"/treat", map[string]any{"channels": clip.Channels, "steps": steps}, &changed))
	assert.Equal(t, 1, changed.Changed)
	before := v.Revision
	require.Equal(t, http.StatusOK, s.Call("GET", "/reels/"+v.ID, nil, &v))
	assert.Equal(t, before+1, v.Revision)
	treated := sums()
	revision := int64(1)
	reported := printed(s, production, v, map[string]any{"packaging": "interleaved"}).Report.Treated
	assert.Equal(t, []delivery.Treated{{Name: clip.Name, Channels: []int{1, 2}, Steps: 1, Revision: revision}}, reported)
	assert.NotEqual(t, bare, treated)
	assert.Equal(t, treated, sums(), "unchanged")
	for _, c := range v.Clips {
		s.Do(&v, "setClip", map[string]any{"clip": c.ID, "untreated": true})
	}
	assert.Equal(t, bare, sums(), "clips that have none of it")
	s.Do(&v, "setClip", map[string]any{"clip": clip.ID, "untreated": false})
	assert.NotEqual(t, bare, sums())
	// Looking at it, and learning from it.
	var seen api.ChainSpectrum
	down := []chain.Step{{ID: "1", Kind: chain.Gain, Values: map[string]float64{"gain": -12}}}
	about := map[string]any{"channels": clip.Channels, "steps": down, "at": 24_000}
	require.Equal(t, http.StatusOK, s.Call("POST", "/takes/"+clip.Take+"/treat/spectrum", about, &seen))
	for i := range seen.Frequencies {
		assert.InDelta(t, seen.Before[i]-12, seen.After[i], 0.01)
	}
	assert.InDelta(t, *seen.Loudness[0]-12, *seen.Loudness[1], 0.01)
	var learnt []float64
	require.Equal(t, http.StatusOK, s.Call("POST", "/takes/"+clip.Take+"/treat/learn", map[string]any{"channels": clip.Channels, "steps": steps,
		"span": map[string]any{"from": 0, "to": 24_000}}, &learnt))
	assert.Len(t, learnt, len(chain.Sixths))
	hum := []chain.Step{{ID: "1", Kind: chain.Hum}}
	require.Equal(t, http.StatusOK, s.Call("POST", "/takes/"+clip.Take+"/treat/spectrum", map[string]any{"channels": clip.Channels, "steps": hum,
		"at": 24_000}, &seen))
	require.Len(t, seen.Did, 1)
	assert.InDelta(t, 50, *seen.Did[0].Hz, 0.5, "which it followed there")
	for path, body := range map[string]map[string]any{
		"":          {"channels": []int{99}, "steps": steps},
		"/spectrum": {"channels": []int{99}, "steps": steps, "at": 0},
		"/learn":    {"channels": clip.Channels, "steps": steps, "span": map[string]any{"from": 0, "to": 5}},
	} {
		assert.Equal(t, http.StatusBadRequest, s.Call("POST", "/takes/"+clip.Take+"/treat"+path, body, nil), path)
	}
}

// What is shown of a chain is worked out from its sound and its formulas.
func TestChainsAreLookedAt(t *testing.T) {
	s := apptest.Start(t)
	_, v := crossing(t, s)
	clip := v.Clips[0]
	span := map[string]any{"from": clip.Start, "to": clip.Start + 24_000}
	steps := []chain.Step{{ID: "1", Kind: chain.LowPass, Values: map[string]float64{"frequency": 200, "slope": 48}}, {ID: "2", Kind: chain.Noise},
		{ID: "3", Kind: chain.Compressor, Values: map[string]float64{"threshold": -80, "ratio": 10}}}
	s.Do(&v, "setChain", map[string]any{"row": "track", "from": clip.Track, "steps": steps})

	var kinds []chain.About
	s.OK("GET", "/processors", nil, &kinds)
	assert.Len(t, kinds, len(chain.Kinds))
	var response api.ChainResponse
	s.OK("POST", "/processors/response", map[string]any{"rate": 48000, "steps": steps, "frequencies": []float64{20, 200, 2000}}, &response)
	assert.InDeltaSlice(t, []float64{0, -3.01, -160}, response.All, 1)
	assert.Empty(t, response.Steps[1])

	var seen api.ChainSpectrum
	s.OK("GET", "/reels/"+v.ID+"/chain/spectrum?row=track&from="+clip.Track+"&at="+strconv.FormatInt(clip.Start+12_000, 10), nil, &seen)
	require.Len(t, seen.Before, len(seen.Frequencies))
	assert.Less(t, slices.Max(seen.After[16:]), slices.Max(seen.Before)-30, "nothing is left from 1 kHz on")

	require.Len(t, seen.Did, 2, "a filter tells nothing")
	assert.Less(t, *seen.Did[1].DB, -10.0, "what the compressor takes away at the most")

	var learnt []float64
	s.OK("POST", "/reels/"+v.ID+"/chain/learn", map[string]any{"row": "track", "from": clip.Track, "step": "2", "span": span}, &learnt)
	require.Len(t, learnt, len(chain.Sixths))
	assert.Greater(t, learnt[5], learnt[55]+40, "what comes to the step has been through the filter before it")
	assert.Equal(t, http.StatusNotFound, s.Call("POST", "/reels/"+v.ID+"/chain/learn", map[string]any{"row": "track", "from": clip.Track, "step": "9", "span": span}, nil))
	short := map[string]any{"from": clip.Start, "to": clip.Start + 10}
	assert.Equal(t, http.StatusBadRequest, s.Call("POST", "/reels/"+v.ID+"/chain/learn", map[string]any{"row": "track", "from": clip.Track, "step": "2", "span": short}, nil))
}

// A clip, a channel of it, and the microphone that it was recorded with are looked at as rows are; what their chains take away is told over time.
func TestChainsOfClipsAreLookedAt(t *testing.T) {
	s := apptest.Start(t)
	_, v := crossing(t, s)
	clip := v.Clips[0]
	require.Len(t, clip.Channels, 2)
	at := strconv.FormatInt(clip.Start+12_000, 10)
	low := []chain.Step{{ID: "1", Kind: chain.LowPass, Values: map[string]float64{"frequency": 200, "slope": 48}}, {ID: "2", Kind: chain.Noise}}
	pressed := []chain.Step{{ID: "1", Kind: chain.Compressor, Values: map[string]float64{"threshold": -80, "ratio": 10}}}
	s.Do(&v, "setClipChain", map[string]any{"clips": []string{clip.ID}, "steps": pressed})
	s.Do(&v, "setClipChain", map[string]any{"clips": []string{clip.ID}, "channel": 1, "steps": low})
	assert.Equal(t, http.StatusNotFound, s.Call("POST", "/reels/"+v.ID+"/commands", map[string]any{"revision": v.Revision, "kind": "setClipChain",
		"command": map[string]any{"clips": []string{clip.ID}, "channel": 2, "steps": low}}, nil))
	require.NotEqual(t, http.StatusOK, s.Call("POST", "/reels/"+v.ID+"/commands", map[string]any{"revision": v.Revision, "kind": "setClipChain",
		"command": map[string]any{"clips": []string{clip.ID}, "channel": -1, "steps": low}}, nil), "all of them together is no channel")
	of := "/reels/" + v.ID + "/chain/"
	var seen api.ChainSpectrum
	s.OK("GET", of+"spectrum?row=clip&from="+clip.ID+"&channel=1&at="+at, nil, &seen)
	assert.Less(t, slices.Max(seen.After[16:]), slices.Max(seen.Before)-30, "nothing is left from 1 kHz on")
	s.OK("GET", of+"spectrum?row=clip&from="+clip.ID+"&at="+at, nil, &seen)
	assert.Less(t, *seen.Did[0].DB, -10.0)
	for query, found := range map[string]bool{"row=clip&from=" + clip.ID: true, "row=clip&from=" + clip.ID + "&channel=0": false,
		"row=microphone&from=" + clip.ID: false, "row=track&from=" + clip.Track: false} {
		var taken []float64
		s.OK("GET", of+"taken?"+query+"&at="+strconv.FormatInt(clip.Start, 10), nil, &taken)
		assert.Equal(t, found, len(taken) == 2000 && slices.Min(taken) < -10, query)
	}
	for _, query := range []string{"row=clip&from=gone", "row=clip&channel=2&from=" + clip.ID} {
		assert.Equal(t, http.StatusNotFound, s.Call("GET", of+"taken?"+query+"&at="+at, nil, nil), query)
	}
	span := map[string]any{"from": clip.Start, "to": clip.Start + 24_000}
	var learnt []float64
	s.OK("POST", of+"learn", map[string]any{"row": "clip", "from": clip.ID, "channel": 1, "step": "2", "span": span}, &learnt)
	require.Len(t, learnt, len(chain.Sixths))
	assert.Greater(t, learnt[5], learnt[55]+40, "what comes to the step has been through the filter before it")
	assert.Equal(t, http.StatusNotFound, s.Call("POST", of+"learn", map[string]any{"row": "clip", "from": clip.ID, "step": "9", "span": span}, nil))
	require.Equal(t, http.StatusOK, s.Call("POST", "/takes/"+clip.Take+"/treat", map[string]any{"channels": clip.Channels, "steps": pressed}, nil))
	var taken []float64
	s.OK("GET", of+"taken?row=microphone&from="+clip.ID+"&at="+at, nil, &taken)
	assert.Less(t, slices.Min(taken), -10.0)
}

// A production keeps chains under names; one of the same name takes its place, and others have none of it.
func TestChainsAreKept(t *testing.T) {
	s := apptest.Start(t)
	production, _ := crossing(t, s)
	var other api.Production
	s.OK("POST", "/productions", map[string]any{"name": "The other one", "frameRate": map[string]any{"num": 25, "den": 1, "drop": false}}, &other)
	of := "/productions/" + production + "/chains"
	bell := []chain.Step{{ID: "1", Kind: chain.Bell, Values: map[string]float64{"gain": -4}}}
	noise := []chain.Step{{ID: "1", Kind: chain.Noise, Profile: make([]float64, len(chain.Sixths)), Learnt: &chain.Stretch{From: 1, To: 2}}}
	keep := func(name string, steps []chain.Step) int {
		return s.Call("PUT", of, map[string]any{"name": name, "steps": steps}, nil)
	}
	require.Equal(t, http.StatusOK, keep(" Wet lav ", bell))
	require.Equal(t, http.StatusOK, keep("boat", bell))
	require.Equal(t, http.StatusOK, keep("Wet lav", noise))
	var list []store.KeptChain
	s.OK("GET", of, nil, &list)
	require.Len(t, list, 2)
	assert.Equal(t, []string{"boat", "Wet lav"}, []string{list[0].Name, list[1].Name})
	assert.Equal(t, noise, list[1].Steps)
	for name, steps := range map[string][]chain.Step{"": bell, "  ": bell, "a\x00b": bell, "empty": {}, "wrong": {{ID: "1", Kind: chain.Bell,
		Values: map[string]float64{"q": 900}}}} {
		assert.Equal(t, http.StatusBadRequest, keep(name, steps), "%q", name)
	}
	assert.Equal(t, http.StatusNotFound, s.Call("DELETE", "/productions/"+other.ID+"/chains/"+list[0].ID, nil, nil), "it is not theirs")
	assert.Equal(t, http.StatusNoContent, s.Call("DELETE", of+"/"+list[0].ID, nil, nil))
	assert.Equal(t, http.StatusNotFound, s.Call("DELETE", of+"/"+list[0].ID, nil, nil))
	s.OK("GET", of, nil, &list)
	assert.Len(t, list, 1)
}
