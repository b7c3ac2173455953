package dsp

import (
	"math"

	"gonum.org/v1/gonum/dsp/fourier"
)

// Noise takes steady noise down. In frames of 40 ms that overlap by three quarters, each line of the spectrum gets the gain that makes the least
// error of the logarithm of its amplitude (Y. Ephraim and D. Malah, IEEE Trans. ASSP 33/2, 1985), from how far it stands above the noise: by
// a profile, or by the least that there was in a second and a half (R. Martin, IEEE Trans. SAP 9/5, 2001). The gain never falls below what is
// asked for, and is averaged over neighbouring lines, so that no single ones are left to sing.
type Noise struct {
	*frames
	Taken func(at int64, dB float64) // is told of each frame and channel how much it takes away, as a level; nil where nobody asks

	at       func(at int64) float64
	fft      *fourier.FFT
	window   []float64
	profile  []float64 // power of each line; nil for minimum statistics
	channels []noisy
	spectrum []complex128
	gains    []float64
	smooth   []float64
}

// noisy is what is remembered of a channel.
type noisy struct {
	clean   []float64   // power over noise of each line in the frame before
	power   []float64   // smoothed, for the minima
	minima  [][]float64 // of stretches of frames, the last first
	current []float64
	begun   bool
}

// NoiseSize is the length of a frame: a power of two near 43 ms.
func NoiseSize(rate float64) int {
	n := 256
	for float64(n)*1.4 < rate*0.0427 {
		n *= 2
	}
	return n
}

const (
	noiseOverlap = 4
	noisePast    = 0.97 // the share of the frame before in the estimate of a line's clean power
	noiseMinima  = 8    // stretches that minima are kept of
	noiseTimes   = 17   // frames of a stretch: 8 × 17 × 10.7 ms are 1.45 s
	noiseBias    = 2.0  // by which the mean power of noise stands above the least of its smoothed power
	noiseSmooth  = 0.85
)

// NewNoise makes one. profile holds the power of the noise in each line, as Learn gives it; nil where it is to be found. at gives how far it is
// taken down, in dB.
func NewNoise(rate float64, channels int, profile []float64, at func(at int64) float64) *Noise {
	size := NoiseSize(rate)
	lines := size/2 + 1
	p := &Noise{at: at, fft: fourier.NewFFT(size), profile: profile, spectrum: make([]complex128, lines), gains: make([]float64, lines),
		smooth: make([]float64, lines), window: make([]float64, size), channels: make([]noisy, channels)}
	for i, v := range hann(size) {
		p.window[i] = math.Sqrt(v)
	}
	p.frames = newFrames(size, size/noiseOverlap, p.work)
	p.Reset()
	return p
}

// Learn gives the profile of a stretch of noise: the mean power of each line.
func Learn(rate float64, x []float64) []float64 {
	size := NoiseSize(rate)
	fft, window := fourier.NewFFT(size), hann(size)
	power, frame, spectrum := make([]float64, size/2+1), make([]float64, size), make([]complex128, size/2+1)
	count := 0
	for at := 0; at == 0 || at+size <= len(x); at += size / noiseOverlap {
		clear(frame)
		copy(frame, x[min(at, len(x)):min(at+size, len(x))])
		for i := range frame {
			frame[i] *= math.Sqrt(window[i])
		}
		fft.Coefficients(spectrum, frame)
		for k, c := range spectrum {
			power[k] += real(c)*real(c) + imag(c)*imag(c)
		}
		count++
	}
	for k := range power {
		power[k] /= float64(count)
	}
	return power
}

func (p *Noise) work(frame [][]float64, at int64) {
	floor := Gain(-p.at(at + int64(p.size/2)))
	for c, x := range frame {
		for i := range x {
			x[i] *= p.window[i]
		}
		p.fft.Coefficients(p.spectrum, x)
		before, after := p.weigh(&p.channels[c], floor, int(at/int64(p.hop)%noiseTimes+noiseTimes)%noiseTimes)
		p.fft.Sequence(x, p.spectrum)
		for i := range x {
			x[i] *= p.window[i] * 2 / noiseOverlap / float64(p.size)
		}
		if p.Taken != nil && before > 0 {
			p.Taken(at, 10*math.Log10(after/before))
		}
	}
}

