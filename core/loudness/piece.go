package loudness

import (
	"math"
	"slices"

	"zestyloom/core/layout"
	"zestyloom/core/mix"
	"zestyloom/core/vec"
)

// A piece is what is kept of a stretch of a programme, so that any row of pieces can be measured as if it had been one, and
// after an edit only those that it touches are measured again. What is in a piece follows from its own samples, those just around
// it and the charge of the programme meters before it, to the last bit.
const (
	PieceSeconds = 2
	// CellFrames is the length of the cells in which a piece keeps true peaks, in samples.
	CellFrames = peakStretch
	// pieceLead is how long before it a piece is listened to, in seconds: what the weighting remembers from before that is 240 dB below
	// full scale.
	pieceLead = 0.25
)

// Lead and Tail are how many samples before and after a piece are read with it.
func Lead(sampleRate int) int {
	return (int(pieceLead*float64(sampleRate)) + CellFrames - 1) / CellFrames * CellFrames
}

const Tail = CellFrames

// PieceFrames is the length of a piece in samples, a whole number of steps.
func PieceFrames(sampleRate int) int { return PieceSeconds * 100 * hopOf(sampleRate) }

// HopFrames is the step of all windows, in samples.
func HopFrames(sampleRate int) int { return hopOf(sampleRate) }

// Size is a size in hundredths of a decibel, rounded up; NoSize is silence.
type Size int16

const NoSize Size = math.MinInt16

// SizeOf gives the size of a sample.
func SizeOf(x float64) Size {
	if dB := math.Ceil(2000*math.Log10(x) - 1e-6); dB > -30000 { // what is exactly on a step is not rounded beyond it
		return Size(min(dB, math.MaxInt16))
	}
	return NoSize
}

// DB gives a size in decibels; negative infinity is silence.
func (s Size) DB() float64 {
	if s == NoSize {
		return math.Inf(-1)
	}
	return float64(s) / 100
}

// Charge is that of a programme meter's two circuits, in steps of a quarter of a decibel, so that what came long ago is forgotten.
type Charge struct{ Slow, Fast int16 }

const noCharge = -240 // −60 dB

func quarter(x float32) int16 {
	return int16(max(noCharge, min(math.Round(80*math.Log10(math.Max(1e-9, float64(x)))), 400)))
}

func circuit(c int16) float32 {
	if c <= noCharge {
		return 0
	}
	return float32(math.Pow(10, float64(c)/80))
}

// Empty is the charge of meters that nothing has come to.
func Empty(channels int) []Charge {
	return slices.Repeat([]Charge{{noCharge, noCharge}}, channels)
}

// Piece is what is kept of a stretch.
type Piece struct {
	Frames   int64          // it is long
	Power    []float64      // K-weighted and weighted by position, of every hop of 10 ms that is whole
	Stereo   []float64      // the same of its fold-down to a pair; nil where there is none
	Mono     []float64      // the same of that summed, on both sides
	Peaks    [][]Size       // channels × hops: true peaks, those above −9 dBTP worked out in full
	Quasi    []Size         // of every hop: the highest quasi-peak level of all channels
	Cells    []Size         // of every CellFrames samples: the true peak of the loudest channel
	Channels []PieceChannel //
	Pairs    []PiecePair    //
	Charge   []Charge       // of each channel at its end
}

// PieceChannel is what is kept of a channel.
type PieceChannel struct {
	TruePeak, Crest float64 // full scale is 1
	Power, Sum      float64 // of all samples
	Quasi           float64
	Clipped         int64 // runs of 3 or more samples at full scale that end in it
	Strange         int64 // samples that are no numbers
}

// PiecePair is how two channels go together, hop by hop.
type PiecePair struct {
	Left, Right int          // channels, from 0
	Sums        [][3]float32 // of the squares of both, and of their products
}

// PieceMeter measures pieces of a programme. It is not safe for concurrent use.
type PieceMeter struct {
	rate, hop int
	layout    layout.Layout
	weights   []float64
	strips    []*strip
	stereo    mix.Matrix // to a pair
	folds     weighting
	foldRoom  []float64
	pairs     [][2]int
	long      *interpolator
	peaks     [][]float32 // channels × cells, as they come
	quasi     [][]float32
	fold      [][]float64
}

