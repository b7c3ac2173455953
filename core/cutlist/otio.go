package cutlist

import (
	"cmp"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"math"
	"net/url"
	"path"
	"slices"
	"strconv"
	"strings"

	"zestyloom/core/fault"
	"zestyloom/core/timecode"
)

// ours is the key of what is our own in the metadata of OpenTimelineIO objects.
const ours = "zesty_loom"

// object is any object of OpenTimelineIO's JSON serialisation; what a schema does not have stays empty.
type object struct {
	Schema         string            `json:"OTIO_SCHEMA"`
	Name           string            `json:"name"`
	Kind           string            `json:"kind"`
	Start          *rational         `json:"global_start_time"`
	Tracks         *object           `json:"tracks"`
	Children       []object          `json:"children"`
	Range          *span             `json:"source_range"`
	Media          *media            `json:"media_reference"`
	References     map[string]*media `json:"media_references"`
	Active         string            `json:"active_media_reference_key"`
	In             *rational         `json:"in_offset"`
	Out            *rational         `json:"out_offset"`
	Effects        []effect          `json:"effects"`
	Enabled        *bool             `json:"enabled"`
	Metadata       metadata          `json:"metadata"`
	TransitionType string            `json:"transition_type"`
}

type rational struct {
	Rate  float64 `json:"rate"`
	Value float64 `json:"value"`
}

type span struct {
	Start    rational `json:"start_time"`
	Duration rational `json:"duration"`
}

type media struct {
	Schema    string   `json:"OTIO_SCHEMA"`
	Name      string   `json:"name"`
	URL       string   `json:"target_url"`
	Available *span    `json:"available_range"`
	Metadata  metadata `json:"metadata"`
}

type effect struct {
	Schema string   `json:"OTIO_SCHEMA"`
	Scalar *float64 `json:"time_scalar"`
}

// metadata is read for what it says of a source, wherever in it that stands.
type metadata map[string]json.RawMessage

// find looks for a word under any of the keys, one level deep, as programs put theirs under a name of their own.
func (m metadata) find(keys ...string) string {
	look := func(m metadata) string {
		for k, raw := range m {
			if !slices.ContainsFunc(keys, func(want string) bool { return strings.EqualFold(k, want) }) {
				continue
			}
			var s string
			if json.Unmarshal(raw, &s) == nil && s != "" {
				return s
			}
			var n float64
			if json.Unmarshal(raw, &n) == nil {
				return strconv.FormatFloat(n, 'f', -1, 64)
			}
		}
		return ""
	}
	if s := look(m); s != "" {
		return s
	}
	names := make([]string, 0, len(m))
	for k := range m {
		names = append(names, k)
	}
	slices.Sort(names)
	for _, k := range names {
		var inner metadata
		if json.Unmarshal(m[k], &inner) == nil {
			if s := look(inner); s != "" {
				return s
			}
		}
	}
	return ""
}

// maxDepth is how deep tracks may lie in one another.
const maxDepth = 32

type otioReader struct {
	list       *List
	off        *int // how many of its events are switched off, and so have no number
	sampleRate int
	track      string
	row        string
	kind       string
}

// samples gives a time in samples, rounded to the nearest.
func (o otioReader) samples(t rational) (int64, error) {
	if t.Rate == 0 && t.Value == 0 {
		return 0, nil
	}
	s := t.Value / t.Rate * float64(o.sampleRate)
	if math.IsNaN(s) || math.Abs(s) > 48*3600*float64(o.sampleRate) {
		return 0, fault.New(fault.BadInput, "This list names a time that no clock has: %g at a rate of %g", t.Value, t.Rate)
	}
	return int64(math.Round(s)), nil
}

// readOTIO reads a timeline of OpenTimelineIO, and tracks inside tracks as deep as they go.
func readOTIO(text []byte, rate timecode.Rate, sampleRate int) (List, error) {
	var root object
	if err := json.Unmarshal(text, &root); err != nil {
		return List{}, fault.Wrap(fault.BadInput, err, "This file begins like OpenTimelineIO but is damaged")
	}
	l := List{Title: root.Name, FrameRate: rate}
	top := root
	if strings.HasPrefix(root.Schema, "Timeline.") && root.Tracks != nil {
		top = *root.Tracks
	} else if schema(root) != "Stack" && schema(root) != "Track" {
		return List{}, fault.New(fault.BadInput, "This holds %q, and a cut list is a timeline", root.Schema)
	}
	l.Own = root.Metadata[ours]
	o := otioReader{list: &l, off: new(int), sampleRate: sampleRate}
	start := int64(0)
	if root.Start != nil {
		var err error
		if start, err = o.samples(*root.Start); err != nil {
			return List{}, err
		}
	}
	if said := root.Metadata.find("frame_rate"); said != "" {
		number, flag, _ := strings.Cut(said, " ")
		if own, err := timecode.ParseRate(number, flag); err == nil {
			l.FrameRate = own
		}
	}
	for _, r := range rates(top) {
		if known, ok := rateOf(r); ok {
			l.FrameRate = known
			l.FrameRate.Drop = rate.Drop && dropped(known)
			break
		}
	}
	_, err := o.place(top, start, nil, 0)
	return l, err
}

