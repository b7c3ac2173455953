package engine

import (
	"context"

	"zestyloom/core/chain"
	"zestyloom/core/fault"
	"zestyloom/core/reel"
)

// Recorded gives a range of frames of channels of a take, at most MostStretch seconds of it, and what steps make of it as if the take had been
// played from before: channels × frames each. told is told what the steps do within the range; nil where nobody asks.
func Recorded(ctx context.Context, take string, channels []int, steps []chain.Step, span reel.Span, open Opener,
	told func(step string, did chain.Did)) (before, after [][]float64, err error) {
	file, err := open(take)
	if err != nil {
		return nil, nil, err
	}
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
				told(step, did)
			}
		}
	}
	row, err := chain.Make(steps, asked)
	if err != nil {
		return nil, nil, err
	}
	src, late := &source{file: file}, int64(row.Latency())
	before, after = make([][]float64, len(channels)), make([][]float64, len(channels))
	for at := max(min(0, span.From), span.From-min(int64(row.Memory()), rollOn*rate)); at < span.To+late; {
		n := min(MaxBlock, span.To+late-at)
		block := make([][]float64, len(channels))
		for i, channel := range channels {
			block[i] = make([]float64, n)
			if err := src.samples(block[i], channel, at); err != nil {
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
