package gauge

import (
	"encoding/binary"
	"encoding/json"
	"hash/maphash"
	"slices"
	"strings"

	"zestyloom/core/chain"
	"zestyloom/core/engine"
	"zestyloom/core/reel"
	"zestyloom/core/weave"
)

// A print is a sum over all that decides what a row sounds like in a piece. The sums live no longer than the process.
type print = uint64

var seed = maphash.MakeSeed()

// about is how far around a piece something still acts on what is rendered of it, in seconds: what turns phases looks around it by
// less, and so does what is read before it.
const about = 0.5

// SoundOf tells what the sound of a take is: the same text for the same sound, whatever the take is called.
type SoundOf func(take string) (string, error)

// printer makes the prints of a reel that has been cut down to what reaches a row.
type printer struct {
	base   uint64 // of all but clips and what moves with the clock
	curves [][]reel.Point
	gains  [][]reel.Point // curves in dB: where they stay at 0 they are as good as none
	clips  []printed      // in the order in which they are rendered
	near   [][]int        // the clips around each piece, by their places in clips
}

// printed is a clip with a sum over what of it is the same everywhere.
type printed struct {
	reel.Clip
	sum uint64
}

// newPrinter makes a printer of so many pieces of a length in samples, the first at the start of the reel.
func newPrinter(r *reel.Reel, sound SoundOf, pieces int, length int64) (*printer, error) {
	before, after, err := engine.Reach(r)
	if err != nil {
		return nil, err
	}
	pad := int64(about * float64(r.Head.SampleRate))
	r = weave.Bare(r)
	p := &printer{near: make([][]int, pieces)}
	clips := r.ClipList()
	slices.SortStableFunc(clips, func(a, b reel.Clip) int { return strings.Compare(a.Track, b.Track) }) // each track is rendered by itself
	for _, c := range clips {
		sum, err := clipSum(r, c, sound)
		if err != nil {
			return nil, err
		}
		first := max(0, (c.Start-pad-after-r.Head.Start)/length)
		last := min(int64(pieces)-1, (c.End()+pad+before-r.Head.Start)/length)
		for i := first; i <= last; i++ {
			p.near[i] = append(p.near[i], len(p.clips))
		}
		p.clips = append(p.clips, printed{c, sum})
	}
	r.Clips, r.Treatments = nil, nil
	// A map's order is none, so what moves is collected in the order of its objects.
	apart := func(points *[]reel.Point) {
		if len(*points) > 0 {
			p.curves, *points = append(p.curves, *points), []reel.Point{{}}
		}
	}
	gain := func(points *[]reel.Point) {
		if len(*points) > 0 {
			p.gains, *points = append(p.gains, *points), nil
		} else {
			p.gains = append(p.gains, nil)
		}
	}
	curves := func(of *reel.Curves) {
		bare := reel.Curves{}
		for _, what := range (reel.Parameter)("").Words() {
			if what == string(reel.GainCurve) {
				points := (*of)[reel.GainCurve]
				gain(&points)
				continue
			}
			if points := (*of)[reel.Parameter(what)]; len(points) > 0 {
				apart(&points)
				bare[reel.Parameter(what)] = points
			}
		}
		*of = bare
	}
	for _, t := range r.TrackList() {
		gain(&t.Gain)
		apart(&t.Pan)
		curves(&t.Curves)
		r.Tracks[t.ID] = t
	}
	for _, b := range r.BusList() {
		curves(&b.Curves)
		if r.Buses[b.ID] = b; b.GainDB == 0 && b.Feed == (reel.Feed{}) && len(b.Curves) == 0 {
			delete(r.Buses, b.ID) // as good as none
		}
	}
	for _, k := range r.KnotList() {
		gain(&k.Curve)
		r.Knots[k.ID] = k
	}
	for _, c := range r.CorrectionList() {
		gain(&c.Ride)
		gain(&c.Limit)
		r.Corrections[c.ID] = c
	}
	p.base, err = summed(r)
	return p, err
}

func summed(v any) (uint64, error) {
	text, err := json.Marshal(v)
	if err != nil {
		return 0, err
	}
	return maphash.Bytes(seed, text), nil
}

// clipSum is a sum over what of a clip is the same wherever one looks.
func clipSum(r *reel.Reel, c reel.Clip, sound SoundOf) (uint64, error) {
	takes, sounds, treated := []string{c.Take}, []string{}, [][]chain.Treatment{r.TreatmentsOf(c)}
	for _, l := range c.Lanes {
		for _, b := range l.Borrowed {
			takes, treated = append(takes, b.Take), append(treated, r.TreatmentsOfBorrowed(c, b))
		}
	}
	for _, take := range takes {
		s, err := sound(take)
		if err != nil {
			return 0, err
		}
		sounds = append(sounds, s)
	}
	c.ID, c.Start, c.Offset, c.Length, c.FadeIn, c.FadeOut = "", 0, 0, 0, reel.Fade{}, reel.Fade{}
	c.Gain, c.Pan = nil, marker(c.Pan)
	c.Lanes = slices.Clone(c.Lanes)
	for i, l := range c.Lanes {
		l.Cuts, l.Hushes, l.Dips, l.Borrowed, l.FadeIn, l.FadeOut = nil, nil, nil, nil, reel.Fade{}, reel.Fade{}
		c.Lanes[i] = l
	}
	return summed(struct {
		Clip    reel.Clip
		Sounds  []string
		Treated [][]chain.Treatment
	}{c, sounds, treated})
}

