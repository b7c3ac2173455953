package layout

import (
	"regexp"
	"slices"
	"strings"
)

// spellings are the ways in which people write the labels of channels, lower case and without blanks and marks.
var spellings = map[string][]string{
	"L":   {"l", "left", "lft", "lf", "fl", "frontleft"},
	"R":   {"r", "right", "rgt", "rt", "fr", "frontright"},
	"C":   {"c", "centre", "center", "ctr", "cen", "fc", "frontcentre", "frontcenter"},
	"LFE": {"lfe", "sub", "sw", "subwoofer", "lowfrequency"},
	"Ls":  {"ls", "sl", "leftsurround", "surroundleft", "surroundl", "lsurround", "lsur", "bl", "leftrear", "rearleft"},
	"Rs":  {"rs", "sr", "rightsurround", "surroundright", "surroundr", "rsurround", "rsur", "br", "rightrear", "rearright"},
	"Lss": {"lss", "leftside", "sideleft", "lsd"},
	"Rss": {"rss", "rightside", "sideright", "rsd"},
	"Lrs": {"lrs", "lsr", "lb", "leftback", "backleft"},
	"Rrs": {"rrs", "rsr", "rb", "rightback", "backright"},
	"Ltf": {"ltf", "lefttopfront", "topfrontleft"},
	"Rtf": {"rtf", "righttopfront", "topfrontright"},
	"Ltr": {"ltr", "lefttoprear", "topbackleft"},
	"Rtr": {"rtr", "righttoprear", "topbackright"},
}

var bySpelling = func() map[string]string {
	m := map[string]string{}
	for label, ways := range spellings {
		for _, w := range ways {
			m[w] = label
		}
	}
	return m
}()

var marks = regexp.MustCompile(`[ ._\-()\[\]]+`)

// Label reads a channel's label in any common spelling, such as "Left", "lfe" or "Surround-R".
func Label(text string) (label string, ok bool) {
	label, ok = bySpelling[marks.ReplaceAllString(strings.ToLower(text), "")]
	return label, ok
}

// SameChannels tells whether labels are those of the same channels, in whatever order they come.
func SameChannels(a, b []string) bool {
	return slices.Equal(slices.Sorted(slices.Values(a)), slices.Sorted(slices.Values(b)))
}

// ForLabels gives the layout that has just these channels, in whatever order they come, with its usual order.
func ForLabels(labels []string) (Layout, bool) {
	for _, name := range []Name{Stereo, LCR, Five0, Five1, Seven1, Five14, Seven14} {
		smpte := orders[name]["smpte"]
		if len(labels) == len(smpte) && SameChannels(labels, smpte) {
			return Layout{name, slices.Clone(smpte)}, true
		}
	}
	return Layout{}, false
}
