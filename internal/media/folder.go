// Package media is where bytes live: takes, overviews, prints.
//
// In: keys such as sources/ID/file.wav. Out: files to write and read. Folder keeps them below a local folder; another
// store needs the same few methods. Begin reading at Folder.
package media

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"strings"
	"sync/atomic"
	"syscall"

	"golang.org/x/sys/unix"

	"zestyloom/core/fault"
)

// Folder keeps media below a local folder, which keys can't leave. It is safe for concurrent use.
type Folder struct {
	root *os.Root
	// Reserve is how many bytes stay free on the disk, whatever is written here, so that the database and the system go on.
	Reserve int64
}

// File is a file that is being written. Its errors on a full disk are of kind NoSpace. The os.File is not embedded:
// each of its other ways of writing would go round that.
type File struct {
	file    *os.File
	reserve int64
	since   *atomic.Int64 // bytes that were written since it was looked how many are free
}

// looksEvery is after how many bytes it is looked how much room is left.
const looksEvery = 16 << 20

// room is NoSpace where the reserve would be written into.
func (f File) room(n int) error {
	if f.reserve == 0 || f.since.Add(int64(n)) < looksEvery {
		return nil
	}
	f.since.Store(0)
	var s syscall.Statfs_t
	if err := syscall.Fstatfs(int(f.file.Fd()), &s); err != nil {
		return nil // then the disk says so itself
	}
	if int64(s.Bavail)*s.Bsize < f.reserve+looksEvery {
		return Explain(syscall.ENOSPC)
	}
	return nil
}

// OpenFolder opens the folder, making it if need be.
func OpenFolder(dir string) (*Folder, error) {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return nil, err
	}
	root, err := os.OpenRoot(dir)
	return &Folder{root: root}, err
}

// Close lets go of the folder.
func (f *Folder) Close() error { return f.root.Close() }

// Create makes a file for writing and reading back, in place of one that is there.
func (f *Folder) Create(key string) (File, error) {
	if err := f.root.MkdirAll(path.Dir(key), 0o755); err != nil {
		return File{}, Explain(err)
	}
	file, err := f.root.OpenFile(key, os.O_RDWR|os.O_CREATE|os.O_TRUNC, 0o644)
	since := new(atomic.Int64)
	since.Store(looksEvery) // the first bytes are looked at too
	return File{file, f.Reserve, since}, Explain(err)
}

// Open opens a file for reading and gives its size in bytes.
func (f *Folder) Open(key string) (*os.File, int64, error) {
	file, err := f.root.Open(key)
	if err != nil {
		return nil, 0, Explain(err)
	}
	info, err := file.Stat()
	if err != nil {
		file.Close()
		return nil, 0, err
	}
	return file, info.Size(), nil
}

// Path gives the local path of a key for programs that need a file by its name. Its folder is made if need be.
func (f *Folder) Path(key string) (string, error) {
	if !filepath.IsLocal(key) {
		return "", fault.New(fault.BadInput, "%q is no key of a file", key)
	}
	if err := f.root.MkdirAll(path.Dir(key), 0o755); err != nil {
		return "", Explain(err)
	}
	return filepath.Join(f.root.Name(), filepath.FromSlash(key)), nil
}

// Stat gives the size of a file in bytes, and when it was last written.
func (f *Folder) Stat(key string) (fs.FileInfo, error) {
	info, err := f.root.Stat(key)
	return info, Explain(err)
}

// Publish gives a file or folder its final key, at which nothing may be yet, and brings all of it onto the disk before: whoever wrote
// it, other programs too, what has its name is whole.
func (f *Folder) Publish(from, to string) error {
	if _, err := f.root.Lstat(to); err == nil {
		return fault.New(fault.Stale, "There is something at %s already", to)
	}
	if err := f.syncAll(from); err != nil {
		return err
	}
	for again := 0; ; again++ {
		if err := f.root.MkdirAll(path.Dir(to), 0o755); err != nil {
			return Explain(err)
		}
		err := f.root.Rename(from, to)
		if err == nil {
			break
		}
		if !errors.Is(err, fs.ErrNotExist) || again == 10 {
			return Explain(err)
		} // the folder above was empty, and RemoveEmpty came in between
	}
	dir, err := f.root.Open(path.Dir(to))
	if err != nil {
		return Explain(err)
	}
	defer dir.Close()
	return Explain(toDisk(dir))
}

// toDisk brings what was written to a file, or which names a folder has, onto the disk; tests look on.
var toDisk = (*os.File).Sync

// syncAll brings a file, or a folder with all that is in it, onto the disk.
func (f *Folder) syncAll(key string) error {
	return fs.WalkDir(f.root.FS(), key, func(name string, _ fs.DirEntry, err error) error {
		if err != nil {
			return Explain(err)
		}
		file, err := f.root.Open(name)
		if err != nil {
			return Explain(err)
		}
		defer file.Close()
		return Explain(toDisk(file))
	})
}

