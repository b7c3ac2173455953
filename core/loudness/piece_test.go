package loudness

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/layout"
)

// pieces measures a signal piece by piece.
func pieces(rate int, l layout.Layout, signal [][]float64) Row {
	m, length, lead := NewPieceMeter(rate, 4, l), PieceFrames(rate), Lead(rate)
	row := Row{Rate: rate, Layout: l}
	charge := Empty(len(signal))
	for from := 0; from < len(signal[0]); from += length {
		n := min(length, len(signal[0])-from)
		block := make([][]float64, len(signal))
		for c := range block {
			block[c] = make([]float64, lead+n+Tail)
			for i := range block[c] {
				if at := from - lead + i; at >= 0 && at < len(signal[c]) {
					block[c][i] = signal[c][at]
				}
			}
		}
		p := m.Measure(block, lead, charge)
		charge = p.Charge
		row.Pieces = append(row.Pieces, p)
	}
	return row
}

// A stream makes the same pieces, whatever blocks come, also where the end is near the end of a piece.
func TestStreamsMakeTheSamePieces(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 9))
	for _, frames := range []int{1, 100, 96000, 96000 + 1, 96000 + Tail, 96000 + Tail + 1, 2*96000 - 1, 250000} {
		signal := programmeOf(48000, 2, float64(frames)/48000, 3)
		s := NewStream(48000, 4, layout.ForWidth(2))
		for at := 0; at < len(signal[0]); {
			n := min(1+r.IntN(20000), len(signal[0])-at)
			s.Write([][]float64{signal[0][at : at+n], signal[1][at : at+n]})
			at += n
		}
		assert.Equal(t, pieces(48000, layout.ForWidth(2), signal), s.End(), "%d", frames)
	}
}

// programmeOf is a signal that comes and goes, with peaks, silence and a lone channel.
func programmeOf(rate, channels int, seconds float64, seed uint64) [][]float64 {
	r := rand.New(rand.NewPCG(seed, 1))
	out := make([][]float64, channels)
	for c := range out {
		out[c] = make([]float64, int(seconds*float64(rate)))
		hz, gain := 50+r.Float64()*3000, 0.05+0.5*r.Float64()
		swing := 0.1 + 3*r.Float64()
		for i := range out[c] {
			t := float64(i) / float64(rate)
			out[c][i] = gain * (0.7*math.Sin(2*math.Pi*hz*t) + 0.3*r.NormFloat64()) * math.Abs(math.Sin(swing*t+float64(c)))
			if int(t*3)%7 == 5 {
				out[c][i] = 0
			}
		}
	}
	return out
}

// What pieces say together is what a meter says that has heard all of it at once, at every rate and in every layout.
func TestPiecesAreTheWhole(t *testing.T) {
	for _, rate := range []int{44100, 48000, 88200, 96000, 192000} {
		for _, width := range []int{1, 2, 6, 10} {
			if rate > 96000 && width > 2 {
				continue
			}
			l := layout.ForWidth(width)
			signal := programmeOf(rate, width, 9.37, uint64(rate+width))
			m := NewMeter(rate, l)
			m.Write(signal)
			want := m.Measurement()
			row := pieces(rate, l, signal)
			got := row.Whole(0, row.Hops(), Row{})
			name := fmt.Sprint(rate, " Hz, ", width)
			assert.InDelta(t, *want.IntegratedLUFS, *got.IntegratedLUFS, 0.001, name)
			assert.InDelta(t, *want.MomentaryMaxLUFS, *got.MomentaryMaxLUFS, 1e-6, name)
			assert.InDelta(t, *want.ShortTermMaxLUFS, *got.ShortTermMaxLUFS, 1e-6, name)
			assert.InDelta(t, *want.LoudnessRangeLU, *got.LoudnessRangeLU, 0.011, name)
			assert.InDelta(t, *want.TruePeakMaxDBTP, *got.TruePeakMaxDBTP, 1e-9, name)
			assert.InDelta(t, *want.PPMMax, *got.PPMMax, 0.02, name)
			for c := range width {
				assert.InDelta(t, *want.Channels[c].TruePeakDBTP, *got.Channels[c].TruePeakDBTP, 1e-9, name)
				assert.InDelta(t, *want.Channels[c].SamplePeakDBFS, *got.Channels[c].SamplePeakDBFS, 1e-9, name)
				assert.InDelta(t, *want.Channels[c].RMSDBFS, *got.Channels[c].RMSDBFS, 1e-6, name)
			}
		}
	}
}

