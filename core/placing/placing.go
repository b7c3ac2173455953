// Package placing says where files belong on a reel, by what evidence, how sure that is, and what speaks against it. Whatever lays
// anything on a reel asks it: a file lands at the same place by every way in.
package placing

import (
	"fmt"
	"slices"

	"zestyloom/core/timecode"
)

// Kind is what a place is known by.
type Kind string

const (
	Word    Kind = "word"    // the user has said so
	Picture Kind = "picture" // it is of the same file as the reel's picture
	Tied    Kind = "tie"     // it is tied to something whose place is known
	Stamp   Kind = "stamp"   // its own time stamp
	Nothing Kind = "nothing" // nothing tells: the start of the reel
)

// File is what has to be known of a file to place it.
type File struct {
	ID     string
	Title  string
	Rate   int               // Hz
	Frames int64             // sample frames
	Stamp  *timecode.Reading // at Rate; nil where it has none
	Wild   bool              // recorded without picture, so that its stamp tells when it was recorded and not where it belongs
	Roll   string
	Of     string // the same for all streams of one file, which begin together; empty where it is not known
	Tie    *Tie
	Word   *int64 // place on the reel that the user has given, in samples at the reel's rate
}

// Tie says that a file lies against another.
type Tie struct {
	To     File
	Offset int64   // samples at the file's own rate from the first of To to its own first; positive: it starts later
	Sure   float64 // 0 to 1
	Words  string  // by what it was found, such as "by its sound"
}

// Reel is what has to be known of a reel to place anything on it. All places are in samples at Rate from the midnight before
// its start.
type Reel struct {
	Rate    int // Hz
	Frame   timecode.Rate
	Start   int64
	End     int64      // of what lies on it; Start where nothing does
	Picture *Laid      // its reference movie
	Laid    []Interval // where something lies, in any order
	Free    bool       // nothing lies on it and its start was not chosen, so that it starts where its material does
}

// Laid is a file that lies on the reel.
type Laid struct {
	ID, Of string
	At     int64
}

// Interval is from a sample to another, that one not included.
type Interval struct{ From, To int64 }

// Evidence is a place and what it is known by.
type Evidence struct {
	Kind  Kind    `json:"kind"`
	At    int64   `json:"at"`    // place on the reel, samples at its rate
	Sure  float64 `json:"sure"`  // 0 to 1
	Words string  `json:"words"` // as it is said to the user
}

// Proposal is where a file belongs.
type Proposal struct {
	File string `json:"file"`
	At   int64  `json:"at"` // as By has it
	// Length is that of the file at the reel's rate, in samples.
	Length  int64      `json:"length"`
	By      Evidence   `json:"by"`      // the strongest
	Others  []Evidence `json:"others"`  // what else there is, the stronger first
	Against []string   `json:"against"` // what speaks against the place, in sentences
	Ask     bool       `json:"ask"`     // so much does that nobody should lay it there without having been asked
}

// Disagrees is how far two evidences of one file may lie apart before it is said, in seconds: clocks of recorders and cameras
// that are not locked differ by less within a day.
const Disagrees = 2

// Lonely is how far from all else something may lie before it is asked about, in seconds.
const Lonely = 3600

// deepest is how many ties are followed, one after another; more would be a circle.
const deepest = 32

// Propose says for each file where it belongs on a reel, in the order of the files. Where the reel is free it starts as Begin says,
// which is its second result; else that is the reel's start.
func Propose(files []File, r Reel) ([]Proposal, int64) {
	if r.Free {
		r.Start = Begin(files, r)
		r.End = r.Start
	}
	list := make([]Proposal, len(files))
	for i, f := range files {
		found := f.evidence(r)
		p := Proposal{File: f.ID, At: found[0].At, By: found[0], Others: found[1:], Against: []string{},
			Length: timecode.Convert(f.Frames, f.Rate, r.Rate)}
		p.disagree(r)
		list[i] = p
	}
	neighbours(list, r)
	rolls(files, list, r)
	return list, r.Start
}

