package store

import (
	"cmp"
	"context"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"zestyloom/core/diagnose"
	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/core/take"
)

// Channel is a channel of a take as the user has it.
type Channel struct {
	take.Track
	take.Level
	Empty     bool   `json:"empty"`
	FileName  string `json:"fileName"`  // its name as the file has it
	Suggested string `json:"suggested"` // tag of the stem it most likely belongs to
	// Findings say what is on the channel; nil until it has been listened to. They are kept apart from what the user
	// may change.
	Findings []diagnose.Finding `json:"findings"`
}

// Spare tells whether the channel carries nothing that another does not.
func (c Channel) Spare() bool {
	return c.Empty || slices.ContainsFunc(c.Findings, func(f diagnose.Finding) bool {
		return f.Kind == diagnose.Empty || f.Kind == diagnose.Copy || f.Kind == diagnose.Polarity
	})
}

// Take is a recording that has been taken in.
type Take struct {
	ID          string           `json:"id"`
	Production  string           `json:"production"`
	Kind        take.Kind        `json:"kind"`
	FileName    string           `json:"fileName"`
	CameFrom    string           `json:"cameFrom"`
	MediaKey    string           `json:"-"`
	Size        int64            `json:"size"`
	SHA256      string           `json:"sha256"`
	Description take.Description `json:"description"`
	Channels    []Channel        `json:"channels"`
	CreatedAt   time.Time        `json:"createdAt"`
}

// Title is how people call the take: scene and take, or the file's name.
func (t Take) Title() string {
	if t.Description.Scene != "" {
		return t.Description.Scene + "/" + t.Description.Take
	}
	name, _, _ := strings.Cut(t.FileName, ".")
	return name
}

// Source gives the take as unravel needs it.
func (t Take) Source() reel.Source {
	src := reel.Source{Take: t.ID, Title: t.Title(), Kind: t.Kind, SampleRate: t.Description.SampleRate, Frames: t.Description.Frames, Start: t.Description.StartSamples}
	for _, ch := range t.Channels {
		src.Channels = append(src.Channels, reel.SourceChannel{Track: ch.Track, Empty: ch.Spare()})
	}
	return src
}

const takeColumns = `select id::text, production_id::text, kind, file_name, came_from, media_key, size, sha256, description, channels, findings, created_at from takes `

func scanTake(row pgx.CollectableRow) (t Take, err error) {
	var found []diagnose.Channel
	err = row.Scan(&t.ID, &t.Production, &t.Kind, &t.FileName, &t.CameFrom, &t.MediaKey, &t.Size, &t.SHA256, &t.Description, &t.Channels, &found, &t.CreatedAt)
	for i := range t.Channels {
		if i < len(found) {
			t.Channels[i].Findings = found[i].Findings
		}
		t.Channels[i].Suggested = take.SuggestStem(t.Kind, cmp.Or(t.Channels[i].Name, t.Title()))
	}
	return t, err
}

// Takes lists the takes of a production by roll and time stamp; those without come last, by name.
func (s *Store) Takes(ctx context.Context, production string) ([]Take, error) {
	rows, err := s.Pool.Query(ctx, takeColumns+`where production_id = $1
		order by description->>'roll' = '', description->>'roll', (description->>'startSamples')::bigint nulls last, file_name`, production)
	if err != nil {
		return nil, notFound(err, "production")
	}
	takes, err := pgx.CollectRows(rows, scanTake)
	return takes, notFound(err, "production")
}

// Take finds one by its ID.
func (s *Store) Take(ctx context.Context, id string) (Take, error) {
	rows, err := s.Pool.Query(ctx, takeColumns+"where id = $1", id)
	if err != nil {
		return Take{}, notFound(err, "take")
	}
	t, err := pgx.CollectExactlyOneRow(rows, scanTake)
	return t, notFound(err, "take")
}

// TakeOfMedia finds the take whose files lie under a key.
func (s *Store) TakeOfMedia(ctx context.Context, key string) (Take, error) {
	rows, err := s.Pool.Query(ctx, takeColumns+"where media_key = $1", key)
	if err != nil {
		return Take{}, err
	}
	t, err := pgx.CollectExactlyOneRow(rows, scanTake)
	return t, notFound(err, "take")
}

// AddTake stores a take. A file that the production has already is BadInput, and says as what.
func (s *Store) AddTake(ctx context.Context, t Take) (string, error) {
	var id string
	err := s.Pool.QueryRow(ctx, `insert into takes (production_id, kind, file_name, came_from, media_key, size, sha256, description, channels)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9) on conflict (production_id, sha256) do nothing returning id::text`,
		t.Production, t.Kind, t.FileName, t.CameFrom, t.MediaKey, t.Size, t.SHA256, t.Description, t.Channels).Scan(&id)
	if err == pgx.ErrNoRows {
		var name string
		if err := s.Pool.QueryRow(ctx, "select file_name from takes where production_id = $1 and sha256 = $2", t.Production, t.SHA256).Scan(&name); err != nil {
			return "", err
		}
		return "", fault.New(fault.BadInput, "The production has this very file already, as %s; it was not taken in twice", name)
	}
	return id, err
}

