package loudness

import (
	"math"
	"slices"

	"zestyloom/core/layout"
)

// Whole is a row of pieces measured as one programme.
type Whole struct {
	Measurement
	Dialogue *Dialogue      `json:"dialogue,omitempty"` // where it is known what the dialogue is
	Details  []Detail       `json:"details"`            // of each channel
	Pairs    []PairFound    `json:"pairs"`
	Folded   *Folded        `json:"folded,omitempty"` // nil where it is one channel, or has no place in a pair
	Spread   []Distribution `json:"spread"`           // of short-term loudness
	Seconds  float64        `json:"seconds"`          // that were measured
	lines    lines
}

// Dialogue is loudness where the dialogue is heard.
type Dialogue struct {
	LUFS  *float64 `json:"lufs"`  // nil where it never is
	Share float64  `json:"share"` // of the time in which it is above its gate, 0 to 1
}

// Detail is what else there is to a channel.
type Detail struct {
	DC      float64  `json:"dc"`      // full scale is 1
	Clipped int64    `json:"clipped"` // runs of 3 or more samples at full scale
	PPM     *float64 `json:"ppm"`     // highest, where 4 is −18 dBFS
}

// PairFound is how two channels go together.
type PairFound struct {
	Left        string   `json:"left"`
	Right       string   `json:"right"`
	Correlation *float64 `json:"correlation"` // −1 to +1; nil where one is silent
	BalanceDB   *float64 `json:"balanceDB"`   // how much louder the left one is
}

// Folded is how much louder (or, below 0, softer) the programme is than it was when it is folded to fewer channels, in LU.
type Folded struct {
	Stereo *float64 `json:"stereo"` // nil where it has no more channels
	Mono   *float64 `json:"mono"`   // played by both sides
}

// Distribution is how much of the time a loudness takes.
type Distribution struct {
	LUFS  int     `json:"lufs"`  // from it to one above it
	Share float64 `json:"share"` // of all blocks above −70 LUFS
}

// lines are what ran over time, at the end of each hop.
type lines struct {
	momentary, short []float32 // LUFS; negative infinity where there is none
	gate             float64   // below which no dialogue is heard, in LUFS
	speech           []float32 // momentary loudness of the dialogue
}

// Row is pieces one after another.
type Row struct {
	Rate   int // Hz
	Layout layout.Layout
	Pieces []*Piece
}

// Hops is how many whole steps of 10 ms the row is long.
func (r Row) Hops() (n int) {
	for _, p := range r.Pieces {
		n += len(p.Power)
	}
	return n
}

// Size is about how much memory it takes, in bytes.
func (r Row) Size() (n int64) {
	for _, p := range r.Pieces {
		n += int64(24*len(p.Power)+2*len(p.Cells)) + int64(len(p.Peaks)*2*len(p.Power)) + int64(len(p.Pairs)*12*len(p.Power))
	}
	return n
}

// each calls do with every piece and its first hop from a place on and before another, and which of its hops those are.
func (r Row) each(from, to int, do func(p *Piece, first, a, b int)) {
	first := 0
	for _, p := range r.Pieces {
		a, b := max(0, from-first), min(len(p.Power), to-first)
		if a < b || len(p.Power) == 0 && from <= first && first <= to { // the last may be shorter than a step
			do(p, first, a, b)
		}
		first += len(p.Power)
	}
}

// whole tells whether pieces are measured in all of their hops.
func (p *Piece) whole(a, b int) bool { return a == 0 && b == len(p.Power) }

