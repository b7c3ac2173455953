package reel

import (
	"zestyloom/core/fault"
	"zestyloom/core/take"
)

// Source is a take as unravel needs it.
type Source struct {
	Take       string // ID
	Title      string
	Kind       take.Kind
	SampleRate int
	Frames     int64
	Start      *int64 // since midnight; nil where the take has no time stamp
	Channels   []SourceChannel
}

// SourceChannel is a channel of a take.
type SourceChannel struct {
	take.Track
	Empty bool // carries nothing
}

// Choice says what of a take to unravel, and where to. The zero value means the usual.
type Choice struct {
	Channels []int    // from 1; nil means all but mixes and empty channels
	Pairs    [][2]int // channels, from 1, to keep together as stereo; nil means that a two-channel file that is not a recording of the set stays a pair
	At       *int64   // nil means a recording's own time stamp, else the reel's start
}

// Unravel gives the command that breaks a take's channels into tracks on r. A take at another sample rate is
// Unsupported.
func Unravel(r *Reel, src Source, choice Choice) (AddTake, error) {
	if src.SampleRate != r.Head.SampleRate {
		return AddTake{}, fault.New(fault.Unsupported, "%s is at %d Hz and the reel at %d Hz; takes at another rate can't be laid out yet", src.Title, src.SampleRate, r.Head.SampleRate)
	}
	d := take.Description{Channels: len(src.Channels)}
	wanted := map[int]bool{}
	for _, ch := range src.Channels {
		d.Tracks = append(d.Tracks, ch.Track)
		wanted[ch.Index] = choice.Channels == nil && ch.Use != take.Mix && !ch.Empty
	}
	for _, index := range choice.Channels {
		if index < 1 || index > len(src.Channels) {
			return AddTake{}, fault.New(fault.NotFound, "%s has no channel %d", src.Title, index)
		}
		wanted[index] = true
	}
	pairs := choice.Pairs
	if pairs == nil && len(src.Channels) == 2 && src.Kind != take.Recording {
		pairs = [][2]int{{1, 2}}
	}
	parts, err := take.Parts(d, pairs)
	if err != nil {
		return AddTake{}, err
	}
	command := AddTake{Take: src.Take, Title: src.Title, Start: r.Head.Start, Length: src.Frames}
	if src.Start != nil && src.Kind == take.Recording {
		command.Start = *src.Start
	}
	if choice.At != nil {
		command.Start = *choice.At
	}
	for _, p := range parts {
		first := src.Channels[p.Channels[0]]
		if !wanted[first.Index] {
			continue
		}
		name := p.Name
		if first.Name == "" {
			if name = src.Title; len(src.Channels) > len(p.Channels) {
				name += ", " + p.Name
			}
		}
		command.Parts = append(command.Parts, PartPlan{Name: name, Stem: take.SuggestStem(src.Kind, name), Channels: p.Channels, Labels: p.Labels})
	}
	return command, nil
}
