package delivery

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"zestyloom/core/contract"
	"zestyloom/core/layout"
	"zestyloom/core/reel"
	"zestyloom/core/sums"
	"zestyloom/core/timecode"
	"zestyloom/core/unravel"
	"zestyloom/core/weave"
)

// Asked is what is asked of a print beside its spec.
type Asked struct {
	Packaging contract.Packaging `json:"packaging,omitempty"` // the spec's first where it is empty
	Restamp   bool               `json:"restamp,omitempty"`   // the files are stamped as the spec asks, wherever the reel starts
	Range     []string           `json:"range,omitempty"`     // instead of the spec's, in the same words
	Version   int                `json:"version,omitempty"`   // which print of this spec it is; 0 counts as the first
	Date      string             `json:"date,omitempty"`      // for names, yyyy-mm-dd
}

// PlannedChannel is one channel of a file to be written.
type PlannedChannel struct {
	Index  int    `json:"index"`  // in the file, from 1
	Output string `json:"output"` // ID of the output channel
	Group  string `json:"group"`  // ID
	Label  string `json:"label"`
	Name   string `json:"name"` // as the file names it
	Fed
}

// Fed is what sounds on a channel.
type Fed struct {
	Stems  []string `json:"stems,omitempty"`  // tags of those that are tied to it, or feed its group
	From   string   `json:"from,omitempty"`   // what else feeds its group, in words
	Tracks []string `json:"tracks,omitempty"` // names of all that reach it
	Silent bool     `json:"silent,omitempty"` // it is meant to be silent
}

// PlannedStream is a stream of a file: all of it, but in a movie.
type PlannedStream struct {
	Title    string           `json:"title"`
	Language string           `json:"language,omitempty"`
	Default  bool             `json:"default,omitempty"`
	Layout   string           `json:"layout,omitempty"` // as containers name it; empty where they have no name for it
	Channels []PlannedChannel `json:"channels"`
}

func (s PlannedStream) labels() []string {
	labels := make([]string, len(s.Channels))
	for i, c := range s.Channels {
		labels[i] = c.Label
	}
	return labels
}

// PlannedFile is a file to be written.
type PlannedFile struct {
	Name      string             `json:"name"`
	Range     int                `json:"range"` // place in Plan.Ranges
	Container contract.Container `json:"container"`
	Codec     contract.Codec     `json:"codec"`
	Rate      int                `json:"rate"`             // Hz
	Depth     int                `json:"depth"`            // bits; 32 means float
	Dither    bool               `json:"dither,omitempty"` // where it is needed
	Start     timecode.Reading   `json:"start"`            // time stamp of its first sample, at its rate
	Frames    int64              `json:"frames"`           // sample frames, at its rate
	Bytes     int64              `json:"bytes"`            // about
	Groups    []string           `json:"groups"`
	Channels  []PlannedChannel   `json:"channels"`
	Streams   []PlannedStream    `json:"streams"`
	Picture   bool               `json:"picture,omitempty"`
	ADM       string             `json:"adm,omitempty"`  // name of the programme that its description is of
	Says      []string           `json:"says,omitempty"` // what its container has no words for
}

// PlannedRange is a stretch of the reel that is printed.
type PlannedRange struct {
	Name  string           `json:"name"`
	First int64            `json:"first"` // sample of the reel with which the programme begins
	From  int64            `json:"from"`  // the same with handles
	To    int64            `json:"to"`    // the sample after it, with handles
	Stamp timecode.Reading `json:"stamp"` // what From is stamped as
	Lead  int64            `json:"lead"`  // samples before From
	Tail  int64            `json:"tail"`  // samples after To
}

// Frames is how long its files are, at the reel's rate.
func (r PlannedRange) Frames() int64 { return r.Lead + r.To - r.From + r.Tail }

// Plan is what a print will write.
type Plan struct {
	Revision      int64              `json:"revision"` // of the reel; whoever keeps reels by revisions sets it
	Spec          contract.Spec      `json:"spec"`
	Asked         Asked              `json:"asked"`
	Packaging     contract.Packaging `json:"packaging"`
	Production    string             `json:"production"`
	Reel          string             `json:"reel"`
	Rate          int                `json:"rate"`   // of the reel, Hz
	Start         timecode.Reading   `json:"start"`  // time stamp of the first file
	Frames        int64              `json:"frames"` // sample frames, of the first range
	StartTimecode string             `json:"startTimecode"`
	Duration      string             `json:"duration"`          // of all ranges, as timecode
	Seconds       float64            `json:"seconds,omitempty"` // that printing it will take, about; whoever knows how long others took sets it
	Ranges        []PlannedRange     `json:"ranges"`
	Files         []PlannedFile      `json:"files"`
	Sums          []sums.Sum         `json:"sums,omitempty"` // what must add up among the groups in the files
	Findings      []contract.Finding `json:"findings"`
}

