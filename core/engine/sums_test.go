package engine

import (
	"fmt"
	"math/rand"
	"os"
	"slices"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/mix"
	"zestyloom/core/reel"
	"zestyloom/core/sums"
	"zestyloom/core/weave"
)

// apartTakes gives each clip a take of its own, so that no sound is twice on the reel.
func apartTakes(t testing.TB, r *reel.Reel, s shelf) {
	for i, c := range r.ClipList() {
		c.Take = fmt.Sprint("take ", i)
		s.record(t, c.Take, 48000, 12, 24000+i) // whose noise is by its length
		r.Clips[c.ID] = c
	}
}

// nulled gives how much is left of a sum on what is rendered.
func nulled(s sums.Sum, r *reel.Reel, rendered [][]float64) (peak float64) {
	at := map[string]int{}
	for i, o := range r.OutputList() {
		if _, there := at[o.Group]; !there {
			at[o.Group] = i
		}
	}
	n := sums.NewNull(s, func(group string, channel int) []float64 { return rendered[at[group]+channel] },
		func(int, []float64) (float64, float64) { return 1e-9, 1e-9 })
	for from := 0; from < len(rendered[0]); from += 700 {
		n.Write(from, min(from+700, len(rendered[0])))
	}
	for _, row := range n.Rows {
		peak = max(peak, row.Peak)
	}
	return peak
}

func allGroups(r *reel.Reel) (ids []string) {
	for _, g := range r.GroupList() {
		ids = append(ids, g.ID)
	}
	return ids
}

// rounds is how many random weaves are tried: as many as ZESTYLOOM_TEST_ROUNDS says, by hand.
func rounds(usual int64) int64 {
	if asked, err := strconv.ParseInt(os.Getenv("ZESTYLOOM_TEST_ROUNDS"), 10, 64); err == nil {
		return asked
	}
	return usual
}

// Random weaves: what is said to add up does, in what is rendered; and whatever group adds up is in what is said. That a group is
// a sum is told from the sound alone, by whether its samples lie in the span of those of the others.
func TestWhatMustAddUpDoes(t *testing.T) {
	found, phased := 0, 0
	for seed := range rounds(25) {
		rnd := rand.New(rand.NewSource(seed))
		r, s := randomWeave(t, rnd), shelf{}
		apartTakes(t, r, s)
		if fold := mix.Usual(); seed%2 == 0 {
			fold.Encoded = true
			do(t, r, reel.SetGroup{Name: "LtRt", Layout: "stereo", Feed: &reel.Feeder{Row: reel.GroupRow, From: r.GroupList()[0].ID, Fold: &fold}})
		}
		for range rnd.Intn(3) { // and some that are the same in other ways
			try(t, r, reel.SetGroup{Name: fmt.Sprint("More ", rnd.Int()), Layout: []string{"stereo", "5.1", "mono"}[rnd.Intn(3)], Feed: &reel.Feeder{
				Row: reel.StemRow, From: []string{"DX", "MX", "FX", "AX"}[rnd.Intn(4)]}})
		}
		rendered := render(t, r, s, start+900, 9000, 4096)
		list := weave.Sums(r, allGroups(r))
		in := map[string]bool{}
		for _, sum := range list {
			require.Less(t, nulled(sum, r, rendered), 1e-9, "seed %d: %+v", seed, sum)
			found++
			for _, id := range sum.Sets() {
				in[id] = true
			}
			if slices.ContainsFunc(sum.Parts, func(p sums.Part) bool { return p.Turned != nil }) {
				phased++
			}
		}
		for _, g := range r.GroupList() {
			if g.Name != "LtRt" && inSpan(r, rendered, g.ID) {
				assert.True(t, in[g.ID], "seed %d: %s is a sum of others, and nothing says so", seed, g.Name)
			}
		}
	}
	assert.Greater(t, found, 40)
	assert.Positive(t, phased)
}

// inSpan tells whether all samples of a group are the same sums of those of the other groups.
func inSpan(r *reel.Reel, rendered [][]float64, group string) bool {
	var own, others []sums.Vector
	for i, o := range r.OutputList() {
		v := sums.Vector{}
		for n := 100; n < len(rendered[i]); n += 22 { // from all of it, as a way may stand still for a while
			v[fmt.Sprint(n)] = rendered[i][n]
		}
		if o.Group == group {
			own = append(own, v)
		} else {
			others = append(others, v)
		}
	}
	sound := slices.ContainsFunc(own, func(v sums.Vector) bool {
		for _, x := range v {
			if x > 1e-6 {
				return true
			}
		}
		return false
	})
	return sound && len(sums.Find([]sums.Set{{ID: "own", Channels: own}, {ID: "others", Channels: others}})) > 0
}

// What moves is said to add up only where all that it adds up to moves with it.
func TestWhatMovesAddsUpTogetherOrNotAtAll(t *testing.T) {
	r, s := crossing(t)
	groups := allGroups(r)
	sum := func() []sums.Sum { return weave.Sums(r, groups) }
	require.Len(t, sum(), 1, "dialogue and music are the mix")
	do(t, r, reel.SetCorrection{Of: "mix", Groups: groups, GainDB: -2, Ride: []reel.Point{{At: start, Value: 1}, {At: start + 20000, Value: -2}}})
	require.Len(t, sum(), 1, "all of them are corrected alike")
	require.Less(t, nulled(sum()[0], r, render(t, r, s, start, 60000, 4096)), 1e-9)
	do(t, r, reel.SetCorrection{Of: "mix", Groups: []string{"mix", "dx"}, Ride: []reel.Point{{At: start, Value: 1}, {At: start + 20000, Value: -2}}})
	require.Empty(t, sum(), "the music is not corrected with them")
	do(t, r, reel.RemoveCorrection{Of: "mix"})
	do(t, r, reel.SetCurve{Of: "stem", ID: "DX", What: reel.GainCurve, Points: []reel.Point{{At: start, Value: 0}, {At: start + 9000, Value: -9}}})
	require.Len(t, sum(), 1, "what moves before it parts moves for both")
	require.Less(t, nulled(sum()[0], r, render(t, r, s, start, 60000, 4096)), 1e-9)
	points := []reel.Point{{At: start, Value: 0}, {At: start + 9000, Value: -9}}
	knot := r.KnotList()[0].ID
	do(t, r, reel.SetCurve{Of: reel.OfKnot, ID: knot, What: reel.GainCurve, Points: points})
	require.Empty(t, sum(), "a knot moves alone")
	do(t, r, reel.SetCurve{Of: reel.OfKnot, ID: knot, What: reel.GainCurve})
	require.Len(t, sum(), 1)
	do(t, r, reel.SetCurve{Of: "group", ID: "dx", What: reel.GainCurve, Points: points})
	require.Empty(t, sum())
}
