package store_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/align"
	"zestyloom/core/convert"
	"zestyloom/core/fault"
	"zestyloom/core/overview"
	"zestyloom/core/reel"
	"zestyloom/core/report"
	"zestyloom/core/take"
	"zestyloom/internal/store"
	"zestyloom/internal/store/storetest"
)

// mono stores one file of a set of so many, as the second recorder writes them.
func mono(t testing.TB, s *store.Store, production, file, family string, index, total int, change func(*store.Take)) string {
	start := int64(18 * 3600 * 48000)
	tk := store.Take{
		Production: production, Kind: take.Recording, FileName: file, CameFrom: "card/" + file, MediaKey: "sources/" + file,
		SoundKey: "sources/" + file + "/source.wav", SHA256: file, Size: 10,
		Description: take.Description{SampleRate: 48000, BitDepth: 24, Encoding: "pcm", Frames: 48000, Channels: 1, StartSamples: &start,
			Scene: "18C", Take: "1", Roll: "B02",
			Set: &take.FileSet{Family: family, Index: index, Total: total}, Tracks: []take.Track{{Index: 1, Name: file, Use: take.Iso}},
			Warnings: []take.Warning{}},
		Channels: []store.Channel{{Track: take.Track{Index: 1, Name: file, Use: take.Iso}, FileName: file}},
	}
	if change != nil {
		change(&tk)
	}
	id, err := add(s, tk)
	require.NoError(t, err)
	return id
}

func list(t testing.TB, s *store.Store, production string) []store.Take {
	takes, err := s.Takes(ctx, production)
	require.NoError(t, err)
	return takes
}

func fileNames(takes []store.Take) (names []string) {
	for _, tk := range takes {
		names = append(names, tk.FileName)
	}
	return names
}

func TestFilesOfASetBecomeOneTake(t *testing.T) {
	s := storetest.Open(t)
	p := ferry(t, s)
	mono(t, s, p.ID, "b2", "x", 2, 3, nil)
	mono(t, s, p.ID, "b1", "x", 1, 3, nil)
	made, err := s.Gather(ctx, p.ID)
	require.NoError(t, err)
	assert.Empty(t, made, "one is still missing")
	mono(t, s, p.ID, "b3", "x", 3, 3, nil)
	mono(t, s, p.ID, "other", "y", 1, 1, nil)
	made, err = s.Gather(ctx, p.ID)
	require.NoError(t, err)
	require.Len(t, made, 1)
	again, err := s.Gather(ctx, p.ID)
	require.NoError(t, err)
	assert.Empty(t, again, "it is done once")
	takes := list(t, s, p.ID)
	require.Len(t, takes, 2)
	group, err := s.Take(ctx, made[0])
	require.NoError(t, err)
	assert.Equal(t, "18C/1", group.Title())
	assert.Equal(t, []string{"b1", "b2", "b3"}, group.Description.Names())
	assert.Equal(t, "b2", group.Assembly.Files[1].FileName)
	assert.NotEmpty(t, group.Assembly.Why)
	assert.EqualValues(t, 30, group.Size)

	require.NoError(t, s.TakeApart(ctx, group.ID, "ines"))
	assert.Equal(t, []string{"b1", "b2", "b3", "other"}, fileNames(list(t, s, p.ID)))
	made, err = s.Gather(ctx, p.ID)
	require.NoError(t, err)
	assert.Empty(t, made, "what was taken apart stays so")
	assert.Equal(t, fault.Stale, fault.KindOf(s.TakeApart(ctx, group.ID, "ines")))
	require.NoError(t, s.UndoTakeEdit(ctx, p.ID, 0, "ines"))
	assert.Len(t, list(t, s, p.ID), 2, "one undo puts it together again")
}

