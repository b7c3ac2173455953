package reel

import "zestyloom/core/timecode"

// At gives the place on the reel of a reading of the clock. A reel starts on some day, at its start, and may run over midnight:
// a reading is on the day on which it lies on the reel, else on that which brings it nearest to its start.
func (r *Reel) At(clock timecode.Reading) int64 {
	rate, start := r.Head.FrameRate, r.Head.Start
	after := rate.Near(clock, start, r.Head.SampleRate)
	if after < start {
		if later := after + rate.Day(r.Head.SampleRate); later <= r.End() {
			return later
		}
	}
	if after < 0 { // there is no day before the first
		after += rate.Day(r.Head.SampleRate)
	}
	return after
}

// Clock gives what a clock shows at a place on the reel.
func (r *Reel) Clock(at int64) timecode.Reading { return r.Head.FrameRate.Since(at, r.Head.SampleRate) }
