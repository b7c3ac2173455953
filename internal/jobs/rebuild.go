package jobs

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"zestyloom/core/fault"
	"zestyloom/core/timecode"
	"zestyloom/internal/library"
	"zestyloom/internal/media"
	"zestyloom/internal/store"
)

// publishTakes gives the files of an attempt their final place, with a note of what they are.
func (a *attempt) publishTakes(ctx context.Context, folder string, takes ...store.Take) error {
	p, err := a.Store.Production(ctx, a.Production)
	if err != nil {
		return err
	}
	if err := a.Library.WriteNote(a.staging(), library.NoteOf(p, takes)); err != nil {
		return err
	}
	return a.Media.Publish(a.staging(), folder)
}

// noteAll writes the notes of takes that came in before there were notes.
func (r *Runner) noteAll(ctx context.Context) error {
	productions, err := r.Store.Productions(ctx)
	if err != nil {
		return err
	}
	for _, p := range productions {
		folders, err := r.Store.MediaOf(ctx, p.ID)
		if err != nil {
			return err
		}
		for _, folder := range folders {
			if r.Library.Noted(folder) {
				continue
			}
			takes, err := r.Store.TakesIn(ctx, p.ID, folder)
			if err != nil {
				return err
			}
			if err := r.Library.WriteNote(folder, library.NoteOf(p, takes)); err != nil && fault.KindOf(err) != fault.Stale {
				return err
			}
		}
	}
	return nil
}

// Rebuilt is what came of bringing takes back.
type Rebuilt struct {
	Productions int      `json:"productions"` // that were made for them
	Takes       int      `json:"takes"`       // that were brought back
	Bytes       int64    `json:"bytes"`       // of their sound
	Verified    int      `json:"verified"`    // whose sound is, byte for byte, what came in
	Left        []string `json:"left"`        // folders that were left as they are, and why
}

// Rebuild brings back takes that lie in the folder of media and that the database does not know, by the notes beside them; trash too,
// where that is asked for. A folder without a note is taken in anew, as a file of a production called after today, once the server
// runs. Done again, it does nothing.
func (r *Runner) Rebuild(ctx context.Context, trash bool, progress func(float64)) (out Rebuilt, err error) {
	out.Left = []string{}
	if trash {
		if err := r.emptyIntoSources(); err != nil {
			return out, err
		}
	}
	ids, err := r.Media.List("sources")
	if err != nil {
		return out, err
	}
	needed, err := r.Store.NeededMedia(ctx)
	if err != nil {
		return out, err
	}
	slices.Sort(ids)
	made := map[string]bool{}
	for i, id := range ids {
		progress(float64(i) / float64(len(ids)))
		folder := "sources/" + id
		if needed.Needs(folder) {
			continue
		}
		takes, bytes, err := r.bringBack(ctx, folder, made)
		if ctx.Err() != nil {
			return out, ctx.Err()
		}
		if err != nil {
			out.Left = append(out.Left, folder+": "+sentence(err))
			continue
		}
		out.Takes, out.Verified, out.Bytes = out.Takes+takes, out.Verified+takes, out.Bytes+bytes
	}
	out.Productions = len(slices.Collect(maps.Keys(made)))
	return out, nil
}

// bringBack stores the takes of one folder; made are the productions that were made.
func (r *Runner) bringBack(ctx context.Context, folder string, made map[string]bool) (takes int, bytes int64, err error) {
	n, err := r.Library.ReadNote(ctx, folder)
	if fault.KindOf(err) == fault.NotFound {
		return 0, 0, r.takeInAgain(ctx, folder, made)
	}
	if err != nil {
		return 0, 0, err
	}
	production, fresh, err := r.Store.ProductionFor(ctx, n.Production.ID, n.Production.Name, n.Production.FrameRate)
	if err != nil {
		return 0, 0, err
	}
	if fresh {
		made[production] = true
	}
	list := n.Of(production, folder)
	for _, t := range list {
		if t.SoundKey == "" {
			continue
		}
		size, err := r.sameSound(ctx, t)
		if err != nil {
			return 0, 0, err
		}
		bytes += size
	}
	ids, err := r.Store.BringBack(ctx, list)
	if err != nil {
		return 0, 0, err
	}
	for i, id := range ids {
		if len(list[i].Channels) > 0 {
			if _, err := r.Diagnose(ctx, production, id); err != nil {
				return 0, 0, err
			}
		}
	}
	return len(ids), bytes, nil
}

// sameSound reads a take's sound and holds it against what was noted.
func (r *Runner) sameSound(ctx context.Context, t store.Take) (int64, error) {
	f, size, err := r.Media.Open(t.SoundKey)
	if err != nil {
		return 0, err
	}
	defer f.Close()
	sum, err := media.Hash(ctx, f)
	switch {
	case err != nil:
		return 0, err
	case t.Sound != nil && (size != t.Sound.Size || sum != t.Sound.SHA256):
		return 0, fault.New(fault.Damaged, "%s is not what it was when it came in", t.FileName)
	}
	return size, nil
}

// takeInAgain queues a file of which nothing is noted.
func (r *Runner) takeInAgain(ctx context.Context, folder string, made map[string]bool) error {
	names, err := r.Media.List(folder)
	if err != nil {
		return err
	}
	at := slices.IndexFunc(names, func(n string) bool { return strings.HasPrefix(n, "source.") })
	if at < 0 {
		return fault.New(fault.NotFound, "No recording lies in it")
	}
	production, fresh, err := r.Store.ProductionFor(ctx, "", "Found again "+time.Now().UTC().Format(time.DateOnly), timecode.Rate{Num: 25,
		Den: 1})
	if err != nil {
		return err
	}
	if fresh {
		made[production] = true
	}
	_, err = r.add(ctx, production, "import", names[at], importArgs{Media: folder + "/" + names[at], Name: names[at]}, nil)
	return err
}

// emptyIntoSources puts takes in the trash back where they were.
func (r *Runner) emptyIntoSources() error {
	days, err := r.Media.List(trashFolder)
	if err != nil {
		return err
	}
	for _, day := range days {
		from := fmt.Sprintf("%s/%s/sources", trashFolder, day)
		names, err := r.Media.List(from)
		if err != nil {
			return err
		}
		for _, name := range names {
			if err := r.Media.Publish(from+"/"+name, "sources/"+name); err != nil && fault.KindOf(err) != fault.Stale {
				return err
			}
		}
	}
	return nil
}
