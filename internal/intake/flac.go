package intake

import (
	"bytes"
	"context"
	"crypto/md5"
	"encoding/binary"
	"errors"
	"io"
	"math"
	"os"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/mewkiz/flac"
	"github.com/mewkiz/flac/frame"
	"github.com/mewkiz/flac/meta"

	"zestyloom/core/fault"
	"zestyloom/core/take"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
)

// foreignID is "riff": application blocks that keep the chunks of the WAVE file that the FLAC was made from.
const foreignID = 0x72696666

// openFLAC reads the head of a FLAC stream: its format, and the descriptions from its foreign metadata and comments. What was wrong with
// the head and read all the same is put into said, which may be nil.
func openFLAC(r io.Reader, said *[]take.Warning) (s *flac.Stream, h wave.Header, err error) {
	head := &cleared{r: r}
	s, err = flac.Parse(head)
	if err != nil {
		return nil, h, fault.Wrap(fault.Damaged, err, "The FLAC file can't be read: its head is damaged")
	}
	if said != nil {
		*said = head.said
	}
	i := s.Info
	h.Format = wave.Format{Encoding: wave.PCM, Channels: int(i.NChannels), SampleRate: int(i.SampleRate), BitDepth: int(i.BitsPerSample),
		Bytes: (int(i.BitsPerSample) + 7) / 8}
	h.Frames = int64(i.NSamples)
	if int(i.NChannels) < len(flacMasks) {
		h.Mask = flacMasks[i.NChannels]
	}
	var comments []string
	for _, b := range s.Blocks {
		switch body := b.Body.(type) {
		case *meta.Application:
			if body.ID != foreignID || len(body.Data) < 8 {
				continue
			}
			switch string(body.Data[:4]) {
			case "bext":
				if x, err := wave.ParseBext(body.Data[8:]); err == nil {
					h.Bext = x
				}
			case "iXML":
				if x, err := wave.ParseIXML(body.Data[8:]); err == nil {
					h.IXML = x
				}
			}
		case *meta.VorbisComment:
			for _, tag := range body.Tags {
				comments = append(comments, strings.ToUpper(tag[0])+"="+tag[1])
			}
		}
	}
	for _, c := range comments { // a mask that is written out holds instead of the order; 0 says that the channels have no places
		if text, is := strings.CutPrefix(c, "WAVEFORMATEXTENSIBLE_CHANNEL_MASK="); is {
			if mask, err := strconv.ParseUint(strings.TrimSpace(text), 0, 32); err == nil {
				h.Mask = uint32(mask)
			}
		}
	}
	// Comments such as SCENE=12A are the lines that take.Describe reads from bext; it leaves others alone.
	if h.Bext == nil && h.IXML == nil && len(comments) > 0 {
		x := &wave.IXML{Version: "2.10"}
		for _, c := range comments {
			key, value, _ := strings.Cut(c, "=")
			switch key {
			case "SCENE":
				x.Scene = value
			case "TAKE":
				x.Take = value
			case "TAPE", "ROLL":
				x.Tape = value
			case "NOTE", "COMMENT":
				x.Note = value
			}
		}
		h.IXML = x
	}
	return s, h, nil
}

// flacMasks are the speakers, as bits of a WAVE's mask, of so many channels in the order that RFC 9639 has for them (9.1.3).
var flacMasks = []uint32{0, 0x4, 0x3, 0x7, 0x33, 0x37, 0x3f, 0x70f, 0x63f}

// cleared reads a FLAC stream with the padding in its head set to nought, as it should be: a flipped bit in what nobody
// reads is no reason to refuse the sound.
type cleared struct {
	r       io.Reader
	pending []byte // read, to be given yet
	left    int64  // of the block that is being read
	padding bool
	state   int
	said    []take.Warning // what was wrong
}

// Where in a stream cleared is: before its marker, among the blocks of its head, or beyond them.
const (
	atMarker = iota
	atBlocks
	atSound
)

