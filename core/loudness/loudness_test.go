package loudness

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/layout"
)

// tone is a stretch of a 1 kHz sine in all of some channels.
type tone struct{ seconds, dBFS float64 }

// shortened are tones that last a part of the time.
func shortened(tones []tone, part float64) []tone {
	tones = slices.Clone(tones)
	for i := range tones {
		tones[i].seconds *= part
	}
	return tones
}

// measure measures tones as a file is measured, piece by piece and as it is heard, all of which have to say the same.
func measure(t testing.TB, l layout.Layout, rate int, levels func(channel int) []tone) Measurement {
	m, stream, live := NewMeter(rate, l), NewStream(rate, 4, l), NewLive(rate, l)
	var signal [][]float64
	for c := range l.Labels {
		var s []float64
		for _, p := range levels(c) {
			amp := math.Pow(10, p.dBFS/20)
			for range int(p.seconds * float64(rate)) {
				s = append(s, amp*math.Sin(2*math.Pi*1000*float64(len(s))/float64(rate)))
			}
		}
		signal = append(signal, s)
	}
	for at := 0; at < len(signal[0]); at += 1000 { // blocks that do not divide the windows
		block := make([][]float64, len(signal))
		for c := range block {
			block[c] = signal[c][at:min(at+1000, len(signal[c]))]
		}
		m.Write(block)
		stream.Write(block)
		live.Write(block)
	}
	got, row := m.Measurement(), stream.End()
	inPieces := row.Whole(0, row.Hops(), Row{})
	for _, other := range []*float64{inPieces.IntegratedLUFS, live.Reading().Integrated} {
		require.NotNil(t, other)
		assert.InDelta(t, *got.IntegratedLUFS, *other, 0.011)
	}
	assert.InDelta(t, *got.MomentaryMaxLUFS, *inPieces.MomentaryMaxLUFS, 1e-6)
	if got.ShortTermMaxLUFS != nil { // three seconds have passed
		assert.InDelta(t, *got.ShortTermMaxLUFS, *inPieces.ShortTermMaxLUFS, 1e-6)
		assert.InDelta(t, *got.LoudnessRangeLU, *inPieces.LoudnessRangeLU, 0.011)
	}
	return got
}

var stereo, _ = layout.New(layout.Stereo, "", 0)
var five1, _ = layout.New(layout.Five1, "", 0)

// rates are those that programmes come at.
var rates = []int{44100, 48000, 88200, 96000, 192000}

// Cases 1 to 6 of EBU Tech 3341 (integrated loudness), each within ±0.1 LU.
func TestTech3341Integrated(t *testing.T) {
	both := func(p ...tone) func(int) []tone { return func(int) []tone { return p } }
	for _, c := range []struct {
		name   string
		l      layout.Layout
		levels func(int) []tone
		want   float64
	}{
		{"1", stereo, both(tone{20, -23}), -23},
		{"2", stereo, both(tone{20, -33}), -33},
		{"3", stereo, both(tone{10, -36}, tone{60, -23}, tone{10, -36}), -23},
		{"4", stereo, both(tone{10, -72}, tone{10, -36}, tone{60, -23}, tone{10, -36}, tone{10, -72}), -23},
		{"5", stereo, both(tone{20, -26}, tone{20.1, -20}, tone{20, -26}), -23},
		{"6", five1, func(c int) []tone { return []tone{{20, []float64{-28, -28, -24, -200, -30, -30}[c]}} }, -23},
	} {
		for _, rate := range rates {
			part := 1.0
			if rate != 48000 { // a quarter of what the standard plays, for time's sake: their levels hold, and the gate takes the same
				part = 0.25
			}
			if part < 1 && c.name != "1" && c.name != "6" { // the long ones at one rate
				continue
			}
			got := measure(t, c.l, rate, func(channel int) []tone { return shortened(c.levels(channel), part) })
			require.NotNil(t, got.IntegratedLUFS)
			assert.InDelta(t, c.want, *got.IntegratedLUFS, 0.1, "case %s at %d", c.name, rate)
		}
	}
}

