package loudness

import (
	"math"
	"slices"
)

// Limits are what a programme may not exceed; nil where there is none.
type Limits struct {
	MomentaryMax *float64 `json:"momentaryMax,omitempty"` // LUFS
	ShortTermMax *float64 `json:"shortTermMax,omitempty"` // LUFS
	TruePeak     *float64 `json:"truePeak,omitempty"`     // dBTP
	PPMMax       *float64 `json:"ppmMax,omitempty"`
	Silence      float64  `json:"silence,omitempty"` // seconds of digital silence on all channels that are too long; 0 for any length
}

// Kind is what is the matter at a place.
type Kind string

const (
	OverShort     Kind = "short-term"
	OverMomentary Kind = "momentary"
	OverPeak      Kind = "true peak"
	OverPPM       Kind = "programme meter"
	Silent        Kind = "silence"
	Dropout       Kind = "dropout"
	Clipped       Kind = "clipped"
)

// Place is where a programme is not as it should be.
type Place struct {
	Kind     Kind     `json:"kind"`
	From     float64  `json:"from"`           // seconds from the beginning of what was measured
	To       float64  `json:"to"`             //
	Most     *float64 `json:"most,omitempty"` // the highest there, in the unit of its kind
	Over     *float64 `json:"over,omitempty"` // by how much it is over, in LU or dB
	Channels []string `json:"channels,omitempty"`
}

// join is how far apart two places of a kind are at least, in hops; what is closer is one.
const join = 50

// Places gives where hops from a place on and before another are not as they should be, in the order of time.
func (r Row) Places(w *Whole, from, to int, l Limits) []Place {
	out := []Place{}
	lines := func(kind Kind, values []float32, limit *float64, window int, unit float64) {
		if limit == nil {
			return
		}
		out = append(out, runs(kind, len(values), func(h int) float64 { return float64(values[h]) }, *limit, window, unit)...)
	}
	lines(OverShort, w.lines.short, l.ShortTermMax, shortHops, 1)
	lines(OverMomentary, w.lines.momentary, l.MomentaryMax, momentaryHops, 1)
	if l.PPMMax != nil {
		var quasi []float64
		r.each(from, to, func(p *Piece, _, a, b int) {
			for _, q := range p.Quasi[a:b] {
				quasi = append(quasi, PPM(q.DB()))
			}
		})
		out = append(out, runs(OverPPM, len(quasi), func(h int) float64 { return quasi[h] }, *l.PPMMax+0.0026, 1, 4)...) // sizes are rounded up
	}
	if l.TruePeak != nil {
		out = append(out, r.peaks(from, to, *l.TruePeak)...)
	}
	out = append(out, r.silences(from, to, l.Silence)...)
	slices.SortStableFunc(out, func(a, b Place) int {
		switch {
		case a.From < b.From:
			return -1
		case a.From > b.From:
			return 1
		}
		return 0
	})
	return out
}

// runs gives where values are above a limit. A value stands at the end of its window, in which what is too much begins; unit is how
// many dB one of it is.
func runs(kind Kind, n int, at func(int) float64, limit float64, window int, unit float64) (out []Place) {
	var now *Place
	last := -join
	for h := range n {
		v := at(h)
		if !(v > limit+1e-9) {
			continue
		}
		if now == nil || h-last > join {
			most, over := v, 0.0
			out = append(out, Place{Kind: kind, From: float64(max(0, h+1-window)) / 100, Most: &most, Over: &over})
			now = &out[len(out)-1]
		}
		*now.Most = max(*now.Most, v)
		*now.Over = (*now.Most - limit) * unit
		now.To, last = float64(h+1)/100, h
	}
	return out
}

// peaks gives where the true peak of any channel is above a limit, and of which.
func (r Row) peaks(from, to int, limit float64) []Place {
	above := func(p *Piece, h int) (most float64) {
		most = math.Inf(-1)
		for _, row := range p.Peaks {
			most = max(most, row[h].DB())
		}
		return most
	}
	var most []float64
	r.each(from, to, func(p *Piece, _, a, b int) {
		for h := a; h < b; h++ {
			most = append(most, above(p, h))
		}
	})
	out := runs(OverPeak, len(most), func(h int) float64 { return most[h] }, limit+0.005, 1, 1) // sizes are rounded up
	for i := range out {
		out[i].Channels = r.loud(from+int(math.Round(out[i].From*100)), from+int(math.Round(out[i].To*100)), limit)
	}
	return out
}

