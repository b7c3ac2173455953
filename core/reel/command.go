package reel

import (
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strings"

	"zestyloom/core/fault"
)

// Command is what a user wants done to a reel.
type Command interface {
	// Plan gives the change and the name that the history shows, without changing the reel. Its errors are of kind
	// BadInput or NotFound.
	Plan(r *Reel) (Change, string, error)
}

// AddTake lays parts of a take out as new tracks below the others, all tied together.
type AddTake struct {
	Take   string     `json:"take"`
	Title  string     `json:"title"` // how the take is called, for clip names and history
	Start  int64      `json:"start"`
	Length int64      `json:"length"` // sample frames
	Parts  []PartPlan `json:"parts"`
	Stems  []Stem     `json:"stems,omitempty"` // those of the production; what the parts need and the reel lacks is added
}

// PartPlan is one track to be made by AddTake.
type PartPlan struct {
	Name     string   `json:"name"`
	Stem     string   `json:"stem"`
	Strand   string   `json:"strand,omitempty"`
	Decided  bool     `json:"decided,omitempty"` // somebody has said that the stem is right
	Channels []int    `json:"channels"`          // of the take, from 0
	Labels   []string `json:"labels"`
	Sum      bool     `json:"sum,omitempty"` // as for Clip
}

func (c AddTake) Plan(r *Reel) (Change, string, error) {
	if len(c.Parts) == 0 || c.Length <= 0 {
		return Change{}, "", fault.New(fault.BadInput, "Nothing of %s was chosen; switch on at least one channel", c.Title)
	}
	d := draft{reel: r, head: r.Head}
	order := 0
	for _, t := range r.Tracks {
		order = max(order, t.Order)
	}
	tie := ""
	if len(c.Parts) > 1 {
		tie = d.id("tie")
	}
	for _, p := range c.Parts {
		if err := d.needStem(p.Stem, c.Stems); err != nil {
			return Change{}, "", err
		}
		if len(p.Channels) == 0 || p.Sum && len(p.Labels) != 1 || !p.Sum && len(p.Channels) != len(p.Labels) {
			return Change{}, "", fault.New(fault.BadInput, "Part %q needs one label for each of its channels", p.Name)
		}
		order++
		t := Track{ID: d.id("t"), Name: p.Name, Labels: p.Labels, Stem: p.Stem, Strand: p.Strand, Suggested: !p.Decided, Order: order}
		clip := Clip{ID: d.id("c"), Track: t.ID, Take: c.Take, Name: c.Title, Channels: p.Channels, Sum: p.Sum, Start: c.Start, Length: c.Length, Tie: tie}
		set(r.Tracks, &d.change.Tracks, t.ID, &t)
		set(r.Clips, &d.change.Clips, clip.ID, &clip)
	}
	return d.finish(), "unravel " + c.Title, nil
}

// needStem adds a stem of the production to the reel unless it is there.
func (d *draft) needStem(id string, stems []Stem) error {
	if _, ok := d.reel.Stems[id]; ok || slices.ContainsFunc(d.change.Stems, func(p Put[Stem]) bool { return p.ID == id }) {
		return nil
	}
	for _, s := range stems {
		if s.ID == id {
			set(d.reel.Stems, &d.change.Stems, id, &s)
			return nil
		}
	}
	return fault.New(fault.NotFound, "There is no stem %q on this reel", id)
}

// SetTrack changes a track's own settings; those left nil stay.
type SetTrack struct {
	Track  string   `json:"track"`
	Name   *string  `json:"name"`
	Stem   *string  `json:"stem"` // also confirms a suggestion
	Dual   *bool    `json:"dual"`
	Pan    *float64 `json:"pan"`
	GainDB *float64 `json:"gainDB"`
	Mute   *bool    `json:"mute"`
}

