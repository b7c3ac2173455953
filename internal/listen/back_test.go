package listen

import (
	"math"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/engine"
	"zestyloom/core/reel"
	"zestyloom/core/wave/wavetest"
)

// Backwards is what lies before the place, sample by sample from its end; it ends where it is told to, and at the beginning of all.
func TestBackwards(t *testing.T) {
	s := newShelf(t)
	track := s.reel.TrackList()[0].ID
	recorded := wavetest.Samples(t, s.file)[0]
	for name, c := range map[string]struct{ from, until, ends int64 }{
		"less than a block":         {9000, 8800, 8800},
		"odd, and over a stretch":   {stretched + 4321, 17, 17},
		"to the beginning":          {1500, 0, 0},
		"the loop is none":          {6001, 0, 0},
		"nothing lies before there": {500, 600, 600},
	} {
		conn, e, _ := listening(t, s)
		ask := request{Do: "play", Generation: 1, Reel: "reel", From: c.from, Until: c.until, Speed: -1,
			Tap: engine.Tap{Kind: "track", ID: track}, Loop: &reel.Span{From: 0, To: 5000}}
		conn.handle(ask)
		conn.handle(request{Do: "played", Generation: 1, Frames: 1 << 20})
		require.Eventually(t, e.ended, time.Minute, time.Millisecond, name)
		conn.stop()
		want := slices.Clone(recorded[min(c.ends, c.from):c.from])
		slices.Reverse(want)
		assert.InDeltaSlice(t, want, e.left(), 1e-6, name)
		assert.Equal(t, min(c.ends, c.from), e.replies[len(e.replies)-1].Position, "%s: where it ended", name)
		for _, r := range e.replies {
			assert.Nil(t, r.Loudness, "what runs backwards is not measured")
			assert.Zero(t, r.Recorded)
		}
	}
}

// What is turned while it runs backwards is heard from the block on that sounds, as forwards.
func TestAChangeIsHeardBackwards(t *testing.T) {
	s := newShelf(t)
	track := s.reel.TrackList()[0].ID
	conn, e, _ := listening(t, s)
	standStill(conn)
	ask := request{Do: "play", Generation: 1, Reel: "reel", From: 20000, Speed: -1, Tap: engine.Tap{Kind: "track", ID: track}}
	conn.handle(ask)
	require.Eventually(t, func() bool { return len(e.left()) >= lead }, time.Minute, time.Millisecond)
	plain := e.left()
	conn.handle(request{Do: "played", Generation: 1, Frames: 3000})
	ask.Do, ask.Trial = "change", sent(t, "setTrack", reel.SetTrack{Track: track, GainDB: new(-20.0)})
	conn.handle(ask)
	require.Eventually(t, func() bool { x := e.left(); return len(x) >= lead && math.Abs(x[lead-1]-plain[lead-1]/10) < 1e-6 }, time.Minute, time.Millisecond)
	conn.stop()
	now := e.left()
	assert.Equal(t, plain[:2048], now[:2048])
	for i := 2048; i < lead; i++ {
		require.InDelta(t, plain[i]/10, now[i], 1e-6, i)
	}
}

// ended tells whether playing has.
func (e *ear) ended() bool {
	e.mu.Lock()
	defer e.mu.Unlock()
	return len(e.replies) > 0 && e.replies[len(e.replies)-1].Ended
}
