package library

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"zestyloom/core/align"
	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/internal/store"
)

// Lender is a channel of another take from which a range can be borrowed.
type Lender struct {
	Take       string  `json:"take"`
	Title      string  `json:"title"`
	Note       string  `json:"note"`
	Circled    bool    `json:"circled"`
	Channel    int     `json:"channel"` // of the take, from 0
	Name       string  `json:"name"`    // of the channel
	Offset     int64   `json:"offset"`  // frame of the take that is to sound where the range begins
	Aligned    bool    `json:"aligned"` // found by its waveform; else it is as far into the take as in the original
	Confidence float64 `json:"confidence"`
}

// maxLenders bounds how many takes are listened to for one range.
const maxLenders = 24

// Lenders lists the takes from which a range (of the reel) of a clip's channel can be borrowed: other takes of its scene
// that have a channel of its name, and where there are none, of other scenes. Those where the line is found come first.
func (l Library) Lenders(ctx context.Context, r *reel.Reel, clip string, channel int, span reel.Span) ([]Lender, error) {
	c, ok := r.Clips[clip]
	if !ok || channel < 0 || channel >= len(c.Channels) {
		return nil, fault.New(fault.NotFound, "This channel is no longer on the reel")
	}
	from, to := max(span.From, c.Start), min(span.To, c.End())
	if to <= from {
		return nil, fault.New(fault.BadInput, "Choose a range on the channel first: drag over it")
	}
	own, err := l.Store.Take(ctx, c.Take)
	if err != nil {
		return nil, err
	}
	takes, err := l.Store.Takes(ctx, own.Production)
	if err != nil {
		return nil, err
	}
	label := own.Channels[c.Channels[channel]].Name
	list := candidates(own, takes, label, true)
	if len(list) == 0 {
		list = candidates(own, takes, label, false)
	}
	session := l.Session(ctx)
	defer session.Close()
	f, err := session.OpenTake(own)
	if err != nil {
		return nil, err
	}
	at := c.Frame(from)
	for i := range list {
		x := &list[i]
		other, err := session.Open(x.Take)
		if err != nil {
			return nil, err
		}
		line, found, err := align.FindLine(ctx, f, c.Channels[channel], at, to-from, other, x.Channel)
		if err != nil {
			return nil, err
		}
		if x.Offset = min(at, max(0, other.Frames-(to-from))); found {
			x.Offset, x.Aligned, x.Confidence = line.Offset, true, line.Confidence
		}
	}
	slices.SortStableFunc(list, func(a, b Lender) int {
		return cmp.Or(cmp.Compare(b.Confidence, a.Confidence), strings.Compare(a.Title, b.Title))
	})
	return list, nil
}

// candidates gives the channels of that name of other takes at the same rate, of the same scene or of any.
func candidates(own store.Take, takes []store.Take, label string, scene bool) []Lender {
	list := []Lender{}
	for _, t := range takes {
		d := t.Description
		if t.ID == own.ID || d.SampleRate != own.Description.SampleRate || scene && (d.Scene != own.Description.Scene || d.Scene == "") {
			continue
		}
		for i, ch := range t.Channels {
			if ch.Name == label && label != "" && !ch.Spare() && len(list) < maxLenders {
				list = append(list, Lender{Take: t.ID, Title: t.Title(), Note: d.Note, Circled: d.Circled, Channel: i, Name: ch.Name})
			}
		}
	}
	return list
}
