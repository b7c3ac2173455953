package jobs

import (
	"context"
	"encoding/json"
	"fmt"
	"runtime"
	"slices"
	"sync/atomic"

	"golang.org/x/sync/errgroup"

	"zestyloom/core/align"
	"zestyloom/core/convert"
	"zestyloom/core/fault"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
	"zestyloom/internal/library"
	"zestyloom/internal/store"
)

type syncArgs struct {
	Takes      []string     `json:"takes"`
	References []string     `json:"references"`
	Method     store.Method `json:"method"`
}

// Sync queues the lining up of takes, each with whichever of the references it belongs to.
func (r *Runner) Sync(ctx context.Context, production string, takes, references []string, method store.Method) (string, error) {
	if len(takes) == 0 || len(references) == 0 {
		return "", fault.New(fault.BadInput, "Choose takes to line up, and something to line them up with")
	}
	if !slices.Contains([]store.Method{store.ByTimecode, store.ByWaveform, store.ByBoth}, method) {
		return "", fault.New(fault.BadInput, "Takes are lined up by timecode, by waveform or by both, not by %q", method)
	}
	for _, list := range [][]string{takes, references} {
		if err := r.Store.AnyTakes(ctx, production, list); err != nil {
			return "", err
		}
	}
	title := fmt.Sprintf("Line up %d takes", len(takes))
	if len(takes) == 1 {
		title = "Line up 1 take"
	}
	return r.add(ctx, production, "sync", title, syncArgs{takes, references, method}, nil)
}

// candidate is a reference that a take may belong to.
type candidate struct {
	take  store.Take
	shape *align.Shape // nil where only timecode counts, or it has no sound
}

// around is how far from its timecode a take is looked for, in seconds.
const around = 5

// sync lines takes up one after another. What is found is stored as it is found, so that interrupted work goes on
// where it was.
func (a *attempt) sync(ctx context.Context) (end store.End, err error) {
	var args syncArgs
	if err := json.Unmarshal(a.Args, &args); err != nil {
		return end, err
	}
	session := a.Library.Session(ctx)
	defer session.Close()
	references, err := a.candidates(ctx, session, args)
	if err != nil {
		return end, err
	}
	report, err := a.eachTake(ctx, args.Takes, a.Report, 0.3, 1, func(t store.Take, _ []store.Outcome, _ func(float64)) (o store.Outcome,
		err error) {
		m, err := a.matchTake(ctx, session, t, references, args.Method)
		if err == nil {
			err = a.Store.PutMatch(ctx, a.claim, a.Production, m)
		}
		o.OK, o.Message = m.Reference != nil, m.Reason
		return o, err
	})
	found := 0
	for _, o := range report {
		if o.OK {
			found++
		}
	}
	return said("%d of %d takes found their place", found, len(report)), err
}

// candidates opens the references and draws their shapes, several side by side.
func (a *attempt) candidates(ctx context.Context, session *library.Session, args syncArgs) ([]candidate, error) {
	list := make([]candidate, len(args.References))
	report := a.progress(ctx, 0, 0.3)
	var drawn atomic.Int64
	work, ctx := errgroup.WithContext(ctx)
	work.SetLimit(runtime.GOMAXPROCS(0))
	for i, id := range args.References {
		t, err := a.Store.Take(ctx, id)
		if err != nil {
			_ = work.Wait() // they read files that are closed after this
			return nil, err
		}
		list[i].take = t
		if args.Method == store.ByTimecode || len(t.Channels) == 0 {
			continue
		}
		work.Go(func() (err error) {
			list[i].shape, err = shapeOf(ctx, session, t)
			report(float64(drawn.Add(1)) / float64(len(args.References)))
			return err
		})
	}
	return list, work.Wait()
}

func shapeOf(ctx context.Context, session *library.Session, t store.Take) (*align.Shape, error) {
	f, err := session.OpenTake(t)
	if err != nil {
		return nil, err
	}
	return align.ShapeOf(ctx, f)
}

// matchTake finds the reference that a take belongs to.
func (a *attempt) matchTake(ctx context.Context, session *library.Session, t store.Take, references []candidate,
	method store.Method) (store.Match, error) {
	m := store.Match{Take: t.ID, Method: method}
	var others []candidate
	for _, c := range references {
		if c.take.ID != t.ID {
			others = append(others, c)
		}
	}
	if len(others) == 0 {
		m.Reason = "There is nothing else to line it up with"
		return m, nil
	}
	if method == store.ByTimecode {
		return byTimecode(m, t, others), nil
	}
	return a.byWaveform(ctx, session, m, t, others)
}

// byTimecode takes the reference that shares the most time with the take.
func byTimecode(m store.Match, t store.Take, references []candidate) store.Match {
	if t.Description.StartSamples == nil {
		m.Reason = "It has no timecode"
		return m
	}
	var best, second int64
	for _, c := range references {
		offset, ok := align.Timecodes(c.take.Description, t.Description)
		reference := timecode.Convert(c.take.Description.Frames, c.take.Description.SampleRate, t.Description.SampleRate)
		shared := min(reference, offset+t.Description.Frames) - max(0, offset)
		if !ok || shared <= 0 {
			continue
		}
		if shared > best {
			id := c.take.ID
			m.Reference, second, best = &id, best, shared
			m.Result = align.Match{OffsetSamples: offset, OffsetSeconds: float64(offset) / float64(t.Description.SampleRate), Confidence: 1,
				Matched: true}
		} else {
			second = max(second, shared)
		}
	}
	if m.Reference == nil {
		m.Reason = "No reference was running at its timecode"
		return m
	}
	m.Result.RunnerUp = float64(second) / float64(best)
	return m
}

