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

// A ply has its take's channels in their places: what is silent stays, mixes and what somebody has switched off do not.
func TestAPlyKeepsSilentChannels(t *testing.T) {
	off := false
	channel := func(use take.Use, on bool) store.Channel {
		return store.Channel{Track: take.Track{Use: use}, Unravelled: on}
	}
	x := store.Take{FileName: "12A.wav", Description: take.Description{Channels: 5, Tracks: make([]take.Track, 5)}}
	x.Channels = []store.Channel{channel(take.Mix, false), channel(take.Iso, true), channel(take.Iso, false),
		channel(take.Unknown, false), channel(take.Iso, false)}
	x.Channels[4].On = &off
	for kind, want := range map[string][]int{"ply": {1, 2, 3}, "list": {1}} {
		parts, _, err := partsOf(x, kind, Settings{})
		require.NoError(t, err)
		assert.Equal(t, want, parts[0].Channels, kind)
	}
	parts, _, err := partsOf(x, "unravel", Settings{})
	require.NoError(t, err)
	assert.Len(t, parts, 1)
}
