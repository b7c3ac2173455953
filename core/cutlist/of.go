package cutlist

import (
	"fmt"

	"zestyloom/core/reel"
)

// Audio is a file of a take's sound as it lies beside a list that is written.
type Audio struct {
	File   string
	Title  string
	Roll   string
	Scene  string
	Take   string
	From   int64 // where the take's first frame lies on its clock, in samples
	First  int64 // frame of the take that is the file's first
	Frames int64 // of the file
}

// Beside tells which file beside a list holds the sound of a clip; false, and no file, where none does.
type Beside func(c reel.Clip) (Audio, bool)

// Of gives the cut list of a reel: an event for each clip, on its track; without a file where its sound does not lie beside it.
// Muted ones are switched off. Notes say what of the reel a list can't carry.
func Of(r *reel.Reel, beside Beside) List {
	l := List{Title: r.Head.Name, FrameRate: r.Head.FrameRate, Marks: r.MarkList()}
	for _, t := range r.TrackList() {
		l.Tracks = append(l.Tracks, Row{ID: t.ID, Name: t.Name})
	}
	inside, muted := 0, 0
	for _, c := range r.ClipList() {
		a, _ := beside(c)
		one := make([]int, len(c.Channels))
		for i, ch := range c.Channels {
			one[i] = ch + 1
		}
		l.Events = append(l.Events, Event{
			ID: fmt.Sprint(len(l.Events) + 1), Sound: true, Roll: a.Roll, Scene: a.Scene, Take: a.Take, Name: c.Name, File: a.File,
			Track: r.Tracks[c.Track].Name, Row: c.Track, Clip: c.ID, Off: c.Mute,
			Channels: one, From: c.Start, To: c.End(), SourceIn: a.From + c.Offset, FileFrom: a.From + a.First, Fade: c.FadeIn.Length,
		})
		if c.Mute {
			muted++
		}
		if len(c.Gain)+len(c.Pan)+len(c.Lanes) > 0 || c.Matrix != nil {
			inside++
		}
	}
	if inside > 0 {
		l.Notes = append(l.Notes, fmt.Sprintf("%d of the clips have curves or edits inside (hushes, dips, borrowed words), which other programs don't read in a list: settle them first to take these along", inside))
	}
	if muted > 0 {
		l.Notes = append(l.Notes, fmt.Sprintf("%d muted clips are switched off in OpenTimelineIO, and left out of what can't say so", muted))
	}
	l.Notes = append(l.Notes, "Gains, pans, curves and routes of tracks, stems and outputs are read in it by Zesty Loom alone")
	return l
}
