package reel

import (
	"errors"
	"math"
	"slices"
	"strings"
	"unicode/utf8"

	"zestyloom/core/fault"
	"zestyloom/core/timecode"
)

// What a reel holds at most. Sizes that nobody works with come of damage or ill will, and everything behind reckons with
// these.
const (
	maxTracks   = 2_000
	maxClips    = 200_000
	maxKnots    = 200_000
	maxMarks    = 50_000
	maxOutputs  = 64
	maxClipWide = 1_024 // channels of a clip: as many as a file may have
	maxPoints   = 100_000
	maxDone     = 100_000 // hushes, dips and the like of one channel
	maxDepth    = 8       // how often what was settled was settled before
)

// broken is what a reel would not be if a change were made. It is BadInput where the values of an object are wrong, and
// Stale where objects would not fit together, as that comes of others' changes.
func broken(format string, args ...any) error { return fault.New(fault.BadInput, format, args...) }

func apart(format string, args ...any) error { return fault.New(fault.Stale, format, args...) }

// check tells whether the reel, to which the change has been made already, is one: every object that was put has values
// that can be, and what refers to an object that was put, or refers to one that went, still fits.
func (r *Reel) check(c Change) error {
	if err := r.checkHead(c); err != nil {
		return err
	}
	for _, k := range kinds {
		if err := k.check(r, &c); err != nil {
			return err
		}
	}
	if err := r.checkDependents(c); err != nil {
		return err
	}
	return r.checkSizes()
}

func (r *Reel) checkSizes() error {
	outputs := 0
	for _, g := range r.Groups {
		outputs += len(g.Labels)
	}
	if len(r.Tracks) > maxTracks || len(r.Clips) > maxClips || len(r.Knots) > maxKnots || len(r.Marks) > maxMarks ||
		len(r.Mixes) > maxTracks || len(r.Buses) > maxTracks || len(r.Chains) > maxTracks ||
		outputs > maxOutputs || len(r.Stems) > maxTracks {
		return broken("A reel has at most %d tracks, %d clips, %d marks and %d outputs", maxTracks, maxClips, maxMarks, maxOutputs)
	}
	return nil
}

// word tells whether a text can be kept and shown.
func word(text string, most int) bool {
	return len(text) <= 4*most && utf8.RuneCountInString(text) <= most && utf8.ValidString(text) && !strings.ContainsRune(text, 0)
}

func (r *Reel) checkHead(c Change) error {
	if len(c.Head) == 0 {
		return nil
	}
	h, day := r.Head, 24*3600*int64(r.Head.SampleRate)
	switch {
	case h.SampleRate < 1000 || h.SampleRate > 1<<20:
		return broken("A reel can't run at %d Hz", h.SampleRate)
	case !slices.Contains(timecode.Rates, h.FrameRate):
		return broken("There is no such frame rate")
	case h.Start < 0 || h.Start >= day || h.Picture.Start < 0 || h.Picture.Start >= day:
		return broken("A reel and its picture start between 00:00:00:00 and 24 hours")
	case !slices.Contains([]float64{3, 4.5, 6}, h.PanLaw):
		return broken("The pan law is 3, 4.5 or 6 dB")
	case h.Name == "" || !word(h.Name, 100) || !word(h.Spec, 200) || !word(h.CutList, 200) || !word(h.Picture.Take, 200):
		return broken("A reel needs a name of 1 to 100 characters")
	}
	return h.Angles.Check()
}

func (r *Reel) checkStem(id string, s Stem) error {
	if s.ID != id || id == "" || !word(id, 20) || s.Name == "" || !word(s.Name, 100) {
		return broken("A stem needs a tag and a name")
	}
	return checkLabels(s.Labels)
}

