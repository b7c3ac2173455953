package jobs

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"path"
	"slices"
	"strings"

	"zestyloom/core/correct"
	"zestyloom/core/fault"
	"zestyloom/core/layout"
	"zestyloom/core/loudness"
	"zestyloom/core/reel"
	"zestyloom/core/wave"
	"zestyloom/internal/analysis"
	"zestyloom/internal/store"
)

type levelArgs struct {
	Takes []string               `json:"takes"`
	To    map[string]reel.Target `json:"to"`  // by take
	Why   map[string]string      `json:"why"` // it can't be done, by take
}

// Level queues bringing the files of takes to what is asked of each; to says what that is for a layout.
func (r *Runner) Level(ctx context.Context, production string, takes []string, to func(layout.Layout) (reel.Target, error)) (string,
	error) {
	if len(takes) == 0 {
		return "", fault.New(fault.BadInput, "Choose one take or more")
	}
	var one string
	args := levelArgs{takes, map[string]reel.Target{}, map[string]string{}}
	for _, id := range takes {
		t, err := r.Store.Take(ctx, id)
		if err != nil {
			return "", err
		}
		if t.Production != production {
			return "", fault.New(fault.NotFound, "%s is not in this production", t.Title())
		}
		one = t.Title()
		p, err := oneProgramme(t)
		if err == nil {
			args.To[id], err = to(p.Layout())
		}
		if err == nil && !args.To[id].Asks() {
			err = fault.New(fault.BadInput, "Nothing is asked of %s; choose another spec or profile", t.Title())
		}
		if err != nil {
			args.Why[id] = fault.Sentence(err)
		}
	}
	if len(takes) == 1 && len(args.Why) == 1 {
		return "", fault.New(fault.BadInput, "%s", args.Why[takes[0]])
	}
	title := fmt.Sprintf("Level %d takes", len(takes))
	if len(takes) == 1 {
		title = "Level " + one
	}
	return r.add(ctx, production, "level", title, args, nil)
}

// oneProgramme gives what a take is, all of it: the same gain goes to all its channels.
func oneProgramme(t store.Take) (analysis.Programme, error) {
	switch list := analysis.Programmes(t); len(list) {
	case 0:
		return analysis.Programme{}, fault.New(fault.BadInput, "%s has no sound", t.Title())
	case 1:
		return list[0], nil
	default:
		return analysis.Programme{}, fault.New(fault.BadInput, "%s carries %d programmes; say under Takes which of its channels are heard together, or unravel it first",
			t.Title(), len(list))
	}
}

// level brings the files of each take in turn.
func (a *attempt) level(ctx context.Context) (end store.End, err error) {
	var args levelArgs
	if err := json.Unmarshal(a.Args, &args); err != nil {
		return end, err
	}
	report := slices.DeleteFunc(a.Report, func(o store.Outcome) bool { return !o.OK })
	report, err = a.eachTake(ctx, args.Takes, report, 0, 1, func(t store.Take, report []store.Outcome, progress func(float64)) (store.Outcome,
		error) {
		if why := args.Why[t.ID]; why != "" {
			return store.Outcome{}, fault.New(fault.BadInput, "%s", why)
		}
		return a.levelTake(ctx, t, args.To[t.ID], report, progress)
	})
	if err != nil {
		return end, err
	}
	return undone(report), nil
}

// lane is a file of a take, and which of the take's channels and samples it holds.
type lane struct {
	name  string
	file  *wave.File
	first int   // channel
	at    int64 // sample
}

// lanesOf opens the files that a take is made of.
func (a *attempt) lanesOf(ctx context.Context, t store.Take, open func(store.Take) (*wave.File, error)) (list []lane, err error) {
	if t.Assembly == nil || t.SoundKey != "" {
		f, err := open(t)
		return []lane{{t.FileName, f, 0, 0}}, err
	}
	first := 0
	for _, ids := range t.Assembly.Lanes {
		at, width := int64(0), 0
		for _, id := range ids {
			part, err := a.Store.Take(ctx, id)
			if err != nil {
				return nil, err
			}
			f, err := open(part)
			if err != nil {
				return nil, err
			}
			list = append(list, lane{part.FileName, f, first, at})
			at, width = at+f.Frames, f.Channels
		}
		first += width
	}
	return list, nil
}