func TestAGroupGrowsUntilItIsWorkedOn(t *testing.T) {
	s := storetest.Open(t)
	p := ferry(t, s)
	side := func(file string) {
		mono(t, s, p.ID, file, "", 0, 0, func(tk *store.Take) {
			tk.Kind, tk.Description.Set, tk.Description.StartSamples, tk.Description.Scene, tk.Description.Take,
				tk.Description.Roll = take.Effect,
				nil, nil, "", "", ""
			tk.Description.Tracks[0].Name, tk.Channels[0].Name = "", ""
		})
	}
	side("bed L.wav")
	side("bed R.wav")
	made, err := s.Gather(ctx, p.ID)
	require.NoError(t, err)
	require.Len(t, made, 1)
	pair, err := s.Take(ctx, made[0])
	require.NoError(t, err)
	assert.Equal(t, "bed", pair.FileName)
	assert.Equal(t, []take.Set{take.Pair(1, 2)}, pair.Sets)
	assert.Equal(t, []string{"L", "R"}, pair.Description.Names())
	for _, more := range []string{"bed C.wav", "bed LFE.wav", "bed Ls.wav", "bed Rs.wav"} {
		side(more)
	}
	made, err = s.Gather(ctx, p.ID)
	require.NoError(t, err)
	require.Len(t, made, 1)
	five, err := s.Take(ctx, made[0])
	require.NoError(t, err)
	assert.Equal(t, []string{"L", "R", "C", "LFE", "Ls", "Rs"}, five.Sets[0].Labels)
	_, err = s.Take(ctx, pair.ID)
	assert.Equal(t, fault.NotFound, fault.KindOf(err), "the smaller group is gone")
	require.NoError(t, name(s, five.ID, 1, "Bank L"))
	mono(t, s, p.ID, "bed R2.wav", "", 0, 0, nil)
	_, err = s.Gather(ctx, p.ID)
	require.NoError(t, err)
	_, err = s.Take(ctx, five.ID)
	assert.NoError(t, err)
}

func TestGroupingByHand(t *testing.T) {
	s := storetest.Open(t)
	p := ferry(t, s)
	a := mono(t, s, p.ID, "a", "", 0, 0, func(tk *store.Take) { tk.Description.Set = nil })
	b := mono(t, s, p.ID, "b", "", 0, 0, func(tk *store.Take) { tk.Description.Set = nil; tk.Description.Frames = 47000 })
	slow := mono(t, s, p.ID, "slow", "", 0, 0, func(tk *store.Take) { tk.Description.Set, tk.Description.SampleRate = nil, 44100 })
	made, err := s.Gather(ctx, p.ID)
	require.NoError(t, err)
	assert.Empty(t, made)
	family, err := s.Assess(ctx, p.ID, []string{a, b})
	require.NoError(t, err)
	assert.Contains(t, family.Against, "Their lengths differ by 1000 sample frames")
	id, err := s.Group(ctx, p.ID, "ines", []string{b, a})
	require.NoError(t, err)
	group, err := s.Take(ctx, id)
	require.NoError(t, err)
	assert.True(t, group.Assembly.ByHand)
	assert.Len(t, list(t, s, p.ID), 2)
	require.NoError(t, s.UndoTakeEdit(ctx, p.ID, 0, "ines"))
	assert.Len(t, list(t, s, p.ID), 3)
	require.NoError(t, s.RedoTakeEdit(ctx, p.ID, 0, "ines"))
	assert.Len(t, list(t, s, p.ID), 2)
	for _, bad := range [][]string{{a}, {a, slow}, {id, slow}, {"nonsense", slow}, nil} {
		_, err := s.Group(ctx, p.ID, "ines", bad)
		assert.NotEmpty(t, fault.KindOf(err), "%v", bad)
	}
	keys, err := s.RemoveTake(ctx, id)
	require.NoError(t, err)
	assert.ElementsMatch(t, []string{"sources/a", "sources/b"}, keys, "a group goes with its files")
	assert.Equal(t, []string{"slow"}, fileNames(list(t, s, p.ID)))
}