// loud names the channels that are above a true peak anywhere in a range.
func (r Row) loud(from, to int, limit float64) (names []string) {
	for c, label := range r.Layout.Labels {
		over := false
		r.each(from, to, func(p *Piece, _, a, b int) { over = over || a < b && slices.Max(p.Peaks[c][a:b]).DB() > limit+0.005 })
		if over {
			names = append(names, label)
		}
	}
	return names
}

// A gap of exact silence on a channel inside sound is a dropout: shorter than dropoutLongest hops, between sound above dropoutFloor.
const (
	dropoutLongest = 50
	dropoutFloor   = -50.0 // dBTP
)

// silences gives digital silence on all channels that is longer than so many seconds, and gaps of silence in a channel's sound.
func (r Row) silences(from, to int, longer float64) (out []Place) {
	rows := make([][]Size, len(r.Layout.Labels))
	r.each(from, to, func(p *Piece, _, a, b int) {
		for c := range rows {
			rows[c] = append(rows[c], p.Peaks[c][a:b]...)
		}
	})
	if len(rows) == 0 {
		return nil
	}
	n, began := len(rows[0]), -1
	for h := 0; h <= n; h++ {
		silent := h < n
		for c := range rows {
			silent = silent && rows[c][h] == NoSize
		}
		switch {
		case silent && began < 0:
			began = h
		case !silent && began >= 0:
			if longer > 0 && float64(h-began)/100 > longer {
				out = append(out, Place{Kind: Silent, From: float64(began) / 100, To: float64(h) / 100})
			}
			began = -1
		}
	}
	for c, row := range rows {
		began = -1
		for h, v := range row {
			switch {
			case v == NoSize && began < 0 && h > 0 && row[h-1].DB() > dropoutFloor:
				began = h
			case v != NoSize && began >= 0:
				if h-began < dropoutLongest && v.DB() > dropoutFloor {
					out = append(out, Place{Kind: Dropout, From: float64(began) / 100, To: float64(h) / 100, Channels: []string{r.Layout.Labels[c]}})
				}
				began = -1
			}
		}
	}
	return out
}

// Lines are what ran over time, in columns of the same length, the largest of each; of correlation the lowest. What there is not is nil.
type Lines struct {
	From        float64    `json:"from"`    // seconds from the beginning of what was measured
	Seconds     float64    `json:"seconds"` // of a column
	Momentary   []*float64 `json:"momentary"`
	ShortTerm   []*float64 `json:"shortTerm"`
	Integrated  []*float64 `json:"integrated"` // so far
	TruePeak    []*float64 `json:"truePeak"`
	PPM         []*float64 `json:"ppm"`
	Correlation []*float64 `json:"correlation"` // of the front pair over 400 ms; empty where there is none
	Dialogue    []float64  `json:"dialogue"`    // share of the column in which it is heard; empty where nobody knows
}

