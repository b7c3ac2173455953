package engine

import (
	"slices"

	"zestyloom/core/dsp"
	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/core/wave"
	"zestyloom/core/weave"
)

// MaxBlock is the most frames that one Render gives.
const MaxBlock = 1 << 14

// Opener opens the file of a take. The engine does not close it.
type Opener func(take string) (*wave.File, error)

// Options say what is different when listening; the zero value is what prints.
type Options struct {
	Solo []string // only these tracks sound; empty means all
}

// Engine renders one state of a reel. It is not safe for concurrent use.
type Engine struct {
	reel    *reel.Reel
	tracks  []*track
	stems   []*bus
	outputs []*bus
	column  map[string]int // output ID → index
	takes   map[string]*source
	frames  int // of the last block
	scratch []float64
}

// bus is a set of channels that paths lead into.
type bus struct {
	id     string
	labels []string
	buf    [][]float64 // channels × MaxBlock
	dirty  int         // frames of buf that may not be zero
	paths  []path      // from this bus to others
}

// path leads from a channel of a bus to a channel of another.
type path struct {
	weave.Path
	to *bus
}

type track struct {
	bus
	gain  float64
	clips []clip
}

type clip struct {
	reel.Clip
	gain float64
	src  *source
}

// New prepares a reel, opening every take that sounds. It fails if a take can't be opened, is at another rate than
// the reel, or has fewer channels than a clip uses.
func New(r *reel.Reel, open Opener, opt Options) (*Engine, error) {
	e := &Engine{reel: r, column: map[string]int{}, takes: map[string]*source{}, scratch: make([]float64, MaxBlock)}
	for i, o := range r.OutputList() {
		e.column[o.ID] = i
		e.outputs = append(e.outputs, newBus(o.ID, []string{o.Label}))
	}
	stems := map[string]*bus{}
	for _, s := range r.StemList() {
		b := newBus(s.ID, s.Labels)
		stems[s.ID] = b
		e.stems = append(e.stems, b)
	}
	tracks := map[string]*track{}
	for _, t := range r.TrackList() {
		if t.Mute || len(opt.Solo) > 0 && !slices.Contains(opt.Solo, t.ID) {
			continue
		}
		row := &track{bus: *newBus(t.ID, t.Labels), gain: dsp.Gain(t.GainDB)}
		if s, ok := stems[t.Stem]; ok {
			for _, p := range weave.Feeds(t.Labels, s.labels, t.Feed, r.Head.PanLaw) {
				row.paths = append(row.paths, path{p, s})
			}
		}
		tracks[t.ID] = row
		e.tracks = append(e.tracks, row)
	}
	for _, k := range r.KnotList() {
		var from *bus
		if k.Row == reel.StemRow {
			from = stems[k.From]
		} else if t := tracks[k.From]; t != nil {
			from = &t.bus
		}
		column, ok := e.column[k.Output]
		if from == nil || !ok || k.Channel >= len(from.labels) {
			continue
		}
		from.paths = append(from.paths, path{weave.Path{From: k.Channel, To: 0, Gain: dsp.Gain(k.GainDB)}, e.outputs[column]})
	}
	for _, c := range r.ClipList() {
		t := tracks[c.Track]
		if t == nil {
			continue
		}
		src, err := e.source(c.Take, open)
		if err != nil {
			return nil, err
		}
		if src.file.SampleRate != r.Head.SampleRate {
			return nil, fault.New(fault.Unsupported, "%s is at %d Hz and the reel at %d Hz; takes at another rate can't be played yet", c.Name, src.file.SampleRate, r.Head.SampleRate)
		}
		if len(c.Channels) != len(t.labels) && !(c.Sum && len(t.labels) == 1) || len(c.Channels) == 0 || slices.Max(c.Channels) >= src.file.Channels || slices.Min(c.Channels) < 0 {
			return nil, fault.New(fault.Damaged, "%s asks for channels that its take does not have", c.Name)
		}
		t.clips = append(t.clips, clip{c, dsp.Gain(c.GainDB), src})
	}
	return e, nil
}

func newBus(id string, labels []string) *bus {
	b := &bus{id: id, labels: labels, buf: make([][]float64, len(labels))}
	for i := range b.buf {
		b.buf[i] = make([]float64, MaxBlock)
	}
	return b
}

// clear silences the bus. What was not written to since is silent already.
func (b *bus) clear() {
	for _, ch := range b.buf {
		clear(ch[:b.dirty])
	}
	b.dirty = 0
}

func (e *Engine) source(take string, open Opener) (*source, error) {
	if s, ok := e.takes[take]; ok {
		return s, nil
	}
	f, err := open(take)
	if err != nil {
		return nil, err
	}
	s := &source{file: f}
	e.takes[take] = s
	return s, nil
}

// Render works out frames from..from+n, in samples since midnight. The results are read with Outputs, Stem and Track
// and hold until the next Render.
func (e *Engine) Render(from int64, n int) error {
	if n < 1 || n > MaxBlock {
		return fault.New(fault.BadInput, "A block has 1 to %d frames, not %d", MaxBlock, n)
	}
	e.frames = n
	for _, b := range e.outputs {
		b.clear()
	}
	for _, b := range e.stems {
		b.clear()
	}
	for _, t := range e.tracks {
		t.clear()
		sounding := false
		for i := range t.clips {
			c := &t.clips[i]
			if c.Start >= from+int64(n) {
				break
			}
			if c.End() > from {
				sounding = true
				if err := e.addClip(t, c, from, n); err != nil {
					return err
				}
			}
		}
		if sounding {
			t.send(n)
		}
	}
	for _, s := range e.stems {
		if s.dirty > 0 {
			s.send(n)
		}
	}
	return nil
}

