package take

import (
	"cmp"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"zestyloom/core/layout"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
)

// Use says what a channel carries: one microphone, a mix of several, or not told.
type Use string

const (
	Iso     Use = "iso"
	Mix     Use = "mix"
	Unknown Use = "unknown"
)

// Track is one channel of a take.
type Track struct {
	Index    int    `json:"index"` // channel of the file, from 1
	Name     string `json:"name"`  // empty where nothing names it
	Use      Use    `json:"use"`
	Function string `json:"function"`
}

// Description is what a file says of itself, in the form of the probe verb.
type Description struct {
	Container     wave.Container `json:"container"`
	Encoding      wave.Encoding  `json:"encoding"`
	SampleRate    int            `json:"sampleRate"`
	BitDepth      int            `json:"bitDepth"`
	Channels      int            `json:"channels"`
	Frames        int64          `json:"frames"`        // sample frames
	StartSamples  *int64         `json:"startSamples"`  // since midnight, at SampleRate; nil where there is no time stamp
	StartTimecode *string        `json:"startTimecode"` // nil unless both time stamp and frame rate are known
	FrameRate     *string        `json:"frameRate"`
	DropFrame     bool           `json:"dropFrame"`
	Scene         string         `json:"scene"`
	Take          string         `json:"take"`
	Roll          string         `json:"roll"`
	Note          string         `json:"note"`
	Circled       bool           `json:"circled"`
	// What else the recorder said of it.
	Wild       bool        `json:"wild,omitempty"`       // recorded without picture: it has no place by the clock
	NoGood     bool        `json:"noGood,omitempty"`     // not to be used
	FalseStart bool        `json:"falseStart,omitempty"` // stopped before it had begun
	Tracks     []Track     `json:"tracks"`
	Stream     string      `json:"stream,omitempty"`  // what a movie calls the stream, and in which language it is, where it has several
	Date       string      `json:"date,omitempty"`    // of the recording, as YYYY-MM-DD; empty where nothing tells
	Set        *FileSet    `json:"fileSet,omitempty"` // the files that were recorded together with this one
	Layout     layout.Name `json:"layout,omitempty"`  // of all channels, where the file says that they are one bonded set
	Labels     []string    `json:"labels,omitempty"`  // of the channels, where Layout is known
	Cues       []wave.Cue  `json:"cues,omitempty"`
	Warnings   []Warning   `json:"warnings"`
	Recovered  bool        `json:"recovered"`
}

// Warning says what was wrong with a file that could be read all the same.
type Warning = wave.Warning

// FileSet is what iXML says of files that were recorded together.
type FileSet struct {
	Family string `json:"family"`
	Index  int    `json:"index"` // of this file, from 1; 0 where it does not tell
	Total  int    `json:"total"` // files in the set; 0 where it does not tell
}

// Describe reads the description of a file: from iXML first, then from the lines of bext's description, then from the
// file's name. fileName may have folders in front.
func Describe(f *wave.File, fileName string) Description {
	d := Description{
		Container: f.Container, Encoding: f.Encoding, SampleRate: f.SampleRate, BitDepth: f.BitDepth,
		Channels: f.Channels, Frames: f.Frames, Recovered: f.Recovered, Warnings: f.Warnings, Cues: f.Cues,
	}
	if d.Warnings == nil {
		d.Warnings = []wave.Warning{}
	}
	d.Tracks = make([]Track, f.Channels)
	for i := range d.Tracks {
		d.Tracks[i] = Track{Index: i + 1, Use: Unknown}
	}
	lines := bextLines(f.Bext)
	d.fromIXML(f)
	d.fromBext(lines)
	d.fromName(fileName)
	d.stamp(f, lines)
	for i := range d.Tracks {
		d.Tracks[i].Use = UseOf(d.Tracks[i])
	}
	if f.Bext != nil && dateForm.MatchString(f.Bext.Date) {
		d.Date = f.Bext.Date
	}
	if l, by := LayoutOf(f, d.Tracks); l.Name != layout.Discrete && f.Channels > 1 && !strings.HasPrefix(by, "assumed") {
		d.Layout, d.Labels = l.Name, l.Labels
	} else if labels := fieldOf(d.Tracks, fileName); labels != nil {
		d.Layout, d.Labels = map[int]layout.Name{4: layout.FOA, 9: layout.HOA2, 16: layout.HOA3}[len(labels)], labels
	}
	return d
}