// levelTake works out how a take is brought to a target, and writes its files so. They get their names together, when all are whole.
func (a *attempt) levelTake(ctx context.Context, t store.Take, to reel.Target, before []store.Outcome,
	progress func(float64)) (o store.Outcome, err error) {
	p, err := oneProgramme(t)
	if err != nil {
		return o, err
	}
	session := a.Library.Session(ctx)
	defer session.Close()
	whole, err := session.OpenTake(t)
	if err != nil {
		return o, err
	}
	if err := a.Room(whole.Frames * int64(whole.FrameBytes())); err != nil {
		return o, err
	}
	lanes, err := a.lanesOf(ctx, t, session.OpenTake)
	if err != nil {
		return o, err
	}
	result, err := correct.File(ctx, correct.Source{File: whole, Layout: p.Layout(), Channels: p.Channels, Progress: progress}, to)
	if err != nil {
		return o, err
	}
	staging := a.staging() + "/" + t.ID
	defer func() {
		if err != nil {
			_ = a.Media.RemoveAll(staging)
		}
	}()
	taken := namesOf(before)
	clipped := int64(0)
	for _, l := range lanes {
		after := result.After
		if len(lanes) > 1 {
			after = nil // it is of them all
		}
		name := unique(levelledName(l.name), taken)
		n, err := a.writeLevelled(ctx, l, result.Curves, after, staging+"/"+name)
		if err != nil {
			return o, err
		}
		info, err := a.Media.Stat(staging + "/" + name)
		if err != nil {
			return o, err
		}
		clipped += n
		o.Files = append(o.Files, store.WrittenFile{Name: name, Size: info.Size(), Tracks: slices.Clone(p.Labels[l.first : l.first+l.file.Channels])})
	}
	o.Message = levelledWords(result, to, whole.SampleRate, clipped)
	o.OK, o.Folder = true, batchFolder(a.ID)+"/"+a.claim.Token+"-"+t.ID
	return o, a.Media.Publish(staging, o.Folder)
}

func (a *attempt) writeLevelled(ctx context.Context, l lane, c correct.Curves, after *loudness.Whole, to string) (clipped int64,
	err error) {
	f, err := a.Media.Create(to)
	if err != nil {
		return 0, err
	}
	defer f.Close()
	if clipped, err = correct.Write(ctx, l.file, c.From(l.at), after, l.first, f); err != nil {
		return clipped, err
	}
	return clipped, f.Sync()
}

// levelledName is what a file is called after: as before, but that it is a WAVE file now, whatever it was.
func levelledName(name string) string {
	name = strings.Map(func(r rune) rune {
		if r < ' ' || strings.ContainsRune(`/\:*?"<>|`, r) {
			return '_'
		}
		return r
	}, name)
	if end := path.Ext(name); !strings.EqualFold(end, ".wav") && !strings.EqualFold(end, ".bwf") {
		name = strings.TrimSuffix(name, end) + ".wav"
	}
	return name
}

// levelledWords says what was done to a programme.
func levelledWords(r correct.Result, to reel.Target, rate int, clipped int64) string {
	words := fmt.Sprintf("%s → %s LUFS, %s → %s dBTP", figure(r.Before.IntegratedLUFS), figure(r.After.IntegratedLUFS),
		figure(r.Before.TruePeakMaxDBTP), figure(r.After.TruePeakMaxDBTP))
	if r.Works.Places > 0 {
		words += fmt.Sprintf("; the limiter takes %.1f dB at most, %.1f s in all", -r.Works.MostDB, r.Works.LimitedSeconds)
	}
	if r.Works.RideSeconds > 0 {
		words += fmt.Sprintf("; the ride goes down to %s dB", minus(fmt.Sprintf("%.1f", r.Works.RideMostDB)))
	}
	if clipped > 0 && to.TruePeak == nil {
		words += fmt.Sprintf("; %d samples would have gone over full scale, and were limited", clipped)
	}
	for _, m := range r.Missed {
		words += ". " + m
	}
	return words
}

func figure(x *float64) string {
	if x == nil || math.IsInf(*x, 0) {
		return "–"
	}
	return minus(fmt.Sprintf("%.1f", *x))
}

func minus(s string) string { return strings.ReplaceAll(s, "-", "−") }
