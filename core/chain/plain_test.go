package chain

import (
	"math"
	"math/rand"
	"testing"

	"github.com/stretchr/testify/require"
)

// plainly is each kind in its plainest form: written from what is said of it, a sample at a time, with nothing that makes it quick. It works on all
// of a signal that begins at place 0 of the clock, and gives it in its place.
var plainly = map[Kind]func(s Step, rate float64, x [][]float64) [][]float64{
	HighPass:  func(s Step, rate float64, x [][]float64) [][]float64 { return butterworth(s, rate, x, true) },
	LowPass:   func(s Step, rate float64, x [][]float64) [][]float64 { return butterworth(s, rate, x, false) },
	LowShelf:  func(s Step, rate float64, x [][]float64) [][]float64 { return shelf(s, rate, x, 1) },
	HighShelf: func(s Step, rate float64, x [][]float64) [][]float64 { return shelf(s, rate, x, -1) },
	Bell: func(s Step, rate float64, x [][]float64) [][]float64 {
		cos, alpha := angles(s, rate, s.Value("q"))
		a := math.Pow(10, s.Value("gain")/40)
		return recursive(x, 1+alpha*a, -2*cos, 1-alpha*a, 1+alpha/a, -2*cos, 1-alpha/a)
	},
	Notch: func(s Step, rate float64, x [][]float64) [][]float64 {
		cos, alpha := angles(s, rate, s.Value("q"))
		return recursive(x, 1, -2*cos, 1, 1+alpha, -2*cos, 1-alpha)
	},
	Gain: func(s Step, _ float64, x [][]float64) [][]float64 {
		return each(x, func(c, i int) float64 { return x[c][i] * math.Pow(10, s.Value("gain")/20) })
	},
	Polarity: func(_ Step, _ float64, x [][]float64) [][]float64 {
		return each(x, func(c, i int) float64 { return -x[c][i] })
	},
	Delay: func(s Step, rate float64, x [][]float64) [][]float64 {
		late := int(math.Round(s.Value("ms")*rate/1000) + math.Round(s.Value("metres")/343.2*rate) + s.Value("samples"))
		return each(x, func(c, i int) float64 {
			if i < late {
				return 0
			}
			return x[c][i-late]
		})
	},
	Width: func(s Step, _ float64, x [][]float64) [][]float64 {
		return each(x, func(c, i int) float64 {
			middle, side := (x[0][i]+x[1][i])/2, s.Value("width")*(x[0][i]-x[1][i])/2
			return middle + side*float64(1-2*c)
		})
	},
	Compressor: func(s Step, rate float64, x [][]float64) [][]float64 { return ridden(s, rate, x, false) },
	Expander:   func(s Step, rate float64, x [][]float64) [][]float64 { return ridden(s, rate, x, true) },
	Gate:       func(s Step, rate float64, x [][]float64) [][]float64 { return ridden(s, rate, x, true) },
}

func each(x [][]float64, of func(c, i int) float64) [][]float64 {
	out := make([][]float64, len(x))
	for c := range x {
		for i := range x[c] {
			out[c] = append(out[c], of(c, i))
		}
	}
	return out
}

func angles(s Step, rate, q float64) (cos, alpha float64) {
	w := 2 * math.Pi * math.Min(s.Value("frequency"), 0.49*rate) / rate
	return math.Cos(w), math.Sin(w) / (2 * q)
}

// recursive is the difference equation of two poles and two zeros.
func recursive(x [][]float64, b0, b1, b2, a0, a1, a2 float64) [][]float64 {
	out := make([][]float64, len(x))
	for c := range x {
		at := func(y []float64, i int) float64 {
			if i < 0 {
				return 0
			}
			return y[i]
		}
		for i := range x[c] {
			v := (b0*x[c][i] + b1*at(x[c], i-1) + b2*at(x[c], i-2) - a1*at(out[c], i-1) - a2*at(out[c], i-2)) / a0
			out[c] = append(out[c], v)
		}
	}
	return out
}

