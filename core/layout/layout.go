package layout

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"zestyloom/core/fault"
)

// Speaker is one position of ITU-R BS.2051. Azimuth is in degrees, positive to the left; elevation positive upwards.
type Speaker struct {
	Label     string
	Azimuth   float64
	Elevation float64
	MaskBit   uint32 // bit of WAVEFORMATEXTENSIBLE's dwChannelMask; 0 where it has none
	LFE       bool
}

// Speakers by label.
var Speakers = map[string]Speaker{
	"M":   {Label: "M", MaskBit: 0x4},
	"L":   {Label: "L", Azimuth: 30, MaskBit: 0x1},
	"R":   {Label: "R", Azimuth: -30, MaskBit: 0x2},
	"C":   {Label: "C", MaskBit: 0x4},
	"LFE": {Label: "LFE", Azimuth: 45, Elevation: -30, MaskBit: 0x8, LFE: true},
	"Ls":  {Label: "Ls", Azimuth: 110, MaskBit: 0x10},
	"Rs":  {Label: "Rs", Azimuth: -110, MaskBit: 0x20},
	"Lss": {Label: "Lss", Azimuth: 90, MaskBit: 0x200},
	"Rss": {Label: "Rss", Azimuth: -90, MaskBit: 0x400},
	"Lrs": {Label: "Lrs", Azimuth: 135, MaskBit: 0x10},
	"Rrs": {Label: "Rrs", Azimuth: -135, MaskBit: 0x20},
	"Ltf": {Label: "Ltf", Azimuth: 45, Elevation: 30, MaskBit: 0x1000},
	"Rtf": {Label: "Rtf", Azimuth: -45, Elevation: 30, MaskBit: 0x4000},
	"Ltr": {Label: "Ltr", Azimuth: 135, Elevation: 30, MaskBit: 0x8000},
	"Rtr": {Label: "Rtr", Azimuth: -135, Elevation: 30, MaskBit: 0x20000},
}

// Name is the name of a layout, as specs and the command line write it.
type Name string

const (
	Mono     Name = "mono"
	Stereo   Name = "stereo"
	LCR      Name = "lcr"
	Five0    Name = "5.0"
	Five1    Name = "5.1"
	Seven1   Name = "7.1"
	Five14   Name = "5.1.4"
	Seven14  Name = "7.1.4"
	FOA      Name = "foa"
	HOA2     Name = "hoa2"
	HOA3     Name = "hoa3"
	Discrete Name = "discrete"
)

// orders holds, for each layout, its labels in each named channel order.
var orders = map[Name]map[string][]string{
	Mono:    {"smpte": {"M"}, "film": {"M"}},
	Stereo:  {"smpte": {"L", "R"}, "film": {"L", "R"}},
	LCR:     {"smpte": {"L", "R", "C"}, "film": {"L", "C", "R"}},
	Five0:   {"smpte": {"L", "R", "C", "Ls", "Rs"}, "film": {"L", "C", "R", "Ls", "Rs"}},
	Five1:   {"smpte": {"L", "R", "C", "LFE", "Ls", "Rs"}, "film": {"L", "C", "R", "Ls", "Rs", "LFE"}},
	Seven1:  {"smpte": {"L", "R", "C", "LFE", "Lss", "Rss", "Lrs", "Rrs"}, "film": {"L", "C", "R", "Lss", "Rss", "Lrs", "Rrs", "LFE"}},
	Five14:  {"smpte": {"L", "R", "C", "LFE", "Ls", "Rs", "Ltf", "Rtf", "Ltr", "Rtr"}},
	Seven14: {"smpte": {"L", "R", "C", "LFE", "Lss", "Rss", "Lrs", "Rrs", "Ltf", "Rtf", "Ltr", "Rtr"}},
}

// ambisonicChannels counts the channels of each full-sphere order: (order+1)².
var ambisonicChannels = map[Name]int{FOA: 4, HOA2: 9, HOA3: 16}

// Layout is a layout in one channel order.
type Layout struct {
	Name   Name
	Labels []string // one for each channel, in channel order
}

// New gives a layout in an order: "smpte", "film", or labels written out as "L,R,Ls,Rs,C,LFE". An empty order means
// smpte. Discrete layouts take their width from width and ignore order; others ignore width.
func New(name Name, order string, width int) (Layout, error) {
	if name == Discrete {
		if width < 1 || width > 128 {
			return Layout{}, fault.New(fault.BadInput, "a discrete layout has 1 to 128 channels, not %d", width)
		}
		return Layout{name, numbered("", width)}, nil
	}
	if n, ok := ambisonicChannels[name]; ok {
		return newField(name, order, n)
	}
	known, ok := orders[name]
	if !ok {
		return Layout{}, fault.New(fault.BadInput, "%q is not a layout; known are %s", name, strings.Join(Names(), ", "))
	}
	if order == "" {
		order = "smpte"
	}
	if labels, ok := known[strings.ToLower(order)]; ok {
		return Layout{name, slices.Clone(labels)}, nil
	}
	labels := written(order)
	want, got := slices.Sorted(slices.Values(known["smpte"])), slices.Sorted(slices.Values(labels))
	if !slices.Equal(want, got) {
		return Layout{}, fault.New(fault.BadInput, "order %q does not name the channels of %s, which are %s", order, name,
			strings.Join(known["smpte"], ","))
	}
	return Layout{name, labels}, nil
}

