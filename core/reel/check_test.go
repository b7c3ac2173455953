package reel

import (
	"encoding/json"
	"math"
	"math/rand"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/fault"
)

// C19. What a reel can't be is refused by Apply itself, whichever command, paste or undo it comes from, and then nothing
// has changed.
func TestApplyKeepsTheRules(t *testing.T) {
	r := ferry()
	do(t, r, aTake("12A/3", 2))
	do(t, r, LayOutputs{Spec: "a", Title: "A", Groups: pairGroups, Knots: []Crosspoint{{Row: StemRow, From: "DX", Output: "dialogue/L"}}})
	before, err := json.Marshal(r)
	require.NoError(t, err)
	clip, track := r.ClipList()[0], r.TrackList()[0]
	putClip := func(change func(*Clip)) Change {
		c := clip
		c.Lanes = []Lane{{}}
		change(&c)
		return Change{Clips: []Put[Clip]{{clip.ID, &clip, &c}}}
	}
	putTrack := func(change func(*Track)) Change {
		x := track
		change(&x)
		return Change{Tracks: []Put[Track]{{track.ID, &track, &x}}}
	}
	many := make([]int, 100_000)
	deep := clip
	for range 20 {
		next := clip
		next.Settled = []Clip{deep}
		deep = next
	}
	for name, c := range map[string]Change{
		"gain of 400 dB":              putClip(func(c *Clip) { c.GainDB = 400 }),
		"gain that is no number":      putClip(func(c *Clip) { c.GainDB = math.NaN() }),
		"a fade of negative length":   putClip(func(c *Clip) { c.FadeIn.Length = -5 }),
		"a fade of unknown shape":     putClip(func(c *Clip) { c.FadeIn = Fade{10, "wavy"} }),
		"fades longer than the clip":  putClip(func(c *Clip) { c.FadeIn.Length, c.FadeOut.Length = c.Length, 1 }),
		"100,000 channels":            putClip(func(c *Clip) { c.Channels, c.Sum = many, true }),
		"a channel before the first":  putClip(func(c *Clip) { c.Channels = []int{-1} }),
		"no channels":                 putClip(func(c *Clip) { c.Channels = nil }),
		"two lanes for a channel":     putClip(func(c *Clip) { c.Lanes = make([]Lane, 2) }),
		"a length of 2^50":            putClip(func(c *Clip) { c.Length, c.Frames = 1<<50, 0 }),
		"no length":                   putClip(func(c *Clip) { c.Length = 0 }),
		"a start at the end of int64": putClip(func(c *Clip) { c.Start = math.MaxInt64 - 5 }),
		"a start before the clock":    putClip(func(c *Clip) { c.Start = math.MinInt64 }),
		"more than its take":          putClip(func(c *Clip) { c.Offset = 1; c.Frames = c.Length }),
		"a track that is not there":   putClip(func(c *Clip) { c.Track = "t99" }),
		"six channels on a mono":      putClip(func(c *Clip) { c.Channels, c.Lanes = []int{0, 1, 2, 3, 4, 5}, nil }),
		"a word with NUL in it":       putClip(func(c *Clip) { c.Name = "a\x00b" }),
		"a very long word":            putClip(func(c *Clip) { c.Name = strings.Repeat("a", 10_000) }),
		"settled over and over":       putClip(func(c *Clip) { *c = deep }),
		"a step in a curve":           putClip(func(c *Clip) { c.Gain = []Point{{0, 0}, {1, -40}} }),
		"points in no order":          putClip(func(c *Clip) { c.Gain = []Point{{500, 0}, {100, -4}} }),
		"hushes on each other":        putClip(func(c *Clip) { c.Lanes[0].Hushes = []Span{{0, 500}, {400, 900}} }),
		"a hush of two samples":       putClip(func(c *Clip) { c.Lanes[0].Hushes = []Span{{0, 2}} }),
		"a dip without ramps":         putClip(func(c *Clip) { c.Lanes[0].Dips = []Dip{{Span{0, 500}, -6, 0}} }),
		"a delay of a day":            putClip(func(c *Clip) { c.Lanes[0].Delay = 1 << 32 }),
		"borrowed from nowhere":       putClip(func(c *Clip) { c.Lanes[0].Borrowed = []Borrowed{{Span: Span{0, 500}, Fade: Fade{Length: 64}}} }),
		"an empty label":              putTrack(func(x *Track) { x.Labels = []string{""} }),
		"no labels":                   putTrack(func(x *Track) { x.Labels = nil }),
		"a stem that is not there":    putTrack(func(x *Track) { x.Stem = "ZZ" }),
		"a pan beyond the side":       putTrack(func(x *Track) { x.Feed.Pan = 3 }),
		"a track of another name":     putTrack(func(x *Track) { x.ID = "t77" }),
		"a clip's track goes":         {Tracks: []Put[Track]{{track.ID, &track, nil}}},
		"a stem that is in use goes":  {Stems: []Put[Stem]{{"DX", ptr(r.Stems["DX"]), nil}}},
		"a knot's output goes":        {Groups: []Put[Group]{{"dialogue", ptr(r.Groups["dialogue"]), nil}}},
		"a knot that steps": {Knots: []Put[Knot]{{"stem DX 1 > dialogue/L", nil, ptr(Crosspoint{Row: StemRow, From: "DX", Channel: 1,
			Output: "dialogue/L", Curve: []Point{{100, 0}, {101, -20}}}.Knot())}}},
		"a knot that is ridden too high": {Knots: []Put[Knot]{{"stem DX 1 > dialogue/L", nil, ptr(Crosspoint{Row: StemRow, From: "DX", Channel: 1,
			Output: "dialogue/L", Curve: []Point{{100, 900}}}.Knot())}}},
		"a knot to nowhere": {Knots: []Put[Knot]{{"track t1 0 > x/L", nil,
			ptr(Crosspoint{Row: TrackRow, From: "t1", Output: "x/L"}.Knot())}}},
		"a mark after the clock": {Marks: []Put[Mark]{{"m1", nil, &Mark{ID: "m1", Name: "x", At: 1 << 50}}}},
		"two heads":              {Head: []Put[Head]{{"", nil, nil}}},
		"a reel at 0 Hz":         {Head: []Put[Head]{{"", ptr(r.Head), ptr(Head{Name: "x"})}}},
	} {
		err := r.Apply(c)
		assert.Contains(t, []fault.Kind{fault.BadInput, fault.Stale}, fault.KindOf(err), "%s: %v", name, err)
		after, err := json.Marshal(r)
		require.NoError(t, err)
		require.JSONEq(t, string(before), string(after), "%s: nothing has changed", name)
	}
}

