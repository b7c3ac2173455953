package chaintest

import (
	"math"
	"slices"

	"gonum.org/v1/gonum/dsp/fourier"
	"gonum.org/v1/gonum/mat"

	"zestyloom/core/chain"
	"zestyloom/core/loudness"
)

// Those that look at more than a sample or a step at a time.

// deEssed listens to what lies above the frequency, and bends a high shelf as far as a compressor would take that down. The coefficients go from those
// of one step to those of the next in a straight line.
func deEssed(s chain.Step, rate float64, x, _ [][]float64) [][]float64 {
	sharp := butterworth(chain.Step{Kind: chain.HighPass, Values: map[string]float64{"frequency": s.Value("frequency"), "slope": 24}}, rate, x, true)
	gains, late := followed(s, rate, sharp, false)
	out := make([][]float64, len(x))
	for c := range x {
		one, two := 0.0, 0.0
		for i, v := range x[c] {
			k, t := (i+late)/8, float64((i+late)%8)/8
			from, to := shelfOf(s, rate, gains[k]), shelfOf(s, rate, gains[k+1])
			var f [5]float64
			for j := range f {
				f[j] = from[j] + (to[j]-from[j])*t
			}
			y := f[0]*v + one
			one, two = f[1]*v-f[3]*y+two, f[2]*v-f[4]*y
			out[c] = append(out[c], y)
		}
	}
	return out
}

// shelfOf is a high shelf of the cookbook, of q = 1⁄√2: b₀, b₁, b₂, a₁, a₂ over a₀.
func shelfOf(s chain.Step, rate, dB float64) [5]float64 {
	cos, alpha := angles(s, rate, math.Sqrt2/2)
	a := math.Pow(10, dB/40)
	root, a0 := 2*math.Sqrt(a)*alpha, 0.0
	a0 = (a + 1) - (a-1)*cos + root
	return [5]float64{a * ((a + 1) + (a-1)*cos + root) / a0, -2 * a * ((a - 1) + (a+1)*cos) / a0, a * ((a + 1) + (a-1)*cos - root) / a0,
		2 * ((a - 1) - (a+1)*cos) / a0, ((a + 1) - (a-1)*cos - root) / a0}
}

// limited is a gain that is down when a true peak arrives: of each step of eight samples the largest magnitude, on them and at fifteen places between,
// says what it may have; the least of as many steps as it looks ahead, and two, is held and let go of; the mean over the steps that it looks ahead
// is the gain.
func limited(s chain.Step, rate float64, x, _ [][]float64) [][]float64 {
	ahead := int(math.Max(1, math.Round(s.Value("ahead")*rate/1000/8)))
	late, ceiling := 8*(ahead+4), s.Value("ceiling")-0.03
	n := len(x[0])
	left := math.Exp(-8 / (s.Value("release") / 1000 * rate))
	var allowed, held, mean []float64
	for k := 0; 8*k < n+late+8; k++ {
		most := 0.0
		for c := range x {
			for i := 8*k - 33; i < 8*k-25; i++ {
				most = math.Max(most, truePeak(x[c], i))
			}
		}
		may := 0.0
		if most > 0 {
			may = math.Min(0, ceiling-20*math.Log10(most))
		}
		allowed = append(allowed, may)
		least, before := slices.Min(allowed[max(0, k-ahead-1):]), 0.0
		if k > 0 {
			before = held[k-1]
		}
		held = append(held, math.Min(least, least+(before-least)*left))
		sum := 0.0
		for j := max(0, k-ahead+1); j <= k; j++ {
			sum += held[j]
		}
		mean = append(mean, sum/float64(ahead))
	}
	return each(x, func(c, i int) float64 {
		k, into := (i+late)/8, float64((i+late)%8+1)
		from, to := math.Pow(10, mean[k-1]/20), math.Pow(10, mean[k]/20)
		return x[c][i] * (from + (to-from)*into/8)
	})
}

// truePeak is the largest magnitude of the signal on a sample and up to the next, by sums of 48 samples: of all of the band, and of 92 % of it.
func truePeak(x []float64, i int) (most float64) {
	for _, taps := range between {
		sum, total := 0.0, 0.0
		for j, h := range taps {
			total += h
			if at := i + j - 23; at >= 0 && at < len(x) {
				sum += h * x[at]
			}
		}
		most = math.Max(most, math.Abs(sum/total))
	}
	return most
}

