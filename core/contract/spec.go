package contract

import (
	"embed"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"zestyloom/core/fault"
	"zestyloom/core/form"
	"zestyloom/core/layout"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
)

// Packaging names one of several ways in which a receiver takes files, of which one is chosen for a print.
type Packaging string

// Those that specs of the first version know.
const (
	Interleaved Packaging = "interleaved" // all channels in one file
	PerGroup    Packaging = "per-group"   // one file for each group
)

// Spec is what a receiver asks for. schema.json says what each field means and may hold.
type Spec struct {
	Version   int              `json:"spec"`
	ID        string           `json:"id"`
	Title     string           `json:"title"`
	Receiver  string           `json:"receiver,omitempty"`
	About     string           `json:"about,omitempty"`
	Programme Programme        `json:"programme,omitzero"`
	Mixes     []Mix            `json:"mixes,omitempty"`
	Groups    []Group          `json:"groups"`
	Packaging []Packaging      `json:"packaging,omitempty"`
	Files     []File           `json:"files"`
	Limits    []Limit          `json:"limits,omitempty"`
	Checks    map[string]Check `json:"checks,omitempty"`
}

// Programme is what of the reel is delivered, and what stands around it.
type Programme struct {
	FrameRate string   `json:"frameRate,omitempty"`
	Start     string   `json:"start,omitempty"`   // timecode of its first frame
	Range     []string `json:"range,omitempty"`   // reel, marks, mark NAME, or FROM–TO in timecode; empty for the whole reel
	Handles   int      `json:"handles,omitempty"` // frames before and after
	Lead      []Signal `json:"lead,omitempty"`
	Tail      []Signal `json:"tail,omitempty"`
}

// Signal is a line-up tone or a pop of one frame.
type Signal struct {
	At    string   `json:"at"`              // timecode from the first frame of programme, or from its end, with its sign
	Tone  float64  `json:"tone,omitempty"`  // Hz
	Pop   float64  `json:"pop,omitempty"`   // Hz, for one frame
	Level float64  `json:"level"`           // dBFS, of the peak of the sine
	Lasts float64  `json:"lasts,omitempty"` // seconds, of a tone
	Of    []string `json:"of,omitempty"`    // groups; empty for all
}

// Mix proposes a mix: all stems but those that are left out. A mix of the reel of that name wins.
type Mix struct {
	ID       string     `json:"id"`
	Name     string     `json:"name"`
	Language string     `json:"language,omitempty"`
	Layout   string     `json:"layout,omitempty"` // that of its widest group where it is left out
	Only     []StemPart `json:"only,omitempty"`
	Without  []StemPart `json:"without,omitempty"`
}

// StemPart is a stem, or a strand of it.
type StemPart struct {
	Stem   string `json:"stem"`
	Strand string `json:"strand,omitempty"`
}

// Group is a set of output channels of a spec.
type Group struct {
	ID       string `json:"id"`
	Name     string `json:"name"`
	Tag      string `json:"tag"`
	Layout   string `json:"layout"`
	Order    string `json:"order,omitempty"`
	Width    int    `json:"width,omitempty"` // of a discrete group
	Language string `json:"language,omitempty"`
	From     Source `json:"from"`
	Optional bool   `json:"optional,omitempty"` // left out where the reel has no such source
}

// Source is what feeds a group; one of its fields is there.
type Source struct {
	Stems   []string   `json:"stems,omitzero"`    // tags, tied by knots; empty, and not nil, where what is tied by hand alone feeds it
	Mix     string     `json:"mix,omitempty"`     // ID of one of the spec's mixes, or the name of one of the reel's
	Stem    string     `json:"stem,omitempty"`    // tag
	Strand  *StemPart  `json:"strand,omitempty"`  //
	Track   string     `json:"track,omitempty"`   // name
	Fold    *Fold      `json:"fold,omitempty"`    // of another group
	Silence bool       `json:"silence,omitempty"` // meant to be silent
	Each    *EachOfAll `json:"each,omitempty"`    // a group for each strand, stem or track
}