var dateForm = regexp.MustCompile(`^\d{4}-\d\d-\d\d$`)

// packs are the common pack formats of ITU-R BS.2094 that are bonded sets.
var packs = map[string]layout.Name{
	"AP_00010002": layout.Stereo, "AP_0001000a": layout.LCR, "AP_00010003": layout.Five1, "AP_0001000f": layout.Seven1,
	"AP_00040001": layout.FOA, "AP_00040002": layout.HOA2, "AP_00040003": layout.HOA3,
}

// LayoutOf tells which set all channels of a file are, one label for each channel, and what says so: its chna chunk,
// the labels or names of its channels, or its channel mask. Where nothing does, one channel is mono, two are stereo and
// more are discrete, and by says that this was assumed.
func LayoutOf(f *wave.File, tracks []Track) (l layout.Layout, by string) {
	if l, ok := packOf(f); ok {
		return l, "by its chna chunk"
	}
	for _, source := range []struct {
		by   string
		text func(Track) string
	}{{"by the functions of its channels", func(t Track) string { return t.Function }},
		{"by the names of its channels", func(t Track) string { return t.Name }}} {
		if l, ok := spelled(tracks, source.text); ok && l.Width() == f.Channels {
			return l, source.by
		}
	}
	if l, ok := layout.ForMask(f.Mask, f.Channels); ok && f.Channels > 2 {
		return l, "by its channel mask"
	}
	switch f.Channels {
	case 1:
		return layout.ForWidth(1), "as it has one channel"
	case 2:
		return layout.ForWidth(2), "assumed, as it has two channels and nothing else tells"
	}
	return layout.Unnamed(f.Channels), "assumed, as nothing tells what its channels are"
}

// packOf reads the chna chunk.
func packOf(f *wave.File) (layout.Layout, bool) {
	if len(f.Audio) != f.Channels || f.Channels < 2 {
		return layout.Layout{}, false
	}
	name, known := packs["AP"+strings.ToLower(strings.TrimPrefix(f.Audio[0].Pack, "AP"))]
	same := !slices.ContainsFunc(f.Audio, func(a wave.AudioID) bool { return a.Pack != f.Audio[0].Pack })
	l, err := layout.New(name, "", 0)
	return l, known && same && err == nil && l.Width() == f.Channels
}

// spelled reads the labels of channels from a text of each, which may end in its label, as "Full mix Ls" does.
func spelled(tracks []Track, text func(Track) string) (layout.Layout, bool) {
	labels := make([]string, len(tracks))
	upper := make([]string, len(tracks))
	for i, t := range tracks {
		words := strings.Fields(text(t))
		if len(words) == 0 {
			return layout.Layout{}, false
		}
		upper[i] = strings.ToUpper(words[len(words)-1])
		var ok bool
		if labels[i], ok = layout.Label(text(t)); !ok {
			labels[i], _ = layout.Label(words[len(words)-1])
		}
	}
	if joined := strings.Join(upper, ""); joined == "WXYZ" || joined == "WYZX" {
		l, err := layout.New(layout.FOA, "", 0)
		return l, err == nil
	}
	l, ok := layout.ForLabels(labels)
	l.Labels = labels // as they stand
	return l, ok
}

// Rate is the frame rate that the file names; the zero Rate where it names none.
func (d Description) Rate() timecode.Rate {
	if d.FrameRate == nil {
		return timecode.Rate{}
	}
	flag := "NDF"
	if d.DropFrame {
		flag = "DF"
	}
	rate, err := timecode.ParseRate(*d.FrameRate, flag)
	if err != nil {
		return timecode.Rate{}
	}
	return rate
}

