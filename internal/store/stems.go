package store

import (
	"context"
	"errors"
	"regexp"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"

	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/core/take"
)

// Stem is a stem of a production, with its strands.
type Stem struct {
	ID      string   `json:"id"` // its tag
	Name    string   `json:"name"`
	Labels  []string `json:"labels"` // its channels
	Strands []string `json:"strands"`
}

// ReelStems gives stems as a reel has them.
func ReelStems(stems []Stem) []reel.Stem {
	list := make([]reel.Stem, len(stems))
	for i, s := range stems {
		list[i] = reel.Stem{ID: s.ID, Name: s.Name, Labels: s.Labels, Order: i + 1}
	}
	return list
}

func defaultStems() []Stem {
	var stems []Stem
	for _, s := range reel.DefaultStems() {
		stems = append(stems, Stem{ID: s.ID, Name: s.Name, Labels: s.Labels, Strands: []string{}})
	}
	return stems
}

// Stems gives the stems of a production from top to bottom.
func (s *Store) Stems(ctx context.Context, production string) (stems []Stem, err error) {
	stems, _, err = s.StemsAndRules(ctx, production)
	return stems, err
}

// Words gives the words of its own by which a production reads names.
func (s *Store) Words(ctx context.Context, production string) (words []take.Word, err error) {
	err = s.Pool.QueryRow(ctx, "select words from productions where id = $1", production).Scan(&words)
	return words, notFound(err, "production")
}

// SetWords changes the words of its own by which a production reads names.
func (s *Store) SetWords(ctx context.Context, production string, words []take.Word) error {
	words, err := take.CheckWords(words)
	if err != nil {
		return err
	}
	_, err = s.Pool.Exec(ctx, "update productions set words = $2 where id = $1", production, words)
	return notFound(err, "production")
}

// Learn adds words that a production does not have yet, such as those that a pattern brings.
func (s *Store) Learn(ctx context.Context, production string, words []take.Word) error {
	if len(words) == 0 {
		return nil
	}
	own, err := s.Words(ctx, production)
	if err != nil {
		return err
	}
	for _, w := range words {
		if !slices.ContainsFunc(own, func(o take.Word) bool { return o.Text == w.Text }) {
			own = append(own, w)
		}
	}
	return s.SetWords(ctx, production, own)
}

// StemsAndRules gives a production's stems and the rules that suggest them.
func (s *Store) StemsAndRules(ctx context.Context, production string) (stems []Stem, rules []take.Rule, err error) {
	return stemsAndRules(ctx, s.Pool, production)
}

func stemsAndRules(ctx context.Context, q querier, production string) (stems []Stem, rules []take.Rule, err error) {
	if err := q.QueryRow(ctx, "select stems, rules from productions where id = $1", production).Scan(&stems, &rules); err != nil {
		return nil, nil, notFound(err, "production")
	}
	if stems == nil {
		stems = defaultStems()
	}
	if rules == nil {
		rules = take.DefaultRules()
	}
	return stems, rules, nil
}

var tagForm = regexp.MustCompile(`^[A-Z][A-Z0-9]$`)

// SetStemsAndRules changes a production's stems and rules. Stems that a channel was given can't go. Reels that are
// there keep theirs, and get new ones when something that belongs there is unravelled onto them.
func (s *Store) SetStemsAndRules(ctx context.Context, production string, stems []Stem, rules []take.Rule) error {
	if len(stems) == 0 || len(stems) > 30 {
		return fault.New(fault.BadInput, "A production has 1 to 30 stems")
	}
	var tags []string
	for i := range stems {
		st := &stems[i]
		st.ID, st.Name = strings.ToUpper(strings.TrimSpace(st.ID)), strings.TrimSpace(st.Name)
		switch {
		case !tagForm.MatchString(st.ID):
			return fault.New(fault.BadInput, "The tag of a stem is two letters, such as DX, not %q", st.ID)
		case slices.Contains(tags, st.ID):
			return fault.New(fault.BadInput, "Two stems have the tag %s", st.ID)
		case st.Name == "" || len([]rune(st.Name)) > 60:
			return fault.New(fault.BadInput, "Stem %s needs a name of 1 to 60 characters", st.ID)
		}
		tags = append(tags, st.ID)
		if len(st.Labels) == 0 {
			st.Labels = []string{"L", "R"}
		}
		if len(st.Strands) > 100 {
			return fault.New(fault.BadInput, "Stem %s has more than 100 strands", st.ID)
		}
		strands := []string{}
		for _, strand := range st.Strands {
			if strand = strings.TrimSpace(strand); strand != "" && !slices.Contains(strands, strand) {
				strands = append(strands, strand)
			}
		}
		st.Strands = strands
	}
	if err := take.CheckRules(rules, tags); err != nil {
		return err
	}
	return pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		if err := lockTakes(ctx, tx, production); err != nil {
			return err
		}
		if err := stemsInUse(ctx, tx, production, tags); err != nil {
			return err
		}
		_, err := tx.Exec(ctx, "update productions set stems = $2, rules = $3 where id = $1", production, stems, rules)
		return err
	})
}

// stemsInUse refuses tags that leave out a stem that some channel was given.
func stemsInUse(ctx context.Context, tx pgx.Tx, production string, tags []string) error {
	var id string
	var channel int
	err := tx.QueryRow(ctx, `select t.id::text, n from takes t, jsonb_array_elements(channels) with ordinality c (c, n)
		where production_id = $1 and coalesce(c->>'stem', '') <> '' and not c->>'stem' = any($2) limit 1`, production, tags).Scan(&id, &channel)
	if errors.Is(err, pgx.ErrNoRows) {
		return nil
	}
	if err != nil {
		return notFound(err, "production")
	}
	list, err := takesBy(ctx, tx, "where t.id = $1", id)
	if err != nil {
		return err
	}
	for _, t := range list {
		c := t.Channels[channel-1]
		return fault.New(fault.BadInput, "%s, %s is in stem %s, so that stem can't go; put it elsewhere first", t.Title(),
			take.ChannelName(c.Track), c.Stem)
	}
	return nil
}
