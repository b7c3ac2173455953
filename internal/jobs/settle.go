package jobs

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"io"
	"strings"

	"zestyloom/core/engine"
	"zestyloom/core/reel"
	"zestyloom/core/take"
	"zestyloom/core/wave"
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

func (r *Runner) settle(ctx context.Context, w store.Work) (result *string, message string, err error) {
	var args settleArgs
	if err := json.Unmarshal(w.Args, &args); err != nil {
		return nil, "", err
	}
	o, err := r.Store.Reel(ctx, args.Reel)
	if err != nil {
		return nil, "", err
	}
	folder := "sources/" + w.ID
	made, err := r.Store.TakesOfMedia(ctx, folder)
	if err != nil {
		return nil, "", err
	}
	var t store.Take
	if len(made) > 0 { // rendered before the work was interrupted
		t = made[0]
	} else if t, err = r.renderSettled(ctx, w, o, args, folder); err != nil {
		_ = r.Media.RemoveAll(folder)
		return nil, "", err
	}
	for _, c := range o.Reel.Clips {
		if c.Take == t.ID { // it stands there already
			return &t.ID, "", nil
		}
	}
	s, err := engine.Bounds(o.Reel, args.Clips)
	if err != nil {
		return nil, "", err
	}
	_, err = r.Store.Do(ctx, args.Reel, o.Revision, args.Author, func(*reel.Reel) (reel.Command, error) {
		return reel.Settle{Clips: args.Clips, Take: t.ID, Title: args.Clips[0].Name, Channels: len(t.Channels), Start: s.Start, Length: s.Frames}, nil
	})
	if err != nil { // the take would be of no use
		if keys, removeErr := r.Store.RemoveTake(ctx, t.ID); removeErr == nil {
			for _, key := range keys {
				_ = r.Media.RemoveAll(key)
			}
		}
		return nil, "", err
	}
	return &t.ID, "", nil
}

// renderSettled writes the sound and stores the take.
func (r *Runner) renderSettled(ctx context.Context, w store.Work, o store.OpenReel, args settleArgs, folder string) (t store.Take, err error) {
	session := r.Library.Session(ctx)
	defer session.Close()
	key := library.SourceKey(folder, ".wav")
	f, err := r.Media.Create(key)
	if err != nil {
		return t, err
	}
	defer f.Close()
	sum := sha256.New()
	sum.Write([]byte(w.ID)) // settling twice makes two takes, also where they sound alike
	s, err := engine.Settle(ctx, o.Reel, args.Clips, session.Open, io.MultiWriter(f, sum), wave.Header{Bext: &wave.Bext{TimeReference: stampOf(o.Reel, args.Clips)}}, r.progress(ctx, w.ID, 0, 0.7))
	if err != nil {
		return t, media.Explain(err)
	}
	if err := f.Sync(); err != nil {
		return t, media.Explain(err)
	}
	written, size, err := r.Media.Open(key)
	if err != nil {
		return t, err
	}
	defer written.Close()
	src, err := wave.Open(written, size)
	if err != nil {
		return t, err
	}
	first, track := args.Clips[0], o.Reel.Tracks[args.Clips[0].Track]
	name := strings.NewReplacer("/", "-", "\\", "-").Replace(first.Name) + " settled.wav"
	t = store.Take{Production: w.Production, Kind: take.Recording, FileName: name, CameFrom: store.SettledOn + o.Name + ", " + track.Name, MediaKey: folder, SoundKey: key, Size: size, SHA256: hex.EncodeToString(sum.Sum(nil))}
	if origin, err := r.Store.Take(ctx, first.Take); err == nil {
		t.Kind = origin.Kind
	}
	t.Description = take.Describe(src, name)
	t.Description.StartSamples = &s.Start
	levels, err := r.overview(ctx, src, folder, 0, r.progress(ctx, w.ID, 0.7, 1))
	if err != nil {
		return t, err
	}
	for i := range t.Description.Tracks {
		ch := &t.Description.Tracks[i]
		ch.Use = take.Iso
		if ch.Name = track.Name; len(track.Labels) > 1 {
			ch.Name += " " + track.Labels[i]
		}
		t.Channels = append(t.Channels, store.Channel{Track: *ch, Level: levels[i]})
	}
	ids, err := r.Store.AddTakes(ctx, []store.Take{t})
	if err == nil {
		t.ID = ids[0]
	}
	return t, err
}

// stampOf is the time stamp of what is settled: where it lies on the reel.
func stampOf(r *reel.Reel, clips []reel.Clip) int64 {
	s, err := engine.Bounds(r, clips)
	if err != nil {
		return 0
	}
	return max(0, s.Start)
}
