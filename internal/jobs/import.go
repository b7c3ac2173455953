package jobs

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"io"
	"os"
	"path"
	"path/filepath"
	"regexp"
	"strings"

	"zestyloom/core/diagnose"
	"zestyloom/core/fault"
	"zestyloom/core/take"
	"zestyloom/core/wave"
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
	Name   string `json:"name"`
}

// ImportCard queues a file of a card.
func (r *Runner) ImportCard(ctx context.Context, production, card, file string) (string, error) {
	return r.add(ctx, production, "import", path.Base(file), importArgs{Card: card, Path: file, Name: path.Base(file)}, nil)
}

// ImportUpload queues a file that was uploaded whole.
func (r *Runner) ImportUpload(ctx context.Context, production, upload, name string) (string, error) {
	return r.add(ctx, production, "import", path.Base(name), importArgs{Upload: upload, Name: path.Base(name)}, nil)
}

// bringIn makes a file a take, or several where it has several streams of sound, unless this very work has done so
// before it was stopped or interrupted, and then finds out what is on the channels. Once there are takes their files
// are never written or removed again.
func (r *Runner) bringIn(ctx context.Context, w store.Work) (result *string, message string, err error) {
	var args importArgs
	if err := json.Unmarshal(w.Args, &args); err != nil {
		return nil, "", err
	}
	folder := "sources/" + w.ID
	takes, err := r.Store.TakesOfMedia(ctx, folder)
	if err == nil && len(takes) == 0 {
		takes, err = r.makeTakes(ctx, w, args, folder)
	}
	if err != nil {
		return nil, "", err
	}
	report := r.progress(ctx, w.ID, 0.7, 1)
	for i, t := range takes {
		err := r.diagnose(ctx, t, func(share float64) { report((float64(i) + share) / float64(len(takes))) })
		if err != nil {
			return nil, "", err
		}
	}
	if args.Upload != "" { // only now: until all is done, work that is interrupted begins again with the upload
		r.dropUpload(args.Upload)
	}
	if n := len(takes[0].Description.Warnings); n > 0 {
		message = takes[0].Description.Warnings[0].Message
	}
	return &takes[0].ID, message, nil
}

// ending is what a file's name may end in, as part of a key.
var ending = regexp.MustCompile(`^\.[a-z0-9]{1,5}$`)

// makeTakes copies a file into the media, reads what it is, takes out what can't be read in place, draws overviews and
// stores the takes. Where that fails nothing of it is left.
func (r *Runner) makeTakes(ctx context.Context, w store.Work, args importArgs, folder string) (takes []store.Take, err error) {
	defer func() {
		if err != nil {
			_ = r.Media.RemoveAll(folder)
		}
	}()
	end := strings.ToLower(path.Ext(args.Name))
	if !ending.MatchString(end) {
		end = ".wav"
	}
	key := library.SourceKey(folder, end)
	file := store.Take{Production: w.Production, FileName: args.Name, MediaKey: folder}
	if file.CameFrom, file.SHA256, file.Size, err = r.fetch(ctx, w, args, key); err != nil {
		return nil, err
	}
	local, err := r.Media.Path(key)
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
		file.Picture = &store.Picture{Codec: m.Codec, Width: m.Width, Height: m.Height, FrameRate: m.FrameRate, ProxyKey: library.ProxyKey(folder)}
		proxy, err := r.Media.Path(file.Picture.ProxyKey)
		if err != nil {
			return nil, err
		}
		if err := intake.Proxy(ctx, local, *m, proxy, r.progress(ctx, w.ID, 0.3, 0.5)); err != nil {
			return nil, err
		}
		if len(contents.Streams) == 0 {
			file.Description, file.Channels = m.Describe(args.Name), []store.Channel{}
			file.Kind = take.KindOf(file.Description, from)
			takes = append(takes, file)
		}
	}
	for _, s := range contents.Streams {
		t := file
		if s.Index > 0 {
			t.Picture = nil // it belongs to the first
		}
		if err := r.sound(ctx, w, &t, s, contents.Direct, local, key); err != nil {
			return nil, err
		}
		t.Kind = take.KindOf(t.Description, from)
		takes = append(takes, t)
	}
	ids, err := r.Store.AddTakes(ctx, takes)
	for i := range ids {
		takes[i].ID = ids[i]
	}
	return takes, err
}

