package correct

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/fault"
	"zestyloom/core/layout"
	"zestyloom/core/loudness"
	"zestyloom/core/reel"
)

func ptr(x float64) *float64 { return &x }

// whole measures a signal through curves.
func whole(rate int, l layout.Layout, signal [][]float64, c Curves) (loudness.Row, *loudness.Whole) {
	s := loudness.NewStream(rate, 4, l)
	const block = 4096
	for at := 0; at < len(signal[0]); at += block {
		part := make([][]float64, len(signal))
		for i := range part {
			part[i] = append([]float64(nil), signal[i][at:min(at+block, len(signal[i]))]...)
		}
		c.Apply(part, int64(at))
		s.Write(part)
	}
	row := s.End()
	return row, row.Whole(0, row.Hops(), loudness.Row{})
}

func brought(t testing.TB, rate int, signal [][]float64, to reel.Target) Result {
	l := layout.ForWidth(len(signal))
	row, w := whole(rate, l, signal, Curves{})
	got, err := To(context.Background(), row, w, to, nil, func(_ context.Context, c Curves) (*loudness.Whole, error) {
		_, after := whole(rate, l, signal, c)
		return after, nil
	})
	require.NoError(t, err)
	return got
}

// hard are programmes that are hard to bring anywhere.
func hard(rate, channels, seconds int) map[string][][]float64 {
	r := rand.New(rand.NewPCG(1, 2))
	n := rate * seconds
	fresh := func(f func(c, i int) float64) [][]float64 {
		out := make([][]float64, channels)
		for c := range out {
			out[c] = make([]float64, n)
			for i := range out[c] {
				out[c][i] = f(c, i)
			}
		}
		return out
	}
	return map[string][][]float64{
		"noise": fresh(func(int, int) float64 { return 0.05 * r.NormFloat64() }),
		"bursts": fresh(func(_, i int) float64 { // 20 ms, with silence between
			if i%(rate/2) > rate/50 {
				return 0
			}
			return 0.9 * math.Sin(float64(i)*0.3)
		}),
		"one loud channel": fresh(func(c, i int) float64 {
			if c == channels-1 {
				return 0.95 * math.Sin(float64(i)*0.11) * math.Abs(math.Sin(float64(i)/float64(rate)))
			}
			return 0.01 * r.NormFloat64()
		}),
		"an LFE at full scale": fresh(func(c, i int) float64 {
			if c == 3 {
				return math.Sin(float64(i) * 2 * math.Pi * 40 / float64(rate))
			}
			return 0.05 * r.NormFloat64() * math.Abs(math.Sin(float64(i)/float64(rate)/2))
		}),
		"close to half the rate": fresh(func(_, i int) float64 { // whose crests lie between the samples
			if i%(rate*2) < rate/10 {
				return 0.3 * math.Sin(math.Pi*0.97*float64(i))
			}
			return 0.004 * r.NormFloat64()
		}),
		"quiet, with clicks": fresh(func(_, i int) float64 {
			if i%(rate*3) == 1000 {
				return 0.8
			}
			return 0.004 * r.NormFloat64()
		}),
	}
}

// What is hard to bring to a loudness and below a ceiling is brought there, at every rate.
func TestLoudnessAndCeiling(t *testing.T) {
	for _, rate := range []int{44100, 48000, 96000} {
		for name, signal := range hard(rate, 6, 12) {
			if rate != 48000 && name != "bursts" {
				continue
			}
			for _, to := range []reel.Target{{Integrated: ptr(-23), TruePeak: ptr(-3)}, {Integrated: ptr(-16), TruePeak: ptr(-1)}} {
				if name == "an LFE at full scale" && *to.Integrated == -16 || name == "bursts" && *to.Integrated == -16 {
					continue // more than a limiter can do that is not heard
				}
				got := brought(t, rate, signal, to)
				what := fmt.Sprint(name, " at ", rate, " to ", *to.Integrated)
				assert.Empty(t, got.Missed, what)
				assert.InDelta(t, *to.Integrated, *got.After.IntegratedLUFS, 0.1, what)
				assert.LessOrEqual(t, *got.After.TruePeakMaxDBTP, *to.TruePeak, what)
			}
		}
	}
}

