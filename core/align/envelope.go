package align

import (
	"context"
	"math"
	"math/bits"

	"gonum.org/v1/gonum/dsp/fourier"

	"zestyloom/core/wave"
)

// envelopeRate is how many values of an envelope stand for a second.
const envelopeRate = 200

// hop is how many samples stand behind a value of an envelope, about: where the rate is no multiple of 200, hops differ
// by one, so that there are 200 in every second.
func hop(rate int) int { return rate / envelopeRate }

// sampleOf is where a value of an envelope begins, in samples.
func sampleOf(i, rate int) int64 { return int64(i) * int64(rate) / envelopeRate }

// mono adds the channels of a block up.
func mono(dst []float64, block [][]float64) []float64 {
	dst = dst[:len(block[0])]
	copy(dst, block[0])
	for _, ch := range block[1:] {
		for i, x := range ch {
			dst[i] += x
		}
	}
	return dst
}

// Shape is a recording's loudness over time as it rises and falls, 200 values a second: the logarithm of its energy
// above some 300 Hz, less its average over the two seconds around. It is what recordings are coarsely lined up by. It is
// not safe for concurrent use.
type Shape struct {
	rate     int       // of the recording, Hz
	values   []float64 // at unit power
	flat     bool
	spectrum []complex128 // of values, as long as the last comparison needed it
}

// shaper takes samples in and collects the logarithms of their energy.
type shaper struct {
	rate, step  int     // step is the length of the present hop
	a           float64 // of the filter that takes the lows away
	low, energy float64
	filled      int
	logs        []float64
}

func newShaper(rate int) *shaper {
	return &shaper{rate: rate, step: int(sampleOf(1, rate)), a: 1 - math.Exp(-2*math.Pi*300/float64(rate))}
}

func (s *shaper) write(samples []float64) {
	for _, x := range samples {
		s.low += s.a * (x - s.low)
		s.energy += (x - s.low) * (x - s.low)
		if s.filled++; s.filled == s.step {
			s.logs = append(s.logs, math.Log(s.energy/float64(s.step)+1e-9))
			s.energy, s.filled = 0, 0
			s.step = int(sampleOf(len(s.logs)+1, s.rate) - sampleOf(len(s.logs), s.rate))
		}
	}
}

// ShapeOf reads a recording once, all its channels added up.
func ShapeOf(ctx context.Context, f *wave.File) (*Shape, error) {
	s := newShaper(f.SampleRate)
	sum := make([]float64, 64*hop(f.SampleRate))
	err := f.EachBlock(len(sum), func(_ int64, block [][]float64) error {
		s.write(mono(sum, block))
		return ctx.Err()
	})
	if err != nil {
		return nil, err
	}
	return newShape(f.SampleRate, risesAndFalls(s.logs)), nil
}

// ShapeOfPart reads n frames of one channel (from 0), from a frame on.
func ShapeOfPart(ctx context.Context, f *wave.File, channel int, from, n int64) (*Shape, error) {
	s := newShaper(f.SampleRate)
	x := make([]float64, f.BlockFrames(64*hop(f.SampleRate), f.Frames))
	raw := make([]byte, len(x)*f.FrameBytes())
	for end := min(from+n, f.Frames); from < end; {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		count := int(min(int64(len(x)), end-from))
		got, err := f.ReadRaw(raw[:count*f.FrameBytes()], from)
		if err != nil {
			return nil, err
		}
		if got == 0 {
			break
		}
		f.Decode(x[:got], raw, channel)
		s.write(x[:got])
		from += int64(got)
	}
	return newShape(f.SampleRate, risesAndFalls(s.logs)), nil
}

// risesAndFalls takes the average around off every value.
func risesAndFalls(logs []float64) []float64 {
	const around = envelopeRate
	out := make([]float64, len(logs))
	var running float64
	count, from, to := 0, 0, 0
	for i := range logs {
		for ; to < min(len(logs), i+around+1); to++ {
			running += logs[to]
			count++
		}
		for ; from < i-around; from++ {
			running -= logs[from]
			count--
		}
		out[i] = logs[i] - running/float64(count)
	}
	return out
}

func newShape(rate int, values []float64) *Shape {
	var power float64
	for _, v := range values {
		power += v * v
	}
	if power <= 1e-12*float64(len(values)) { // nothing but rounding
		return &Shape{rate: rate, values: values, flat: true}
	}
	scale := 1 / math.Sqrt(power)
	for i := range values {
		values[i] *= scale
	}
	return &Shape{rate: rate, values: values}
}

// transform gives the spectrum of the shape with silence behind it.
func (s *Shape) transform(fft *fourier.FFT, n int) []complex128 {
	if len(s.spectrum) != n/2+1 {
		padded := make([]float64, n)
		copy(padded, s.values)
		s.spectrum = fft.Coefficients(nil, padded)
	}
	return s.spectrum
}

// Coarse is the place where the shapes of two recordings agree best.
type Coarse struct {
	Offset   int64   // in samples of the recording; positive: it starts later than the reference
	Strength float64 // of the agreement, in standard deviations of all the others
	RunnerUp float64 // how good the next best place is against it, 0 to 1
}

// Coarsely compares two shapes at every offset, or only at those within some samples of near where within is not
// negative, in samples of the recording. Their rates may differ. It is not ok where one is flat.
func Coarsely(reference, recording *Shape, near, within int64) (c Coarse, ok bool) {
	if reference.flat || recording.flat {
		return Coarse{}, false
	}
	n := 1 << bits.Len(uint(len(reference.values)+len(recording.values)))
	fft := fourier.NewFFT(n)
	a, b := reference.transform(fft, n), recording.transform(fft, n)
	cross := make([]complex128, len(a))
	for i := range a {
		cross[i] = a[i] * complex(real(b[i]), -imag(b[i]))
	}
	agreement := fft.Sequence(nil, cross)
	step := int64(hop(recording.rate))
	offset := func(i int) int64 {
		if i >= len(reference.values) {
			i -= n
		}
		return sampleOf(i, recording.rate)
	}
	allowed := func(i int) bool { return within < 0 || abs(offset(i)-near) <= within+step }
	best, power := -1, 0.0
	for i, v := range agreement {
		power += v * v
		if allowed(i) && (best < 0 || v > agreement[best]) {
			best = i
		}
	}
	if best < 0 || agreement[best] <= 0 {
		return Coarse{}, false
	}
	second := 0.0
	for i, v := range agreement {
		away := min((i-best+n)%n, (best-i+n)%n)
		if away > envelopeRate/4 && v > second && allowed(i) {
			second = v
		}
	}
	return Coarse{offset(best), agreement[best] / math.Sqrt(power/float64(n)), second / agreement[best]}, true
}

func abs(x int64) int64 { return max(x, -x) }
