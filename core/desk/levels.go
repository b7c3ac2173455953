package desk

import (
	"fmt"
	"math"
	"slices"

	"zestyloom/core/contract"
	"zestyloom/core/loudness"
	"zestyloom/core/timecode"
)

// levels holds what was measured of each group to the spec's limits.
func (h *hearing) levels(bank *loudness.Bank) {
	found := bank.Measurements()
	anchored := h.dialogue() >= 0
	for i, g := range h.groups {
		key := h.span + "/" + g.key
		if h.measured[key] {
			continue // at another rate
		}
		h.measured[key] = true
		called := g.Name
		if h.span != "" {
			called += ", " + h.span
		}
		h.receipt.Groups = append(h.receipt.Groups, Measured{g.key, called, found[i], bank.ShortTerm(i),
			g.peaks.Curve(float64(peakFrames)/float64(h.rate), loudness.Level)})
		h.silence(g, called)
		for _, l := range h.spec.Limits {
			if !l.For(g.key) {
				continue
			}
			var dialogue *float64
			if anchored {
				dialogue = bank.Anchored(i)
			}
			momentary, short := bank.LoudestAt(i)
			h.limits(l.Whole(), g, called, found[i], dialogue, map[string]int64{"momentary": momentary, "short-term": short})
		}
	}
}

// silence says where a group is silent and should not be, or the other way round.
func (h *hearing) silence(g *group, called string) {
	file := g.columns[0].file.file
	switch {
	case g.From.Silence && g.loud:
		f := contract.Finding{Rule: "silent", Message: called + " is to be silent, and is not", Measured: level(g.loudest), Limit: "silence"}
		h.note(false, h.place(on(f, g.columns[0]), file, g.loudAt))
		return
	case g.From.Silence:
		h.note(true, contract.Finding{Rule: "silent", File: file.Name, Message: called + " is silent, as it should be"})
		return
	case !g.loud:
		h.note(false, on(contract.Finding{Rule: "unfed", Message: called + " is silent from the beginning to the end"}, g.columns[0]))
		return
	}
	longer := h.spec.Checks["silence"].Longer
	if longer <= 0 {
		return
	}
	seconds := float64(g.longest) / float64(h.rate)
	f := contract.Finding{Rule: "silence", File: file.Name, Message: called + ": longest silence",
		Measured: fmt.Sprintf("%.2f s", seconds), Limit: fmt.Sprintf("at most %g s", longer)}
	if seconds > longer {
		f = h.place(on(f, g.columns[0]), file, g.worst)
	}
	h.note(seconds <= longer, f)
}

// limits holds what was measured of a group to one of the spec's limits. loudestAt says by rule where the programme was loudest, in
// samples from its beginning.
func (h *hearing) limits(l contract.Limit, g *group, called string, m loudness.Measurement, dialogue *float64, loudestAt map[string]int64) {
	loudest := slices.MaxFunc(g.columns, func(a, b *column) int {
		if a.peak < b.peak {
			return -1
		}
		return 1
	})
	file := loudest.file.file
	if m.Unmeasured > 0 {
		h.note(false, contract.Finding{Rule: "measurable", File: file.Name,
			Message: called + ": samples are no numbers, so nothing that is measured of it holds"})
		return
	}
	if l.Integrated != nil {
		integrated, message := m.IntegratedLUFS, ": integrated loudness"
		if l.Measured == contract.DialogueGate {
			integrated, message = dialogue, ": loudness where the dialogue is heard"
		}
		tolerance := 0.0
		if l.Tolerance != nil {
			tolerance = *l.Tolerance
		}
		measured := figure(integrated, "LUFS")
		if integrated == nil {
			measured = "not measured: nothing is loud enough, or no file has the dialogue by itself"
		}
		h.note(integrated != nil && math.Abs(*integrated-*l.Integrated) <= tolerance+1e-9, contract.Finding{Rule: "loudness", File: file.Name,
			Message: called + message, Measured: measured, Limit: fmt.Sprintf("%s ±%g", figure(l.Integrated, "LUFS"), tolerance)})
	}
	for _, most := range []struct {
		rule, message, unit string
		measured, limit     *float64
		slack               float64
		peak                bool
	}{
		{"true-peak", "highest true peak", "dBTP", m.TruePeakMaxDBTP, l.TruePeak, 0, true},
		{"ppm", "highest programme level", "PPM", m.PPMMax, l.PPMMax, 0.05, true},
		{"short-term", "highest short-term loudness", "LUFS", m.ShortTermMaxLUFS, l.ShortTermMax, 0, false},
		{"momentary", "highest momentary loudness", "LUFS", m.MomentaryMaxLUFS, l.MomentaryMax, 0, false},
		{"loudness-range", "loudness range", "LU", m.LoudnessRangeLU, l.RangeMax, 0, false},
	} {
		if most.limit == nil {
			continue
		}
		silent := m.TruePeakMaxDBTP == nil // which lies below every limit
		ok := silent || most.measured != nil && *most.measured <= *most.limit+most.slack
		f := contract.Finding{Rule: most.rule, File: file.Name, Message: called + ": " + most.message,
			Measured: figure(most.measured, most.unit), Limit: "at most " + figure(most.limit, most.unit)}
		if most.measured == nil && !silent {
			f.Measured = "not measured: too short, or too low"
		}
		if !ok && most.peak {
			f = h.place(on(f, loudest), file, loudest.peakAt)
		}
		if at, there := loudestAt[most.rule]; there && !ok {
			f = h.place(on(f, g.columns[0]), file, h.around.lead+at)
		}
		h.note(ok, f)
	}
}

