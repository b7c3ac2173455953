package listen

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/engine"
	"zestyloom/core/reel"
	"zestyloom/core/wave/wavetest"
)

func louderOf(e *ear) *float64 {
	e.mu.Lock()
	defer e.mu.Unlock()
	for i := len(e.replies) - 1; i >= 0; i-- {
		if e.replies[i].Louder != nil {
			return e.replies[i].Louder
		}
	}
	return nil
}

// A reel is compared with itself as it was, while it plays: what was 12 dB lower is heard as loud, from the block on that sounds when it is asked for.
func TestTwoAreComparedAsLoudAsEachOther(t *testing.T) {
	s := newShelf(t)
	track := s.reel.TrackList()[0].ID
	s.was = s.reel.Clone()
	change, _, err := reel.SetTrack{Track: track, GainDB: new(-12.345), Name: new("Bow")}.Plan(s.was, nil)
	require.NoError(t, err)
	require.NoError(t, s.was.Apply(change))
	c, e, _ := listening(t, s)
	defer c.stop()
	standStill(c)
	one := int64(1)
	ask := request{Do: "play", Generation: 1, Reel: "reel", Until: 20000, Tap: engine.Tap{Kind: "track", ID: track}, Other: &other{Reel: "reel",
		Revision: &one}}
	c.handle(ask)
	require.Eventually(t, func() bool { return louderOf(e) != nil && len(e.left()) >= lead }, time.Minute, time.Millisecond)
	assert.InDelta(t, 12.345, *louderOf(e), 0.02)
	recorded := wavetest.Samples(t, s.file)[0]
	c.handle(request{Do: "played", Generation: 1, Frames: 2500})
	ask.Do, ask.Other = "change", &other{Reel: "reel", Revision: &one, Heard: true}
	c.handle(ask)
	// Lower and as much louder to a hundredth of a dB is not the same to the last bit.
	differs := func(x []float64) int {
		for i := range x {
			if x[i] != float64(float32(recorded[i])) {
				return i
			}
		}
		return len(x)
	}
	require.Eventually(t, func() bool { x := e.left(); return len(x) >= lead && differs(x) < len(x) }, time.Minute, time.Millisecond)
	x := e.left()
	assert.InDelta(t, 2048, differs(x), 40)
	for i := range x {
		require.InDelta(t, recorded[i], x[i], 0.002, "as loud, sample %d", i)
	}
	// What never was is said, and ends playing.
	nine := int64(9)
	ask.Other = &other{Reel: "reel", Revision: &nine, Heard: true}
	c.handle(ask)
	require.Eventually(t, func() bool {
		e.mu.Lock()
		defer e.mu.Unlock()
		return e.replies[len(e.replies)-1].Error == "It has never been so"
	}, time.Minute, time.Millisecond)
}

// What is listened to is looked for by its name where another reel has none of the ID.
func TestWhatIsListenedToIsFoundOnAnotherReel(t *testing.T) {
	a, b := newShelf(t).reel, newShelf(t).reel
	do := func(r *reel.Reel, c reel.Command) {
		change, _, err := c.Plan(r, nil)
		require.NoError(t, err)
		require.NoError(t, r.Apply(change))
	}
	do(a, reel.SetGroup{Name: "Full mix", Tag: "MIX", Layout: "stereo"})
	do(a, reel.SetMix{Name: "Full", Labels: []string{"L", "R"}})
	do(b, reel.SetMark{Name: "another ID next"})
	do(b, reel.SetGroup{Name: "Everything", Tag: "MIX", Layout: "stereo"})
	do(b, reel.SetMix{Name: "full", Labels: []string{"L", "R"}})
	group, other := a.GroupList()[0], b.GroupList()[0]
	require.NotEqual(t, group.ID, other.ID)
	for from, to := range map[engine.Tap]engine.Tap{
		{Kind: "stem", ID: "DX"}:                                        {Kind: "stem", ID: "DX"},
		{Kind: "group", ID: group.ID}:                                   {Kind: "group", ID: other.ID},
		{Kind: "output", ID: reel.OutputID(group.ID, "R")}:              {Kind: "output", ID: reel.OutputID(other.ID, "R")},
		{Kind: "pair", ID: reel.OutputID(group.ID, "L")}:                {Kind: "pair", ID: reel.OutputID(other.ID, "L")},
		{Kind: "mix", ID: a.MixList()[0].ID}:                            {Kind: "mix", ID: b.MixList()[0].ID},
		{Kind: "track", ID: a.TrackList()[0].ID}:                        {Kind: "track", ID: b.TrackList()[0].ID},
		{Kind: "group", ID: "gone", Check: engine.InMono}:               {Kind: "stems", Check: engine.InMono},
		{Kind: "strand", ID: reel.StrandID("DX", "nobody is in there")}: {Kind: "stems"},
	} {
		assert.Equal(t, to, sameTap(a, b, from), "%v", from)
	}
}

// Where one of two is silent there is nothing to match: none is turned up, none is said to be as loud, and it is not measured again with every change.
func TestSilenceIsNotMatched(t *testing.T) {
	s := newShelf(t)
	track := s.reel.TrackList()[0].ID
	s.was = s.reel.Clone()
	change, _, err := reel.SetTrack{Track: track, Mute: new(true)}.Plan(s.was, nil)
	require.NoError(t, err)
	require.NoError(t, s.was.Apply(change))
	c, e, _ := listening(t, s)
	defer c.stop()
	standStill(c)
	one := int64(1)
	ask := request{Do: "play", Generation: 1, Reel: "reel", Until: 20000, Tap: engine.Tap{Kind: "track", ID: track}, Other: &other{Reel: "reel",
		Revision: &one}}
	c.handle(ask)
	ask.Do = "change"
	for range 5 {
		c.handle(ask)
	}
	known := func() (n int, measuring bool) {
		c.mu.Lock()
		defer c.mu.Unlock()
		return len(c.levels), c.measuring
	}
	require.Eventually(t, func() bool { n, going := known(); return n == 1 && !going && len(e.left()) >= lead }, time.Minute, time.Millisecond)
	c.handle(ask)
	time.Sleep(20 * time.Millisecond)
	_, going := known()
	assert.False(t, going)
	assert.Nil(t, louderOf(e))
	assert.True(t, c.mayMeasure())
	assert.False(t, c.mayMeasure(), "one at a time")
}
