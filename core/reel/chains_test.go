package reel

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/chain"
	"zestyloom/core/fault"
	"zestyloom/core/timecode"
)

// What drives a processor and goes leaves it off, and what goes through a chain and goes takes that with it; undo brings both back.
func TestChainsFollowTheirRows(t *testing.T) {
	r := New("Crossing", 48000, timecode.Rate{Num: 25, Den: 1}, 0, DefaultStems())
	do := func(c Command) Change {
		change, _, err := c.Plan(r, nil)
		require.NoError(t, err)
		require.NoError(t, r.Apply(change))
		return change
	}
	for _, name := range []string{"Boom", "Cue"} {
		do(AddTrack{Name: name, Labels: []string{"M"}, Stem: map[string]string{"Boom": "DX", "Cue": "MX"}[name]})
	}
	boom, cue := r.TrackList()[0].ID, r.TrackList()[1].ID
	driven := []chain.Step{{ID: "1", Kind: chain.Compressor, Key: &chain.Key{Row: "track", From: boom}}}
	do(SetChain{Row: TrackRow, From: cue, Steps: &driven})
	do(SetChain{Row: TrackRow, From: boom, Steps: &[]chain.Step{{ID: "1", Kind: chain.Gain}}})
	do(SetBus{Row: StemRow, From: "FX", GainDB: ptr(-3.0)})
	gone := do(RemoveTracks{Tracks: []string{boom}})
	require.Len(t, r.Chains, 1)
	assert.Equal(t, chain.Step{ID: "1", Kind: chain.Compressor, Off: true}, r.Chains[ChainID(TrackRow, cue)].Steps[0])
	require.NoError(t, r.Apply(gone.Inverse()))
	assert.Equal(t, driven, r.Chains[ChainID(TrackRow, cue)].Steps)
	assert.Len(t, r.Chains, 2)
	stem := do(RemoveStem{Stem: "FX", Yes: true})
	assert.Empty(t, r.Buses)
	require.NoError(t, r.Apply(stem.Inverse()))
	assert.Len(t, r.Buses, 1)
}

// Nothing is driven by what it reaches, by whatever way: itself, its stem, a mix, or something that it drives; nor does a later edit make it so.
func TestNothingDrivesItself(t *testing.T) {
	r := New("Crossing", 48000, timecode.Rate{Num: 25, Den: 1}, 0, DefaultStems())
	may := func(c Command) error {
		change, _, err := c.Plan(r, nil)
		if err == nil {
			err = r.Apply(change)
		}
		return err
	}
	require.NoError(t, may(AddTrack{Name: "Boom", Labels: []string{"M"}, Stem: "DX"}))
	require.NoError(t, may(AddTrack{Name: "Cue", Labels: []string{"M"}, Stem: "MX"}))
	require.NoError(t, may(SetMix{Name: "Full", Labels: []string{"L", "R"}, Rest: true}))
	boom, cue, full := r.TrackList()[0].ID, r.TrackList()[1].ID, r.MixList()[0].ID
	key := func(row Row, from string, by Row, id string) Command {
		return SetChain{Row: row, From: from, Steps: &[]chain.Step{{ID: "1", Kind: chain.Gate, Key: &chain.Key{Row: string(by), From: id}}}}
	}
	for _, c := range []Command{key(TrackRow, boom, TrackRow, boom), key(TrackRow, boom, StemRow, "DX"), key(TrackRow, boom, MixRow, full),
		key(StemRow, "DX", MixRow, full), key(StemRow, "DX", GroupRow, "none"), key(StemRow, "DX", TrackRow, "none")} {
		require.Error(t, may(c), "%+v", (*c.(SetChain).Steps)[0].Key)
	}
	require.NoError(t, may(key(TrackRow, cue, StemRow, "DX")))
	require.NoError(t, may(key(MixRow, full, TrackRow, boom)))
	require.Error(t, may(key(StemRow, "DX", TrackRow, cue)), "which it drives")
	assert.Equal(t, fault.BadInput, fault.KindOf(may(SetTrack{Track: cue, Stem: ptr("DX")})), "it would be driven by its own stem")
}