func TestAGroupWhoseFileIsInUseStays(t *testing.T) {
	s := storetest.Open(t)
	p := ferry(t, s)
	a, b := mono(t, s, p.ID, "a", "", 0, 0, nil), mono(t, s, p.ID, "b", "", 0, 0, nil)
	reelID, err := s.CreateReel(ctx, p, "Reel 1", new(int64(0)))
	require.NoError(t, err)
	_, err = s.Do(ctx, reelID, 0, "ines", command(reel.AddTake{Take: a, Title: "a", Length: 10,
		Parts: []reel.PartPlan{{Name: "a", Stem: "DX", Channels: []int{0}, Labels: []string{"M"}}}}))
	require.NoError(t, err)
	id, err := s.Group(ctx, p.ID, "ines", []string{a, b})
	require.NoError(t, err)
	_, err = s.RemoveTake(ctx, id)
	assert.Equal(t, fault.BadInput, fault.KindOf(err), "a reel was made with one of its files before")
	_, err = s.Take(ctx, a)
	assert.NoError(t, err)
}

func TestStreamsOfAMovieShareTheirFile(t *testing.T) {
	s := storetest.Open(t)
	p := ferry(t, s)
	movie := store.Take{Production: p.ID, Kind: take.Camera, FileName: "A003.mov", MediaKey: "sources/m", SoundKey: "sources/m/sound.0.wav",
		SHA256: "m", Description: take.Description{SampleRate: 48000}, Channels: []store.Channel{{}},
		Picture: &store.Picture{ProxyKey: "sources/m/picture.mp4"}}
	second := movie
	second.Stream, second.Picture = 1, nil
	c, err := claimed(s, p.ID)
	require.NoError(t, err)
	ids, err := s.AddTakes(ctx, c, []store.Take{movie, second}, false)
	require.NoError(t, err)
	got, err := s.TakesOfWork(ctx, c.Work)
	require.NoError(t, err)
	require.Len(t, got, 2)
	assert.Equal(t, "A003, stream 2", got[1].Title())
	// They begin together, so they are tied together, and untied.
	to := addTake(t, s, p.ID, "12A")
	require.NoError(t, s.SetTie(ctx, ids[1], "ines", &store.Tie{Reference: to, Offset: 7, Method: store.ByWaveform}))
	for _, id := range ids {
		x, err := s.Take(ctx, id)
		require.NoError(t, err)
		require.NotNil(t, x.Tie)
		assert.EqualValues(t, 7, x.Tie.Offset)
	}
	assert.Equal(t, "m", got[0].File().Of)
	require.NoError(t, s.SetTie(ctx, ids[0], "ines", nil))
	other, err := s.Take(ctx, ids[1])
	require.NoError(t, err)
	assert.Nil(t, other.Tie)
	// The one picture that there is is a new reel's, and where it starts; where somebody has said when, it is not.
	begun, err := s.Begin(ctx, p, "Reel 1", nil)
	require.NoError(t, err)
	assert.True(t, begun.Head.Free)
	require.NoError(t, kind(s, ids[0], take.Picture))
	begun, err = s.Begin(ctx, p, "Reel 1", nil)
	require.NoError(t, err)
	assert.Equal(t, []any{ids[0], "m", false}, []any{begun.Head.Picture.Take, begun.Head.Picture.Of, begun.Head.Free})
	begun, err = s.Begin(ctx, p, "Reel 1", new(int64(5)))
	require.NoError(t, err)
	assert.Equal(t, []any{"", int64(5)}, []any{begun.Head.Picture.Take, begun.Head.Start})
	require.NoError(t, kind(s, ids[0], take.Camera))
	keys, err := s.RemoveTake(ctx, ids[0])
	require.NoError(t, err)
	assert.Empty(t, keys, "the other stream needs the files")
	keys, err = s.RemoveTake(ctx, ids[1])
	require.NoError(t, err)
	assert.Equal(t, []string{"sources/m"}, keys)
}

func putMatch(t testing.TB, s *store.Store, production string, m store.Match) {
	c, err := claimed(s, production)
	require.NoError(t, err)
	require.NoError(t, s.PutMatch(ctx, c, production, m))
}

func ptr[T any](x T) *T { return &x }

