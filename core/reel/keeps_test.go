package reel

import (
	"encoding/json"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/chain"
	"zestyloom/core/layout"
	"zestyloom/core/mix"
	"zestyloom/core/timecode"
)

// filled is a reel in which every field of every kind of object says something, in one object of its kind at least.
func filled(t testing.TB) *Reel {
	r := ferry()
	points := func(from int64, v float64) []Point { return []Point{{from, v}, {from + 5000, 0.5}} }
	fold, lfe, home, level := mix.Usual(), -9.0, int64(36001*48000), -20.0
	fold.LFEDB, fold.TrimDB, fold.Encoded = &lfe, -1, true
	curves := Curves{FrontCurve: points(100, 1), UpCurve: points(100, 1), SpreadCurve: points(100, 1), LFECurve: points(100, -3),
		TurnCurve: points(100, 3), PitchCurve: points(100, 3), RollCurve: points(100, 3), NarrowCurve: points(100, 1)}
	r.Head = Head{Name: "Crossing", SampleRate: 48000, FrameRate: timecode.Rate{Num: 30000, Den: 1001, Drop: true}, Start: 36000 * 48000, PanLaw: 4.5, Spec: "s",
		Free: true, Picture: Picture{"cut", "movie", 36000 * 48000}, CutList: "list", Angles: layout.Angles{"Ls": {Azimuth: 100, Elevation: 1}}, Next: 900}
	five1 := []string{"L", "R", "C", "LFE", "Ls", "Rs"}
	r.Stems["AX"] = Stem{"AX", "Ambience", five1, 5}
	r.Tracks["t1"] = Track{ID: "t1", Name: "Boom", Labels: []string{"M", "M"}, Stem: "DX", Strand: "Ines Calder", Second: "AX", Suggested: true,
		Feed: Feed{Dual: true, Pan: 0.1, Placed: true, Front: 0.2, Up: 0.3, Spread: 0.4, LFEDB: &lfe, Turn: 5, Pitch: 6, Roll: 7, Narrow: 0.8,
			Folds: true}, GainDB: -1, Mute: true, Order: 1, Folder: "Deck", Height: 2, Gain: points(0, -3), Pan: points(0, -1), Curves: curves}
	fade := Fade{300, Power}
	through := []chain.Step{{ID: "1", Kind: chain.Noise, Off: true, Values: map[string]float64{"reduction": 3}, Detector: chain.RMS,
		Key: &chain.Key{Row: "stem", From: "DX"}, Profile: []float64{-90}, Learnt: &chain.Stretch{From: 1, To: 2}}}
	lane := Lane{Off: true, GainDB: -2, Invert: true, Delay: 7, Cuts: []int64{9000}, Hushes: []Span{{1000, 2000}},
		Dips:     []Dip{{Span{3000, 4000}, -6, 100}},
		Borrowed: []Borrowed{{Span{5000, 6000}, "other", "12A/4", 1, 50, -1, Fade{90, Ess}, &Span{100, 900}}}, FadeIn: fade, FadeOut: fade,
		Chain: through}
	r.Clips["c1"] = Clip{ID: "c1", Track: "t1", Take: "take-a", Name: "12A/3", Stem: "DX", Channels: []int{1, 3},
		Matrix: [][]float64{{1, 0}, {0, 1}}, Start: home + 9000, Offset: 800, Length: 48000, Frames: 90000, GainDB: -3, Mute: true, FadeIn: fade,
		FadeOut: fade, Gain: points(900, -4), Pan: points(900, -1),
		Chain: through, Lanes: []Lane{lane, lane}, Tie: "tie1", Was: "tie0", Home: &home, Picture: true,
		Untreated: true, Settled: []Clip{{ID: "s", Track: "t1", Take: "take-b", Channels: []int{0}, Start: 1, Length: 9}}, Event: "e1"}
	r.Tracks["t2"] = Track{ID: "t2", Name: "Sum", Labels: []string{"M"}, Stem: "MX", Order: 2}
	r.Clips["c2"] = Clip{ID: "c2", Track: "t2", Take: "take-c", Name: "Sum", Channels: []int{0, 1}, Sum: true, Start: home, Length: 48000}
	r.Mixes["full"] = Mix{ID: "full", Name: "Full mix", Language: "eng", Labels: five1, Rest: true, Terms: []Term{{StrandRow,
		StrandID("DX", "Ines Calder"), -3, true}}, Order: 1, Folds: true}
	r.Groups["room"] = Group{ID: "room", Name: "Room", Tag: "M51", Layout: "5.1", Labels: []string{"L", "C", "R", "Ls", "Rs", "LFE"},
		Stems: []string{"DX"}, Order: 1, Own: true, Feed: &Feeder{MixRow, "full", &fold}, Language: "eng", Asked: five1, Folds: true}
	r.Groups["spare"] = Group{ID: "spare", Name: "Spare", Tag: "SP", Layout: "mono", Labels: []string{"M"}, Stems: []string{}, Order: 2, Silent: true}
	knot := Crosspoint{Row: TrackRow, From: "t1", Channel: 1, Output: "room/L", GainDB: -3, Invert: true,
		Curve: points(0, -3)}.Knot()
	r.Knots[knot.ID] = knot
	r.Marks["m1"] = Mark{"m1", "Horn", home, 4000, "listen"}
	r.Buses["group room"] = Bus{BusID(GroupRow, "room"), GroupRow, "room", -2, Feed{Pan: 0.1, Turn: 3}, Curves{GainCurve: points(0, -6)}}
	r.Corrections[CorrectionID("room")] = Correction{ID: CorrectionID("room"), Of: "room", Groups: []string{"room"},
		To:     Target{"Night", &level, true, &lfe, &level, &level, &lfe},
		GainDB: 2, Ride: points(0, 1), Limit: points(0, -3), MatchDB: 1, Basis: "x", Before: &Levels{&level, &level, &level, &level, &level, &lfe}, Off: true}
	r.Chains[ChainID(GroupRow, "room")] = Chain{ID: ChainID(GroupRow, "room"), Row: GroupRow, From: "room", Off: true,
		Steps: []chain.Step{{ID: "1", Kind: chain.Compressor, Off: true, Values: map[string]float64{"ratio": 3}, Detector: chain.RMS,
			Key: &chain.Key{Row: "stem", From: "DX"}}},
		Curves: map[string][]Point{"1 ratio": points(2, 3)}}
	r.Chains[ChainID(StemRow, "AX")] = Chain{ID: ChainID(StemRow, "AX"), Row: StemRow, From: "AX", Steps: []chain.Step{{ID: "1", Kind: chain.Noise,
		Profile: slices.Repeat([]float64{-90}, len(chain.Sixths)), Learnt: &chain.Stretch{From: 1, To: 2}}}}
	for name, kind := range objectsOf(r) {
		for field, said := range saying(kind) {
			if name == "Buses" && strings.HasPrefix(field, ".Feed.") {
				continue // a bus has but some of a feed
			}
			require.True(t, said, "%s%s says nothing in the reel of the test: give it something to lose", name, field)
		}
	}
	return r
}

