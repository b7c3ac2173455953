package engine

import (
	"math"

	"zestyloom/core/chain"
	"zestyloom/core/reel"
)

// Taken collects how much the steps of a chain take away over a range, as they tell it.
type Taken struct {
	span  reel.Span
	every int64
	steps map[string][]float64 // the most of each bin; NaN where nothing was told
}

// NewTaken makes a collection over a range, in bins of so many samples.
func NewTaken(span reel.Span, every int64) *Taken {
	return &Taken{span: span, every: every, steps: map[string][]float64{}}
}

// Note takes what a step tells.
func (t *Taken) Note(step string, at int64, did chain.Did) {
	if at < t.span.From || at >= t.span.To || did.Hz != 0 || did.Repaired != 0 {
		return
	}
	bins, there := t.steps[step]
	if !there {
		bins = make([]float64, (t.span.To-t.span.From+t.every-1)/t.every)
		for i := range bins {
			bins[i] = math.NaN()
		}
		t.steps[step] = bins
	}
	i := (at - t.span.From) / t.every
	if math.IsNaN(bins[i]) || math.Abs(did.DB) > math.Abs(bins[i]) {
		bins[i] = did.DB
	}
}

// Bins gives what all steps come to in each bin, in dB: below 0 where they take away. A step stays where it was until it tells something else. There
// are none where no step tells anything.
func (t *Taken) Bins() []float64 {
	var sum []float64
	for _, bins := range t.steps {
		if sum == nil {
			sum = make([]float64, len(bins))
		}
		last := 0.0
		for i, dB := range bins {
			if !math.IsNaN(dB) {
				last = dB
			}
			sum[i] += last
		}
	}
	return sum
}
