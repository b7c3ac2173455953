package delivery

import (
	"fmt"
	"slices"
	"strings"

	"zestyloom/core/layout"
	"zestyloom/core/reel"
	"zestyloom/core/unravel"
	"zestyloom/core/weave"
)

// Severity of a finding.
type Severity string

const (
	OK      Severity = "ok"
	Warning Severity = "warning" // worth a look; does not stop anything
	Error   Severity = "error"   // does not meet the spec, or can't be printed
)

// Finding is one line of a plan or report.
type Finding struct {
	Rule     string   `json:"rule"`
	Severity Severity `json:"severity"`
	Message  string   `json:"message"`
	Measured string   `json:"measured,omitempty"`
	Limit    string   `json:"limit,omitempty"`
	File     string   `json:"file,omitempty"`
}

// PlannedChannel is one channel of a file to be written.
type PlannedChannel struct {
	Index  int    `json:"index"`  // in the file, from 1
	Output string `json:"output"` // ID of the output channel
	Group  string `json:"group"`  // ID
	Label  string `json:"label"`
	Name   string `json:"name"` // as the file names it
}

// PlannedFile is a file to be written.
type PlannedFile struct {
	Name     string           `json:"name"`
	Groups   []string         `json:"groups"`
	Channels []PlannedChannel `json:"channels"`
}

// Plan is what a print will write.
type Plan struct {
	Revision      int64         `json:"revision"` // of the reel; whoever keeps reels by revisions sets it
	Spec          Spec          `json:"spec"`
	Packaging     Packaging     `json:"packaging"`
	Production    string        `json:"production"`
	Reel          string        `json:"reel"`
	Start         int64         `json:"start"`  // samples since midnight
	Frames        int64         `json:"frames"` // sample frames
	StartTimecode string        `json:"startTimecode"`
	Duration      string        `json:"duration"` // as timecode
	Files         []PlannedFile `json:"files"`
	Findings      []Finding     `json:"findings"`
}

// Printable tells whether nothing stands against printing.
func (p Plan) Printable() bool {
	return len(p.Files) > 0 && !slices.ContainsFunc(p.Findings, func(f Finding) bool { return f.Severity == Error })
}

// Bytes is how large the files will be together, about.
func (p Plan) Bytes() (n int64) {
	for _, f := range p.Files {
		n += p.Frames*int64(len(f.Channels))*int64(p.Spec.BitDepth/8) + 4096
	}
	return n
}

// maxHours is the longest that is printed: the length of the clock.
const maxHours = 24

// NewPlan works out what printing r after spec would write. It gives the reel to print too: r itself where it is laid
// out for that spec already, else a copy that has been. An empty packaging means the spec's first.
func NewPlan(production string, r *reel.Reel, spec Spec, packaging Packaging) (Plan, *reel.Reel, error) {
	if packaging == "" {
		packaging = spec.Packaging[0]
	}
	if r.Head.Spec != spec.ID {
		laid, err := laidOut(r, spec)
		if err != nil {
			return Plan{}, nil, err
		}
		r = laid
	}
	rate, sampleRate := r.Head.FrameRate, r.Head.SampleRate
	end := rate.SampleOf(rate.FrameAt(r.End()-1, sampleRate)+1, sampleRate) // up to a whole frame
	p := Plan{
		Spec: spec, Packaging: packaging, Production: production, Reel: r.Head.Name, Start: r.Head.Start, Frames: end - r.Head.Start,
		StartTimecode: rate.LabelAt(r.Head.Start, sampleRate), Findings: []Finding{}, Files: []PlannedFile{},
	}
	if len(r.Clips) == 0 || p.Frames <= 0 {
		p.Frames = 0
		p.add(Error, "empty", "There is nothing on this reel to print; unravel a take onto it first")
		return p, r, nil
	}
	if p.Frames > maxHours*3600*int64(sampleRate) {
		p.add(Error, "length", "The reel is longer than %d hours, from %s to its last clip; find the clip that lies far out and move it", maxHours, p.StartTimecode)
		p.Frames = 0
		return p, r, nil
	}
	p.Duration = rate.Label(rate.FrameAt(end, sampleRate) - rate.FrameAt(r.Head.Start, sampleRate))
	p.files(r)
	p.look(r)
	return p, r, nil
}