// unmeasured finds limits of groups that no file has all of: they are not met.
func (c *checking) unmeasured(list []*placed, measured map[string]bool) {
	if c.refused {
		return // what is missing has been said
	}
	spans := map[string]bool{}
	for _, p := range list {
		spans[p.span] = true
	}
	for span := range spans {
		for _, l := range c.spec.Limits {
			for _, g := range c.spec.Groups {
				whole := g.From.Each != nil || g.Optional || measured[span+"/"+g.ID]
				if len(l.Of) > 0 && l.For(g.ID) && !whole {
					c.note(false, contract.Finding{Rule: "measurable", Message: g.Name + " is to be measured, and the files do not have all of it",
						Measured: "not measured"})
				}
			}
		}
	}
}

// lengths holds the lengths of the files of a range against each other, and against whole frames.
func (c *checking) lengths(list []*placed) {
	seconds := func(p *placed) float64 { return float64(p.length) / float64(rateOf(p.file)) }
	for _, p := range list {
		var same, most int
		longest := p
		for _, other := range list { // what most of them are, or the longest of them
			if other.span != p.span {
				continue
			}
			alike := 0
			for _, third := range list {
				if third.span == p.span && math.Abs(seconds(third)-seconds(other)) < 0.5/float64(rateOf(third.file)) {
					alike++
				}
			}
			if alike > most || alike == most && seconds(other) > seconds(longest) {
				longest, most = other, alike
			}
			same++
		}
		want := timecode.Convert(longest.length, rateOf(longest.file), rateOf(p.file))
		if same > 1 {
			f := contract.Finding{Rule: "length", File: p.file.Name, Message: "Length in samples, as the files of the delivery",
				Measured: c.samples(p, p.length), Limit: c.samples(p, want)}
			c.note(p.length == want, c.place(f, p.file, min(p.length, want)))
		}
		if p.file.Pictures > 0 && p.file.Frames > 0 {
			c.compare("length", p.file.Name, "Length of the picture in frames, as of the sound", p.file.Frames, c.pictures(p))
		}
		if _, asks := c.spec.FrameRate(); asks && p.length == want {
			whole := c.rate.SampleOf(c.rate.FrameAt(p.length, rateOf(p.file)), rateOf(p.file)) == p.length
			if !whole {
				c.note(false, contract.Finding{Rule: "length", File: p.file.Name, Message: "It is no whole number of frames long",
					Measured: fmt.Sprintf("%d samples", p.length)})
			}
		}
	}
}

// pictures is how many frames of the picture the sound is long.
func (c *checking) pictures(p *placed) int64 {
	rate := p.file.FrameRate
	if !rate.Valid() {
		rate = c.rate
	}
	return rate.FrameAt(p.length, rateOf(p.file))
}

// samples writes a length so that a single sample shows, and frames are understood.
func (c *checking) samples(p *placed, n int64) string {
	return fmt.Sprintf("%d (%s)", n, c.rate.Label(c.rate.FrameAt(n, rateOf(p.file))))
}
