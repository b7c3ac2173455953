package jobs

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"path"
	"slices"
	"strings"

	"zestyloom/core/fault"
	"zestyloom/core/take"
	"zestyloom/core/unravel"
	"zestyloom/core/wave"
	"zestyloom/internal/media"
	"zestyloom/internal/store"
)

// Settings say what a batch writes of each take.
type Settings struct {
	// All writes every channel; else only those that unravel takes, and in a ply also those that are silent or copies.
	All bool `json:"all"`
	// Singly writes a file for each channel even where channels are read together.
	Singly bool `json:"singly"`
}

type batchArgs struct {
	Takes    []string `json:"takes"`
	Settings Settings `json:"settings"`
}

// Batch queues the writing of files of takes. kind is unravel (a file for each part) or ply (one for each take).
func (r *Runner) Batch(ctx context.Context, production, kind string, takes []string, s Settings) (string, error) {
	if len(takes) == 0 {
		return "", fault.New(fault.BadInput, "Choose one take or more")
	}
	if err := r.Store.AnyTakes(ctx, production, takes); err != nil {
		return "", err
	}
	title := map[string]string{"unravel": "Unravel", "ply": "Ply"}[kind]
	n := fmt.Sprintf("%d takes", len(takes))
	if len(takes) == 1 {
		n = "1 take"
	}
	return r.add(ctx, production, kind, title+" "+n+" to files", batchArgs{takes, s}, nil)
}

// batchFolder is the key under which the files of a batch lie, a folder for each take.
func batchFolder(work string) string { return "batches/" + work }

// batch writes the files of each take in turn. One that fails does not stop the others; what is done is noted as it is
// done, so that interrupted work goes on where it was.
func (a *attempt) batch(ctx context.Context) (end store.End, err error) {
	var args batchArgs
	if err := json.Unmarshal(a.Args, &args); err != nil {
		return end, err
	}
	// A try that was stopped and begins again does what failed anew.
	report := slices.DeleteFunc(a.Report, func(o store.Outcome) bool { return !o.OK })
	report, err = a.eachTake(ctx, args.Takes, report, 0, 1, func(t store.Take, report []store.Outcome,
		progress func(float64)) (o store.Outcome, err error) {
		if t.Production != a.Production {
			return o, fault.New(fault.NotFound, "The take is no longer in this production")
		}
		return a.writeFiles(ctx, t, args.Settings, report, progress)
	})
	if err != nil {
		return end, err
	}
	return undone(report), nil
}

// undone is the end of work on takes, of which some may not have been done.
func undone(report []store.Outcome) (end store.End) {
	failed := 0
	for _, o := range report {
		if !o.OK {
			failed++
		}
	}
	if failed > 0 {
		return said("%d of %d takes could not be done", failed, len(report))
	}
	return end
}

// namesOf gives the names of the files that were written before, in small letters.
func namesOf(before []store.Outcome) map[string]bool {
	taken := map[string]bool{}
	for _, o := range before {
		for _, f := range o.Files {
			taken[strings.ToLower(f.Name)] = true
		}
	}
	return taken
}

// eachTake does something to each take that the report does not have yet, and notes what became of it. It ends where the
// others would fail alike: on a full disk, or where the attempt is over. It is the stretch of the whole from from to to.
func (a *attempt) eachTake(ctx context.Context, takes []string, report []store.Outcome, from, to float64,
	do func(t store.Take, report []store.Outcome, progress func(float64)) (store.Outcome, error)) ([]store.Outcome, error) {
	for i, id := range takes {
		if slices.ContainsFunc(report, func(o store.Outcome) bool { return o.Take == id }) {
			continue
		}
		progress := a.progress(ctx, from+(to-from)*float64(i)/float64(len(takes)), from+(to-from)*float64(i+1)/float64(len(takes)))
		progress(0)
		var o store.Outcome
		t, err := a.Store.Take(ctx, id)
		if err == nil {
			o, err = do(t, report, progress)
		}
		if o.Take, o.Title = id, id; t.ID != "" {
			o.Title = t.Title()
		}
		switch {
		case ctx.Err() != nil:
			return report, ctx.Err()
		case err != nil && (fault.KindOf(err) == fault.NoSpace || store.Unavailable(err)):
			return report, err
		case err != nil:
			o.OK, o.Message, o.Files, o.Folder = false, sentence(err), nil, ""
		}
		if o.Files == nil {
			o.Files = []store.WrittenFile{}
		}
		report = append(report, o)
		if err := persist(ctx, func() error { return a.Store.SetOutcomes(ctx, a.claim, report) }); err != nil {
			return report, err
		}
	}
	return report, nil
}