// Printable tells whether nothing stands against printing.
func (p Plan) Printable() bool {
	return len(p.Files) > 0 && !slices.ContainsFunc(p.Findings, func(f contract.Finding) bool { return f.Severity == contract.Error })
}

// Needs holds the room that the print takes against what is free, in bytes.
func (p *Plan) Needs(free int64) {
	if needs := p.Bytes(); needs > free {
		p.add(contract.Error, "room", "The print takes up to %d MB while it is made, and %d MB are free on the server; make room first",
			needs>>20+1, free>>20)
	}
}

// Folder is the name of the delivery: production, reel, spec and version.
func (p Plan) Folder() string {
	return contract.Filled("{production}_{reel}_{spec}_v{version}", map[string]string{
		"production": p.Production, "reel": p.Reel, "spec": p.Spec.ID, "version": fmt.Sprint(max(1, p.Asked.Version)),
	})
}

// Bytes is how much room the print takes at its fullest, about: what is made on the way stands beside what comes of it.
func (p Plan) Bytes() (n int64) {
	for _, f := range p.Files {
		n += f.Bytes
		if !f.direct(p.Rate) {
			n += f.Frames*int64(len(f.Channels)*4) + f.Bytes
		}
	}
	return n
}

// Samples counts the samples of all channels of the files, but for those with one of these names.
func (p Plan) Samples(but ...string) (n int64) {
	for _, f := range p.Files {
		if !slices.Contains(but, f.Name) {
			n += f.Frames * int64(len(f.Channels))
		}
	}
	return n
}

// Movie tells whether something is put together of what is printed.
func (p Plan) Movie() bool {
	return slices.ContainsFunc(p.Parts(), func(part Part) bool { return !part.Final })
}

// maxHours is the longest that is printed: the length of the clock.
const maxHours = 24

// NewPlan works out what printing r after spec would write. It gives the reel to print too: r itself where it is laid
// out for that spec already, else a copy that has been.
func NewPlan(production string, r *reel.Reel, spec contract.Spec, asked Asked) (Plan, *reel.Reel, error) {
	if asked.Packaging == "" && len(spec.Packaging) > 0 {
		asked.Packaging = spec.Packaging[0]
	}
	laid := &laying{}
	if spec.ID != AsIsID {
		var err error
		if laid, err = lay(spec, r); err != nil {
			return Plan{}, nil, err
		}
	}
	own := 0
	if !onReel(r, spec) {
		var err error
		own = ownRoutes(r)
		if r, err = laidOut(r, spec); err != nil {
			return Plan{}, nil, err
		}
	}
	p := Plan{Spec: spec, Asked: asked, Packaging: asked.Packaging, Production: production, Reel: r.Head.Name, Rate: r.Head.SampleRate,
		Start: r.Clock(r.Head.Start), StartTimecode: r.Head.FrameRate.LabelAt(r.Head.Start, r.Head.SampleRate),
		Findings: []contract.Finding{}, Files: []PlannedFile{}, Ranges: []PlannedRange{}}
	if own > 0 {
		p.add(contract.Warning, "laid-out",
			"The reel is laid out for another spec, and %s of its own outputs are not in this print; choose this spec for the reel to take them along",
			plural(own, "knot, level or correction", "knots, levels and corrections"))
	}
	for _, l := range laid.lacks {
		if !tiedTo(r, spec, l.group) {
			p.add(contract.Error, "stem", "%s", l.words)
		}
	}
	if !p.ranges(r) {
		return p, r, nil
	}
	p.files(r)
	p.unasked(r)
	p.Sums = weave.Sums(r, p.groups())
	p.look(r)
	p.grade()
	return p, r, nil
}

