package align

import (
	"cmp"
	"context"
	"slices"

	"zestyloom/core/wave"
)

// Candidate is a reference that a recording may belong to.
type Candidate struct {
	Shape *Shape
	Open  func() (*wave.File, error) // called only where its shape is like enough
	// Near is where the recording is looked for, in samples from the candidate's start, give or take Within. A negative
	// Within means anywhere.
	Near, Within int64
}

const (
	// finely is how many of the best candidates are compared sample by sample.
	finely = 3
	// farBehind is how much less alike than the best a candidate is that is not worth it.
	farBehind = 0.5
)

// Among finds the candidate that a recording belongs to: by their shapes, and for the most alike sample by sample. index
// is −1 where none fits. A second candidate that fits too counts as runner-up.
func Among(ctx context.Context, recording *wave.File, shape *Shape, candidates []Candidate) (index int, m Match, err error) {
	type likely struct {
		index  int
		coarse Coarse
	}
	var list []likely
	for i, c := range candidates {
		if coarse, ok := Coarsely(c.Shape, shape, c.Near, c.Within); ok {
			list = append(list, likely{i, coarse})
		}
	}
	slices.SortStableFunc(list, func(a, b likely) int { return cmp.Compare(b.coarse.Strength, a.coarse.Strength) })
	index = -1
	second := 0.0
	for _, l := range list[:min(finely, len(list))] {
		if l.coarse.Strength < farBehind*list[0].coarse.Strength {
			break
		}
		reference, err := candidates[l.index].Open()
		if err != nil {
			return -1, Match{}, err
		}
		found, err := Finely(ctx, reference, recording, l.coarse)
		if err != nil {
			return -1, Match{}, err
		}
		switch {
		case !found.Matched:
		case found.Confidence > m.Confidence:
			second = max(second, m.Confidence)
			index, m = l.index, found
		default:
			second = max(second, found.Confidence)
		}
	}
	if index >= 0 {
		m.RunnerUp = max(m.RunnerUp, second/m.Confidence)
	}
	return index, m, nil
}