// between are the weights of the samples from 23 before on, for each place up to the next sample.
var between = func() (list [][48]float64) {
	for _, edge := range []float64{1, 0.92} {
		for phase := range 16 {
			var taps [48]float64
			for j := range taps {
				d := float64(j-23) - float64(phase)/16
				if taps[j] = kaiser(d/24, 5.5); d != 0 {
					taps[j] *= math.Sin(math.Pi*edge*d) / (math.Pi * edge * d)
				}
			}
			list = append(list, taps)
		}
	}
	return list
}()

// kaiser is the window, over −1 to 1.
func kaiser(u, beta float64) float64 {
	i0 := func(x float64) float64 {
		sum := 0.0
		for k := 30; k >= 0; k-- {
			f, _ := math.Lgamma(float64(k) + 1)
			sum += math.Exp(2 * (float64(k)*math.Log(math.Max(x, 1e-12)/2) - f))
		}
		return sum
	}
	if u <= -1 || u >= 1 {
		return 1 / i0(beta)
	}
	return i0(beta*math.Sqrt(1-u*u)) / i0(beta)
}

// levelled goes towards a loudness: of each tenth of a second the power, K-weighted; the mean of those above the gate, by a raised cosine over the
// window; what is wanted, over a second.
func levelled(s chain.Step, rate float64, x, _ [][]float64) [][]float64 {
	hop, hops := int(math.Round(rate/10)), int(math.Round(s.Value("window")*10))
	weighted := x
	for _, f := range loudness.Weighting(int(rate)) {
		weighted = recursive(weighted, f.B0, f.B1, f.B2, 1, f.A1, f.A2)
	}
	var powers, wants []float64
	gains := []float64{0, 0} // at the ends of hops
	for h := 0; h*hop < len(x[0])+12*hop; h++ {
		sum := 0.0
		for c := range weighted {
			for i := h * hop; i < min((h+1)*hop, len(x[0])); i++ {
				sum += weighted[c][i] * weighted[c][i]
			}
		}
		powers = append(powers, sum/float64(hop))
		power, weight := 0.0, 0.0
		for k := range min(hops, h+1) {
			if p := powers[h-k]; -0.691+10*math.Log10(p) >= s.Value("gate") {
				w := math.Pow(math.Sin(math.Pi*(float64(k)+0.5)/float64(hops)), 2)
				power, weight = power+w*p, weight+w
			}
		}
		want := 0.0
		if weight > 0 {
			want = s.Value("target") - (-0.691 + 10*math.Log10(power/weight))
			want = math.Max(-s.Value("range"), math.Min(s.Value("range"), want))
		}
		wants = append(wants, want)
		mean := 0.0
		for _, v := range wants[max(0, h-9):] {
			mean += v / 10
		}
		gains = append(gains, mean)
	}
	return each(x, func(c, i int) float64 {
		h, into := (i+11*hop)/hop, float64((i+11*hop)%hop)/float64(hop)
		return x[c][i] * math.Pow(10, (gains[h]+(gains[h+1]-gains[h])*into)/20)
	})
}

// matched is a sum over the samples around: the cosine series of the gains that are wanted, under a raised cosine.
func matched(s chain.Step, rate float64, x, _ [][]float64) [][]float64 {
	half := frameOf(rate)
	size := 4 * half
	wanted := make([]complex128, size/2+1)
	for k := range wanted {
		third := math.Max(0, math.Min(29, 10*math.Log10(math.Max(1, float64(k)*rate/float64(size))/1000)+16))
		low := math.Min(28, math.Floor(third))
		dB := s.Value("gain")
		if len(s.Profile) > 0 {
			dB += s.Profile[int(low)]*(1-(third-low)) + s.Profile[int(low)+1]*(third-low)
		}
		wanted[k] = complex(math.Pow(10, dB/20), 0)
	}
	taps := fourier.NewFFT(size).Sequence(nil, wanted)
	around := make([]float64, 2*half) // from 1 − half on
	for k := 1 - half; k < half; k++ {
		around[k+half] = taps[(k+size)%size] / float64(size) * math.Pow(math.Cos(math.Pi*float64(k)/float64(2*half)), 2)
	}
	return each(x, func(c, i int) float64 {
		sum := 0.0
		for k := max(1-half, i-len(x[c])+1); k < half && k <= i; k++ {
			sum += around[k+half] * x[c][i-k]
		}
		return sum
	})
}

// frameOf is the power of two next to 43 ms.
func frameOf(rate float64) int {
	n := 256
	for float64(n)*1.4 < rate*0.0427 {
		n *= 2
	}
	return n
}

