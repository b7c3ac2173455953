// Package desk is the receiver's stand-in: it takes a delivery, anybody's, holds it against a spec on its own, and answers with
// a receipt or a list of faults.
//
// In: files as whoever opened them found them, each with its streams of sound to read; a spec. Out: findings with file, channel,
// timecode and figure. It knows nothing of how deliveries are made: it imports neither the printer nor the reel. Begin reading
// at Check.
package desk

import (
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"zestyloom/core/adm"
	"zestyloom/core/contract"
	"zestyloom/core/fault"
	"zestyloom/core/loudness"
	"zestyloom/core/sums"
	"zestyloom/core/timecode"
)

// Sound is read front to back.
type Sound interface {
	// Read fills the block (channels × frames, full scale 1) from its beginning and says how many frames it has; io.EOF ends it.
	Read(block [][]float64) (frames int, err error)
	Close() error
}

// Stream is a stream of sound of a file; a WAVE has one.
type Stream struct {
	Codec    string   `json:"codec"` // pcm, flac, alac, or as another program calls it
	Rate     int      `json:"rate"`  // Hz
	Depth    int      `json:"depth"` // bits; 32 for float, 0 where it is not known
	Channels int      `json:"channels"`
	Frames   int64    `json:"frames"`             // 0 where the file does not say
	Layout   string   `json:"layout,omitempty"`   // as the file says
	Title    string   `json:"title,omitempty"`    //
	Language string   `json:"language,omitempty"` // as ISO 639-2 writes it
	Default  bool     `json:"default,omitempty"`
	Late     float64  `json:"late,omitempty"`  // seconds that it begins after the picture, or after the first stream where there is none
	Names    []string `json:"names,omitempty"` // of the channels, where the file has them
	Speakers []string `json:"-"`               // that the channels are for, where the file has a mask that says so
	// Open begins reading its samples.
	Open func(ctx context.Context) (Sound, error) `json:"-"`
}

// File is a file of a delivery, as it was found.
type File struct {
	Name      string             `json:"name"`
	Size      int64              `json:"size"`
	SHA256    string             `json:"sha256"`
	Container contract.Container `json:"container"` // empty where it is none that a spec knows
	Streams   []Stream           `json:"streams"`
	Start     *timecode.Reading  `json:"start,omitempty"`     // time stamp of the first sample, at the rate of the first stream
	Timecode  string             `json:"timecode,omitempty"`  // of the first frame, where there is no time stamp
	FrameRate timecode.Rate      `json:"frameRate,omitzero"`  // of the picture, or of the clock
	Pictures  int                `json:"pictures"`            //
	Frames    int64              `json:"frames,omitempty"`    // of the picture
	Described int                `json:"described,omitempty"` // channels that a description after BS.2076 has
	ADM       *adm.Document      `json:"-"`                   // that description
	// Doubts are what showed while it was read: it can't be, or two programs that read it do not agree.
	Doubts []contract.Finding `json:"-"`
}

// Receipt is the desk's answer.
type Receipt struct {
	Pass      bool               `json:"pass"`
	Packaging contract.Packaging `json:"packaging,omitempty"` // that the files are packed in
	Findings  []contract.Finding `json:"findings"`            // one for each thing that was compared
	Files     []File             `json:"files"`
	Groups    []Measured         `json:"groups"`
	Seen      []Seen             `json:"seen,omitempty"` // what the files are, where there was no spec
	Places    []Place            `json:"places,omitempty"`
	Lead      float64            `json:"lead,omitempty"`     // seconds before the programme with its handles
	Tail      float64            `json:"tail,omitempty"`     // seconds after it
	Handles   float64            `json:"handles,omitempty"`  // seconds of it at each end
	FrameRate timecode.Rate      `json:"frameRate,omitzero"` // that the delivery counts in
}

// Place says what a channel of a file is.
type Place struct {
	File    string `json:"file"`
	Stream  int    `json:"stream"`  // from 0
	Channel int    `json:"channel"` // of the stream, from 0
	Group   string `json:"group"`   // tells the set that it belongs to from others
	Name    string `json:"name"`    // of that set
	Label   string `json:"label"`
}

