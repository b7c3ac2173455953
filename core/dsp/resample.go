package dsp

import "math"

const (
	// sincHalf is how many input samples on each side go into an output sample, at a ratio of one.
	sincHalf = 80
	// sincPhases is how finely the filter is tabled. Between two entries it is interpolated linearly; the error of that,
	// (π·bandwidth)²/8 ÷ phases², lies below −140 dB.
	sincPhases = 4096
	// kaiserBeta makes side lobes of −130 dB (Kaiser, 1974: β = 0.1102·(A − 8.7)).
	kaiserBeta = 0.1102 * (130 - 8.7)
	// edge is where the filter is 6 dB down, as a share of the lower rate's half: with a transition of ±0.08 of it on
	// both sides, 20 kHz is untouched at 48 kHz and what lies above 24 kHz is gone.
	edge = 22.0 / 24
)

// Resampler reads a signal at other places than its samples: by a windowed sinc, tabled in phases. It has no delay:
// output 0 lies at input 0. It holds no state of the signal and is safe for concurrent use.
type Resampler struct {
	step  float64   // input samples for each output sample
	half  int       // input samples on each side
	table []float64 // (phases + 1) × 2·half
}

// NewResampler makes one that goes step input samples forward for each output sample: input rate ÷ output rate, or
// 1 ÷ (1 + drift) to undo a drift. step lies between 1/16 and 16.
func NewResampler(step float64) *Resampler {
	wide := max(1, step) // going to a lower rate, the filter must be narrower and so longer
	r := &Resampler{step: step, half: int(math.Ceil(sincHalf * wide))}
	cut := edge / wide
	taps := 2 * r.half
	r.table = make([]float64, (sincPhases+1)*taps)
	whole := bessel(kaiserBeta)
	for phase := range sincPhases + 1 {
		row := r.table[phase*taps : (phase+1)*taps]
		sum := 0.0
		for i := range row {
			x := float64(i-r.half+1) - float64(phase)/sincPhases
			u := x / float64(r.half)
			if u <= -1 || u >= 1 {
				continue
			}
			row[i] = cut * sinc(cut*x) * bessel(kaiserBeta*math.Sqrt(1-u*u)) / whole
			sum += row[i]
		}
		for i := range row { // exactly unity at 0 Hz, in every phase
			row[i] /= sum
		}
	}
	return r
}

func sinc(x float64) float64 {
	if x == 0 {
		return 1
	}
	return math.Sin(math.Pi*x) / (math.Pi * x)
}

// bessel is the modified Bessel function of the first kind and order 0, by its series.
func bessel(x float64) float64 {
	sum, term := 1.0, 1.0
	for k := 1.0; term > sum*1e-18; k++ {
		term *= x / 2 / k * x / 2 / k
		sum += term
	}
	return sum
}

// Length gives how many output samples a signal of that many input samples becomes.
func (r *Resampler) Length(input int64) int64 {
	return int64(math.Ceil(float64(input)/r.step - 1e-9))
}

// Span gives the input samples, from first up to but not including end, that outputs at..at+n-1 are made of. They may
// lie before 0 and after the end of the signal, where it is silent.
func (r *Resampler) Span(at int64, n int) (first, end int64) {
	from, to := math.Floor(float64(at)*r.step), math.Floor(float64(at+int64(n)-1)*r.step)
	return int64(from) - int64(r.half) + 1, int64(to) + int64(r.half) + 1
}

// Block works out outputs at..at+len(dst)-1. input holds the samples from first on that Span asks for.
func (r *Resampler) Block(dst []float64, at int64, input []float64, first int64) {
	taps := 2 * r.half
	for i := range dst {
		place := float64(at+int64(i)) * r.step
		whole := math.Floor(place)
		phase, between := math.Modf((place - whole) * sincPhases)
		a := r.table[int(phase)*taps : (int(phase)+1)*taps]
		x := input[int64(whole)-int64(r.half)+1-first:][:taps]
		var s float64
		if between == 0 {
			for k, v := range x {
				s += v * a[k]
			}
		} else {
			b := r.table[(int(phase)+1)*taps : (int(phase)+2)*taps]
			var t float64
			for k, v := range x {
				s += v * a[k]
				t += v * b[k]
			}
			s += between * (t - s)
		}
		dst[i] = s
	}
}
