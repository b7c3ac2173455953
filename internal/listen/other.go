package listen

import (
	"context"
	"fmt"
	"math"
	"runtime/debug"
	"slices"
	"strings"

	"zestyloom/core/dsp"
	"zestyloom/core/engine"
	"zestyloom/core/layout"
	"zestyloom/core/loudness"
	"zestyloom/core/reel"
)

// other is what a reel is compared with: another reel, or itself as it was.
type other struct {
	Reel     string `json:"reel"`
	Revision *int64 `json:"revision"` // none for as it is
	Heard    bool   `json:"heard"`    // it is heard now
}

// reel gives it.
func (o *other) reel(ctx context.Context, known Known) (*reel.Reel, error) {
	if o.Revision != nil {
		at, err := known.ReelAt(ctx, o.Reel, *o.Revision)
		return at.Reel, err
	}
	open, err := known.Reel(ctx, o.Reel)
	return open.Reel, err
}

// nearby is how many seconds around the place that is heard two are compared by.
const nearby = 4

// compared gives the gain at which what is rendered is heard, so that what it is compared with is as loud. What that comes to is measured beside
// what plays, once for each two, and heard when it is known. What is listened to is that of the same name where the other has none of it.
func (p *player) compared(ctx context.Context, r *reel.Reel, tap *engine.Tap) float64 {
	p.mu.Lock()
	o, at := p.other, p.what.From
	p.mu.Unlock()
	if o == nil || p.what.Do != "play" || p.what.Signal != nil {
		return 1
	}
	plain, err := p.connection.server.Known.Reel(ctx, p.what.Reel)
	if err != nil {
		return 1
	}
	asked := *tap
	if o.Heard {
		*tap = sameTap(plain.Reel, r, asked)
	}
	revision := "now"
	if o.Revision != nil {
		revision = fmt.Sprint(*o.Revision)
	}
	key := fmt.Sprintf("%s %d %s %s %v", p.what.Reel, plain.Revision, o.Reel, revision, asked)
	louder, known := p.connection.louder(key)
	if !known && p.connection.mayMeasure() {
		p.connection.server.conns.Go(func() { p.measure(ctx, key, plain.Reel, *o, asked, at) })
	}
	if louder == nil {
		return 1
	}
	p.connection.send(reply{Generation: p.generation, Position: at, Louder: louder})
	if !o.Heard {
		return 1
	}
	return dsp.Gain(*louder)
}

// measure works out by how much the other is to be turned up, and has it heard so. What can't be measured, as silence can't, is not measured again.
func (p *player) measure(ctx context.Context, key string, plain *reel.Reel, o other, tap engine.Tap, at int64) {
	louder, err := p.between(ctx, plain, o, tap, at)
	if err != nil && ctx.Err() == nil {
		p.connection.server.Log.Warn("two could not be compared", "error", err)
	}
	p.connection.measured(key, louder, ctx.Err() == nil)
	p.mu.Lock()
	p.changed = true
	p.mu.Unlock()
	p.nudge()
}

// between is by how many dB the other is softer than a reel; nil where one of them is silent.
func (p *player) between(ctx context.Context, plain *reel.Reel, o other, tap engine.Tap, at int64) (louder *float64, err error) {
	defer func() {
		if broke := recover(); broke != nil {
			louder, err = nil, fmt.Errorf("panic: %v\n%s", broke, debug.Stack())
		}
	}()
	second, err := o.reel(ctx, p.connection.server.Known)
	if err != nil {
		return nil, err
	}
	one, err := p.loudnessOf(ctx, plain, tap, at)
	if err != nil || one == nil {
		return nil, err
	}
	two, err := p.loudnessOf(ctx, second, sameTap(plain, second, tap), at)
	if err != nil || two == nil {
		return nil, err
	}
	return new(math.Round(100*max(-24, min(24, *one-*two))) / 100), nil
}

// loudnessOf is that of what is listened to around a place, in LUFS; nil in silence.
func (p *player) loudnessOf(ctx context.Context, r *reel.Reel, tap engine.Tap, at int64) (*float64, error) {
	files := p.connection.server.Files(ctx)
	defer files.Close()
	rate := int64(r.Head.SampleRate)
	e, err := engine.New(r, files.Open, engine.Options{Block: block, Most: rate})
	if err != nil {
		return nil, err
	}
	meter := loudness.NewMeter(int(rate), layout.Layout{Labels: []string{"L", "R"}})
	left, right := make([]float64, block), make([]float64, block)
	for from := at - nearby*rate/2; from < at+nearby*rate/2; from += block {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		if err := e.Render(from, block); err != nil {
			return nil, err
		}
		if err := e.Listen(tap, left, right); err != nil {
			return nil, err
		}
		meter.Write([][]float64{left, right})
	}
	m := meter.Measurement()
	return m.IntegratedLUFS, nil
}

// sameTap gives what of another reel is what is listened to of one: that of the same ID, else of the same name or tag; what is not there is all stems.
func sameTap(of, in *reel.Reel, tap engine.Tap) engine.Tap {
	there := in.RowLabels(reel.Row(tap.Kind), tap.ID) != nil
	if tap.Kind == "strand" { // there while a track is in it
		there = slices.ContainsFunc(in.TrackList(), func(t reel.Track) bool { return reel.StrandID(t.Stem, t.Strand) == tap.ID })
	}
	if tap.Kind == "stems" || there {
		return tap
	}
	if _, there := in.Output(tap.ID); there && (tap.Kind == "output" || tap.Kind == "pair") {
		return tap
	}
	to := tap
	switch tap.Kind {
	case "group":
		was := of.Groups[tap.ID]
		for _, g := range in.GroupList() {
			if was.Tag != "" && g.Tag == was.Tag || strings.EqualFold(g.Name, was.Name) {
				to.ID = g.ID
				return to
			}
		}
	case "output", "pair":
		was, _ := of.Output(tap.ID)
		group := sameTap(of, in, engine.Tap{Kind: "group", ID: was.Group})
		if _, there := in.Output(reel.OutputID(group.ID, was.Label)); there && group.Kind == "group" {
			to.ID = reel.OutputID(group.ID, was.Label)
			return to
		}
	case "mix":
		for _, m := range in.MixList() {
			if strings.EqualFold(m.Name, of.Mixes[tap.ID].Name) {
				to.ID = m.ID
				return to
			}
		}
	case "track":
		for _, t := range in.TrackList() {
			if strings.EqualFold(t.Name, of.Tracks[tap.ID].Name) {
				to.ID = t.ID
				return to
			}
		}
	}
	return engine.Tap{Kind: "stems", Check: tap.Check}
}

// louder gives by how much the second of two is turned up, nil where that could not be measured, and whether it is known.
func (c *connection) louder(key string) (*float64, bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	dB, known := c.levels[key]
	return dB, known
}

// mayMeasure tells whether nothing is measured for this connection yet: one at a time, whatever is changed meanwhile.
func (c *connection) mayMeasure() bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	was := c.measuring
	c.measuring = true
	return !was
}

// measured ends a measurement, and keeps what it came to.
func (c *connection) measured(key string, dB *float64, keep bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.measuring = false; !keep {
		return
	}
	if c.levels == nil || len(c.levels) > 100 {
		c.levels = map[string]*float64{}
	}
	c.levels[key] = dB
}
