package reel

import (
	"math/rand"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// soundAt is what sounds on a track at a place: the take, its frame, and what the track's curve gives there.
func soundAt(r *Reel, track string, at int64) (take string, frame int64, dB float64) {
	dB = Level(r.Tracks[track].Gain, at)
	for _, c := range r.ClipList() {
		if c.Track == track && c.Start <= at && at < c.End() {
			return c.Take, c.Frame(at), dB
		}
	}
	return "", 0, dB
}

// What is copied of a range is what lies in it, at where it lay in it, without the fades of what lay beyond.
func TestWhatLiesInARangeIsPasted(t *testing.T) {
	r := ferry()
	laid(t, r, "A", 2, 0, 20, false)
	s := r.Head.Start
	a := one(t, r, "Aa", 1)
	fade := Fade{Length: secs, Curve: "linear"}
	do(t, r, SetClip{Clip: a.ID, FadeIn: &fade, FadeOut: &fade})
	a = r.Clips[a.ID]
	count := len(r.Clips)
	do(t, r, PasteClips{Clips: []Clip{a}, Tracks: r.TrackList(), At: ptr(s + 30*secs), Only: &Span{From: s - 2*secs, To: s + 8*secs}})
	require.Len(t, r.Clips, count+1)
	c := one(t, r, "Aa", 33)
	assert.Equal(t, []int64{s + 32*secs, a.Offset, 8 * secs}, []int64{c.Start, c.Offset, c.Length}, "the range begins before the clip")
	assert.Equal(t, fade, c.FadeIn)
	assert.Zero(t, c.FadeOut)
	do(t, r, PasteClips{Clips: []Clip{a}, Tracks: r.TrackList(), At: ptr(s + 50*secs), Only: &Span{From: s + 5*secs, To: s + 9*secs}})
	c = one(t, r, "Aa", 51)
	assert.Equal(t, []int64{s + 50*secs, a.Offset + 5*secs, 4 * secs}, []int64{c.Start, c.Offset, c.Length})
	assert.Zero(t, c.FadeIn)
	for why, c := range map[string]PasteClips{
		"nothing lies in it": {Only: &Span{From: s + 25*secs, To: s + 26*secs}},
		"it is empty":        {Only: &Span{From: s + 5*secs, To: s + 5*secs}},
		"off the clock":      {Only: &Span{From: -5, To: s}},
		"has no place":       {Push: true},
	} {
		if c.Clips, c.Tracks = []Clip{a}, r.TrackList(); !c.Push {
			c.At = &s
		}
		_, _, err := c.Plan(r, shelf{})
		assert.Error(t, err, why)
	}
}

// What is inserted pushes what lies behind on its tracks, with their curves; cut out again, all is as it was.
func TestWhatIsInsertedPushesWhatLiesBehind(t *testing.T) {
	for seed := range int64(30) {
		rnd := rand.New(rand.NewSource(seed))
		r := ferry()
		laid(t, r, "A", 2, 0, 20, false)
		laid(t, r, "P", 1, 30, 5, true)
		s := r.Head.Start
		a, b, p := one(t, r, "Aa", 1).Track, one(t, r, "Ab", 1).Track, one(t, r, "Pa", 31).Track
		do(t, r, SetCurve{Of: OfTrack, ID: a, What: "gain", Points: []Point{{s + 2*secs, 0}, {s + 9*secs, -20}, {s + 15*secs, -6}}})
		before := r.Clone()
		span := Span{From: s + rnd.Int63n(18*secs), To: 0}
		span.To = span.From + 1 + rnd.Int63n(4*secs)
		at := s + rnd.Int63n(34*secs)
		tracks := []Track{r.Tracks[a], r.Tracks[b]}
		var clips []Clip
		for _, c := range r.ClipList() {
			if c.Track == a || c.Track == b {
				clips = append(clips, c)
			}
		}
		paste := PasteClips{Clips: clips, Tracks: tracks, At: &at, Only: &span, Push: true, Untie: true}
		do(t, r, paste)
		long := span.To - span.From
		for range 200 {
			x := s + rnd.Int63n(45*secs)
			for _, track := range []string{a, b, p} {
				take, frame, dB := soundAt(r, track, x)
				from := x
				switch {
				case track == p:
				case x >= at+long:
					from = x - long
				case x >= at:
					from = span.From + x - at
				}
				wasTake, wasFrame, wasDB := soundAt(before, track, from)
				require.Equal(t, wasTake, take, "seed %d, %v s", seed, float64(x-s)/secs)
				require.Equal(t, wasFrame, frame)
				if x < at || x >= at+long {
					require.InDelta(t, wasDB, dB, 1e-9)
				}
			}
		}
		do(t, r, CutOut{Span: Span{From: at, To: at + long}, Tracks: []string{a, b}, Close: true, Untie: true})
		for range 200 {
			x := s + rnd.Int63n(45*secs)
			for _, track := range []string{a, b, p} {
				take, frame, dB := soundAt(r, track, x)
				wasTake, wasFrame, wasDB := soundAt(before, track, x)
				require.Equal(t, []any{wasTake, wasFrame}, []any{take, frame}, "seed %d", seed)
				require.InDelta(t, wasDB, dB, 1e-9)
			}
		}
	}
}

// What would come out of sync by being pushed is asked about.
func TestWhatIsPushedOutOfSyncIsAskedAbout(t *testing.T) {
	r := ferry()
	laid(t, r, "A", 2, 0, 20, false)
	laid(t, r, "P", 1, 30, 5, true)
	s := r.Head.Start
	a, p := one(t, r, "Aa", 1), one(t, r, "Pa", 31)
	paste := PasteClips{Clips: []Clip{p}, Tracks: []Track{r.Tracks[p.Track]}, At: ptr(s + 10*secs), Push: true}
	_, _, err := paste.Plan(r, shelf{})
	assert.ErrorContains(t, err, "tied to the picture")
	paste = PasteClips{Clips: []Clip{a}, Tracks: []Track{r.Tracks[a.Track]}, At: ptr(s + 10*secs), Push: true}
	_, _, err = paste.Plan(r, shelf{})
	assert.ErrorContains(t, err, "A is tied to 1 other clip")
}
