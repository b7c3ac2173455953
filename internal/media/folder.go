// Package media is where bytes live: takes, overviews, prints.
//
// In: keys such as sources/ID/file.wav. Out: files to write and read. Folder keeps them below a local folder; another
// store needs the same few methods. Begin reading at Folder.
package media

import (
	"errors"
	"io"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"syscall"

	"zestyloom/core/fault"
)

// Folder keeps media below a local folder, which keys can't leave. It is safe for concurrent use.
type Folder struct {
	root *os.Root
	dir  string
}

// File is an open file. Its errors on a full disk are of kind NoSpace.
type File struct{ *os.File }

// OpenFolder opens the folder, making it if need be.
func OpenFolder(dir string) (*Folder, error) {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return nil, err
	}
	root, err := os.OpenRoot(dir)
	return &Folder{root, dir}, err
}

// Close lets go of the folder.
func (f *Folder) Close() error { return f.root.Close() }

// Create makes a file for writing and reading back, in place of one that is there.
func (f *Folder) Create(key string) (File, error) {
	if err := f.root.MkdirAll(path.Dir(key), 0o755); err != nil {
		return File{}, explain(err)
	}
	file, err := f.root.OpenFile(key, os.O_RDWR|os.O_CREATE|os.O_TRUNC, 0o644)
	return File{file}, explain(err)
}

// Open opens a file for reading and gives its size in bytes.
func (f *Folder) Open(key string) (*os.File, int64, error) {
	file, err := f.root.Open(key)
	if err != nil {
		return nil, 0, explain(err)
	}
	info, err := file.Stat()
	if err != nil {
		file.Close()
		return nil, 0, err
	}
	return file, info.Size(), nil
}

// Adopt moves a file from elsewhere on the same disk under a key.
func (f *Folder) Adopt(file, key string) error {
	if err := f.root.MkdirAll(path.Dir(key), 0o755); err != nil {
		return explain(err)
	}
	return explain(os.Rename(file, filepath.Join(f.dir, filepath.FromSlash(path.Clean("/"+key)))))
}

// RemoveAll removes all below a key. It is no error if there is nothing.
func (f *Folder) RemoveAll(key string) error { return f.root.RemoveAll(key) }

func (f File) Write(b []byte) (int, error) {
	n, err := f.File.Write(b)
	return n, explain(err)
}

func (f File) WriteAt(b []byte, at int64) (int, error) {
	n, err := f.File.WriteAt(b, at)
	return n, explain(err)
}

// ReadFrom keeps io.Copy from going round Write, whose errors are explained.
func (f File) ReadFrom(r io.Reader) (int64, error) {
	return io.Copy(struct{ io.Writer }{f}, r)
}

// explain gives errors of the disk a kind and a sentence.
func explain(err error) error {
	switch {
	case err == nil:
		return nil
	case errors.Is(err, syscall.ENOSPC), errors.Is(err, syscall.EDQUOT):
		return fault.Wrap(fault.NoSpace, err, "The disk is full. Make room on the server, then try again; nothing that was finished is lost")
	case errors.Is(err, fs.ErrNotExist):
		return fault.Wrap(fault.NotFound, err, "The file is no longer on the server's disk")
	}
	return err
}
