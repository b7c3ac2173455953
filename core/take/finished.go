package take

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

// stem is the tag of the stem that it is; empty for what is made of several.
func (r Role) stem() string {
	if r == FullMixRole || r == MERole {
		return ""
	}
	return string(r)
}

// Finished is what the name of a file says of a finished mix that it is a part of.
type Finished struct{ Named }

// ReadFinished reads the name of a file, such as MixL, Mix_R, M&E, DX, VO or FullMix 5.1. false where it names no part of a
// finished mix.
func ReadFinished(name string, words *Vocabulary) (Finished, bool) {
	n := ReadName(name, words)
	return Finished{n}, n.Role != ""
}
