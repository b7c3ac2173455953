package reel

import (
	"encoding/json"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/fault"
)

// one gives the clip of a track at a second after the reel's start.
func one(t *testing.T, r *Reel, track string, second int64) Clip {
	at := r.Head.Start + second*secs
	for _, c := range r.ClipList() {
		if r.Tracks[c.Track].Name == track && c.Start <= at && at < c.End() {
			return c
		}
	}
	require.Fail(t, "no clip", "on %s at %d s; there are %v", track, second, shape(r))
	return Clip{}
}

func refused(t *testing.T, r *Reel, kind fault.Kind, words string, c Command) {
	_, _, err := c.Plan(r, shelf{})
	require.Error(t, err, "%T", c)
	assert.Equal(t, kind, fault.KindOf(err), "%T", c)
	assert.Contains(t, err.Error(), words, "%T", c)
}

// Whatever would part clips that are tied says so with its cost, and does it only when told.
func TestWhatBreaksATieSaysSoFirst(t *testing.T) {
	r := ferry()
	laid(t, r, "A", 3, 0, 20, false)
	laid(t, r, "P", 1, 30, 5, true)
	boom := one(t, r, "Aa", 1)
	refused(t, r, fault.Unties, "A is tied to 2 other clips. This would put it 3 frames out of sync",
		MoveClips{Clips: []string{boom.ID}, By: 3 * 1920, Alone: true})
	refused(t, r, fault.Unties, "P is tied to the picture. This would put it 1 frame and 5 samples out of sync",
		MoveClips{Clips: []string{one(t, r, "Pa", 31).ID}, By: -1925})
	refused(t, r, fault.Unties, "is tied to 2 other clips", SlipClip{Clip: boom.ID, By: 100, Alone: true})
	refused(t, r, fault.Unties, "tied", CutOut{Span: Span{r.Head.Start + secs, r.Head.Start + 2*secs}, Tracks: []string{boom.Track},
		Close: true})

	do(t, r, MoveClips{Clips: []string{boom.ID}, By: 3 * 1920, Alone: true, Untie: true})
	assert.Equal(t, []Adrift{{boom.ID, 3 * 1920, "3 frames late"}}, r.Adrifts())
	// The others move on; the offset is that to where they lie now.
	do(t, r, MoveClips{Clips: []string{one(t, r, "Ab", 1).ID}, By: 1920})
	assert.Equal(t, "2 frames late", r.Adrifts()[0].Words)
	do(t, r, TieBack{[]string{boom.ID}})
	assert.Empty(t, r.Adrifts())
	assert.Equal(t, one(t, r, "Ab", 1).Start, one(t, r, "Aa", 1).Start)
	assert.Equal(t, one(t, r, "Ab", 1).Tie, one(t, r, "Aa", 1).Tie)
}

func TestTiedClipsTrimAndSlipTogetherAsFarAsAllCan(t *testing.T) {
	r := ferry()
	laid(t, r, "A", 2, 10, 10, false) // 5 s of the take before it, 15 s behind
	a := one(t, r, "Aa", 12)
	do(t, r, TrimClip{Clip: a.ID, Edge: StartEdge, By: -60 * secs})
	do(t, r, TrimClip{Clip: a.ID, Edge: EndEdge, By: -2 * secs})
	assert.Equal(t, []string{"Aa 5-18 @0", "Ab 5-18 @0"}, shape(r))
	refused(t, r, fault.BadInput, "its take begins", TrimClip{Clip: a.ID, Edge: StartEdge, By: -1})
	do(t, r, TrimClip{Clip: a.ID, Edge: EndEdge, By: -100 * secs})
	assert.EqualValues(t, 1, one(t, r, "Ab", 5).Length, "no shorter than a sample")
	refused(t, r, fault.BadInput, "no more handle", SlipClip{Clip: a.ID, By: 1})
	refused(t, r, fault.BadInput, "at its start or its end", TrimClip{Clip: a.ID, Edge: "middle", By: 1})
}

func TestWhatIsLaidCoversWhatLiesThere(t *testing.T) {
	r := ferry()
	laid(t, r, "A", 1, 0, 20, false)
	laid(t, r, "B", 1, 30, 5, false)
	b := one(t, r, "Ba", 31)
	do(t, r, MoveClips{Clips: []string{b.ID}, By: -20 * secs, Rows: -1})
	assert.Equal(t, []string{"Aa 0-10 @5", "Aa 10-15 @5", "Aa 15-20 @20"}, shape(r), "what lies beneath is parted, in sync with itself")
	refused(t, r, fault.BadInput, "There is no track there", MoveClips{Clips: []string{b.ID}, Rows: 5})
	do(t, r, AddTrack{Name: "Pair", Labels: []string{"L", "R"}, Stem: "MX"})
	do(t, r, AddTrack{Name: "Six", Labels: []string{"L", "R", "C", "LFE", "Ls", "Rs"}, Stem: "MX"})
	refused(t, r, fault.BadInput, "has 1 channels and Six 6", MoveClips{Clips: []string{b.ID}, Rows: 3})
}

