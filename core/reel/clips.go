package reel

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"zestyloom/core/fault"
)

// MoveClips moves clips, and all that are tied to them, in time; and the chosen ones alone to other tracks.
type MoveClips struct {
	Clips []string `json:"clips"`
	By    int64    `json:"by,omitempty"`    // samples
	Rows  int      `json:"rows,omitempty"`  // tracks down
	Alone bool     `json:"alone,omitempty"` // without those tied to them, which unties them
	Untie bool     `json:"untie,omitempty"` // it may put clips out of sync
	Add   bool     `json:"add,omitempty"`   // sound together with what lies there, instead of covering it
}

func (c MoveClips) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	clips, err := d.together(c.Clips, c.Alone || c.By == 0)
	if err != nil {
		return Change{}, "", err
	}
	if c.By != 0 {
		if err := (shift{draft: d, clips: clips, by: c.By, untie: c.Untie}).ties(); err != nil {
			return Change{}, "", err
		}
	}
	tracks := r.TrackList()
	for i := range clips {
		clip := &clips[i]
		clip.Start += c.By
		if err := checkPlace(r, *clip); err != nil {
			return Change{}, "", err
		}
		if c.Rows != 0 && slices.Contains(c.Clips, clip.ID) {
			row := slices.IndexFunc(tracks, func(t Track) bool { return t.ID == clip.Track }) + c.Rows
			if row < 0 || row >= len(tracks) {
				return Change{}, "", fault.New(fault.BadInput, "There is no track there for %s", clip.Name)
			}
			if err := fits(*clip, tracks[row]); err != nil {
				return Change{}, "", err
			}
			clip.Track = tracks[row].ID
		}
		d.clips.put(clip.ID, *clip)
	}
	if !c.Add {
		d.cover(clips)
	}
	name := "move " + clips[0].Name
	if n := len(c.Clips); n > 1 {
		name = "move " + plural(n, "clip")
	}
	return d.finish(), name, nil
}

func fits(c Clip, t Track) error {
	if !c.Fits(t.Labels) {
		return fault.New(fault.BadInput, "%s has %d channels and %s %d; which would go where is not clear. Split it, or change which channels it uses", c.Name, len(c.Channels), t.Name, len(t.Labels))
	}
	return nil
}

// cover trims, parts or removes what clips that were laid anew lie upon, but for those that are spared.
func (d *draft) cover(laid []Clip, spared ...string) {
	tracks := map[string][]Clip{}
	is := map[string]bool{}
	for _, id := range spared {
		is[id] = true
	}
	for _, c := range laid {
		is[c.ID] = true
	}
	onto := map[string]bool{}
	for _, c := range laid {
		onto[c.Track] = onto[c.Track] || c.Length > 0
	}
	for c := range d.clips.all() {
		if onto[c.Track] && !is[c.ID] {
			tracks[c.Track] = append(tracks[c.Track], c)
		}
	}
	for _, under := range tracks {
		slices.SortFunc(under, byStart)
	}
	for _, c := range laid {
		if c.Length <= 0 {
			continue // what has no length covers nothing
		}
		under := tracks[c.Track]
		for i := 0; i < len(under); i++ {
			if under[i].End() <= c.Start || under[i].Start >= c.End() {
				continue
			}
			left := d.uncovered(under[i], c.Start, c.End())
			under = slices.Replace(under, i, i+1, left...)
			i += len(left) - 1
		}
		tracks[c.Track] = under
	}
}

// uncovered takes a range of the reel out of a clip that lies in it, and gives what is left of it.
func (d *draft) uncovered(u Clip, from, to int64) []Clip {
	var left []Clip
	if before := u; before.crop(u.Start, from) {
		d.clips.put(before.ID, before)
		left = append(left, before)
	}
	if after := u; after.crop(to, u.End()) {
		if len(left) > 0 {
			after.ID = d.id("c")
		}
		d.clips.put(after.ID, after)
		left = append(left, after)
	}
	if len(left) == 0 {
		d.clips.drop(u.ID)
	}
	return left
}

