package dsp

import (
	"math"

	"gonum.org/v1/gonum/dsp/fourier"
)

// Match gives a signal another spectrum: gains at centres a third of an octave apart, with a line between them over the logarithm of frequency,
// by a filter that turns no phase. It is made of 85 ms, half of them on either side.
type Match struct {
	*frames
	fft      *fourier.FFT
	response []float64
	spectrum []complex128
}

// Thirds are the centres of thirds of an octave that a match has gains at, in Hz (IEC 61260-1, the exact ones of base ten): 25 Hz to 20 kHz.
var Thirds = func() (list []float64) {
	for k := -16; k <= 13; k++ {
		list = append(list, 1000*math.Pow(10, float64(k)/10))
	}
	return list
}()

// NewMatch makes one of a gain in dB for each of Thirds.
func NewMatch(rate float64, gains []float64) *Match {
	half := NoiseSize(rate)
	size := 4 * half
	m := &Match{fft: fourier.NewFFT(size), spectrum: make([]complex128, size/2+1)}
	// The wanted response on a fine grid becomes taps, which a window ends.
	wanted := make([]complex128, size/2+1)
	for k := range wanted {
		wanted[k] = complex(Gain(between(gains, float64(k)*rate/float64(size))), 0)
	}
	taps := m.fft.Sequence(nil, wanted)
	for i := range taps {
		n := min(i, size-i)
		w := 0.0
		if n < half {
			w = 0.5 + 0.5*math.Cos(math.Pi*float64(n)/float64(half))
		}
		taps[i] *= w / float64(size)
	}
	for _, c := range m.fft.Coefficients(nil, taps) {
		m.response = append(m.response, real(c)) // symmetric taps have no phase
	}
	m.frames = newFrames(size, 2*half, m.work)
	return m
}

// between gives a gain at a frequency.
func between(gains []float64, frequency float64) float64 {
	at := 10*math.Log10(max(frequency, 1)/1000) + 16
	if at <= 0 {
		return gains[0]
	}
	k := int(at)
	if k >= len(gains)-1 {
		return gains[len(gains)-1]
	}
	return gains[k] + (at-float64(k))*(gains[k+1]-gains[k])
}

// work filters a frame, of which the middle half is right.
func (m *Match) work(frame [][]float64, _ int64) {
	for _, x := range frame {
		m.fft.Coefficients(m.spectrum, x)
		for k := range m.spectrum {
			m.spectrum[k] *= complex(m.response[k], 0)
		}
		m.fft.Sequence(x, m.spectrum)
		for i := range x {
			if x[i] /= float64(m.size); i < m.size/4 || i >= m.size-m.size/4 {
				x[i] = 0
			}
		}
	}
}

// Memory is a frame and the one before.
func (m *Match) Memory() int { return 2 * m.size }

// Spectrum gives the power in each of Thirds, by the mean over a stretch, in dB.
func Spectrum(rate float64, x []float64) []float64 {
	size := 4 * NoiseSize(rate)
	fft, window := fourier.NewFFT(size), hann(size)
	power, frame := make([]float64, len(Thirds)), make([]float64, size)
	count := 0.0
	for at := 0; at == 0 || at+size <= len(x); at += size / 2 {
		clear(frame)
		copy(frame, x[min(at, len(x)):min(at+size, len(x))])
		for i := range frame {
			frame[i] *= window[i]
		}
		for k, c := range fft.Coefficients(nil, frame) {
			f := float64(k) * rate / float64(size)
			if f < Thirds[0]*0.89 {
				continue
			}
			if band := int(math.Round(10*math.Log10(f/1000))) + 16; band >= 0 && band < len(power) {
				power[band] += real(c)*real(c) + imag(c)*imag(c)
			}
		}
		count++
	}
	for k := range power {
		power[k] = 10 * math.Log10(max(power[k]/count/float64(size)/float64(size), 1e-20))
	}
	return power
}

// MatchTo gives the gains that make the spectrum of one stretch that of another, at most so many dB up or down; what is too quiet in either to be
// known stays.
func MatchTo(from, to []float64, most float64) []float64 {
	gains := make([]float64, len(Thirds))
	for k := range gains {
		if from[k] > -150 && to[k] > -150 {
			gains[k] = max(-most, min(most, to[k]-from[k]))
		}
	}
	return gains
}