// tiedTo tells whether a reel that is laid out for a spec feeds a group by knots of its own, whatever the spec would feed it from: a
// delivery that was loaded again does.
func tiedTo(r *reel.Reel, spec contract.Spec, group string) bool {
	if r.Head.Spec != spec.ID {
		return false
	}
	for _, k := range r.Knots {
		if o, there := r.Output(k.Output); there && contract.Stands(group, o.Group) {
			return true
		}
	}
	return false
}

// groups names the groups that are in any of the files, in order.
func (p Plan) groups() (ids []string) {
	for _, f := range p.Files {
		for _, id := range f.Groups {
			if !slices.Contains(ids, id) {
				ids = append(ids, id)
			}
		}
	}
	return ids
}

// unasked finds groups of the reel that are in the files and that the spec does not ask for: the desk will not take them.
func (p *Plan) unasked(r *reel.Reel) {
	var names []string
	for _, g := range r.GroupList() {
		known := slices.ContainsFunc(p.Spec.Groups, func(s contract.Group) bool { return contract.Stands(s.ID, g.ID) })
		if !known && slices.ContainsFunc(p.Files, func(f PlannedFile) bool { return slices.Contains(f.Groups, g.ID) }) {
			names = append(names, g.Name)
		}
	}
	if len(names) > 0 {
		p.add(contract.Warning, "groups", "The spec does not ask for %s; the desk will refuse the files that have %s", strings.Join(names, ", "),
			map[bool]string{true: "it", false: "them"}[len(names) == 1])
	}
}

// ownRoutes counts the knots that no spec asks for, and the levels and corrections of output groups.
func ownRoutes(r *reel.Reel) (n int) {
	for _, k := range r.Knots {
		if o, _ := r.Output(k.Output); k.Row != reel.StemRow || !slices.Contains(r.Groups[o.Group].Stems, k.From) {
			n++
		}
	}
	for _, b := range r.Buses {
		if b.Row == reel.GroupRow {
			n++
		}
	}
	for _, c := range r.Chains {
		if c.Row == reel.GroupRow {
			n++
		}
	}
	return n + len(r.Corrections)
}

func laidOut(r *reel.Reel, spec contract.Spec) (*reel.Reel, error) {
	bare := *r // without the knots of the other spec's outputs
	bare.Groups, bare.Knots = map[string]reel.Group{}, map[string]reel.Knot{}
	bare.Buses, bare.Corrections, bare.Chains = map[string]reel.Bus{}, nil, map[string]reel.Chain{}
	for id, c := range r.Chains {
		if c.Row != reel.GroupRow {
			bare.Chains[id] = c
		}
	}
	for id, b := range r.Buses {
		if b.Row != reel.GroupRow {
			bare.Buses[id] = b
		}
	}
	command, err := LayOut(spec, &bare)
	if err != nil {
		return nil, err
	}
	return reel.Try(&bare, command, nil) // outputs name no takes
}

func (p *Plan) add(severity contract.Severity, rule, format string, args ...any) {
	p.Findings = append(p.Findings, contract.Finding{Rule: rule, Severity: severity, Message: fmt.Sprintf(format, args...)})
}

// Outdated notes that a group's correction was worked out on what the group is no more.
func (p *Plan) Outdated(group string) {
	p.add(contract.Warning, "correction", "The correction of %s was worked out before it was changed; work it out anew under Gauge", group)
}

func (p *Plan) offer(offers ...contract.Offer) { p.Findings[len(p.Findings)-1].Offers = offers }

// grade makes findings as grave as the spec says.
func (p *Plan) grade() {
	p.Findings = slices.DeleteFunc(p.Findings, func(f contract.Finding) bool { return p.Spec.Checks[f.Rule].As == contract.OK })
	for i := range p.Findings {
		if as := p.Spec.Checks[p.Findings[i].Rule].As; as != "" {
			p.Findings[i].Severity = as
		}
	}
}

// files lists what is written, range by range.
func (p *Plan) files(r *reel.Reel) {
	if len(p.Spec.Packaging) > 0 && !slices.Contains(p.Spec.Packaging, p.Packaging) {
		p.add(contract.Error, "packaging", "The receiver does not take files packed as %s", p.Packaging)
	}
	for i := range p.Ranges {
		for _, f := range p.Spec.Files {
			if f.Packaging == "" || f.Packaging == p.Packaging {
				p.file(r, f, i)
			}
		}
	}
	p.names()
}

