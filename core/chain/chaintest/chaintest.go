// Package chaintest has processors in their plainest form, to hold the quick ones to.
package chaintest

import (
	"math"
	"math/rand"

	"zestyloom/core/chain"
	"zestyloom/core/dsp"
)

// Plain tells whether a kind has a plain form. The others are held to figures of what they do.
func Plain(k chain.Kind) bool { return forms[k] != nil }

// Plainly has all of a signal, channels × frames, go through a step, and gives it in its place. The signal begins at a place of the clock that is a
// multiple of 256; key drives the step, nil for the signal itself.
func Plainly(s chain.Step, rate float64, x, key [][]float64) [][]float64 {
	if key == nil {
		key = x
	}
	return forms[s.Kind](s, rate, x, key)
}

// Random gives a step of a kind with values at random, within what it may have. What filters a key stays as is usual.
func Random(rnd *rand.Rand, about chain.About) chain.Step {
	s := chain.Step{ID: "1", Kind: about.Kind, Values: map[string]float64{}}
	if about.Detector && rnd.Intn(2) == 0 {
		s.Detector = chain.RMS
	}
	for _, p := range about.Parameters {
		if rnd.Intn(3) == 0 || p.Name == "keyHighPass" || p.Name == "keyLowPass" {
			continue
		}
		v := p.Low + rnd.Float64()*(p.High-p.Low)
		if p.Log {
			v = p.Low * math.Pow(p.High/p.Low, rnd.Float64())
		}
		if p.Whole > 0 {
			v = math.Max(p.Low, p.Whole*math.Floor(v/p.Whole))
		}
		s.Values[p.Name] = v
	}
	if about.Profile && rnd.Intn(2) == 0 {
		s.Profile = make([]float64, len(dsp.Thirds))
		if about.Kind == chain.Noise {
			s.Profile = make([]float64, len(chain.Sixths))
		}
		for i := range s.Profile {
			if s.Profile[i] = 24*rnd.Float64() - 12; about.Kind == chain.Noise {
				s.Profile[i] -= 90
			}
		}
	}
	return s
}

