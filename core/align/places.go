package align

import (
	"cmp"
	"context"
	"math"
	"math/cmplx"
	"slices"

	"gonum.org/v1/gonum/dsp/fourier"
)

// finder looks windows of a recording up in a reference.
type finder struct {
	ctx                  context.Context
	reference, recording *signal // both at the recording's rate
	rate                 int
	channel              int // of the recording that is compared, from 0, or all of them added up
	*correlator
}

// all compares the sum of a file's channels.
const all = -1

// places looks up windows spread over what the two have in common, from the middle outwards, each where its neighbour
// was found. It gives how many had any sound, and those that were found.
func (f *finder) places(expected int64) (looked int, found []Place, err error) {
	begin, end := max(0, -expected), min(f.recording.frames, f.reference.frames-expected)
	last := max(begin, end-int64(f.window))
	count := min(windows, max(1, int((last-begin)/int64(f.window/2))+1))
	at := func(i int) int64 {
		if count == 1 {
			return begin
		}
		return begin + (last-begin)*int64(i)/int64(count-1)
	}
	look := func(i int, near float64) (float64, error) {
		if err := f.ctx.Err(); err != nil {
			return near, err
		}
		p, sounding, err := f.find(at(i), near)
		if err != nil || !sounding {
			return near, err
		}
		looked++
		if p.Strength < strong {
			return near, nil
		}
		found = append(found, p)
		return p.Offset, nil
	}
	middle := count / 2
	start, err := look(middle, float64(expected))
	if err != nil {
		return 0, nil, err
	}
	for near, i := start, middle+1; i < count; i++ {
		if near, err = look(i, near); err != nil {
			return 0, nil, err
		}
	}
	for near, i := start, middle-1; i >= 0; i-- {
		if near, err = look(i, near); err != nil {
			return 0, nil, err
		}
	}
	slices.SortFunc(found, func(a, b Place) int { return cmp.Compare(a.At, b.At) })
	return looked, found, nil
}

const (
	// trials is how many windows tell which channel sounds most like the reference.
	trials = 3
	// hopeless is the height of a peak below which no channel is worth trying: chance reaches it one time in two.
	hopeless = 5
)

// choose finds the channel of the recording that is most like the reference, so that microphones at other distances do
// not blur the place. The sum of all stays where no channel is better. It is not ok where nothing is alike at all.
func (f *finder) choose(expected int64) (ok bool, err error) {
	begin, end := max(0, -expected), min(f.recording.frames, f.reference.frames-expected)
	span := max(0, end-begin-int64(f.window))
	highest := 0.0
	try := func(channel int) (total float64, err error) {
		f.channel = channel
		for i := range int64(trials) {
			if err := f.ctx.Err(); err != nil {
				return 0, err
			}
			p, sounding, err := f.find(begin+span*(2*i+1)/(2*trials), float64(expected))
			if err != nil {
				return 0, err
			}
			if sounding {
				total += p.Strength
				highest = max(highest, p.Strength)
			}
		}
		return total, nil
	}
	best, err := try(all)
	if err != nil || highest < hopeless {
		return false, err
	}
	chosen := all
	if f.recording.file.Channels > 1 {
		for channel := range f.recording.file.Channels {
			total, err := try(channel)
			if err != nil {
				return false, err
			}
			if total > best {
				best, chosen = total, channel
			}
		}
	}
	f.channel = chosen
	return true, nil
}

// find looks one window up around the place where it is expected.
func (f *finder) find(at int64, near float64) (p Place, sounding bool, err error) {
	reach := int64(search * float64(f.rate))
	from := at + int64(math.Round(near)) - reach
	if sounding, err = f.read(f.recording, f.channel, f.x, at, f.window); err != nil || !sounding {
		return p, false, err
	}
	if sounding, err = f.read(f.reference, all, f.r, from, f.window+2*int(reach)); err != nil || !sounding {
		return p, false, err
	}
	lag, strength := f.peak(2 * int(reach))
	// Where the clocks drift, a window is found where its middle lies.
	middle := at + min(int64(f.window), f.recording.frames-at)/2
	return Place{middle, float64(from-at) + lag, strength}, true, nil
}

