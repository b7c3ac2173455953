package listen

import (
	"context"
	"encoding/binary"
	"math"
	"sync"

	"github.com/coder/websocket"

	"zestyloom/core/engine"
	"zestyloom/core/fault"
	"zestyloom/core/loudness"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
	"zestyloom/internal/library"
)

const (
	// block is how many frames go into one message: short, so that the first sound comes soon.
	block = 1024
	// lead is how many frames may be on their way before the browser has played them.
	lead = 16 * block
	// headBytes stand before the samples of a message: generation as uint32 and position as int64, little-endian.
	headBytes = 12
	// silent is what stands for negative infinity in meters.
	silent = -200
)

// player plays from one place on until it ends or is stopped.
type player struct {
	connection *connection
	generation uint32
	what       request

	mu      sync.Mutex
	heard   int64 // frames the browser has played
	changed bool
	tap     engine.Tap
	solo    []string
	wake    chan struct{}
}

func newPlayer(c *connection, r request) *player {
	return &player{connection: c, generation: r.Generation, what: r, tap: r.Tap, solo: r.Solo, wake: make(chan struct{}, 1)}
}

// change sets what is heard from the next block on, and reads the reel again.
func (p *player) change(tap engine.Tap, solo []string) {
	p.mu.Lock()
	p.tap, p.solo, p.changed = tap, solo, true
	p.mu.Unlock()
}

// played notes how many frames have sounded.
func (p *player) played(frames int64) {
	p.mu.Lock()
	p.heard = max(p.heard, frames)
	p.mu.Unlock()
	select {
	case p.wake <- struct{}{}:
	default:
	}
}

// room waits until another block may be sent.
func (p *player) room(ctx context.Context, sent int64) error {
	for {
		p.mu.Lock()
		free := sent-p.heard < lead
		p.mu.Unlock()
		if free {
			return ctx.Err()
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-p.wake:
		}
	}
}

// settings gives what is to be heard, and whether that was asked for since the last call.
func (p *player) settings() (tap engine.Tap, solo []string, changed bool) {
	p.mu.Lock()
	defer p.mu.Unlock()
	changed, p.changed = p.changed, false
	return p.tap, p.solo, changed
}

func (p *player) run(ctx context.Context) error {
	session := p.connection.server.Library.Session(ctx)
	defer session.Close()
	load := func() (*reel.Reel, error) {
		if p.what.Do == "take" {
			return p.takeAlone(session)
		}
		o, err := p.connection.server.Library.Store.Reel(ctx, p.what.Reel)
		return o.Reel, err
	}
	var eng *engine.Engine
	var meters []*loudness.ProgrammeMeter
	var end int64
	left, right := make([]float64, block), make([]float64, block)
	message := make([]byte, headBytes+block*8)
	p.change(p.tap, p.solo) // the first block loads
	from := p.what.From
	for sent := int64(0); ; sent += block {
		if err := p.room(ctx, sent); err != nil {
			return err
		}
		tap, solo, changed := p.settings()
		if changed {
			r, err := load()
			if err != nil {
				return err
			}
			tap, solo, _ = p.settings() // a take's tap is known once it has been loaded
			if eng, err = engine.New(r, session.Open, engine.Options{Solo: solo}); err != nil {
				return err
			}
			if outputs := len(r.OutputList()); len(meters) != outputs {
				meters = nil
				for range outputs {
					meters = append(meters, loudness.NewProgrammeMeter(r.Head.SampleRate))
				}
			}
			end = r.End()
		}
		at := from + sent
		if at >= end {
			p.connection.send(reply{Generation: p.generation, Position: at, Ended: true})
			return nil
		}
		if err := eng.Render(at, block); err != nil {
			return err
		}
		if err := eng.Listen(tap, left, right); err != nil {
			return err
		}
		readings := make([]float64, len(meters))
		for i, ch := range eng.Outputs() {
			readings[i] = math.Round(max(silent, meters[i].Write(ch))*10) / 10
		}
		if err := p.connection.write(websocket.MessageBinary, encode(message, p.generation, at, left, right)); err != nil {
			return err
		}
		p.connection.send(reply{Generation: p.generation, Position: at, Meters: readings})
	}
}

// encode fills a message with a stereo block.
func encode(message []byte, generation uint32, position int64, left, right []float64) []byte {
	le := binary.LittleEndian
	le.PutUint32(message, generation)
	le.PutUint64(message[4:], uint64(position))
	for i := range left {
		le.PutUint32(message[headBytes+8*i:], math.Float32bits(float32(left[i])))
		le.PutUint32(message[headBytes+8*i+4:], math.Float32bits(float32(right[i])))
	}
	return message[:headBytes+8*len(left)]
}

// takeAlone makes a reel of nothing but channels of one take, starting at 0, and listens to it: touch-listening goes
// through the same engine as everything else.
func (p *player) takeAlone(session *library.Session) (*reel.Reel, error) {
	f, err := session.Open(p.what.Take)
	if err != nil {
		return nil, err
	}
	for _, c := range p.what.Channels {
		if c < 0 || c >= f.Channels {
			return nil, fault.New(fault.NotFound, "The take has no channel %d", c+1)
		}
	}
	if len(p.what.Channels) == 0 || len(p.what.Channels) > 2 {
		return nil, fault.New(fault.BadInput, "Listen to one channel of a take, or to a pair")
	}
	labels := []string{"M"}
	if len(p.what.Channels) == 2 {
		labels = []string{"L", "R"}
	}
	r := reel.New("take", f.SampleRate, timecode.Rates[0], 0)
	change, _, err := reel.AddTake{Take: p.what.Take, Title: "take", Length: f.Frames, Parts: []reel.PartPlan{{Name: "take", Stem: "DX", Channels: p.what.Channels, Labels: labels}}}.Plan(r)
	if err != nil {
		return nil, err
	}
	if err := r.Apply(change); err != nil {
		return nil, err
	}
	p.mu.Lock()
	p.tap = engine.Tap{Kind: "track", ID: r.TrackList()[0].ID}
	p.mu.Unlock()
	return r, nil
}
