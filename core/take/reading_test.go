package take

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/fault"
	"zestyloom/core/layout"
)

func described(name layout.Name, names ...string) Description {
	d := Description{Channels: len(names), Layout: name}
	for i, n := range names {
		d.Tracks = append(d.Tracks, Track{Index: i + 1, Name: n})
	}
	return d
}

func TestDefaultSets(t *testing.T) {
	for name, c := range map[string]struct {
		d    Description
		kind Kind
		want []Set
	}{
		"a music file":                {described("", "", ""), Music, []Set{Pair(1, 2)}},
		"two microphones":             {described("", "Boom", "Lav"), Recording, []Set{}},
		"two microphones of a camera": {described("", "Boom", "Lav"), Camera, []Set{}},
		"named as a pair is":          {described("", "Cue L", "Cue R"), Music, []Set{Pair(1, 2)}},
		"5.1, nothing named": {described(layout.Five1, "", "", "", "", "", ""), Effect,
			[]Set{{Bonded, []int{1, 2, 3, 4, 5, 6}, []string{"L", "R", "C", "LFE", "Ls", "Rs"}}}},
		"5.1 in an order of its own": {described(layout.Five1, "L", "C", "R", "Ls", "Rs", "LFE"), Effect,
			[]Set{{Bonded, []int{1, 2, 3, 4, 5, 6}, []string{"L", "C", "R", "Ls", "Rs", "LFE"}}}},
		"a sound field":          {described(layout.FOA, "", "", "", ""), Effect, []Set{{Field, []int{1, 2, 3, 4}, layout.ACNLabels(1)}}},
		"a sound field in FuMa":  {described(layout.FOA, "W", "X", "Y", "Z"), Effect, []Set{{Field, []int{1, 2, 3, 4}, layout.FuMaLabels(1)}}},
		"a layout that can't be": {described(layout.Five1, "", ""), Recording, []Set{}},
	} {
		got := DefaultSets(c.d, c.kind, nil)
		assert.Equal(t, c.want, got, name)
		assert.NoError(t, CheckSets(got, c.d.Channels), name)
	}
}

func TestSetNames(t *testing.T) {
	five := Set{Bonded, []int{1, 2, 3, 4, 5, 6}, []string{"L", "R", "C", "LFE", "Ls", "Rs"}}
	for want, c := range map[string]struct {
		names []string
		set   Set
	}{
		"Mix":              {[]string{"Mix L", "Mix R"}, Pair(1, 2)},
		"Mx":               {[]string{"MxL", "MxR"}, Pair(1, 2)},
		"Boom + Lav":       {[]string{"Boom", "Lav"}, Pair(1, 2)},
		"Bank":             {[]string{"Bank Left", "Bank right", "Bank C", "Bank LFE", "Bank Ls", "Bank Rs"}, five},
		"5.1":              {[]string{"L", "R", "C", "LFE", "Ls", "Rs"}, five},
		"Sound field":      {[]string{"W", "Y", "Z", "X"}, Set{Field, []int{1, 2, 3, 4}, layout.ACNLabels(1)}},
		"Sum of a + b + c": {[]string{"a", "b", "c"}, Set{Sum, []int{1, 2, 3}, []string{"M"}}},
	} {
		assert.Equal(t, want, SetName(c.names, c.set))
	}
}

