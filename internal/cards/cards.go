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
	"unicode/utf8"

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
	folder = inside(asItLies(folder))
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
		entries = append(entries, Entry{strings.ToValidUTF8(e.Name(), "\uFFFD"), readable(path.Join(folder, e.Name())), e.IsDir(), info.Size(),
			info.ModTime()})
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

// Has is NotFound where there is no such card, or it is not in.
func (c Cards) Has(card string) error {
	root, err := c.open(card)
	if err != nil {
		return err
	}
	return root.Close()
}

// Open opens a file of a card for reading and gives its size.
func (c Cards) Open(card, file string) (io.ReadCloser, int64, error) {
	root, err := c.open(card)
	if err != nil {
		return nil, 0, err
	}
	defer root.Close()
	f, err := root.Open(inside(asItLies(file)))
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

// Names on a disk are bytes, and those of old cameras and recorders need not be UTF-8. A byte that is none of it stands in a path as the
// character that has its number from here on, in the area for private use, so that the path can be sent and the file is found by it.
const privately = 0xf700

// readable gives a path as text.
func readable(p string) string {
	if utf8.ValidString(p) {
		return p
	}
	var text strings.Builder
	for p != "" {
		r, n := utf8.DecodeRuneInString(p)
		if r == utf8.RuneError && n == 1 {
			r = privately + rune(p[0])
		}
		text.WriteRune(r)
		p = p[n:]
	}
	return text.String()
}

// asItLies takes readable back.
func asItLies(text string) string {
	var p []byte
	for _, r := range text {
		if r >= privately+0x80 && r <= privately+0xff {
			p = append(p, byte(r-privately))
		} else {
			p = utf8.AppendRune(p, r)
		}
	}
	return string(p)
}

// Name is what a file of a card is called.
func Name(file string) string { return strings.ToValidUTF8(asItLies(path.Base(file)), "\uFFFD") }

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
