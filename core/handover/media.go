package handover

import (
	"cmp"
	"slices"

	"zestyloom/core/reel"
)

// Stretches gives for each take the stretches of it that the reel's clips use, with so many frames more at both ends where
// the take has them: apart, in order, and joined where they touch. frames tells how long a take is.
func Stretches(r *reel.Reel, frames func(take string) int64, handle int64) map[string][]reel.Span {
	out := map[string][]reel.Span{}
	add := func(take string, s reel.Span, more int64) {
		s = reel.Span{From: max(0, s.From-handle-more), To: min(frames(take), s.To+handle+more)}
		if s.From < s.To {
			out[take] = append(out[take], s)
		}
	}
	for _, c := range r.Clips {
		late := int64(0)
		for _, l := range c.Lanes {
			late = max(late, l.Delay, -l.Delay)
			for _, b := range l.Borrowed {
				add(b.Take, b.Uses(), max(l.Delay, -l.Delay))
			}
		}
		add(c.Take, reel.Span{From: c.Offset, To: c.Offset + c.Length}, late)
	}
	for take, list := range out {
		slices.SortFunc(list, func(a, b reel.Span) int { return cmp.Compare(a.From, b.From) })
		joined := list[:1]
		for _, s := range list[1:] {
			if last := &joined[len(joined)-1]; s.From <= last.To {
				last.To = max(last.To, s.To)
			} else {
				joined = append(joined, s)
			}
		}
		out[take] = joined
	}
	return out
}
