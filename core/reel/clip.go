package reel

import (
	"cmp"
	"math"
	"slices"

	"zestyloom/core/chain"
	"zestyloom/core/dsp"
	"zestyloom/core/fault"
)

// Ramp is how long a change of gain takes at least, in samples, so that it can't be heard as a step.
const Ramp = 64

// Clip is a stretch of a take on a track. Its treatment (curves, lanes) is in frames of the take, so that it stays with
// the sound when the clip is moved, trimmed or cut.
type Clip struct {
	ID       string `json:"id"`
	Track    string `json:"track"`
	Take     string `json:"take"`
	Name     string `json:"name"`
	Stem     string `json:"stem,omitempty"` // the stem that it was made for; empty where nobody said
	Channels []int  `json:"channels"`       // of the take, from 0, one for each channel of the track; more where they are a sum
	Sum      bool   `json:"sum,omitempty"`  // the channels are added up, each at 1/n, for a track of one channel
	// Matrix holds the gain, as a factor, from each of Channels to each channel of the track, a row for each of the track's;
	// nil where they go as they are.
	Matrix  [][]float64 `json:"matrix,omitempty"`
	Start   int64       `json:"start"`
	Offset  int64       `json:"offset"`           // first frame of the take that sounds
	Length  int64       `json:"length"`           // sample frames
	Frames  int64       `json:"frames,omitempty"` // of the take; 0 where it is not known, and then there are no handles
	GainDB  float64     `json:"gainDB"`
	Mute    bool        `json:"mute,omitempty"`
	FadeIn  Fade        `json:"fadeIn,omitzero"`
	FadeOut Fade        `json:"fadeOut,omitzero"`
	Gain    []Point     `json:"gain,omitempty"`  // dB over frames of the take
	Pan     []Point     `json:"pan,omitempty"`   // −1 to +1 over frames of the take, added to the track's
	Lanes   []Lane      `json:"lanes,omitempty"` // what is done to each channel alone; none, or one for each channel
	// Chain is what the sound of its take goes through, all its channels together, before anything else is done; what is borrowed does not.
	Chain []chain.Step `json:"chain,omitempty"`
	// Untreated has the clip, and what it borrows, sound as recorded, whatever treatment the microphone has.
	Untreated bool   `json:"untreated,omitempty"`
	Tie       string `json:"tie"`               // clips with the same tie move, trim and are cut together
	Was       string `json:"was,omitempty"`     // the tie that an untied clip left
	Home      *int64 `json:"home,omitempty"`    // where frame 0 of the take lies in sync; nil where nothing tells
	Picture   bool   `json:"picture,omitempty"` // Home is by the picture and so does not move
	Settled   []Clip `json:"settled,omitempty"` // the clips that this one was rendered from
	Event     string `json:"event,omitempty"`   // the event of a cut list that it came from
}

// End is the first sample after the clip.
func (c Clip) End() int64 { return c.Start + c.Length }

// Slip is how many samples the clip lies later than in sync; 0 where nothing tells.
func (c Clip) Slip() int64 {
	if c.Home == nil {
		return 0
	}
	return c.Start - c.Offset - *c.Home
}

// Frame gives the frame of the take that sounds at a sample of the reel.
func (c Clip) Frame(at int64) int64 { return at - c.Start + c.Offset }

// Plain tells whether the clip's samples are those of its take: no gain, fade, curve or treatment.
func (r *Reel) Plain(c Clip) bool {
	return len(r.TreatmentsOf(c)) == 0 && c.Matrix == nil && c.GainDB == 0 && c.FadeIn.Length == 0 && c.FadeOut.Length == 0 && len(c.Gain) == 0 && len(c.Pan) == 0 &&
		len(c.Lanes) == 0 && !chain.Sounds(c.Chain)
}

