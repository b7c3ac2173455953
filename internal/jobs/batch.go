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
	"zestyloom/internal/media"
	"zestyloom/internal/store"
)

// Settings say what a batch writes of each take.
type Settings struct {
	// All writes every channel; else only those that unravel takes.
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
	title := map[string]string{"unravel": "Unravel", "ply": "Ply"}[kind]
	n := fmt.Sprintf("%d takes", len(takes))
	if len(takes) == 1 {
		n = "1 take"
	}
	return r.add(ctx, production, kind, title+" "+n+" to files", batchArgs{takes, s}, nil)
}

// batchFolder is the key under which the files of a batch lie.
func batchFolder(work string) string { return "batches/" + work }

// BatchKey is where a file of a batch lies.
func BatchKey(work, name string) string { return batchFolder(work) + "/" + name }

// batch writes the files of each take in turn. One that fails does not stop the others; what is done is noted as it is
// done, so that interrupted work goes on where it was.
func (r *Runner) batch(ctx context.Context, w store.Work) (message string, err error) {
	var args batchArgs
	if err := json.Unmarshal(w.Args, &args); err != nil {
		return "", err
	}
	// A try that was stopped and begins again does what failed anew.
	report := slices.DeleteFunc(w.Report, func(o store.Outcome) bool { return !o.OK })
	for i, id := range args.Takes {
		if slices.ContainsFunc(report, func(o store.Outcome) bool { return o.Take == id }) {
			continue
		}
		progress := r.progress(ctx, w.ID, float64(i)/float64(len(args.Takes)), float64(i+1)/float64(len(args.Takes)))
		progress(0)
		o := store.Outcome{Take: id, Title: id, Files: []store.WrittenFile{}}
		t, err := r.Store.Take(ctx, id)
		if err == nil && t.Production != w.Production {
			err = fault.New(fault.NotFound, "The take is no longer in this production")
		}
		if err == nil {
			o.Title = t.Title()
			o.Files, err = r.writeFiles(ctx, w, t, args.Settings, report, progress)
		}
		switch {
		case ctx.Err() != nil:
			return "", ctx.Err()
		case fault.KindOf(err) == fault.NoSpace:
			return "", err // the others would fail alike
		case err != nil:
			o.Message, o.Files = sentence(err), []store.WrittenFile{}
		default:
			o.OK = true
		}
		report = append(report, o)
		if err := r.Store.SetOutcomes(ctx, w.ID, report); err != nil {
			return "", err
		}
	}
	failed := 0
	for _, o := range report {
		if !o.OK {
			failed++
		}
	}
	if failed > 0 {
		return fmt.Sprintf("%d of %d takes could not be done", failed, len(report)), nil
	}
	return "", nil
}

// writeFiles writes the files of one take. They get their names only when all of them are whole.
func (r *Runner) writeFiles(ctx context.Context, w store.Work, t store.Take, s Settings, before []store.Outcome, progress func(float64)) (written []store.WrittenFile, err error) {
	parts, names, err := partsOf(t, w.Kind, s)
	if err != nil {
		return nil, err
	}
	session := r.Library.Session(ctx)
	defer session.Close()
	src, err := session.OpenTake(t)
	if err != nil {
		return nil, err
	}
	var writers []io.Writer
	var files []media.File
	temp := func(i int) string { return fmt.Sprintf("%s/.part.%s.%d", batchFolder(w.ID), t.ID, i) }
	defer func() {
		for i, f := range files {
			f.Close()
			if err != nil {
				_ = r.Media.RemoveAll(temp(i))
			}
		}
	}()
	for i := range parts {
		f, err := r.Media.Create(temp(i))
		if err != nil {
			return nil, err
		}
		files, writers = append(files, f), append(writers, f)
	}
	if err := take.Unravel(ctx, src, t.Description, parts, writers, progress); err != nil {
		return nil, err
	}
	taken := map[string]bool{}
	for _, o := range before {
		for _, f := range o.Files {
			taken[strings.ToLower(f.Name)] = true
		}
	}
	for i, p := range parts {
		if err := files[i].Sync(); err != nil {
			return nil, err
		}
		name := unique(names[i], taken)
		if err := r.Media.Rename(temp(i), BatchKey(w.ID, name)); err != nil {
			return nil, err
		}
		size, err := r.Media.Size(BatchKey(w.ID, name))
		if err != nil {
			return nil, err
		}
		written = append(written, store.WrittenFile{Name: name, Size: size, Tracks: p.Names(t.Description)})
	}
	return written, nil
}

// partsOf says what files a take becomes, and how they are called: by roll, scene, take and label.
func partsOf(t store.Take, kind string, s Settings) (parts []take.Part, names []string, err error) {
	wanted := func(c int) bool { return s.All || t.Channels[c].Unravelled }
	base := take.FileSafe(strings.TrimSuffix(t.FileName, path.Ext(t.FileName)))
	if d := t.Description; d.Scene != "" {
		base = d.Scene
		if d.Take != "" {
			base += "_T" + d.Take
		}
		if d.Roll != "" {
			base = d.Roll + "_" + base
		}
		base = take.FileSafe(base)
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
	return parts, take.FileNames(base, parts), nil
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
