package wave

import (
	"bytes"
	"encoding/binary"
	"math"
	"strings"
	"unicode/utf8"

	"zestyloom/core/fault"
)

// bextFixed is the size of a bext chunk without its coding history (EBU Tech 3285 v2).
const bextFixed = 602

// noLoudness is what a loudness field says when nothing was measured.
const noLoudness = 0x7fff

// Bext is the broadcast extension. Loudness values are nil where they were not measured.
type Bext struct {
	Description         string
	Originator          string
	OriginatorReference string
	Date                string // yyyy-mm-dd
	Time                string // hh:mm:ss
	TimeReference       int64  // samples since midnight at the time-stamp rate of the file
	Version             int
	UMID                [64]byte
	IntegratedLUFS      *float64
	RangeLU             *float64
	TruePeakMaxDBTP     *float64
	MomentaryMaxLUFS    *float64
	ShortTermMaxLUFS    *float64
	CodingHistory       string
}

// ParseBext reads the body of a bext chunk (EBU Tech 3285).
func ParseBext(b []byte) (*Bext, error) {
	if len(b) < 348 {
		return nil, fault.New(fault.Damaged, "it has %d bytes and needs %d", len(b), bextFixed)
	}
	le := binary.LittleEndian
	x := &Bext{
		Description: text(b[:256]), Originator: text(b[256:288]), OriginatorReference: text(b[288:320]),
		Date: text(b[320:330]), Time: text(b[330:338]), Version: int(le.Uint16(b[346:])),
	}
	if ref := le.Uint64(b[338:]); ref <= math.MaxInt64/2 {
		x.TimeReference = int64(ref)
	} else {
		return nil, fault.New(fault.Damaged, "its time reference %d can't be", ref)
	}
	if x.Version >= 1 && len(b) >= 412 {
		copy(x.UMID[:], b[348:412])
	}
	if x.Version >= 2 && len(b) >= 422 {
		for i, field := range x.loudnessFields() {
			if v := int16(le.Uint16(b[412+2*i:])); v != noLoudness {
				f := float64(v) / 100
				*field = &f
			}
		}
	}
	if len(b) > bextFixed {
		x.CodingHistory = text(b[bextFixed:])
	}
	return x, nil
}

// ClearLoudness forgets what was measured, for a file whose channels are other ones.
func (x *Bext) ClearLoudness() {
	for _, field := range x.loudnessFields() {
		*field = nil
	}
}

func (x *Bext) loudnessFields() []**float64 {
	return []**float64{&x.IntegratedLUFS, &x.RangeLU, &x.TruePeakMaxDBTP, &x.MomentaryMaxLUFS, &x.ShortTermMaxLUFS}
}

// bytes writes version 2, always of the same length for the same coding history.
func (x *Bext) bytes() []byte {
	b := make([]byte, bextFixed, bextFixed+len(x.CodingHistory))
	le := binary.LittleEndian
	put(b[:256], x.Description)
	put(b[256:288], x.Originator)
	put(b[288:320], x.OriginatorReference)
	put(b[320:330], x.Date)
	put(b[330:338], x.Time)
	le.PutUint64(b[338:], uint64(x.TimeReference))
	le.PutUint16(b[346:], 2)
	copy(b[348:412], x.UMID[:])
	for i, field := range x.loudnessFields() {
		v := int16(noLoudness)
		if *field != nil && !math.IsInf(**field, 0) && !math.IsNaN(**field) {
			v = int16(math.Round(max(-300, min(300, **field)) * 100))
		}
		le.PutUint16(b[412+2*i:], uint16(v))
	}
	return append(b, x.CodingHistory...)
}

// put writes a field, as much of the text as fits without cutting a character in two.
func put(field []byte, s string) {
	if len(s) > len(field) {
		n := len(field)
		for n > 0 && !utf8.RuneStart(s[n]) {
			n--
		}
		s = s[:n]
	}
	copy(field, s)
}

// text reads a field that ends at its first zero byte. Recorders that predate UTF-8 wrote Latin-1; what is not UTF-8
// is read as that.
func text(b []byte) string {
	if i := bytes.IndexByte(b, 0); i >= 0 {
		b = b[:i]
	}
	return strings.TrimRight(FromBytes(whole(b)), " ")
}

// whole leaves out what a writer who counted bytes left of a last character.
func whole(b []byte) []byte {
	for i := len(b) - 1; i >= 0 && i > len(b)-utf8.UTFMax; i-- {
		if !utf8.RuneStart(b[i]) {
			continue
		}
		if b[i] >= 0xc2 && !utf8.FullRune(b[i:]) && utf8.Valid(b[:i]) && !ascii(b[:i]) {
			return b[:i]
		}
		break
	}
	return b
}

func ascii(b []byte) bool {
	for _, c := range b {
		if c >= utf8.RuneSelf {
			return false
		}
	}
	return true
}