// Where the limits of short-term and momentary loudness and of the programme meter ask for it, the gain rides, no faster than it may.
func TestRides(t *testing.T) {
	const rate = 48000
	signal := [][]float64{make([]float64, 40*rate), make([]float64, 40*rate)}
	r := rand.New(rand.NewPCG(4, 4))
	for i := range signal[0] {
		gain := 0.03
		if at := i / rate; at >= 10 && at < 15 || at >= 30 && at < 31 {
			gain = 0.15
		}
		signal[0][i], signal[1][i] = gain*r.NormFloat64(), gain*r.NormFloat64()
	}
	for _, to := range []reel.Target{
		{Integrated: ptr(-23), TruePeak: ptr(-3), ShortTermMax: ptr(-18)},
		{Integrated: ptr(-23), TruePeak: ptr(-3), MomentaryMax: ptr(-17)},
		{Integrated: ptr(-23), PPMMax: ptr(4.5)},
	} {
		got := brought(t, rate, signal, to)
		assert.Empty(t, got.Missed)
		assert.InDelta(t, -23, *got.After.IntegratedLUFS, 0.1)
		require.NotEmpty(t, got.Ride)
		assert.Less(t, got.Works.RideMostDB, -1.0)
		for i, p := range got.Ride[1:] {
			before := got.Ride[i]
			assert.LessOrEqual(t, math.Abs(p.Value-before.Value)/(float64(p.At-before.At)/rate), rideDB*1.05, "dB a second")
		}
		assert.Less(t, len(got.Ride), 80, "a curve that people can change")
	}
	// A ride that somebody has drawn stays, and the limiter and the gain are worked out on it.
	drawn := []reel.Point{{At: 0, Value: 0}, {At: 20 * rate, Value: -6}}
	l := layout.ForWidth(2)
	row, w := whole(rate, l, signal, Curves{})
	got, err := To(context.Background(), row, w, reel.Target{Integrated: ptr(-20), TruePeak: ptr(-6)}, drawn,
		func(_ context.Context, c Curves) (*loudness.Whole, error) {
			_, after := whole(rate, l, signal, c)
			return after, nil
		})
	require.NoError(t, err)
	assert.Equal(t, drawn, got.Ride)
	assert.InDelta(t, -20, *got.After.IntegratedLUFS, 0.1)
	assert.LessOrEqual(t, *got.After.TruePeakMaxDBTP, -6.0)
}

// What can't be is said, and what is best of it is done; what holds no sound is refused.
func TestWhatCanNotBe(t *testing.T) {
	const rate = 48000
	signal := hard(rate, 2, 6)["noise"]
	got := brought(t, rate, signal, reel.Target{Integrated: ptr(-10), ShortTermMax: ptr(-20), TruePeak: ptr(-1)})
	require.Len(t, got.Missed, 1)
	assert.Contains(t, got.Missed[0], "instead of -10.0 LUFS")
	assert.LessOrEqual(t, *got.After.ShortTermMaxLUFS, -20+0.01, "what can be kept is")
	assert.Less(t, got.GainDB, 20.0, "and what can't is not chased")
	_, w := whole(rate, layout.ForWidth(1), [][]float64{make([]float64, rate)}, Curves{})
	_, err := To(context.Background(), loudness.Row{Rate: rate, Layout: layout.ForWidth(1)}, w, reel.Target{Integrated: ptr(-23)}, nil, nil)
	assert.Equal(t, fault.BadInput, fault.KindOf(err))
	signal[0][100] = math.NaN()
	row, w := whole(rate, layout.ForWidth(2), signal, Curves{})
	_, err = To(context.Background(), row, w, reel.Target{Integrated: ptr(-23)}, nil, nil)
	assert.ErrorContains(t, err, "no numbers")
}