func TestEditsOfSeveralTakesAreOneStep(t *testing.T) {
	s := storetest.Open(t)
	p := ferry(t, s)
	a, b := addTake(t, s, p.ID, "a"), addTake(t, s, p.ID, "b")
	e := store.TakeEdit{Slate: store.Slate{Note: ptr(" windy "), Circled: ptr(true)},
		Channels: []store.ChannelEdit{{Index: 1, Stem: ptr("AX"), Strand: ptr("Deck"), On: ptr(false)}}}
	changed, err := s.EditTakes(ctx, p.ID, "ines", []string{a, b, a}, e)
	require.NoError(t, err)
	assert.Equal(t, 2, changed)
	for _, id := range []string{a, b} {
		got, err := s.Take(ctx, id)
		require.NoError(t, err)
		assert.Equal(t, "windy", got.Description.Note)
		assert.True(t, got.Description.Circled)
		assert.False(t, got.Channels[0].Unravelled)
		src := got.Source(nil)
		assert.Equal(t, []any{"AX", "Deck", true, false}, []any{src.Channels[0].Stem, src.Channels[0].Strand, src.Channels[0].Decided,
			src.Channels[0].On})
	}
	require.NoError(t, s.UndoTakeEdit(ctx, p.ID, 0, "ines"))
	got, err := s.Take(ctx, b)
	require.NoError(t, err)
	assert.Empty(t, got.Description.Note)
	assert.Equal(t, "DX", got.Source(nil).Channels[0].Stem, "the suggestion again")
	for name, bad := range map[string]store.TakeEdit{
		"stem":    {Channels: []store.ChannelEdit{{Index: 1, Stem: ptr("QQ")}}},
		"channel": {Channels: []store.ChannelEdit{{Index: 9, Name: ptr("x")}}},
		"sets":    {Sets: &[]take.Set{take.Pair(1, 2)}},
		"kind":    {Kind: ptr(take.Kind("song"))},
	} {
		_, err := s.EditTakes(ctx, p.ID, "ines", []string{a}, bad)
		assert.NotEmpty(t, fault.KindOf(err), name)
	}
	other, err := s.CreateProduction(ctx, "Another", pal)
	require.NoError(t, err)
	_, err = s.EditTakes(ctx, other.ID, "ines", []string{a}, e)
	assert.Equal(t, fault.NotFound, fault.KindOf(err), "only takes of the production")
}

func TestASetIsSwitchedTogether(t *testing.T) {
	s := storetest.Open(t)
	p := ferry(t, s)
	id, err := add(s, store.Take{Production: p.ID, Kind: take.Effect, SHA256: "f",
		Description: take.Description{SampleRate: 48000, Frames: 1, Channels: 4}, Channels: []store.Channel{{}, {}, {Empty: true}, {}}})
	require.NoError(t, err)
	on := func() (list []bool) {
		got, err := s.Take(ctx, id)
		require.NoError(t, err)
		for _, c := range got.Channels {
			list = append(list, c.Unravelled)
		}
		return list
	}
	assert.Equal(t, []bool{true, true, false, true}, on())
	field := []take.Set{{Kind: take.Field, Channels: []int{1, 2, 3, 4}, Labels: []string{"ACN0", "ACN1", "ACN2", "ACN3"}}}
	require.NoError(t, edit(s, id, store.TakeEdit{Sets: &field}))
	assert.Equal(t, []bool{true, true, true, true}, on(), "a silent channel of a field belongs to it")
}

func TestSoundReportFillsTakes(t *testing.T) {
	s := storetest.Open(t)
	p := ferry(t, s)
	a := addTake(t, s, p.ID, "a")
	changed, missing, err := s.FillFromReport(ctx, p.ID, "ines", []report.Line{
		{Scene: "12A", Take: "3", Circled: ptr(true), Note: "rope creaks", Tracks: []string{"Boom, near", "one too many"}},
		{Scene: "99", Take: "1"},
	})
	require.NoError(t, err)
	assert.Equal(t, 1, changed)
	require.Len(t, missing, 1)
	assert.Equal(t, "99", missing[0].Scene)
	got, err := s.Take(ctx, a)
	require.NoError(t, err)
	assert.Equal(t, []any{"rope creaks", true, "Boom, near", "LF03"}, []any{got.Description.Note, got.Description.Circled,
		got.Channels[0].Name, got.Description.Roll})
	require.NoError(t, s.UndoTakeEdit(ctx, p.ID, 0, "ines"))
	got, err = s.Take(ctx, a)
	require.NoError(t, err)
	assert.Equal(t, "Boom", got.Channels[0].Name)
}

