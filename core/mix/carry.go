package mix

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"zestyloom/core/dsp"
	"zestyloom/core/layout"
)

// Fold says how a set becomes a narrower one, after ITU-R BS.775 where it becomes a pair.
type Fold struct {
	CentreDB   float64  `json:"centreDB"`        // of the centre in each side
	SurroundDB float64  `json:"surroundDB"`      // of the surrounds, and what is above, in their side
	LFEDB      *float64 `json:"lfeDB,omitempty"` // of the LFE in each side; nil leaves it out
	MonoDB     float64  `json:"monoDB"`          // of each side of a pair in a mono
	TrimDB     float64  `json:"trimDB,omitempty"`
	Encoded    bool     `json:"encoded,omitempty"` // the surrounds go to Lt and Rt at ±90°; a processor turns them, see Surrounds
}

// Usual is a fold-down with centre and surrounds at −3 dB, no LFE, and mono as half of each side.
func Usual() Fold {
	return Fold{CentreDB: dsp.DB(math.Sqrt2 / 2), SurroundDB: dsp.DB(math.Sqrt2 / 2), MonoDB: dsp.DB(0.5)}
}

// Loss is what becomes of a channel that has no place of its own in another format.
type Loss struct {
	Channel string   `json:"channel"`
	Into    []string `json:"into"`   // where it goes instead; none where it is left out
	GainDB  float64  `json:"gainDB"` // in each of them
}

// String says it in words.
func (l Loss) String() string {
	if len(l.Into) == 0 {
		return l.Channel + " is left out"
	}
	return strings.Replace(fmt.Sprintf("%s goes into %s at %+.1f dB", l.Channel, words(l.Into), l.GainDB), "at -", "at −", 1)
}

func words(list []string) string {
	switch len(list) {
	case 0:
		return ""
	case 1:
		return list[0]
	}
	head := ""
	for _, w := range list[:len(list)-1] {
		if head != "" {
			head += ", "
		}
		head += w
	}
	return head + " and " + list[len(list)-1]
}

// instead are the places that stand in for one that a set lacks, the first that are all there: a surround goes where
// surrounds are, shared by equal power, and only where there are none to the front.
var instead = map[string][][]string{
	"Ls": {{"Lss", "Lrs"}}, "Rs": {{"Rss", "Rrs"}},
	"Lss": {{"Ls"}}, "Lrs": {{"Ls"}}, "Rss": {{"Rs"}}, "Rrs": {{"Rs"}},
	"Ltr": {{"Ls"}, {"Lss", "Lrs"}}, "Rtr": {{"Rs"}, {"Rss", "Rrs"}},
}

// Carry gives the matrix from one format to another, channel by channel: by meaning, not by number. A channel goes to the
// one of its label; where there is none it is folded, and lost says so. Loose channels, and a mono, which have no place,
// go to a mono and to the middle; placing them anywhere else is for a Room. It is not ok where nothing would arrive.
func Carry(from, to layout.Format, f Fold) (m Matrix, lost []Loss, ok bool) {
	m = Zero(len(to.Labels), len(from.Labels))
	switch {
	case slices.Equal(from.Labels, to.Labels):
		m = Identity(len(from.Labels)) // exactly, also where a label has no place, as in a dual mono
	case from.Kind == layout.Field && to.Kind == layout.Field:
		m = Outward(to).Mul(order(from.Order, to.Order)).Mul(Inward(from))
		for i, acn := range from.ACN {
			if acn >= len(to.ACN) {
				lost = append(lost, Loss{Channel: from.Labels[i]})
			}
		}
	case from.Kind == layout.Field:
		m = fieldTo(from, to, f)
	case to.Kind == layout.Field:
		toField(m, from, to)
	default:
		for i := range from.Labels {
			if l := f.channel(m, i, from, to); l != nil {
				lost = append(lost, *l)
			}
		}
	}
	m = m.Scaled(dsp.Gain(f.TrimDB))
	return m, lost, slices.ContainsFunc(m.Gain, func(g float64) bool { return g != 0 })
}

// fieldTo decodes a field: to a pair by cardioids, to a mono by what comes from everywhere, else to the speakers.
func fieldTo(from, to layout.Format, f Fold) Matrix {
	in := Inward(from)
	if left, right := slices.Index(to.Labels, "L"), slices.Index(to.Labels, "R"); len(to.Labels) == 2 && left >= 0 && right >= 0 {
		sides := Sides(from.Order)
		if left > right {
			sides.Gain = append(slices.Clone(sides.Gain[sides.Cols:]), sides.Gain[:sides.Cols]...)
		}
		return sides.Mul(in)
	}
	if room, ok := NewRoom(to.Speakers()); ok {
		return Decode(from.Order, room).Mul(in)
	}
	m := Zero(len(to.Labels), len(from.Labels))
	for r := range to.Labels {
		m.Set(r, 0, 1)
	}
	return m.Mul(in)
}

