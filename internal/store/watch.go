package store

import (
	"context"
	"strconv"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
)

// Event says that something has changed. Everything is said by the zero event: then nobody knows what has.
type Event struct {
	Kind     string `json:"kind"` // reel, work or takes; empty for everything
	ID       string `json:"id"`   // of the reel, or of the production
	Revision int64  `json:"revision,omitempty"`
}

// changedChannel is where PostgreSQL tells every process what has changed: a kind, an ID, and a revision where there is
// one, with spaces between. Triggers tell of work and takes.
const changedChannel = "loom_changed"

func eventOf(payload string) Event {
	parts := strings.SplitN(payload, " ", 3)
	if len(parts) < 2 {
		return Event{}
	}
	e := Event{Kind: parts[0], ID: parts[1]}
	if len(parts) == 3 {
		e.Revision, _ = strconv.ParseInt(parts[2], 10, 64)
	}
	return e
}

// retryAfter is how long to wait before listening again after the connection was lost.
const retryAfter = time.Second

// Watch tells subscribers what has changed until ctx ends, whichever process changed it.
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
	own, err := pgx.ConnectConfig(ctx, s.Pool.Config().ConnConfig.Copy()) // it listens, and so is none of a pool
	if err != nil {
		return err
	}
	defer own.Close(context.WithoutCancel(ctx))
	if _, err := own.Exec(ctx, "listen "+changedChannel); err != nil {
		return err
	}
	s.tell(Event{}) // what happened while nobody listened is not known
	for {
		n, err := own.WaitForNotification(ctx)
		if err != nil {
			return err
		}
		s.tell(eventOf(n.Payload))
	}
}

// unread is how many events wait for a subscriber before it is told that everything may have changed instead.
const unread = 64

// Subscribe gives a channel of what changes. cancel ends it. To a subscriber that reads too slowly everything has
// changed.
func (s *Store) Subscribe() (events <-chan Event, cancel func()) {
	c := make(chan Event, unread)
	s.mu.Lock()
	defer s.mu.Unlock()
	s.watchers[c] = true
	return c, func() {
		s.mu.Lock()
		defer s.mu.Unlock()
		delete(s.watchers, c)
	}
}

func (s *Store) tell(e Event) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for c := range s.watchers {
		select {
		case c <- e:
			continue
		default:
		}
		for emptied := false; !emptied; {
			select {
			case <-c:
			default:
				emptied = true
			}
		}
		c <- Event{} // there is room: nobody else writes
	}
}