// objectsOf gives the objects of a reel, those of a kind together.
func objectsOf(r *Reel) map[string][]reflect.Value {
	all := map[string][]reflect.Value{}
	v := reflect.ValueOf(r).Elem()
	for i := range v.NumField() {
		name := v.Type().Field(i).Name
		if !v.Type().Field(i).IsExported() {
			continue // how what an edit makes is named, while it is planned
		}
		if v.Field(i).Kind() != reflect.Map {
			all[name] = []reflect.Value{v.Field(i)}
			continue
		}
		for _, key := range v.Field(i).MapKeys() {
			all[name] = append(all[name], v.Field(i).MapIndex(key))
		}
	}
	return all
}

// saying tells of each field, of those of fields too, whether any of the objects has something in it.
func saying(objects []reflect.Value) map[string]bool {
	said := map[string]bool{}
	var look func(v reflect.Value, path string)
	look = func(v reflect.Value, path string) {
		switch v.Kind() {
		case reflect.Pointer:
			said[path] = said[path] || !v.IsNil()
			if !v.IsNil() && v.Elem().Kind() == reflect.Struct {
				look(v.Elem(), path)
			}
		case reflect.Slice:
			said[path] = said[path] || v.Len() > 0
			if v.Type() != reflect.TypeFor[[]Clip]() && v.Len() > 0 && v.Index(0).Kind() == reflect.Struct && v.Type().Elem() != reflect.TypeFor[Point]() {
				look(v.Index(0), path)
			}
		case reflect.Struct:
			for i := range v.NumField() {
				look(v.Field(i), path+"."+v.Type().Field(i).Name)
			}
		default:
			said[path] = said[path] || !v.IsZero()
		}
	}
	for _, o := range objects {
		look(o, "")
	}
	return said
}