// Cases 1 to 4 of EBU Tech 3342 (loudness range), each within ±1 LU.
func TestTech3342Range(t *testing.T) {
	for i, c := range []struct {
		tones []tone
		want  float64
	}{
		{[]tone{{20, -20}, {20, -30}}, 10},
		{[]tone{{20, -20}, {20, -15}}, 5},
		{[]tone{{20, -40}, {20, -20}}, 20},
		{[]tone{{20, -50}, {20, -35}, {20, -20}, {20, -35}, {20, -50}}, 15},
	} {
		for _, rate := range rates {
			part := 1.0
			if rate != 48000 {
				part = 0.4
			}
			if part < 1 && i > 0 {
				continue
			}
			got := measure(t, stereo, rate, func(int) []tone { return shortened(c.tones, part) })
			assert.InDelta(t, c.want, *got.LoudnessRangeLU, 1, "case %d at %d", i+1, rate)
		}
	}
}

// Case 9 and 12 of Tech 3341: short-term and momentary maxima of a level that holds.
func TestMaxima(t *testing.T) {
	for _, rate := range rates {
		got := measure(t, stereo, rate, func(int) []tone { return []tone{{5, -40}, {3.1, -23}, {5, -40}} })
		assert.InDelta(t, -23, *got.ShortTermMaxLUFS, 0.1)
		assert.InDelta(t, -23, *got.MomentaryMaxLUFS, 0.1)
	}
}

func TestSilenceHasNoValues(t *testing.T) {
	m := NewMeter(48000, stereo)
	m.Write([][]float64{make([]float64, 48000*5), make([]float64, 48000*5)})
	got := m.Measurement()
	assert.Nil(t, got.IntegratedLUFS)
	assert.Nil(t, got.TruePeakMaxDBTP)
	assert.Nil(t, got.PPMMax)
	assert.Nil(t, got.LoudnessRangeLU)
	assert.Nil(t, got.Channels[0].RMSDBFS)
}

// Cases 15 to 19 of EBU Tech 3341: fs/4 and fs/6 sines whose samples miss their crests; true peak within +0.2/−0.4 dB.
func TestTech3341TruePeak(t *testing.T) {
	for _, c := range []struct{ divisor, phase, amp, want float64 }{
		{4, 0, 0.5, -6}, {4, 45, 0.5, -6}, {6, 60, 0.5, -6}, {8, 67.5, 0.5, -6}, {4, 45, 1.41, 3},
	} {
		m, live, stream := NewMeter(48000, layout.ForWidth(1)), NewLive(48000, layout.ForWidth(1)), NewStream(48000, 4, layout.ForWidth(1))
		s := make([]float64, 48000)
		for i := range s {
			// faded in and out, as the standard's signals are, so that no step overshoots
			fade := min(1, float64(i)/2400, float64(len(s)-i)/2400)
			s[i] = fade * c.amp * math.Sin(2*math.Pi*float64(i)/c.divisor+c.phase*math.Pi/180)
		}
		m.Write([][]float64{s})
		live.Write([][]float64{s})
		stream.Write([][]float64{s})
		row := stream.End()
		for _, got := range []*float64{m.Measurement().TruePeakMaxDBTP, live.Reading().TruePeak,
			row.Whole(0, row.Hops(), Row{}).TruePeakMaxDBTP} {
			assert.Less(t, *got, c.want+0.2, "fs/%v at %v°", c.divisor, c.phase)
			assert.Greater(t, *got, c.want-0.4, "fs/%v at %v°", c.divisor, c.phase)
		}
	}
}

