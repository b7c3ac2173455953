package align

import (
	"math"

	"zestyloom/core/dsp"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
)

// signal is a recording read at a rate, which need not be its own.
type signal struct {
	file      *wave.File
	frames    int64          // at that rate
	resampler *dsp.Resampler // nil where the rate is its own
}

func signalOf(f *wave.File, rate int) *signal {
	if f.SampleRate == rate {
		return &signal{file: f, frames: f.Frames}
	}
	return &signal{file: f, frames: timecode.Convert(f.Frames, f.SampleRate, rate),
		resampler: dsp.NewResampler(float64(f.SampleRate) / float64(rate))}
}

// read fills dst with samples of a channel (from 0), or of all added up, from a frame on. What lies outside is silent.
func (s *signal) read(dst []float64, channel int, from int64) error {
	if s.resampler == nil {
		return add(dst, s.file, channel, from)
	}
	first, end := s.resampler.Span(from, len(dst))
	input := make([]float64, end-first)
	if err := add(input, s.file, channel, first); err != nil {
		return err
	}
	s.resampler.Block(dst, from, input, first)
	return nil
}

// add fills dst from a file at the file's own rate.
func add(dst []float64, f *wave.File, channel int, from int64) error {
	clear(dst)
	begin, end := max(0, from), min(f.Frames, from+int64(len(dst)))
	if end <= begin {
		return nil
	}
	block := f.BlockFrames(len(dst), end-begin)
	raw, one := make([]byte, block*f.FrameBytes()), make([]float64, block)
	for at := begin; at < end; {
		n, err := f.ReadRaw(raw[:int(min(int64(block), end-at))*f.FrameBytes()], at)
		if err != nil {
			return err
		}
		out := dst[at-from:]
		for c := range f.Channels {
			if channel != all && channel != c {
				continue
			}
			f.Decode(one[:n], raw, c)
			for i, v := range one[:n] {
				out[i] += v
			}
		}
		at += int64(n)
	}
	return nil
}

// windowFor is how many samples are matched at a time: 1.4 s at 48 kHz, short enough not to smear by drift, and at
// higher rates no shorter in time.
func windowFor(rate int) int {
	return 1 << (16 + max(0, int(math.Ceil(math.Log2(float64(rate)/48000)))))
}