// file lists the files that one of the spec makes of a range.
func (p *Plan) file(r *reel.Reel, f contract.File, at int) {
	groups := chosen(r, f.Of)
	if len(f.Streams) > 0 {
		groups = nil
		for _, s := range f.Streams {
			groups = append(groups, chosen(r, s.Of)...)
		}
	}
	if len(groups) == 0 {
		return // all that it would hold is optional, and not there
	}
	switch f.Each {
	case "group":
		for _, g := range groups {
			p.write(r, f, at, []reel.Group{g}, "")
		}
	case "channel":
		for _, g := range groups {
			for _, label := range g.Labels {
				p.write(r, f, at, []reel.Group{g}, label)
			}
		}
	default:
		p.write(r, f, at, groups, "")
	}
}

// chosen gives the reel's groups that the spec's names stand for, in that order; all where none is named.
func chosen(r *reel.Reel, ids []string) (groups []reel.Group) {
	if len(ids) == 0 {
		return r.GroupList()
	}
	for _, id := range ids {
		for _, g := range r.GroupList() {
			if contract.Stands(id, g.ID) {
				groups = append(groups, g)
			}
		}
	}
	return groups
}

// write adds a file of groups, or of one channel of one.
func (p *Plan) write(r *reel.Reel, f contract.File, at int, groups []reel.Group, label string) {
	span := p.Ranges[at]
	made := PlannedFile{Range: at, Container: f.Container, Codec: f.Coded(), Rate: f.Rate, Depth: f.Depth, Picture: f.Picture == "reference"}
	if made.Rate == 0 {
		made.Rate = p.Rate
	}
	if made.Depth == 0 {
		made.Depth = 24
	}
	made.Dither = f.Dither == nil || *f.Dither
	made.Start = p.stamp(r, int64(span.Stamp)-span.Lead, made.Rate)
	made.Frames = int64(math.Round(float64(span.Frames()) * float64(made.Rate) / float64(p.Rate)))
	p.streams(r, f, &made, groups, label)
	for _, s := range made.Streams {
		for _, c := range s.Channels {
			if !slices.Contains(made.Groups, c.Group) {
				made.Groups = append(made.Groups, c.Group)
			}
			made.Channels = append(made.Channels, c)
		}
	}
	with := p.tokens(groups[0], made, label)
	made.Name = unravel.FileSafeTo(contract.Filled(f.Name, with), 200) + "." + contract.Holds(f.Container).Extension
	if f.ADM != nil {
		if made.ADM = contract.Spelled(f.ADM.Programme, with); made.ADM == "" {
			made.ADM = p.Production
		}
	}
	made.Bytes = made.Frames*int64(len(made.Channels)*made.Depth/8) + 8192
	made.Says = made.speechless()
	p.Files = append(p.Files, made)
}

// stamp gives a moment as a clock shows it, in samples at the rate of a file.
func (p *Plan) stamp(r *reel.Reel, moment int64, rate int) timecode.Reading {
	return r.Head.FrameRate.Since(timecode.Convert(moment, p.Rate, rate), rate)
}

// streams lists the streams of a file: those of its spec, or one for each group in a movie, or one.
func (p *Plan) streams(r *reel.Reel, f contract.File, made *PlannedFile, groups []reel.Group, label string) {
	index := 0
	stream := func(s contract.Stream, groups []reel.Group) {
		planned := PlannedStream{Title: s.Title, Language: s.Language, Default: s.Default}
		for _, g := range groups {
			if planned.Title == "" {
				planned.Title = g.Name
			}
			if planned.Language == "" {
				planned.Language = g.Language
			}
			for _, l := range g.Labels {
				if label != "" && l != label {
					continue
				}
				index++
				name := g.Name + " " + l
				if len(g.Labels) == 1 {
					name = g.Name
				}
				planned.Channels = append(planned.Channels, PlannedChannel{Index: index, Output: reel.OutputID(g.ID, l), Group: g.ID, Label: l,
					Name: name})
			}
		}
		if len(planned.Channels) == 0 {
			return
		}
		planned.Layout = contract.Standard(planned.labels())
		made.Streams = append(made.Streams, planned)
	}
	switch {
	case len(f.Streams) > 0:
		for _, s := range f.Streams {
			stream(s, chosen(r, s.Of))
		}
	case contract.Holds(f.Container).Movie:
		for i, g := range groups {
			stream(contract.Stream{Default: i == 0}, []reel.Group{g})
		}
	default:
		stream(contract.Stream{}, groups)
	}
}

