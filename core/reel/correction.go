package reel

import (
	"fmt"
	"slices"
	"strings"

	"zestyloom/core/fault"
)

// Correction brings an output group to its limits: a gain, a slow ride, and what a limiter does, as curves that were worked out on the
// whole programme (core/correct). The same gain acts at the same sample on all groups that are parts of it, so that they still add
// up. Nothing in it has a memory: what is rendered stays a function of the place.
type Correction struct {
	ID     string   `json:"id"` // follows from the group
	Of     string   `json:"of"`
	Groups []string `json:"groups"` // all that it acts on, Of among them
	To     Target   `json:"to"`
	GainDB float64  `json:"gainDB"`
	Ride   []Point  `json:"ride,omitempty"`  // dB over samples of the reel, for people to see and to change
	Limit  []Point  `json:"limit,omitempty"` // dB over samples of the reel: what the limiter takes away
	// MatchDB is how much louder the group is through it, by integrated loudness: at that gain it is heard as loud without.
	MatchDB float64 `json:"matchDB"`
	Basis   string  `json:"basis,omitempty"`  // tells what it was worked out on; empty where it is not what it was worked out to be
	Before  *Levels `json:"before,omitempty"` // of the group, without it, when it was worked out
	Off     bool    `json:"off,omitempty"`    // it stays, and does nothing
}

// Target is what a correction brings a group to; nil where nothing is asked.
type Target struct {
	Title        string   `json:"title"`                  // of the spec or profile
	Integrated   *float64 `json:"integrated,omitempty"`   // LUFS
	Dialogue     bool     `json:"dialogue,omitempty"`     // measured where the dialogue is heard
	TruePeak     *float64 `json:"truePeak,omitempty"`     // dBTP
	ShortTermMax *float64 `json:"shortTermMax,omitempty"` // LUFS
	MomentaryMax *float64 `json:"momentaryMax,omitempty"` // LUFS
	PPMMax       *float64 `json:"ppmMax,omitempty"`
}

// Asks tells whether anything is asked at all.
func (t Target) Asks() bool {
	return t.Integrated != nil || t.TruePeak != nil || t.ShortTermMax != nil || t.MomentaryMax != nil || t.PPMMax != nil
}

// Levels are what was measured of a programme; nil is what does not exist, as in silence.
type Levels struct {
	Integrated   *float64 `json:"integrated,omitempty"`   // LUFS, where the dialogue is heard if the target is measured there
	TruePeak     *float64 `json:"truePeak,omitempty"`     // dBTP
	ShortTermMax *float64 `json:"shortTermMax,omitempty"` // LUFS
	MomentaryMax *float64 `json:"momentaryMax,omitempty"` // LUFS
	PPMMax       *float64 `json:"ppmMax,omitempty"`
	Range        *float64 `json:"range,omitempty"` // LU
}

// CorrectionID names the correction of a group.
func CorrectionID(group string) string { return "correction " + group }

// Moves tells whether the gain of the correction changes with the clock.
func (c Correction) Moves() bool { return len(c.Ride)+len(c.Limit) > 0 }

// CorrectionList gives the corrections in an order that does not change.
func (r *Reel) CorrectionList() []Correction {
	return sorted(r.Corrections, func(a, b Correction) int { return strings.Compare(a.ID, b.ID) })
}

// CorrectionOn gives the correction that acts on a group.
func (r *Reel) CorrectionOn(group string) (Correction, bool) {
	for _, c := range r.Corrections {
		if slices.Contains(c.Groups, group) {
			return c, true
		}
	}
	return Correction{}, false
}

// Matched gives the reel as it is without its corrections, but as loud as with them.
func (r *Reel) Matched() *Reel {
	out := r.Clone()
	for id, c := range out.Corrections {
		if c.GainDB, c.Ride, c.Limit = c.MatchDB, nil, nil; !c.Off {
			out.Corrections[id] = c
		}
	}
	return out
}

// Uncorrected gives the reel without the correction of a group.
func (r *Reel) Uncorrected(group string) *Reel {
	out := r.Clone()
	delete(out.Corrections, CorrectionID(group))
	return out
}

