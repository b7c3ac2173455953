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
	"zestyloom/core/unravel"
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
func (a *attempt) list(ctx context.Context) (end store.End, err error) {
	var args listArgs
	if err := json.Unmarshal(a.Args, &args); err != nil {
		return end, err
	}
	o, err := a.Store.Reel(ctx, args.Reel)
	if err != nil {
		return end, err
	}
	used := map[string]bool{}
	for _, c := range o.Reel.Clips {
		used[c.Take] = true
	}
	audio := map[string]cutlist.Audio{}
	report, err := a.eachTake(ctx, slices.Sorted(maps.Keys(used)), nil, 0, 0.95, func(t store.Take, report []store.Outcome,
		progress func(float64)) (store.Outcome, error) {
		written, err := a.writeFiles(ctx, t, Settings{All: true}, report, progress)
		if err == nil {
			audio[t.ID] = audioOf(t, written.Files[0].Name)
		}
		return written, err
	})
	if err != nil {
		return end, err
	}
	if len(audio) == 0 {
		return end, fault.New(fault.Damaged, "None of the reel's takes could be written: %s", report[0].Message)
	}
	text, notes, err := listOf(o.Reel, args.Format, audio, o.Reel.Head.SampleRate)
	if err != nil {
		return end, err
	}
	written, err := a.writeText(unravel.FileSafe(o.Name)+"."+args.Format, text)
	if err != nil {
		return end, err
	}
	report = slices.Insert(report, 0, written)
	return said("%s", strings.Join(notes, ". ")), persist(ctx, func() error { return a.Store.SetOutcomes(ctx, a.claim, report) })
}

func audioOf(t store.Take, file string) cutlist.Audio {
	d := t.Description
	a := cutlist.Audio{File: file, Title: t.Title(), Roll: d.Roll, Scene: d.Scene, Take: d.Take, Frames: d.Frames}
	if d.StartSamples != nil {
		a.From = *d.StartSamples
	}
	return a
}

// writeText writes a file of text among those of a batch.
func (a *attempt) writeText(name string, text []byte) (o store.Outcome, err error) {
	staging := a.staging() + "/text"
	file, err := a.Media.Create(staging + "/" + name)
	if err != nil {
		return o, err
	}
	defer file.Close()
	if _, err := file.Write(text); err != nil {
		return o, err
	}
	if err := file.Sync(); err != nil {
		return o, err
	}
	o = store.Outcome{Title: name, OK: true, Files: []store.WrittenFile{{Name: name, Size: int64(len(text)), Tracks: []string{}}},
		Folder: batchFolder(a.ID) + "/" + a.claim.Token + "-text"}
	return o, a.Media.Publish(staging, o.Folder)
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
