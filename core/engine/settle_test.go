package engine

import (
	"bytes"
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
)

// What is settled are the clips as they sound on their track, before the track's own gain, mute and place.
func TestSettle(t *testing.T) {
	r, s := everyEdit(t)
	for _, track := range r.TrackList() {
		clips := Inside(r, track.ID, reel.Span{From: math.MinInt64, To: math.MaxInt64})
		if len(clips) == 0 {
			continue
		}
		bounds, err := Bounds(r, clips)
		if err != nil {
			assert.Equal(t, fault.BadInput, fault.KindOf(err), track.Name)
			continue
		}
		var out bytes.Buffer
		told := 0.0
		settled, err := Settle(t.Context(), r, clips, s.open, &out, wave.Header{}, func(share float64) { told = share })
		require.NoError(t, err, track.Name)
		assert.Equal(t, bounds, settled)
		assert.EqualValues(t, 1, told)
		f := wavetest.Read(t, out.Bytes())
		assert.Equal(t, wave.Float, f.Encoding)
		assert.Equal(t, len(track.Labels), f.Channels)
		assert.Equal(t, settled.Frames, f.Frames)

		// The same reel with the settled take in the clips' place sounds the same.
		want := render(t, r, s, settled.Start, int(settled.Frames), 4096)
		next := r.Clone()
		with := shelf{}
		for name, take := range s {
			with[name] = take
		}
		with["settled"] = f
		do(t, next, reel.Settle{Clips: clips, Take: "settled", Title: "settled", Channels: f.Channels, Start: settled.Start,
			Length: settled.Frames})
		got := render(t, next, with, settled.Start, int(settled.Frames), 4096)
		for ch := range want {
			for i := range want[ch] {
				require.InDelta(t, want[ch][i], got[ch][i], 1e-6, "%s: output %d, frame %d", track.Name, ch, i)
			}
		}
	}
}

func TestWhatCannotBeSettled(t *testing.T) {
	r, s := everyEdit(t)
	_, err := Bounds(r, nil)
	assert.ErrorContains(t, err, "nothing to settle")
	list := r.ClipList()
	var two []reel.Clip
	for _, c := range list {
		if c.Track != list[0].Track {
			two = []reel.Clip{list[0], c}
		}
	}
	_, err = Bounds(r, two)
	assert.ErrorContains(t, err, "track by track")
	panned := list[0]
	panned.Pan = []reel.Point{{At: 0, Value: 1}}
	track := r.Tracks[panned.Track]
	track.Labels = []string{"M"}
	r.Tracks[track.ID] = track
	_, err = Bounds(r, []reel.Clip{panned})
	assert.ErrorContains(t, err, "draw the curve on its track instead")
	stopped, stop := context.WithCancel(t.Context())
	stop()
	_, err = Settle(stopped, r, list[1:2], s.open, &bytes.Buffer{}, wave.Header{}, func(float64) {})
	assert.Equal(t, fault.Cancelled, fault.KindOf(err))
}
