package align

import (
	"context"
	"math"

	"zestyloom/core/timecode"
	"zestyloom/core/wave"
)

// Line is where a stretch of one recording is said again in another.
type Line struct {
	Offset     int64   `json:"offset"`     // frame, at the first's rate, of the other recording that is said where the stretch begins
	Confidence float64 `json:"confidence"` // 0 to 1
}

// A performance is never the same twice, so a line is found by how its loudness rises and falls alone, and believed from
// a lower agreement on than a recording of the same performance.
const (
	lineFrom = 4.5  // standard deviations from which on it counts as found
	lineSure = 12.0 // from which on it is sure
	lineTwin = 0.92 // how good the next best place may be against it
)

// FindLine looks for a stretch of a channel (from, n frames) in a channel of another recording. It is
// not ok where nothing there rises and falls like it.
func FindLine(ctx context.Context, f *wave.File, channel int, from, n int64, other *wave.File, otherChannel int) (l Line, ok bool,
	err error) {
	said, err := ShapeOfPart(ctx, f, channel, from, n)
	if err != nil {
		return Line{}, false, err
	}
	again, err := ShapeOfPart(ctx, other, otherChannel, 0, other.Frames)
	if err != nil {
		return Line{}, false, err
	}
	// The stretch must lie inside the other recording.
	length := timecode.Convert(other.Frames, other.SampleRate, f.SampleRate)
	middle := (length - n) / 2
	c, ok := Coarsely(again, said, middle, max(0, middle))
	if !ok || c.Strength < lineFrom || c.RunnerUp > lineTwin {
		return Line{}, false, nil
	}
	l = Line{c.Offset, min(1, max(0.05, (c.Strength-lineFrom)/(lineSure-lineFrom)))}
	// Where it is the very same sound after all, its samples say exactly where.
	k := newCorrelator(f.SampleRate)
	x := finder{correlator: k}
	size, reach := int(min(n, int64(k.window))), 4*hop(f.SampleRate)
	if sounding, err := x.read(signalOf(f, f.SampleRate), channel, k.x, from, size); err != nil || !sounding {
		return l, true, err
	}
	if sounding, err := x.read(signalOf(other, f.SampleRate), otherChannel, k.r, l.Offset-int64(reach), size+2*reach); err != nil ||
		!sounding {
		return l, true, err
	}
	if lag, strength := k.peak(2 * reach); strength >= strong {
		l.Offset += int64(math.Round(lag)) - int64(reach)
	}
	return l, true, nil
}
