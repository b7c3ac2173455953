package align

import (
	"cmp"
	"context"
	"math"
	"slices"

	"zestyloom/core/wave"
)

// Match says where a recording lies against a reference.
type Match struct {
	OffsetSamples int64   `json:"offsetSamples"` // of the recording; positive: it starts later than the reference
	OffsetSeconds float64 `json:"offsetSeconds"`
	Confidence    float64 `json:"confidence"`        // 0 to 1
	RunnerUp      float64 `json:"runnerUp"`          // how good the next best place is against the best, 0 to 1
	DriftPPM      float64 `json:"driftPPM"`          // positive: its clock runs slow, so that its places come ever later in the reference
	Matched       bool    `json:"matched"`           // false: the two do not belong together, or nothing tells
	Channel       int     `json:"channel,omitempty"` // of the recording, from 1, that was most like the reference; 0 where it was all of them added up
	Spot          int64   `json:"spot,omitempty"`    // middle of the window of the recording that fits best, in samples
	Windows       []Place `json:"-"`                 // what the drift was fitted to
}

// Place is where one window of the recording was found.
type Place struct {
	At       int64   // of its middle in the recording, in samples
	Offset   float64 // in samples
	Strength float64 // height of the correlation's peak, in its own standard deviations
}

const (
	// windows is how many are spread over what the two have in common.
	windows = 24
	// search is how far around the expected place a window is looked for, in seconds.
	search = 0.5
	// strong is the height of a peak that chance does not reach: the highest of 50000 random values lies at 4.5.
	strong = 7.5
	// quiet is the power below which a window is not looked at (−70 dBFS).
	quiet = 1e-7
	// least is the shortest recording that can be matched, in seconds.
	least = 1.5
	// steady is the drift below which clocks count as one, in ppm: less is within the error of short takes.
	steady = 0.5
)

// Waveforms lines a recording up with a reference by their sound: the reference's channels added up, against the channel
// of the recording that is most like them. A reference at another rate is compared at the recording's.
func Waveforms(ctx context.Context, reference, recording *wave.File) (Match, error) {
	refShape, err := ShapeOf(ctx, reference)
	if err != nil {
		return Match{}, err
	}
	recShape, err := ShapeOf(ctx, recording)
	if err != nil {
		return Match{}, err
	}
	coarse, ok := Coarsely(refShape, recShape, 0, -1)
	if !ok {
		return Match{}, nil
	}
	return Finely(ctx, reference, recording, coarse)
}

// Finely lines a recording up with a reference near the place that Coarsely found.
func Finely(ctx context.Context, reference, recording *wave.File, coarse Coarse) (Match, error) {
	rate := recording.SampleRate
	f := finder{ctx: ctx, reference: signalOf(reference, rate), recording: signalOf(recording, rate), rate: rate,
		correlator: newCorrelator(rate)}
	if float64(min(f.reference.frames, f.recording.frames)) < least*float64(rate) {
		return Match{}, nil
	}
	if ok, err := f.choose(coarse.Offset); err != nil || !ok {
		return Match{RunnerUp: coarse.RunnerUp}, err
	}
	looked, places, err := f.places(coarse.Offset)
	if err != nil {
		return Match{}, err
	}
	m := fit(places, looked, coarse.RunnerUp, rate)
	m.Channel = f.channel + 1
	if len(m.Windows) > 0 {
		m.Spot = slices.MaxFunc(m.Windows, func(a, b Place) int { return cmp.Compare(a.Strength, b.Strength) }).At
	}
	return m, nil
}

// fit makes a match of the places where windows were found: a line through them, robust against some being wrong.
func fit(places []Place, looked int, runnerUp float64, rate int) Match {
	m := Match{RunnerUp: runnerUp}
	if len(places) == 0 {
		return m
	}
	slope := theilSen(places)
	if math.Abs(slope)*1e6 > 2000 { // no two clocks are that far apart
		slope = 0
	}
	offset := median(each(places, func(p Place) float64 { return p.Offset - slope*float64(p.At) }))
	residuals := each(places, func(p Place) float64 { return math.Abs(p.Offset - offset - slope*float64(p.At)) })
	allowed := max(3, 4*median(residuals))
	if allowed > float64(rate)/500 { // 2 ms: beyond that the windows do not agree on anything
		return m
	}
	var agreed []Place
	for i, p := range places {
		if residuals[i] <= allowed {
			agreed = append(agreed, p)
		}
	}
	m.Windows = agreed
	m.DriftPPM, offset = refine(agreed, rate)
	m.OffsetSamples = int64(math.Round(offset))
	m.OffsetSeconds = offset / float64(rate)
	strength := median(each(agreed, func(p Place) float64 { return p.Strength }))
	m.Confidence = float64(len(agreed)) / float64(looked) * min(1, strength/(3*strong))
	// A few windows can't vouch for each other, so each must stand out all the more.
	m.Matched = 2*len(agreed) > len(places) && m.Confidence >= 0.1 && (len(agreed) >= 3 || strength >= 2*strong)
	if !m.Matched {
		m.Confidence = min(m.Confidence, 0.1)
	}
	return m
}

// refine fits a line by least squares, and drops the drift where the clocks are one.
func refine(places []Place, rate int) (driftPPM, offset float64) {
	var sx, sy, sxx, sxy float64
	n := float64(len(places))
	origin := float64(places[0].At)
	for _, p := range places {
		x := float64(p.At) - origin
		sx, sy, sxx, sxy = sx+x, sy+p.Offset, sxx+x*x, sxy+x*p.Offset
	}
	spread := n*sxx - sx*sx
	longEnough := len(places) >= 3 && math.Abs(float64(places[len(places)-1].At)-origin) >= 3*float64(rate)
	if spread > 0 && longEnough {
		slope := (n*sxy - sx*sy) / spread
		if math.Abs(slope)*1e6 >= steady {
			return slope * 1e6, (sy-slope*sx)/n - slope*origin
		}
	}
	return 0, median(each(places, func(p Place) float64 { return math.Round(p.Offset) }))
}
