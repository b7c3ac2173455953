package jobs

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"

	"zestyloom/core/cutlist"
	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/core/take"
	"zestyloom/internal/media"
	"zestyloom/internal/store"
)

// listNames says how a reel's list is called in history and what its file's name ends in.
var listNames = map[string]string{"edl": "CMX 3600 list", "otio": "OpenTimelineIO", "adl": "AES31-3 list"}

type listArgs struct {
	Reel   string `json:"reel"`
	Format string `json:"format"`
}

// WriteList queues the writing of a reel as a cut list (edl, otio or adl), with the takes that it names beside it.
func (r *Runner) WriteList(ctx context.Context, o store.OpenReel, format string) (string, error) {
	name, ok := listNames[format]
	if !ok {
		return "", fault.New(fault.BadInput, "Cut lists are written as edl, otio or adl, not %q", format)
	}
	if len(o.Reel.Clips) == 0 {
		return "", fault.New(fault.BadInput, "There is no clip on %s to list", o.Name)
	}
	return r.add(ctx, o.Production, "list", o.Name+" as "+name, listArgs{o.ID, format}, nil)
}

// list writes the audio first, so that the list names files that are there. A take that can't be written is left out of
// the list and said.
func (r *Runner) list(ctx context.Context, w store.Work) (message string, err error) {
	var args listArgs
	if err := json.Unmarshal(w.Args, &args); err != nil {
		return "", err
	}
	o, err := r.Store.Reel(ctx, args.Reel)
	if err != nil {
		return "", err
	}
	rate := o.Reel.Head.SampleRate
	used := map[string]bool{}
	for _, c := range o.Reel.Clips {
		used[c.Take] = true
	}
	ids := slices.Sorted(maps.Keys(used))
	var report []store.Outcome
	audio := map[string]cutlist.Audio{}
	for i, id := range ids {
		progress := r.progress(ctx, w.ID, float64(i)/float64(len(ids)+1), float64(i+1)/float64(len(ids)+1))
		out := store.Outcome{Take: id, Title: id, Files: []store.WrittenFile{}}
		t, err := r.Store.Take(ctx, id)
		if err == nil {
			out.Title = t.Title()
			if out.Files, err = r.writeFiles(ctx, w, t, Settings{All: true}, report, progress); err == nil {
				d := t.Description
				a := cutlist.Audio{File: out.Files[0].Name, Title: t.Title(), Roll: d.Roll, Scene: d.Scene, Take: d.Take, Frames: d.Frames}
				if d.StartSamples != nil {
					a.From = *d.StartSamples
				}
				audio[id] = a
				out.OK = true
			}
		}
		switch {
		case ctx.Err() != nil:
			return "", ctx.Err()
		case fault.KindOf(err) == fault.NoSpace:
			return "", err
		case err != nil:
			out.Message, out.Files = sentence(err), []store.WrittenFile{}
		}
		report = append(report, out)
		if err := r.Store.SetOutcomes(ctx, w.ID, report); err != nil {
			return "", err
		}
	}
	if len(audio) == 0 {
		return "", fault.New(fault.Damaged, "None of the reel's takes could be written: %s", report[0].Message)
	}
	text, notes, err := listOf(o.Reel, args.Format, audio, rate)
	if err != nil {
		return "", err
	}
	name := take.FileSafe(o.Name) + "." + args.Format
	file, err := r.Media.Create(BatchKey(w.ID, name))
	if err != nil {
		return "", err
	}
	defer file.Close()
	if _, err := file.Write(text); err != nil {
		return "", media.Explain(err)
	}
	if err := file.Sync(); err != nil {
		return "", media.Explain(err)
	}
	report = slices.Insert(report, 0, store.Outcome{Title: name, OK: true, Files: []store.WrittenFile{{Name: name, Size: int64(len(text)), Tracks: []string{}}}})
	return strings.Join(notes, ". "), r.Store.SetOutcomes(ctx, w.ID, report)
}

// listOf writes a reel in a format, with notes on what that can't carry.
func listOf(r *reel.Reel, format string, audio map[string]cutlist.Audio, rate int) (text []byte, notes []string, err error) {
	var out bytes.Buffer
	l := cutlist.Of(r, audio)
	notes = l.Notes
	switch format {
	case "edl":
		// A CMX 3600 list has no tracks for all microphones of a take: one event stands for them.
		l.Events = l.Spoken()
		for i := range l.Events {
			l.Events[i].Fade = 0
		}
		var off int
		if off, err = cutlist.WriteEDL(&out, l, rate); off > 0 {
			notes = append([]string{fmt.Sprintf("%d of the events do not lie on frames, and this list counts in frames", off)}, notes...)
		}
	case "otio":
		err = cutlist.WriteOTIO(&out, l, rate)
	default:
		err = cutlist.WriteADL(&out, r, audio)
	}
	return out.Bytes(), notes, err
}
