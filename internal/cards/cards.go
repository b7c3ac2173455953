// Package cards reads the folders of the server that takes may be taken from: recorder cards and the like.
//
// In: the configured roots, a folder below one. Out: what is in it. Nothing outside a root is ever reached, also not
// through links. Begin reading at Cards.
package cards

import (
	"errors"
	"io"
	"io/fs"
	"os"
	"path"
	"slices"
	"strings"
	"time"

	"zestyloom/core/fault"
	"zestyloom/internal/intake"
)

// Cards are the configured roots, by the name that users see.
type Cards map[string]string

// Entry is a folder or a file on a card.
type Entry struct {
	Name     string    `json:"name"`
	Path     string    `json:"path"` // below the card, with slashes
	Folder   bool      `json:"folder"`
	Size     int64     `json:"size"` // bytes
	Modified time.Time `json:"modified"`
}

// Names lists the cards.
func (c Cards) Names() []string {
	names := []string{}
	for name := range c {
		names = append(names, name)
	}
	slices.Sort(names)
	return names
}

// List gives the folders and the files that can be taken in, in a folder of a card; an empty folder means the top.
func (c Cards) List(card, folder string) ([]Entry, error) {
	root, err := c.open(card)
	if err != nil {
		return nil, err
	}
	defer root.Close()
	folder = inside(folder)
	dir, err := root.Open(folder)
	if err != nil {
		return nil, explain(err, card, folder)
	}
	defer dir.Close()
	found, err := dir.ReadDir(-1)
	if err != nil {
		return nil, explain(err, card, folder)
	}
	entries := []Entry{}
	for _, e := range found {
		if strings.HasPrefix(e.Name(), ".") || !e.IsDir() && !intake.Readable(e.Name()) {
			continue
		}
		info, err := e.Info()
		if err != nil || !info.IsDir() && !info.Mode().IsRegular() {
			continue
		}
		entries = append(entries, Entry{e.Name(), path.Join(folder, e.Name()), e.IsDir(), info.Size(), info.ModTime()})
	}
	slices.SortFunc(entries, func(a, b Entry) int {
		if a.Folder != b.Folder {
			if a.Folder {
				return -1
			}
			return 1
		}
		return strings.Compare(a.Name, b.Name)
	})
	return entries, nil
}

// Open opens a file of a card for reading and gives its size.
func (c Cards) Open(card, file string) (io.ReadCloser, int64, error) {
	root, err := c.open(card)
	if err != nil {
		return nil, 0, err
	}
	defer root.Close()
	f, err := root.Open(inside(file))
	if err != nil {
		return nil, 0, explain(err, card, file)
	}
	info, err := f.Stat()
	if err == nil && !info.Mode().IsRegular() {
		err = fault.New(fault.BadInput, "%s on card %s is not a file", file, card)
	}
	if err != nil {
		f.Close()
		return nil, 0, err
	}
	return f, info.Size(), nil
}

func (c Cards) open(card string) (*os.Root, error) {
	dir, ok := c[card]
	if !ok {
		return nil, fault.New(fault.NotFound, "There is no card called %q on this server", card)
	}
	root, err := os.OpenRoot(dir)
	if err != nil {
		return nil, fault.Wrap(fault.NotFound, err, "Card %s can't be read; is it plugged in?", card)
	}
	return root, nil
}

// inside makes a path relative to its root.
func inside(p string) string {
	if p = strings.TrimPrefix(path.Clean("/"+p), "/"); p == "" {
		return "."
	}
	return p
}

func explain(err error, card, p string) error {
	if errors.Is(err, fs.ErrNotExist) {
		return fault.New(fault.NotFound, "%s is not on card %s", p, card)
	}
	return fault.Wrap(fault.BadInput, err, "%s on card %s can't be read", p, card)
}