// NewPieceMeter makes a meter of pieces, with a factor of oversampling for true peak: 4 or 8.
func NewPieceMeter(sampleRate, factor int, l layout.Layout) *PieceMeter {
	m := &PieceMeter{rate: sampleRate, hop: hopOf(sampleRate), layout: l, weights: l.Weights(), long: newInterpolator(factor)}
	for at := 0; at < len(l.Labels); at += lanes {
		m.strips = append(m.strips, newStrip(sampleRate, min(lanes, len(l.Labels)-at), m.long, short))
	}
	if len(l.Labels) > 1 {
		if fold, _, ok := mix.Carry(layout.Read(l.Labels), layout.Read([]string{"L", "R"}), mix.Usual()); ok {
			m.stereo = fold
		}
	}
	for _, p := range [][2]string{{"L", "R"}, {"Ls", "Rs"}, {"Lss", "Rss"}, {"Lrs", "Rrs"}, {"Ltf", "Rtf"}, {"Ltr", "Rtr"}} {
		if a, b := slices.Index(l.Labels, p[0]), slices.Index(l.Labels, p[1]); a >= 0 && b >= 0 {
			m.pairs = append(m.pairs, [2]int{a, b})
		}
	}
	return m
}

// exactAbove is the size above which the true peak of every cell is worked out in full: −9 dBTP.
const exactAbove = 0.3548

// Measure measures a piece: channels × frames, of which lead come before it and Tail after it, with what its programme meters hold
// at its beginning.
func (m *PieceMeter) Measure(block [][]float64, lead int, charge []Charge) *Piece {
	n := len(block[0]) - lead - Tail
	p := &Piece{Frames: int64(n), Channels: make([]PieceChannel, len(block)), Charge: make([]Charge, len(block))}
	block = slices.Clone(block)
	for c := range block {
		ch := channel{}
		block = ch.mend(block, c)
		p.Channels[c].Strange = ch.strange
		m.samples(&p.Channels[c], block[c], lead, n)
	}
	hops := n / m.hop
	p.Power = make([]float64, hops)
	cells := (n + CellFrames - 1) / CellFrames
	m.peaks, m.quasi = roomFor(m.peaks, len(block), cells+1), roomFor(m.quasi, len(block), cells+1)
	for i, s := range m.strips {
		m.strip(s, i*lanes, block, lead, n, charge, p)
	}
	m.sizes(p, cells, hops)
	m.foldDown(p, block, lead, hops)
	for _, pair := range m.pairs {
		p.Pairs = append(p.Pairs, PiecePair{pair[0], pair[1], together2(block[pair[0]][lead:lead+n], block[pair[1]][lead:lead+n], m.hop)})
	}
	return p
}

// samples looks at the samples themselves.
func (m *PieceMeter) samples(ch *PieceChannel, x []float64, lead, n int) {
	own := x[lead : lead+n]
	for _, v := range own {
		ch.Sum += v
	}
	near := x[:lead+n+1] // a run belongs to the piece that its last sample is in
	if vec.Largest(near) < clippedAt {
		return
	}
	run := 0
	for i, v := range near {
		if math.Abs(v) >= clippedAt {
			run++
			continue
		}
		if run >= clippedRun && i > lead {
			ch.Clipped++
		}
		run = 0
	}
}

// A run of so many samples at full scale, which is that of 16 bits, is clipped.
const (
	clippedAt  = 1 - 1.0/(1<<15)
	clippedRun = 3
)

// strip measures the channels of a strip.
func (m *PieceMeter) strip(s *strip, first int, block [][]float64, lead, n int, charge []Charge, p *Piece) {
	part := block[first : first+s.channels]
	s.reset()
	filled := 0
	for from := 0; from < lead+n+Tail; {
		stretch := min(peakStretch, lead+n+Tail-from)
		if from < lead+n {
			stretch = min(stretch, lead+n-from) // cells are counted from the beginning of the piece, and its end ends one
		}
		cell := (from - lead + CellFrames - 1) / CellFrames
		if from == lead {
			for c := range part {
				s.quasi.slow[c], s.quasi.fast[c] = circuit(charge[first+c].Slow), circuit(charge[first+c].Fast)
				s.peak[c] = 0
			}
			s.weighted.sum, s.weighted.power, s.weighted.crest = eight{}, eight{}, eight{}
		}
		s.quasi.highest = eightShort{}
		about := s.write(part, from, stretch, exactAbove)
		if from >= lead {
			for c := range part {
				m.peaks[first+c][cell], m.quasi[first+c][cell] = float32(about[c]), s.quasi.highest[c]
			}
		}
		if from < lead {
			s.weigh(0, stretch)
		} else if from < lead+n {
			for i := 0; i < stretch; {
				to := min(stretch, i+m.hop-filled)
				s.weigh(i, to)
				filled += to - i
				if i = to; filled == m.hop {
					hop := (from - lead + i) / m.hop
					for c := range part {
						p.Power[hop-1] += m.weights[first+c] * s.weighted.sum[c] / float64(m.hop)
					}
					s.weighted.sum, filled = eight{}, 0
				}
			}
		}
		if from+stretch == lead+n {
			for c := range part {
				p.Charge[first+c] = Charge{quarter(s.quasi.slow[c]), quarter(s.quasi.fast[c])}
			}
		}
		s.shift(stretch)
		from += stretch
	}
	for c := range part {
		ch := &p.Channels[first+c]
		ch.Crest, ch.Power = s.weighted.crest[c], s.weighted.power[c]
		ch.TruePeak = max(s.peak[c], ch.Crest)
	}
}

