package take

import (
	"slices"
	"strings"
	"sync/atomic"
	"unicode"

	"zestyloom/core/fault"
	"zestyloom/core/layout"
)

// Meaning is what sort of thing a word in a name says.
type Meaning string

const (
	RoleWord     Meaning = "role"     // which part of a mix it is: a Role
	LayoutWord   Meaning = "layout"   // how wide: a layout's name
	OrderWord    Meaning = "order"    // in which order channels lie: smpte or film
	LanguageWord Meaning = "language" // ISO 639-2, as in specs
)

// Word is a word, or a phrase, and what it means in a name.
type Word struct {
	Text  string  `json:"text"`  // in small letters; parts of a phrase with blanks between
	Kind  Meaning `json:"kind"`  // what it says something of
	Means string  `json:"means"` // what it says
	// Loud says that it is a word of its own otherwise: of up to three letters it counts in capitals alone, and what is no part
	// counts beside one.
	Loud bool `json:"loud,omitempty"`
}

// Vocabulary is words that are looked up in names, phrases before words, and else the first before the next.
type Vocabulary struct {
	words []Word
	by    map[string][]int // places in words, by text
	most  int              // parts of the longest phrase
}

// NewVocabulary makes words ready to be looked up.
func NewVocabulary(words []Word) *Vocabulary {
	v := &Vocabulary{words: slices.Clone(words), by: map[string][]int{}}
	parts := func(w Word) int { return 1 + strings.Count(w.Text, " ") }
	slices.SortStableFunc(v.words, func(a, b Word) int { return parts(b) - parts(a) })
	for i, w := range v.words {
		v.by[w.Text], v.most = append(v.by[w.Text], i), max(v.most, parts(w))
	}
	return v
}

// in gives the words that stand in a name, the strongest first.
func (v *Vocabulary) in(tokens []string) (found []Word) {
	var at []int
	for i := range tokens {
		for n := 1; n <= v.most && i+n <= len(tokens); n++ {
			at = append(at, v.by[strings.ToLower(strings.Join(tokens[i:i+n], " "))]...)
		}
	}
	slices.Sort(at)
	for _, i := range slices.Compact(at) {
		found = append(found, v.words[i])
	}
	return found
}

// role finds a word for a part by its text that counts in any letters.
func (v *Vocabulary) role(text string) bool {
	return slices.ContainsFunc(v.by[strings.ToLower(text)], func(i int) bool { return v.words[i].Kind == RoleWord && !v.words[i].Loud })
}

// Words are those that everybody knows.
func Words() *Vocabulary { return usual }

// Taught is Words with a production's own before them: a word that says something else there says that.
func Taught(own []Word) *Vocabulary {
	if len(own) == 0 {
		return usual
	}
	if last := taught.Load(); last != nil && slices.Equal(last.own, own) {
		return last.words
	}
	return learn(own)
}

// lesson is what a vocabulary was made of.
type lesson struct {
	own   []Word
	words *Vocabulary
}

// taught is the last one: takes come by the thousand, and those of one production have the same words.
var taught atomic.Pointer[lesson]

func learn(own []Word) *Vocabulary {
	said := map[string]bool{}
	for _, w := range own {
		said[w.Text] = true
	}
	others := slices.DeleteFunc(slices.Clone(usual.words), func(w Word) bool { return said[w.Text] })
	l := &lesson{slices.Clone(own), NewVocabulary(slices.Concat(own, others))}
	taught.Store(l)
	return l.words
}

// Meant is something that a word can say.
type Meant struct {
	Kind  Meaning `json:"kind"`
	Means string  `json:"means"`
	Name  string  `json:"name"` // how people call it
}

// Meanings are all that a word can say, in the order in which they are offered.
func Meanings() (list []Meant) {
	for _, r := range []Role{FullMixRole, MERole, DialogueRole, NarrationRole, MusicRole, EffectsRole, AmbienceRole} {
		list = append(list, Meant{RoleWord, string(r), r.Words()})
	}
	for _, l := range []layout.Name{layout.Mono, layout.Stereo, layout.LCR, layout.Five0, layout.Five1, layout.Seven1} {
		list = append(list, Meant{LayoutWord, string(l), string(l)})
	}
	list = append(list, Meant{LayoutWord, encodedPair, "Lt and Rt"}, Meant{OrderWord, "smpte", "SMPTE"}, Meant{OrderWord, "film", "film"})
	for _, l := range languages {
		list = append(list, Meant{LanguageWord, l.code, l.name})
	}
	return list
}