// other gives the fields in which two objects of a type differ, but for those that may.
func other(a, b any, may ...string) (fields []string) {
	x, y := reflect.ValueOf(a), reflect.ValueOf(b)
	for i := range x.NumField() {
		name := x.Type().Field(i).Name
		if !slices.Contains(may, name) && !reflect.DeepEqual(x.Field(i).Interface(), y.Field(i).Interface()) {
			fields = append(fields, fmt.Sprintf("%s: %v became %v", name, x.Field(i), y.Field(i)))
		}
	}
	return fields
}

// A command that sets one thing lets all others be, in every kind of object and every field.
func TestACommandLetsAllElseBe(t *testing.T) {
	full := filled(t)
	name, room, spare, m := "Other", full.Groups["room"], full.Groups["spare"], full.Mixes["full"]
	for what, c := range map[string]struct {
		command Command
		of      func(r *Reel) any
		may     []string
	}{
		"reel": {SetReel{Name: &name}, func(r *Reel) any { return r.Head }, []string{"Name"}},
		"stem": {SetStem{Stem: "AX", Name: &name}, func(r *Reel) any { return r.Stems["AX"] }, []string{"Name"}},
		"track": {SetTrack{Track: "t1", Name: &name}, func(r *Reel) any { return r.Tracks["t1"] },
			[]string{"Name"}},
		"track's curve": {SetCurve{Of: OfTrack, ID: "t1", What: GainCurve}, func(r *Reel) any { return r.Tracks["t1"] }, []string{"Gain"}},
		"clip":          {SetClip{Clip: "c1", Name: &name}, func(r *Reel) any { return r.Clips["c1"] }, []string{"Name"}},
		"a channel's chain": {SetClipChain{Clips: []string{"c1"}, Channel: ptr(1), Steps: []chain.Step{{ID: "1", Kind: chain.Gain}}},
			func(r *Reel) any { return r.Clips["c1"].Lanes[1] }, []string{"Chain"}},
		"clip's chain": {SetClipChain{Clips: []string{"c1"}, Steps: []chain.Step{{ID: "1", Kind: chain.Gain}}}, func(r *Reel) any { return r.Clips["c1"] },
			[]string{"Chain"}},
		"knot's curve": {SetCurve{Of: OfKnot, ID: knotID(TrackRow, "t1", 1, "room/L"), What: GainCurve},
			func(r *Reel) any { return r.Knots[knotID(TrackRow, "t1", 1, "room/L")].Crosspoint }, []string{"Curve"}},
		"clip's curve": {SetCurve{Of: OfClip, ID: "c1", What: PanCurve}, func(r *Reel) any { return r.Clips["c1"] },
			[]string{"Pan"}},
		"channel of a clip": {SetLane{Clip: "c1", Channel: 0, Delay: ptr(int64(9))}, func(r *Reel) any { return r.Clips["c1"].Lanes[0] }, []string{"Delay"}},
		"mix": {SetMix{ID: "full", Name: name, Language: m.Language, Labels: m.Labels, Rest: m.Rest, Terms: m.Terms},
			func(r *Reel) any { return r.Mixes["full"] }, []string{"Name"}},
		"group": {SetGroup{ID: "room", Name: name, Tag: room.Tag, Layout: room.Layout, Order: strings.Join(room.Labels, ","), Feed: room.Feed},
			func(r *Reel) any { return r.Groups["room"] }, []string{"Name"}},
		"silent group": {SetGroup{ID: "spare", Name: name, Tag: spare.Tag, Layout: spare.Layout}, func(r *Reel) any { return r.Groups["spare"] },
			[]string{"Name"}},
		"mark": {SetMark{ID: "m1", Name: name, At: full.Marks["m1"].At, Length: 4000, Note: "listen"}, func(r *Reel) any { return r.Marks["m1"] },
			[]string{"Name"}},
		"knot": {SetKnots{[]Crosspoint{{TrackRow, "t1", 1, "room/L", -9, true, nil}}}, func(r *Reel) any {
			return r.Knots[knotID(TrackRow, "t1", 1, "room/L")].Crosspoint
		}, []string{"GainDB"}},
		"level":      {SetBus{Row: GroupRow, From: "room", GainDB: ptr(-9.0)}, func(r *Reel) any { return r.Buses["group room"] }, []string{"GainDB"}},
		"chain":      {SetChain{Row: GroupRow, From: "room", Off: ptr(false)}, func(r *Reel) any { return r.Chains["group room"] }, []string{"Off"}},
		"correction": {ChangeCorrection{Of: "room", Off: ptr(false)}, func(r *Reel) any { return r.Corrections[CorrectionID("room")] }, []string{"Off"}},
	} {
		r := full.Clone()
		before := c.of(r)
		change, _, err := c.command.Plan(r, shelf{})
		require.NoError(t, err, what)
		require.NoError(t, r.Replay(change), what)
		assert.Empty(t, other(before, c.of(r), c.may...), "%s: what is lost", what)
		assert.NotEmpty(t, other(before, c.of(r)), "%s: what is set", what)
	}
}

