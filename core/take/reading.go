package take

import (
	"regexp"
	"slices"
	"strings"
	"unicode"

	"zestyloom/core/fault"
	"zestyloom/core/layout"
)

// SetKind says how channels are read together.
type SetKind string

const (
	Bonded SetKind = "bonded" // a stereo pair or a surround set: one label for each channel
	Field  SetKind = "field"  // an ambisonic sound field, by its channels' order: ACN0… (SN3D) or W X Y Z (FuMa)
	Sum    SetKind = "sum"    // the channels added up to one, each at 1/n so that it can't clip where they do not
)

// Set is channels of a take that are read together. The source is not changed by it. A take's reading is its sets;
// what is in none is read as single channels.
type Set struct {
	Kind     SetKind  `json:"kind"`
	Channels []int    `json:"channels"` // from 1, in the order of Labels
	Labels   []string `json:"labels"`
}

// fieldLabels are the orders in which sound fields of the first to the third order come: ACN with SN3D, ACN with N3D, FuMa.
var fieldLabels = func() (all [][]string) {
	for order := 1; order <= 3; order++ {
		all = append(all, layout.ACNLabels(order), layout.N3DLabels(order), layout.FuMaLabels(order))
	}
	return all
}()

// isField tells whether labels are those of a sound field, in one of its orders.
func isField(labels []string) bool {
	return slices.ContainsFunc(fieldLabels, func(l []string) bool { return slices.Equal(l, labels) })
}

// fieldWords are those in the name of a file that say that it is a sound field.
var fieldWords = []string{"foa", "hoa", "1oa", "2oa", "3oa", "ambix", "acn", "sn3d", "n3d", "fuma"}

