package desk

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"zestyloom/core/contract"
	"zestyloom/core/sums"
	"zestyloom/core/unravel"
)

// proof is a sum that is proven on the samples.
type proof struct {
	*sums.Null
	contract.SumWords
	of     *group
	parts  []*group
	told   bool           // the delivery's papers say so; else the spec does
	same   []*sums.Null   // with gains that are meant by the same words
	others []*supposition // what would explain that it does not add up
}

// supposition is a proof with something changed over.
type supposition struct {
	*sums.Null
	changed string
	culprit *group // of whose
}

// keyed is how the ID of a group is compared: files are called after it.
func keyed(id string) string { return strings.ToLower(unravel.FileSafeTo(id, 80)) }

// proofs finds what is to add up among the groups that are whole: by the papers of the delivery, where it has any that say so,
// else by the spec.
func (h *hearing) proofs() (found []*proof) {
	in := map[string]bool{}
	add := func(s sums.Sum, told bool) {
		p := &proof{told: told, parts: make([]*group, len(s.Parts))}
		if p.of = h.groupOf(s.Whole); p.of == nil || len(p.of.labels) != len(s.Parts[0].Gains) {
			return
		}
		for i, part := range s.Parts {
			if p.parts[i] = h.groupOf(part.ID); p.parts[i] == nil || len(p.parts[i].labels) != len(part.Gains[0]) {
				return
			}
		}
		for _, g := range append(p.parts, p.of) {
			in[g.key] = true
		}
		found = append(found, h.prove(p, s))
	}
	for _, s := range h.told[:min(len(h.told), 2*len(h.groups))] { // ours says fewer than there are groups; each costs its time
		add(s, true)
	}
	var sets []sums.Set
	for _, set := range h.spec.Sets() {
		if h.groupOf(set.ID) != nil {
			sets = append(sets, set)
		}
	}
	for _, s := range sums.Find(sets) {
		if slices.ContainsFunc(s.Sets(), func(id string) bool { g := h.groupOf(id); return g != nil && !in[g.key] }) {
			add(s, false)
		}
	}
	return found
}

// groupOf finds a group that is whole, by its ID.
func (h *hearing) groupOf(id string) *group {
	at := slices.IndexFunc(h.groups, func(g *group) bool { return keyed(g.key) == keyed(id) })
	if at < 0 {
		return nil
	}
	return h.groups[at]
}

// prove sets a proof up, with what might explain that it fails.
func (h *hearing) prove(p *proof, s sums.Sum) *proof {
	var names []string
	for _, g := range p.parts {
		names = append(names, g.Name)
	}
	p.SumWords = contract.WordsOfSum(p.of.Name, names, slices.Equal(p.of.labels, p.parts[0].labels))
	p.Null = h.null(s, p, func(c *column) *column { return c }, nil)
	for _, other := range meant(s) {
		p.same = append(p.same, h.null(other, p, func(c *column) *column { return c }, nil))
	}
	h.suppose(p, s)
	return p
}

// null begins a proof in which other channels may stand for those of the groups, and groups may be turned.
func (h *hearing) null(s sums.Sum, p *proof, other func(*column) *column, turned *group) *sums.Null {
	byID := map[string]*group{s.Whole: p.of}
	for i, part := range s.Parts {
		byID[part.ID] = p.parts[i]
	}
	var room []float64
	of := func(id string, channel int) []float64 {
		g := byID[id]
		x := other(g.columns[channel]).samples()
		if g != turned {
			return x
		}
		room = append(room[:0], x...)
		for i := range room {
			room[i] = -room[i]
		}
		return room
	}
	return sums.NewNull(s, of, func(row int, gains []float64) (peak, rms float64) {
		depth := p.of.columns[row].depth()
		for i, part := range s.Parts {
			for c, gain := range part.Gains[row] {
				if gain != 0 {
					depth = min(depth, p.parts[i].columns[c].depth())
				}
			}
		}
		return contract.ReceivedLimit(h.spec.Checks[p.Rule].Within, depth, gains...)
	})
}

