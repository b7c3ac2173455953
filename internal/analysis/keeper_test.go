package analysis

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"zestyloom/core/loudness"
	"zestyloom/core/take"
	"zestyloom/core/weave"
	"zestyloom/internal/store"
)

// What was measured is that of a revision, and of the rows that were asked for: else there is more to come.
func TestWhatIsMeasuredIsWhatWasAskedFor(t *testing.T) {
	rows := []weave.NodeID{{Row: "group", ID: "mix"}, {Row: "track", ID: "t1"}}
	s := State{Revision: 7, Factor: 4, Rows: map[weave.NodeID]loudness.Row{rows[0]: {}}}
	assert.True(t, s.holds(7, rows[:1], 4))
	assert.False(t, s.holds(7, rows[:1], 8), "true peak was looked for at another rate")
	assert.False(t, s.holds(7, rows, 4), "a row that was not asked for before")
	assert.False(t, s.holds(8, rows[:1], 4))
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

// So with files; one that is being measured stays.
func TestWhatIsKeptOfFilesIsBounded(t *testing.T) {
	k := &Keeper{}
	k.Open()
	defer k.Close()
	for i := range mostFiles + 5 {
		f := &keptFile{now: Measured{Whole: &loudness.Whole{}}}
		if i == 0 {
			f.now.Whole = nil
		}
		f.used = f.used.AddDate(0, 0, i)
		k.files[string(rune('a'+i))] = f
	}
	k.letGoOfFiles()
	assert.Len(t, k.files, mostFiles+1)
	assert.Contains(t, k.files, "a", "it is being measured")
	assert.NotContains(t, k.files, "b")
}

// Channels that are heard together are one programme, in the order of the file; the others are each by itself.
func TestProgrammesOfATake(t *testing.T) {
	channel := func(name string) store.Channel { return store.Channel{Track: take.Track{Name: name}} }
	tk := store.Take{Channels: []store.Channel{channel("R"), channel("L"), channel("Boom"), channel("")}, Sets: []take.Set{take.Pair(2, 1)}}
	assert.Equal(t, []Programme{
		{ID: "1", Name: "stereo", Channels: []int{0, 1}, Labels: []string{"R", "L"}},
		{ID: "3", Name: "Boom", Channels: []int{2}, Labels: []string{"M"}},
		{ID: "4", Name: "Channel 4", Channels: []int{3}, Labels: []string{"M"}},
	}, Programmes(tk))
	assert.EqualValues(t, "stereo", Programmes(tk)[0].Layout().Name)
	assert.Empty(t, Programmes(store.Take{}))
}
