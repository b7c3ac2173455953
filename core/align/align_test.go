package align

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/dsp"
	"zestyloom/core/take"
	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
)

const rate = 48000

// speech is noise whose level jumps about as syllables do.
func speech(seed uint64, seconds float64) []float64 {
	r := rand.New(rand.NewPCG(seed, 1))
	s := make([]float64, int(seconds*rate))
	level, y := 0.0, 0.0
	for i := range s {
		if i%2400 == 0 {
			level = []float64{0.002, 0.02, 0.1, 0.25}[r.IntN(4)]
		}
		y += 0.3 * (level*(r.Float64()*2-1) - y)
		s[i] = y
	}
	return s
}

// noisy adds independent noise at a signal-to-noise ratio in dB.
func noisy(s []float64, snr float64, seed uint64) []float64 {
	var power float64
	for _, x := range s {
		power += x * x
	}
	r := rand.New(rand.NewPCG(seed, 2))
	level := math.Sqrt(power/float64(len(s))*math.Pow(10, -snr/10)) * math.Sqrt(3)
	out := make([]float64, len(s))
	for i, x := range s {
		out[i] = x + level*(r.Float64()*2-1)
	}
	return out
}

// sped resamples as a clock does that is ppm off: sample i is taken at i·(1+ppm/10⁶), between samples by a cubic.
func sped(s []float64, ppm float64) []float64 {
	out := make([]float64, 0, len(s))
	for i := 0; ; i++ {
		at := float64(i) * (1 + ppm*1e-6)
		j := int(at)
		if j+2 >= len(s) {
			return out
		}
		if j < 1 {
			out = append(out, s[j])
			continue
		}
		t := at - float64(j)
		a, b, c, d := s[j-1], s[j], s[j+1], s[j+2]
		out = append(out, b+0.5*t*(c-a+t*(2*a-5*b+4*c-d+t*(3*(b-c)+d-a))))
	}
}

func file(t testing.TB, s ...[]float64) *wave.File {
	return wavetest.Open(t, wave.Header{Format: wavetest.PCM24(len(s)), Frames: int64(len(s[0]))}, func(c, i int) float64 { return s[c][i] })
}

func match(t testing.TB, reference, recording *wave.File) Match {
	m, err := Waveforms(context.Background(), reference, recording)
	require.NoError(t, err)
	return m
}

func TestExactAt20dB(t *testing.T) {
	scene := speech(1, 40)
	reference := file(t, noisy(scene, 20, 10))
	for _, start := range []int{0, 1, 4_321, 300_007, 900_000} {
		recording := file(t, noisy(scene[start:start+700_000], 20, 11))
		m := match(t, reference, recording)
		require.True(t, m.Matched)
		assert.EqualValues(t, start, m.OffsetSamples)
		assert.Zero(t, m.DriftPPM)
		assert.Greater(t, m.Confidence, 0.8)
		assert.Less(t, m.RunnerUp, 0.5)
		back := match(t, recording, reference)
		assert.EqualValues(t, -start, back.OffsetSamples, "the other way round")
	}
}

func TestWithinAMillisecondAt0dB(t *testing.T) {
	scene := speech(2, 40)
	m := match(t, file(t, noisy(scene, 0, 20)), file(t, noisy(scene[200_000:900_000], 0, 21)))
	require.True(t, m.Matched)
	assert.InDelta(t, 200_000, m.OffsetSamples, rate/1000)
}

func TestStrangersAreRefused(t *testing.T) {
	reference := file(t, speech(3, 30))
	for name, s := range map[string][]float64{
		"another scene": speech(4, 30),
		"silence":       make([]float64, 20*rate),
		"too short":     speech(3, 1),
	} {
		m := match(t, reference, file(t, s))
		assert.False(t, m.Matched, "%s: %+v", name, m)
		assert.Less(t, m.Confidence, 0.3, name)
	}
}

// C18. Recordings at any of the usual rates are lined up, each with one at its own and at another rate.
func TestEveryRate(t *testing.T) {
	scene := speech(8, 24)
	const start = 5 * rate
	at := func(hz, from int) *wave.File {
		s := scene[from:]
		if hz != rate {
			r := dsp.NewResampler(float64(rate) / float64(hz))
			out := make([]float64, r.Length(int64(len(s))))
			first, end := r.Span(0, len(out))
			in := make([]float64, end-first)
			copy(in[-first:], s)
			r.Block(out, 0, in, first)
			s = out
		}
		h := wave.Header{Format: wavetest.PCM24(1), Frames: int64(len(s))}
		h.SampleRate = hz
		return wavetest.Open(t, h, func(_, i int) float64 { return s[i] })
	}
	for _, pair := range [][2]int{{44100, 44100}, {88200, 88200}, {96000, 96000}, {192000, 192000}, {48000, 44100}, {44100, 48000},
		{96000, 48000}, {48000, 192000}, {88200, 96000}} {
		m := match(t, at(pair[0], 0), at(pair[1], start))
		require.True(t, m.Matched, "%v: %+v", pair, m)
		want := int64(start) * int64(pair[1]) / rate
		assert.InDelta(t, want, m.OffsetSamples, 1, "%v", pair)
		assert.Zero(t, m.DriftPPM, "%v", pair)
	}
	for _, hz := range []int{44100, 96000, 192000} {
		shape, err := ShapeOf(context.Background(), at(hz, 0))
		require.NoError(t, err)
		assert.Len(t, shape.values, 24*envelopeRate, "%d", hz)
	}
	d := func(hz int, start int64) take.Description {
		return take.Description{SampleRate: hz, StartSamples: &start}
	}
	offset, ok := Timecodes(d(44100, 3600*44100), d(48000, 3601*48000))
	assert.True(t, ok)
	assert.EqualValues(t, 48000, offset)
}