// Edge is one end of a clip.
type Edge string

const (
	StartEdge Edge = "start"
	EndEdge   Edge = "end"
)

// Words are all that there are.
func (Edge) Words() []string { return []string{string(StartEdge), string(EndEdge)} }

// TrimClip moves one edge of a clip, and the same edge of all that are tied to it and have it at the same place. It
// goes no further than the takes and a length of one sample allow.
type TrimClip struct {
	Clip  string `json:"clip"`
	Edge  Edge   `json:"edge"`
	By    int64  `json:"by"` // samples; positive is later
	Alone bool   `json:"alone,omitempty"`
}

func (c TrimClip) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	clip, ok := r.Clips[c.Clip]
	if !ok {
		return Change{}, "", noClip()
	}
	if c.Edge != StartEdge && c.Edge != EndEdge {
		return Change{}, "", fault.New(fault.BadInput, "A clip is trimmed at its start or its end")
	}
	clips, err := d.together([]string{c.Clip}, c.Alone)
	if err != nil {
		return Change{}, "", err
	}
	clips = slices.DeleteFunc(clips, func(x Clip) bool {
		return c.Edge == StartEdge && x.Start != clip.Start || c.Edge == EndEdge && x.End() != clip.End()
	})
	by := c.By
	for _, x := range clips {
		handles := max(0, x.Frames-x.Offset-x.Length)
		if c.Edge == StartEdge {
			by = min(max(by, -min(x.Offset, x.Start)), x.Length-1)
		} else {
			by = max(min(by, handles), 1-x.Length)
		}
	}
	if by == 0 && c.By != 0 {
		return Change{}, "", fault.New(fault.BadInput, "%s has no more handle there: its take %s", clip.Name,
			map[Edge]string{StartEdge: "begins", EndEdge: "ends"}[c.Edge])
	}
	for i := range clips {
		d.trim(clips[i], c.Edge, by)
	}
	return d.finish(), "trim " + clip.Name, nil
}

// trim moves an edge. Where the clip is crossfaded with another there, the crossfade stays as long as there is room for
// it: the other goes along where the clip grows over it, and where it shrinks the fades shrink with what they share.
func (d *draft) trim(x Clip, edge Edge, by int64) {
	grown := x // what it newly covers
	start, end := x.Start, x.End()
	if edge == StartEdge {
		grown.Start, grown.Length = x.Start+by, max(0, -by)
		x.Start, x.Offset, x.Length = x.Start+by, x.Offset+by, x.Length-by
	} else {
		grown.Start, grown.Length = x.End(), max(0, by)
		x.Length += by
	}
	var partners []Clip
	for u := range d.clips.all() {
		if u.ID != x.ID && u.Track == x.Track && (edge == EndEdge && u.Start < end && end < u.End() && start < u.Start || edge == StartEdge &&
			u.Start < start && start < u.End() && u.End() < end) {
			partners = append(partners, u)
		}
	}
	var spared []string
	for _, u := range partners {
		d.keepCrossfade(&x, u, edge, by)
		spared = append(spared, u.ID)
	}
	x.fitFades()
	d.clips.put(x.ID, x)
	d.cover([]Clip{grown}, spared...)
}

// keepCrossfade has the clip u go along with the edge of x that it shares a crossfade with.
func (d *draft) keepCrossfade(x *Clip, u Clip, edge Edge, by int64) {
	own, its := &x.FadeOut, &u.FadeIn
	grows, shared := by > 0, x.End()-u.Start
	if edge == StartEdge {
		own, its = &x.FadeIn, &u.FadeOut
		grows, shared = by < 0, u.End()-x.Start
	}
	fade := *its
	if grows {
		from, to := u.Start+by, u.End()
		if edge == StartEdge {
			from, to = u.Start, u.End()+by
		}
		if !u.crop(from, to) {
			d.clips.drop(u.ID)
			return
		}
		fade.Length = min(fade.Length, u.Length)
	} else {
		fade.Length = max(0, min(fade.Length, shared))
		own.Length = max(0, min(own.Length, shared))
	}
	*its = fade
	u.fitFades()
	d.clips.put(u.ID, u)
}

