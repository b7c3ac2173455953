package demo

import (
	"path/filepath"
)

// Names of the folders that the demo's server takes files from.
const (
	CardName    = "Recorder card LF03"
	SecondName  = "Recorder card B02"
	CameraName  = "Camera card A003"
	LibraryName = "Sound library"
)

// ReelStart is the timecode of the reel's first frame, and Spec the delivery spec that it is laid out for.
const (
	ReelStart = "10:00:00:00"
	Spec      = "eight-channel-mix"
)

// Cards gives the folders, by name, in a scenario that Generate made.
func Cards(scenario string) map[string]string {
	return map[string]string{CardName: filepath.Join(scenario, "card"), SecondName: filepath.Join(scenario, "second"),
		CameraName: filepath.Join(scenario, "camera"), LibraryName: filepath.Join(scenario, "library")}
}

// File is a file on one of the cards.
type File struct{ Card, Path string }

// Files lists all that arrives.
func Files() []File {
	var files []File
	for _, s := range shots {
		files = append(files, s.arrives()...)
	}
	for _, f := range sounds {
		files = append(files, File{LibraryName, f.name})
	}
	for _, c := range cameraShots {
		files = append(files, c.arrives())
	}
	return append(files, File{LibraryName, Picture})
}

func (s shot) arrives() (files []File) {
	card := CardName
	if s.roll == Second {
		card = SecondName
	}
	for _, name := range s.names() {
		files = append(files, File{card, s.roll + "/" + name})
	}
	return files
}

func (c cameraShot) arrives() File { return File{CameraName, CameraRoll + "/" + c.name + ".mov"} }

// Placed is a take on the demo's reel.
type Placed struct {
	File     string
	Channels []int  // from 1; nil for what unravel takes by itself
	At       string // timecode; empty for the take's own
	GainDB   float64
	Stem     string // confirmed; empty leaves the suggestion
	Together bool   // all channels as one clip on one track
	Track    string // the name of its track, or of the first; empty leaves it
}

// Layout is the demo's reel: the circled takes at their timecode, music, narration, effects and ambience around them,
// about 20 tracks in five stems. The gains bring its full mix to −23 LUFS.
func Layout() []Placed {
	return []Placed{
		{File: "LF03_12A_T03.wav", Channels: []int{3, 4, 5, 8}, GainDB: 0.3, Stem: "DX"},
		{File: "LF03_12B_T01.wav", Channels: []int{3, 4, 8}, GainDB: 0.3, Stem: "DX"},
		{File: "LF03_14_T01.wav", Channels: []int{1, 2, 3}, GainDB: 0.3, Stem: "DX"},
		{File: "B02_18C_T02", At: "10:01:34:00", GainDB: 1.5, Stem: "DX", Together: true, Track: "18C deck"},
		{File: "LF03_12A_T01.wav", Channels: []int{3}, At: "10:00:02:10", GainDB: 1.5, Stem: "DX", Track: "Alternates"},
		{File: "Narration English.wav", At: "10:00:03:12", GainDB: 1, Stem: "NX", Track: "Narration English"},
		{File: "Narration Portuguese.wav", At: "10:00:03:12", GainDB: 1, Stem: "NX", Track: "Narration Portuguese"},
		{File: "Accordion cue.wav", At: "10:00:01:00", GainDB: -1.5, Stem: "MX"},
		{File: "Ferry waltz", At: "10:01:34:00", GainDB: -2, Stem: "MX", Track: "Ferry waltz"},
		{File: "Winch.wav", At: "10:01:17:12", GainDB: -3, Stem: "FX"},
		{File: "Chain.wav", At: "10:01:12:00", GainDB: -6, Stem: "FX"},
		{File: "Bell.wav", At: "10:01:26:20", GainDB: -3, Stem: "FX"},
		{File: "LF03_wild_T01.wav", At: "10:00:20:00", GainDB: -2, Stem: "FX"},
		{File: "River bed.wav", At: "10:00:00:00", GainDB: -4, Stem: "AX"},
		{File: "River bank", At: "10:00:54:00", GainDB: -12, Stem: "AX", Track: "River bank"},
		{File: "Deck field.wav", At: "10:01:34:00", GainDB: -10, Stem: "AX", Track: "Deck field"},
		{File: "LF03_12A_T03.wav", Channels: []int{6}, GainDB: -6, Stem: "AX"},
	}
}

// Strands of the demo's stems: its characters, and the languages of its narration, each with the words that suggest it.
var Strands = []struct {
	Stem, Name string
	Words      []string
}{
	{"DX", "Ines Calder", []string{"Ines"}}, {"DX", "Tobiah Renn", []string{"Tobiah"}}, {"DX", "Dispatcher", []string{"Radio"}},
	{"NX", "English", []string{"Narration English"}}, {"NX", "Portuguese", []string{"Narration Portuguese"}},
}
