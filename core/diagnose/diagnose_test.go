package diagnose

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const rate = 48000

// voice is a signal of its own for each seed: noise that swells as speech does, low-passed, peaking near level.
func voice(seed uint64, seconds, level float64) []float64 {
	r := rand.New(rand.NewPCG(seed, 7))
	s := make([]float64, int(seconds*rate))
	y := 0.0
	for i := range s {
		t := float64(i)/rate + float64(seed)*0.71
		y += 0.2 * (r.Float64()*2 - 1 - y)
		s[i] = level * 1.5 * y * (0.02 + max(0, math.Sin(t*5))*max(0.2, math.Sin(t*0.9+float64(seed))))
	}
	return s
}

func noise(seed uint64, seconds, level float64) []float64 {
	r := rand.New(rand.NewPCG(seed, 9))
	s := make([]float64, int(seconds*rate))
	for i := range s {
		s[i] = level * (r.Float64()*2 - 1)
	}
	return s
}

func sum(parts ...[]float64) []float64 {
	s := make([]float64, len(parts[0]))
	for _, p := range parts {
		for i, x := range p {
			s[i] += x
		}
	}
	return s
}

func scaled(s []float64, gain float64) []float64 {
	out := slices.Clone(s)
	for i := range out {
		out[i] *= gain
	}
	return out
}

func sine(hz, seconds, level float64) []float64 {
	s := make([]float64, int(seconds*rate))
	for i := range s {
		s[i] = level * math.Sin(2*math.Pi*hz*float64(i)/rate)
	}
	return s
}

func analyse(channels ...[]float64) []Channel {
	a := New(rate, make([]string, len(channels)))
	for at := 0; at < len(channels[0]); at += 1000 {
		block := make([][]float64, len(channels))
		for c := range block {
			block[c] = channels[c][at:min(at+1000, len(channels[c]))]
		}
		a.Write(block)
	}
	return a.Findings()
}

func kinds(c Channel) []Kind {
	found := []Kind{}
	for _, f := range c.Findings {
		found = append(found, f.Kind)
	}
	return found
}

func TestKnownTruth(t *testing.T) {
	const seconds = 8
	boom, ines, tobiah := voice(1, seconds, 0.3), voice(2, seconds, 0.4), voice(3, seconds, 0.35)
	clipped := scaled(ines, 4)
	for i := range clipped {
		clipped[i] = max(-1, min(1, clipped[i]))
	}
	broken := slices.Clone(sum(boom, noise(8, seconds, 0.02)))
	clear(broken[100_000:100_200])
	clear(broken[200_000:200_050])
	ended := slices.Clone(sum(boom, noise(8, seconds, 0.02)))
	clear(ended[200_000:]) // ends: no dropout, for nothing follows
	for name, c := range map[string]struct {
		channels [][]float64
		want     [][]Kind
		with     []int // of the last finding of the last channel
		figure   float64
	}{
		"clean":            {[][]float64{boom, ines, tobiah}, [][]Kind{{}, {}, {}}, nil, 0},
		"digital silence":  {[][]float64{boom, make([]float64, len(boom))}, [][]Kind{{}, {Empty}}, nil, -200},
		"open input":       {[][]float64{boom, noise(5, seconds, 0.00003)}, [][]Kind{{}, {Empty}}, nil, -95},
		"copy":             {[][]float64{boom, ines, boom}, [][]Kind{{}, {}, {Copy}}, []int{1}, -200},
		"copy with a gain": {[][]float64{boom, sum(scaled(boom, 0.5), noise(5, seconds, 0.00001))}, [][]Kind{{}, {Copy}}, []int{1}, -70},
		"polarity":         {[][]float64{boom, ines, scaled(ines, -1)}, [][]Kind{{}, {}, {Polarity}}, []int{2}, -200},
		"mix": {[][]float64{boom, ines, tobiah, sum(scaled(boom, 0.6), scaled(ines, 0.5), scaled(tobiah, 0.3), noise(5, seconds, 0.0005))},
			[][]Kind{{}, {}, {}, {Mix}}, []int{1, 2, 3}, -40},
		"two mixes in front": {[][]float64{sum(scaled(boom, 0.6), scaled(ines, 0.5)), boom, ines, sum(scaled(boom, 0.3), scaled(ines, 0.7))},
			[][]Kind{{Mix}, {}, {}, {Mix}}, []int{2, 3}, -90},
		"low":     {[][]float64{boom, voice(4, seconds, 0.01)}, [][]Kind{{}, {Low}}, nil, -48},
		"clipped": {[][]float64{boom, clipped}, [][]Kind{{}, {Clipped}}, nil, math.NaN()},
		"hum": {[][]float64{boom, sum(ines, sine(50, seconds, 0.01), sine(100, seconds, 0.006), sine(150, seconds, 0.003))},
			[][]Kind{{}, {Hum}}, nil, -41.4},
		"hum at 60": {[][]float64{sum(scaled(ines, 0.3), sine(60, seconds, 0.02), sine(120, seconds, 0.01))}, [][]Kind{{Hum}}, nil,
			-36},
		"a low note is no hum":           {[][]float64{sum(sine(110, seconds, 0.1), sine(220, seconds, 0.05))}, [][]Kind{{}}, nil, 0},
		"rumble":                         {[][]float64{boom, sum(ines, rumbling(seconds, 0.01))}, [][]Kind{{}, {Rumble}}, nil, -40},
		"quiet rumble":                   {[][]float64{boom, sum(ines, rumbling(seconds, 0.0005))}, [][]Kind{{}, {}}, nil, 0},
		"a low note that comes and goes": {[][]float64{sum(ines, swelling(seconds))}, [][]Kind{{}}, nil, 0},
		"dropouts":                       {[][]float64{broken}, [][]Kind{{Dropout}}, nil, 2},
		"it just ends":                   {[][]float64{ended}, [][]Kind{{}}, nil, 0},
		"dc":                             {[][]float64{boom, sum(ines, scaled(make1(len(ines)), 0.01))}, [][]Kind{{}, {DC}}, nil, -40},
	} {
		t.Run(name, func(t *testing.T) {
			got := analyse(c.channels...)
			for i, ch := range got {
				require.Equal(t, c.want[i], kinds(ch), "channel %d: %+v", i+1, ch.Findings)
				for _, f := range ch.Findings {
					assert.NotEmpty(t, f.Message)
					assert.NotNil(t, f.With)
				}
			}
			if last := got[len(got)-1].Findings; len(last) > 0 {
				f := last[len(last)-1]
				if c.with != nil {
					assert.Equal(t, c.with, f.With)
				}
				if !math.IsNaN(c.figure) {
					assert.InDelta(t, c.figure, f.Figure, 6, f.Message)
				}
			}
		})
	}
}