// SlipClip moves the sound inside a clip, and inside all that are tied to it, while its edges stay.
type SlipClip struct {
	Clip  string `json:"clip"`
	By    int64  `json:"by"` // samples; positive is later
	Alone bool   `json:"alone,omitempty"`
	Untie bool   `json:"untie,omitempty"`
}

func (c SlipClip) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	clips, err := d.together([]string{c.Clip}, c.Alone)
	if err != nil {
		return Change{}, "", err
	}
	by := c.By
	for _, x := range clips {
		by = max(min(by, x.Offset), -max(0, x.Frames-x.Offset-x.Length))
	}
	if by == 0 && c.By != 0 {
		return Change{}, "", fault.New(fault.BadInput, "%s has no more handle to slip into", r.Clips[c.Clip].Name)
	}
	if err := (shift{draft: d, clips: clips, by: by, untie: c.Untie}).ties(); err != nil {
		return Change{}, "", err
	}
	for _, x := range clips {
		x.Offset -= by
		d.clips.put(x.ID, x)
	}
	return d.finish(), "slip " + r.Clips[c.Clip].Name, nil
}

// cut parts a clip at a sample inside it and gives the right half, which is not put yet.
func (d *draft) cut(c Clip, at int64) (right Clip) {
	right = c
	by := at - c.Start
	right.ID = d.id("c")
	right.Start, right.Offset, right.Length = at, c.Offset+by, c.Length-by
	right.FadeIn = Fade{}
	c.Length, c.FadeOut = by, Fade{}
	right.Lanes, c.Lanes = slices.Clone(c.Lanes), slices.Clone(c.Lanes)
	for i := range c.Lanes {
		right.Lanes[i].FadeIn, c.Lanes[i].FadeOut = Fade{}, Fade{}
	}
	c.fitFades()
	right.fitFades()
	d.clips.put(c.ID, c)
	return right
}

func inside(c Clip, at int64) bool { return c.Start < at && at < c.End() }

// CutClips cuts clips, and all that are tied to them, at a sample. No clips means all that lie there. The right halves
// of tied clips are tied to each other; those cut alone stay tied as they were.
type CutClips struct {
	At    int64    `json:"at"`
	Clips []string `json:"clips,omitempty"`
	Alone bool     `json:"alone,omitempty"`
}

func (c CutClips) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	ids := c.Clips
	if len(ids) == 0 {
		for _, clip := range r.ClipList() {
			if inside(clip, c.At) {
				ids = append(ids, clip.ID)
			}
		}
		if len(ids) == 0 {
			return Change{}, "", fault.New(fault.BadInput, "No clip lies there to cut")
		}
	}
	clips, err := d.together(ids, c.Alone)
	if err != nil {
		return Change{}, "", err
	}
	renamed := map[string]string{}
	name, did := "", 0
	for _, clip := range clips {
		later := clip
		switch {
		case inside(clip, c.At):
			later = d.cut(clip, c.At)
			did++
			name = clip.Name
		case clip.Start < c.At:
			continue
		}
		if clip.Tie != "" && !c.Alone {
			if renamed[clip.Tie] == "" {
				renamed[clip.Tie] = d.id("tie")
			}
			later.Tie = renamed[clip.Tie]
		}
		d.clips.put(later.ID, later)
	}
	if did == 0 {
		return Change{}, "", fault.New(fault.BadInput, "The playhead does not stand inside a chosen clip; put it where the cut is to be")
	}
	return d.finish(), "cut " + name, nil
}

// CutOut cuts a range out of tracks and, if asked, closes the gap. No tracks means all, and then marks move too.
type CutOut struct {
	Span
	Tracks []string `json:"tracks,omitempty"`
	Close  bool     `json:"close,omitempty"`
	Untie  bool     `json:"untie,omitempty"`
}

