package weave

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/reel"
	"zestyloom/core/timecode"
)

var fiveOne = []string{"L", "R", "C", "LFE", "Ls", "Rs"}

// mistakeless is a reel of which nothing is found: a boom, two narrations, a mix of one of them.
func mistakeless(t *testing.T) *reel.Reel {
	r := reel.New("x", 48000, timecode.Rate{Num: 25, Den: 1}, 0, reel.DefaultStems())
	for _, p := range []reel.PartPlan{
		{Name: "Boom", Stem: "DX", Channels: []int{0}, Labels: []string{"M"}}, {Name: "English", Stem: "NX", Strand: "English",
			Channels: []int{0}, Labels: []string{"M"}},
		{Name: "Portuguese", Stem: "NX", Strand: "Portuguese", Channels: []int{0}, Labels: []string{"M"}},
	} {
		apply(t, r, reel.AddTake{Take: p.Name, Title: p.Name, Length: 1000, Parts: []reel.PartPlan{p}})
	}
	apply(t, r, reel.SetMix{Name: "English", Language: "eng", Labels: []string{"L", "R"}, Rest: true,
		Terms: []reel.Term{{Row: reel.StrandRow, From: reel.StrandID("NX", "Portuguese"), Out: true}}})
	apply(t, r, reel.SetGroup{Name: "Full", Layout: "stereo", Feed: &reel.Feeder{Row: reel.MixRow, From: r.MixList()[0].ID}})
	apply(t, r, reel.SetGroup{Name: "Second", Layout: "stereo", Feed: &reel.Feeder{Row: reel.StemRow, From: "NX"}})
	return r
}

func firstTrack(r *reel.Reel) string { return r.TrackList()[0].ID }

// outputOf gives the output of a group by its name; none where there is none.
func outputOf(r *reel.Reel, group, label string) string {
	for _, o := range r.OutputList() {
		if r.Groups[o.Group].Name == group && o.Label == label {
			return o.ID
		}
	}
	return ""
}

