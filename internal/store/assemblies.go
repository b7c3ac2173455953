package store

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"github.com/jackc/pgx/v5"

	"zestyloom/core/convert"
	"zestyloom/core/fault"
	"zestyloom/core/gather"
	"zestyloom/core/overview"
	"zestyloom/core/take"
	"zestyloom/core/timecode"
)

// arrival is a file take as grouping sees it: what the file says, corrected by what the user has said of it.
func arrival(t Take) gather.Arrival {
	return gather.Arrival{ID: t.ID, Path: t.CameFrom, Description: t.Description}
}

// Gather joins the files of a production that surely belong together, and gives the IDs of the takes that came of it.
// Files that somebody took apart, or grouped by hand, are left as they are. A group that was made before the last of its
// files had arrived is made anew, unless it has been worked on.
func (s *Store) Gather(ctx context.Context, production string) (made []string, err error) {
	all, err := allTakes(ctx, s.Pool, production)
	if err != nil {
		return nil, err
	}
	groups := map[string]Take{}
	for _, t := range all {
		if t.Assembly != nil {
			groups[t.ID] = t
		}
	}
	var files []gather.Arrival
	for _, t := range all {
		if t.Assembly != nil || t.Apart || t.Dissolved || t.Picture != nil || len(t.Channels) == 0 {
			continue
		}
		if t.PartOf != nil && groups[*t.PartOf].Assembly.fixed() {
			continue
		}
		files = append(files, arrival(t))
	}
	for _, f := range gather.Families(files) {
		if !f.Sure() {
			continue
		}
		id, err := s.join(ctx, production, Assembly{Family: f})
		if err != nil {
			return made, err
		}
		if id != "" {
			made = append(made, id)
		}
	}
	return made, nil
}

// fixed tells that the group is not to be made anew unasked.
func (a *Assembly) fixed() bool { return a == nil || a.ByHand || a.Conversion != nil }

// join makes a group of files by itself, without a step to undo: it was so when the user first saw it. It gives "" where
// there is nothing to do.
func (s *Store) join(ctx context.Context, production string, a Assembly) (id string, err error) {
	err = pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		// Two imports may end at once; the second finds what the first has joined.
		if err := lockTakes(ctx, tx, production); err != nil {
			return err
		}
		parts, err := lockParts(ctx, tx, production, a.Family.Files())
		if err != nil {
			return err
		}
		old := map[string]bool{}
		for _, p := range parts {
			if p.PartOf != nil {
				old[*p.PartOf] = true
			}
		}
		for group := range old {
			var members int
			var worked bool
			err := tx.QueryRow(ctx, `select (select count(*) from takes where part_of = $1), exists (select 1 from take_edits where take_id = $1)
				or exists (select 1 from reel_uses where take_id = $1) or exists (select 1 from take_parts where part_id = $1)`, group).Scan(&members, &worked)
			if err != nil {
				return err
			}
			if worked || len(old) > 1 || members == len(parts) {
				return nil // as it is, or somebody's work
			}
			if _, err := tx.Exec(ctx, "update takes set part_of = null where part_of = $1", group); err != nil {
				return err
			}
			if _, err := tx.Exec(ctx, "delete from takes where id = $1", group); err != nil {
				return err
			}
		}
		if id, err = insertGroup(ctx, tx, production, a, parts, false); err != nil {
			return err
		}
		_, err = tx.Exec(ctx, "update takes set part_of = $1 where id = any($2::uuid[])", id, a.Family.Files())
		return err
	})
	return id, err
}

// lockParts reads the takes that are to become one, in the order of ids.
func lockParts(ctx context.Context, tx pgx.Tx, production string, ids []string) ([]Take, error) {
	if _, err := tx.Exec(ctx, "select 1 from takes where id = any($1::uuid[]) order by id for update", ids); err != nil {
		return nil, notFound(err, "take")
	}
	found, err := takesBy(ctx, tx, "where t.id = any($1::uuid[]) and t.production_id = $2", ids, production)
	if err != nil {
		return nil, notFound(err, "take")
	}
	parts := make([]Take, 0, len(ids))
	for _, id := range ids {
		i := slices.IndexFunc(found, func(t Take) bool { return t.ID == id })
		if i < 0 {
			return nil, notFound(pgx.ErrNoRows, "take")
		}
		parts = append(parts, found[i])
	}
	return parts, nil
}