func (c CutOut) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	if c.To <= c.From {
		return Change{}, "", fault.New(fault.BadInput, "Choose a range first: drag over the tracks")
	}
	var later []Clip
	for _, clip := range r.ClipList() {
		if len(c.Tracks) > 0 && !slices.Contains(c.Tracks, clip.Track) {
			continue
		}
		if inside(clip, c.To) {
			right := d.cut(clip, c.To)
			d.clips.put(right.ID, right)
			clip, _ = d.clips.get(clip.ID)
			later = append(later, right)
		} else if clip.Start >= c.To {
			later = append(later, clip)
			continue
		}
		if inside(clip, c.From) {
			d.cut(clip, c.From) // the right half is what goes
		} else if clip.Start >= c.From {
			d.clips.drop(clip.ID)
		}
	}
	if c.Close && len(later) > 0 {
		by := c.From - c.To
		if err := (shift{draft: d, clips: later, by: by, untie: c.Untie, fresh: true}).ties(); err != nil {
			return Change{}, "", err
		}
		for _, clip := range later {
			clip.Start += by
			d.clips.put(clip.ID, clip)
		}
	}
	if c.Close {
		for _, t := range r.Tracks {
			if len(c.Tracks) == 0 || slices.Contains(c.Tracks, t.ID) {
				t.Gain, t.Pan = c.closed(t.Gain), c.closed(t.Pan)
				d.tracks.put(t.ID, t)
			}
		}
	}
	if c.Close && len(c.Tracks) == 0 {
		for _, m := range r.Marks {
			from, to := c.place(m.At), c.place(m.At+m.Length)
			m.At, m.Length = from, to-from
			d.marks.put(m.ID, m)
		}
	}
	where := "all tracks"
	if len(c.Tracks) == 1 {
		where = r.Tracks[c.Tracks[0]].Name
	} else if len(c.Tracks) > 1 {
		where = plural(len(c.Tracks), "track")
	}
	return d.finish(), "cut a range out of " + where, nil
}

// place is where a place of the reel comes to lie when the gap is closed.
func (c CutOut) place(at int64) int64 {
	switch {
	case at <= c.From:
		return at
	case at >= c.To:
		return at - (c.To - c.From)
	}
	return c.From
}

// closed is a curve that goes along with the sound when the gap is closed. Where the two sides do not meet there is a ramp
// behind the join.
func (c CutOut) closed(points []Point) []Point {
	if len(points) == 0 {
		return nil
	}
	by := c.To - c.From
	var out []Point
	for _, p := range points {
		if p.At < c.From {
			out = append(out, p)
		}
	}
	before, after := Level(points, c.From), Level(points, c.To)
	if before != after {
		out = append(out, Point{c.From, before}, Point{c.From + Ramp, Level(points, c.To+Ramp)})
	}
	for _, p := range points {
		if p.At > c.To {
			out = append(out, Point{p.At - by, p.Value})
		}
	}
	if len(out) == 0 {
		out = []Point{{c.From, after}}
	}
	return unstepped(out)
}

// RemoveClips takes clips off the reel. Those tied to them stay.
type RemoveClips struct {
	Clips []string `json:"clips"`
}

func (c RemoveClips) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	clips, err := d.together(c.Clips, true)
	if err != nil {
		return Change{}, "", err
	}
	for _, clip := range clips {
		d.clips.drop(clip.ID)
	}
	if len(clips) == 1 {
		return d.finish(), "remove " + clips[0].Name, nil
	}
	return d.finish(), "remove " + plural(len(clips), "clip"), nil
}

// PasteClips lays copies of clips, also of another reel, which must be at the same sample rate.
type PasteClips struct {
	Clips  []Clip  `json:"clips"`           // as they were copied
	Tracks []Track `json:"tracks"`          // that they lay on, from top to bottom
	At     *int64  `json:"at,omitempty"`    // where the first of them begins; nil keeps their place
	Track  string  `json:"track,omitempty"` // the row for the topmost; empty for the tracks that they came from, by ID and name, or new ones
	// Only is the range that was copied, where it was one: of the clips it is what lies in it, and At is where the range begins.
	Only *Span `json:"only,omitempty"`
	Push bool  `json:"push,omitempty"` // what lies at At or later on the same tracks goes behind what is laid
	// Untie lets what is pushed come out of sync.
	Untie bool `json:"untie,omitempty"`
}