func TestDrift(t *testing.T) {
	scene := speech(5, 60)
	reference := file(t, noisy(scene, 20, 50))
	for _, ppm := range []float64{-120, -10, 3, 25, 80} {
		recording := file(t, noisy(sped(scene[240_000:], ppm), 20, 51))
		m := match(t, reference, recording)
		require.True(t, m.Matched, "%v ppm", ppm)
		assert.InDelta(t, ppm, m.DriftPPM, 0.5)
		assert.InDelta(t, 240_000, m.OffsetSamples, 2)
	}
}

// Two microphones in a room: another level, colour and delay, and several channels of which one is the other's.
func TestOtherMicrophones(t *testing.T) {
	scene, other := speech(6, 30), speech(7, 30)
	far := make([]float64, len(scene))
	y := 0.0
	for i := range far {
		y += 0.25 * (scene[i] - y)
		far[i] = 0.2 * y
		if i > 1500 {
			far[i] += 0.3 * far[i-1500]
		}
	}
	reference := file(t, noisy(far, 10, 60), noisy(far, 10, 61))
	recording := file(t, noisy(scene, 25, 62), noisy(other, 40, 63))
	m := match(t, reference, recording)
	require.True(t, m.Matched)
	assert.InDelta(t, 0, m.OffsetSamples, rate/1000)
}

func TestTimecodes(t *testing.T) {
	at := func(hours float64) take.Description {
		n := int64(hours * 3600 * rate)
		return take.Description{SampleRate: rate, StartSamples: &n}
	}
	for _, c := range []struct{ reference, recording, want float64 }{{10, 10.5, 0.5}, {10.5, 10, -0.5}, {23.75, 0.25, 0.5},
		{0.25, 23.75, -0.5}} {
		offset, ok := Timecodes(at(c.reference), at(c.recording))
		require.True(t, ok)
		assert.EqualValues(t, c.want*3600*rate, offset)
	}
	_, ok := Timecodes(at(1), take.Description{SampleRate: rate})
	assert.False(t, ok)
}

func TestStops(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	f := file(t, speech(8, 5))
	_, err := Waveforms(ctx, f, f)
	assert.ErrorIs(t, err, context.Canceled)
}

func BenchmarkWaveforms(b *testing.B) {
	scene := speech(9, 60)
	reference, recording := file(b, noisy(scene, 20, 1)), file(b, noisy(scene[200_000:], 20, 2))
	for b.Loop() {
		_, err := Waveforms(context.Background(), reference, recording)
		require.NoError(b, err)
	}
}

func TestCoarselyAroundATimecode(t *testing.T) {
	ctx := context.Background()
	scene := speech(12, 40)
	twice := append(append([]float64{}, scene[:15*rate]...), scene...) // the same words come two times
	ref, err := ShapeOf(ctx, file(t, twice))
	require.NoError(t, err)
	rec, err := ShapeOf(ctx, file(t, scene[2*rate:14*rate]))
	require.NoError(t, err)
	for _, near := range []int64{2 * rate, 17 * rate} {
		c, ok := Coarsely(ref, rec, near+rate, 2*rate)
		require.True(t, ok)
		assert.InDelta(t, near, c.Offset, rate/50)
	}
	free, ok := Coarsely(ref, rec, 0, -1)
	require.True(t, ok)
	assert.Greater(t, free.RunnerUp, 0.9, "it could be either place, and says so")
	flat, err := ShapeOf(ctx, file(t, make([]float64, 5*rate)))
	require.NoError(t, err)
	_, ok = Coarsely(ref, flat, 0, -1)
	assert.False(t, ok)
}

// candidates makes shapes of recordings.
func candidates(t testing.TB, files []*wave.File) []Candidate {
	var list []Candidate
	for _, f := range files {
		shape, err := ShapeOf(context.Background(), f)
		require.NoError(t, err)
		list = append(list, Candidate{Shape: shape, Within: -1, Open: func() (*wave.File, error) { return f, nil }})
	}
	return list
}

