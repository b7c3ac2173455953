package delivery

import (
	"math"
	"slices"
	"strings"

	"zestyloom/core/contract"
	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
)

// ranges works out which stretches of the reel are printed. It tells whether there is anything to print.
func (p *Plan) ranges(r *reel.Reel) bool {
	rate, sampleRate := r.Head.FrameRate, r.Head.SampleRate
	end := rate.SampleOf(rate.FrameAt(r.End()-1, sampleRate)+1, sampleRate) // up to a whole frame
	switch {
	case len(r.Clips) == 0:
		p.add(contract.Error, "empty", "There is nothing on this reel to print; unravel a take onto it first")
		return false
	case !slices.ContainsFunc(r.ClipList(), func(c reel.Clip) bool { return c.End() > r.Head.Start }):
		p.early(r)
		return false
	case end-r.Head.Start > maxHours*3600*int64(sampleRate):
		p.add(contract.Error, "length", "The reel is longer than %d hours, from %s to its last clip; find the clip that lies far out and move it",
			maxHours, p.StartTimecode)
		return false
	}
	asked := p.Asked.Range
	if len(asked) == 0 {
		asked = p.Spec.Programme.Range
	}
	if len(asked) == 0 {
		asked = []string{"reel"}
	}
	for _, words := range asked {
		spans, err := rangesOf(r, words, end)
		if err != nil {
			p.add(contract.Error, "range", "%s", fault.Sentence(err))
			continue
		}
		for _, s := range spans {
			p.span(r, s)
		}
	}
	if len(p.Ranges) == 0 {
		return false
	}
	first, frames := p.Ranges[0], int64(0)
	p.Start, p.Frames = rate.Since(int64(first.Stamp)-first.Lead, sampleRate), first.Frames()
	p.StartTimecode = rate.LabelAt(int64(p.Start), sampleRate)
	for _, s := range p.Ranges {
		frames += rate.FrameAt(s.To+s.Tail, sampleRate) - rate.FrameAt(s.From-s.Lead, sampleRate)
	}
	p.Duration = rate.Label(frames)
	return true
}

// early says that all that lies on a reel lies before its start, and offers to start it there.
func (p *Plan) early(r *reel.Reel) {
	rate, sampleRate := r.Head.FrameRate, r.Head.SampleRate
	clips := r.ClipList()
	first, end := clips[0].Start, clips[0].End()
	for _, c := range clips {
		first, end = min(first, c.Start), max(end, c.End())
	}
	from := max(0, rate.SampleOf(rate.FrameAt(first, sampleRate), sampleRate))
	p.add(contract.Error, "before-start", "All of this reel lies before its start: its clips run from %s to %s, and it starts at %s",
		rate.LabelAt(from, sampleRate), rate.LabelAt(end, sampleRate), rate.LabelAt(r.Head.Start, sampleRate))
	c := reel.Send(reel.SetReel{Start: &from})
	p.offer(contract.Offer{Name: "Start the reel at " + rate.LabelAt(from, sampleRate), Command: &c})
}

// span adds a range with its handles and the signals around it.
func (p *Plan) span(r *reel.Reel, s PlannedRange) {
	rate, sampleRate := r.Head.FrameRate, r.Head.SampleRate
	handles := int64(p.Spec.Programme.Handles)
	s.First = s.From
	s.From = max(0, rate.SampleOf(rate.FrameAt(s.From, sampleRate)-handles, sampleRate))
	s.To = rate.SampleOf(rate.FrameAt(s.To, sampleRate)+handles, sampleRate)
	s.Stamp = r.Clock(s.From)
	for _, sig := range p.Spec.Programme.Lead {
		if at, err := contract.Signed(rate, sampleRate, s.First, sig.At); err == nil {
			s.Lead = max(s.Lead, s.From-at)
		}
	}
	end := rate.SampleOf(rate.FrameAt(s.To, sampleRate)-handles, sampleRate)
	for _, sig := range p.Spec.Programme.Tail {
		if at, err := contract.Signed(rate, sampleRate, end, sig.At); err == nil {
			s.Tail = max(s.Tail, at+sig.Length(rate, sampleRate)-s.To)
		}
	}
	p.Ranges = append(p.Ranges, s)
}

