package main

import (
	"context"
	"fmt"
	"path"
	"slices"
	"time"

	"zestyloom/core/contract"
	"zestyloom/core/delivery"
	"zestyloom/core/reel"
	"zestyloom/core/take"
	"zestyloom/core/timecode"
	"zestyloom/demo"
	"zestyloom/internal/app"
	"zestyloom/internal/store"
)

// seed makes the demo's sound and its production, as far as they are not there: each file comes in as soon as it is made
// and by the same way as a user's, and the reel is built with the same commands.
func seed(ctx context.Context, a *app.App, scenario string) error {
	p, err := production(ctx, a)
	if err != nil {
		return err
	}
	reels, err := a.Store.Reels(ctx, p.ID)
	if err != nil {
		return err
	}
	list, err := a.Store.WorkList(ctx, p.ID, store.Page{Limit: 500, Before: time.Now().Add(time.Hour)})
	if err != nil {
		return err
	}
	came := map[string]bool{} // before this was interrupted
	for _, w := range list {
		came[w.Title] = true
	}
	err = demo.Generate(ctx, scenario, func(f demo.File) error {
		if len(reels) > 0 || came[path.Base(f.Path)] {
			return nil
		}
		_, err := a.Jobs.ImportCard(ctx, p.ID, f.Card, f.Path)
		return err
	})
	if err != nil {
		return fmt.Errorf("making the demo's sound: %w", err)
	}
	if len(reels) > 0 {
		return nil
	}
	if err := finished(ctx, a, p.ID); err != nil {
		return err
	}
	// The worker gathers files after it has said that their work is done; here nothing may be left of it.
	if err := a.Jobs.Gather(ctx, p.ID); err != nil {
		return err
	}
	if err := finished(ctx, a, p.ID); err != nil {
		return err
	}
	return layOut(ctx, a, p)
}

// production finds or makes the demo's own.
func production(ctx context.Context, a *app.App) (p store.Production, err error) {
	productions, err := a.Store.Productions(ctx)
	if err != nil {
		return p, err
	}
	for _, have := range productions {
		if have.Name == demo.Production {
			return have, nil
		}
	}
	if p, err = a.Store.CreateProduction(ctx, demo.Production, demo.FrameRate); err != nil {
		return p, err
	}
	return p, strands(ctx, a, p.ID)
}

// strands gives the production's stems the demo's characters and languages, and the rules that suggest them.
func strands(ctx context.Context, a *app.App, production string) error {
	stems, rules, err := a.Store.StemsAndRules(ctx, production)
	if err != nil {
		return err
	}
	var own []take.Rule
	for _, s := range demo.Strands {
		for i := range stems {
			if stems[i].ID == s.Stem {
				stems[i].Strands = append(stems[i].Strands, s.Name)
			}
		}
		own = append(own, take.Rule{Words: s.Words, Stem: s.Stem, Strand: s.Name})
	}
	return a.Store.SetStemsAndRules(ctx, production, stems, append(own, rules...))
}

// finished waits for the production's work.
func finished(ctx context.Context, a *app.App, production string) error {
	for {
		list, err := a.Store.WorkList(ctx, production, store.Page{Limit: 500, Before: time.Now().Add(time.Hour)})
		if err != nil {
			return err
		}
		waiting := false
		for _, w := range list {
			switch w.State {
			case "failed":
				return fmt.Errorf("%s: %s", w.Title, w.Message)
			case "queued", "running":
				waiting = true
			}
		}
		if !waiting {
			return nil
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(100 * time.Millisecond):
		}
	}
}

// layOut builds the demo's reels.
func layOut(ctx context.Context, a *app.App, p store.Production) error {
	takes, err := a.Store.Takes(ctx, p.ID)
	if err != nil {
		return err
	}
	byFile, ids := map[string]store.Take{}, map[string]string{}
	for _, t := range takes {
		byFile[t.FileName], ids[t.FileName] = t, t.ID
	}
	l, err := begin(ctx, a, p, demo.Reel, byFile)
	if err != nil {
		return err
	}
	if err := l.layAll(demo.Layout(), byFile); err != nil {
		return err
	}
	if err := l.follow(demo.CutList); err != nil {
		return err
	}
	if err := l.all(demo.Edits(ids)); err != nil {
		return err
	}
	if err := l.spec(demo.Spec); err != nil {
		return err
	}
	if err := l.settle(p.ID); err != nil {
		return err
	}
	if l, err = begin(ctx, a, p, demo.SurroundReel, byFile); err != nil {
		return err
	}
	if err := l.layAll(demo.SurroundLayout(), byFile); err != nil {
		return err
	}
	if err := l.spec(demo.Spec); err != nil {
		return err
	}
	if err := l.all(demo.SurroundEdits()); err != nil {
		return err
	}
	if l, err = begin(ctx, a, p, demo.PromoReel, byFile); err != nil {
		return err
	}
	if err := l.layAll(demo.PromoLayout(), byFile); err != nil {
		return err
	}
	if err := l.spec(demo.Spec); err != nil {
		return err
	}
	if err := l.all(demo.PromoEdits()); err != nil {
		return err
	}
	return episode(ctx, a, p, byFile)
}