// Measured is what was measured of a group.
type Measured struct {
	ID   string `json:"id"`
	Name string `json:"name"`
	loudness.Measurement
	ShortTerm *loudness.Curve `json:"shortTerm,omitempty"` // LUFS over the programme
	Peaks     *loudness.Curve `json:"peaks,omitempty"`     // dBFS, of the loudest channel
}

// Rules are all that the desk may find broken, and what that means.
var Rules = map[string]string{
	"file":             "a file is missing, or can't be read",
	"extra":            "a file that nobody asked for",
	"naming":           "a file is called otherwise",
	"checksum":         "a file is not what the list of checksums says",
	"readers":          "two programs that read a file do not agree",
	"container":        "another container",
	"codec":            "another coding",
	"sample-rate":      "another sample rate",
	"bit-depth":        "other bits",
	"channels":         "another number of channels",
	"stream":           "other streams",
	"order":            "channels in another order",
	"names":            "other names of channels or streams",
	"language":         "another language",
	"length":           "another length",
	"start":            "another time stamp",
	"frame-rate":       "another frame rate",
	"picture":          "no picture, or another",
	"adm":              "no description after BS.2076, or another",
	"lead":             "another leader or tail",
	"loudness":         "another loudness",
	"loudness-range":   "too large a loudness range",
	"short-term":       "too loud for a while",
	"momentary":        "too loud for a moment",
	"true-peak":        "too high a true peak",
	"ppm":              "too high on the programme meter",
	"clipped":          "clipped samples",
	"dropout":          "sound that breaks off and goes on",
	"click":            "samples that stand out of the sound",
	"topped":           "waves whose tops are cut off below full scale",
	"hum":              "hum of the mains",
	"lfe":              "an LFE that carries more than low frequencies",
	"copy-rate":        "a copy at another rate is another sound",
	"copy":             "channels or groups that hold the same sound",
	"silent":           "what is meant to be silent is not",
	"unfed":            "nothing is on a group",
	"silence":          "too long a silence",
	"fold":             "a fold-down is none",
	"stems-sum-to-mix": "stems that do not add up",
	"measurable":       "what is to be measured can't be",
}

// soft are rules that warn where the spec does not say how grave they are.
var soft = []string{"unfed", "extra", "topped", "copy"}

// checking is a delivery while it is checked.
type checking struct {
	spec    contract.Spec
	rate    timecode.Rate
	receipt Receipt
	told    []sums.Sum      // what adds up, by the papers of the delivery
	nulled  map[string]bool // groups, at a rate, that were held to add up
	heard   []copyOf        // groups, at every rate
	refused bool            // there are files of which it could not be told what their channels are
}

// Check holds a delivery against a spec. told is what adds up by the papers that lie beside it, where any do. packaging is the way of
// packing that was agreed on, or empty for the one that the files are nearest to. progress is told the share done. An error means
// that checking could not go on; what is wrong with the delivery is in the receipt.
func Check(ctx context.Context, files []File, told []sums.Sum, spec contract.Spec, packaging contract.Packaging,
	progress func(float64)) (Receipt, error) {
	c := checking{spec: spec, told: told, nulled: map[string]bool{}, receipt: Receipt{Pass: true, Files: files, Findings: []contract.Finding{},
		Groups: []Measured{}}}
	for _, f := range files {
		for _, doubt := range f.Doubts {
			doubt.File = f.Name
			c.hold(doubt)
		}
	}
	m := match(files, spec, packaging)
	c.receipt.Packaging = m.packaging
	c.clock(files)
	c.present(m)
	var placed []*placed
	for _, one := range m.matched {
		if p := c.facts(one); p != nil {
			placed = append(placed, p)
		}
	}
	c.together(placed)
	c.places(placed)
	if err := c.listen(ctx, placed, progress); err != nil {
		return c.receipt, err
	}
	c.unproven(placed)
	slices.SortStableFunc(c.receipt.Findings, func(a, b contract.Finding) int { return gravity(b) - gravity(a) })
	return c.receipt, nil
}

// places says what each channel is, and what stands around the programme.
func (c *checking) places(list []*placed) {
	for _, p := range list {
		for _, at := range p.channels {
			c.receipt.Places = append(c.receipt.Places, Place{p.file.Name, at.stream, at.channel, at.group.key, at.group.Name, at.label})
		}
	}
	const rate = 48000
	around := c.around(rate)
	c.receipt.Lead, c.receipt.Tail, c.receipt.Handles = float64(around.lead)/rate, float64(around.tail)/rate,
		float64(around.programme-around.lead)/rate
	c.receipt.FrameRate = c.rate
}

