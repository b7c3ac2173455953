package reel

import (
	"maps"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/fault"
)

func standing(r *Reel) (out []string) {
	for _, t := range r.TrackList() {
		name := t.Name
		if t.Folder != "" {
			name = t.Folder + "/" + name
		}
		out = append(out, name)
	}
	return out
}

func byName(t *testing.T, r *Reel, name string) Track {
	list := r.TrackList()
	i := slices.IndexFunc(list, func(t Track) bool { return t.Name == name })
	require.GreaterOrEqual(t, i, 0, name)
	return list[i]
}

// Tracks stand in an order that their folders keep together, whatever is moved or put into one.
func TestFoldersStayTogether(t *testing.T) {
	r := ferry()
	for _, name := range []string{"A", "B", "C", "D"} {
		do(t, r, AddTrack{Name: name, Labels: []string{"M"}, Stem: "DX"})
	}
	id := func(name string) string { return byName(t, r, name).ID }
	do(t, r, SetTrack{Track: id("B"), Folder: ptr(" Deck ")})
	do(t, r, SetTrack{Track: id("D"), Folder: ptr("Deck")})
	assert.Equal(t, []string{"A", "Deck/B", "Deck/D", "C"}, standing(r))
	do(t, r, OrderTracks{[]string{id("C")}, id("A")})
	assert.Equal(t, []string{"C", "A", "Deck/B", "Deck/D"}, standing(r))
	do(t, r, OrderTracks{[]string{id("D")}, id("C")})
	assert.Equal(t, []string{"Deck/D", "Deck/B", "C", "A"}, standing(r), "the folder goes along")
	do(t, r, AddTrack{Name: "E", Labels: []string{"M"}, Stem: "FX", Folder: "Deck", Below: id("D")})
	assert.Equal(t, []string{"Deck/D", "Deck/E", "Deck/B", "C", "A"}, standing(r))
	do(t, r, SetTrack{Track: id("E"), Folder: ptr("")})
	assert.NotContains(t, standing(r), "Deck/E")
	refused(t, r, fault.NotFound, "no longer on the reel", OrderTracks{[]string{"gone"}, ""})
	refused(t, r, fault.NotFound, "no longer on the reel", OrderTracks{[]string{id("A")}, "gone"})
}

func TestWhatATrackMayBe(t *testing.T) {
	r := ferry()
	laid(t, r, "A", 2, 0, 10, false)
	track := byName(t, r, "Aa")
	many := slices.Repeat([]string{"M"}, MaxChannels+1)
	for words, c := range map[string]Command{
		"needs a name":          AddTrack{Name: "  ", Labels: []string{"M"}, Stem: "DX"},
		"1 to 64 channels":      AddTrack{Name: "Wide", Labels: many, Stem: "DX"},
		"label of its own":      AddTrack{Name: "Pair", Labels: []string{"L", "L"}, Stem: "DX"},
		"height is 1 to 4":      SetTrack{Track: track.ID, Height: ptr(5)},
		"Pan runs from":         SetTrack{Track: track.ID, Pan: ptr(1.2)},
		"A gain lies between":   SetTrack{Track: track.ID, GainDB: ptr(40.0)},
		"would not fit a track": SetTrack{Track: track.ID, Labels: &[]string{"L", "R", "C", "LFE", "Ls", "Rs"}},
		"1 to 100 characters":   SetTrack{Track: track.ID, Name: ptr(strings.Repeat("x", 101))},
	} {
		refused(t, r, fault.BadInput, words, c)
	}
	refused(t, r, fault.NotFound, "This stem is no longer", SetTrack{Track: track.ID, Stem: ptr("ZZ")})

	// A mono fits a pair, which it then feeds by the pan law; its strand is of its stem, and goes with it.
	do(t, r, SetTrack{Track: track.ID, Labels: &[]string{"L", "R"}, Strand: ptr("Ines Calder"), Height: ptr(3)})
	assert.Equal(t, []string{"L", "R"}, r.Tracks[track.ID].Labels)
	_, name := do(t, r, SetTrack{Track: track.ID, Stem: ptr("FX")})
	assert.Equal(t, "put Aa in FX", name)
	assert.Empty(t, r.Tracks[track.ID].Strand)
	assert.Empty(t, r.Strays(), "what was made for the old stem is for the new one")
	assert.False(t, r.Tracks[track.ID].Suggested)

	do(t, r, LayOutputs{Spec: "s", Groups: pairGroups})
	do(t, r, SetKnots{[]Crosspoint{{Row: TrackRow, From: track.ID, Output: "music/L"},
		{Row: TrackRow, From: track.ID, Channel: 1, Output: "music/R"}}})
	do(t, r, SetTrack{Track: track.ID, Labels: &[]string{"M"}})
	own := 0
	for _, k := range r.Knots {
		if k.Row == TrackRow && k.From == track.ID {
			own++
		}
	}
	assert.Equal(t, 1, own, "the knot of the channel that is gone is gone")
	do(t, r, RemoveTracks{Tracks: []string{track.ID}})
	for _, k := range r.Knots {
		assert.NotEqual(t, track.ID, k.From)
	}
	assert.Equal(t, []string{"Ab 0-10 @5"}, shape(r))
}