// marker stands for points wherever there are any: a clip that moves is rendered by another way.
func marker(points []reel.Point) []reel.Point {
	if len(points) == 0 {
		return nil
	}
	return []reel.Point{{}}
}

// near is what of a clip is heard in a window, but for what is the same everywhere.
type near struct {
	FadeIn, FadeOut fading
	Gain, Pan       []reel.Point
	Lanes           []reel.Lane
}

// fading is a fade and where on the reel its silent end lies.
type fading struct {
	At int64
	reel.Fade
}

// of gives the print of a piece: samples from one on and before another.
func (p *printer) of(piece int, from, to int64, rate int) (print, error) {
	pad := int64(about * float64(rate))
	from, to = from-pad, to+pad
	var h maphash.Hash
	h.SetSeed(seed)
	number := func(values ...uint64) {
		var b [8]byte
		for _, v := range values {
			binary.LittleEndian.PutUint64(b[:], v)
			h.Write(b[:])
		}
	}
	number(p.base)
	write := func(v any) error {
		text, err := json.Marshal(v)
		h.Write(text)
		return err
	}
	for _, points := range p.curves {
		if err := write(within(points, from, to)); err != nil {
			return 0, err
		}
	}
	for i, points := range p.gains {
		if points = level(within(points, from, to)); len(points) > 0 {
			number(uint64(i))
			if err := write(points); err != nil {
				return 0, err
			}
		}
	}
	var before heard
	for _, k := range p.near[piece] {
		c := &p.clips[k]
		if c.End() <= from || c.Start >= to {
			continue
		}
		n := c.near(from, to)
		now := heard{c.Track, c.sum, c.Start - c.Offset, max(from, c.Start), min(to, c.End())}
		if n == nil && now.goesOn(before) { // a cut is not heard
			before.to = now.to
			continue
		}
		number(before.all()...)
		if before = now; n == nil {
			continue
		}
		number(before.all()...)
		before = heard{}
		if err := write(n); err != nil {
			return 0, err
		}
	}
	number(before.all()...)
	return h.Sum64(), nil
}

// heard is a stretch of a take in a window.
type heard struct {
	track    string
	sum      uint64
	at       int64 // where frame 0 of the take lies
	from, to int64
}

func (h heard) goesOn(before heard) bool {
	return before.track == h.track && before.sum == h.sum && before.at == h.at && before.to == h.from && h.sum != 0
}

func (h heard) all() []uint64 { return []uint64{h.sum, uint64(h.at), uint64(h.from), uint64(h.to)} }

// near gives what of a clip is heard in a window; nil where that is nothing but its take.
func (c *printed) near(from, to int64) *near {
	fades := func(in, out reel.Fade) (a, b fading) {
		if in.Length > 0 && c.Start+in.Length > from {
			a = fading{c.Start, in}
		}
		if out.Length > 0 && c.End()-out.Length < to {
			b = fading{c.End(), out}
		}
		return a, b
	}
	n := &near{}
	n.FadeIn, n.FadeOut = fades(c.FadeIn, c.FadeOut)
	first, last := c.Frame(from), c.Frame(to)
	n.Gain, n.Pan = level(within(c.Gain, first, last)), within(c.Pan, first, last)
	heard := func(s reel.Span) bool { return s.To > first && s.From < last }
	for _, l := range c.Lanes {
		in, out := fades(l.FadeIn, l.FadeOut)
		kept := reel.Lane{FadeIn: in.Fade, FadeOut: out.Fade}
		for _, s := range l.Hushes {
			if heard(reel.Span{From: s.From - reel.Ramp, To: s.To + reel.Ramp}) {
				kept.Hushes = append(kept.Hushes, s)
			}
		}
		for _, d := range l.Dips {
			if heard(d.Span) {
				kept.Dips = append(kept.Dips, d)
			}
		}
		for _, b := range l.Borrowed {
			if heard(b.Span) {
				kept.Borrowed = append(kept.Borrowed, b)
			}
		}
		kept.Cuts = []int64{in.At, out.At}
		n.Lanes = append(n.Lanes, kept)
	}
	if n.FadeIn == (fading{}) && n.FadeOut == (fading{}) && len(n.Gain)+len(n.Pan)+len(n.Lanes) == 0 {
		return nil
	}
	return n
}

// within gives the points that a curve needs between two places: those in between, and the next one on either side.
func within(points []reel.Point, from, to int64) []reel.Point {
	first, last := 0, len(points)
	for i, p := range points {
		if p.At <= from {
			first = i
		}
		if p.At >= to {
			last = min(last, i+1)
		}
	}
	return points[first:max(first, last)]
}

// level gives no points of a curve in dB that stays at 0.
func level(points []reel.Point) []reel.Point {
	if slices.ContainsFunc(points, func(p reel.Point) bool { return p.Value != 0 }) {
		return points
	}
	return nil
}