// weigh multiplies the lines with their gains, and gives the power before and after.
// turn is which frame of a stretch it is.
func (p *Noise) weigh(c *noisy, floor float64, turn int) (before, after float64) {
	noise := p.profile
	if noise == nil {
		noise = c.minimum(p.spectrum, turn)
	}
	for k, v := range p.spectrum {
		power := real(v)*real(v) + imag(v)*imag(v)
		post := min(1e6, power/max(noise[k], 1e-30))
		prior := noisePast*c.clean[k] + (1-noisePast)*max(0, post-1)
		g := logAmplitude(max(prior, 1e-4), post)
		p.gains[k] = max(floor, min(1, g))
		c.clean[k] = rest(min(1e6, g*g*post))
	}
	for k := range p.gains { // a line by itself is smoothed away
		less, more := p.gains[max(0, k-1)], p.gains[min(len(p.gains)-1, k+1)]
		p.smooth[k] = (less + 2*p.gains[k] + more) / 4
	}
	for k, v := range p.spectrum {
		power := real(v)*real(v) + imag(v)*imag(v)
		before, after = before+power, after+power*p.smooth[k]*p.smooth[k]
		p.spectrum[k] = v * complex(p.smooth[k], 0)
	}
	return before, after
}

// logAmplitude is the gain of the log-spectral amplitude estimator: ξ⁄(1+ξ)·exp(½·E₁(v)), v = ξ⁄(1+ξ)·γ.
func logAmplitude(prior, post float64) float64 {
	share := prior / (1 + prior)
	return share * math.Exp(exponential(share*max(post, 1e-6))/2)
}

// exponential is the exponential integral E₁ (M. Abramowitz and I. Stegun, 5.1.53 and 5.1.56), within 10⁻⁴ of it.
func exponential(x float64) float64 {
	if x < 1 {
		return -math.Log(x) - 0.57721566 + x*(0.99999193+x*(-0.24991055+x*(0.05519968+x*(-0.00976004+x*0.00107857))))
	}
	if x > 50 {
		return 0
	}
	n := 0.2677737343 + x*(8.6347608925+x*(18.0590169730+x*(8.5733287401+x)))
	d := 3.9584969228 + x*(21.0996530827+x*(25.6329561486+x*(9.5733223454+x)))
	return n / d * math.Exp(-x) / x
}

// minimum gives the noise in each line by the least that its smoothed power has been lately.
func (c *noisy) minimum(spectrum []complex128, turn int) []float64 {
	if c.power == nil {
		c.power, c.current = make([]float64, len(spectrum)), make([]float64, len(spectrum))
	}
	for k, v := range spectrum {
		power := real(v)*real(v) + imag(v)*imag(v)
		if !c.begun {
			c.power[k], c.current[k] = power, power
		}
		c.power[k] = rest(noiseSmooth*c.power[k] + (1-noiseSmooth)*power)
		if turn == 0 || c.power[k] < c.current[k] {
			c.current[k] = c.power[k]
		}
	}
	if c.begun = true; turn == noiseTimes-1 {
		var row []float64
		if len(c.minima) == noiseMinima {
			row, c.minima = c.minima[noiseMinima-1], c.minima[:noiseMinima-1]
		} else {
			row = make([]float64, len(spectrum))
		}
		copy(row, c.current)
		c.minima = append([][]float64{row}, c.minima...)
	}
	noise := make([]float64, len(spectrum))
	for k := range noise {
		least := c.current[k]
		for _, m := range c.minima {
			least = min(least, m[k])
		}
		noise[k] = least * noiseBias
	}
	return noise
}

// Memory is until an estimate of long before makes no difference of −140 dB.
func (p *Noise) Memory() int {
	frames := int(math.Ceil(7 * math.Ln10 / -math.Log(noisePast)))
	if p.profile == nil {
		frames += noiseTimes*(noiseMinima+1) + int(math.Ceil(7*math.Ln10/-math.Log(noiseSmooth)))
	}
	return p.size + p.hop*frames
}

// Reset forgets the past.
func (p *Noise) Reset() {
	p.frames.Reset()
	for c := range p.channels {
		p.channels[c] = noisy{clean: make([]float64, len(p.gains))}
	}
}
