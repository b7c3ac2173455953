package backup

import (
	"bufio"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"zestyloom/core/fault"
	"zestyloom/internal/media"
)

// Point is everything at one moment.
type Point struct {
	ID           string    `json:"id"`
	At           time.Time `json:"at"`
	Schema       int64     `json:"schema"` // version of the tables
	Installation string    `json:"installation"`
	Generation   int64     `json:"generation"`
	Productions  int       `json:"productions"`
	Takes        int       `json:"takes"`
	Tables       []Table   `json:"tables"`
	Files        []File    `json:"files"`
	Lacking      []string  `json:"lacking"` // folders that rows name and that are not there
}

// Table is the rows of a table, as PostgreSQL's COPY writes them, packed by gzip.
type Table struct {
	Name     string   `json:"name"`
	Columns  []string `json:"columns"`
	Identity string   `json:"identity,omitempty"` // column that counts on by itself
	Rows     int64    `json:"rows"`
	SHA256   string   `json:"sha256"` // of what is packed
}

// File is a file, by its path below the folder of data.
type File struct {
	Key      string `json:"key"`
	Size     int64  `json:"size"`
	Modified int64  `json:"modified"` // when it was written, in nanoseconds since 1970
	SHA256   string `json:"sha256"`
}

// Done is what was copied, or put back.
type Done struct {
	Point       string   `json:"point"`
	Productions int      `json:"productions"`
	Takes       int      `json:"takes"`
	Bytes       int64    `json:"bytes"`    // of all files
	Copied      int64    `json:"copied"`   // bytes that were not there before
	Verified    int      `json:"verified"` // files that were read again and are what they were
	Wrong       []string `json:"wrong"`    // what is missing or no longer what it was
}

func (p Point) done() Done {
	d := Done{Point: p.ID, Productions: p.Productions, Takes: p.Takes, Wrong: []string{}}
	for _, f := range p.Files {
		d.Bytes += f.Size
	}
	for _, l := range p.Lacking {
		d.Wrong = append(d.Wrong, l+" is named by the database and is not there")
	}
	return d
}

// Places in a folder of copies.
func pointFile(to, id string) string       { return filepath.Join(to, "points", id+".json") }
func tableFile(to, id, name string) string { return filepath.Join(to, "tables", id, name+".gz") }
func copyOf(to, key string) string         { return filepath.Join(to, "files", filepath.FromSlash(key)) }
func sumsFile(to string) string            { return filepath.Join(to, "sums") }

// Points lists the points of a folder of copies, oldest first.
func Points(from string) ([]string, error) {
	names, err := os.ReadDir(filepath.Join(from, "points"))
	if errors.Is(err, fs.ErrNotExist) {
		return nil, fault.New(fault.NotFound, "%s is no folder of backups: there are no points in it", from)
	}
	var ids []string
	for _, n := range names {
		if id, ok := strings.CutSuffix(n.Name(), ".json"); ok {
			ids = append(ids, id)
		}
	}
	slices.Sort(ids)
	return ids, err
}

func readPoint(from, id string) (p Point, err error) {
	b, err := os.ReadFile(pointFile(from, id))
	if errors.Is(err, fs.ErrNotExist) {
		return p, fault.New(fault.NotFound, "There is no point %s in %s", id, from)
	}
	if err == nil {
		err = json.Unmarshal(b, &p)
	}
	if err != nil {
		return p, fault.Wrap(fault.Damaged, err, "The list of what belongs to point %s can't be read", id)
	}
	for _, f := range p.Files {
		if !filepath.IsLocal(f.Key) || !strings.HasPrefix(f.Key, "media/") && !strings.HasPrefix(f.Key, "uploads/") {
			return p, fault.New(fault.Damaged, "Point %s names a file outside of the folder of data: %s", id, f.Key)
		}
	}
	return p, nil
}

// sums are the SHA-256 of the copies that are whole, by key. They are noted as each copy ends, so that whoever is stopped goes on.
type sums struct {
	known map[string]File
	file  *os.File
}

func openSums(to string) (*sums, error) {
	s := &sums{known: map[string]File{}}
	var err error
	if s.file, err = os.OpenFile(sumsFile(to), os.O_RDWR|os.O_CREATE|os.O_APPEND, 0o644); err != nil {
		return nil, media.Explain(err)
	}
	lines := bufio.NewScanner(s.file)
	lines.Buffer(nil, 1<<20)
	for lines.Scan() {
		part := strings.SplitN(lines.Text(), " ", 4)
		if len(part) != 4 || len(part[0]) != 2*sha256.Size {
			continue // the last line, of whoever was stopped while writing it
		}
		size, err := strconv.ParseInt(part[1], 10, 64)
		at, wrong := strconv.ParseInt(part[2], 10, 64)
		if err == nil && wrong == nil {
			s.known[part[3]] = File{part[3], size, at, part[0]}
		}
	}
	return s, lines.Err()
}

func (s *sums) note(f File) error {
	s.known[f.Key] = f
	_, err := fmt.Fprintf(s.file, "\n%s %d %d %s\n", f.SHA256, f.Size, f.Modified, f.Key) // behind a line that was not finished too
	return media.Explain(err)
}

// copyFile copies a file, whole or not at all, onto the disk, and gives its size and SHA-256.
func copyFile(from, to string) (size int64, sum string, err error) {
	in, err := os.Open(from)
	if err != nil {
		return 0, "", media.Explain(err)
	}
	defer in.Close()
	if err := os.MkdirAll(filepath.Dir(to), 0o755); err != nil {
		return 0, "", media.Explain(err)
	}
	out, err := os.Create(to + ".part")
	if err != nil {
		return 0, "", media.Explain(err)
	}
	hash := sha256.New()
	size, err = io.Copy(io.MultiWriter(out, hash), in)
	if err == nil {
		err = out.Sync()
	}
	if closed := out.Close(); err == nil {
		err = closed
	}
	if err == nil {
		err = os.Rename(to+".part", to)
	}
	if err != nil {
		_ = os.Remove(to + ".part")
	}
	return size, hex.EncodeToString(hash.Sum(nil)), media.Explain(err)
}

// sumOf reads a file from the disk.
func sumOf(path string) (size int64, sum string, err error) {
	f, err := os.Open(path)
	if err != nil {
		return 0, "", media.Explain(err)
	}
	defer f.Close()
	hash := sha256.New()
	size, err = io.Copy(hash, f)
	return size, hex.EncodeToString(hash.Sum(nil)), err
}