// The shortcut that skips quiet stretches must not change the result, whatever the sound.
func TestTruePeakShortcut(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	for name, at := range map[string]func(i int) float64{
		"beats":          func(i int) float64 { return math.Sin(float64(i)*1.3) * math.Sin(float64(i)*0.0007) * 0.8 },
		"noise":          func(int) float64 { return r.Float64()*2 - 1 },
		"near half":      func(i int) float64 { return math.Sin(math.Pi*0.97*float64(i)) * 0.7 },
		"turning":        func(i int) float64 { return float64(1-2*(i%2)) * float64(1-2*(i/777%2)) * 0.5 },
		"high and quiet": func(i int) float64 { return 0.5*math.Sin(2.9*float64(i)) + 0.5*math.Sin(3.05*float64(i)) },
	} {
		s := make([]float64, 20000)
		for i := range s {
			s[i] = at(i)
		}
		for _, factor := range []int{4, 8} {
			some, all := NewBank(48000, factor, layout.ForWidth(1)), NewBank(48000, factor, layout.ForWidth(1))
			all.strips[0].margin = math.Inf(1) // every stretch is looked at
			for _, b := range []*Bank{some, all} {
				b.Write([][]float64{s})
			}
			assert.Equal(t, *all.Measurements()[0].TruePeakMaxDBTP, *some.Measurements()[0].TruePeakMaxDBTP, "%s, %d times", name, factor)
		}
	}
}

// C23. Tones up to 0.46 of the rate, whose samples miss their crests, read within +0.2/−0.4 dB at every usual rate.
func TestTruePeakOfHighTones(t *testing.T) {
	for _, rate := range []int{44100, 48000, 88200, 96000, 192000} {
		for _, share := range []float64{0.1, 0.25, 0.333, 0.4, 0.45, 0.46} {
			for phase := 0.0; phase < math.Pi; phase += math.Pi / 7 {
				m := NewMeter(rate, layout.ForWidth(1))
				s := make([]float64, 12000)
				for i := range s {
					fade := min(1, float64(i)/2400, float64(len(s)-i)/2400)
					s[i] = fade * 0.5 * math.Sin(2*math.Pi*share*float64(i)+phase)
				}
				m.Write([][]float64{s})
				got := *m.Measurement().TruePeakMaxDBTP
				assert.Less(t, got, -6.02+0.2, "%d Hz, %v of it", rate, share)
				assert.Greater(t, got, -6.02-0.4, "%d Hz, %v of it", rate, share)
			}
		}
	}
}

// C23. The programme meter reads a tone whose frequency divides the rate alike at every phase.
func TestProgrammeMeterBetweenSamples(t *testing.T) {
	for _, rate := range []int{44100, 48000, 88200, 96000, 192000} {
		for _, divisor := range []float64{3, 4, 6, 8, 16, 48} {
			for phase := 0.0; phase < math.Pi; phase += math.Pi / 8 {
				m, s := NewProgrammeMeters(rate, 1, TypeII), make([]float64, rate/2)
				for i := range s {
					s[i] = 0.5 * math.Sin(2*math.Pi*float64(i)/divisor+phase)
				}
				assert.InDelta(t, -6.02, m.Write([][]float64{s})[0], 0.4, "%d Hz, a %vth of it at %v", rate, divisor, phase)
			}
		}
	}
}

// C23. Cases 13 and 14 of Tech 3341: 400 ms of −23 LUFS, wherever they begin, have a momentary maximum of −23 ±0.1.
func TestTech3341MomentaryAnywhere(t *testing.T) {
	for _, rate := range []int{44100, 48000} {
		for i := range 20 {
			got := measure(t, stereo, rate, func(int) []tone { return []tone{{float64(i) * 0.02, -200}, {0.4, -23}, {1, -200}} })
			assert.InDelta(t, -23, *got.MomentaryMaxLUFS, 0.1, "13, file %d at %d", i+1, rate)
		}
	}
	for _, i := range []int{3, 11, 19} { // 14: each louder than what was before
		got := measure(t, stereo, 48000, func(int) []tone {
			var all []tone
			for n := range i + 1 {
				all = append(all, tone{float64(n) * 0.015, -200}, tone{0.4, -38 + float64(n)}, tone{0.8, -200})
			}
			return all
		})
		assert.InDelta(t, -38+float64(i), *got.MomentaryMaxLUFS, 0.1, "14, step %d", i+1)
	}
}

