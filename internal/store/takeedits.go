package store

import (
	"context"
	"fmt"
	"reflect"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"

	"zestyloom/core/fault"
	"zestyloom/core/take"
)

// takeFields are the parts of a take that a user may change.
type takeFields struct {
	Kind      take.Kind  `json:"kind"`
	Channels  []Channel  `json:"channels"`
	Slate     Slate      `json:"slate"`
	Sets      []take.Set `json:"sets"` // nil until somebody has said
	Tie       *Tie       `json:"tie"`
	PartOf    *string    `json:"partOf"`
	Apart     bool       `json:"apart"`
	Dissolved bool       `json:"dissolved"`
}

const fieldColumns = "kind, channels, slate, sets, tie, part_of::text, apart, dissolved"

func (f *takeFields) targets() []any {
	return []any{&f.Kind, &f.Channels, &f.Slate, &f.Sets, &f.Tie, &f.PartOf, &f.Apart, &f.Dissolved}
}

func (f takeFields) clone() takeFields {
	f.Channels, f.Sets = slices.Clone(f.Channels), slices.Clone(f.Sets)
	return f
}

func putFields(ctx context.Context, tx pgx.Tx, id string, f takeFields) error {
	_, err := tx.Exec(ctx, "update takes set kind = $2, channels = $3, slate = $4, sets = $5, tie = $6, part_of = $7, apart = $8, dissolved = $9 where id = $1",
		id, f.Kind, f.Channels, f.Slate, f.Sets, f.Tie, f.PartOf, f.Apart, f.Dissolved)
	return err
}

// ChannelEdit changes a channel; what is nil stays.
type ChannelEdit struct {
	Index  int     `json:"index"` // from 1
	Name   *string `json:"name,omitempty"`
	On     *bool   `json:"on,omitempty"`
	Stem   *string `json:"stem,omitempty"` // empty leaves it to the suggestion again
	Strand *string `json:"strand,omitempty"`
}

// TakeEdit is what a user changes of one take or of several at once; what is nil stays.
type TakeEdit struct {
	Kind     *take.Kind    `json:"kind,omitempty"`
	Slate    Slate         `json:"slate"`
	Channels []ChannelEdit `json:"channels,omitempty"`
	Sets     *[]take.Set   `json:"sets,omitempty"`
}

// EditTakes makes one edit on takes of a production, which is one step to undo. It gives how many were changed.
func (s *Store) EditTakes(ctx context.Context, production string, ids []string, e TakeEdit) (changed int, err error) {
	if err := e.check(); err != nil {
		return 0, err
	}
	stems, err := s.Stems(ctx, production)
	if err != nil {
		return 0, err
	}
	for _, c := range e.Channels {
		if c.Stem != nil && *c.Stem != "" && !slices.ContainsFunc(stems, func(st Stem) bool { return st.ID == *c.Stem }) {
			return 0, fault.New(fault.NotFound, "The production has no stem %q", *c.Stem)
		}
	}
	return s.editTakes(ctx, production, ids, func(_ string, f *takeFields) (string, error) { return e.apply(f) })
}

func (e TakeEdit) check() error {
	if e.Kind != nil && !slices.Contains(take.Kinds, *e.Kind) {
		return fault.New(fault.BadInput, "%q is no kind of take", *e.Kind)
	}
	for what, text := range map[string]*string{"scene": e.Slate.Scene, "take": e.Slate.Take, "roll": e.Slate.Roll, "note": e.Slate.Note} {
		if text != nil {
			*text = strings.TrimSpace(*text)
			if len([]rune(*text)) > 500 {
				return fault.New(fault.BadInput, "The %s has at most 500 characters", what)
			}
		}
	}
	for _, c := range e.Channels {
		for _, text := range []*string{c.Name, c.Strand} {
			if text != nil {
				*text = strings.TrimSpace(*text)
				if len([]rune(*text)) > 100 {
					return fault.New(fault.BadInput, "A name has at most 100 characters")
				}
			}
		}
	}
	return nil
}