// A pattern keeps all of a reel but what lies on it: of each kind of object every field, or it is named here.
func TestAPatternKeepsWhatItIsNotNamedToLeave(t *testing.T) {
	full := filled(t)
	r, err := PatternOf(full, "Night", "").Begin("Crossing", 48000, full.Head.FrameRate, full.Head.Start)
	require.NoError(t, err)
	onTracks := []string{"ID", "Order", "Suggested", "GainDB", "Mute", "Gain", "Pan", "Curves"} // what is done on a track is the reel's own
	for what, pair := range map[string]struct {
		a, b any
		may  []string
	}{
		"head":         {full.Head, r.Head, []string{"Picture", "CutList", "Next", "Free"}},
		"stem":         {full.Stems["AX"], r.Stems["AX"], []string{"Order"}},
		"track":        {full.Tracks["t1"], r.TrackList()[0], onTracks},
		"mix":          {full.Mixes["full"], r.MixList()[0], []string{"ID"}},
		"group":        {full.Groups["room"], r.GroupList()[0], []string{"ID", "Feed"}},
		"silent group": {full.Groups["spare"], r.GroupList()[1], []string{"ID"}},
		"feed":         {*full.Groups["room"].Feed, *r.GroupList()[0].Feed, []string{"From"}},
		"chain":        {full.ChainList()[0], r.ChainList()[0], []string{"ID", "From", "Curves", "Steps"}}, // curves are of its time
		"step":         {full.ChainList()[0].Steps[0], r.ChainList()[0].Steps[0], nil},
		"learnt step":  {full.Chains["stem AX"].Steps[0], r.Chains["stem AX"].Steps[0], []string{"Learnt"}},
		"knot":         {full.KnotList()[0].Crosspoint, r.KnotList()[0].Crosspoint, []string{"From", "Output", "Curve"}},
	} {
		assert.Empty(t, other(pair.a, pair.b, pair.may...), "%s: what is lost", what)
	}
	left := []string{"Clips", "Marks", "Buses", "Corrections"} // which lie on a reel
	for name, kind := range objectsOf(full) {
		assert.Equal(t, slices.Contains(left, name), len(objectsOf(r)[name]) == 0 && len(kind) > 0, name)
	}
	again := PatternOf(r, "Night", "")
	_, err = again.Begin("Crossing", 48000, full.Head.FrameRate, full.Head.Start)
	require.NoError(t, err)
	on := full.Clone() // applied to the very reel that it is of, it changes nothing
	change, _, err := ApplyPattern{Pattern: PatternOf(full, "Night", ""), Tracks: true, Yes: true}.Plan(on, shelf{})
	require.NoError(t, err)
	require.NoError(t, on.Replay(change))
	for id := range full.Groups {
		assert.Empty(t, other(full.Groups[id], on.Groups[id]), id)
	}
	for id := range full.Mixes {
		assert.Empty(t, other(full.Mixes[id], on.Mixes[id]), id)
	}
	for id := range full.Knots {
		assert.Empty(t, other(full.Knots[id], on.Knots[id]), id)
	}
	for id := range full.Chains {
		assert.Empty(t, other(full.Chains[id], on.Chains[id]), id)
	}
	for id := range full.Tracks {
		assert.Empty(t, other(full.Tracks[id], on.Tracks[id], "Suggested"), id)
	}
}

