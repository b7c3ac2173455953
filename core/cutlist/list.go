package cutlist

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"strings"

	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
)

// List is a cut list, its events by where they begin.
type List struct {
	Title     string        `json:"title"`
	FrameRate timecode.Rate `json:"frameRate"`
	Events    []Event       `json:"events"`
	Notes     []string      `json:"notes,omitempty"` // what could not be read, in words, with its line where it has one

	Tracks []Row           `json:"-"` // those that a list which is written has, in their order; more where events need them
	Marks  []reel.Mark     `json:"-"` // written as markers
	Own    json.RawMessage `json:"-"` // what is ours in it; OpenTimelineIO alone carries it
}

// Row is a track of a list.
type Row struct {
	ID   string
	Name string
	Own  json.RawMessage
}

// Event says that a stretch of a source lies at a place of the cut. All positions are samples at the rate that the list
// was read with; ends are excluded.
type Event struct {
	ID       string  `json:"id"` // as the list numbers it, made unique
	Picture  bool    `json:"picture,omitempty"`
	Sound    bool    `json:"sound,omitempty"`
	Roll     string  `json:"roll,omitempty"`
	Name     string  `json:"name,omitempty"` // of the clip
	File     string  `json:"file,omitempty"`
	Scene    string  `json:"scene,omitempty"`
	Take     string  `json:"take,omitempty"`
	Track    string  `json:"track,omitempty"` // name of the track that it lies on
	Channels []int   `json:"channels,omitempty"`
	From     int64   `json:"from"` // in the cut
	To       int64   `json:"to"`
	SourceIn int64   `json:"sourceIn"`           // on the source's clock
	Fade     int64   `json:"fade,omitempty"`     // it comes in by a dissolve of this length
	Speed    float64 `json:"speed,omitempty"`    // 0 or 1 is as recorded
	FileFrom int64   `json:"fileFrom,omitempty"` // where the source's file begins on that clock, where the list says so

	Off     bool            `json:"-"` // it is switched off, and sounds nowhere
	Row     string          `json:"-"` // ID of the track that it lies on, where the list says so
	Clip    string          `json:"-"` // ID of the clip that it is written for
	Own     json.RawMessage `json:"-"` // what is ours in it
	Written *Stretch        `json:"-"` // where its own part says that it was written, by us
}

// Stretch is where the object of an event lies in OpenTimelineIO, where a crossfade is a transition over a cut: samples of
// the cut, its length, and on the source's clock.
type Stretch struct {
	From   int64 `json:"from"`
	Length int64 `json:"length"`
	In     int64 `json:"in"`
}

// Length is how long the event is in the cut, in samples.
func (e Event) Length() int64 { return e.To - e.From }

// SourceOut is the first sample of the source after the event.
func (e Event) SourceOut() int64 { return e.SourceIn + e.Length() }

// Title is how the event is spoken of.
func (e Event) Title() string {
	for _, s := range []string{e.Name, strings.Trim(e.Scene+"/"+e.Take, "/"), e.File, e.Roll} {
		if s != "" {
			return s
		}
	}
	return "event " + e.ID
}

// MaxBytes bounds the size of a list that is read.
const MaxBytes = 32 << 20

// maxEvents bounds what a list can make of a reel.
const maxEvents = 20000

// Read reads a CMX 3600 list or OpenTimelineIO, whichever the bytes are, for a reel at sampleRate. A CMX 3600 list does
// not say how many frames a second it counts: then rate is meant, with drop-frame counting where the list says so. Its
// errors are BadInput where it is no list, or holds no event.
func Read(r io.Reader, rate timecode.Rate, sampleRate int) (List, error) {
	l, err := ReadAll(r, rate, sampleRate)
	if err != nil {
		return List{}, err
	}
	l.Events = slices.DeleteFunc(l.Events, func(e Event) bool { return e.Off })
	if len(l.Events) == 0 {
		return List{}, fault.New(fault.BadInput, "Every event of this list is switched off")
	}
	return l, nil
}

// ReadAll is Read with the events that are switched off.
func ReadAll(r io.Reader, rate timecode.Rate, sampleRate int) (List, error) {
	text, err := io.ReadAll(io.LimitReader(r, MaxBytes+1))
	if err != nil {
		return List{}, fault.Wrap(fault.BadInput, err, "The cut list can't be read")
	}
	if len(text) > MaxBytes {
		return List{}, fault.New(fault.BadInput, "A cut list has at most %d MB", MaxBytes>>20)
	}
	text = bytes.TrimPrefix(text, []byte("\xef\xbb\xbf"))
	var l List
	if bytes.HasPrefix(bytes.TrimSpace(text), []byte("{")) {
		l, err = readOTIO(text, rate, sampleRate)
	} else {
		l, err = readEDL(text, rate, sampleRate)
	}
	if err != nil {
		return List{}, err
	}
	// Marks and dissolves are now and then written as events that last no time at all: there is nothing to lay of them.
	if all := len(l.Events); all > 0 {
		l.Events = slices.DeleteFunc(l.Events, func(e Event) bool { return e.Length() <= 0 })
		if n := all - len(l.Events); n > 0 {
			l.Notes = append(l.Notes, fmt.Sprintf("Events that last no time at all are left out: %d", n))
		}
	}
	if len(l.Events) == 0 {
		return List{}, fault.New(fault.BadInput, "There is no event in this list. Cut lists are read as CMX 3600 (.edl) or OpenTimelineIO (.otio)")
	}
	if len(l.Events) > maxEvents {
		return List{}, fault.New(fault.BadInput, "A cut list has at most %d events, and this one has %d", maxEvents, len(l.Events))
	}
	slices.SortStableFunc(l.Events, func(a, b Event) int { return int(min(max(a.From-b.From, -1), 1)) })
	seen := map[string]int{}
	for i := range l.Events {
		e := &l.Events[i]
		seen[e.ID]++
		if n := seen[e.ID]; n > 1 {
			e.ID = fmt.Sprintf("%s.%d", e.ID, n)
		}
	}
	return l, nil
}

// Spoken leaves the events that sound is laid by: those of sound where there are any, else those of picture; each
// stretch once, though the list has it on several tracks.
func (l List) Spoken() []Event {
	sound := slices.ContainsFunc(l.Events, func(e Event) bool { return e.Sound && !e.Off })
	type stretch struct {
		source         string
		from, to, head int64
	}
	seen := map[stretch]bool{}
	var out []Event
	for _, e := range l.Events {
		s := stretch{key(e), e.From, e.To, e.SourceIn}
		if e.Off || sound && !e.Sound || seen[s] {
			continue
		}
		seen[s] = true
		out = append(out, e)
	}
	return out
}

// key is what an event's source is known by.
func key(e Event) string {
	return strings.ToLower(strings.Join([]string{e.Roll, e.Scene, e.Take, e.File, e.Name}, "\x00"))
}