// C19. What somebody takes back is refused where others have built on it since.
func TestUndoDoesNotPullTheGroundAway(t *testing.T) {
	r := ferry()
	do(t, r, aTake("12A/3", 1))
	added, _ := do(t, r, AddTrack{Name: "New", Stem: "FX", Labels: []string{"M"}})
	do(t, r, MoveClips{Clips: []string{r.ClipList()[0].ID}, Rows: 1})
	err := r.Apply(added.Inverse())
	assert.Equal(t, fault.Stale, fault.KindOf(err), "a clip lies on the track: %v", err)

	wide := aTake("6", 0)
	wide.Start += 96000
	wide.Parts = []PartPlan{{Name: "six", Stem: "DX", Channels: []int{0, 1, 2, 3, 4, 5}, Labels: []string{"L", "R", "C", "LFE", "Ls", "Rs"}}}
	mono := r.TrackList()[1]
	widened, _ := do(t, r, AddTrack{Name: "Wide", Stem: "FX", Labels: []string{"M"}})
	_ = widened
	x := r.TrackList()[2].ID
	width, _ := do(t, r, SetTrack{Track: x, Labels: &wide.Parts[0].Labels})
	do(t, r, wide)
	six := r.ClipList()[1]
	do(t, r, MoveClips{Clips: []string{six.ID}, Rows: -1})
	require.Equal(t, x, r.Clips[six.ID].Track)
	err = r.Apply(width.Inverse())
	assert.Equal(t, fault.Stale, fault.KindOf(err), "a clip of six channels would lie on a mono track: %v", err)

	outputs, _ := do(t, r, LayOutputs{Spec: "a", Title: "A", Groups: pairGroups})
	do(t, r, SetKnots{[]Crosspoint{{Row: TrackRow, From: mono.ID, Output: "music/L"}}})
	err = r.Apply(outputs.Inverse())
	assert.Equal(t, fault.Stale, fault.KindOf(err), "a knot would be tied to nothing: %v", err)
}

