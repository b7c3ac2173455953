package loudness

import (
	"zestyloom/core/dsp"
	"zestyloom/core/layout"
)

// Short measures the short-term loudness of a set of channels alone (EBU Tech 3341: K-weighted, 3 s), where many rows are looked at side by side
// and no more is asked of each.
type Short struct {
	weights  []float64
	filter   *dsp.Filter
	room     [][]float64
	hop      int
	at       int64
	sum      float64 // of the hop that is being filled
	hops     [shortHops]float64
	n, total int64 // hops that are whole; frames
}

// NewShort makes a meter for a set of channels.
func NewShort(sampleRate int, l layout.Layout) *Short {
	return &Short{weights: l.Weights(), filter: dsp.NewFilter(len(l.Labels), Weighting(sampleRate)), room: make([][]float64, len(l.Labels)),
		hop: hopOf(sampleRate)}
}

// Channels is how many it measures.
func (m *Short) Channels() int { return len(m.weights) }

// Write takes the next block, channels × frames.
func (m *Short) Write(block [][]float64) {
	for c, x := range block {
		m.room[c] = append(m.room[c][:0], x...)
	}
	m.filter.Process(m.room, m.at)
	for i := range m.room[0] {
		for c, w := range m.weights {
			m.sum += w * m.room[c][i] * m.room[c][i]
		}
		if m.total++; m.total%int64(m.hop) == 0 {
			m.hops[m.n%shortHops] = m.sum
			m.n, m.sum = m.n+1, 0
		}
	}
	m.at += int64(len(m.room[0]))
}

// Power gives the mean power of the last 3 s, or of what there was since the beginning: 0 in silence. LUFS makes a level of it.
func (m *Short) Power() float64 {
	there := min(m.n, shortHops)
	if there == 0 {
		return 0
	}
	sum := 0.0
	for _, p := range m.hops[:there] {
		sum += p
	}
	return sum / float64(there*int64(m.hop))
}