// byWaveform compares the take's shape with all references, and the most alike sample by sample.
func (a *attempt) byWaveform(ctx context.Context, session *library.Session, m store.Match, t store.Take,
	references []candidate) (store.Match, error) {
	if len(t.Channels) == 0 {
		m.Reason = "It has no sound"
		return m, nil
	}
	recording, err := session.OpenTake(t)
	if err != nil {
		return m, err
	}
	shape, err := align.ShapeOf(ctx, recording)
	if err != nil {
		return m, err
	}
	var list []align.Candidate
	var ids []string
	for _, c := range references {
		if c.shape == nil {
			continue
		}
		near, within := int64(0), int64(-1)
		if m.Method == store.ByBoth {
			offset, ok := align.Timecodes(c.take.Description, t.Description)
			if !ok {
				continue
			}
			near, within = offset, around*int64(t.Description.SampleRate)
		}
		list = append(list, align.Candidate{Shape: c.shape, Near: near, Within: within,
			Open: func() (*wave.File, error) { return session.OpenTake(c.take) }})
		ids = append(ids, c.take.ID)
	}
	if len(list) == 0 && m.Method == store.ByBoth {
		m.Reason = "No reference has a timecode to begin with"
		return m, nil
	}
	index, found, err := align.Among(ctx, recording, shape, list)
	if err != nil {
		return m, err
	}
	if index < 0 {
		m.Reason = fmt.Sprintf("None of the %d references sounds like it", len(references))
		return m, nil
	}
	m.Reference, m.Result = &ids[index], found
	return m, nil
}

type convertArgs struct {
	Take       string             `json:"take"`
	Author     string             `json:"author"`
	Conversion convert.Conversion `json:"conversion"`
}

// Convert queues the resampling of a take.
func (r *Runner) Convert(ctx context.Context, author string, t store.Take, c convert.Conversion) (string, error) {
	if len(t.Channels) == 0 {
		return "", fault.New(fault.BadInput, "%s has no sound", t.Title())
	}
	return r.add(ctx, t.Production, "convert", "Resample "+t.Title(), convertArgs{t.ID, author, c}, nil)
}

// convert writes a take resampled, and puts the result in its place.
func (a *attempt) convert(ctx context.Context) (end store.End, err error) {
	var args convertArgs
	if err := json.Unmarshal(a.Args, &args); err != nil {
		return end, err
	}
	if made, err := a.Store.TakesOfWork(ctx, a.ID); err != nil || len(made) > 0 {
		if err == nil {
			end.Result = &made[0].ID // done before the work was interrupted
		}
		return end, err
	}
	t, err := a.Store.Take(ctx, args.Take)
	if err != nil {
		return end, err
	}
	folder := "sources/" + a.claim.Token
	key := library.SourceKey(folder, ".wav")
	converted, err := a.writeConverted(ctx, t, args.Conversion, key)
	if err != nil {
		return end, err
	}
	out, stored, done, err := a.openStaged(ctx, key)
	if err != nil {
		return end, err
	}
	defer done()
	levels, _, err := a.overview(ctx, out, folder, 0, a.progress(ctx, 0.8, 1))
	if err != nil {
		return end, err
	}
	made := store.Converted{Conversion: args.Conversion, Frames: converted.Frames, Media: folder, Sound: key, Stored: stored, Levels: levels}
	if err := a.publishTakes(ctx, folder, made.Of(t)); err != nil {
		return end, err
	}
	if converted.Clipped > 0 {
		end = said("%d samples came out above full scale and were limited to it", converted.Clipped)
	}
	return end, persist(ctx, func() error {
		id, err := a.Store.AddConverted(ctx, a.claim, args.Author, t, made)
		end.Result = &id
		return err
	})
}

func (a *attempt) writeConverted(ctx context.Context, t store.Take, c convert.Conversion, key string) (converted convert.Converted,
	err error) {
	session := a.Library.Session(ctx)
	defer session.Close()
	src, err := session.OpenTake(t)
	if err != nil {
		return converted, err
	}
	if err := a.Room(2 * src.Frames * int64(src.FrameBytes())); err != nil {
		return converted, err
	}
	f, err := a.Media.Create(a.staged(key))
	if err != nil {
		return converted, err
	}
	defer f.Close()
	if converted, err = convert.Write(ctx, src, t.Description, c, f, a.progress(ctx, 0, 0.8)); err != nil {
		return converted, err
	}
	return converted, f.Sync()
}

type diagnoseArgs struct {
	Take string `json:"take"`
}

// Diagnose queues a look at what is on the channels of a take.
func (r *Runner) Diagnose(ctx context.Context, production, id string) (string, error) {
	t, err := r.Store.Take(ctx, id)
	if err != nil {
		return "", err
	}
	return r.add(ctx, production, "diagnose", "Look at the channels of "+t.Title(), diagnoseArgs{id}, nil)
}

func (a *attempt) lookAt(ctx context.Context) (end store.End, err error) {
	var args diagnoseArgs
	if err := json.Unmarshal(a.Args, &args); err != nil {
		return end, err
	}
	t, err := a.Store.Take(ctx, args.Take)
	if fault.KindOf(err) == fault.NotFound {
		return end, nil // it was removed or made anew in the meantime
	}
	if err != nil {
		return end, err
	}
	return end, a.diagnose(ctx, t, a.progress(ctx, 0, 1))
}
