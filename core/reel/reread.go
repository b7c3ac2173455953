package reel

import (
	"fmt"
	"slices"

	"zestyloom/core/fault"
)

// ReadChannels changes which channels of its take a clip uses. What is done to a channel stays with it where it is still
// used.
type ReadChannels struct {
	Clip     string `json:"clip"`
	Channels []int  `json:"channels"` // of the take, from 0
	Sum      bool   `json:"sum,omitempty"`
}

func (c ReadChannels) Plan(r *Reel, known Known) (Change, string, error) {
	d := newDraft(r)
	clip, take, err := r.clipOf(c.Clip, known)
	if err != nil {
		return Change{}, "", err
	}
	lanes, err := relaid(clip, c.Channels, take.Channels)
	if err != nil {
		return Change{}, "", err
	}
	clip.Channels, clip.Sum, clip.Lanes, clip.Matrix = c.Channels, c.Sum, lanes, nil
	if err := fits(clip, r.Tracks[clip.Track]); err != nil {
		return Change{}, "", err
	}
	d.clips.put(clip.ID, clip)
	return d.finish(), "channels of " + clip.Name, nil
}

// SetMatrix has a clip use channels of its take at gains of their own: of a six-channel capture only the third pair, or
// all three pairs at gains that balance them, or left and right changed over.
type SetMatrix struct {
	Clip     string      `json:"clip"`
	Channels []int       `json:"channels"`         // of the take, from 0
	Matrix   [][]float64 `json:"matrix,omitempty"` // a row for each channel of the track, a factor for each of channels; none for one to one
}

func (c SetMatrix) Plan(r *Reel, known Known) (Change, string, error) {
	clip, take, err := r.clipOf(c.Clip, known)
	if err != nil {
		return Change{}, "", err
	}
	width := len(r.Tracks[clip.Track].Labels)
	if c.Matrix == nil && len(c.Channels) != width {
		return Change{}, "", fault.New(fault.BadInput, "%s lies on a track of %d channels; name as many, or give a matrix", clip.Name, width)
	}
	if c.Matrix != nil && (len(c.Matrix) != width || slices.ContainsFunc(c.Matrix,
		func(row []float64) bool { return len(row) != len(c.Channels) })) {
		return Change{}, "", fault.New(fault.BadInput, "The matrix needs %d rows of %d gains", width, len(c.Channels))
	}
	lanes, err := relaid(clip, c.Channels, take.Channels)
	if err != nil {
		return Change{}, "", err
	}
	clip.Channels, clip.Lanes, clip.Sum, clip.Matrix = c.Channels, lanes, false, c.Matrix
	d := newDraft(r)
	d.clips.put(clip.ID, clip)
	return d.finish(), "channels of " + clip.Name, nil
}

// clipOf finds a clip, and what is known of its take.
func (r *Reel) clipOf(id string, known Known) (Clip, TakeInfo, error) {
	clip, ok := r.Clips[id]
	if !ok {
		return clip, TakeInfo{}, noClip()
	}
	take, err := known.Take(clip.Take)
	return clip, take, err
}

func mixedInside(c Clip) error {
	return fault.New(fault.BadInput, "%s uses its channels at gains of their own; have it use them as they are first, or settle it", c.Name)
}

// chainedTogether is why the channels of a clip with a chain stay as they are: what drives all of them would drive each alone, or the other way.
func chainedTogether(c Clip) error {
	return fault.New(fault.BadInput, "%s goes through a chain, all its channels together; take the chain off first, or settle it", c.Name)
}

// relaid gives what is done to channels of a take, for those that are used now.
func relaid(clip Clip, channels []int, of int) ([]Lane, error) {
	lanes := make([]Lane, len(channels))
	for i, ch := range channels {
		if ch < 0 || ch >= of || slices.Contains(channels[:i], ch) {
			return nil, fault.New(fault.BadInput, "The take has channels 1 to %d; name each once", of)
		}
		if was := slices.Index(clip.Channels, ch); was >= 0 && was < len(clip.Lanes) {
			lanes[i] = clip.Lanes[was]
		}
	}
	return lanes, nil
}