func (r *Reel) checkTrack(id string, t Track) error {
	if t.ID != id || !word(id, 100) || t.Name == "" || !word(t.Name, 300) || !word(t.Strand, 100) || !word(t.Folder, 100) ||
		t.Height < 0 || t.Height > 4 || t.Order < 0 || t.Order > 1<<30 {
		return broken("Track %.40q can't be as it would be", t.Name)
	}
	if err := r.checkStems(t); err != nil {
		return err
	}
	for what, points := range t.Curves {
		if what == GainCurve || what == PanCurve {
			return broken("%s would have two curves of %s", t.Name, what)
		}
		if err := errors.Join(what.check(0), checkCurve(points, what.check)); err != nil {
			return err
		}
	}
	for _, err := range []error{checkLabels(t.Labels), checkGain(t.GainDB), t.Feed.check(), checkCurve(t.Gain, checkGain),
		checkCurve(t.Pan, checkPan)} {
		if err != nil {
			return err
		}
	}
	return nil
}

// checkStems tells whether the stems that a track feeds are on the reel. It may feed none.
func (r *Reel) checkStems(t Track) error {
	for _, stem := range []string{t.Stem, t.Second} {
		if _, there := r.Stems[stem]; !there && stem != "" {
			return apart("%s would feed the stem %q, which is not on the reel", t.Name, stem)
		}
	}
	if t.Second != "" && (t.Second == t.Stem || t.Stem == "") {
		return broken("The second stem of %s would be its first", t.Name)
	}
	return nil
}

func (f Feed) check() error {
	for what, v := range map[Parameter]float64{PanCurve: f.Pan, FrontCurve: f.Front, UpCurve: f.Up, SpreadCurve: f.Spread, TurnCurve: f.Turn,
		PitchCurve: f.Pitch, RollCurve: f.Roll, NarrowCurve: f.Narrow} {
		if err := what.check(v); err != nil {
			return err
		}
	}
	if f.LFEDB != nil {
		return checkGain(*f.LFEDB)
	}
	return nil
}

// checkCurve holds a curve to what can be played without a step: its points follow each other, and two of another value
// lie a ramp apart.
func checkCurve(points []Point, check func(float64) error) error {
	if len(points) > maxPoints {
		return broken("A curve has at most %d points", maxPoints)
	}
	for i, p := range points {
		if err := check(p.Value); err != nil {
			return err
		}
		if p.At > farthest || p.At < -farthest || i > 0 && (p.At <= points[i-1].At ||
			p.Value != points[i-1].Value && p.At-points[i-1].At < Ramp) {
			return broken("The points of a curve follow each other, at least %d samples apart where it changes", Ramp)
		}
	}
	return nil
}

// farthest is beyond any place on a reel or in a take, in samples: more than four days at 192 kHz.
const farthest = 1 << 36

func (r *Reel) checkClip(id string, c Clip) error {
	if c.ID != id {
		return broken("A clip is called %q and %q", id, c.ID)
	}
	if err := r.checkOwn(c, 0); err != nil {
		return err
	}
	t, there := r.Tracks[c.Track]
	if !there {
		return apart("%s would lie on a track that is not on the reel", c.Name)
	}
	return r.checkFit(c, t)
}

func (r *Reel) checkFit(c Clip, t Track) error {
	if !c.Fits(t.Labels) {
		return apart("%s has %d channels and would lie on %s, which has %d", c.Name, len(c.Channels), t.Name, len(t.Labels))
	}
	return nil
}

