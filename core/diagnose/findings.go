package diagnose

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"gonum.org/v1/gonum/mat"
)

// Findings ends the analysis.
func (a *Analyser) Findings() []Channel {
	out := make([]Channel, len(a.channels))
	empty := make([]bool, len(a.channels))
	for c := range a.channels {
		t := &a.channels[c]
		if t.windowFilled > 0 && (t.loudest == 0 || t.windowFilled > a.window/2) {
			t.loudest = max(t.loudest, t.windowPower/float64(t.windowFilled))
		}
		ch := Channel{Index: c + 1, Name: a.names[c], Findings: []Finding{}}
		if t.peak > 0 {
			peak, rms := 20*math.Log10(t.peak), decibels(t.power/float64(a.frames))
			ch.PeakDBFS, ch.RMSDBFS = &peak, &rms
		}
		empty[c] = t.loudest < power(emptyBelow)
		out[c] = ch
		out[c].Findings = append(out[c].Findings, t.own(a, empty[c])...)
	}
	a.compare(out, empty)
	return out
}

// own gives what can be said of a channel by itself.
func (t *tally) own(a *Analyser, empty bool) []Finding {
	var found []Finding
	add := func(kind Kind, figure float64, format string, args ...any) {
		found = append(found, Finding{Kind: kind, With: []int{}, Figure: figure, Message: fmt.Sprintf(format, args...)})
	}
	loudest := max(-200, decibels(t.loudest))
	if empty {
		if t.peak == 0 {
			add(Empty, -200, "Digital silence")
		} else {
			add(Empty, loudest, "Nothing above the noise of an open input: at its loudest %s", dBFS(loudest))
		}
		return found
	}
	if t.loudest < power(lowBelow) {
		add(Low, loudest, "Recorded low: at its loudest %s", dBFS(loudest))
	}
	if t.clipped > 0 {
		add(Clipped, float64(t.clipped), "Clipped in %s of %d or more samples at full scale", count(t.clipped, "run", "runs"), clippedRun)
		found[len(found)-1].At = &t.clippedAt
	}
	for _, d := range t.ear.Damage() {
		add(d.Kind, d.Figure, "%s", d.Message)
		found[len(found)-1].Hz = d.Hz
		if d.At >= 0 {
			found[len(found)-1].At = &d.At
		}
	}
	if level, there := t.ear.hum.rumble.rumble(); there { // of takes only: a mix of music and effects may well be full of it
		add(Rumble, level, "Rumble: what lies below speech is louder than what lies above it, %s", dBFS(level))
	}
	if mean := math.Abs(t.sum / float64(a.frames)); mean > math.Pow(10, dcAbove/20.0) {
		offset := 20 * math.Log10(mean)
		add(DC, offset, "DC offset of %s", dBFS(offset))
	}
	return found
}

func (a *Analyser) product(i, j int) float64 {
	if j > i {
		i, j = j, i
	}
	return a.gram[i][j]
}

// compare finds copies and mixes. A copy is told of the later channel; a copy of a copy is told as one of the first.
func (a *Analyser) compare(out []Channel, empty []bool) {
	var distinct []int // channels that carry something of their own, as far as copies go
	for c := range out {
		if empty[c] || a.product(c, c) == 0 {
			continue
		}
		if f, ok := a.copyOf(c, distinct, out); ok {
			out[c].Findings = append(out[c].Findings, f)
			continue
		}
		distinct = append(distinct, c)
	}
	if len(distinct) > mostCompared {
		return // to look for sums among very many channels takes forever, and no recorder mixes so many
	}
	// A mix is told by the others that add up to it, and the others must not themselves be such sums.
	mixes := map[int]bool{}
	for _, c := range distinct {
		if _, _, ok := a.mixOf(c, without(distinct, c, nil)); ok {
			mixes[c] = true
		}
	}
	for _, c := range distinct {
		if !mixes[c] {
			continue
		}
		with, residual, ok := a.mixOf(c, without(distinct, c, mixes))
		if !ok {
			continue
		}
		names := make([]string, len(with))
		for i, w := range with {
			names[i] = fmt.Sprint(w)
		}
		out[c].Findings = append(out[c].Findings, Finding{Kind: Mix, With: with, Figure: residual,
			Message: fmt.Sprintf("Mix of %s (%s left)", list(names), dB(residual))})
	}
}

func (a *Analyser) copyOf(c int, others []int, out []Channel) (Finding, bool) {
	for _, o := range others {
		gain := a.product(c, o) / a.product(o, o)
		residual := 1 - a.product(c, o)*a.product(c, o)/(a.product(o, o)*a.product(c, c))
		left := max(-200, decibels(max(residual, 1e-20)))
		if left > copyBelow {
			continue
		}
		kind, how := Copy, "Copy of"
		if gain < 0 {
			kind, how = Polarity, "Polarity turned against"
		}
		message := fmt.Sprintf("%s %d, %s", how, o+1, out[o].Name)
		if out[o].Name == "" {
			message = fmt.Sprintf("%s %d", how, o+1)
		}
		if level := 20 * math.Log10(math.Abs(gain)); math.Abs(level) > 0.05 {
			message += fmt.Sprintf(", %+.1f dB", level)
		}
		return Finding{Kind: kind, With: []int{o + 1}, Figure: left, Message: strings.Replace(message, "-", "−", 1)}, true
	}
	return Finding{}, false
}

func without(list []int, c int, these map[int]bool) []int {
	return slices.DeleteFunc(slices.Clone(list), func(x int) bool { return x == c || these[x] })
}

// mixOf fits channel c by the others with gains that are not negative: a mix adds microphones up. (Without that rule
// each microphone would be a mix too: the sum less the rest.) It gives the contributors from 1 and what is left, in dB.
func (a *Analyser) mixOf(c int, others []int) (with []int, residual float64, ok bool) {
	for len(others) >= 2 {
		n := len(others)
		gram, target := mat.NewSymDense(n, nil), mat.NewVecDense(n, nil)
		for i, x := range others {
			target.SetVec(i, a.product(c, x))
			for j, y := range others[:i+1] {
				gram.SetSym(i, j, a.product(x, y))
			}
			gram.SetSym(i, i, a.product(x, x)*(1+1e-9)) // keeps near-copies from making the equations singular
		}
		var chol mat.Cholesky
		var gains mat.VecDense
		if !chol.Factorize(gram) || chol.SolveVecTo(&gains, target) != nil {
			return nil, 0, false
		}
		own := a.product(c, c)
		left := own
		worst, worstShare := -1, math.Inf(1)
		for i, x := range others {
			g := gains.AtVec(i)
			left -= g * target.AtVec(i)
			share := decibels(max(g*g*a.product(x, x)/own, 1e-30))
			if g < 0 {
				share = -1000 - share // negative ones go first, the strongest before the others
			}
			if share < worstShare {
				worst, worstShare = i, share
			}
		}
		residual = max(-200, decibels(max(left/own, 1e-20)))
		if residual > mixBelow {
			return nil, 0, false // fewer contributors can only leave more
		}
		if worstShare >= mixShare {
			for _, x := range others {
				with = append(with, x+1)
			}
			return with, residual, true
		}
		others = slices.Delete(slices.Clone(others), worst, worst+1)
	}
	return nil, 0, false
}

func dBFS(x float64) string { return dB(x) + "FS" }

func dB(x float64) string { return strings.Replace(fmt.Sprintf("%.0f dB", x), "-", "−", 1) }

func count(n int64, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}

func list(names []string) string {
	if len(names) == 1 {
		return names[0]
	}
	return strings.Join(names[:len(names)-1], ", ") + " and " + names[len(names)-1]
}
