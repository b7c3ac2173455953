package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"github.com/jackc/pgx/v5"

	"zestyloom/core/chain"
	"zestyloom/core/fault"
	"zestyloom/core/report"
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
	// Treatments are nil where nothing is treated.
	Treatments []chain.Treatment `json:"treatments"`
}

const fieldColumns = "kind, channels, slate, sets, tie, part_of::text, apart, dissolved, treatments"

func (f *takeFields) targets() []any {
	return []any{&f.Kind, &f.Channels, &f.Slate, &f.Sets, &f.Tie, &f.PartOf, &f.Apart, &f.Dissolved, &f.Treatments}
}

func (f takeFields) clone() takeFields {
	f.Channels, f.Sets, f.Treatments = slices.Clone(f.Channels), slices.Clone(f.Sets), slices.Clone(f.Treatments)
	return f
}

// takeEdit is what is done to one take.
type takeEdit struct {
	id, name      string
	before, after takeFields
}

// put writes what users say of takes, all in one statement however many there are.
func put(ctx context.Context, tx pgx.Tx, author string, edits []takeEdit) error {
	ids, fields := make([]string, len(edits)), make([]string, len(edits))
	for i, e := range edits {
		b, err := json.Marshal(e.after)
		if err != nil {
			return err
		}
		ids[i], fields[i] = e.id, string(b)
	}
	// Materialized, or each part that is taken of a document reads all of it again.
	if _, err := tx.Exec(ctx, `with e as materialized (select id, f::jsonb from unnest($1::uuid[], $2::text[]) e (id, f))
		update takes t set kind = f->>'kind', channels = coalesce(nullif(f->'channels', 'null'), '[]'), slate = f->'slate',
			sets = nullif(f->'sets', 'null'), tie = nullif(f->'tie', 'null'), part_of = (f->>'partOf')::uuid, apart = (f->>'apart')::boolean,
			dissolved = (f->>'dissolved')::boolean, treatments = nullif(f->'treatments', 'null')
		from e where t.id = e.id`, ids, fields); err != nil {
		return err
	}
	for _, e := range edits {
		if e.after.Tie == nil || reflect.DeepEqual(e.before.Tie, e.after.Tie) {
			continue
		}
		if err := noCircle(ctx, tx, e.id); err != nil {
			return err
		}
	}
	return retreated(ctx, tx, author, edits)
}

// fieldsOf reads what users say of takes of a production, and keeps others from changing it. One that is not there is NotFound.
func fieldsOf(ctx context.Context, tx pgx.Tx, production string, ids []string) (map[string]takeFields, error) {
	rows, err := tx.Query(ctx, "select id::text, "+fieldColumns+" from takes where id = any($1::uuid[]) and production_id = $2 order by id for no key update", ids, production)
	if err != nil {
		return nil, notFound(err, "take")
	}
	found := map[string]takeFields{}
	var id string
	for rows.Next() {
		var f takeFields
		if err := rows.Scan(append([]any{&id}, f.targets()...)...); err != nil {
			rows.Close()
			return nil, err
		}
		found[id] = f
	}
	if err := rows.Err(); err != nil {
		return nil, notFound(err, "take")
	}
	for _, id := range ids {
		if _, there := found[id]; !there {
			return nil, notFound(pgx.ErrNoRows, "take")
		}
	}
	return found, nil
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
func (s *Store) EditTakes(ctx context.Context, production, author string, ids []string, e TakeEdit) (changed int, err error) {
	if err := e.check(); err != nil {
		return 0, err
	}
	asked := false
	return s.editTakes(ctx, production, author, ids, func(tx pgx.Tx, _ string, f *takeFields) (string, error) {
		if !asked { // under the lock, and once
			if err := e.checkStems(ctx, tx, production); err != nil {
				return "", err
			}
			asked = true
		}
		return e.apply(f)
	})
}

func (e TakeEdit) checkStems(ctx context.Context, tx pgx.Tx, production string) error {
	for _, c := range e.Channels {
		if c.Stem == nil || *c.Stem == "" {
			continue
		}
		stems, _, err := stemsAndRules(ctx, tx, production)
		if err != nil {
			return err
		}
		if !slices.ContainsFunc(stems, func(st Stem) bool { return st.ID == *c.Stem }) {
			return fault.New(fault.NotFound, "The production has no stem %q", *c.Stem)
		}
	}
	return nil
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
		}{{"scene", &e.Slate.Scene, &f.Slate.Scene}, {"take", &e.Slate.Take, &f.Slate.Take}, {"roll", &e.Slate.Roll, &f.Slate.Roll},
			{"note", &e.Slate.Note, &f.Slate.Note}} {
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

// lockTakes keeps others from editing the takes of a production until the transaction ends. It comes before any lock on
// a take, so that two edits can't wait for each other.
func lockTakes(ctx context.Context, tx pgx.Tx, production string) error {
	var revision int64
	return notFound(tx.QueryRow(ctx, "select takes_revision from productions where id = $1 for no key update", production).Scan(&revision),
		"production")
}

// editTakes changes takes, those of one call as one step to undo. Takes of another production are not found.
func (s *Store) editTakes(ctx context.Context, production, author string, ids []string,
	edit func(tx pgx.Tx, id string, f *takeFields) (string, error)) (changed int, err error) {
	err = pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		if err := lockTakes(ctx, tx, production); err != nil {
			return err
		}
		many, err := Once(ctx, tx, func() (string, error) {
			edits, err := editsOf(ctx, tx, production, ids, edit)
			if err != nil {
				return "", err
			}
			return strconv.Itoa(len(edits)), putStep(ctx, tx, production, author, edits)
		})
		if err != nil {
			return err
		}
		changed, err = strconv.Atoi(many)
		return err
	})
	return changed, err
}

