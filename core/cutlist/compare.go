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
	m := newMatching(before, after)
	m.alike()
	for range rounds {
		if !m.round() {
			break
		}
	}
	c.Pieces = m.pieces
	slices.SortFunc(c.Pieces, func(a, b reel.Piece) int { return cmp.Compare(a.From, b.From) })
	for j, n := range after {
		first, known := m.partner[j]
		d := Difference{Title: n.Title(), From: n.From, To: n.To}
		switch {
		case !known:
			d.Kind, d.Words = New, "is new"
			c.Fresh = append(c.Fresh, n)
		case before[first.old].Found.Take == "":
			d.Kind, d.Words = New, "was not found before"
			c.Fresh = append(c.Fresh, n)
		default:
			o := before[first.old]
			var did []string
			if first.by != 0 {
				way := "later"
				if first.by < 0 {
					way = "earlier"
				}
				did = append(did, fmt.Sprintf("moved %s %s", frames(abs(first.by), rate, sampleRate), way))
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
			for _, gap := range uncovered(reel.Span{From: n.From, To: n.To}, m.usedNow[j]) {
				part := n
				part.From, part.To, part.SourceIn, part.Fade = gap.From, gap.To, n.SourceIn+gap.From-n.From, 0
				c.Fresh = append(c.Fresh, part)
			}
		}
		c.Differences = append(c.Differences, d)
	}
	for i, o := range before {
		c.Gone = append(c.Gone, uncovered(reel.Span{From: o.From, To: o.To}, m.usedOld[i])...)
		if len(m.usedOld[i]) == 0 {
			c.Differences = append(c.Differences, Difference{Gone, o.Event.Title(), o.From, o.To, "is no longer in the cut"})
		}
	}
	slices.SortStableFunc(c.Differences, func(a, b Difference) int { return cmp.Compare(a.From, b.From) })
	return c
}

// candidates is how many events of the old cut are weighed for one of the new at a time: a source that was cut thousands of
// times meets itself millions of times.
const (
	candidates = 64
	rounds     = 64 // for those whose candidates all went to others
)

// meet is what an old and a new event have of one source in common.
type meet struct {
	old, now int
	from, to int64 // on the source's clock
	by       int64 // how far it moves in the cut
}

// better puts what has most in common first; of equals, what moves least.
func better(a, b meet) int {
	return cmp.Or(cmp.Compare(b.to-b.from, a.to-a.from), cmp.Compare(abs(a.by), abs(b.by)), cmp.Compare(a.old, b.old),
		cmp.Compare(a.now, b.now))
}

// matching pairs stretches of an old cut with those of a new one.
type matching struct {
	before           []Entry
	after            []Event
	byKey            map[string][]int // the old events of a source, by where in it they begin
	usedOld, usedNow [][]reel.Span
	partner          map[int]meet // of a new event, the first that it was paired with
	pieces           []reel.Piece
}

func newMatching(before []Entry, after []Event) *matching {
	m := &matching{before: before, after: after, byKey: map[string][]int{}, usedOld: make([][]reel.Span, len(before)),
		usedNow: make([][]reel.Span, len(after)), partner: map[int]meet{}}
	for i, o := range before {
		m.byKey[key(o.Event)] = append(m.byKey[key(o.Event)], i)
	}
	for _, list := range m.byKey {
		slices.SortStableFunc(list, func(a, b int) int { return cmp.Compare(before[a].SourceIn, before[b].SourceIn) })
	}
	return m
}

// alike pairs events of one and the same stretch, where there are more of them than are weighed: those that stay where they
// are, and then the others in their order.
func (m *matching) alike() {
	type stretch struct {
		source     string
		in, length int64
		speed      float64
	}
	old, now := map[stretch][]int{}, map[stretch][]int{}
	for i, o := range m.before {
		s := stretch{key(o.Event), o.SourceIn, o.Length(), o.Speed}
		old[s] = append(old[s], i)
	}
	for j, n := range m.after {
		s := stretch{key(n), n.SourceIn, n.Length(), n.Speed}
		now[s] = append(now[s], j)
	}
	for s, olds := range old {
		news := now[s]
		if len(olds) <= candidates || len(news) <= candidates {
			continue
		}
		at := map[int64]int{}
		for _, i := range olds {
			at[m.before[i].From] = i
		}
		pair := func(i, j int) {
			m.pair(meet{i, j, s.in, s.in + s.length, m.after[j].From - m.before[i].From})
		}
		for _, j := range news {
			if i, stays := at[m.after[j].From]; stays {
				pair(i, j)
			}
		}
		olds = slices.DeleteFunc(olds, func(i int) bool { return len(m.usedOld[i]) > 0 })
		news = slices.DeleteFunc(news, func(j int) bool { return len(m.usedNow[j]) > 0 })
		for k := range min(len(olds), len(news)) {
			pair(olds[k], news[k])
		}
	}
}

// pair takes a meet, unless something of it has gone to another.
func (m *matching) pair(x meet) bool {
	was, is := m.spans(x)
	if overlaps(m.usedOld[x.old], was) || overlaps(m.usedNow[x.now], is) {
		return false
	}
	m.usedOld[x.old], m.usedNow[x.now] = append(m.usedOld[x.old], was), append(m.usedNow[x.now], is)
	m.pieces = append(m.pieces, reel.Piece{Span: was, By: x.by})
	if _, has := m.partner[x.now]; !has {
		m.partner[x.now] = x
	}
	return true
}

// round pairs what is free yet, the best first, and tells whether it found anything.
func (m *matching) round() bool {
	var meets []meet
	for j, n := range m.after {
		meets = append(meets, m.candidates(j, n)...)
	}
	slices.SortFunc(meets, better)
	found := false
	for _, x := range meets {
		found = m.pair(x) || found
	}
	return found
}

// candidates gives the best free meets of a new event.
func (m *matching) candidates(j int, n Event) []meet {
	var best []meet
	keep := func() {
		slices.SortFunc(best, better)
		best = best[:min(len(best), candidates)]
	}
	if len(uncovered(reel.Span{From: n.From, To: n.To}, m.usedNow[j])) == 0 {
		return nil
	}
	for _, i := range m.byKey[key(n)] {
		o := &m.before[i]
		if o.SourceIn >= n.SourceOut() {
			break
		}
		x := meet{i, j, max(o.SourceIn, n.SourceIn), min(o.SourceOut(), n.SourceOut()), (n.From - n.SourceIn) - (o.From - o.SourceIn)}
		if x.from >= x.to || o.Speed != n.Speed {
			continue
		}
		if len(best) >= candidates && better(best[candidates-1], x) < 0 {
			continue // the first so many are in order
		}
		if was, is := m.spans(x); overlaps(m.usedOld[i], was) || overlaps(m.usedNow[j], is) {
			continue
		}
		if best = append(best, x); len(best) == candidates || len(best) == 2*candidates {
			keep()
		}
	}
	keep()
	return best
}

// spans gives where a meet lies in the old cut and in the new.
func (m *matching) spans(x meet) (was, is reel.Span) {
	o, n := &m.before[x.old], &m.after[x.now]
	was = reel.Span{From: o.From + x.from - o.SourceIn, To: o.From + x.to - o.SourceIn}
	is = reel.Span{From: n.From + x.from - n.SourceIn, To: n.From + x.to - n.SourceIn}
	return was, is
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