func gravity(f contract.Finding) int {
	return slices.Index([]contract.Severity{contract.OK, contract.Warning, contract.Error}, f.Severity)
}

// clock finds the frame rate that the delivery counts in.
func (c *checking) clock(files []File) {
	c.rate = timecode.Rate{Num: 25, Den: 1}
	for _, f := range files {
		if f.FrameRate.Valid() {
			c.rate = f.FrameRate
			break
		}
	}
	if asked, asks := c.spec.FrameRate(); asks {
		c.rate = asked
	}
}

// hold notes something that was compared, as grave as the spec says.
func (c *checking) hold(f contract.Finding) {
	if f.Severity == contract.Error {
		as := c.spec.Checks[f.Rule].As
		if as == "" && slices.Contains(soft, f.Rule) {
			as = contract.Warning
		}
		if as == contract.OK {
			return
		}
		if as == contract.Warning {
			f.Severity = contract.Warning
		} else {
			c.receipt.Pass = false
		}
	}
	c.receipt.Findings = append(c.receipt.Findings, f)
}

// note holds that something is as it should be, or is not.
func (c *checking) note(ok bool, f contract.Finding) {
	if f.Severity = contract.OK; !ok {
		f.Severity = contract.Error
	}
	c.hold(f)
}

// compare notes that two things that can be written are the same.
func (c *checking) compare(rule, file, message string, measured, limit any) {
	m, l := fmt.Sprint(measured), fmt.Sprint(limit)
	c.note(m == l, contract.Finding{Rule: rule, File: file, Message: message, Measured: m, Limit: l})
}

// present says which files are missing, called otherwise, or not asked for.
func (c *checking) present(m matching) {
	if m.packaging != "" && len(c.spec.Packaging) > 0 && !slices.Contains(c.spec.Packaging, m.packaging) {
		c.note(false, contract.Finding{Rule: "file", Message: fmt.Sprintf("The receiver does not take files packed as %s", m.packaging)})
	}
	c.refused = len(m.missing) > 0
	for _, s := range m.missing {
		c.note(false, contract.Finding{Rule: "file", Message: fmt.Sprintf("There is no file of %s", s.words()), Limit: s.called()})
	}
	for _, f := range m.extra {
		if len(f.Streams) == 0 && f.Size == 0 && len(f.Doubts) > 0 {
			continue // it is not there at all, or no file of the delivery, and what is wrong with it has been said
		}
		c.note(false, contract.Finding{Rule: "extra", File: f.Name, Message: "Nothing in the spec asks for this file"})
	}
	who := map[string][]string{}
	for _, one := range m.matched {
		if !one.named {
			c.note(false, contract.Finding{Rule: "naming", File: one.file.Name, Message: "The file is called otherwise than the spec asks",
				Measured: one.file.Name, Limit: one.slot.called()})
			continue
		}
		if w := one.found["who"]; w != "" {
			key := one.slot.spec.Name[:strings.IndexAny(one.slot.spec.Name+"}", "}")]
			if !slices.Contains(who[key], w) {
				who[key] = append(who[key], w)
			}
		}
	}
	for _, names := range who {
		if len(names) > 1 {
			c.note(false, contract.Finding{Rule: "naming", Message: "Files are called after several productions or reels",
				Measured: strings.Join(names, ", "), Limit: "one of them"})
		}
	}
}

// Unread gives a file that can't be read as anything: what is wrong is its doubt.
func Unread(name string, size int64, err error) File {
	return File{Name: name, Size: size, Streams: []Stream{}, Doubts: []contract.Finding{{Rule: "file", Severity: contract.Error,
		Message: fault.Sentence(err)}}}
}

// fill reads until the block is full or the sound ends.
func fill(s Sound, block [][]float64) (n int, err error) {
	want := len(block[0])
	for n < want {
		rest := make([][]float64, len(block))
		for i := range block {
			rest[i] = block[i][n:]
		}
		got, err := s.Read(rest)
		n += got
		if errors.Is(err, io.EOF) || err == nil && got == 0 {
			return n, io.EOF
		}
		if err != nil {
			return n, err
		}
	}
	return n, nil
}