// evidence gives all that tells where a file belongs, the strongest first; there is always something.
func (f File) evidence(r Reel) (found []Evidence) {
	if f.Word != nil {
		found = append(found, Evidence{Word, *f.Word, 1, "as you say"})
	}
	if p := r.Picture; p != nil && (p.ID == f.ID || p.Of != "" && p.Of == f.Of) {
		found = append(found, Evidence{Picture, p.At, 1, "it is the sound of the reel’s picture"})
	}
	if f.Tie != nil {
		if at, known := f.tied(r, 0); known {
			found = append(found, Evidence{Tied, at, f.Tie.Sure, fmt.Sprintf("tied to %s %s", f.Tie.To.Title, f.Tie.Words)})
		}
	}
	if at, known := f.stamped(r); known {
		found = append(found, Evidence{Stamp, at, 0.9, "its time stamp"})
	}
	if len(found) == 0 {
		words := "nothing tells; the start of the reel"
		if f.Wild && f.Stamp != nil {
			words = "a wild track has no place by the clock; the start of the reel"
		}
		found = []Evidence{{Nothing, r.Start, 0, words}}
	}
	return found
}

// tied gives the place of a file by its tie.
func (f File) tied(r Reel, depth int) (at int64, known bool) {
	if depth == deepest || f.Rate <= 0 {
		return 0, false
	}
	offset, to := timecode.Convert(f.Tie.Offset, f.Rate, r.Rate), f.Tie.To
	switch p := r.Picture; {
	case p != nil && (p.ID == to.ID || p.Of != "" && p.Of == to.Of):
		return p.At + offset, true
	case to.Tie != nil:
		if at, known = to.tied(r, depth+1); known {
			return at + offset, true
		}
	}
	at, known = to.stamped(r)
	return at + offset, known
}

// stamped gives the place of a file by its own time stamp.
func (f File) stamped(r Reel) (at int64, known bool) {
	if f.Stamp == nil || f.Wild || f.Rate <= 0 {
		return 0, false
	}
	return r.nearest(f.Stamp.Convert(f.Rate, r.Rate)), true
}

// At gives the place on the reel of a reading of the clock that somebody gives. A reel starts on some day, at its start, and may run
// over midnight: a reading is on the day on which it lies on the reel, else on that which brings it nearest to its start.
func (r Reel) At(clock timecode.Reading) int64 {
	at := r.nearest(clock)
	if later := at + r.Frame.Day(r.Rate); at < r.Start && later <= r.End {
		return later
	}
	return at
}

// nearest is the place of a reading on the day that brings it nearest to the reel's start. Where files belong goes by it alone: what
// lies on the reel already has no say in it, so that the order in which they are laid has none.
func (r Reel) nearest(clock timecode.Reading) int64 {
	at := r.Frame.Near(clock, r.Start, r.Rate)
	if at < 0 { // there is no day before the first
		at += r.Frame.Day(r.Rate)
	}
	return at
}

// OnTheClock is where a file belongs by a clock that counts so many frames, whichever reel it will lie on: samples at its own rate
// since midnight, less than 0 where it begins on the day before.
func OnTheClock(f File, frame timecode.Rate) (by Evidence, known bool) {
	if f.Rate <= 0 {
		return by, false
	}
	by = f.evidence(Reel{Rate: f.Rate, Frame: frame})[0]
	return by, by.Kind != Nothing
}

// Begin is where a reel starts that has nothing on it yet: with its picture, else with what is laid on it first, on a whole frame,
// or on the hour where that begins within a minute after it, as programmes do; where it starts anyway where nothing tells. Of
// readings on either side of midnight the first is that after the longest time in which nothing begins.
func Begin(files []File, r Reel) int64 {
	if r.Picture != nil {
		return r.frame(r.Picture.At)
	}
	var starts []int64 // readings of the clock
	bare := Reel{Rate: r.Rate, Frame: r.Frame}
	for _, f := range files {
		if e := f.evidence(bare)[0]; e.Kind != Nothing {
			starts = append(starts, int64(r.Frame.Since(e.At, r.Rate)))
		}
	}
	if len(starts) == 0 {
		return r.Start
	}
	slices.Sort(starts)
	first, longest := starts[0], starts[0]+r.Frame.Day(r.Rate)-starts[len(starts)-1]
	for i, at := range starts[1:] {
		if gap := at - starts[i]; gap > longest {
			first, longest = at, gap
		}
	}
	return r.hour(r.frame(first))
}

