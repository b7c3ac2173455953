package store

import (
	"context"
	"fmt"
	"reflect"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"

	"zestyloom/core/chain"
	"zestyloom/core/fault"
	"zestyloom/core/reel"
)

// Treat has channels of a take go through steps wherever they sound.
type Treat struct {
	Channels []int        `json:"channels"` // of the take, from 0, in order
	Steps    []chain.Step `json:"steps"`    // none takes the treatment away
	Off      bool         `json:"off,omitempty"`
	Roll     bool         `json:"roll,omitempty"` // the same microphones of all takes of the roll
}

// Treat treats channels of a take, or of all takes of its roll: those that have the same names there, or where they have none stand in the same
// places of as many. It is one step to undo, and gives how many takes were changed. Each reel that has ever had one of them on it gets a new
// revision.
func (s *Store) Treat(ctx context.Context, id, author string, t Treat) (changed int, err error) {
	from, err := s.Take(ctx, id)
	if err != nil {
		return 0, err
	}
	if err := chain.CheckTreatments([]chain.Treatment{{Channels: t.Channels, Steps: t.Steps}}, len(from.Channels),
		float64(from.Description.SampleRate)); err != nil {
		return 0, err
	}
	ids := []string{id}
	if t.Roll {
		if from.Description.Roll == "" {
			return 0, fault.New(fault.BadInput, "This take is on no roll, so there are no others to treat like it")
		}
		if ids, err = s.ids(ctx, "select id::text from takes t where production_id = $1 and "+listed+
			" and coalesce(slate->>'roll', description->>'roll', '') = $2", from.Production, from.Description.Roll); err != nil {
			return 0, err
		}
	}
	what := from.microphones(t.Channels)
	name := "treatment of " + what
	if len(t.Steps) == 0 {
		name = "no treatment of " + what
	}
	if t.Roll {
		name += " on roll " + from.Description.Roll
	}
	if ids, err = s.ids(ctx, "select id::text from takes where id = any($1::uuid[]) and (description->>'sampleRate')::int = $2", ids,
		from.Description.SampleRate); err != nil { // what is right for a rate may be too high for another
		return 0, err
	}
	var revision int64
	return s.editTakes(ctx, from.Production, author, ids, func(tx pgx.Tx, take string, f *takeFields) (string, error) {
		if revision == 0 {
			if err := tx.QueryRow(ctx, "select takes_revision + 1 from productions where id = $1", from.Production).Scan(&revision); err != nil {
				return "", err
			}
		}
		channels := t.Channels
		if take != id {
			if channels = alike(from.Channels, t.Channels, f.Channels); channels == nil {
				return name, nil
			}
		}
		f.Treatments = chain.WithTreatment(f.Treatments, chain.Treatment{Channels: channels, Steps: t.Steps, Off: t.Off, Revision: revision})
		return name, nil
	})
}

// microphones names channels of the take.
func (t Take) microphones(channels []int) string {
	var names []string
	for _, c := range channels {
		if name := t.Channels[c].Name; name != "" {
			names = append(names, name)
		} else {
			names = append(names, fmt.Sprintf("channel %d", c+1))
		}
	}
	return strings.Join(names, ", ")
}

// alike finds the microphones of some channels among others: nil where they are not all there.
func alike(of []Channel, channels []int, among []Channel) (found []int) {
	for _, c := range channels {
		at := -1
		if name := of[c].Name; name != "" {
			at = slices.IndexFunc(among, func(x Channel) bool { return x.Name == name })
		} else if len(of) == len(among) && among[c].Name == "" {
			at = c
		}
		if at < 0 || slices.Contains(found, at) {
			return nil
		}
		found = append(found, at)
	}
	slices.Sort(found)
	return found
}

// retreated gives a new revision to each reel that has a take on it whose treatments are others than they were: it sounds otherwise, and whatever
// was worked out of it is of before.
func retreated(ctx context.Context, tx pgx.Tx, author string, edits []takeEdit) error {
	var takes []string
	name := ""
	for _, e := range edits {
		if !reflect.DeepEqual(e.before.Treatments, e.after.Treatments) {
			takes = append(takes, e.id)
			if name == "" {
				name = e.name
			}
		}
	}
	if len(takes) == 0 {
		return nil
	}
	if name == "" {
		name = "treatment as it was"
	}
	_, err := tx.Exec(ctx, `with mine as (select id from reels where id in (select reel_id from reel_uses where take_id = any($1::uuid[])) order by id for update),
		next as (update reels r set revision = r.revision + 1 from mine where r.id = mine.id returning r.id, r.revision),
		logged as (insert into reel_log (reel_id, revision, kind, name, change, author) select id, revision, 'treat', $2, $3, $4 from next)
		select pg_notify($5, 'reel ' || id || ' ' || revision) from next`, takes, name, reel.Change{}, author, changedChannel)
	return err
}

// treatments are those of the takes of a production at a revision of them, by take; nil where there are none.
type treatments struct {
	revision int64
	of       map[string][]chain.Treatment
}

// treatmentsIn gives the treatments of the takes of a production as they are now. They are kept until takes are edited, as reels are opened often.
func (s *Store) treatmentsIn(ctx context.Context, q querier, production string) (map[string][]chain.Treatment, error) {
	now := treatments{}
	if err := q.QueryRow(ctx, "select takes_revision from productions where id = $1", production).Scan(&now.revision); err != nil {
		return nil, notFound(err, "production")
	}
	s.mu.Lock()
	kept, there := s.treated[production]
	s.mu.Unlock()
	if there && kept.revision == now.revision {
		return kept.of, nil
	}
	var err error
	if now.of, err = readTreatments(ctx, q, production); err != nil {
		return nil, err
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.treated[production].revision <= now.revision {
		s.treated[production] = now
	}
	return now.of, nil
}

func readTreatments(ctx context.Context, q querier, production string) (all map[string][]chain.Treatment, err error) {
	rows, err := q.Query(ctx, "select id::text, treatments from takes where production_id = $1 and treatments is not null", production)
	if err != nil {
		return nil, err
	}
	var id string
	var list []chain.Treatment
	_, err = pgx.ForEachRow(rows, []any{&id, &list}, func() error {
		if all == nil {
			all = map[string][]chain.Treatment{}
		}
		all[id], list = list, nil
		return nil
	})
	return all, err
}

// as gives a reel with treatments of takes; the reel itself stays as it is.
func as(r *reel.Reel, treatments map[string][]chain.Treatment) *reel.Reel {
	out := *r
	out.Treatments = treatments
	return &out
}
