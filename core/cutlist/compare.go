package cutlist

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"zestyloom/core/reel"
	"zestyloom/core/timecode"
)

// Difference is what became of an event in a list that was changed.
type Difference struct {
	Kind  Kind   `json:"kind"`
	Title string `json:"title"`
	From  int64  `json:"from"` // where it lies now; where it lay, if it is gone
	To    int64  `json:"to"`
	Words string `json:"words"`
}

// Kind is what sort of a change a Difference is.
type Kind string

const (
	Same    Kind = "same"
	Moved   Kind = "moved"
	Trimmed Kind = "trimmed" // shorter or longer, wherever it lies
	Gone    Kind = "gone"
	New     Kind = "new"
)

// Changes is how one cut becomes another.
type Changes struct {
	Pieces      []reel.Piece // stretches of the old cut that are still there, with how far each moves
	Gone        []reel.Span  // stretches of it that are not
	Fresh       []Event      // what has to be laid: new events, those that were not found before, and what others grew by
	Differences []Difference // for people to read, by place
}

// Compare works out how work that was done to the entries before becomes work on the events after. An event is known
// again by its source.
func Compare(before []Entry, after []Event, rate timecode.Rate, sampleRate int) (c Changes) {
	type meet struct {
		old, now int
		from, to int64 // on the source's clock
		by       int64
	}
	var meets []meet
	byKey := map[string][]int{}
	for i, o := range before {
		byKey[key(o.Event)] = append(byKey[key(o.Event)], i)
	}
	for j, n := range after {
		for _, i := range byKey[key(n)] {
			o := before[i]
			from, to := max(o.SourceIn, n.SourceIn), min(o.SourceOut(), n.SourceOut())
			if from < to && o.Speed == n.Speed {
				meets = append(meets, meet{i, j, from, to, (n.From - n.SourceIn) - (o.From - o.SourceIn)})
			}
		}
	}
	// What has most in common goes together first; of equals, what moves least.
	slices.SortStableFunc(meets, func(a, b meet) int {
		return cmp.Or(cmp.Compare(b.to-b.from, a.to-a.from), cmp.Compare(abs(a.by), abs(b.by)))
	})
	usedOld, usedNow := map[int][]reel.Span{}, map[int][]reel.Span{}
	partner := map[int]meet{}
	for _, m := range meets {
		o, n := before[m.old], after[m.now]
		was := reel.Span{From: o.From + m.from - o.SourceIn, To: o.From + m.to - o.SourceIn}
		is := reel.Span{From: n.From + m.from - n.SourceIn, To: n.From + m.to - n.SourceIn}
		if overlaps(usedOld[m.old], was) || overlaps(usedNow[m.now], is) {
			continue
		}
		usedOld[m.old], usedNow[m.now] = append(usedOld[m.old], was), append(usedNow[m.now], is)
		c.Pieces = append(c.Pieces, reel.Piece{Span: was, By: m.by})
		if _, has := partner[m.now]; !has {
			partner[m.now] = m
		}
	}
	slices.SortFunc(c.Pieces, func(a, b reel.Piece) int { return cmp.Compare(a.From, b.From) })
	for j, n := range after {
		m, known := partner[j]
		d := Difference{Title: n.Title(), From: n.From, To: n.To}
		switch {
		case !known:
			d.Kind, d.Words = New, "is new"
			c.Fresh = append(c.Fresh, n)
		case before[m.old].Found.Take == "":
			d.Kind, d.Words = New, "was not found before"
			c.Fresh = append(c.Fresh, n)
		default:
			o := before[m.old]
			var did []string
			if m.by != 0 {
				way := "later"
				if m.by < 0 {
					way = "earlier"
				}
				did = append(did, fmt.Sprintf("moved %s %s", frames(abs(m.by), rate, sampleRate), way))
			}
			for _, e := range []struct {
				what string
				more int64
			}{{"start", o.SourceIn - n.SourceIn}, {"end", n.SourceOut() - o.SourceOut()}} {
				switch {
				case e.more > 0:
					did = append(did, fmt.Sprintf("%s longer at the %s", frames(e.more, rate, sampleRate), e.what))
				case e.more < 0:
					did = append(did, fmt.Sprintf("%s shorter at the %s", frames(-e.more, rate, sampleRate), e.what))
				}
			}
			d.Kind, d.Words = Same, "as it was"
			if len(did) > 0 {
				d.Words, d.Kind = strings.Join(did, ", "), Moved
				if o.SourceIn != n.SourceIn || o.SourceOut() != n.SourceOut() {
					d.Kind = Trimmed
				}
			}
			for _, gap := range uncovered(reel.Span{From: n.From, To: n.To}, usedNow[j]) {
				part := n
				part.From, part.To, part.SourceIn, part.Fade = gap.From, gap.To, n.SourceIn+gap.From-n.From, 0
				c.Fresh = append(c.Fresh, part)
			}
		}
		c.Differences = append(c.Differences, d)
	}
	for i, o := range before {
		c.Gone = append(c.Gone, uncovered(reel.Span{From: o.From, To: o.To}, usedOld[i])...)
		if len(usedOld[i]) == 0 {
			c.Differences = append(c.Differences, Difference{Gone, o.Event.Title(), o.From, o.To, "is no longer in the cut"})
		}
	}
	slices.SortStableFunc(c.Differences, func(a, b Difference) int { return cmp.Compare(a.From, b.From) })
	return c
}

func abs(n int64) int64 { return max(n, -n) }

func overlaps(list []reel.Span, s reel.Span) bool {
	return slices.ContainsFunc(list, func(x reel.Span) bool { return x.From < s.To && s.From < x.To })
}

// uncovered gives what of a span lies in none of the list.
func uncovered(s reel.Span, list []reel.Span) []reel.Span {
	list = slices.SortedFunc(slices.Values(list), func(a, b reel.Span) int { return cmp.Compare(a.From, b.From) })
	var out []reel.Span
	at := s.From
	for _, x := range list {
		if x.From > at {
			out = append(out, reel.Span{From: at, To: x.From})
		}
		at = max(at, x.To)
	}
	if at < s.To {
		out = append(out, reel.Span{From: at, To: s.To})
	}
	return out
}
