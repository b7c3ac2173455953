package contract

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/fault"
	"zestyloom/core/layout"
)

const minimal = "id: a\ntitle: A\ncontainer: wave\nsampleRate: 48000\nbitDepth: 24\npackaging: [per-group]\nnaming: {interleaved: a, per-group: a}\ngroups: [{id: dx, name: D, tag: DX, layout: stereo, stems: [DX]}]\n"

func TestParseSpec(t *testing.T) {
	_, err := Parse([]byte(minimal))
	require.NoError(t, err)
	for name, c := range map[string]struct{ from, to, says string }{
		"not YAML":               {"id: a", "id: [", "YAML"},
		"unknown field":          {"id: a", "id: a\ncolour: red", "colour"},
		"missing":                {"title: A\n", "", "title"},
		"bad depth":              {"bitDepth: 24", "bitDepth: 23", "bitDepth"},
		"bad layout":             {"layout: stereo", "layout: 9.1", "layout"},
		"bad order":              {"layout: stereo", "layout: stereo, order: \"L,X\"", "order"},
		"no groups":              {"groups: [{id: dx, name: D, tag: DX, layout: stereo, stems: [DX]}]", "groups: []", "groups"},
		"text for a number":      {"sampleRate: 48000", "sampleRate: fast", "sampleRate"},
		"keys that are no words": {"id: a", "[1]: a", "YAML"},
		"twice":                  {"stems: [DX]}]", "stems: [DX]}, {id: dx, name: D, tag: DX, layout: stereo, stems: [DX]}]", "twice"},
	} {
		_, err := Parse([]byte(strings.Replace(minimal, c.from, c.to, 1)))
		assert.Equal(t, fault.BadInput, fault.KindOf(err), name)
		assert.ErrorContains(t, err, c.says, name)
	}
}

func FuzzParseSpec(f *testing.F) {
	f.Add([]byte(minimal))
	f.Add([]byte("a: &a [*a]"))
	f.Fuzz(func(t *testing.T, b []byte) {
		if s, err := Parse(b); err == nil && len(s.Groups) == 0 {
			t.Fatal("a spec without groups")
		}
	})
}

const second = `spec: 2
id: b
title: B
groups:
  - {id: dx, name: D, tag: DX, layout: stereo, from: {stems: [DX]}}
files:
  - {name: "{reel}_{tag}", each: group, container: wave, depth: 24}
`

func TestParseSecond(t *testing.T) {
	s, err := Parse([]byte(second))
	require.NoError(t, err)
	name, err := s.Files[0].Example(s)
	require.NoError(t, err)
	assert.Equal(t, "Reel_1_DX.wav", name)
	for name, c := range map[string]struct{ from, to, says string }{
		"unknown token":          {"{tag}", "{colour}", "colour"},
		"a brace alone":          {"{tag}", "{tag", "brace"},
		"unknown group":          {"each: group", "each: group, of: [fx]", `no group "fx"`},
		"two sources":            {"{stems: [DX]}", "{stems: [DX], stem: FX}", "from"},
		"no source":              {"{stems: [DX]}", "{}", "from"},
		"fold of itself":         {"{stems: [DX]}", "{fold: {of: dx}}", "no other group"},
		"streams in a WAVE":      {"each: group", "streams: [{of: [dx]}]", "neither streams nor a picture"},
		"a codec it lacks":       {"container: wave", "container: mp4, codec: pcm", "does not hold pcm"},
		"a depth it lacks":       {"container: wave, depth: 24", "container: flac, depth: 32", "does not hold 32 bits"},
		"MXF without picture":    {"container: wave", "container: mxf", "needs the picture"},
		"ADM in a plain WAVE":    {"depth: 24", "depth: 24, adm: {}", "bw64"},
		"a packing of no choice": {"each: group", "packaging: box, each: group", "none of the spec's"},
		"a profile of no name":   {"files:", "limits: [{profile: loud}]\nfiles:", "profile"},
		"a check of no name":     {"files:", "checks: {beauty: {as: error}}\nfiles:", `no check "beauty" that`},
		"float in ALAC":          {"container: wave, depth: 24", "container: mov, codec: alac, depth: 32", "holds no float"},
		"a coding that loses":    {"container: wave", "container: mov, codec: aac", "codec"},
		"a rule of no taste":     {"files:", "checks: {audio: {as: ok}}\nfiles:", "no check \"audio\" that a spec may grade"},
		"tone and pop at once": {"files:", "programme: {lead: [{at: \"-00:00:02:00\", tone: 1000, pop: 1000, level: -18, lasts: 1}]}\nfiles:",
			"lead"},
		"another version": {"spec: 2", "spec: 3", "spec"},
	} {
		changed := strings.Replace(second, c.from, c.to, 1)
		require.NotEqual(t, second, changed, name)
		_, err := Parse([]byte(changed))
		assert.Equal(t, fault.BadInput, fault.KindOf(err), name)
		assert.ErrorContains(t, err, c.says, name)
	}
}

// The profiles that ship are those that the schema knows, and each asks for something.
func TestProfiles(t *testing.T) {
	var ids []string
	for _, p := range Profiles() {
		ids = append(ids, `"`+p.ID+`"`)
		assert.NotEmpty(t, p.Title)
		assert.NotEmpty(t, p.Source)
		require.NotNil(t, p.Limits.Integrated, p.ID)
		require.NotNil(t, p.Limits.TruePeak, p.ID)
	}
	bare := strings.NewReplacer("\n", "", " ", "").Replace(string(Schema()))
	assert.Contains(t, bare, `"enum":[`+strings.Join(ids, ",")+`]`)
	ceiling := -3.0
	target := Limit{Profile: "r128-s1", TruePeak: &ceiling}.Target("Promo")
	assert.Equal(t, []float64{-23, -18, -3}, []float64{*target.Integrated, *target.ShortTermMax, *target.TruePeak})
	assert.True(t, Limit{Profile: "streaming"}.Target("").Dialogue)

	// What a spec asks of a file is what it asks of its first group of that layout.
	text, _ := ShippedText("surround-and-stereo")
	spec, err := Parse(text)
	require.NoError(t, err)
	for _, width := range []int{2, 6} {
		target, err := spec.TargetFor(layout.ForWidth(width))
		require.NoError(t, err)
		assert.Equal(t, spec.Title, target.Title)
		assert.NotNil(t, target.Integrated)
	}
	text, _ = ShippedText("eight-channel-mix")
	if spec, err = Parse(text); assert.NoError(t, err) {
		all, there := spec.LimitOf("full-mix")
		require.True(t, there)
		assert.Equal(t, []float64{-23, -1, 6}, []float64{*all.Integrated, *all.TruePeak, *all.PPMMax}, "of several limits")
		all, _ = spec.LimitOf("music")
		assert.Nil(t, all.Integrated)
	}
	for _, width := range []int{2, 6} { // the full mix is what is loud, and not the first group; and there is none in 5.1
		target, err := spec.TargetFor(layout.ForWidth(width))
		require.NoError(t, err)
		require.NotNil(t, target.Integrated)
		assert.Equal(t, -23.0, *target.Integrated)
	}
	text, _ = ShippedText("immersive")
	spec, err = Parse(text)
	require.NoError(t, err)
	_, err = spec.TargetFor(layout.ForWidth(3))
	assert.Equal(t, fault.NotFound, fault.KindOf(err))
}