// forms is each kind in its plainest form: written from what is said of it, a sample at a time, with nothing that makes it quick.
var forms = map[chain.Kind]func(s chain.Step, rate float64, x, key [][]float64) [][]float64{
	chain.HighPass:  func(s chain.Step, rate float64, x, _ [][]float64) [][]float64 { return butterworth(s, rate, x, true) },
	chain.LowPass:   func(s chain.Step, rate float64, x, _ [][]float64) [][]float64 { return butterworth(s, rate, x, false) },
	chain.LowShelf:  func(s chain.Step, rate float64, x, _ [][]float64) [][]float64 { return shelf(s, rate, x, 1) },
	chain.HighShelf: func(s chain.Step, rate float64, x, _ [][]float64) [][]float64 { return shelf(s, rate, x, -1) },
	chain.Bell: func(s chain.Step, rate float64, x, _ [][]float64) [][]float64 {
		cos, alpha := angles(s, rate, s.Value("q"))
		a := math.Pow(10, s.Value("gain")/40)
		return recursive(x, 1+alpha*a, -2*cos, 1-alpha*a, 1+alpha/a, -2*cos, 1-alpha/a)
	},
	chain.Notch: func(s chain.Step, rate float64, x, _ [][]float64) [][]float64 {
		cos, alpha := angles(s, rate, s.Value("q"))
		return recursive(x, 1, -2*cos, 1, 1+alpha, -2*cos, 1-alpha)
	},
	chain.Gain: func(s chain.Step, _ float64, x, _ [][]float64) [][]float64 {
		return each(x, func(c, i int) float64 { return x[c][i] * math.Pow(10, s.Value("gain")/20) })
	},
	chain.Polarity: func(_ chain.Step, _ float64, x, _ [][]float64) [][]float64 {
		return each(x, func(c, i int) float64 { return -x[c][i] })
	},
	chain.Delay: func(s chain.Step, rate float64, x, _ [][]float64) [][]float64 {
		late := int(math.Round(s.Value("ms")*rate/1000) + math.Round(s.Value("metres")/343.2*rate) + s.Value("samples"))
		return each(x, func(c, i int) float64 {
			if i < late {
				return 0
			}
			return x[c][i-late]
		})
	},
	chain.Width: func(s chain.Step, _ float64, x, _ [][]float64) [][]float64 {
		if len(x) < 2 {
			return x
		}
		return each(x, func(c, i int) float64 {
			middle, side := (x[0][i]+x[1][i])/2, s.Value("width")*(x[0][i]-x[1][i])/2
			return middle + side*float64(1-2*c)
		})
	},
	chain.Compressor: func(s chain.Step, rate float64, x, key [][]float64) [][]float64 {
		return ridden(s, rate, x, key, false)
	},
	chain.Expander: func(s chain.Step, rate float64, x, key [][]float64) [][]float64 { return ridden(s, rate, x, key, true) },
	chain.Gate:     func(s chain.Step, rate float64, x, key [][]float64) [][]float64 { return ridden(s, rate, x, key, true) },
	chain.DeEsser:  deEssed,
	chain.Limiter:  limited,
	chain.Leveller: levelled,
	chain.Match:    matched,
	chain.Noise:    denoised,
	chain.Click:    repaired,
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

func angles(s chain.Step, rate, q float64) (cos, alpha float64) {
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
func butterworth(s chain.Step, rate float64, x [][]float64, high bool) [][]float64 {
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
func shelf(s chain.Step, rate float64, x [][]float64, sign float64) [][]float64 {
	cos, alpha := angles(s, rate, s.Value("q"))
	a := math.Pow(10, s.Value("gain")/40)
	cos, root := cos*sign, 2*math.Sqrt(a)*alpha
	return recursive(x, a*((a+1)-(a-1)*cos+root), sign*2*a*((a-1)-(a+1)*cos), a*((a+1)-(a-1)*cos-root), (a+1)+(a-1)*cos+root,
		sign*-2*((a-1)+(a+1)*cos), (a+1)+(a-1)*cos-root)
}

// ridden is a gain that follows a level. Eight samples of the clock have one level, which is known at their end; the gain goes towards what the
// law wants of it by its time constants, and sound that is so much later goes in a straight line from the gain before it to the next.
func ridden(s chain.Step, rate float64, x, key [][]float64, below bool) [][]float64 {
	gains, late := followed(s, rate, key, below)
	return each(x, func(c, i int) float64 { // the sample is heard late samples after it came
		k, into := (i+late)/8, (i+late)%8+1
		from, to := math.Pow(10, (gains[k]+s.Value("makeup"))/20), math.Pow(10, (gains[k+1]+s.Value("makeup"))/20)
		return x[c][i] * (from + (to-from)*float64(into)/8)
	})
}

// followed gives the gains at the ends of steps, in dB, and how many samples later sound is heard.
func followed(s chain.Step, rate float64, key [][]float64, below bool) (gains []float64, late int) {
	ahead := 8 * int(math.Round(s.Value("ahead")*rate/1000/8))
	hold := s.Value("hold")
	if s.Detector != chain.RMS {
		hold = math.Max(5, hold)
	}
	kept := int(math.Max(1, math.Ceil(hold*rate/1000/8)))
	levels := []float64{} // of eight samples each, in dB
	squares := make([]float64, len(key))
	steps := []float64{}
	n := len(key[0])
	for k := 0; 8*k < n+ahead+16; k++ {
		level := 0.0
		for c := range key {
			for i := 8 * k; i < 8*k+8; i++ {
				v := 0.0 // behind the end
				if i < n {
					v = key[c][i]
				}
				level = math.Max(level, math.Abs(v))
				squares[c] = v*v + (squares[c]-v*v)*math.Exp(-1/(0.010*rate))
			}
		}
		if s.Detector == chain.RMS {
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
			if s.Kind == chain.Gate {
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
	gains = []float64{gain, towards(gain, want(-300), left, s, below)} // before anything came
	for _, level := range levels {
		gain = towards(gains[len(gains)-1], want(level), left, s, below)
		gains = append(gains, gain)
	}
	return gains, ahead + 8
}

// towards is a gain on its way to what is wanted: by the attack where the level rises, by the release where it falls.
func towards(gain, want float64, left func(ms float64) float64, s chain.Step, below bool) float64 {
	falls := want < gain
	if falls != below { // a compressor's gain falls as the level rises, an expander's as it falls
		return want + (gain-want)*left(s.Value("attack"))
	}
	return want + (gain-want)*left(s.Value("release"))
}
