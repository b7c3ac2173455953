package take

import (
	"slices"
	"strings"
	"unicode"

	"zestyloom/core/layout"
)

// Role is what a file of a finished mix holds.
type Role string

const (
	FullMixRole Role = "mix"
	MERole      Role = "M&E"
	// The others are tags of stems.
	DialogueRole  Role = "DX"
	NarrationRole Role = "NX"
	MusicRole     Role = "MX"
	EffectsRole   Role = "FX"
	AmbienceRole  Role = "AX"
)

// Words is what a role is called.
func (r Role) Words() string {
	return map[Role]string{FullMixRole: "Full mix", MERole: "M&E", DialogueRole: "Dialogue", NarrationRole: "Narration", MusicRole: "Music",
		EffectsRole: "Effects", AmbienceRole: "Ambience"}[r]
}

// Finished is what the name of a file says of a finished mix that it is a part of.
type Finished struct {
	Role  Role   `json:"role"`
	Label string `json:"label,omitempty"` // of the one channel that it is; empty where it is all of them
	Base  string `json:"-"`               // the name without what says the channel, in small letters
}

// roles are the words of each role, in small letters; of two words the second follows the first.
var roles = []struct {
	role  Role
	words []string
}{
	{MERole, []string{"m&e", "m+e", "mande", "m and e", "me", "music and effects", "music effects"}},
	{FullMixRole, []string{"full mix", "fullmix", "final mix", "mixdown", "print master", "printmaster", "comp", "mix"}},
	{DialogueRole, []string{"dx", "dia", "dial", "dialogue", "dialog", "dlg"}},
	{NarrationRole, []string{"nx", "vo", "voice over", "voiceover", "narration", "narrator", "commentary"}},
	{MusicRole, []string{"mx", "mus", "music"}},
	{EffectsRole, []string{"fx", "sfx", "effects", "efx", "foley"}},
	{AmbienceRole, []string{"ax", "amb", "ambience", "atmosphere", "bg", "bgs"}},
}

// ReadFinished reads the name of a file, such as MixL, Mix_R, M&E, DX, VO or FullMix 5.1. false where it names no part of a
// finished mix.
func ReadFinished(name string) (Finished, bool) {
	words := apart(nameWords(name))
	f := Finished{}
	if n := len(words); n > 1 {
		if label, ok := layout.Label(words[n-1]); ok {
			f.Label, words = label, words[:n-1]
		}
	}
	f.Base = strings.Join(words, " ")
	for _, r := range roles {
		for _, w := range r.words {
			if w == "me" && !strings.Contains(name, "ME") { // a word of its own otherwise
				continue
			}
			if follows(words, strings.Fields(w)) {
				f.Role = r.role
				return f, true
			}
		}
	}
	return Finished{}, false
}

// apart parts a last word that is a role's and a channel's in one, such as mxls.
func apart(words []string) []string {
	if len(words) == 0 {
		return words
	}
	last := words[len(words)-1]
	for _, r := range roles {
		for _, w := range r.words {
			rest, is := strings.CutPrefix(last, w)
			if _, label := layout.Label(rest); is && label && w != "me" {
				return append(slices.Clone(words[:len(words)-1]), w, rest)
			}
		}
	}
	return words
}

func follows(words, phrase []string) bool {
	for i := 0; i+len(phrase) <= len(words); i++ {
		if slices.Equal(words[i:i+len(phrase)], phrase) {
			return true
		}
	}
	return false
}

// nameWords splits a name into words in small letters: at what is no letter, digit or one of &+. and where a capital follows a
// small letter, as in MixL. A dot stays between digits, as in 5.1.
func nameWords(name string) (words []string) {
	runes := []rune(name)
	word := ""
	end := func() {
		if word != "" {
			words = append(words, strings.ToLower(word))
		}
		word = ""
	}
	for i, c := range runes {
		digits := c == '.' && i > 0 && i+1 < len(runes) && unicode.IsDigit(runes[i-1]) && unicode.IsDigit(runes[i+1])
		switch {
		case !unicode.IsLetter(c) && !unicode.IsDigit(c) && c != '&' && c != '+' && !digits:
			end()
			continue
		case i > 0 && unicode.IsUpper(c) && unicode.IsLower(runes[i-1]):
			end()
		}
		word += string(c)
	}
	end()
	return words
}