// read fills dst with n samples of a recording's channel, or of all added up, and silence behind and outside.
func (f *finder) read(from *signal, channel int, dst []float64, at int64, n int) (sounding bool, err error) {
	clear(dst[n:])
	begin, end := max(0, at), min(from.frames, at+int64(n))
	if end <= begin {
		clear(dst[:n])
		return false, nil
	}
	if err := from.read(dst[:n], channel, at); err != nil {
		return false, err
	}
	var power float64
	for _, v := range dst[:n] {
		power += v * v
	}
	return power/float64(end-begin) > quiet, nil
}

// correlator finds by whitened cross-correlation: every frequency of the band counts alike, so that what they have in
// common gives one sharp peak whatever their colour (Knapp and Carter, 1976).
type correlator struct {
	window    int // samples that are looked up at a time; the transform holds them and what is around
	fft       *fourier.FFT
	x, r, c   []float64
	fx, fr    []complex128
	low, high int // bins of the band
}

// The band in Hz: above rumble, and below where a drift of some ppm would smear a window.
const bandLow, bandHigh = 150, 5000

func newCorrelator(rate int) *correlator {
	window := windowFor(rate)
	fftLength := 2 * window
	return &correlator{
		window: window, fft: fourier.NewFFT(fftLength), x: make([]float64, fftLength), r: make([]float64, fftLength),
		c:   make([]float64, fftLength),
		low: bandLow * fftLength / rate, high: min(fftLength/2, bandHigh*fftLength/rate),
	}
}

// peak gives the lag, 0 to most, at which x lies best in r, to a fraction of a sample, and the height of the peak in
// standard deviations.
func (k *correlator) peak(most int) (lag, strength float64) {
	k.fx = k.fft.Coefficients(k.fx, k.x)
	k.fr = k.fft.Coefficients(k.fr, k.r)
	for i := range k.fr {
		cross := k.fr[i] * cmplx.Conj(k.fx[i])
		size := cmplx.Abs(cross)
		if i < k.low || i > k.high || size == 0 {
			k.fr[i] = 0
			continue
		}
		k.fr[i] = cross / complex(size, 0)
	}
	k.c = k.fft.Sequence(k.c, k.fr)
	c := k.c[:most+1]
	best := 0
	var power float64
	for i, v := range c {
		power += v * v
		if v > c[best] {
			best = i
		}
	}
	deviation := math.Sqrt(power / float64(len(c)))
	if deviation == 0 {
		return 0, 0
	}
	lag = float64(best)
	if best > 0 && best < most { // the top of the parabola through the three highest
		a, b, d := c[best-1], c[best], c[best+1]
		if bend := a - 2*b + d; bend < 0 {
			lag += 0.5 * (a - d) / bend
		}
	}
	return lag, c[best] / deviation
}

// theilSen gives the median slope between all pairs of places: up to 29 % of them may be wrong.
func theilSen(places []Place) float64 {
	var slopes []float64
	for i, p := range places {
		for _, q := range places[:i] {
			if p.At != q.At {
				slopes = append(slopes, (p.Offset-q.Offset)/float64(p.At-q.At))
			}
		}
	}
	return median(slopes)
}

func each(places []Place, f func(Place) float64) []float64 {
	out := make([]float64, len(places))
	for i, p := range places {
		out[i] = f(p)
	}
	return out
}

// median gives 0 for nothing. It sorts a copy.
func median(values []float64) float64 {
	if len(values) == 0 {
		return 0
	}
	s := slices.Sorted(slices.Values(values))
	if n := len(s); n%2 == 0 {
		return (s[n/2-1] + s[n/2]) / 2
	}
	return s[len(s)/2]
}
