// Package reception opens deliveries as they arrive: a folder, a ZIP, or a single file, ours or anybody's.
//
// In: a path. Out: the files as the desk wants them, with their checksums; papers that lie beside them are known and left aside.
// Begin reading at Open.
package reception

import (
	"archive/zip"
	"context"
	"errors"
	"io"
	"io/fs"
	"maps"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"zestyloom/core/contract"
	"zestyloom/core/desk"
	"zestyloom/core/fault"
	"zestyloom/core/sums"
	"zestyloom/internal/intake"
	"zestyloom/internal/media"
)

// Delivery is files that are open.
type Delivery struct {
	Files   []desk.File
	Sums    []sums.Sum // what adds up, by the papers beside them
	Paths   []string   // of the files, on this machine
	closers []io.Closer
	unzip   string // folder that a ZIP was unpacked into
}

// Close lets go of the files, and takes away what was unpacked.
func (d *Delivery) Close() error {
	var errs []error
	for _, c := range d.closers {
		errs = append(errs, c.Close())
	}
	if d.unzip != "" {
		errs = append(errs, os.RemoveAll(d.unzip))
	}
	return errors.Join(errs...)
}

// maxFiles is the most files that a delivery may have.
const maxFiles = 2000

// Open opens what lies at a path; temporary is a folder that a ZIP may be unpacked below. The caller closes it.
func Open(ctx context.Context, at, temporary string) (d *Delivery, err error) {
	d = &Delivery{}
	defer func() {
		if err != nil {
			d.Close()
		}
	}()
	info, err := os.Stat(at)
	if err != nil {
		return d, fault.Wrap(fault.NotFound, err, "There is no file or folder at %s", at)
	}
	switch {
	case info.IsDir():
		return d, d.folder(ctx, at)
	case strings.EqualFold(filepath.Ext(at), ".zip"):
		if d.unzip, err = os.MkdirTemp(temporary, "delivery-"); err != nil {
			return d, media.Explain(err)
		}
		if err := Unpack(ctx, at, d.unzip, func(int64) error { return nil }); err != nil {
			return d, err
		}
		return d, d.folder(ctx, d.unzip)
	}
	return d, d.add(ctx, at, filepath.Base(at), nil)
}

// OpenOurs opens what was made a moment ago in a folder of ours; sums are the checksums that it had then, by name.
func OpenOurs(ctx context.Context, folder string, sums map[string]string) (d *Delivery, err error) {
	d = &Delivery{}
	for name, sum := range sums {
		f, closing, err := intake.Received(ctx, filepath.Join(folder, name), name, sum)
		if err != nil {
			return d, errors.Join(err, d.Close())
		}
		d.closers = append(d.closers, closing)
		d.Files, d.Paths = append(d.Files, f), append(d.Paths, filepath.Join(folder, name))
	}
	slices.SortFunc(d.Files, func(a, b desk.File) int { return strings.Compare(a.Name, b.Name) })
	slices.Sort(d.Paths)
	return d, nil
}

// folder adds all files below a folder.
func (d *Delivery) folder(ctx context.Context, folder string) error {
	var found []string
	err := filepath.WalkDir(folder, func(at string, e fs.DirEntry, err error) error {
		switch {
		case err != nil:
			return err
		case strings.HasPrefix(e.Name(), ".") && at != folder:
			if e.IsDir() {
				return fs.SkipDir
			}
		case e.Type().IsRegular():
			if found = append(found, at); len(found) > maxFiles {
				return fault.New(fault.BadInput, "There are more than %d files here; choose the folder of one delivery", maxFiles)
			}
		}
		return nil
	})
	if err != nil {
		return err
	}
	slices.Sort(found)
	lists, err := listed(ctx, found)
	if err != nil {
		return err
	}
	twice := map[string]int{}
	for _, at := range found {
		if name := filepath.Base(at); !Paper(name) {
			twice[name]++
		}
	}
	for _, at := range found {
		name := filepath.Base(at)
		if rel, err := filepath.Rel(folder, at); err == nil && twice[name] > 1 { // told apart by where they lie
			name = filepath.ToSlash(rel)
		}
		if name == sums.Paper {
			if err := d.adding(at); err != nil {
				return err
			}
		}
		if Paper(name) {
			continue
		}
		if err := d.add(ctx, at, name, lists); err != nil {
			return err
		}
	}
	for _, name := range slices.Sorted(maps.Keys(lists.of)) {
		there := 0
		for _, f := range d.Files {
			if path.Base(f.Name) == name {
				there++
			}
		}
		if there < lists.many[name] {
			d.Files = append(d.Files, desk.Unread(name, 0, fault.New(fault.NotFound, "The list of checksums has %s, and it is not there",
				name)))
			d.Paths = append(d.Paths, "")
		}
	}
	for _, doubt := range lists.bad {
		d.Files = append(d.Files, desk.File{Name: doubt.File, Streams: []desk.Stream{}, Doubts: []contract.Finding{doubt}})
		d.Paths = append(d.Paths, "")
	}
	if len(d.Files) == 0 {
		return fault.New(fault.NotFound, "There are no files of a delivery in %s", filepath.Base(folder))
	}
	return nil
}

