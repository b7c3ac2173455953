package jobs

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/take"
	"zestyloom/internal/store"
)

// A set is plied in the order in which it is read; beside a cut list the channels keep the numbers that the list gives.
func TestChannelsBesideAListKeepTheirNumbers(t *testing.T) {
	x := store.Take{FileName: "Cue.wav", Channels: make([]store.Channel, 3), Sets: []take.Set{{Kind: take.Bonded, Channels: []int{1, 3, 2},
		Labels: []string{"L", "R", "C"}}}}
	for kind, want := range map[string][]int{"ply": {0, 2, 1}, "list": {0, 1, 2}} {
		parts, names, err := partsOf(x, kind, Settings{All: true})
		require.NoError(t, err)
		require.Len(t, parts, 1)
		assert.Equal(t, want, parts[0].Channels, kind)
		assert.Equal(t, []string{"Cue.wav"}, names)
	}
}