func (c *cleared) Read(dst []byte) (int, error) {
	if len(c.pending) > 0 {
		n := copy(dst, c.pending)
		c.pending = c.pending[n:]
		return n, nil
	}
	switch {
	case c.left > 0:
		n, err := c.r.Read(dst[:min(int64(len(dst)), c.left)])
		if c.padding {
			clear(dst[:n])
		}
		c.left -= int64(n)
		return n, err
	case c.state == atSound:
		return c.r.Read(dst)
	}
	head := make([]byte, 4) // the marker, or a block's last flag, kind and length
	n, err := io.ReadFull(c.r, head)
	c.pending = head[:n]
	switch {
	case err != nil:
		c.state = atSound
	case c.state == atMarker && bytes.HasPrefix(head, []byte("ID3")):
		c.pending = nil
		if err := c.skipTag(); err != nil {
			return 0, err
		}
		return c.Read(dst)
	case c.state == atMarker:
		c.state = atBlocks
		if string(head) != "fLaC" {
			c.state = atSound
		}
	case head[0]&0x7f == commentBlock:
		if err := c.comments(head); err != nil {
			return 0, err
		}
		return c.Read(dst)
	default:
		c.left, c.padding = int64(head[1])<<16|int64(head[2])<<8|int64(head[3]), head[0]&0x7f == 1
		if head[0]&0x80 != 0 {
			c.state = atSound
		}
	}
	if n == 0 {
		return 0, err
	}
	return c.Read(dst)
}

// commentBlock and paddingBlock are kinds of blocks (RFC 9639, 8.1).
const paddingBlock, commentBlock = 1, 4

// skipTag leaves out an ID3v2 tag that some program has put before the stream.
func (c *cleared) skipTag() error {
	rest := make([]byte, 6) // minor version, flags, and how long it is, seven bits to a byte
	if _, err := io.ReadFull(c.r, rest); err != nil {
		return err
	}
	long := int64(rest[2]&0x7f)<<21 | int64(rest[3]&0x7f)<<14 | int64(rest[4]&0x7f)<<7 | int64(rest[5]&0x7f)
	if rest[1]&0x10 != 0 {
		long += 10 // it has a foot like its head
	}
	c.said = append(c.said, take.Warning{Code: "id3", Message: "An ID3 tag stands before the FLAC stream, where none belongs; it was left out"})
	_, err := io.CopyN(io.Discard, c.r, long)
	return err
}

// taggedFLAC tells whether a FLAC stream stands behind an ID3 tag.
func taggedFLAC(r io.ReaderAt) bool {
	c := &cleared{r: io.NewSectionReader(r, 0, math.MaxInt64)}
	marker := make([]byte, 4)
	_, err := io.ReadFull(c, marker)
	return err == nil && string(marker) == "fLaC"
}

// comments reads a block of comments whole. One that is damaged is given as padding: the sound does not need it.
func (c *cleared) comments(head []byte) error {
	body := make([]byte, int(head[1])<<16|int(head[2])<<8|int(head[3]))
	n, err := io.ReadFull(c.r, body)
	if err != nil && !errors.Is(err, io.ErrUnexpectedEOF) && !errors.Is(err, io.EOF) {
		return err
	}
	if n == len(body) && !commentsHold(body) {
		c.said = append(c.said, take.Warning{Code: "comments-damaged",
			Message: "The comments of the FLAC file are damaged and were left out; names may be missing"})
		head[0] = head[0]&0x80 | paddingBlock
		clear(body)
	}
	if head[0]&0x80 != 0 {
		c.state = atSound
	}
	c.pending = append(head, body[:n]...)
	return nil
}

// commentsHold tells whether a block of comments is what RFC 9639 (8.6) says: counted texts, each a name and a value.
func commentsHold(b []byte) bool {
	next := func() ([]byte, bool) {
		if len(b) < 4 {
			return nil, false
		}
		n := uint64(binary.LittleEndian.Uint32(b))
		if b = b[4:]; n > uint64(len(b)) {
			return nil, false
		}
		text := b[:n]
		b = b[n:]
		return text, true
	}
	if _, ok := next(); !ok || len(b) < 4 { // who made it
		return false
	}
	count := binary.LittleEndian.Uint32(b)
	b = b[4:]
	for range count {
		text, ok := next()
		if !ok || !utf8.Valid(text) || !bytes.Contains(text, []byte("=")) {
			return false
		}
	}
	return true
}

func describeFLAC(r io.Reader, name string) (take.Description, error) {
	var said []take.Warning
	_, h, err := openFLAC(r, &said)
	if err != nil {
		return take.Description{}, err
	}
	f := &wave.File{Warnings: said, Container: flacContainer, Format: h.Format, Frames: h.Frames, Bext: h.Bext, IXML: h.IXML}
	return take.Describe(f, name), nil
}