// checkOwn checks the values of a clip, and of those that it was settled from.
func (r *Reel) checkOwn(c Clip, depth int) error {
	if depth > maxDepth || len(c.Settled) > maxClips {
		return broken("%.40q was settled too many times over", c.Name)
	}
	switch {
	case !word(c.ID, 100) || !word(c.Track, 100) || !word(c.Take, 100) || c.Take == "" || !word(c.Name, 300) || !word(c.Stem, 20) ||
		!word(c.Tie, 100) || !word(c.Was, 100) || !word(c.Event, 300):
		return broken("A clip has a take, and words that can be shown")
	case c.Length <= 0 || c.Length > farthest || c.Offset < 0 || c.Offset > farthest || c.Frames < 0 || c.Frames > farthest ||
		c.Home != nil && (*c.Home > farthest || *c.Home < -farthest):
		return broken("%s would have a length or a place in its take that can't be", c.Name)
	case c.Frames > 0 && c.Offset+c.Length > c.Frames:
		return broken("%s would go on after the end of its take", c.Name)
	case len(c.Channels) == 0 || len(c.Channels) > maxClipWide || slices.Min(c.Channels) < 0 || slices.Max(c.Channels) >= maxClipWide:
		return broken("%s would use channels that no take has", c.Name)
	case len(c.Lanes) != 0 && len(c.Lanes) != len(c.Channels):
		return broken("%s would treat %d of its %d channels", c.Name, len(c.Lanes), len(c.Channels))
	}
	if err := checkClipSteps(c, c.Chain); err != nil {
		return err
	}
	for _, row := range c.Matrix {
		if len(row) != len(c.Channels) || len(c.Matrix) > MaxChannels || c.Sum || slices.ContainsFunc(row,
			func(g float64) bool { return !(math.Abs(g) <= 16) }) {
			return broken("The matrix of %s has a gain of at most 16 times for each of its %d channels", c.Name, len(c.Channels))
		}
	}
	if depth == 0 {
		if err := checkPlace(r, c); err != nil {
			return err
		}
	}
	for _, err := range []error{checkGain(c.GainDB), checkFades(c.FadeIn, c.FadeOut, c.Length), checkCurve(c.Gain, checkGain),
		checkCurve(c.Pan, checkPan)} {
		if err != nil {
			return err
		}
	}
	for _, l := range c.Lanes {
		if err := errors.Join(checkLane(c, l), checkClipSteps(c, l.Chain)); err != nil {
			return err
		}
	}
	for _, s := range c.Settled {
		if err := r.checkOwn(s, depth+1); err != nil {
			return err
		}
	}
	return nil
}

func checkFades(in, out Fade, length int64) error {
	for _, f := range []Fade{in, out} {
		if err := checkFade(f, length); err != nil {
			return err
		}
	}
	if in.Length+out.Length > length {
		return broken("The fades of a clip are together no longer than the clip")
	}
	return nil
}

func checkLane(c Clip, l Lane) error {
	if err := checkGain(l.GainDB); err != nil {
		return err
	}
	if err := checkFades(l.FadeIn, l.FadeOut, c.Length); err != nil {
		return err
	}
	if l.Delay < -maxDelay || l.Delay > maxDelay || len(l.Cuts)+len(l.Hushes)+len(l.Dips)+len(l.Borrowed) > maxDone {
		return broken("A channel's delay is at most %d samples either way", maxDelay)
	}
	spans := map[string][]Span{"hushed": l.Hushes, "lowered": nil, "borrowed": nil}
	for _, d := range l.Dips {
		if err := checkGain(d.GainDB); err != nil {
			return err
		}
		if d.Ramp < Ramp || 2*d.Ramp > d.To-d.From {
			return broken("The ramps of a dip are at least %d samples long and at most half the dip", Ramp)
		}
		spans["lowered"] = append(spans["lowered"], d.Span)
	}
	for _, b := range l.Borrowed {
		if err := checkGain(b.GainDB); err != nil {
			return err
		}
		if !word(b.Take, 100) || b.Take == "" || !word(b.Title, 300) || b.Channel < 0 || b.Channel >= maxClipWide ||
			b.Offset > farthest || b.Offset < -farthest || b.Fade.Length < Ramp {
			return broken("What is borrowed has a take, a channel of it, and fades of at least %d samples", Ramp)
		}
		if err := checkFade(b.Fade, (b.To-b.From)/2); err != nil {
			return err
		}
		if q := b.Quiet; q != nil && (q.From < 0 || q.To > farthest || q.To-q.From < 2*Ramp) {
			return broken("Room tone is made of a stretch of a take")
		}
		spans["borrowed"] = append(spans["borrowed"], b.Span)
	}
	for did, list := range spans {
		for i, s := range list {
			if s.To-s.From < 2*Ramp || s.To > farthest || s.From < -farthest || i > 0 && s.From < list[i-1].To {
				return broken("The stretches that are %s are at least %d samples long and apart", did, 2*Ramp)
			}
		}
	}
	for i, at := range l.Cuts {
		if at > farthest || at < -farthest || i > 0 && at <= l.Cuts[i-1] {
			return broken("The cuts of a channel follow each other")
		}
	}
	return nil
}

