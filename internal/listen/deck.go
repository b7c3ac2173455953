package listen

import (
	"zestyloom/core/engine"
	"zestyloom/core/reel"
	"zestyloom/core/wires"
)

// tellWires is how many blocks pass from one word of what outputs carry to the next.
const tellWires = 8

// deck is the receiving deck: it hears the outputs as they run, and knows what belongs on each.
type deck struct {
	rate    int
	belongs *wires.Belongs // nil where nobody looks
	heard   *wires.Wires
	outputs int
	blocks  int
}

// look goes over to another state of the reel; what was heard of as many outputs goes on.
func (d *deck) look(r *reel.Reel, on bool) {
	outputs := len(r.OutputList())
	if !on || outputs == 0 {
		*d = deck{}
		return
	}
	if d.heard == nil || d.outputs != outputs || d.rate != r.Head.SampleRate {
		d.heard, d.outputs, d.rate = wires.New(r.Head.SampleRate, outputs), outputs, r.Head.SampleRate
	}
	d.belongs = wires.On(r)
}

func (d *deck) write(e *engine.Engine, n int) {
	if d.belongs == nil {
		return
	}
	d.heard.Write(e.Outputs(), d.belongs.Hear(n, e.At))
	d.blocks++
}

// told gives what is to be told with a block; nil while there is nothing.
func (d *deck) told() []wires.Arrival {
	if d.belongs == nil || d.blocks%tellWires != 0 {
		return nil
	}
	return d.heard.Read()
}
