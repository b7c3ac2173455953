package chain

import (
	"math"
	"slices"

	"zestyloom/core/dsp"
	"zestyloom/core/fault"
	"zestyloom/core/loudness"
)

// Asked is what a chain is made for.
type Asked struct {
	Rate     float64
	Channels int
	Pairs    [][2]int // of channels that are two sides
	// Moving gives the curve of a parameter of a step over the clock, which takes the value's place; nil where it has none.
	Moving func(step Step, parameter string) *Curve
	// Told is told what a step finds or does as it goes; nil where nobody asks.
	Told func(step string, at int64, did Did)
}

// Curve is a parameter that moves, between a lowest and a highest value.
type Curve struct {
	At        func(at int64) float64
	Low, High float64
}

// Did is what a step did at a place.
type Did struct {
	DB       float64 `json:"dB,omitempty"`       // that it added; less than 0 where it takes away
	Hz       float64 `json:"hz,omitempty"`       // of the hum that it found
	Repaired int     `json:"repaired,omitempty"` // samples that it put anew
}

// LongestMemory is how long any step remembers at most, in seconds. What is printed begins so much before, whatever is in the chain, so that
// its bytes do not depend on what else is printed.
const LongestMemory = 60

// Row is a chain that runs: a Processor.
type Row struct {
	links  []link
	late   int
	memory int
}

// link is a step that runs.
type link struct {
	dsp.Processor
	step Step
	late int // samples that come out of it later than they came into the chain, it included
}

// Keyed is a step that is driven by something else.
type Keyed struct {
	Key
	Link int // to Feed
	Late int // by how many samples the key is to be later than what comes into the chain, to meet it at the step
}

// Make has the steps run. What is off is left out. A frequency above half the rate is BadInput.
func Make(steps []Step, asked Asked) (*Row, error) {
	r := &Row{}
	for _, s := range steps {
		if s.Off || s.Kind == Width && len(asked.Pairs) == 0 {
			continue
		}
		p, err := maker{s, asked}.processor()
		if err != nil {
			return nil, err
		}
		if p == nil {
			continue
		}
		if n := len(r.links); n > 0 { // filters that follow each other are worked out as one
			before, is := r.links[n-1].Processor.(*dsp.Filter)
			if f, too := p.(*dsp.Filter); is && too && before.Join(f) {
				r.memory += f.Memory()
				continue
			}
		}
		r.late += p.Latency()
		r.memory += p.Memory()
		r.links = append(r.links, link{p, s, r.late})
	}
	return r, nil
}

// Process works in place; see dsp.Processor.
func (r *Row) Process(channels [][]float64, at int64) {
	for _, l := range r.links {
		l.Process(channels, at)
		at -= int64(l.Latency())
	}
}

// Together has two rows work in place on a signal each, of as many frames, as Process of each would: filters of both at once.
func Together(a, b *Row, x, y [][]float64, atX, atY int64) {
	for k := range max(len(a.links), len(b.links)) {
		if k < len(a.links) && k < len(b.links) && dsp.Together(a.links[k].Processor, b.links[k].Processor, x, y) {
			continue // filters have no latency
		}
		if k < len(a.links) {
			a.links[k].Process(x, atX)
			atX -= int64(a.links[k].Latency())
		}
		if k < len(b.links) {
			b.links[k].Process(y, atY)
			atY -= int64(b.links[k].Latency())
		}
	}
}

// Latency is that of all steps together.
func (r *Row) Latency() int { return r.late }

// Memory is that of all steps together.
func (r *Row) Memory() int { return r.memory }

// Reset forgets the past.
func (r *Row) Reset() {
	for _, l := range r.links {
		l.Reset()
	}
}

// Idle tells whether nothing would be done.
func (r *Row) Idle() bool { return len(r.links) == 0 }