// Names gives the names of all channels, in order.
func (d Description) Names() []string {
	names := make([]string, len(d.Tracks))
	for i, t := range d.Tracks {
		names[i] = t.Name
	}
	return names
}

func (d *Description) fromIXML(f *wave.File) {
	x := f.IXML
	if x == nil {
		return
	}
	d.Scene, d.Take, d.Roll, d.Note = Clean(x.Scene), Clean(x.Take), Clean(x.Tape), Clean(x.Note)
	says := func(flag, kind string) bool {
		return strings.EqualFold(Clean(flag), "true") || slices.Contains(strings.FieldsFunc(strings.ToUpper(x.TakeType),
			func(r rune) bool { return r == ',' || r == ' ' }), kind)
	}
	d.Circled = strings.EqualFold(Clean(x.Circled), "true")
	d.Wild, d.NoGood, d.FalseStart = says(x.WildTrack, "WILD_TRACK"), says(x.NoGood, "NO_GOOD"), says(x.False, "FALSE_START")
	if x.FileSet != nil && Clean(x.FileSet.FamilyID) != "" {
		d.Set = &FileSet{Family: Clean(x.FileSet.FamilyID)}
		d.Set.Total, _ = strconv.Atoi(Clean(x.FileSet.Total))
		// The index is a number or a letter.
		if index := Clean(x.FileSet.Index); len(index) == 1 && index[0] >= 'A' && index[0] <= 'Z' {
			d.Set.Index = int(index[0]-'A') + 1
		} else {
			d.Set.Index, _ = strconv.Atoi(index)
		}
	}
	if x.Tracks == nil {
		return
	}
	for index, t := range interleaved(x.Tracks.Tracks, len(d.Tracks)) {
		d.Tracks[index].Name, d.Tracks[index].Function = Clean(t.Name), Clean(t.Function)
	}
}

// interleaved gives iXML's tracks by the channel of the file that they name, from 0. Some recorders leave the interleave
// index out; then the channels lie in the order of the recorder's inputs, which are numbers such as 2, 4, 5, 7, if there
// are as many. Names that may belong to another channel are left out: a wrong name is worse than none.
func interleaved(tracks []wave.IXMLTrack, channels int) map[int]wave.IXMLTrack {
	out := map[int]wave.IXMLTrack{}
	inputs := map[int]wave.IXMLTrack{}
	for _, t := range tracks {
		if index, err := strconv.Atoi(Clean(t.InterleaveIndex)); err == nil && index >= 1 && index <= channels {
			out[index-1] = t
		} else if input, err := strconv.Atoi(Clean(t.ChannelIndex)); err == nil {
			inputs[input] = t
		}
	}
	order := slices.Sorted(maps.Keys(inputs))
	switch {
	case len(out) > 0 || len(order) == 0:
	case len(order) == channels:
		for i, input := range order {
			out[i] = inputs[input]
		}
	case len(order) < channels && order[0] >= 1 && order[len(order)-1] <= channels: // some are not named
		for _, input := range order {
			out[input-1] = inputs[input]
		}
	}
	return out
}

func (d *Description) fromBext(lines map[string]string) {
	for key, to := range map[string]*string{"SCENE": &d.Scene, "TAKE": &d.Take, "TAPE": &d.Roll, "NOTE": &d.Note} {
		if *to == "" {
			*to = lines[key]
		}
	}
	d.Circled = d.Circled || yes(lines["CIRCLED"])
	d.Wild, d.NoGood = d.Wild || yes(lines["WILD_TRACK"]), d.NoGood || yes(lines["NO_GOOD"])
	for i := range d.Tracks {
		if d.Tracks[i].Name == "" {
			d.Tracks[i].Name = lines["TRK"+strconv.Itoa(i+1)]
		}
	}
	if len(d.Tracks) == 1 && d.Tracks[0].Name == "" { // a mono of a set has the line of its own channel
		named := slices.DeleteFunc(slices.Sorted(maps.Keys(lines)), func(key string) bool { return !strings.HasPrefix(key, "TRK") })
		if len(named) == 1 {
			d.Tracks[0].Name = lines[named[0]]
		}
	}
}

