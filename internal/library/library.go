// Package library opens the files of takes.
//
// In: a take's ID. Out: its wave.File, open until the Session is closed, whether it is one file or several read as one;
// its overview alike. Begin reading at Library.
package library

import (
	"context"
	"fmt"
	"os"
	"path"
	"regexp"
	"strings"
	"sync"

	"zestyloom/core/fault"
	"zestyloom/core/wave"
	"zestyloom/internal/media"
	"zestyloom/internal/store"
)

// ending is what a file's name may end in, as part of a key.
var ending = regexp.MustCompile(`^\.[a-z0-9]{1,5}$`)

// SourceKey is the key of a file of that name as it came, SoundKey that of a stream that was extracted from it, ProxyKey that
// of its picture for the browser.
func SourceKey(folder, name string) string {
	end := strings.ToLower(path.Ext(name))
	if !ending.MatchString(end) {
		end = ".wav"
	}
	return folder + "/source" + end
}

// SoundKey is the key of the extracted sound of a stream, from 0.
func SoundKey(folder string, stream int) string {
	return fmt.Sprintf("%s/sound.%d.wav", folder, stream)
}

// ProxyKey is the key of the small picture.
func ProxyKey(folder string) string { return folder + "/picture.mp4" }

// Library knows where takes and their bytes are.
type Library struct {
	Store *store.Store
	Media *media.Folder
}

// Clear removes folders of media that no take's row names. It asks first; where the database does not answer, they stay.
func (l Library) Clear(ctx context.Context, folders []string) error {
	for _, folder := range folders {
		used, err := l.Store.MediaInUse(ctx, folder)
		if err != nil || used {
			return err
		}
		if err := l.Media.RemoveAll(folder); err != nil {
			return err
		}
	}
	return nil
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
	return s.OpenTake(t)
}

// OpenTake opens a take that has been looked up.
func (s *Session) OpenTake(t store.Take) (*wave.File, error) {
	if t.SoundKey != "" {
		return s.file(t)
	}
	if t.Assembly == nil {
		return nil, fault.New(fault.BadInput, "%s has no sound", t.Title())
	}
	var lanes []*wave.File
	for _, ids := range t.Assembly.Lanes {
		var parts []*wave.File
		for _, id := range ids {
			part, err := s.Open(id)
			if err != nil {
				return nil, err
			}
			parts = append(parts, part)
		}
		lane, err := wave.Joined(parts)
		if err != nil {
			return nil, err
		}
		lanes = append(lanes, lane)
	}
	return wave.Beside(lanes)
}

// Sound tells what the sound of a take is: the same for the same sound; empty where nobody has noted it.
func (s *Session) Sound(id string) (string, error) {
	t, err := s.library.Store.Take(s.ctx, id)
	switch {
	case err != nil:
		return "", err
	case t.SoundKey != "" && t.Sound != nil:
		return t.Sound.SHA256, nil
	case t.SoundKey != "" || t.Assembly == nil:
		return "", nil
	}
	var lanes []string
	for _, ids := range t.Assembly.Lanes {
		var parts []string
		for _, id := range ids {
			part, err := s.Sound(id)
			if err != nil || part == "" {
				return "", err
			}
			parts = append(parts, part)
		}
		lanes = append(lanes, strings.Join(parts, " then "))
	}
	return strings.Join(lanes, " beside "), nil
}

func (s *Session) file(t store.Take) (*wave.File, error) {
	f, size, err := s.library.Media.Open(t.SoundKey)
	if fault.KindOf(err) == fault.NotFound {
		return nil, fault.Wrap(fault.NotFound, err, "The sound of %s is no longer on the server's disk", t.Title())
	}
	if err != nil {
		return nil, err
	}
	s.mu.Lock()
	s.files = append(s.files, f)
	s.mu.Unlock()
	if err := s.same(t, f, size); err != nil {
		return nil, err
	}
	w, err := wave.Open(f, size)
	if err != nil {
		return nil, err
	}
	if w.Frames != t.Description.Frames || w.Channels != t.Description.Channels {
		return nil, changed(t, "%d of %d sample frames in %d of %d channels are there", w.Frames, t.Description.Frames, w.Channels,
			t.Description.Channels)
	}
	return w, nil
}

// same compares a file with what it was when it was written. Reading all of it each time would take longer than printing
// it, so its hash is only compared where its time says that somebody has touched it.
func (s *Session) same(t store.Take, f *os.File, size int64) error {
	if t.Sound == nil {
		return nil // taken in before this was noted
	}
	if size != t.Sound.Size {
		return changed(t, "it has %d bytes and was written with %d", size, t.Sound.Size)
	}
	info, err := f.Stat()
	if err != nil {
		return err
	}
	if info.ModTime().Equal(t.Sound.Modified) {
		return nil
	}
	sum, err := media.Hash(s.ctx, f)
	if err != nil {
		return err
	}
	if sum != t.Sound.SHA256 {
		return changed(t, "its contents are others")
	}
	now := *t.Sound
	now.Modified = info.ModTime()
	return s.library.Store.SetSound(s.ctx, t.ID, now)
}

func changed(t store.Take, format string, args ...any) error {
	return fault.New(fault.Damaged, "The sound of %s on the server's disk is not what was taken in: %s. Take the file in again", t.Title(),
		fmt.Sprintf(format, args...))
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
