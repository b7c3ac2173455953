package desk

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"zestyloom/core/contract"
	"zestyloom/core/layout"
	"zestyloom/core/mix"
)

// null is a group that is to be the sum of others, each channel at gains: what is left when those are taken from it.
type null struct {
	rule    string
	of      *group
	parts   []*group
	message string
	rows    []row
	others  []*null // the same with something changed over, to say what is wrong
	changed string  // what is changed over in it
	culprit *group  // of whose
}

// row is one channel of the sum.
type row struct {
	target      *column
	turned      bool // polarity of the target
	from        []*column
	gains       []float64
	left        []float64 // of the last block
	limit, rms  float64
	peak, power float64
	peakAt      int64
	overAt      int64 // where it went over the limit first; −1 where it did not
	n           int64
}

// nullsOf finds what is to add up: fold-downs, and mixes of stems that are there by themselves.
func (h *hearing) nullsOf() (found []*null) {
	for _, g := range h.groups {
		if f := g.From.Fold; f != nil && !f.Encoded {
			at := slices.IndexFunc(h.groups, func(x *group) bool { return x.ID == f.Of })
			if at < 0 {
				continue
			}
			m, _, ok := mix.Carry(layout.Read(h.groups[at].labels), layout.Read(g.labels), *f.Levels())
			if ok {
				n := &null{rule: "fold", of: g, parts: []*group{h.groups[at]}, message: fmt.Sprintf("%s is the fold-down of %s", g.Name,
					h.groups[at].Name)}
				found = append(found, n.with(m))
			}
		}
		if parts := h.partsOf(g); parts != nil {
			var names []string
			for _, p := range parts {
				names = append(names, p.Name)
			}
			n := &null{rule: "stems-sum-to-mix", of: g, parts: parts, message: fmt.Sprintf("%s add up to %s", strings.Join(names, " + "), g.Name)}
			found = append(found, n.with(mix.Identity(len(g.labels))))
		}
	}
	for _, n := range found {
		n.alternatives()
	}
	return found
}

// unfolded says which fold-downs could not be held to be that: no pass has a value for them.
func (c *checking) unfolded(list []*placed) {
	said := map[string]bool{}
	for _, p := range list {
		for _, at := range p.channels {
			g := at.group
			if g.From.Fold == nil || c.nulled[g.key] || said[g.key] {
				continue
			}
			said[g.key] = true
			why := "what it is folded from is not whole among the files"
			if g.From.Fold.Encoded {
				why = "its surrounds are turned by 90°, which the desk does not follow"
			}
			c.receipt.Findings = append(c.receipt.Findings, contract.Finding{Rule: "fold", Severity: contract.Warning, File: p.file.Name,
				Message: fmt.Sprintf("That %s is a fold-down was not checked: %s", g.Name, why), Measured: "not measured"})
		}
	}
}

// partsOf finds groups of the same channels with stems that together are those of a mix; nil where there are none.
func (h *hearing) partsOf(of *group) (parts []*group) {
	if len(of.From.Stems) < 2 {
		return nil
	}
	var covered []string
	for _, g := range h.groups {
		if g != of && len(g.From.Stems) > 0 && slices.Equal(g.labels, of.labels) && !slices.ContainsFunc(g.From.Stems, func(s string) bool {
			return !slices.Contains(of.From.Stems, s) || slices.Contains(covered, s)
		}) {
			parts = append(parts, g)
			covered = append(covered, g.From.Stems...)
		}
	}
	if len(covered) != len(of.From.Stems) {
		return nil
	}
	return parts
}

// with makes the rows: each part goes into the group by the matrix.
func (n *null) with(m mix.Matrix) *null {
	for r, target := range n.of.columns {
		one := row{target: target, overAt: -1}
		for _, p := range n.parts {
			for col := range m.Cols {
				if gain := m.At(r, col); gain != 0 {
					one.from, one.gains = append(one.from, p.columns[col]), append(one.gains, gain)
				}
			}
		}
		depth := target.file.file.Streams[target.stream].Depth
		for _, f := range one.from {
			depth = min(depth, f.file.file.Streams[f.stream].Depth)
		}
		one.limit, one.rms = contract.NullLimit(depth, one.gains...)
		n.rows = append(n.rows, one)
	}
	return n
}

