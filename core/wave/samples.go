package wave

import (
	"encoding/binary"
	"errors"
	"io"
	"math"
	"slices"

	"zestyloom/core/fault"
)

// ReadRaw reads whole interleaved frames, as the file has them, from frame on into dst, whose length is a multiple of
// FrameBytes. It gives the number of frames read, which is 0 with io.EOF at the end.
func (f *File) ReadRaw(dst []byte, frame int64) (int, error) {
	fb := f.FrameBytes()
	want := min(int64(len(dst)/fb), f.Frames-frame)
	if frame < 0 || want <= 0 {
		return 0, io.EOF
	}
	dst = dst[:want*int64(fb)]
	n, err := f.r.ReadAt(dst, f.DataOffset+frame*int64(fb))
	if n == len(dst) {
		return int(want), nil
	}
	if err == nil || errors.Is(err, io.EOF) {
		err = io.ErrUnexpectedEOF // the file became shorter since it was opened
	}
	return n / fb, fault.Wrap(fault.Damaged, err, "The file could not be read to its end")
}

// Stretch gives a range of the file's frames as a file of its own, whose time stamp is that of its first frame. Marks by
// position do not come along, as they would stand elsewhere. What lies outside of the file is BadInput.
func (f *File) Stretch(from, frames int64) (*File, error) {
	if from < 0 || frames < 0 || from > f.Frames-frames {
		return nil, fault.New(fault.BadInput, "There are no %d frames from frame %d on: the file has %d", frames, from, f.Frames)
	}
	part := *f
	part.DataOffset, part.Frames = f.DataOffset+from*int64(f.FrameBytes()), frames
	if f.Bext != nil {
		b := *f.Bext
		b.TimeReference += from
		part.Bext = &b
	}
	if from > 0 {
		part.Cues = nil
		part.Other = slices.DeleteFunc(slices.Clone(f.Other), func(c Chunk) bool { return c.ID == "cue " || c.ID == "LIST" })
	}
	return &part, nil
}

// Decode turns one channel of interleaved raw frames into float64 with full scale at 1.0. It is exact for every
// encoding, but for floats that are no level: what is not a number is given as 0, and what lies above loudest as that. raw
// holds at least len(dst) frames.
func (f Format) Decode(dst []float64, raw []byte, channel int) {
	step := f.FrameBytes()
	at := channel * f.Bytes
	le := binary.LittleEndian
	switch {
	case f.Encoding == Float && f.Bytes == 4:
		for i := range dst {
			dst[i] = level(float64(math.Float32frombits(le.Uint32(raw[at:]))))
			at += step
		}
	case f.Encoding == Float:
		for i := range dst {
			dst[i] = level(math.Float64frombits(le.Uint64(raw[at:])))
			at += step
		}
	case f.Bytes == 1: // unsigned, by the standard
		for i := range dst {
			dst[i] = float64(int(raw[at])-128) / (1 << 7)
			at += step
		}
	case f.Bytes == 2:
		for i := range dst {
			dst[i] = float64(int16(le.Uint16(raw[at:]))) / (1 << 15)
			at += step
		}
	case f.Bytes == 3 && len(dst) > 0:
		decode24(dst, raw[at:], step)
	default:
		for i := range dst {
			dst[i] = float64(int32(le.Uint32(raw[at:]))) / (1 << 31)
			at += step
		}
	}
}

// decode24 reads four bytes at a time, of which the first is none of the sample's, wherever there are four.
func decode24(dst []float64, raw []byte, step int) {
	const unit = 1.0 / (1 << 23) // a power of two, so that multiplying is exact
	n := 0
	switch step {
	case 3:
		n = decodeEights(dst, raw)
	case 6:
		n = decodePairs(dst, raw)
	}
	if n == len(dst) {
		return
	}
	dst, raw = dst[n:], raw[n*step:]
	dst[0] = float64(int32(uint32(raw[0])<<8|uint32(raw[1])<<16|uint32(raw[2])<<24)>>8) * unit
	if dst = dst[1:]; len(dst) == 0 {
		return
	}
	raw = raw[step-1:]
	for i := range len(dst) - 1 {
		dst[i] = float64(int32(binary.LittleEndian.Uint32(raw))>>8) * unit
		raw = raw[step:]
	}
	dst[len(dst)-1] = float64(int32(binary.LittleEndian.Uint32(raw))>>8) * unit
}

// loudest is the largest sample that is taken for sound: +144 dBFS. Larger ones come of damage, and would make every
// figure that they go into meaningless.
const loudest = 1 << 24

