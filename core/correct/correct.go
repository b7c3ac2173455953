package correct

import (
	"context"
	"fmt"
	"math"
	"slices"

	"zestyloom/core/fault"
	"zestyloom/core/loudness"
	"zestyloom/core/reel"
)

// Result is a correction with what it does.
type Result struct {
	Curves
	Before *loudness.Whole `json:"before"`
	After  *loudness.Whole `json:"after"`
	Works  Works           `json:"works"`
	Missed []string        `json:"missed"` // what could not be reached, in words
	Passes int             `json:"passes"` // how often it was measured
}

// Works is what the limiter and the ride do to the sound.
type Works struct {
	LimitedSeconds float64  `json:"limitedSeconds"` // that the limiter works
	LimitedSamples int64    `json:"limitedSamples"`
	MostDB         float64  `json:"mostDB"`      // that it takes away
	MostAt         int64    `json:"mostAt"`      // samples from the beginning
	Places         int      `json:"places"`      // where it works, with nothing of it in between
	RideMostDB     float64  `json:"rideMostDB"`  // that the ride takes away
	RideSeconds    float64  `json:"rideSeconds"` // that it is not at rest
	Limits         []Worked `json:"limits"`      // where, the most first, at most twenty
}

// Worked is a place where the limiter works.
type Worked struct {
	From   int64   `json:"from"` // samples from the beginning
	To     int64   `json:"to"`
	MostDB float64 `json:"mostDB"`
}

// Measure measures what comes of curves.
type Measure func(ctx context.Context, c Curves) (*loudness.Whole, error)

const (
	mostPasses = 7
	// near is how close to its target loudness is brought; a tenth is asked.
	near = 0.04 // LU
	// below is how far below its ceiling true peak is brought, since meters differ that oversample otherwise.
	below = 0.12 // dB
)

// To works out how a programme, which row and w are what was measured of, is brought to a target, and measures what comes of it until
// that is right. A ride that somebody has drawn stays as it is. A programme in which nothing is heard can't be brought anywhere:
// BadInput.
func To(ctx context.Context, row loudness.Row, w *loudness.Whole, to reel.Target, ride []reel.Point, measure Measure) (Result, error) {
	before := loudnessOf(w, to)
	if before == nil && to.Integrated != nil {
		return Result{}, fault.New(fault.BadInput, "Nothing in it is loud enough to be measured, so it can't be brought to a loudness")
	}
	if w.Unmeasured > 0 {
		return Result{}, fault.New(fault.BadInput, "%d samples in it are no numbers; nothing that is measured of it holds", w.Unmeasured)
	}
	p := newProblem(row, to, w)
	p.ride = ride
	m := margins{ceiling: below, short: 0.02, momentary: 0.02, ppm: 0.05}
	var best Result
	least := math.Inf(1)
	for pass := 1; pass <= mostPasses; pass++ {
		c := p.solve(m)
		after, err := measure(ctx, c)
		if err != nil {
			return Result{}, err
		}
		off := p.adjust(after, &m)
		if off < least {
			least = off
			best = Result{Curves: c, Before: w, After: after}
		}
		if best.Passes = pass; off == 0 {
			break
		}
	}
	best.Works = WorksOf(best.Curves, p.rate, p.frames)
	best.Missed = missed(best.After, to)
	return best, nil
}

func loudnessOf(w *loudness.Whole, to reel.Target) *float64 {
	if !to.Dialogue {
		return w.IntegratedLUFS
	}
	if w.Dialogue == nil {
		return nil
	}
	return w.Dialogue.LUFS
}

// adjust moves the margins by what was missed, and gives how much that was; 0 where all is right.
func (p *problem) adjust(after *loudness.Whole, m *margins) (off float64) {
	if now := loudnessOf(after, p.to); p.to.Integrated != nil && now != nil {
		by := *p.to.Integrated - *now
		if math.Abs(by) > near {
			off += math.Abs(by)
			m.loudness += max(-1, min(1, by))
		}
	}
	over := func(measured, limit *float64, below, weight float64, margin *float64) {
		if measured == nil || limit == nil {
			return
		}
		if by := *measured - (*limit - below); by > 0.005 {
			off += weight * by // a limit that is not kept is worse than loudness that is off
			*margin += by + 0.01
		}
	}
	over(after.TruePeakMaxDBTP, p.to.TruePeak, below/2, 10, &m.ceiling)
	over(after.ShortTermMaxLUFS, p.to.ShortTermMax, 0, 10, &m.short)
	over(after.MomentaryMaxLUFS, p.to.MomentaryMax, 0, 10, &m.momentary)
	over(after.PPMMax, p.to.PPMMax, 0, 40, &m.ppm)
	return off
}

// missed says what of a target was not reached.
func missed(after *loudness.Whole, to reel.Target) (list []string) {
	list = []string{}
	if now := loudnessOf(after, to); to.Integrated != nil && (now == nil || math.Abs(*now-*to.Integrated) > 0.1) {
		list = append(list, fmt.Sprintf("Integrated loudness is %s instead of %.1f LUFS; the other limits keep it there", words(now),
			*to.Integrated))
	}
	for _, l := range []struct {
		what, unit      string
		measured, limit *float64
	}{
		{"True peak", "dBTP", after.TruePeakMaxDBTP, to.TruePeak}, {"Short-term loudness", "LUFS", after.ShortTermMaxLUFS, to.ShortTermMax},
		{"Momentary loudness", "LUFS", after.MomentaryMaxLUFS, to.MomentaryMax}, {"The programme meter", "PPM", after.PPMMax, to.PPMMax},
	} {
		if l.limit != nil && l.measured != nil && *l.measured > *l.limit+0.01 {
			list = append(list, fmt.Sprintf("%s is %.2f %s, above %.1f", l.what, *l.measured, l.unit, *l.limit))
		}
	}
	return list
}

func words(x *float64) string {
	if x == nil {
		return "not measured"
	}
	return fmt.Sprintf("%.2f", *x)
}

// WorksOf says what curves do to a programme of so many frames, to within the points that they have.
func WorksOf(c Curves, rate int, frames int64) Works {
	w := Works{Limits: []Worked{}}
	var now *Worked
	for i, p := range c.Limit {
		if p.Value < w.MostDB {
			w.MostDB, w.MostAt = p.Value, p.At
		}
		rests := p.Value == 0
		if i > 0 && !(rests && c.Limit[i-1].Value == 0) {
			w.LimitedSamples += min(p.At, frames) - min(c.Limit[i-1].At, frames)
			if now == nil {
				w.Limits = append(w.Limits, Worked{From: c.Limit[i-1].At})
				now = &w.Limits[len(w.Limits)-1]
			}
			now.To, now.MostDB = min(p.At, frames), min(now.MostDB, p.Value)
		}
		if rests {
			now = nil
		}
	}
	w.Places = len(w.Limits)
	slices.SortStableFunc(w.Limits, func(a, b Worked) int {
		switch {
		case a.MostDB < b.MostDB:
			return -1
		case a.MostDB > b.MostDB:
			return 1
		}
		return 0
	})
	w.Limits = w.Limits[:min(len(w.Limits), 20)]
	w.LimitedSeconds = float64(w.LimitedSamples) / float64(rate)
	for i, p := range c.Ride {
		w.RideMostDB = min(w.RideMostDB, p.Value)
		if i > 0 && !(p.Value == 0 && c.Ride[i-1].Value == 0) {
			w.RideSeconds += float64(min(p.At, frames)-min(c.Ride[i-1].At, frames)) / float64(rate)
		}
	}
	return w
}
