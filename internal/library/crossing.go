package library

import (
	"context"

	"zestyloom/core/crossing"
	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/core/wave"
)

// crossingSeconds is how far to each side a crossing is looked for.
const crossingSeconds = 0.01

// Crossing gives the place nearest to another where clips, and all that are tied to them, can be cut without a click: every channel that sounds there
// passes through zero, or, where they do not do so together, is as soft as it gets. No clips means all that lie there; alone, what is tied to them
// is not cut.
func (l Library) Crossing(ctx context.Context, r *reel.Reel, clips []string, alone bool, at int64) (int64, error) {
	around := int64(crossingSeconds * float64(r.Head.SampleRate))
	there, err := lying(r, clips, alone, at)
	if err != nil || len(there) == 0 {
		return at, err
	}
	from, to := at-around, at+around
	for _, c := range there { // a cut lies inside of each
		from, to = max(from, c.Start), min(to, c.End())
	}
	session := l.Session(ctx)
	defer session.Close()
	var channels [][]float64
	for _, c := range there {
		f, err := session.Open(c.Take)
		if err != nil {
			return at, err
		}
		for i, channel := range c.Channels {
			delay := int64(0)
			if len(c.Lanes) > i {
				if delay = c.Lanes[i].Delay; c.Lanes[i].Off {
					continue
				}
			}
			x, err := Stretch(f, channel+1, c.Frame(from)-delay, int(to-from))
			if err != nil {
				return at, err
			}
			channels = append(channels, x)
		}
	}
	return from + int64(crossing.Nearest(channels, int(at-from))), nil
}

// lying gives the clips that a place lies inside of: those that are named and all that are tied to them, or all.
func lying(r *reel.Reel, clips []string, alone bool, at int64) (there []reel.Clip, err error) {
	named, ties := map[string]bool{}, map[string]bool{}
	for _, id := range clips {
		c, ok := r.Clips[id]
		if !ok {
			return nil, fault.New(fault.NotFound, "This clip is no longer on the reel")
		}
		named[id] = true
		if c.Tie != "" && !alone {
			ties[c.Tie] = true
		}
	}
	for _, c := range r.ClipList() {
		if (len(clips) == 0 || named[c.ID] || ties[c.Tie]) && c.Start < at && at < c.End() {
			there = append(there, c)
		}
	}
	return there, nil
}

// maxBlock bounds how many frames are read at once.
const maxBlock = 192000

// Stretch reads count frames of a channel (from 1), or of all added up (0), from a frame on; what lies beyond the file is silent.
func Stretch(f *wave.File, channel int, from int64, count int) ([]float64, error) {
	out := make([]float64, count)
	begin, end := max(0, from), min(f.Frames, from+int64(count))
	if end <= begin {
		return out, nil
	}
	block := f.BlockFrames(maxBlock, end-begin)
	raw, one := make([]byte, block*f.FrameBytes()), make([]float64, block)
	for at := begin; at < end; {
		n, err := f.ReadRaw(raw[:int(min(int64(block), end-at))*f.FrameBytes()], at)
		if err != nil {
			return nil, err
		}
		for c := range f.Channels {
			if channel != 0 && channel != c+1 {
				continue
			}
			f.Decode(one[:n], raw, c)
			for i, x := range one[:n] {
				out[int(at-from)+i] += x
			}
		}
		at += int64(n)
	}
	return out, nil
}
