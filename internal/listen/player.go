package listen

import (
	"context"
	"encoding/binary"
	"fmt"
	"math"
	"runtime/debug"
	"sync"
	"time"

	"github.com/coder/websocket"

	"zestyloom/core/dsp"
	"zestyloom/core/engine"
	"zestyloom/core/layout"
	"zestyloom/core/loudness"
	"zestyloom/core/reel"
	"zestyloom/core/vec"
	"zestyloom/core/weave"
)

// rollOn is for how many seconds before a place chains are heard without being sent, at most: what they remember of longer ago can't be waited for.
const rollOn = 10

const (
	// block is how many frames go into one message: short, so that the first sound comes soon.
	block = 1024
	// lead is how many frames may be on their way before the browser has played them.
	lead = 16 * block
	// headBytes stand before the samples of a message, little-endian: generation as uint32, position as int64, and as int64 how many frames
	// were sent before it. A message takes the place of all that was sent from there on.
	headBytes = 20
	// shortestLoop is how many samples a loop has at least; less is a buzz.
	shortestLoop = 2400
	// silent is what stands for negative infinity in meters.
	silent = -200
)

// player plays from one place on until it ends or is stopped.
type player struct {
	connection *connection
	generation uint32
	what       request

	mu      sync.Mutex
	heard   int64     // frames the browser has played
	toldAt  time.Time // when it said so
	changed bool
	began   time.Time // when the first block was sent
	rate    int       // of the reel, in Hz
	tap     engine.Tap
	solo    []string
	around  *reel.Span // what is played again and again
	plain   bool       // without corrections, as loud as with them
	treat   *treat     // that is tried on the take
	trial   *reel.Sent // that is heard without being made
	rows    []watched  // that are looked at
	wires   bool       // what outputs carry is looked at
	record  bool       // and recorded
	aside   *engine.Aside
	other   *other // that it is compared with
	wake    chan struct{}
}

func newPlayer(c *connection, r request) *player {
	p := &player{connection: c, generation: r.Generation, what: r, wake: make(chan struct{}, 1)}
	p.change(r) // before it runs, so that what is changed since is not lost
	return p
}

// change sets what is heard from the next block on, and reads the reel again.
func (p *player) change(r request) {
	around := r.Loop
	if around != nil && around.To-around.From < shortestLoop {
		around = nil
	}
	p.mu.Lock()
	p.tap, p.solo, p.around, p.plain, p.treat, p.trial, p.rows, p.wires, p.record, p.aside, p.other = r.Tap, r.Solo, around, r.Matched, r.Treat,
		r.Trial, r.Watch, r.Wires, r.Record, r.Aside, r.Other
	p.changed = true
	p.mu.Unlock()
	p.nudge()
}

func (p *player) now() time.Time {
	p.connection.server.begin()
	return p.connection.server.Clock()
}

// nudge has who waits for room look again.
func (p *player) nudge() {
	select {
	case p.wake <- struct{}{}:
	default:
	}
}

// played notes how many frames have sounded.
func (p *player) played(frames int64) {
	p.mu.Lock()
	p.heard, p.toldAt = max(p.heard, frames), p.now()
	p.mu.Unlock()
	p.nudge()
}

// room waits until another block may be sent: when the browser has played what it has, and no sooner than sound takes,
// whatever the browser says; or when something is changed, which takes the place of what is on its way.
func (p *player) room(ctx context.Context, sent int64) error {
	for {
		wait := p.wait(sent)
		if wait == 0 {
			return ctx.Err()
		}
		timer := time.NewTimer(wait)
		select {
		case <-ctx.Done():
			timer.Stop()
			return ctx.Err()
		case <-p.wake:
		case <-timer.C:
		}
		timer.Stop()
	}
}

// wait is how long to wait before so many frames may be followed by others; 0 where they may be now.
func (p *player) wait(sent int64) time.Duration {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.began.IsZero() {
		p.began = p.now()
	}
	if p.changed {
		return 0
	}
	// Clocks of sound and of the server differ a little; the lead makes up for that.
	passed := int64(p.now().Sub(p.began).Seconds() * 1.01 * float64(max(1, p.rate)))
	if ahead := sent - lead - passed; p.rate > 0 && ahead >= 0 {
		return max(time.Millisecond, time.Duration(float64(ahead)/float64(p.rate)*float64(time.Second)))
	}
	if sent-min(p.heard, sent) < lead {
		return 0
	}
	return time.Hour // until the browser has played some
}

// safely plays; a panic is an error of this player alone.
func (p *player) safely(ctx context.Context) (err error) {
	defer func() {
		if broke := recover(); broke != nil {
			p.connection.server.Log.Error("panic while playing", "panic", broke, "stack", string(debug.Stack()))
			err = fmt.Errorf("panic: %v", broke)
		}
	}()
	return p.run(ctx)
}

