package reel

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/fault"
	"zestyloom/core/mix"
	"zestyloom/core/timecode"
)

func ferry() *Reel {
	return New("Crossing", 48000, timecode.Rate{Num: 25, Den: 1}, 36000*48000, DefaultStems())
}

func do(t testing.TB, r *Reel, c Command) (Change, string) {
	change, name, err := c.Plan(r, shelf{})
	require.NoError(t, err)
	require.NoError(t, r.Apply(change))
	return change, name
}

func aTake(title string, parts int) AddTake {
	c := AddTake{Take: "take-" + title, Title: title, Start: 36001 * 48000, Length: 48000}
	for i := range parts {
		c.Parts = append(c.Parts, PartPlan{Name: title + string(rune('a'+i)), Stem: "DX", Channels: []int{i}, Labels: []string{"M"}})
	}
	return c
}

var pairGroups = []Group{{ID: "dialogue", Name: "Dialogue", Labels: []string{"L", "R"}, Stems: []string{"DX"}},
	{ID: "music", Name: "Music", Labels: []string{"L", "R"}, Stems: []string{"MX"}}}

// shelf knows every take: 12A/4, which is "other" and short, and longer ones with more channels than a test asks for.
type shelf struct{}

func (shelf) Take(id string) (TakeInfo, error) {
	if id == "other" {
		return TakeInfo{Title: "12A/4", Channels: 6, Frames: 90_000, SampleRate: 48000}, nil
	}
	return TakeInfo{Title: id, Channels: 64, Frames: 1 << 40, SampleRate: 48000}, nil
}

func ptr[T any](x T) *T { return &x }

func TestAddTakeTiesItsClips(t *testing.T) {
	r := ferry()
	_, name := do(t, r, aTake("12A/3", 3))
	assert.Equal(t, "unravel 12A/3", name)
	tracks := r.TrackList()
	require.Len(t, tracks, 3)
	assert.True(t, tracks[0].Suggested)
	clips := r.ClipList()
	assert.NotEmpty(t, clips[0].Tie)
	assert.Equal(t, clips[0].Tie, clips[2].Tie)
	do(t, r, aTake("12B/1", 1))
	assert.Equal(t, "12B/1a", r.TrackList()[3].Name, "new tracks stand below")
	for _, c := range r.ClipList() {
		if c.Take == "take-12B/1" {
			assert.Empty(t, c.Tie, "a single clip is tied to nothing")
		}
	}
}

func TestTiedClipsMoveTogether(t *testing.T) {
	r := ferry()
	do(t, r, aTake("12A/3", 3))
	do(t, r, aTake("12B/1", 1))
	first := r.ClipList()[0]
	do(t, r, MoveClips{Clips: []string{first.ID}, By: -1920})
	for _, c := range r.ClipList() {
		want := int64(36001 * 48000)
		if c.Tie == first.Tie {
			want -= 1920
		}
		assert.Equal(t, want, c.Start, c.ID)
	}
}

func TestChoosingAnotherSpecKeepsWhatStillMakesSense(t *testing.T) {
	r := ferry()
	do(t, r, LayOutputs{Spec: "a", Title: "A", Groups: pairGroups, Knots: []Crosspoint{{Row: StemRow, From: "DX", Output: "dialogue/L"},
		{Row: StemRow, From: "MX", Output: "music/L"}}})
	do(t, r, SetKnots{Knots: []Crosspoint{{Row: StemRow, From: "DX", Output: "dialogue/L", GainDB: -3}}})
	assert.Equal(t, 3, r.OutputList()[2].Number)
	do(t, r, LayOutputs{Spec: "b", Title: "B", Groups: pairGroups[:1], Knots: []Crosspoint{{Row: StemRow, From: "DX", Output: "dialogue/L"},
		{Row: StemRow, From: "DX", Channel: 1, Output: "dialogue/R"}}})
	knots := r.KnotList()
	require.Len(t, knots, 2)
	assert.Equal(t, -3.0, knots[0].GainDB, "a knot that the user set stays as it is")
	assert.Equal(t, "b", r.Head.Spec)
}