// A copy, a cut and a part of a clip have all that the clip has, but for what says where it stands.
func TestCopiesKeepEverything(t *testing.T) {
	full := filled(t)
	clip := full.Clips["c1"]
	find := func(r *Reel, is func(Clip) bool) Clip {
		for _, c := range r.ClipList() {
			if is(c) {
				return c
			}
		}
		t.Fatal("no such clip")
		return Clip{}
	}
	for what, c := range map[string]struct {
		command Command
		is      func(Clip) bool
		may     []string
	}{
		"pasted": {PasteClips{Clips: []Clip{clip}, Tracks: []Track{full.Tracks["t1"]}, At: ptr(clip.Start + 96000)},
			func(c Clip) bool { return c.Take == clip.Take && c.ID != "c1" },
			// a copy is another clip, at home where it lies, and no event of the cut list
			[]string{"ID", "Start", "Tie", "Was", "Home", "Picture", "Event"}},
		"before a cut": {CutClips{At: clip.Start + 20000, Clips: []string{"c1"}, Alone: true}, func(c Clip) bool { return c.ID == "c1" },
			[]string{"Length", "FadeOut", "Lanes"}},
		"after a cut": {CutClips{At: clip.Start + 20000, Clips: []string{"c1"}, Alone: true},
			func(c Clip) bool { return c.Take == clip.Take && c.ID != "c1" }, []string{"ID", "Start", "Offset", "Length", "FadeIn", "Lanes"}},
		"moved": {MoveClips{Clips: []string{"c1"}, By: 960, Untie: true}, func(c Clip) bool { return c.ID == "c1" },
			[]string{"Start", "Tie", "Was", "Home", "Picture"}},
	} {
		r := full.Clone()
		change, _, err := c.command.Plan(r, shelf{})
		require.NoError(t, err, what)
		require.NoError(t, r.Replay(change), what)
		assert.Empty(t, other(clip, find(r, c.is), c.may...), "%s: what is lost", what)
	}
	text, err := json.Marshal(full)
	require.NoError(t, err)
	var read Reel
	require.NoError(t, json.Unmarshal(text, &read))
	assert.Equal(t, full, &read, "what is stored is read again")
	assert.Equal(t, full, full.Clone())
}

// A spec that is laid out anew keeps what somebody has said of the groups that stay.
func TestLayingOutAnewKeepsWhatIsSaid(t *testing.T) {
	full := filled(t)
	room := full.Groups["room"]
	asked := Group{ID: "room", Name: room.Name, Tag: room.Tag, Layout: room.Layout, Labels: room.Labels, Stems: room.Stems, Language: room.Language}
	change, _, err := LayOutputs{Spec: "s", Title: "S", Groups: []Group{asked}, Yes: true}.Plan(full, nil)
	require.NoError(t, err)
	r := full.Clone()
	require.NoError(t, r.Replay(change))
	// it is the spec's now, and in the order that it asks for
	assert.Empty(t, other(room, r.Groups["room"], "Own", "Asked"), "what is lost")
	assert.Equal(t, full.Buses, r.Buses)
	assert.Equal(t, full.Corrections, r.Corrections)
	assert.Equal(t, full.Chains, r.Chains)
	assert.Equal(t, full.Knots, r.Knots)
}

// Corrections that a new order of outputs has no place for are asked about, one and all.
func TestLayingOutAnewNamesTheCorrectionsThatItLoses(t *testing.T) {
	group := func(id string, feed *Feeder) Group {
		return Group{ID: id, Name: id, Tag: id, Layout: "stereo", Labels: []string{"L", "R"}, Stems: []string{}, Feed: feed}
	}
	base := func(t *testing.T, of ...[]string) *Reel {
		r := ferry()
		do(t, r, LayOutputs{Spec: "a", Title: "A", Groups: []Group{group("full", nil), group("pair", nil), group("music", nil)}})
		for _, groups := range of {
			do(t, r, SetCorrection{Of: groups[0], Groups: groups, GainDB: 1})
		}
		return r
	}
	folded := []Group{group("full", nil), group("pair", &Feeder{Row: GroupRow, From: "full"}), group("music", nil)}
	for name, c := range map[string]struct {
		of     [][]string
		groups []Group
		lost   string
	}{
		"one is derived from another now": {[][]string{{"full"}, {"pair"}}, folded, "the correction of pair"},
		"a part is derived from another":  {[][]string{{"full"}, {"music", "pair"}}, folded, "the correction of music on pair"},
		"the group goes":                  {[][]string{{"full"}, {"pair"}}, folded[:1], "the correction of pair"},
		"all stay":                        {[][]string{{"full"}, {"pair", "music"}}, []Group{group("full", nil), group("pair", nil), group("music", nil)}, ""},
	} {
		r := base(t, c.of...)
		_, _, err := LayOutputs{Spec: "b", Title: "B", Groups: c.groups}.Plan(r, nil)
		if c.lost == "" {
			assert.NoError(t, err, name)
			continue
		}
		require.Error(t, err, name)
		assert.Contains(t, err.Error(), c.lost, name)
	}
}
