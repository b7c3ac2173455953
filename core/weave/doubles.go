package weave

import (
	"cmp"
	"fmt"
	"maps"
	"math"
	"slices"

	"zestyloom/core/dsp"
	"zestyloom/core/layout"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
)

// laid is a clip by what of which take it lays where: two of the same take that lie so sound the same frames at the same time.
type laid struct {
	take string
	at   int64 // where frame 0 of the take lies
}

// doubled finds takes that are laid twice at the same place and arrive together at an output: what is laid once more by mistake
// is 6 dB louder. A crossfade between two parts of a take is none.
func (g *Graph) doubled(r *reel.Reel, tracks []trackReach) (found []Finding) {
	reach := map[string]trackReach{}
	for _, t := range tracks {
		reach[g.Nodes[t.at].ID] = t
	}
	first, byPlace := make(map[laid]string, len(r.Clips)), map[laid][]reel.Clip{} // nearly all places have one clip
	for id := range r.Clips {
		c := r.Clips[id]
		if _, sounds := reach[c.Track]; !sounds || c.Mute {
			continue
		}
		at := laid{c.Take, c.Start - c.Offset}
		other, twice := first[at]
		if !twice {
			first[at] = id
			continue
		}
		if byPlace[at] == nil {
			byPlace[at] = append(byPlace[at], r.Clips[other])
		}
		byPlace[at] = append(byPlace[at], c)
	}
	places := slices.Collect(maps.Keys(byPlace))
	slices.SortFunc(places, func(a, b laid) int { return cmp.Or(cmp.Compare(a.at, b.at), cmp.Compare(a.take, b.take)) })
	said := map[[2]string]bool{} // tracks, once for all the clips that they share, or that meet nowhere
	for _, at := range places {
		clips := byPlace[at]
		slices.SortFunc(clips, func(a, b reel.Clip) int { return cmp.Or(cmp.Compare(a.Start, b.Start), cmp.Compare(a.ID, b.ID)) })
		for i, a := range clips {
			for _, b := range clips[i+1:] {
				if b.Start >= a.End() {
					break
				}
				pair := [2]string{a.Track, b.Track}
				if said[pair] || !common(a, b) || crossfaded(a, b) {
					continue
				}
				if said[pair] = !g.reachAlike(reach[a.Track], reach[b.Track]); said[pair] {
					continue
				}
				if o, by, meet := g.meet(r, a, b); meet {
					said[pair] = true
					if found = append(found, g.twice(r, a, b, o, by)); len(found) == mostDoubled {
						return found
					}
				}
			}
		}
	}
	return found
}

// mostDoubled is of how many pairs of tracks it is said that they double each other: who has more sees what is wrong.
const mostDoubled = 100

// common tells whether two clips use the same channel of their take.
func common(a, b reel.Clip) bool {
	return slices.ContainsFunc(a.Channels, func(c int) bool { return slices.Contains(b.Channels, c) })
}

// reachAlike tells whether two tracks have any output group in common.
func (g *Graph) reachAlike(a, b trackReach) bool {
	return slices.ContainsFunc(g.Outputs, func(o Output) bool {
		_, x := a.to(o.Node)
		_, y := b.to(o.Node)
		return x && y
	})
}

// crossfaded tells whether all that two clips have in common is where one fades out and the other in.
func crossfaded(a, b reel.Clip) bool {
	return min(a.End(), b.End())-b.Start <= min(a.FadeOut.Length, b.FadeIn.Length)
}

// meet gives the first output at which the same channel of two clips adds up, as far as they lie over each other, and by how many
// dB that is more than the louder at least.
func (g *Graph) meet(r *reel.Reel, a, b reel.Clip) (at Output, by float64, meet bool) {
	span := reel.Span{From: max(a.Start, b.Start), To: min(a.End(), b.End())}
	for _, received := range g.judge(r, span, []reel.Clip{a, b}).Outputs {
		for i, x := range received.Arrivals {
			for _, y := range received.Arrivals[i+1:] {
				if x.Of() != y.Of() || x.Clip.ID == y.Clip.ID || x.Low*y.Low <= 0 || min(math.Abs(x.Low), math.Abs(y.Low)) <= least {
					continue
				}
				if by = dsp.DB((x.Low + y.Low) / max(math.Abs(x.Low), math.Abs(y.Low))); by > 0.5 {
					return received.Output, by, true
				}
			}
		}
	}
	return at, 0, false
}

func (g *Graph) twice(r *reel.Reel, a, b reel.Clip, o Output, by float64) Finding {
	where := "on " + r.Tracks[a.Track].Name
	if a.Track != b.Track {
		where += " and on " + r.Tracks[b.Track].Name
	}
	mute := true
	return Finding{Rule: Doubled, Track: b.Track, Output: o.ID, Message: fmt.Sprintf(
		"%s is laid twice at %s, %s; together they arrive at %s %.1f dB louder", b.Name,
		r.Head.FrameRate.LabelAt(max(a.Start, b.Start), r.Head.SampleRate), where, name(r, o.Output), by),
		Fix: fix(reel.SetClip{Clip: b.ID, Mute: &mute}, "Mute the one on %s", r.Tracks[b.Track].Name)}
}

// languageLevels finds output groups of the same layout in which the narration of another language arrives at another level, by
// the ways that it takes; what is done on its track, to the voice, does not count.
func (g *Graph) languageLevels(r *reel.Reel, tracks []trackReach) (found []Finding) {
	type voiced struct {
		group reel.Group
		level float64 // dB
		track reel.Track
	}
	first := map[string]voiced{} // by layout
	for _, group := range r.GroupList() {
		language := group.Language
		if f := group.Feed; language == "" && f != nil && f.Row == reel.MixRow {
			language = r.Mixes[f.From].Language
		}
		at, there := g.Node(reel.GroupRow, group.ID)
		if language == "" || !there {
			continue
		}
		now := voiced{group: group, level: math.Inf(-1)}
		for _, t := range tracks {
			track := g.Nodes[t.at].Track
			m, reaches := t.to(at)
			if level := powerOf(m); track.Stem == narration && reaches && level > now.level {
				now.level, now.track = level, *track
			}
		}
		if math.IsInf(now.level, -1) {
			continue
		}
		key := group.Layout + fmt.Sprint(layout.Read(group.Labels).Kind)
		was, known := first[key]
		if !known {
			now.group.Language = language
			first[key] = now
			continue
		}
		if by := now.level - was.level; language != was.group.Language && math.Abs(by) > 0.5 {
			f := Finding{Rule: Language, Output: reel.OutputID(group.ID, group.Labels[0]), Message: fmt.Sprintf(
				"The narration arrives %.1f dB %s in %s than in %s", math.Abs(by), map[bool]string{true: "lower", false: "louder"}[by < 0],
				group.Name, was.group.Name)}
			if dual := was.track.Feed.Dual; dual != now.track.Feed.Dual {
				f.Fix = fix(reel.SetTrack{Track: now.track.ID, Dual: &dual}, "Send %s as %s is sent", now.track.Name, was.track.Name)
			}
			found = append(found, f)
		}
	}
	return found
}

// powerOf is the power with which the strongest channel comes through a matrix, in dB.
func powerOf(m mix.Matrix) float64 {
	most := 0.0
	for c := range m.Cols {
		power := 0.0
		for r := range m.Rows {
			power += m.At(r, c) * m.At(r, c)
		}
		most = max(most, power)
	}
	return 10 * math.Log10(most)
}