func laidOut(r *reel.Reel, spec Spec) (*reel.Reel, error) {
	bare := *r // without the knots of the other spec's outputs
	bare.Groups, bare.Knots = map[string]reel.Group{}, map[string]reel.Knot{}
	command, err := spec.LayOut(&bare)
	if err != nil {
		return nil, err
	}
	return reel.Try(&bare, command, nil) // outputs name no takes
}

func (p *Plan) add(severity Severity, rule, format string, args ...any) {
	p.Findings = append(p.Findings, Finding{Rule: rule, Severity: severity, Message: fmt.Sprintf(format, args...)})
}

func (p *Plan) files(r *reel.Reel) {
	groups := r.GroupList()
	var channels []PlannedChannel
	for _, o := range r.OutputList() {
		g := r.Groups[o.Group]
		name := g.Name + " " + o.Label
		if len(g.Labels) == 1 {
			name = g.Name
		}
		channels = append(channels, PlannedChannel{Output: o.ID, Group: g.ID, Label: o.Label, Name: name})
	}
	add := func(name string, groups []reel.Group, channels []PlannedChannel) {
		f := PlannedFile{Name: name + ".wav"}
		for _, g := range groups {
			f.Groups = append(f.Groups, g.ID)
		}
		for i, c := range channels {
			c.Index = i + 1
			f.Channels = append(f.Channels, c)
		}
		p.Files = append(p.Files, f)
	}
	if p.Packaging == Interleaved {
		add(p.name(reel.Group{}), groups, channels)
	} else {
		for _, g := range groups {
			own := slices.DeleteFunc(slices.Clone(channels), func(c PlannedChannel) bool { return c.Group != g.ID })
			add(p.name(g), []reel.Group{g}, own)
		}
	}
}

// name fills a naming template in. What is filled in is made safe first, so that no name can leave its folder.
func (p *Plan) name(g reel.Group) string {
	// What may be long is cut before it is filled in, so that what tells files apart is never lost.
	return unravel.FileSafeTo(strings.NewReplacer(
		"{production}", unravel.FileSafeTo(p.Production, 40), "{reel}", unravel.FileSafeTo(p.Reel, 40), "{spec}", unravel.FileSafeTo(p.Spec.ID, 40),
		"{group}", unravel.FileSafeTo(g.Name, 40), "{tag}", g.Tag, "{layout}", g.Layout,
	).Replace(p.Spec.Naming[p.Packaging]), 200)
}

// look finds what is wrong.
func (p *Plan) look(r *reel.Reel) {
	if p.Spec.SampleRate != r.Head.SampleRate {
		p.add(Error, "sample-rate", "The spec asks for %d Hz and the reel runs at %d Hz", p.Spec.SampleRate, r.Head.SampleRate)
	}
	if rate, ok := p.Spec.frameRate(); ok && rate != r.Head.FrameRate {
		p.add(Error, "frame-rate", "The spec asks for %s frames a second and the reel counts %s", rate, r.Head.FrameRate)
	}
	if p.Spec.Start != "" && p.Spec.Start != p.StartTimecode {
		p.add(Error, "start", "The spec asks for a start at %s and the reel starts at %s", p.Spec.Start, p.StartTimecode)
	}
	if !slices.Contains(p.Spec.Packaging, p.Packaging) {
		p.add(Error, "packaging", "The receiver does not take files packed as %s", p.Packaging)
	}
	names := map[string]bool{}
	for _, f := range p.Files {
		if names[f.Name] {
			p.add(Error, "naming", "Two files would be called %s; the spec's naming does not tell its groups apart", f.Name)
		}
		names[f.Name] = true
	}
	early := 0
	for _, c := range r.Clips {
		if c.Start < r.Head.Start {
			early++
		}
	}
	if early > 0 {
		p.add(Warning, "before-start", "%s before the reel's start at %s; what lies before it is not printed", plural(early, "clip begins", "clips begin"), p.StartTimecode)
	}
	for _, s := range p.Spec.Groups {
		if !slices.ContainsFunc(s.Stems, func(stem string) bool { _, ok := r.Stems[stem]; return ok }) {
			p.add(Error, "stem", "The spec feeds %s from %s, which this reel does not have", s.Name, strings.Join(s.Stems, " and "))
		}
	}
	for _, f := range weave.Findings(r) {
		p.add(Warning, string(f.Rule), "%s", f.Message)
	}
}

func plural(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}

// layoutOf gives the layout that a group is measured in.
func layoutOf(g reel.Group) layout.Layout {
	return layout.Layout{Name: layout.Name(g.Layout), Labels: g.Labels}
}
