package loudness

// ProgrammeMeters are quasi-peak meters that are read while they run, a channel each.
type ProgrammeMeters struct {
	moves    Ballistics
	strips   []*programmeStrip
	readings []float64
}

// programmeStrip is the meter of up to eight channels.
type programmeStrip struct {
	quasi  quasi
	window []float32 // the last quickTaps−1 samples of each lane, then new ones: frames × lanes, interleaved
}

var short = newQuick()

// NewProgrammeMeters makes a meter for each channel.
func NewProgrammeMeters(sampleRate, channels int, b Ballistics) *ProgrammeMeters {
	m := &ProgrammeMeters{moves: b, readings: make([]float64, channels)}
	for range (channels + lanes - 1) / lanes {
		m.strips = append(m.strips, &programmeStrip{newQuasi(sampleRate, b), make([]float32, (quickTaps-1+peakStretch)*lanes)})
	}
	return m
}

// Write takes the next samples (channels × frames) and gives the present readings in dBFS, negative infinity in silence,
// which hold until the next Write. It reads between the samples, as a tone whose frequency divides the rate may never have a
// sample at its crest.
func (m *ProgrammeMeters) Write(block [][]float64) []float64 {
	for i, s := range m.strips {
		part := block[i*lanes : min((i+1)*lanes, len(block))]
		for from := 0; from < len(part[0]); from += peakStretch {
			s.write(part, from, min(peakStretch, len(part[0])-from))
		}
		for c := range part {
			m.readings[i*lanes+c] = m.moves.dBFS(float64(s.quasi.slow[c] + s.quasi.fast[c]))
		}
	}
	return m.readings
}

func (s *programmeStrip) write(block [][]float64, from, n int) {
	const keep = (quickTaps - 1) * lanes
	spread(s.window[keep:], block, from, n)
	between(s.window, n, short, &s.quasi)
	copy(s.window, s.window[n*lanes:n*lanes+keep])
}

// PPM turns a quasi-peak level in dBFS into the programme meter's scale, on which 4 is −18 dBFS and a division 4 dB.
func PPM(dBFS float64) float64 { return 4 + (dBFS+18)/4 }
