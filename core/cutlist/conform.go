package cutlist

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
)

// Entry is an event of a list with the take that was found for it.
type Entry struct {
	Event
	Found Found `json:"found"`
}

// Match finds the takes of events.
func Match(events []Event, sources []Source, rate timecode.Rate, sampleRate int) []Entry {
	out := make([]Entry, len(events))
	for i, e := range events {
		f := Find(e, sources, rate, sampleRate)
		if f.Take != "" && e.Speed != 0 && e.Speed != 1 {
			f.Why = fmt.Sprintf("It runs at %.0f %% in the cut, and is laid at its own speed", math.Round(e.Speed*100))
		}
		out[i] = Entry{e, f}
	}
	return out
}

// leader is how long before a reel's start what counts of it may begin: academy leaders, tones and slates.
const leader = 5 * 60 // s

// Onto gives events as they lie on a reel that begins at start: lists often count their hours from another. Those that
// begin within the reel's first two hours, or with a leader before it, stay where they are; else whole hours are added,
// so that minutes, seconds and frames are what the list says. What lies beyond midnight follows what lies before it.
func Onto(events []Event, start int64, rate timecode.Rate, sampleRate int) (moved []Event, by int64) {
	if len(events) == 0 {
		return events, 0
	}
	moved = overMidnight(events, rate, sampleRate)
	first := slices.MinFunc(moved, func(a, b Event) int { return cmp.Compare(a.From, b.From) }).From
	by = rate.Near(timecode.Reading(first), start, sampleRate) - first
	// An hour of the clock is a 24th of its day, which is longer than an hour where labels lag behind.
	hour, early := rate.Day(sampleRate)/24, int64(leader*sampleRate)
	if at := first + by; at < start-early || at >= start+2*hour {
		by += timecode.FloorDiv(start+hour/2, hour)*hour - timecode.FloorDiv(at+early, hour)*hour
	}
	for first+by < 0 { // a leader before midnight, on a reel that begins at it
		by += hour
	}
	for i := range moved {
		moved[i].From += by
		moved[i].To += by
	}
	return moved, by
}

// overMidnight puts events of a list that runs over midnight on one line. No cut lasts half a day, so one that seems to
// be longer is two ends of one: they part where most lies between them.
func overMidnight(events []Event, rate timecode.Rate, sampleRate int) []Event {
	moved := slices.Clone(events)
	order := slices.SortedFunc(slices.Values(events), func(a, b Event) int { return cmp.Compare(a.From, b.From) })
	if order[len(order)-1].From-order[0].From <= rate.Day(sampleRate)/2 {
		return moved
	}
	widest, after := int64(0), int64(0)
	for i := 1; i < len(order); i++ {
		if gap := order[i].From - order[i-1].From; gap > widest {
			widest, after = gap, order[i].From
		}
	}
	for i := range moved {
		if moved[i].From < after {
			moved[i].From += rate.Day(sampleRate)
			moved[i].To += rate.Day(sampleRate)
		}
	}
	return moved
}

// Build is the command that lays the takes of entries on a reel as the cut has them, their channels on the tracks of
// their names. Rearrange, where it is not nil, comes first: work that is there already follows the new cut.
func Build(entries []Entry, takes map[string]reel.Source, rearrange *reel.Rearrange, list, title string) (reel.Sequence, error) {
	s := reel.Sequence{Name: "cut list " + title}
	if rearrange != nil {
		s.Commands = append(s.Commands, func(*reel.Reel) (reel.Command, error) { return *rearrange, nil })
	} else {
		s.Commands = append(s.Commands, func(*reel.Reel) (reel.Command, error) { return reel.Follow{CutList: list}, nil })
	}
	laid := 0
	for _, e := range entries {
		if e.Found.Take == "" {
			continue
		}
		src, ok := takes[e.Found.Take]
		if !ok {
			return reel.Sequence{}, fault.New(fault.Stale, "%s is no longer there; read the cut list again", e.Found.Title)
		}
		laid++
		s.Commands = append(s.Commands, func(r *reel.Reel) (reel.Command, error) {
			add, err := reel.Cut(r, src)
			if err != nil {
				return nil, err
			}
			add.Start, add.Offset, add.Length, add.Frames = e.From+e.Found.Head, e.Found.Offset+e.Found.Head, e.Length()-e.Found.Head-e.Found.Tail,
				src.Frames
			add.Event, add.Picture = e.ID, true
			return add, nil
		})
		if e.Fade > 0 && e.Found.Head == 0 {
			s.Commands = append(s.Commands, func(*reel.Reel) (reel.Command, error) { return reel.Dissolve{At: e.From, Length: e.Fade}, nil })
		}
	}
	if laid == 0 && rearrange == nil {
		return reel.Sequence{}, fault.New(fault.BadInput, "None of the list's takes is here. Bring them in under Takes, then read the list again")
	}
	return s, nil
}