// sizes keeps the peaks that came cell by cell. What came with a cell lies half a filter before it, so that the samples of a cell are in
// what came with it and with the next.
func (m *PieceMeter) sizes(p *Piece, cells, hops int) {
	p.Cells, p.Quasi = make([]Size, cells), make([]Size, hops)
	p.Peaks = make([][]Size, len(p.Channels))
	most := make([]float32, cells)
	loud := make([]float32, hops)
	for c := range p.Channels {
		row := make([]float32, hops)
		for k := range cells {
			v := max(m.peaks[c][k], m.peaks[c][k+1])
			most[k] = max(most[k], v)
			q := m.quasi[c][k]
			p.Channels[c].Quasi = max(p.Channels[c].Quasi, float64(q))
			for h := k * CellFrames / m.hop; h < hops && h*m.hop < (k+1)*CellFrames; h++ {
				row[h], loud[h] = max(row[h], v), max(loud[h], q)
			}
		}
		p.Peaks[c] = make([]Size, hops)
		for h, v := range row {
			p.Peaks[c][h] = SizeOf(float64(v))
		}
	}
	for k, v := range most {
		p.Cells[k] = SizeOf(float64(v))
	}
	for h, v := range loud {
		p.Quasi[h] = SizeOf(float64(v) / 2 * quasiSine)
	}
}

// foldDown measures the programme folded to a pair, and that to mono as both sides would play it.
func (m *PieceMeter) foldDown(p *Piece, block [][]float64, lead, hops int) {
	if m.stereo.Rows == 0 {
		return
	}
	n := lead + hops*m.hop
	m.fold = roomFor(m.fold, 2, n)
	for side := range m.fold {
		clear(m.fold[side])
		for c := range block {
			if g := m.stereo.At(side, c); g != 0 {
				vec.Add(m.fold[side], block[c][:n], g)
			}
		}
	}
	if len(m.foldRoom) < m.hop*lanes {
		m.foldRoom = make([]float64, max(m.hop, lead)*lanes)
	}
	k := kWeighting(m.rate)
	m.folds = weighting{shelf: k[0], pass: k[1]}
	weighed := func(from, to int) {
		w := m.foldRoom[:(to-from)*lanes]
		for i := from; i < to; i++ {
			l, r := m.fold[0][i], m.fold[1][i]
			at := w[(i-from)*lanes:]
			at[0], at[1], at[2] = l, r, (l+r)/2
		}
		weigh(w, &m.folds)
	}
	weighed(0, lead)
	p.Stereo, p.Mono = make([]float64, hops), make([]float64, hops)
	for h := range hops {
		m.folds.sum = eight{}
		weighed(lead+h*m.hop, lead+(h+1)*m.hop)
		s := m.folds.sum
		p.Stereo[h], p.Mono[h] = (s[0]+s[1])/float64(m.hop), 2*s[2]/float64(m.hop)
	}
}

// together2 gives the sums of squares and products of two channels, hop by hop.
func together2(l, r []float64, hop int) [][3]float32 {
	out := make([][3]float32, len(l)/hop)
	for h := range out {
		var ll, rr, lr float64
		y := r[h*hop : (h+1)*hop]
		for i, x := range l[h*hop : (h+1)*hop] {
			ll += x * x
			rr += y[i] * y[i]
			lr += x * y[i]
		}
		out[h] = [3]float32{float32(ll), float32(rr), float32(lr)}
	}
	return out
}

// roomFor makes room for rows of n.
func roomFor[T any](room [][]T, rows, n int) [][]T {
	if len(room) < rows || len(room) > 0 && cap(room[0]) < n {
		room = make([][]T, rows)
		for i := range room {
			room[i] = make([]T, n)
		}
	}
	room = room[:rows]
	for i := range room {
		room[i] = room[i][:n]
	}
	return room
}