// SplitClip makes one clip for each channel or pair of a multichannel clip, on new tracks below its own, tied to each
// other. Nothing that is heard changes where the track is loose; a bonded set is no longer one then.
type SplitClip struct {
	Clip  string   `json:"clip"`
	Pairs bool     `json:"pairs,omitempty"`
	Names []string `json:"names,omitempty"` // of the new tracks; may be short
}

func (c SplitClip) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	clip, ok := r.Clips[c.Clip]
	if !ok {
		return Change{}, "", noClip()
	}
	if clip.Matrix != nil {
		return Change{}, "", mixedInside(clip)
	}
	if len(clip.Chain) > 0 {
		return Change{}, "", chainedTogether(clip)
	}
	size, labels := 1, []string{"M"}
	if c.Pairs {
		size, labels = 2, []string{"L", "R"}
	}
	if clip.Sum || len(clip.Channels) <= size || len(clip.Channels)%size != 0 {
		return Change{}, "", fault.New(fault.BadInput, "%s has %d channels; there is nothing to split that way", clip.Name, len(clip.Channels))
	}
	if clip.Tie == "" {
		clip.Tie = d.id("tie")
	}
	if clip.Home == nil {
		home := clip.Start - clip.Offset
		clip.Home = &home
	}
	from := r.Tracks[clip.Track]
	list := r.TrackList()
	at := slices.IndexFunc(list, func(t Track) bool { return t.ID == from.ID }) + 1
	for i := 0; i*size < len(clip.Channels); i++ {
		t := from
		t.ID, t.Labels, t.Name = d.id("t"), labels, fmt.Sprintf("%s %d", from.Name, i+1)
		if i < len(c.Names) && c.Names[i] != "" {
			t.Name = c.Names[i]
		}
		d.tracks.put(t.ID, t)
		list = slices.Insert(list, at+i, t)
		part := clip
		part.ID, part.Track = d.id("c"), t.ID
		part.Channels = clip.Channels[i*size : (i+1)*size]
		if len(clip.Lanes) > 0 {
			part.Lanes = clip.Lanes[i*size : (i+1)*size]
		}
		d.clips.put(part.ID, part)
	}
	d.clips.drop(clip.ID)
	if d.idle(from.ID) {
		d.tracks.drop(from.ID)
		list = slices.DeleteFunc(list, func(t Track) bool { return t.ID == from.ID })
	}
	d.number(list)
	return d.finish(), "split " + clip.Name, nil
}

// idle tells whether nothing lies on a track and nothing is routed from it.
func (d *draft) idle(track string) bool {
	for c := range d.clips.all() {
		if c.Track == track {
			return false
		}
	}
	for k := range d.knots.all() {
		if k.Row == TrackRow && k.From == track {
			return false
		}
	}
	for g := range d.groups.all() {
		if g.Feed != nil && g.Feed.Row == TrackRow && g.Feed.From == track {
			return false
		}
	}
	return true
}

// JoinClips makes one multichannel clip of clips of one take that lie alike, on a new loose track (or a pair) above
// theirs. What was done to each clip is done to its channels.
type JoinClips struct {
	Clips []string `json:"clips"`
	Pair  bool     `json:"pair,omitempty"` // two monos become a bonded pair
}