func (r *Reel) checkGroup(id string, g Group) error {
	if g.ID != id || id == "" || !word(id, 100) || !word(g.Name, 100) || !word(g.Tag, 20) || !word(g.Layout, 40) || !word(g.Language, 20) ||
		len(g.Stems) > maxTracks {
		return broken("An output group needs an ID, a name and a tag")
	}
	seen := map[string]bool{}
	for _, l := range g.Labels {
		if l == "" || !word(l, 20) || seen[l] {
			return broken("Each channel of %s needs a label of its own", g.Name)
		}
		seen[l] = true
	}
	if len(g.Labels) == 0 {
		return broken("%s has no channels", g.Name)
	}
	return r.checkFeed(g)
}

// checkFeed tells whether what feeds a group is on the reel, and is not fed by it.
func (r *Reel) checkFeed(g Group) error {
	if g.Feed == nil {
		return nil
	}
	if r.RowLabels(g.Feed.Row, g.Feed.From) == nil || !slices.Contains(Row("").Words(), string(g.Feed.Row)) {
		return apart("%s would be fed by %s %q, which is not on the reel", g.Name, g.Feed.Row, g.Feed.From)
	}
	if f := g.Feed.Fold; f != nil {
		for _, dB := range []float64{f.CentreDB, f.SurroundDB, f.MonoDB, f.TrimDB} {
			if err := checkGain(dB); err != nil {
				return err
			}
		}
		if f.LFEDB != nil {
			if err := checkGain(*f.LFEDB); err != nil {
				return err
			}
		}
	}
	path := []string{g.Name}
	for at := g; at.Feed != nil && at.Feed.Row == GroupRow; {
		next, there := r.Groups[at.Feed.From]
		if !there {
			break
		}
		path = append(path, next.Name)
		if next.ID == g.ID || len(path) > len(r.Groups)+1 {
			return broken("%s would be derived from itself: %s", g.Name, strings.Join(path, ", from "))
		}
		at = next
	}
	return nil
}

func (r *Reel) checkMix(id string, m Mix) error {
	if m.ID != id || id == "" || !word(id, 100) || m.Name == "" || !word(m.Name, 100) || !word(m.Language, 20) || len(m.Terms) > maxTracks {
		return broken("A mix needs a name of 1 to 100 characters")
	}
	seen := map[string]bool{}
	for _, t := range m.Terms {
		if t.Row != StemRow && t.Row != StrandRow || seen[string(t.Row)+t.From] || !word(t.From, 200) {
			return broken("A mix is made of stems and strands, each once")
		}
		seen[string(t.Row)+t.From] = true
		if err := checkGain(t.GainDB); err != nil {
			return err
		}
		if r.RowLabels(t.Row, t.From) == nil {
			return apart("The mix %s would hold %s %q, which is not on the reel", m.Name, t.Row, t.From)
		}
	}
	return checkLabels(m.Labels)
}

func (r *Reel) checkTied(id string, k Knot) error {
	if k.ID != id || id != knotID(k.Row, k.From, k.Channel, k.Output) || k.Row == GroupRow || !slices.Contains(k.Row.Words(), string(k.Row)) {
		return broken("A knot is called after what it ties")
	}
	return errors.Join(checkGain(k.GainDB), checkCurve(k.Curve, checkGain), r.checkEnds(k))
}