// Fold is another group and how it is folded; the levels are in dB.
type Fold struct {
	Of       string   `json:"of"`
	Centre   *float64 `json:"centre,omitempty"`
	Surround *float64 `json:"surround,omitempty"`
	Mono     *float64 `json:"mono,omitempty"`
	Trim     float64  `json:"trim,omitempty"`
	LFE      *float64 `json:"lfe,omitempty"` // nil for off
	Encoded  bool     `json:"encoded,omitempty"`
}

// Levels gives how the fold-down is made.
func (f Fold) Levels() *mix.Fold {
	m := mix.Usual()
	for to, v := range map[*float64]*float64{&m.CentreDB: f.Centre, &m.SurroundDB: f.Surround, &m.MonoDB: f.Mono} {
		if v != nil {
			*to = *v
		}
	}
	m.TrimDB, m.LFEDB, m.Encoded = f.Trim, f.LFE, f.Encoded
	return &m
}

// EachOfAll makes a group for each strand of a stem, for each stem, or for each track of one.
type EachOfAll struct {
	Row  reel.Row `json:"row"`            // strand, stem or track
	Stem string   `json:"stem,omitempty"` // whose strands or tracks; empty for all
}

// File is a file to be written, or a file for each of several things.
type File struct {
	Packaging Packaging `json:"packaging,omitempty"` // written where that is chosen; empty for always
	Name      string    `json:"name"`                // with tokens in braces, without extension
	Each      string    `json:"each,omitempty"`      // channel or group: a file for each
	Of        []string  `json:"of,omitempty"`        // groups, in order; empty for all that the reel has
	Container Container `json:"container"`
	Codec     Codec     `json:"codec,omitempty"`
	Rate      int       `json:"rate,omitempty"` // Hz; 0 for the reel's
	Depth     int       `json:"depth,omitempty"`
	Dither    *bool     `json:"dither,omitempty"`  // nil for yes, where it is needed
	Streams   []Stream  `json:"streams,omitempty"` // of a movie; empty for one stream a group
	Picture   string    `json:"picture,omitempty"` // reference, or none
	ADM       *ADM      `json:"adm,omitempty"`
}

// Stream is a stream of a movie.
type Stream struct {
	Of       []string `json:"of"` // groups, in order
	Title    string   `json:"title,omitempty"`
	Language string   `json:"language,omitempty"`
	Default  bool     `json:"default,omitempty"`
}

// ADM asks for a description of the file's groups after ITU-R BS.2076.
type ADM struct {
	Programme string `json:"programme,omitempty"` // its name, with tokens
}

// Limit is what is measured of groups, as they are in the files.
type Limit struct {
	Of           []string `json:"of,omitempty"`       // groups; empty for all
	Profile      string   `json:"profile,omitempty"`  // values that are well known, by name
	Measured     string   `json:"measured,omitempty"` // programme or dialogue
	Integrated   *float64 `json:"integrated,omitempty"`
	Tolerance    *float64 `json:"tolerance,omitempty"`
	RangeMax     *float64 `json:"rangeMax,omitempty"`
	ShortTermMax *float64 `json:"shortTermMax,omitempty"`
	MomentaryMax *float64 `json:"momentaryMax,omitempty"`
	TruePeak     *float64 `json:"truePeak,omitempty"`
	PPMMax       *float64 `json:"ppmMax,omitempty"`
}

// Check says how grave it is where a rule is broken.
type Check struct {
	As     Severity `json:"as"`               // error, warning or ok: not looked at
	Longer float64  `json:"longer,omitempty"` // of silence: seconds of it that are too long
	Runs   int      `json:"runs,omitempty"`   // of clipped: full-scale samples in a row that count as clipped; 3 where it is left out
	Within *float64 `json:"within,omitempty"` // of stems-sum-to-mix and fold: dBFS that may be left; −80 where it is left out
}

// What loudness is measured on.
const (
	WholeProgramme = "programme"
	DialogueGate   = "dialogue"
)