// Copy gives a file a second key, in place of what lies there, with bytes of its own, so that nothing that happens to the one harms
// the other. File systems that can share blocks until one of both is written do so; else all is written again. It is on the disk
// afterwards.
func (f *Folder) Copy(ctx context.Context, from, to string) (err error) {
	in, err := f.root.Open(from)
	if err != nil {
		return Explain(err)
	}
	defer in.Close()
	if err := f.root.MkdirAll(path.Dir(to), 0o755); err != nil {
		return Explain(err)
	}
	if err := f.root.Remove(to); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return Explain(err)
	}
	out, err := f.root.OpenFile(to, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644)
	if err != nil {
		return Explain(err)
	}
	defer func() {
		if err = errors.Join(err, Explain(out.Close())); err != nil {
			_ = f.root.Remove(to)
		}
	}()
	if unix.IoctlFileClone(int(out.Fd()), int(in.Fd())) != nil {
		if _, err := io.Copy(out, reading{ctx, in}); err != nil {
			return Explain(err)
		}
	}
	return Explain(out.Sync())
}

// reading reads until its context ends.
type reading struct {
	ctx context.Context
	io.Reader
}

func (r reading) Read(b []byte) (int, error) {
	if err := r.ctx.Err(); err != nil {
		return 0, err
	}
	return r.Reader.Read(b)
}

// Link gives a file a second key, in place of what lies there. Both are the same bytes on the disk, which stay while either
// does; so it is for what is moved, or kept for a while, and never for two things that are to outlast each other.
func (f *Folder) Link(from, to string) error {
	if err := f.root.MkdirAll(path.Dir(to), 0o755); err != nil {
		return Explain(err)
	}
	if err := f.root.Remove(to); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return Explain(err)
	}
	return Explain(f.root.Link(from, to))
}

// RemoveEmpty removes a folder in which nothing is.
func (f *Folder) RemoveEmpty(key string) error {
	err := f.root.Remove(key)
	if errors.Is(err, syscall.ENOTEMPTY) || errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	return Explain(err)
}

// List gives the names of what lies in a folder; none where there is no such folder.
func (f *Folder) List(key string) ([]string, error) {
	dir, err := f.root.Open(key)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	defer dir.Close()
	return dir.Readdirnames(-1)
}

// Free gives how many bytes can still be written.
func (f *Folder) Free() (int64, error) {
	var s syscall.Statfs_t
	if err := syscall.Statfs(f.root.Name(), &s); err != nil {
		return 0, err
	}
	return int64(s.Bavail) * s.Bsize, nil
}

// Root is the local folder.
func (f *Folder) Root() string { return f.root.Name() }

// Identity tells the folder from any other, a copy of it too: the machine, as it was started, the device and the folder's number there.
func (f *Folder) Identity() (string, error) {
	info, err := f.root.Stat(".")
	if err != nil {
		return "", err
	}
	boot, err := os.ReadFile("/proc/sys/kernel/random/boot_id")
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return "", err
	}
	at, known := info.Sys().(*syscall.Stat_t)
	if !known {
		return "", nil
	}
	return fmt.Sprintf("%s %d %d", strings.TrimSpace(string(boot)), at.Dev, at.Ino), nil
}

// SameFolder tells whether two identities can be those of one folder. Another machine has another number for the device.
func SameFolder(a, b string) bool {
	x, y := strings.Fields(a), strings.Fields(b)
	if len(x) != 3 || len(y) != 3 {
		return true
	}
	return x[2] == y[2] && (x[0] != y[0] || x[1] == y[1])
}

// RemoveAll removes all below a key. It is no error if there is nothing.
func (f *Folder) RemoveAll(key string) error { return f.root.RemoveAll(key) }

// Write appends.
func (f File) Write(b []byte) (int, error) {
	if err := f.room(len(b)); err != nil {
		return 0, err
	}
	n, err := f.file.Write(b)
	return n, Explain(err)
}

// WriteAt writes over what stands at a byte offset.
func (f File) WriteAt(b []byte, at int64) (int, error) {
	if err := f.room(len(b)); err != nil {
		return 0, err
	}
	n, err := f.file.WriteAt(b, at)
	return n, Explain(err)
}

// Truncate cuts the file off, or makes it longer with zeros.
func (f File) Truncate(size int64) error { return Explain(f.file.Truncate(size)) }

// Sync brings what was written onto the disk.
func (f File) Sync() error { return Explain(f.file.Sync()) }

// Close ends writing.
func (f File) Close() error { return Explain(f.file.Close()) }

// Explain gives errors of the disk a kind and a sentence.
func Explain(err error) error {
	switch {
	case err == nil:
		return nil
	case errors.Is(err, syscall.ENOSPC), errors.Is(err, syscall.EDQUOT):
		return fault.Wrap(fault.NoSpace, err, "The disk is full. Make room on the server, then try again; nothing that was finished is lost")
	case errors.Is(err, syscall.ENAMETOOLONG):
		return fault.Wrap(fault.BadInput, err, "A file has a longer name than a disk can keep, which is 255 bytes; give it a shorter one")
	case errors.Is(err, syscall.EINVAL):
		return fault.Wrap(fault.BadInput, err, "A file has a name that no disk can keep: there are characters in it that no name has")
	case errors.Is(err, fs.ErrNotExist):
		return fault.Wrap(fault.NotFound, err, "The file is no longer on the server's disk")
	}
	return err
}