func TestRefused(t *testing.T) {
	r := ferry()
	do(t, r, aTake("12A/3", 1))
	do(t, r, LayOutputs{Spec: "a", Title: "A", Groups: pairGroups})
	track, clip := r.TrackList()[0].ID, r.ClipList()[0].ID
	for name, c := range map[string]struct {
		command Command
		kind    fault.Kind
	}{
		"no channels": {AddTake{Title: "x", Length: 1}, fault.BadInput},
		"no length":   {AddTake{Title: "x", Parts: aTake("x", 1).Parts}, fault.BadInput},
		"no such stem": {AddTake{Title: "x", Length: 1, Parts: []PartPlan{{Stem: "ZZ", Channels: []int{0}, Labels: []string{"M"}}}},
			fault.NotFound},
		"label missing":   {AddTake{Title: "x", Length: 1, Parts: []PartPlan{{Stem: "DX", Channels: []int{0}}}}, fault.BadInput},
		"no such track":   {SetTrack{Track: "t99"}, fault.NotFound},
		"blank name":      {SetTrack{Track: track, Name: ptr(" ")}, fault.BadInput},
		"track's stem":    {SetTrack{Track: track, Stem: ptr("ZZ")}, fault.NotFound},
		"pan too far":     {SetTrack{Track: track, Pan: ptr(1.5)}, fault.BadInput},
		"gain too high":   {SetTrack{Track: track, GainDB: ptr(99.0)}, fault.BadInput},
		"remove nothing":  {RemoveTracks{Tracks: []string{"t99"}}, fault.NotFound},
		"no such clip":    {MoveClips{Clips: []string{"c99"}, By: 1}, fault.NotFound},
		"before midnight": {MoveClips{Clips: []string{clip}, By: -1 << 40}, fault.BadInput},
		"start too late":  {SetReel{Start: ptr(int64(1 << 40))}, fault.BadInput},
		"odd pan law":     {SetReel{PanLaw: ptr(5.0)}, fault.BadInput},
		"no such output":  {SetKnots{[]Crosspoint{{Row: StemRow, From: "DX", Output: "nowhere/L"}}}, fault.NotFound},
		"no such channel": {SetKnots{[]Crosspoint{{Row: StemRow, From: "DX", Channel: 5, Output: "music/L"}}}, fault.NotFound},
		"no such row":     {SetKnots{[]Crosspoint{{Row: TrackRow, From: "t99", Output: "music/L"}}}, fault.NotFound},
		"group twice":     {LayOutputs{Groups: []Group{pairGroups[0], pairGroups[0]}}, fault.BadInput},
	} {
		_, _, err := c.command.Plan(r, shelf{})
		assert.Equal(t, c.kind, fault.KindOf(err), "%s: %v", name, err)
	}
}

func TestApplyRefusesStale(t *testing.T) {
	r := ferry()
	do(t, r, aTake("12A/3", 1))
	track := r.TrackList()[0].ID
	old, _, err := SetTrack{Track: track, Name: ptr("Boom")}.Plan(r, shelf{})
	require.NoError(t, err)
	do(t, r, SetTrack{Track: track, Mute: ptr(true)})
	before, _ := json.Marshal(r)
	assert.Equal(t, fault.Stale, fault.KindOf(r.Apply(old)))
	after, _ := json.Marshal(r)
	assert.JSONEq(t, string(before), string(after), "nothing was changed")
}

func TestDecode(t *testing.T) {
	c, err := Decode("moveClips", []byte(`{"clips":["c1"],"by":5}`))
	require.NoError(t, err)
	assert.Equal(t, MoveClips{Clips: []string{"c1"}, By: 5}, c)
	for kind, body := range map[string]string{"jump": `{}`, "moveClips": `{"clips":["c1"],"by":1.5}`, "setTrack": `{"colour":"red"}`,
		"setKnots": `[`} {
		_, err := Decode(kind, []byte(body))
		assert.Equal(t, fault.BadInput, fault.KindOf(err), kind)
	}
}