// checkEnds tells whether both ends of a knot are on the reel.
func (r *Reel) checkEnds(k Knot) error {
	labels := r.RowLabels(k.Row, k.From)
	if _, there := r.Output(k.Output); !there || k.Channel < 0 || k.Channel >= len(labels) {
		return apart("A knot would be left that ties %s %q to %s, and one of them is not on the reel", k.Row, rowName(r, k.Row, k.From), k.Output)
	}
	return nil
}

func (r *Reel) checkMark(id string, m Mark) error {
	if m.ID != id || !word(id, 100) || m.Name == "" || !word(m.Name, 100) || !word(m.Note, 10_000) || m.At < 0 || m.Length < 0 ||
		m.At > farthest || m.Length > farthest {
		return broken("A mark lies on the clock and has a name")
	}
	return nil
}

// checkDependents looks at what was not put itself but refers to something that went, or that has other channels now.
func (r *Reel) checkDependents(c Change) error {
	stems := moved(c.Stems, func(a, b *Stem) bool { return slices.Equal(a.Labels, b.Labels) })
	tracks := moved(c.Tracks, func(a, b *Track) bool { return slices.Equal(a.Labels, b.Labels) })
	groups := moved(c.Groups, func(a, b *Group) bool { return slices.Equal(a.Labels, b.Labels) })
	mixes := moved(c.Mixes, func(a, b *Mix) bool { return slices.Equal(a.Labels, b.Labels) })
	if len(stems) > 0 {
		for _, t := range r.Tracks {
			if err := r.checkStems(t); err != nil {
				return err
			}
		}
		for id, m := range r.Mixes {
			if err := r.checkMix(id, m); err != nil {
				return err
			}
		}
	}
	if len(stems)+len(tracks)+len(groups)+len(mixes) > 0 {
		for _, g := range r.Groups {
			if err := r.checkFeed(g); err != nil {
				return err
			}
		}
	}
	if len(tracks) > 0 {
		for _, clip := range r.Clips {
			if !tracks[clip.Track] {
				continue
			}
			t, there := r.Tracks[clip.Track]
			if !there {
				return apart("%s lies on a track that would go; somebody has put it there since", clip.Name)
			}
			if err := r.checkFit(clip, t); err != nil {
				return err
			}
		}
	}
	if len(stems)+len(groups)+len(mixes) > 0 {
		for _, b := range r.Buses {
			if err := r.checkBusRow(b); err != nil {
				return err
			}
		}
	}
	if len(c.Groups) > 0 {
		for _, correction := range r.Corrections {
			if err := r.checkCorrected(correction); err != nil {
				return err
			}
		}
	}
	if len(c.Stems)+len(c.Tracks)+len(c.Groups)+len(c.Mixes)+len(c.Chains) > 0 {
		for _, chain := range r.Chains {
			if err := r.checkChainRow(chain); err != nil {
				return err
			}
		}
	}
	if len(stems)+len(tracks)+len(groups)+len(mixes) > 0 {
		for _, k := range r.Knots {
			if err := r.checkEnds(k); err != nil {
				return err
			}
		}
	}
	return nil
}

// moved gives the IDs of objects that went, or that are not the same any more.
func moved[T any](puts []Put[T], same func(a, b *T) bool) map[string]bool {
	ids := map[string]bool{}
	for _, p := range puts {
		if p.After == nil || p.Before != nil && !same(p.Before, p.After) {
			ids[p.ID] = true
		}
	}
	return ids
}

// ByOrder tells whether a command names places by the order of tracks, which others may have changed since.
func ByOrder(c Command) bool {
	switch c := c.(type) {
	case MoveClips:
		return c.Rows != 0
	case PasteClips:
		return c.Track != "" && len(c.Tracks) > 1
	case Several:
		for _, s := range c.Commands {
			if one, err := s.Decode(); err == nil && ByOrder(one) {
				return true
			}
		}
	}
	return false
}

// Reorders tells whether a change makes tracks stand in another order.
func (c Change) Reorders() bool {
	return slices.ContainsFunc(c.Tracks, func(p Put[Track]) bool {
		return p.Before == nil || p.After == nil || p.Before.Order != p.After.Order
	})
}