// butterworth is as many pairs of poles as the slope has 12 dB, at the angles of a Butterworth filter, and a single one for the 6 that are left.
func butterworth(s Step, rate float64, x [][]float64, high bool) [][]float64 {
	order := int(s.Value("slope")) / 6
	for k := range order / 2 {
		q := 1 / (2 * math.Cos(math.Pi*float64(2*k+1+order%2)/float64(2*order)))
		cos, alpha := angles(s, rate, q)
		if order%2 == 1 {
			q = 1 / (2 * math.Cos(math.Pi*float64(k+1)/float64(order)))
			cos, alpha = angles(s, rate, q)
		}
		if high {
			x = recursive(x, (1+cos)/2, -(1 + cos), (1+cos)/2, 1+alpha, -2*cos, 1-alpha)
		} else {
			x = recursive(x, (1-cos)/2, 1-cos, (1-cos)/2, 1+alpha, -2*cos, 1-alpha)
		}
	}
	if order%2 == 1 { // one pole, by the bilinear transform
		k := math.Tan(math.Pi * math.Min(s.Value("frequency"), 0.49*rate) / rate)
		if high {
			x = recursive(x, 1, -1, 0, 1+k, k-1, 0)
		} else {
			x = recursive(x, k, k, 0, 1+k, k-1, 0)
		}
	}
	return x
}

// shelf is a shelf of the cookbook: sign is 1 for the low one.
func shelf(s Step, rate float64, x [][]float64, sign float64) [][]float64 {
	cos, alpha := angles(s, rate, s.Value("q"))
	a := math.Pow(10, s.Value("gain")/40)
	cos, root := cos*sign, 2*math.Sqrt(a)*alpha
	return recursive(x, a*((a+1)-(a-1)*cos+root), sign*2*a*((a-1)-(a+1)*cos), a*((a+1)-(a-1)*cos-root), (a+1)+(a-1)*cos+root,
		sign*-2*((a-1)+(a+1)*cos), (a+1)+(a-1)*cos-root)
}

// ridden is a gain that follows a level. Eight samples of the clock have one level, which is known at their end; the gain goes towards what the
// law wants of it by its time constants, and sound that is so much later goes in a straight line from the gain before it to the next.
func ridden(s Step, rate float64, x [][]float64, below bool) [][]float64 {
	ahead := 8 * int(math.Round(s.Value("ahead")*rate/1000/8))
	hold := s.Value("hold")
	if s.Detector != RMS {
		hold = math.Max(5, hold)
	}
	kept := int(math.Max(1, math.Ceil(hold*rate/1000/8)))
	levels := []float64{} // of eight samples each, in dB
	squares := make([]float64, len(x))
	steps := []float64{}
	n := len(x[0])
	for k := 0; 8*k < n; k++ {
		level := 0.0
		for c := range x {
			for i := 8 * k; i < min(8*k+8, n); i++ {
				level = math.Max(level, math.Abs(x[c][i]))
				squares[c] = x[c][i]*x[c][i] + (squares[c]-x[c][i]*x[c][i])*math.Exp(-1/(0.010*rate))
			}
		}
		if s.Detector == RMS {
			level = 0
			for _, square := range squares {
				level = math.Max(level, math.Sqrt(2*square))
			}
		}
		steps = append(steps, level)
		most := 0.0
		for j := max(0, k-kept+1); j <= k; j++ {
			most = math.Max(most, steps[j])
		}
		levels = append(levels, 20*math.Log10(math.Max(most, 1e-15)))
	}
	want := func(level float64) float64 {
		over, half := level-s.Value("threshold"), s.Value("knee")/2
		slope := 1/s.Value("ratio") - 1
		if below {
			over = -over
			slope = 1 - s.Value("ratio")
			if s.Kind == Gate {
				slope = -1e9
			}
		}
		g := 0.0
		if over >= half {
			g = slope * over
		} else if over > -half {
			g = slope * (over + half) * (over + half) / (4 * half)
		}
		if most := s.Value("range"); most > 0 {
			g = math.Max(g, -most)
		}
		return g
	}
	left := func(ms float64) float64 { return math.Exp(-8 / (ms / 1000 * rate)) }
	gain := want(-300)
	gains := []float64{gain, want2(gain, want(-300), left, s, below)} // before anything came
	for _, level := range levels {
		gain = want2(gains[len(gains)-1], want(level), left, s, below)
		gains = append(gains, gain)
	}
	late := ahead + 8
	return each(x, func(c, i int) float64 { // the sample is heard late samples after it came
		k, into := (i+late)/8, (i+late)%8+1
		if k+1 >= len(gains) {
			return math.NaN()
		}
		from, to := math.Pow(10, (gains[k]+s.Value("makeup"))/20), math.Pow(10, (gains[k+1]+s.Value("makeup"))/20)
		return x[c][i] * (from + (to-from)*float64(into)/8)
	})
}

