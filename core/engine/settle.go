package engine

import (
	"context"
	"io"
	"slices"

	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/core/wave"
)

// Settled says what a settle wrote.
type Settled struct {
	Start  int64 // sample of the reel at which it begins
	Frames int64
}

// Bounds gives what clips of one track span on the reel. Clips of several tracks, none, or such as can't be settled are
// BadInput: a mono that moves between the sides of a pair by a curve of its own has no sides in a mono take.
func Bounds(r *reel.Reel, clips []reel.Clip) (Settled, error) {
	if len(clips) == 0 {
		return Settled{}, fault.New(fault.BadInput, "There is nothing to settle here")
	}
	start, end := clips[0].Start, clips[0].End()
	for _, c := range clips {
		if c.Track != clips[0].Track {
			return Settled{}, fault.New(fault.BadInput, "Clips are settled track by track")
		}
		if len(c.Pan) > 0 && len(r.Tracks[c.Track].Labels) == 1 {
			return Settled{}, fault.New(fault.BadInput, "%s pans by a curve of its own, which a mono take can't hold; draw the curve on its track instead", c.Name)
		}
		start, end = min(start, c.Start), max(end, c.End())
	}
	return Settled{start, end - start}, nil
}

// Settle renders clips of one track, without the track's own gain and place, as 32-bit float. h gives the rest of the
// file's header. progress is told the share done.
func Settle(ctx context.Context, r *reel.Reel, clips []reel.Clip, open Opener, to io.Writer, h wave.Header,
	progress func(float64)) (Settled, error) {
	s, err := Bounds(r, clips)
	if err != nil {
		return s, err
	}
	return s, flatten(ctx, r, clips, nil, reel.Span{From: s.Start, To: s.Start + s.Frames}, open, to, h, progress)
}

// Flatten is Settle for all clips of a track within a range of the reel, and silence between them, through the track's chain, which whoever gets
// it does not have; but not where another row drives that. Where clips on a mono track pan by curves of their own, these go with the track's
// place.
func Flatten(ctx context.Context, r *reel.Reel, track string, s reel.Span, open Opener, to io.Writer, h wave.Header,
	progress func(float64)) error {
	var clips []reel.Clip
	for _, c := range r.ClipList() {
		if c.Track != track {
			continue
		}
		if len(r.Tracks[track].Labels) == 1 {
			c.Pan = nil
		}
		clips = append(clips, c)
	}
	if len(clips) == 0 {
		return fault.New(fault.BadInput, "Nothing lies on this track")
	}
	var through *reel.Chain
	if c, there := r.Chains[reel.ChainID(reel.TrackRow, track)]; there && c.Sounds() && len(c.Keys()) == 0 {
		through = &c
	}
	return flatten(ctx, r, clips, through, s, open, to, h, progress)
}

// Whole is the range from the reel's start, or from what lies before it, to where the last clip ends.
func Whole(r *reel.Reel) reel.Span {
	s := reel.Span{From: r.Head.Start, To: r.End()}
	for _, c := range r.Clips {
		s.From = min(s.From, c.Start)
	}
	return s
}

func flatten(ctx context.Context, r *reel.Reel, clips []reel.Clip, through *reel.Chain, s reel.Span, open Opener, to io.Writer, h wave.Header,
	progress func(float64)) error {
	bare := &reel.Reel{Head: r.Head, Chains: map[string]reel.Chain{}, Treatments: r.Treatments} // with no way out of the track, nothing has it work ahead
	if through != nil {
		bare.Chains[through.ID] = *through
	}
	track := r.Tracks[clips[0].Track]
	track.GainDB, track.Gain, track.Pan, track.Mute = 0, nil, nil, false
	bare.Tracks, bare.Clips = map[string]reel.Track{track.ID: track}, map[string]reel.Clip{}
	for _, c := range clips {
		bare.Clips[c.ID] = c
	}
	e, err := New(bare, open, Options{})
	if err != nil {
		return err
	}
	frames := s.To - s.From
	h.Format = wave.Format{Encoding: wave.Float, SampleRate: r.Head.SampleRate, Channels: len(track.Labels), BitDepth: 32, Bytes: 4}
	h.Frames = frames
	w, err := wave.NewWriter(to, h)
	if err != nil {
		return err
	}
	block := make([][]float64, len(track.Labels))
	clipped := make([]int64, len(block))
	row, _ := e.graph.Node(reel.TrackRow, track.ID)
	for at := int64(0); at < frames; {
		if err := ctx.Err(); err != nil {
			return fault.Wrap(fault.Cancelled, err, "Settling was stopped")
		}
		n := int(min(MaxBlock, frames-at))
		if err := e.Render(s.From+at, n); err != nil {
			return err
		}
		for i, ch := range e.nodes[row].buf {
			block[i] = ch[:n]
		}
		if err := w.WriteFrames(block, clipped); err != nil {
			return err
		}
		at += int64(n)
		progress(float64(at) / float64(frames))
	}
	return w.Close()
}

// Inside gives the clips of a track that lie wholly in a range, by start.
func Inside(r *reel.Reel, track string, s reel.Span) []reel.Clip {
	return slices.DeleteFunc(r.ClipList(), func(c reel.Clip) bool { return c.Track != track || c.Start < s.From || c.End() > s.To })
}
