package reel

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/fault"
	"zestyloom/core/placing"
	"zestyloom/core/take"
	"zestyloom/core/timecode"
)

func arrived(title string, sets []take.Set, channels ...string) Source {
	s := Source{Take: "take " + title, Title: title, Kind: take.Music, SampleRate: 48000, Frames: 96000, Sets: sets, Stems: DefaultStems()}
	for i, name := range channels {
		s.Channels = append(s.Channels, SourceChannel{Track: take.Track{Index: i + 1, Name: name}, On: true, Stem: "MX"})
	}
	return s
}

func emptyReel() *Reel {
	return New("Promo", 48000, timecode.Rate{Num: 25, Den: 1}, 36000*48000, DefaultStems())
}

var promo = []Source{
	arrived("Crossing MUSIC", []take.Set{take.Pair(1, 2)}, "L", "R"), arrived("Crossing NARRATION", nil, ""),
	arrived("Crossing MIX", []take.Set{take.Pair(1, 2)}, "L", "R"), arrived("Crossing DIALOGUE", nil, ""),
}

func groupsOf(r *Reel) (out []string) {
	for _, g := range r.GroupList() {
		fed := "nothing"
		if g.Feed != nil {
			fed = r.Tracks[g.Feed.From].Name
		}
		out = append(out, g.Name+" "+g.Tag+" "+g.Layout+" from "+fed)
	}
	return out
}

// The parts of a finished mix become a track and a group each, from the full mix on, in one step.
func TestAFinishedMixIsLaidAndRouted(t *testing.T) {
	r := emptyReel()
	before := r.Clone()
	change, name := do(t, r, LayTakes{Takes: promo, Route: true})
	assert.Equal(t, "lay 4 takes", name)
	assert.Equal(t, []string{"Full mix MIX stereo from MIX", "Dialogue DX mono from DIALOGUE", "Narration NX mono from NARRATION",
		"Music MX stereo from MUSIC"}, groupsOf(r))
	assert.Len(t, r.OutputList(), 6)
	for _, track := range r.TrackList() {
		assert.Empty(t, track.Stem, "it comes as it is: no stem has it as well")
		assert.False(t, track.Suggested)
	}
	assert.Equal(t, []string{"L", "R"}, r.TrackList()[0].Labels)
	require.NoError(t, r.Apply(change.Inverse()))
	before.Head.Next = r.Head.Next
	assert.Equal(t, before, r, "and back")

	// Groups that the reel has and that mean the same are fed; no others are made beside them.
	do(t, r, SetGroup{Name: "M and E", Tag: "ME", Layout: "stereo"})
	do(t, r, SetGroup{Name: "Stereo", Tag: "MIX", Layout: "stereo"})
	do(t, r, SetGroup{Name: "Voice", Tag: "VO", Layout: "stereo"})
	do(t, r, LayTakes{Takes: promo, Route: true})
	assert.Equal(t, []string{"M and E ME stereo from nothing", "Stereo MIX stereo from MIX", "Voice VO stereo from nothing"}, groupsOf(r),
		"a narration in mono does not feed a pair")
	assert.Len(t, r.Tracks, 4)
	do(t, r, LayTakes{Takes: promo, Route: true})
	assert.Contains(t, groupsOf(r), "Stereo MIX stereo from MIX")
	assert.Equal(t, r.TrackList()[0].ID, r.GroupList()[1].Feed.From, "what feeds a group already goes on feeding it")
}

func TestMonosOfOnePartAreJoinedFirst(t *testing.T) {
	monos := []Source{arrived("Mix_R", nil, ""), arrived("VO", nil, ""), arrived("MixL", nil, ""), arrived("MXLs", nil, ""),
		arrived("MX C", nil, ""), arrived("MX-L", nil, ""), arrived("DX_L", nil, "")}
	assert.Equal(t, [][]string{{"take MixL", "take Mix_R"}, {"take MX-L", "take MX C", "take MXLs"}}, Joins(monos))
	assert.Empty(t, Joins([]Source{monos[0], monos[2], arrived("mix l", nil, "")}), "two lefts")
	assert.Empty(t, Joins([]Source{arrived("Cue L", nil, ""), arrived("Cue R", nil, "")}), "nothing of a finished mix")
	assert.Empty(t, Joins([]Source{arrived("DX L", nil, ""), arrived("DX R", nil, "")}), "no mix among them")
}

