package chain

import (
	"math"
	"regexp"
	"slices"

	"zestyloom/core/dsp"
	"zestyloom/core/fault"
)

// MostSteps is how many processors a chain has at most.
const MostSteps = 24

// Step is one processor of a chain.
type Step struct {
	ID   string `json:"id"` // within the chain; its curves go by it
	Kind Kind   `json:"kind"`
	Off  bool   `json:"off,omitempty"` // it stays, and does nothing
	// Values are its parameters by name; what is left out is as is usual.
	Values   map[string]float64 `json:"values,omitempty"`
	Detector Detector           `json:"detector,omitempty"`
	Key      *Key               `json:"key,omitempty"`     // what drives it; itself where it is left out
	Profile  []float64          `json:"profile,omitempty"` // what was learnt: of noise dB per Hz at each of Sixths, of a match dB at each of dsp.Thirds
	Learnt   *Stretch           `json:"learnt,omitempty"`  // where from
}

// mostHums is how often a chain takes hum away at most.
const mostHums = 2

// named is what an ID of a step is made of: curves go by it, with a space behind it.
var named = regexp.MustCompile(`^[A-Za-z0-9-]{1,60}$`)

// Detector is what of a signal is its level.
type Detector string

// Those that there are.
const (
	Peak Detector = "peak"
	RMS  Detector = "rms"
)

// Words are all that there are.
func (Detector) Words() []string { return []string{string(Peak), string(RMS)} }

// Key is a row of the reel that drives a processor.
type Key struct {
	Row  string `json:"row"` // track, strand, stem or mix
	From string `json:"from"`
}

// Stretch is where something was learnt, in seconds of a file.
type Stretch struct {
	From float64 `json:"from"`
	To   float64 `json:"to"`
}

// Sixths are the frequencies that a profile of noise holds, a sixth of an octave apart: 20 Hz to 20 kHz, in Hz.
var Sixths = func() (list []float64) {
	for k := range 61 {
		list = append(list, 20*math.Pow(10, float64(k)/20))
	}
	return list
}()

// Value is a parameter of the step.
func (s Step) Value(name string) float64 {
	if v, there := s.Values[name]; there {
		return v
	}
	a, _ := Look(s.Kind)
	p, _ := a.Of(name)
	return p.Default
}

// Check tells whether the steps can be: kinds, parameters and their ranges. It is BadInput with a sentence.
func Check(steps []Step) error {
	if len(steps) > MostSteps {
		return fault.New(fault.BadInput, "A chain has %d processors at most", MostSteps)
	}
	ids := map[string]bool{}
	hums := 0
	for n, s := range steps {
		if !named.MatchString(s.ID) || ids[s.ID] {
			return fault.New(fault.BadInput, "Each processor of a chain has an ID of its own, of letters, digits and hyphens")
		}
		if s.Kind == Hum {
			hums++
		}
		if hums > mostHums {
			return fault.New(fault.BadInput, "A chain takes hum away %d times at most: each holds seconds of sound", mostHums)
		}
		ids[s.ID] = true
		if err := s.check(); err != nil {
			return fault.Wrap(fault.BadInput, err, "Processor %d of the chain: %v", n+1, err)
		}
	}
	return nil
}

func (s Step) check() error {
	a, there := Look(s.Kind)
	if !there {
		return fault.New(fault.BadInput, "There is no processor %q", s.Kind)
	}
	for name, v := range s.Values {
		p, there := a.Of(name)
		if !there {
			return fault.New(fault.BadInput, "A %s has no %s", s.Kind, name)
		}
		if err := p.Check(v); err != nil {
			return err
		}
	}
	switch {
	case s.Detector != "" && (!a.Detector || !slices.Contains(s.Detector.Words(), string(s.Detector))):
		return fault.New(fault.BadInput, "A %s goes by no detector %q", s.Kind, s.Detector)
	case s.Key != nil && !a.Keyed:
		return fault.New(fault.BadInput, "A %s is driven by nothing else", s.Kind)
	case len(s.Profile) > 0 && !a.Profile, s.Kind == Noise && len(s.Profile) != 0 && len(s.Profile) != len(Sixths),
		s.Kind == Match && len(s.Profile) != 0 && len(s.Profile) != len(dsp.Thirds):
		return fault.New(fault.BadInput, "What a %s has learnt is not of the right form", s.Kind)
	}
	for _, v := range s.Profile {
		if !(math.Abs(v) <= 400) {
			return fault.New(fault.BadInput, "What a %s has learnt can't be", s.Kind)
		}
	}
	return nil
}

// Check tells whether a value of the parameter can be.
func (p Parameter) Check(v float64) error {
	if !(v >= p.Low && v <= p.High) {
		return fault.New(fault.BadInput, "%s runs from %g to %g %s", p.Name, p.Low, p.High, p.Unit)
	}
	if p.Whole > 0 && math.Abs(v/p.Whole-math.Round(v/p.Whole)) > 1e-9 {
		return fault.New(fault.BadInput, "%s is a multiple of %g", p.Name, p.Whole)
	}
	return nil
}

// Sounds tells whether the steps do anything.
func Sounds(steps []Step) bool { return len(Heard(steps)) > 0 }

// Heard gives what of the steps decides what is heard: those that are not off, without where they learnt what they know; nil where none does.
func Heard(steps []Step) (list []Step) {
	for _, s := range steps {
		if s.Learnt = nil; !s.Off {
			list = append(list, s)
		}
	}
	return list
}
