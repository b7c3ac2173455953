package reception

import (
	"bufio"
	"context"
	"crypto/md5"
	"crypto/sha1"
	"crypto/sha256"
	"crypto/sha512"
	"encoding/hex"
	"encoding/xml"
	"fmt"
	"hash"
	"io"
	"math/big"
	"os"
	"path"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

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

// checksums are what the lists beside a delivery say, by the names of files.
type checksums struct {
	of   map[string]map[kind]string
	bad  []contract.Finding // of lists that are not what their chain says, or can't be read
	seen bool
}

func (c *checksums) add(name string, k kind, sum string) {
	name = path.Base(strings.ReplaceAll(name, `\`, "/"))
	if Paper(name) {
		return
	}
	if c.of[name] == nil {
		c.of[name] = map[kind]string{}
	}
	if k != "c4" {
		sum = strings.ToLower(sum)
	}
	c.of[name][k], c.seen = sum, true
}

// mostList is the largest list that is read, in bytes.
const mostList = 8 << 20

// listed reads all lists of checksums among files: those of sha256sum and its like, ASC MHL with its chain, and MHL before it. Of
// several generations the last holds.
func listed(ctx context.Context, files []string) (*checksums, error) {
	c := &checksums{of: map[string]map[kind]string{}}
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
	f, err := os.Open(at)
	if err != nil {
		return err
	}
	defer f.Close()
	scan := bufio.NewScanner(io.LimitReader(f, mostList))
	for scan.Scan() {
		line := strings.TrimSpace(strings.TrimPrefix(scan.Text(), "\ufeff"))
		if m := bsd.FindStringSubmatch(line); m != nil {
			if k, known := kindOf(m[1]); known {
				c.add(m[2], k, m[3])
			}
			continue
		}
		sum, name, found := strings.Cut(line, " ")
		k, known := bySize[len(sum)]
		if _, err := hex.DecodeString(sum); err != nil {
			k, known = "c4", len(sum) == 90 && strings.HasPrefix(sum, "c4")
		}
		if !known {
			continue
		}
		if name = strings.TrimLeft(name, " *"); !found || name == "" { // beside the one file that it is called after
			name = strings.TrimSuffix(filepath.Base(at), filepath.Ext(at))
		}
		c.add(name, k, sum)
	}
	return nil
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

func readXML(at string) (root anyElement, text []byte, err error) {
	f, err := os.Open(at)
	if err != nil {
		return root, nil, err
	}
	defer f.Close()
	if text, err = io.ReadAll(io.LimitReader(f, mostList)); err != nil {
		return root, nil, err
	}
	return root, text, xml.Unmarshal(text, &root)
}

// doubt notes that a list can't be trusted.
func (c *checksums) doubt(at, format string, args ...any) {
	c.bad = append(c.bad, contract.Finding{Rule: "checksum", Severity: contract.Error, File: filepath.Base(at),
		Message: fmt.Sprintf(format, args...)})
}

// mhl reads a media hash list, of version 2 (path) or 1 (file).
func (c *checksums) mhl(at string) error {
	root, _, err := readXML(at)
	if err != nil {
		c.doubt(at, "The media hash list can't be read: it is damaged")
		return nil
	}
	var hashes func(e anyElement)
	hashes = func(e anyElement) {
		if strings.EqualFold(e.XMLName.Local, "hash") {
			name, there := e.child("path")
			if !there {
				name, there = e.child("file")
			}
			for _, x := range e.Inside {
				if k, known := kindOf(x.XMLName.Local); known && there {
					c.add(strings.TrimSpace(name.Text), k, strings.TrimSpace(x.Text))
				}
			}
			return
		}
		for _, x := range e.Inside {
			hashes(x)
		}
	}
	hashes(root)
	return nil
}

// chain holds the lists that a chain names to what it says of them.
func (c *checksums) chain(ctx context.Context, at string) error {
	root, _, err := readXML(at)
	if err != nil {
		c.doubt(at, "The chain of the media hash lists can't be read: it is damaged")
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
		case os.IsNotExist(err):
			c.doubt(list, "The chain of the media hash lists names this one, and it is not there")
		case err != nil:
			return err
		case sums["c4"] != strings.TrimSpace(want.Text):
			c.doubt(list, "The media hash list is not the one that its chain names; it was changed")
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

// held compares a file with what the lists say of it.
func (c *checksums) held(name string, sums map[kind]string) (doubts []contract.Finding) {
	want, known := c.of[name]
	if !known {
		if c.seen {
			doubts = append(doubts, contract.Finding{Rule: "checksum", Severity: contract.Error,
				Message: "The list of checksums does not have this file", Measured: sums["sha256"]})
		}
		return doubts
	}
	for _, k := range c.kindsOf(name) {
		f := contract.Finding{Rule: "checksum", Severity: contract.OK,
			Message: fmt.Sprintf("%s, as the list of checksums has it", strings.ToUpper(string(k))), Measured: sums[k], Limit: want[k]}
		if sums[k] != want[k] {
			f.Severity = contract.Error
		}
		doubts = append(doubts, f)
	}
	return doubts
}

// kindsOf are the kinds of checksums that the lists have of a file, in order.
func (c *checksums) kindsOf(name string) (list []kind) {
	for k := range c.of[name] {
		list = append(list, k)
	}
	slices.Sort(list)
	return list
}
