package reception

import (
	"context"
	"crypto/md5"
	"crypto/sha1"
	"crypto/sha256"
	"crypto/sha512"
	"encoding/hex"
	"encoding/xml"
	"errors"
	"fmt"
	"hash"
	"io"
	"io/fs"
	"maps"
	"math/big"
	"os"
	"path"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"syscall"
	"unicode"
	"unicode/utf8"

	"github.com/cespare/xxhash/v2"

	"zestyloom/core/contract"
	"zestyloom/core/fault"
)

// kind is a kind of checksum, as lists name it in small letters.
type kind string

// kinds are those that are known: how they are made, and how they are written.
var kinds = map[kind]struct {
	make  func() hash.Hash
	write func([]byte) string
}{
	"sha256": {sha256.New, hex.EncodeToString}, "md5": {md5.New, hex.EncodeToString}, "sha1": {sha1.New, hex.EncodeToString},
	"sha512": {sha512.New, hex.EncodeToString},
	"xxh64":  {func() hash.Hash { return xxhash.New() }, hex.EncodeToString}, "c4": {sha512.New, c4},
}

// alias are other words for them.
var alias = map[string]kind{"xxhash64": "xxh64", "xxhash64be": "xxh64", "xxhash": "xxh64"}

func kindOf(name string) (kind, bool) {
	name = strings.ToLower(name)
	if k, other := alias[name]; other {
		return k, true
	}
	_, known := kinds[kind(name)]
	return kind(name), known
}

// c4 writes a SHA-512 as a C4 ID (SMPTE ST 2114): 90 letters and digits to the base 58.
func c4(sum []byte) string {
	const letters = "123456789ABCDEFGHJKLMNPQRSTUVWXYZabcdefghijkmnopqrstuvwxyz"
	n, base, digit := new(big.Int).SetBytes(sum), big.NewInt(58), new(big.Int)
	id := []byte("c4" + strings.Repeat("1", 88))
	for i := len(id) - 1; i > 1 && n.Sign() > 0; i-- {
		n.DivMod(n, base, digit)
		id[i] = letters[digit.Int64()]
	}
	return string(id)
}

// listing is what lists say of one file: a checksum of each kind.
type listing map[kind]string

// checksums are what the lists beside a delivery say, by the names of files and where the lists have them lie. A name may lie in
// several folders, and files may have been moved since the list was made.
type checksums struct {
	of   map[string]map[string]listing
	many map[string]int     // of a name: in how many folders a list has it, that which has it in most
	bad  []contract.Finding // of lists that are not what their chain says, or can't be read
	seen bool
}

// line is what a list says of one file.
type line struct {
	name string
	kind kind
	sum  string
}

// add notes the lines of a list, whose names begin at a folder.
func (c *checksums) add(list, folder string, lines []line) {
	in := map[string]map[string]bool{} // by name: where this list has it
	for _, l := range lines {
		name, at, ok := c.note(folder, l)
		if !ok {
			if name == "" {
				c.doubt(list, contract.Warning, "The list of checksums has a line with a name that no file has: there are characters in it that can't be written")
			}
			continue
		}
		if in[name] == nil {
			in[name] = map[string]bool{}
		}
		in[name][at] = true
		c.many[name] = max(c.many[name], len(in[name]))
	}
}

