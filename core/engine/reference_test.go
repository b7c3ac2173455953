package engine

import (
	"math"
	"math/rand"
	"testing"

	"github.com/stretchr/testify/require"

	"zestyloom/core/reel"
)

// slow is the obvious renderer: every output sample is worked out by itself from the reel's own words and the definitions.
func slow(t testing.TB, r *reel.Reel, s shelf, from int64, frames int) [][]float64 {
	out := make([][]float64, len(r.OutputList()))
	for c := range out {
		out[c] = make([]float64, frames)
	}
	decoded := map[string][][]float64{}
	sample := func(take string, channel int, frame int64) float64 {
		if decoded[take] == nil {
			for ch := range s[take].Channels {
				decoded[take] = append(decoded[take], s.samples(t, take, ch))
			}
		}
		if frame < 0 || frame >= s[take].Frames {
			return 0
		}
		return decoded[take][channel][frame]
	}
	law := r.Head.PanLaw
	outputs, knots := r.OutputList(), r.KnotList()
	for _, clip := range r.ClipList() {
		track := r.Tracks[clip.Track]
		if track.Mute || clip.Mute {
			continue
		}
		stem := r.Stems[track.Stem].Labels
		for i := range frames {
			at := from + int64(i)
			if at < clip.Start || at >= clip.End() {
				continue
			}
			frame := clip.Offset + at - clip.Start
			gain := db(clip.GainDB) * db(line(clip.Gain, frame)) * db(track.GainDB) * db(line(track.Gain, at)) *
				rising(clip.FadeIn, at-clip.Start) * rising(clip.FadeOut, clip.End()-at)
			side := func(at int64) float64 {
				if len(track.Pan) > 0 {
					return line(track.Pan, at)
				}
				return track.Feed.Pan
			}
			inClip := func(at int64) float64 { return line(clip.Pan, clip.Offset+at-clip.Start) }
			if own, its := side, inClip; len(track.Labels) == 1 && len(stem) == 2 && !track.Feed.Dual {
				// a mono track has no sides of its own
				side, inClip = func(at int64) float64 { return own(at) + its(at) }, func(int64) float64 { return 0 }
			}
			if len(clip.Pan) == 0 { // steady positions are exact
				inClip = func(int64) float64 { return 0 }
			}
			row := make([]float64, len(track.Labels))
			for ch := range clip.Channels {
				x := gain * laneOf(clip, ch, at, frame, sample)
				for to := range row {
					row[to] += x * gliding(func(p float64) float64 { return within(clip, ch, to, track.Labels, p, law) }, inClip, at)
				}
			}
			for column, o := range outputs {
				for _, k := range knots {
					if k.Output != o.ID {
						continue
					}
					group := busOf(r, reel.GroupRow, o.Group, o.Label, at) * corrected(r, o.Group, at)
					if k.Row == reel.TrackRow && k.From == track.ID {
						out[column][i] += row[k.Channel] * knotAt(k, at) * group
					}
					if k.Row == reel.StemRow && k.From == track.Stem {
						through := busOf(r, reel.StemRow, track.Stem, stem[k.Channel], at) * busOf(r, reel.StrandRow, reel.StrandID(track.Stem, track.Strand),
							stem[k.Channel], at) * group
						for ch, x := range row {
							out[column][i] += x * gliding(func(p float64) float64 { return entering(track, ch, k.Channel, p, law) }, side,
								at) * knotAt(k, at) * through
						}
					}
				}
			}
		}
	}
	return out
}

// knotAt is the gain of a knot. Its curve goes straight from one stretch to the next.
func knotAt(k reel.Knot, at int64) float64 {
	gain := db(k.GainDB)
	if len(k.Curve) > 0 {
		gain *= gliding(db, func(at int64) float64 { return line(k.Curve, at) }, at)
	}
	if k.Invert {
		return -gain
	}
	return gain
}