func (c SetTrack) Plan(r *Reel) (Change, string, error) {
	t, ok := r.Tracks[c.Track]
	if !ok {
		return Change{}, "", noTrack(c.Track)
	}
	var did []string
	if c.Name != nil {
		name := strings.TrimSpace(*c.Name)
		if name == "" || len([]rune(name)) > 100 {
			return Change{}, "", fault.New(fault.BadInput, "A track needs a name of 1 to 100 characters")
		}
		did = append(did, fmt.Sprintf("name %s %s", t.Name, name))
		t.Name = name
	}
	if c.Stem != nil {
		if _, ok := r.Stems[*c.Stem]; !ok {
			return Change{}, "", fault.New(fault.NotFound, "There is no stem %q on this reel", *c.Stem)
		}
		t.Stem, t.Suggested = *c.Stem, false
		did = append(did, fmt.Sprintf("put %s in %s", t.Name, t.Stem))
	}
	if c.Dual != nil {
		t.Feed.Dual = *c.Dual
		did = append(did, "feed of "+t.Name)
	}
	if c.Pan != nil {
		if !(*c.Pan >= -1 && *c.Pan <= 1) {
			return Change{}, "", fault.New(fault.BadInput, "Pan runs from −1 (left) to 1 (right)")
		}
		t.Feed.Pan = *c.Pan
		did = append(did, "pan "+t.Name)
	}
	if c.GainDB != nil {
		if err := checkGain(*c.GainDB); err != nil {
			return Change{}, "", err
		}
		t.GainDB = *c.GainDB
		did = append(did, "gain of "+t.Name)
	}
	if c.Mute != nil {
		t.Mute = *c.Mute
		did = append(did, map[bool]string{true: "mute ", false: "unmute "}[t.Mute]+t.Name)
	}
	d := draft{reel: r, head: r.Head}
	set(r.Tracks, &d.change.Tracks, t.ID, &t)
	return d.finish(), strings.Join(did, ", "), nil
}

// RemoveTracks takes tracks off the reel with their clips and their own knots.
type RemoveTracks struct {
	Tracks []string `json:"tracks"`
}

func (c RemoveTracks) Plan(r *Reel) (Change, string, error) {
	d := draft{reel: r, head: r.Head}
	var names []string
	for _, id := range c.Tracks {
		t, ok := r.Tracks[id]
		if !ok {
			return Change{}, "", noTrack(id)
		}
		names = append(names, t.Name)
		set(r.Tracks, &d.change.Tracks, id, nil)
	}
	for _, clip := range r.ClipList() {
		if slices.Contains(c.Tracks, clip.Track) {
			set(r.Clips, &d.change.Clips, clip.ID, nil)
		}
	}
	for _, k := range r.KnotList() {
		if k.Row == TrackRow && slices.Contains(c.Tracks, k.From) {
			set(r.Knots, &d.change.Knots, k.ID, nil)
		}
	}
	return d.finish(), "remove " + strings.Join(names, ", "), nil
}

// MoveClip moves a clip, and all that are tied to it, in time.
type MoveClip struct {
	Clip string `json:"clip"`
	By   int64  `json:"by"` // samples
}

func (c MoveClip) Plan(r *Reel) (Change, string, error) {
	clip, ok := r.Clips[c.Clip]
	if !ok {
		return Change{}, "", fault.New(fault.NotFound, "This clip is no longer on the reel")
	}
	d := draft{reel: r, head: r.Head}
	for _, other := range r.ClipList() {
		if other.ID != clip.ID && (clip.Tie == "" || other.Tie != clip.Tie) {
			continue
		}
		other.Start += c.By
		if other.Start < 0 || other.End() > 2*24*3600*int64(r.Head.SampleRate) {
			return Change{}, "", fault.New(fault.BadInput, "%s would lie outside the clock", other.Name)
		}
		set(r.Clips, &d.change.Clips, other.ID, &other)
	}
	return d.finish(), "move " + clip.Name, nil
}

// SetReel changes the reel's start.
type SetReel struct {
	Start  *int64   `json:"start"`
	PanLaw *float64 `json:"panLaw"`
}

func (c SetReel) Plan(r *Reel) (Change, string, error) {
	d := draft{reel: r, head: r.Head}
	name := "reel settings"
	if c.Start != nil {
		if *c.Start < 0 || *c.Start >= 24*3600*int64(r.Head.SampleRate) {
			return Change{}, "", fault.New(fault.BadInput, "A reel starts between 00:00:00:00 and 24 hours")
		}
		d.head.Start = *c.Start
		name = "start of the reel"
	}
	if c.PanLaw != nil {
		if !slices.Contains([]float64{3, 4.5, 6}, *c.PanLaw) {
			return Change{}, "", fault.New(fault.BadInput, "The pan law is 3, 4.5 or 6 dB")
		}
		d.head.PanLaw = *c.PanLaw
		name = "pan law"
	}
	return d.finish(), name, nil
}

// LayOutputs sets the output groups and ties the knots of the stems that should feed them. Knots that the user tied on
// outputs which stay are kept; those whose output goes away go with it.
type LayOutputs struct {
	Spec   string  `json:"spec"`
	Title  string  `json:"title"`
	Groups []Group `json:"groups"`
	Knots  []Knot  `json:"knots"`
}