// SetCorrection has a group, and those that are parts of it, be corrected as was worked out.
type SetCorrection struct {
	Of      string   `json:"of"`
	Groups  []string `json:"groups"`
	To      Target   `json:"to"`
	GainDB  float64  `json:"gainDB"`
	Ride    []Point  `json:"ride,omitempty"`
	Limit   []Point  `json:"limit,omitempty"`
	MatchDB float64  `json:"matchDB"`
	Basis   string   `json:"basis,omitempty"`
	Before  *Levels  `json:"before,omitempty"`
}

func (c SetCorrection) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	g, there := r.Groups[c.Of]
	if !there {
		return Change{}, "", fault.New(fault.NotFound, "This output group is no longer on the reel")
	}
	groups := slices.Clone(c.Groups)
	if !slices.Contains(groups, c.Of) {
		groups = append([]string{c.Of}, groups...)
	}
	d.corrections.put(CorrectionID(c.Of), Correction{ID: CorrectionID(c.Of), Of: c.Of, Groups: groups, To: c.To, GainDB: c.GainDB,
		Ride:  some(c.Ride),
		Limit: some(c.Limit), MatchDB: c.MatchDB, Basis: c.Basis, Before: c.Before})
	return d.finish(), "correct " + g.Name, nil
}

// ChangeCorrection changes what people may of a correction; what is left nil stays.
type ChangeCorrection struct {
	Of   string   `json:"of"`
	Ride *[]Point `json:"ride,omitempty"` // after which it is to be worked out anew, as the limiter was worked out on another ride
	Off  *bool    `json:"off,omitempty"`
}

func (c ChangeCorrection) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	now, there := d.corrections.get(CorrectionID(c.Of))
	if !there {
		return Change{}, "", noCorrection(c.Of)
	}
	what := "ride of the correction of "
	if c.Ride != nil {
		ride, err := steady(slices.Clone(*c.Ride))
		if err != nil {
			return Change{}, "", err
		}
		now.Ride, now.Basis = some(ride), ""
	}
	if c.Off != nil {
		if now.Off, what = *c.Off, "switch on the correction of "; *c.Off {
			what = "switch off the correction of "
		}
	}
	d.corrections.put(now.ID, now)
	return d.finish(), what + r.Groups[c.Of].Name, nil
}

// RemoveCorrection takes the correction of a group back.
type RemoveCorrection struct {
	Of string `json:"of"`
}

func (c RemoveCorrection) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	if _, there := d.corrections.get(CorrectionID(c.Of)); !there {
		return Change{}, "", noCorrection(c.Of)
	}
	d.corrections.drop(CorrectionID(c.Of))
	return d.finish(), "take back the correction of " + r.Groups[c.Of].Name, nil
}

func noCorrection(group string) error {
	return fault.New(fault.NotFound, "This output group is not corrected")
}

// followGroups has corrections go with the groups that they act on: one whose own group goes, goes with it, and so does one whose
// group comes to be derived from another that is corrected. What goes though its group stays is given in words.
func (d *draft) followGroups() (lost []string) {
	named := func(id string) string { g, _ := d.groups.get(id); return g.Name }
	list := slices.SortedFunc(d.corrections.all(), func(a, b Correction) int { return strings.Compare(a.ID, b.ID) })
	for _, c := range list {
		if _, there := d.groups.get(c.Of); !there {
			d.corrections.drop(c.ID)
			continue
		}
		if d.correctedBefore(list, c) {
			d.corrections.drop(c.ID)
			lost = append(lost, "the correction of "+named(c.Of))
			continue
		}
		stay := slices.DeleteFunc(slices.Clone(c.Groups), func(g string) bool { _, there := d.groups.get(g); return !there })
		stay = slices.DeleteFunc(slices.Clone(stay), func(g string) bool { // it would act there twice
			twice := g != c.Of && (d.correctedBefore(list, Correction{ID: c.ID, Of: g}) || derives(d.groups.get, g, c.Of) ||
				slices.ContainsFunc(stay,
					func(h string) bool { return h != g && derives(d.groups.get, h, g) }))
			if twice && !derives(d.groups.get, c.Of, g) { // what is derived from the group itself has it from there
				lost = append(lost, fmt.Sprintf("the correction of %s on %s", named(c.Of), named(g)))
			}
			return twice
		})
		if len(stay) < len(c.Groups) {
			c.Groups = stay
			d.corrections.put(c.ID, c)
		}
	}
	return lost
}