func (c PasteClips) Plan(r *Reel, _ Known) (Change, string, error) {
	p, err := c.pasted(r)
	if err != nil {
		return Change{}, "", err
	}
	d := newDraft(r)
	rows := pasteRows{draft: d, rows: r.TrackList(), onto: map[string]Track{}, order: lastOrder(r)}
	if rows.top = slices.IndexFunc(rows.rows, func(t Track) bool { return t.ID == c.Track }); c.Track != "" && rows.top < 0 {
		return Change{}, "", noTrack()
	}
	ties := map[string]string{}
	var laid []Clip
	for _, clip := range p.clips {
		i := slices.IndexFunc(c.Tracks, func(t Track) bool { return t.ID == clip.Track })
		if i < 0 || len(clip.Channels) == 0 || clip.Length <= 0 || clip.Offset < 0 {
			return Change{}, "", errCopied
		}
		t, err := rows.of(clip, c.Tracks[i], i)
		if err != nil {
			return Change{}, "", err
		}
		clip.ID, clip.Track, clip.Was, clip.Event = d.id("c"), t.ID, "", ""
		clip.Start += p.by
		if err := checkPlace(r, clip); err != nil {
			return Change{}, "", err
		}
		if p.by != 0 && clip.Home != nil { // a copy elsewhere is nowhere else at home
			home := *clip.Home + p.by
			clip.Home, clip.Picture = &home, false
		}
		if clip.Tie != "" {
			if ties[clip.Tie] == "" {
				ties[clip.Tie] = d.id("tie")
			}
			clip.Tie = ties[clip.Tie]
		}
		clip.fitFades()
		laid = append(laid, clip)
	}
	if c.Push {
		if err := d.push(laid, Span{From: *c.At, To: *c.At + p.length}, c.Untie); err != nil {
			return Change{}, "", err
		}
	}
	for _, clip := range laid {
		d.clips.put(clip.ID, clip)
	}
	d.cover(laid)
	name := map[bool]string{false: "paste ", true: "insert "}[c.Push]
	if len(laid) == 1 {
		return d.finish(), name + laid[0].Name, nil
	}
	return d.finish(), name + plural(len(laid), "clip"), nil
}

var errCopied = fault.New(fault.BadInput, "What was copied can't be read; copy it again")

// pasted is what of the clips is laid, how much later, and how much room all of it takes.
type pasted struct {
	clips  []Clip
	by     int64
	length int64
}

func (c PasteClips) pasted(r *Reel) (p pasted, err error) {
	if len(c.Clips) == 0 {
		return p, fault.New(fault.BadInput, "Nothing has been copied yet")
	}
	if c.Push && c.At == nil {
		return p, fault.New(fault.BadInput, "What is inserted needs a place")
	}
	if c.Only != nil {
		if c.Only.To <= c.Only.From || checkPlace(r, Clip{Start: c.Only.From, Length: c.Only.To - c.Only.From}) != nil {
			return p, errCopied
		}
	}
	from, to := int64(math.MaxInt64), int64(math.MinInt64)
	for _, clip := range c.Clips {
		if clip.Length <= 0 || checkPlace(r, clip) != nil {
			return p, errCopied
		}
		if c.Only == nil || clip.crop(c.Only.From, c.Only.To) {
			p.clips = append(p.clips, clip)
		}
		from, to = min(from, clip.Start), max(to, clip.End())
	}
	if c.Only != nil {
		from, to = c.Only.From, c.Only.To
	}
	if len(p.clips) == 0 {
		return p, fault.New(fault.BadInput, "There is no clip in the range that was copied")
	}
	p.length = to - from
	if c.At != nil {
		p.by = *c.At - from
	}
	return p, nil
}

