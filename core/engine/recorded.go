package engine

import (
	"context"

	"zestyloom/core/chain"
	"zestyloom/core/fault"
	"zestyloom/core/reel"
)

// Recording is channels of a take, from 0, that go through steps together, after treatments and after what each goes through alone.
type Recording struct {
	Take       string
	Channels   []int
	Treatments []chain.Treatment
	Alone      [][]chain.Step // of each channel; may be none
	Steps      []chain.Step
}

// Of gives a range of its frames, at most MostStretch seconds of it, and what the steps make of it as if the take had been played from before:
// channels × frames each. told is told what the steps do within the range, and where; nil where nobody asks.
func (r Recording) Of(ctx context.Context, span reel.Span, open Opener, told func(step string, at int64, did chain.Did)) (before,
	after [][]float64, err error) {
	file, err := open(r.Take)
	if err != nil {
		return nil, nil, err
	}
	channels := r.Channels
	rate, frames := int64(file.SampleRate), span.To-span.From
	if frames < 1 || frames > MostStretch*rate {
		return nil, nil, fault.New(fault.BadInput, "A stretch of up to %d seconds can be looked at", MostStretch)
	}
	asked := chain.Asked{Rate: float64(rate), Channels: len(channels)}
	if len(channels) > 1 {
		asked.Pairs = [][2]int{{0, 1}}
	}
	if told != nil {
		asked.Told = func(step string, at int64, did chain.Did) {
			if tells(at, did, span) {
				told(step, at, did)
			}
		}
	}
	row, err := chain.Make(r.Steps, asked)
	if err != nil {
		return nil, nil, err
	}
	from, late := reader((&source{file: file}).samples), int64(row.Latency())
	if len(r.Treatments) > 0 {
		t, err := newTreated(from, r.Treatments, file.SampleRate, 0, false)
		if err != nil {
			return nil, nil, err
		}
		from = t.samples
	}
	each := make([]reader, len(channels))
	for i, channel := range channels {
		if each[i] = from; i < len(r.Alone) && chain.Sounds(r.Alone[i]) {
			alone, err := newChained(from, []int{channel}, r.Alone[i], file.SampleRate, 0, false)
			if err != nil {
				return nil, nil, err
			}
			each[i] = func(x []float64, _ int, at int64) error { return alone.samples(x, 0, at) }
		}
	}
	before, after = make([][]float64, len(channels)), make([][]float64, len(channels))
	for at := max(min(0, span.From), span.From-min(int64(row.Memory()), rollOn*rate)); at < span.To+late; {
		n := min(MaxBlock, span.To+late-at)
		block := make([][]float64, len(channels))
		for i, channel := range channels {
			block[i] = make([]float64, n)
			if err := each[i](block[i], channel, at); err != nil {
				return nil, nil, fault.Wrap(fault.KindOf(err), err, "The take could not be read")
			}
			before[i] = append(before[i], ofSpan(block[i], at, span)...)
		}
		row.Process(block, at)
		for i := range block {
			after[i] = append(after[i], ofSpan(block[i], at-late, span)...)
		}
		at += n
		if ctx.Err() != nil {
			return nil, nil, fault.Wrap(fault.Cancelled, ctx.Err(), "Nobody waits for it any more")
		}
	}
	return before, after, nil
}

// tells tells whether what a step did at a place is of a range. The hum that was found last is, as it is looked for seldom.
func tells(at int64, did chain.Did, span reel.Span) bool {
	return at < span.To && (at >= span.From || did.Hz != 0)
}

// ofSpan gives what of samples that begin at a frame lies in a range.
func ofSpan(x []float64, at int64, span reel.Span) []float64 {
	n := int64(len(x))
	from, to := max(0, min(n, span.From-at)), max(0, min(n, span.To-at))
	return x[from:max(from, to)]
}
