package store

import (
	"context"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"zestyloom/core/fault"
	"zestyloom/core/reel"
)

// SavedPattern is a pattern under its name, with the ID that it is asked for by.
type SavedPattern struct {
	ID        string       `json:"id"`
	ChangedAt time.Time    `json:"changedAt"`
	Pattern   reel.Pattern `json:"pattern"`
}

const patternColumns = "select id::text, changed_at, document from patterns "

func scanPattern(row pgx.CollectableRow) (p SavedPattern, err error) {
	err = row.Scan(&p.ID, &p.ChangedAt, &p.Pattern)
	return p, err
}

// Patterns lists them by name.
func (s *Store) Patterns(ctx context.Context) ([]SavedPattern, error) {
	rows, err := s.Pool.Query(ctx, patternColumns+"order by name")
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, scanPattern)
}

// Pattern finds one by its ID.
func (s *Store) Pattern(ctx context.Context, id string) (SavedPattern, error) {
	rows, err := s.Pool.Query(ctx, patternColumns+"where id = $1", id)
	if err != nil {
		return SavedPattern{}, notFound(err, "pattern")
	}
	p, err := pgx.CollectExactlyOneRow(rows, scanPattern)
	return p, notFound(err, "pattern")
}

// SavePattern saves a pattern under its name. Where one has that name already it takes its place, if it may; else it is BadInput.
func (s *Store) SavePattern(ctx context.Context, p reel.Pattern, replace bool) (SavedPattern, error) {
	if p.Name = strings.TrimSpace(p.Name); p.Name == "" || len([]rune(p.Name)) > 100 {
		return SavedPattern{}, fault.New(fault.BadInput, "A pattern needs a name of 1 to 100 characters")
	}
	sql := "insert into patterns (name, document) values ($1, $2) "
	if replace {
		sql += "on conflict (name) do update set document = excluded.document, changed_at = now() "
	}
	rows, err := s.Pool.Query(ctx, sql+"returning id::text, changed_at, document", p.Name, p)
	if err != nil {
		return SavedPattern{}, err
	}
	saved, err := pgx.CollectExactlyOneRow(rows, scanPattern)
	if codeOf(err) == uniqueViolation {
		return saved, fault.New(fault.Loses, "There is a pattern called %s already, whose place this would take", p.Name)
	}
	return saved, err
}

// RemovePattern removes a pattern. Productions whose reels began with it begin them with stems alone.
func (s *Store) RemovePattern(ctx context.Context, id string) error {
	tag, err := s.Pool.Exec(ctx, "delete from patterns where id = $1", id)
	if err == nil && tag.RowsAffected() == 0 {
		return fault.New(fault.NotFound, "This pattern is no longer there")
	}
	return notFound(err, "pattern")
}

// BeginWith has new reels of a production begin as a pattern; an empty ID with stems alone.
func (s *Store) BeginWith(ctx context.Context, production, pattern string) (Production, error) {
	if pattern != "" {
		p, err := s.Pattern(ctx, pattern)
		if err == nil {
			err = s.Learn(ctx, production, p.Pattern.Words)
		}
		if err != nil {
			return Production{}, err
		}
	}
	if _, err := s.Pool.Exec(ctx, "update productions set pattern_id = nullif($2, '')::uuid where id = $1", production, pattern); err != nil {
		return Production{}, notFound(err, "production")
	}
	return s.Production(ctx, production)
}
