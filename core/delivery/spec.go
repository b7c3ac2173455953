package delivery

import (
	"embed"
	"fmt"
	"slices"
	"strings"

	"zestyloom/core/fault"
	"zestyloom/core/form"
	"zestyloom/core/layout"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
	"zestyloom/core/weave"
)

// Packaging says how output channels become files.
type Packaging string

const (
	Interleaved Packaging = "interleaved" // all channels in one file
	PerGroup    Packaging = "per-group"   // one file for each group
)

// Spec is what a receiver asks for. schema.json says what each field means and may hold.
type Spec struct {
	ID          string               `yaml:"id" json:"id"`
	Title       string               `yaml:"title" json:"title"`
	Receiver    string               `yaml:"receiver" json:"receiver"`
	About       string               `yaml:"about" json:"about"`
	Container   string               `yaml:"container" json:"container"`
	SampleRate  int                  `yaml:"sampleRate" json:"sampleRate"` // Hz
	BitDepth    int                  `yaml:"bitDepth" json:"bitDepth"`
	Packaging   []Packaging          `yaml:"packaging" json:"packaging"`
	FrameRate   string               `yaml:"frameRate" json:"frameRate"`
	Start       string               `yaml:"start" json:"start"`
	Naming      map[Packaging]string `yaml:"naming" json:"naming"`
	TruePeakMax *float64             `yaml:"truePeakMax" json:"truePeakMax"` // dBTP
	PPMMax      *float64             `yaml:"ppmMax" json:"ppmMax"`
	Groups      []SpecGroup          `yaml:"groups" json:"groups"`
}

// SpecGroup is a set of output channels of a spec.
type SpecGroup struct {
	ID       string    `yaml:"id" json:"id"`
	Name     string    `yaml:"name" json:"name"`
	Tag      string    `yaml:"tag" json:"tag"`
	Layout   string    `yaml:"layout" json:"layout"`
	Order    string    `yaml:"order" json:"order"`
	Stems    []string  `yaml:"stems" json:"stems"`
	Loudness *Loudness `yaml:"loudness" json:"loudness"`
}

// Loudness is a target for integrated loudness, in LUFS and LU.
type Loudness struct {
	Target    float64 `yaml:"target" json:"target"`
	Tolerance float64 `yaml:"tolerance" json:"tolerance"`
}

//go:embed schema.json
var schemaJSON []byte

//go:embed specs/*.yaml
var shipped embed.FS

// Schema gives the JSON schema of specs.
func Schema() []byte { return document.Schema() }

// Shipped gives the specs that come with the product, by title.
func Shipped() ([]Spec, error) {
	entries, err := shipped.ReadDir("specs")
	if err != nil {
		return nil, err
	}
	var specs []Spec
	for _, e := range entries {
		b, err := shipped.ReadFile("specs/" + e.Name())
		if err != nil {
			return nil, err
		}
		s, err := ParseSpec(b)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", e.Name(), err)
		}
		specs = append(specs, s)
	}
	slices.SortFunc(specs, func(a, b Spec) int { return len(a.Groups) - len(b.Groups) })
	return specs, nil
}

// maxSpec is the largest spec that is read, in bytes.
const maxSpec = 1 << 18

var document = form.New("The spec", schemaJSON, maxSpec)

// ParseSpec reads a spec and holds it against the schema. Its errors are of kind BadInput and name the field.
func ParseSpec(text []byte) (Spec, error) {
	var s Spec
	if err := document.Read(text, &s); err != nil {
		return s, err
	}
	_, err := s.groups()
	return s, err
}

func (s Spec) groups() ([]reel.Group, error) {
	var groups []reel.Group
	seen := map[string]bool{}
	for _, g := range s.Groups {
		l, err := layout.New(layout.Name(g.Layout), g.Order, 0)
		if err != nil {
			return nil, fault.New(fault.BadInput, "Group %s: %s", g.ID, fault.Sentence(err))
		}
		if seen[g.ID] {
			return nil, fault.New(fault.BadInput, "Group %s stands in the spec twice", g.ID)
		}
		seen[g.ID] = true
		groups = append(groups, reel.Group{ID: g.ID, Name: g.Name, Tag: g.Tag, Layout: g.Layout, Labels: l.Labels, Stems: g.Stems})
	}
	return groups, nil
}

// LayOut gives the command that lays the spec's output channels out on a reel and ties the stems to them.
func (s Spec) LayOut(r *reel.Reel) (reel.LayOutputs, error) {
	groups, err := s.groups()
	if err != nil {
		return reel.LayOutputs{}, err
	}
	return reel.LayOutputs{Spec: s.ID, Title: s.Title, Groups: groups, Knots: weave.GroupKnots(r, groups)}, nil
}

// Format gives the sample format of files with that many channels.
func (s Spec) Format(channels int, mask uint32) wave.Format {
	f := wave.Format{Encoding: wave.PCM, Channels: channels, SampleRate: s.SampleRate, BitDepth: s.BitDepth, Bytes: s.BitDepth / 8, Mask: mask}
	if s.BitDepth == 32 {
		f.Encoding = wave.Float
	}
	return f
}

// frameRate gives the spec's frame rate, if it asks for one.
func (s Spec) frameRate() (timecode.Rate, bool) {
	number, drop := strings.CutSuffix(s.FrameRate, " DF")
	flag := "NDF"
	if drop {
		flag = "DF"
	}
	rate, err := timecode.ParseRate(number, flag)
	return rate, err == nil
}
