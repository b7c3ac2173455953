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

	"zestyloom/core/diagnose"
	"zestyloom/core/fault"
	"zestyloom/core/take"
	"zestyloom/core/wave"
	"zestyloom/internal/library"
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

// bringIn makes a file a take, unless this very work has done so before it was stopped or interrupted, and then finds
// out what is on its channels. Once there is a take its files are never written or removed again.
func (r *Runner) bringIn(ctx context.Context, w store.Work) (result *string, message string, err error) {
	var args importArgs
	if err := json.Unmarshal(w.Args, &args); err != nil {
		return nil, "", err
	}
	folder := "sources/" + w.ID
	t, err := r.Store.TakeOfMedia(ctx, folder)
	if fault.KindOf(err) == fault.NotFound {
		t, err = r.makeTake(ctx, w, args, folder)
	}
	if err != nil {
		return nil, "", err
	}
	if err := r.diagnose(ctx, w, t); err != nil {
		return nil, "", err
	}
	if args.Upload != "" { // only now: until all is done, work that is interrupted begins again with the upload
		r.dropUpload(args.Upload)
	}
	if n := len(t.Description.Warnings); n > 0 {
		message = t.Description.Warnings[0].Message
	}
	return &t.ID, message, nil
}

// makeTake copies a file into the media, reads what it is, draws its overview and stores it as a take. Where that
// fails nothing of it is left.
func (r *Runner) makeTake(ctx context.Context, w store.Work, args importArgs, folder string) (t store.Take, err error) {
	defer func() {
		if err != nil {
			_ = r.Media.RemoveAll(folder)
		}
	}()
	t = store.Take{Production: w.Production, FileName: args.Name, MediaKey: folder}
	if t.CameFrom, t.SHA256, err = r.fetch(ctx, w, args, library.SourceKey(folder)); err != nil {
		return t, err
	}
	f, size, err := r.Media.Open(library.SourceKey(folder))
	if err != nil {
		return t, err
	}
	defer f.Close()
	src, err := wave.Open(f, size)
	if err != nil {
		return t, err
	}
	if src.Frames == 0 {
		return t, fault.New(fault.BadInput, "The file is a WAVE file without any sound in it")
	}
	t.Size = size
	t.Description = take.Describe(src, args.Name)
	t.Kind = take.KindOf(t.Description, cmp.Or(args.Path, args.Name))
	levels, err := r.overview(ctx, w, src, folder)
	if err != nil {
		return t, err
	}
	for i, track := range t.Description.Tracks {
		t.Channels = append(t.Channels, store.Channel{Track: track, Level: levels[i], Empty: levels[i].Empty(), FileName: track.Name})
	}
	t.ID, err = r.Store.AddTake(ctx, t)
	return t, err
}

// fetch brings the bytes under a key and gives where they came from and their SHA-256. An upload is copied, not moved,
// so that work which is interrupted finds it again.
func (r *Runner) fetch(ctx context.Context, w store.Work, args importArgs, key string) (cameFrom, sum string, err error) {
	var from io.ReadCloser
	var size int64
	if args.Card != "" {
		cameFrom = args.Card + "/" + args.Path
		from, size, err = r.Cards.Open(args.Card, args.Path)
	} else {
		cameFrom = args.Name
		from, size, err = r.openUpload(args.Upload)
	}
	if err != nil {
		return "", "", err
	}
	defer from.Close()
	to, err := r.Media.Create(key)
	if err != nil {
		return "", "", err
	}
	defer to.Close()
	hash := sha256.New()
	report := r.progress(ctx, w.ID, 0, 0.4)
	buf := make([]byte, 1<<20)
	var done int64
	for {
		if err := ctx.Err(); err != nil {
			return "", "", fault.Wrap(fault.Cancelled, err, "Taking the file in was stopped")
		}
		n, readErr := from.Read(buf)
		if n > 0 {
			hash.Write(buf[:n])
			if _, err := to.Write(buf[:n]); err != nil {
				return "", "", err
			}
			done += int64(n)
			report(float64(done) / float64(max(size, 1)))
		}
		if readErr == io.EOF {
			break
		}
		if readErr != nil {
			return "", "", fault.Wrap(fault.Damaged, readErr, "%s can't be read to its end; is the card still in?", args.Name)
		}
	}
	return cameFrom, hex.EncodeToString(hash.Sum(nil)), to.Sync()
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

func (r *Runner) overview(ctx context.Context, w store.Work, src *wave.File, folder string) ([]take.Level, error) {
	writers := make([]io.Writer, len(take.OverviewFrames))
	for i := range writers {
		f, err := r.Media.Create(library.OverviewKey(folder, i))
		if err != nil {
			return nil, err
		}
		defer f.Close()
		writers[i] = f
	}
	return take.Survey(ctx, src, writers, r.progress(ctx, w.ID, 0.4, 0.7))
}

// diagnoseFrames is how many frames are looked at together.
const diagnoseFrames = 8192

// diagnose finds out what is on the channels of a take that is in the list already.
func (r *Runner) diagnose(ctx context.Context, w store.Work, t store.Take) error {
	session := r.Library.Session(ctx)
	defer session.Close()
	src, err := session.Open(t.ID)
	if err != nil {
		return err
	}
	a := diagnose.New(src.SampleRate, t.Description.Names())
	report := r.progress(ctx, w.ID, 0.7, 1)
	err = src.EachBlock(diagnoseFrames, func(at int64, block [][]float64) error {
		a.Write(block)
		report(float64(at) / float64(src.Frames))
		return ctx.Err()
	})
	if err != nil {
		return err
	}
	return r.Store.SetFindings(ctx, t.ID, a.Findings())
}
