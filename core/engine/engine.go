package engine

import (
	"math"
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
	// Room for MaxBlock samples each, for what is worked on.
	scratch, other, level []float64
	voice                 [][]float64 // a clip that goes into the stem by itself, and what of it the track's tap gets
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
	reel.Track
	gain  float64
	law   dsp.PanLaw
	ways  []weave.Way // into the stem
	stem  *bus
	clips []clip
}

// steady tells whether the track's gain is the same everywhere.
func (t *track) steady() bool { return len(t.Gain) == 0 }

// levels multiplies with the track's gain and curve.
func (t *track) levels(level []float64, at int64) {
	for i := range level {
		level[i] *= t.gain
	}
	curve(level, t.Gain, at)
}

// alone tells whether a clip goes into the stem by itself, because it moves between the sides of a pair while its track
// is mono.
func (t *track) alone(c *clip) bool {
	return len(c.Pan) > 0 && len(t.labels) == 1 && len(t.ways) > 0 && t.ways[0].Pan
}

// New prepares a reel, opening every take that sounds. It fails if a take can't be opened, is at another rate than
// the reel, or has fewer channels than a clip uses.
func New(r *reel.Reel, open Opener, opt Options) (*Engine, error) {
	e := &Engine{reel: r, column: map[string]int{}, takes: map[string]*source{}}
	for _, room := range []*[]float64{&e.scratch, &e.other, &e.level} {
		*room = make([]float64, MaxBlock)
	}
	e.voice = [][]float64{make([]float64, MaxBlock)}
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
		row := &track{bus: *newBus(t.ID, t.Labels), Track: t, gain: dsp.Gain(t.GainDB), law: dsp.PanLaw(r.Head.PanLaw)}
		if s, ok := stems[t.Stem]; ok {
			row.stem, row.ways = s, weave.Ways(t.Labels, s.labels, t.Feed.Dual)
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
		if c.Mute {
			continue
		}
		made, err := e.newClip(c, t, open)
		if err != nil {
			return nil, err
		}
		t.clips = append(t.clips, made)
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

// source opens a take once; name is what errors call it.
func (e *Engine) source(take, name string, open Opener) (*source, error) {
	if s, ok := e.takes[take]; ok {
		return s, nil
	}
	f, err := open(take)
	if err != nil {
		return nil, err
	}
	if f.SampleRate != e.reel.Head.SampleRate {
		return nil, fault.New(fault.Unsupported, "%s is at %d Hz and the reel at %d Hz; bring it to the reel's rate under Takes first", name, f.SampleRate, e.reel.Head.SampleRate)
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
		if err := e.renderTrack(t, from, n); err != nil {
			return err
		}
	}
	for _, s := range e.stems {
		if s.dirty > 0 {
			s.send(n)
		}
	}
	return nil
}

// renderTrack renders the clips of a track and sends them on.
func (e *Engine) renderTrack(t *track, from int64, n int) error {
	t.clear()
	var alone []*clip
	for i := range t.clips {
		c := &t.clips[i]
		if c.Start >= from+int64(n) {
			break
		}
		if c.End() <= from {
			continue
		}
		t.dirty = n
		if t.alone(c) {
			alone = append(alone, c)
			continue
		}
		if err := e.render(t, c, t.buf, from, n); err != nil {
			return err
		}
	}
	if t.dirty == 0 {
		return nil
	}
	t.enter(t.buf, t.place(from), n)
	t.send(n)
	for _, c := range alone {
		clear(e.voice[0][:n])
		if err := e.render(t, c, e.voice, from, n); err != nil {
			return err
		}
		t.enter(e.voice, place{moving: func(at int64) float64 { return reel.Level(c.Pan, c.Frame(at)) + t.position(at) }, from: from}, n)
		for _, p := range t.paths {
			p.to.dirty = n
			addAt(p.to.buf[p.To][:n], e.voice[0][:n], p.Gain)
		}
		addAt(t.buf[0][:n], e.voice[0][:n], 1) // for who listens to the track
	}
	return nil
}

// position is where the track stands between left and right at a sample.
func (t *track) position(at int64) float64 {
	if len(t.Pan) > 0 {
		return reel.Level(t.Pan, at)
	}
	return t.Feed.Pan
}

// place gives where the track stands in a block.
func (t *track) place(from int64) place {
	if len(t.Pan) == 0 {
		return place{steady: t.Feed.Pan}
	}
	return place{moving: t.position, from: from}
}

// enter adds channels of the track to its stem.
func (t *track) enter(buf [][]float64, p place, n int) {
	for _, w := range t.ways {
		t.stem.dirty = n
		add(t.stem.buf[w.To][:n], buf[w.From][:n], w, p, t.law)
	}
}

func (b *bus) send(n int) {
	for _, p := range b.paths {
		p.to.dirty = n
		addAt(p.to.buf[p.To][:n], b.buf[p.From][:n], p.Gain)
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
			if !unity || t.gain != 1 || !t.steady() || !c.plain || f.Encoding != wave.PCM || f.BitDepth > bits {
				return false
			}
		}
	}
	return true
}

// unityTo tells whether any path leads from the track to o, by knots of its own or through its stem, and whether all that
// carry anything are at unity: hard to one side, nothing goes to the other.
func (t *track) unityTo(o *bus) (unity, reaches bool) {
	unity = true
	note := func(gain float64) {
		reaches = reaches || gain != 0
		unity = unity && (gain == 0 || gain == 1)
	}
	for _, p := range t.paths {
		if p.to == o {
			note(p.Gain)
		}
	}
	for _, w := range t.ways {
		for _, p := range t.stem.paths {
			switch {
			case p.to != o || p.From != w.To:
			case len(t.Pan) > 0 && w.Side != weave.Neither:
				note(math.NaN()) // it moves
			default:
				note(w.At(t.Feed.Pan, t.law) * p.Gain)
			}
		}
	}
	return unity, reaches
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
	if weave.IsField(labels) {
		sides := [][]float64{left, right}
		for _, w := range weave.Ways(labels, []string{"L", "R"}, true) {
			addAt(sides[w.To][:e.frames], channels[w.From], w.Gain)
		}
		return nil
	}
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