// writeFiles writes the files of one take. They get their names together, when all of them are whole.
func (a *attempt) writeFiles(ctx context.Context, t store.Take, s Settings, before []store.Outcome,
	progress func(float64)) (o store.Outcome, err error) {
	parts, names, err := partsOf(t, a.Kind, s)
	if err != nil {
		return o, err
	}
	session := a.Library.Session(ctx)
	defer session.Close()
	src, err := session.OpenTake(t)
	if err != nil {
		return o, err
	}
	if err := a.Room(src.Frames * int64(src.FrameBytes())); err != nil {
		return o, err
	}
	taken := namesOf(before)
	staging := a.staging() + "/" + t.ID
	defer func() {
		if err != nil {
			_ = a.Media.RemoveAll(staging)
		}
	}()
	for i, name := range names {
		names[i] = unique(name, taken)
	}
	if err := a.writeParts(ctx, src, t, parts, names, staging, progress); err != nil {
		return o, err
	}
	for i, p := range parts {
		info, err := a.Media.Stat(staging + "/" + names[i])
		if err != nil {
			return o, err
		}
		o.Files = append(o.Files, store.WrittenFile{Name: names[i], Size: info.Size(), Tracks: unravel.Names(p, t.Description)})
	}
	o.OK, o.Folder = true, batchFolder(a.ID)+"/"+a.claim.Token+"-"+t.ID
	return o, a.Media.Publish(staging, o.Folder)
}

func (a *attempt) writeParts(ctx context.Context, src *wave.File, t store.Take, parts []take.Part, names []string, folder string,
	progress func(float64)) error {
	var writers []io.Writer
	var files []media.File
	defer func() {
		for _, f := range files {
			f.Close()
		}
	}()
	for _, name := range names {
		f, err := a.Media.Create(folder + "/" + name)
		if err != nil {
			return err
		}
		files, writers = append(files, f), append(writers, f)
	}
	if err := unravel.Write(ctx, src, t.Description, parts, writers, progress); err != nil {
		return err
	}
	for _, f := range files {
		if err := f.Sync(); err != nil {
			return err
		}
	}
	return nil
}

// partsOf says what files a take becomes, and how they are called: by roll, scene, take and label.
func partsOf(t store.Take, kind string, s Settings) (parts []take.Part, names []string, err error) {
	wanted := func(c int) bool {
		ch := t.Channels[c]
		// A ply has the channels of its take in their places: what is silent or a copy goes only where somebody has said so.
		return s.All || ch.Unravelled || kind == "ply" && ch.On == nil && ch.Use != take.Mix
	}
	base := unravel.FileSafe(take.Bare(t.FileName))
	if d := t.Description; d.Scene != "" {
		base = d.Scene
		if d.Take != "" {
			base += "_T" + d.Take
		}
		if d.Roll != "" {
			base = d.Roll + "_" + base
		}
		base = unravel.FileSafe(base)
	}
	if kind != "unravel" {
		whole := take.Part{Name: base}
		for c := range t.Channels {
			if wanted(c) {
				whole.Channels, whole.Labels = append(whole.Channels, c), append(whole.Labels, fmt.Sprint(c+1))
			}
		}
		for _, set := range t.Sets {
			// A list names the channels by their numbers in the take, so beside one they stay in its order.
			if kind == "ply" && set.Kind == take.Bonded && len(set.Channels) == len(whole.Channels) && len(set.Channels) == len(t.Channels) {
				whole.Channels, whole.Labels = nil, set.Labels
				for _, c := range set.Channels {
					whole.Channels = append(whole.Channels, c-1)
				}
			}
		}
		if len(whole.Channels) == 0 {
			return nil, nil, fault.New(fault.BadInput, "No channel of it is on")
		}
		return []take.Part{whole}, []string{base + ".wav"}, nil
	}
	sets := t.Sets
	if s.Singly {
		sets = nil
	}
	all, err := take.Parts(t.Description, sets)
	if err != nil {
		return nil, nil, err
	}
	for _, p := range all {
		if slices.ContainsFunc(p.Channels, wanted) {
			parts = append(parts, p)
		}
	}
	if len(parts) == 0 {
		return nil, nil, fault.New(fault.BadInput, "No channel of it is on")
	}
	return parts, unravel.FileNames(base, parts), nil
}

// unique gives the name, or one with a number where it is taken already, and takes it.
func unique(name string, taken map[string]bool) string {
	base, end := strings.TrimSuffix(name, path.Ext(name)), path.Ext(name)
	for n := 2; taken[strings.ToLower(name)]; n++ {
		name = fmt.Sprintf("%s_%d%s", base, n, end)
	}
	taken[strings.ToLower(name)] = true
	return name
}
