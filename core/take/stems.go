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
	musicWord     = word("music|cue|mx|score|song|waltz")
	narrationWord = word("narrat(or|ion)|nx|voice ?over|vo|commentary")
	ambienceWord  = word("ambien(ce|t)|ax|atmospheres?|room ?tone|wild|plant|river|water|rain|wind")
	effectWord    = word("effects?|fx|sfx|foley|winch|bell|chain")
)

// word finds any of some words standing by themselves.
func word(any string) *regexp.Regexp {
	return regexp.MustCompile(`(?i)(^|[^a-z])(` + any + `)([^a-z]|$)`)
}

// KindOf guesses the kind from a description and the path that the file came by, its name before its folders. Whatever
// has a scene was recorded on the set.
func KindOf(d Description, filePath string) Kind {
	if d.Scene != "" && !strings.EqualFold(d.Scene, "wild") {
		return Recording
	}
	parts := strings.Split(filePath, "/")
	for i := len(parts) - 1; i >= 0; i-- {
		switch {
		case musicWord.MatchString(parts[i]):
			return Music
		case effectWord.MatchString(parts[i]), ambienceWord.MatchString(parts[i]):
			return Effect
		}
	}
	return Recording
}

// SuggestStem gives the tag of the stem that a channel most likely belongs to, from its take's kind and its label.
func SuggestStem(kind Kind, label string) string {
	switch {
	case kind == Music:
		return "MX"
	case ambienceWord.MatchString(label):
		return "AX"
	case kind == Effect, effectWord.MatchString(label):
		return "FX"
	case narrationWord.MatchString(label):
		return "NX"
	case musicWord.MatchString(label):
		return "MX"
	default:
		return "DX"
	}
}
