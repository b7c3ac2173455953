package layout

import (
	"math"
	"slices"
	"strconv"
	"strings"

	"zestyloom/core/fault"
)

// Kind is what channels that lie together are to each other.
type Kind string

const (
	Single Kind = "mono"   // one channel by itself
	Loose  Kind = "loose"  // microphones side by side, each of which goes its own way
	Bonded Kind = "bonded" // a set with a place for each channel, which only makes sense together
	Field  Kind = "field"  // a sound field: spherical harmonics, none of which is a place
)

// Norm is how the channels of a sound field are scaled.
type Norm string

const (
	SN3D Norm = "SN3D"
	N3D  Norm = "N3D"
	FuMa Norm = "FuMa" // with letters for channels, to the third order
)

// Format is what a set of channels is, as their labels tell: the one place where labels are read.
type Format struct {
	Kind   Kind
	Labels []string // in channel order
	Name   Name     // of the layout, where the labels are just those of one
	Order  int      // of a sound field, 1 to 3
	Norm   Norm     // of a sound field
	ACN    []int    // of a sound field: the ambisonic channel number of each channel
	Angles Angles   // where speakers stand that were moved; nil where all stand as the standard says
}

// fuma gives the ambisonic channel number of FuMa's letters, in FuMa's order.
var fuma = []struct {
	letter string
	acn    int
}{{"W", 0}, {"X", 3}, {"Y", 1}, {"Z", 2}, {"R", 6}, {"S", 7}, {"T", 5}, {"U", 8}, {"V", 4}, {"K", 12}, {"L", 13}, {"M", 11}, {"N", 14},
	{"O", 10}, {"P", 15}, {"Q", 9}}

// FuMaLabels are the letters of a full sphere of that order, in FuMa's order.
func FuMaLabels(order int) []string {
	labels := make([]string, (order+1)*(order+1))
	for i := range labels {
		labels[i] = fuma[i].letter
	}
	return labels
}

// N3DLabels and ACNLabels are those of sound fields of that order: ACNn is scaled by SN3D.
func N3DLabels(order int) []string { return fieldLabels("N3D", order) }

// ACNLabels: see N3DLabels.
func ACNLabels(order int) []string { return fieldLabels("ACN", order) }

func fieldLabels(prefix string, order int) []string {
	labels := make([]string, (order+1)*(order+1))
	for i := range labels {
		labels[i] = prefix + strconv.Itoa(i)
	}
	return labels
}

// Read tells what channels of these labels are.
func Read(labels []string) Format {
	f := Format{Kind: Bonded, Labels: labels}
	if isField(&f) {
		return f
	}
	switch {
	case len(labels) == 0:
	case len(labels) == 1:
		f.Kind = Single
		if labels[0] == "M" {
			f.Name = Mono
		}
	case !slices.ContainsFunc(labels, func(l string) bool { return strings.TrimRight(l, "0123456789") != "M" }):
		f.Kind = Loose
	default:
		if l, known := ForLabels(labels); known {
			f.Name = l.Name
		}
	}
	return f
}

// Unnamed tells whether the channels have numbers for labels, so that nothing tells where they belong.
func (f Format) Unnamed() bool {
	return len(f.Labels) > 0 && !slices.ContainsFunc(f.Labels, func(l string) bool { return strings.Trim(l, "0123456789") != "" || l == "" })
}

// isField fills in a sound field, where every channel of a full sphere is there once.
func isField(f *Format) bool {
	order := 0
	for order < 3 && (order+1)*(order+1) < len(f.Labels) {
		order++
	}
	if order == 0 || (order+1)*(order+1) != len(f.Labels) {
		return false
	}
	seen := map[int]bool{}
	for _, l := range f.Labels {
		acn, norm := harmonic(l)
		if norm == "" || f.Norm != "" && norm != f.Norm || acn >= len(f.Labels) || seen[acn] {
			f.Norm, f.ACN = "", nil
			return false
		}
		seen[acn] = true
		f.Norm, f.ACN = norm, append(f.ACN, acn)
	}
	f.Kind, f.Order = Field, order
	f.Name = []Name{FOA, HOA2, HOA3}[order-1]
	return true
}

func harmonic(label string) (acn int, norm Norm) {
	for prefix, norm := range map[string]Norm{"ACN": SN3D, "N3D": N3D} {
		if digits, is := strings.CutPrefix(label, prefix); is {
			if n, err := strconv.Atoi(digits); err == nil && n >= 0 && n < len(fuma) && digits == strconv.Itoa(n) {
				return n, norm
			}
		}
	}
	for _, f := range fuma {
		if f.letter == label {
			return f.acn, FuMa
		}
	}
	return 0, ""
}

// Direction is where a speaker stands, in degrees: azimuth positive to the left, elevation positive upwards.
type Direction struct {
	Azimuth   float64 `json:"azimuth"`
	Elevation float64 `json:"elevation"`
}

// Angles move speakers, by label, from where the standard puts them.
type Angles map[string]Direction

// Check tells whether all are of speakers and can be. Its errors are BadInput.
func (a Angles) Check() error {
	for label, d := range a {
		s, is := Speakers[label]
		switch {
		case !is || s.LFE || label == "M":
			return fault.New(fault.BadInput, "There is no speaker %.20q that has a place", label)
		case !(math.Abs(d.Azimuth) <= 180 && math.Abs(d.Elevation) <= 90):
			return fault.New(fault.BadInput, "A speaker stands at −180 to 180 degrees, and at −90 to 90 above; %s does not", label)
		}
	}
	return nil
}

// raised are the places of top speakers in layouts with five at the ear, where ITU-R BS.2051 puts them above the others
// (4+5+0); with seven they stand between (4+7+0).
var raised = map[string]float64{"Ltf": 30, "Rtf": -30, "Ltr": 110, "Rtr": -110}

// In gives the format in a room whose speakers were moved.
func (f Format) In(room Angles) Format {
	f.Angles = room
	return f
}

// Speakers gives where the channels of a set stand. A label that is no place has no speaker: its Label is empty.
func (f Format) Speakers() []Speaker {
	five := slices.Contains(f.Labels, "Ls") && !slices.Contains(f.Labels, "Lss")
	out := make([]Speaker, len(f.Labels))
	for i, label := range f.Labels {
		out[i] = Speakers[label]
		if azimuth, is := raised[label]; is && five {
			out[i].Azimuth = azimuth
		}
		if d, moved := f.Angles[label]; moved && out[i].Label != "" {
			out[i].Azimuth, out[i].Elevation = d.Azimuth, d.Elevation
		}
	}
	return out
}

// Reorder gives, for each channel of to, the channel of from that has its label. It is not ok where one has a label that
// the other lacks.
func Reorder(from, to []string) (channels []int, ok bool) {
	if len(from) != len(to) {
		return nil, false
	}
	for _, label := range to {
		i := slices.Index(from, label)
		if i < 0 {
			return nil, false
		}
		channels = append(channels, i)
	}
	return channels, true
}
