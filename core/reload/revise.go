package reload

import (
	"slices"

	"zestyloom/core/fault"
	"zestyloom/core/layout"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
)

// Replacement is the sound that takes the place of a group's.
type Replacement struct {
	Take   string
	Title  string
	Labels []string // of its channels
	Frames int64
	At     int64   // where its first frame lies on the reel
	GainDB float64 // by which it is as loud as what it replaces
}

// Sounding is what sounds in a group of a reel: the clips on tracks of its own, by track and start, and the tracks' channels by the
// labels of the group that they are tied to, "" for those that are not. Such is every group of a reel that Load has made. It is
// BadInput where a track has another group as well, or where none is tied to the group.
func Sounding(r *reel.Reel, group string) (clips []reel.Clip, tracks map[string][]string, err error) {
	g, there := r.Groups[group]
	if !there {
		return nil, nil, fault.New(fault.NotFound, "There is no such group on this reel")
	}
	labels := map[string]string{} // by output
	for _, o := range r.OutputList() {
		if o.Group == group {
			labels[o.ID] = o.Label
		}
	}
	tracks = map[string][]string{}
	for _, k := range r.KnotList() {
		if label, own := labels[k.Output]; own && k.Row == reel.TrackRow {
			if tracks[k.From] == nil {
				tracks[k.From] = make([]string, len(r.Tracks[k.From].Labels))
			}
			tracks[k.From][k.Channel] = label
		}
	}
	for _, k := range r.KnotList() {
		if _, own := labels[k.Output]; !own && k.Row == reel.TrackRow && tracks[k.From] != nil {
			return nil, nil, fault.New(fault.BadInput, "%s goes to other groups too, so %s can't be replaced by itself; change it in the Loom",
				r.Tracks[k.From].Name, g.Name)
		}
	}
	for _, c := range r.ClipList() {
		if tracks[c.Track] != nil {
			clips = append(clips, c)
		}
	}
	if len(clips) == 0 {
		return nil, nil, fault.New(fault.BadInput, "Nothing lies on tracks of %s alone, so there is nothing to replace", g.Name)
	}
	return clips, tracks, nil
}

// Revise gives the command that puts other sound in the place of a group's, of any width: it goes to the same outputs, channel by
// channel of the same label, else folded as usual; and it sounds no longer than what it replaces did.
func Revise(r *reel.Reel, group string, with Replacement) (step reel.Sequence, err error) {
	old, tracks, err := Sounding(r, group)
	if err != nil {
		return step, err
	}
	to := r.Groups[group].Labels
	carried, _, ok := mix.Carry(layout.Read(with.Labels), layout.Read(to), mix.Usual())
	if !ok {
		return step, fault.New(fault.BadInput, "Nothing of %s would arrive in %s: their channels have nothing in common", with.Title, r.Groups[group].Name)
	}
	from, end := old[0].Start, old[0].End()
	var gone []string
	for _, c := range old {
		from, end, gone = min(from, c.Start), max(end, c.End()), append(gone, c.ID)
	}
	from, end = max(from, with.At), min(end, with.At+with.Frames)
	if from >= end {
		return step, fault.New(fault.BadInput, "%s does not lie where %s is, so nothing of it would be heard", with.Title, r.Groups[group].Name)
	}
	var paste reel.PasteClips
	for _, t := range r.TrackList() {
		labels := tracks[t.ID]
		if labels == nil {
			continue
		}
		clip := reel.Clip{Track: t.ID, Take: with.Take, Name: with.Title, Stem: t.Stem, Start: from, Offset: from - with.At, Length: end - from,
			Frames: with.Frames, GainDB: with.GainDB}
		for c := range with.Labels {
			clip.Channels = append(clip.Channels, c)
		}
		for _, label := range labels {
			row := make([]float64, len(with.Labels))
			if at := slices.Index(to, label); at >= 0 {
				for c := range row {
					row[c] = carried.At(at, c)
				}
			}
			clip.Matrix = append(clip.Matrix, row)
		}
		if one(clip.Matrix) {
			clip.Matrix = nil
		}
		paste.Clips, paste.Tracks = append(paste.Clips, clip), append(paste.Tracks, t)
	}
	if len(paste.Clips) > 1 { // channels of one sound stay together
		for i := range paste.Clips {
			paste.Clips[i].Tie = "together"
		}
	}
	step.Name = "replace " + r.Groups[group].Name + " with " + with.Title
	for _, c := range []reel.Command{reel.RemoveClips{Clips: gone}, paste} {
		step.Commands = append(step.Commands, func(*reel.Reel) (reel.Command, error) { return c, nil })
	}
	return step, nil
}

// one tells whether each channel goes to the one of its number as it is.
func one(m [][]float64) bool {
	for r, row := range m {
		for c, gain := range row {
			if len(row) != len(m) || gain != map[bool]float64{true: 1, false: 0}[r == c] {
				return false
			}
		}
	}
	return true
}
