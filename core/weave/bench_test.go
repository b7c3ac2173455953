package weave

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"zestyloom/core/reel"
	"zestyloom/core/timecode"
)

// BenchmarkGraph compiles and evaluates the graph of a reel of 64 tracks, 5,000 clips and 64 outputs: ten groups of a mix, a
// stem, a strand and fold-downs each. The goal is 10 ms.
func BenchmarkGraph(b *testing.B) {
	wide := []string{"L", "R", "C", "LFE", "Ls", "Rs"}
	r := reel.New("x", 48000, timecode.Rate{Num: 25, Den: 1}, 0, reel.DefaultStems())
	for _, s := range []string{"DX", "MX", "FX"} {
		apply(b, r, reel.SetStem{Stem: s, Labels: &wide})
	}
	yes := true
	for i := range 64 {
		apply(b, r, reel.AddTake{Take: fmt.Sprint(i), Title: "x", Length: 1000, Parts: []reel.PartPlan{{Name: fmt.Sprint(i),
			Stem: []string{"DX", "MX", "FX"}[i%3], Strand: []string{"", "Ines", "Tobiah"}[i%3], Channels: []int{0}, Labels: []string{"M"}}}})
		tracks := r.TrackList()
		apply(b, r, reel.SetTrack{Track: tracks[len(tracks)-1].ID, Placed: &yes})
	}
	for _, c := range r.ClipList() {
		for n := 1; len(r.Clips) < 5000 && n < 80; n++ {
			c.ID, c.Start = fmt.Sprintf("%s-%d", c.ID, n), int64(n)*2000
			r.Clips[c.ID] = c
		}
	}
	for i := range 8 {
		apply(b, r, reel.SetMix{Name: fmt.Sprint(i), Labels: wide, Rest: true, Terms: []reel.Term{{Row: reel.StemRow,
			From: []string{"DX", "MX", "FX"}[i%3], Out: true}}})
		mixes := r.MixList()
		apply(b, r, reel.SetGroup{Name: fmt.Sprint(i), Layout: "5.1", Feed: &reel.Feeder{Row: reel.MixRow, From: mixes[len(mixes)-1].ID}})
		groups := r.GroupList()
		apply(b, r, reel.SetGroup{Name: fmt.Sprint("folded ", i), Layout: "stereo", Feed: &reel.Feeder{Row: reel.GroupRow,
			From: groups[len(groups)-1].ID}})
	}
	require.Len(b, r.OutputList(), 64)
	for b.Loop() {
		routes, findings := Look(r)
		require.NotEmpty(b, routes)
		require.NotNil(b, findings)
	}
}