// editsOf is what an edit makes of takes that it changes, in the order of their IDs.
func editsOf(ctx context.Context, tx pgx.Tx, production string, ids []string,
	edit func(tx pgx.Tx, id string, f *takeFields) (string, error)) (edits []takeEdit, err error) {
	ids = slices.Compact(slices.Sorted(slices.Values(ids)))
	found, err := fieldsOf(ctx, tx, production, ids)
	if err != nil {
		return nil, err
	}
	for _, id := range ids {
		f := found[id]
		before := f.clone()
		name, err := edit(tx, id, &f)
		if err != nil {
			return nil, err
		}
		if !reflect.DeepEqual(before, f) {
			edits = append(edits, takeEdit{id, name, before, f})
		}
	}
	return edits, nil
}

// CarryNames gives the channels of all takes of the same roll that have the same layout what was decided for this
// take's: names, stems, strands, on or off, and how they are read. It gives the number of takes that were changed; they
// are one edit to undo.
func (s *Store) CarryNames(ctx context.Context, id, author string) (changed int, err error) {
	from, err := s.Take(ctx, id)
	if err != nil {
		return 0, err
	}
	if from.Description.Roll == "" {
		return 0, fault.New(fault.BadInput, "This take is on no roll, so there are no others to name like it")
	}
	others, err := s.ids(ctx, `select id::text from takes t where production_id = $1 and `+listed+` and id <> $2
		and coalesce(slate->>'roll', description->>'roll', '') = $3 and jsonb_array_length(channels) = $4`, from.Production, id, from.Description.Roll,
		len(from.Channels))
	if err != nil {
		return 0, err
	}
	return s.editTakes(ctx, from.Production, author, others, func(_ pgx.Tx, _ string, f *takeFields) (string, error) {
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
func (s *Store) FillFromReport(ctx context.Context, production, author string, lines []report.Line) (changed int, missing []report.Line,
	err error) {
	takes, err := s.Takes(ctx, production)
	if err != nil {
		return 0, nil, err
	}
	edits := map[string]TakeEdit{}
	var ids []string
	missing = []report.Line{}
	for _, l := range lines {
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
	changed, err = s.editTakes(ctx, production, author, ids, func(_ pgx.Tx, id string, f *takeFields) (string, error) {
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
func editOf(l report.Line, channels int) TakeEdit {
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

// putStep makes edits and notes them, all as one step to undo.
func putStep(ctx context.Context, tx pgx.Tx, production, author string, edits []takeEdit) error {
	if len(edits) == 0 {
		return nil
	}
	if _, err := tx.Exec(ctx, "update take_edits set state = 'dropped' where production_id = $1 and state = 'undone' and author = $2",
		production, author); err != nil {
		return err
	}
	if err := takesEdited(ctx, tx, production); err != nil {
		return err
	}
	ids, names, before, after := make([]string, len(edits)), make([]string, len(edits)), make([]string, len(edits)), make([]string,
		len(edits))
	for i, e := range edits {
		b, err := json.Marshal(e.before)
		if err != nil {
			return err
		}
		a, err := json.Marshal(e.after)
		if err != nil {
			return err
		}
		ids[i], names[i], before[i], after[i] = e.id, e.name, string(b), string(a)
	}
	// The step is known by the ID of the first of its edits.
	_, err := tx.Exec(ctx, `with step as (select nextval(pg_get_serial_sequence('take_edits', 'id')) as first)
		insert into take_edits (id, production_id, take_id, name, before, after, batch, author) overriding system value
		select case when n = 1 then step.first else nextval(pg_get_serial_sequence('take_edits', 'id')) end, $1, take, name, before::jsonb, after::jsonb,
			step.first, $2
		from step, unnest($3::uuid[], $4::text[], $5::text[], $6::text[]) with ordinality e (take, name, before, after, n)`,
		production, author, ids, names, before, after)
	if err != nil {
		return err
	}
	return put(ctx, tx, author, edits)
}

func takesEdited(ctx context.Context, tx pgx.Tx, production string) error {
	_, err := tx.Exec(ctx, "update productions set takes_revision = takes_revision + 1 where id = $1", production)
	return err
}

// TakeHistory says what undo and redo would do for somebody; empty where there is nothing. Another's step is named with
// who made it.
type TakeHistory struct {
	Undo, Redo string
	Revision   int64 // how often the takes have been edited
}

// newestTakeEdit finds what undo would take back, and redo bring back: one's own before others'.
var newestTakeEdit = map[string]string{
	"undo": "select coalesce(batch, id), name, author from take_edits where production_id = $1 and state = 'done' order by author = $2 desc, id desc limit 1",
	"redo": "select coalesce(batch, id), name, author from take_edits where production_id = $1 and state = 'undone' order by author = $2 desc, id limit 1",
}

// TakeHistory gives what can be undone in the takes of a production.
func (s *Store) TakeHistory(ctx context.Context, production, author string) (h TakeHistory, err error) {
	if err := s.Pool.QueryRow(ctx, "select takes_revision from productions where id = $1", production).Scan(&h.Revision); err != nil {
		return h, notFound(err, "production")
	}
	for kind, to := range map[string]*string{"undo": &h.Undo, "redo": &h.Redo} {
		var batch int64
		var by string
		err := s.Pool.QueryRow(ctx, newestTakeEdit[kind], production, author).Scan(&batch, to, &by)
		if errors.Is(err, pgx.ErrNoRows) {
			continue
		}
		if err != nil {
			return h, err
		}
		if by != author {
			*to += " (" + by + ")"
		}
	}
	return h, nil
}

// UndoTakeEdit takes back the newest edit of this author that has not been, or, where there is none, the newest of all;
// that only where revision says that the caller has seen it. What others have changed since is not taken back with it:
// then it is Stale.
func (s *Store) UndoTakeEdit(ctx context.Context, production string, revision int64, author string) error {
	return s.stepTakes(ctx, production, revision, author, "undo")
}

// RedoTakeEdit brings the edit back that was undone last.
func (s *Store) RedoTakeEdit(ctx context.Context, production string, revision int64, author string) error {
	return s.stepTakes(ctx, production, revision, author, "redo")
}

// stepTakes takes an edit back or brings it back: only what it changed, and only where that is as the edit left it.
func (s *Store) stepTakes(ctx context.Context, production string, seen int64, author, kind string) error {
	return pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		if err := lockTakes(ctx, tx, production); err != nil {
			return err
		}
		_, err := Once(ctx, tx, func() (string, error) { return "", s.turnTakes(ctx, tx, production, seen, author, kind) })
		return err
	})
}

func (s *Store) turnTakes(ctx context.Context, tx pgx.Tx, production string, seen int64, author, kind string) error {
	var batch, revision int64
	var name, by string
	err := tx.QueryRow(ctx, newestTakeEdit[kind], production, author).Scan(&batch, &name, &by)
	if errors.Is(err, pgx.ErrNoRows) {
		return fault.New(fault.BadInput, "There is nothing to %s in the takes", kind)
	}
	if err != nil {
		return err
	}
	if err := tx.QueryRow(ctx, "select takes_revision from productions where id = $1", production).Scan(&revision); err != nil {
		return err
	}
	if by != author && revision != seen {
		return fault.New(fault.Stale, "%s has edited the takes in the meantime (%s). Look at them before you take it back", by, name)
	}
	states := map[string]string{"undo": "undone", "redo": "done"}
	rows, err := tx.Query(ctx, "update take_edits set state = $3 where production_id = $1 and coalesce(batch, id) = $2 returning take_id::text, before, after", production, batch, states[kind])
	if err != nil {
		return err
	}
	type edit struct {
		Take          string
		Before, After takeFields
	}
	edits, err := pgx.CollectRows(rows, pgx.RowToStructByPos[edit])
	if err != nil {
		return err
	}
	var ids []string
	for _, e := range edits {
		ids = append(ids, e.Take)
	}
	now, err := fieldsOf(ctx, tx, production, ids)
	if err != nil {
		return err
	}
	turned := make([]takeEdit, len(edits))
	for i, e := range edits {
		from, to := e.After, e.Before
		if kind == "redo" {
			from, to = to, from
		}
		is := now[e.Take]
		turned[i] = takeEdit{id: e.Take, before: is.clone()}
		if !is.turn(from, to) {
			return s.stepMet(ctx, tx, e.Take)
		}
		turned[i].after = is
	}
	if err := put(ctx, tx, author, turned); err != nil {
		return err
	}
	return takesEdited(ctx, tx, production)
}

// stepMet is Stale: a take has been changed in the same place since.
func (s *Store) stepMet(ctx context.Context, tx pgx.Tx, id string) error {
	var name string
	if err := tx.QueryRow(ctx, "select file_name from takes where id = $1", id).Scan(&name); err != nil {
		return notFound(err, "take")
	}
	return fault.New(fault.Stale, "%s has been changed in the same place since, so this step was left as it is; set by hand what you want there", name)
}

// turn brings what differs between two states of a take from the one to the other, unless somebody has changed it since.
func (f *takeFields) turn(from, to takeFields) bool {
	for _, part := range f.each() {
		was, will := part(&from), part(&to)
		if reflect.DeepEqual(was, will) {
			continue
		}
		if !reflect.DeepEqual(part(f), was) {
			return false
		}
		reflect.ValueOf(part(f)).Elem().Set(reflect.ValueOf(will).Elem())
	}
	return true
}

// each gives ways to each part of a take that can be changed by itself, as pointers into the fields.
func (f *takeFields) each() []func(*takeFields) any {
	parts := []func(*takeFields) any{
		func(f *takeFields) any { return &f.Kind }, func(f *takeFields) any { return &f.Sets }, func(f *takeFields) any { return &f.Tie },
		func(f *takeFields) any { return &f.PartOf }, func(f *takeFields) any { return &f.Apart },
		func(f *takeFields) any { return &f.Dissolved }, func(f *takeFields) any { return &f.Treatments },
		func(f *takeFields) any { return &f.Slate.Scene }, func(f *takeFields) any { return &f.Slate.Take },
		func(f *takeFields) any { return &f.Slate.Roll },
		func(f *takeFields) any { return &f.Slate.Note }, func(f *takeFields) any { return &f.Slate.Circled },
	}
	for i := range f.Channels {
		parts = append(parts,
			func(f *takeFields) any { return &f.channel(i).Name }, func(f *takeFields) any { return &f.channel(i).On },
			func(f *takeFields) any { return &f.channel(i).Stem }, func(f *takeFields) any { return &f.channel(i).Strand })
	}
	return parts
}

// channel gives a channel, one that is nowhere kept where there is none.
func (f *takeFields) channel(i int) *Channel {
	if i >= len(f.Channels) {
		return &Channel{}
	}
	return &f.Channels[i]
}
