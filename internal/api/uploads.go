package api

import (
	"context"
	"errors"
	"io"
	"io/fs"
	"net/http"
	"os"
	"path"
	"strings"
	"unicode"

	"github.com/tus/tusd/v2/pkg/filelocker"
	"github.com/tus/tusd/v2/pkg/filestore"
	tusd "github.com/tus/tusd/v2/pkg/handler"
	"golang.org/x/exp/slog"

	"zestyloom/core/fault"
	"zestyloom/internal/media"
)

// uploads answers resumable uploads (the tus protocol). An upload names its production and its file; once whole it is
// queued as an import.
func (s *Server) uploads() (http.Handler, error) {
	if err := os.MkdirAll(s.Uploads, 0o755); err != nil {
		return nil, err
	}
	quiet := slog.New(slog.NewTextHandler(io.Discard, nil)) // what goes wrong is told to the browser, and below
	composer := tusd.NewStoreComposer()
	files := explained{filestore.New(s.Uploads)}
	composer.UseCore(files)
	composer.UseTerminater(files)
	filelocker.New(s.Uploads).UseIn(composer)
	return tusd.NewHandler(tusd.Config{
		BasePath: Base + "/uploads/", StoreComposer: composer, Logger: quiet, DisableDownload: true, DisableConcatenation: true,
		MaxSize: maxUpload,
		Cors:    &tusd.CorsConfig{Disable: true},
		PreUploadCreateCallback: func(h tusd.HookEvent) (tusd.HTTPResponse, tusd.FileInfoChanges, error) {
			id, err := s.beginUpload(h)
			if err != nil {
				return refuse(err)
			}
			return tusd.HTTPResponse{}, tusd.FileInfoChanges{ID: id}, nil
		},
		PreFinishResponseCallback: func(h tusd.HookEvent) (tusd.HTTPResponse, error) {
			// Where the database does not answer, the file is found whole later on and taken in all the same.
			if err := s.Jobs.EndUpload(h.Context, h.Upload.ID); err != nil {
				s.Log.Warn("an upload is whole but could not be queued yet", "upload", h.Upload.ID, "error", err)
			}
			return tusd.HTTPResponse{Header: tusd.HTTPHeader{"Loom-Work": h.Upload.ID}}, nil
		},
		PreUploadTerminateCallback: func(h tusd.HookEvent) (tusd.HTTPResponse, error) {
			if err := s.Store.RemoveArriving(h.Context, h.Upload.ID); err != nil {
				_, _, err = refuse(err)
				return tusd.HTTPResponse{}, err
			}
			return tusd.HTTPResponse{}, nil
		},
	})
}

// maxUpload is the size of the largest file that is taken, in bytes.
const maxUpload = 1 << 40

// beginUpload refuses what can't be taken in before its first byte comes, and gives the ID that the upload gets.
func (s *Server) beginUpload(h tusd.HookEvent) (string, error) {
	name := fileName(h.Upload.MetaData["filename"])
	switch {
	case name == "":
		return "", fault.New(fault.BadInput, "The upload does not say what the file is called")
	case h.HTTPRequest.Header.Get("Upload-Concat") != "":
		return "", fault.New(fault.Unsupported, "Files are sent in one piece; parts that are put together at the end are not taken")
	case h.Upload.SizeIsDeferred:
		return "", fault.New(fault.BadInput, "The upload does not say how large %s is", name)
	case h.Upload.Size == 0:
		return "", fault.New(fault.BadInput, "%s is empty", name)
	}
	// Once here, and once more as a take.
	if err := s.Jobs.Room(2 * h.Upload.Size); err != nil {
		return "", err
	}
	return s.Jobs.BeginUpload(h.Context, h.Upload.MetaData["production"], name, h.Upload.Size)
}

// refuse tells the uploading browser in plain words why.
func refuse(err error) (tusd.HTTPResponse, tusd.FileInfoChanges, error) {
	status, known := statusOf[fault.KindOf(err)]
	if !known {
		status = http.StatusInternalServerError
	}
	return tusd.HTTPResponse{}, tusd.FileInfoChanges{}, tusd.NewError("ERR_REFUSED", fault.Sentence(err), status)
}

// fileName is the last part of a file's name as somebody sent it, without characters that control how text is shown,
// at most 200 of them.
func fileName(sent string) string {
	name := path.Base(strings.ReplaceAll(strings.ToValidUTF8(sent, "_"), "\\", "/"))
	name = strings.TrimSpace(strings.Map(func(r rune) rune {
		if unicode.IsControl(r) || unicode.Is(unicode.Cf, r) {
			return -1
		}
		return r
	}, name))
	if name == "." || name == ".." || name == "/" {
		return ""
	}
	if runes := []rune(name); len(runes) > 200 {
		end := path.Ext(name)
		if len(end) > 20 {
			end = ""
		}
		name = string(runes[:200-len(end)]) + end
	}
	return name
}

// explained is the store of uploads; what goes wrong on the disk it says in plain words, without paths.
type explained struct{ filestore.FileStore }

func (e explained) NewUpload(ctx context.Context, info tusd.FileInfo) (tusd.Upload, error) {
	u, err := e.FileStore.NewUpload(ctx, info)
	return explainedUpload{u}, plainly(err)
}

func (e explained) GetUpload(ctx context.Context, id string) (tusd.Upload, error) {
	u, err := e.FileStore.GetUpload(ctx, id)
	return explainedUpload{u}, plainly(err)
}

func (e explained) AsTerminatableUpload(u tusd.Upload) tusd.TerminatableUpload {
	return e.FileStore.AsTerminatableUpload(u.(explainedUpload).Upload)
}

type explainedUpload struct{ tusd.Upload }

func (u explainedUpload) WriteChunk(ctx context.Context, offset int64, src io.Reader) (int64, error) {
	n, err := u.Upload.WriteChunk(ctx, offset, src)
	return n, plainly(err)
}

func (u explainedUpload) FinishUpload(ctx context.Context) error {
	return plainly(u.Upload.FinishUpload(ctx))
}

// plainly gives errors of the disk a status and a sentence; those of the protocol have theirs.
func plainly(err error) error {
	var disk *fs.PathError
	if !errors.As(err, &disk) {
		return err
	}
	explained := media.Explain(err)
	if fault.KindOf(explained) == "" {
		explained = fault.New("", "The server could not keep what was sent; its log says more. What arrived before is there; try again")
	}
	_, _, err = refuse(explained)
	return err
}
