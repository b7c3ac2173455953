package cutlist

import (
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

// Onto gives events as they lie on a reel that begins at start: lists often count their hours from another. Those that
// begin within two hours of the reel's start stay where they are; else whole hours are added.
func Onto(events []Event, start int64, sampleRate int) (moved []Event, by int64) {
	if len(events) == 0 {
		return events, 0
	}
	first := slices.MinFunc(events, func(a, b Event) int { return int(min(max(a.From-b.From, -1), 1)) }).From
	hour := 3600 * int64(sampleRate)
	if first < start || first >= start+2*hour {
		by = start - first/hour*hour
	}
	moved = slices.Clone(events)
	for i := range moved {
		moved[i].From += by
		moved[i].To += by
	}
	return moved, by
}

// Build is the command that lays the takes of entries on a reel as the cut has them, their channels on the tracks of
// their names. Rearrange, where it is not nil, comes first: work that is there already follows the new cut.
func Build(entries []Entry, takes map[string]reel.Source, rearrange *reel.Rearrange, list, title string) (reel.Sequence, error) {
	s := reel.Sequence{Name: "cut list " + title}
	if rearrange != nil {
		s.Commands = append(s.Commands, func(*reel.Reel) (reel.Command, error) { return *rearrange, nil })
	} else {
		s.Commands = append(s.Commands, func(*reel.Reel) (reel.Command, error) { return reel.SetReel{CutList: &list}, nil })
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
			add, err := reel.Unravel(r, src, reel.Choice{Reuse: true})
			if err != nil {
				return nil, err
			}
			add.Start, add.Offset, add.Length, add.Frames = e.From+e.Found.Head, e.Found.Offset+e.Found.Head, e.Length()-e.Found.Head-e.Found.Tail, src.Frames
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