// Lines gives what ran from one hop of what was measured to another, in so many columns at most. from is where w begins in the row.
func (r Row) Lines(w *Whole, from, first, last, columns int) Lines {
	n := len(w.lines.momentary)
	first, last = max(0, min(first, n)), max(0, min(last, n))
	step := max(1, (last-first+columns-1)/max(1, columns))
	l := Lines{From: float64(first) / 100, Seconds: float64(step) / 100, Correlation: []*float64{}, Dialogue: []float64{}}
	peaks, quasi := make([]Size, 0, last-first), make([]Size, 0, last-first)
	r.each(from+first, from+last, func(p *Piece, _, a, b int) {
		for h := a; h < b; h++ {
			top := NoSize
			for _, row := range p.Peaks {
				top = max(top, row[h])
			}
			peaks, quasi = append(peaks, top), append(quasi, p.Quasi[h])
		}
	})
	soFar := r.soFar(w, first, last, step)
	for at := first; at < last; at += step {
		end := min(at+step, last)
		l.Momentary = append(l.Momentary, told(float64(slices.Max(w.lines.momentary[at:end]))))
		l.ShortTerm = append(l.ShortTerm, told(float64(slices.Max(w.lines.short[at:end]))))
		l.TruePeak = append(l.TruePeak, told(slices.Max(peaks[at-first:end-first]).DB()))
		l.PPM = append(l.PPM, told(PPM(slices.Max(quasi[at-first:end-first]).DB())))
		if end <= len(w.lines.speech) {
			heard := 0
			for _, v := range w.lines.speech[at:end] {
				if float64(v) >= w.lines.gate {
					heard++
				}
			}
			l.Dialogue = append(l.Dialogue, math.Round(float64(heard)/float64(end-at)*1000)/1000)
		}
	}
	l.Integrated = soFar
	r.correlation(from+first, from+last, step, &l)
	return l
}

// ShortTermAt gives the short-term loudness that the row would have at other gains, in dB for each of its hops, in the columns that Lines
// has between two of them.
func (r Row) ShortTermAt(gains []float64, first, last, columns int) (out []*float64) {
	power := r.powers(0, len(gains))
	last = min(last, len(power))
	step := max(1, (last-first+columns-1)/max(1, columns))
	m := newProgramme(r.Layout)
	most := math.Inf(-1)
	for h := range last {
		m.blocks = m.blocks[:0]
		m.endHop(power[h] * math.Pow(10, gains[h]/10))
		if h < first {
			continue
		}
		most = max(most, float64(m.last(1, shortHops)))
		if (h+1-first)%step == 0 || h+1 == last {
			out = append(out, told(most))
			most = math.Inf(-1)
		}
	}
	return out
}

// soFar gives the integrated loudness from the beginning to the end of each column.
func (r Row) soFar(w *Whole, first, last, step int) (out []*float64) {
	h := &histogram{}
	for at := range last {
		if l := w.lines.momentary[at]; (at+1)%blockHops == 0 && !math.IsInf(float64(l), -1) {
			h.add(math.Pow(10, (float64(l)+0.691)/10))
		}
		if at < first || (at+1-first)%step != 0 && at+1 != last {
			continue
		}
		var v *float64
		if p, n := h.mean(floorLUFS); n > 0 {
			p, _ = h.mean(lufs(p) - 10)
			v = told(lufs(p))
		}
		out = append(out, v)
	}
	return out
}

func (r Row) correlation(from, to, step int, l *Lines) {
	if len(r.Pieces) == 0 || len(r.Pieces[0].Pairs) == 0 {
		return
	}
	sums := make([][3]float64, 1, to-from+1)
	r.each(max(0, from-momentaryHops), to, func(p *Piece, _, a, b int) {
		for _, v := range p.Pairs[0].Sums[a:b] {
			s := sums[len(sums)-1]
			sums = append(sums, [3]float64{s[0] + float64(v[0]), s[1] + float64(v[1]), s[2] + float64(v[2])})
		}
	})
	before := from - max(0, from-momentaryHops)
	for at := from; at < to; at += step {
		var low *float64
		for h := at; h < min(at+step, to); h++ {
			end := h - from + before + 1
			begin := max(0, end-momentaryHops)
			var s [3]float64
			for i := range s {
				s[i] = sums[end][i] - sums[begin][i]
			}
			if s[0] < 1e-9 || s[1] < 1e-9 {
				continue // nothing, or what adding up has left
			}
			if c := correlated(s); c != nil && (low == nil || *c < *low) {
				low = c
			}
		}
		if low != nil {
			low = told(max(-1, min(1, *low)))
		}
		l.Correlation = append(l.Correlation, low)
	}
}

// told gives a value to two decimals; nil where there is none.
func told(x float64) *float64 {
	if math.IsInf(x, 0) || math.IsNaN(x) {
		return nil
	}
	x = math.Round(x*100) / 100
	return &x
}