// busOf is what a row that is a pair does to one of its channels: its level, and the balance of its sides.
func busOf(r *reel.Reel, row reel.Row, id, label string, at int64) float64 {
	b, there := r.Buses[reel.BusID(row, id)]
	if !there {
		return 1
	}
	which := map[string]int{"L": 0, "R": 1}
	pan := func(at int64) float64 {
		if points := b.Curves[reel.PanCurve]; len(points) > 0 {
			return line(points, at)
		}
		return b.Feed.Pan
	}
	balance := 1.0
	if side, paired := which[label]; paired {
		balance = gliding(func(p float64) float64 { return lowered(side, p) }, pan, at)
		if len(b.Curves[reel.PanCurve]) == 0 {
			balance = lowered(side, b.Feed.Pan)
		}
	}
	return db(b.GainDB) * db(line(b.Curves[reel.GainCurve], at)) * balance
}

// corrected is what the correction of an output group does.
func corrected(r *reel.Reel, group string, at int64) float64 {
	c, there := r.CorrectionOn(group)
	if !there || c.Off {
		return 1
	}
	return db(c.GainDB + line(c.Ride, at) + line(c.Limit, at))
}

// gliding is a gain that follows a position: as it is at every 256th sample of the clock, and linear between.
func gliding(gain func(position float64) float64, position func(at int64) float64, at int64) float64 {
	before := at - ((at%256)+256)%256
	share := float64(at-before) / 256
	return gain(position(before))*(1-share) + gain(position(before+256))*share
}

// side is what a mono gets on the left (0) or right (1) of a pair: the sine and cosine law, raised to law ÷ 3.
func side(which int, position, law float64) float64 {
	quarter := (math.Max(-1, math.Min(1, position)) + 1) / 2 // of a right angle, to the right
	if which == 0 {
		quarter = 1 - quarter
	}
	return math.Pow(math.Sin(quarter*math.Pi/2), law/3)
}

// lowered is what the balance leaves of the left (0) or right (1).
func lowered(which int, position float64) float64 {
	if which == 0 {
		return math.Min(1, 1-position)
	}
	return math.Min(1, 1+position)
}

// entering is the gain from a channel of a track to one of a stem that is a pair: a centre at −3 dB, a sound field by
// L = ½(W + Y), R = ½(W − Y).
func entering(t reel.Track, from, to int, position, law float64) float64 {
	single := len(t.Labels) == 1 || t.Labels[0] == "M"
	switch {
	case single && t.Feed.Dual:
		return 1
	case single:
		return side(to, position, law)
	}
	sides := map[string][2]float64{"L": {1, 0}, "R": {0, 1}, "C": {math.Sqrt2 / 2, math.Sqrt2 / 2}, "ACN0": {0.5, 0.5}, "ACN1": {0.5, -0.5}}
	return sides[t.Labels[from]][to] * lowered(to, position)
}

// within is the gain from a channel of a clip to one of its track.
func within(c reel.Clip, from, to int, labels []string, position, law float64) float64 {
	switch {
	case c.Sum || len(labels) == 1:
		return 1 / float64(len(c.Channels))
	case len(c.Channels) == 1:
		return side(to, position, law)
	case from != to:
		return 0
	case len(labels) == 2 && labels[0] == "L":
		return lowered(to, position)
	}
	return 1
}

func laneOf(clip reel.Clip, ch int, at, frame int64, sample func(string, int, int64) float64) float64 {
	var l reel.Lane
	if len(clip.Lanes) > 0 {
		l = clip.Lanes[ch]
	}
	if l.Off {
		return 0
	}
	x := sample(clip.Take, clip.Channels[ch], frame-l.Delay)
	for _, h := range l.Hushes {
		if frame >= h.From && frame < h.To {
			edge := math.Min(float64(frame-h.From), float64(h.To-frame))
			x *= 1 - math.Min(1, edge/math.Min(64, math.Floor(float64(h.To-h.From)/2)))
		}
	}
	for _, b := range l.Borrowed {
		if frame >= b.From && frame < b.To {
			edge := min(frame-b.From, b.To-frame)
			x = x*rising(b.Fade, b.Fade.Length-edge) + rising(b.Fade, edge)*db(b.GainDB)*sample(b.Take, b.Channel, b.Offset+frame-b.From)
		}
	}
	for _, d := range l.Dips {
		if frame >= d.From && frame < d.To {
			edge := math.Min(float64(frame-d.From), float64(d.To-frame))
			x *= db(d.GainDB * math.Min(1, edge/float64(d.Ramp)))
		}
	}
	if l.Invert {
		x = -x
	}
	return x * db(l.GainDB) * rising(l.FadeIn, at-clip.Start) * rising(l.FadeOut, clip.End()-at)
}

