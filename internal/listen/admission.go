package listen

import (
	"context"
	"fmt"
	"runtime"
	"slices"
	"sync"
	"time"
)

// Whoever plays takes a share of the machine that is not known beforehand, so it is measured: the time that rendering takes over the time
// that what is rendered lasts. One more is let in while the shares come to no more than a part of the processors; the rest is for edits
// and for work: sending takes as long again as rendering. Those beyond that wait in the order in which they came, and are told so.

const (
	// part is how much of the processors' time those who play may take.
	part = 0.25
	// unknown is how many may begin at once while nobody knows yet what one takes.
	unknown = 4
	// firstGuess is the share of one of whom nothing is known, in processors.
	firstGuess = 0.02
	// idleAfter is how long one renders nothing, as a page in the background does, until it takes no share any more.
	idleAfter = 3 * time.Second
	// sureAfter is how much sound has to be rendered until a share is one's own and no guess.
	sureAfter = time.Second
)

// admission lets in as many as the machine can play for. It is safe for concurrent use.
type admission struct {
	mu      sync.Mutex
	budget  float64 // in processors; 0 for the usual part of them
	playing []*share
	waiting []*waiter
	typical float64 // what those came to of late
	known   int     // how many have been measured
	clock   func() time.Time
}

func (a *admission) now() time.Time {
	if a.clock != nil {
		return a.clock()
	}
	return time.Now()
}

// share is what one who plays takes.
type share struct {
	of       *admission
	guess    float64
	rendered time.Duration // of sound
	took     time.Duration // to render it
	counted  bool
	last     time.Time // when it rendered last, or was let in
}

type waiter struct{ in chan *share }

func (a *admission) most() float64 {
	if a.budget > 0 {
		return a.budget
	}
	return part * float64(runtime.GOMAXPROCS(0))
}

// enter waits until there is room. told is called where that is not at once, with how many stand before and how many play. The caller leaves.
func (a *admission) enter(ctx context.Context, told func(ahead, playing int)) (*share, error) {
	a.mu.Lock()
	if len(a.waiting) == 0 && a.room() {
		defer a.mu.Unlock()
		return a.let(), nil
	}
	w := &waiter{in: make(chan *share, 1)}
	a.waiting = append(a.waiting, w)
	ahead, playing := len(a.waiting)-1, len(a.playing)
	a.mu.Unlock()
	told(ahead, playing)
	again := time.NewTicker(sureAfter)
	defer again.Stop()
	for ctx.Err() == nil {
		select {
		case s := <-w.in:
			return s, nil
		case <-ctx.Done():
		case <-again.C: // those who play may stand still, and say nothing
			a.mu.Lock()
			a.pump()
			a.mu.Unlock()
		}
	}
	a.mu.Lock()
	a.waiting = slices.DeleteFunc(a.waiting, func(o *waiter) bool { return o == w })
	a.mu.Unlock()
	select {
	case s := <-w.in: // let in at the same moment
		s.leave()
	default:
	}
	return nil, ctx.Err()
}

// room tells whether one more may play. The first always may.
func (a *admission) room() bool {
	if len(a.playing) == 0 {
		return true
	}
	sum, unsure := 0.0, 0
	for _, s := range a.playing {
		x, sure := s.now()
		if sum += x; !sure {
			unsure++
		}
	}
	if a.known < unknown && unsure >= unknown {
		return false
	}
	return sum+a.guess() <= a.most()
}

// guess is what one more will take.
func (a *admission) guess() float64 {
	if a.typical > 0 {
		return a.typical
	}
	return firstGuess
}

func (a *admission) let() *share {
	s := &share{of: a, guess: a.guess(), last: a.now()}
	a.playing = append(a.playing, s)
	return s
}

// pump lets in who waits while there is room.
func (a *admission) pump() {
	for len(a.waiting) > 0 && a.room() {
		w := a.waiting[0]
		a.waiting = a.waiting[1:]
		w.in <- a.let()
	}
}

// now is the share in processors, and whether it was measured.
func (s *share) now() (processors float64, sure bool) {
	if s.of.now().Sub(s.last) > idleAfter {
		return 0, true
	}
	if s.rendered < sureAfter {
		return s.guess, false
	}
	return s.took.Seconds() / s.rendered.Seconds(), true
}

// spent notes that a block took so long to render. What was long ago counts less.
func (s *share) spent(took, sound time.Duration) {
	s.of.mu.Lock()
	defer s.of.mu.Unlock()
	s.last = s.of.now()
	s.rendered += sound
	s.took += took
	if s.rendered >= sureAfter && !s.counted {
		s.counted = true
		s.of.known++
		s.of.note(s)
	}
	if s.rendered >= 2*sureAfter {
		s.of.note(s)
		s.rendered, s.took = s.rendered/2, s.took/2
		s.of.pump()
	}
}

func (a *admission) note(s *share) {
	x, _ := s.now()
	if a.typical == 0 {
		a.typical = x
	}
	a.typical += (x - a.typical) / 8
}

// leave makes room.
func (s *share) leave() {
	a := s.of
	a.mu.Lock()
	defer a.mu.Unlock()
	a.playing = slices.DeleteFunc(a.playing, func(o *share) bool { return o == s })
	a.pump()
}

// crowded says that somebody waits, and for what.
func crowded(ahead, playing int) string {
	line := "You are the next"
	if ahead > 0 {
		line = fmt.Sprintf("%d are before you", ahead)
		if ahead == 1 {
			line = "One is before you"
		}
	}
	return fmt.Sprintf("The server plays for %d already, which is as many as it can without gaps. %s; it begins by itself as soon as there is room", playing, line)
}