// rumbling is steady sound below speech, of an RMS.
func rumbling(seconds, rms float64) []float64 {
	var lines [][]float64
	for hz := 14.0; hz < 38; hz *= 1.0973 {
		lines = append(lines, sine(hz, seconds, 1))
	}
	return scaled(sum(lines...), rms*math.Sqrt(2/float64(len(lines))))
}

// swelling is a low note for a third of each three seconds.
func swelling(seconds float64) []float64 {
	s := sine(35, seconds, 0.2)
	for i := range s {
		s[i] *= math.Max(0, 2*math.Sin(2*math.Pi*float64(i)/(3*rate))-1)
	}
	return s
}

func make1(n int) []float64 {
	s := make([]float64, n)
	for i := range s {
		s[i] = 1
	}
	return s
}

func TestLevels(t *testing.T) {
	got := analyse(sine(1000, 2, 0.5))
	assert.InDelta(t, -6.02, *got[0].PeakDBFS, 0.01)
	assert.InDelta(t, -9.03, *got[0].RMSDBFS, 0.01)
	assert.Nil(t, analyse(make([]float64, 1000))[0].PeakDBFS)
}

func TestGoertzel(t *testing.T) {
	s := sine(50, 1, 0.1)
	assert.InDelta(t, -23.01, decibels(goertzel(s, rate, 50)), 0.01, "0.1²/2")
	assert.Less(t, decibels(goertzel(s, rate, 57)), -80.0)
}

func TestWideTakes(t *testing.T) {
	var channels [][]float64
	for i := range 24 {
		channels = append(channels, voice(uint64(i+10), 3, 0.2))
	}
	channels = append(channels, channels[7])
	got := analyse(channels...)
	assert.Equal(t, []Kind{Copy}, kinds(got[24]))
	assert.Equal(t, []int{8}, got[24].Findings[0].With)
	for _, c := range got[:24] {
		assert.Empty(t, c.Findings, "channel %d", c.Index)
	}
}

func BenchmarkAnalyser8(b *testing.B) {
	a := New(rate, make([]string, 8))
	block := make([][]float64, 8)
	for c := range block {
		block[c] = voice(uint64(c), 1, 0.3)[:8192]
	}
	b.SetBytes(8 * 8192 * 3)
	for b.Loop() {
		a.Write(block)
	}
	b.ReportMetric(float64(b.N)*8192/rate/b.Elapsed().Seconds(), "x-realtime")
}