// pairs are channels that are easily changed over.
var pairs = [][2]string{{"L", "R"}, {"Ls", "Rs"}, {"Lss", "Rss"}, {"Lrs", "Rrs"}, {"C", "LFE"}, {"C", "R"}}

// alternatives are the same sum with two channels of one of its groups changed over, or with its polarity turned.
func (n *null) alternatives() {
	for _, g := range append(slices.Clone(n.parts), n.of) {
		for _, pair := range pairs {
			a, b := slices.Index(g.labels, pair[0]), slices.Index(g.labels, pair[1])
			if a < 0 || b < 0 {
				continue
			}
			n.others = append(n.others, n.changing(g, fmt.Sprintf("%s and %s of %s are changed over", pair[0], pair[1], g.Name),
				func(c *column) *column {
					switch c {
					case g.columns[a]:
						return g.columns[b]
					case g.columns[b]:
						return g.columns[a]
					}
					return c
				}))
		}
	}
	turned := n.changing(n.of, "the polarity of "+n.of.Name+" is turned", func(c *column) *column { return c })
	for i := range turned.rows {
		turned.rows[i].turned = true
	}
	n.others = append(n.others, turned)
}

func (n *null) changing(culprit *group, words string, other func(*column) *column) *null {
	made := &null{rule: n.rule, of: n.of, parts: n.parts, changed: words, culprit: culprit}
	for _, r := range n.rows {
		one := r
		one.target = other(r.target)
		one.from, one.left = nil, nil
		for _, f := range r.from {
			one.from = append(one.from, other(f))
		}
		made.rows = append(made.rows, one)
	}
	return made
}

// write takes samples of a block that begins at a place.
func (n *null) write(at int64, from, to int) {
	for i := range n.rows {
		n.rows[i].write(at, from, to)
	}
	for _, other := range n.others {
		if slices.ContainsFunc(other.rows, func(r row) bool { return r.peak > r.limit }) {
			continue // it is not that
		}
		for i := range other.rows {
			other.rows[i].write(at, from, to)
		}
	}
}

func (r *row) write(at int64, from, to int) {
	left := r.left[:0]
	for _, x := range r.target.samples()[from:to] {
		if r.turned {
			x = -x
		}
		left = append(left, x)
	}
	for k, f := range r.from {
		gain := r.gains[k]
		for i, x := range f.samples()[from:to] {
			left[i] -= gain * x
		}
	}
	r.left = left
	for i, x := range left {
		r.power += x * x
		if x = math.Abs(x); x > r.peak {
			r.peak, r.peakAt = x, at+int64(from+i)
		}
		if x > r.limit && r.overAt < 0 {
			r.overAt = at + int64(from+i)
		}
	}
	r.n += int64(to - from)
}

func (r row) ok() bool {
	return r.n > 0 && r.peak <= r.limit && math.Sqrt(r.power/float64(r.n)) <= r.rms
}

func (n *null) ok() bool { return !slices.ContainsFunc(n.rows, func(r row) bool { return !r.ok() }) }

// sums says whether everything adds up; where not, from where on, on which channel, and what would make it so.
func (h *hearing) sums() {
	for _, n := range h.nulls {
		if n.rule == "fold" {
			h.nulled[n.of.key] = true
		}
		worst := slices.MaxFunc(n.rows, func(a, b row) int {
			if a.peak < b.peak {
				return -1
			}
			return 1
		})
		rms := math.Sqrt(worst.power / float64(max(1, worst.n)))
		file := worst.target.file.file
		f := contract.Finding{Rule: n.rule, File: file.Name, Message: n.message, Measured: fmt.Sprintf("%s left, %s on average",
			level(worst.peak), level(rms)),
			Limit: fmt.Sprintf("at most %s, %s on average", level(worst.limit), level(worst.rms))}
		if worst.peak == 0 {
			f.Measured = "nothing left"
		}
		if n.ok() {
			h.note(true, f)
			continue
		}
		var reasons []string // there may be several that explain it
		guilty := worst.target
		for _, other := range n.others {
			if other.ok() {
				if reasons = append(reasons, other.changed); len(reasons) == 1 {
					guilty = other.culprit.columns[0]
				}
			}
		}
		if len(reasons) > 0 {
			f.Message += "; it would if it were not that " + strings.Join(reasons, ", or that ")
		}
		at := worst.overAt
		if at < 0 {
			at = worst.peakAt
		}
		h.note(false, h.place(on(f, guilty), file, at))
	}
}