func schema(x object) string { name, _, _ := strings.Cut(x.Schema, "."); return name }

// rates lists the rates of times in the order of the list, without those that are rates of sound.
func rates(x object) []float64 {
	var out []float64
	if x.Range != nil {
		out = append(out, x.Range.Duration.Rate)
	}
	for _, c := range x.Children[:min(len(x.Children), 1000)] {
		out = append(out, rates(c)...)
	}
	return slices.DeleteFunc(out, func(r float64) bool { return r <= 0 || r > 1000 })
}

func rateOf(r float64) (timecode.Rate, bool) {
	for _, known := range timecode.Rates {
		if !known.Drop && math.Abs(float64(known.Num)/float64(known.Den)-r) < 0.002 {
			return known, true
		}
	}
	return timecode.Rate{}, false
}

// place lays an object with all that is in it at a sample of the cut and gives its length. Window bounds what of it is
// to be seen, in samples of the cut.
func (o otioReader) place(x object, at int64, window *[2]int64, depth int) (int64, error) {
	if depth > maxDepth {
		return 0, fault.New(fault.BadInput, "The tracks of this list lie in one another more than %d deep", maxDepth)
	}
	if len(o.list.Events) > maxEvents {
		return 0, nil // refused by Read
	}
	var from, length int64
	var err error
	if x.Range != nil {
		if from, err = o.samples(x.Range.Start); err == nil {
			length, err = o.samples(x.Range.Duration)
		}
		if err != nil {
			return 0, err
		}
	}
	switch schema(x) {
	case "Gap":
		return length, nil
	case "Clip":
		return length, o.clip(x, at, from, length, window)
	case "Stack", "Track":
		inside := at
		if x.Range != nil {
			w := [2]int64{at, at + length}
			if window != nil {
				w = [2]int64{max(w[0], window[0]), min(w[1], window[1])}
			}
			window, inside = &w, at-from
		}
		whole := int64(0)
		if schema(x) == "Stack" {
			for _, c := range x.Children {
				n, err := o.place(c, inside, window, depth+1)
				if err != nil {
					return 0, err
				}
				whole = max(whole, n)
			}
		} else {
			if depth <= 1 || o.track == "" {
				o.track, o.kind, o.row = x.Name, x.Kind, ownTrack(x.Metadata[ours])
			}
			fade := int64(0)
			for _, c := range x.Children {
				if schema(c) == "Transition" {
					if fade, err = o.transition(c); err != nil {
						return 0, err
					}
					continue
				}
				had := len(o.list.Events)
				n, err := o.place(c, inside+whole, window, depth+1)
				if err != nil {
					return 0, err
				}
				if fade > 0 && len(o.list.Events) > had {
					e := &o.list.Events[had]
					e.Fade = min(fade, e.Length())
				}
				fade = 0
				whole += n
			}
		}
		if x.Range != nil {
			return length, nil
		}
		return whole, nil
	}
	if x.Schema != "" && len(o.list.Notes) < 200 {
		o.list.Notes = append(o.list.Notes, fmt.Sprintf("%q of %s can't be read and is left out", x.Name, x.Schema))
	}
	return length, nil
}

func (o otioReader) transition(x object) (int64, error) {
	total := int64(0)
	for _, t := range []*rational{x.In, x.Out} {
		if t != nil {
			n, err := o.samples(*t)
			if err != nil {
				return 0, err
			}
			total += max(n, 0)
		}
	}
	return total, nil
}

