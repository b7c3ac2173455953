package analysis

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"zestyloom/core/loudness"
	"zestyloom/core/weave"
)

// Where more is kept than may be, the reels that nobody has looked at for longest are let go, and never one that is being measured.
func TestWhatIsKeptIsBounded(t *testing.T) {
	k := &Keeper{}
	k.Open()
	defer k.Close()
	for i := range mostReels + 5 {
		r := &kept{busy: i == 0, now: State{Rows: map[weave.NodeID]loudness.Row{}}}
		r.used = r.used.AddDate(0, 0, i)
		k.reels[string(rune('a'+i))] = r
	}
	k.letGo()
	assert.Len(t, k.reels, mostReels)
	assert.Contains(t, k.reels, "a", "it is being measured")
	assert.NotContains(t, k.reels, "b")
	assert.Contains(t, k.reels, string(rune('a'+mostReels+4)))
}