func TestCutOutLeavesOrClosesTheGap(t *testing.T) {
	for _, closed := range []bool{false, true} {
		r := ferry()
		laid(t, r, "A", 2, 0, 20, false)
		laid(t, r, "M", 1, 25, 5, false)
		do(t, r, SetMark{Name: "in it", At: r.Head.Start + 6*secs})
		do(t, r, SetMark{Name: "after", At: r.Head.Start + 26*secs})
		do(t, r, CutOut{Span: Span{r.Head.Start + 4*secs, r.Head.Start + 8*secs}, Close: closed})
		want := []string{"Aa 0-4 @5", "Aa 8-20 @13", "Ab 0-4 @5", "Ab 8-20 @13", "Ma 25-30 @5"}
		marks := []int64{6, 26}
		if closed {
			want, marks = []string{"Aa 0-4 @5", "Aa 4-16 @13", "Ab 0-4 @5", "Ab 4-16 @13", "Ma 21-26 @5"}, []int64{4, 22}
		}
		assert.Equal(t, want, shape(r))
		for i, m := range r.MarkList() {
			assert.Equal(t, r.Head.Start+marks[i]*secs, m.At)
		}
		assert.Empty(t, r.Adrifts())
	}
	refused(t, ferry(), fault.BadInput, "Choose a range first", CutOut{})
}

func TestCrossfadesNeedHandles(t *testing.T) {
	r := ferry()
	laid(t, r, "A", 1, 0, 10, false)
	do(t, r, CutClips{At: r.Head.Start + 4*secs})
	left, right := one(t, r, "Aa", 1), one(t, r, "Aa", 5)
	refused(t, r, fault.BadInput, "allow a crossfade of at most", Crossfade{left.ID, right.ID, 9 * secs, Power})
	refused(t, r, fault.BadInput, "two clips that meet or overlap", Crossfade{right.ID, left.ID, 100, Power})
	do(t, r, Crossfade{left.ID, right.ID, 1001, Ess})
	left, right = one(t, r, "Aa", 1), one(t, r, "Aa", 5)
	assert.EqualValues(t, 1001, left.End()-right.Start)
	assert.Equal(t, Fade{1001, Ess}, left.FadeOut)
	assert.Equal(t, Fade{1001, Ess}, right.FadeIn)
	assert.Zero(t, left.Slip()-right.Slip(), "the sound stays where it was")
}

// What is done inside a clip is in frames of its take: it goes along, and stays where a cut parts it.
func TestTreatmentStaysWithTheSound(t *testing.T) {
	r := ferry()
	c := aTake("A", 4)
	c.Length = 20 * secs
	c.Parts = together(c.Parts, "A")
	do(t, r, c)
	id := r.ClipList()[0].ID
	at := func(s int64) int64 { return r.Clips[id].Start + s*secs }
	do(t, r, Hush{id, 1, Span{at(2), at(4)}})
	do(t, r, Hush{id, 1, Span{at(4), at(5)}})
	do(t, r, DipRange{id, AllLanes, Span{at(6), at(8)}, -6, 4800})
	assert.Equal(t, []Span{{2 * secs, 5 * secs}}, r.Clips[id].Lanes[1].Hushes, "hushes that touch are one")
	do(t, r, MoveClips{Clips: []string{id}, By: 77})
	do(t, r, CutClips{At: at(3), Clips: []string{id}})
	right := one(t, r, "A", 6)
	for _, clip := range []Clip{r.Clips[id], right} {
		assert.Equal(t, []Span{{2 * secs, 5 * secs}}, clip.Lanes[1].Hushes)
		assert.Len(t, clip.Lanes[3].Dips, 1)
	}
	do(t, r, Restore{right.ID, 1, Span{right.Start, right.Start + secs}})
	assert.Equal(t, []Span{{2 * secs, 3 * secs}, {4 * secs, 5 * secs}}, r.Clips[right.ID].Lanes[1].Hushes)
	do(t, r, SplitClip{Clip: right.ID, Names: []string{"Mix", "Boom"}})
	assert.Equal(t, [][]string{{"A"}, {"Mix"}, {"Boom"}, {"A 3"}, {"A 4"}}, tracksOf(r))
	boom := one(t, r, "Boom", 6)
	assert.Len(t, boom.Lanes, 1)
	assert.Equal(t, []Span{{2 * secs, 3 * secs}, {4 * secs, 5 * secs}}, boom.Lanes[0].Hushes)
	var parts []string
	for _, x := range r.ClipList() {
		if x.Tie == boom.Tie {
			parts = append(parts, x.ID)
		}
	}
	require.Len(t, parts, 4)
	do(t, r, JoinClips{Clips: parts})
	joined := r.Clips[slices.MaxFunc(r.ClipList(), func(a, b Clip) int { return len(a.Channels)*10 + int(a.Start-b.Start) - len(b.Channels)*10 }).ID]
	assert.Equal(t, []int{0, 1, 2, 3}, joined.Channels)
	assert.Equal(t, boom.Lanes[0].Hushes, joined.Lanes[1].Hushes)
	refused(t, r, fault.BadInput, "channels 1 to 64", ReadChannels{Clip: joined.ID, Channels: []int{0, 1, 2, 64}})
	laid(t, r, "Z", 1, 40, 5, false)
	refused(t, r, fault.BadInput, "has 1 channels; there is nothing to split that way", SplitClip{Clip: one(t, r, "Za", 41).ID})
}

