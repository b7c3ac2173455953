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

// MeasureFile measures a file, or several that are read as one (wave.Beside), through curves, with a factor of oversampling for true
// peak: 4 or 8.
func MeasureFile(ctx context.Context, f *wave.File, l layout.Layout, c Curves, factor int) (loudness.Row, error) {
	s := loudness.NewStream(f.SampleRate, factor, l)
	err := f.EachBlock(fileBlock, func(at int64, block [][]float64) error {
		c.Apply(block, at)
		s.Write(block)
		return ctx.Err()
	})
	if err != nil {
		return loudness.Row{}, err
	}
	return s.End(), nil
}

// File works out how a file is brought to a target. Loudness that is measured where dialogue is heard can't be had of a file, in which
// nobody knows where that is: BadInput.
func File(ctx context.Context, f *wave.File, l layout.Layout, to reel.Target) (Result, error) {
	if to.Dialogue {
		return Result{}, fault.New(fault.BadInput, "%s measures loudness where the dialogue is heard, which a file does not tell", to.Title)
	}
	row, err := MeasureFile(ctx, f, l, Curves{}, 4)
	if err != nil {
		return Result{}, err
	}
	return To(ctx, row, row.Whole(0, row.Hops(), loudness.Row{}), to, nil, func(ctx context.Context, c Curves) (*loudness.Whole, error) {
		row, err := MeasureFile(ctx, f, l, c, 4)
		if err != nil {
			return nil, err
		}
		return row.Whole(0, row.Hops(), loudness.Row{}), nil
	})
}

// Write writes a file through curves: the same channels, depth, time stamp and descriptions. What bext says of loudness becomes what was
// measured after; nil where the file is a part of what was measured, and then nothing is said. first is which of the programme's channels
// its first is, by which dither is told apart. clipped counts the samples that would have gone over full scale.
func Write(ctx context.Context, src *wave.File, c Curves, after *loudness.Whole, first int, w io.Writer) (clipped int64, err error) {
	h := wave.Header{Format: src.Format, Frames: src.Frames, IXML: src.IXML, Extra: src.CarriedWhole(), Wide: src.Container == wave.BW64}
	if src.Bext != nil {
		b := *src.Bext
		b.ClearLoudness()
		if after != nil {
			b.IntegratedLUFS, b.RangeLU, b.TruePeakMaxDBTP = after.IntegratedLUFS, after.LoudnessRangeLU, after.TruePeakMaxDBTP
			b.MomentaryMaxLUFS, b.ShortTermMaxLUFS, b.Version = after.MomentaryMaxLUFS, after.ShortTermMaxLUFS, max(b.Version, 2)
		}
		h.Bext = &b
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
