package engine

import (
	"math/rand"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/mix"
	"zestyloom/core/reel"
	"zestyloom/core/weave"
)

// What reaches some groups is all that they need to sound exactly as they do in the whole reel, bit for bit, and
// outputs keep their places.
func TestWhatReachesAGroupIsAllOfIt(t *testing.T) {
	s := shelf{}
	s.record(t, "x", 48000, 12, 24000)
	left := 0
	for seed := range int64(40) {
		rnd := rand.New(rand.NewSource(seed))
		r := randomWeave(t, rnd)
		if fold := mix.Usual(); seed%2 == 0 { // which takes longer
			fold.Encoded = true
			do(t, r, reel.SetGroup{Name: "LtRt", Layout: "stereo", Feed: &reel.Feeder{Row: reel.GroupRow, From: r.GroupList()[0].ID, Fold: &fold}})
		}
		whole := render(t, r, s, start+900, 2000, 777)
		for _, g := range r.GroupList() {
			also := r.GroupList()[rnd.Intn(7)].ID
			part, err := weave.Reaching(r, weave.Groups([]string{g.ID, also}))
			require.NoError(t, err)
			require.Equal(t, r.OutputList(), part.OutputList())
			left += len(r.Tracks) - len(part.Tracks)
			for i, got := range render(t, part, s, start+900, 2000, 777) {
				if o := r.OutputList()[i]; o.Group == g.ID || o.Group == also {
					require.Equal(t, whole[i], got, "seed %d: %s", seed, o.ID)
				}
			}
		}
	}
	assert.Greater(t, left, 100, "tracks that reach nothing of it are left out")
}
