package loudness

import (
	"math"
	"slices"

	"zestyloom/core/layout"
)

// Live measures what is heard while it is heard.
type Live struct {
	bank        *Bank
	quick       *ProgrammeMeters // of type I; those of the bank are of type II
	left, right int              // the front pair; −1 where there is none
	sums        [3]float64
	keep        float64 // how much of the sums stays after a sample: they look back 400 ms
}

// Reading is what a Live says at a moment. What there is not, as in silence or too soon after the beginning, is nil.
type Reading struct {
	Momentary   *float64 `json:"momentary"`   // LUFS
	ShortTerm   *float64 `json:"shortTerm"`   // LUFS
	Integrated  *float64 `json:"integrated"`  // LUFS, since the beginning
	TruePeak    *float64 `json:"truePeak"`    // dBTP, the highest since the beginning
	Correlation *float64 `json:"correlation"` // of the front pair, −1 to +1
	TypeI       *float64 `json:"typeI"`       // dBFS, what a programme meter of IEC 60268-10 reads now, on whichever channel that is most
	TypeII      *float64 `json:"typeII"`      // dBFS
}

// NewLive makes a meter for a set of channels.
func NewLive(sampleRate int, l layout.Layout) *Live {
	return &Live{bank: NewBank(sampleRate, 4, l), quick: NewProgrammeMeters(sampleRate, len(l.Labels), TypeI),
		left: slices.Index(l.Labels, "L"), right: slices.Index(l.Labels, "R"),
		keep: math.Exp(-1 / (0.4 * float64(sampleRate)))}
}

// Write takes the next block, channels × frames.
func (m *Live) Write(block [][]float64) {
	m.bank.Write(block)
	m.quick.Write(block)
	if m.left < 0 || m.right < 0 {
		return
	}
	l, r := block[m.left], block[m.right]
	var s [3]float64
	for i, x := range l {
		s[0], s[1], s[2] = s[0]+x*x, s[1]+r[i]*r[i], s[2]+x*r[i]
	}
	keep := math.Pow(m.keep, float64(len(l)))
	for i := range s {
		m.sums[i] = m.sums[i]*keep + s[i]
	}
}

// Reading gives what is measured by now.
func (m *Live) Reading() (r Reading) {
	p := &m.bank.programmes[0]
	all := p.measurement()
	r.Integrated = told2(all.IntegratedLUFS)
	if p.hops >= momentaryHops && p.now[0] > 0 {
		r.Momentary = told(lufs(p.now[0]))
	}
	if p.hops >= shortHops && p.now[1] > 0 {
		r.ShortTerm = told(lufs(p.now[1]))
	}
	peak, slow, quick := 0.0, float32(0), math.Inf(-1)
	for i := range m.bank.channels {
		s := m.bank.strips[i/lanes]
		slow, quick = max(slow, s.quasi.slow[i%lanes]+s.quasi.fast[i%lanes]), max(quick, m.quick.readings[i])
		peak = max(peak, s.peak[i%lanes], s.weighted.crest[i%lanes])
	}
	r.TruePeak = told2(decibels(peak))
	if slow > 0 {
		r.TypeI, r.TypeII = told(quick), told(TypeII.dBFS(float64(slow)))
	}
	if m.sums[0] > 1e-9 && m.sums[1] > 1e-9 {
		r.Correlation = told2(correlated(m.sums))
	}
	return r
}

func told2(x *float64) *float64 {
	if x == nil {
		return nil
	}
	return told(*x)
}