const flacContainer = wave.Container("flac")

// decodeFLAC writes the samples of a FLAC stream as a WAVE file, bit for bit. Where the stream breaks off the file ends
// before its header says so, which is how opening it tells that not all could be saved.
//
// What comes out is held to the MD5 of the samples that the head has, where it has one. What it says is not true, though the stream
// is whole, is told as a doubt.
func decodeFLAC(ctx context.Context, r io.Reader, to io.Writer, progress func(float64)) (doubt string, err error) {
	s, h, err := openFLAC(r, nil)
	if err != nil {
		return "", err
	}
	sum, most := md5.New(), int64(maxHours*3600)*int64(h.SampleRate)
	total := h.Frames
	w, err := wave.NewWriter(to, h)
	if err != nil {
		return "", err
	}
	shift := uint(8*h.Bytes - h.BitDepth) // narrower integers stand left-justified
	var raw, plain []byte
	at := int64(0)
	for {
		if at > most {
			return "", fault.New(fault.Damaged, "The FLAC file unfolds to more than %d hours; it is damaged", maxHours)
		}
		if err := ctx.Err(); err != nil {
			return "", fault.Wrap(fault.Cancelled, err, "Decoding was stopped")
		}
		next, err := s.ParseNext()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil || len(next.Subframes) != h.Channels || next.BlockSize == 0 {
			if at == 0 {
				return "", fault.Wrap(fault.Damaged, err, "The FLAC file is damaged from its first sample on; nothing could be saved")
			}
			return "", nil // the file ends before its header says so
		}
		n := int(next.BlockSize)
		if need := n * h.FrameBytes(); cap(raw) < need {
			raw = make([]byte, need)
		}
		raw = raw[:n*h.FrameBytes()]
		for c, sub := range next.Subframes {
			putSamples(raw, sub.Samples[:min(n, len(sub.Samples))], c, h.Format, shift)
		}
		if err := w.WriteRaw(raw); err != nil {
			return "", err
		}
		plain = summable(plain[:0], next.Subframes, n, h.Bytes)
		sum.Write(plain)
		if at += int64(n); progress != nil && total > 0 {
			progress(float64(at) / float64(total))
		}
	}
	if at != total {
		return "", nil
	}
	if s.Info.MD5sum != ([16]byte{}) && !bytes.Equal(sum.Sum(nil), s.Info.MD5sum[:]) {
		doubt = "The samples are not those that the FLAC file was made of: their MD5 is another"
	}
	return doubt, w.Close()
}

// summable are samples as the MD5 of a FLAC file is over them: interleaved, signed, of whole bytes, the lowest first.
func summable(to []byte, channels []*frame.Subframe, n, size int) []byte {
	for i := range n {
		for _, c := range channels {
			for b := range size {
				to = append(to, byte(c.Samples[i]>>(8*b)))
			}
		}
	}
	return to
}

// checkFLAC reads a FLAC file through, for what is wrong with it: a checksum of one of its blocks, or of all its samples, or its end.
func checkFLAC(ctx context.Context, local string) error {
	f, err := os.Open(local)
	if err != nil {
		return err
	}
	defer f.Close()
	var n counted
	doubt, err := decodeFLAC(ctx, f, &n, nil)
	if err != nil {
		return err
	}
	if doubt != "" {
		return fault.New(fault.Damaged, "%s", doubt)
	}
	_, h, err := openFLAC(io.NewSectionReader(f, 0, math.MaxInt64), nil)
	if err == nil && n.bytes < h.Frames*int64(h.FrameBytes()) {
		return fault.New(fault.Damaged, "The FLAC file is damaged: it can be read for %s and not on",
			timecode.Clock(n.bytes/int64(h.FrameBytes()), h.SampleRate))
	}
	return err
}

// counted counts what is written to it.
type counted struct{ bytes int64 }

func (c *counted) Write(b []byte) (int, error) { c.bytes += int64(len(b)); return len(b), nil }

func putSamples(raw []byte, samples []int32, channel int, f wave.Format, shift uint) {
	step, at := f.FrameBytes(), channel*f.Bytes
	for _, v := range samples {
		v <<= shift
		if f.Bytes == 1 {
			raw[at] = byte(v + 128) // unsigned in WAVE
		} else {
			for b := range f.Bytes {
				raw[at+b] = byte(v >> (8 * b))
			}
		}
		at += step
	}
}
