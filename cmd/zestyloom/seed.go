package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"zestyloom/core/contract"
	"zestyloom/core/delivery"
	"zestyloom/core/reel"
	"zestyloom/core/take"
	"zestyloom/core/timecode"
	"zestyloom/demo"
	"zestyloom/internal/app"
	"zestyloom/internal/media"
	"zestyloom/internal/store"
)

// progressed is what of the demo has been made, noted beside its data: the names of reels that are whole.
type progressed struct{ seeding, seeded string }

func (n progressed) reels() (whole []string, begun bool) {
	b, err := os.ReadFile(n.seeding)
	return strings.Split(strings.TrimSpace(string(b)), "\n"), err == nil
}

func (n progressed) done() bool {
	_, err := os.Stat(n.seeded)
	return err == nil
}

func (n progressed) add(name string) error {
	whole, _ := n.reels()
	return media.WriteNote(n.seeding, strings.Join(append(whole, name), "\n"))
}

// seed makes the demo's sound and its production, as far as they are not there: each file comes in as soon as it is made
// and by the same way as a user's, and the reels are built with the same commands. Stopped anywhere, it is gone on with; what failed is
// tried again. Once all was there a note says so, and whatever users take away later stays away.
func seed(ctx context.Context, a *app.App, scenario string) error {
	note := progressed{filepath.Join(filepath.Dir(scenario), "seeding"), filepath.Join(filepath.Dir(scenario), "seeded")}
	whole := note.done()
	_, begun := note.reels()
	if !whole && !begun {
		productions, err := a.Store.Productions(ctx)
		if err != nil {
			return err
		}
		whole = slices.ContainsFunc(productions, func(p store.Production) bool { return p.Name == demo.Production && p.Reels > 0 }) // of before there were notes
		if !whole {
			err = media.WriteNote(note.seeding, "")
		}
		if err != nil {
			return err
		}
	}
	if whole {
		err := demo.Generate(ctx, scenario, func(demo.File) error { return nil })
		return errors.Join(err, media.WriteNote(note.seeded, "all of the demo was here"))
	}
	p, err := production(ctx, a)
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
		if w.State == "failed" {
			if err := a.Jobs.Retry(ctx, w.ID, false); err != nil {
				return err
			}
		}
	}
	err = demo.Generate(ctx, scenario, func(f demo.File) error {
		if came[path.Base(f.Path)] {
			return nil
		}
		_, err := a.Jobs.ImportCard(ctx, p.ID, f.Card, f.Path)
		return err
	})
	if err != nil {
		return fmt.Errorf("making the demo's sound: %w", err)
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
	if err := layOut(ctx, a, p, note); err != nil {
		return err
	}
	return media.WriteNote(note.seeded, "all of the demo was here")
}

// unfinished takes away the reels of the production that are not whole.
func unfinished(ctx context.Context, a *app.App, production string, whole []string) error {
	reels, err := a.Store.Reels(ctx, production)
	if err != nil {
		return err
	}
	for _, r := range reels {
		if !slices.Contains(whole, r.Name) {
			if err := a.Jobs.RemoveReel(ctx, r.ID); err != nil {
				return err
			}
		}
	}
	return nil
}

// production finds or makes the demo's own.
func production(ctx context.Context, a *app.App) (p store.Production, err error) {
	productions, err := a.Store.Productions(ctx)
	if err != nil {
		return p, err
	}
	for _, have := range productions {
		if have.Name == demo.Production {
			return have, strands(ctx, a, have.ID)
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
		if slices.ContainsFunc(rules, func(r take.Rule) bool { return r.Stem == s.Stem && r.Strand == s.Name }) {
			return nil // they were given in one step
		}
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

// layOut builds those of the demo's reels that are not there.
func layOut(ctx context.Context, a *app.App, p store.Production, note progressed) error {
	whole, _ := note.reels()
	if err := unfinished(ctx, a, p.ID, whole); err != nil {
		return err
	}
	takes, err := a.Store.Takes(ctx, p.ID)
	if err != nil {
		return err
	}
	byFile, ids := map[string]store.Take{}, map[string]string{}
	for _, t := range takes {
		byFile[t.FileName], ids[t.FileName] = t, t.ID
	}
	usual := func(layout []demo.Placed, edits []demo.Edit) func(*laying) error {
		return func(l *laying) error {
			return errors.Join(l.layAll(layout, byFile), l.spec(demo.Spec), l.all(edits))
		}
	}
	for _, r := range []struct {
		name string
		make func(*laying) error
	}{
		{demo.Reel, func(l *laying) error {
			for _, step := range []func() error{func() error { return l.layAll(demo.Layout(), byFile) },
				func() error { return l.follow(demo.CutList) },
				func() error { return l.all(demo.Edits(ids)) }, func() error { return l.spec(demo.Spec) },
				func() error { return l.settle(p.ID) }} {
				if err := step(); err != nil {
					return err
				}
			}
			return nil
		}},
		{demo.SurroundReel, usual(demo.SurroundLayout(), demo.SurroundEdits())},
		{demo.PromoReel, usual(demo.PromoLayout(), demo.PromoEdits())},
		{demo.EpisodeReel, func(l *laying) error { return episode(l, byFile) }},
	} {
		if slices.Contains(whole, r.name) {
			continue
		}
		l, err := begin(ctx, a, p, r.name, byFile)
		if err != nil {
			return err
		}
		if err := r.make(l); err != nil {
			return fmt.Errorf("%s: %w", r.name, err)
		}
		if err := note.add(r.name); err != nil {
			return err
		}
	}
	return nil
}

// episode builds the dense reel.
func episode(l *laying, byFile map[string]store.Take) error {
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
