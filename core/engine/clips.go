package engine

import (
	"cmp"
	"slices"
	"sync"

	"zestyloom/core/dsp"
	"zestyloom/core/fault"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
	"zestyloom/core/vec"
	"zestyloom/core/wave"
	"zestyloom/core/weave"
)

// clip is a reel.Clip with what is needed to make it sound.
type clip struct {
	reel.Clip
	src    *source
	voice  voice
	spread mix.Matrix // from its channels to those of the track, where it stands still
	plain  bool       // its channels go to the track's one to one, as they are in the take
}

func (e *Engine) newClip(c reel.Clip, t *track, open Opener) (clip, error) {
	src, err := e.source(c.Take, c.Name, open)
	if err != nil {
		return clip{}, err
	}
	if !c.Fits(t.Labels) || slices.Max(c.Channels) >= src.file.Channels || slices.Min(c.Channels) < 0 {
		return clip{}, fault.New(fault.Damaged, "%s asks for channels that its take does not have", c.Name)
	}
	made := clip{Clip: c, src: src, spread: weave.SpreadOf(c, t.Labels, 0, t.law)}
	made.plain = e.reel.Plain(c) && slices.Equal(made.spread.Gain, mix.Identity(len(t.Labels)).Gain)
	made.voice, err = e.voiceOf(c, src, open)
	e.chained = e.chained || len(made.voice.chains) > 0
	return made, err
}

// frames of a block that a clip fills.
type stretch struct {
	at    int64 // sample of the reel
	into  int   // index in the block
	count int
}

// render adds the part of a clip that lies in from..from+n to channels × frames of the track.
func (e *Engine) render(h *hand, t *track, c *clip, dst [][]float64, from int64, n int) error {
	begin, end := max(from, c.Start), min(from+int64(n), c.End())
	s := stretch{begin, int(begin - from), int(end - begin)}
	if s.count <= 0 {
		return nil
	}
	if c.plain && t.steady() {
		return e.renderPlain(h, t, c, dst, s)
	}
	var level []float64 // of all channels, worked out once where there are several
	if len(c.Channels) > 1 {
		level = h.level[:s.count]
		for i := range level {
			level[i] = 1
		}
		t.levels(level, c, s.at)
	}
	for channel := range c.Channels {
		x := h.scratch[:s.count]
		sounding, err := e.lane(h, c, channel, x, s.at)
		if err != nil {
			return err
		}
		if !sounding {
			continue
		}
		if level == nil {
			t.levels(x, c, s.at)
		}
		if level != nil {
			vec.Mul(x, level)
		}
		if len(c.Pan) > 0 && len(t.Labels) > 1 && c.Matrix == nil {
			t.moveWithin(c, channel, dst, x, s)
			continue
		}
		for r := range dst {
			mix.AddAt(dst[r][s.into:s.into+s.count], x, c.spread.At(r, channel))
		}
	}
	return nil
}

// moveWithin adds a channel of a clip that moves between the sides of its track.
func (t *track) moveWithin(c *clip, channel int, dst [][]float64, x []float64, s stretch) {
	at := func(place int64) mix.Matrix {
		return weave.SpreadOf(c.Clip, t.Labels, reel.Level(c.Pan, c.Frame(place)), t.law)
	}
	begin := floor(s.at)
	left := at(begin)
	for i := 0; i < len(x); {
		right := at(begin + stretchOf)
		into := int(s.at + int64(i) - begin)
		n := min(len(x)-i, stretchOf-into)
		for r := range dst {
			mix.GlideAt(dst[r][s.into+i:s.into+i+n], x[i:i+n], left.At(r, channel), right.At(r, channel), into, stretchOf)
		}
		i, begin, left = i+n, begin+stretchOf, right
	}
}

// renderPlain is render for a clip whose samples are those of its take.
func (e *Engine) renderPlain(h *hand, t *track, c *clip, dst [][]float64, s stretch) error {
	for ch, channel := range c.Channels {
		x := h.scratch[:s.count]
		if err := c.src.samples(x, channel, c.Frame(s.at)); err != nil {
			return fault.Wrap(fault.KindOf(err), err, "%s could not be read", c.Name)
		}
		vec.Add(dst[ch][s.into:s.into+s.count], x, t.gain)
	}
	return nil
}

// lane gives what one channel of a clip sounds like before the clip's own gain; sounding is false where it is off.
func (e *Engine) lane(h *hand, c *clip, channel int, x []float64, at int64) (sounding bool, err error) {
	var l reel.Lane
	if len(c.Lanes) > 0 {
		l = c.Lanes[channel]
	}
	if l.Off {
		return false, nil
	}
	frame := c.Frame(at)
	if err := c.voice.own(x, channel, frame-l.Delay); err != nil {
		return false, fault.Wrap(fault.KindOf(err), err, "%s could not be read", c.Name)
	}
	for _, s := range l.Hushes {
		each(x, frame, s, func(i int, f int64) { x[i] *= reel.HushAt([]reel.Span{s}, f) })
	}
	for turn, b := range l.Borrowed {
		if b.To <= frame || b.From >= frame+int64(len(x)) {
			continue
		}
		first := max(b.From, frame)
		y := h.other[:min(b.To, frame+int64(len(x)))-first]
		if err := c.voice.borrowed[borrowing{channel, turn}](y, b.Channel, b.Offset+first-b.From); err != nil {
			return false, fault.Wrap(fault.KindOf(err), err, "%s could not be read", b.Title)
		}
		gain := dsp.Gain(b.GainDB)
		for j, v := range y {
			stays, comes := b.Mix(first + int64(j))
			i := int(first-frame) + j
			x[i] = stays*x[i] + comes*gain*v
		}
	}
	for _, d := range l.Dips {
		each(x, frame, d.Span, func(i int, f int64) { x[i] *= reel.DipsAt([]reel.Dip{d}, f) })
	}
	if l.GainDB != 0 || l.Invert {
		gain := dsp.Gain(l.GainDB)
		if l.Invert {
			gain = -gain
		}
		vec.Scale(x, gain)
	}
	fades(x, l.FadeIn, l.FadeOut, at-c.Start, c.Length)
	return true, nil
}