// Keys gives the steps that are driven by something else.
func (r *Row) Keys() (list []Keyed) {
	for k, l := range r.links {
		if l.step.Key != nil {
			list = append(list, Keyed{*l.step.Key, k, l.late - l.Latency()})
		}
	}
	return list
}

// Feed has the next block of a step be driven by channels × frames.
func (r *Row) Feed(at int, key [][]float64) {
	if d, is := r.links[at].Processor.(*dsp.Dynamics); is {
		d.Key(key)
	}
}

// maker makes one step.
type maker struct {
	Step
	Asked
}

// number gives a parameter as it is at each place, and whether it moves.
func (m maker) number(name string) (at func(at int64) float64, moves bool) {
	if c := m.curve(name); c != nil {
		return c.At, true
	}
	v := m.Value(name)
	return func(int64) float64 { return v }, false
}

// curve is that of a parameter; nil where it has none.
func (m maker) curve(name string) *Curve {
	if m.Moving == nil {
		return nil
	}
	return m.Moving(m.Step, name)
}

// lowest and highest are what a parameter comes to.
func (m maker) lowest(name string) float64 {
	if c := m.curve(name); c != nil {
		return c.Low
	}
	return m.Value(name)
}

func (m maker) highest(name string) float64 {
	if c := m.curve(name); c != nil {
		return c.High
	}
	return m.Value(name)
}

// moves tells whether any parameter does.
func (m maker) moves() bool {
	a, _ := Look(m.Kind)
	return slices.ContainsFunc(a.Parameters, func(p Parameter) bool { _, moves := m.number(p.Name); return moves })
}

func (m maker) processor() (dsp.Processor, error) {
	about, there := Look(m.Kind)
	if !there {
		return nil, fault.New(fault.BadInput, "There is no processor %q", m.Kind)
	}
	if p, has := about.Of("frequency"); has && p.High > 1000 && m.highest("frequency") >= 0.49*m.Rate {
		return nil, fault.New(fault.BadInput, "%s: %g Hz is above half the rate of %g Hz", about.Title, m.highest("frequency"), m.Rate)
	}
	switch m.Kind {
	case HighPass, LowPass, LowShelf, HighShelf, Bell, Notch:
		return m.filter(), nil
	case Compressor, Expander, Gate, DeEsser:
		return m.dynamics(), nil
	case Limiter:
		ceiling, _ := m.number("ceiling")
		p := dsp.NewLimiter(m.Rate, m.Channels, m.Value("ahead"), m.Value("release"), ceiling)
		p.Taken = m.taken()
		return p, nil
	case Hum:
		return m.hum(), nil
	case Noise:
		reduction, _ := m.number("reduction")
		p := dsp.NewNoise(m.Rate, m.Channels, m.noise(), reduction)
		p.Taken = m.taken()
		return p, nil
	case Click:
		return m.click(), nil
	case Gain:
		return dsp.NewLevel(m.number("gain")), nil
	case Polarity:
		return dsp.Polarity{}, nil
	case Delay:
		return m.later(), nil
	case Width:
		width, _ := m.number("width")
		return dsp.NewWidth(m.Pairs, width), nil
	case Leveller:
		return m.leveller(), nil
	case Match:
		return m.match(), nil
	}
	return nil, fault.New(fault.Unsupported, "A %s can't be made", m.Kind)
}

func (m maker) taken() func(at int64, dB float64) {
	if m.Told == nil {
		return nil
	}
	return func(at int64, dB float64) { m.Told(m.ID, at, Did{DB: dB}) }
}

func (m maker) hum() dsp.Processor {
	f, _ := m.number("frequency")
	p := dsp.NewHum(m.Rate, func(at int64) dsp.Series { return dsp.Series{Frequency: f(at), Harmonics: int(m.Value("harmonics"))} })
	if m.Told != nil {
		p.Found = func(at int64, frequency, _ float64) { m.Told(m.ID, at, Did{Hz: frequency}) }
	}
	return p
}