// Lane is what is done to one channel of a clip.
type Lane struct {
	Off      bool       `json:"off,omitempty"`
	GainDB   float64    `json:"gainDB,omitempty"`
	Invert   bool       `json:"invert,omitempty"`   // polarity turned
	Delay    int64      `json:"delay,omitempty"`    // samples; positive is later
	Cuts     []int64    `json:"cuts,omitempty"`     // where the channel is divided, in frames of the take
	Hushes   []Span     `json:"hushes,omitempty"`   // where it is silent, apart and in order
	Dips     []Dip      `json:"dips,omitempty"`     // where it is lower
	Borrowed []Borrowed `json:"borrowed,omitempty"` // where another take sounds instead, apart and in order
	FadeIn   Fade       `json:"fadeIn,omitzero"`
	FadeOut  Fade       `json:"fadeOut,omitzero"`
	// Chain is what the channel's sound goes through, before what all channels of the clip go through together.
	Chain []chain.Step `json:"chain,omitempty"`
}

// Done tells whether anything that can be heard is done to the channel.
func (l Lane) Done() bool {
	return l.Off || l.GainDB != 0 || l.Invert || l.Delay != 0 || len(l.Hushes)+len(l.Dips)+len(l.Borrowed) > 0 ||
		l.FadeIn.Length+l.FadeOut.Length > 0 || chain.Sounds(l.Chain)
}

// Span is a range of frames, To excluded.
type Span struct {
	From int64 `json:"from"`
	To   int64 `json:"to"`
}

// Dip lowers (or lifts) a range, with a ramp inside it at each end that is linear in dB.
type Dip struct {
	Span
	GainDB float64 `json:"gainDB"`
	Ramp   int64   `json:"ramp"` // samples
}

// Borrowed is a stretch of another take that sounds instead of a channel, with a crossfade inside it at each end.
type Borrowed struct {
	Span
	Take    string  `json:"take"`
	Title   string  `json:"title"`
	Channel int     `json:"channel"` // of that take, from 0
	Offset  int64   `json:"offset"`  // frame of that take that sounds at From; of the tone, where it is one
	GainDB  float64 `json:"gainDB,omitempty"`
	Fade    Fade    `json:"fade"`
	Quiet   *Span   `json:"quiet,omitempty"` // frames of that take that are spread as room tone, without end; nil where it sounds as it is
}

// Uses gives the frames of the take that sound.
func (b Borrowed) Uses() Span {
	if b.Quiet != nil {
		return *b.Quiet
	}
	return Span{b.Offset, b.Offset + b.To - b.From}
}

// Onto gives it from another take, whose first frame is this one of the take that it was of.
func (b Borrowed) Onto(take string, first int64) Borrowed {
	b.Take = take
	if b.Quiet != nil {
		b.Quiet = &Span{b.Quiet.From - first, b.Quiet.To - first}
	} else {
		b.Offset -= first
	}
	return b
}

// A stretch of quiet is spread as room tone from so many seconds, and up to so many.
const (
	LeastQuiet = 0.25
	MostQuiet  = 10
)

// Curve is the shape of a fade.
type Curve string

const (
	Linear Curve = "linear" // constant amplitude in a crossfade; also where none is named
	Power  Curve = "power"  // constant power: the sine of a quarter turn
	Ess    Curve = "s"      // slow at both ends, constant amplitude: the square of that sine
)

// Words are all that there are.
func (Curve) Words() []string { return []string{string(Linear), string(Power), string(Ess)} }

// Fade runs from silence to full over Length samples.
type Fade struct {
	Length int64 `json:"length"`
	Curve  Curve `json:"curve,omitempty"`
}

// At gives the factor i samples from the silent end. Read backwards it is the fade out, so that a crossfade's two sides
// add up to 1 (linear, s), or their squares do (power).
func (f Fade) At(i int64) float64 {
	if i >= f.Length {
		return 1
	}
	if i <= 0 {
		return 0
	}
	x := float64(i) / float64(f.Length)
	switch f.Curve {
	case Power:
		return math.Sin(x * math.Pi / 2)
	case Ess:
		s := math.Sin(x * math.Pi / 2)
		return s * s
	}
	return x
}

// Point is a corner of a curve that is linear between its points and level outside them.
type Point struct {
	At    int64   `json:"at"`
	Value float64 `json:"value"`
}

