package wave

import (
	"io"
	"slices"

	"zestyloom/core/fault"
)

// Beside gives several files as one whose frames hold the channels of all of them, in the order given. They must have
// the same rate and sample format (BadInput); after the end of a shorter one stands silence. The metadata are the first
// file's. Nothing is copied: the parts are read as the whole is.
func Beside(parts []*File) (*File, error) {
	if err := sameFormat(parts); err != nil {
		return nil, err
	}
	if len(parts) == 1 {
		return parts[0], nil
	}
	f := *parts[0]
	f.Channels, f.Mask, f.Frames = 0, 0, 0
	for _, p := range parts {
		f.Channels += p.Channels
		f.Frames = max(f.Frames, p.Frames)
		f.Recovered = f.Recovered || p.Recovered
	}
	if f.Channels > maxChannels {
		return nil, fault.New(fault.BadInput, "Together the files would have %d channels; %d is the most", f.Channels, maxChannels)
	}
	f.Warnings = warningsOf(parts)
	f.composed(&beside{whole: f.Format, frames: f.Frames, parts: slices.Clone(parts)})
	return &f, nil
}

// Joined gives several files as one that plays them one after another: a long take that the recorder split. They must
// have the same rate, sample format and channels (BadInput).
func Joined(parts []*File) (*File, error) {
	if err := sameFormat(parts); err != nil {
		return nil, err
	}
	if len(parts) == 1 {
		return parts[0], nil
	}
	f := *parts[0]
	f.Frames = 0
	for _, p := range parts {
		if p.Channels != f.Channels {
			return nil, fault.New(fault.BadInput, "The parts of a take have %d and %d channels; they can't be joined", f.Channels, p.Channels)
		}
		f.Frames += p.Frames
		f.Recovered = f.Recovered || p.Recovered
	}
	f.Warnings = warningsOf(parts)
	f.composed(&joined{format: f.Format, parts: slices.Clone(parts)})
	return &f, nil
}

func sameFormat(parts []*File) error {
	if len(parts) == 0 {
		return fault.New(fault.BadInput, "There are no files to put together")
	}
	first := parts[0].Format
	for _, p := range parts[1:] {
		switch {
		case p.SampleRate != first.SampleRate:
			return fault.New(fault.BadInput, "One file is at %d Hz and another at %d Hz; they can't be put together", first.SampleRate, p.SampleRate)
		case p.Encoding != first.Encoding || p.Bytes != first.Bytes || p.BitDepth != first.BitDepth:
			return fault.New(fault.BadInput, "One file has %d bit %s samples and another %d bit %s; they can't be put together", first.BitDepth,
				first.Encoding, p.BitDepth, p.Encoding)
		}
	}
	return nil
}

func warningsOf(parts []*File) []Warning {
	var all []Warning
	for _, p := range parts {
		all = append(all, p.Warnings...)
	}
	return all
}

// composed makes f read its frames from r, which has nothing but frames.
func (f *File) composed(r io.ReaderAt) {
	f.r, f.DataOffset = r, 0
	f.size = f.Frames * int64(f.FrameBytes())
}

// silence fills raw samples with digital silence.
func (f Format) silence(raw []byte) {
	zero := byte(0)
	if f.Encoding == PCM && f.Bytes == 1 {
		zero = 0x80 // 8-bit samples are unsigned
	}
	for i := range raw {
		raw[i] = zero
	}
}

// beside reads the frames of parts side by side. Offsets and lengths are whole frames, as ReadRaw asks for.
type beside struct {
	whole  Format
	frames int64
	parts  []*File
}

// besideBlock bounds how many frames of one part are held while they are put in their places.
const besideBlock = 1 << 12

func (b *beside) ReadAt(dst []byte, offset int64) (int, error) {
	fb := b.whole.FrameBytes()
	frame, done := offset/int64(fb), 0
	for done < len(dst)/fb {
		n := min(besideBlock, len(dst)/fb-done)
		if left := b.frames - frame - int64(done); left < int64(n) {
			if n = int(left); n <= 0 {
				return done * fb, io.EOF
			}
		}
		to := 0
		for _, p := range b.parts {
			raw := make([]byte, n*p.FrameBytes())
			have := int(max(0, min(int64(n), p.Frames-frame-int64(done))))
			if have > 0 {
				if _, err := p.ReadRaw(raw[:have*p.FrameBytes()], frame+int64(done)); err != nil {
					return done * fb, err
				}
			}
			p.silence(raw[have*p.FrameBytes():])
			for c := range p.Channels {
				p.Extract(dst[done*fb:], raw, n, c, to, b.whole.Channels)
				to++
			}
		}
		done += n
	}
	return done * fb, nil
}

// joined reads the frames of parts one after another.
type joined struct {
	format Format
	parts  []*File
}

func (j *joined) ReadAt(dst []byte, offset int64) (int, error) {
	fb := int64(j.format.FrameBytes())
	frame, done := offset/fb, 0
	for _, p := range j.parts {
		if frame >= p.Frames {
			frame -= p.Frames
			continue
		}
		for frame < p.Frames && done < len(dst) {
			n, err := p.ReadRaw(dst[done:], frame)
			done += n * int(fb)
			if err != nil {
				return done, err
			}
			frame += int64(n)
		}
		frame = 0
		if done == len(dst) {
			return done, nil
		}
	}
	return done, io.EOF
}
