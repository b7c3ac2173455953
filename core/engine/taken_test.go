package engine

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/chain"
	"zestyloom/core/reel"
	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
	"zestyloom/core/weave"
)

// What a chain takes away is told where it does, on a row and on a recording: a tone that gets 12 dB louder is held down from there on by what the
// static curve says.
func TestWhatIsTakenAway(t *testing.T) {
	const rate, n = 48000, 96000
	tone := func(_, i int) float64 {
		x := 0.05 * math.Sin(2*math.Pi*997*float64(i)/rate)
		if i >= n/2 {
			x *= 4
		}
		return x
	}
	f := wavetest.Open(t, wave.Header{Format: wavetest.PCM24(1), Frames: n}, tone)
	open := func(string) (*wave.File, error) { return f, nil }
	steps := []chain.Step{{ID: "1", Kind: chain.Compressor, Detector: chain.RMS, Values: map[string]float64{"threshold": -26, "ratio": 4, "knee": 0,
		"attack": 5, "release": 50}}, {ID: "2", Kind: chain.Compressor, Detector: chain.RMS, Values: map[string]float64{"threshold": -17.01, "ratio": 2,
		"knee": 0, "attack": 5, "release": 50}}}
	// −26 dB and then −14: 12 dB over the threshold come to 3, 9 dB less; then −23 is below the other.
	check := func(bins []float64) {
		require.Len(t, bins, 200)
		assert.InDelta(t, 0, bins[40], 0.1)
		assert.InDelta(t, 0, bins[97], 0.1, "it does not begin before")
		assert.InDelta(t, -9.03, bins[150], 0.15)
		assert.InDelta(t, -9.03, bins[199], 0.15)
		assert.Less(t, bins[102], -2.0, "and is there at once")
	}
	span := reel.Span{From: 0, To: n}
	taken := NewTaken(span, rate/100)
	_, _, err := Recording{Take: "t", Channels: []int{0}, Steps: steps}.Of(context.Background(), span, open, taken.Note)
	require.NoError(t, err)
	check(taken.Bins())
	// After a treatment that turns it down by 12 dB nothing is left to do.
	taken = NewTaken(span, rate/100)
	down := []chain.Treatment{{Channels: []int{0}, Steps: []chain.Step{{ID: "1", Kind: chain.Gain, Values: map[string]float64{"gain": -12}}}}}
	_, _, err = Recording{Take: "t", Channels: []int{0}, Treatments: down, Steps: steps}.Of(context.Background(), span, open, taken.Note)
	require.NoError(t, err)
	for _, dB := range taken.Bins() {
		require.InDelta(t, 0, dB, 0.1)
	}
	r, s := crossing(t)
	s["tone"] = f
	do(t, r, reel.AddTake{Take: "tone", Title: "Tone", Start: start, Length: n, Parts: []reel.PartPlan{{Name: "Tone", Stem: "FX", Channels: []int{0},
		Labels: []string{"M"}}}})
	track := r.TrackList()[len(r.TrackList())-1].ID
	do(t, r, reel.SetChain{Row: reel.TrackRow, From: track, Steps: &steps})
	span = reel.Span{From: start, To: start + n}
	taken = NewTaken(span, rate/100)
	_, err = Stretch(context.Background(), r, weave.NodeID{Row: reel.TrackRow, ID: track}, span, "", s.open, taken.Note)
	require.NoError(t, err)
	check(taken.Bins())
	assert.Nil(t, NewTaken(span, 480).Bins(), "nothing was told")
}