// CheckWords makes words of one's own ready to be kept, or tells why they can't be: BadInput.
func CheckWords(own []Word) ([]Word, error) {
	if len(own) > 500 {
		return nil, fault.New(fault.BadInput, "A production has at most 500 words of its own")
	}
	out := []Word{}
	for _, w := range own {
		w.Text, w.Loud = strings.ToLower(strings.Join(nameWords(w.Text), " ")), false
		known := slices.ContainsFunc(Meanings(), func(m Meant) bool { return m.Kind == w.Kind && m.Means == w.Means })
		switch {
		case w.Text == "" || len(w.Text) > 100:
			return nil, fault.New(fault.BadInput, "A word has 1 to 100 letters or digits")
		case !known:
			return nil, fault.New(fault.BadInput, "%q can't say %s %q: nobody knows what that is", w.Text, w.Kind, w.Means)
		case slices.ContainsFunc(out, func(o Word) bool { return o.Text == w.Text }):
			return nil, fault.New(fault.BadInput, "The word %q is there twice", w.Text)
		}
		out = append(out, w)
	}
	return out, nil
}

var usual = NewVocabulary(func() (list []Word) {
	add := func(kind Meaning, means string, loud bool, words ...string) {
		for _, w := range words {
			list = append(list, Word{w, kind, means, loud})
		}
	}
	add(RoleWord, string(MERole), false, "m&e", "m+e", "m e", "mande", "mand e", "mne", "m and e", "m n e",
		"music and effects", "music effects",
		"music & effects", "international track", "intl", "international")
	add(RoleWord, string(MERole), true, "me")
	add(RoleWord, string(FullMixRole), false, "full mix", "fullmix", "final mix", "finalmix", "mixdown", "print master",
		"printmaster", "comp",
		"composite", "master mix", "mix", "programme mix")
	add(RoleWord, string(FullMixRole), true, "pm", "pgm")
	add(RoleWord, string(DialogueRole), false, "dx", "dia", "dial", "dialogue", "dialogues", "dialog", "dialogs", "dlg",
		"dlogue", "diálogo", "dialogo",
		"dialoge", "prod dialogue")
	add(RoleWord, string(NarrationRole), false, "nx", "vo", "voice over", "voiceover", "narration", "narrator", "narr",
		"commentary", "narração",
		"narracao", "erzähler", "sprecher")
	add(RoleWord, string(NarrationRole), true, "nar")
	add(RoleWord, string(MusicRole), false, "mx", "mus", "muz", "music", "musik", "música", "musica", "musique")
	add(RoleWord, string(EffectsRole), false, "fx", "sfx", "efx", "hfx", "pfx", "effects", "foley", "fol", "foleys",
		"effekte", "effets", "efeitos",
		"efectos")
	add(RoleWord, string(AmbienceRole), false, "ax", "amb", "ambs", "ambience", "ambiences", "ambiance", "ambient",
		"atmosphere", "atmospheres", "atm",
		"bg", "bgs", "backgrounds", "atmo", "bgfx")
	add(LayoutWord, string(layout.Five1), false, "5.1", "5 1")
	add(LayoutWord, string(layout.Seven1), false, "7.1", "7 1")
	add(LayoutWord, string(layout.Five1), true, "51")
	add(LayoutWord, string(layout.Seven1), true, "71")
	add(LayoutWord, string(layout.Five0), false, "5.0")
	add(LayoutWord, string(layout.Stereo), false, "stereo", "2.0", "2 0")
	add(LayoutWord, string(layout.Stereo), true, "st", "20")
	add(LayoutWord, string(layout.Mono), false, "mono")
	add(LayoutWord, string(layout.LCR), false, "lcr")
	add(LayoutWord, encodedPair, false, "ltrt", "lt rt")
	add(OrderWord, "smpte", false, "smpte")
	add(OrderWord, "film", false, "film")
	for _, l := range languages {
		add(LanguageWord, l.code, false, l.names...)
		add(LanguageWord, l.code, true, l.short...)
	}
	return list
}())

// encodedPair is how a pair is named that was folded with its surrounds encoded in it.
const encodedPair = "ltrt"

