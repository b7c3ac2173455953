package jobs

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"path"
	"slices"

	"zestyloom/core/diagnose"
	"zestyloom/core/fault"
	"zestyloom/core/overview"
	"zestyloom/core/take"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
	"zestyloom/internal/cards"
	"zestyloom/internal/intake"
	"zestyloom/internal/library"
	"zestyloom/internal/media"
	"zestyloom/internal/store"
)

// importArgs say where a file comes from: a card of the server or an upload.
type importArgs struct {
	Card   string `json:"card,omitempty"`
	Path   string `json:"path,omitempty"`
	Upload string `json:"upload,omitempty"` // name of the file in the uploads folder
	Media  string `json:"media,omitempty"`  // key of a file that is there already
	Name   string `json:"name"`
	Size   int64  `json:"size,omitempty"`  // in bytes, of a file that is on its way
	Again  bool   `json:"again,omitempty"` // it is wanted although the production has it
}

// ImportCard queues a file of a card.
func (r *Runner) ImportCard(ctx context.Context, production, card, file string) (string, error) {
	return r.add(ctx, production, "import", cards.Name(file), importArgs{Card: card, Path: file, Name: cards.Name(file)}, nil)
}

// ImportMedia queues a file that lies in the media already; it is copied.
func (r *Runner) ImportMedia(ctx context.Context, production, key string) (string, error) {
	return r.add(ctx, production, "import", path.Base(key), importArgs{Media: key, Name: path.Base(key)}, nil)
}

// bringIn makes a file a take, or several where it has several streams of sound, unless this very work has done so
// before it was interrupted, and then finds out what is on the channels. Once there are takes their files are never
// written or removed again.
func (a *attempt) bringIn(ctx context.Context) (end store.End, err error) {
	var args importArgs
	if err := json.Unmarshal(a.Args, &args); err != nil {
		return end, err
	}
	takes, err := a.Store.TakesOfWork(ctx, a.ID)
	if err == nil && len(takes) == 0 {
		takes, err = a.makeTakes(ctx, args)
	}
	if twin := (store.Twin{}); errors.As(err, &twin) {
		if err := a.Library.Clear(ctx, []string{"sources/" + a.claim.Token}); err != nil {
			a.Log.Warn("a file that was not taken in could not be removed", "work", a.ID, "error", err)
		}
		end = said("The production has this very file already, as %s; it was not taken in twice", twin.Title)
		end.Result, end.Offer = &twin.Take, "again"
		return end, nil
	}
	if err != nil {
		return end, err
	}
	report := a.progress(ctx, 0.7, 1)
	for i, t := range takes {
		err := a.diagnose(ctx, t, func(share float64) { report((float64(i) + share) / float64(len(takes))) })
		if err != nil {
			return end, err
		}
	}
	if args.Upload != "" { // only now: until all is done, work that is interrupted begins again with the upload
		a.dropUpload(args.Upload)
	}
	end.Result = &takes[0].ID
	if w := takes[0].Description.Warnings; len(w) > 0 {
		end.Message = w[0].Message
	}
	return end, nil
}

