package correct

import (
	"context"
	"io"

	"zestyloom/core/dsp"
	"zestyloom/core/fault"
	"zestyloom/core/layout"
	"zestyloom/core/loudness"
	"zestyloom/core/reel"
	"zestyloom/core/wave"
)

// fileBlock is how many frames of a file are read at a time.
const fileBlock = 1 << 12

// Source is a file, or several that are read as one (wave.Beside), as a programme.
type Source struct {
	File     *wave.File
	Layout   layout.Layout
	Channels []int               // of the file, from 0, in the order of Layout's labels; nil for all of them
	Factor   int                 // of oversampling for true peak: 4, also where it is 0, or 8
	Progress func(share float64) // nil where nobody asks
}

// Measure measures a programme through curves.
func (s Source) Measure(ctx context.Context, c Curves) (loudness.Row, error) {
	stream := loudness.NewStream(s.File.SampleRate, max(s.Factor, 4), s.Layout)
	picked := make([][]float64, len(s.Channels))
	err := s.File.EachBlock(fileBlock, func(at int64, block [][]float64) error {
		if s.Channels != nil {
			for i, c := range s.Channels {
				picked[i] = block[c]
			}
			block = picked
		}
		c.Apply(block, at)
		stream.Write(block)
		if s.Progress != nil {
			s.Progress(float64(at) / float64(s.File.Frames))
		}
		return ctx.Err()
	})
	if err != nil {
		return loudness.Row{}, err
	}
	return stream.End(), nil
}

// File works out how a file is brought to a target. Loudness that is measured where dialogue is heard can't be had of a file, in which
// nobody knows where that is: BadInput.
func File(ctx context.Context, s Source, to reel.Target) (Result, error) {
	if to.Dialogue {
		return Result{}, fault.New(fault.BadInput, "%s measures loudness where the dialogue is heard, which a file does not tell", to.Title)
	}
	// How often it will have to be measured is not known: each time half of what is left is done.
	told, done := s.Progress, 0.0
	if told != nil {
		s.Progress = func(share float64) { told(done + (1-done)/2*share) }
	}
	measure := func(ctx context.Context, c Curves) (loudness.Row, *loudness.Whole, error) {
		row, err := s.Measure(ctx, c)
		if err != nil {
			return row, nil, err
		}
		done += (1 - done) / 2
		return row, row.Whole(0, row.Hops(), loudness.Row{}), nil
	}
	row, w, err := measure(ctx, Curves{})
	if err != nil {
		return Result{}, err
	}
	return To(ctx, row, w, to, nil, func(ctx context.Context, c Curves) (*loudness.Whole, error) {
		_, w, err := measure(ctx, c)
		return w, err
	})
}

// Write writes a file through curves: the same channels, depth, time stamp and descriptions. What bext says of loudness becomes what was
// measured after; nil where the file is a part of what was measured, and then nothing is said. first is which of the programme's channels
// its first is, by which dither is told apart. clipped counts the samples that would have gone over full scale.
func Write(ctx context.Context, src *wave.File, c Curves, after *loudness.Whole, first int, w io.Writer) (clipped int64, err error) {
	h := src.Altered()
	if b := h.Bext; b != nil && after != nil {
		b.IntegratedLUFS, b.RangeLU, b.TruePeakMaxDBTP = after.IntegratedLUFS, after.LoudnessRangeLU, after.TruePeakMaxDBTP
		b.MomentaryMaxLUFS, b.ShortTermMaxLUFS, b.Version = after.MomentaryMaxLUFS, after.ShortTermMaxLUFS, max(b.Version, 2)
	}
	out, err := wave.NewWriter(w, h)
	if err != nil {
		return 0, err
	}
	changes := c.GainDB != 0 || len(c.Ride)+len(c.Limit) > 0
	limited := make([]int64, src.Channels)
	err = src.EachBlock(fileBlock, func(at int64, block [][]float64) error {
		if changes {
			c.Apply(block, at)
			for i, x := range block {
				if src.Encoding == wave.PCM {
					dsp.AddDither(x, 8*src.Bytes, first+i, at)
				}
			}
		}
		if err := out.WriteFrames(block, limited); err != nil {
			return err
		}
		return ctx.Err()
	})
	if err != nil {
		return 0, err
	}
	for _, n := range limited {
		clipped += n
	}
	return clipped, out.Close()
}