// each calls f for the samples of x, which begins at a frame, that lie in a range.
func each(x []float64, frame int64, s reel.Span, f func(i int, frame int64)) {
	for at := max(frame, s.From); at < min(s.To, frame+int64(len(x))); at++ {
		f(int(at-frame), at)
	}
}

// fades multiplies the samples from at on of something of that length with its fades.
func fades(x []float64, in, out reel.Fade, at, length int64) {
	each(x, at, reel.Span{From: 0, To: in.Length}, func(i int, p int64) { x[i] *= in.At(p) })
	each(x, at, reel.Span{From: length - out.Length, To: length}, func(i int, p int64) { x[i] *= out.At(length - p) })
}

// levels multiplies with the gains, curves and fades of a track and of a clip on it, for each sample from at on.
func (t *track) levels(x []float64, c *clip, at int64) {
	if gain := dsp.Gain(c.GainDB) * t.gain; gain != 1 {
		vec.Scale(x, gain)
	}
	Curve(x, c.Gain, c.Frame(at))
	fades(x, c.FadeIn, c.FadeOut, at-c.Start, c.Length)
	Curve(x, t.Gain, at)
}

// stretchOf is how many samples automation is worked out for at a time. The stretches lie at multiples of it on the clock,
// so that what is rendered does not depend on where blocks begin.
const stretchOf = 256

// floor gives the beginning of the stretch that a place lies in.
func floor(at int64) int64 { return at &^ (stretchOf - 1) }

// Curve multiplies with a curve in dB whose places count from at. Each stretch begins with the exact value; within it,
// linear in dB is a geometric series, of which four parts run side by side, since one would wait for itself.
func Curve(x []float64, points []reel.Point, at int64) {
	if len(points) == 0 {
		return
	}
	var ramp [stretchOf]float64
	next, _ := slices.BinarySearchFunc(points, at+1, func(p reel.Point, at int64) int { return cmp.Compare(p.At, at) })
	slope, ratio := slopeBefore(points, next)
	for i := 0; i < len(x); {
		place := at + int64(i)
		begin, end := floor(place), floor(place)+stretchOf
		if next > 0 {
			begin = max(begin, points[next-1].At)
		}
		if next < len(points) {
			end = min(end, points[next].At)
		}
		n := min(len(x)-i, int(end-place))
		gain := dsp.Gain(reel.Level(points, begin))
		switch {
		case slope == 0 && gain == 1:
		case slope == 0:
			vec.Scale(x[i:i+n], gain)
		default:
			into := int(place - begin)
			geometric(ramp[:into+n], gain, ratio)
			vec.Mul(x[i:i+n], ramp[into:into+n])
		}
		if i += n; next < len(points) && at+int64(i) >= points[next].At {
			next++
			slope, ratio = slopeBefore(points, next)
		}
	}
}

// slopeBefore gives the slope of a curve up to a point, in dB a sample, and the factor from one sample to the next.
func slopeBefore(points []reel.Point, next int) (slope, ratio float64) {
	if next == 0 || next == len(points) {
		return 0, 1
	}
	a, b := points[next-1], points[next]
	slope = (b.Value - a.Value) / float64(b.At-a.At)
	return slope, dsp.Gain(slope)
}

// geometric fills a series that begins with a value and goes on by a ratio.
func geometric(to []float64, first, ratio float64) {
	for k := range min(4, len(to)) {
		to[k] = first
		first *= ratio
	}
	four := ratio * ratio * ratio * ratio
	for k := 4; k < len(to); k++ {
		to[k] = to[k-4] * four
	}
}

// source reads one take, keeping the last block: the tied clips of a take all want the same frames.
type source struct {
	mu     sync.RWMutex // several tracks may have channels of one take
	file   *wave.File
	raw    []byte
	from   int64
	frames int
}

// samples gives one channel from a frame on; outside the take there is silence.
func (s *source) samples(x []float64, channel int, at int64) error {
	first, end := max(at, 0), min(at+int64(len(x)), s.file.Frames)
	if end <= first {
		clear(x)
		return nil
	}
	clear(x[:first-at])
	clear(x[end-at:])
	x = x[first-at : end-at]
	if s.mu.RLock(); s.has(first, len(x)) { // what one hand has read, several take channels of at a time
		defer s.mu.RUnlock()
	} else {
		s.mu.RUnlock()
		s.mu.Lock()
		defer s.mu.Unlock()
	}
	raw, err := s.read(first, len(x))
	if err != nil {
		return err
	}
	s.file.Decode(x, raw, channel)
	return nil
}

// has tells whether those frames have been read.
func (s *source) has(at int64, n int) bool {
	return s.raw != nil && at >= s.from && at+int64(n) <= s.from+int64(s.frames)
}

func (s *source) read(at int64, n int) ([]byte, error) {
	fb := int64(s.file.FrameBytes())
	if !s.has(at, n) {
		if need := n * int(fb); cap(s.raw) < need {
			s.raw = make([]byte, need)
		}
		s.raw = s.raw[:n*int(fb)]
		s.frames = 0
		got, err := s.file.ReadRaw(s.raw, at)
		if err != nil {
			return nil, err
		}
		if got < n {
			return nil, fault.New(fault.Damaged, "the file ended after %d of %d frames", got, n)
		}
		s.from, s.frames = at, n
	}
	return s.raw[(at-s.from)*fb:], nil
}