func TestCurvesAreDrawnAndRidden(t *testing.T) {
	r := ferry()
	laid(t, r, "A", 1, 0, 10, false)
	clip := r.ClipList()[0]
	at := func(s int64) int64 { return r.Head.Start + s*secs }
	track := func() Track { return r.Tracks[clip.Track] }
	do(t, r, SetCurve{Of: OfTrack, ID: clip.Track, What: "gain", Points: []Point{{at(1), -3}, {at(4), -9}, {at(9), 0}}})
	// Ridden over a part of it: only what lies there is drawn anew, and the rest is as it was.
	do(t, r, SetCurve{Of: OfTrack, ID: clip.Track, What: "gain", Range: &Span{at(3), at(6)}, Points: []Point{{at(3), -12}, {at(6), -12}}})
	for s, want := range map[int64]float64{1: -3, 2: -5, 3: -12, 5: -12, 6: -12, 9: 0} {
		assert.InDelta(t, want, Level(track().Gain, at(s)), 0.01, "at %d s", s)
	}
	assert.InDelta(t, Level([]Point{{at(4), -9}, {at(9), 0}}, at(7)), Level(track().Gain, at(7)), 0.01)
	// A clip's curve is in frames of its take, and stays with the sound.
	do(t, r, SetCurve{Of: OfClip, ID: clip.ID, What: "pan", Points: []Point{{at(2), -1}, {at(3), 1}}})
	assert.Equal(t, []Point{{7 * secs, -1}, {8 * secs, 1}}, r.Clips[clip.ID].Pan)
	do(t, r, RangeGain{Of: OfClip, IDs: []string{clip.ID}, Span: Span{at(4), at(6)}, GainDB: -6, Ramp: 4800})
	gain := r.Clips[clip.ID].Gain
	for frame, want := range map[int64]float64{8 * secs: 0, 9*secs + 4800: -6, 10 * secs: -6, 11*secs - 4800: -6, 12 * secs: 0} {
		assert.InDelta(t, want, Level(gain, frame), 1e-9, "at frame %d", frame)
	}
	refused(t, r, fault.BadInput, "nothing that a curve", SetCurve{Of: OfTrack, ID: clip.Track, What: "width"})
	refused(t, r, fault.NotFound, "no stem", SetCurve{Of: "stem", ID: "ZX", What: "gain"})
	refused(t, r, fault.NotFound, "There is no output", SetCurve{Of: "output", ID: "t1", What: "gain"})
	refused(t, r, fault.BadInput, "A gain lies between", SetCurve{Of: OfTrack, ID: clip.Track, What: "gain", Points: []Point{{at(1), 100}}})
	refused(t, r, fault.NotFound, "no longer on the reel", SetCurve{Of: OfClip, ID: "gone", What: "gain"})
}

func TestMarks(t *testing.T) {
	r := ferry()
	_, name := do(t, r, SetMark{Name: " Bell ", At: r.Head.Start + 5, Length: 10, Note: "too early"})
	assert.Equal(t, "mark Bell", name)
	m := r.MarkList()[0]
	assert.Equal(t, Mark{ID: m.ID, Name: "Bell", At: r.Head.Start + 5, Length: 10, Note: "too early"}, m)
	do(t, r, SetMark{ID: m.ID, Name: "Bell", At: r.Head.Start + 9})
	assert.Len(t, r.Marks, 1)
	refused(t, r, fault.NotFound, "no longer on the reel", SetMark{ID: "gone", Name: "x"})
	refused(t, r, fault.BadInput, "lies on the clock", SetMark{Name: "x", At: -1})
	refused(t, r, fault.BadInput, "needs a name", SetMark{At: 1})
	do(t, r, RemoveMarks{[]string{m.ID}})
	assert.Empty(t, r.Marks)
}

// A new mark takes a name that none has; one that is there keeps what it is called.
func TestNewMarksHaveNamesOfTheirOwn(t *testing.T) {
	r := ferry()
	named := func(name string) string {
		had := maps.Clone(r.Marks)
		do(t, r, SetMark{Name: name, At: r.Head.Start})
		for id, m := range r.Marks {
			if _, there := had[id]; !there {
				return m.Name
			}
		}
		return ""
	}
	var got []string
	for _, name := range []string{"Bell", "Bell", "Bell", "Mark 3", "Mark 3", "Bell 2", "Horn 0", "Horn 0", "7"} {
		got = append(got, named(name))
	}
	assert.Equal(t, []string{"Bell", "Bell 2", "Bell 3", "Mark 3", "Mark 4", "Bell 4", "Horn 0", "Horn 0 2", "7"}, got)
	for id, m := range r.Marks {
		if m.Name == "Bell 3" {
			do(t, r, SetMark{ID: id, Name: "Bell 2", At: m.At})
			assert.Equal(t, "Bell 2", r.Marks[id].Name, "it was named so by hand")
			break
		}
	}
}
