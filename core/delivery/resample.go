package delivery

import (
	"context"

	"zestyloom/core/dsp"
	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/core/wave"
)

// Resample makes the parts that are at another rate than the reel of what Print has written for them (Raw). open opens that,
// create what is made of it; the caller closes both, and takes what was raw away.
func Resample(ctx context.Context, p Plan, r *reel.Reel, printed Printed, open func(name string) (Opened, error),
	create func(name string) (Output, error), stamp Stamp, progress func(float64)) error {
	var parts []Part
	for _, part := range p.Parts() {
		if _, whole := printed.Whole[part.Name]; !whole && p.Files[part.File].Rate != p.Rate {
			parts = append(parts, part)
		}
	}
	for i, part := range parts {
		o, err := open(Raw(part.Name))
		if err != nil {
			return err
		}
		header, err := headerOf(p, part, r, stamp)
		if err != nil {
			return err
		}
		f := &file{part: part, planned: p.Files[part.File]}
		if err := f.begin(part.Name, header, create); err != nil {
			return err
		}
		err = f.resample(ctx, p.Rate, o, printed, func(share float64) { progress((float64(i) + share) / float64(len(parts))) })
		if err != nil {
			return err
		}
	}
	return nil
}

// resample writes a part of what is raw, at a rate in Hz.
func (f *file) resample(ctx context.Context, rate int, raw Opened, printed Printed, progress func(float64)) error {
	planned := f.planned
	src, err := wave.Open(raw, raw.Size)
	if err != nil {
		return err
	}
	re := dsp.NewResampler(float64(rate) / float64(planned.Rate))
	limited := make([]int64, src.Channels)
	out := make([][]float64, src.Channels)
	in := make([][]float64, src.Channels)
	for at := int64(0); at < planned.Frames; at += blockFrames {
		if err := ctx.Err(); err != nil {
			return fault.Wrap(fault.Cancelled, err, "The print was stopped")
		}
		n := int(min(blockFrames, planned.Frames-at))
		first, end := re.Span(at, n)
		frames := make([]byte, int(end-first)*src.FrameBytes())
		if err := src.ReadOver(frames, first, int(end-first)); err != nil {
			return err
		}
		for c := range out {
			in[c] = append(in[c][:0], make([]float64, end-first)...)
			src.Decode(in[c], frames, c)
			out[c] = append(out[c][:0], make([]float64, n)...)
			re.Block(out[c], at, in[c], first)
			if planned.Depth < 32 {
				if planned.Dither {
					dsp.AddDither(out[c], planned.Depth, c, at)
				}
				if went := limit(out[c], planned.Depth); went.samples > 0 {
					group := f.part.Channels[c].Group
					printed.Groups[planned.Range][group] = printed.Groups[planned.Range][group].with(went)
				}
			}
		}
		if err := f.writer.WriteFrames(out, limited); err != nil {
			return err
		}
		progress(float64(at+int64(n)) / float64(planned.Frames))
	}
	if err := f.writer.Close(); err != nil {
		return err
	}
	printed.Audio[f.part.Name] = f.hash.Sum64()
	if len(planned.Groups) == 1 {
		return f.loud(printed.Groups[planned.Range][planned.Groups[0]].Measurement)
	}
	return nil
}
