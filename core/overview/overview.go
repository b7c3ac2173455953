package overview

import (
	"context"
	"encoding/binary"
	"fmt"
	"io"
	"math"

	"zestyloom/core/fault"
	"zestyloom/core/take"
	"zestyloom/core/wave"
)

// OverviewFrames lists how many sample frames a bin of each resolution of an overview stands for, fine to coarse.
var OverviewFrames = []int{128, 2048, 32768}

// OverviewBinBytes is the size of one bin of one channel: the lowest and the highest sample and their RMS as little-endian
// int16, full scale = 32767; RMS is relative to a full-scale square wave. Bins are interleaved: all channels of bin 0, then
// of bin 1.
const OverviewBinBytes = 6

// Level is how loud a channel is over its whole length, in dBFS; nil for digital silence. RMS is relative to a
// full-scale square wave.
type Level struct {
	PeakDBFS *float64 `json:"peakDBFS"`
	RMSDBFS  *float64 `json:"rmsDBFS"`
}

// bin is what is known of some samples: their lowest and highest, the sum of their squares, and how many they are.
type bin struct {
	low, high, power float64
	count            int
}

func (b *bin) add(o bin) {
	if o.count == 0 {
		return
	}
	if b.count == 0 {
		*b = o
		return
	}
	*b = bin{min(b.low, o.low), max(b.high, o.high), b.power + o.power, b.count + o.count}
}

// binOf is the bin of some samples.
func binOf(samples []float64) bin {
	b := bin{low: math.Inf(1), high: math.Inf(-1), count: len(samples)}
	for _, x := range samples {
		b.low, b.high = min(b.low, x), max(b.high, x)
		b.power += x * x
	}
	return b
}

// append writes a bin as OverviewBinBytes has it.
func (b bin) append(to []byte) []byte {
	rms := math.Sqrt(b.power / float64(max(1, b.count)))
	for _, x := range [...]float64{b.low, b.high, rms} {
		to = binary.LittleEndian.AppendUint16(to, uint16(int16(math.Round(max(-1, min(1, x))*32767))))
	}
	return to
}

// Survey reads a file once and writes its overview, one writer for each entry of OverviewFrames. It gives the level
// of each channel, and a warning for each thing that is wrong with the samples.
func Survey(ctx context.Context, src *wave.File, to []io.Writer, progress func(float64)) ([]Level, []take.Warning, error) {
	fine := OverviewFrames[0]
	open := make([][]bin, len(OverviewFrames)) // the bin being filled, per resolution and channel
	for i := range open {
		open[i] = make([]bin, src.Channels)
	}
	peak, power := make([]float64, src.Channels), make([]float64, src.Channels)
	strange := int64(0)
	block := src.BlockFrames(wave.AtOnce, src.Frames)
	raw := make([]byte, block*src.FrameBytes())
	samples := make([]float64, block)
	bins := make([]bin, src.Channels*((block+fine-1)/fine))
	buf := make([]byte, 0, len(bins)*OverviewBinBytes)
	emit := func(level int, row []bin) error {
		buf = buf[:0]
		for _, b := range row {
			buf = b.append(buf)
		}
		_, err := to[level].Write(buf)
		return err
	}
	for at := int64(0); at < src.Frames; {
		if err := ctx.Err(); err != nil {
			return nil, nil, fault.Wrap(fault.Cancelled, err, "Drawing the waveform was stopped")
		}
		n, err := src.ReadRaw(raw, at)
		if err != nil {
			return nil, nil, err
		}
		strange += src.Strange(raw[:n*src.FrameBytes()])
		count := (n + fine - 1) / fine
		for c := range src.Channels {
			src.Decode(samples[:n], raw, c)
			for b := range count {
				one := binOf(samples[b*fine : min(n, (b+1)*fine)])
				bins[b*src.Channels+c] = one
				peak[c] = max(peak[c], -one.low, one.high)
				power[c] += one.power
			}
		}
		if err := emit(0, bins[:count*src.Channels]); err != nil {
			return nil, nil, err
		}
		at += int64(n)
		for level := 1; level < len(OverviewFrames); level++ {
			for b := range count {
				for c := range src.Channels {
					open[level][c].add(bins[b*src.Channels+c])
				}
				end := at - int64(n) + int64((b+1)*fine)
				if end%int64(OverviewFrames[level]) == 0 || at == src.Frames && b == count-1 {
					if err := emit(level, open[level]); err != nil {
						return nil, nil, err
					}
					clear(open[level])
				}
			}
		}
		if progress != nil {
			progress(float64(at) / float64(src.Frames))
		}
	}
	levels := make([]Level, src.Channels)
	for c := range levels {
		levels[c] = Level{decibels(peak[c]), decibels(math.Sqrt(power[c] / float64(max(1, src.Frames))))}
	}
	var warnings []take.Warning
	if strange > 0 {
		warnings = append(warnings, take.Warning{Code: "not-numbers", Offset: src.DataOffset,
			Message: fmt.Sprintf("%d samples are no numbers, or louder than anything can be; they are heard as silence or at the edge of what is",
				strange)})
	}
	return levels, warnings, nil
}

func decibels(x float64) *float64 {
	if x <= 0 {
		return nil
	}
	d := 20 * math.Log10(x)
	return &d
}

// EmptyBelowDBFS is the RMS under which a channel counts as empty: the noise of an open input lies above it only on
// faulty equipment.
const EmptyBelowDBFS = -72

// Empty tells whether a channel carries nothing.
func (l Level) Empty() bool { return l.RMSDBFS == nil || *l.RMSDBFS < EmptyBelowDBFS }

// Quietest finds the stretch of a channel (from 0) in which the loudest bin is the softest: n bins of an overview with so many channels, and where
// it begins. Bins of digital silence are none of a room. It tells whether there is one.
func Quietest(overview []byte, channels, channel, n int) (at int, found bool) {
	bins := len(overview) / (OverviewBinBytes * channels)
	level := func(i int) int {
		return int(int16(binary.LittleEndian.Uint16(overview[(i*channels+channel)*OverviewBinBytes+4:])))
	}
	best := math.MaxInt
	for i := 0; i+n <= bins; i++ {
		loudest := 0
		for k := i; k < i+n && loudest < best; k++ {
			l := level(k)
			if l == 0 {
				l = math.MaxInt
			}
			loudest = max(loudest, l)
		}
		if loudest < best {
			at, best, found = i, loudest, true
		}
	}
	return at, found
}