// pasteRows finds the tracks that copies are laid onto, and makes those that are missing.
type pasteRows struct {
	draft *draft
	rows  []Track
	top   int              // the row for the topmost; negative where they go where they came from
	onto  map[string]Track // by the ID of the track that they came from
	order int
}

// of is the track for a copy that lay on another, the i-th of those that were copied.
func (p *pasteRows) of(clip Clip, from Track, i int) (Track, error) {
	t, ok := p.onto[from.ID]
	if !ok {
		r := p.draft.reel
		switch {
		case p.top >= 0 && p.top+i < len(p.rows):
			t = p.rows[p.top+i]
		case p.top < 0 && r.Tracks[from.ID].Name == from.Name:
			t = r.Tracks[from.ID]
		}
		if t.ID == "" || !clip.Fits(t.Labels) {
			p.order++
			t = from
			t.ID, t.Order, t.Folder = p.draft.id("t"), p.order, ""
			if _, ok := r.Stems[t.Stem]; !ok || checkLabels(t.Labels) != nil {
				return Track{}, noStem()
			}
			p.draft.tracks.put(t.ID, t)
		}
		p.onto[from.ID] = t
	}
	return t, fits(clip, t)
}

// push makes room for clips on the tracks that they are to be laid onto: what lies there from where the room begins goes as much later as
// it is long, and what lies across is cut.
func (d *draft) push(laid []Clip, room Span, untie bool) error {
	onto := map[string]bool{}
	for _, c := range laid {
		onto[c.Track] = true
	}
	var later []Clip
	for _, clip := range d.reel.ClipList() {
		switch {
		case !onto[clip.Track]:
		case inside(clip, room.From):
			right := d.cut(clip, room.From)
			d.clips.put(right.ID, right)
			later = append(later, right)
		case clip.Start >= room.From:
			later = append(later, clip)
		}
	}
	by := room.To - room.From
	if len(later) > 0 {
		if err := (shift{draft: d, clips: later, by: by, untie: untie, fresh: true}).ties(); err != nil {
			return err
		}
	}
	for _, clip := range later {
		clip.Start += by
		if err := checkPlace(d.reel, clip); err != nil {
			return err
		}
		d.clips.put(clip.ID, clip)
	}
	for id := range onto {
		if t, there := d.reel.Tracks[id]; there {
			t.Gain, t.Pan = room.opened(t.Gain), room.opened(t.Pan)
			d.tracks.put(id, t)
		}
	}
	return nil
}

// opened is a curve that goes along with the sound where room is made: in the room it stays where it was.
func (room Span) opened(points []Point) []Point {
	if len(points) == 0 || room.To <= room.From {
		return points
	}
	by := room.To - room.From
	level := Level(points, room.From)
	var out []Point
	for _, p := range points {
		if p.At < room.From {
			out = append(out, p)
		}
	}
	if len(out) > 0 && len(out) < len(points) { // else it is level there
		out = append(out, Point{room.From, level}, Point{room.To, level})
	}
	for _, p := range points[countBefore(points, room.From):] {
		if to := p.At + by; len(out) == 0 || to > out[len(out)-1].At {
			out = append(out, Point{to, p.Value})
		}
	}
	return out
}

func countBefore(points []Point, at int64) (n int) {
	for n < len(points) && points[n].At < at {
		n++
	}
	return n
}

// SetClip changes a clip's own settings; those left nil stay.
type SetClip struct {
	Clip      string   `json:"clip"`
	Name      *string  `json:"name,omitempty"`
	Stem      *string  `json:"stem,omitempty"` // that it is for; empty says nothing
	GainDB    *float64 `json:"gainDB,omitempty"`
	Mute      *bool    `json:"mute,omitempty"`
	Untreated *bool    `json:"untreated,omitempty"` // whether it leaves out what its microphone is treated with
	FadeIn    *Fade    `json:"fadeIn,omitempty"`
	FadeOut   *Fade    `json:"fadeOut,omitempty"`
}

