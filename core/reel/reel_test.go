package reel

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/fault"
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

var pairGroups = []Group{{ID: "dialogue", Name: "Dialogue", Labels: []string{"L", "R"}, Stems: []string{"DX"}}, {ID: "music", Name: "Music", Labels: []string{"L", "R"}}}

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
	do(t, r, LayOutputs{Spec: "a", Title: "A", Groups: pairGroups, Knots: []Crosspoint{{Row: StemRow, From: "DX", Output: "dialogue/L"}, {Row: StemRow, From: "MX", Output: "music/L"}}})
	do(t, r, SetKnots{Knots: []Crosspoint{{Row: StemRow, From: "DX", Output: "dialogue/L", GainDB: -3}}})
	assert.Equal(t, 3, r.OutputList()[2].Number)
	do(t, r, LayOutputs{Spec: "b", Title: "B", Groups: pairGroups[:1], Knots: []Crosspoint{{Row: StemRow, From: "DX", Output: "dialogue/L"}, {Row: StemRow, From: "DX", Channel: 1, Output: "dialogue/R"}}})
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
		"no channels":     {AddTake{Title: "x", Length: 1}, fault.BadInput},
		"no length":       {AddTake{Title: "x", Parts: aTake("x", 1).Parts}, fault.BadInput},
		"no such stem":    {AddTake{Title: "x", Length: 1, Parts: []PartPlan{{Stem: "ZZ", Channels: []int{0}, Labels: []string{"M"}}}}, fault.NotFound},
		"label missing":   {AddTake{Title: "x", Length: 1, Parts: []PartPlan{{Stem: "DX", Channels: []int{0}}}}, fault.BadInput},
		"no such track":   {SetTrack{Track: "t99"}, fault.NotFound},
		"blank name":      {SetTrack{Track: track, Name: ptr(" ")}, fault.BadInput},
		"track's stem":    {SetTrack{Track: track, Stem: ptr("ZZ")}, fault.NotFound},
		"pan too far":     {SetTrack{Track: track, Pan: ptr(1.5)}, fault.BadInput},
		"gain too high":   {SetTrack{Track: track, GainDB: ptr(99.0)}, fault.BadInput},
		"remove nothing":  {RemoveTracks{[]string{"t99"}}, fault.NotFound},
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
	for kind, body := range map[string]string{"jump": `{}`, "moveClips": `{"clips":["c1"],"by":1.5}`, "setTrack": `{"colour":"red"}`, "setKnots": `[`} {
		_, err := Decode(kind, []byte(body))
		assert.Equal(t, fault.BadInput, fault.KindOf(err), kind)
	}
}
