package cutlist

import (
	"bytes"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/core/take"
	"zestyloom/core/timecode"
)

func ferry() *reel.Reel {
	return reel.New("Crossing", second, r25, 36000*second, reel.DefaultStems())
}

// takes are two of one scene, with the same microphones.
func takes() map[string]reel.Source {
	out := map[string]reel.Source{}
	for _, id := range []string{"one", "two"} {
		out[id] = reel.Source{Take: id, Title: id, Kind: take.Recording, SampleRate: second, Frames: 60 * second, Stems: reel.DefaultStems(),
			Channels: []reel.SourceChannel{
				{Track: take.Track{Index: 1, Name: "Boom"}, On: true, Stem: "DX"}, {Track: take.Track{Index: 2, Name: "Ines lav"}, On: true, Stem: "DX"},
			}}
	}
	return out
}

func entry(id, take string, from, to, offset, head int64) Entry {
	return Entry{Event{ID: id, From: 36000*second + from*second, To: 36000*second + to*second},
		Found{Take: take, Title: take, Offset: offset * second, Head: head * second}}
}

func TestBuildLaysTakesOnTheirTracks(t *testing.T) {
	r := ferry()
	build, err := Build([]Entry{entry("1", "one", 0, 4, 10, 0), entry("2", "two", 4, 6, -1, 1), entry("3", "", 6, 8, 0, 0)}, takes(), nil,
		"list", "cut 1")
	require.NoError(t, err)
	change, name, err := build.Plan(r, nil)
	require.NoError(t, err)
	require.NoError(t, r.Apply(change))
	assert.Equal(t, "cut list cut 1", name)
	assert.Equal(t, "list", r.Head.CutList)
	require.Len(t, r.Tracks, 2, "the second take lies on the tracks of the first")
	clips := r.ClipList()
	require.Len(t, clips, 4)
	last := clips[3]
	assert.EqualValues(t, 36005*second, last.Start, "the take does not have the first second")
	assert.EqualValues(t, 0, last.Offset)
	assert.EqualValues(t, second, last.Length)
	assert.EqualValues(t, 60*second, last.Frames, "its handles are there")
	assert.Equal(t, "2", last.Event)
	assert.True(t, last.Picture)
	assert.Equal(t, clips[2].Tie, last.Tie)
	assert.Empty(t, r.Adrifts())

	_, err = Build([]Entry{entry("3", "", 6, 8, 0, 0)}, takes(), nil, "list", "cut 1")
	assert.Equal(t, fault.BadInput, fault.KindOf(err))
	_, err = Build([]Entry{entry("1", "gone", 0, 4, 10, 0)}, takes(), nil, "list", "cut 1")
	assert.Equal(t, fault.Stale, fault.KindOf(err))
}

func TestDissolvesBecomeCrossfades(t *testing.T) {
	r := ferry()
	list := []Entry{entry("1", "one", 0, 4, 10, 0), entry("2", "two", 4, 8, 20, 0), entry("3", "one", 8, 12, 55, 0),
		entry("4", "two", 12, 14, 0, 0)}
	list[0].Fade, list[1].Fade, list[3].Fade = second/2, second/2, 3*second
	build, err := Build(list, takes(), nil, "list", "cut 1")
	require.NoError(t, err)
	change, _, err := build.Plan(r, nil)
	require.NoError(t, err)
	require.NoError(t, r.Apply(change))
	require.Len(t, r.Tracks, 2, "clips that overlap by a crossfade lie on one track")
	var boom []reel.Clip
	for _, c := range r.ClipList() {
		if r.Tracks[c.Track].Name == "Boom" {
			boom = append(boom, c)
		}
	}
	require.Len(t, boom, 4)
	half := reel.Fade{Length: second / 2, Curve: reel.Power}
	assert.Equal(t, half, boom[0].FadeIn, "there is nothing before it")
	assert.Equal(t, half, boom[0].FadeOut)
	assert.Equal(t, half, boom[1].FadeIn)
	assert.EqualValues(t, second/2, boom[0].End()-boom[1].Start)
	assert.Zero(t, boom[1].FadeOut.Length, "no dissolve there")
	assert.EqualValues(t, second, boom[2].FadeOut.Length, "its take has no more after it")
	assert.Equal(t, boom[2].FadeOut, boom[3].FadeIn)
	assert.Empty(t, r.Adrifts())
}

