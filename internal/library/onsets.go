package library

import (
	"zestyloom/core/onset"
	"zestyloom/core/wave"
)

// Onsets gives the frames at which sounds begin on a channel (from 1), or on all added up (0), from a frame on, count frames long.
func Onsets(f *wave.File, channel int, from int64, count int) ([]int64, error) {
	from, end := max(0, from), min(f.Frames, from+int64(count))
	out := []int64{}
	if end <= from {
		return out, nil
	}
	around := int64(onset.Before * float64(f.SampleRate))
	x, err := Stretch(f, channel, from-around, int(end-from+2*around))
	if err != nil {
		return nil, err
	}
	for _, at := range onset.Frames(x, f.SampleRate) {
		if frame := from - around + int64(at); frame >= from && frame < end {
			out = append(out, frame)
		}
	}
	return out, nil
}