// makeTakes copies a file into the media, reads what it is, takes out what can't be read in place, draws overviews,
// publishes what it has written and stores the takes. Where that fails, what was published stays until Sweep has asked
// whether it is used: the answer of the database may have been lost.
func (a *attempt) makeTakes(ctx context.Context, args importArgs) (takes []store.Take, err error) {
	folder := "sources/" + a.claim.Token
	key := library.SourceKey(folder, args.Name)
	file := store.Take{Production: a.Production, FileName: args.Name, MediaKey: folder}
	if file.CameFrom, file.SHA256, file.Size, err = a.fetch(ctx, args, key); err != nil {
		return nil, err
	}
	local, err := a.Media.Path(a.staged(key))
	if err != nil {
		return nil, err
	}
	contents, err := intake.Probe(ctx, local, args.Name)
	if err != nil {
		return nil, err
	}
	from := cmp.Or(args.Path, args.Name)
	if contents.Movie != nil {
		m := contents.Movie
		file.Picture = &store.Picture{Codec: m.Codec, Width: m.Width, Height: m.Height, FrameRate: m.FrameRate,
			ProxyKey: library.ProxyKey(folder)}
		proxy, err := a.Media.Path(a.staged(file.Picture.ProxyKey))
		if err != nil {
			return nil, err
		}
		seconds, err := intake.Proxy(ctx, local, *m, proxy, a.progress(ctx, 0.3, 0.5))
		if err != nil {
			return nil, err
		}
		if len(contents.Streams) == 0 {
			file.Description, file.Channels = m.Describe(args.Name), []store.Channel{}
			if missing := m.Seconds - seconds; missing > 0.5 {
				file.Description.Frames = int64(seconds * 48000)
				cutShort(&file.Description, "picture", int64(m.Seconds*48000))
			}
			file.Kind = take.KindOf(file.Description, from)
			takes = append(takes, file)
		}
	}
	for _, s := range contents.Streams {
		t := file
		if s.Index > 0 {
			t.Picture = nil // it belongs to the first
		}
		if err := a.sound(ctx, &t, s, contents.Direct, local, key); err != nil {
			return nil, err
		}
		t.Kind = take.KindOf(t.Description, from)
		takes = append(takes, t)
	}
	if err := a.publishTakes(ctx, folder, takes...); err != nil {
		return nil, err
	}
	return takes, persist(ctx, func() error {
		ids, err := a.Store.AddTakes(ctx, a.claim, takes, args.Again)
		for i := range ids {
			takes[i].ID = ids[i]
		}
		return err
	})
}

// sound makes a stream's samples readable and surveys them.
func (a *attempt) sound(ctx context.Context, t *store.Take, s intake.Stream, direct bool, local, key string) error {
	t.Stream, t.SoundKey, t.Description = s.Index, key, s.Description
	if !direct {
		t.SoundKey = library.SoundKey(t.MediaKey, s.Index)
		out, err := a.Media.Path(a.staged(t.SoundKey))
		if err != nil {
			return err
		}
		doubts, err := intake.Extract(ctx, local, s, out, a.progress(ctx, 0.3, 0.5))
		if err != nil {
			return media.Explain(err)
		}
		t.Description.Warnings = slices.Concat(t.Description.Warnings, doubts)
	}
	src, stored, done, err := a.openStaged(ctx, t.SoundKey)
	if err != nil {
		return err
	}
	defer done()
	t.Sound = &stored
	if src.Frames == 0 {
		return fault.New(fault.BadInput, "The file is a sound file without any sound in it")
	}
	if !direct { // what was found counts, not what the container claimed
		if err := found(&t.Description, src); err != nil {
			return err
		}
	}
	levels, warnings, err := a.overview(ctx, src, t.MediaKey, s.Index, a.progress(ctx, 0.5, 0.7))
	if err != nil {
		return err
	}
	t.Description.Warnings = append(t.Description.Warnings, warnings...)
	t.Channels = nil
	for i, track := range t.Description.Tracks {
		t.Channels = append(t.Channels, store.Channel{Track: track, Level: levels[i], Empty: levels[i].Empty(), FileName: track.Name})
	}
	return nil
}

// found puts what extracting a stream has found into its description, and warns where that is less than was claimed.
func found(d *take.Description, src *wave.File) error {
	if src.Channels != d.Channels {
		return fault.New(fault.Damaged, "The file says it has %d channels, but there are %d", d.Channels, src.Channels)
	}
	claimed := d.Frames
	d.Frames, d.SampleRate, d.Encoding, d.BitDepth = src.Frames, src.SampleRate, src.Encoding, src.BitDepth
	d.Recovered, d.Warnings = src.Recovered, append(append([]take.Warning{}, d.Warnings...), src.Warnings...)
	// Containers count in ticks of their own, and coded sound in packets, so a little less is no damage.
	if missing := claimed - d.Frames; missing > int64(d.SampleRate)/4 {
		cutShort(d, "sound", claimed)
	}
	return nil
}

// cutShort warns that a file has less than it claims, in frames at the description's rate.
func cutShort(d *take.Description, what string, claimed int64) {
	w := take.Warning{Code: "cut-short", Message: fmt.Sprintf("The file says that its %s is %s long, but it breaks off after %s; the rest is missing",
		what, timecode.Clock(claimed, d.SampleRate), timecode.Clock(d.Frames, d.SampleRate))}
	d.Recovered, d.Warnings = true, append([]take.Warning{w}, d.Warnings...)
}