// framed cuts a signal into frames that begin at multiples of a hop, from the first that holds a sample of it on, and adds up what is made of them.
func framed(x []float64, size, hop int, of func(frame []float64, begin int) []float64) []float64 {
	out := make([]float64, len(x))
	for begin := hop - size; begin < len(x); begin += hop {
		frame := make([]float64, size)
		for i := range frame {
			if at := begin + i; at >= 0 && at < len(x) {
				frame[i] = x[at]
			}
		}
		for i, v := range of(frame, begin) {
			if at := begin + i; at >= 0 && at < len(x) {
				out[at] += v
			}
		}
	}
	return out
}

// denoised gives each line of the spectrum the gain of the estimator of its logarithm, by how far it stands above the noise.
func denoised(s chain.Step, rate float64, x, _ [][]float64) [][]float64 {
	size := frameOf(rate)
	hop, lines, fft := size/4, size/2+1, fourier.NewFFT(size)
	window := make([]float64, size)
	for i := range window {
		window[i] = math.Sin(math.Pi * float64(i) / float64(size))
	}
	out := make([][]float64, len(x))
	for c := range x {
		clean, smoothed := make([]float64, lines), [][]float64{} // smoothed power, frame by frame
		first := 0
		out[c] = framed(x[c], size, hop, func(frame []float64, begin int) []float64 {
			for i := range frame {
				frame[i] *= window[i]
			}
			spectrum := fft.Coefficients(nil, frame)
			if len(smoothed) == 0 {
				first = begin / hop
			}
			power, gains := make([]float64, lines), make([]float64, lines)
			now := make([]float64, lines)
			for k, v := range spectrum {
				power[k] = real(v)*real(v) + imag(v)*imag(v)
				if now[k] = power[k]; len(smoothed) > 0 {
					now[k] = 0.85*smoothed[len(smoothed)-1][k] + 0.15*power[k]
				}
			}
			smoothed = append(smoothed, now)
			noise := profileOf(s, rate, size)
			if noise == nil {
				noise = leastOf(smoothed, first)
			}
			for k := range gains {
				post := math.Min(1e6, power[k]/math.Max(noise[k], 1e-30))
				prior := math.Max(1e-4, 0.97*clean[k]+0.03*math.Max(0, post-1))
				share := prior / (1 + prior)
				g := share * math.Exp(integral(share*math.Max(post, 1e-6))/2)
				clean[k] = math.Min(1e6, g*g*post)
				gains[k] = math.Max(math.Pow(10, -s.Value("reduction")/20), math.Min(1, g))
			}
			for k := range spectrum {
				spectrum[k] *= complex((gains[max(0, k-1)]+2*gains[k]+gains[min(lines-1, k+1)])/4, 0)
			}
			made := fft.Sequence(nil, spectrum)
			for i := range made {
				made[i] *= window[i] / float64(size) / 2
			}
			return made
		})
	}
	return out
}

// leastOf is twice the least that the smoothed power of a line was in this stretch of seventeen frames and the eight before. Stretches lie on the clock.
func leastOf(smoothed [][]float64, first int) []float64 {
	last := first + len(smoothed) - 1
	stretch := func(frame int) int { return int(math.Floor(float64(frame) / 17)) }
	least := slices.Clone(smoothed[len(smoothed)-1])
	for i, row := range smoothed {
		if stretch(first+i) >= stretch(last)-8 {
			for k, v := range row {
				least[k] = math.Min(least[k], v)
			}
		}
	}
	for k := range least {
		least[k] *= 2
	}
	return least
}

// profileOf is the power of each line by what was learnt, dB per Hz at sixths of an octave from 20 Hz on; nil where nothing was.
func profileOf(s chain.Step, rate float64, size int) []float64 {
	if len(s.Profile) == 0 {
		return nil
	}
	lines := make([]float64, size/2+1)
	for k := range lines {
		sixth := 20 * math.Log10(math.Max(20, float64(k)*rate/float64(size))/20)
		low := min(int(sixth), len(s.Profile)-2)
		dB := s.Profile[low] + math.Min(1, sixth-float64(low))*(s.Profile[low+1]-s.Profile[low])
		lines[k] = math.Pow(10, dB/10) * float64(size) * rate / 4
	}
	return lines
}

// integral is E₁(x) = ∫ₓ^∞ e⁻ᵗ⁄t dt: by its series, and by its continued fraction where that converges soon.
func integral(x float64) float64 {
	if x < 2 {
		sum, term := -math.Log(x)-0.57721566490153286, 1.0
		for k := 1.0; k < 60; k++ {
			term *= -x / k
			sum -= term / k
		}
		return sum
	}
	fraction := 0.0
	for k := 200.0; k >= 1; k-- {
		fraction = k / (1 + k/(x+fraction))
	}
	return math.Exp(-x) / (x + fraction)
}