func tracksOf(r *Reel) (out [][]string) {
	for _, t := range r.TrackList() {
		out = append(out, []string{t.Name})
	}
	return out
}

func TestStraysGoToTracksOfTheirStem(t *testing.T) {
	r := ferry()
	laid(t, r, "A", 1, 0, 10, false)
	do(t, r, AddTrack{Name: "Effects", Labels: []string{"M"}, Stem: "FX"})
	do(t, r, MoveClips{Clips: []string{r.ClipList()[0].ID}, Rows: 1})
	require.Len(t, r.Strays(), 1)
	do(t, r, MoveStrays{})
	assert.Empty(t, r.Strays())
	assert.Equal(t, []string{"Aa 0-10 @5"}, shape(r))
	refused(t, r, fault.BadInput, "", MoveStrays{})
}

func TestASettledClipKnowsItsWayBack(t *testing.T) {
	r := ferry()
	laid(t, r, "A", 2, 0, 20, false)
	do(t, r, CutClips{At: r.Head.Start + 8*secs})
	before := []Clip{one(t, r, "Aa", 1), one(t, r, "Aa", 9)}
	settle := Settle{Clips: before, Take: "rendered", Title: "A", Channels: 1, Start: r.Head.Start, Length: 20 * secs}
	do(t, r, settle)
	settled := one(t, r, "Aa", 9)
	assert.Equal(t, "rendered", settled.Take)
	assert.Empty(t, settled.Tie, "it was tied to two, which may part")
	assert.Empty(t, r.Adrifts())
	refused(t, r, fault.Stale, "was changed while it was settled", settle)
	do(t, r, Unsettle{settled.ID})
	assert.Equal(t, before, []Clip{one(t, r, "Aa", 1), one(t, r, "Aa", 9)})
	refused(t, r, fault.BadInput, "was not settled", Unsettle{before[0].ID})

	// Moved meanwhile, it comes back where it lies, and says how far out of sync that is.
	do(t, r, settle)
	settled = one(t, r, "Aa", 9)
	do(t, r, MoveClips{Clips: []string{settled.ID}, By: 1920, Untie: true})
	do(t, r, Unsettle{settled.ID})
	for _, a := range r.Adrifts() {
		assert.Equal(t, "1 frame late", a.Words)
	}
	assert.Len(t, r.Adrifts(), 2)
}

func TestSeveralAreOneStep(t *testing.T) {
	r := ferry()
	laid(t, r, "A", 1, 0, 20, false)
	id := r.ClipList()[0].ID
	mute := Sent{"setClip", json.RawMessage(`{"clip":"` + id + `","mute":true}`)}
	_, name := do(t, r, Several{[]Sent{mute, {"setClip", json.RawMessage(`{"clip":"` + id + `","gainDB":-3}`)}}})
	assert.Equal(t, "mute A and 1 more", name)
	assert.True(t, r.Clips[id].Mute)
	assert.EqualValues(t, -3, r.Clips[id].GainDB)
	refused(t, r, fault.BadInput, "1 to 1000 commands", Several{})
	nested, _ := json.Marshal(Several{[]Sent{mute}})
	refused(t, r, fault.BadInput, "can't hold several", Several{[]Sent{{"several", nested}}})
	refused(t, r, fault.NotFound, "no longer on the reel", Several{[]Sent{mute, {"setClip", json.RawMessage(`{"clip":"gone"}`)}}})
}
