package listen

import (
	"math"
	"slices"

	"zestyloom/core/engine"
	"zestyloom/core/fault"
	"zestyloom/core/layout"
	"zestyloom/core/lineup"
	"zestyloom/core/reel"
)

// signal asks for a tone or spoken names at outputs, one after another, in place of the reel: whoever hears it knows that the way
// from there on is right.
type signal struct {
	Outputs []string `json:"outputs"` // their IDs; all of them where there are none
	Names   bool     `json:"names"`   // the name of each, spoken; else a tone
}

// turnSeconds is how long each output has the signal, and edgeSeconds how long it takes to come and to go.
const (
	turnSeconds = 2
	edgeSeconds = 0.01
)

// sender makes what a signal sends. It is a function of the place alone.
type sender struct {
	rate    int
	outputs [][]float64 // of all outputs, a block each
	labels  []string    // of theirs
	turns   []turn
}

// turn is an output's time with the signal.
type turn struct {
	output      int
	left, right float64 // gains at which it is heard
	name        []float64
}

func newSender(r *reel.Reel, s signal) (*sender, error) {
	out, voice := &sender{rate: r.Head.SampleRate}, lineup.NewVoice(r.Head.SampleRate)
	for i, o := range r.OutputList() {
		out.outputs, out.labels = append(out.outputs, make([]float64, 2*block)), append(out.labels, o.Label)
		if len(s.Outputs) > 0 && !slices.Contains(s.Outputs, o.ID) {
			continue
		}
		t := turn{output: i}
		labels := r.Groups[o.Group].Labels
		pair := engine.Pair(layout.Read(labels).In(r.Head.Angles))
		for c, label := range labels {
			if label == o.Label {
				t.left, t.right = pair.At(0, c), pair.At(1, c)
			}
		}
		if t.left == 0 && t.right == 0 { // an LFE has no place in a pair, and is to be heard all the same
			t.left, t.right = math.Sqrt2/2, math.Sqrt2/2
		}
		if s.Names {
			var err error
			if t.name, err = voice.Say(o.Label, o.Number); err != nil {
				return nil, err
			}
		}
		out.turns = append(out.turns, t)
	}
	if len(out.turns) == 0 {
		return nil, fault.New(fault.NotFound, "There is no such output to send a signal to")
	}
	return out, nil
}

// pull gives n frames, at so many samples after the signal began, to all outputs and to the ears.
func (s *sender) pull(at int64, n int, left, right []float64) [][]float64 {
	shown := make([][]float64, len(s.outputs))
	for i := range s.outputs {
		clear(s.outputs[i][:n])
		shown[i] = s.outputs[i][:n]
	}
	clear(left[:n])
	clear(right[:n])
	each := int64(turnSeconds * s.rate)
	for done := int64(0); done < int64(n); {
		now := at + done
		within := now % each
		t := s.turns[now/each%int64(len(s.turns))]
		m := min(int64(n)-done, each-within)
		part := shown[t.output][done : done+m]
		s.fill(part, t, within, each)
		for i, x := range part {
			left[done+int64(i)], right[done+int64(i)] = x*t.left, x*t.right
		}
		done += m
	}
	return shown
}

// fill gives part of a turn, from a sample of it on.
func (s *sender) fill(dst []float64, t turn, within, each int64) {
	if t.name != nil {
		if within < int64(len(t.name)) {
			copy(dst, t.name[within:])
		}
		return
	}
	lineup.Tone(dst, within, s.rate)
	edge := edgeSeconds * float64(s.rate)
	rest := each - int64(s.rate)/4 // a pause tells one turn from the next
	for i := range dst {
		x := float64(within) + float64(i)
		dst[i] *= max(0, min(1, x/edge, (float64(rest)-x)/edge))
	}
}