func (c *column) depth() int {
	if d := c.file.file.Streams[c.stream].Depth; d > 0 {
		return d
	}
	return 24
}

// meant gives a sum with other gains that the same words mean: −3 dB is said of half the power, √½, and of 10^(−3⁄20), and
// −6 dB of a half.
func meant(s sums.Sum) (list []sums.Sum) {
	for _, exact := range []bool{true, false} {
		changed := false
		other := sums.Sum{Whole: s.Whole}
		for _, p := range s.Parts {
			q := sums.Part{ID: p.ID, Turned: p.Turned}
			for _, row := range p.Gains {
				row = slices.Clone(row)
				for i, g := range row {
					steps := math.Round(-20 * math.Log10(math.Abs(g)) / 3) // of 3 dB
					to := math.Pow(10, -3*steps/20)
					if exact {
						to = math.Pow(2, -steps/2)
					}
					if g != 0 && steps != 0 && math.Abs(math.Abs(g)/to-1) < 0.01 && math.Abs(math.Abs(g)-to) > 1e-9 {
						row[i], changed = math.Copysign(to, g), true
					}
				}
				q.Gains = append(q.Gains, row)
			}
			other.Parts = append(other.Parts, q)
		}
		if changed {
			list = append(list, other)
		}
	}
	return list
}

// pairs are channels that are easily changed over.
var pairs = [][2]string{{"L", "R"}, {"Ls", "Rs"}, {"Lss", "Rss"}, {"Lrs", "Rrs"}, {"C", "LFE"}, {"C", "R"}}

// mostSupposed is how many groups a sum may have for it to be tried what would explain that it does not add up.
const mostSupposed = 16

// suppose is the same sum with two channels of one of its groups changed over, or with its polarity turned.
func (h *hearing) suppose(p *proof, s sums.Sum) {
	if len(p.parts) >= mostSupposed {
		return
	}
	for _, g := range append(slices.Clone(p.parts), p.of) {
		for _, pair := range pairs {
			a, b := slices.Index(g.labels, pair[0]), slices.Index(g.labels, pair[1])
			if a < 0 || b < 0 {
				continue
			}
			p.others = append(p.others, &supposition{h.null(s, p, func(c *column) *column {
				switch c {
				case g.columns[a]:
					return g.columns[b]
				case g.columns[b]:
					return g.columns[a]
				}
				return c
			}, nil), fmt.Sprintf("%s and %s of %s are changed over", pair[0], pair[1], g.Name), g})
		}
		p.others = append(p.others, &supposition{h.null(s, p, func(c *column) *column { return c }, g),
			"the polarity of " + g.Name + " is turned", g})
	}
}

// write takes the samples from one on and before another of a block.
func (p *proof) write(from, to int) {
	p.Write(from, to)
	for _, n := range p.same {
		n.Write(from, to)
	}
	for _, o := range p.others {
		if !o.Lost() { // else it is not that
			o.Write(from, to)
		}
	}
}

// best is the proof by those of the gains that the words may mean that fits best.
func (p *proof) best() *sums.Null {
	best := p.Null
	for _, n := range p.same {
		if worst(n).Peak < worst(best).Peak {
			best = n
		}
	}
	return best
}

func worst(n *sums.Null) sums.Row {
	return slices.MaxFunc(n.Rows, func(a, b sums.Row) int { return cmp.Compare(a.Peak, b.Peak) })
}

