// Package library opens the files of takes.
//
// In: a take's ID. Out: its wave.File, open until the Session is closed. Begin reading at Library.
package library

import (
	"context"
	"fmt"
	"os"
	"sync"

	"zestyloom/core/fault"
	"zestyloom/core/take"
	"zestyloom/core/wave"
	"zestyloom/internal/media"
	"zestyloom/internal/store"
)

// SourceKey and OverviewKey say where the files of a take lie.
func SourceKey(folder string) string { return folder + "/source.wav" }

// OverviewKey is the key of one resolution of an overview: an index into take.OverviewFrames.
func OverviewKey(folder string, level int) string {
	return fmt.Sprintf("%s/overview.%d", folder, take.OverviewFrames[level])
}

// Library knows where takes and their bytes are.
type Library struct {
	Store *store.Store
	Media *media.Folder
}

// Session holds open files.
type Session struct {
	library Library
	ctx     context.Context
	mu      sync.Mutex
	files   []*os.File
}

// Session starts one; ctx bounds its look-ups.
func (l Library) Session(ctx context.Context) *Session { return &Session{library: l, ctx: ctx} }

// Open opens a take. It is an engine.Opener.
func (s *Session) Open(id string) (*wave.File, error) {
	t, err := s.library.Store.Take(s.ctx, id)
	if err != nil {
		return nil, err
	}
	f, size, err := s.library.Media.Open(SourceKey(t.MediaKey))
	if err != nil {
		return nil, fault.Wrap(fault.NotFound, err, "The sound of %s is no longer on the server's disk", t.Title())
	}
	s.mu.Lock()
	s.files = append(s.files, f)
	s.mu.Unlock()
	return wave.Open(f, size)
}

// Close closes all files.
func (s *Session) Close() {
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, f := range s.files {
		f.Close()
	}
	s.files = nil
}