// openStaged opens a WAVE file that this attempt has written, synced to the disk, and says what it is. The caller calls
// done.
func (a *attempt) openStaged(ctx context.Context, key string) (src *wave.File, stored store.Stored, done func(), err error) {
	f, size, err := a.Media.Open(a.staged(key))
	if err != nil {
		return nil, stored, nil, err
	}
	defer func() {
		if err != nil {
			f.Close()
		}
	}()
	if err := f.Sync(); err != nil {
		return nil, stored, nil, media.Explain(err)
	}
	info, err := f.Stat()
	if err != nil {
		return nil, stored, nil, err
	}
	sum, err := media.Hash(ctx, f)
	if err != nil {
		return nil, stored, nil, err
	}
	src, err = wave.Open(f, size)
	return src, store.Stored{Size: size, SHA256: sum, Modified: info.ModTime()}, func() { f.Close() }, err
}

// fetch brings the bytes under a key and gives where they came from, their SHA-256 and their number. An upload is
// copied, not moved, so that work which is interrupted finds it again.
func (a *attempt) fetch(ctx context.Context, args importArgs, key string) (cameFrom, sum string, size int64, err error) {
	var from io.ReadCloser
	var claimed int64
	if args.Media != "" {
		cameFrom = "desk/" + args.Name
		from, claimed, err = a.Media.Open(args.Media)
	} else if args.Card != "" {
		cameFrom = args.Card + "/" + args.Path
		from, claimed, err = a.Cards.Open(args.Card, args.Path)
	} else {
		cameFrom = args.Name
		from, claimed, err = a.openUpload(args.Upload)
	}
	if err != nil {
		return "", "", 0, err
	}
	defer from.Close()
	if err := a.Room(claimed); err != nil {
		return "", "", 0, err
	}
	to, err := a.Media.Create(a.staged(key))
	if err != nil {
		return "", "", 0, err
	}
	defer to.Close()
	hash := sha256.New()
	report := a.progress(ctx, 0, 0.3)
	buf := make([]byte, 1<<20)
	for {
		if err := ctx.Err(); err != nil {
			return "", "", 0, fault.Wrap(fault.Cancelled, err, "Taking the file in was stopped")
		}
		n, readErr := from.Read(buf)
		if n > 0 {
			hash.Write(buf[:n])
			if _, err := to.Write(buf[:n]); err != nil {
				return "", "", 0, err
			}
			size += int64(n)
			report(float64(size) / float64(max(claimed, 1)))
		}
		if readErr == io.EOF {
			break
		}
		if readErr != nil {
			return "", "", 0, fault.Wrap(fault.Damaged, readErr, "%s can't be read to its end; is the card still in?", args.Name)
		}
	}
	return cameFrom, hex.EncodeToString(hash.Sum(nil)), size, to.Sync()
}

// overview draws the overview of a sound that will lie in a folder.
func (a *attempt) overview(ctx context.Context, src *wave.File, folder string, stream int, progress func(float64)) ([]overview.Level,
	[]take.Warning, error) {
	at := func(level int) string { return a.staged(library.OverviewKey(folder, stream, level)) }
	return library.Draw(ctx, a.Media, src, at, progress)
}

// diagnoseFrames is how many frames are looked at together.
const diagnoseFrames = 8192

// diagnose finds out what is on the channels of a take that is in the list already.
func (r *Runner) diagnose(ctx context.Context, t store.Take, progress func(float64)) error {
	if len(t.Channels) == 0 {
		return nil
	}
	session := r.Library.Session(ctx)
	defer session.Close()
	src, err := session.OpenTake(t)
	if err != nil {
		return err
	}
	a := diagnose.New(src.SampleRate, t.Description.Names())
	err = src.EachBlock(diagnoseFrames, func(at int64, block [][]float64) error {
		a.Write(block)
		progress(float64(at) / float64(src.Frames))
		return ctx.Err()
	})
	if err != nil {
		return err
	}
	return r.Store.SetFindings(ctx, t.ID, a.Findings())
}

// Gather joins the files of a production that belong together once no more are on their way, and has the channels of
// what came of it looked at together.
func (r *Runner) Gather(ctx context.Context, production string) error {
	if n, err := r.Store.OpenImports(ctx, production); err != nil || n > 0 {
		return err
	}
	made, err := r.Store.Gather(ctx, production)
	for _, id := range made {
		if _, err := r.Diagnose(ctx, production, id); err != nil {
			return err
		}
	}
	return err
}