// What charged a programme meter before a piece, and before what is read with it, still counts in it.
func TestProgrammeMeterGoesOnFromPieceToPiece(t *testing.T) {
	const rate = 48000
	x := make([]float64, 4*rate)
	tone := func(from, to, gain float64) {
		for i := int(from * rate); i < int(to*rate); i++ {
			x[i] = gain * math.Sin(2*math.Pi*5000*float64(i)/rate)
		}
	}
	tone(0.5, 1.65, 0.4)
	tone(2.001, 2.004, 0.6)
	m := NewMeter(rate, layout.ForWidth(1))
	m.Write([][]float64{x})
	row := pieces(rate, layout.ForWidth(1), [][]float64{x})
	assert.InDelta(t, *m.Measurement().PPMMax, *row.Whole(0, row.Hops(), Row{}).PPMMax, 0.02)
}

// Cells and hops hold the true peak of every sample in them.
func TestCellsHoldTheirPeaks(t *testing.T) {
	const rate = 48000
	signal := [][]float64{make([]float64, 3*rate)}
	for _, at := range []int{0, 63, 64, 700, rate * 2, rate*2 - 1, rate*3 - 1} {
		signal[0][at] = 0.9
	}
	row := pieces(rate, layout.ForWidth(1), signal)
	at := 0
	for _, p := range row.Pieces {
		for k, size := range p.Cells {
			for i := k * CellFrames; i < min((k+1)*CellFrames, int(p.Frames)); i++ {
				if signal[0][at+i] != 0 {
					assert.GreaterOrEqual(t, size.DB(), 20*math.Log10(0.9)-0.001, "%d", at+i)
					if h := i / HopFrames(rate); h < len(p.Peaks[0]) {
						assert.GreaterOrEqual(t, p.Peaks[0][h].DB(), 20*math.Log10(0.9)-0.001)
					}
				}
			}
		}
		assert.Equal(t, NoSize, p.Cells[len(p.Cells)/2], "and no more")
		at += int(p.Frames)
	}
}

func TestSizes(t *testing.T) {
	assert.Equal(t, Size(0), SizeOf(1))
	assert.Equal(t, NoSize, SizeOf(0))
	assert.Equal(t, Size(-602), SizeOf(0.5))
	assert.Equal(t, NoSize, SizeOf(math.NaN()))
}

// Runs of samples at full scale are counted once each, also where pieces meet.
func TestClippedRuns(t *testing.T) {
	const rate = 48000
	x := make([]float64, 4*rate+100)
	run := func(from, n int) {
		for i := range n {
			x[from+i] = 1
		}
	}
	run(500, 3)
	run(900, 2) // too short
	run(2*rate-4, 4)
	run(2*rate+10, 40)
	run(4*rate-2, 5)
	row := pieces(rate, layout.ForWidth(1), [][]float64{x})
	assert.EqualValues(t, 4, row.Whole(0, row.Hops(), Row{}).Details[0].Clipped)
}

// Fold-downs lose what they should: nothing of what is the same on both sides, 3 LU in mono of what is not alike, all of what is turned.
func TestWhatAFoldLoses(t *testing.T) {
	const rate = 48000
	r := rand.New(rand.NewPCG(5, 6))
	a, b := make([]float64, 4*rate), make([]float64, 4*rate)
	for i := range a {
		a[i], b[i] = 0.1*r.NormFloat64(), 0.1*r.NormFloat64()
	}
	turned := make([]float64, len(a))
	for i, x := range a {
		turned[i] = -x
	}
	for _, c := range []struct {
		right       []float64
		mono, alike float64
	}{{a, 0, 1}, {b, -3.01, 0}} {
		row := pieces(rate, layout.ForWidth(2), [][]float64{a, c.right})
		w := row.Whole(0, row.Hops(), Row{})
		require.NotNil(t, w.Folded)
		assert.InDelta(t, c.mono, *w.Folded.Mono, 0.1)
		assert.Nil(t, w.Folded.Stereo)
		assert.InDelta(t, c.alike, *w.Pairs[0].Correlation, 0.02)
		assert.InDelta(t, 0, *w.Pairs[0].BalanceDB, 0.1)
	}
	row := pieces(rate, layout.ForWidth(2), [][]float64{a, turned})
	w := row.Whole(0, row.Hops(), Row{})
	assert.Nil(t, w.Folded.Mono, "nothing is left")
	assert.InDelta(t, -1, *w.Pairs[0].Correlation, 1e-6)
	assert.InDelta(t, -1, *row.Lines(w, 0, 0, row.Hops(), 10).Correlation[3], 1e-6)
	five := layout.ForWidth(6)
	silent := make([]float64, len(a))
	row = pieces(rate, five, [][]float64{silent, silent, a, silent, silent, silent})
	w = row.Whole(0, row.Hops(), Row{})
	assert.InDelta(t, 0, *w.Folded.Stereo, 0.02, "the centre goes to both sides at −3 dB")
}

