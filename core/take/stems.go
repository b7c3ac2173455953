package take

import (
	"cmp"
	"regexp"
	"slices"
	"strings"

	"zestyloom/core/fault"
)

// Kind is what sort of recording a take is.
type Kind string

const (
	Recording Kind = "recording" // from the set
	Music     Kind = "music"
	Effect    Kind = "effect"
	Camera    Kind = "camera"  // a camera's movie with its scratch sound
	Picture   Kind = "picture" // the reference movie: the picture as it is cut
)

// Kinds lists them all.
var Kinds = []Kind{Recording, Music, Effect, Camera, Picture}

// Rule suggests a stem: for takes of a kind whose channel's name holds any of some words. The first rule that holds
// counts. Users read and change the rules of a production.
type Rule struct {
	Kind   Kind     `json:"kind"`   // empty for any
	Words  []string `json:"words"`  // words or phrases that stand by themselves, any of them; none for any name
	Stem   string   `json:"stem"`   // tag of the stem
	Strand string   `json:"strand"` // name of the strand below it, or empty
}

// otherwise is the stem of what no rule is about.
const otherwise = "DX"

// DefaultRules are those that a production begins with.
func DefaultRules() []Rule {
	ambience := []string{"ambience", "ambient", "atmosphere", "atmospheres", "ax", "room tone", "roomtone", "wild", "plant", "river",
		"water",
		"rain", "wind", "bed"}
	effects := []string{"effect", "effects", "fx", "foley", "winch", "bell", "chain"}
	return []Rule{
		{Kind: Music, Stem: "MX"},
		{Words: ambience, Stem: "AX"},
		{Kind: Effect, Stem: "FX"},
		{Words: effects, Stem: "FX"},
		{Words: []string{"narrator", "narration", "nx", "voice over", "voiceover", "vo", "commentary"}, Stem: "NX"},
		{Words: []string{"music", "cue", "mx", "score", "song", "waltz"}, Stem: "MX"},
	}
}

// holds tells whether the rule is about a channel of that name. Words are compared without regard to case.
func (r Rule) holds(kind Kind, name string) bool {
	if r.Kind != "" && r.Kind != kind {
		return false
	}
	lower := strings.ToLower(name)
	return len(r.Words) == 0 || slices.ContainsFunc(r.Words, func(w string) bool { return hasWord(lower, w) })
}

// hasWord finds a word or phrase that stands by itself in a text of small letters: no letter before or after it.
func hasWord(text, phrase string) bool {
	phrase = strings.ToLower(strings.TrimSpace(phrase))
	if phrase == "" {
		return false
	}
	for from := 0; ; {
		i := strings.Index(text[from:], phrase)
		if i < 0 {
			return false
		}
		begin, end := from+i, from+i+len(phrase)
		if (begin == 0 || !letter(text[begin-1])) && (end == len(text) || !letter(text[end])) {
			return true
		}
		from = begin + 1
	}
}

func letter(c byte) bool { return c >= 'a' && c <= 'z' || c >= 0x80 }

// Suggest gives the stem and strand that a channel most likely belongs to: by the first rule that holds, from its take's kind, its
// name and its take's; else by what its name says, or its take's. What is spoken in a language that the names say is in a strand of
// that language, unless a rule has another.
func Suggest(rules []Rule, words *Vocabulary, kind Kind, channel, title string) (stem, strand string) {
	name := channel + " " + title
	for _, r := range rules {
		if r.holds(kind, name) {
			stem, strand = r.Stem, r.Strand
			break
		}
	}
	said := ReadName(name, words)
	if stem == "" {
		stem = cmp.Or(ReadName(channel, words).Role.stem(), said.Role.stem(), otherwise)
	}
	if strand == "" && (stem == string(NarrationRole) || stem == string(DialogueRole)) {
		strand = LanguageName(said.Language)
	}
	return stem, strand
}

// CheckRules tells whether rules can be kept: kinds that exist, stems among those given. Errors are BadInput.
func CheckRules(rules []Rule, stems []string) error {
	if len(rules) > 500 {
		return fault.New(fault.BadInput, "A production has at most 500 rules")
	}
	for i, r := range rules {
		switch {
		case r.Kind != "" && !slices.Contains(Kinds, r.Kind):
			return fault.New(fault.BadInput, "Rule %d is about %q, which is no kind of take", i+1, r.Kind)
		case !slices.Contains(stems, r.Stem):
			return fault.New(fault.BadInput, "Rule %d names stem %q, which the production does not have", i+1, r.Stem)
		case r.Kind == "" && len(r.Words) == 0:
			return fault.New(fault.BadInput, "Rule %d is about everything; say a word or a kind of take", i+1)
		}
		for _, w := range r.Words {
			if w = strings.TrimSpace(w); w == "" || len(w) > 100 {
				return fault.New(fault.BadInput, "A word of rule %d is empty or longer than 100 characters", i+1)
			}
		}
	}
	return nil
}

var (
	musicFolder  = regexp.MustCompile(`(?i)(^|[^a-z])(music|cues?|mx|score|song|waltz)([^a-z]|$)`)
	effectFolder = regexp.MustCompile(`(?i)(^|[^a-z])(effects?|fx|sfx|foley|winch|bell|chain|ambien(ce|t)|ax|atmospheres?|room ?tone|wild|river|water|rain|wind)([^a-z]|$)`)
	movieEndings = []string{".mov", ".mp4", ".mkv", ".mxf", ".m4v"}
)

// IsMovie tells by its name whether a file is a movie.
func IsMovie(name string) bool {
	lower := strings.ToLower(name)
	return slices.ContainsFunc(movieEndings, func(end string) bool { return strings.HasSuffix(lower, end) })
}

// KindOf guesses the kind from a description and the path that the file came by, its name before its folders. Whatever
// has a scene was recorded on the set; a movie is a camera's unless its name or folder says that it is cut.
func KindOf(d Description, filePath string) Kind {
	if IsMovie(filePath) {
		for _, word := range []string{"cut", "picture", "reference", "locked", "edit"} {
			if hasWord(strings.ReplaceAll(filePath, "_", " "), word) {
				return Picture
			}
		}
		return Camera
	}
	if d.Scene != "" && !strings.EqualFold(d.Scene, "wild") {
		return Recording
	}
	parts := strings.Split(filePath, "/")
	for i := len(parts) - 1; i >= 0; i-- {
		switch {
		case musicFolder.MatchString(parts[i]):
			return Music
		case effectFolder.MatchString(parts[i]):
			return Effect
		}
	}
	return Recording
}