// Whole measures hops from a place on and before another as one programme. dialogue, a row of the same times, tells where dialogue is
// heard; it may have no pieces. Where a piece is not measured as a whole, its peaks are those of the hops, good to 0.01 dB, and
// its channels' RMS, direct current and clipping count as a whole.
func (r Row) Whole(from, to int, dialogue Row) *Whole {
	m := newProgramme(r.Layout)
	w := &Whole{}
	w.lines.gate = math.Inf(1)
	talk := newProgramme(dialogue.Layout)
	var spoken *anchor
	if len(dialogue.Pieces) > 0 {
		spoken = &anchor{bins: map[[2]int16]*bin{}}
	}
	speech := dialogue.powers(from, to)
	for i, power := range r.powers(from, to) {
		m.blocks = m.blocks[:0]
		m.endHop(power)
		w.lines.momentary = append(w.lines.momentary, m.last(0, momentaryHops))
		w.lines.short = append(w.lines.short, m.last(1, shortHops))
		if spoken == nil || i >= len(speech) {
			continue
		}
		talk.blocks = talk.blocks[:0]
		talk.endHop(speech[i])
		w.lines.speech = append(w.lines.speech, talk.last(0, momentaryHops))
		for k := range m.blocks {
			spoken.add(m.blocks[k], talk.blocks[k])
		}
	}
	w.Measurement = m.measurement()
	w.Seconds = float64(m.hops) / 100
	w.Spread = m.short.distribution()
	if spoken != nil {
		w.Dialogue = &Dialogue{LUFS: spoken.anchored(&talk)}
		w.lines.gate, w.Dialogue.Share = talk.heard(w.lines.speech)
	}
	r.channels(from, to, w)
	r.pairs(from, to, w)
	r.folded(from, to, w)
	return w
}

func newProgramme(l layout.Layout) programme {
	return programme{layout: l, gated: &histogram{}, short: &histogram{}}
}

// last gives the loudness of one of the windows that end with the last hop, in LUFS.
func (m *programme) last(window int, hops int64) float32 {
	if m.hops < hops {
		return float32(math.Inf(-1))
	}
	return float32(lufs(m.now[window]))
}

// heard gives the gate of a dialogue, and the share of the time in which it is above.
func (m *programme) heard(momentary []float32) (gate, share float64) {
	p, n := m.gated.mean(floorLUFS)
	if n == 0 {
		return math.Inf(1), 0
	}
	gate = lufs(p) - 10
	over := 0
	for _, l := range momentary {
		if float64(l) >= gate {
			over++
		}
	}
	return gate, float64(over) / float64(max(1, len(momentary)))
}

func (r Row) powers(from, to int) (out []float64) {
	r.each(from, to, func(p *Piece, _, a, b int) { out = append(out, p.Power[a:b]...) })
	return out
}

func (r Row) channels(from, to int, w *Whole) {
	var truePeak, quasi float64
	for c, label := range r.Layout.Labels {
		var all PieceChannel
		var frames int64
		top := NoSize
		r.each(from, to, func(p *Piece, _, a, b int) {
			ch := p.Channels[c]
			frames += p.Frames
			all.Power, all.Sum, all.Clipped, all.Strange = all.Power+ch.Power, all.Sum+ch.Sum, all.Clipped+ch.Clipped, all.Strange+ch.Strange
			all.Crest = max(all.Crest, ch.Crest)
			if p.whole(a, b) {
				all.TruePeak, all.Quasi = max(all.TruePeak, ch.TruePeak), max(all.Quasi, ch.Quasi)
				return
			}
			top = max(top, slices.Max(p.Peaks[c][a:b]))
		})
		if part := math.Pow(10, top.DB()/20); part > all.TruePeak {
			all.TruePeak = part
		}
		all.Crest = min(all.Crest, all.TruePeak)
		truePeak, quasi = max(truePeak, all.TruePeak), max(quasi, all.Quasi)
		w.Unmeasured += all.Strange
		w.Channels = append(w.Channels, ChannelMeasurement{Index: c + 1, Label: label, SamplePeakDBFS: decibels(all.Crest),
			TruePeakDBTP: decibels(all.TruePeak), RMSDBFS: decibels(math.Sqrt(all.Power / float64(max(1, frames))))})
		w.Details = append(w.Details, Detail{DC: all.Sum / float64(max(1, frames)), Clipped: all.Clipped, PPM: ppmOf(all.Quasi)})
	}
	r.each(from, to, func(p *Piece, _, a, b int) {
		if !p.whole(a, b) {
			quasi = max(quasi, math.Pow(10, slices.Max(p.Quasi[a:b]).DB()/20)*2/quasiSine)
		}
	})
	w.TruePeakMaxDBTP, w.PPMMax = decibels(truePeak), ppmOf(quasi)
}

// ppmOf turns a sum of both circuits into what the programme meter reads; nil where nothing came.
func ppmOf(quasi float64) *float64 {
	if quasi <= 0 {
		return nil
	}
	ppm := PPM(TypeII.dBFS(quasi))
	return &ppm
}