// correctedBefore tells whether the group of a correction is derived from one that another acts on, so that both would.
func (d *draft) correctedBefore(all []Correction, c Correction) bool {
	return slices.ContainsFunc(all, func(other Correction) bool {
		_, there := d.corrections.get(other.ID)
		return there && other.ID != c.ID && slices.ContainsFunc(other.Groups, func(g string) bool { return derives(d.groups.get, g, c.Of) })
	})
}

// moveCorrections has corrections act on the groups that stand for those that they acted on.
func (d *draft) moveCorrections(heirs map[string]string) (lost []string) {
	taken := map[string]bool{}
	for _, c := range d.reel.CorrectionList() {
		d.corrections.drop(c.ID)
		next := c
		if next.Of = heirs[c.Of]; next.Of == "" || taken[next.Of] {
			lost = append(lost, "the correction of "+d.reel.Groups[c.Of].Name)
			continue
		}
		next.ID, next.Groups = CorrectionID(next.Of), nil
		for _, g := range c.Groups {
			switch to := heirs[g]; {
			case to == "" || slices.Contains(next.Groups, to):
			case taken[to]:
				lost = append(lost, fmt.Sprintf("the correction of %s on %s", d.reel.Groups[c.Of].Name, d.reel.Groups[g].Name))
			default:
				next.Groups = append(next.Groups, to)
				taken[to] = true
			}
		}
		d.corrections.put(next.ID, next)
	}
	return lost
}

// Derives tells whether an output group is derived from another, by whatever way.
func (r *Reel) Derives(from, to string) bool {
	return derives(func(id string) (Group, bool) { g, there := r.Groups[id]; return g, there }, from, to)
}

func derives(group func(id string) (Group, bool), from, to string) bool {
	for range 1000 { // a circle, which no command makes, ends as well
		g, there := group(to)
		if !there || g.Feed == nil || g.Feed.Row != GroupRow {
			return false
		}
		if to = g.Feed.From; to == from {
			return true
		}
	}
	return false
}

func (r *Reel) checkCorrection(id string, c Correction) error {
	if c.ID != id || id != CorrectionID(c.Of) || !word(id, 300) || !slices.Contains(c.Groups, c.Of) || len(c.To.Title) > 300 ||
		len(c.Basis) > 200 {
		return broken("A correction is called after the output group that it is of")
	}
	for _, gain := range []float64{c.GainDB, c.MatchDB} {
		if err := checkGain(gain); err != nil {
			return err
		}
	}
	for _, points := range [][]Point{c.Ride, c.Limit} {
		if err := checkCurve(points, checkGain); err != nil {
			return err
		}
	}
	for _, limit := range []*float64{c.To.Integrated, c.To.TruePeak, c.To.ShortTermMax, c.To.MomentaryMax, c.To.PPMMax} {
		if limit != nil && !(*limit >= -100 && *limit <= 100) {
			return broken("No programme could be brought to %g", *limit)
		}
	}
	return r.checkCorrected(c)
}

// checkCorrected looks at the groups that a correction acts on: they are there, and nothing else corrects them.
func (r *Reel) checkCorrected(c Correction) error {
	for i, g := range c.Groups {
		if _, there := r.Groups[g]; !there || slices.Contains(c.Groups[:i], g) {
			return apart("A correction would act on the output group %q, which is not on the reel", g)
		}
		for _, h := range c.Groups {
			if h != g && r.Derives(h, g) {
				return broken("%s is derived from %s, so a correction of both would act on it twice", r.Groups[g].Name, r.Groups[h].Name)
			}
		}
		for _, other := range r.Corrections {
			for _, h := range other.Groups {
				if other.ID != c.ID && r.Derives(h, g) {
					return broken("%s is derived from %s, which is corrected already", r.Groups[g].Name, r.Groups[h].Name)
				}
			}
			if other.ID != c.ID && slices.Contains(other.Groups, g) {
				return broken("%s is corrected already, with %s", r.Groups[g].Name, r.Groups[other.Of].Name)
			}
		}
	}
	return nil
}