// What the user tied and fed goes along to another spec's outputs by meaning; what has no place there is asked about, and
// undo gives the same reel again.
func TestRoutesFollowByMeaning(t *testing.T) {
	r := ferry()
	do(t, r, aTake("12A/3", 1))
	track := r.TrackList()[0].ID
	old := []Group{{ID: "dialogue", Name: "Dialogue", Tag: "DX", Labels: []string{"L", "R"}, Stems: []string{"DX"}},
		{ID: "full", Name: "Full mix", Tag: "MIX", Labels: []string{"L", "R"}, Stems: []string{"DX", "MX"}}}
	do(t, r, LayOutputs{Spec: "a", Title: "A", Groups: old, Knots: []Crosspoint{{Row: StemRow, From: "DX", Output: "dialogue/L"}}})
	do(t, r, SetMix{Name: "Full", Labels: []string{"L", "R"}, Rest: true})
	mixID := r.MixList()[0].ID
	do(t, r, SetGroup{ID: "full", Name: "Full mix", Tag: "MIX", Layout: "stereo", Feed: &Feeder{Row: MixRow, From: mixID}})
	do(t, r, SetKnots{Knots: []Crosspoint{{Row: TrackRow, From: track, Output: "full/R", GainDB: -3},
		{Row: StemRow, From: "MX", Channel: 1, Output: "dialogue/R"}}})
	before, err := json.Marshal(r)
	require.NoError(t, err)
	surround := []Group{{ID: "mix51", Name: "Mix", Tag: "MIX", Labels: []string{"L", "R", "C", "LFE", "Ls", "Rs"},
		Stems: []string{"DX", "MX"}}, {ID: "voices", Name: "Voices", Labels: []string{"M"}, Stems: []string{"DX"}}}
	lay := LayOutputs{Spec: "b", Title: "B", Groups: surround, Knots: []Crosspoint{{Row: StemRow, From: "DX", Output: "mix51/L"}}}
	refused(t, r, fault.Loses, "the knot from Music R to Dialogue R", lay)
	lay.Yes = true
	change, _ := do(t, r, lay)
	assert.Contains(t, r.Knots, "track "+track+" 0 > mix51/R", "it has gone along")
	assert.Contains(t, r.Knots, "stem DX 0 > mix51/L", "the spec's own")
	assert.Len(t, r.Knots, 2)
	assert.Equal(t, &Feeder{Row: MixRow, From: mixID}, r.Groups["mix51"].Feed)
	next := r.Head.Next
	require.NoError(t, r.Apply(change.Inverse()))
	assert.Equal(t, next, r.Head.Next)
	after, err := json.Marshal(r)
	require.NoError(t, err)
	assert.JSONEq(t, string(before), string(after))
}

// A stem's knots follow the labels of its channels; removing it, or a mix, says what goes with it.
func TestWhatCannotFollowIsSaid(t *testing.T) {
	r := ferry()
	do(t, r, aTake("12A/3", 1))
	wide := []string{"L", "C", "R", "Ls", "Rs", "LFE"}
	do(t, r, SetStem{Stem: "MX", Labels: &wide})
	do(t, r, SetGroup{Name: "Out", Layout: "5.1"})
	out := r.GroupList()[0].ID
	do(t, r, SetKnots{Knots: []Crosspoint{{Row: StemRow, From: "MX", Channel: 2, Output: out + "/R"},
		{Row: StemRow, From: "MX", Channel: 1, Output: out + "/C"}}})
	smpte := []string{"L", "R", "C", "LFE", "Ls", "Rs"}
	do(t, r, SetStem{Stem: "MX", Labels: &smpte})
	assert.Contains(t, r.Knots, "stem MX 1 > "+out+"/R", "R is the second channel now")
	assert.Contains(t, r.Knots, "stem MX 2 > "+out+"/C")
	stereo := []string{"L", "R"}
	refused(t, r, fault.Loses, "Making Music 2 channels wide loses the knot from Music C to Out C", SetStem{Stem: "MX", Labels: &stereo})
	refused(t, r, fault.Loses, "the knot from Music", SetGroup{ID: out, Name: "Out", Layout: "mono"})
	do(t, r, SetMix{Name: "M&E", Labels: stereo, Terms: []Term{{Row: StemRow, From: "MX"}}})
	m := r.MixList()[0]
	do(t, r, SetGroup{Name: "M&E", Layout: "stereo", Feed: &Feeder{Row: MixRow, From: m.ID}})
	assert.Equal(t, []string{"OUT", "M&E"}, []string{r.GroupList()[0].Tag, r.GroupList()[1].Tag})
	refused(t, r, fault.Loses, "Music in M&E", RemoveStem{Stem: "MX"})
	refused(t, r, fault.Loses, "what feeds M&E", RemoveMixes{Mixes: []string{m.ID}})
	refused(t, r, fault.Loses, "the way of 12A/3a", RemoveStem{Stem: "DX"})
	refused(t, r, fault.BadInput, "has the tag DX already", AddStem{Tag: "DX", Name: "x", Labels: stereo})
	refused(t, r, fault.BadInput, "called M&E already", SetMix{Name: "m&e", Labels: stereo})
	lone := r.TrackList()[0].ID
	do(t, r, SetGroup{Name: "Lone", Layout: "mono", Feed: &Feeder{Row: TrackRow, From: lone}})
	refused(t, r, fault.Loses, "what feeds Lone", RemoveTracks{Tracks: []string{lone}})
	gone, _ := do(t, r, RemoveTracks{Tracks: []string{lone}, Yes: true})
	assert.Nil(t, r.GroupList()[2].Feed)
	require.NoError(t, r.Apply(gone.Inverse()))
	refused(t, r, fault.BadInput, "not by knots", SetKnots{Knots: []Crosspoint{{Row: GroupRow, From: out, Output: out + "/L"}}})
	tooWide, _, err := SetGroup{Name: "Wide", Layout: "discrete", Width: 60}.Plan(r, shelf{})
	require.NoError(t, err)
	assert.ErrorContains(t, r.Apply(tooWide), "64 outputs")
	do(t, r, RemoveStem{Stem: "DX", To: "FX"})
	assert.Equal(t, "FX", r.TrackList()[0].Stem)
	first, second := r.GroupList()[0].ID, r.GroupList()[1].ID
	change, _, err := SetGroup{ID: first, Name: "Out", Layout: "5.1", Feed: &Feeder{Row: GroupRow, From: second}}.Plan(r, shelf{})
	require.NoError(t, err)
	require.NoError(t, r.Apply(change))
	change, _, err = SetGroup{ID: second, Name: "M&E", Layout: "stereo", Feed: &Feeder{Row: GroupRow, From: first}}.Plan(r, shelf{})
	require.NoError(t, err)
	err = r.Apply(change)
	assert.Equal(t, fault.BadInput, fault.KindOf(err))
	assert.ErrorContains(t, err, "derived from itself: M&E, from Out, from M&E")
}