func (m maker) click() dsp.Processor {
	sensitivity, _ := m.number("sensitivity")
	longest, _ := m.number("longest")
	p := dsp.NewClick(m.Rate, func(at int64) dsp.Repair { return dsp.Repair{Sensitivity: sensitivity(at), Longest: longest(at)} })
	if m.Told != nil {
		p.Found = func(at int64, samples int) { m.Told(m.ID, at, Did{Repaired: samples}) }
	}
	return p
}

// Sections gives the filter of a step with those values; nil of what is no filter.
func Sections(kind Kind, rate float64, value func(name string) float64) []dsp.Section {
	f := min(value("frequency"), 0.49*rate)
	switch kind {
	case HighPass, LowPass:
		return dsp.Butterworth(rate, f, int(value("slope")), kind == HighPass)
	case LowShelf:
		return []dsp.Section{dsp.LowShelf(rate, f, value("gain"), value("q"))}
	case HighShelf:
		return []dsp.Section{dsp.HighShelf(rate, f, value("gain"), value("q"))}
	case Bell:
		return []dsp.Section{dsp.Bell(rate, f, value("gain"), value("q"))}
	case Notch:
		return []dsp.Section{dsp.Notch(rate, f, value("q"))}
	}
	return nil
}

func (m maker) filter() dsp.Processor {
	if !m.moves() {
		return dsp.NewFilter(m.Channels, Sections(m.Kind, m.Rate, m.Value))
	}
	about, _ := Look(m.Kind)
	numbers := map[string]func(at int64) float64{}
	for _, p := range about.Parameters {
		numbers[p.Name], _ = m.number(p.Name)
	}
	at := func(at int64) []dsp.Section {
		return Sections(m.Kind, m.Rate, func(name string) float64 { return numbers[name](at) })
	}
	// It remembers longest where it is lowest and narrowest, at either end of its gain.
	longest := 0
	for _, gain := range []float64{m.lowest("gain"), m.highest("gain")} {
		longest = max(longest, dsp.FilterMemory(Sections(m.Kind, m.Rate, func(name string) float64 {
			switch name {
			case "frequency":
				return m.lowest(name)
			case "gain":
				return gain
			}
			return m.highest(name)
		})))
	}
	return dsp.NewMovingFilter(m.Channels, at, longest)
}

func (m maker) dynamics() dsp.Processor {
	number := func(name string) func(int64) float64 { f, _ := m.number(name); return f }
	threshold, ratio, knee, most := number("threshold"), number("ratio"), number("knee"), number("range")
	attack, release, makeup := number("attack"), number("release"), number("makeup")
	below := m.Kind == Expander || m.Kind == Gate
	ride := func(at int64) dsp.Ride {
		r := dsp.Ride{Law: dsp.Law{Threshold: threshold(at), Ratio: ratio(at), Knee: knee(at), Range: most(at), Below: below},
			Attack: attack(at), Release: release(at), Makeup: makeup(at)}
		if m.Kind == Gate {
			r.Ratio = dsp.Gate
		}
		return r
	}
	slowest := dsp.Ride{Attack: m.highest("attack"), Release: m.highest("release")}
	d := dsp.Detector{RMS: m.Detector == RMS, Hold: m.Value("hold"), Of: m.keyFilter()}
	p := dsp.NewDynamics(m.Rate, m.Channels, d, m.Value("ahead"), ride, m.moves(), slowest)
	if m.Kind == DeEsser {
		p.Shelf(number("frequency"))
	}
	p.Taken = m.taken()
	return p
}

