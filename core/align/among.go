package align

import (
	"cmp"
	"context"
	"slices"

	"zestyloom/core/timecode"
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
	// alike is how strongly the shapes of two recordings of one moment agree where they lie, at the least: of noise none reaches it.
	alike = 6
)

// Among finds the candidate that a recording belongs to: by their shapes, and for the most alike sample by sample. index
// is −1 where none fits. A second candidate that fits too counts as runner-up, unless it is of the same moment, as another camera's
// movie is: then both say the same.
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
	fits := map[int]Match{}
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
		if !found.Matched {
			continue
		}
		fits[l.index] = found
		if found.Confidence > m.Confidence {
			index, m = l.index, found
		}
	}
	for other, found := range fits {
		if other != index && !sameMoment(candidates[index].Shape, candidates[other].Shape, m.OffsetSamples-found.OffsetSamples, shape.rate) {
			m.RunnerUp = max(m.RunnerUp, found.Confidence/m.Confidence)
		}
	}
	return index, m, nil
}

// sameMoment tells whether two candidates are themselves alike where a recording that both fit says that they lie: the second
// begins so many samples, at a rate, after the first.
func sameMoment(a, b *Shape, later int64, rate int) bool {
	near := timecode.Convert(later, rate, b.rate)
	coarse, ok := Coarsely(a, b, near, int64(b.rate)/4)
	return ok && coarse.Strength >= alike
}