// tokens are what the name of a file is filled in with.
func (p *Plan) tokens(g reel.Group, f PlannedFile, label string) map[string]string {
	number := ""
	if len(f.Channels) > 0 {
		number = fmt.Sprint(f.Channels[0].Index)
	}
	if label != "" {
		number = fmt.Sprint(slices.Index(g.Labels, label) + 1)
	}
	return map[string]string{"production": p.Production, "reel": p.Reel, "spec": p.Spec.ID, "version": fmt.Sprint(max(1, p.Asked.Version)),
		"date": p.Asked.Date,
		"rate": contract.KHz(f.Rate), "range": p.Ranges[f.Range].Name,
		"group": g.Name, "tag": g.Tag, "layout": g.Layout, "channel": label, "number": number, "language": g.Language}
}

// look finds what is wrong.
func (p *Plan) look(r *reel.Reel) {
	rate := r.Head.FrameRate
	if want, asked := p.Spec.FrameRate(); asked && want != rate {
		p.add(contract.Error, "frame-rate", "The spec asks for %s frames a second and the reel counts %s", want, rate)
		c := reel.Send(reel.SetReel{FrameRate: &want})
		p.offer(contract.Offer{Name: fmt.Sprintf("Count this reel in %s frames; nothing is moved", want), Command: &c})
	}
	if p.Spec.Programme.Start != "" {
		p.start(r)
	}
	early := 0
	for _, c := range r.Clips {
		if c.Start < r.Head.Start {
			early++
		}
	}
	if early > 0 && p.Ranges[0].From == r.Head.Start {
		p.add(contract.Warning, "before-start", "%s before the reel's start at %s; what lies before it is not printed",
			plural(early, "clip begins", "clips begin"), p.StartTimecode)
	}
	for _, f := range p.Files {
		if f.Picture && r.Head.Picture.Take == "" {
			p.add(contract.Error, "picture", "%s is to have the picture, and this reel has none; choose one in the Loom", f.Name)
		}
		for _, s := range f.Streams {
			if most := contract.Holds(f.Container).Most; len(s.Channels) > most {
				p.add(contract.Error, "container", "%s holds at most %d channels in one stream, and %s would have %d", f.Container, most, s.Title,
					len(s.Channels))
			}
		}
	}
	routes, findings := weave.Look(r)
	p.feed(r, routes)
	for _, f := range findings {
		severity := contract.Warning
		if f.Rule == weave.Silenced && (f.Output == "" || p.holds(f.Output)) { // it would print silence where the reel has sound
			severity = contract.Error
		}
		p.add(severity, string(f.Rule), "%s", f.Message)
		if f.Fix != nil && onReel(r, p.Spec) {
			p.offer(contract.Offer{Name: f.Fix.Name, Command: &f.Fix.Command})
		}
	}
}

// Heard names the clips of the reel that was printed of which anything is in the files.
func (p Plan) Heard(r *reel.Reel) map[string]bool {
	heard := map[string]bool{}
	for _, s := range p.Ranges {
		for _, o := range weave.Judge(r, reel.Span{From: s.From, To: s.To}).Outputs {
			if p.holds(o.ID) {
				for _, a := range o.Arrivals {
					heard[a.Clip.ID] = true
				}
			}
		}
	}
	return heard
}

// holds tells whether an output channel is in any of the files.
func (p Plan) holds(output string) bool {
	return slices.ContainsFunc(p.Files, func(f PlannedFile) bool {
		return slices.ContainsFunc(f.Channels, func(c PlannedChannel) bool { return c.Output == output })
	})
}