// C24. A crossfade is trimmed as one, and what lies beneath a clip is not cut by its getting shorter.
func TestTrimmingACrossfade(t *testing.T) {
	r := ferry()
	laid(t, r, "A", 1, 0, 20, false)
	a := one(t, r, "Aa", 1)
	do(t, r, CutClips{At: r.Head.Start + 10*secs, Clips: []string{a.ID}})
	left, right := one(t, r, "Aa", 1), one(t, r, "Aa", 15)
	do(t, r, Crossfade{Left: left.ID, Right: right.ID, Length: 4800, Curve: Power})
	for _, by := range []int64{-1000, -500, 700, 2000} {
		do(t, r, TrimClip{Clip: left.ID, Edge: EndEdge, By: by})
		require.Len(t, r.Clips, 2, "neither is split")
		l, x := r.Clips[left.ID], r.Clips[right.ID]
		assert.Equal(t, l.End()-x.Start, x.FadeIn.Length, "by %d", by)
		assert.Equal(t, l.FadeOut.Length, x.FadeIn.Length, "by %d", by)
	}
	do(t, r, TrimClip{Clip: right.ID, Edge: StartEdge, By: -3000})
	require.Len(t, r.Clips, 2)
	l, x := r.Clips[left.ID], r.Clips[right.ID]
	assert.Equal(t, l.End()-x.Start, l.FadeOut.Length)

	r = ferry()
	laid(t, r, "B", 1, 0, 20, false)
	under := one(t, r, "Ba", 1)
	do(t, r, PasteClips{Clips: []Clip{under}, Tracks: r.TrackList(), At: ptr(r.Head.Start + 40*secs), Track: under.Track})
	over := one(t, r, "Ba", 45)
	do(t, r, MoveClips{Clips: []string{over.ID}, By: -35 * secs, Add: true, Untie: true})
	do(t, r, TrimClip{Clip: over.ID, Edge: EndEdge, By: -6 * secs})
	assert.Len(t, r.Clips, 2, "the clip beneath is whole")
	assert.Equal(t, under, r.Clips[under.ID])
}

// C24. Automation and marks go along when a gap is closed, without a step, and ranges get as much shorter as went.
func TestClosingAGapTakesAutomationAlong(t *testing.T) {
	r := ferry()
	laid(t, r, "A", 1, 0, 40, false)
	track := r.TrackList()[0].ID
	s := r.Head.Start
	at := func(second float64) int64 { return s + int64(second*secs) }
	do(t, r, SetCurve{Of: OfTrack, ID: track, What: "gain", Points: []Point{{at(5), 0}, {at(12), -40}, {at(25), -40}, {at(30), 6}}})
	before := r.Tracks[track].Gain
	for name, m := range map[string][2]float64{"spans": {8, 14}, "inside": {11, 5}, "before": {2, 3}, "after": {30, 2}, "ends in it": {8, 4}} {
		do(t, r, SetMark{Name: name, At: at(m[0]), Length: int64(m[1] * secs)})
	}
	do(t, r, CutOut{Span: Span{at(10), at(20)}, Close: true, Untie: true})
	after := r.Tracks[track].Gain
	for second := 0.0; second < 35; second += 0.25 {
		was, is := at(second), at(second)
		if second >= 20 {
			is = at(second - 10)
		} else if second >= 10 {
			continue
		}
		if second == 20 {
			was, is = was+Ramp, is+Ramp // behind the join is a ramp
		}
		assert.InDelta(t, Level(before, was), Level(after, is), 1e-9, "at %v s", second)
	}
	places := map[string][2]float64{}
	for _, m := range r.MarkList() {
		places[m.Name] = [2]float64{float64(m.At-s) / secs, float64(m.Length) / secs}
	}
	assert.Equal(t, map[string][2]float64{"spans": {8, 4}, "inside": {10, 0}, "before": {2, 3}, "after": {20, 2}, "ends in it": {8, 2}},
		places)
}

