package reel

import (
	"slices"

	"zestyloom/core/fault"
	"zestyloom/core/layout"
	"zestyloom/core/placing"
	"zestyloom/core/take"
)

// Source is a take as unravel needs it.
type Source struct {
	Take       string // ID
	Title      string
	Kind       take.Kind
	SampleRate int
	Frames     int64
	File       placing.File // what tells where it belongs
	Channels   []SourceChannel
	Sets       []take.Set       // which channels are read together
	Stems      []Stem           // of the production
	Words      *take.Vocabulary // by which its title is read; nil for the usual
}

// SourceChannel is a channel of a take.
type SourceChannel struct {
	take.Track
	On      bool   // to be unravelled unless a Choice says otherwise
	Stem    string // tag
	Strand  string
	Decided bool // somebody has said that the stem is right
}

// Choice says what of a take to unravel. The zero value means the usual.
type Choice struct {
	Channels []int // from 1; nil means those that are on
	Together bool  // all single channels as one multichannel clip on one track
	Reuse    bool  // as for AddTake
}

// unravel gives the command that breaks a take's channels into tracks on r, where it is proposed. A take at another sample rate
// is Unsupported.
func unravel(r *Reel, src Source, choice Choice, where placing.Proposal) (AddTake, error) {
	if src.SampleRate != r.Head.SampleRate {
		return AddTake{}, fault.New(fault.Unsupported, "%s is at %d Hz and the reel at %d Hz; takes at another rate can't be laid out yet",
			src.Title, src.SampleRate, r.Head.SampleRate)
	}
	d := take.Description{Channels: len(src.Channels)}
	wanted := map[int]bool{}
	for _, ch := range src.Channels {
		d.Tracks = append(d.Tracks, ch.Track)
		wanted[ch.Index] = choice.Channels == nil && ch.On
	}
	for _, index := range choice.Channels {
		if index < 1 || index > len(src.Channels) {
			return AddTake{}, fault.New(fault.NotFound, "%s has no channel %d", src.Title, index)
		}
		wanted[index] = true
	}
	parts, err := take.Parts(d, src.Sets)
	if err != nil {
		return AddTake{}, err
	}
	command := AddTake{Take: src.Take, Title: src.Title, Start: where.At, Length: src.Frames, Stems: src.Stems, Reuse: choice.Reuse}
	command.Picture = r.Head.Picture.Take != "" && where.By.Kind != placing.Word && where.By.Kind != placing.Nothing
	for _, p := range parts {
		// A set is one thing: any channel of it that is wanted brings all.
		if !slices.ContainsFunc(p.Channels, func(c int) bool { return wanted[c+1] }) {
			continue
		}
		first := src.Channels[p.Channels[0]]
		name := p.Name
		if whole := len(src.Channels) == len(p.Channels); first.Name == "" || whole && (len(p.Channels) > 2 || src.namesSidesAlone(p.Channels)) {
			if name = src.Title; !whole {
				name += ", " + p.Name
			}
		}
		command.Parts = append(command.Parts, PartPlan{Name: name, Stem: first.Stem, Strand: first.Strand, Decided: first.Decided,
			Channels: p.Channels, Labels: p.Labels, Sum: p.Sum})
	}
	if choice.Together {
		command.Parts = together(command.Parts, src.Title)
	}
	return command, nil
}

// Cut gives the command that lays a take's channels as a cut list uses it: where and how much of it the caller says.
func Cut(r *Reel, src Source) (AddTake, error) {
	return unravel(r, src, Choice{Reuse: true}, placing.Proposal{})
}

// namesSidesAlone tells whether channels are named by nothing but the side that they are: then the take's name says what they are.
func (src Source) namesSidesAlone(channels []int) bool {
	if len(channels) < 2 {
		return false
	}
	for _, c := range channels {
		if _, side := layout.Label(src.Channels[c].Name); !side {
			return false
		}
	}
	return true
}

// together makes one loose part of all single channels, in the stem of the first. Bonded sets stay by themselves.
func together(parts []PartPlan, title string) []PartPlan {
	var loose PartPlan
	var bonded []PartPlan
	for _, p := range parts {
		if len(p.Channels) != 1 {
			bonded = append(bonded, p)
			continue
		}
		if loose.Channels == nil {
			loose = PartPlan{Name: title, Stem: p.Stem, Decided: p.Decided}
		}
		loose.Channels, loose.Labels = append(loose.Channels, p.Channels[0]), append(loose.Labels, "M")
	}
	if loose.Channels == nil {
		return bonded
	}
	return append([]PartPlan{loose}, bonded...)
}
