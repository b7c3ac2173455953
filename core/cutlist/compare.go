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

// Compare works out how work that was done to the events before becomes work on the events after: the stretches of the
// old cut that are still there, with how far each moves, and what is new. An event is known again by its source.
func Compare(before, after []Event, rate timecode.Rate, sampleRate int) (pieces []reel.Piece, differences []Difference, fresh []Event) {
	type meet struct {
		old, now int
		from, to int64 // on the source's clock
		by       int64
	}
	var meets []meet
	byKey := map[string][]int{}
	for i, o := range before {
		byKey[key(o)] = append(byKey[key(o)], i)
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
		pieces = append(pieces, reel.Piece{Span: was, By: m.by})
		if _, has := partner[m.now]; !has {
			partner[m.now] = m
		}
	}
	slices.SortFunc(pieces, func(a, b reel.Piece) int { return cmp.Compare(a.From, b.From) })
	for j, n := range after {
		m, known := partner[j]
		d := Difference{Title: n.Title(), From: n.From, To: n.To}
		switch {
		case !known:
			d.Kind, d.Words = New, "is new"
			fresh = append(fresh, n)
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
				fresh = append(fresh, part)
			}
		}
		differences = append(differences, d)
	}
	for i, o := range before {
		if len(usedOld[i]) == 0 {
			differences = append(differences, Difference{Gone, o.Title(), o.From, o.To, "is no longer in the cut"})
		}
	}
	slices.SortStableFunc(differences, func(a, b Difference) int { return cmp.Compare(a.From, b.From) })
	return pieces, differences, fresh
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