// episode builds the dense reel.
func episode(ctx context.Context, a *app.App, p store.Production, byFile map[string]store.Take) error {
	l, err := begin(ctx, a, p, demo.EpisodeReel, byFile)
	if err != nil {
		return err
	}
	takes := map[string]demo.EpisodeTake{}
	for _, file := range demo.EpisodeFiles() {
		t, ok := byFile[file]
		if !ok {
			return fmt.Errorf("the demo has no take %s", file)
		}
		takes[file] = demo.EpisodeTake{ID: t.ID, Frames: t.Description.Frames}
	}
	return l.all(demo.EpisodeEdits(takes))
}

// begin makes an empty reel to the demo's picture.
func begin(ctx context.Context, a *app.App, p store.Production, name string, byFile map[string]store.Take) (*laying, error) {
	reading, err := p.FrameRate.ParseSample(demo.ReelStart, p.SampleRate)
	if err != nil {
		return nil, err
	}
	start := int64(reading)
	stems, err := a.Store.Stems(ctx, p.ID)
	if err != nil {
		return nil, err
	}
	id, err := a.Store.CreateReel(ctx, p, name, &start)
	if err != nil {
		return nil, err
	}
	l := &laying{ctx: ctx, app: a, reel: id, stems: store.ReelStems(stems), rate: p.FrameRate, sampleRate: p.SampleRate}
	return l, l.do(reel.SetReel{Picture: &reel.PictureChoice{Take: byFile[path.Base(demo.Picture)].ID, Start: &start}})
}

// laying puts one edit after another on a reel.
type laying struct {
	ctx        context.Context
	app        *app.App
	reel       string
	revision   int64
	stems      []reel.Stem
	rate       timecode.Rate
	sampleRate int
}

func (l *laying) plan(plan func(*reel.Reel) (reel.Command, error)) error {
	o, err := l.app.Store.Do(l.ctx, l.reel, l.revision, "demo", plan)
	if err == nil {
		l.revision = o.Revision
	}
	return err
}

func (l *laying) do(c reel.Command) error {
	return l.plan(func(*reel.Reel) (reel.Command, error) { return c, nil })
}

func (l *laying) layAll(list []demo.Placed, byFile map[string]store.Take) error {
	for _, placed := range list {
		t, ok := byFile[path.Base(placed.File)]
		if !ok {
			return fmt.Errorf("the demo has no take %s", placed.File)
		}
		if err := l.lay(placed, t); err != nil {
			return fmt.Errorf("laying %s: %w", placed.File, err)
		}
	}
	return nil
}

func (l *laying) all(edits []demo.Edit) error {
	for i, edit := range edits {
		if err := l.plan(edit); err != nil {
			return fmt.Errorf("edit %d of the demo's reel: %w", i+1, err)
		}
	}
	return nil
}

// spec lays the outputs of a spec out.
func (l *laying) spec(id string) error {
	specs, err := contract.Shipped()
	if err != nil {
		return err
	}
	at := slices.IndexFunc(specs, func(s contract.Spec) bool { return s.ID == id })
	if at < 0 {
		return fmt.Errorf("there is no spec %s", id)
	}
	return l.plan(func(r *reel.Reel) (reel.Command, error) { return delivery.LayOut(specs[at], r) })
}

// follow notes that the reel was laid by a cut list.
func (l *laying) follow(name string) error {
	o, err := l.app.Store.Reel(l.ctx, l.reel)
	if err != nil {
		return err
	}
	c, err := l.app.Jobs.Library.Conform(l.ctx, o, demo.CutListText(name))
	if err != nil {
		return err
	}
	id, err := l.app.Store.AddCutList(l.ctx, o.Production, name, c.Cut)
	if err != nil {
		return err
	}
	return l.do(reel.Follow{CutList: id})
}

// lay unravels a take and sets its tracks.
func (l *laying) lay(placed demo.Placed, t store.Take) error {
	lay := reel.LayTakes{Takes: []reel.Source{t.Source(l.stems)}, Plain: true, At: map[string]int64{},
		Choice: reel.Choice{Channels: placed.Channels, Together: placed.Together, Reuse: placed.Track == ""}}
	if placed.At != "" {
		reading, err := l.rate.ParseSample(placed.At, l.sampleRate)
		if err != nil {
			return err
		}
		lay.At[t.ID] = int64(reading)
	}
	before, err := l.app.Store.Reel(l.ctx, l.reel)
	if err != nil {
		return err
	}
	if err := l.do(lay); err != nil {
		return err
	}
	o, err := l.app.Store.Reel(l.ctx, l.reel)
	if err != nil {
		return err
	}
	for _, track := range o.Reel.TrackList() {
		if _, old := before.Reel.Tracks[track.ID]; old {
			continue
		}
		set := reel.SetTrack{Track: track.ID, GainDB: &placed.GainDB}
		if placed.Stem != "" {
			set.Stem = &placed.Stem
		}
		if placed.Track != "" {
			set.Name = &placed.Track
		}
		if err := l.do(set); err != nil {
			return err
		}
	}
	return nil
}

// settle settles what the demo settles, and waits for it.
func (l *laying) settle(production string) error {
	o, err := l.app.Store.Reel(l.ctx, l.reel)
	if err != nil {
		return err
	}
	clip, err := demo.Find(o.Reel, demo.SettledTrack, demo.SettledAt)
	if err != nil {
		return err
	}
	if _, err := l.app.Jobs.Settle(l.ctx, o, "demo", []reel.Clip{clip}); err != nil {
		return err
	}
	return finished(l.ctx, l.app, production)
}
