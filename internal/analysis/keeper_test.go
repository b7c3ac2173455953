package analysis

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"zestyloom/core/loudness"
	"zestyloom/core/weave"
)

// What was measured is that of a revision, and of the rows that were asked for: else there is more to come.
func TestWhatIsMeasuredIsWhatWasAskedFor(t *testing.T) {
	rows := []weave.NodeID{{Row: "group", ID: "mix"}, {Row: "track", ID: "t1"}}
	s := State{Revision: 7, Rows: map[weave.NodeID]loudness.Row{rows[0]: {}}}
	assert.True(t, s.holds(7, rows[:1]))
	assert.False(t, s.holds(7, rows), "a row that was not asked for before")
	assert.False(t, s.holds(8, rows[:1]))
}

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