// Each classic mistake is pointed out, and what is offered sets it right: the finding is gone and no other has come.
func TestFixes(t *testing.T) {
	set := func(f func(*reel.SetMix)) func(r *reel.Reel) reel.Command {
		return func(r *reel.Reel) reel.Command {
			m := r.MixList()[0]
			c := reel.SetMix{ID: m.ID, Name: m.Name, Language: m.Language, Labels: m.Labels, Rest: m.Rest, Terms: m.Terms}
			f(&c)
			return c
		}
	}
	require.Empty(t, Findings(mistakeless(t)))
	yes, mx := true, "MX"
	for name, c := range map[string]struct {
		mistake func(r *reel.Reel) reel.Command
		says    string
		fix     string
	}{
		"a mono on one side": {func(r *reel.Reel) reel.Command {
			return reel.SetKnots{Knots: []reel.Crosspoint{{Row: reel.TrackRow, From: firstTrack(r), Output: outputOf(r, "Second", "L"), GainDB: -2}}}
		}, "Boom reaches Second L but not R", "Set Boom to R as well"},
		"all the way to a side": {func(r *reel.Reel) reel.Command { left := -1.0; return reel.SetTrack{Track: firstTrack(r), Pan: &left} },
			"Boom reaches Full L but not R", "Put Boom in the middle"},
		"fed twice": {func(r *reel.Reel) reel.Command {
			return reel.SetKnots{Knots: []reel.Crosspoint{{Row: reel.TrackRow, From: firstTrack(r), Output: outputOf(r, "Full", "L")},
				{Row: reel.TrackRow, From: firstTrack(r), Output: outputOf(r, "Full", "R")}}}
		}, "Boom arrives at Full L twice", "Clear the knot of its own"},
		"folded unasked": {func(r *reel.Reel) reel.Command {
			return reel.SetGroup{Name: "One", Layout: "mono", Feed: &reel.Feeder{Row: reel.MixRow, From: r.MixList()[0].ID}}
		}, "Boom loses 3 dB on the way to One: the pan law puts it on both sides of English", "Add both sides at −3 dB"},
		"a set folded unasked": {func(r *reel.Reel) reel.Command {
			feed := &reel.Feeder{Row: reel.MixRow, From: r.MixList()[0].ID}
			return reel.Several{Commands: []reel.Sent{reel.Send(reel.SetGroup{Name: "One", Layout: "mono", Feed: feed}),
				reel.Send(reel.SetTrack{Track: firstTrack(r), Dual: &yes}), reel.Send(reel.SetTrack{Track: r.TrackList()[1].ID, Dual: &yes}),
				reel.Send(reel.SetTrack{Track: r.TrackList()[2].ID, Dual: &yes}),
				reel.Send(reel.AddTrack{Name: "Cue", Stem: mx, Labels: []string{"L", "R"}})}}
		}, "One is narrower than English, which feeds it, so that is folded: L goes into M at −6.0 dB", "Fold it so"},
		"sides changed over": {func(r *reel.Reel) reel.Command {
			return reel.SetKnots{Knots: []reel.Crosspoint{{Row: reel.StemRow, From: "MX", Channel: 0, Output: outputOf(r, "Second", "R"), GainDB: -3},
				{Row: reel.StemRow, From: "MX", Channel: 1, Output: outputOf(r, "Second", "L")}}}
		}, "L and R of Music are changed over at Second", "Change them back"},
		"muted": {func(r *reel.Reel) reel.Command { yes := true; return reel.SetTrack{Track: firstTrack(r), Mute: &yes} }, "Boom is muted",
			"Unmute it"},
		"3 dB lost": {func(r *reel.Reel) reel.Command {
			return reel.SetGroup{Name: "Two", Layout: reel.DualMono, Feed: &reel.Feeder{Row: reel.StemRow, From: "DX"}}
		}, "Boom loses 3 dB on the way to Two", "Send Boom at unity to both sides"},
		"3 dB lost in a mono": {func(r *reel.Reel) reel.Command {
			return reel.SetKnots{Knots: []reel.Crosspoint{{Row: reel.StemRow, From: "DX", Channel: 0, Output: outputOf(r, "Mono", "M"), GainDB: -6},
				{Row: reel.StemRow, From: "DX", Channel: 1, Output: outputOf(r, "Mono", "M"), GainDB: -6}}}
		}, "Boom loses 3 dB on the way to Mono: the pan law puts it on both sides", "Set both sides 3 dB higher"},
		"a set in a narrower stem": {func(r *reel.Reel) reel.Command {
			return reel.AddTake{Take: "x", Title: "Bank", Length: 1000, Parts: []reel.PartPlan{{Name: "Bank", Stem: "AX",
				Channels: []int{0, 1, 2, 3, 4, 5}, Labels: fiveOne}}}
		}, "Bank has 6 channels and Ambience 2", "Fold it so"},
		"a sound field in a stem of speakers": {func(r *reel.Reel) reel.Command {
			return reel.AddTake{Take: "x", Title: "Shore", Length: 1000, Parts: []reel.PartPlan{{Name: "Shore", Stem: "AX",
				Channels: []int{0, 1, 2, 3}, Labels: []string{"ACN0", "ACN1", "ACN2", "ACN3"}}}}
		}, "Shore has 4 channels and Ambience 2, so it is decoded to left and right", "Decode it so"},
		"two languages": {set(func(c *reel.SetMix) { c.Terms = nil }), "English and Portuguese at once", "Only English in English"},
		"the wrong language": {set(func(c *reel.SetMix) {
			c.Terms = []reel.Term{{Row: reel.StrandRow, From: reel.StrandID("NX", "English"), Out: true}}
		}), "has the narration of Portuguese", "Only English in English"},
		"no narration": {set(func(c *reel.SetMix) { c.Terms = []reel.Term{{Row: reel.StemRow, From: "NX", Out: true}} }), "has no narration",
			"Only English in English"},
	} {
		r := mistakeless(t)
		if name == "3 dB lost in a mono" {
			apply(t, r, reel.SetGroup{Name: "Mono", Layout: "mono"})
		}
		apply(t, r, c.mistake(r))
		found := Findings(r)
		require.NotEmpty(t, found, name)
		require.Contains(t, found[0].Message, c.says, name)
		for range len(found) { // two sides may be wrong in the same way
			f := Findings(r)
			if len(f) == 0 {
				break
			}
			require.NotNil(t, f[0].Fix, name)
			require.Equal(t, c.fix, f[0].Fix.Name, name)
			command, err := f[0].Fix.Command.Decode()
			require.NoError(t, err, name)
			apply(t, r, command)
		}
		assert.Empty(t, Findings(r), name)
	}
}