func TestAmong(t *testing.T) {
	ctx := context.Background()
	scenes := [][]float64{speech(31, 20), speech(32, 20), speech(33, 20)}
	references := candidates(t, []*wave.File{file(t, noisy(scenes[0], 20, 1)), file(t, noisy(scenes[1], 20, 2)),
		file(t, noisy(scenes[0][2*rate:], 20, 3))})
	look := func(x []float64) (int, Match) {
		f := file(t, x)
		shape, err := ShapeOf(ctx, f)
		require.NoError(t, err)
		index, m, err := Among(ctx, f, shape, references)
		require.NoError(t, err)
		return index, m
	}
	index, m := look(noisy(scenes[1][3*rate:15*rate], 20, 4))
	assert.Equal(t, 1, index)
	assert.EqualValues(t, 3*rate, m.OffsetSamples)
	assert.Less(t, m.RunnerUp, 0.8)
	index, m = look(noisy(scenes[0][4*rate:16*rate], 20, 5))
	assert.Contains(t, []int{0, 2}, index)
	assert.Less(t, m.RunnerUp, 0.8, "the other movie of the same moment is no rival")
	// The same words said again elsewhere are one: a movie that has the scene twice as late as another does not lie where that does.
	again := append(append([]float64{}, speech(34, 20)...), scenes[1]...)
	references = candidates(t, []*wave.File{file(t, noisy(scenes[1], 20, 6)), file(t, noisy(again, 20, 7)), file(t, noisy(speech(35, 20), 20, 8))})
	_, m = look(noisy(scenes[1][3*rate:15*rate], 20, 4))
	assert.Less(t, m.RunnerUp, 0.8, "two that lie where they are alike")
	assert.False(t, sameMoment(references[0].Shape, references[1].Shape, 0, rate), "alike elsewhere")
	assert.True(t, sameMoment(references[1].Shape, references[0].Shape, 20*rate, rate))
	assert.False(t, sameMoment(references[0].Shape, references[2].Shape, 0, rate), "not alike")
	index, _ = look(scenes[2])
	assert.Equal(t, -1, index)
}

// BenchmarkHundredAgainstHundred finds for each of 100 takes of four channels its movie among 100.
func BenchmarkHundredAgainstHundred(b *testing.B) {
	const count = 100
	var movies, takes []*wave.File
	for i := range uint64(count) {
		scene := speech(100+i, 24)
		movies = append(movies, file(b, noisy(scene, 20, i)))
		iso := noisy(scene[2*rate:20*rate], 25, 1000+i)
		takes = append(takes, file(b, noisy(iso, 10, 2000+i), iso, noisy(iso, 5, 3000+i), make([]float64, len(iso))))
	}
	for b.Loop() {
		references := candidates(b, movies)
		for i, f := range takes {
			shape, err := ShapeOf(context.Background(), f)
			require.NoError(b, err)
			index, m, err := Among(context.Background(), f, shape, references)
			require.NoError(b, err)
			require.Equal(b, i, index)
			require.EqualValues(b, 2*rate, m.OffsetSamples)
		}
	}
	b.ReportMetric(b.Elapsed().Seconds()/float64(b.N)/count, "s/take")
}

// A line said again is found where it is said: to the sample where it is the same sound, and where it was performed
// anew by how it rises and falls. Something else is not taken for it.
func TestFindLine(t *testing.T) {
	const rate = 48000
	line := speech(5, 2)
	take := func(at float64, said []float64, seed uint64) *wave.File {
		s := make([]float64, 8*rate)
		copy(s[int(at*rate):], said)
		return file(t, noisy(s, 25, seed))
	}
	own := take(3, line, 1)
	find := func(other *wave.File) (Line, bool) {
		l, ok, err := FindLine(t.Context(), own, 0, 3*rate, 2*rate, other, 0)
		require.NoError(t, err)
		return l, ok
	}
	l, ok := find(take(1.2345, line, 2))
	require.True(t, ok)
	assert.EqualValues(t, int(1.2345*rate), l.Offset)

	// Performed anew: the same loudness over time, on another voice.
	again := make([]float64, len(line))
	rnd := rand.New(rand.NewPCG(9, 9))
	level := 0.0
	for i, x := range line {
		level += (math.Abs(x) - level) * 0.002
		again[i] = level * 3 * (rnd.Float64()*2 - 1)
	}
	l, ok = find(take(4.5, again, 3))
	require.True(t, ok)
	assert.InDelta(t, 4.5*rate, l.Offset, 0.03*rate)

	for seed := range uint64(8) {
		if l, ok = find(file(t, noisy(speech(77+seed, 8), 25, seed))); ok {
			assert.Less(t, l.Confidence, 0.3, "eight seconds of other words")
		}
	}
	_, ok = find(file(t, make([]float64, 8*rate)))
	assert.False(t, ok, "silence")
}