// A new cut that is the old one with nothing changed leaves the reel as it is; one that is changed and changed back too.
func TestChangedCutsThereAndBack(t *testing.T) {
	r := ferry()
	first := []Entry{entry("1", "one", 0, 4, 10, 0), entry("2", "two", 4, 8, 20, 0), entry("3", "one", 8, 12, 30, 0)}
	for i, in := range []int64{10, 20, 30} {
		first[i].SourceIn, first[i].Roll = in*second, first[i].Found.Take
	}
	// The second event goes to the end, and the third is a second shorter.
	recut := []Entry{first[0], first[2], first[1]}
	recut[1].From, recut[1].To = first[1].From, first[1].From+3*second
	recut[2].From, recut[2].To = first[1].From+3*second, first[1].From+7*second
	follow := func(before, after []Entry) []string {
		var rearrange *reel.Rearrange
		fresh := after
		if before != nil {
			events := make([]Event, len(after))
			for i, e := range after {
				events[i] = e.Event
			}
			c := Compare(before, events, r25, second)
			rearrange, fresh = &reel.Rearrange{Pieces: c.Pieces, Gone: c.Gone}, nil
			for _, e := range c.Fresh {
				f := Found{Take: e.Roll, Title: e.Roll, Offset: e.SourceIn}
				fresh = append(fresh, Entry{e, f})
			}
		}
		build, err := Build(fresh, takes(), rearrange, "l", "cut")
		require.NoError(t, err)
		change, _, err := build.Plan(r, nil)
		require.NoError(t, err)
		require.NoError(t, r.Apply(change))
		var out []string
		for _, c := range r.ClipList() {
			if r.Tracks[c.Track].Name == "Boom" {
				out = append(out, strings.Join([]string{c.Take, r25.LabelAt(c.Start, second)[6:], timecode.Clock(c.Length, second),
					timecode.Clock(c.Offset, second)}, " "))
			}
		}
		assert.Empty(t, r.Adrifts())
		return out
	}
	laid := follow(nil, first)
	require.Len(t, laid, 3)
	assert.Equal(t, laid, follow(first, first))
	changed := follow(first, recut)
	assert.Len(t, changed, 3)
	assert.NotEqual(t, laid, changed)
	back := follow(recut, first)
	assert.Len(t, back, 4, "the second that was gone is laid anew, beside what stayed")
	assert.Equal(t, laid[:2], back[:2])
}

func TestADL(t *testing.T) {
	r := ferry()
	build, err := Build([]Entry{entry("1", "one", 0, 4, 10, 0), entry("2", "two", 4, 6, 20, 0)}, takes(), nil, "list", "cut 1")
	require.NoError(t, err)
	change, _, err := build.Plan(r, nil)
	require.NoError(t, err)
	require.NoError(t, r.Apply(change))
	lav := r.ClipList()[1]
	for _, c := range []reel.Command{
		reel.SetClip{Clip: lav.ID, GainDB: ptr(-2.5), FadeIn: &reel.Fade{Length: 2881, Curve: reel.Power}, FadeOut: &reel.Fade{Length: 960}},
		reel.SetClip{Clip: r.ClipList()[2].ID, Mute: ptr(true)},
		reel.Hush{Clip: lav.ID, Span: reel.Span{From: lav.Start + 9600, To: lav.Start + 19200}},
	} {
		change, _, err := c.Plan(r, nil)
		require.NoError(t, err)
		require.NoError(t, r.Apply(change))
	}
	audio := beside(map[string]Audio{"one": {File: "LF03 one.wav", Title: `the "first"`, From: 36100*second + 7, Frames: 60 * second},
		"two": {File: "two.wav", Title: "two", Frames: 60 * second}})
	var out bytes.Buffer
	require.NoError(t, WriteADL(&out, r, audio))
	text := strings.ReplaceAll(out.String(), "\r\n", "\n")
	for _, want := range []string{
		"<ADL>\n<VERSION>\n", "(SEQ_SAMPLE_RATE) S48000\n  (SEQ_FRAME_RATE) 25\n", "(SEQ_DEST_START) 10.00.00.00/0000\n",
		"(Track) 1 \"Boom\"\n  (Track) 2 \"Ines lav\"\n",
		"(Index) 0001 (F) \"URL:file://localhost/LF03%20one.wav\" _ 10.01.40.00/0007 00.01.00.00/0000 \"the 'first'\" N\n",
		"(Cut) I 0001 2 2 10.01.50.00/0007 10.00.00.00/0000 10.00.04.00/0000 R\n    (Infade) 00.00.00.01/0961 SINE\n    (Outfade) 00.00.00.00/0960 LIN\n    (Gain) -2.50\n    (Rem) NAME \"one\"\n",
	} {
		assert.Contains(t, text, want)
	}
	assert.Equal(t, 3, strings.Count(text, "(Entry)"), "what is muted is left out")
	l := Of(r, audio)
	assert.Len(t, l.Events, 4)
	assert.Len(t, slices.DeleteFunc(slices.Clone(l.Events), func(e Event) bool { return !e.Off }), 1)
	assert.Len(t, l.Spoken(), 2, "microphones of one take are one event, what is muted none")
	assert.Contains(t, l.Notes[0], "1 of the clips have curves or edits inside")
	assert.Contains(t, l.Notes[1], "1 muted clips")

	for rate, want := range map[timecode.Rate]string{{Num: 24, Den: 1}: "01=00=00=00/0001",
		{Num: 30000, Den: 1001, Drop: true}: "01:00:00,00/", {Num: 30, Den: 1}: "01:00:00:00/0001"} {
		assert.Contains(t, tcf(3600*second+1, rate, second), want[:11])
	}
	assert.Equal(t, "1~3,5,8~9", channels([]int{0, 1, 2, 4, 7, 8}, 1))
}

// beside has a file for each take.
func beside(by map[string]Audio) Beside {
	return func(c reel.Clip) (Audio, bool) {
		a, there := by[c.Take]
		return a, there
	}
}

func ptr[T any](x T) *T { return &x }