func (c JoinClips) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	clips, err := d.together(c.Clips, true)
	if err != nil {
		return Change{}, "", err
	}
	row := map[string]int{}
	for i, t := range r.TrackList() {
		row[t.ID] = i
	}
	slices.SortFunc(clips, func(a, b Clip) int { return row[a.Track] - row[b.Track] })
	for _, x := range clips {
		if x.Matrix != nil {
			return Change{}, "", mixedInside(x)
		}
		if len(x.Chain) > 0 {
			return Change{}, "", chainedTogether(x)
		}
	}
	first := clips[0]
	joined := first
	joined.Channels, joined.Lanes, joined.GainDB = nil, nil, 0
	joined.FadeIn, joined.FadeOut = Fade{}, Fade{}
	for _, x := range clips {
		if x.Take != first.Take || x.Start != first.Start || x.Offset != first.Offset || x.Length != first.Length || x.Sum || x.Mute {
			return Change{}, "", fault.New(fault.BadInput, "Clips can be joined where they are of one take and begin and end together; %s and %s are not", first.Name, x.Name)
		}
		if x.Untreated != first.Untreated {
			return Change{}, "", fault.New(fault.BadInput, "%s and %s can't be joined: one of them has the treatment of its microphone, the other not",
				first.Name, x.Name)
		}
		if len(x.Gain)+len(x.Pan) > 0 {
			return Change{}, "", fault.New(fault.BadInput, "%s has a curve of its own, which would be lost; settle it or take the curve off first",
				x.Name)
		}
		lanes := make([]Lane, len(x.Channels))
		copy(lanes, x.Lanes)
		for i := range lanes {
			l := &lanes[i]
			if (x.FadeIn.Length > 0 && l.FadeIn.Length > 0) || (x.FadeOut.Length > 0 && l.FadeOut.Length > 0) {
				return Change{}, "", fault.New(fault.BadInput, "%s has fades of its own and of its channels, which can't be joined", x.Name)
			}
			l.GainDB += x.GainDB
			if x.FadeIn.Length > 0 {
				l.FadeIn = x.FadeIn
			}
			if x.FadeOut.Length > 0 {
				l.FadeOut = x.FadeOut
			}
		}
		joined.Channels, joined.Lanes = append(joined.Channels, x.Channels...), append(joined.Lanes, lanes...)
		d.clips.drop(x.ID)
	}
	if len(joined.Channels) < 2 || len(joined.Channels) > MaxChannels {
		return Change{}, "", fault.New(fault.BadInput, "Choose two clips or more of one take to join")
	}
	from := r.Tracks[first.Track]
	t := Track{ID: d.id("t"), Name: first.Name, Stem: from.Stem, Strand: from.Strand, Folder: from.Folder,
		Labels: slices.Repeat([]string{"M"}, len(joined.Channels))}
	if c.Pair {
		if len(joined.Channels) != 2 {
			return Change{}, "", fault.New(fault.BadInput, "A pair has two channels, not %d", len(joined.Channels))
		}
		t.Labels = []string{"L", "R"}
	}
	d.tracks.put(t.ID, t)
	d.number(slices.Insert(r.TrackList(), row[from.ID], t))
	joined.ID, joined.Track = d.id("c"), t.ID
	d.clips.put(joined.ID, joined)
	return d.finish(), "join " + plural(len(clips), "clip"), nil
}

// SwapTake puts another take under the edits of a clip and of those of its take that are tied to it. A frame of the old
// take becomes the frame Shift later of the new one.
type SwapTake struct {
	Clip  string `json:"clip"`
	Take  string `json:"take"`
	Shift int64  `json:"shift,omitempty"`
	Alone bool   `json:"alone,omitempty"`
}

func (c SwapTake) Plan(r *Reel, known Known) (Change, string, error) {
	d := newDraft(r)
	clips, err := d.together([]string{c.Clip}, c.Alone)
	if err != nil {
		return Change{}, "", err
	}
	fresh, err := known.Take(c.Take)
	if err != nil {
		return Change{}, "", err
	}
	old := r.Clips[c.Clip]
	for _, x := range clips {
		if x.Take != old.Take {
			continue
		}
		if slices.Max(x.Channels) >= fresh.Channels {
			return Change{}, "", fault.New(fault.BadInput, "%s has %d channels, and the clip uses channel %d", fresh.Title, fresh.Channels,
				slices.Max(x.Channels)+1)
		}
		offset := x.Offset + c.Shift
		if offset < 0 || offset+x.Length > fresh.Frames {
			return Change{}, "", fault.New(fault.BadInput, "%s is too short to lie under the whole of %s; trim the clip, or slip it", fresh.Title,
				x.Name)
		}
		x.moveTreatment(c.Shift)
		x.Take, x.Name, x.Offset, x.Frames, x.Settled = c.Take, fresh.Title, offset, fresh.Frames, nil
		if x.Home != nil {
			home := *x.Home - c.Shift
			x.Home = &home
		}
		d.clips.put(x.ID, x)
	}
	return d.finish(), fmt.Sprintf("swap %s for %s", old.Name, fresh.Title), nil
}

// Settle puts a rendered take in place of clips of one track. It is Stale where they are no longer as they were
// rendered.
type Settle struct {
	Clips    []Clip `json:"clips"` // as they were rendered, by start
	Take     string `json:"take"`
	Title    string `json:"title"`
	Channels int    `json:"channels"`
	Start    int64  `json:"start"`
	Length   int64  `json:"length"`
}

