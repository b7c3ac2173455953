package take

import (
	"regexp"
	"strings"
)

// Kind is what sort of recording a take is.
type Kind string

const (
	Recording Kind = "recording" // from the set
	Music     Kind = "music"
	Effect    Kind = "effect"
)

var (
	musicWord  = regexp.MustCompile(`(?i)(^|[^a-z])(music|cue|mx|score|song|waltz)([^a-z]|$)`)
	effectWord = regexp.MustCompile(`(?i)(^|[^a-z])(effects?|fx|sfx|foley|wild|plant|ambien(ce|t)|atmos?|room ?tone|water|winch|bell|chain)([^a-z]|$)`)
)

// KindOf guesses the kind from a description and the path that the file came by. Whatever has a scene was recorded on
// the set.
func KindOf(d Description, filePath string) Kind {
	switch {
	case d.Scene != "" && !strings.EqualFold(d.Scene, "wild"):
		return Recording
	case musicWord.MatchString(filePath):
		return Music
	case effectWord.MatchString(filePath):
		return Effect
	default:
		return Recording
	}
}

// SuggestStem gives the tag of the stem that a channel most likely belongs to, from its take's kind and its label.
func SuggestStem(kind Kind, label string) string {
	switch {
	case kind == Music:
		return "MX"
	case kind == Effect:
		return "FX"
	case effectWord.MatchString(label):
		return "FX"
	case musicWord.MatchString(label):
		return "MX"
	default:
		return "DX"
	}
}