// level gives x where it is a level.
func level(x float64) float64 {
	switch {
	case x >= -loudest && x <= loudest:
		return x
	case x > loudest && !math.IsInf(x, 1):
		return loudest
	case x < -loudest && !math.IsInf(x, -1):
		return -loudest
	}
	return 0
}

// Strange counts the samples of interleaved raw frames that are no level, and that Decode mends.
func (f Format) Strange(raw []byte) (n int64) {
	if f.Encoding != Float {
		return 0
	}
	for at := 0; at+f.Bytes <= len(raw); at += f.Bytes {
		var x float64
		if f.Bytes == 4 {
			x = float64(math.Float32frombits(binary.LittleEndian.Uint32(raw[at:])))
		} else {
			x = math.Float64frombits(binary.LittleEndian.Uint64(raw[at:]))
		}
		if !(x >= -loudest && x <= loudest) {
			n++
		}
	}
	return n
}

// Encode is the inverse of Decode: it rounds to the nearest step and limits to full scale. It gives the number of
// samples that had to be limited. dst holds at least len(src) frames.
func (f Format) Encode(dst []byte, src []float64, channel int) (clipped int) {
	step := f.FrameBytes()
	at := channel * f.Bytes
	le := binary.LittleEndian
	if f.Encoding == Float {
		for _, x := range src {
			if f.Bytes == 4 {
				le.PutUint32(dst[at:], math.Float32bits(float32(x)))
			} else {
				le.PutUint64(dst[at:], math.Float64bits(x))
			}
			at += step
		}
		return 0
	}
	if f.Bytes == 3 && len(src) > 0 {
		return encode24(dst[at:], src, step)
	}
	bits := 8 * f.Bytes
	scale := math.Ldexp(1, bits-1)
	for _, x := range src {
		v := math.RoundToEven(x * scale)
		if !(v <= scale-1) { // also catches NaN
			if v != v {
				v = 0
			} else {
				v = scale - 1
			}
			clipped++
		} else if v < -scale {
			v = -scale
			clipped++
		}
		n := int64(v)
		switch f.Bytes {
		case 1:
			dst[at] = byte(n + 128)
		case 2:
			le.PutUint16(dst[at:], uint16(n))
		default:
			le.PutUint32(dst[at:], uint32(n))
		}
		at += step
	}
	return clipped
}

// EncodeAll is Encode of all channels: a planar block (channels × frames). What was limited is added to clipped, by channel.
func (f Format) EncodeAll(dst []byte, block [][]float64, clipped []int64) {
	c := 0
	if f.Encoding == PCM && f.Bytes == 3 && len(block[0]) > 0 {
		for ; c+1 < len(block); c += 2 { // two are written at once, in fewer pieces
			first, second := encodePair24(dst[3*c:], block[c], block[c+1], f.FrameBytes())
			clipped[c], clipped[c+1] = clipped[c]+int64(first), clipped[c+1]+int64(second)
		}
	}
	for ; c < len(block); c++ {
		clipped[c] += int64(f.Encode(dst, block[c], c))
	}
}

// some is how many samples are made integers at a time.
const some = 256

// encode24 is Encode for the format that nearly everything is in. dst begins with the first sample.
func encode24(dst []byte, src []float64, step int) (clipped int) {
	var whole [some]int32
	for len(src) > 0 {
		n := min(some, len(src))
		clipped += steps24(whole[:n], src[:n])
		if src = src[n:]; step == 3 {
			pack24(dst, whole[:n])
		} else {
			for i, v := range whole[:n] {
				to := dst[i*step:]
				_ = to[2]
				to[0], to[1], to[2] = byte(v), byte(v>>8), byte(v>>16)
			}
		}
		dst = dst[min(n*step, len(dst)):]
	}
	return clipped
}

// pack24 writes integers one after another.
func pack24(dst []byte, whole []int32) {
	for i := packEights(dst, whole); i < len(whole); i++ {
		v, to := whole[i], dst[3*i:]
		_ = to[2]
		to[0], to[1], to[2] = byte(v), byte(v>>8), byte(v>>16)
	}
}