func TestStemsAndRules(t *testing.T) {
	s := storetest.Open(t)
	p := ferry(t, s)
	a := addTake(t, s, p.ID, "a")
	stems, rules, err := s.StemsAndRules(ctx, p.ID)
	require.NoError(t, err)
	assert.Len(t, stems, 5)
	stems = append(stems, store.Stem{ID: "cx", Name: "Crowd", Strands: []string{" north ", "north", ""}})
	stems[0].Strands = []string{"Ines Calder"}
	rules = append([]take.Rule{{Words: []string{"boom"}, Stem: "CX", Strand: "north"}}, rules...)
	require.NoError(t, s.SetStemsAndRules(ctx, p.ID, stems, rules))
	got, err := s.Take(ctx, a)
	require.NoError(t, err)
	assert.Equal(t, []string{"CX", "north"}, []string{got.Channels[0].Suggested, got.Channels[0].SuggestedStrand})
	reelID, err := s.CreateReel(ctx, p, "Reel 1", new(int64(0)))
	require.NoError(t, err)
	o, err := s.Reel(ctx, reelID)
	require.NoError(t, err)
	assert.Equal(t, "Crowd", o.Reel.Stems["CX"].Name, "new reels have the production's stems")
	require.NoError(t, edit(s, a, store.TakeEdit{Channels: []store.ChannelEdit{{Index: 1, Stem: ptr("CX")}}}))
	for name, bad := range map[string][]store.Stem{"in use": stems[:5], "none": nil, "twice": append(stems[:6:6], stems[0]),
		"tag": append(stems[:6:6], store.Stem{ID: "long", Name: "x"}), "name": append(stems[:6:6], store.Stem{ID: "ZX"})} {
		assert.Equal(t, fault.BadInput, fault.KindOf(s.SetStemsAndRules(ctx, p.ID, bad, nil)), name)
	}
	assert.Equal(t, fault.BadInput, fault.KindOf(s.SetStemsAndRules(ctx, p.ID, stems, []take.Rule{{Stem: "ZX", Words: []string{"x"}}})))
}

