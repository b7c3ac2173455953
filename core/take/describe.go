package take

import (
	"path"
	"regexp"
	"strconv"
	"strings"

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
	Tracks        []Track        `json:"tracks"`
	Warnings      []wave.Warning `json:"warnings"`
	Recovered     bool           `json:"recovered"`
}

// Describe reads the description of a file: from iXML first, then from the lines of bext's description, then from the
// file's name. fileName may have folders in front.
func Describe(f *wave.File, fileName string) Description {
	d := Description{
		Container: f.Container, Encoding: f.Encoding, SampleRate: f.SampleRate, BitDepth: f.BitDepth,
		Channels: f.Channels, Frames: f.Frames, Recovered: f.Recovered, Warnings: f.Warnings,
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
		d.Tracks[i].Use = useOf(d.Tracks[i])
	}
	return d
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
	d.Scene, d.Take, d.Roll, d.Note = clean(x.Scene), clean(x.Take), clean(x.Tape), clean(x.Note)
	d.Circled = strings.EqualFold(clean(x.Circled), "true")
	if x.Tracks == nil {
		return
	}
	for _, t := range x.Tracks.Tracks {
		// Some recorders leave the interleave index out; then the recorder's input counts, as there is nothing better.
		index, err := strconv.Atoi(clean(t.InterleaveIndex))
		if err != nil {
			index, err = strconv.Atoi(clean(t.ChannelIndex))
		}
		if err == nil && index >= 1 && index <= len(d.Tracks) {
			d.Tracks[index-1].Name = clean(t.Name)
			d.Tracks[index-1].Function = clean(t.Function)
		}
	}
}

func (d *Description) fromBext(lines map[string]string) {
	for key, to := range map[string]*string{"SCENE": &d.Scene, "TAKE": &d.Take, "TAPE": &d.Roll, "NOTE": &d.Note} {
		if *to == "" {
			*to = lines[key]
		}
	}
	if v := lines["CIRCLED"]; strings.EqualFold(v, "true") || v == "1" {
		d.Circled = true
	}
	for i := range d.Tracks {
		if d.Tracks[i].Name == "" {
			d.Tracks[i].Name = lines["TRK"+strconv.Itoa(i+1)]
		}
	}
}

// bextLines reads description lines such as sSCENE=12A or zTRK1=Boom: a one-letter prefix, or none, and a key.
func bextLines(b *wave.Bext) map[string]string {
	lines := map[string]string{}
	if b == nil {
		return lines
	}
	for line := range strings.FieldsFuncSeq(b.Description, func(r rune) bool { return r == '\r' || r == '\n' }) {
		if m := bextLine.FindStringSubmatch(line); m != nil {
			if _, twice := lines[m[1]]; !twice {
				lines[m[1]] = clean(m[2])
			}
		}
	}
	return lines
}

var bextLine = regexp.MustCompile(`^[a-z]?(TRK\d{1,4}|SCENE|TAKE|TAPE|SPEED|NOTE|CIRCLED)=(.*)$`)

// nameForm reads roll, scene and take from a file name such as LF03_12A_T03.wav or 12A-3.wav.
var nameForm = regexp.MustCompile(`^(?:([A-Za-z]{1,4}-?\d{1,4})[_ -])?(\d{1,4}[A-Za-z]{0,2}|wild)[_ -]+[Tt]?(\d{1,3})(?:[_. -]|$)`)

func (d *Description) fromName(fileName string) {
	base := strings.TrimSuffix(path.Base(fileName), path.Ext(fileName))
	m := nameForm.FindStringSubmatch(base)
	if m == nil || d.Scene != "" {
		return
	}
	d.Scene = m[2]
	if d.Roll == "" {
		d.Roll = m[1]
	}
	if d.Take == "" {
		d.Take = strings.TrimLeft(m[3], "0")
	}
}

// speedLine is bext's frame rate, as in sSPEED=025.000-NDF.
var speedLine = regexp.MustCompile(`^0*(\d+)(?:\.(\d*))?(?:-(NDF|ND|DF))?$`)

func (d *Description) stamp(f *wave.File, lines map[string]string) {
	var start *int64
	stampRate := f.SampleRate
	var rateText, flag string
	if f.IXML != nil && f.IXML.Speed != nil {
		s := f.IXML.Speed
		rateText, flag = clean(s.TimecodeRate), clean(s.TimecodeFlag)
		if n, err := strconv.Atoi(clean(s.StampRate)); err == nil && n >= 1000 && n <= 1<<20 {
			stampRate = n
		}
		high, errHigh := strconv.ParseUint(clean(s.StampHigh), 10, 32)
		low, errLow := strconv.ParseUint(clean(s.StampLow), 10, 32)
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
			d.Warnings = append(d.Warnings, wave.Warning{Code: "time-stamp", Message: "The time stamp lies beyond a day and was left out", Offset: -1})
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

func useOf(t Track) Use {
	if strings.Contains(strings.ToUpper(t.Function), "MIX") || mixName.MatchString(t.Name) {
		return Mix
	}
	if t.Name != "" || t.Function != "" {
		return Iso
	}
	return Unknown
}

// clean makes a metadata field fit to be shown: no control characters, no blanks around, not longer than a note.
func clean(s string) string {
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
