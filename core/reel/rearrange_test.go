package reel

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/fault"
)

const secs = 48000

// laid puts a clip of a take in sync with the picture on a reel, in seconds after its start.
func laid(t *testing.T, r *Reel, title string, parts int, from, length int64, picture bool) {
	c := aTake(title, parts)
	c.Start, c.Offset, c.Length, c.Frames, c.Picture = r.Head.Start+from*secs, 5*secs, length*secs, (length+20)*secs, picture
	do(t, r, c)
}

// shape says where clips lie, in seconds after the reel's start, by track.
func shape(r *Reel) []string {
	var out []string
	for _, c := range r.ClipList() {
		out = append(out, fmt.Sprintf("%s %g-%g @%g", r.Tracks[c.Track].Name, float64(c.Start-r.Head.Start)/secs,
			float64(c.End()-r.Head.Start)/secs, float64(c.Offset)/secs))
	}
	slices.Sort(out)
	return out
}

func TestRearrangeFollowsTheCut(t *testing.T) {
	r := ferry()
	s := func(from, to int64) Span { return Span{r.Head.Start + from*secs, r.Head.Start + to*secs} }
	laid(t, r, "A", 2, 0, 20, true)   // over two pieces and what is gone between them
	laid(t, r, "B", 1, 20, 10, true)  // moves
	laid(t, r, "M", 1, 5, 20, false)  // music: whole, with its beginning
	laid(t, r, "G", 1, 11, 2, false)  // lies on what is gone
	laid(t, r, "H", 1, 12, 10, false) // begins on it, and is carried by what is left
	do(t, r, SetMark{Name: "bell", At: r.Head.Start + 21*secs})
	do(t, r, SetCurve{Of: "track", ID: r.TrackList()[0].ID, What: "gain", Points: []Point{{r.Head.Start + 2*secs, -3},
		{r.Head.Start + 12*secs, -4}, {r.Head.Start + 22*secs, -6}}})
	before := shape(r)
	change, _ := do(t, r, Rearrange{Pieces: []Piece{{s(0, 10), 0}, {s(15, 20), -5 * secs}, {s(20, 30), -4 * secs}}, Gone: []Span{s(10, 15)},
		CutList: "list 2"})
	assert.Equal(t, []string{"Aa 0-10 @5", "Aa 10-15 @20", "Ab 0-10 @5", "Ab 10-15 @20", "Ba 16-26 @5", "Ha 7-17 @5", "Ma 5-25 @5"}, shape(r))
	assert.Empty(t, r.Adrifts(), "everything is in sync with the picture where it lies now")
	ties := map[string]int{}
	for _, c := range r.Clips {
		ties[c.Tie]++
	}
	assert.Len(t, ties, 3, "each half of A is tied to its own")
	assert.Equal(t, r.Head.Start+17*secs, r.MarkList()[0].At)
	assert.Equal(t, []Point{{r.Head.Start + 2*secs, -3}, {r.Head.Start + 18*secs, -6}}, r.TrackList()[0].Gain)
	assert.Equal(t, "list 2", r.Head.CutList)
	require.NoError(t, r.Apply(change.Inverse()))
	assert.Equal(t, before, shape(r))

	_, _, err := Rearrange{Pieces: []Piece{{s(0, 10), 0}, {s(5, 20), 1}}}.Plan(r, shelf{})
	assert.Equal(t, fault.BadInput, fault.KindOf(err))
}

// A crossfade that reaches over the join of two events is no reason to cut a sliver off.
func TestRearrangeLeavesCrossfades(t *testing.T) {
	r := ferry()
	laid(t, r, "A", 1, 0, 10, true)
	laid(t, r, "B", 1, 10, 10, true)
	clips := r.ClipList()
	do(t, r, MoveClips{Clips: []string{clips[1].ID}, Rows: -1})
	do(t, r, Crossfade{clips[0].ID, clips[1].ID, secs / 5, Power})
	at := func(n int64) int64 { return r.Head.Start + n*secs }
	do(t, r, Rearrange{Pieces: []Piece{{Span{at(0), at(10)}, 0}, {Span{at(10), at(20)}, 3 * secs}}})
	assert.Equal(t, []string{"Aa 0-10.1 @5", "Aa 12.9-23 @4.9"}, shape(r))
}