func yes(flag string) bool { return strings.EqualFold(flag, "true") || flag == "1" }

// bextLines reads description lines such as sSCENE=12A or zTRK1=Boom: a one-letter prefix, or none, and a key.
func bextLines(b *wave.Bext) map[string]string {
	lines := map[string]string{}
	if b == nil {
		return lines
	}
	for line := range strings.FieldsFuncSeq(b.Description, func(r rune) bool { return r == '\r' || r == '\n' }) {
		if m := bextLine.FindStringSubmatch(line); m != nil {
			if _, twice := lines[m[1]]; !twice {
				lines[m[1]] = Clean(m[2])
			}
		}
	}
	return lines
}

var bextLine = regexp.MustCompile(`^[A-Za-z]?(TRK\d{1,4}|SCENE|TAKE|TAPE|SPEED|NOTE|CIRCLED|WILD_TRACK|NO_GOOD)=(.*)$`)

// slateForms read roll, scene and take from the name of a file, the surest first: S10_T01, SC012A_TK03, LF03_12A_T03, 12A take 3,
// 12AT03, 12A-PU-2; the last, 12A-3 and 0012_03, are two numbers alone and count only where nothing else is meant.
var slateForms = func() (forms []*regexp.Regexp) {
	const roll, end = `^(?:([A-Za-z]{1,4}-?\d{1,4})[_ -]+)?`, `(?:[^0-9A-Za-z]|$)`
	for _, form := range []string{
		`(?:s|sc|scene)[ _-]?(\d{1,4}[A-Za-z]{0,2}?)[ _-]*(?:t|tk|take)[ _-]?(\d{1,4})`,
		`(\d{1,4}[A-Za-z]{0,2}|wild)[ _#-]+(?:t|tk|take)[ _-]?(\d{1,4})`,
		`(\d{1,4}[A-Za-su-z]?)t(\d{1,3})`,
		`(\d{1,4}[A-Za-z]{0,2}[ _-]?pu)[ _-]?(\d{1,3})`,
		`(\d{1,4}[A-Za-z]{0,2}|wild)[ _#-]+(\d{1,3})`,
	} {
		forms = append(forms, regexp.MustCompile(`(?i)`+roll+form+end))
	}
	return forms
}()

// dateOf finds what begins as a date does, so that its month is no take.
var dateOf = regexp.MustCompile(`^(?:19|20)\d\d[-_ ]?(?:0[1-9]|1[0-2])(?:[-_ ]?\d\d)?`)

// Slate reads roll, scene and take from the name of a file without its extension. They are empty where it says none.
func Slate(base string) (roll, scene, number string) {
	for i, form := range slateForms {
		m := form.FindStringSubmatch(base)
		if m == nil || i == len(slateForms)-1 && (dateOf.MatchString(base) || ReadName(base, Words()).Role != "") {
			continue
		}
		scene = strings.TrimLeft(strings.NewReplacer("_", " ", "-", " ").Replace(m[2]), "0")
		return m[1], cmp.Or(scene, "0"), cmp.Or(strings.TrimLeft(m[3], "0"), "0")
	}
	return "", "", ""
}

func (d *Description) fromName(fileName string) {
	roll, scene, number := Slate(Bare(fileName))
	if scene == "" || d.Scene != "" {
		return
	}
	d.Scene, d.Roll, d.Take = scene, cmp.Or(d.Roll, roll), cmp.Or(d.Take, number)
}

// speedLine is bext's frame rate, as in sSPEED=025.000-NDF.
var speedLine = regexp.MustCompile(`^0*(\d+)(?:\.(\d*))?(?:-(NDF|ND|DF))?$`)