func (c SetClip) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	clip, ok := r.Clips[c.Clip]
	if !ok {
		return Change{}, "", noClip()
	}
	var did []string
	if c.Name != nil {
		name := strings.TrimSpace(*c.Name)
		if err := checkName(name, "A clip"); err != nil {
			return Change{}, "", err
		}
		did = append(did, fmt.Sprintf("name %s %s", clip.Name, name))
		clip.Name = name
	}
	if c.Stem != nil {
		if _, ok := r.Stems[*c.Stem]; !ok && *c.Stem != "" {
			return Change{}, "", noStem()
		}
		clip.Stem = *c.Stem
		did = append(did, "stem of "+clip.Name)
	}
	if c.GainDB != nil {
		if err := checkGain(*c.GainDB); err != nil {
			return Change{}, "", err
		}
		clip.GainDB = *c.GainDB
		did = append(did, "gain of "+clip.Name)
	}
	if c.Mute != nil {
		clip.Mute = *c.Mute
		did = append(did, map[bool]string{true: "mute ", false: "unmute "}[clip.Mute]+clip.Name)
	}
	if c.Untreated != nil {
		clip.Untreated = *c.Untreated
		did = append(did, clip.Name+map[bool]string{true: " untreated", false: " treated"}[clip.Untreated])
	}
	for _, f := range []struct {
		to       *Fade
		own      *Fade
		opposite *Fade
		name     string
	}{{c.FadeIn, &clip.FadeIn, &clip.FadeOut, "fade in"}, {c.FadeOut, &clip.FadeOut, &clip.FadeIn, "fade out"}} {
		if f.to == nil {
			continue
		}
		if err := checkFade(*f.to, clip.Length); err != nil {
			return Change{}, "", err
		}
		*f.own = *f.to
		f.opposite.Length = min(f.opposite.Length, clip.Length-f.own.Length)
		did = append(did, fmt.Sprintf("%s of %s", f.name, clip.Name))
	}
	d.clips.put(clip.ID, clip)
	return d.finish(), strings.Join(did, ", "), nil
}

// Crossfade fades from one clip to the next on its track. Clips that meet are drawn over each other out of their
// handles, as far each; clips that overlap are faded where they do, and Length is not asked for.
type Crossfade struct {
	Left   string `json:"left"`
	Right  string `json:"right"`
	Length int64  `json:"length"` // samples
	Curve  Curve  `json:"curve,omitempty"`
}

func (c Crossfade) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	left, okL := r.Clips[c.Left]
	right, okR := r.Clips[c.Right]
	if !okL || !okR {
		return Change{}, "", noClip()
	}
	if left.Track != right.Track || left.Start >= right.Start || left.End() < right.Start || left.End() > right.End() {
		return Change{}, "", fault.New(fault.BadInput, "A crossfade needs two clips that meet or overlap on one track")
	}
	length := left.End() - right.Start
	if length == 0 {
		before := c.Length / 2
		after := c.Length - before
		handles := max(0, left.Frames-left.Offset-left.Length)
		if before > right.Offset || after > handles || before >= left.Length || after >= right.Length {
			most := 2 * min(right.Offset, handles, left.Length-1, right.Length-1)
			return Change{}, "", fault.New(fault.BadInput, "The handles of these clips allow a crossfade of at most %s", r.Distance(most))
		}
		left.Length += after
		right.Start, right.Offset, right.Length = right.Start-before, right.Offset-before, right.Length+before
		length = c.Length
	}
	fade := Fade{length, c.Curve}
	if err := checkFade(fade, min(left.Length, right.Length)); err != nil {
		return Change{}, "", err
	}
	left.FadeOut, right.FadeIn = fade, fade
	left.FadeIn.Length, right.FadeOut.Length = min(left.FadeIn.Length, left.Length-length), min(right.FadeOut.Length, right.Length-length)
	d.clips.put(left.ID, left)
	d.clips.put(right.ID, right)
	return d.finish(), fmt.Sprintf("crossfade %s to %s", left.Name, right.Name), nil
}