// Parts through the same curves add up to the whole through them, to the last bits.
func TestPartsStillAddUp(t *testing.T) {
	const rate = 48000
	parts := [3][][]float64{}
	sum := [][]float64{make([]float64, 10*rate)}
	r := rand.New(rand.NewPCG(9, 9))
	for k := range parts {
		parts[k] = [][]float64{make([]float64, 10*rate)}
		for i := range parts[k][0] {
			parts[k][0][i] = 0.3 * r.NormFloat64() * math.Abs(math.Sin(float64(i*(k+1))/rate))
			sum[0][i] += parts[k][0][i]
		}
	}
	got := brought(t, rate, sum, reel.Target{Integrated: ptr(-14), TruePeak: ptr(-4)})
	assert.Positive(t, got.Works.Places)
	got.Apply(sum, 0)
	for k := range parts {
		got.Apply(parts[k], 0)
	}
	worst := 0.0
	for i := range sum[0] {
		worst = max(worst, math.Abs(sum[0][i]-parts[0][0][i]-parts[1][0][i]-parts[2][0][i]))
	}
	assert.Less(t, 20*math.Log10(worst), -290.0, "dBFS")
}

// A curve with few corners is nowhere above what it is made of, and nowhere much below.
func TestCorners(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 3))
	values := make([]float64, 3000)
	for i := range values {
		if r.IntN(90) == 0 {
			values[i] = -6 * r.Float64()
		}
	}
	slopes(values, 1.2, 0.05)
	points := corners(values, 64, 0.02)
	assert.Less(t, len(points), 600)
	w := walk{points: points}
	for i, v := range values {
		got := w.at(int64(i) * 64)
		assert.LessOrEqual(t, got, v+0.0011, "but for how finely it is written")
		assert.GreaterOrEqual(t, got, v-0.03)
	}
	assert.Nil(t, corners(make([]float64, 10), 64, 0.02))
	resting, at := 0, walk{points: points}
	for i, v := range values {
		if got := at.at(int64(i) * 64); v == 0 {
			assert.Zero(t, got, "at rest it does nothing")
			resting++
		}
	}
	assert.Positive(t, resting)
}

// Whatever was measured to be over is aimed at lower the next time, and counts more than loudness that is off.
func TestWhatIsOverIsAimedAtLower(t *testing.T) {
	w := func(i, tp, s, m, ppm float64) *loudness.Whole {
		return &loudness.Whole{Measurement: loudness.Measurement{IntegratedLUFS: &i, TruePeakMaxDBTP: &tp, ShortTermMaxLUFS: &s,
			MomentaryMaxLUFS: &m, PPMMax: &ppm}}
	}
	p := &problem{to: reel.Target{Integrated: ptr(-23), TruePeak: ptr(-1), ShortTermMax: ptr(-18), MomentaryMax: ptr(-15), PPMMax: ptr(6)}}
	for _, c := range []struct {
		measured *loudness.Whole
		want     margins
		off      bool
	}{
		{w(-23.02, -1.1, -18.1, -15.1, 5.9), margins{}, false},
		{w(-23.5, -1.1, -18.1, -15.1, 5.9), margins{loudness: 0.5}, true},
		{w(-23, -0.5, -18.1, -15.1, 5.9), margins{ceiling: 0.57}, true},
		{w(-23, -1.1, -17.8, -15.1, 5.9), margins{short: 0.21}, true},
		{w(-23, -1.1, -18.1, -14.5, 5.9), margins{momentary: 0.51}, true},
		{w(-23, -1.1, -18.1, -15.1, 6.5), margins{ppm: 0.51}, true},
	} {
		var m margins
		off := p.adjust(c.measured, &m)
		assert.Equal(t, c.off, off > 0)
		for _, pair := range [][2]float64{{c.want.loudness, m.loudness}, {c.want.ceiling, m.ceiling}, {c.want.short, m.short},
			{c.want.momentary, m.momentary}, {c.want.ppm, m.ppm}} {
			assert.InDelta(t, pair[0], pair[1], 1e-6)
		}
	}
	var m margins
	assert.Greater(t, p.adjust(w(-23, -0.5, -18.1, -15.1, 5.9), &m), p.adjust(w(-24, -1.1, -18.1, -15.1, 5.9), &m))
}
