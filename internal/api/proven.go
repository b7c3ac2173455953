package api

import (
	"crypto/sha256"
	"encoding/hex"
	"hash"
	"io"

	"zestyloom/core/fault"
)

// proven reads a file that is sent from its beginning to its end, and fails before its last bytes where it is no longer what it was:
// whoever fetches it then has a download that broke off, and not a damaged file that looks whole. A part of a file, as players ask
// for, is sent as it is.
type proven struct {
	io.ReadSeeker
	name string
	size int64
	sum  string // SHA-256 that it must have
	hash hash.Hash
	at   int64 // where reading is
	seen int64 // bytes that are in the hash, from the beginning
}

func newProven(f io.ReadSeeker, name string, size int64, sum string) *proven {
	return &proven{ReadSeeker: f, name: name, size: size, sum: sum, hash: sha256.New()}
}

func (p *proven) Seek(offset int64, whence int) (int64, error) {
	at, err := p.ReadSeeker.Seek(offset, whence)
	p.at = at
	return at, err
}

func (p *proven) Read(b []byte) (int, error) {
	n, err := p.ReadSeeker.Read(b)
	if p.at == p.seen && p.sum != "" {
		p.hash.Write(b[:n])
		if p.seen += int64(n); p.seen == p.size && n > 0 && hex.EncodeToString(p.hash.Sum(nil)) != p.sum {
			return 0, fault.New(fault.Damaged, "%s is no longer what was printed; the disk may be failing. Print again", p.name)
		}
	}
	p.at += int64(n)
	return n, err
}
