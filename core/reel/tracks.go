package reel

import (
	"fmt"
	"slices"
	"strings"

	"zestyloom/core/fault"
)

// AddTake lays parts of a take out on tracks, all tied together.
type AddTake struct {
	Take    string     `json:"take"`
	Title   string     `json:"title"` // how the take is called, for clip names and history
	Start   int64      `json:"start"`
	Offset  int64      `json:"offset,omitempty"` // first frame of the take that is laid
	Length  int64      `json:"length"`           // sample frames
	Frames  int64      `json:"frames,omitempty"` // of the take; 0 means that no more of it is known than is laid
	Event   string     `json:"event,omitempty"`  // as for Clip
	Parts   []PartPlan `json:"parts"`
	Stems   []Stem     `json:"stems,omitempty"`   // those of the production; what the parts need and the reel lacks is added
	Picture bool       `json:"picture,omitempty"` // Start is where it belongs by the picture
	Reuse   bool       `json:"reuse,omitempty"`   // a part goes on the track of its name and stem where that is free, instead of a new one
}

// PartPlan is one track's share in AddTake.
type PartPlan struct {
	Name     string   `json:"name"`
	Stem     string   `json:"stem"`
	Strand   string   `json:"strand,omitempty"`
	Decided  bool     `json:"decided,omitempty"` // somebody has said that the stem is right
	Channels []int    `json:"channels"`          // of the take, from 0
	Labels   []string `json:"labels"`
	Sum      bool     `json:"sum,omitempty"` // as for Clip
}

func (c AddTake) Plan(r *Reel, _ Known) (Change, string, error) {
	if len(c.Parts) == 0 || c.Length <= 0 || c.Offset < 0 {
		return Change{}, "", fault.New(fault.BadInput, "Nothing of %s was chosen; switch on at least one channel", c.Title)
	}
	d := newDraft(r)
	order := lastOrder(r)
	clip := Clip{Take: c.Take, Name: c.Title, Start: c.Start, Offset: c.Offset, Length: c.Length, Frames: max(c.Frames, c.Offset+c.Length),
		Picture: c.Picture, Event: c.Event}
	if len(c.Parts) > 1 {
		clip.Tie = d.id("tie")
	}
	if clip.Tie != "" || c.Picture {
		home := c.Start - c.Offset
		clip.Home = &home
	}
	for _, p := range c.Parts {
		if err := d.needStem(p.Stem, c.Stems); err != nil {
			return Change{}, "", err
		}
		if len(p.Channels) == 0 || p.Sum && len(p.Labels) != 1 || !p.Sum && len(p.Channels) != len(p.Labels) {
			return Change{}, "", fault.New(fault.BadInput, "Part %q needs one label for each of its channels", p.Name)
		}
		clip.Channels, clip.Sum, clip.Stem = p.Channels, p.Sum, p.Stem
		t, found := Track{}, false
		if c.Reuse {
			t, found = d.freeTrack(clip, func(t Track) bool {
				return t.Name == p.Name && t.Stem == p.Stem && slices.Equal(t.Labels,
					p.Labels)
			})
		}
		if !found {
			order++
			t = Track{ID: d.id("t"), Name: p.Name, Labels: p.Labels, Stem: p.Stem, Strand: p.Strand, Suggested: !p.Decided, Order: order}
			d.tracks.put(t.ID, t)
		}
		clip.ID, clip.Track = d.id("c"), t.ID
		d.clips.put(clip.ID, clip)
	}
	return d.finish(), "unravel " + c.Title, nil
}

func lastOrder(r *Reel) int {
	order := 0
	for _, t := range r.Tracks {
		order = max(order, t.Order)
	}
	return order
}

// freeTrack finds the first track for which is holds and on which the clip would cover nothing.
func (d *draft) freeTrack(clip Clip, is func(Track) bool) (Track, bool) {
	taken := map[string]bool{}
	for other := range d.clips.all() {
		if other.ID != clip.ID && other.Start < clip.End() && clip.Start < other.End() {
			taken[other.Track] = true
		}
	}
	tracks := slices.SortedFunc(d.tracks.all(), byOrder)
	i := slices.IndexFunc(tracks, func(t Track) bool { return !taken[t.ID] && is(t) })
	if i < 0 {
		return Track{}, false
	}
	return tracks[i], true
}

