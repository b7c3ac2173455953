package listen

import (
	"context"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// play renders so much sound at a share of a processor.
func (s *share) play(sound time.Duration, processors float64) {
	const each = 20 * time.Millisecond
	for ; sound > 0; sound -= each {
		s.spent(time.Duration(processors*float64(each)), each)
	}
}

// As many are let in as there is room for by what they take, the others wait in their order and are told, and come in as others go.
func TestAsManyPlayAsThereIsRoomFor(t *testing.T) {
	a := &admission{budget: 1}
	none := func(int, int) { t.Error("nobody waits here") }
	var playing []*share
	for range 4 { // nobody knows yet what one takes
		s, err := a.enter(t.Context(), none)
		require.NoError(t, err)
		playing = append(playing, s)
	}
	type come struct {
		n int
		s *share
	}
	came, told := make(chan come, 100), make(chan string, 100)
	for n := range 20 {
		ready := make(chan struct{})
		go func() {
			s, err := a.enter(t.Context(), func(ahead, playing int) {
				told <- fmt.Sprint(ahead, " ", playing)
				close(ready)
			})
			if err == nil {
				came <- come{n, s}
			}
		}()
		<-ready
		assert.Equal(t, fmt.Sprint(n, " 4"), <-told)
	}
	for _, s := range playing { // a tenth of a processor each, so that ten have room in one
		s.play(4*time.Second, 0.1)
	}
	for n := 0; len(playing) < 10; n++ {
		c := <-came
		playing = append(playing, c.s)
	}
	select {
	case <-came:
		t.Fatal("an eleventh is let in")
	case <-time.After(50 * time.Millisecond):
	}
	for range 3 {
		playing[0].leave()
		playing = append(playing[1:], (<-came).s)
	}
	for _, s := range playing { // what plays becomes dearer: nobody new, and nobody is thrown out
		s.play(4*time.Second, 0.2)
	}
	playing[0].leave()
	playing[1].leave()
	select {
	case <-came:
		t.Fatal("let in though it is too full")
	case <-time.After(50 * time.Millisecond):
	}
	for _, s := range playing[2:] {
		s.leave()
	}
	<-came // the first always may
}

// Who goes away while waiting leaves no place behind, whenever that is.
func TestWhoGoesAwayWhileWaiting(t *testing.T) {
	a := &admission{budget: 0.001}
	first, err := a.enter(t.Context(), nil)
	require.NoError(t, err)
	for range 200 {
		ctx, cancel := context.WithCancel(t.Context())
		done := make(chan struct{})
		waits := make(chan struct{})
		go func() {
			defer close(done)
			if s, err := a.enter(ctx, func(int, int) { close(waits) }); err == nil {
				s.leave()
			}
		}()
		<-waits
		go cancel()
		first.leave()
		<-done
		first, err = a.enter(t.Context(), func(int, int) { t.Error("the place was lost") })
		require.NoError(t, err)
	}
	assert.Len(t, a.playing, 1)
	assert.Empty(t, a.waiting)
	assert.Contains(t, crowded(0, 50), "You are the next")
	assert.Contains(t, crowded(1, 50), "One is before you")
	assert.Contains(t, crowded(7, 50), "plays for 50 already")
}

// Who stands still takes no share, whether it has been measured or not, and keeps nobody waiting; nor does somebody who came first.
func TestWhoStandsStillKeepsNobodyWaiting(t *testing.T) {
	at := time.Now()
	a := &admission{budget: 0.5, clock: func() time.Time { return at }}
	for range unknown { // and none of them ever plays
		_, err := a.enter(t.Context(), nil)
		require.NoError(t, err)
	}
	come := func() bool {
		a.mu.Lock()
		defer a.mu.Unlock()
		return a.room()
	}
	assert.False(t, come(), "nobody knows yet what they take")
	at = at.Add(idleAfter + time.Second)
	require.True(t, come(), "they take nothing")
	var playing []*share
	for come() && len(playing) < 100 {
		s, err := a.enter(t.Context(), nil)
		require.NoError(t, err)
		s.play(4*time.Second, 0.1)
		playing = append(playing, s)
	}
	assert.Len(t, playing, 5, "a tenth of a processor each")
	at = at.Add(idleAfter + time.Second) // all are paused
	assert.True(t, come())
	playing[0].play(time.Second, 0.1)
	assert.True(t, come())
}
