package api

import (
	"archive/zip"
	"fmt"
	"io"
	"mime"
	"net/http"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"zestyloom/core/fault"
	"zestyloom/internal/store"
)

// StartBatch queues the writing of files of many takes.
func (s *Server) StartBatch(c *gin.Context, id ProductionID, _ StartBatchParams) {
	var body BatchRequest
	if !s.read(c, &body) {
		return
	}
	if body.Kind != "unravel" && body.Kind != "ply" {
		s.fail(c, fault.New(fault.BadInput, "A batch unravels or plies, it can't %q", body.Kind))
		return
	}
	work, err := s.Jobs.Batch(c, id, body.Kind, body.Takes, body.Settings)
	s.answer(c, http.StatusAccepted, gin.H{"work": work}, err)
}

// writtenFile is a file of a batch and where it lies.
type writtenFile struct {
	store.WrittenFile
	key string
}

// written gives the files of a batch that are there.
func (s *Server) written(c *gin.Context, id string) (w store.Work, files []writtenFile, ok bool) {
	w, err := s.Store.Work(c, id)
	if err != nil {
		s.fail(c, err)
		return w, nil, false
	}
	for _, o := range w.Report {
		for _, f := range o.Files {
			files = append(files, writtenFile{f, o.Folder + "/" + f.Name})
		}
	}
	return w, files, true
}

// GetWrittenFile sends one file of a batch, also in parts.
func (s *Server) GetWrittenFile(c *gin.Context, id WorkID, name string) {
	w, files, ok := s.written(c, id)
	if !ok {
		return
	}
	for _, f := range files {
		if f.Name == name {
			s.send(c, f.key, name, "", w.CreatedAt)
			return
		}
	}
	s.fail(c, fault.New(fault.NotFound, "This work wrote no file %q", name))
}

// GetBatchArchive sends all files of a batch, with a list of what could not be done.
func (s *Server) GetBatchArchive(c *gin.Context, id WorkID) {
	w, files, ok := s.written(c, id)
	if !ok {
		return
	}
	if len(files) == 0 {
		s.fail(c, fault.New(fault.NotFound, "This work has written no files"))
		return
	}
	a := s.archive(c, w.Title, w.CreatedAt)
	for _, f := range files {
		a.file(f.key, f.Name, f.Size, "")
	}
	var undone strings.Builder
	for _, o := range w.Report {
		if !o.OK {
			fmt.Fprintf(&undone, "%s: %s\r\n", o.Title, o.Message)
		}
	}
	if undone.Len() > 0 {
		a.add("could not be done.txt", strings.NewReader(undone.String()))
	}
	a.close()
}

// attachment has the browser save what is sent under a name, which may have letters of any language.
func attachment(name string) string {
	if d := mime.FormatMediaType("attachment", map[string]string{"filename": fileName(name)}); d != "" {
		return d
	}
	return "attachment"
}

// send sends a file of the media, whose SHA-256 is sum; empty where it is not known.
func (s *Server) send(c *gin.Context, key, name, sum string, at time.Time) {
	f, size, err := s.Media.Open(key)
	if err != nil {
		s.fail(c, err)
		return
	}
	defer f.Close()
	c.Header("Content-Disposition", attachment(name))
	kind := "application/octet-stream"
	if strings.HasSuffix(name, ".wav") {
		kind = "audio/wav"
	}
	c.Header("Content-Type", kind)
	if sum != "" {
		c.Header("ETag", `"`+sum+`"`)
	}
	http.ServeContent(c.Writer, c.Request, "", at, newProven(f, name, size, sum))
}

// archive is a ZIP on its way to the browser. After an error nothing more is added.
type archive struct {
	server *Server
	c      *gin.Context
	zip    *zip.Writer
	at     time.Time
	err    error
}

func (s *Server) archive(c *gin.Context, name string, at time.Time) *archive {
	c.Header("Content-Type", "application/zip")
	c.Header("Content-Disposition", attachment(name+".zip"))
	return &archive{server: s, c: c, zip: zip.NewWriter(c.Writer), at: at}
}

// add stores: sound hardly shrinks, and a damaged archive still gives its files.
func (a *archive) add(name string, from io.Reader) {
	if a.err != nil {
		return
	}
	var w io.Writer
	if w, a.err = a.zip.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Store, Modified: a.at}); a.err == nil {
		_, a.err = io.Copy(w, from)
	}
}

// file adds a file of the media, which must have the size in bytes that it was written with, and the SHA-256 where that is known.
func (a *archive) file(key, name string, size int64, sum string) {
	if a.err != nil {
		return
	}
	f, now, err := a.server.Media.Open(key)
	if err == nil && now != size {
		f.Close()
		err = fault.New(fault.Damaged, "%s has %d bytes on the disk and was written with %d", name, now, size)
	}
	if err != nil {
		a.err = err
		return
	}
	defer f.Close()
	a.add(name, newProven(f, name, size, sum))
}

func (a *archive) close() {
	if a.err == nil {
		a.err = a.zip.Close()
	}
	if a.err != nil && a.c.Request.Context().Err() == nil {
		a.server.Log.Error("sending an archive", "path", a.c.Request.URL.Path, "error", a.err)
		panic(http.ErrAbortHandler) // the browser must see a broken download, not a short file
	}
}