// adding reads what adds up from the paper that says so. One that can't be read is a file that is wrong.
func (d *Delivery) adding(at string) error {
	f, err := os.Open(at)
	if err != nil {
		return err
	}
	defer f.Close()
	text, err := io.ReadAll(io.LimitReader(f, maxPaper))
	if err != nil {
		return err
	}
	if d.Sums, err = sums.Read(text); err != nil {
		d.Files, d.Paths = append(d.Files, desk.Unread(sums.Paper, int64(len(text)), err)), append(d.Paths, "")
	}
	return nil
}

// maxPaper is the largest paper that is read, in bytes.
const maxPaper = 4 << 20

// sounds are endings of files that hold sound or pictures, beside those that are read: they are no papers, whoever can read them.
var sounds = []string{".w64", ".caf", ".mp3", ".m4a", ".aac", ".ac3", ".ec3", ".ogg", ".opus", ".avi", ".mpg", ".mpeg", ".ts"}

// Paper tells whether a file is one that lies beside those that are delivered: a list, a report, a table, what a system leaves.
func Paper(name string) bool {
	return strings.HasPrefix(name, ".") || !intake.Readable(name) && !slices.Contains(sounds, strings.ToLower(filepath.Ext(name)))
}

// add opens a file. lists are what lies beside it of checksums.
func (d *Delivery) add(ctx context.Context, at, name string, lists *checksums) error {
	which := []kind{"sha256"}
	if lists != nil {
		which = append(which, slices.DeleteFunc(lists.kindsOf(filepath.Base(at)), func(k kind) bool { return k == "sha256" })...)
	}
	sums, err := summed(ctx, at, which)
	if errors.Is(err, fs.ErrNotExist) {
		return fault.New(fault.NotFound, "%s went away while the delivery was looked at; check it again when all of it is there", name)
	}
	if err != nil {
		return media.Explain(err)
	}
	f, closing, err := intake.Received(ctx, at, name, sums["sha256"])
	if err != nil {
		return err
	}
	d.closers = append(d.closers, closing)
	if lists != nil {
		f.Doubts = append(f.Doubts, lists.held(at, sums)...)
	}
	d.Files, d.Paths = append(d.Files, f), append(d.Paths, at)
	return nil
}

// A ZIP may unpack to so many times what it has, and so many bytes more: sound hardly shrinks, but silence does.
const maxUnpacked, besides = 100, 16 << 20

// Unpack writes the files of a ZIP into a folder, each under the last part of its name; papers, and files that have a name in several
// folders, stay in those. room is asked before each file is written, and refuses what there is no space for.
func Unpack(ctx context.Context, at, folder string, room func(bytes int64) error) error {
	z, err := zip.OpenReader(at)
	if err != nil {
		return fault.Wrap(fault.Damaged, err, "The ZIP can't be opened; it is damaged, or was not sent whole")
	}
	defer z.Close()
	info, err := os.Stat(at)
	if err != nil {
		return err
	}
	left := info.Size()*maxUnpacked + besides
	if len(z.File) > maxFiles {
		return fault.New(fault.BadInput, "There are more than %d files in the ZIP", maxFiles)
	}
	twice := map[string]int{} // how many sound files have a name
	for _, f := range z.File {
		if name, ok := unpacked(f); ok && !Paper(filepath.Base(name)) {
			twice[filepath.Base(name)]++
		}
	}
	for _, f := range z.File {
		name, ok := unpacked(f)
		if !ok {
			continue
		}
		if base := filepath.Base(name); !Paper(base) && twice[base] == 1 {
			name = base
		}
		if err := ctx.Err(); err != nil {
			return fault.Wrap(fault.Cancelled, err, "Unpacking was stopped")
		}
		if err := room(min(int64(min(f.UncompressedSize64, 1<<62)), left)); err != nil {
			return err
		}
		n, err := unpackOne(f, filepath.Join(folder, name), left)
		if err != nil {
			return err
		}
		left -= n
	}
	return nil
}

// unpacked gives where in a folder a file of a ZIP belongs; ok is false for what is none, or hidden.
func unpacked(f *zip.File) (name string, ok bool) {
	name = filepath.FromSlash(path.Clean("/" + strings.ReplaceAll(f.Name, `\`, "/")))[1:]
	return name, !f.FileInfo().IsDir() && f.Mode().IsRegular() && !strings.HasPrefix(filepath.Base(name), ".") && name != ""
}

func unpackOne(f *zip.File, to string, left int64) (int64, error) {
	from, err := f.Open()
	if err != nil {
		return 0, fault.Wrap(fault.Damaged, err, "%s can't be unpacked; the ZIP is damaged", f.Name)
	}
	defer from.Close()
	if err := os.MkdirAll(filepath.Dir(to), 0o700); err != nil {
		return 0, media.Explain(err)
	}
	out, err := os.OpenFile(to, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if errors.Is(err, fs.ErrExist) {
		return 0, fault.New(fault.BadInput, "The ZIP has two files called %s", filepath.Base(to))
	}
	if err != nil {
		return 0, media.Explain(err)
	}
	defer out.Close()
	n, err := io.Copy(out, io.LimitReader(from, left+1))
	switch {
	case n > left:
		return n, fault.New(fault.BadInput, "The ZIP unpacks to far more than it is; it was left alone")
	case errors.Is(err, zip.ErrChecksum) || errors.Is(err, zip.ErrFormat) || errors.Is(err, io.ErrUnexpectedEOF):
		return n, fault.Wrap(fault.Damaged, err, "%s can't be unpacked; the ZIP is damaged", f.Name)
	}
	return n, media.Explain(err)
}