// languages are known by their names, their own among them, and by the codes of ISO 639; those of two letters, and those that are
// words, count in capitals. "it" and "no" are left out: beside a part's name they are more often words.
var languages = []struct {
	code, name   string
	names, short []string
}{
	{"eng", "English", []string{"english", "eng", "inglês", "ingles", "englisch", "anglais"}, []string{"en"}},
	{"por", "Portuguese", []string{"portuguese", "português", "portugues", "ptbr", "pt br"}, []string{"por", "pt"}},
	{"deu", "German", []string{"german", "deutsch", "ger", "deu"}, []string{"de"}},
	{"fra", "French", []string{"french", "français", "francais", "fra", "fre"}, []string{"fr"}},
	{"spa", "Spanish", []string{"spanish", "español", "espanol", "castellano"}, []string{"spa", "es", "esp"}},
	{"ita", "Italian", []string{"italian", "italiano", "ita"}, nil},
	{"nld", "Dutch", []string{"dutch", "nederlands", "nld"}, []string{"nl", "dut"}},
	{"swe", "Swedish", []string{"swedish", "svenska", "swe"}, []string{"sv"}},
	{"dan", "Danish", []string{"danish", "dansk"}, []string{"dan", "da"}},
	{"nor", "Norwegian", []string{"norwegian", "norsk"}, []string{"nor"}},
	{"fin", "Finnish", []string{"finnish", "suomi"}, []string{"fin", "fi"}},
	{"pol", "Polish", []string{"polski", "pol"}, []string{"pl", "polish"}},
	{"ces", "Czech", []string{"czech", "cze", "ces"}, []string{"cs", "cz"}},
	{"hun", "Hungarian", []string{"hungarian", "magyar"}, []string{"hun", "hu"}},
	{"tur", "Turkish", []string{"turkish", "türkçe"}, []string{"tur", "tr"}},
	{"rus", "Russian", []string{"russian"}, []string{"rus", "ru"}},
	{"ell", "Greek", []string{"greek", "ell"}, []string{"gre", "el"}},
	{"gle", "Irish", []string{"irish", "gaeilge", "gle"}, nil},
	{"cym", "Welsh", []string{"welsh", "cymraeg", "cym"}, nil},
	{"jpn", "Japanese", []string{"japanese", "jpn"}, []string{"ja", "jp"}},
	{"zho", "Chinese", []string{"chinese", "mandarin", "zho"}, []string{"chi", "zh"}},
	{"kor", "Korean", []string{"korean"}, []string{"kor", "ko"}},
	{"ara", "Arabic", []string{"arabic"}, []string{"ara", "ar"}},
	{"hin", "Hindi", []string{"hindi"}, []string{"hin", "hi"}},
}

// LanguageName is what a language is called by its code; empty where that is not known.
func LanguageName(code string) string {
	for _, l := range languages {
		if l.code == code {
			return l.name
		}
	}
	return ""
}

// Named is what a name says.
type Named struct {
	Role     Role   `json:"role,omitempty"`
	Label    string `json:"label,omitempty"`    // of the one channel that it is; empty where it is all of them
	Number   int    `json:"number,omitempty"`   // of the one channel that it is, from 1, where it has a number instead
	Layout   string `json:"layout,omitempty"`   // how wide it is, or the set that it is a channel of
	Order    string `json:"order,omitempty"`    // smpte or film
	Language string `json:"language,omitempty"` // ISO 639-2
	Base     string `json:"-"`                  // the name without what says the channel, in small letters
}

// ReadName reads a name by words; nil are the usual ones. A word that is not known says nothing, and keeps none of the others from
// saying what they do.
func ReadName(name string, words *Vocabulary) Named {
	if words == nil {
		words = usual
	}
	tokens := apart(nameWords(name), words)
	n := Named{}
	tokens = n.channel(tokens)
	n.Base = strings.ToLower(strings.Join(tokens, " "))
	used, found := make([]bool, len(tokens)), words.in(tokens)
	for _, loud := range []bool{false, true} { // what counts beside a part alone comes when the part is known
		for _, kind := range []Meaning{RoleWord, LayoutWord, OrderWord, LanguageWord} {
			n.find(tokens, used, found, kind, loud)
		}
	}
	if n.Role == "" { // then the channel's is no part's
		n.Number = 0
	}
	return n
}