// encodePair24 is encode24 of two channels that stand next to each other.
func encodePair24(dst []byte, a, b []float64, step int) (clippedA, clippedB int) {
	var wholeA, wholeB [some]int32
	for len(a) > 0 {
		n := min(some, len(a), len(b))
		clippedA += steps24(wholeA[:n], a[:n])
		clippedB += steps24(wholeB[:n], b[:n])
		i := 0
		if step == 6 {
			i = packPairs(dst, wholeA[:n], wholeB[:n])
		}
		for ; i < n; i++ {
			both, to := uint64(uint32(wholeA[i])&0xffffff)|uint64(uint32(wholeB[i]))<<24, dst[i*step:]
			_ = to[5]
			binary.LittleEndian.PutUint32(to, uint32(both))
			binary.LittleEndian.PutUint16(to[4:], uint16(both>>32))
		}
		a, b, dst = a[n:], b[n:], dst[min(n*step, len(dst)):]
	}
	return clippedA, clippedB
}

// steps24 rounds samples to the nearest of 2²³ steps and limits them to full scale.
func steps24(dst []int32, src []float64) (clipped int) {
	const (
		scale = 1 << 23
		// In a sum with this number the last bit of a float is worth 1, so that the sum is rounded to even, and its low bits
		// are the integer.
		whole = 3 << 51
	)
	for i := 0; i < len(src); i++ {
		if i&7 == 0 {
			if i += stepEights(dst[i:], src[i:]); i == len(src) {
				break
			}
		}
		v := src[i] * scale
		if !(v < scale-0.5 && v >= -scale-0.5) {
			clipped++
			switch {
			case v >= scale-0.5:
				v = scale - 1
			case v != v:
				v = 0
			default:
				v = -scale
			}
		}
		dst[i] = int32(math.Float64bits(v + whole))
	}
	return clipped
}

// Extract copies one channel of interleaved raw frames, byte for byte, into channel to of dst, whose frames have
// width channels.
func (f Format) Extract(dst, raw []byte, frames, channel, to, width int) {
	from, out := channel*f.Bytes, to*f.Bytes
	step, outStep := f.FrameBytes(), width*f.Bytes
	switch f.Bytes {
	case 3: // by far the most frequent; a copy call for 3 bytes would cost more than the bytes
		for range frames {
			dst[out], dst[out+1], dst[out+2] = raw[from], raw[from+1], raw[from+2]
			from += step
			out += outStep
		}
	default:
		for range frames {
			copy(dst[out:out+f.Bytes], raw[from:from+f.Bytes])
			from += step
			out += outStep
		}
	}
}

// blockBytes is how much of a file is held in memory at once, as far as whole groups of blockStep frames allow.
const (
	blockBytes = 4 << 20
	blockStep  = 128
)

// BlockFrames gives how many frames to read at a time where up to most are wanted: no more than the file has, and no more
// than fit a few megabytes whatever number of channels it claims. Of more than 128 it is a multiple of that.
func (f Format) BlockFrames(most int, frames int64) int {
	n := int(min(int64(most), max(1, frames), int64(max(blockStep, blockBytes/max(1, 8*f.Channels)))))
	if n > blockStep {
		n -= n % blockStep
	}
	return n
}

// EachBlock decodes the file front to back in planar blocks (channels × frames) of at most that many frames,
// fewer where there are very many channels. A block
// holds only until do returns; an error from do ends the reading.
func (f *File) EachBlock(frames int, do func(at int64, block [][]float64) error) error {
	frames = f.BlockFrames(frames, f.Frames)
	raw := make([]byte, frames*f.FrameBytes())
	room := make([][]float64, f.Channels)
	for c := range room {
		room[c] = make([]float64, frames)
	}
	block := make([][]float64, f.Channels)
	for at := int64(0); at < f.Frames; {
		n, err := f.ReadRaw(raw, at)
		if err != nil {
			return err
		}
		for c := range block {
			block[c] = room[c][:n]
			f.Decode(block[c], raw, c)
		}
		if err := do(at, block); err != nil {
			return err
		}
		at += int64(n)
	}
	return nil
}

// AtOnce is how many frames of a file are in memory at once where nothing else decides.
const AtOnce = 1 << 14

// ReadOver fills raw with n frames from one that may lie before the file's start; what lies outside the file is silence.
func (f *File) ReadOver(raw []byte, from int64, n int) error {
	silence := byte(0)
	if f.Encoding == PCM && f.Bytes == 1 {
		silence = 0x80 // 8-bit samples are unsigned
	}
	fb := f.FrameBytes()
	before := int(min(int64(n), max(0, -from)))
	count := max(0, int(min(int64(n-before), f.Frames-(from+int64(before)))))
	for _, outside := range [][]byte{raw[:before*fb], raw[(before+count)*fb:]} {
		for i := range outside {
			outside[i] = silence
		}
	}
	if count == 0 {
		return nil
	}
	_, err := f.ReadRaw(raw[before*fb:(before+count)*fb], from+int64(before))
	return err
}