// feed notes what sounds on each channel.
func (p *Plan) feed(r *reel.Reel, routes []weave.Route) {
	fed := map[string]Fed{}
	for _, o := range r.OutputList() {
		g := r.Groups[o.Group]
		f := Fed{Silent: g.Silent}
		switch {
		case g.Feed == nil:
		case g.Feed.Row == reel.StemRow:
			f.Stems = []string{g.Feed.From}
		case g.Feed.Row == reel.GroupRow:
			f.From = "fold of " + r.Groups[g.Feed.From].Name
		case g.Feed.Row == reel.MixRow:
			f.From = r.Mixes[g.Feed.From].Name
		case g.Feed.Row == reel.StrandRow:
			_, f.From = reel.StemOf(g.Feed.From)
		default:
			f.From = r.Tracks[g.Feed.From].Name
		}
		fed[o.ID] = f
	}
	for _, k := range r.KnotList() {
		if f := fed[k.Output]; k.Row == reel.StemRow && !slices.Contains(f.Stems, k.From) {
			f.Stems = append(f.Stems, k.From)
			fed[k.Output] = f
		}
	}
	for _, route := range routes {
		if f, name := fed[route.Output], r.Tracks[route.Track].Name; !slices.Contains(f.Tracks, name) {
			f.Tracks = append(f.Tracks, name)
			fed[route.Output] = f
		}
	}
	for i := range p.Files {
		for k := range p.Files[i].Channels {
			p.Files[i].Channels[k].Fed = fed[p.Files[i].Channels[k].Output]
		}
		for _, s := range p.Files[i].Streams {
			for k := range s.Channels {
				s.Channels[k].Fed = fed[s.Channels[k].Output]
			}
		}
	}
}

// start compares where the programme begins with where the spec wants it, and offers what can be done about it.
func (p *Plan) start(r *reel.Reel) {
	rate := r.Head.FrameRate
	first := p.Ranges[0]
	now := rate.LabelAt(first.First, p.Rate)
	if now == p.Spec.Programme.Start {
		return
	}
	want, err := rate.ParseSample(p.Spec.Programme.Start, p.Rate)
	if err != nil {
		p.add(contract.Error, "start", "The spec asks for a start at %s, which is no timecode that this reel counts", p.Spec.Programme.Start)
		return
	}
	if p.Asked.Restamp {
		p.add(contract.Warning, "start", "The files are stamped from %s on, though the reel starts at %s", p.Spec.Programme.Start, now)
		by := rate.Near(want, first.First, p.Rate) - first.First
		for i, s := range p.Ranges {
			p.Ranges[i].Stamp = rate.Since(int64(s.Stamp)+by, p.Rate)
		}
		for i, f := range p.Files {
			s := p.Ranges[f.Range]
			p.Files[i].Start = p.stamp(r, int64(s.Stamp)-s.Lead, f.Rate)
		}
		p.Start = rate.Since(int64(p.Ranges[0].Stamp)-p.Ranges[0].Lead, p.Rate)
		p.StartTimecode = rate.LabelAt(int64(p.Start), p.Rate)
		return
	}
	p.add(contract.Error, "start", "The spec asks for a start at %s and the reel starts at %s", p.Spec.Programme.Start, now)
	offers := []contract.Offer{{Name: fmt.Sprintf("Stamp the files from %s on", p.Spec.Programme.Start), Restamp: true}}
	if at := r.At(want); at > first.First && at < first.To {
		rest := p.Spec.Programme.Start + "–" + rate.LabelAt(first.To, p.Rate)
		offers = append(offers, contract.Offer{Name: fmt.Sprintf("Print from %s on", p.Spec.Programme.Start), Range: []string{rest}})
	}
	p.offer(offers...)
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

// direct tells whether the file is written at once, without one on the way to it.
func (f PlannedFile) direct(rate int) bool {
	return (f.Container == contract.Wave || f.Container == contract.BW64) && f.Rate == rate
}

// Part is a WAVE file that is printed: a file of the plan, or what a stream of one is made of.
type Part struct {
	File, Stream int // places in the plan
	Name         string
	Channels     []PlannedChannel // with their places in the part
	Final        bool             // it is the file itself
}

// groups gives the groups that it holds channels of.
func (part Part) groups() (ids []string) {
	for _, c := range part.Channels {
		if !slices.Contains(ids, c.Group) {
			ids = append(ids, c.Group)
		}
	}
	return ids
}

// Parts lists what is printed.
func (p Plan) Parts() (parts []Part) {
	for i, f := range p.Files {
		for k, s := range f.Streams {
			part := Part{i, k, f.Name, nil, f.Container == contract.Wave || f.Container == contract.BW64}
			if !part.Final {
				part.Name = fmt.Sprintf("%s.%d.wav", f.Name, k+1)
			}
			for c, ch := range s.Channels {
				ch.Index = c + 1
				part.Channels = append(part.Channels, ch)
			}
			parts = append(parts, part)
		}
	}
	return parts
}
