package loudness

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"zestyloom/core/layout"
)

// With and without vector instructions every figure is the same to the last bit. Without GOEXPERIMENT=simd both are plain.
func TestVectorsGiveTheSameBits(t *testing.T) {
	vectorsGiveTheSameBits(t)
	narrowed(func() { vectorsGiveTheSameBits(t) })
}

func vectorsGiveTheSameBits(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	w := make([]float64, (phaseTaps-1+peakStretch)*lanes)
	for i := range w {
		w[i] = r.NormFloat64()
	}
	for _, n := range []int{1, 7, 8, 61, peakStretch} {
		part := w[:(phaseTaps-1+n)*lanes]
		a, b := newQuasi(48000, TypeII), newQuasi(48000, TypeII)
		small, again := make([]float32, len(part)), make([]float32, len(part))
		shortenPlain(small, part)
		shorten(again, part)
		assert.Equal(t, small, again)
		for range 3 {
			assert.Equal(t, betweenPlain(small, n, short, &a), between(small, n, short, &b))
		}
		assert.Equal(t, a, b)
		k := kWeighting(44100)
		c, d := weighting{shelf: k[0], pass: k[1]}, weighting{shelf: k[0], pass: k[1]}
		weighPlain(part, &c)
		weigh(part, &d)
		assert.Equal(t, c, d)
		e, f := make([]float64, n), make([]float64, n)
		convolvePlain(e, w, &newInterpolator(4).phases[0])
		convolve(f, w, &newInterpolator(4).phases[0])
		assert.Equal(t, e, f)
	}
}

// Programmes that are measured together have the figures that each has alone, however many channels lie before.
func TestBankOfProgrammes(t *testing.T) {
	layouts := []layout.Layout{five1, stereo, layout.ForWidth(1), stereo, five1}
	var signal [][]float64
	for _, l := range layouts {
		for range l.Labels {
			s, hz := make([]float64, 48000*4+77), 100+float64(len(signal))*333
			for i := range s {
				s[i] = 0.2 * math.Sin(float64(i)*hz*2*math.Pi/48000) * math.Sin(float64(i)*0.0003)
			}
			signal = append(signal, s)
		}
	}
	signal[7][1000] = math.NaN()
	b := NewBank(48000, 4, layouts...)
	b.Write(signal)
	together, at := b.Measurements(), 0
	for i, l := range layouts {
		m := NewMeter(48000, l)
		m.Write(signal[at : at+len(l.Labels)])
		assert.Equal(t, m.Measurement(), together[i], "%d", i)
		at += len(l.Labels)
	}
	assert.EqualValues(t, 1, together[1].Unmeasured)
	m := NewProgrammeMeters(48000, len(signal), TypeII)
	assert.Equal(t, b.strips[1].quasi.slow[2]+b.strips[1].quasi.fast[2] > 0, m.Write(signal)[10] > -100)
}
