package loudness

import (
	"math"
	"sync"
)

// quasiPeak follows IEC 60268-10 type II: two charging circuits, one slow and one fast, averaged, which together meet
// the table of tone-burst readings (10 ms: −2.5 dB, 5 ms: −4 dB, 1.5 ms: −9 dB), and a return of 24 dB in 2.8 s.
type quasiPeak struct {
	slow, fast, fall float64
	a, b, highest    float64
}

func newQuasiPeak(sampleRate int) quasiPeak {
	fs := float64(sampleRate)
	return quasiPeak{
		slow: 1 - math.Exp(-1/(fs*quasiSlow)), fast: 1 - math.Exp(-1/(fs*quasiFast)),
		fall: math.Pow(10, -24.0/20/2.8/fs),
	}
}

// The charging times, in seconds of full rectified input, were fitted to the standard's burst table.
const (
	quasiSlow = 0.0060
	quasiFast = 0.0010
	// A sine charges the circuits to less than its peak; this makes a steady sine read its peak value.
	quasiSine = 1.02958
)

func (q *quasiPeak) write(samples []float64) {
	a, b, m := q.a, q.b, q.highest
	slow, fast, fall := q.slow, q.fast, q.fall
	for _, x := range samples {
		x = math.Abs(x)
		a *= fall
		b *= fall
		if d := x - a; d > 0 {
			a += slow * d
		}
		if d := x - b; d > 0 {
			b += fast * d
		}
		if a+b > m {
			m = a + b
		}
	}
	q.a, q.b, q.highest = a, b, m
}

// dBFS gives the highest reading so far, for which a steady sine reads its peak.
func (q *quasiPeak) dBFS() float64 { return 20 * math.Log10(q.highest/2*quasiSine) }

// ProgrammeMeter is a quasi-peak meter that is read while it runs.
type ProgrammeMeter struct {
	q            quasiPeak
	window, over []float64
}

var between = sync.OnceValue(func() *quick { return newQuick() })

// NewProgrammeMeter makes a meter for one channel.
func NewProgrammeMeter(sampleRate int) *ProgrammeMeter {
	return &ProgrammeMeter{q: newQuasiPeak(quickFactor * sampleRate), window: make([]float64, quickTaps-1)}
}

// Write takes the next samples and gives the present reading in dBFS, negative infinity in silence. It reads between
// the samples, as a tone whose frequency divides the rate may never have a sample at its crest.
func (m *ProgrammeMeter) Write(samples []float64) float64 {
	w := append(m.window[:quickTaps-1], samples...)
	if need := quickFactor * len(samples); cap(m.over) < need {
		m.over = make([]float64, need)
	}
	over := m.over[:quickFactor*len(samples)]
	between().write(over, w)
	m.q.write(over)
	copy(w, w[len(w)-quickTaps+1:])
	m.window = w
	return 20 * math.Log10((m.q.a+m.q.b)/2*quasiSine)
}

// PPM turns a quasi-peak level in dBFS into the programme meter's scale, on which 4 is −18 dBFS and a division 4 dB.
func PPM(dBFS float64) float64 { return 4 + (dBFS+18)/4 }