func (c LayOutputs) Plan(r *Reel) (Change, string, error) {
	d := draft{reel: r, head: r.Head}
	d.head.Spec = c.Spec
	next := *r
	next.Groups = map[string]Group{}
	for i, g := range c.Groups {
		g.Order = i + 1
		if _, twice := next.Groups[g.ID]; twice || g.ID == "" || len(g.Labels) == 0 {
			return Change{}, "", fault.New(fault.BadInput, "Output group %q is named twice or has no channels", g.Name)
		}
		next.Groups[g.ID] = g
		set(r.Groups, &d.change.Groups, g.ID, &g)
	}
	for _, g := range r.GroupList() {
		if _, stays := next.Groups[g.ID]; !stays {
			set(r.Groups, &d.change.Groups, g.ID, nil)
		}
	}
	for _, k := range r.KnotList() {
		if _, stays := next.Output(k.Output); !stays {
			set(r.Knots, &d.change.Knots, k.ID, nil)
		}
	}
	for _, k := range c.Knots {
		if _, there := r.Knots[k.ID]; there {
			continue
		}
		if err := checkKnot(&next, k); err != nil {
			return Change{}, "", err
		}
		set(r.Knots, &d.change.Knots, k.ID, &k)
	}
	return d.finish(), "choose " + c.Title, nil
}

// SetKnots ties knots, or sets their gain where they are tied.
type SetKnots struct {
	Knots []Knot `json:"knots"`
}

func (c SetKnots) Plan(r *Reel) (Change, string, error) {
	d := draft{reel: r, head: r.Head}
	name := "tie knots"
	for _, k := range c.Knots {
		k = NewKnot(k.Row, k.From, k.Channel, k.Output, k.GainDB)
		if err := checkKnot(r, k); err != nil {
			return Change{}, "", err
		}
		set(r.Knots, &d.change.Knots, k.ID, &k)
		name = fmt.Sprintf("knot %s to %s", rowName(r, k.Row, k.From), outputName(r, k.Output))
	}
	return d.finish(), name, nil
}

// ClearKnots unties all knots of a row at an output.
type ClearKnots struct {
	Row    Row    `json:"row"`
	From   string `json:"from"`
	Output string `json:"output"`
}

func (c ClearKnots) Plan(r *Reel) (Change, string, error) {
	d := draft{reel: r, head: r.Head}
	for _, k := range r.KnotList() {
		if k.Row == c.Row && k.From == c.From && k.Output == c.Output {
			set(r.Knots, &d.change.Knots, k.ID, nil)
		}
	}
	return d.finish(), fmt.Sprintf("clear %s at %s", rowName(r, c.Row, c.From), outputName(r, c.Output)), nil
}

func knotID(row Row, from string, channel int, output string) string {
	return fmt.Sprintf("%s %s %d > %s", row, from, channel, output)
}

func checkKnot(r *Reel, k Knot) error {
	labels := r.RowLabels(k.Row, k.From)
	if k.Channel < 0 || k.Channel >= len(labels) {
		return fault.New(fault.NotFound, "%s %q has no channel %d to tie", k.Row, k.From, k.Channel+1)
	}
	if _, ok := r.Output(k.Output); !ok {
		return fault.New(fault.NotFound, "There is no output %q; choose a delivery spec first", k.Output)
	}
	return checkGain(k.GainDB)
}

// MaxGainDB and MinGainDB bound every gain that can be set.
const (
	MaxGainDB = 24
	MinGainDB = -96
)

func checkGain(dB float64) error {
	if math.IsNaN(dB) || dB > MaxGainDB || dB < MinGainDB {
		return fault.New(fault.BadInput, "A gain lies between %d and +%d dB", MinGainDB, MaxGainDB)
	}
	return nil
}

func noTrack(id string) error {
	return fault.New(fault.NotFound, "Track %s is no longer on the reel", id)
}

func rowName(r *Reel, row Row, id string) string {
	if row == StemRow {
		return r.Stems[id].Name
	}
	return r.Tracks[id].Name
}

func outputName(r *Reel, id string) string {
	o, ok := r.Output(id)
	if !ok {
		return id
	}
	return r.Groups[o.Group].Name + " " + o.Label
}

// Decode reads a command from its kind and JSON body. Fields that the command does not have are an error.
func Decode(kind string, body []byte) (Command, error) {
	var c Command
	switch kind {
	case "addTake":
		c = &AddTake{}
	case "setTrack":
		c = &SetTrack{}
	case "removeTracks":
		c = &RemoveTracks{}
	case "moveClip":
		c = &MoveClip{}
	case "setReel":
		c = &SetReel{}
	case "setKnots":
		c = &SetKnots{}
	case "clearKnots":
		c = &ClearKnots{}
	default:
		return nil, fault.New(fault.BadInput, "%q is not a command", kind)
	}
	d := json.NewDecoder(strings.NewReader(string(body)))
	d.DisallowUnknownFields()
	if err := d.Decode(c); err != nil {
		return nil, fault.Wrap(fault.BadInput, err, "The command %s can't be read", kind)
	}
	return c, nil
}