// An LFE that is fed with everything: the knot goes, and then nothing feeds it, which is said too. A mono that is called an LFE is one.
func TestAnLFEThatIsFedWithEverything(t *testing.T) {
	r := mistakeless(t)
	apply(t, r, reel.SetStem{Stem: "DX", Labels: &fiveOne})
	apply(t, r, reel.SetGroup{Name: "Room", Layout: "5.1", Feed: &reel.Feeder{Row: reel.StemRow, From: "DX"}})
	apply(t, r, reel.SetKnots{Knots: []reel.Crosspoint{{Row: reel.StemRow, From: "NX", Output: outputOf(r, "Room", "LFE")}}})
	low := "River bank lfe"
	apply(t, r, reel.SetTrack{Track: firstTrack(r), Name: &low})
	apply(t, r, reel.SetKnots{Knots: []reel.Crosspoint{{Row: reel.TrackRow, From: firstTrack(r), Output: outputOf(r, "Room", "LFE")}}})
	at := -1
	for i, f := range Findings(r) {
		if f.Rule == FullRange {
			require.Negative(t, at, "the mono that is called an LFE is one")
			at = i
		}
	}
	require.GreaterOrEqual(t, at, 0)
	f := Findings(r)[at]
	assert.Contains(t, f.Message, "Room LFE is fed with all of Narration")
	command, err := f.Fix.Command.Decode()
	require.NoError(t, err)
	apply(t, r, command)
	for _, f := range Findings(r) {
		assert.NotEqual(t, FullRange, f.Rule)
		assert.False(t, strings.Contains(f.Message, "fed with all"))
	}
}

// A send to the LFE of the stem is one of full range, and is taken off; what is called an LFE may be sent.
func TestSendsToTheLFE(t *testing.T) {
	r := reel.New("x", 48000, timecode.Rate{Num: 25, Den: 1}, 0, reel.DefaultStems())
	apply(t, r, reel.AddTake{Take: "x", Title: "Winch", Length: 1000, Parts: []reel.PartPlan{{Name: "Winch", Stem: "FX", Channels: []int{0},
		Labels: []string{"M"}}}})
	apply(t, r, reel.SetStem{Stem: "FX", Labels: &fiveOne})
	apply(t, r, reel.SetGroup{Name: "Room", Layout: "5.1", Feed: &reel.Feeder{Row: reel.StemRow, From: "FX"}})
	sends := func() (found []Finding) {
		for _, f := range Findings(r) {
			if f.Rule == FullRange {
				found = append(found, f)
			}
		}
		return found
	}
	winch, yes, dB, front := r.TrackList()[0].ID, true, -10.0, 1.0
	apply(t, r, reel.SetTrack{Track: winch, Placed: &yes, Front: &front})
	require.Empty(t, sends())
	apply(t, r, reel.SetTrack{Track: winch, LFEDB: &dB})
	require.Len(t, sends(), 1)
	assert.Equal(t, "Winch sends all of its sound to the LFE, and so to Room LFE", sends()[0].Message)
	low := "Winch LFE"
	apply(t, r, reel.SetTrack{Track: winch, Name: &low})
	require.Empty(t, sends())
	high := "Winch"
	apply(t, r, reel.SetTrack{Track: winch, Name: &high})
	command, err := sends()[0].Fix.Command.Decode()
	require.NoError(t, err)
	apply(t, r, command)
	require.Empty(t, sends())
}

