package handover

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"slices"

	"zestyloom/core/cutlist"
	"zestyloom/core/fault"
	"zestyloom/core/reel"
)

// version is that of what is ours in the metadata.
const version = 1

// Take is a take that the reel refers to.
type Take struct {
	ID         string `json:"id"`
	Title      string `json:"title"`
	File       string `json:"file"`   // as it came in
	SHA256     string `json:"sha256"` // of that file
	Frames     int64  `json:"frames"`
	SampleRate int    `json:"sampleRate"`
	Channels   int    `json:"channels"`
}

// File is a file of sound beside the lists.
type File struct {
	Name   string `json:"file"`
	SHA256 string `json:"sha256"`
	Take   string `json:"take"`
	First  int64  `json:"first"` // frame of the take that is its first
	Frames int64  `json:"frames"`
}

// holds tells whether a stretch of the take is in the file.
func (f File) holds(s reel.Span) bool { return f.First <= s.From && s.To <= f.First+f.Frames }

// Package is a reel with what it needs.
type Package struct {
	Reel  *reel.Reel
	Takes []Take
	Files []File
}

// own is what is ours in the metadata of the timeline.
type own struct {
	Version int        `json:"version"`
	Reel    *reel.Reel `json:"reel"` // without its clips
	Takes   []Take     `json:"takes"`
	Files   []File     `json:"files"`
	Colours Colours    `json:"colours"`
}

// Colours are those that stems are shown in, by their tags, as #rrggbb.
type Colours map[string]string

// clip is what is ours in the metadata of a clip.
type clip struct {
	Clip *reel.Clip `json:"clip"`
}

// FileOf finds the file beside that holds a clip's sound.
func (p Package) FileOf(c reel.Clip) (File, bool) {
	return p.holding(c.Take, reel.Span{From: c.Offset, To: c.Offset + c.Length})
}

func (p Package) holding(take string, s reel.Span) (File, bool) {
	for _, f := range p.Files {
		if f.Take == take && f.holds(s) {
			return f, true
		}
	}
	return File{}, false
}

// WriteOTIO writes the reel as OpenTimelineIO: the list that others read, with all of the reel in its metadata. A clip
// whose sound is not beside stands in it all the same, without a file.
func WriteOTIO(w io.Writer, p Package, l cutlist.List, colours Colours) error {
	bare := *p.Reel
	bare.Clips = nil
	var err error
	if l.Own, err = json.Marshal(own{version, &bare, p.Takes, p.Files, colours}); err != nil {
		return err
	}
	l.Events = slices.Clone(l.Events)
	for i := range l.Events {
		c, there := p.Reel.Clips[l.Events[i].Clip]
		if !there {
			continue
		}
		if l.Events[i].Own, err = json.Marshal(clip{&c}); err != nil {
			return err
		}
	}
	for i := range l.Tracks {
		t := p.Reel.Tracks[l.Tracks[i].ID]
		if l.Tracks[i].Own, err = json.Marshal(map[string]string{"stem": t.Stem, "strand": t.Strand, "colour": colours[t.Stem]}); err != nil {
			return err
		}
	}
	return cutlist.WriteOTIO(w, l, p.Reel.Head.SampleRate)
}

// Read reads what WriteOTIO wrote, for a production at sampleRate. Notes say what another program did to it. Its errors
// are BadInput: it is no OpenTimelineIO, not one of ours, or of a later version or another rate.
func Read(text []byte, sampleRate int) (p Package, notes []string, err error) {
	var whole struct {
		Metadata map[string]json.RawMessage `json:"metadata"`
	}
	var mine own
	if json.Unmarshal(text, &whole) != nil || json.Unmarshal(whole.Metadata["zesty_loom"], &mine) != nil || mine.Reel == nil {
		return p, nil, fault.New(fault.BadInput, "This is not a reel that was handed over from here. A list of another program is read as a cut list")
	}
	r := mine.Reel.Clone()
	switch {
	case mine.Version > version:
		return p, nil, fault.New(fault.BadInput, "This reel was handed over by a later version (%d) than this one reads (%d)", mine.Version, version)
	case r.Head.SampleRate != sampleRate:
		return p, nil, fault.New(fault.BadInput, "This reel runs at %d Hz and the production at %d Hz", r.Head.SampleRate, sampleRate)
	}
	l, err := cutlist.ReadAll(bytes.NewReader(text), r.Head.FrameRate, sampleRate)
	if err != nil {
		return p, nil, err
	}
	fresh, moved := 0, 0
	for _, e := range l.Events {
		var c clip
		if json.Unmarshal(e.Own, &c) != nil || c.Clip == nil || c.Clip.ID == "" || e.Written == nil {
			fresh++
			continue
		}
		if _, twice := r.Clips[c.Clip.ID]; twice { // a copy of ours that somebody made is laid by nobody
			fresh++
			continue
		}
		now := follow(*c.Clip, e, r)
		if now.Start != c.Clip.Start || now.Length != c.Clip.Length || now.Offset != c.Clip.Offset || now.Mute != c.Clip.Mute ||
			now.Track != c.Clip.Track {
			moved++
		}
		if now.Length > 0 && now.Offset >= 0 && now.Start >= 0 {
			r.Clips[now.ID] = now
		}
	}
	if moved > 0 {
		notes = append(notes, fmt.Sprintf("%d clips lie otherwise than they were handed over", moved))
	}
	if fresh > 0 {
		notes = append(notes, fmt.Sprintf("%d clips were laid by another program and are left out: read the file as a cut list to lay them", fresh))
	}
	return Package{r, mine.Takes, mine.Files}, notes, nil
}

// follow gives a clip as its event now lies.
func follow(c reel.Clip, e cutlist.Event, r *reel.Reel) reel.Clip {
	c.Start += e.From - e.Written.From
	c.Offset += e.SourceIn - e.Written.In
	c.Length += e.Length() - e.Written.Length
	c.Mute = e.Off
	if t, there := r.Tracks[e.Row]; there && c.Fits(t.Labels) {
		c.Track = t.ID
	}
	return c.Fitted()
}

// Onto gives the reel on the takes of a production: those it was handed over with, found by what they are, or the files
// that came with it, by their sums or, where somebody has written them anew, by their names and lengths. Notes say what
// had to be left out; missing are the files without which nothing is made.
func (p Package) Onto(takes []Take, cutList func(id string) bool) (r *reel.Reel, notes, missing []string) {
	r = p.Reel.Clone()
	found := p.finder(takes)
	lack := map[string]bool{}
	unsettled := 0
	for id, c := range r.Clips {
		now, ok := found.clip(c, lack)
		if !ok {
			continue
		}
		if len(now.Settled) < len(c.Settled) {
			unsettled++
		}
		r.Clips[id] = now
	}
	if unsettled > 0 {
		notes = append(notes, fmt.Sprintf("%d settled clips can't be taken apart again here: what they were settled from is not there", unsettled))
	}
	if was := r.Head.Picture; was.Take != "" {
		if now, there := found.whole[was.Take]; there {
			r.Head.Picture.Take = now
		} else {
			r.Head.Picture = reel.Picture{}
			notes = append(notes, fmt.Sprintf("The picture, %s, is not here; choose one in the Loom", p.title(was.Take)))
		}
	}
	if r.Head.CutList != "" && !cutList(r.Head.CutList) {
		r.Head.CutList = ""
		notes = append(notes, "The cut list that it followed is not here")
	}
	return r, notes, slices.Sorted(maps.Keys(lack))
}

func (p Package) title(take string) string {
	for _, t := range p.Takes {
		if t.ID == take {
			return t.Title
		}
	}
	return take
}