// apply changes the fields and gives the name of the edit.
func (e TakeEdit) apply(f *takeFields) (string, error) {
	var did []string
	if e.Kind != nil {
		f.Kind = *e.Kind
		did = append(did, "kind of take")
	}
	if e.Slate != (Slate{}) {
		for _, p := range []struct {
			name     string
			from, to **string
		}{{"scene", &e.Slate.Scene, &f.Slate.Scene}, {"take", &e.Slate.Take, &f.Slate.Take}, {"roll", &e.Slate.Roll, &f.Slate.Roll}, {"note", &e.Slate.Note, &f.Slate.Note}} {
			if *p.from != nil {
				*p.to = *p.from
				did = append(did, p.name)
			}
		}
		if e.Slate.Circled != nil {
			f.Slate.Circled = e.Slate.Circled
			did = append(did, "circled take")
		}
	}
	for _, c := range e.Channels {
		if c.Index < 1 || c.Index > len(f.Channels) {
			return "", fault.New(fault.NotFound, "The take has no channel %d", c.Index)
		}
		ch := &f.Channels[c.Index-1]
		if c.Name != nil {
			ch.Name = *c.Name
			did = append(did, fmt.Sprintf("name channel %d", c.Index))
		}
		if c.On != nil {
			ch.On = c.On
			did = append(did, fmt.Sprintf("channel %d %s", c.Index, map[bool]string{true: "on", false: "off"}[*c.On]))
		}
		if c.Stem != nil {
			ch.Stem = *c.Stem
			did = append(did, fmt.Sprintf("stem of channel %d", c.Index))
		}
		if c.Strand != nil {
			ch.Strand = *c.Strand
			did = append(did, fmt.Sprintf("strand of channel %d", c.Index))
		}
	}
	if e.Sets != nil {
		if err := take.CheckSets(*e.Sets, len(f.Channels)); err != nil {
			return "", err
		}
		f.Sets = slices.Clone(*e.Sets)
		if f.Sets == nil {
			f.Sets = []take.Set{}
		}
		did = append(did, "reading of channels")
	}
	if len(did) > 2 {
		return fmt.Sprintf("%s and %d more", did[0], len(did)-1), nil
	}
	return strings.Join(did, " and "), nil
}

// editTakes changes takes, those of one call as one step to undo. Takes of another production are not found.
func (s *Store) editTakes(ctx context.Context, production string, ids []string, edit func(id string, f *takeFields) (string, error)) (changed int, err error) {
	err = pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		var batch *int64
		sorted := slices.Sorted(slices.Values(ids)) // one order, so that two edits at once can't wait for each other
		for _, id := range slices.Compact(sorted) {
			var f takeFields
			err := tx.QueryRow(ctx, "select "+fieldColumns+" from takes where id = $1 and production_id = $2 for update", id, production).Scan(f.targets()...)
			if err != nil {
				return notFound(err, "take")
			}
			before := f.clone()
			name, err := edit(id, &f)
			if err != nil {
				return err
			}
			if reflect.DeepEqual(before, f) {
				continue
			}
			changed++
			if batch, err = putEdit(ctx, tx, production, id, name, before, f, batch); err != nil {
				return err
			}
		}
		return nil
	})
	return changed, err
}

// CarryNames gives the channels of all takes of the same roll that have the same layout what was decided for this
// take's: names, stems, strands, on or off, and how they are read. It gives the number of takes that were changed; they
// are one edit to undo.
func (s *Store) CarryNames(ctx context.Context, id string) (changed int, err error) {
	from, err := s.Take(ctx, id)
	if err != nil {
		return 0, err
	}
	if from.Description.Roll == "" {
		return 0, fault.New(fault.BadInput, "This take is on no roll, so there are no others to name like it")
	}
	all, err := s.Takes(ctx, from.Production)
	if err != nil {
		return 0, err
	}
	var others []string
	for _, t := range all {
		if t.ID != id && t.Description.Roll == from.Description.Roll && len(t.Channels) == len(from.Channels) {
			others = append(others, t.ID)
		}
	}
	return s.editTakes(ctx, from.Production, others, func(_ string, f *takeFields) (string, error) {
		for i, c := range from.Channels {
			to := &f.Channels[i]
			to.Name, to.Stem, to.Strand, to.On = c.Name, c.Stem, c.Strand, c.On
		}
		f.Sets = from.Sets
		return "names for roll " + from.Description.Roll, nil
	})
}

// FillFromReport gives takes what a sound report says of them. It gives how many were changed, and the lines that are
// about no take. It is one edit to undo.
func (s *Store) FillFromReport(ctx context.Context, production string, report []take.ReportLine) (changed int, missing []take.ReportLine, err error) {
	takes, err := s.Takes(ctx, production)
	if err != nil {
		return 0, nil, err
	}
	edits := map[string]TakeEdit{}
	var ids []string
	missing = []take.ReportLine{}
	for _, l := range report {
		found := false
		for _, t := range takes {
			names := []string{t.FileName}
			if t.Assembly != nil {
				for _, p := range t.Assembly.Files {
					names = append(names, p.FileName)
				}
			}
			if !slices.ContainsFunc(names, func(n string) bool { return l.Finds(t.Description, n) }) {
				continue
			}
			found = true
			if _, twice := edits[t.ID]; !twice {
				ids = append(ids, t.ID)
			}
			edits[t.ID] = editOf(l, len(t.Channels))
		}
		if !found {
			missing = append(missing, l)
		}
	}
	changed, err = s.editTakes(ctx, production, ids, func(id string, f *takeFields) (string, error) {
		e := edits[id]
		if err := e.check(); err != nil {
			return "", err
		}
		if _, err := e.apply(f); err != nil {
			return "", err
		}
		return "sound report", nil
	})
	return changed, missing, err
}