// insertGroup makes the row of a take that is made of others, its channels those of all lanes.
func insertGroup(ctx context.Context, tx pgx.Tx, production string, a Assembly, parts []Take, hidden bool) (id string, err error) {
	byID := map[string]Take{}
	for _, p := range parts {
		byID[p.ID] = p
	}
	var descriptions [][]take.Description
	var paths [][]string
	var channels []Channel
	size := int64(0)
	for _, lane := range a.Lanes {
		var d []take.Description
		var names []string
		for _, part := range lane {
			p := byID[part]
			d, names, size = append(d, p.Description), append(names, p.FileName), size+p.Size
		}
		descriptions, paths = append(descriptions, d), append(paths, names)
		channels = append(channels, byID[lane[0]].Channels...)
	}
	d := gather.Whole(descriptions, paths)
	d.Layout = a.Layout
	for i := range channels {
		c := &channels[i]
		c.Track = d.Tracks[i]
		c.FileName = c.Name
		c.Empty, c.Findings = c.Level.Empty(), nil
	}
	first := parts[0]
	a.Files = nil
	err = tx.QueryRow(ctx, `insert into takes (production_id, kind, file_name, came_from, media_key, size, description, channels, assembly, dissolved)
		values ($1, $2, $3, $4, '', $5, $6, $7, $8, $9) returning id::text`,
		production, first.Kind, groupName(parts, a), first.CameFrom, size, d, channels, a, hidden).Scan(&id)
	if err != nil {
		return "", err
	}
	_, err = tx.Exec(ctx, "insert into take_parts (whole_id, part_id) select $1, unnest($2::uuid[])", id, a.Family.Files())
	return id, err
}

// groupName is what a group is called that has no scene: what its files' names have in common.
func groupName(parts []Take, a Assembly) string {
	if len(parts) == 1 {
		return parts[0].FileName
	}
	common := parts[0].FileName
	for _, p := range parts[1:] {
		n := 0
		for n < min(len(common), len(p.FileName)) && common[n] == p.FileName[n] {
			n++
		}
		common = common[:n]
	}
	for len(common) > 0 && (common[len(common)-1] == '_' || common[len(common)-1] == ' ' || common[len(common)-1] == '.' ||
		common[len(common)-1] == '-') {
		common = common[:len(common)-1]
	}
	if common == "" {
		return parts[0].FileName
	}
	return common
}

// Assess says what speaks for and against takes being one.
func (s *Store) Assess(ctx context.Context, production string, ids []string) (gather.Family, error) {
	parts, err := s.filesOf(ctx, production, ids)
	if err != nil {
		return gather.Family{}, err
	}
	return gather.Assess(parts), nil
}

// filesOf gives takes as files to be grouped. Takes that are groups or movies can't be.
func (s *Store) filesOf(ctx context.Context, production string, ids []string) ([]gather.Arrival, error) {
	var files []gather.Arrival
	for i, id := range ids {
		if slices.Index(ids, id) != i { // named twice, it is one all the same
			continue
		}
		t, err := s.Take(ctx, id)
		if err != nil {
			return nil, err
		}
		switch {
		case t.Production != production:
			return nil, notFound(pgx.ErrNoRows, "take")
		case t.Assembly != nil:
			return nil, fault.New(fault.BadInput, "%s is made of several files already; take it apart first", t.Title())
		case t.PartOf != nil:
			return nil, fault.New(fault.BadInput, "%s belongs to another take already", t.FileName)
		case len(t.Channels) == 0:
			return nil, fault.New(fault.BadInput, "%s has no sound", t.FileName)
		}
		files = append(files, arrival(t))
	}
	return files, nil
}

// Group joins takes because the user says so, whatever speaks against it, as one step to undo. It is only refused where
// their sound can't be put together at all.
func (s *Store) Group(ctx context.Context, production, author string, ids []string) (id string, err error) {
	files, err := s.filesOf(ctx, production, ids)
	if err != nil {
		return "", err
	}
	if len(files) < 2 {
		return "", fault.New(fault.BadInput, "Choose two takes or more to group")
	}
	first := files[0].Description
	for _, f := range files[1:] {
		if d := f.Description; d.SampleRate != first.SampleRate || d.BitDepth != first.BitDepth || d.Encoding != first.Encoding {
			return "", fault.New(fault.BadInput, "%s has %d bit at %d Hz and %s %d bit at %d Hz; they can't become one take", files[0].Path,
				first.BitDepth, first.SampleRate, f.Path, d.BitDepth, d.SampleRate)
		}
	}
	a := Assembly{Family: gather.Assess(files), ByHand: true}
	return s.assemble(ctx, production, author, a, fmt.Sprintf("group %d files", len(files)))
}

// assemble makes a take of others, as one step to undo.
func (s *Store) assemble(ctx context.Context, production, author string, a Assembly, name string) (id string, err error) {
	err = pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		if err := lockTakes(ctx, tx, production); err != nil {
			return err
		}
		id, err = Once(ctx, tx, func() (id string, err error) {
			parts, err := lockParts(ctx, tx, production, a.Family.Files())
			if err != nil {
				return "", err
			}
			for _, p := range parts {
				if p.PartOf != nil || p.Dissolved {
					return "", fault.New(fault.Stale, "%s has become part of another take since; look at it and try again", p.FileName)
				}
			}
			// The group is made hidden and shown by the edit, so that undo hides it again.
			if id, err = insertGroup(ctx, tx, production, a, parts, true); err != nil {
				return "", err
			}
			return id, regroup(ctx, tx, production, author, id, a.Family.Files(), true, name)
		})
		return err
	})
	return id, err
}