// A reel that is free to start anywhere starts with its picture, else where what is laid first does; once it has a start, what would
// lie before it is asked about, and taken at the user's word.
func TestWhereAReelBegins(t *testing.T) {
	const hour = 3600 * 48000
	at := func(title string, samples int64) Source {
		s := arrived(title, nil, "")
		s.File = stampedAt(samples)
		return s
	}
	r := emptyReel()
	r.Head.Free = true
	do(t, r, LayTakes{Takes: []Source{at("12A/4", 2*hour), at("12A/3", hour+hour/2)}})
	assert.EqualValues(t, hour+hour/2, r.Head.Start)
	assert.False(t, r.Head.Free)
	early := LayTakes{Takes: []Source{at("12A/1", hour)}}
	refused(t, r, fault.Asks, "before the reel starts", early)
	early.Anyway = true
	do(t, r, early)
	assert.EqualValues(t, hour+hour/2, r.Head.Start, "its start is chosen")
	early.Anyway, early.Start = false, ptr(int64(hour))
	do(t, r, early)
	assert.EqualValues(t, hour, r.Head.Start)

	free := emptyReel()
	free.Head.Free = true
	do(t, free, LayTakes{Takes: []Source{at("12A/3", 3*hour)}, Picture: "cut", Anyway: true})
	assert.Equal(t, "cut", free.Head.Picture.Take)
	set := emptyReel()
	set.Head.Free = true
	do(t, set, SetReel{Picture: &PictureChoice{"cut", ptr(int64(5*hour + 700))}})
	assert.Equal(t, []any{int64(5 * hour), int64(5*hour + 700), false}, []any{set.Head.Start, set.Head.Picture.Start, set.Head.Free},
		"on the frame in which the picture begins")
	do(t, set, SetReel{Picture: &PictureChoice{"cut", ptr(int64(7 * hour))}})
	assert.EqualValues(t, 5*hour, set.Head.Start, "which it has now")
}

// One name that nothing is known of does not take away what the others say; numbers stand for channels where they are all there.
func TestAnUnknownNameBlindsNobody(t *testing.T) {
	mono := func(title string) Source { return arrived(title, nil, "") }
	all := []Source{mono("PRINTMASTER_L"), mono("PRINTMASTER_R"), mono("VO"), mono("SFX"), mono("Zither"), mono("MNE_L"), mono("MNE_R"),
		mono("MUS_1"), mono("MUS_2")}
	assert.Equal(t, [][]string{{"take PRINTMASTER_L", "take PRINTMASTER_R"}, {"take MNE_L", "take MNE_R"}, {"take MUS_1", "take MUS_2"}},
		Joins(all))
	assert.Equal(t, []take.Set{{Kind: take.Bonded, Channels: []int{1, 2}, Labels: []string{"L", "R"}}}, Joined(all[7:9]).Sets)
	look, err := LayTakes{Takes: []Source{Joined(all[0:2]), all[2], all[3], all[4], Joined(all[5:7])}, Route: true}.Look(emptyReel(), nil)
	require.NoError(t, err)
	var says []string
	for _, row := range look.Rows {
		group := "none"
		if row.Group != nil {
			group = row.Group.Name + " " + row.Group.Layout
		}
		says = append(says, row.Title+": "+group)
	}
	assert.Equal(t, []string{"printmaster: Full mix stereo", "VO: Narration mono", "SFX: Effects mono", "mne: M&E stereo",
		"Zither: none"}, says)
	film := []Source{}
	for n := range 6 {
		film = append(film, mono(fmt.Sprintf("MIX_film_%d", n+1)))
	}
	assert.Equal(t, []string{"L", "C", "R", "Ls", "Rs", "LFE"}, labelsInOrder(film))
	whole6 := arrived("Ferry MIX 5.1 film", nil, "", "", "", "", "", "")
	r := emptyReel()
	do(t, r, LayTakes{Takes: []Source{whole6, all[2]}, Route: true})
	assert.Equal(t, []string{"L", "C", "R", "Ls", "Rs", "LFE"}, r.TrackList()[0].Labels, "a file's name says in which order its channels are")
	for _, at := range []int64{-1, 1 << 62} {
		refused(t, r, fault.BadInput, "A place lies between", LayTakes{Takes: all[2:3], Plain: true, At: map[string]int64{all[2].Take: at}})
	}
	assert.Empty(t, Joins([]Source{mono("MIX_1"), mono("MIX_3"), mono("VO")}), "one is missing")
	_, isWhole := finished([]Source{mono("MIX"), mono("12A/3"), mono("12A/4"), mono("Zither")})
	assert.False(t, isWhole, "most are nothing of a finished mix")
}

// labelsInOrder are those that monos are read with, in the order in which they are given.
func labelsInOrder(takes []Source) (labels []string) {
	parts, _ := finished(takes)
	by := labelsOf(parts)
	for i := range takes {
		labels = append(labels, by[i])
	}
	return labels
}

