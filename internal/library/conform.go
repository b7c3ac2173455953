package library

import (
	"context"
	"fmt"
	"strings"

	"zestyloom/core/cutlist"
	"zestyloom/core/reel"
	"zestyloom/core/take"
	"zestyloom/core/timecode"
	"zestyloom/internal/store"
)

// Conform is a cut list that was read for a reel: what was found of it, and what it changes.
type Conform struct {
	store.Cut
	Differences []cutlist.Difference `json:"differences"` // to the list that the reel follows; none where it follows none
	laid        []cutlist.Entry      // what is to be laid: everything, or what is new in a changed list
	rearrange   *reel.Rearrange      // how work that is there moves; nil for a first list
	takes       map[string]reel.Source
}

// Conform reads a cut list for a reel. Nothing is changed.
func (l Library) Conform(ctx context.Context, o store.OpenReel, text string) (Conform, error) {
	head := o.Reel.Head
	list, err := cutlist.Read(strings.NewReader(text), head.FrameRate, head.SampleRate)
	if err != nil {
		return Conform{}, err
	}
	takes, err := l.Store.Takes(ctx, o.Production)
	if err != nil {
		return Conform{}, err
	}
	var sources, others []cutlist.Source // at the reel's rate, and at others, on the reel's clock
	rates := map[string]int{}
	for _, t := range takes {
		d := t.Description
		if len(t.Channels) == 0 || t.Settled() {
			continue
		}
		s := cutlist.Source{ID: t.ID, Title: t.Title(), File: t.FileName, Roll: d.Roll, Scene: d.Scene, Take: d.Take, Start: d.StartSamples,
			Frames: d.Frames, Camera: t.Kind == take.Camera}
		if t.Tie != nil {
			s.SyncTo, s.Later = t.Tie.Reference, t.Tie.Offset
		}
		if rates[t.ID] = d.SampleRate; d.SampleRate == head.SampleRate {
			sources = append(sources, s)
			continue
		}
		if s.Start != nil {
			start := timecode.Convert(*s.Start, d.SampleRate, head.SampleRate)
			s.Start = &start
		}
		s.Frames = timecode.Convert(s.Frames, d.SampleRate, head.SampleRate)
		others = append(others, s)
	}
	events, by := cutlist.Onto(list.Spoken(), head.Start, list.FrameRate, head.SampleRate)
	c := Conform{Cut: store.Cut{Title: list.Title, FrameRate: list.FrameRate, By: by, Notes: list.Notes,
		Entries: cutlist.Match(events, sources, head.FrameRate, head.SampleRate)}}
	if c.Notes == nil {
		c.Notes = []string{}
	}
	for i, other := range cutlist.Match(events, others, head.FrameRate, head.SampleRate) {
		if e := &c.Entries[i]; e.Found.Take == "" && other.Found.Take != "" {
			e.Found.Why = fmt.Sprintf("%s is at %d Hz and the reel at %d Hz: resample it under Takes, then read the list again", other.Found.Title,
				rates[other.Found.Take], head.SampleRate)
		}
	}
	stems, err := l.Store.Stems(ctx, o.Production)
	if err != nil {
		return Conform{}, err
	}
	c.takes = map[string]reel.Source{}
	for _, t := range takes {
		c.takes[t.ID] = t.Source(store.ReelStems(stems))
	}
	c.Differences, c.laid = []cutlist.Difference{}, c.Entries
	if head.CutList == "" {
		return c, nil
	}
	before, err := l.Store.CutList(ctx, head.CutList)
	if err != nil {
		return Conform{}, err
	}
	changes := cutlist.Compare(before.Entries, events, head.FrameRate, head.SampleRate)
	c.laid = cutlist.Match(changes.Fresh, sources, head.FrameRate, head.SampleRate)
	c.rearrange = &reel.Rearrange{Pieces: changes.Pieces, Gone: changes.Gone}
	c.Differences = changes.Differences
	return c, nil
}

// Follow lays a reel out by a cut list, or has the work on it follow a changed one, as one step.
func (l Library) Follow(ctx context.Context, o store.OpenReel, author, key, name, text string) (store.OpenReel, error) {
	c, err := l.Conform(ctx, o, text)
	if err != nil {
		return o, err
	}
	id, err := l.Store.AddCutList(ctx, o.Production, name, c.Cut)
	if err != nil {
		return o, err
	}
	if c.rearrange != nil {
		c.rearrange.CutList = id
	}
	title := c.Title
	if title == "" {
		title = name
	}
	build, err := cutlist.Build(c.laid, c.takes, c.rearrange, id, title)
	if err == nil {
		o, err = l.Store.DoOnce(ctx, key, o.ID, o.Revision, author, func(*reel.Reel) (reel.Command, error) { return build, nil })
	}
	if err != nil {
		_ = l.Store.RemoveCutList(context.WithoutCancel(ctx), id) // what stays is of no use, and does no harm
	}
	return o, err
}
