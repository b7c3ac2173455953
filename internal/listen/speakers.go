package listen

import (
	"slices"

	"zestyloom/core/engine"
	"zestyloom/core/fault"
	"zestyloom/core/layout"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
	"zestyloom/core/weave"
)

// mostSpeakers is how many loudspeakers sound is sent to at most.
const mostSpeakers = 32

// checkSpeakers looks at what loudspeakers are for: each label is one that has a place, and no two are the same. An empty one is silent.
func checkSpeakers(labels []string) error {
	if len(labels) == 1 || len(labels) > mostSpeakers {
		return fault.New(fault.BadInput, "Sound is sent to 2 to %d loudspeakers", mostSpeakers)
	}
	for i, label := range labels {
		if _, known := layout.Speakers[label]; label != "" && !known {
			return fault.New(fault.BadInput, "There is no loudspeaker %q", label)
		}
		if label != "" && slices.Contains(labels[:i], label) {
			return fault.New(fault.BadInput, "Two loudspeakers would be %s", label)
		}
	}
	return nil
}

// speakers brings what is listened to to loudspeakers: each channel of a row to the one of its label, or folded to those there are. What is heard as a
// pair anyway goes to left and right.
type speakers struct {
	labels []string
	at     []int         // of which loudspeaker each of the format's channels is
	to     layout.Format // of those that are for anything
	pair   mix.Matrix
	row    mix.Matrix
	of     []string // labels that row is for
	known  bool
}

func newSpeakers(labels []string) *speakers {
	s := &speakers{labels: labels}
	var named []string
	for i, label := range labels {
		if label != "" {
			named, s.at = append(named, label), append(s.at, i)
		}
	}
	if len(named) > 0 {
		s.to = layout.Read(named)
		s.pair, _, _ = mix.Carry(layout.Read([]string{"L", "R"}), s.to, mix.Usual())
	}
	return s
}

// place fills the ears, loudspeakers × n, with what is listened to of an engine's block; pair is how it is heard on two.
func (s *speakers) place(ears, pair [][]float64, e *engine.Engine, tap engine.Tap, labels []string, n int) {
	for _, x := range ears {
		clear(x[:n])
	}
	if len(s.at) == 0 {
		return
	}
	to := make([][]float64, len(s.at))
	for i, at := range s.at {
		to[i] = ears[at][:n]
	}
	if tap.Check == engine.AsItIs && len(labels) > 2 {
		if from := e.At(weave.NodeID{Row: reel.Row(tap.Kind), ID: tap.ID}); from != nil {
			if !slices.Equal(s.of, labels) {
				s.of = slices.Clone(labels)
				s.row, _, s.known = mix.Carry(layout.Read(labels), s.to, mix.Usual())
			}
			if s.known {
				s.row.Add(to, from)
				return
			}
		}
	}
	s.pair.Add(to, [][]float64{pair[0][:n], pair[1][:n]})
}

// send fills the ears with a signal that outputs have, one after another: each is heard where its label is, or else as a pair.
func (s *speakers) send(ears, pair, outputs [][]float64, labels []string, n int) {
	for _, x := range ears {
		clear(x[:n])
	}
	placed := false
	for i, x := range outputs {
		if at := slices.Index(s.labels, labels[i]); at >= 0 {
			mix.AddAt(ears[at][:n], x, 1)
			placed = placed || slices.ContainsFunc(x, func(v float64) bool { return v != 0 })
		}
	}
	if !placed {
		for i, at := range s.at {
			for side := range 2 {
				mix.AddAt(ears[at][:n], pair[side][:n], s.pair.At(i, side))
			}
		}
	}
}
