package cutlist

import (
	"fmt"

	"zestyloom/core/reel"
)

// Audio is a take as it lies beside a list that is written.
type Audio struct {
	File   string
	Title  string
	Roll   string
	Scene  string
	Take   string
	From   int64 // where its first frame lies on its clock, in samples
	Frames int64
}

// sounding are the clips that a list can name: those that sound and whose take lies beside it, by start.
func sounding(r *reel.Reel, audio map[string]Audio) []reel.Clip {
	var out []reel.Clip
	for _, c := range r.ClipList() {
		if _, beside := audio[c.Take]; beside && !c.Mute {
			out = append(out, c)
		}
	}
	return out
}

// Of gives the cut list of a reel: an event for each clip that sounds, on its track. Notes say what of the reel no cut
// list can carry.
func Of(r *reel.Reel, audio map[string]Audio) List {
	l := List{Title: r.Head.Name, FrameRate: r.Head.FrameRate}
	inside, muted := 0, 0
	for _, c := range r.ClipList() {
		if c.Mute {
			muted++
		}
	}
	for _, c := range sounding(r, audio) {
		a := audio[c.Take]
		one := make([]int, len(c.Channels))
		for i, ch := range c.Channels {
			one[i] = ch + 1
		}
		l.Events = append(l.Events, Event{
			ID: fmt.Sprint(len(l.Events) + 1), Sound: true, Roll: a.Roll, Scene: a.Scene, Take: a.Take, Name: c.Name, File: a.File,
			Track:    r.Tracks[c.Track].Name,
			Channels: one, From: c.Start, To: c.End(), SourceIn: a.From + c.Offset, FileFrom: a.From, Fade: c.FadeIn.Length,
		})
		if len(c.Gain)+len(c.Pan)+len(c.Lanes) > 0 {
			inside++
		}
	}
	if inside > 0 {
		l.Notes = append(l.Notes, fmt.Sprintf("%d of the clips have curves or edits inside (hushes, dips, borrowed words) that no cut list can carry: settle them first to take these along", inside))
	}
	if muted > 0 {
		l.Notes = append(l.Notes, fmt.Sprintf("%d muted clips are left out", muted))
	}
	l.Notes = append(l.Notes, "Gains, pans and curves of tracks, stems and outputs are not in a cut list")
	return l
}