// regroup shows or hides a group and hides or shows its parts, as one step to undo.
func regroup(ctx context.Context, tx pgx.Tx, production, author, group string, parts []string, together bool, name string) error {
	ids := append([]string{group}, parts...)
	found, err := fieldsOf(ctx, tx, production, ids)
	if err != nil {
		return err
	}
	var edits []takeEdit
	for _, id := range ids {
		f := found[id]
		before := f.clone()
		switch {
		case id == group:
			f.Dissolved = !together
		case together:
			f.PartOf, f.Apart = &group, false
		default:
			f.PartOf, f.Apart = nil, true
		}
		edits = append(edits, takeEdit{id, name, before, f})
	}
	return putStep(ctx, tx, production, author, edits)
}

// TakeApart gives the files of a group back as takes of their own, as one step to undo. Reels that use the group keep
// it.
func (s *Store) TakeApart(ctx context.Context, id, author string) error {
	t, err := s.Take(ctx, id)
	if err != nil {
		return err
	}
	if t.Assembly == nil {
		return fault.New(fault.BadInput, "%s is one file; there is nothing to take apart", t.Title())
	}
	return pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		if err := lockTakes(ctx, tx, t.Production); err != nil {
			return err
		}
		var dissolved bool
		if err := tx.QueryRow(ctx, "select dissolved from takes where id = $1 for update", id).Scan(&dissolved); err != nil {
			return err
		}
		if dissolved {
			return fault.New(fault.Stale, "%s has been taken apart already", t.Title())
		}
		return regroup(ctx, tx, t.Production, author, id, t.Assembly.Family.Files(), false,
			"take "+t.Title()+" apart")
	})
}

// Converted is what resampling a take gave.
type Converted struct {
	Conversion   convert.Conversion
	Frames       int64  // length of the result
	Media, Sound string // where its files lie
	Stored       Stored
	Levels       []overview.Level
}

// Of gives the take that comes of resampling another: what is said of that, at the new rate.
func (c Converted) Of(from Take) Take {
	made, to := from, c.Conversion
	d := &made.Description
	if to.SampleRate != 0 && d.StartSamples != nil {
		at := timecode.Convert(*d.StartSamples, d.SampleRate, to.SampleRate)
		d.StartSamples = &at
	}
	if to.SampleRate != 0 {
		d.SampleRate = to.SampleRate
	}
	d.Frames, d.Cues = c.Frames, nil
	made.Channels = slices.Clone(from.Channels)
	for i := range made.Channels {
		made.Channels[i].Level = c.Levels[i]
	}
	if made.Tie != nil && to.DriftPPM != 0 {
		right := *made.Tie
		right.DriftPPM = 0
		made.Tie = &right
	}
	made.MediaKey, made.SoundKey, made.Sound, made.Size, made.SHA256, made.Stream = c.Media, c.Sound, &c.Stored, c.Stored.Size, c.Stored.SHA256, 0
	made.Picture, made.CameFrom = nil, conversionWords(from, to)
	return made
}

// AddConverted stores a take that is another one resampled, in that one's place, as one step to undo, under the claim of
// the work that made it.
func (s *Store) AddConverted(ctx context.Context, claim Claim, author string, from Take, c Converted) (id string, err error) {
	a := Assembly{Family: gather.Family{Kind: gather.Resampled, Lanes: [][]string{{from.ID}},
		Why: []string{conversionWords(from, c.Conversion)}, Against: []string{}}, ByHand: true, Conversion: &c.Conversion}
	err = pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		if err := claim.hold(ctx, tx); err != nil {
			return err
		}
		err := tx.QueryRow(ctx, "select id::text from takes where work_id = $1", claim.Work).Scan(&id)
		if !errors.Is(err, pgx.ErrNoRows) {
			return err // it has been stored, and the answer was lost
		}
		if err := lockTakes(ctx, tx, from.Production); err != nil {
			return err
		}
		parts, err := lockParts(ctx, tx, from.Production, []string{from.ID})
		if err != nil {
			return err
		}
		if parts[0].PartOf != nil || parts[0].Dissolved {
			return fault.New(fault.Stale, "%s has become part of another take since; look at it and try again", from.Title())
		}
		if id, err = insertGroup(ctx, tx, from.Production, a, parts, true); err != nil {
			return err
		}
		made := c.Of(from)
		_, err = tx.Exec(ctx, `update takes set description = $2, channels = $3, sets = $4, tie = $5, media_key = $6, sound_key = $7, sound = $8, size = $9, work_id = $10,
			findings = (select findings from takes where id = $11) where id = $1`,
			id, made.Description, made.Channels, made.Sets, made.Tie, made.MediaKey, made.SoundKey, made.Sound, made.Size, claim.Work, from.ID)
		if err != nil {
			return err
		}
		return regroup(ctx, tx, from.Production, author, id, []string{from.ID}, true, "resample "+from.Title())
	})
	return id, err
}

func conversionWords(from Take, c convert.Conversion) string {
	if c.DriftPPM != 0 {
		return fmt.Sprintf("Resampled to undo a drift of %.2f ppm", c.DriftPPM)
	}
	return fmt.Sprintf("Resampled from %d to %d Hz", from.Description.SampleRate, c.SampleRate)
}