// What is heard live is measured as the same sound is in a file, whatever blocks come.
func TestLiveReadsAsAMeter(t *testing.T) {
	for _, rate := range []int{44100, 48000, 96000} {
		signal := programmeOf(rate, 6, 8, 4)
		live, m := NewLive(rate, layout.ForWidth(6)), NewMeter(rate, layout.ForWidth(6))
		assert.Equal(t, Reading{}, live.Reading(), "nothing has come")
		for at := 0; at < len(signal[0]); at += 1024 {
			block := make([][]float64, 6)
			for c := range block {
				block[c] = signal[c][at:min(at+1024, len(signal[c]))]
			}
			live.Write(block)
		}
		m.Write(signal)
		got, want := live.Reading(), m.Measurement()
		assert.InDelta(t, *want.IntegratedLUFS, *got.Integrated, 0.006)
		assert.InDelta(t, *want.TruePeakMaxDBTP, *got.TruePeak, 0.006)
		require.NotNil(t, got.Momentary)
		require.NotNil(t, got.ShortTerm)
	}
	one := NewLive(48000, layout.ForWidth(2))
	x := programmeOf(48000, 1, 1, 1)[0]
	turned := make([]float64, len(x))
	for i := range x {
		turned[i] = -x[i]
	}
	one.Write([][]float64{x, turned})
	assert.InDelta(t, -1, *one.Reading().Correlation, 1e-6)
}

// Places are where the limits are left, and nowhere else.
func TestPlaces(t *testing.T) {
	const rate = 48000
	signal := [][]float64{make([]float64, 30*rate), make([]float64, 30*rate)}
	for c := range signal {
		for i := range signal[c] {
			signal[c][i] = 0.05 * math.Sin(2*math.Pi*1000*float64(i)/rate)
		}
	}
	loud := func(from, to float64, gain float64, channels ...int) {
		for _, c := range channels {
			for i := int(from * rate); i < int(to*rate); i++ {
				signal[c][i] *= gain
			}
		}
	}
	loud(10, 14, 4, 0, 1)
	loud(20, 20.05, 15, 1)
	loud(24, 24.1, 0, 0)
	loud(26, 28, 0, 0, 1)
	row := pieces(rate, layout.ForWidth(2), signal)
	w := row.Whole(0, row.Hops(), Row{})
	limit := func(x float64) *float64 { return &x }
	kinds := func(list []Place) (out []string) {
		for _, p := range list {
			out = append(out, fmt.Sprintf("%s %.1f–%.1f %v", p.Kind, p.From, p.To, p.Channels))
		}
		return out
	}
	assert.Equal(t, []string{"short-term 8.1–15.9 []", "true peak 20.0–20.1 [R]", "dropout 24.0–24.1 [L]", "silence 26.0–28.0 []"},
		kinds(row.Places(w, 0, row.Hops(), Limits{ShortTermMax: limit(-18), TruePeak: limit(-3), Silence: 1})))
	assert.Equal(t, []string{"momentary 9.8–14.2 []", "momentary 19.6–20.4 []", "dropout 24.0–24.1 [L]"},
		kinds(row.Places(w, 0, row.Hops(), Limits{MomentaryMax: limit(-16)})))
	// What is measured of a part is measured of it alone.
	part := row.Whole(500, 900, Row{})
	assert.Less(t, *part.ShortTermMaxLUFS, -25.0)
	assert.InDelta(t, 20*math.Log10(0.05), *part.TruePeakMaxDBTP, 0.02)
	// At other gains short-term loudness is what it would be.
	lower := make([]float64, row.Hops())
	for h := range lower {
		lower[h] = -6
	}
	at, as := row.ShortTermAt(lower, 0, row.Hops(), 300), row.Lines(w, 0, 0, row.Hops(), 300).ShortTerm
	require.Len(t, at, len(as))
	for i := range as {
		if assert.Equal(t, as[i] == nil, at[i] == nil) && as[i] != nil {
			assert.InDelta(t, *as[i]-6, *at[i], 0.011)
		}
	}
	lines := row.Lines(w, 0, 0, row.Hops(), 300)
	assert.Len(t, lines.ShortTerm, 300)
	assert.Nil(t, lines.ShortTerm[10], "no three seconds have passed")
	assert.InDelta(t, *w.ShortTermMaxLUFS, *lines.ShortTerm[135], 0.05)
	assert.InDelta(t, *w.IntegratedLUFS, *lines.Integrated[299], 0.05)
}