// A correction goes with its group, whoever takes that away, goes on without a part that is gone, and follows its groups into another
// spec's outputs.
func TestCorrectionsFollowTheirGroups(t *testing.T) {
	r := New("x", 48000, timecode.Rate{Num: 25, Den: 1}, 0, DefaultStems())
	do := func(c Command) {
		change, _, err := c.Plan(r, nil)
		require.NoError(t, err)
		require.NoError(t, r.Apply(change))
	}
	for _, name := range []string{"Full", "Dialogue", "Music"} {
		do(SetGroup{Name: name, Tag: name[:2], Layout: "stereo"})
	}
	g := r.GroupList()
	do(SetCorrection{Of: g[0].ID, Groups: []string{g[1].ID, g[2].ID}, GainDB: -2, Limit: []Point{{At: 0, Value: 0}, {At: 640, Value: -3}}})
	_, _, err := SetCorrection{Of: "nobody"}.Plan(r, nil)
	assert.Equal(t, fault.NotFound, fault.KindOf(err))
	change, _, err := SetCorrection{Of: g[1].ID, GainDB: 1}.Plan(r, nil)
	require.NoError(t, err)
	assert.ErrorContains(t, r.Clone().Apply(change), "corrected already")
	do(RemoveGroups{Groups: []string{g[2].ID}, Yes: true})
	assert.Equal(t, []string{g[0].ID, g[1].ID}, r.CorrectionList()[0].Groups)
	do(LayOutputs{Spec: "s", Title: "S", Groups: []Group{{ID: "whole", Name: "Whole", Tag: "Fu", Labels: []string{"L", "R"}},
		{ID: "voice", Name: "Voice", Tag: "Di", Labels: []string{"L", "R"}}}, Yes: true})
	c := r.CorrectionList()[0]
	assert.Equal(t, "correction whole", c.ID)
	assert.Equal(t, []string{"whole", "voice"}, c.Groups)
	on, there := r.CorrectionOn("voice")
	assert.True(t, there)
	assert.Equal(t, c.ID, on.ID)
	do(RemoveGroups{Groups: []string{"whole"}, Yes: true})
	assert.Empty(t, r.Corrections)
}

// A part that comes to be derived from what is corrected, or the other way round, is corrected no more by itself: it would be twice.
func TestNothingIsCorrectedTwice(t *testing.T) {
	r := New("x", 48000, timecode.Rate{Num: 25, Den: 1}, 0, DefaultStems())
	do := func(c Command) {
		change, _, err := c.Plan(r, nil)
		require.NoError(t, err)
		require.NoError(t, r.Apply(change))
	}
	for _, name := range []string{"Full", "Pair", "Music"} {
		do(SetGroup{Name: name, Layout: "stereo"})
	}
	g := r.GroupList()
	full, pair, music := g[0].ID, g[1].ID, g[2].ID
	do(SetCorrection{Of: full, Groups: []string{full, pair, music}, GainDB: -2})
	fold := mix.Usual()
	do(SetGroup{ID: pair, Name: "Pair", Layout: "stereo", Feed: &Feeder{Row: GroupRow, From: full, Fold: &fold}, Yes: true})
	assert.Equal(t, []string{full, music}, r.CorrectionList()[0].Groups)
	do(SetGroup{ID: full, Name: "Full", Layout: "stereo", Feed: &Feeder{Row: GroupRow, From: music, Fold: &fold}, Yes: true})
	assert.Equal(t, []string{full}, r.CorrectionList()[0].Groups)
}
