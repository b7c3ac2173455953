package dsp

// Aside gives something else of what goes through a processor: what came in, or what the processor takes away from it. It is as late as that.
type Aside struct {
	through Processor // nil for one that does nothing
	removed bool
	gain    float64
	delay   *Delay
	in      [][]float64
}

// NewAside makes one for so many channels: where removed is set, of what came in less what comes out; else of what came in, at a gain.
func NewAside(channels int, through Processor, removed bool, gain float64) *Aside {
	a := &Aside{through: through, removed: removed, gain: gain, in: make([][]float64, channels)}
	if late := a.Latency(); late > 0 {
		a.delay = NewDelay(channels, late)
	}
	return a
}

// Process works in place.
func (a *Aside) Process(channels [][]float64, at int64) {
	for c, x := range channels {
		a.in[c] = append(a.in[c][:0], x...)
	}
	if a.delay != nil {
		a.delay.Process(a.in[:len(channels)], at)
	}
	if a.through != nil {
		a.through.Process(channels, at) // also where it is not heard, so that what drives it is taken
	}
	for c, x := range channels {
		for i, v := range a.in[c] {
			if a.removed {
				x[i] = v - x[i]
			} else {
				x[i] = v * a.gain
			}
		}
	}
}

// Latency is that of the processor.
func (a *Aside) Latency() int {
	if a.through == nil {
		return 0
	}
	return a.through.Latency()
}

// Memory is that of the processor, and of the delay.
func (a *Aside) Memory() int {
	if a.through == nil {
		return 0
	}
	return max(a.through.Memory(), a.through.Latency())
}

// Reset forgets the past.
func (a *Aside) Reset() {
	if a.through != nil {
		a.through.Reset()
	}
	if a.delay != nil {
		a.delay.Reset()
	}
}