func db(x float64) float64 { return math.Exp(x / 20 * math.Ln10) }

// rising is a fade's factor so many samples from its silent end.
func rising(f reel.Fade, from int64) float64 {
	if from >= f.Length {
		return 1
	}
	x := math.Max(0, float64(from)/float64(f.Length))
	switch f.Curve {
	case reel.Power:
		return math.Cos((1 - x) * math.Pi / 2)
	case reel.Ess:
		return (1 - math.Cos(x*math.Pi)) / 2
	}
	return x
}

// line is a curve's value by walking along it.
func line(points []reel.Point, at int64) float64 {
	for i, p := range points {
		if at <= p.At {
			if i == 0 || at == p.At {
				return p.Value
			}
			before := points[i-1]
			share := float64(at-before.At) / float64(p.At-before.At)
			return before.Value*(1-share) + p.Value*share
		}
	}
	if len(points) > 0 {
		return points[len(points)-1].Value
	}
	return 0
}

// everyEdit does every kind of edit that can be heard on the crossing.
func everyEdit(t testing.TB) (*reel.Reel, shelf) {
	r, s := crossing(t)
	s.record(t, "other", 48000, 3, 40000)
	tracks := r.TrackList()
	clip := func(track int) reel.Clip {
		for _, c := range r.ClipList() {
			if c.Track == r.TrackList()[track].ID {
				return c
			}
		}
		t.Fatal("no clip")
		return reel.Clip{}
	}
	do(t, r, reel.SetTrack{Track: tracks[0].ID, GainDB: ptr(-4.5), Pan: ptr(0.3)})
	do(t, r, reel.SetTrack{Track: tracks[1].ID, Dual: ptr(true)})
	do(t, r, reel.SetKnots{Knots: []reel.Crosspoint{{Row: reel.TrackRow, From: tracks[2].ID, Channel: 1, Output: "dx/L", GainDB: -7},
		{Row: reel.StemRow, From: "DX", Output: "mix/L", GainDB: -3}}})
	all := []string{"M", "M", "M", "M"}
	do(t, r, reel.AddTake{Take: "poly", Title: "12A/3", Start: start + 300, Length: 20000, Parts: []reel.PartPlan{
		{Name: "Sum", Stem: "FX", Channels: []int{3, 0, 1}, Labels: []string{"M"}, Sum: true},
		{Name: "Field", Stem: "FX", Channels: []int{0, 1, 2, 3}, Labels: []string{"ACN0", "ACN1", "ACN2", "ACN3"}},
		{Name: "Surround", Stem: "MX", Channels: []int{3, 2, 1}, Labels: []string{"L", "R", "C"}},
		{Name: "Loose", Stem: "DX", Channels: []int{0, 1, 2, 3}, Labels: all}}})
	boom, cue, sum, loose := clip(0), clip(2), clip(3), clip(6)
	at := loose.Start
	for _, c := range []reel.Command{
		// Inside a multichannel clip.
		reel.SetLane{Clip: loose.ID, Channel: 0, GainDB: ptr(-3.5), Invert: ptr(true), Delay: ptr(int64(77)),
			FadeIn: &reel.Fade{Length: 900, Curve: reel.Ess}},
		reel.SetLane{Clip: loose.ID, Channel: 1, Off: ptr(true)},
		reel.SetLane{Clip: loose.ID, Channel: 2, Delay: ptr(int64(-31)), FadeOut: &reel.Fade{Length: 5000, Curve: reel.Power}},
		reel.Hush{Clip: loose.ID, Channel: 2, Span: reel.Span{From: at + 3000, To: at + 3100 + 500}},
		reel.Hush{Clip: loose.ID, Channel: reel.AllLanes, Span: reel.Span{From: at + 9000, To: at + 9129}},
		reel.DipRange{Clip: loose.ID, Channel: 0, Span: reel.Span{From: at + 5000, To: at + 8000}, GainDB: -12, Ramp: 700},
		reel.DipRange{Clip: loose.ID, Channel: 0, Span: reel.Span{From: at + 6000, To: at + 6500}, GainDB: 3, Ramp: 90},
		reel.CutLane{Clip: loose.ID, Channel: 0, At: at + 4000},
		reel.Borrow{Clip: loose.ID, Channel: 3, Span: reel.Span{From: at + 10000, To: at + 16000}, Take: "other", TakeChannel: 1, Offset: 36000,
			GainDB: 1.5, Fade: reel.Fade{Length: 480, Curve: reel.Power}},
		reel.Borrow{Clip: loose.ID, Channel: 3, Span: reel.Span{From: at + 12000, To: at + 13000}, Take: "other", TakeChannel: 2, Offset: 5,
			Fade: reel.Fade{Length: 200}},
		reel.Hush{Clip: loose.ID, Channel: 3, Span: reel.Span{From: at + 15000, To: at + 15500}},
		// Clips.
		reel.SetClip{Clip: boom.ID, GainDB: ptr(-2.0), FadeIn: &reel.Fade{Length: 3000}, FadeOut: &reel.Fade{Length: 2000, Curve: reel.Ess}},
		reel.SetCurve{Of: reel.OfClip, ID: boom.ID, What: "gain", Points: []reel.Point{{At: boom.Start + 5000, Value: 0},
			{At: boom.Start + 9000, Value: -9}, {At: boom.Start + 9200, Value: 2}}},
		reel.SetCurve{Of: reel.OfClip, ID: boom.ID, What: "pan", Points: []reel.Point{{At: boom.Start + 5000, Value: -0.9},
			{At: boom.Start + 15000, Value: 0.8}}},
		reel.SetCurve{Of: reel.OfClip, ID: cue.ID, What: "pan", Points: []reel.Point{{At: cue.Start, Value: -1},
			{At: cue.Start + 30000, Value: 1}}},
		reel.SetCurve{Of: reel.OfTrack, ID: tracks[2].ID, What: "pan", Points: []reel.Point{{At: cue.Start, Value: 0.5},
			{At: cue.Start + 9000, Value: -0.5}}},
		reel.SetCurve{Of: reel.OfTrack, ID: tracks[0].ID, What: "gain", Points: []reel.Point{{At: start, Value: -6},
			{At: start + 20000, Value: 3}}},
		reel.SetCurve{Of: reel.OfTrack, ID: loose.Track, What: "pan", Points: []reel.Point{{At: at, Value: -1}, {At: at + 10000, Value: 1}}},
		reel.RangeGain{Of: reel.OfClip, IDs: []string{cue.ID, sum.ID}, Span: reel.Span{From: cue.Start + 1000, To: cue.Start + 9000}, GainDB: -8,
			Ramp: 500},
		reel.CutClips{At: cue.Start + 20000, Clips: []string{cue.ID}},
		reel.TrimClip{Clip: sum.ID, Edge: reel.StartEdge, By: 700, Alone: true},
		reel.SlipClip{Clip: sum.ID, By: 300, Alone: true, Untie: true},
		reel.MoveClips{Clips: []string{sum.ID}, By: 123, Alone: true, Untie: true},
	} {
		do(t, r, c)
	}
	// What is done on a strand, a stem and an output group.
	strand := "Ines Calder"
	do(t, r, reel.SetTrack{Track: tracks[0].ID, Strand: &strand})
	dx := reel.StrandID("DX", strand)
	do(t, r, reel.SetBus{Row: reel.StrandRow, From: dx, GainDB: ptr(-1.5), Pan: ptr(-0.2)})
	do(t, r, reel.SetCurve{Of: "strand", ID: dx, What: "gain", Points: []reel.Point{{At: start + 100, Value: -3},
		{At: start + 8000, Value: 2}}})
	do(t, r, reel.SetBus{Row: reel.StemRow, From: "FX", Pan: ptr(0.4)})
	// And on knots.
	for _, knot := range []reel.Crosspoint{{Row: reel.TrackRow, From: tracks[2].ID, Channel: 1, Output: "dx/L"},
		{Row: reel.StemRow, From: "MX", Channel: 1, Output: "mix/R"}} {
		do(t, r, reel.SetCurve{Of: reel.OfKnot, ID: knot.Knot().ID, What: "gain", Points: []reel.Point{{At: start + 2000, Value: 0},
			{At: start + 7001, Value: -14}, {At: start + 7100, Value: 3}, {At: start + 26000, Value: -1}}})
	}
	do(t, r, reel.SetCurve{Of: "stem", ID: "MX", What: "pan", Points: []reel.Point{{At: start, Value: -0.9}, {At: start + 30000, Value: 0.9}}})
	do(t, r, reel.SetCurve{Of: "group", ID: "mix", What: "gain", Points: []reel.Point{{At: start + 5000, Value: 0},
		{At: start + 9000, Value: -12}, {At: start + 9100, Value: -1}}})
	do(t, r, reel.SetBus{Row: reel.GroupRow, From: "mix", GainDB: ptr(1.0)})
	do(t, r, reel.SetCorrection{Of: "mix", Groups: []string{"mx"}, GainDB: -2.5, Ride: []reel.Point{{At: start, Value: 1},
		{At: start + 20000, Value: -2}},
		Limit: []reel.Point{{At: start + 4000, Value: 0}, {At: start + 4064, Value: -7}, {At: start + 6000, Value: 0}}})
	do(t, r, reel.RangeGain{Of: "stem", IDs: []string{"DX", "FX"}, Span: reel.Span{From: start + 2000, To: start + 6000}, GainDB: -4,
		Ramp: 300})
	var right reel.Clip
	for _, c := range r.ClipList() {
		if c.Take == "cue" && c.Start == cue.Start+20000 {
			right = c
		}
	}
	do(t, r, reel.Crossfade{Left: cue.ID, Right: right.ID, Length: 4001, Curve: reel.Power})
	do(t, r, reel.PasteClips{Clips: []reel.Clip{right}, Tracks: []reel.Track{tracks[2]}, At: ptr(int64(start + 4000)), Track: tracks[2].ID})
	// Mixed widths: a mono on a pair, a pair on a mono.
	do(t, r, reel.AddTake{Take: "other", Title: "Bell", Start: start + 1500, Length: 9000,
		Parts: []reel.PartPlan{{Name: "Bell", Stem: "FX", Channels: []int{0}, Labels: []string{"M"}},
			{Name: "Chain", Stem: "FX", Channels: []int{1, 2}, Labels: pair}}})
	rows := r.TrackList()
	bell, chain := rows[len(rows)-2], rows[len(rows)-1]
	mono, stereo := clip(len(rows)-2), clip(len(rows)-1)
	do(t, r, reel.MoveClips{Clips: []string{mono.ID}, Rows: 1, Add: true})
	do(t, r, reel.SetCurve{Of: reel.OfClip, ID: mono.ID, What: "pan", Points: []reel.Point{{At: mono.Start, Value: -0.7},
		{At: mono.Start + 8000, Value: 0.4}}})
	do(t, r, reel.MoveClips{Clips: []string{stereo.ID}, Rows: -1, Add: true})
	require.Equal(t, []string{chain.ID, bell.ID}, []string{r.Clips[mono.ID].Track, r.Clips[stereo.ID].Track})
	return r, s
}