// keyFilter is what filters what drives the step; nil for nothing.
func (m maker) keyFilter() func(channels int) *dsp.Filter {
	if m.Kind == DeEsser {
		return m.sharp
	}
	var sections []dsp.Section
	if f := m.Value("keyHighPass"); f > 0 {
		sections = append(sections, dsp.Butterworth(m.Rate, min(f, 0.49*m.Rate), 12, true)...)
	}
	if f := m.Value("keyLowPass"); f > 0 {
		sections = append(sections, dsp.Butterworth(m.Rate, min(f, 0.49*m.Rate), 12, false)...)
	}
	if len(sections) == 0 {
		return nil
	}
	return func(channels int) *dsp.Filter { return dsp.NewFilter(channels, sections) }
}

// sharp lets pass what a de-esser listens to: the same as it takes down.
func (m maker) sharp(channels int) *dsp.Filter {
	frequency, moves := m.number("frequency")
	at := func(at int64) []dsp.Section {
		return dsp.Butterworth(m.Rate, min(frequency(at), 0.49*m.Rate), 24, true)
	}
	if !moves {
		return dsp.NewFilter(channels, at(0))
	}
	return dsp.NewMovingFilter(channels, at, dsp.FilterMemory(dsp.Butterworth(m.Rate, min(m.lowest("frequency"), 0.49*m.Rate), 24, true)))
}

// noise gives the profile as the power of each line.
func (m maker) noise() []float64 {
	if len(m.Profile) == 0 {
		return nil
	}
	size := dsp.NoiseSize(m.Rate)
	lines := make([]float64, size/2+1)
	for k := range lines {
		at := 20 * math.Log10(max(20, float64(k)*m.Rate/float64(size))/20)
		i := min(int(at), len(m.Profile)-2)
		dB := m.Profile[i] + min(1, at-float64(i))*(m.Profile[i+1]-m.Profile[i])
		lines[k] = math.Pow(10, dB/10) * float64(size) * m.Rate / 4
	}
	return lines
}

// LearnNoise gives the profile of a stretch of noise: dB per Hz at each of Sixths, in which 0 is the power of a full-scale square wave.
func LearnNoise(rate float64, x []float64) []float64 {
	power := dsp.Learn(rate, x)
	size := float64(dsp.NoiseSize(rate))
	profile := make([]float64, len(Sixths))
	for i, f := range Sixths {
		low, high := int(f*math.Pow(10, -1.0/40)*size/rate), int(math.Ceil(f*math.Pow(10, 1.0/40)*size/rate))
		low, high = min(low, len(power)-1), min(high, len(power)-1)
		sum := 0.0
		for _, v := range power[low : high+1] {
			sum += v
		}
		profile[i] = max(-400, 10*math.Log10(max(1e-40, sum/float64(high-low+1)*4/size/rate)))
	}
	return profile
}

func (m maker) later() dsp.Processor {
	ms, _ := m.number("ms")
	metres, _ := m.number("metres")
	samples, _ := m.number("samples")
	at := func(at int64) int {
		return int(math.Round(ms(at)*m.Rate/1000) + dsp.Samples(metres(at), m.Rate) + samples(at))
	}
	most := int(math.Round(m.highest("ms")*m.Rate/1000) + dsp.Samples(m.highest("metres"), m.Rate) + m.highest("samples"))
	if most == 0 {
		return nil
	}
	return dsp.NewLater(m.Channels, most, at)
}

func (m maker) leveller() dsp.Processor {
	target, _ := m.number("target")
	most, _ := m.number("range")
	gate, _ := m.number("gate")
	p := dsp.NewLeveller(m.Rate, m.Channels, loudness.Weighting(int(m.Rate)), m.Value("window"), func(at int64) dsp.Towards {
		return dsp.Towards{Target: target(at), Range: most(at), Gate: gate(at)}
	})
	p.Taken = m.taken()
	return p
}

func (m maker) match() dsp.Processor {
	gains := make([]float64, len(dsp.Thirds))
	for k := range gains {
		if len(m.Profile) > 0 {
			gains[k] = m.Profile[k]
		}
		gains[k] += m.Value("gain")
	}
	return dsp.NewMatch(m.Rate, gains)
}
