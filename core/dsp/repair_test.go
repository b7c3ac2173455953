package dsp

import (
	"io"
	"math"
	"math/rand"
	"os"
	"slices"
	"testing"

	"github.com/mewkiz/flac"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// speech is what is said in the scenario, three seconds of every four, and silence between.
func speech(t *testing.T, rate float64, seconds int) []float64 {
	var said []float64
	for _, name := range []string{"ines-1", "tobiah-1", "narrator-pt", "ines-3", "narrator-en"} {
		f, err := os.Open("../../demo/voices/" + name + ".flac")
		require.NoError(t, err)
		defer f.Close()
		stream, err := flac.New(f)
		require.NoError(t, err)
		begun := false
		for {
			frame, err := stream.ParseNext()
			if err == io.EOF {
				break
			}
			require.NoError(t, err)
			for _, v := range frame.Subframes[0].Samples {
				if begun = begun || v > 500; begun {
					said = append(said, float64(v)/32768)
				}
			}
		}
	}
	x := make([]float64, seconds*48000)
	next := 0
	for i := range x {
		at := i % (4 * 48000)
		if at < 3*48000 {
			x[i] = said[next%len(said)] * min(1, float64(at)/500, float64(3*48000-at)/500)
			next++
		}
	}
	if rate == 48000 {
		return x
	}
	r := NewResampler(48000 / rate)
	out := make([]float64, int(rate)*seconds)
	for i := 0; i < len(out); i += 1000 {
		n := min(1000, len(out)-i)
		first, end := r.Span(int64(i), n)
		part := make([]float64, end-first)
		copy(part[max(0, -first):], x[max(0, first):min(int64(len(x)), end)])
		r.Block(out[i:i+n], int64(i), part, first)
	}
	return out
}

// mains is a series of tones whose frequency goes from one to another.
func mains(rate, from, to, level float64, n int) []float64 {
	x := make([]float64, n)
	phase := 0.0
	for i := range x {
		phase += 2 * math.Pi * (from + (to-from)*float64(i)/float64(n)) / rate
		for k := 1.0; k <= 8; k++ {
			x[i] += math.Pow(10, level/20) / k * math.Sin(k*phase+k*k)
		}
	}
	return x
}

func added(a, b []float64) []float64 {
	out := slices.Clone(a)
	for i := range out {
		out[i] += b[i]
	}
	return out
}

// through gives what a processor makes of a signal, brought back to its time.
func through(p Processor, x []float64) []float64 {
	out := append(slices.Clone(x), make([]float64, p.Latency())...)
	p.Process([][]float64{out}, 0)
	return out[p.Latency():]
}

// Hum is 30 dB down, wherever within 1 % it is and however it drifts, and speech is touched by less than 0.5 dB.
func TestHumGoes(t *testing.T) {
	for _, k := range []struct{ rate, nominal, from, to float64 }{
		{48000, 50, 49.55, 49.55}, {48000, 60, 60.1, 60.5}, {44100, 50, 50.45, 50.1},
	} {
		n := int(k.rate * 16)
		voice, hum := speech(t, k.rate, 16), mains(k.rate, k.from, k.to, -38, n)
		make := func() *Hum { return NewHum(k.rate, func(int64) Series { return Series{k.nominal, 10} }) }
		middle := func(x []float64) []float64 { return x[int(2*k.rate):int(14*k.rate)] }

		alone := through(make(), hum)
		assert.Less(t, rmsDB(middle(alone))-rmsDB(middle(hum)), -30.0, "%+v: hum alone", k)
		found := 0.0
		p := make()
		p.Found = func(at int64, f, _ float64) {
			if at <= int64(13*k.rate) {
				found = f
			}
		}
		both := through(p, added(voice, hum))
		assert.InDelta(t, k.to, found, 0.05)
		left := added(both, negated(voice)) // what the hum became, and what was done to the voice
		assert.Less(t, rmsDB(middle(left))-rmsDB(middle(hum)), -24.0, "%+v: under speech", k)
		pause := func(x []float64) []float64 { return x[int(7.3*k.rate):int(7.9*k.rate)] }
		assert.Less(t, rmsDB(pause(left))-rmsDB(pause(hum)), -30.0, "%+v: in a pause", k)
		// At the ends of a recording there is half a frame, or less.
		for name, ends := range map[string]func(x []float64) []float64{"beginning": func(x []float64) []float64 { return x[:int(2*k.rate)] },
			"end": func(x []float64) []float64 { return x[len(x)-int(2*k.rate):] }} {
			assert.Less(t, rmsDB(ends(alone))-rmsDB(ends(hum)), -28.0, "%+v: hum alone, at the %s", k, name)
			assert.Less(t, rmsDB(ends(left))-rmsDB(ends(hum)), -14.0, "%+v: under speech, at the %s", k, name)
		}
		clean := through(make(), voice)
		assert.InDelta(t, rmsDB(middle(voice)), rmsDB(middle(clean)), 0.1, "%+v: speech without hum", k)
		assert.Less(t, rmsDB(middle(added(clean, negated(voice))))-rmsDB(middle(voice)), -20.0)
	}
}

func negated(x []float64) []float64 {
	out := slices.Clone(x)
	for i := range out {
		out[i] = -out[i]
	}
	return out
}

// Steady noise goes by what was asked for where nothing is said, without single tones left over, and the voice stays.
func TestNoiseGoes(t *testing.T) {
	for _, rate := range []float64{44100, 48000, 96000} {
		voice := speech(t, rate, 12)
		rnd := rand.New(rand.NewSource(5))
		noise := make([]float64, len(voice))
		for i := range noise {
			noise[i] = 0.004 * rnd.NormFloat64()
		}
		for name, profile := range map[string][]float64{"learnt": Learn(rate, noise[:int(rate)]), "found": nil} {
			taken := 0.0
			p := NewNoise(rate, 1, profile, func(int64) float64 { return 12 })
			p.Taken = func(at int64, dB float64) {
				if second := float64(at) / rate; second > 7.4 && second < 7.9 {
					taken = dB
				}
			}
			out := through(p, added(voice, noise))
			pause := func(x []float64) []float64 { return x[int(7.4*rate):int(7.9*rate)] }
			assert.InDelta(t, -12, rmsDB(pause(out))-rmsDB(pause(noise)), 1.6, "%s, rate %g", name, rate)
			assert.InDelta(t, -12, taken, 2, "and says so")
			assert.Less(t, kurtosis(rate, pause(out)), kurtosis(rate, pause(noise))*1.35, "%s: no line of the spectrum sings", name)
			said := func(x []float64) []float64 { return x[int(4.05*rate):int(4.25*rate)] }
			assert.InDelta(t, rmsDB(said(voice)), rmsDB(said(out)), 0.5, "%s: the voice stays", name)
			before, after := rmsDB(said(noise)), rmsDB(said(added(out, negated(voice))))
			assert.Less(t, after, before+3, "%s: what is done to the voice is less than the noise was", name)
		}
	}
}

// kurtosis tells by how much single lines of the spectrum stand out over time: the mean of the fourth power over the square of that of the second.
func kurtosis(rate float64, x []float64) float64 {
	n := NoiseSize(rate)
	var second, fourth, count float64
	for at := 0; at+n <= len(x); at += n / 2 {
		for _, p := range Learn(rate, x[at:at+n])[n/64 : n/4] {
			second, fourth, count = second+p, fourth+p*p, count+1
		}
	}
	return fourth / count / (second / count * second / count)
}

// Clicks are found and what stood there is put back, and what is no click stays to the bit.
func TestClicksGo(t *testing.T) {
	for _, rate := range []float64{44100, 96000} {
		voice := speech(t, rate, 6)
		rnd := rand.New(rand.NewSource(7))
		broken := slices.Clone(voice)
		var at []int
		for k := range 20 {
			i := int(rate/4) + k*int(rate/4) + rnd.Intn(int(rate/10))
			at = append(at, i)
			switch k % 3 {
			case 0:
				broken[i] += 0.4
			case 1:
				broken[i], broken[i+1] = 0.5, -0.5
			default:
				for j := range int(rate / 1000) { // a millisecond of crackle
					broken[i+j] += 0.2 * (rnd.Float64() - 0.5)
				}
			}
		}
		p := func() *Click { return NewClick(rate, func(int64) Repair { return Repair{0.6, 4} }) }
		out := through(p(), broken)
		var worse, better [2]float64 // of clicks, and of crackle, which is noise where somebody speaks
		for k, i := range at {
			for j := i - 8; j < i+int(rate/500); j++ {
				worse[k%3/2] += (broken[j] - voice[j]) * (broken[j] - voice[j])
				better[k%3/2] += (out[j] - voice[j]) * (out[j] - voice[j])
			}
		}
		assert.Less(t, 10*math.Log10(better[0]/worse[0]), -36.0, "rate %g: clicks", rate)
		assert.Less(t, 10*math.Log10(better[1]/worse[1]), 0.0, "rate %g: crackle", rate)
		clean := through(p(), voice)
		changed := 0
		for i := range voice {
			if math.Abs(clean[i]-voice[i]) > 1e-9 {
				changed++
			}
		}
		assert.Less(t, float64(changed)/float64(len(voice)), 0.002, "rate %g: %d samples of a clean voice", rate, changed)
	}
}

// A match has the gains that it is given, and turns no phase; and one stretch gets the spectrum of another.
func TestMatches(t *testing.T) {
	for _, rate := range rates {
		m := NewMatch(rate, sloping())
		for k := 4; k < len(Thirds)-1; k += 5 {
			f := math.Round(Thirds[k])
			assert.InDelta(t, between(sloping(), f), measured(NewMatch(rate, sloping()), rate, f), 0.25, "%g Hz, rate %g", f, rate)
		}
		impulse := make([]float64, 3*m.size)
		impulse[m.size] = 1
		out := through(m, impulse)
		for i := 1; i < m.size/4; i++ {
			require.InDelta(t, out[m.size-i], out[m.size+i], 1e-12, "as much before as after")
		}
	}
	const rate = 48000
	x, like := noiseOf(4*rate, 1), noiseOf(4*rate, 2)
	NewFilter(1, []Section{HighShelf(rate, 3000, -9, 0.7), Bell(rate, 300, 5, 1)}).Process([][]float64{like}, 0)
	gains := MatchTo(Spectrum(rate, x), Spectrum(rate, like), 24)
	got, want := Spectrum(rate, through(NewMatch(rate, gains), x)), Spectrum(rate, like)
	for k := 6; k < len(Thirds); k++ {
		assert.InDelta(t, want[k], got[k], 0.5, "%g Hz", Thirds[k])
	}
}

func TestE1(t *testing.T) { // M. Abramowitz and I. Stegun, table 5.1
	for x, want := range map[float64]float64{0.5: 0.559773595, 1: 0.219383934, 2: 0.048900511, 0.01: 4.037929577} {
		assert.InDelta(t, want, exponential(x), 2e-4*want)
	}
}

// Hum is looked for at every rate, for any mains and any number of tones, whatever sizes that gives.
func TestHumOfAllSizes(t *testing.T) {
	for _, rate := range append(rates, 8000, 11025, 47952) {
		for k, s := range []Series{{50, 3}, {41.3, 7}, {60, 40}, {69.9, 1}} {
			if rate > 50_000 && k > 0 {
				continue
			}
			x := added(mains(rate, s.Frequency, s.Frequency, -40, int(3*rate)), noiseOf(int(3*rate), 1))
			for _, v := range through(NewHum(rate, func(int64) Series { return s }), x) {
				require.False(t, math.IsNaN(v) || math.Abs(v) > 10, "rate %g, %+v", rate, s)
			}
		}
	}
}
