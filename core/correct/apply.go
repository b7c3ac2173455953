package correct

import (
	"zestyloom/core/dsp"
	"zestyloom/core/engine"
	"zestyloom/core/vec"
)

// Apply multiplies a block (channels × frames, which begins at a sample from the programme's first) with what the curves say: the same
// gain for all channels at the same sample.
func (c Curves) Apply(block [][]float64, at int64) {
	gain := dsp.Gain(c.GainDB)
	for _, x := range block {
		if gain != 1 {
			vec.Scale(x, gain)
		}
		engine.Curve(x, c.Ride, at)
		engine.Curve(x, c.Limit, at)
	}
}

// From gives the curves as they are from a sample of the programme on, which becomes their first.
func (c Curves) From(at int64) Curves {
	return Curves{c.GainDB, moved(c.Ride, -at), moved(c.Limit, -at)}
}