// C24. What is restored in part leaves nothing behind that is too short to be heard.
func TestRestoreLeavesNoSlivers(t *testing.T) {
	r := ferry()
	laid(t, r, "A", 1, 0, 20, false)
	a := one(t, r, "Aa", 1)
	from := a.Start + 10_000
	do(t, r, Hush{Clip: a.ID, Channel: 0, Span: Span{from, from + 5_000}})
	do(t, r, Restore{Clip: a.ID, Channel: 0, Span: Span{from + 2, from + 4_998}})
	assert.Empty(t, r.Clips[a.ID].Lanes)
}

// C24. Whatever is cut out and closed, the automation of what comes after stays at its sound.
func TestAutomationFollowsItsSound(t *testing.T) {
	rnd := rand.New(rand.NewSource(7))
	for range 300 {
		r := ferry()
		laid(t, r, "A", 1, 0, 60, false)
		track := r.TrackList()[0].ID
		var points []Point
		for range rnd.Intn(12) {
			points = append(points, Point{r.Head.Start + rnd.Int63n(60*secs), float64(rnd.Intn(40) - 30)})
		}
		do(t, r, SetCurve{Of: OfTrack, ID: track, What: "gain", Points: points})
		before := r.Tracks[track].Gain
		from := r.Head.Start + rnd.Int63n(50*secs)
		to := from + 1 + rnd.Int63n(9*secs)
		do(t, r, CutOut{Span: Span{from, to}, Close: true, Untie: true})
		after := r.Tracks[track].Gain
		for range 50 {
			at := r.Head.Start + rnd.Int63n(60*secs)
			switch {
			case at < from:
				require.InDelta(t, Level(before, at), Level(after, at), 1e-9)
			case at >= to+8*Ramp: // where points are close, their ramps may come later
				require.InDelta(t, Level(before, at), Level(after, at-(to-from)), 8, "%v to %v", before, after)
			}
		}
	}
}

// Random JSON as commands, planned and applied: nothing panics, and what is accepted keeps the rules.
func FuzzCommands(f *testing.F) {
	for kind := range commands {
		f.Add(kind, `{"clip":"c3","clips":["c3"],"by":5,"track":"t2","tracks":["t2"],"at":1728048500,"from":1728048000,"to":1728060000,"gainDB":-3}`)
	}
	f.Add("pasteClips", `{"clips":[{"id":"c1","track":"t1","take":"x","channels":[0],"length":9223372036854775807,"start":-9223372036854775808}],"tracks":[{"id":"t1","name":"x","labels":["M"],"stem":"DX"}]}`)
	f.Fuzz(func(t *testing.T, kind, body string) {
		c, err := Decode(kind, []byte(body))
		if err != nil {
			return
		}
		r := ferry()
		for _, base := range []Command{aTake("A", 2), LayOutputs{Spec: "a", Title: "A", Groups: pairGroups}} {
			change, _, err := base.Plan(r, shelf{})
			require.NoError(t, err)
			require.NoError(t, r.Apply(change))
		}
		change, _, err := c.Plan(r, shelf{})
		if err != nil {
			require.NotEmpty(t, fault.KindOf(err), "%v", err)
			return
		}
		stored, err := json.Marshal(change)
		require.NoError(t, err)
		if err := r.Apply(change); err != nil {
			require.NotEmpty(t, fault.KindOf(err), "%v", err)
			return
		}
		var read Change
		require.NoError(t, json.Unmarshal(stored, &read))
		require.NoError(t, r.Apply(read.Inverse()), "what was accepted can be taken back")
	})
}