// An order that is not what the spec asks for, or not that of the other groups, is pointed out and set right; knots follow the labels.
func TestOrders(t *testing.T) {
	r := reel.New("x", 48000, timecode.Rate{Num: 25, Den: 1}, 0, reel.DefaultStems())
	smpte, film := fiveOne, []string{"L", "C", "R", "Ls", "Rs", "LFE"}
	apply(t, r, reel.LayOutputs{Spec: "s", Title: "S", Groups: []reel.Group{{ID: "room", Name: "Room", Tag: "RM", Layout: "5.1", Labels: smpte,
		Stems: []string{"DX"}}}})
	orders := func() (found []Finding) {
		for _, f := range Findings(r) {
			if f.Rule == Order {
				found = append(found, f)
			}
		}
		return found
	}
	right := func(f Finding) {
		command, err := f.Fix.Command.Decode()
		require.NoError(t, err)
		apply(t, r, command)
	}
	require.Empty(t, orders())
	apply(t, r, reel.SetKnots{Knots: []reel.Crosspoint{{Row: reel.StemRow, From: "DX", Output: "room/C"}}})
	apply(t, r, reel.SetGroup{ID: "room", Name: "Room", Tag: "RM", Layout: "5.1", Order: "film"})
	require.Len(t, orders(), 1)
	assert.Equal(t, "The channels of Room lie in the order L C R Ls Rs LFE; its spec asks for L R C LFE Ls Rs", orders()[0].Message)
	apply(t, r, reel.SetGroup{ID: "room", Name: "Room of film", Tag: "RM", Layout: "5.1", Order: "film"})
	require.Len(t, orders(), 1, "it is remembered")
	right(orders()[0])
	assert.Equal(t, smpte, r.Groups["room"].Labels)
	assert.Nil(t, r.Groups["room"].Asked)
	assert.Len(t, r.Knots, 1)
	require.Empty(t, orders())

	apply(t, r, reel.SetGroup{Name: "M&E", Layout: "5.1", Order: "film"})
	require.Len(t, orders(), 1)
	assert.Equal(t, "The channels of M&E lie in the order "+strings.Join(film, " ")+"; Room of film has L R C LFE Ls Rs", orders()[0].Message)
	right(orders()[0])
	require.Empty(t, orders())
}

// What a group lacks of its stem has a button that brings it there, and never only a yes to doing without: that would still stop
// the print.
func TestWhatAGroupLacksIsTiedIn(t *testing.T) {
	yes, front := true, 1.0
	wider := reel.SetStem{Stem: "DX", Labels: &fiveOne}
	for name, c := range map[string]struct {
		change func(boom string) []reel.Command
		rule   Rule
		fix    string
	}{
		"left out": {func(boom string) []reel.Command {
			return []reel.Command{wider, reel.SetTrack{Track: boom, Placed: &yes, Front: &front}}
		}, Silenced, "Fold Dialogue in"},
		"cut down": {func(string) []reel.Command {
			return []reel.Command{wider, reel.AddTake{Take: "c", Title: "Deck", Length: 10, Parts: []reel.PartPlan{{Name: "Deck", Stem: "DX",
				Channels: []int{0, 1, 2, 3, 4, 5}, Labels: fiveOne}}}}
		}, FoldDown, "Fold Dialogue in"},
		"untied": {func(string) []reel.Command {
			return []reel.Command{reel.ClearKnots{At: []reel.Crossing{{Row: reel.StemRow, From: "DX", Output: "dx/L"},
				{Row: reel.StemRow, From: "DX", Output: "dx/R"}}}}
		}, Silenced, "Tie Dialogue in"},
	} {
		t.Run(name, func(t *testing.T) {
			r, boom, _ := crossing(t)
			for _, command := range c.change(boom) {
				apply(t, r, command)
			}
			at := slices.IndexFunc(Findings(r), func(f Finding) bool { return f.Rule == c.rule && f.Output == "dx/L" })
			require.GreaterOrEqual(t, at, 0)
			offered := Findings(r)[at].Fix
			require.NotNil(t, offered)
			require.Equal(t, c.fix, offered.Name)
			command, err := offered.Command.Decode()
			require.NoError(t, err)
			apply(t, r, command)
			for _, f := range Findings(r) {
				assert.NotContains(t, []Rule{Silenced, FoldDown}, f.Rule, f.Message)
			}
			routes, _ := Look(r)
			for _, side := range []string{"dx/L", "dx/R"} {
				i := slices.IndexFunc(routes, func(route Route) bool { return route.Track == boom && route.Output == side })
				require.GreaterOrEqual(t, i, 0)
				assert.InDelta(t, -3.01, routes[i].GainDB, 0.01)
			}
		})
	}
}
