package store

import (
	"context"
	"strings"
	"time"

	"zestyloom/core/cutlist"
	"zestyloom/core/timecode"
)

// CutList is a cut list that a reel follows, or followed. It is never changed: a new cut is another list.
type CutList struct {
	ID        string    `json:"id"`
	Name      string    `json:"name"` // of its file
	CreatedAt time.Time `json:"createdAt"`
	Cut
}

// Cut is a cut list as it was laid on a reel.
type Cut struct {
	Title     string          `json:"title"`
	FrameRate timecode.Rate   `json:"frameRate"`
	By        int64           `json:"by"` // samples that its events were moved by, to where the reel counts from
	Entries   []cutlist.Entry `json:"entries"`
	Notes     []string        `json:"notes"`
}

// AddCutList keeps a cut list and gives its ID.
func (s *Store) AddCutList(ctx context.Context, production, name string, c Cut) (id string, err error) {
	name = strings.TrimSpace(name)
	if runes := []rune(name); len(runes) > 200 {
		name = string(runes[:200])
	}
	err = s.Pool.QueryRow(ctx, "insert into cut_lists (production_id, name, list) values ($1, $2, $3) returning id::text", production, name,
		c).Scan(&id)
	return id, notFound(err, "production")
}

// CutList gives a cut list.
func (s *Store) CutList(ctx context.Context, id string) (c CutList, err error) {
	err = s.Pool.QueryRow(ctx, "select id::text, name, created_at, list from cut_lists where id = $1", id).Scan(&c.ID, &c.Name,
		&c.CreatedAt, &c.Cut)
	return c, notFound(err, "cut list")
}

// RemoveCutList removes a cut list that no reel has come to follow.
func (s *Store) RemoveCutList(ctx context.Context, id string) error {
	_, err := s.Pool.Exec(ctx, "delete from cut_lists where id = $1", id)
	return err
}
