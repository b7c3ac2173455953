package jobs

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strings"

	"zestyloom/core/align"
	"zestyloom/core/fault"
	"zestyloom/core/layout"
	"zestyloom/core/loudness"
	"zestyloom/core/placing"
	"zestyloom/core/reel"
	"zestyloom/core/reload"
	"zestyloom/core/take"
	"zestyloom/core/wave"
	"zestyloom/internal/library"
	"zestyloom/internal/store"
)

type reviseArgs struct {
	Reel   string `json:"reel"`
	Author string `json:"author"`
	Group  string `json:"group"`
	Take   string `json:"take"`
}

// Revise queues the replacing of the sound of a group of a reel by a take: where it belongs, and as loud as what it replaces.
func (r *Runner) Revise(ctx context.Context, o store.OpenReel, author, group string, t store.Take) (string, error) {
	if _, _, err := reload.Sounding(o.Reel, group); err != nil {
		return "", err
	}
	switch rate := o.Reel.Head.SampleRate; {
	case t.Production != o.Production:
		return "", fault.New(fault.NotFound, "There is no such take in this production")
	case len(t.Channels) == 0:
		return "", fault.New(fault.BadInput, "%s has no sound", t.Title())
	case t.Description.SampleRate != rate:
		return "", fault.New(fault.BadInput, "%s is at %d Hz and the reel at %d; resample it under Takes first", t.Title(),
			t.Description.SampleRate, rate)
	}
	return r.add(ctx, o.Production, "revise", "Replace "+o.Reel.Groups[group].Name, reviseArgs{o.ID, author, group, t.ID}, nil)
}

func (a *attempt) revise(ctx context.Context) (end store.End, err error) {
	var args reviseArgs
	if err := json.Unmarshal(a.Args, &args); err != nil {
		return end, err
	}
	o, err := a.Store.Reel(ctx, args.Reel)
	if err != nil {
		return end, err
	}
	t, err := a.Store.Take(ctx, args.Take)
	if err != nil {
		return end, err
	}
	old, tracks, err := reload.Sounding(o.Reel, args.Group)
	if err != nil {
		return end, err
	}
	end.Result = &o.ID
	if slices.ContainsFunc(old, func(c reel.Clip) bool { return c.Take == t.ID }) {
		end.Message = fmt.Sprintf("%s sounds in %s", t.Title(), o.Reel.Groups[args.Group].Name)
		return end, nil // it was done before the work was interrupted
	}
	session := a.Library.Session(ctx)
	defer session.Close()
	fresh, err := session.OpenTake(t)
	if err != nil {
		return end, err
	}
	called := take.Bare(t.FileName) // by its file, as who chose it does: a print of ours has no better name
	with := reload.Replacement{Take: t.ID, Title: called, Labels: labelsOf(t, o.Reel.Groups[args.Group].Labels), Frames: fresh.Frames}
	var where, loud string
	if with.At, where, err = a.placed(ctx, o.Reel, old, t, fresh, session); err != nil {
		return end, err
	}
	if with.GainDB, loud, err = a.matched(ctx, old, tracks, with, fresh, session); err != nil {
		return end, err
	}
	err = persist(ctx, func() error {
		now, err := a.Store.Reel(ctx, args.Reel) // others may have gone on with it meanwhile
		if err != nil {
			return err
		}
		_, err = a.Store.DoUnder(ctx, a.claim, args.Reel, now.Revision, args.Author, func(now *reel.Reel) (reel.Command, error) {
			return reload.Revise(now, args.Group, with)
		})
		return err
	})
	if err != nil {
		return end, err
	}
	end.Message = fmt.Sprintf("%s is replaced by %s, %s, %s", o.Reel.Groups[args.Group].Name, called, where, loud)
	return end, nil
}

// labelsOf says what the channels of a take are: those of the group where there are as many, as its set has them, else as many channels
// usually are.
func labelsOf(t store.Take, group []string) []string {
	n := len(t.Channels)
	for _, s := range t.Sets {
		if len(s.Channels) == n && len(s.Labels) == n {
			return s.Labels
		}
	}
	if len(group) == n {
		return group
	}
	return layout.ForWidth(n).Labels
}

