package api

import (
	"io"
	"net/http"
	"os"
	"path/filepath"

	"github.com/tus/tusd/v2/pkg/filelocker"
	"github.com/tus/tusd/v2/pkg/filestore"
	tusd "github.com/tus/tusd/v2/pkg/handler"
	"golang.org/x/exp/slog"

	"zestyloom/core/fault"
)

// uploads answers resumable uploads (the tus protocol). An upload names its production and its file; once whole it is
// queued as an import.
func (s *Server) uploads() (http.Handler, error) {
	if err := os.MkdirAll(s.Uploads, 0o755); err != nil {
		return nil, err
	}
	quiet := slog.New(slog.NewTextHandler(io.Discard, nil)) // what goes wrong is told to the browser, and below
	composer := tusd.NewStoreComposer()
	filestore.New(s.Uploads).UseIn(composer)
	filelocker.New(s.Uploads).UseIn(composer)
	return tusd.NewHandler(tusd.Config{
		BasePath: Base + "/uploads/", StoreComposer: composer, Logger: quiet, DisableDownload: true,
		Cors: &tusd.CorsConfig{Disable: true},
		PreUploadCreateCallback: func(h tusd.HookEvent) (tusd.HTTPResponse, tusd.FileInfoChanges, error) {
			if h.Upload.MetaData["filename"] == "" {
				return refuse(fault.New(fault.BadInput, "The upload does not say what the file is called"))
			}
			if h.Upload.Size == 0 {
				return refuse(fault.New(fault.BadInput, "%s is empty", filepath.Base(h.Upload.MetaData["filename"])))
			}
			if _, err := s.Store.Production(h.Context, h.Upload.MetaData["production"]); err != nil {
				return refuse(err)
			}
			return tusd.HTTPResponse{}, tusd.FileInfoChanges{}, nil
		},
		PreFinishResponseCallback: func(h tusd.HookEvent) (tusd.HTTPResponse, error) {
			work, err := s.Jobs.ImportUpload(h.Context, h.Upload.MetaData["production"], h.Upload.ID, filepath.Base(h.Upload.MetaData["filename"]))
			return tusd.HTTPResponse{Header: tusd.HTTPHeader{"Loom-Work": work}}, err
		},
	})
}

// refuse tells the uploading browser in plain words why.
func refuse(err error) (tusd.HTTPResponse, tusd.FileInfoChanges, error) {
	status, known := statusOf[fault.KindOf(err)]
	if !known {
		status = http.StatusInternalServerError
	}
	return tusd.HTTPResponse{}, tusd.FileInfoChanges{}, tusd.NewError("ERR_REFUSED", fault.Sentence(err), status)
}