// Whole gives a limit with what its profile says and it does not.
func (l Limit) Whole() Limit {
	profile, _ := ProfileOf(l.Profile)
	p := profile.Limits
	for _, f := range []struct{ own, known **float64 }{
		{&l.Integrated, &p.Integrated}, {&l.Tolerance, &p.Tolerance}, {&l.RangeMax, &p.RangeMax}, {&l.ShortTermMax, &p.ShortTermMax},
		{&l.MomentaryMax, &p.MomentaryMax}, {&l.TruePeak, &p.TruePeak}, {&l.PPMMax, &p.PPMMax},
	} {
		if *f.own == nil {
			*f.own = *f.known
		}
	}
	if l.Measured == "" {
		l.Measured = p.Measured
	}
	return l
}

// For tells whether a limit is for a group of the reel.
func (l Limit) For(group string) bool {
	return len(l.Of) == 0 || slices.ContainsFunc(l.Of, func(id string) bool { return Stands(id, group) })
}

// Stands tells whether a group of the reel stands for one of the spec: it is that one, or one of those made of each.
func Stands(spec, group string) bool { return group == spec || strings.HasPrefix(group, spec+".") }

//go:embed schema.json
var schemaJSON []byte

//go:embed schema1.json
var schemaOfBefore []byte

//go:embed specs/*.yaml
var shipped embed.FS

// Schema gives the JSON schema of specs.
func Schema() []byte { return document.Schema() }

// Shipped gives the specs that come with the product, by number of groups and title.
func Shipped() ([]Spec, error) {
	entries, err := shipped.ReadDir("specs")
	if err != nil {
		return nil, err
	}
	var specs []Spec
	for _, e := range entries {
		text, err := shipped.ReadFile("specs/" + e.Name())
		if err != nil {
			return nil, err
		}
		s, err := Parse(text)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", e.Name(), err)
		}
		specs = append(specs, s)
	}
	slices.SortFunc(specs, func(a, b Spec) int {
		if n := len(a.Groups) - len(b.Groups); n != 0 {
			return n
		}
		return strings.Compare(a.Title, b.Title)
	})
	return specs, nil
}

// ShippedText gives the text of a spec that ships.
func ShippedText(id string) ([]byte, bool) {
	text, err := shipped.ReadFile("specs/" + id + ".yaml")
	return text, err == nil
}

// maxSpec is the largest spec that is read, in bytes.
const maxSpec = 1 << 18

var (
	document       = form.New("The spec", schemaJSON, maxSpec)
	documentBefore = form.New("The spec", schemaOfBefore, maxSpec)
)

// Parse reads a spec and holds it against the schema of its version. Its errors are of kind BadInput and name the field.
func Parse(text []byte) (Spec, error) {
	var s Spec
	if isFirst(text) {
		var first First
		if err := documentBefore.Read(text, &first); err != nil {
			return s, err
		}
		s = first.Upgraded()
	} else if err := document.Read(text, &s); err != nil {
		return s, err
	}
	return s, s.check()
}

// UnmarshalJSON takes a range as one word as well.
func (p *Programme) UnmarshalJSON(text []byte) error {
	type plain Programme
	var x struct {
		plain
		Range json.RawMessage `json:"range"`
	}
	if err := json.Unmarshal(text, &x); err != nil {
		return err
	}
	*p = Programme(x.plain)
	if len(x.Range) == 0 || string(x.Range) == "null" {
		return nil
	}
	var one string
	if json.Unmarshal(x.Range, &one) == nil {
		p.Range = []string{one}
		return nil
	}
	return json.Unmarshal(x.Range, &p.Range)
}

// check looks at what a schema can't: names that are there, orders, what containers hold.
func (s Spec) check() error {
	seen := map[string]bool{}
	for _, g := range s.Groups {
		if seen[g.ID] {
			return fault.New(fault.BadInput, "Group %s stands in the spec twice", g.ID)
		}
		seen[g.ID] = true
		if g.Layout == OwnWidth {
			if g.From.Each == nil {
				return fault.New(fault.BadInput, "Group %s is as wide as what it is made for, and is made for nothing: say from: {each: …}", g.ID)
			}
			continue
		}
		if _, err := g.Labels(); err != nil {
			return fault.New(fault.BadInput, "Group %s: %s", g.ID, fault.Sentence(err))
		}
	}
	for _, g := range s.Groups {
		if f := g.From.Fold; f != nil && (!seen[f.Of] || f.Of == g.ID) {
			return fault.New(fault.BadInput, "Group %s is the fold-down of %q, which is no other group of the spec", g.ID, f.Of)
		}
	}
	if err := s.checkWords(seen); err != nil {
		return err
	}
	for i, f := range s.Files {
		if err := s.checkFile(f, seen); err != nil {
			return fault.New(fault.BadInput, "File %d (%s): %s", i+1, f.Name, fault.Sentence(err))
		}
	}
	return nil
}

