package convert

import (
	"context"
	"fmt"
	"io"

	"zestyloom/core/dsp"
	"zestyloom/core/fault"
	"zestyloom/core/take"
	"zestyloom/core/timecode"
	"zestyloom/core/unravel"
	"zestyloom/core/wave"
)

// Conversion says how a take is resampled: its drift undone, or brought to another sample rate.
type Conversion struct {
	DriftPPM   float64 `json:"driftPPM"`   // of the take's clock against what it is to fit; positive: its clock runs slow
	SampleRate int     `json:"sampleRate"` // Hz, of the result; 0 for the source's
}

// Converted says what came of a conversion.
type Converted struct {
	Frames  int64
	Clipped int64 // samples of all channels that came out above full scale and were limited to it
}

// maxDrift is more than any two clocks lie apart, in ppm.
const maxDrift = 5000

// Write writes src resampled, with its samples' depth and all its channels, the same moment first. Integer samples
// are dithered. progress, which may be nil, is told the share done. A conversion that can't be is BadInput.
func Write(ctx context.Context, src *wave.File, d take.Description, c Conversion, to io.Writer, progress func(float64)) (Converted, error) {
	rate := c.SampleRate
	if rate == 0 {
		rate = src.SampleRate
	}
	if c.DriftPPM < -maxDrift || c.DriftPPM > maxDrift || rate < 8000 || rate > 384000 || rate > 16*src.SampleRate ||
		src.SampleRate > 16*rate {
		return Converted{}, fault.New(fault.BadInput, "A drift of %g ppm and a rate of %d Hz can't be reached from %d Hz", c.DriftPPM, rate,
			src.SampleRate)
	}
	r := dsp.NewResampler(float64(src.SampleRate) / float64(rate) / (1 + c.DriftPPM*1e-6))
	frames := r.Length(src.Frames)
	clipped := make([]int64, src.Channels)
	h := convertedHeader(src, d, rate, frames)
	w, err := wave.NewWriter(to, h)
	if err != nil {
		return Converted{}, err
	}
	out := make([][]float64, src.Channels)
	for at := int64(0); at < frames; {
		if err := ctx.Err(); err != nil {
			return Converted{}, fault.Wrap(fault.Cancelled, err, "Resampling was stopped")
		}
		n := int(min(int64(h.BlockFrames(wave.AtOnce, frames)), frames-at))
		first, end := r.Span(at, n)
		input, err := decode(src, first, int(end-first))
		if err != nil {
			return Converted{}, err
		}
		for ch := range out {
			if len(out[ch]) < n {
				out[ch] = make([]float64, n)
			}
			out[ch] = out[ch][:n]
			r.Block(out[ch], at, input[ch], first)
			if h.Encoding == wave.PCM {
				dsp.AddDither(out[ch], 8*h.Bytes, ch, at)
			}
		}
		if err := w.WriteFrames(out, clipped); err != nil {
			return Converted{}, err
		}
		at += int64(n)
		if progress != nil {
			progress(float64(at) / float64(frames))
		}
	}
	result := Converted{Frames: frames}
	for _, n := range clipped {
		result.Clipped += n
	}
	return result, w.Close()
}

// decode gives all channels (channels × n) from a frame that may lie outside the file, where it is silent.
func decode(src *wave.File, from int64, n int) ([][]float64, error) {
	raw := make([]byte, n*src.FrameBytes())
	if err := src.ReadOver(raw, from, n); err != nil {
		return nil, err
	}
	channels := make([][]float64, src.Channels)
	for c := range channels {
		channels[c] = make([]float64, n)
		src.Decode(channels[c], raw, c)
	}
	return channels, nil
}

func convertedHeader(src *wave.File, d take.Description, rate int, frames int64) wave.Header {
	h := wave.Header{Format: src.Format, Frames: frames}
	h.SampleRate = rate
	all := take.Part{}
	for i := range src.Channels {
		all.Channels, all.Labels = append(all.Channels, i), append(all.Labels, fmt.Sprint(i+1))
	}
	whole := unravel.Header(all, src, d)
	h.Bext, h.IXML, h.Extra = whole.Bext, whole.IXML, src.Carried(false)
	if h.Bext != nil && d.StartSamples != nil {
		// The stamp counts samples, so at another rate it is another number.
		h.Bext.TimeReference = timecode.Convert(*d.StartSamples, src.SampleRate, rate)
	}
	if h.IXML != nil && h.IXML.Speed != nil && d.StartSamples != nil {
		speed := *h.IXML.Speed
		n := timecode.Convert(*d.StartSamples, src.SampleRate, rate)
		speed.StampHigh, speed.StampLow, speed.StampRate, speed.FileSampleRate = fmt.Sprint(n>>32), fmt.Sprint(n&0xffffffff), fmt.Sprint(rate),
			fmt.Sprint(rate)
		h.IXML.Speed = &speed
	}
	return h
}
