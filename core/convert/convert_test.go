package convert

import (
	"bytes"
	"context"
	"encoding/xml"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/fault"
	"zestyloom/core/ply"
	"zestyloom/core/take"
	"zestyloom/core/unravel"
	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
)

// A clock that runs 60 ppm slow writes a tone too high; undone, the tone is where a right clock would have put it.
func TestConvertUndoesDrift(t *testing.T) {
	const ppm, frames = 60.0, 3*wave.AtOnce + 5
	w := 2 * math.Pi * 997 / 48000
	src := wavetest.Open(t, wave.Header{Format: wavetest.PCM24(2), Frames: frames, IXML: wavetest.IXML(nil)}, func(c, i int) float64 {
		return 0.5 * math.Sin(w*float64(i)*(1+ppm*1e-6)+float64(c))
	})
	var out bytes.Buffer
	done := 0.0
	result, err := Write(context.Background(), src, take.Describe(src, "x.wav"), Conversion{DriftPPM: ppm}, &out,
		func(share float64) { done = share })
	require.NoError(t, err)
	assert.Equal(t, 1.0, done)
	assert.Zero(t, result.Clipped)
	assert.EqualValues(t, math.Ceil(frames*(1+ppm*1e-6)), result.Frames)
	got := wavetest.Read(t, out.Bytes())
	d := take.Describe(got, "y.wav")
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
	h := wave.Header{Format: wavetest.PCM24(1), Frames: 44100, IXML: wavetest.IXML(func(x *wave.IXML) {
		x.Speed.StampRate,
			x.Speed.StampLow = "44100", "1590775200"
	})}
	h.SampleRate = 44100
	src := wavetest.Open(t, h, func(_, i int) float64 { return 0.5 * math.Sin(2*math.Pi*1000/44100*float64(i)) })
	var out bytes.Buffer
	_, err := Write(context.Background(), src, take.Describe(src, "x.wav"), Conversion{SampleRate: 48000}, &out, nil)
	require.NoError(t, err)
	got := wavetest.Read(t, out.Bytes())
	assert.EqualValues(t, 48000, got.Frames)
	d := take.Describe(got, "y.wav")
	assert.EqualValues(t, 36072*48000, *d.StartSamples)
	for i, x := range wavetest.Samples(t, got)[0][500:40000] {
		require.InDelta(t, 0.5*math.Sin(2*math.Pi*1000/48000*float64(i+500)), x, 3e-6)
	}
}

func TestConvertRefuses(t *testing.T) {
	src := wavetest.Stepped(t, 1, 100, nil)
	for _, c := range []Conversion{{DriftPPM: 1e5}, {DriftPPM: math.Inf(1)}, {SampleRate: 7}} {
		_, err := Write(context.Background(), src, take.Describe(src, "x.wav"), c, &bytes.Buffer{}, nil)
		assert.Equal(t, fault.BadInput, fault.KindOf(err), "%+v", c)
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, err := Write(ctx, src, take.Describe(src, "x.wav"), Conversion{}, &bytes.Buffer{}, nil)
	assert.Equal(t, fault.Cancelled, fault.KindOf(err))
}

func TestWhatIsNotKnownGoesAlong(t *testing.T) {
	src := wavetest.Stepped(t, 2, 480, func(h *wave.Header) {
		h.IXML = wavetest.IXML(nil)
		h.IXML.Rest = []wave.Element{{XMLName: xml.Name{Local: "LANTERN"}, Inner: "<WICK>7</WICK>"}}
		h.Bext = &wave.Bext{Description: "sSCENE=12A\r\nsTRK1=Boom\r\nsFERRY=east", TimeReference: 48000}
		h.Extra = []wave.RawChunk{{ID: "lmp1", Body: []byte("flame")}, {ID: "PEAK", Body: []byte("old peaks")}}
	})
	d := take.Describe(src, "12A.wav")
	var converted bytes.Buffer
	_, err := Write(context.Background(), src, d, Conversion{SampleRate: 96000}, &converted, nil)
	require.NoError(t, err)
	parts, err := take.Parts(d, nil)
	require.NoError(t, err)
	plied, err := ply.Plan([]ply.Strand{{File: src, Description: d, Name: "12A.wav"}}, ply.RefuseLengths, ply.RefuseStamps)
	require.NoError(t, err)
	var both bytes.Buffer
	require.NoError(t, plied.Write(context.Background(), &both, nil))
	for name, f := range map[string]*wave.File{
		"unravel": wavetest.Open(t, unravel.Header(parts[0], src, d), func(int, int) float64 { return 0 }),
		"ply":     wavetest.Read(t, both.Bytes()),
		"convert": wavetest.Read(t, converted.Bytes()),
		"settle":  wavetest.Open(t, settledFrom(src), func(int, int) float64 { return 0 }),
	} {
		require.Len(t, f.Carried(true), 1, name)
		assert.Equal(t, wave.RawChunk{ID: "lmp1", Body: []byte("flame")}, f.Carried(true)[0], name)
		require.Len(t, f.IXML.Rest, 1, name)
		assert.Equal(t, "LANTERN <WICK>7</WICK>", f.IXML.Rest[0].XMLName.Local+" "+f.IXML.Rest[0].Inner, name)
		assert.Contains(t, f.Bext.Description, "sFERRY=east", name)
	}
	assert.EqualValues(t, 5, wavetest.Open(t, settledFrom(src), func(int, int) float64 { return 0 }).Bext.TimeReference)
}

func settledFrom(src *wave.File) wave.Header {
	h := unravel.SettledHeader(src, []string{"Boom"}, 5)
	h.Format, h.Frames = wavetest.PCM24(1), 1
	return h
}