// sums says whether everything adds up; where not, from where on, on which channel, and what would make it so.
func (h *hearing) sums() {
	for _, p := range h.proven {
		for _, g := range append(slices.Clone(p.parts), p.of) {
			h.nulled[at(g.key, h.rate)] = true
		}
		n := p.best()
		most := 0
		for r := range n.Rows {
			if n.Rows[r].Peak > n.Rows[most].Peak {
				most = r
			}
		}
		row, guilty := n.Rows[most], p.of.columns[most]
		file := guilty.file.file
		f := contract.Finding{Rule: p.Rule, File: file.Name, Message: p.Says, Measured: fmt.Sprintf("%s left, %s on average",
			level(row.Peak), level(row.Average())), Limit: fmt.Sprintf("at most %s", level(row.Limit))}
		if row.Peak == 0 {
			f.Measured = "nothing left"
		}
		if n.OK() {
			h.note(true, f)
			continue
		}
		if !p.told && slices.ContainsFunc(p.Parts, func(part sums.Part) bool { return part.Turned != nil }) {
			f.Severity, f.Measured = contract.Warning, "not measured" // there are many filters that turn by 90°
			f.Message = fmt.Sprintf("That %s could not be proven: its surrounds are turned by 90° in a way that the desk does not know", p.Says)
			h.hold(f)
			continue
		}
		f.Message = p.Denies
		var reasons []string // there may be several that explain it
		for _, o := range p.others {
			if o.OK() {
				if reasons = append(reasons, o.changed); len(reasons) == 1 {
					guilty = o.culprit.columns[0]
				}
			}
		}
		if len(reasons) > 0 {
			f.Message += "; what would explain it is that " + strings.Join(reasons, ", or that ")
		}
		over := row.OverAt
		if over < 0 {
			over = row.PeakAt
		}
		f = h.place(on(f, guilty), file, h.around.lead+over)
		if !p.told && len(h.told) > 0 { // the papers say what does, and this is not among it
			f.Severity = contract.Warning
			f.Message += "; the delivery's own papers do not say that it should"
			h.hold(f)
			continue
		}
		h.note(false, f)
	}
}

// at tells a group at a rate from the same at another, in another file.
func at(group string, rate int) string { return fmt.Sprint(keyed(group), " at ", rate) }

// unproven says what should add up, by the spec or by the papers, and was not held to: no pass has a value for it.
func (c *checking) unproven(list []*placed) {
	rates := map[string][]int{} // at which each group is there
	for _, p := range list {
		for _, place := range p.channels {
			if key := keyed(place.group.key); !slices.Contains(rates[key], rateOf(p.file)) {
				rates[key] = append(rates[key], rateOf(p.file))
			}
		}
	}
	said := map[string]bool{}
	for _, s := range slices.Concat(c.told, sums.Find(c.spec.Sets())) {
		fresh := slices.DeleteFunc(s.Sets(), func(id string) bool {
			missing := slices.ContainsFunc(rates[keyed(id)], func(rate int) bool { return !c.nulled[at(id, rate)] })
			return !missing || said[id]
		})
		if len(fresh) == 0 {
			continue
		}
		for _, id := range fresh {
			said[id] = true
		}
		words := c.words(s)
		c.receipt.Findings = append(c.receipt.Findings, contract.Finding{Rule: words.Rule, Severity: contract.Warning,
			Message:  fmt.Sprintf("That %s was not checked: not all of them are whole among the files, at one rate", words.Says),
			Measured: "not measured"})
	}
}

// words says a sum of which not all groups are there: by the spec's names, where it has any for them.
func (c *checking) words(s sums.Sum) contract.SumWords {
	asked := func(id string) contract.Group {
		if at := slices.IndexFunc(c.spec.Groups, func(g contract.Group) bool { return keyed(g.ID) == keyed(id) }); at >= 0 {
			return c.spec.Groups[at]
		}
		return contract.Group{ID: id, Name: id}
	}
	var names []string
	for _, p := range s.Parts {
		names = append(names, asked(p.ID).Name)
	}
	whole := asked(s.Whole)
	of, _ := whole.Labels()
	first, _ := asked(s.Parts[0].ID).Labels()
	return contract.WordsOfSum(whole.Name, names, slices.Equal(of, first))
}