// channel takes what says the channel off the end.
func (n *Named) channel(tokens []string) []string {
	for _, width := range []int{2, 1} {
		if len(tokens) <= width {
			continue
		}
		last := strings.Join(tokens[len(tokens)-width:], " ")
		switch label, known := layout.Label(last); {
		case strings.EqualFold(last, "lt"), strings.EqualFold(last, "rt"):
			n.Label, n.Layout = strings.ToUpper(last[:1])+"t", encodedPair
		case strings.EqualFold(last, "lt rt"), strings.EqualFold(last, "fr"): // the front's right, or French
			continue
		case known:
			n.Label = label
		default:
			continue
		}
		return tokens[:len(tokens)-width]
	}
	if last := tokens[max(0, len(tokens)-1):]; len(tokens) > 1 && len(last[0]) <= 2 && strings.Trim(last[0], "0123456789") == "" {
		for _, c := range last[0] {
			n.Number = 10*n.Number + int(c-'0')
		}
		before := tokens[len(tokens)-2]
		if n.Number == 0 || n.Number > 16 || n.Number <= 1 && strings.Trim(before, "0123456789") == "" {
			n.Number = 0
			return tokens
		}
		return tokens[:len(tokens)-1]
	}
	return tokens
}

// find looks for words of a kind, phrases first. Of roles a full mix counts least: a music mix is music.
func (n *Named) find(tokens []string, used []bool, words []Word, kind Meaning, loud bool) {
	for _, w := range words {
		if w.Kind != kind || w.Loud != loud {
			continue
		}
		at, phrase := position(tokens, used, w)
		if at < 0 {
			continue
		}
		if w.Loud && ((kind == RoleWord) == (n.Role != "") || len(tokens[at]) <= 3 && !upper(tokens[at])) {
			continue
		}
		if n.take(w) {
			for i := range phrase {
				used[at+i] = true
			}
		}
	}
}

// take keeps what a word says, where nothing has been said of that.
func (n *Named) take(w Word) bool {
	to := map[Meaning]*string{LayoutWord: &n.Layout, OrderWord: &n.Order, LanguageWord: &n.Language}[w.Kind]
	switch {
	case w.Kind == RoleWord && (n.Role == "" || n.Role == FullMixRole):
		n.Role = Role(w.Means)
	case to != nil && *to == "":
		*to = w.Means
	default:
		return false
	}
	return true
}

// position finds a word or a phrase among tokens that nothing was found in yet, and how many tokens it is.
func position(tokens []string, used []bool, w Word) (at, phrase int) {
	parts := strings.Fields(w.Text)
	for i := 0; i+len(parts) <= len(tokens); i++ {
		fits := true
		for k, part := range parts {
			fits = fits && !used[i+k] && strings.EqualFold(tokens[i+k], part)
		}
		if fits {
			return i, len(parts)
		}
	}
	return -1, 0
}

func upper(s string) bool { return s == strings.ToUpper(s) }

// apart parts a last word that is a role's and a channel's in one, such as mxls.
func apart(tokens []string, words *Vocabulary) []string {
	if len(tokens) == 0 {
		return tokens
	}
	last := tokens[len(tokens)-1]
	if words.role(last) {
		return tokens
	}
	for cut := len(last) - 1; cut >= 2; cut-- { // the longest word that fits
		if _, label := layout.Label(last[cut:]); words.role(last[:cut]) && (label || strings.EqualFold(last[cut:], "lt")) {
			return append(slices.Clone(tokens[:len(tokens)-1]), last[:cut], last[cut:])
		}
	}
	return tokens
}

// nameWords splits a name into words: at what is no letter, digit or one of &+. and where a capital follows a small letter, as in
// MixL. A dot stays between digits, as in 5.1.
func nameWords(name string) (words []string) {
	runes := []rune(name)
	word := ""
	end := func() {
		if word != "" {
			words = append(words, word)
		}
		word = ""
	}
	for i, c := range runes {
		digits := c == '.' && i > 0 && i+1 < len(runes) && unicode.IsDigit(runes[i-1]) && unicode.IsDigit(runes[i+1])
		switch {
		case !unicode.IsLetter(c) && !unicode.IsDigit(c) && c != '&' && c != '+' && !digits:
			end()
			continue
		case i > 0 && unicode.IsUpper(c) && unicode.IsLower(runes[i-1]) && !pairOf(runes, i):
			end()
		}
		word += string(c)
	}
	end()
	return words
}

// pairOf tells whether a capital is that of Rt in LtRt, which is one word.
func pairOf(runes []rune, i int) bool {
	return i >= 2 && i+1 < len(runes) && string(runes[i-2:i+2]) == "LtRt"
}
