package reel

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"
)

// BenchmarkMove moves one clip, and a thousand in one step, on a reel that has 5,000.
func BenchmarkMove(b *testing.B) {
	r := ferry()
	do := func(c Command) {
		change, _, err := c.Plan(r, shelf{})
		require.NoError(b, err)
		require.NoError(b, r.Apply(change))
	}
	for track := range 20 {
		do(AddTake{Take: "a", Title: fmt.Sprint(track), Start: r.Head.Start, Length: 48000,
			Parts: []PartPlan{{Name: fmt.Sprint(track), Stem: "DX", Channels: []int{track}, Labels: []string{"M"}}}})
	}
	for _, first := range r.ClipList() {
		first.Tie = "" // by itself
		r.Clips[first.ID] = first
		for n := 1; n < 250; n++ {
			c := first
			c.ID, c.Start = fmt.Sprintf("%s-%d", first.ID, n), first.Start+int64(n)*96000
			r.Clips[c.ID] = c
		}
	}
	var ids []string
	for _, c := range r.ClipList() {
		ids = append(ids, c.ID)
	}
	require.Len(b, ids, 5000)
	for name, which := range map[string][]string{"one": ids[2500:2501], "thousand": ids[2000:3000]} {
		b.Run(name, func(b *testing.B) {
			b.ReportAllocs()
			by := int64(480)
			for b.Loop() {
				do(MoveClips{Clips: which, By: by})
				by = -by
			}
		})
	}
}
