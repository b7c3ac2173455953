// Package wires watches whether each output carries what belongs on it, while it sounds: what arrives is held against what the outputs are there
// for, by how alike they are.
package wires

import (
	"math"

	"zestyloom/core/dsp"
	"zestyloom/core/layout"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
	"zestyloom/core/weave"
)

// Belongs is what belongs on the outputs of a reel, in their order: the stems that its group is there for, and what feeds the group, by meaning.
// Knots, which somebody may have set otherwise, have no say.
type Belongs struct {
	ways [][]way
	room [][]float64
}

// way is a channel of a row on its way to an output.
type way struct {
	from    weave.NodeID
	channel int
	gain    float64
}

// On finds what belongs on the outputs of a reel.
func On(r *reel.Reel) *Belongs {
	outputs := r.OutputList()
	b := &Belongs{ways: make([][]way, len(outputs)), room: make([][]float64, len(outputs))}
	number := map[string]int{}
	for i, o := range outputs {
		number[o.ID] = i
	}
	for _, k := range weave.GroupKnots(r, r.GroupList()) {
		gain := dsp.Gain(k.GainDB)
		if k.Invert {
			gain = -gain
		}
		i := number[k.Output]
		b.ways[i] = append(b.ways[i], way{weave.NodeID{Row: k.Row, ID: k.From}, k.Channel, gain})
	}
	for i, o := range outputs {
		g := r.Groups[o.Group]
		if g.Feed == nil {
			continue
		}
		m, _, _ := mix.Carry(layout.Read(r.RowLabels(g.Feed.Row, g.Feed.From)).In(r.Head.Angles), layout.Read(g.Labels).In(r.Head.Angles),
			g.Feed.Folding())
		for c, label := range g.Labels {
			for from := range m.Cols {
				if label == o.Label && m.At(c, from) != 0 {
					b.ways[i] = append(b.ways[i], way{weave.NodeID{Row: g.Feed.Row, ID: g.Feed.From}, from, m.At(c, from)})
				}
			}
		}
	}
	return b
}

// Hear gives what belongs on each output of a block of n frames; at gives what arrives at a row, channels × frames, nil where there is none. What
// it gives holds until the next call.
func (b *Belongs) Hear(n int, at func(weave.NodeID) [][]float64) [][]float64 {
	out := make([][]float64, len(b.ways))
	for i, ways := range b.ways {
		if cap(b.room[i]) < n {
			b.room[i] = make([]float64, n)
		}
		out[i] = b.room[i][:n]
		clear(out[i])
		for _, w := range ways {
			if x := at(w.from); w.channel < len(x) {
				mix.AddAt(out[i], x[w.channel], w.gain)
			}
		}
	}
	return out
}

// Verdict says what an output carries.
type Verdict string

const (
	Quiet  Verdict = "quiet"  // nothing, and nothing belongs there now
	Right  Verdict = "right"  // what belongs there
	Turned Verdict = "turned" // what belongs there, with its polarity turned
	Silent Verdict = "silent" // nothing, though what belongs there sounds
	Wrong  Verdict = "wrong"  // what belongs on another
	Other  Verdict = "other"  // something that belongs on none
)

// Arrival is what an output carries, and where that belongs.
type Arrival struct {
	Says Verdict `json:"says"`
	// On is the output that it belongs on, from 0; −1 where it is none, or its own.
	On int `json:"on"`
	// Alike is how much it is like what belongs there, or there where it belongs: −1 to 1.
	Alike float64 `json:"alike"`
}

const (
	// every is at which samples signals are compared: enough to tell them apart, and odd, so that no tone hides between them.
	every = 7
	// remembers is for how many seconds what was heard counts, by 1/e.
	remembers = 1.5
	// sounds is above which mean power something sounds: −66 dBFS.
	sounds = 2.5e-7
	// clearly is how many times as much of what belongs there is missed where nothing arrives: 12 dB.
	clearly = 16
	// alike is from where on two signals are the same, apart by how much another must be more alike than what belongs there. What passes a chain or
	// a limiter is changed by that, and still more than half like what it was.
	alike, apart, half = 0.85, 0.03, 0.5
)

// Wires compares what arrives with what belongs.
type Wires struct {
	keep           float64 // a sample
	cross          [][]float64
	arrived, meant []float64 // power
	weight         float64
}

// New makes a comparison of so many outputs at a rate in Hz.
func New(sampleRate, outputs int) *Wires {
	w := &Wires{keep: math.Exp(-every / (remembers * float64(sampleRate))), arrived: make([]float64, outputs), meant: make([]float64, outputs)}
	for range outputs {
		w.cross = append(w.cross, make([]float64, outputs))
	}
	return w
}

// Write takes the next block of what arrives and of what belongs, outputs × frames each.
func (w *Wires) Write(arrives, belongs [][]float64) {
	if len(arrives) == 0 || len(arrives) != len(w.arrived) {
		return
	}
	n := len(arrives[0]) / every
	keep := math.Pow(w.keep, float64(n))
	w.weight = w.weight*keep + float64(n)
	for o, x := range arrives {
		w.arrived[o] = w.arrived[o]*keep + product(x, x)
		w.meant[o] = w.meant[o]*keep + product(belongs[o], belongs[o])
		for p, y := range belongs {
			w.cross[o][p] = w.cross[o][p]*keep + product(x, y)
		}
	}
}

func product(x, y []float64) (sum float64) {
	for i := every - 1; i < len(x); i += every {
		sum += x[i] * y[i]
	}
	return sum
}

// Read says what each output carries now.
func (w *Wires) Read() []Arrival {
	list := make([]Arrival, len(w.arrived))
	for o := range list {
		list[o] = w.read(o)
	}
	return list
}

func (w *Wires) read(o int) Arrival {
	a := Arrival{On: -1}
	least := sounds * w.weight
	here := w.arrived[o] > least
	switch {
	case !here && w.meant[o] < clearly*least: // a level that is turned down a little is no wire that is off
		a.Says = Quiet
		return a
	case !here:
		a.Says = Silent
		return a
	}
	own, best := 0.0, 0.0
	for p := range w.meant {
		if w.meant[p] <= least {
			continue
		}
		r := w.cross[o][p] / math.Sqrt(w.arrived[o]*w.meant[p])
		if p == o {
			own = r
		}
		if r > best {
			best, a.On = r, p
		}
	}
	a.Alike = math.Round(own*100) / 100
	switch {
	case own > half && own >= best-apart:
		a.Says, a.On = Right, -1
	case own <= -alike && -own >= best:
		a.Says, a.On = Turned, -1
	case best >= alike:
		a.Says, a.Alike = Wrong, math.Round(best*100)/100
	case own > half:
		a.Says, a.On = Right, -1
	default:
		a.Says, a.On = Other, -1
	}
	return a
}