func (d *Description) stamp(f *wave.File, lines map[string]string) {
	var start *int64
	stampRate := f.SampleRate
	var rateText, flag string
	if f.IXML != nil && f.IXML.Speed != nil {
		s := f.IXML.Speed
		rateText, flag = Clean(s.TimecodeRate), Clean(s.TimecodeFlag)
		if n, err := strconv.Atoi(Clean(s.StampRate)); err == nil && n >= 1000 && n <= 1<<20 {
			stampRate = n
		}
		high, errHigh := strconv.ParseUint(Clean(s.StampHigh), 10, 32)
		low, errLow := strconv.ParseUint(Clean(s.StampLow), 10, 32)
		if errHigh == nil && errLow == nil && high < 1<<30 {
			n := int64(high<<32 | low)
			start = &n
		}
	}
	if start == nil && f.Bext != nil {
		n := f.Bext.TimeReference
		start = &n
	}
	if rateText == "" {
		if m := speedLine.FindStringSubmatch(lines["SPEED"]); m != nil {
			rateText, flag = m[1], m[3]
			if frac := strings.TrimRight(m[2], "0"); frac != "" {
				rateText += "." + frac[:min(len(frac), 3)]
			}
			switch rateText {
			case "23.97", "23.976":
				rateText = "23.976"
			}
		}
	}
	if start != nil {
		// A day is the most that a clock shows; more is a damaged stamp.
		if *start > 25*3600*int64(stampRate) {
			d.Warnings = append(d.Warnings, wave.Warning{Code: "time-stamp", Message: "The time stamp lies beyond a day and was left out",
				Offset: -1})
		} else {
			n := timecode.Convert(*start, stampRate, f.SampleRate)
			d.StartSamples = &n
		}
	}
	if rate, err := timecode.ParseRate(rateText, flag); err == nil {
		s := rate.Number()
		d.FrameRate, d.DropFrame = &s, rate.Drop
		if d.StartSamples != nil {
			// The label counts real time at the stamp's own clock, so that a pulled file shows the slate's timecode.
			label := rate.LabelAt(*start, stampRate)
			d.StartTimecode = &label
		}
	}
}

var mixName = regexp.MustCompile(`(?i)^(mix|m?ix[ _-]?tr?[lr12]?|(mix|mx|lr|stereo mix)[ _.-]?(l|r|left|right|1|2|mono)|(l|r|left|right)[ _-]?mix|mono mix|stereo mix)$`)

// mixWord finds what calls itself a mix in so many words: Mixdown, ST MIX R, Prod Mix.
var mixWord = regexp.MustCompile(`(?i)(^|[^a-z])mix(down|[lr12])?([^a-z]|$)`)

// UseOf tells whether a channel is a microphone or a mix, by its function or its name.
func UseOf(t Track) Use {
	if strings.Contains(strings.ToUpper(t.Function), "MIX") || mixName.MatchString(t.Name) || mixWord.MatchString(t.Name) {
		return Mix
	}
	if t.Name != "" || t.Function != "" {
		return Iso
	}
	return Unknown
}

// Clean makes a metadata field fit to be shown: no control characters, no blanks around, not longer than a note.
func Clean(s string) string {
	s = strings.Map(func(r rune) rune {
		if r < 0x20 && r != '\t' || r == 0x7f {
			return -1
		}
		return r
	}, s)
	s = strings.TrimSpace(s)
	if r := []rune(s); len(r) > 500 {
		s = string(r[:500])
	}
	return s
}

// unnamed is how channels that have no name are called, before their number.
const unnamed = "Channel "

// ChannelName is the name of a channel, or its number where it has none.
func ChannelName(t Track) string {
	if t.Name != "" {
		return t.Name
	}
	return fmt.Sprint(unnamed, t.Index)
}

// OtherLines gives the lines of a bext description that are not about its tracks.
func OtherLines(description string) []string {
	var lines []string
	for line := range strings.FieldsFuncSeq(description, func(r rune) bool { return r == '\r' || r == '\n' }) {
		if m := bextLine.FindStringSubmatch(line); m == nil || !strings.HasPrefix(m[1], "TRK") {
			lines = append(lines, line)
		}
	}
	return lines
}