// needStem adds a stem of the production to the reel unless it is there.
func (d *draft) needStem(id string, stems []Stem) error {
	if _, ok := d.stems.get(id); ok {
		return nil
	}
	for _, s := range stems {
		if s.ID == id {
			d.stems.put(id, s)
			return nil
		}
	}
	return noStem()
}

func noStem() error {
	return fault.New(fault.NotFound, "This stem is no longer on the reel")
}

// AddTrack makes an empty track below another, or at the bottom.
type AddTrack struct {
	Name   string   `json:"name"`
	Labels []string `json:"labels"`
	Stem   string   `json:"stem"`
	Strand string   `json:"strand,omitempty"`
	Folder string   `json:"folder,omitempty"`
	Below  string   `json:"below,omitempty"` // ID of a track; empty for the bottom
}

func (c AddTrack) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	t := Track{ID: d.id("t"), Name: strings.TrimSpace(c.Name), Labels: c.Labels, Stem: c.Stem, Strand: c.Strand, Folder: c.Folder,
		Order: lastOrder(r) + 1}
	if err := checkName(t.Name, "A track"); err != nil {
		return Change{}, "", err
	}
	if err := checkLabels(t.Labels); err != nil {
		return Change{}, "", err
	}
	if _, ok := r.Stems[c.Stem]; !ok {
		return Change{}, "", noStem()
	}
	d.tracks.put(t.ID, t)
	if c.Below != "" {
		above, ok := r.Tracks[c.Below]
		if !ok {
			return Change{}, "", noTrack()
		}
		list := slices.DeleteFunc(r.TrackList(), func(x Track) bool { return x.ID == t.ID })
		at := slices.IndexFunc(list, func(x Track) bool { return x.ID == above.ID }) + 1
		d.number(slices.Insert(list, at, t))
	}
	return d.finish(), "add track " + t.Name, nil
}

// MaxChannels bounds how wide a track can be.
const MaxChannels = 64

func checkLabels(labels []string) error {
	if len(labels) == 0 || len(labels) > MaxChannels {
		return fault.New(fault.BadInput, "A track has 1 to %d channels", MaxChannels)
	}
	seen := map[string]bool{}
	for _, l := range labels {
		if l == "" || len(l) > 20 || l != "M" && seen[l] {
			return fault.New(fault.BadInput, "Each channel of a track needs a label of its own, such as L, R, C")
		}
		seen[l] = true
	}
	return nil
}

// number gives tracks their order in the list, keeping folders together.
func (d *draft) number(list []Track) {
	var ordered []Track
	done := map[string]bool{}
	for _, t := range list {
		if done[t.ID] {
			continue
		}
		for _, other := range list {
			if other.ID == t.ID || t.Folder != "" && other.Folder == t.Folder {
				ordered, done[other.ID] = append(ordered, other), true
			}
		}
	}
	for i, t := range ordered {
		now, _ := d.tracks.get(t.ID)
		now.Order = i + 1
		d.tracks.put(t.ID, now)
	}
}

// OrderTracks moves tracks, in the order in which they stand, above another or to the bottom.
type OrderTracks struct {
	Tracks []string `json:"tracks"`
	Above  string   `json:"above,omitempty"` // ID of a track; empty for the bottom
}

func (c OrderTracks) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	var moved, rest []Track
	for _, t := range r.TrackList() {
		if slices.Contains(c.Tracks, t.ID) {
			moved = append(moved, t)
		} else {
			rest = append(rest, t)
		}
	}
	if len(moved) != len(c.Tracks) || len(moved) == 0 {
		return Change{}, "", fault.New(fault.NotFound, "A track that was to be moved is no longer on the reel")
	}
	at := len(rest)
	if c.Above != "" {
		if at = slices.IndexFunc(rest, func(t Track) bool { return t.ID == c.Above }); at < 0 {
			return Change{}, "", noTrack()
		}
	}
	d.number(slices.Insert(rest, at, moved...))
	return d.finish(), "order of " + moved[0].Name, nil
}