// want2 is a gain on its way to what is wanted: by the attack where the level rises, by the release where it falls.
func want2(gain, want float64, left func(ms float64) float64, s Step, below bool) float64 {
	falls := want < gain
	if falls != below { // a compressor's gain falls as the level rises, an expander's as it falls
		return want + (gain-want)*left(s.Value("attack"))
	}
	return want + (gain-want)*left(s.Value("release"))
}

// Random steps of all kinds that have a plain form, at all rates, in blocks of all sizes, are what the plain form is.
func TestEveryKindIsWhatItIsPlainly(t *testing.T) {
	worked := map[Kind]bool{Hum: true, Noise: true, Click: true, Limiter: true, Leveller: true, Match: true, DeEsser: true} // which have tests by figures
	for _, about := range Kinds {
		if worked[about.Kind] {
			continue
		}
		plain := plainly[about.Kind]
		require.NotNil(t, plain, about.Kind)
		for seed := range int64(24) {
			rnd := rand.New(rand.NewSource(seed))
			rate := []float64{44100, 48000, 88200, 96000, 176400, 192000}[seed%6]
			s := Step{ID: "1", Kind: about.Kind, Values: map[string]float64{}, Detector: []Detector{"", RMS}[rnd.Intn(2)]}
			for _, p := range about.Parameters {
				if rnd.Intn(3) > 0 && p.Name != "keyHighPass" && p.Name != "keyLowPass" {
					s.Values[p.Name] = p.Low + rnd.Float64()*(p.High-p.Low)
					if p.Log {
						s.Values[p.Name] = p.Low * math.Pow(p.High/p.Low, rnd.Float64())
					}
					if p.Whole > 0 {
						s.Values[p.Name] = math.Max(p.Low, p.Whole*math.Floor(s.Values[p.Name]/p.Whole))
					}
				}
			}
			if !about.Detector {
				s.Detector = ""
			}
			require.NoError(t, Check([]Step{s}), "%v", s)
			x := make([][]float64, 2)
			for c := range x {
				for i := range 20000 {
					x[c] = append(x[c], rnd.NormFloat64()*0.2*math.Pow(math.Sin(float64(i)/2500), 4))
				}
			}
			want := plain(s, rate, x)
			row, err := Make([]Step{s}, Asked{Rate: rate, Channels: 2, Pairs: [][2]int{{0, 1}}})
			require.NoError(t, err)
			got := inBlocks(row, x, rnd)
			late := row.Latency()
			for c := range want {
				for i := 0; i+late < len(got[c]); i++ {
					if d := math.Abs(got[c][i+late] - want[c][i]); !(d < 1e-7) {
						require.InDelta(t, want[c][i], got[c][i+late], 1e-7, "%v at %g Hz, channel %d, sample %d", s, rate, c, i)
					}
				}
			}
		}
	}
}

// inBlocks runs a signal through a row in blocks of random sizes.
func inBlocks(row *Row, x [][]float64, rnd *rand.Rand) [][]float64 {
	out := make([][]float64, len(x))
	for c := range x {
		out[c] = append(out[c], x[c]...)
	}
	for at := 0; at < len(x[0]); {
		n := min(len(x[0])-at, 1+rnd.Intn(3000))
		row.Process([][]float64{out[0][at : at+n], out[1][at : at+n]}, int64(at))
		at += n
	}
	return out
}
