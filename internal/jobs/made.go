package jobs

import (
	"context"
	"maps"
	"slices"
	"time"

	"zestyloom/core/delivery"
	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/internal/library"
	"zestyloom/internal/media"
	"zestyloom/internal/store"
)

// records knows what of a print has been made before, by this print or another, and keeps what is made now.
type records struct {
	*attempt
	plan   delivery.Plan
	prints map[string]string         // fingerprints by the name of a part or file; none where it has none
	whole  map[string]delivery.Whole // what was made before, by name
	when   map[string]time.Time      // it was
	linked int64                     // bytes of that
}

// recordsOf works out what the parts of a print are, and lays those where they belong that are there already.
func (a *attempt) recordsOf(ctx context.Context, p delivery.Plan, laid *reel.Reel, session *library.Session, made *making) (*records,
	error) {
	r := &records{attempt: a, plan: p, prints: map[string]string{}, whole: map[string]delivery.Whole{}, when: map[string]time.Time{}}
	for _, part := range p.Parts() {
		print, err := p.Fingerprint(part, laid, session.Sound)
		if err != nil {
			return nil, err
		}
		if print != "" {
			r.prints[part.Name] = print
		}
	}
	for _, part := range p.Parts() {
		if err := r.take(ctx, part.Name, made); err != nil {
			return nil, err
		}
	}
	return r, nil
}

// take lays a file where it belongs, if one like it has been made before and still is what it was.
func (r *records) take(ctx context.Context, name string, made *making) error {
	print := r.prints[name]
	if _, there := r.whole[name]; print == "" || there {
		return nil
	}
	found, err := r.Store.MadeBefore(ctx, []string{print})
	if err != nil {
		return err
	}
	for _, m := range found {
		if err := r.Media.Copy(ctx, m.Key, r.staged(name)); err != nil {
			if fault.KindOf(err) == fault.NoSpace || ctx.Err() != nil {
				return err
			}
			continue // it is gone: then it is made again
		}
		if sum, err := r.sum(ctx, r.staged(name)); err != nil || sum != m.SHA256 {
			r.Log.Warn("a file that was printed is no longer what it was, so it is made again", "file", m.Key, "error", err)
			if err := r.Media.RemoveAll(r.staged(name)); err != nil {
				return err
			}
			continue
		}
		made.names = append(made.names, name)
		r.whole[name] = delivery.Whole{SHA256: m.SHA256, When: m.MadeAt.Format("on 2006-01-02 at 15:04"), Groups: m.Groups}
		r.when[name], r.linked = m.MadeAt, r.linked+m.Size
		return nil
	}
	return ctx.Err()
}

// takeMovie does the same for what is put together of parts that are there by now.
func (r *records) takeMovie(ctx context.Context, m delivery.Muxing, picture string, made *making) error {
	var parts []string
	for _, name := range m.Parts {
		parts = append(parts, r.prints[name])
	}
	print, err := m.Fingerprint(parts, picture)
	if err != nil || print == "" {
		return err
	}
	r.prints[m.File.Name] = print
	return r.take(ctx, m.File.Name, made)
}

func (r *records) sum(ctx context.Context, key string) (string, error) {
	f, _, err := r.Media.Open(key)
	if err != nil {
		return "", err
	}
	defer f.Close()
	return media.Hash(ctx, f)
}

// keep has what is written whole stay for another attempt, should this one not come to its end. Where nothing long follows,
// that is not worth its while.
func (r *records) keep(ctx context.Context, names []string, groups map[string]delivery.Made) error {
	var kept []store.Made
	for _, name := range names {
		print := r.prints[name]
		if _, before := r.whole[name]; before || print == "" {
			continue
		}
		sum, err := r.sum(ctx, r.staged(name))
		if err != nil {
			return err
		}
		info, err := r.Media.Stat(r.staged(name))
		if err != nil {
			return err
		}
		key := store.KeptFolder(r.ID) + "/" + print
		if err := r.Media.Link(r.staged(name), key); err != nil {
			r.Log.Warn("what was printed could not be kept for another attempt", "file", name, "error", err)
			continue
		}
		kept = append(kept, store.Made{Fingerprint: print, Key: key, Size: info.Size(), SHA256: sum, Groups: groups, MadeAt: time.Now()})
	}
	if len(kept) == 0 {
		return nil
	}
	return r.Store.KeepMade(ctx, r.claim, kept)
}

// long tells whether a print goes on for long after some of its files are whole.
func (r *records) long() bool {
	return len(r.plan.Ranges) > 1 || r.plan.Movie()
}

// published gives what the files of a finished print are, for those that come after it.
func (r *records) published(folder string, report delivery.Report, printed delivery.Printed) (made []store.Made) {
	seen := map[string]bool{}
	for i, f := range r.plan.Files {
		print := r.prints[f.Name]
		at := slices.IndexFunc(report.Files, func(d delivery.DeliveredFile) bool { return d.Name == f.Name })
		if print == "" || seen[print] || at < 0 {
			continue
		}
		seen[print] = true
		when, before := r.when[f.Name]
		if !before {
			when = time.Now()
		}
		groups := r.whole[f.Name].Groups
		if len(printed.Groups) > 0 { // it was rendered, or measured again
			groups = groupsOf(r.plan, i, printed)
		}
		made = append(made, store.Made{Fingerprint: print, Key: folder + "/" + f.Name, Size: report.Files[at].Size,
			SHA256: report.Files[at].SHA256, Groups: groups, MadeAt: when})
	}
	return made
}

// groupsOf gives what was measured of the groups in a file, while it was printed.
func groupsOf(p delivery.Plan, file int, printed delivery.Printed) map[string]delivery.Made {
	groups := maps.Clone(printed.Groups[p.Files[file].Range])
	maps.DeleteFunc(groups, func(id string, _ delivery.Made) bool { return !slices.Contains(p.Files[file].Groups, id) })
	return groups
}