// SetTrack changes a track's own settings; those left nil stay.
type SetTrack struct {
	Track  string    `json:"track"`
	Name   *string   `json:"name,omitempty"`
	Stem   *string   `json:"stem,omitempty"` // also confirms a suggestion; clips that were made for the old stem are for the new one then
	Strand *string   `json:"strand,omitempty"`
	Labels *[]string `json:"labels,omitempty"` // refused where a clip on the track would not fit
	Folder *string   `json:"folder,omitempty"`
	Height *int      `json:"height,omitempty"`
	Dual   *bool     `json:"dual,omitempty"`
	Pan    *float64  `json:"pan,omitempty"`
	GainDB *float64  `json:"gainDB,omitempty"`
	Mute   *bool     `json:"mute,omitempty"`
	Second *string   `json:"second,omitempty"` // a second stem that it feeds; empty for none
	Placed *bool     `json:"placed,omitempty"` // in the room of its stem, instead of between its front pair
	Front  *float64  `json:"front,omitempty"`
	Up     *float64  `json:"up,omitempty"`
	Spread *float64  `json:"spread,omitempty"`
	LFEDB  *float64  `json:"lfeDB,omitempty"` // send to the LFE; −96 and below for none
	Turn   *float64  `json:"turn,omitempty"`
	Pitch  *float64  `json:"pitch,omitempty"`
	Roll   *float64  `json:"roll,omitempty"`
	Narrow *float64  `json:"narrow,omitempty"`
	Folds  *bool     `json:"folds,omitempty"` // yes to what its stem has too few channels for
}

func (c SetTrack) Plan(r *Reel, _ Known) (Change, string, error) {
	t, ok := r.Tracks[c.Track]
	if !ok {
		return Change{}, "", noTrack()
	}
	d := newDraft(r)
	var did []string
	if c.Name != nil {
		name := strings.TrimSpace(*c.Name)
		if err := checkName(name, "A track"); err != nil {
			return Change{}, "", err
		}
		did = append(did, fmt.Sprintf("name %s %s", t.Name, name))
		t.Name = name
	}
	if c.Stem != nil {
		if _, ok := r.Stems[*c.Stem]; !ok && *c.Stem != "" {
			return Change{}, "", noStem()
		}
		for _, clip := range r.Clips {
			if clip.Track == t.ID && clip.Stem == t.Stem && t.Stem != *c.Stem {
				clip.Stem = *c.Stem
				d.clips.put(clip.ID, clip)
			}
		}
		if t.Stem != *c.Stem {
			t.Strand, t.Feed.Folds = "", false // a strand is a part of one stem, and the yes was to that stem
		}
		if t.Stem, t.Suggested = *c.Stem, false; t.Stem == "" || t.Second == t.Stem {
			t.Second = ""
		}
		did = append(did, fmt.Sprintf("put %s in %s", t.Name, t.Stem))
	}
	if c.Strand != nil {
		t.Strand = strings.TrimSpace(*c.Strand)
		did = append(did, "strand of "+t.Name)
	}
	if c.Height != nil {
		if *c.Height < 0 || *c.Height > 4 {
			return Change{}, "", fault.New(fault.BadInput, "A track's height is 1 to 4")
		}
		t.Height = *c.Height
		did = append(did, "height of "+t.Name)
	}
	if c.Folds != nil {
		t.Feed.Folds = *c.Folds
		did = append(did, "fold "+t.Name)
	}
	if c.Dual != nil {
		t.Feed.Dual = *c.Dual
		did = append(did, "feed of "+t.Name)
	}
	if c.Pan != nil {
		if err := checkPan(*c.Pan); err != nil {
			return Change{}, "", err
		}
		t.Feed.Pan, t.Pan = *c.Pan, nil
		did = append(did, "pan "+t.Name)
	}
	if words, err := c.place(&t); err != nil {
		return Change{}, "", err
	} else {
		did = append(did, words...)
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
	if c.Labels != nil {
		if err := d.widen(&t, *c.Labels); err != nil {
			return Change{}, "", err
		}
		did = append(did, "width of "+t.Name)
	}
	d.tracks.put(t.ID, t)
	if c.Folder != nil {
		t.Folder = strings.TrimSpace(*c.Folder)
		d.tracks.put(t.ID, t)
		d.number(slices.SortedFunc(d.tracks.all(), byOrder))
		did = append(did, "folder of "+t.Name)
	}
	return d.finish(), strings.Join(did, ", "), nil
}

// place sets where the track stands. A number that is set moves no more.
func (c SetTrack) place(t *Track) (did []string, err error) {
	if c.Second != nil {
		t.Second = *c.Second
		did = append(did, "second stem of "+t.Name)
	}
	if c.Placed != nil {
		t.Feed.Placed = *c.Placed
		did = append(did, "place of "+t.Name)
	}
	for what, v := range map[Parameter]*float64{FrontCurve: c.Front, UpCurve: c.Up, SpreadCurve: c.Spread, LFECurve: c.LFEDB,
		TurnCurve: c.Turn, PitchCurve: c.Pitch, RollCurve: c.Roll, NarrowCurve: c.Narrow} {
		if v == nil {
			continue
		}
		t.setCurve(what, nil)
		if what == LFECurve && *v <= MinGainDB {
			t.Feed.LFEDB = nil
		} else if err := what.check(*v); err != nil {
			return nil, err
		} else {
			*t.Feed.number(what) = *v
		}
		did = append(did, string(what)+" of "+t.Name)
	}
	slices.Sort(did)
	return did, nil
}

// widen changes a track's channels. Its own knots of channels that go away go with them.
func (d *draft) widen(t *Track, labels []string) error {
	if err := checkLabels(labels); err != nil {
		return err
	}
	for _, clip := range d.reel.ClipList() {
		if clip.Track == t.ID && !clip.Fits(labels) {
			return fault.New(fault.BadInput, "%s has %d channels and would not fit a track of %d; move it, split it or change which channels it uses first", clip.Name, len(clip.Channels), len(labels))
		}
	}
	t.Labels = labels
	for _, k := range d.reel.Knots {
		if k.Row == TrackRow && k.From == t.ID && k.Channel >= len(labels) {
			d.knots.drop(k.ID)
		}
	}
	return nil
}

func checkPan(pan float64) error {
	if !(pan >= -1 && pan <= 1) {
		return fault.New(fault.BadInput, "Pan runs from −1 (left) to 1 (right)")
	}
	return nil
}

// RemoveTracks takes tracks off the reel with their clips and their own knots.
type RemoveTracks struct {
	Tracks []string `json:"tracks"`
	Yes    bool     `json:"yes,omitempty"` // output groups that one of them feeds may be left without
}

func (c RemoveTracks) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	var names []string
	for _, id := range c.Tracks {
		t, ok := r.Tracks[id]
		if !ok {
			return Change{}, "", noTrack()
		}
		names = append(names, t.Name)
		d.tracks.drop(id)
	}
	for _, clip := range r.Clips {
		if slices.Contains(c.Tracks, clip.Track) {
			d.clips.drop(clip.ID)
		}
	}
	for _, k := range r.Knots {
		if k.Row == TrackRow && slices.Contains(c.Tracks, k.From) {
			d.knots.drop(k.ID) // which go with the track, as everybody expects
		}
	}
	what := strings.Join(names, ", ")
	lost := d.unfed(func(row Row, from string) bool { return row == TrackRow && slices.Contains(c.Tracks, from) })
	return d.finish(), "remove " + what, losing(c.Yes, "Removing "+what, lost)
}

