package contract

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/sums"
)

// What a spec's own words tell of what must add up, for every spec that ships.
func TestWhatSpecsHaveAddUp(t *testing.T) {
	specs, err := Shipped()
	require.NoError(t, err)
	got := map[string][]string{}
	for _, s := range specs {
		for _, sum := range sums.Find(s.Sets()) {
			got[s.ID] = append(got[s.ID], strings.Join(sum.Sets()[1:], " + ")+" = "+sum.Whole)
		}
	}
	assert.Equal(t, map[string][]string{
		"adm-master":          {"room = pair"},
		"eight-channel-mix":   {"dialogue + effects + music = full-mix"},
		"film-order-monos":    {"film = pair"},
		"promo-kit":           {"dialogue + narration + effects = minus", "minus + music = full-mix"},
		"streaming":           {"room = pair"},
		"surround-and-stereo": {"room = pair"},
		"two-languages":       {"eng51 = engst", "por51 = porst"},
	}, got)
}

func parsed(t *testing.T, groups string) []string {
	s, err := Parse([]byte("spec: 2\nid: x\ntitle: X\nmixes:\n  - {id: full, name: Full}\n  - {id: me, name: ME, without: [{stem: DX}, {stem: NX}]}\n" +
		"  - {id: eng, name: English, without: [{stem: NX, strand: Portuguese}]}\n  - {id: dx, name: Speech, only: [{stem: DX}, {stem: NX}]}\ngroups:\n" +
		groups + "files:\n  - {name: x, container: wave, depth: 24}\n"))
	require.NoError(t, err)
	var list []string
	for _, sum := range sums.Find(s.Sets()) {
		list = append(list, strings.Join(sum.Sets()[1:], " + ")+" = "+sum.Whole)
	}
	return list
}

// Every way in which a spec feeds a group is in sums, or has nothing to do with others.
func TestEveryFeedOfASpecAddsUp(t *testing.T) {
	group := func(id, layout, from string) string {
		return "  - {id: " + id + ", name: " + id + ", tag: " + strings.ToUpper(id) + ", layout: \"" + layout + "\", from: " + from + "}\n"
	}
	full := group("full", "stereo", "{mix: full}")
	for name, c := range map[string]struct{ groups, want string }{
		"M&E and speech":          {full + group("me", "stereo", "{mix: me}") + group("speech", "stereo", "{mix: dx}"), "me + speech = full"},
		"stems and a mix":         {full + group("me", "stereo", "{mix: me}") + group("a", "stereo", "{stem: DX}") + group("b", "stereo", "{stem: NX}"), "me + a + b = full"},
		"stems tied by knots":     {full + group("a", "stereo", "{stems: [DX, NX]}") + group("b", "stereo", "{stems: [MX, FX, AX]}"), "a + b = full"},
		"a language left out":     {full + group("eng", "stereo", "{mix: eng}") + group("por", "stereo", "{strand: {stem: NX, strand: Portuguese}}"), "eng + por = full"},
		"a fold of a fold":        {group("room", "5.1", "{mix: full}") + group("pair", "stereo", "{fold: {of: room}}") + group("mono", "mono", "{fold: {of: pair}}"), "room = pair|room = mono"},
		"folds of parts":          {group("a", "5.1", "{stem: DX}") + group("b", "5.1", "{mix: full}") + group("c", "stereo", "{fold: {of: a}}"), "a = c"},
		"encoded":                 {group("room", "5.1", "{mix: full}") + group("ltrt", "stereo", "{fold: {of: room, encoded: true}}"), "room = ltrt"},
		"other widths":            {full + group("dx", "mono", "{stem: DX}"), ""},
		"silence":                 {full + group("spare", "stereo", "{silence: true}"), ""},
		"a track, and each":       {full + group("boom", "stereo", "{track: Boom}") + group("each", "stereo", "{each: {row: strand, stem: DX}}"), ""},
		"a mix of the reel's own": {full + group("own", "stereo", "{mix: Night}"), ""},
	} {
		assert.Equal(t, c.want, strings.Join(parsed(t, c.groups), "|"), name)
	}
}

// What is tied by hand alone is no sum of stems, and not silence either.
func TestWhatIsTiedByHandIsNoSum(t *testing.T) {
	group := func(id string, stems ...string) Group {
		return Group{ID: id, Layout: "stereo", From: Source{Stems: append([]string{}, stems...)}}
	}
	s := Spec{Groups: []Group{group("hand"), group("music", "MX")}}
	sets := s.Sets()
	require.Len(t, sets, 1)
	assert.Equal(t, "music", sets[0].ID)
}