// repaired models each frame as autoregressive, and puts what can't be foretold from either side anew.
func repaired(s chain.Step, rate float64, x, _ [][]float64) [][]float64 {
	size, order := 2*frameOf(rate), int(math.Max(32, math.Trunc(32*rate/48000)))
	out := make([][]float64, len(x))
	for c := range x {
		out[c] = framed(x[c], size, size/2, func(frame []float64, _ int) []float64 {
			repair(frame, order, 30*math.Pow(5.0/30, s.Value("sensitivity")), int(s.Value("longest")/1000*rate))
			for i := range frame {
				frame[i] *= math.Pow(math.Sin(math.Pi*float64(i)/float64(size)), 2)
			}
			return frame
		})
	}
	return out
}

func repair(x []float64, order int, times float64, longest int) {
	a := foretelling(x, order)
	if a == nil {
		return
	}
	order = len(a) - 1
	errors := func(step int) (list []float64) {
		for i := range x {
			sum := 0.0
			for k, v := range a {
				if at := i - step*k; i-step*order >= 0 && i-step*order < len(x) {
					sum += v * x[at]
				}
			}
			list = append(list, math.Abs(sum))
		}
		return list
	}
	ahead, back := errors(1), errors(-1)
	inside := ahead[order:]
	block := max(1, len(inside)/40)
	middle := func(x []float64) float64 {
		x = slices.Sorted(slices.Values(x))
		return math.Max(1e-7, x[len(x)/2]/0.6745)
	}
	usual := func(block, k int) float64 {
		from := max(0, min(k*block, (len(inside)-1)/block*block))
		return math.Max(middle(inside), middle(inside[from:min(len(inside), from+block)]))
	}
	var usuals []float64
	for k := -1; k <= (len(inside)-1)/block+1; k++ {
		usuals = append(usuals, usual(block, k))
	}
	var clicks [][2]int
	for i := order; i < len(x)-order; i++ {
		k := (i-order)/block + 1
		if math.Min(ahead[i], back[i]) < times*math.Max(usuals[k-1], math.Max(usuals[k], usuals[k+1])) {
			continue
		}
		from, to := max(order, i-1), min(len(x)-order, i+2)
		if n := len(clicks) - 1; n >= 0 && from <= clicks[n][1]+max(8, longest/8) {
			clicks[n][1] = to
		} else {
			clicks = append(clicks, [2]int{from, to})
		}
	}
	for _, click := range clicks {
		if click[1]-click[0] <= longest+4 {
			anew(x, a, click[0], click[1])
		}
	}
}

// foretelling gives Burg's coefficients, by lattice stages as they are defined; nil in silence.
func foretelling(x []float64, order int) []float64 {
	forward, backward, a := slices.Clone(x), slices.Clone(x), []float64{1}
	for m := 1; m <= order; m++ {
		num, den := 0.0, 0.0
		for n := m; n < len(x); n++ {
			num += forward[n] * backward[n-1]
			den += forward[n]*forward[n] + backward[n-1]*backward[n-1]
		}
		if den < 1e-20*float64(len(x)) {
			if m == 1 {
				return nil
			}
			break
		}
		reflection := -2 * num / den
		turned := append([]float64{0}, a...)
		slices.Reverse(turned[1:])
		a = append(a, 0)
		for i := range a {
			a[i] += reflection * turned[i]
		}
		was := slices.Clone(forward)
		for n := m; n < len(x); n++ {
			forward[n] += reflection * backward[n-1]
		}
		next := slices.Clone(backward)
		for n := m; n < len(x); n++ {
			next[n] = backward[n-1] + reflection*was[n]
		}
		backward = next
	}
	return a
}

// anew puts samples so that the sum of the squares of all that the model can't foretell is least.
func anew(x, a []float64, from, to int) {
	order, n := len(a)-1, to-from
	rows := mat.NewDense(n+order, n, nil)
	right := mat.NewVecDense(n+order, nil)
	for i := range n + order { // the error at from + i
		for k, v := range a {
			at := from + i - k
			if at >= from && at < to {
				rows.Set(i, at-from, v)
			} else if at >= 0 && at < len(x) && from+i < len(x) {
				right.SetVec(i, right.AtVec(i)-v*x[at])
			}
		}
	}
	var best mat.VecDense
	if best.SolveVec(rows, right) == nil {
		for i := range n {
			x[from+i] = best.AtVec(i)
		}
	}
}