// checkWords looks at ranges, signals and limits.
func (s Spec) checkWords(groups map[string]bool) error {
	for _, sig := range slices.Concat(s.Programme.Lead, s.Programme.Tail) {
		if err := named(groups, sig.Of); err != nil {
			return err
		}
	}
	for _, l := range s.Limits {
		if _, err := ProfileOf(l.Profile); l.Profile != "" && err != nil {
			return fault.New(fault.BadInput, "%s", fault.Sentence(err))
		}
		if err := named(groups, l.Of); err != nil {
			return err
		}
	}
	for rule := range s.Checks {
		if !slices.Contains(Graded, rule) {
			return fault.New(fault.BadInput, "There is no check %q that a spec may grade; there are %s", rule, strings.Join(Graded, ", "))
		}
	}
	return nil
}

func named(groups map[string]bool, ids []string) error {
	for _, id := range ids {
		if !groups[id] {
			return fault.New(fault.BadInput, "The spec has no group %q", id)
		}
	}
	return nil
}

func (s Spec) checkFile(f File, groups map[string]bool) error {
	if f.Packaging != "" && !slices.Contains(s.Packaging, f.Packaging) {
		return fault.New(fault.BadInput, "packaging %q is none of the spec's", f.Packaging)
	}
	if err := named(groups, f.Of); err != nil {
		return err
	}
	for _, st := range f.Streams {
		if err := named(groups, st.Of); err != nil {
			return err
		}
	}
	if f.Each != "" && len(f.Streams) > 0 {
		return fault.New(fault.BadInput, "a file for each has no streams to list")
	}
	for _, g := range s.Groups {
		if g.Layout == OwnWidth && f.Each != "group" && (len(f.Of) == 0 || slices.Contains(f.Of, g.ID)) {
			return fault.New(fault.BadInput, "%s has groups each of its own width, so each wants a file of its own: say each: group", g.ID)
		}
	}
	if err := checkTokens(f.Name); err != nil {
		return err
	}
	return f.fits()
}

// OwnWidth is the layout of groups that are each as wide as what they are made for, mono or stereo.
const OwnWidth = "own"

// Wide gives a group of its own width as it is with so many channels.
func (g Group) Wide(channels int) Group {
	if g.Layout != OwnWidth {
		return g
	}
	if g.Layout = string(layout.Stereo); channels == 1 {
		g.Layout = string(layout.Mono)
	}
	return g
}

// Labels gives the labels of a group, in its order; those of one of its own width as it is where it is stereo.
func (g Group) Labels() ([]string, error) {
	g = g.Wide(2)
	if g.Layout == reel.DualMono {
		return []string{"M1", "M2"}, nil
	}
	l, err := layout.New(layout.Name(g.Layout), g.Order, g.Width)
	return l.Labels, err
}

// Format gives the sample format of a file with that many channels, at a rate in Hz.
func (f File) Format(channels, rate int, mask uint32) wave.Format {
	out := wave.Format{Encoding: wave.PCM, Channels: channels, SampleRate: rate, BitDepth: f.Depth, Bytes: f.Depth / 8, Mask: mask}
	if f.Depth == 32 {
		out.Encoding = wave.Float
	}
	return out
}

// FrameRate gives the spec's frame rate, if it asks for one.
func (s Spec) FrameRate() (timecode.Rate, bool) {
	number, drop := strings.CutSuffix(s.Programme.FrameRate, " DF")
	flag := "NDF"
	if drop {
		flag = "DF"
	}
	rate, err := timecode.ParseRate(number, flag)
	return rate, err == nil
}