func TestFieldsAreKnownByNames(t *testing.T) {
	unnamed := func(n int) []Track { return make([]Track, n) }
	spelled := func(names ...string) (tracks []Track) {
		for _, n := range names {
			tracks = append(tracks, Track{Name: n})
		}
		return tracks
	}
	for _, c := range []struct {
		tracks []Track
		file   string
		want   []string
	}{
		{spelled("Deck_ACN0", "Deck_ACN1", "Deck_ACN2", "Deck_ACN3"), "x.wav", layout.ACNLabels(1)},
		{spelled("W", "X", "Y", "Z"), "x.wav", layout.FuMaLabels(1)},
		{spelled("W", "Y", "Z", "X"), "x.wav", nil},
		{unnamed(4), "Deck_FOA_01.wav", layout.ACNLabels(1)},
		{unnamed(4), "Deck_ACN_SN3D.wav", layout.ACNLabels(1)},
		{unnamed(9), "Deck 2OA.wav", layout.ACNLabels(2)},
		{unnamed(16), "Deck_HOA_N3D.wav", layout.N3DLabels(3)},
		{unnamed(16), "Deck FuMa.wav", layout.FuMaLabels(3)},
		{unnamed(6), "Deck FOA.wav", nil}, {unnamed(4), "Foam.wav", nil}, {unnamed(4), "Boat horn.wav", nil},
	} {
		assert.Equal(t, c.want, fieldOf(c.tracks, c.file), c.file)
		if c.want != nil {
			d := Description{Channels: len(c.tracks), Tracks: c.tracks, Labels: c.want}
			sets := DefaultSets(d, Recording, nil)
			require.Len(t, sets, 1)
			assert.Equal(t, Field, sets[0].Kind)
			assert.Equal(t, c.want, sets[0].Labels)
			assert.NoError(t, CheckSets(sets, d.Channels))
		}
	}
}

func TestNoPair(t *testing.T) {
	for _, pair := range [][2]string{{"", ""}, {"Boom", ""}, {"L", "R"}, {"Cue L", "Cue R"}, {"MixL", "MixR"}, {"Cue Left", "cue right"},
		{"Music 1", "Music 2"}, {"1", "2"}, {"MUS_1", "MUS_2"}, {"Winch", "Winch"}} {
		assert.False(t, NoPair(pair[0], pair[1]), pair)
	}
	for _, pair := range [][2]string{{"Boom", "Lav"}, {"Boom", "Lav 1"}, {"Nell", "Jory"}, {"Boom 1", "Plant 2"}} {
		assert.True(t, NoPair(pair[0], pair[1]), pair)
	}
}

func TestRules(t *testing.T) {
	rules := append([]Rule{{Words: []string{"Ines", "lav 2"}, Stem: "DX", Strand: "Ines Calder"},
		{Kind: Camera, Words: []string{"L"}, Stem: "AX"}}, DefaultRules()...)
	for _, c := range []struct {
		kind         Kind
		name         string
		stem, strand string
	}{
		{Recording, "lav ines", "DX", "Ines Calder"}, {Recording, "Lav 2", "DX", "Ines Calder"}, {Recording, "Lav 22 ines2", "DX", "Ines Calder"},
		{Recording, "Linesman", "DX", ""}, {Camera, "L", "AX", ""}, {Recording, "L", "DX", ""}, {Music, "River", "MX", ""},
		{Recording, "Winchester", "DX", ""}, {Recording, "Narration English", "NX", "English"}, {Recording, "VO_PT", "NX", "Portuguese"},
		{Music, "French waltz", "MX", ""},
	} {
		stem, strand := Suggest(rules, nil, c.kind, c.name, "")
		assert.Equal(t, []string{c.stem, c.strand}, []string{stem, strand}, c.name)
	}
	stems := []string{"DX", "NX", "MX", "FX", "AX"}
	assert.NoError(t, CheckRules(rules, stems))
	for _, bad := range []Rule{{Stem: "DX"}, {Kind: "talk", Stem: "DX"}, {Words: []string{"x"}, Stem: "QX"},
		{Words: []string{" "}, Stem: "DX"}} {
		assert.Equal(t, fault.BadInput, fault.KindOf(CheckRules([]Rule{bad}, stems)))
	}
}

func TestKindsOfMovies(t *testing.T) {
	for path, want := range map[string]Kind{"cam/A003.mov": Camera, "Picture cut v2.mp4": Picture, "haircuts/x.MXF": Camera,
		"ferry_reference.mkv": Picture} {
		assert.Equal(t, want, KindOf(Description{Scene: "12A"}, path), path)
	}
}