// Stray is a clip on a track of another stem than it was made for.
type Stray struct {
	Clip  string `json:"clip"`
	Track string `json:"track"`
	Stem  string `json:"stem"` // that it was made for
}

// Strays lists them by start.
func (r *Reel) Strays() []Stray {
	strays := []Stray{}
	for _, c := range r.clipsThat(func(c Clip) bool { return c.Stem != "" && c.Stem != r.Tracks[c.Track].Stem }) {
		strays = append(strays, Stray{c.ID, c.Track, c.Stem})
	}
	return strays
}

// MoveStrays moves every stray to a track of its stem where it covers nothing, or to a new one.
type MoveStrays struct{}

func (c MoveStrays) Plan(r *Reel, _ Known) (Change, string, error) {
	strays := r.Strays()
	if len(strays) == 0 {
		return Change{}, "", fault.New(fault.BadInput, "Every clip lies on a track of its stem")
	}
	d := newDraft(r)
	order := lastOrder(r)
	for _, s := range strays {
		clip, _ := d.clips.get(s.Clip)
		if _, ok := r.Stems[s.Stem]; !ok {
			return Change{}, "", noStem()
		}
		from := r.Tracks[clip.Track]
		t, ok := d.freeTrack(clip, func(t Track) bool { return t.Stem == s.Stem && slices.Equal(t.Labels, from.Labels) })
		if !ok {
			order++
			t = Track{ID: d.id("t"), Name: clip.Name, Labels: from.Labels, Stem: s.Stem, Order: order}
			d.tracks.put(t.ID, t)
		}
		clip.Track = t.ID
		d.clips.put(clip.ID, clip)
	}
	return d.finish(), fmt.Sprintf("move %s to tracks of their stem", plural(len(strays), "clip")), nil
}

func plural(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
}