func (c *checksums) note(folder string, l line) (name, at string, ok bool) {
	if strings.ContainsFunc(l.name, unicode.IsControl) || !utf8.ValidString(l.name) {
		return "", "", false
	}
	at = filepath.Join(folder, filepath.FromSlash(strings.ReplaceAll(l.name, `\`, "/")))
	if name = filepath.Base(at); Paper(name) {
		return name, at, false
	}
	if c.of[name] == nil {
		c.of[name] = map[string]listing{}
	}
	if c.of[name][at] == nil {
		c.of[name][at] = listing{}
	}
	if l.kind != "c4" {
		l.sum = strings.ToLower(l.sum)
	}
	c.of[name][at][l.kind], c.seen = l.sum, true
	return name, at, true
}

// mostList is the largest list that is read, in bytes.
const mostList = 8 << 20

// listed reads all lists of checksums among files: those of sha256sum and its like, ASC MHL with its chain, and MHL before it. Of
// several generations the last holds.
func listed(ctx context.Context, files []string) (*checksums, error) {
	c := &checksums{of: map[string]map[string]listing{}, many: map[string]int{}}
	for _, at := range files { // sorted, so that the generations of a list come in their order
		var err error
		switch name := strings.ToLower(filepath.Base(at)); {
		case strings.HasSuffix(name, ".mhl"):
			err = c.mhl(at)
		case name == "ascmhl_chain.xml":
			err = c.chain(ctx, at)
		case lines(name):
			err = c.lines(at)
		}
		if err != nil {
			return nil, err
		}
	}
	return c, nil
}

// lines tells by its name whether a file is a list with a line for each file.
func lines(name string) bool {
	ending := strings.TrimPrefix(path.Ext(name), ".")
	if _, known := kindOf(strings.TrimSuffix(ending, "sum")); known {
		return true
	}
	stem := strings.TrimSuffix(name, path.Ext(name))
	_, sums := kindOf(strings.TrimSuffix(stem, "sums"))
	return sums || strings.HasPrefix(stem, "checksum")
}

// bsd is a line as BSD's tools write it.
var bsd = regexp.MustCompile(`^(\w+) \((.+)\) = ([0-9a-fA-F]+)$`)

// bySize tells the kind of a sum by how many digits it has.
var bySize = map[int]kind{16: "xxh64", 32: "md5", 40: "sha1", 64: "sha256", 128: "sha512"}

func (c *checksums) lines(at string) error {
	text, err := c.read(at)
	if err != nil {
		return err
	}
	var list []line
	left := 0
	for one := range strings.Lines(string(text)) {
		l, ok := lineOf(one)
		switch one = strings.TrimSpace(one); {
		case ok && l.name == "": // beside the one file that it is called after
			l.name = strings.TrimSuffix(filepath.Base(at), filepath.Ext(at))
			list = append(list, l)
		case ok:
			list = append(list, l)
		case one != "" && !strings.ContainsAny(one[:1], "#;%"):
			left++
		}
	}
	if len(list) == 0 && left > 0 {
		c.doubt(at, contract.Warning, "The list of checksums has no line that could be read as one")
	}
	c.add(at, filepath.Dir(at), list)
	return nil
}

// lineOf reads a line of a list; its name is empty where it has none, and it is not ok where it is no such line.
func lineOf(text string) (l line, ok bool) {
	text = strings.TrimSpace(strings.TrimPrefix(text, "\ufeff"))
	if m := bsd.FindStringSubmatch(text); m != nil {
		k, known := kindOf(m[1])
		return line{m[2], k, m[3]}, known
	}
	sum, name, _ := strings.Cut(text, " ")
	k, ok := bySize[len(sum)]
	if _, err := hex.DecodeString(sum); err != nil {
		k, ok = "c4", len(sum) == 90 && strings.HasPrefix(sum, "c4")
	}
	return line{strings.TrimLeft(name, " *"), k, sum}, ok
}

// read gives a list whole; one that is too large to be read is a doubt, and empty.
func (c *checksums) read(at string) ([]byte, error) {
	f, err := os.Open(at)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	text, err := io.ReadAll(io.LimitReader(f, mostList+1))
	if len(text) > mostList {
		c.doubt(at, contract.Error, "The list of checksums is larger than %d MB, and was not read", mostList>>20)
		return nil, err
	}
	return text, err
}

// anyElement is an element of a list, whatever it is called.
type anyElement struct {
	XMLName xml.Name
	Text    string       `xml:",chardata"`
	Inside  []anyElement `xml:",any"`
}

func (e anyElement) child(name string) (anyElement, bool) {
	for _, x := range e.Inside {
		if strings.EqualFold(x.XMLName.Local, name) {
			return x, true
		}
	}
	return anyElement{}, false
}

func (c *checksums) readXML(at string) (root anyElement, damaged bool, err error) {
	text, err := c.read(at)
	if err != nil || text == nil {
		return root, false, err
	}
	return root, xml.Unmarshal(text, &root) != nil, nil
}

// doubt notes that a list can't be trusted.
func (c *checksums) doubt(at string, as contract.Severity, format string, args ...any) {
	c.bad = append(c.bad, contract.Finding{Rule: "checksum", Severity: as, File: filepath.Base(at),
		Message: fmt.Sprintf(format, args...)})
}

// mhl reads a media hash list, of version 2 (path) or 1 (file).
func (c *checksums) mhl(at string) error {
	root, damaged, err := c.readXML(at)
	if err != nil {
		return err
	}
	if damaged {
		c.doubt(at, contract.Error, "The media hash list can't be read: it is damaged")
		return nil
	}
	folder := filepath.Dir(at)
	if strings.EqualFold(filepath.Base(folder), "ascmhl") {
		folder = filepath.Dir(folder)
	}
	var list []line
	var hashes func(e anyElement)
	hashes = func(e anyElement) {
		if strings.EqualFold(e.XMLName.Local, "hash") {
			name, there := e.child("path")
			if !there {
				name, there = e.child("file")
			}
			for _, x := range e.Inside {
				if k, known := kindOf(x.XMLName.Local); known && there {
					list = append(list, line{strings.TrimSpace(name.Text), k, strings.TrimSpace(x.Text)})
				}
			}
			return
		}
		for _, x := range e.Inside {
			hashes(x)
		}
	}
	hashes(root)
	c.add(at, folder, list)
	return nil
}

// chain holds the lists that a chain names to what it says of them.
func (c *checksums) chain(ctx context.Context, at string) error {
	root, damaged, err := c.readXML(at)
	if err != nil {
		return err
	}
	if damaged {
		c.doubt(at, contract.Error, "The chain of the media hash lists can't be read: it is damaged")
		return nil
	}
	for _, e := range root.Inside {
		name, named := e.child("path")
		want, said := e.child("c4")
		if !named || !said {
			continue
		}
		list := filepath.Join(filepath.Dir(at), path.Base(strings.TrimSpace(name.Text)))
		sums, err := summed(ctx, list, []kind{"c4"})
		switch {
		case errors.Is(err, fs.ErrNotExist), errors.Is(err, syscall.EINVAL), errors.Is(err, syscall.ENAMETOOLONG):
			c.doubt(list, contract.Error, "The chain of the media hash lists names this one, and it is not there")
		case err != nil:
			return err
		case sums["c4"] != strings.TrimSpace(want.Text):
			c.doubt(list, contract.Error, "The media hash list is not the one that its chain names; it was changed")
		}
	}
	return nil
}

// summed gives checksums of a file.
func summed(ctx context.Context, at string, which []kind) (map[kind]string, error) {
	f, err := os.Open(at)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	var to []io.Writer
	made := map[kind]hash.Hash{}
	for _, k := range which {
		made[k] = kinds[k].make()
		to = append(to, made[k])
	}
	if _, err := io.Copy(io.MultiWriter(to...), reading{ctx, f}); err != nil {
		return nil, err
	}
	sums := map[kind]string{}
	for k, h := range made {
		sums[k] = kinds[k].write(h.Sum(nil))
	}
	return sums, nil
}

// reading reads until its context ends.
type reading struct {
	ctx context.Context
	io.Reader
}

func (r reading) Read(b []byte) (int, error) {
	if err := r.ctx.Err(); err != nil {
		return 0, fault.Wrap(fault.Cancelled, err, "The check was stopped")
	}
	return r.Reader.Read(b)
}

// held compares a file with what the lists say of it: of the place where it lies, or else, where nothing is said of that, of a
// file of its name anywhere.
func (c *checksums) held(at string, sums map[kind]string) (doubts []contract.Finding) {
	name := filepath.Base(at)
	places, known := c.of[name]
	if !known {
		if c.seen {
			doubts = append(doubts, contract.Finding{Rule: "checksum", Severity: contract.Error,
				Message: "The list of checksums does not have this file", Measured: sums["sha256"]})
		}
		return doubts
	}
	want := places[at]
	for _, place := range slices.Sorted(maps.Keys(places)) {
		if l := places[place]; want == nil || places[at] == nil && l.fits(sums) {
			want = l
		}
	}
	for _, k := range slices.Sorted(maps.Keys(want)) {
		f := contract.Finding{Rule: "checksum", Severity: contract.OK,
			Message: fmt.Sprintf("%s, as the list of checksums has it", strings.ToUpper(string(k))), Measured: sums[k], Limit: want[k]}
		if sums[k] != want[k] {
			f.Severity = contract.Error
		}
		doubts = append(doubts, f)
	}
	return doubts
}

// fits tells whether a file has the checksums that are listed.
func (l listing) fits(sums map[kind]string) bool {
	for k, sum := range l {
		if sums[k] != sum {
			return false
		}
	}
	return true
}

// kindsOf are the kinds of checksums that the lists have of files of a name, in order.
func (c *checksums) kindsOf(name string) (list []kind) {
	for _, l := range c.of[name] {
		list = slices.AppendSeq(list, maps.Keys(l))
	}
	slices.Sort(list)
	return slices.Compact(list)
}
