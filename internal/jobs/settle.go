package jobs

import (
	"context"
	"encoding/json"
	"strings"

	"zestyloom/core/engine"
	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/core/take"
	"zestyloom/core/unravel"
	"zestyloom/internal/library"
	"zestyloom/internal/media"
	"zestyloom/internal/store"
)

type settleArgs struct {
	Reel   string      `json:"reel"`
	Author string      `json:"author"`
	Clips  []reel.Clip `json:"clips"` // of one track, as they are to be rendered
}

// Settle queues the rendering of clips of one track to a new take, which then stands in their place.
func (r *Runner) Settle(ctx context.Context, o store.OpenReel, author string, clips []reel.Clip) (string, error) {
	if _, err := engine.Bounds(o.Reel, clips); err != nil {
		return "", err
	}
	return r.add(ctx, o.Production, "settle", "Settle "+clips[0].Name, settleArgs{o.ID, author, clips}, nil)
}

func (a *attempt) settle(ctx context.Context) (end store.End, err error) {
	var args settleArgs
	if err := json.Unmarshal(a.Args, &args); err != nil {
		return end, err
	}
	o, err := a.Store.Reel(ctx, args.Reel)
	if err != nil {
		return end, err
	}
	made, err := a.Store.TakesOfWork(ctx, a.ID)
	if err != nil {
		return end, err
	}
	var t store.Take
	if len(made) > 0 { // rendered before the work was interrupted
		t = made[0]
	} else if t, err = a.renderSettled(ctx, o, args); err != nil {
		return end, err
	}
	end.Result = &t.ID
	err = persist(ctx, func() error { return a.standIn(ctx, args, t) })
	if fault.KindOf(err) != "" { // the take is of no use
		a.discard(ctx, t.ID)
	}
	return end, err
}

// standIn puts the settled take in the place of the clips that it was rendered from. To do so twice does nothing.
func (a *attempt) standIn(ctx context.Context, args settleArgs, t store.Take) error {
	o, err := a.Store.Reel(ctx, args.Reel)
	if err != nil {
		return err
	}
	for _, c := range o.Reel.Clips {
		if c.Take == t.ID { // it stands there already
			return nil
		}
	}
	s, err := engine.Bounds(o.Reel, args.Clips)
	if err != nil {
		return err
	}
	_, err = a.Store.DoUnder(ctx, a.claim, args.Reel, o.Revision, args.Author, func(*reel.Reel) (reel.Command, error) {
		return reel.Settle{Clips: args.Clips, Take: t.ID, Title: args.Clips[0].Name, Channels: len(t.Channels), Start: s.Start,
				Length: s.Frames},
			nil
	})
	return err
}

// discard removes a take that nothing uses, with its files. Where the database does not say so, they stay.
func (r *Runner) discard(ctx context.Context, id string) {
	keys, err := r.Store.RemoveTake(ctx, id)
	if err == nil {
		err = r.Library.Clear(ctx, keys)
	}
	if err != nil {
		r.Log.Warn("a take that is of no use could not be removed", "take", id, "error", err)
	}
}

// renderSettled writes the sound and stores the take.
func (a *attempt) renderSettled(ctx context.Context, o store.OpenReel, args settleArgs) (t store.Take, err error) {
	folder := "sources/" + a.claim.Token
	key := library.SourceKey(folder, ".wav")
	s, err := a.writeSettled(ctx, o, args, key)
	if err != nil {
		return t, err
	}
	src, stored, done, err := a.openStaged(ctx, key)
	if err != nil {
		return t, err
	}
	defer done()
	first, track := args.Clips[0], o.Reel.Tracks[args.Clips[0].Track]
	name := strings.NewReplacer("/", "-", "\\", "-").Replace(first.Name) + " settled.wav"
	t = store.Take{Production: a.Production, Kind: take.Recording, FileName: name, CameFrom: store.SettledOn + o.Name + ", " + track.Name,
		MediaKey: folder, SoundKey: key, Sound: &stored, Size: stored.Size, SHA256: stored.SHA256}
	if origin, err := a.Store.Take(ctx, first.Take); err == nil {
		t.Kind = origin.Kind
	}
	bare := *src
	bare.IXML = nil // the list calls it by its own name, not by the take's that the file tells of
	t.Description = take.Describe(&bare, name)
	t.Description.StartSamples = &s.Start
	levels, _, err := a.overview(ctx, src, folder, 0, a.progress(ctx, 0.7, 1))
	if err != nil {
		return t, err
	}
	names := settledNames(track)
	for i := range t.Description.Tracks {
		ch := &t.Description.Tracks[i]
		ch.Name, ch.Use = names[i], take.Iso
		t.Channels = append(t.Channels, store.Channel{Track: *ch, Level: levels[i]})
	}
	if err := a.publishTakes(ctx, folder, t); err != nil {
		return t, err
	}
	const again = true // settling twice makes two takes, also where they sound alike
	return t, persist(ctx, func() error {
		ids, err := a.Store.AddTakes(ctx, a.claim, []store.Take{t}, again)
		if err == nil {
			t.ID = ids[0]
		}
		return err
	})
}

func (a *attempt) writeSettled(ctx context.Context, o store.OpenReel, args settleArgs, key string) (engine.Settled, error) {
	session := a.Library.Session(ctx)
	defer session.Close()
	f, err := a.Media.Create(a.staged(key))
	if err != nil {
		return engine.Settled{}, err
	}
	defer f.Close()
	origin, err := session.Open(args.Clips[0].Take)
	if err != nil {
		return engine.Settled{}, err
	}
	h := unravel.SettledHeader(origin, settledNames(o.Reel.Tracks[args.Clips[0].Track]), stampOf(o.Reel, args.Clips))
	s, err := engine.Settle(ctx, o.Reel, args.Clips, session.Open, f, h, a.progress(ctx, 0, 0.7))
	if err != nil {
		return s, media.Explain(err)
	}
	return s, f.Sync()
}

// settledNames are the names of the channels of what is settled on a track.
func settledNames(track reel.Track) []string {
	var names []string
	for _, label := range track.Labels {
		name := track.Name
		if len(track.Labels) > 1 {
			name += " " + label
		}
		names = append(names, name)
	}
	return names
}

// stampOf is the time stamp of what is settled: where it lies on the reel.
func stampOf(r *reel.Reel, clips []reel.Clip) int64 {
	s, err := engine.Bounds(r, clips)
	if err != nil {
		return 0
	}
	return max(0, s.Start)
}
