package take

import (
	"bytes"
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/fault"
	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
)

// A clock that runs 60 ppm slow writes a tone too high; undone, the tone is where a right clock would have put it.
func TestConvertUndoesDrift(t *testing.T) {
	const ppm, frames = 60.0, 3*blockFrames + 5
	w := 2 * math.Pi * 997 / 48000
	src := wavetest.Open(t, wave.Header{Format: wavetest.PCM24(2), Frames: frames, IXML: ixml(nil)}, func(c, i int) float64 {
		return 0.5 * math.Sin(w*float64(i)*(1+ppm*1e-6)+float64(c))
	})
	var out bytes.Buffer
	done := 0.0
	result, err := Convert(context.Background(), src, Describe(src, "x.wav"), Conversion{DriftPPM: ppm}, &out, func(share float64) { done = share })
	require.NoError(t, err)
	assert.Equal(t, 1.0, done)
	assert.Zero(t, result.Clipped)
	assert.EqualValues(t, math.Ceil(frames*(1+ppm*1e-6)), result.Frames)
	got := wavetest.Read(t, out.Bytes())
	d := Describe(got, "y.wav")
	assert.Equal(t, "10:01:12:00", *d.StartTimecode)
	assert.Equal(t, "Boom", d.Tracks[1].Name)
	samples := wavetest.Samples(t, got)
	for c := range samples {
		for i := 200; i < frames-200; i++ {
			require.InDelta(t, 0.5*math.Sin(w*float64(i)+float64(c)), samples[c][i], 3e-6, "channel %d frame %d", c, i)
		}
	}
}

func TestConvertToAnotherRate(t *testing.T) {
	h := wave.Header{Format: wavetest.PCM24(1), Frames: 44100, IXML: ixml(func(x *wave.IXML) { x.Speed.StampRate, x.Speed.StampLow = "44100", "1590775200" })}
	h.SampleRate = 44100
	src := wavetest.Open(t, h, func(_, i int) float64 { return 0.5 * math.Sin(2*math.Pi*1000/44100*float64(i)) })
	var out bytes.Buffer
	_, err := Convert(context.Background(), src, Describe(src, "x.wav"), Conversion{SampleRate: 48000}, &out, nil)
	require.NoError(t, err)
	got := wavetest.Read(t, out.Bytes())
	assert.EqualValues(t, 48000, got.Frames)
	d := Describe(got, "y.wav")
	assert.EqualValues(t, 36072*48000, *d.StartSamples)
	for i, x := range wavetest.Samples(t, got)[0][500:40000] {
		require.InDelta(t, 0.5*math.Sin(2*math.Pi*1000/48000*float64(i+500)), x, 3e-6)
	}
}

func TestConvertRefuses(t *testing.T) {
	src := recorded(t, 1, 100, nil)
	for _, c := range []Conversion{{DriftPPM: 1e5}, {DriftPPM: math.Inf(1)}, {SampleRate: 7}} {
		_, err := Convert(context.Background(), src, Describe(src, "x.wav"), c, &bytes.Buffer{}, nil)
		assert.Equal(t, fault.BadInput, fault.KindOf(err), "%+v", c)
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, err := Convert(ctx, src, Describe(src, "x.wav"), Conversion{}, &bytes.Buffer{}, nil)
	assert.Equal(t, fault.Cancelled, fault.KindOf(err))
}
