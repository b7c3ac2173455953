// Package receivers writes deliveries into folders of the server that receivers collect them from: a disk that is to be sent,
// a share that something watches.
//
// In: the configured folders, files. Out: a folder for each delivery, under its name only once all of it is there and is what
// it should be. Begin reading at Folders.Begin.
package receivers

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"io"
	"io/fs"
	"maps"
	"os"
	"path"
	"regexp"
	"slices"
	"strings"

	"zestyloom/core/fault"
	"zestyloom/internal/media"
)

// Folders are the configured folders, by the name that users see.
type Folders map[string]string

// Names lists them.
func (f Folders) Names() []string { return append([]string{}, slices.Sorted(maps.Keys(f))...) }

// Writing is a delivery on its way into a folder.
type Writing struct {
	root       *os.Root
	name, part string
}

// Begin makes room for a delivery called name. work tells those apart that are written at once; what it began before is begun
// anew. A delivery of that name which is there already is Stale and stays.
func (f Folders) Begin(folder, name, work string) (*Writing, error) {
	dir, known := f[folder]
	if !known {
		return nil, fault.New(fault.NotFound, "There is no folder called %q on this server that deliveries are written to", folder)
	}
	root, err := os.OpenRoot(dir)
	if err != nil {
		return nil, fault.Wrap(fault.NotFound, err, "The folder %s can't be opened; is its disk there?", folder)
	}
	w := &Writing{root, name, "." + name + "." + work}
	if err := w.free(folder); err != nil {
		root.Close()
		return nil, err
	}
	if err := errors.Join(root.RemoveAll(w.part), root.Mkdir(w.part, 0o755)); err != nil {
		root.Close()
		return nil, fault.Wrap(fault.BadInput, err, "Nothing can be written into the folder %s; its rights may not allow it", folder)
	}
	return w, nil
}

// Whole tells whether a delivery of that name lies in a folder already, with just these files: their SHA-256 by name, empty where any will
// do.
func (f Folders) Whole(ctx context.Context, folder, name string, sums map[string]string) bool {
	root, err := os.OpenRoot(f[folder])
	if err != nil {
		return false
	}
	defer root.Close()
	there := 0
	err = fs.WalkDir(root.FS(), name, func(at string, e fs.DirEntry, err error) error {
		if err != nil || e.IsDir() {
			return err
		}
		want, known := sums[strings.TrimPrefix(at, name+"/")]
		if !known {
			return fs.ErrExist // something else
		}
		if there++; want == "" {
			return nil
		}
		file, err := root.Open(at)
		if err != nil {
			return err
		}
		defer file.Close()
		if sum, err := media.Hash(ctx, file); err != nil || sum != want {
			return fs.ErrInvalid
		}
		return nil
	})
	return err == nil && there == len(sums)
}

// unfinished are folders that deliveries were written in before they had their names: a name, and the ID of the work.
var unfinished = regexp.MustCompile(`^\..+\.([0-9a-f]{8}(?:-[0-9a-f]{4}){3}-[0-9a-f]{12})$`)

// Clear takes away what was begun in the folders by work that does not go on.
func (f Folders) Clear(goesOn func(work string) bool) error {
	var failed []error
	for _, name := range f.Names() {
		root, err := os.OpenRoot(f[name])
		if err != nil {
			continue // its disk is not there
		}
		entries, err := fs.ReadDir(root.FS(), ".")
		failed = append(failed, err)
		for _, e := range entries {
			if m := unfinished.FindStringSubmatch(e.Name()); m != nil && e.IsDir() && !goesOn(m[1]) {
				failed = append(failed, root.RemoveAll(e.Name()))
			}
		}
		failed = append(failed, root.Close())
	}
	return errors.Join(failed...)
}

func (w *Writing) free(folder string) error {
	if _, err := w.root.Lstat(w.name); !errors.Is(err, fs.ErrNotExist) {
		return fault.New(fault.Stale, "%s lies in the folder %s already; it was left as it is", w.name, folder)
	}
	return nil
}

// Add writes a file, whose SHA-256 must be sum, where that is given.
func (w *Writing) Add(ctx context.Context, name, sum string, from io.Reader, progress func(bytes int64)) error {
	if err := w.root.MkdirAll(path.Dir(w.part+"/"+name), 0o755); err != nil {
		return media.Explain(err)
	}
	file, err := w.root.OpenFile(w.part+"/"+name, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644)
	if err != nil {
		return media.Explain(err)
	}
	defer file.Close()
	h := sha256.New()
	buf := make([]byte, 1<<20)
	for done := int64(0); ; progress(done) {
		if err := ctx.Err(); err != nil {
			return fault.Wrap(fault.Cancelled, err, "Writing the delivery was stopped")
		}
		n, err := from.Read(buf)
		h.Write(buf[:n])
		if _, err := file.Write(buf[:n]); err != nil {
			return media.Explain(err)
		}
		done += int64(n)
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return err
		}
	}
	if sum != "" && hex.EncodeToString(h.Sum(nil)) != sum {
		return fault.New(fault.Damaged, "%s is no longer what was printed; the disk may be failing. Print again", name)
	}
	return media.Explain(file.Sync())
}

// Finish gives the delivery its name.
func (w *Writing) Finish(folder string) error {
	defer w.root.Close()
	if err := w.free(folder); err != nil {
		return errors.Join(err, w.root.RemoveAll(w.part))
	}
	if err := w.root.Rename(w.part, w.name); err != nil {
		return errors.Join(media.Explain(err), w.root.RemoveAll(w.part))
	}
	top, err := w.root.Open(".")
	if err != nil {
		return err
	}
	defer top.Close()
	return media.Explain(top.Sync())
}

// GiveUp takes away what was written.
func (w *Writing) GiveUp() error {
	return errors.Join(w.root.RemoveAll(w.part), w.root.Close())
}