func (o otioReader) clip(x object, at, from, length int64, window *[2]int64) error {
	m := x.Media
	if m == nil && len(x.References) > 0 {
		m = x.References[cmp.Or(x.Active, "DEFAULT_MEDIA")]
	}
	if m == nil {
		m = &media{}
	}
	begins := int64(0)
	if m.Available != nil {
		var err error
		if begins, err = o.samples(m.Available.Start); err != nil {
			return err
		}
		if x.Range == nil { // all of the media
			from = begins
			if length, err = o.samples(m.Available.Duration); err != nil {
				return err
			}
		}
	}
	e := Event{ID: strconv.Itoa(len(o.list.Events) + 1 - *o.off), Name: x.Name, Track: o.track, From: at, To: at + length, SourceIn: from,
		FileFrom: begins, Off: x.Enabled != nil && !*x.Enabled, Row: o.row,
		Sound: strings.EqualFold(o.kind, "Audio"), Picture: !strings.EqualFold(o.kind, "Audio")}
	if window != nil {
		cut := max(0, window[0]-e.From)
		e.From, e.SourceIn, e.To = e.From+cut, e.SourceIn+cut, min(e.To, window[1])
	}
	if e.Length() <= 0 || e.From < 0 {
		return nil
	}
	for _, f := range x.Effects {
		if f.Scalar != nil && *f.Scalar != 1 {
			e.Speed = *f.Scalar
		} else if strings.HasPrefix(f.Schema, "FreezeFrame") {
			e.Speed = math.SmallestNonzeroFloat64
		}
	}
	if m.URL != "" {
		e.File = m.URL
		if u, err := url.Parse(m.URL); err == nil && u.Path != "" {
			e.File = u.Path
		}
		e.File = path.Base(strings.ReplaceAll(e.File, `\`, "/"))
	} else if m.Name != "" {
		e.File = m.Name
	}
	both := func(keys ...string) string { return cmp.Or(x.Metadata.find(keys...), m.Metadata.find(keys...)) }
	e.Roll, e.Scene, e.Take = both("roll", "reel", "tape", "reel_name"), both("scene"), both("take")
	if raw, ok := x.Metadata[ours]; ok {
		var own struct {
			Channels []int    `json:"channels"`
			Written  *Stretch `json:"written"`
		}
		_ = json.Unmarshal(raw, &own) // somebody else's under our name says nothing
		e.Channels, e.Written, e.Own = own.Channels, own.Written, raw
	}
	if e.Off {
		e.ID = "off"
		*o.off++
	}
	o.list.Events = append(o.list.Events, e)
	return nil
}

// ownTrack is the ID of the track, as its own part has it.
func ownTrack(raw json.RawMessage) string {
	var own struct {
		Track string `json:"track"`
	}
	_ = json.Unmarshal(raw, &own)
	return own.Track
}

// with puts what a list says of an object into what is ours in it, which is an object of JSON or nothing.
func with(own json.RawMessage, more map[string]any) map[string]any {
	out := map[string]any{}
	_ = json.Unmarshal(own, &out)
	maps.Copy(out, more)
	return out
}

// WriteOTIO writes the list as a timeline of OpenTimelineIO with one track for each row or name, all times in samples. Events of
// one track that overlap by the later one's Fade are joined by a transition in the middle of it; others that overlap
// get a track more.
func WriteOTIO(w io.Writer, l List, sampleRate int) error {
	time := func(samples int64) map[string]any {
		return map[string]any{"OTIO_SCHEMA": "RationalTime.1", "rate": float64(sampleRate), "value": float64(samples)}
	}
	ranged := func(from, length int64) map[string]any {
		return map[string]any{"OTIO_SCHEMA": "TimeRange.1", "start_time": time(from), "duration": time(length)}
	}
	start := beginning(l)
	tracks := []any{}
	for _, t := range inTracks(l) {
		children := []any{}
		end := start
		for i, e := range t.events {
			from, to, in := e.From, e.To, e.SourceIn
			if i > 0 && t.events[i-1].To > e.From { // a crossfade
				half := (t.events[i-1].To - e.From) / 2
				before := t.events[i-1].To - e.From - half
				children = append(children, map[string]any{"OTIO_SCHEMA": "Transition.1", "name": "", "transition_type": "SMPTE_Dissolve",
					"in_offset": time(half), "out_offset": time(before), "metadata": map[string]any{}})
				from, in = from+half, in+half
			}
			if i+1 < len(t.events) && t.events[i+1].From < e.To {
				to -= e.To - t.events[i+1].From - (e.To-t.events[i+1].From)/2
			}
			if from > end {
				children = append(children, map[string]any{"OTIO_SCHEMA": "Gap.1", "name": "", "source_range": ranged(0, from-end), "effects": []any{},
					"markers": []any{}, "enabled": true, "metadata": map[string]any{}})
			}
			reference := map[string]any{"OTIO_SCHEMA": "MissingReference.1", "name": e.Name, "metadata": map[string]any{}}
			if e.File != "" {
				reference = map[string]any{"OTIO_SCHEMA": "ExternalReference.1", "name": e.File, "target_url": (&url.URL{Path: e.File}).String(),
					"metadata": map[string]any{}}
			}
			own := with(e.Own, nil)
			if e.Own != nil {
				own["written"] = Stretch{from, to - from, in}
			}
			for k, v := range map[string]string{"roll": e.Roll, "scene": e.Scene, "take": e.Take} {
				if v != "" {
					own[k] = v
				}
			}
			if len(e.Channels) > 0 {
				own["channels"] = e.Channels
			}
			if e.FileFrom != 0 {
				reference["available_range"] = ranged(e.FileFrom, max(0, e.SourceOut()-e.FileFrom))
			}
			children = append(children, map[string]any{"OTIO_SCHEMA": "Clip.1", "name": e.Name, "source_range": ranged(in, to-from),
				"media_reference": reference, "effects": []any{}, "markers": []any{}, "enabled": !e.Off, "metadata": map[string]any{ours: own}})
			end = to
		}
		kind := "Audio"
		if len(t.events) > 0 && !t.events[0].Sound {
			kind = "Video"
		}
		own := map[string]any{}
		if t.row.ID != "" {
			own[ours] = with(t.row.Own, map[string]any{"track": t.row.ID})
		}
		tracks = append(tracks, map[string]any{"OTIO_SCHEMA": "Track.1", "name": t.row.Name, "kind": kind, "source_range": nil, "children": children,
			"effects": []any{}, "markers": []any{}, "enabled": true, "metadata": own})
	}
	markers := []any{}
	for _, m := range l.Marks {
		markers = append(markers, map[string]any{"OTIO_SCHEMA": "Marker.2", "name": m.Name, "comment": m.Note, "color": "ORANGE",
			"marked_range": ranged(m.At-start, m.Length), "metadata": map[string]any{}})
	}
	out := json.NewEncoder(w)
	out.SetIndent("", " ")
	return out.Encode(map[string]any{
		"OTIO_SCHEMA": "Timeline.1", "name": l.Title, "global_start_time": time(start),
		"metadata": map[string]any{ours: with(l.Own, map[string]any{"frame_rate": l.FrameRate.String()})},
		"tracks": map[string]any{"OTIO_SCHEMA": "Stack.1", "name": "tracks", "source_range": nil, "children": tracks, "effects": []any{},
			"markers": markers, "enabled": true, "metadata": map[string]any{}},
	})
}

// beginning is the first sample that anything of the list lies at.
func beginning(l List) int64 {
	var at []int64
	for _, e := range l.Events {
		at = append(at, e.From)
	}
	for _, m := range l.Marks {
		at = append(at, m.At)
	}
	if len(at) == 0 {
		return 0
	}
	return slices.Min(at)
}

type written struct {
	row    Row
	events []Event
}

// inTracks puts events on the list's tracks, and on such as they name besides, in which none overlaps another but by a
// crossfade of two.
func inTracks(l List) []written {
	rows := slices.Clone(l.Tracks)
	by := map[string][]Event{}
	for _, r := range rows {
		by[r.ID] = nil
	}
	for _, e := range l.Events {
		id := e.Row
		if _, there := by[id]; id == "" || !there {
			if id = "\x00" + e.Track; !e.Sound {
				id += "\x00" // a track is of one kind
			}
			if by[id] == nil {
				rows = append(rows, Row{ID: id, Name: e.Track})
			}
		}
		by[id] = append(by[id], e)
	}
	var out []written
	for _, row := range rows {
		list := slices.Clone(by[row.ID])
		if strings.HasPrefix(row.ID, "\x00") {
			row.ID = ""
		}
		slices.SortStableFunc(list, func(a, b Event) int { return cmp.Compare(a.From, b.From) })
		first := len(out)
		if len(list) == 0 {
			out = append(out, written{row: row})
		}
	next:
		for _, e := range list {
			for i := first; i < len(out); i++ {
				have := out[i].events
				last := have[len(have)-1]
				room := last.From // of the last that a crossfade may reach back into
				if len(have) > 1 {
					room = max(room, have[len(have)-2].To)
				}
				if over := last.To - e.From; over <= 0 || over == e.Fade && e.From >= room && e.To > last.To {
					out[i].events = append(have, e)
					continue next
				}
			}
			more := row
			if n := len(out) - first; n > 0 {
				more.Name = fmt.Sprintf("%s (%d)", row.Name, n+1)
			}
			out = append(out, written{more, []Event{e}})
		}
	}
	return out
}