func (c Settle) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	if len(c.Clips) == 0 {
		return Change{}, "", fault.New(fault.BadInput, "Choose what to settle")
	}
	first := c.Clips[0]
	if t, ok := r.Tracks[first.Track]; !ok || len(t.Labels) != c.Channels {
		return Change{}, "", fault.New(fault.Stale, "The track of %s was changed while it was settled; settle it again", first.Name)
	}
	settled := Clip{ID: d.id("c"), Track: first.Track, Take: c.Take, Name: c.Title, Stem: first.Stem, Start: c.Start, Length: c.Length,
		Frames: c.Length, Tie: first.Tie, Was: first.Was, Picture: first.Picture, Settled: c.Clips}
	for i := range c.Channels {
		settled.Channels = append(settled.Channels, i)
	}
	if first.Home != nil {
		home := c.Start - first.Slip()
		settled.Home = &home
	}
	for _, was := range c.Clips {
		if now, ok := r.Clips[was.ID]; !ok || !equal(now, was) {
			return Change{}, "", fault.New(fault.Stale, "%s was changed while it was settled; settle it again", was.Name)
		}
		// What was tied to several can't be tied to all of them; where it belongs is still known.
		if was.Tie != settled.Tie && settled.Tie != "" {
			settled.Tie, settled.Was = "", settled.Tie
		}
		if was.Slip() != first.Slip() || was.Picture != first.Picture || (was.Home == nil) != (first.Home == nil) {
			settled.Home, settled.Picture = nil, false
		}
		d.clips.drop(was.ID)
	}
	d.clips.put(settled.ID, settled)
	return d.finish(), "settle " + first.Name, nil
}

// inSync tells whether a clip lies as all others do that have its tie; settled is left out.
func (d *draft) inSync(c Clip, settled string) bool {
	for other := range d.clips.all() {
		if other.Tie == c.Tie && other.ID != settled && other.Slip() != c.Slip() {
			return false
		}
	}
	return true
}

// crop trims a clip to a range of the reel; false where nothing of it lies there.
func (c *Clip) crop(from, to int64) bool {
	if c.End() <= from || c.Start >= to {
		return false
	}
	if by := from - c.Start; by > 0 {
		c.Start, c.Offset, c.Length, c.FadeIn = from, c.Offset+by, c.Length-by, Fade{}
	}
	if c.End() > to {
		c.Length, c.FadeOut = to-c.Start, Fade{}
	}
	c.fitFades()
	return true
}

// Unsettle brings the clips back that a settled clip was rendered from, moved and trimmed as it was since.
type Unsettle struct {
	Clip string `json:"clip"`
}

func (c Unsettle) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	clip, ok := r.Clips[c.Clip]
	if !ok {
		return Change{}, "", noClip()
	}
	if len(clip.Settled) == 0 {
		return Change{}, "", fault.New(fault.BadInput, "%s was not settled", clip.Name)
	}
	first := clip.Settled[0].Start
	for _, was := range clip.Settled {
		first = min(first, was.Start)
	}
	d.clips.drop(clip.ID)
	by := clip.Start - clip.Offset - first
	for _, was := range clip.Settled {
		was.Track, was.Start = clip.Track, was.Start+by
		if was.Home != nil && clip.Home != nil {
			home := was.Start - was.Offset - clip.Slip()
			was.Home = &home
		}
		switch {
		case was.Tie != "" && clip.Tie != "":
			was.Tie, was.Was, was.Picture = clip.Tie, clip.Was, clip.Picture
		case was.Tie != "" && !d.inSync(was, clip.ID):
			was.Tie, was.Was = "", was.Tie
		}
		if !was.crop(clip.Start, clip.End()) {
			continue // it belongs to the other part of a settled clip that was cut or trimmed
		}
		if err := fits(was, r.Tracks[clip.Track]); err != nil {
			return Change{}, "", err
		}
		if _, taken := d.clips.get(was.ID); taken {
			was.ID = d.id("c")
		}
		d.clips.put(was.ID, was)
	}
	return d.finish(), "bring back what " + clip.Name + " was settled from", nil
}