// newField makes a sound field: ACN with SN3D, unless order writes the labels of another norm or order out.
func newField(name Name, order string, channels int) (Layout, error) {
	labels := written(order)
	if slices.Contains([]string{"", "smpte", "film"}, strings.ToLower(order)) {
		labels = ACNLabels(int(math.Sqrt(float64(channels))) - 1)
	}
	if f := Read(labels); f.Kind != Field || f.Name != name {
		return Layout{}, fault.New(fault.BadInput, "order %q does not name the channels of %s: ACN0 to ACN%d, N3D0 to N3D%d, or FuMa's letters",
			order, name, channels-1, channels-1)
	}
	return Layout{name, labels}, nil
}

// written reads labels with commas between.
func written(order string) []string {
	labels := strings.Split(order, ",")
	for i := range labels {
		labels[i] = strings.TrimSpace(labels[i])
	}
	return labels
}

// ForWidth gives the layout that a file of that many channels most likely has when nothing tells.
func ForWidth(channels int) Layout {
	for _, name := range []Name{Mono, Stereo, Five1, Seven1} {
		if len(orders[name]["smpte"]) == channels {
			l, _ := New(name, "smpte", 0)
			return l
		}
	}
	return Layout{Discrete, numbered("", channels)}
}

// Unnamed gives the layout of channels of which nothing tells where they belong: none is an LFE, none a surround.
func Unnamed(channels int) Layout { return Layout{Discrete, numbered("", channels)} }

// ForMask gives the layout that a dwChannelMask says: the channels stand in the order of its bits. It is not ok where
// the mask names another number of channels, or positions that no layout has. In a mask with one pair of surround
// speakers that pair may be called back or side.
func ForMask(mask uint32, channels int) (l Layout, ok bool) {
	const back, side = 0x30, 0x600
	if mask&back == 0 && mask&side == side {
		mask = mask&^side | back
	}
	both := mask&back == back && mask&side == side
	for bit := uint32(1); bit != 0 && bit <= mask; bit <<= 1 {
		if mask&bit == 0 {
			continue
		}
		label := labelOfBit(bit, both)
		if label == "" {
			return Layout{}, false
		}
		l.Labels = append(l.Labels, label)
	}
	if len(l.Labels) != channels || channels == 0 {
		return Layout{}, false
	}
	if channels == 1 {
		return Layout{Mono, []string{"M"}}, true
	}
	known, ok := ForLabels(l.Labels)
	l.Name = known.Name
	return l, ok
}

func labelOfBit(bit uint32, both bool) string {
	switch {
	case bit == 0x10 && both:
		return "Lrs"
	case bit == 0x20 && both:
		return "Rrs"
	case bit == 0x10:
		return "Ls"
	case bit == 0x20:
		return "Rs"
	}
	for label, s := range Speakers {
		if s.MaskBit == bit && label != "M" && label != "Ls" && label != "Rs" && label != "Lrs" && label != "Rrs" {
			return label
		}
	}
	return ""
}

// Names lists the layouts, narrow to wide.
func Names() []string {
	return []string{"mono", "stereo", "lcr", "5.0", "5.1", "7.1", "5.1.4", "7.1.4", "foa", "hoa2", "hoa3", "discrete"}
}

func numbered(prefix string, n int) []string {
	labels := make([]string, max(n, 0))
	for i := range labels {
		labels[i] = fmt.Sprintf("%s%d", prefix, i+1)
	}
	return labels
}

// Width is the number of channels.
func (l Layout) Width() int { return len(l.Labels) }

// Mask is the dwChannelMask of WAVEFORMATEXTENSIBLE for these channels. It is 0 (no positions) where the channels do
// not stand in the order of their mask bits, because a mask would then mislabel them.
func (l Layout) Mask() uint32 {
	var mask, last uint32
	for _, label := range l.Labels {
		bit := Speakers[label].MaskBit
		if bit <= last {
			return 0
		}
		mask, last = mask|bit, bit
	}
	return mask
}

// Weights gives the factor of each channel's power in programme loudness after ITU-R BS.1770-5, annex 3: 0 for LFE,
// 1.41 (+1.5 dB) for 60° ≤ |azimuth| ≤ 120° with |elevation| < 30°, else 1.
func (l Layout) Weights() []float64 {
	w := make([]float64, len(l.Labels))
	for i, label := range l.Labels {
		s, known := Speakers[label]
		az := math.Abs(s.Azimuth)
		switch {
		case known && s.LFE:
			w[i] = 0
		case known && az >= 60 && az <= 120 && math.Abs(s.Elevation) < 30:
			w[i] = 1.41
		default:
			w[i] = 1
		}
	}
	return w
}
