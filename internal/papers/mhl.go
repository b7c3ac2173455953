package papers

import (
	"encoding/hex"
	"encoding/xml"
	"fmt"
	"time"

	"crypto/sha512"
	"math/big"

	"zestyloom/core/reel"
	"zestyloom/internal/store"
)

// The media hash list of the American Society of Cinematographers, version 2.0, and the chain that names it.
type hashlist struct {
	XMLName xml.Name `xml:"urn:ASC:MHL:v2.0 hashlist"`
	Version string   `xml:"version,attr"`
	Creator struct {
		Date string `xml:"creationdate"`
		Host string `xml:"hostname"`
		Tool tool   `xml:"tool"`
	} `xml:"creatorinfo"`
	Process struct {
		Process string `xml:"process"`
	} `xml:"processinfo"`
	Hashes struct {
		Hash []listedHash `xml:"hash"`
	} `xml:"hashes"`
}

type tool struct {
	Version string `xml:"version,attr"`
	Name    string `xml:",chardata"`
}

type listedHash struct {
	Path struct {
		Size int64  `xml:"size,attr"`
		Name string `xml:",chardata"`
	} `xml:"path"`
	XXH64 struct {
		Action string `xml:"action,attr"`
		Date   string `xml:"hashdate,attr"`
		Sum    string `xml:",chardata"`
	} `xml:"xxh64"`
}

// hashList lists the files with the sums that were made when they were read back.
func hashList(p store.Print, _ *reel.Reel) ([]byte, error) {
	at := p.CreatedAt.UTC().Format(time.RFC3339)
	l := hashlist{Version: "2.0"}
	l.Creator.Date, l.Creator.Host, l.Creator.Tool = at, "zesty-loom", tool{"1", "Zesty Loom"}
	l.Process.Process = "in-place"
	for _, f := range p.Report.Files {
		if f.XXH64 == "" {
			continue // printed before this was noted
		}
		var h listedHash
		h.Path.Size, h.Path.Name = f.Size, f.Name
		h.XXH64.Action, h.XXH64.Date, h.XXH64.Sum = "original", at, f.XXH64
		l.Hashes.Hash = append(l.Hashes.Hash, h)
	}
	text, err := xml.MarshalIndent(l, "", "  ")
	return append([]byte(xml.Header), append(text, '\n')...), err
}

// chain names the list with its C4 ID.
func chain(list Paper) (Paper, error) {
	type entry struct {
		Number int    `xml:"sequencenr,attr"`
		Path   string `xml:"path"`
		C4     string `xml:"c4"`
	}
	name := list.Name[len("ascmhl/"):]
	text, err := xml.MarshalIndent(struct {
		XMLName xml.Name `xml:"urn:ASC:MHL:DIRECTORY:v2.0 ascmhldirectory"`
		List    entry    `xml:"hashlist"`
	}{List: entry{1, name, c4(list.Text)}}, "", "  ")
	return Paper{"ascmhl/ascmhl_chain.xml", append([]byte(xml.Header), append(text, '\n')...)}, err
}

// c4 is the C4 ID of bytes (SMPTE ST 2114): their SHA-512 in base 58, 90 digits long.
func c4(b []byte) string {
	const digits = "123456789ABCDEFGHJKLMNPQRSTUVWXYZabcdefghijkmnopqrstuvwxyz"
	sum := sha512.Sum512(b)
	n, _ := new(big.Int).SetString(hex.EncodeToString(sum[:]), 16)
	out := make([]byte, 88)
	rest, base := new(big.Int), big.NewInt(58)
	for i := len(out) - 1; i >= 0; i-- {
		n.DivMod(n, base, rest)
		out[i] = digits[rest.Int64()]
	}
	return fmt.Sprintf("c4%s", out)
}