func same(t *testing.T, want, got [][]float64) {
	t.Helper()
	for c := range want {
		for i := range want[c] {
			if math.Abs(want[c][i]-got[c][i]) > 1e-12 {
				require.InDelta(t, want[c][i], got[c][i], 1e-12, "output %d frame %d", c, i)
			}
		}
	}
}

// What is rendered, in whatever blocks, is what the obvious renderer says, for every kind of edit.
func TestEveryEditAgainstTheObviousRenderer(t *testing.T) {
	r, s := everyEdit(t)
	want := slow(t, r, s, start-500, 75000)
	same(t, want, render(t, r, s, start-500, 75000, 4096))
	same(t, want, render(t, r, s, start-500, 75000, 1, 1023, 480, 16384))
}

// Edits at random, to find what nobody thought of.
func TestRandomEditsAgainstTheObviousRenderer(t *testing.T) {
	for seed := range int64(16) {
		r, s := everyEdit(t)
		rnd := rand.New(rand.NewSource(seed))
		for range 60 {
			clips := r.ClipList()
			c := clips[rnd.Intn(len(clips))]
			at := c.Start + rnd.Int63n(c.Length)
			span := reel.Span{From: at, To: at + int64(rnd.Intn(6000))}
			by := int64(rnd.Intn(4000) - 2000)
			command := []reel.Command{
				reel.CutClips{At: at}, reel.CutClips{At: at, Clips: []string{c.ID}, Alone: true},
				reel.MoveClips{Clips: []string{c.ID}, By: by, Untie: true}, reel.TrimClip{Clip: c.ID, Edge: reel.EndEdge, By: by},
				reel.TrimClip{Clip: c.ID, Edge: reel.StartEdge, By: by}, reel.SlipClip{Clip: c.ID, By: by, Untie: true},
				reel.Hush{Clip: c.ID, Channel: rnd.Intn(len(c.Channels)), Span: span}, reel.Restore{Clip: c.ID, Channel: 0, Span: span},
				reel.DipRange{Clip: c.ID, Channel: 0, Span: span, GainDB: -6, Ramp: int64(rnd.Intn(900))},
				reel.RangeGain{Of: reel.OfClip, IDs: []string{c.ID}, Span: span, GainDB: -3, Ramp: 100},
				reel.CutOut{Span: span, Close: true, Untie: true}, reel.JoinClips{Clips: []string{c.ID}}, reel.SplitClip{Clip: c.ID},
				reel.SwapTake{Clip: c.ID, Take: "other", Shift: by},
			}[rnd.Intn(14)]
			if change, _, err := command.Plan(r, lenders); err == nil {
				require.NoError(t, r.Apply(change))
			}
		}
		same(t, slow(t, r, s, start-500, 25000), render(t, r, s, start-500, 25000, 3000, 77))
	}
}

// A clip that is cut is heard as if it were not, and a join undoes a split.
func TestCutsAreNotHeard(t *testing.T) {
	r, s := everyEdit(t)
	want := render(t, r, s, start-500, 75000, 8192)
	for _, at := range []int64{start + 4001, start + 6321, start + 10050} {
		do(t, r, reel.CutClips{At: at})
	}
	same(t, want, render(t, r, s, start-500, 75000, 8192))
	var loose reel.Clip
	for _, c := range r.ClipList() {
		if r.Tracks[c.Track].Loose() {
			loose = c
		}
	}
	do(t, r, reel.SplitClip{Clip: loose.ID})
	same(t, want, render(t, r, s, start-500, 75000, 8192))
	var parts []string
	for _, c := range r.ClipList() {
		if c.Tie == loose.Tie && c.Start == loose.Start && len(c.Channels) == 1 && c.Take == loose.Take {
			parts = append(parts, c.ID)
		}
	}
	do(t, r, reel.JoinClips{Clips: parts})
}
