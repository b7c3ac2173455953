package contract

import (
	"math"
	"strings"

	"zestyloom/core/timecode"
)

// Length is how long a signal lasts, in samples.
func (s Signal) Length(rate timecode.Rate, sampleRate int) int64 {
	if s.Pop > 0 {
		return rate.SampleOf(1, sampleRate)
	}
	return int64(math.Round(s.Lasts * float64(sampleRate)))
}

// Signed gives the sample that lies a signed timecode from another.
func Signed(rate timecode.Rate, sampleRate int, from int64, text string) (int64, error) {
	sign := int64(1)
	rest, minus := strings.CutPrefix(text, "-")
	if minus {
		sign = -1
	}
	at, err := rate.ParseSample(strings.TrimPrefix(rest, "+"), sampleRate)
	if err != nil {
		return 0, err
	}
	frame := rate.FrameAt(from, sampleRate) + sign*rate.FrameAt(int64(at), sampleRate) // it is a length here
	return rate.SampleOf(frame, sampleRate), nil
}