// rangesOf reads a range in words: reel, marks, mark NAME, or FROM–TO. Its errors are BadInput.
func rangesOf(r *reel.Reel, text string, end int64) ([]PlannedRange, error) {
	text = strings.TrimSpace(text)
	switch {
	case text == "reel":
		return []PlannedRange{{Name: "reel", From: r.Head.Start, To: end}}, nil
	case text == "marks":
		var spans []PlannedRange
		for _, m := range r.MarkList() {
			if m.Length > 0 {
				spans = append(spans, PlannedRange{Name: m.Name, From: m.At, To: m.At + m.Length})
			}
		}
		if len(spans) == 0 {
			return nil, fault.New(fault.BadInput, "No mark of this reel has a length; mark a range in the Loom first")
		}
		return spans, nil
	case strings.HasPrefix(text, "mark "):
		name := strings.TrimSpace(strings.TrimPrefix(text, "mark "))
		marks := r.MarkList()
		i := slices.IndexFunc(marks, func(m reel.Mark) bool { return strings.EqualFold(m.Name, name) && m.Length > 0 })
		if i < 0 {
			return nil, fault.New(fault.BadInput, "This reel has no mark called %q that has a length", name)
		}
		return []PlannedRange{{Name: marks[i].Name, From: marks[i].At, To: marks[i].At + marks[i].Length}}, nil
	}
	from, to, found := strings.Cut(strings.NewReplacer("—", "–", " - ", "–", "-", "–").Replace(text), "–")
	a, errA := r.Head.FrameRate.ParseSample(strings.TrimSpace(from), r.Head.SampleRate)
	b, errB := r.Head.FrameRate.ParseSample(strings.TrimSpace(to), r.Head.SampleRate)
	switch {
	case !found || errA != nil || errB != nil:
		return nil, fault.New(fault.BadInput, "%q is no range: say reel, marks, mark and its name, or two timecodes with a dash between", text)
	}
	begin, stop := r.At(a), r.At(b)
	switch {
	case stop <= begin:
		return nil, fault.New(fault.BadInput, "The range %s ends before it begins", text)
	case stop <= r.Head.Start || begin >= end:
		return nil, fault.New(fault.BadInput, "The range %s lies outside of the reel, which runs from %s to %s; all of it would be silent", text,
			r.Head.FrameRate.LabelAt(r.Head.Start, r.Head.SampleRate), r.Head.FrameRate.LabelAt(end, r.Head.SampleRate))
	}
	return []PlannedRange{{Name: strings.NewReplacer(":", "", ";", "").Replace(from + "-" + to), From: begin, To: stop}}, nil
}

// signals gives what stands around the programme of a range, in samples from the beginning of its files, at the reel's rate.
func (p Plan) signals(s PlannedRange, rate timecode.Rate) (list []placedSignal) {
	handles := int64(p.Spec.Programme.Handles)
	end := rate.SampleOf(rate.FrameAt(s.To, p.Rate)-handles, p.Rate)
	begin := s.From - s.Lead
	for from, signals := range map[int64][]contract.Signal{s.First: p.Spec.Programme.Lead, end: p.Spec.Programme.Tail} {
		for _, sig := range signals {
			if at, err := contract.Signed(rate, p.Rate, from, sig.At); err == nil {
				list = append(list, placedSignal{sig, at - begin, sig.Length(rate, p.Rate)})
			}
		}
	}
	slices.SortFunc(list, func(a, b placedSignal) int { return int(a.at - b.at) })
	return list
}

// placedSignal is a signal with its place in the file, in samples at the reel's rate.
type placedSignal struct {
	contract.Signal
	at, length int64
}

// add adds the signal to samples of a file that begin at a place of it.
func (s placedSignal) add(to []float64, at int64, rate int) {
	frequency := s.Tone + s.Pop // one of them
	level := math.Pow(10, s.Level/20)
	for i := max(0, s.at-at); i < min(int64(len(to)), s.at+s.length-at); i++ {
		to[i] += level * math.Sin(2*math.Pi*frequency*float64(at+i-s.at)/float64(rate))
	}
}