func TestTiesAndMatches(t *testing.T) {
	s := storetest.Open(t)
	p := ferry(t, s)
	a := addTake(t, s, p.ID, "a")
	start := int64(36000 * 48000)
	movie, err := add(s, store.Take{Production: p.ID, Kind: take.Picture, FileName: "Picture cut.mov", SHA256: "m",
		Channels: []store.Channel{}, Description: take.Description{SampleRate: 48000, StartSamples: &start, Frames: 480000}})
	require.NoError(t, err)
	putMatch(t, s, p.ID, store.Match{Take: a, Reference: &movie, Method: store.ByWaveform,
		Result: align.Match{OffsetSamples: 480, Confidence: 0.9, DriftPPM: 12, Matched: true}})
	require.NoError(t, s.RefuseMatch(ctx, a, true))
	matches, err := s.Matches(ctx, p.ID, "", 500)
	require.NoError(t, err)
	require.Len(t, matches, 1)
	assert.True(t, matches[0].Refused)
	assert.EqualValues(t, 480, matches[0].Result.OffsetSamples)
	putMatch(t, s, p.ID, store.Match{Take: a, Method: store.ByWaveform, Reason: "None sounds like it"})
	matches, err = s.Matches(ctx, p.ID, "", 500)
	require.NoError(t, err)
	require.Len(t, matches, 1, "found anew, in place of the old")
	assert.Equal(t, "None sounds like it", matches[0].Reason)
	assert.False(t, matches[0].Refused)

	require.NoError(t, s.SetTie(ctx, a, "ines", &store.Tie{Reference: movie, Offset: 480, DriftPPM: 12, Method: store.ByWaveform}))
	got, err := s.Take(ctx, a)
	require.NoError(t, err)
	assert.Equal(t, "Picture cut", got.Tie.Title)
	assert.Equal(t, start+480, *got.Place)
	assert.Equal(t, fault.BadInput, fault.KindOf(s.SetTie(ctx, movie, "ines", &store.Tie{Reference: a})), "not in a circle")
	assert.Equal(t, fault.BadInput, fault.KindOf(s.SetTie(ctx, a, "ines", &store.Tie{Reference: a})))
	assert.Equal(t, fault.NotFound, fault.KindOf(s.SetTie(ctx, a, "ines", &store.Tie{Reference: "00000000-0000-0000-0000-000000000000"})))
	// Ties of ties are followed; they form no circle, and their numbers make sense.
	b := addTake(t, s, p.ID, "b")
	require.NoError(t, s.SetTie(ctx, b, "ines", &store.Tie{Reference: a, Offset: 20, Method: store.ByWaveform}))
	further, err := s.Take(ctx, b)
	require.NoError(t, err)
	assert.Equal(t, start+500, *further.Place)
	assert.ErrorContains(t, s.SetTie(ctx, movie, "ines", &store.Tie{Reference: b}), "in a circle", "a circle of three")
	for _, senseless := range []store.Tie{{Offset: 1 << 62}, {Offset: -1 << 62}, {DriftPPM: 1e300}, {DriftPPM: math.NaN()}, {Confidence: 2},
		{Confidence: -1}, {Confidence: math.NaN()}} {
		senseless.Reference = movie
		assert.Equal(t, fault.BadInput, fault.KindOf(s.SetTie(ctx, a, "ines", &senseless)), "%+v", senseless)
	}
	require.NoError(t, s.UndoTakeEdit(ctx, p.ID, 0, "ines"))
	require.NoError(t, s.UndoTakeEdit(ctx, p.ID, 0, "ines"))
	got, err = s.Take(ctx, a)
	require.NoError(t, err)
	assert.Nil(t, got.Tie)
	assert.Nil(t, got.Place)
	assert.Equal(t, fault.NotFound, fault.KindOf(s.RefuseMatch(ctx, movie, true)))
}

func TestAConvertedTakeStandsInForItsSource(t *testing.T) {
	s := storetest.Open(t)
	p := ferry(t, s)
	a := addTake(t, s, p.ID, "a")
	ref := addTake(t, s, p.ID, "ref")
	require.NoError(t, s.SetTie(ctx, a, "ines", &store.Tie{Reference: ref, DriftPPM: 20, Method: store.ByWaveform}))
	from, err := s.Take(ctx, a)
	require.NoError(t, err)
	c, err := claimed(s, p.ID)
	require.NoError(t, err)
	made := store.Converted{Conversion: convert.Conversion{DriftPPM: 20}, Frames: 48001, Media: "sources/w", Sound: "sources/w/source.wav",
		Levels: make([]overview.Level, 1)}
	id, err := s.AddConverted(ctx, c, "ines", from, made)
	require.NoError(t, err)
	again, err := s.AddConverted(ctx, c, "ines", from, made)
	require.NoError(t, err)
	assert.Equal(t, id, again, "one piece of work stores its take once")
	got, err := s.Take(ctx, id)
	require.NoError(t, err)
	assert.EqualValues(t, 48001, got.Description.Frames)
	assert.Zero(t, got.Tie.DriftPPM, "it has no drift any more")
	assert.Equal(t, 20.0, got.Assembly.Conversion.DriftPPM)
	assert.Equal(t, []string{"a.wav", "ref.wav"}, fileNames(list(t, s, p.ID)), "one for the other")
	require.NoError(t, s.TakeApart(ctx, id, "ines"), "the way back")
	now, err := s.Take(ctx, a)
	require.NoError(t, err)
	assert.Equal(t, 20.0, now.Tie.DriftPPM)
	c, err = claimed(s, p.ID)
	require.NoError(t, err)
	_, err = s.AddConverted(ctx, c, "ines", got, store.Converted{})
	assert.Error(t, err)
}