func (p *player) pace(rate int) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.rate = rate
}

func (p *player) loop() *reel.Span {
	if p.backwards() {
		return nil
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.around
}

func (p *player) uncorrected() bool {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.plain
}

// settings gives what is to be heard.
func (p *player) settings() (tap engine.Tap, solo []string, aside *engine.Aside) {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.tap, p.solo, p.aside
}

// asked tells whether something was changed since the last call. What is changed while that is worked out is worked out next.
func (p *player) asked() bool {
	p.mu.Lock()
	defer p.mu.Unlock()
	was := p.changed
	p.changed = false
	return was
}

// desk is what renders: an engine, and what is measured of it.
type desk struct {
	eng      *engine.Engine
	files    Files // that it reads
	tap      engine.Tap
	labels   []string       // of the row that it is, if it is one
	around   *engine.Around // nil where it is listened to on loudspeakers
	end      int64
	sender   *sender // in place of the reel, where there is one
	began    int64   // where its signal did
	meters   *loudness.ProgrammeMeters
	readings []float64
	live     *loudness.Live // of what is listened to
	pending  later          // what it is still to measure
	rows     watch
	deck     deck
	tape     tape
	outputs  [][]float64 // the block as it leaves
	gain     float64     // at which it is heard
	peaks    []float64   // of rows, and their loudness, that are to be told with the block
	shorts   []float64
	// Room for a block and what a slower pace needs around it.
	left, right   []float64
	ears, resting [][]float64 // of each loudspeaker; left and right where there are two
	speakers      *speakers   // where there are others
	slow          *dsp.Resampler
	before        stretch // that is given backwards
}

func newDesk(slow bool, labels []string) *desk {
	d := &desk{gain: 1}
	d.left, d.right = make([]float64, 2*block), make([]float64, 2*block)
	if d.ears = [][]float64{d.left, d.right}; len(labels) > 0 {
		d.speakers, d.ears = newSpeakers(labels), nil
		for range labels {
			d.ears = append(d.ears, make([]float64, 2*block))
		}
	}
	for range d.ears {
		d.resting = append(d.resting, make([]float64, 2*block))
	}
	if slow {
		d.slow = dsp.NewResampler(0.5)
	}
	return d
}

// take goes over to another state of the reel or another tap.
func (d *desk) take(r *reel.Reel, eng *engine.Engine, files Files, tap engine.Tap) {
	d.close()
	if d.live == nil || tap != d.tap {
		d.live, d.pending = loudness.NewLive(r.Head.SampleRate, layout.Layout{Labels: listened(r, tap)}), later{}
	}
	d.eng, d.files, d.tap, d.end, d.before = eng, files, tap, r.End(), stretch{}
	d.labels = r.RowLabels(reel.Row(tap.Kind), tap.ID)
	if d.around = nil; tap.Check == engine.Headphones {
		d.around = eng.NewAround(tap)
	}
	if outputs := len(r.OutputList()); len(d.readings) != outputs || d.meters == nil {
		d.meters, d.readings = loudness.NewProgrammeMeters(r.Head.SampleRate, outputs, loudness.TypeII), make([]float64, outputs)
	}
}

// listened gives the channels of what is listened to: those of a row, else the pair that is heard.
func listened(r *reel.Reel, tap engine.Tap) []string {
	if labels := r.RowLabels(reel.Row(tap.Kind), tap.ID); labels != nil && tap.Check == engine.AsItIs {
		return labels
	}
	if tap.Kind == "output" {
		return []string{"M"}
	}
	return []string{"L", "R"}
}

// listened gives the channels of the block that are measured.
func (d *desk) listened(n int) [][]float64 {
	channels := [][]float64{d.left[:n], d.right[:n]}
	switch {
	case d.tap.Check == engine.AsItIs && d.eng.At(weave.NodeID{Row: reel.Row(d.tap.Kind), ID: d.tap.ID}) != nil:
		channels = d.eng.At(weave.NodeID{Row: reel.Row(d.tap.Kind), ID: d.tap.ID})
	case d.tap.Kind == "output":
		channels = channels[:1]
	}
	return channels
}

// close closes what the engine reads.
func (d *desk) close() {
	if d.files != nil {
		d.files.Close()
	}
	d.files = nil
}

// pull renders frames at..at+n-1 into left and right and reads the meters.
func (d *desk) pull(at int64, n int) error {
	if d.sender != nil {
		d.outputs = d.sender.pull(max(0, at-d.began), n, d.left, d.right)
		d.read(d.outputs)
		if d.speakers != nil {
			d.speakers.send(d.ears, [][]float64{d.left, d.right}, d.outputs, d.sender.labels, n)
		}
		return nil
	}
	if err := d.eng.Render(at, n); err != nil {
		return err
	}
	if err := d.listen(n); err != nil {
		return err
	}
	d.outputs = d.eng.Outputs()
	d.read(d.outputs)
	d.peaks, d.shorts = d.rows.write(d.eng.At)
	d.deck.write(d.eng, n)
	return nil
}

// listen gives what is heard of the block to the ears.
func (d *desk) listen(n int) (err error) {
	if d.around != nil {
		err = d.eng.ListenAround(d.around, d.tap, d.left, d.right)
	} else {
		err = d.eng.Listen(d.tap, d.left, d.right)
	}
	if d.speakers != nil {
		d.speakers.place(d.ears, [][]float64{d.left, d.right}, d.eng, d.tap, d.labels, n)
	}
	if d.gain != 1 {
		for _, x := range d.ears {
			vec.Scale(x, d.gain)
		}
	}
	return err
}

// read has the meters read a block of the outputs.
func (d *desk) read(outputs [][]float64) {
	d.readings = make([]float64, len(d.readings))
	for i, reading := range d.meters.Write(outputs) {
		d.readings[i] = math.Round(max(silent, reading)*10) / 10
	}
}

// pullSlowly renders n frames at half the pace: those for at..at+n/2.
func (d *desk) pullSlowly(at int64, n int) error {
	first, end := d.slow.Span(0, n)
	if err := d.pull(at+first, int(end-first)); err != nil {
		return err
	}
	for i, x := range d.ears {
		d.slow.Block(d.resting[i][:n], 0, x[:end-first], first)
		copy(x, d.resting[i][:n])
	}
	return nil
}

func (p *player) run(ctx context.Context) error {
	place, err := p.connection.server.admission.enter(ctx, func(ahead, playing int) {
		p.connection.send(reply{Generation: p.generation, Position: p.what.From, Waits: crowded(ahead, playing)})
	})
	if err != nil {
		return err
	}
	defer place.leave()
	half, back := p.what.Speed == 0.5, p.backwards()
	d := newDesk(half, p.what.Speakers)
	defer d.close()
	now, way, pace := cursor{at: p.what.From}, &ahead{}, int64(1)
	defer func() { d.tape.end(p.reached(now.sent)) }()
	message := make([]byte, headBytes+block*4*len(d.ears))
	pull := d.pull
	if half {
		pace, pull = 2, d.pullSlowly
	}
	if back {
		pull = func(at int64, n int) error { return d.pullBack(at, n, p.least()) }
	}
	rate, cost := 0, 0.0
	for {
		if err := p.room(ctx, now.sent); err != nil {
			return err
		}
		if p.asked() {
			if rate, err = p.renew(ctx, d, cost); err != nil {
				return err
			}
			now = way.back(p.reached(now.sent), now)
			d.pending.replaced(now.sent)
			d.tape.replaced(now.sent)
		}
		loop := p.loop()
		if loop != nil && now.at >= loop.To {
			now.at, now.again = loop.From, true
		}
		left := p.left(now.at, d, loop)
		if left <= 0 {
			p.connection.send(reply{Generation: p.generation, Position: now.at, Ended: true, Loudness: d.settled()})
			d.tape.end(now.sent)
			return nil
		}
		reached := p.reached(now.sent)
		way.note(now, reached)
		n := int(min(block, left*pace))
		began := time.Now()
		if err := pull(now.at, n); err != nil {
			return err
		}
		took, sounds := time.Since(began), time.Duration(n)*time.Second/time.Duration(rate)
		place.spent(took, sounds)
		cost += (float64(took)/float64(sounds) - cost) / costOver
		ears := cut(d.ears, n)
		soften(ears, now.again, loop != nil && now.at+int64(n)/pace >= loop.To)
		if err := p.connection.write(websocket.MessageBinary, encode(message, p.generation, now, ears)); err != nil {
			return err
		}
		p.connection.send(reply{Generation: p.generation, Position: now.at, Meters: d.readings, Rows: d.peaks, Shorts: d.shorts, Wires: d.deck.told(),
			Recorded: d.tape.frames})
		d.tape.hear(now, n, d.outputs, reached)
		if d.sender == nil && !back {
			d.pending.keep(now, n, d.listened(n))
			if reading := d.settle(reached); reading != nil {
				p.connection.send(reply{Generation: p.generation, Position: now.at, Loudness: reading})
			}
		}
		now = cursor{sent: now.sent + int64(n), at: now.at + p.on((int64(n)+pace-1)/pace)}
	}
}

// costOver is over how many blocks the cost of making sound is averaged.
const costOver = 8

// left is how many samples lie between a place and where playing ends, or a loop does.
func (p *player) left(at int64, d *desk, loop *reel.Span) int64 {
	if p.backwards() {
		return at - p.least()
	}
	end := d.end
	if loop != nil {
		end = loop.To
	}
	if p.what.Until > 0 {
		end = min(end, p.what.Until)
	}
	return end - at
}

// renew has the desk render what is to be heard now, and gives its rate.
func (p *player) renew(ctx context.Context, d *desk, cost float64) (rate int, err error) {
	r, err := p.load(ctx)
	if err != nil {
		return 0, err
	}
	tap, solo, aside := p.settings() // a take's tap is known once it has been loaded
	files := p.connection.server.Files(ctx)
	gain := p.compared(ctx, r, &tap)
	most := runUp(r.Head.SampleRate, cost, d.eng == nil)
	if p.backwards() {
		most = min(most, int64(r.Head.SampleRate)) // for every stretch anew
	}
	eng, err := engine.New(r, files.Open, engine.Options{Solo: solo, Aside: aside, Block: 2 * block, Most: most})
	if err != nil {
		files.Close()
		return 0, err
	}
	d.take(r, eng, files, tap)
	d.gain = gain
	rows, deck, record := p.looked()
	d.rows.look(r, rows)
	d.deck.look(r, deck)
	p.recording(d, r, record)
	if s := p.what.Signal; s != nil {
		if d.sender, err = newSender(r, *s); err != nil {
			return 0, err
		}
		d.began, d.end = p.what.From, farthest // until it is stopped
	}
	p.pace(r.Head.SampleRate)
	return r.Head.SampleRate, nil
}

// soften fades a block in or out where a loop begins again, so that the jump does not click.
func soften(ears [][]float64, in, out bool) {
	for _, ear := range ears {
		n := min(reel.Ramp, len(ear))
		for i := range n {
			x := float64(i) / float64(n)
			if in {
				ear[i] *= x
			}
			if out {
				ear[len(ear)-1-i] *= x
			}
		}
	}
}

// cut gives the first n frames of each.
func cut(ears [][]float64, n int) [][]float64 {
	out := make([][]float64, len(ears))
	for i, x := range ears {
		out[i] = x[:n]
	}
	return out
}

// load makes the reel that is played.
func (p *player) load(ctx context.Context) (*reel.Reel, error) {
	switch p.what.Do {
	case "take":
		return p.takeAlone()
	case "match":
		return p.matched()
	}
	r, err := p.asIs(ctx)
	if err != nil {
		return nil, err
	}
	if l := p.what.Lane; l != nil {
		if r, err = r.Only(l.Clip, l.Channel); err != nil {
			return nil, err
		}
		p.listenTo(engine.Tap{Kind: "track", ID: r.TrackList()[0].ID})
	}
	return r, nil
}

// asIs gives the reel as it is or, where a command is on trial, as it would be.
func (p *player) asIs(ctx context.Context) (*reel.Reel, error) {
	known := p.connection.server.Known
	p.mu.Lock()
	t, other := p.trial, p.other
	p.mu.Unlock()
	if other != nil && other.Heard {
		return other.reel(ctx, known)
	}
	if t != nil {
		command, err := t.Decode()
		if err != nil {
			return nil, err
		}
		return known.Try(ctx, p.what.Reel, command)
	}
	o, err := known.Reel(ctx, p.what.Reel)
	if err == nil && p.uncorrected() {
		return o.Reel.Matched(), nil
	}
	return o.Reel, err
}

// encode fills a message with a block, loudspeaker by loudspeaker in each frame.
func encode(message []byte, generation uint32, now cursor, ears [][]float64) []byte {
	le := binary.LittleEndian
	le.PutUint32(message, generation)
	le.PutUint64(message[4:], uint64(now.at))
	le.PutUint64(message[12:], uint64(now.sent))
	for c, ear := range ears {
		for i, x := range ear {
			le.PutUint32(message[headBytes+4*(i*len(ears)+c):], math.Float32bits(float32(x)))
		}
	}
	return message[:headBytes+4*len(ears)*len(ears[0])]
}

// tried gives the treatment that is tried; nil where none is.
func (p *player) tried() *treat {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.treat
}

// looked gives what is looked at beside the outputs' meters: rows, whether what outputs carry is, and whether it is recorded.
func (p *player) looked() (rows []watched, deck, record bool) {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.rows, p.wires, p.record
}

func (p *player) listenTo(tap engine.Tap) {
	p.mu.Lock()
	p.tap = tap
	p.mu.Unlock()
}