// addClip adds the part of a clip that lies in the block.
func (e *Engine) addClip(t *track, c *clip, from int64, n int) error {
	begin, end := max(from, c.Start), min(from+int64(n), c.End())
	at := c.Offset + begin - c.Start
	count := int(min(end-begin, c.src.file.Frames-at))
	if count <= 0 || at < 0 {
		return nil
	}
	raw, err := c.src.read(at, count)
	if err != nil {
		return fault.Wrap(fault.KindOf(err), err, "%s could not be read", c.Name)
	}
	into := int(begin - from)
	t.dirty = n
	gain := c.gain * t.gain
	if c.Sum {
		gain /= float64(len(c.Channels))
	}
	for ch, channel := range c.Channels {
		x := e.scratch[:count]
		c.src.file.Decode(x, raw, channel)
		if c.Sum {
			ch = 0
		}
		dst := t.buf[ch][into : into+count]
		for i, v := range x {
			dst[i] += gain * v
		}
	}
	return nil
}

func (b *bus) send(n int) {
	for _, p := range b.paths {
		src, dst := b.buf[p.From][:n], p.to.buf[p.To][:n]
		p.to.dirty = n
		if p.Gain == 1 {
			for i, v := range src {
				dst[i] += v
			}
			continue
		}
		for i, v := range src {
			dst[i] += p.Gain * v
		}
	}
}

// Outputs gives all output channels of the last block, in the order of the reel's OutputList.
func (e *Engine) Outputs() [][]float64 {
	out := make([][]float64, len(e.outputs))
	for i, b := range e.outputs {
		out[i] = b.buf[0][:e.frames]
	}
	return out
}

// Exact tells whether everything that output (an index) ever carries stands on the grid of integers of that many bits:
// all gains on all its paths are unity and all sources have no more bits. Such an output needs no dither.
func (e *Engine) Exact(output, bits int) bool {
	o := e.outputs[output]
	for _, t := range e.tracks {
		unity, reaches := t.unityTo(o)
		if !reaches {
			continue
		}
		for _, c := range t.clips {
			f := c.src.file
			if !unity || t.gain != 1 || c.gain != 1 || c.Sum || f.Encoding != wave.PCM || f.BitDepth > bits {
				return false
			}
		}
	}
	return true
}

// unityTo tells whether any path leads from here to o, and whether all of them are at unity.
func (b *bus) unityTo(o *bus) (unity, reaches bool) {
	unity = true
	for _, p := range b.paths {
		beyond, ok := true, p.to == o
		if !ok {
			beyond, ok = p.to.unityTo(o)
		}
		if ok {
			reaches = true
			unity = unity && beyond && p.Gain == 1
		}
	}
	return unity, reaches
}

// source reads one take, keeping the last block: the tied clips of a take all want the same frames.
type source struct {
	file   *wave.File
	raw    []byte
	from   int64
	frames int
}

func (s *source) read(at int64, n int) ([]byte, error) {
	fb := int64(s.file.FrameBytes())
	if s.raw == nil || at < s.from || at+int64(n) > s.from+int64(s.frames) {
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

// Tap is a point to listen at.
type Tap struct {
	Kind string `json:"kind"` // group, output, stem, track, or stems for the sum of all stems
	ID   string `json:"id"`   // empty for stems
}

// Listen gives the last block at a tap as a stereo pair. A single channel sounds on both sides; wider sets are folded
// down after ITU-R BS.775 with centre and surrounds at −3 dB and without LFE, for listening only. left and right have
// room for the block.
func (e *Engine) Listen(tap Tap, left, right []float64) error {
	channels, labels, err := e.at(tap)
	if err != nil {
		return err
	}
	clear(left[:e.frames])
	clear(right[:e.frames])
	for i, ch := range channels {
		l, r := listenGains(labels, i)
		for j, v := range ch[:e.frames] {
			left[j] += l * v
			right[j] += r * v
		}
	}
	return nil
}

func (e *Engine) at(tap Tap) (channels [][]float64, labels []string, err error) {
	switch tap.Kind {
	case "group":
		for i, o := range e.reel.OutputList() {
			if o.Group == tap.ID {
				channels, labels = append(channels, e.outputs[i].buf[0]), append(labels, o.Label)
			}
		}
	case "output":
		if i, ok := e.column[tap.ID]; ok {
			channels, labels = e.outputs[i].buf, []string{"M"}
		}
	case "stem":
		for _, s := range e.stems {
			if s.id == tap.ID {
				channels, labels = s.buf, s.labels
			}
		}
	case "stems":
		for _, s := range e.stems {
			channels, labels = append(channels, s.buf...), append(labels, s.labels...)
		}
	case "track":
		for _, t := range e.tracks {
			if t.id == tap.ID {
				channels, labels = t.buf, t.labels
			}
		}
	}
	if channels == nil {
		return nil, nil, fault.New(fault.NotFound, "There is nothing to hear at %s %s; it was removed or is muted", tap.Kind, tap.ID)
	}
	return channels, labels, nil
}

// listenGains gives what channel i of a set goes to left and right with.
func listenGains(labels []string, i int) (left, right float64) {
	const minus3 = 0.7071067811865476
	if len(labels) == 1 {
		return 1, 1
	}
	switch label := labels[i]; label {
	case "L", "Lo", "Lt":
		return 1, 0
	case "R", "Ro", "Rt":
		return 0, 1
	case "C", "M":
		return minus3, minus3
	case "LFE":
		return 0, 0
	default:
		switch label[0] {
		case 'L':
			return minus3, 0
		case 'R':
			return 0, minus3
		}
		return minus3, minus3
	}
}