// Level gives the value of a curve at a place; without points it is 0.
func Level(points []Point, at int64) float64 {
	if len(points) == 0 {
		return 0
	}
	i, exact := slices.BinarySearchFunc(points, at, func(p Point, at int64) int {
		switch {
		case p.At < at:
			return -1
		case p.At > at:
			return 1
		}
		return 0
	})
	switch {
	case exact:
		return points[i].Value
	case i == 0:
		return points[0].Value
	case i == len(points):
		return points[i-1].Value
	}
	a, b := points[i-1], points[i]
	return a.Value + (b.Value-a.Value)*float64(at-a.At)/float64(b.At-a.At)
}

// HushAt gives the factor that hushes leave at a frame: it ramps down inside the range and up again.
func HushAt(hushes []Span, frame int64) float64 {
	gain := 1.0
	for _, h := range hushes {
		if frame >= h.From && frame < h.To {
			ramp := Fade{Length: min(Ramp, (h.To-h.From)/2)}
			gain *= 1 - min(ramp.At(frame-h.From), ramp.At(h.To-frame))
		}
	}
	return gain
}

// DipsAt gives the factor that dips leave at a frame.
func DipsAt(dips []Dip, frame int64) float64 {
	dB := 0.0
	for _, d := range dips {
		if frame >= d.From && frame < d.To {
			ramp := Fade{Length: d.Ramp}
			dB += d.GainDB * min(ramp.At(frame-d.From), ramp.At(d.To-frame))
		}
	}
	if dB == 0 {
		return 1
	}
	return dsp.Gain(dB)
}

// Mix gives how much of the channel stays and how much of the borrowed sound comes at a frame inside the range.
func (b Borrowed) Mix(frame int64) (stays, comes float64) {
	i := min(frame-b.From, b.To-frame, b.Fade.Length)
	return b.Fade.At(b.Fade.Length - i), b.Fade.At(i)
}

// without takes a range out of spans.
func without[T any](list []T, gone Span, of func(*T) *Span, moved func(*T, int64)) []T {
	var out []T
	for _, x := range list {
		s := *of(&x)
		if s.To <= gone.From || s.From >= gone.To {
			out = append(out, x)
			continue
		}
		if s.From < gone.From {
			left := x
			of(&left).To = gone.From
			out = append(out, left)
		}
		if s.To > gone.To {
			right := x
			of(&right).From = gone.To
			moved(&right, gone.To-s.From)
			out = append(out, right)
		}
	}
	return out
}

func withoutSpans(list []Span, gone Span) []Span {
	list = without(list, gone, func(s *Span) *Span { return s }, func(*Span, int64) {})
	return slices.DeleteFunc(list, func(s Span) bool { return s.To-s.From < 2*Ramp }) // too short for its ramps
}

// withoutDips and withoutBorrowed leave out what would be too short for its ramps.
func withoutDips(list []Dip, gone Span) []Dip {
	list = without(list, gone, func(d *Dip) *Span { return &d.Span }, func(*Dip, int64) {})
	list = slices.DeleteFunc(list, func(d Dip) bool { return d.To-d.From < 2*Ramp })
	for i := range list {
		list[i].Ramp = min(list[i].Ramp, (list[i].To-list[i].From)/2)
	}
	return list
}

func withoutBorrowed(list []Borrowed, gone Span) []Borrowed {
	list = without(list, gone, func(b *Borrowed) *Span { return &b.Span }, func(b *Borrowed, by int64) { b.Offset += by })
	list = slices.DeleteFunc(list, func(b Borrowed) bool { return b.To-b.From < 2*Ramp })
	for i := range list {
		list[i].Fade.Length = min(list[i].Fade.Length, (list[i].To-list[i].From)/2)
	}
	return list
}

// withSpan adds a range, joined with those that it touches.
func withSpan(list []Span, s Span) []Span {
	var out []Span
	for _, x := range list {
		if x.To < s.From || x.From > s.To {
			out = append(out, x)
		} else {
			s = Span{min(s.From, x.From), max(s.To, x.To)}
		}
	}
	out = append(out, s)
	slices.SortFunc(out, func(a, b Span) int { return cmp.Compare(a.From, b.From) })
	return out
}