// The table of IEC 60268-10 type IIa: 5 kHz bursts below the steady reading, with its tolerances.
func TestQuasiPeakBursts(t *testing.T) {
	read := func(ms float64) float64 {
		s := make([]float64, int(ms*48))
		for i := range s {
			s[i] = math.Sin(2 * math.Pi * 5000 * float64(i) / 48000)
		}
		m := NewMeter(48000, layout.ForWidth(1))
		m.Write([][]float64{s})
		return (*m.Measurement().PPMMax-4)*4 - 18
	}
	assert.InDelta(t, 0, read(2000), 0.1, "a steady sine reads its peak")
	for _, c := range []struct{ ms, want, tolerance float64 }{{100, 0, 0.5}, {10, -2.5, 0.5}, {5, -4, 0.75}, {1.5, -9, 1}} {
		assert.InDelta(t, c.want, read(c.ms), c.tolerance, "%v ms", c.ms)
	}
}

// Blocks of any size, measured side by side or not, give the same figures to the last bit.
func TestBlocksDoNotMatter(t *testing.T) {
	signal := make([][]float64, 6)
	for c := range signal {
		signal[c] = make([]float64, 48000*4)
		for i := range signal[c] {
			signal[c][i] = 0.3 * math.Sin(float64(i)*0.01*float64(c+1)) * math.Sin(float64(i)*0.0001)
		}
	}
	var figures []Measurement
	for _, size := range []int{100, 4800, 5000, 192000} {
		m := NewMeter(48000, five1)
		for at := 0; at < len(signal[0]); at += size {
			block := make([][]float64, 6)
			for c := range block {
				block[c] = signal[c][at:min(at+size, len(signal[c]))]
			}
			m.Write(block)
		}
		figures = append(figures, m.Measurement())
	}
	for _, f := range figures[1:] {
		assert.Equal(t, figures[0], f)
	}
}

func TestProgrammeMeterFalls(t *testing.T) {
	m := NewProgrammeMeters(48000, 1, TypeII)
	s := make([]float64, 48000)
	for i := range s {
		s[i] = 0.5 * math.Sin(float64(i)*0.3)
	}
	assert.InDelta(t, -6.02, m.Write([][]float64{s})[0], 0.1)
	assert.InDelta(t, -6.02-24/2.8, m.Write([][]float64{make([]float64, 48000)})[0], 0.1, "24 dB in 2.8 s")
	assert.Equal(t, 6.0, PPM(-10))
}

// The table of IEC 60268-10 type I, with its tolerances, and its fall of 20 dB in 1.7 s, at all rates.
func TestQuasiPeakOfTypeI(t *testing.T) {
	for _, rate := range []int{44100, 48000, 88200, 96000, 192000} {
		burst := func(ms float64) [][]float64 {
			s := make([]float64, int(ms*float64(rate)/1000))
			for i := range s {
				s[i] = math.Sin(2 * math.Pi * 5000 * float64(i) / float64(rate))
			}
			return [][]float64{s}
		}
		read := func(ms float64) float64 {
			most, m := math.Inf(-1), NewProgrammeMeters(rate, 1, TypeI)
			s := append(burst(ms)[0], make([]float64, 100)...) // and what the filter still holds
			for i := range s {
				most = max(most, m.Write([][]float64{s[i : i+1]})[0])
			}
			return most
		}
		assert.InDelta(t, 0, read(400), 0.1, "a steady sine reads its peak, at %d", rate)
		for _, c := range []struct{ ms, want, tolerance float64 }{{10, -1, 0.5}, {5, -2, 1}, {3, -4, 1}, {0.4, -15, 4}} {
			assert.InDelta(t, c.want, read(c.ms), c.tolerance, "%v ms at %d", c.ms, rate)
		}
		m := NewProgrammeMeters(rate, 1, TypeI)
		m.Write(burst(400))
		assert.InDelta(t, -20, m.Write([][]float64{make([]float64, rate*17/10)})[0], 0.2, "20 dB in 1.7 s, at %d", rate)
	}
}

func BenchmarkMeter51(b *testing.B) {
	noise := rand.New(rand.NewPCG(1, 2))
	m := NewMeter(48000, five1)
	block := make([][]float64, 6)
	for c := range block {
		block[c] = make([]float64, 4800)
		for i := range block[c] {
			block[c][i] = noise.Float64()*2 - 1 // the hardest case: a peak may lie anywhere
		}
	}
	b.SetBytes(6 * 4800 * 3)
	for b.Loop() {
		m.Write(block)
	}
}