// sound makes a stream's samples readable and surveys them.
func (r *Runner) sound(ctx context.Context, w store.Work, t *store.Take, s intake.Stream, direct bool, local, key string) error {
	t.Stream, t.SoundKey, t.Description = s.Index, key, s.Description
	if !direct {
		t.SoundKey = library.SoundKey(t.MediaKey, s.Index)
		out, err := r.Media.Path(t.SoundKey)
		if err != nil {
			return err
		}
		if err := intake.Extract(ctx, local, s, out, r.progress(ctx, w.ID, 0.3, 0.5)); err != nil {
			return media.Explain(err)
		}
	}
	f, size, err := r.Media.Open(t.SoundKey)
	if err != nil {
		return err
	}
	defer f.Close()
	src, err := wave.Open(f, size)
	if err != nil {
		return err
	}
	if src.Frames == 0 {
		return fault.New(fault.BadInput, "The file is a sound file without any sound in it")
	}
	if !direct { // what was found counts, not what the container claimed
		d := &t.Description
		d.Frames, d.SampleRate, d.Encoding, d.BitDepth = src.Frames, src.SampleRate, src.Encoding, src.BitDepth
		d.Recovered, d.Warnings = src.Recovered, append([]take.Warning{}, src.Warnings...)
		if src.Channels != d.Channels {
			return fault.New(fault.Damaged, "The file says it has %d channels, but there are %d", d.Channels, src.Channels)
		}
	}
	levels, err := r.overview(ctx, src, t.MediaKey, s.Index, r.progress(ctx, w.ID, 0.5, 0.7))
	if err != nil {
		return err
	}
	t.Channels = nil
	for i, track := range t.Description.Tracks {
		t.Channels = append(t.Channels, store.Channel{Track: track, Level: levels[i], Empty: levels[i].Empty(), FileName: track.Name})
	}
	return nil
}

// fetch brings the bytes under a key and gives where they came from, their SHA-256 and their number. An upload is
// copied, not moved, so that work which is interrupted finds it again.
func (r *Runner) fetch(ctx context.Context, w store.Work, args importArgs, key string) (cameFrom, sum string, size int64, err error) {
	var from io.ReadCloser
	var claimed int64
	if args.Card != "" {
		cameFrom = args.Card + "/" + args.Path
		from, claimed, err = r.Cards.Open(args.Card, args.Path)
	} else {
		cameFrom = args.Name
		from, claimed, err = r.openUpload(args.Upload)
	}
	if err != nil {
		return "", "", 0, err
	}
	defer from.Close()
	to, err := r.Media.Create(key)
	if err != nil {
		return "", "", 0, err
	}
	defer to.Close()
	hash := sha256.New()
	report := r.progress(ctx, w.ID, 0, 0.3)
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

func (r *Runner) openUpload(name string) (io.ReadCloser, int64, error) {
	f, err := os.Open(filepath.Join(r.Uploads, filepath.Base(name)))
	if err != nil {
		return nil, 0, fault.Wrap(fault.NotFound, err, "The upload is no longer on the server; upload the file again")
	}
	info, err := f.Stat()
	if err != nil {
		f.Close()
		return nil, 0, err
	}
	return f, info.Size(), nil
}

// dropUpload removes an upload that has become a take.
func (r *Runner) dropUpload(name string) {
	for _, suffix := range []string{"", ".info", ".lock"} {
		_ = os.Remove(filepath.Join(r.Uploads, filepath.Base(name)+suffix))
	}
}

func (r *Runner) overview(ctx context.Context, src *wave.File, folder string, stream int, progress func(float64)) ([]take.Level, error) {
	writers := make([]io.Writer, len(take.OverviewFrames))
	for i := range writers {
		f, err := r.Media.Create(library.OverviewKey(folder, stream, i))
		if err != nil {
			return nil, err
		}
		defer f.Close()
		writers[i] = f
	}
	return take.Survey(ctx, src, writers, progress)
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
