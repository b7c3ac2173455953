package store

import (
	"context"
	"time"
)

// changedChannel is where PostgreSQL tells every process which reel has changed.
const changedChannel = "reel_changed"

// retryAfter is how long to wait before listening again after the connection was lost.
const retryAfter = time.Second

// Watch tells subscribers of changed reels until ctx ends, whichever process changed them.
func (s *Store) Watch(ctx context.Context) {
	for ctx.Err() == nil {
		if err := s.listen(ctx); err != nil && ctx.Err() == nil {
			select {
			case <-ctx.Done():
			case <-time.After(retryAfter):
			}
		}
	}
}

func (s *Store) listen(ctx context.Context) error {
	conn, err := s.Pool.Acquire(ctx)
	if err != nil {
		return err
	}
	own := conn.Hijack() // it listens and so must not go back to the others
	defer own.Close(context.WithoutCancel(ctx))
	if _, err := own.Exec(ctx, "listen "+changedChannel); err != nil {
		return err
	}
	s.tell("") // what happened while nobody listened is not known
	for {
		n, err := own.WaitForNotification(ctx)
		if err != nil {
			return err
		}
		s.tell(n.Payload)
	}
}

// Subscribe gives a channel that has something in it whenever a reel may have changed. cancel ends it.
func (s *Store) Subscribe(reel string) (changed <-chan struct{}, cancel func()) {
	c := make(chan struct{}, 1)
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.watchers[reel] == nil {
		s.watchers[reel] = map[chan struct{}]bool{}
	}
	s.watchers[reel][c] = true
	return c, func() {
		s.mu.Lock()
		defer s.mu.Unlock()
		delete(s.watchers[reel], c)
		if len(s.watchers[reel]) == 0 {
			delete(s.watchers, reel)
		}
	}
}

// tell wakes the subscribers of a reel, or of all where reel is empty.
func (s *Store) tell(reel string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for id, channels := range s.watchers {
		if reel != "" && id != reel {
			continue
		}
		for c := range channels {
			select {
			case c <- struct{}{}:
			default:
			}
		}
	}
}
