package listen

import (
	"context"
	"errors"
	"math"
	"slices"
	"time"

	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/core/wires"
)

// Tape is where a recording is written to.
type Tape interface {
	Create(name string) (wires.Out, error)
	// Keep takes what has been recorded to the desk under a name, and gives the receipt's ID.
	Keep(ctx context.Context, name string) (receipt string, err error)
	// Drop removes what has been recorded.
	Drop() error
}

// taped is what became of a recording.
type taped struct {
	Receipt string `json:"receipt,omitempty"` // at the desk; empty where nothing was kept
	From    int64  `json:"from"`              // samples since midnight
	Frames  int64  `json:"frames"`
	Files   int    `json:"files"`
	Over    []int  `json:"over,omitempty"` // outputs that were louder than full scale, from 0
	Trouble string `json:"trouble,omitempty"`
}

// keepsWithin is how long a recording may take to be put on the desk once it has ended.
const keepsWithin = 2 * time.Minute

// shortest is how many seconds a recording has at least: what was heard in passing is none.
const shortest = 0.2

// tape records the outputs as they sound: what is replaced before it does was never there.
type tape struct {
	pending later
	before  [][]float64 // what was to sound and is replaced, from the place on where another block comes
	outputs []reel.Output
	name    string // of the recording
	least   int64  // frames, or it is none
	label   func(sample int64) string
	to      Tape
	begin   func(from int64) (*wires.Recording, error)
	done    func(taped, Tape, string) // what has ended
	rec     *wires.Recording          // nil before anything has sounded
	from    int64
	frames  int64
	trouble error
	over    bool // it has ended, and is not begun again by itself
}

// replaced forgets what has not sounded.
func (t *tape) replaced(frame int64) {
	if gone := t.pending.replaced(frame); gone != nil {
		t.before = gone
	}
}

// hear takes a block of the outputs, and writes those that have sounded.
func (t *tape) hear(now cursor, n int, outputs [][]float64, reached int64) {
	if t.to == nil || t.over {
		return
	}
	t.pending.keep(now, n, outputs)
	if t.before != nil {
		goOver(t.before, t.pending.blocks[len(t.pending.blocks)-1].channels)
		t.before = nil
	}
	t.settle(reached)
}

// goesOver is how many frames it takes to go from one state of the reel to another, as it is heard.
const goesOver = 256

// goOver begins a block as the one that it takes the place of.
func goOver(from, to [][]float64) {
	for c := range min(len(from), len(to)) {
		for i := range min(goesOver, len(from[c]), len(to[c])) {
			x := float64(i) / goesOver
			to[c][i] = x*to[c][i] + (1-x)*from[c][i]
		}
	}
}

// settle writes what has sounded. Where a loop begins again the recording ends: its clock would not run on.
func (t *tape) settle(reached int64) {
	t.pending.settle(reached, func(h held) {
		if t.over {
			return
		}
		if t.rec == nil {
			if t.rec, t.trouble = t.begin(h.at); t.trouble != nil {
				t.over = true
				return
			}
			t.from = h.at
		}
		if h.at != t.from+t.frames {
			t.over = true
			return
		}
		if t.trouble = t.rec.Write(h.channels); t.trouble != nil {
			t.over = true
		}
		t.frames = t.rec.Frames()
	})
	if t.over {
		t.finish()
	}
}

// end ends the recording once so many frames have sounded.
func (t *tape) end(reached int64) {
	if t.to != nil && !t.over {
		t.settle(reached)
		t.finish()
	}
	*t = tape{}
}

// finish hands over what has been recorded.
func (t *tape) finish() {
	to := t.to
	t.over, t.to, t.pending = true, nil, later{}
	if to == nil {
		return
	}
	end := taped{From: t.from, Frames: t.frames}
	if t.rec != nil && t.frames < t.least {
		end.Frames, t.trouble = 0, errors.Join(t.trouble, t.rec.End())
	} else if t.rec != nil {
		end.Files, end.Over = t.rec.Files(), t.rec.Over()
		t.trouble = errors.Join(t.trouble, t.rec.End())
	}
	if t.trouble != nil {
		end.Trouble = fault.Sentence(t.trouble)
		if fault.KindOf(t.trouble) == "" {
			end.Trouble = "The recording ended: something went wrong on the server"
		}
	}
	t.done(end, to, t.name+", "+t.label(t.from))
}

// recording begins or ends the recording of what is played.
func (p *player) recording(d *desk, r *reel.Reel, want bool) {
	outputs, sounded := r.OutputList(), p.reached(math.MaxInt64)
	switch {
	case !want || p.what.Do != "play" || p.what.Speed == 0.5 || p.backwards() || p.connection.server.Tape == nil:
		d.tape.end(sounded)
		return
	case d.tape.outputs != nil && slices.Equal(d.tape.outputs, outputs):
		return
	}
	d.tape.end(sounded)
	to := p.connection.server.Tape(p.what.Reel)
	d.tape = tape{outputs: outputs, to: to, name: r.Head.Name, least: int64(shortest * float64(r.Head.SampleRate)),
		done:  p.connection.keepTape(p.generation),
		label: func(at int64) string { return r.Head.FrameRate.LabelAt(at, r.Head.SampleRate) },
		begin: func(from int64) (*wires.Recording, error) { return wires.Record(r, from, to.Create) }}
}

// keepTape gives who takes recordings of a generation to the desk: beside what plays next, as it may take a while.
func (c *connection) keepTape(generation uint32) func(taped, Tape, string) {
	return func(end taped, to Tape, name string) {
		c.server.conns.Go(func() {
			if end.Frames == 0 {
				if err := to.Drop(); err != nil {
					c.server.Log.Warn("a recording of nothing could not be removed", "error", err)
				}
			} else {
				ctx, cancel := context.WithTimeout(context.WithoutCancel(c.ctx), keepsWithin)
				defer cancel()
				var err error
				if end.Receipt, err = to.Keep(ctx, name); err != nil {
					c.server.Log.Error("keeping a recording", "error", err)
					end.Trouble = "The recording could not be taken to the desk: " + fault.Sentence(err)
				}
			}
			c.send(reply{Generation: generation, Tape: &end})
		})
	}
}