// placed finds where the first frame of a take lies, and says by what: by its sound, if that is the sound of what it replaces; else by
// its time stamp, if it has one that is on the reel; else where what is as long as it began; else with the programme.
func (a *attempt) placed(ctx context.Context, r *reel.Reel, old []reel.Clip, t store.Take, fresh *wave.File,
	session *library.Session) (at int64, where string, err error) {
	first := old[0]
	before, err := session.Open(first.Take)
	if err != nil {
		return 0, "", err
	}
	began := first.Start - first.Offset // where the first frame of the old file lies
	m, err := align.Waveforms(ctx, before, fresh)
	if err != nil {
		return 0, "", err
	}
	a.progress(ctx, 0, 1)(0.5)
	if m.Matched && math.Abs(m.DriftPPM) < 1 {
		return began + m.OffsetSamples, "placed by its sound", nil
	}
	places, _ := placing.Propose([]placing.File{t.File()}, r.Placing())
	if p := places[0]; p.By.Kind == placing.Stamp && p.At < first.End() && p.At+fresh.Frames > first.Start {
		return p.At, "placed by its time stamp", nil
	}
	if fresh.Frames == before.Frames {
		return began, "placed as the file that it replaces", nil
	}
	return first.Start, "placed at the start of the programme", nil
}

// matched finds the gain by which a take is as loud as what it replaces, in integrated loudness of what both have of the programme.
func (a *attempt) matched(ctx context.Context, old []reel.Clip, tracks map[string][]string, with reload.Replacement,
	fresh *wave.File, session *library.Session) (dB float64, loud string, err error) {
	var parts []*wave.File
	var labels []string
	var channels []int
	width := 0
	for _, c := range old {
		if c.Start != old[0].Start || c.Offset != old[0].Offset || c.GainDB != old[0].GainDB || c.Matrix != nil || c.Sum {
			return 0, "at its own level, as what it replaces was cut", nil
		}
		f, err := session.Open(c.Take)
		if err != nil {
			return 0, "", err
		}
		for _, channel := range c.Channels {
			channels = append(channels, width+channel)
		}
		parts, labels, width = append(parts, f), append(labels, tracks[c.Track]...), width+f.Channels
	}
	before, err := wave.Beside(parts)
	if err != nil {
		return 0, "at its own level, as the files that it replaces differ in form", nil
	}
	from, to := max(old[0].Start, with.At), min(old[0].End(), with.At+with.Frames)
	was, err := integrated(ctx, before, channels, labels, from-old[0].Start+old[0].Offset, to-from)
	if err != nil {
		return 0, "", err
	}
	all := make([]int, len(with.Labels))
	for c := range all {
		all[c] = c
	}
	is, err := integrated(ctx, fresh, all, with.Labels, from-with.At, to-from)
	switch {
	case err != nil:
		return 0, "", err
	case was == nil || is == nil:
		return 0, "at its own level, as one of the two is too quiet to measure", nil
	}
	dB = math.Round(100*(*was+old[0].GainDB-*is)) / 100
	if math.Abs(dB) < 0.1 {
		return 0, "as loud as what it replaces", nil
	}
	dB = max(-40, min(40, dB))
	return dB, strings.Replace(fmt.Sprintf("%+.1f dB, which makes it as loud as what it replaces", dB), "-", "−", 1), nil
}

// integrated measures the loudness of frames of channels of a file, from one on; nil where that can't be measured.
func integrated(ctx context.Context, f *wave.File, channels []int, labels []string, from, frames int64) (*float64, error) {
	bank := loudness.NewBank(f.SampleRate, 4, layout.Layout{Labels: labels})
	err := f.EachBlock(diagnoseFrames, func(at int64, block [][]float64) error {
		a, b := max(0, from-at), min(int64(len(block[0])), from+frames-at)
		if a < b {
			part := make([][]float64, len(channels))
			for i, c := range channels {
				part[i] = block[c][a:b]
			}
			bank.Write(part)
		}
		return ctx.Err()
	})
	if err != nil {
		return nil, err
	}
	return bank.Measurements()[0].IntegratedLUFS, nil
}
