package main

import (
	"context"
	"fmt"
	"path"
	"time"

	"zestyloom/core/delivery"
	"zestyloom/core/reel"
	"zestyloom/core/take"
	"zestyloom/demo"
	"zestyloom/internal/app"
	"zestyloom/internal/store"
)

// seed makes the demo production unless it is there: its files come in by the same way as a user's, and its reel is
// built with the same commands.
func seed(ctx context.Context, a *app.App) error {
	productions, err := a.Store.Productions(ctx)
	if err != nil {
		return err
	}
	var p store.Production
	for _, have := range productions {
		if have.Name == demo.Production {
			p = have
		}
	}
	if p.ID == "" {
		if p, err = a.Store.CreateProduction(ctx, demo.Production, demo.FrameRate); err != nil {
			return err
		}
		if err := strands(ctx, a, p.ID); err != nil {
			return err
		}
		for _, f := range demo.Files() {
			if _, err := a.Jobs.ImportCard(ctx, p.ID, f.Card, f.Path); err != nil {
				return err
			}
		}
	}
	if err := finished(ctx, a, p.ID); err != nil {
		return err
	}
	reels, err := a.Store.Reels(ctx, p.ID)
	if err != nil || len(reels) > 0 {
		return err
	}
	return layOut(ctx, a, p)
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
		list, err := a.Store.WorkList(ctx, production)
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

// layOut builds the demo's reel.
func layOut(ctx context.Context, a *app.App, p store.Production) error {
	takes, err := a.Store.Takes(ctx, p.ID)
	if err != nil {
		return err
	}
	byFile := map[string]store.Take{}
	for _, t := range takes {
		byFile[t.FileName] = t
	}
	start, err := p.FrameRate.ParseSample(demo.ReelStart, p.SampleRate)
	if err != nil {
		return err
	}
	stems, err := a.Store.Stems(ctx, p.ID)
	if err != nil {
		return err
	}
	id, err := a.Store.CreateReel(ctx, p, demo.Reel, start)
	if err != nil {
		return err
	}
	revision := int64(0)
	do := func(plan func(*reel.Reel) (reel.Command, error)) error {
		o, err := a.Store.Do(ctx, id, revision, "demo", plan)
		revision = o.Revision
		return err
	}
	for _, placed := range demo.Layout() {
		t, ok := byFile[path.Base(placed.File)]
		if !ok {
			return fmt.Errorf("the demo has no take %s", placed.File)
		}
		choice := reel.Choice{Channels: placed.Channels}
		if placed.At != "" {
			at, err := p.FrameRate.ParseSample(placed.At, p.SampleRate)
			if err != nil {
				return err
			}
			choice.At = &at
		}
		if err := do(func(r *reel.Reel) (reel.Command, error) {
			return reel.Unravel(r, t.Source(store.ReelStems(stems)), choice)
		}); err != nil {
			return err
		}
		o, err := a.Store.Reel(ctx, id)
		if err != nil {
			return err
		}
		for _, clip := range o.Reel.ClipList() {
			if clip.Take != t.ID {
				continue
			}
			set := reel.SetTrack{Track: clip.Track, GainDB: &placed.GainDB}
			if placed.Stem != "" {
				set.Stem = &placed.Stem
			}
			if err := do(func(*reel.Reel) (reel.Command, error) { return set, nil }); err != nil {
				return err
			}
		}
	}
	specs, err := delivery.Shipped()
	if err != nil {
		return err
	}
	for _, spec := range specs {
		if spec.ID == demo.Spec {
			return do(func(r *reel.Reel) (reel.Command, error) { return spec.LayOut(r) })
		}
	}
	return fmt.Errorf("there is no spec %s", demo.Spec)
}
