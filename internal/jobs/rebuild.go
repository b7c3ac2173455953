package jobs

import (
	"context"
	"fmt"
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
	Verified    int      `json:"verified"`    // of them, whose sound is, byte for byte, what came in; of others that was not noted
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
		err := r.bringBack(ctx, folder, made, &out)
		if ctx.Err() != nil {
			return out, ctx.Err()
		}
		if err != nil {
			out.Left = append(out.Left, folder+": "+sentence(err))
		}
	}
	out.Productions = len(made)
	return out, nil
}

// bringBack stores the takes of one folder and counts them; made are the productions that were made.
func (r *Runner) bringBack(ctx context.Context, folder string, made map[string]bool, out *Rebuilt) error {
	n, err := r.Library.ReadNote(folder)
	if fault.KindOf(err) == fault.NotFound {
		return r.takeInAgain(ctx, folder, made)
	}
	if err != nil {
		return err
	}
	verified, bytes := 0, int64(0)
	list := n.Of("", folder)
	for _, t := range list { // before anything is made for them
		if t.SoundKey == "" {
			continue
		}
		size, err := r.sameSound(ctx, t)
		if err != nil {
			return err
		}
		if bytes += size; t.Sound != nil {
			verified++
		}
	}
	production, fresh, err := r.Store.ProductionFor(ctx, n.Production.ID, n.Production.Name, n.Production.FrameRate)
	if err != nil {
		return err
	}
	if fresh {
		made[production] = true
	}
	list = n.Of(production, folder)
	ids, err := r.Store.BringBack(ctx, list)
	if err != nil || len(ids) == 0 {
		return err
	}
	out.Takes, out.Verified, out.Bytes = out.Takes+len(ids), out.Verified+verified, out.Bytes+bytes
	for i, id := range ids {
		if len(list[i].Channels) == 0 {
			continue
		}
		if _, err := r.Diagnose(ctx, production, id); err != nil {
			return err
		}
	}
	return nil
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
