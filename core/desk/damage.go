package desk

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"zestyloom/core/contract"
	"zestyloom/core/dsp"
)

// What an LFE may carry above a frequency, in Hz, as a share of its energy.
const (
	lowest   = 200
	mostHigh = 0.1
)

// listen hears a channel for what is wrong with it by itself, within the programme.
func (c *column) listen(from, to int) {
	x := c.samples()[from:to]
	c.ear.Write(x)
	if c.above != nil {
		c.above.Write(x)
	}
}

// damage says what is wrong with a channel by itself.
func (h *hearing) damage(c *column) {
	for _, d := range c.ear.Damage() {
		f := contract.Finding{Rule: string(d.Kind), Message: c.name() + ": " + d.Message}
		if d.Figure == math.Trunc(d.Figure) && d.Figure > 0 {
			f.Measured, f.Limit = fmt.Sprint(d.Figure), "0"
		}
		f = on(f, c)
		if d.At >= 0 {
			f = h.place(f, c.file.file, h.around.lead+d.At)
		}
		h.note(false, f)
	}
	if c.above == nil {
		return
	}
	if share := c.above.Share(); share > mostHigh && c.peak > dsp.Gain(strayAbove) { // of dither all lies above
		h.note(false, on(contract.Finding{Rule: "lfe", Message: fmt.Sprintf("%s carries more than low frequencies", c.name()),
			Measured: fmt.Sprintf("%.0f %% of its energy above %d Hz", 100*share, lowest), Limit: fmt.Sprintf("at most %.0f %%", 100*mostHigh)}, c))
	}
}

// longSilence is how much silence at either end is said, in seconds, where the spec does not say how much is too long.
const longSilence = 2.0

// ends says where nothing at all is heard at the beginning or at the end of the programme, beside what the spec asks for there.
func (h *hearing) ends() {
	length := int64(0) // as read: not every file says how long it is
	for _, r := range h.streams {
		length = max(length, r.frames)
	}
	first, last := int64(math.MaxInt64), int64(math.MaxInt64)
	var at *group
	for _, g := range h.groups {
		if g.loud && !g.From.Silence {
			at, first, last = g, min(first, g.loudAt-h.around.lead), min(last, g.silent)
		}
	}
	if at == nil {
		return
	}
	longest := longSilence
	if asked := h.spec.Checks["silence"].Longer; asked > 0 {
		longest = asked
	}
	say := func(where string, samples, from int64) {
		seconds := float64(samples) / float64(h.rate)
		if seconds <= longest {
			return
		}
		h.hold(h.place(on(contract.Finding{Rule: "silence", Severity: contract.Warning, Message: "Nothing is heard " + where,
			Measured: fmt.Sprintf("%.2f s", seconds), Limit: fmt.Sprintf("at most %g s", longest)}, at.columns[0]), at.columns[0].file.file, from))
	}
	say("at the beginning of the programme", first, h.around.lead)
	say("at the end of the programme", last, max(0, length-h.around.tail-last))
}

// copies finds channels that are the same as others, from the first block to the last.
type copies struct {
	list []*column
	like [][]bool // of each of the list: those before it that it has been the same as so far
}

func newCopies(groups []*group) *copies {
	c := &copies{}
	for _, g := range groups {
		c.list = append(c.list, g.columns...)
	}
	for i := range c.list {
		c.like = append(c.like, slices.Repeat([]bool{true}, i))
	}
	return c
}

// write lets go of all that are not the same: further apart than dither makes them. What is the same as one is the same as whatever that
// is the same as, so that however many are, each is compared with one.
func (c *copies) write(from, to int) {
	for i, like := range c.like {
		first := -1
		for k := range like {
			switch {
			case !like[k]:
			case first >= 0:
				like[k] = c.like[k][first]
			case alike(c.list[k], c.list[i], from, to):
				first = k
			default:
				like[k] = false
			}
		}
	}
}

// alike tells whether the samples of two channels are the same but for their dither.
func alike(a, b *column, from, to int) bool {
	x, y, within := a.samples()[from:to], b.samples()[from:to], 2*max(a.quietest, b.quietest)
	for i := range x {
		if math.Abs(x[i]-y[i]) > within {
			return false
		}
	}
	return true
}

func (c *copies) same(a, b *column) bool {
	i, k := slices.Index(c.list, a), slices.Index(c.list, b)
	return c.like[max(i, k)][min(i, k)]
}

// copied says which channels of wide groups, which sides of the music, and which groups that are not meant to be, hold the same
// sound: what stands in the middle is the same on both sides of a stereo group, and so is no fault.
func (h *hearing) copied() {
	heard := func(c *column) bool { return c.peak > 2*c.quietest }
	for _, g := range h.groups {
		music := g.From.Stem == "MX" || slices.Equal(g.From.Stems, []string{"MX"})
		for i, a := range g.columns {
			for _, b := range g.columns[i+1:] {
				if middle := b.label == strings.Replace(a.label, "L", "R", 1); heard(a) && h.copies.same(a, b) && (!middle || music) {
					h.note(false, on(contract.Finding{Rule: "copy", Message: fmt.Sprintf("%s and %s of %s are the same", a.label, b.label, g.Name)}, b))
				}
			}
		}
	}
	for i, a := range h.groups {
		for _, b := range h.groups[i+1:] {
			if len(a.columns) != len(b.columns) || !a.loud || h.meantSame(a, b) {
				continue
			}
			all := true
			for k := range a.columns {
				all = all && h.copies.same(a.columns[k], b.columns[k])
			}
			if all {
				h.note(false, on(contract.Finding{Rule: "copy", Message: fmt.Sprintf("%s and %s hold the same sound", a.Name, b.Name)}, b.columns[0]))
			}
		}
	}
}

// meantSame tells whether two groups are to be the same, or may be, as the one is a part of the other.
func (h *hearing) meantSame(a, b *group) bool {
	return slices.ContainsFunc(h.proven, func(p *proof) bool {
		return (p.of == a || slices.Contains(p.parts, a)) && (p.of == b || slices.Contains(p.parts, b))
	})
}