func (r Row) pairs(from, to int, w *Whole) {
	w.Pairs = []PairFound{}
	if len(r.Pieces) == 0 {
		return
	}
	for i, pair := range r.Pieces[0].Pairs {
		var s [3]float64
		r.each(from, to, func(p *Piece, _, a, b int) {
			for _, v := range p.Pairs[i].Sums[a:b] {
				s[0], s[1], s[2] = s[0]+float64(v[0]), s[1]+float64(v[1]), s[2]+float64(v[2])
			}
		})
		found := PairFound{Left: r.Layout.Labels[pair.Left], Right: r.Layout.Labels[pair.Right], Correlation: correlated(s)}
		if s[0] > 0 && s[1] > 0 {
			found.BalanceDB = finite(10 * math.Log10(s[0]/s[1]))
		}
		w.Pairs = append(w.Pairs, found)
	}
}

// correlated gives the correlation of two channels by the sums of their squares and products.
func correlated(s [3]float64) *float64 {
	if s[0] <= 0 || s[1] <= 0 {
		return nil
	}
	return finite(s[2] / math.Sqrt(s[0]*s[1]))
}

// folded measures the folded programme over the blocks in which the programme itself is above its gates.
func (r Row) folded(from, to int, w *Whole) {
	if len(r.Pieces) == 0 || r.Pieces[0].Stereo == nil || w.IntegratedLUFS == nil {
		return
	}
	gate := lufs(mustMean(w)) - 10
	var sum [3]float64
	r.each(from, to, func(p *Piece, first, a, b int) {
		for h := a; h < b; h++ {
			if at := first + h - from; at < len(w.lines.momentary) && float64(w.lines.momentary[at]) >= gate {
				sum[0], sum[1], sum[2] = sum[0]+p.Power[h], sum[1]+p.Stereo[h], sum[2]+p.Mono[h]
			}
		}
	})
	loss := func(x float64) *float64 {
		if sum[0] <= 0 || x <= 0 {
			return nil
		}
		return finite(10 * math.Log10(x/sum[0]))
	}
	w.Folded = &Folded{Mono: loss(sum[2])}
	if len(r.Layout.Labels) > 2 {
		w.Folded.Stereo = loss(sum[1])
	}
}

func mustMean(w *Whole) float64 { return math.Pow(10, (*w.IntegratedLUFS+0.691)/10) }

// distribution gives how the blocks above the absolute gate are spread.
func (h *histogram) distribution() []Distribution {
	out := []Distribution{}
	var all int64
	for _, n := range h.count {
		all += n
	}
	for at := 0; at < len(h.count); at += binsPerLU {
		var n int64
		for _, k := range h.count[at : at+binsPerLU] {
			n += k
		}
		if n > 0 {
			out = append(out, Distribution{int(floorLUFS) + at/binsPerLU, float64(n) / float64(all)})
		}
	}
	return out
}

// Spoken tells of every hop whether the dialogue was heard in the 400 ms before its end; nil where nobody knows what the dialogue is.
func (w *Whole) Spoken() []bool {
	if w.Dialogue == nil {
		return nil
	}
	out := make([]bool, len(w.lines.speech))
	for h, l := range w.lines.speech {
		out[h] = float64(l) >= w.lines.gate
	}
	return out
}

// Gated gives the integrated loudness of a programme by the weighted power of its hops, after BS.1770, over the blocks at whose end it is
// asked for; over all of them where of is nil. It is not heard where no block is above the gates.
func Gated(power []float64, of []bool) (integrated float64, heard bool) {
	m, h := newProgramme(layout.Layout{}), histogram{}
	for i, p := range power {
		m.blocks = m.blocks[:0]
		m.endHop(p)
		if of != nil && (i >= len(of) || !of[i]) {
			continue
		}
		for _, b := range m.blocks {
			h.add(b)
		}
	}
	p, n := h.mean(floorLUFS)
	if n == 0 {
		return 0, false
	}
	p, _ = h.mean(lufs(p) - 10)
	return lufs(p), true
}

// LUFS gives the loudness of a weighted power.
func LUFS(power float64) float64 { return lufs(power) }
