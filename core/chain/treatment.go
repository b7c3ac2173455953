package chain

import (
	"reflect"
	"slices"

	"zestyloom/core/fault"
)

// Treatment is what channels of a recording go through, wherever they sound: it lives with the microphone. Its channels go through it together.
type Treatment struct {
	Channels []int  `json:"channels"` // of the take, from 0, in order
	Steps    []Step `json:"steps"`
	Off      bool   `json:"off,omitempty"` // it stays, and does nothing
	// Revision is how often the takes of its production had been edited when it was changed last: two treatments of a channel that differ
	// have two.
	Revision int64 `json:"revision"`
}

// Sounds tells whether the treatment does anything.
func (t Treatment) Sounds() bool { return !t.Off && Sounds(t.Steps) }

// WithTreatment gives treatments with one in the place of those that its channels have; it takes them away where it has no steps.
func WithTreatment(list []Treatment, t Treatment) (out []Treatment) {
	for _, was := range list {
		if slices.Equal(was.Channels, t.Channels) && was.Off == t.Off && reflect.DeepEqual(was.Steps, t.Steps) {
			return list
		}
		rest := was
		rest.Channels = slices.DeleteFunc(slices.Clone(was.Channels), func(c int) bool { return slices.Contains(t.Channels, c) })
		if len(rest.Channels) > 0 {
			out = append(out, rest)
		}
	}
	if len(t.Steps) > 0 {
		out = append(out, t)
	}
	slices.SortFunc(out, func(a, b Treatment) int { return a.Channels[0] - b.Channels[0] })
	return out
}

// CheckTreatments tells whether a take of so many channels at a rate in Hz can have them. It is BadInput with a sentence.
func CheckTreatments(list []Treatment, channels int, rate float64) error {
	taken := map[int]bool{}
	for _, t := range list {
		if len(t.Channels) == 0 || !slices.IsSorted(t.Channels) {
			return fault.New(fault.BadInput, "A treatment is of channels, named in their order")
		}
		for _, c := range t.Channels {
			if c < 0 || c >= channels {
				return fault.New(fault.BadInput, "The take has no channel %d", c+1)
			}
			if taken[c] {
				return fault.New(fault.BadInput, "Channel %d has two treatments", c+1)
			}
			taken[c] = true
		}
		if err := Check(t.Steps); err != nil {
			return err
		}
		for _, s := range t.Steps {
			if s.Key != nil {
				return fault.New(fault.BadInput, "A recording is driven by nothing else: %s works by itself there", s.Kind)
			}
		}
		if _, err := t.Make(rate); err != nil {
			return err
		}
	}
	return nil
}

// Make has the treatment's steps run on its channels, whose first two are two sides where there are several.
func (t Treatment) Make(rate float64) (*Row, error) { return MakeFor(t.Steps, rate, len(t.Channels)) }

// MakeFor has steps run on so many channels of a recording, whose first two are two sides where there are several.
func MakeFor(steps []Step, rate float64, channels int) (*Row, error) {
	asked := Asked{Rate: rate, Channels: channels}
	if channels > 1 {
		asked.Pairs = [][2]int{{0, 1}}
	}
	return Make(steps, asked)
}

// HeardOf gives what of treatments decides what is heard of some channels; nil where none does.
func HeardOf(list []Treatment, channels []int) (heard []Treatment) {
	for _, t := range list {
		if t.Sounds() && slices.ContainsFunc(t.Channels, func(c int) bool { return slices.Contains(channels, c) }) {
			heard = append(heard, Treatment{Channels: t.Channels, Steps: Heard(t.Steps)})
		}
	}
	return heard
}