// fieldOf gives the labels of a file that is a sound field to the third order, by the names of its channels, else by its own. nil
// where it is none.
func fieldOf(tracks []Track, fileName string) []string {
	order := map[int]int{4: 1, 9: 2, 16: 3}[len(tracks)]
	if order == 0 {
		return nil
	}
	labels := make([]string, len(tracks))
	for i, t := range tracks {
		words := strings.FieldsFunc(t.Name, func(r rune) bool { return r == ' ' || r == '_' || r == '-' || r == '.' })
		if len(words) > 0 {
			labels[i] = strings.ToUpper(words[len(words)-1])
		}
	}
	if isField(labels) {
		return labels
	}
	words := strings.FieldsFunc(strings.ToLower(Bare(fileName)), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
	switch {
	case !slices.ContainsFunc(words, func(w string) bool { return slices.Contains(fieldWords, w) }):
		return nil
	case slices.Contains(words, "fuma"):
		return layout.FuMaLabels(order)
	case slices.Contains(words, "n3d"):
		return layout.N3DLabels(order)
	}
	return layout.ACNLabels(order)
}

// Pair reads two channels as stereo.
func Pair(left, right int) Set {
	return Set{Bonded, []int{left, right}, []string{"L", "R"}}
}

// CheckSets tells whether sets can be a reading of a take with so many channels: every channel there and in no more
// than one set, labels that make a layout. Errors are BadInput.
func CheckSets(sets []Set, channels int) error {
	in := map[int]bool{}
	for _, s := range sets {
		for _, c := range s.Channels {
			if c < 1 || c > channels {
				return fault.New(fault.BadInput, "There is no channel %d; there are channels 1 to %d", c, channels)
			}
			if in[c] {
				return fault.New(fault.BadInput, "Channel %d can't be read in two ways at once", c)
			}
			in[c] = true
		}
		if len(s.Channels) < 2 {
			return fault.New(fault.BadInput, "A set has two channels or more")
		}
		switch s.Kind {
		case Sum:
			if !slices.Equal(s.Labels, []string{"M"}) {
				return fault.New(fault.BadInput, "A sum is one channel, labelled M")
			}
			continue
		case Field:
			if !isField(s.Labels) {
				return fault.New(fault.BadInput, "A sound field has 4, 9 or 16 channels, in the order of ACN or of FuMa")
			}
		case Bonded:
			if _, ok := layout.ForLabels(s.Labels); !ok {
				return fault.New(fault.BadInput, "%s are not the channels of any layout", strings.Join(s.Labels, " "))
			}
		default:
			return fault.New(fault.BadInput, "Channels are read as a bonded set, as a sound field or as their sum, not as %q", s.Kind)
		}
		if len(s.Labels) != len(s.Channels) {
			return fault.New(fault.BadInput, "%d channels can't carry %d labels", len(s.Channels), len(s.Labels))
		}
	}
	return nil
}

// DefaultSets is how a take is read before anybody has said otherwise: as the set that the file says it is, and a
// two-channel file that was not recorded on the set as a pair, unless its channels' names are those of no pair. Channels beside
// each other that are called as those of one part of a mix are a set too, such as MUS_L and MUS_R.
func DefaultSets(d Description, kind Kind, words *Vocabulary) []Set {
	all := make([]int, d.Channels)
	for i := range all {
		all[i] = i + 1
	}
	if isField(d.Labels) && len(d.Labels) == d.Channels {
		return []Set{{Field, all, d.Labels}}
	}
	if order := map[layout.Name]int{layout.FOA: 1, layout.HOA2: 2, layout.HOA3: 3}[d.Layout]; order > 0 && d.Channels == (order+1)*(order+1) {
		labels := layout.ACNLabels(order)
		if len(d.Tracks) == d.Channels && strings.EqualFold(d.Tracks[1].Name, "X") {
			labels = layout.FuMaLabels(order)
		}
		return []Set{{Field, all, labels}}
	}
	if l, err := layout.New(d.Layout, "", 0); err == nil && l.Width() == d.Channels &&
		CheckSets([]Set{{Bonded, all, l.Labels}}, d.Channels) == nil {
		if len(d.Labels) == d.Channels && CheckSets([]Set{{Bonded, all, d.Labels}}, d.Channels) == nil {
			return []Set{{Bonded, all, d.Labels}} // in whatever order they stand
		}
		// Named channels stand in whatever order the names say.
		named := make([]string, d.Channels)
		for i, t := range d.Tracks {
			named[i], _ = layout.Label(t.Name)
		}
		if by, ok := layout.ForLabels(named); ok && by.Name == l.Name {
			return []Set{{Bonded, all, named}}
		}
		return []Set{{Bonded, all, l.Labels}}
	}
	if sets := namedSets(d.Tracks, words); len(sets) > 0 {
		return sets
	}
	if d.Channels == 2 && kind != Recording && (len(d.Tracks) < 2 || !NoPair(d.Tracks[0].Name, d.Tracks[1].Name)) {
		return []Set{Pair(1, 2)}
	}
	return []Set{}
}

// namedSets are runs of channels that are called the same part of a mix, and after their places in it.
func namedSets(tracks []Track, words *Vocabulary) (sets []Set) {
	named := make([]Named, len(tracks))
	for i, t := range tracks {
		named[i] = ReadName(t.Name, words)
	}
	for i := 0; i < len(named); {
		run := i + 1
		for run < len(named) && named[i].Label != "" && named[run].Label != "" && named[run].Base == named[i].Base &&
			named[run].Role == named[i].Role {
			run++
		}
		set := Set{Kind: Bonded}
		for c := i; c < run; c++ {
			set.Channels, set.Labels = append(set.Channels, c+1), append(set.Labels, named[c].Label)
		}
		if _, layout := layout.ForLabels(set.Labels); layout && len(set.Labels) > 1 && named[i].Role != "" {
			sets = append(sets, set)
		}
		i = run
	}
	return sets
}

// Part is what becomes one track, or one file: one channel or a set of them.
type Part struct {
	Name     string
	Channels []int    // of the source, from 0
	Labels   []string // of each channel in the part, such as M or L, R; one for all where they are added up
	Sum      bool     // the channels are added up, each at 1/n
}

// Parts cuts a take into one part for each set and for each channel that is in none, in channel order; a set stands
// where its first channel in that order does. Errors are those of CheckSets.
func Parts(d Description, sets []Set) ([]Part, error) {
	if err := CheckSets(sets, d.Channels); err != nil {
		return nil, err
	}
	setOf := map[int]int{}
	for i, s := range sets {
		for _, c := range s.Channels {
			setOf[c] = i
		}
	}
	var parts []Part
	done := map[int]bool{}
	for c := 1; c <= d.Channels; c++ {
		i, inSet := setOf[c]
		if !inSet {
			parts = append(parts, Part{Name: ChannelName(d.Tracks[c-1]), Channels: []int{c - 1}, Labels: []string{"M"}})
			continue
		}
		if done[i] {
			continue
		}
		done[i] = true
		s := sets[i]
		p := Part{Labels: s.Labels, Sum: s.Kind == Sum}
		var names []string
		for _, channel := range s.Channels {
			p.Channels = append(p.Channels, channel-1)
			names = append(names, ChannelName(d.Tracks[channel-1]))
		}
		p.Name = SetName(names, s)
		parts = append(parts, p)
	}
	return parts, nil
}

// SetName joins the names of a set: what they have in common where they differ only in the channel's label, else both
// names of a pair, else what the set is.
func SetName(names []string, s Set) string {
	common := ""
	for i, n := range names {
		base := n
		if s.Kind != Sum && i < len(s.Labels) {
			base = withoutLabel(n, s.Labels[i])
		}
		if i > 0 && base != common {
			common = ""
			break
		}
		common = base
	}
	switch {
	case common != "":
		return common
	case len(names) == 2 && strings.HasPrefix(names[0], unnamed) && strings.HasPrefix(names[1], unnamed):
		return names[0] + "-" + names[1][len(unnamed):]
	case len(names) == 2:
		return names[0] + " + " + names[1]
	case s.Kind == Field:
		return "Sound field"
	case s.Kind == Sum:
		return "Sum of " + strings.Join(names, " + ")
	}
	if l, ok := layout.ForLabels(s.Labels); ok {
		return string(l.Name)
	}
	return strings.Join(names, " + ")
}

// NoPair tells that two channels have names that no left and right have: both are named, and what is left of the names without
// a side or a number is not the same, as in a boom and a lavalier.
func NoPair(a, b string) bool {
	base := func(name, side string) string {
		rest := withoutLabel(strings.TrimSpace(name), side)
		return strings.ToLower(strings.TrimRight(rest, "0123456789 ._-"))
	}
	left, right := base(a, "L"), base(b, "R")
	if strings.TrimSpace(a) == "" || strings.TrimSpace(b) == "" {
		return false
	}
	_, is := layout.Label(a)
	_, was := layout.Label(b)
	return !is && !was && left != right
}

// withoutLabel takes the label that stands for the channel off the end of a name. A side is also found when it is
// written without a blank before it, as in MixL.
func withoutLabel(name, label string) string {
	if m := LastWord.FindStringSubmatch(name); m != nil {
		if got, ok := layout.Label(m[2]); ok && got == label {
			return strings.TrimRight(m[1], " ._-")
		}
	}
	if label == "L" || label == "R" {
		if base, ok := strings.CutSuffix(name, label); ok && base != "" {
			return strings.TrimRight(base, " ._-")
		}
	}
	if got, ok := layout.Label(name); ok && got == label {
		return ""
	}
	return name
}

// LastWord finds the last word of a name, and what stands before it.
var LastWord = regexp.MustCompile(`^(.+?)[ ._\-]+([A-Za-z0-9]+)$`)
