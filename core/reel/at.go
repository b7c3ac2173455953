package reel

import (
	"zestyloom/core/placing"
	"zestyloom/core/timecode"
)

// Placing is what has to be known of the reel to place anything on it.
func (r *Reel) Placing() placing.Reel {
	p := placing.Reel{Rate: r.Head.SampleRate, Frame: r.Head.FrameRate, Start: r.Head.Start, End: r.Head.Start,
		Free: r.Head.Free && len(r.Clips) == 0 && r.Head.Picture.Take == ""}
	for _, c := range r.Clips {
		p.End = max(p.End, c.End())
		p.Laid = append(p.Laid, placing.Interval{From: c.Start, To: c.End()})
	}
	if r.Head.Picture.Take != "" {
		p.Picture = &placing.Laid{ID: r.Head.Picture.Take, Of: r.Head.Picture.Of, At: r.Head.Picture.Start}
	}
	return p
}

// At gives the place on the reel of a reading of the clock, as placing has it.
func (r *Reel) At(clock timecode.Reading) int64 {
	return placing.Reel{Rate: r.Head.SampleRate, Frame: r.Head.FrameRate, Start: r.Head.Start, End: r.End()}.At(clock)
}

// Clock gives what a clock shows at a place on the reel.
func (r *Reel) Clock(at int64) timecode.Reading { return r.Head.FrameRate.Since(at, r.Head.SampleRate) }