// toField encodes each channel from where its speaker stands; one without a place comes from the front.
func toField(m Matrix, from, to layout.Format) {
	for c, s := range from.Speakers() {
		if s.LFE {
			continue
		}
		v := toward(s.Azimuth, s.Elevation)
		for r, g := range Encode(to, Position{X: -v[1], Y: v[0], Z: v[2]}) {
			m.Set(r, c, g)
		}
	}
}

// channel sets where one channel goes, and tells what becomes of it where it has no place of its own.
func (f Fold) channel(m Matrix, i int, from, to layout.Format) *Loss {
	label := from.Labels[i]
	put := func(gain float64, places ...string) *Loss {
		for _, p := range places {
			m.Set(slices.Index(to.Labels, p), i, gain)
		}
		return &Loss{label, places, dsp.DB(gain)}
	}
	if to.Unnamed() && len(to.Labels) > 1 { // of what has no names, the first is the first
		if i < len(to.Labels) {
			m.Set(i, i, 1)
			return nil
		}
		return &Loss{Channel: label}
	}
	if len(to.Labels) == 1 && label != to.Labels[0] || to.Kind == layout.Loose {
		return f.mono(m, i, from, to)
	}
	if at := slices.Index(to.Labels, label); at >= 0 {
		m.Set(at, i, 1)
		return nil
	}
	for _, places := range instead[label] {
		if slices.ContainsFunc(places, func(p string) bool { return !slices.Contains(to.Labels, p) }) {
			continue
		}
		gain := math.Sqrt2 / 2
		if label[1:] == "tr" {
			gain /= math.Sqrt(float64(len(places)))
		}
		return put(gain, places...)
	}
	s, placed := layout.Speakers[label]
	pair := slices.Contains(to.Labels, "L") && slices.Contains(to.Labels, "R")
	switch {
	case !pair:
		return &Loss{Channel: label}
	case s.LFE && f.LFEDB != nil:
		return put(dsp.Gain(*f.LFEDB), "L", "R")
	case s.LFE || !placed:
		return &Loss{Channel: label}
	case label == "M" && slices.Contains(to.Labels, "C"):
		return put(1, "C")
	case label == "C" || label == "M":
		return put(dsp.Gain(f.CentreDB), "L", "R")
	case f.Encoded && (label == "Ls" || label == "Rs"): // they are turned by Surrounds
		return &Loss{label, []string{"L", "R"}, f.SurroundDB}
	case s.Azimuth > 0:
		return put(dsp.Gain(f.SurroundDB), "L")
	default:
		return put(dsp.Gain(f.SurroundDB), "R")
	}
}

// mono sets a channel's gain in a mono: both sides of what it would be in a pair. What has no place is an equal part of
// all; loose channels are whole, as each would be by itself.
func (f Fold) mono(m Matrix, i int, from, to layout.Format) *Loss {
	label := from.Labels[i]
	s, placed := layout.Speakers[label]
	gain := 1 / float64(len(from.Labels))
	switch {
	case from.Kind == layout.Loose || len(from.Labels) == 1:
		gain = 1
	case s.LFE && f.LFEDB == nil:
		return &Loss{Channel: label}
	case s.LFE:
		gain = 2 * dsp.Gain(f.MonoDB) * dsp.Gain(*f.LFEDB)
	case label == "L" || label == "R":
		gain = dsp.Gain(f.MonoDB)
	case label == "C":
		gain = 2 * dsp.Gain(f.MonoDB) * dsp.Gain(f.CentreDB)
	case placed:
		gain = dsp.Gain(f.MonoDB) * dsp.Gain(f.SurroundDB)
	}
	for r := range to.Labels {
		m.Set(r, i, gain)
	}
	if len(from.Labels) == 1 {
		return nil
	}
	return &Loss{label, to.Labels, dsp.DB(gain)}
}

// Surrounds gives the gains of the surrounds in an encoded fold-down, to be turned by +90° into Lt and by −90° into Rt.
func (f Fold) Surrounds(from layout.Format) Matrix {
	m := Zero(2, len(from.Labels))
	if !f.Encoded {
		return m
	}
	for i, label := range from.Labels {
		if label == "Ls" || label == "Rs" {
			g := dsp.Gain(f.SurroundDB) * dsp.Gain(f.TrimDB)
			m.Set(0, i, g)
			m.Set(1, i, -g)
		}
	}
	return m
}