// hour is the whole hour of the clock before a place that lies within its first minute, else the place itself.
func (r Reel) hour(at int64) int64 {
	if !r.Frame.Valid() {
		return at
	}
	label := []byte(r.Frame.LabelAt(at, r.Rate))
	if len(label) < 11 {
		return at
	}
	copy(label[len(label)-9:], ":00:00:00")
	if r.Frame.Drop {
		label[len(label)-3] = ';'
	}
	hour, err := r.Frame.ParseSample(string(label), r.Rate)
	if err != nil || at-int64(hour) >= 60*int64(r.Rate) {
		return at
	}
	return int64(hour)
}

// frame is the last whole frame at or before a place.
func (r Reel) frame(at int64) int64 {
	if !r.Frame.Valid() {
		return at
	}
	return r.Frame.SampleOf(r.Frame.FrameAt(at, r.Rate), r.Rate)
}

// disagree says where other evidence puts the file elsewhere; who has said where it lies has seen that.
func (p *Proposal) disagree(r Reel) {
	if p.By.Kind == Word {
		return
	}
	for _, e := range p.Others {
		if by := e.At - p.At; by > Disagrees*int64(r.Rate) || by < -Disagrees*int64(r.Rate) {
			what := map[Kind]string{Picture: "The picture that it is of", Tied: "What it is tied to", Stamp: "Its time stamp"}[e.Kind]
			p.Against = append(p.Against, fmt.Sprintf("%s says %s, %s %s", what, r.label(e.At), span(by, r.Rate),
				map[bool]string{true: "later", false: "earlier"}[by > 0]))
		}
	}
}

// neighbours says what lies before the reel's start, or far from all else.
func neighbours(list []Proposal, r Reel) {
	for i := range list {
		p := &list[i]
		said := p.By.Kind == Word // who says so is told, and not asked
		if p.At < r.Start {
			p.Ask = !said
			p.Against = append(p.Against, fmt.Sprintf("It would lie %s before the reel starts, which is at %s", span(r.Start-p.At, r.Rate),
				r.label(r.Start)))
		}
		if by, far := p.apart(list, i, r); far {
			p.Ask = !said
			p.Against = append(p.Against, fmt.Sprintf("It would lie %s from all else on the reel", span(by, r.Rate)))
		}
	}
}

// apart is how far from all else on the reel a file lies, and whether that is far.
func (p *Proposal) apart(list []Proposal, index int, r Reel) (by int64, far bool) {
	least := int64(-1)
	meet := func(from, to int64) {
		d := max(from-(p.At+p.Length), p.At-to, 0)
		if least < 0 || d < least {
			least = d
		}
	}
	for i, o := range list {
		if i != index {
			meet(o.At, o.At+o.Length)
		}
	}
	for _, laid := range r.Laid {
		meet(laid.From, laid.To)
	}
	return least, least > Lonely*int64(r.Rate)
}

// rolls says where stamps have two files of one roll overlap: a recorder records one take at a time. Files that begin together
// are parts of one.
func rolls(files []File, list []Proposal, r Reel) {
	byRoll := map[string][]int{}
	for i, f := range files {
		if f.Roll != "" && list[i].By.Kind == Stamp {
			byRoll[f.Roll] = append(byRoll[f.Roll], i)
		}
	}
	for _, of := range byRoll {
		slices.SortStableFunc(of, func(a, b int) int { return int(min(1, max(-1, list[a].At-list[b].At))) })
		last := of[0]
		for _, i := range of[1:] {
			if a, b := &list[last], &list[i]; b.At != a.At && b.At < a.At+a.Length-int64(r.Rate) {
				b.Against = append(b.Against, fmt.Sprintf("By its time stamp it begins while %s of the same roll still runs", files[last].Title))
			}
			if list[i].At+list[i].Length > list[last].At+list[last].Length {
				last = i
			}
		}
	}
}

// label is a place as the reel's clock shows it.
func (r Reel) label(at int64) string {
	if !r.Frame.Valid() {
		return timecode.Clock(at, r.Rate)
	}
	return r.Frame.LabelAt(at, r.Rate)
}

// span is a length in words, rounded to what is of use.
func span(samples int64, rate int) string {
	if samples < 0 {
		samples = -samples
	}
	switch seconds := float64(samples) / float64(max(rate, 1)); {
	case seconds < 90:
		return fmt.Sprintf("%.1f s", seconds)
	case seconds < 90*60:
		return fmt.Sprintf("%.0f min", seconds/60)
	default:
		return fmt.Sprintf("%.1f h", seconds/3600)
	}
}