// Fits tells whether a clip can lie on a track of these channels: as many as it has; one on a pair, which it then feeds
// by the pan law; two on one, as half of each.
func (c Clip) Fits(labels []string) bool {
	n, m := len(c.Channels), len(labels)
	if c.Matrix != nil {
		return len(c.Matrix) == m
	}
	if c.Sum {
		return m == 1 && n > 0
	}
	return n == m || n == 1 && isPair(labels) || n == 2 && m == 1
}

func isPair(labels []string) bool { return slices.Equal(labels, []string{"L", "R"}) }

// moveTreatment moves all that is in frames of the take by so many frames.
func (c *Clip) moveTreatment(by int64) {
	c.Gain, c.Pan = movedPoints(c.Gain, by), movedPoints(c.Pan, by)
	c.Lanes = slices.Clone(c.Lanes)
	for i := range c.Lanes {
		l := &c.Lanes[i]
		l.Cuts, l.Hushes, l.Dips, l.Borrowed = slices.Clone(l.Cuts), slices.Clone(l.Hushes), slices.Clone(l.Dips), slices.Clone(l.Borrowed)
		for j := range l.Cuts {
			l.Cuts[j] += by
		}
		for j := range l.Hushes {
			l.Hushes[j] = l.Hushes[j].moved(by)
		}
		for j := range l.Dips {
			l.Dips[j].Span = l.Dips[j].moved(by)
		}
		for j := range l.Borrowed {
			l.Borrowed[j].Span = l.Borrowed[j].moved(by)
		}
	}
}

func (s Span) moved(by int64) Span { return Span{s.From + by, s.To + by} }

func movedPoints(points []Point, by int64) []Point {
	points = slices.Clone(points)
	for i := range points {
		points[i].At += by
	}
	return points
}

// fitFades shortens fades that have become longer than their clip.
func (c *Clip) fitFades() {
	fit := func(in, out *Fade) {
		in.Length = min(in.Length, c.Length)
		out.Length = min(out.Length, c.Length-in.Length)
	}
	fit(&c.FadeIn, &c.FadeOut)
	for i := range c.Lanes {
		if l := c.Lanes[i]; l.FadeIn.Length+l.FadeOut.Length > c.Length {
			c.Lanes = slices.Clone(c.Lanes)
			fit(&c.Lanes[i].FadeIn, &c.Lanes[i].FadeOut)
		}
	}
}

// tidy makes empty lists nil, as they are when a change has been through JSON, and drops lanes that do nothing.
func (c *Clip) tidy() {
	c.tidyLanes()
	c.Gain, c.Pan, c.Chain = some(c.Gain), some(c.Pan), some(c.Chain)
	if len(c.Lanes) == 0 {
		return
	}
	c.Lanes = slices.Clone(c.Lanes)
	for i := range c.Lanes {
		l := &c.Lanes[i]
		l.Cuts, l.Hushes, l.Dips, l.Borrowed, l.Chain = some(l.Cuts), some(l.Hushes), some(l.Dips), some(l.Borrowed), some(l.Chain)
	}
}

func some[T any](list []T) []T {
	if len(list) == 0 {
		return nil
	}
	return list
}

// tidyLanes drops lanes that do nothing at all.
func (c *Clip) tidyLanes() {
	if !slices.ContainsFunc(c.Lanes, func(l Lane) bool { return l.Done() || len(l.Cuts)+len(l.Chain) > 0 }) {
		c.Lanes = nil
	}
}

func checkFade(f Fade, room int64) error {
	if f.Length < 0 || f.Length > room {
		return fault.New(fault.BadInput, "A fade is at least 0 and at most as long as its clip")
	}
	if !slices.Contains([]Curve{"", Linear, Power, Ess}, f.Curve) {
		return fault.New(fault.BadInput, "A fade is linear, power or s, not %q", f.Curve)
	}
	return nil
}