// SetFindings stores what is on the channels of a take, in channel order.
func (s *Store) SetFindings(ctx context.Context, id string, found []diagnose.Channel) error {
	_, err := s.Pool.Exec(ctx, "update takes set findings = $2 where id = $1", id, found)
	return err
}

// takeFields are the parts of a take that a user may change.
type takeFields struct {
	Kind     take.Kind `json:"kind"`
	Channels []Channel `json:"channels"`
}

// NameChannel gives a channel (from 1) another name.
func (s *Store) NameChannel(ctx context.Context, id string, index int, name string) error {
	name = strings.TrimSpace(name)
	if len([]rune(name)) > 100 {
		return fault.New(fault.BadInput, "A name has at most 100 characters")
	}
	return s.editTake(ctx, id, func(f *takeFields) (string, error) {
		if index < 1 || index > len(f.Channels) {
			return "", fault.New(fault.NotFound, "The take has no channel %d", index)
		}
		f.Channels[index-1].Name = name
		return fmt.Sprintf("name channel %d", index), nil
	})
}

// SetTakeKind says what sort of recording a take is.
func (s *Store) SetTakeKind(ctx context.Context, id string, kind take.Kind) error {
	return s.editTake(ctx, id, func(f *takeFields) (string, error) {
		switch kind {
		case take.Recording, take.Music, take.Effect:
			f.Kind = kind
			return "kind of take", nil
		}
		return "", fault.New(fault.BadInput, "A take is a recording, music or an effect, not %q", kind)
	})
}

// CarryNames gives the channels of all takes of the same roll that have as many channels the names of this take's. It
// gives the number of takes that were changed; they are one edit to undo.
func (s *Store) CarryNames(ctx context.Context, id string) (changed int, err error) {
	err = pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, takeColumns+"where id = $1", id)
		if err != nil {
			return notFound(err, "take")
		}
		from, err := pgx.CollectExactlyOneRow(rows, scanTake)
		if err != nil {
			return notFound(err, "take")
		}
		if from.Description.Roll == "" {
			return fault.New(fault.BadInput, "This take is on no roll, so there are no others to name like it")
		}
		rows, err = tx.Query(ctx, `select id::text, kind, channels from takes where production_id = $1 and id <> $2 and description->>'roll' = $3
			and jsonb_array_length(channels) = $4 order by id for update`, from.Production, id, from.Description.Roll, len(from.Channels))
		if err != nil {
			return err
		}
		type other struct {
			ID       string
			Kind     take.Kind
			Channels []Channel
		}
		others, err := pgx.CollectRows(rows, pgx.RowToStructByPos[other])
		if err != nil {
			return err
		}
		var batch *int64
		for _, o := range others {
			before, after := takeFields{o.Kind, o.Channels}, takeFields{o.Kind, slices.Clone(o.Channels)}
			same := true
			for i := range after.Channels {
				same = same && after.Channels[i].Name == from.Channels[i].Name
				after.Channels[i].Name = from.Channels[i].Name
			}
			if same {
				continue
			}
			changed++
			if batch, err = putEdit(ctx, tx, from.Production, o.ID, "names for roll "+from.Description.Roll, before, after, batch); err != nil {
				return err
			}
		}
		return nil
	})
	return changed, err
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

func (s *Store) editTake(ctx context.Context, id string, edit func(*takeFields) (string, error)) error {
	return pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		var f takeFields
		var production string
		if err := tx.QueryRow(ctx, "select production_id::text, kind, channels from takes where id = $1 for update", id).Scan(&production, &f.Kind, &f.Channels); err != nil {
			return notFound(err, "take")
		}
		before := takeFields{f.Kind, slices.Clone(f.Channels)}
		name, err := edit(&f)
		if err != nil || reflect.DeepEqual(before, f) {
			return err
		}
		_, err = putEdit(ctx, tx, production, id, name, before, f, nil)
		return err
	})
}

func putFields(ctx context.Context, tx pgx.Tx, id string, f takeFields) error {
	_, err := tx.Exec(ctx, "update takes set kind = $2, channels = $3 where id = $1", id, f.Kind, f.Channels)
	return err
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

// RemoveTake forgets a take that no reel uses and gives its media key. The caller removes the media.
func (s *Store) RemoveTake(ctx context.Context, id string) (key string, err error) {
	err = pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		var production string
		if err := tx.QueryRow(ctx, "select media_key, production_id::text from takes where id = $1 for update", id).Scan(&key, &production); err != nil {
			return notFound(err, "take")
		}
		// The history may bring a clip back, so a take that was ever used stays.
		var reel string
		err := tx.QueryRow(ctx, `select r.name from reels r where r.production_id = $1 and exists (select 1 from reel_log l where l.reel_id = r.id
			and jsonb_path_exists(l.change, '$.clips[*].after ? (@.take == $id)', jsonb_build_object('id', $2::text))) limit 1`, production, id).Scan(&reel)
		if err == nil {
			return fault.New(fault.BadInput, "%s uses this take, so it can't be removed", reel)
		}
		if err != pgx.ErrNoRows {
			return err
		}
		_, err = tx.Exec(ctx, "delete from takes where id = $1", id)
		return err
	})
	return key, err
}