// editOf is what a line of a report says. What it leaves empty stays.
func editOf(l take.ReportLine, channels int) TakeEdit {
	e := TakeEdit{Slate: Slate{Circled: l.Circled}}
	for _, f := range []struct {
		text string
		to   **string
	}{{l.Scene, &e.Slate.Scene}, {l.Take, &e.Slate.Take}, {l.Roll, &e.Slate.Roll}, {l.Note, &e.Slate.Note}} {
		if f.text != "" {
			*f.to = &f.text
		}
	}
	for i, name := range l.Tracks[:min(len(l.Tracks), channels)] {
		if name != "" {
			e.Channels = append(e.Channels, ChannelEdit{Index: i + 1, Name: &name})
		}
	}
	return e
}

// putEdit makes an edit and notes it. batch is what an earlier edit of the same command gave, or nil for the first.
func putEdit(ctx context.Context, tx pgx.Tx, production, id, name string, before, after takeFields, batch *int64) (*int64, error) {
	if _, err := tx.Exec(ctx, "update take_edits set state = 'dropped' where production_id = $1 and state = 'undone'", production); err != nil {
		return nil, err
	}
	var edit int64
	err := tx.QueryRow(ctx, "insert into take_edits (production_id, take_id, name, before, after, batch) values ($1, $2, $3, $4, $5, $6) returning id", production, id, name, before, after, batch).Scan(&edit)
	if err != nil {
		return nil, err
	}
	if batch == nil {
		batch = &edit
		if _, err := tx.Exec(ctx, "update take_edits set batch = id where id = $1", edit); err != nil {
			return nil, err
		}
	}
	return batch, putFields(ctx, tx, id, after)
}

// TakeHistory says what undo and redo would do; empty where there is nothing.
type TakeHistory struct {
	Undo string `json:"undo"`
	Redo string `json:"redo"`
}

// TakeHistory gives what can be undone in the takes of a production.
func (s *Store) TakeHistory(ctx context.Context, production string) (h TakeHistory, err error) {
	err = s.Pool.QueryRow(ctx, `select coalesce((select name from take_edits where production_id = $1 and state = 'done' order by id desc limit 1), ''),
		coalesce((select name from take_edits where production_id = $1 and state = 'undone' order by id limit 1), '')`, production).Scan(&h.Undo, &h.Redo)
	return h, notFound(err, "production")
}

// UndoTakeEdit takes the last edit of the production's takes back.
func (s *Store) UndoTakeEdit(ctx context.Context, production string) error {
	return s.stepTakes(ctx, production, "undo", "before", "done", "undone", "desc")
}

// RedoTakeEdit brings the last undone edit back.
func (s *Store) RedoTakeEdit(ctx context.Context, production string) error {
	return s.stepTakes(ctx, production, "redo", "after", "undone", "done", "asc")
}

// stepTakes puts the takes of the next edit into the state that a column of it holds.
func (s *Store) stepTakes(ctx context.Context, production, what, column, from, to, direction string) error {
	return pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		var batch int64
		err := tx.QueryRow(ctx, "select coalesce(batch, id) from take_edits where production_id = $1 and state = $2 order by id "+direction+" limit 1 for update", production, from).Scan(&batch)
		if err == pgx.ErrNoRows {
			return fault.New(fault.BadInput, "There is nothing to %s in the takes", what)
		}
		if err != nil {
			return notFound(err, "production")
		}
		rows, err := tx.Query(ctx, "update take_edits set state = $3 where production_id = $1 and coalesce(batch, id) = $2 returning take_id::text, "+column, production, batch, to)
		if err != nil {
			return err
		}
		type step struct {
			ID     string
			Fields takeFields
		}
		steps, err := pgx.CollectRows(rows, pgx.RowToStructByPos[step])
		if err != nil {
			return err
		}
		for _, st := range steps {
			if err := putFields(ctx, tx, st.ID, st.Fields); err != nil {
				return err
			}
		}
		return nil
	})
}