func TestTakesOfOtherKindsAreLaidWhereTheyBelong(t *testing.T) {
	r := emptyReel()
	at := int64(36010 * 48000)
	boom := arrived("12A/3", nil, "Boom", "Ines lav")
	boom.File = stampedAt(at)
	cue := arrived("Cue", []take.Set{take.Pair(1, 2)}, "L", "R")
	look, err := LayTakes{Takes: []Source{boom, cue}}.Look(r, nil)
	require.NoError(t, err)
	require.Len(t, look.Rows, 2)
	assert.Equal(t, int64(36000*48000), look.Start)
	stamped, unknown := look.Rows[0], look.Rows[1]
	assert.Equal(t, placing.Stamp, stamped.Place.By.Kind)
	assert.Equal(t, at, stamped.Place.At)
	assert.Equal(t, placing.Nothing, unknown.Place.By.Kind)
	assert.Equal(t, int64(36000*48000), unknown.Place.At)
	stamped.Place, unknown.Place = placing.Proposal{}, placing.Proposal{}
	assert.Equal(t, []LaidTake{{Take: "take 12A/3", Title: "12A/3", Name: "Boom", Tracks: 2},
		{Take: "take Cue", Title: "Cue", Name: "Cue", Tracks: 1, Labels: []string{"L", "R"}}}, []LaidTake{stamped, unknown})
	assert.Empty(t, r.Tracks, "looking changes nothing")
	do(t, r, LayTakes{Takes: []Source{boom, cue}})
	assert.Equal(t, []string{"Boom", "Ines lav", "Cue"}, names(r.TrackList(), func(t Track) string { return t.Name }),
		"a stereo take is called as it is, not L + R")
	do(t, r, LayTakes{Takes: promo[2:3], Plain: true, Route: true})
	assert.Empty(t, r.Groups, "as a take like others")
	refused(t, r, fault.BadInput, "Choose the takes", LayTakes{})
	refused(t, r, fault.BadInput, "Silent MIX has no sound to lay", LayTakes{Takes: []Source{arrived("Silent MIX", nil)}})
	slow := boom
	slow.SampleRate = 44100
	refused(t, r, fault.Unsupported, "12A/3 is at 44100 Hz", LayTakes{Takes: []Source{cue, slow}})
}

// The streams of a movie that are called by their languages are the mix in each of them, beside its M&E.
func TestTheLanguagesOfAMovie(t *testing.T) {
	stream := func(title string) Source {
		s := arrived("Ferry, "+title, []take.Set{take.Pair(1, 2)}, "", "")
		s.File.Of = "the movie"
		return s
	}
	r := emptyReel()
	do(t, r, LayTakes{Takes: []Source{stream("English"), stream("Portuguese"), stream("M&E")}, Route: true})
	assert.Equal(t, []string{"Full mix English ENG stereo from English", "Full mix Portuguese POR stereo from Portuguese",
		"M&E ME stereo from M&E"}, groupsOf(r))
	assert.Equal(t, "por", r.GroupList()[1].Language)

	others := []Source{stream("English"), stream("Portuguese")}
	others[1].File.Of = "another movie"
	look, err := LayTakes{Takes: others, Route: true}.Look(emptyReel(), shelf{})
	require.NoError(t, err)
	assert.Empty(t, look.Rows[0].Role, "a file that is called English may be anything")
}

// A word that a production teaches is read in the titles of its takes.
func TestTaughtWords(t *testing.T) {
	mine := take.Taught([]take.Word{{Text: "zaehring", Kind: take.RoleWord, Means: string(take.FullMixRole)}})
	a := arrived("Zaehring", []take.Set{take.Pair(1, 2)}, "L", "R")
	look := func() Laying {
		look, err := LayTakes{Takes: []Source{a}, Route: true}.Look(emptyReel(), shelf{})
		require.NoError(t, err)
		return look
	}
	assert.Empty(t, look().Rows[0].Role)
	a.Words = mine
	assert.Equal(t, take.FullMixRole, look().Rows[0].Role)
}

func TestAnOutputForEachTrack(t *testing.T) {
	r := ferry()
	do(t, r, aTake("12A/3", 2))
	do(t, r, AddTake{Take: "wide", Title: "wide", Start: 36001 * 48000, Length: 4800, Parts: []PartPlan{
		{Name: "Room", Stem: "AX", Channels: []int{0, 1, 2, 3, 4, 5}, Labels: []string{"L", "C", "R", "Ls", "Rs", "LFE"}},
		{Name: "Room", Stem: "AX", Channels: []int{6, 7, 8}, Labels: []string{"M", "M", "M"}}}})
	var ids []string
	for _, track := range r.TrackList() {
		ids = append(ids, track.ID)
	}
	before := r.Clone()
	change, name := do(t, r, OutputEach{ids})
	assert.Equal(t, "outputs for 4 tracks", name)
	var got []string
	for _, g := range r.GroupList() {
		assert.Equal(t, len(r.Tracks[g.Feed.From].Labels), len(g.Labels))
		got = append(got, fmt.Sprint(g.Name, " ", g.Layout, " ", g.Labels))
	}
	assert.Equal(t, []string{"12A/3a mono [M]", "12A/3b mono [M]", "Room 5.1 [L C R Ls Rs LFE]", "Room 2 discrete [1 2 3]"}, got)
	require.NoError(t, r.Apply(change.Inverse()))
	before.Head.Next = r.Head.Next
	assert.Equal(t, before, r)
	for _, wrong := range []OutputEach{{}, {[]string{"nobody"}}} {
		_, _, err := wrong.Plan(r, shelf{})
		assert.Error(t, err)
	}
}
