package diagnose

import "zestyloom/core/chain"

// Against gives what would be done against what was found; nil where nothing of a chain helps. It is for somebody to hear first.
func (f Finding) Against() []chain.Step {
	switch f.Kind {
	case Hum:
		if f.Hz == 0 {
			return nil // found before it was noted which
		}
		return []chain.Step{{ID: "hum", Kind: chain.Hum, Values: map[string]float64{"frequency": f.Hz, "harmonics": 10}}}
	case Click:
		return []chain.Step{{ID: "click", Kind: chain.Click, Values: map[string]float64{"sensitivity": 0.5, "longest": 2}}}
	case Polarity:
		return []chain.Step{{ID: "polarity", Kind: chain.Polarity}}
	case Rumble:
		return []chain.Step{{ID: "rumble", Kind: chain.HighPass, Values: map[string]float64{"frequency": 80, "slope": 24}}}
	case DC:
		return []chain.Step{{ID: "dc", Kind: chain.HighPass, Values: map[string]float64{"frequency": 20, "slope": 12}}}
	}
	return nil
}
