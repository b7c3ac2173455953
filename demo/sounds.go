package demo

import (
	"math"
	"math/rand/v2"

	"zestyloom/core/dsp"
)

const rate = 48000

// sound is one channel at 48 kHz, full scale = 1.0.
type sound []float64

func silence(seconds float64) sound { return make(sound, int(seconds*rate)) }

func random(seed uint64) *rand.Rand { return rand.New(rand.NewPCG(seed, 0x1a27e54)) }

// add mixes x in from at seconds on.
func (s sound) add(x sound, at, gain float64) sound {
	from := int(at * rate)
	for i, v := range x {
		if j := from + i; j >= 0 && j < len(s) {
			s[j] += gain * v
		}
	}
	return s
}

func (s sound) copied() sound { return append(sound(nil), s...) }

func (s sound) scaled(gain float64) sound {
	out := s.copied()
	for i := range out {
		out[i] *= gain
	}
	return out
}

// toPeak brings the highest sample to dBFS.
func (s sound) toPeak(dBFS float64) sound {
	peak := 1e-12
	for _, v := range s {
		peak = max(peak, math.Abs(v))
	}
	return s.scaled(math.Pow(10, dBFS/20) / peak)
}

// fade takes the ends to silence over the given seconds.
func (s sound) fade(in, out float64) sound {
	for i := range s {
		t, left := float64(i)/rate, float64(len(s)-1-i)/rate
		g := 1.0
		if t < in {
			g *= t / in
		}
		if left < out {
			g *= left / out
		}
		s[i] *= g
	}
	return s
}

// paced speaks faster or slower, higher or lower: a factor of its length. At 1 it is the same.
func (s sound) paced(factor float64) sound {
	if factor == 1 {
		return s
	}
	r := dsp.NewResampler(1 / factor)
	out := make(sound, r.Length(int64(len(s))))
	first, end := r.Span(0, len(out))
	input := make([]float64, end-first)
	copy(input[-first:], s)
	r.Block(out, 0, input, first)
	return out
}

func noise(seconds float64, seed uint64) sound {
	r := random(seed)
	s := silence(seconds)
	for i := range s {
		s[i] = r.Float64()*2 - 1
	}
	return s
}

// lowPass and highPass are first-order filters.
func (s sound) lowPass(hz float64) sound {
	a := 1 - math.Exp(-2*math.Pi*hz/rate)
	y := 0.0
	out := make(sound, len(s))
	for i, x := range s {
		y += a * (x - y)
		out[i] = y
	}
	return out
}

func (s sound) highPass(hz float64) sound {
	low := s.lowPass(hz)
	out := make(sound, len(s))
	for i := range s {
		out[i] = s[i] - low[i]
	}
	return out
}

// resonate is a two-pole resonance.
func (s sound) resonate(hz, seconds float64) sound {
	r := math.Exp(-1 / (seconds * rate))
	b1, b2 := 2*r*math.Cos(2*math.Pi*hz/rate), r*r
	out := make(sound, len(s))
	var y1, y2 float64
	for i, x := range s {
		y := (1-r)*x + b1*y1 - b2*y2
		out[i], y2, y1 = y, y1, y
	}
	return out
}

// room adds the sound of a small space: four combs and two all-passes after Schroeder (1962).
func (s sound) room(seconds, wet float64, seed uint64) sound {
	r := random(seed)
	total := make(sound, len(s))
	for _, ms := range []float64{29.7, 37.1, 41.1, 43.7} {
		d := int((ms + r.Float64()) * rate / 1000)
		g := math.Pow(10, -3*float64(d)/rate/seconds)
		buf := make(sound, len(s))
		for i, x := range s {
			buf[i] = x
			if i >= d {
				buf[i] += g * buf[i-d]
			}
			total[i] += buf[i] / 4
		}
	}
	for _, ms := range []float64{5.0, 1.7} {
		d := int(ms * rate / 1000)
		out := make(sound, len(s))
		for i := range total {
			out[i] = -0.7 * total[i]
			if i >= d {
				out[i] += total[i-d] + 0.7*out[i-d]
			}
		}
		total = out
	}
	for i := range total {
		total[i] = s[i] + wet*total[i]
	}
	return total
}

// river is water along a hull: two bands of noise that swell slowly, with small splashes.
func river(seconds float64, seed uint64) sound {
	deep, light := noise(seconds, seed).lowPass(220).lowPass(400), noise(seconds, seed+1).highPass(900).lowPass(2600)
	out := silence(seconds)
	r := random(seed + 2)
	p1, p2 := r.Float64()*6, r.Float64()*6
	for i := range out {
		t := float64(i) / rate
		out[i] = deep[i]*2.2*(0.7+0.3*math.Sin(0.9*t+p1)) + light[i]*0.35*(0.5+0.5*math.Sin(1.7*t+p2)*math.Sin(0.43*t))
	}
	for n := int(seconds * 1.5); n > 0; n-- {
		drop := noise(0.12, seed+uint64(n)*7).fade(0.004, 0.11).resonate(500+900*r.Float64(), 0.006)
		out.add(drop, r.Float64()*seconds, 0.5+r.Float64())
	}
	return out
}

// winch is an electric drum winch: it spins up, its pawl clatters, and it runs down.
func winch(seconds float64, seed uint64) sound {
	out := silence(seconds)
	clicks := silence(seconds)
	phase, pawl := 0.0, 0.0
	for i := range out {
		t := float64(i) / rate
		speed := min(1, t/1.4, (seconds-t)/1.8)
		speed = max(0, speed)
		hz := 34 + 62*speed + 1.5*math.Sin(5*t)
		phase += hz / rate
		saw := 2*(phase-math.Floor(phase)) - 1
		hum := math.Sin(2*math.Pi*phase*6) * 0.25
		out[i] = (0.55*saw + hum) * (0.25 + 0.75*speed)
		before := pawl
		pawl += (1.5 + 11*speed) / rate
		if math.Floor(pawl) != math.Floor(before) && speed > 0.02 {
			clicks[i] = 9
		}
	}
	body := out.lowPass(900).resonate(310, 0.002)
	clatter := clicks.resonate(1650, 0.012)
	tick := clicks.resonate(3900, 0.004)
	grit := noise(seconds, seed).highPass(1500).lowPass(5000)
	for i := range out {
		out[i] = out[i]*0.14 + body[i]*0.9 + clatter[i]*1.6 + tick[i]*0.8 + grit[i]*0.012
	}
	return out.fade(0.02, 0.1)
}

// chain is links running over an edge: short bright rings at random, dense in the middle.
func chain(seconds float64, seed uint64) sound {
	r := random(seed)
	out := silence(seconds)
	for t := 0.05; t < seconds-0.25; {
		link := silence(0.22)
		base := 1900 + 900*r.Float64()
		for k, ratio := range []float64{1, 1.52, 2.31, 3.47} {
			ph := r.Float64() * 6
			for i := range link {
				s := float64(i) / rate
				link[i] += math.Exp(-s*(26+18*float64(k))) * math.Sin(2*math.Pi*base*ratio*s+ph) / float64(k+1)
			}
		}
		out.add(link.fade(0.0005, 0.02), t, 0.3+0.7*r.Float64())
		density := 0.35 + math.Sin(math.Pi*t/seconds)
		t += (0.025 + 0.09*r.Float64()) / density
	}
	return out.room(0.5, 0.2, seed)
}

// bell is a ship's bell: strikes at the given seconds, the partials of a cast bell with their own decays.
func bell(seconds float64, strikes ...float64) sound {
	one := silence(seconds)
	for _, p := range []struct{ ratio, level, decay float64 }{{0.5, 0.35, 4.2}, {1, 0.8, 3}, {1.19, 0.6, 2.3}, {1.5, 0.35, 1.7}, {2, 0.9, 1.5},
		{2.51, 0.3, 0.9}, {3.01, 0.35, 0.7}, {4.17, 0.25, 0.4}, {5.43, 0.15, 0.22}} {
		for i := range one {
			t := float64(i) / rate
			one[i] += p.level * math.Exp(-t/p.decay*2.2) * math.Sin(2*math.Pi*742*p.ratio*t*(1+0.0004*p.ratio))
		}
	}
	one.fade(0.0008, 0.3)
	clap := noise(0.02, 77).fade(0.0005, 0.018).resonate(4200, 0.002)
	out := silence(seconds)
	for _, at := range strikes {
		out.add(one, at, 1).add(clap, at, 1.5)
	}
	return out.fade(0, 0.2)
}

// accordion is the cue: a slow waltz in A minor for two hands, reeds beating against each other. Left and right hear
// the two sides of the instrument.
func accordion(seconds float64) (left, right sound) {
	left, right = silence(seconds), silence(seconds)
	beat := 60.0 / 96
	reed := func(midi, at, length, gain, pan float64) {
		for _, cents := range []float64{-6, 7} {
			hz := 440 * math.Pow(2, (midi-69+cents/100)/12)
			n := silence(min(length, seconds-at))
			for i := range n {
				t := float64(i) / rate
				v := 0.0
				for h := 1; h <= 9; h++ {
					level := 1 / (float64(h) + 0.3*float64(h*h)*0.4)
					if h%2 == 0 {
						level *= 0.7
					}
					v += level * math.Sin(2*math.Pi*hz*float64(h)*t)
				}
				n[i] = v * (0.9 + 0.1*math.Sin(2*math.Pi*5*t))
			}
			n.fade(0.035, 0.09)
			left.add(n, at, gain*math.Cos((pan+1)*math.Pi/4))
			right.add(n, at, gain*math.Sin((pan+1)*math.Pi/4))
		}
	}
	chords := [][]float64{{45, 57, 60, 64}, {45, 57, 60, 64}, {50, 57, 62, 65}, {45, 57, 60, 64}, {52, 56, 59, 64}, {52, 56, 62, 64},
		{45, 57, 60, 64}, {52, 56, 59, 64}}
	melody := [][]float64{{76, 0, 74}, {72, 74, 76}, {77, 0, 76}, {76, 72, 69}, {71, 74, 76}, {74, 71, 68}, {69, 0, 72}, {71, 68, 0}}
	for bar := 0; float64(bar)*3*beat < seconds-1; bar++ {
		at := float64(bar) * 3 * beat
		c := chords[bar%len(chords)]
		reed(c[0], at, beat*0.95, 0.5, -0.6)
		for b := 1; b <= 2; b++ {
			for _, note := range c[1:] {
				reed(note, at+float64(b)*beat, beat*0.5, 0.2, -0.4)
			}
		}
		for b, note := range melody[bar%len(melody)] {
			if note > 0 {
				reed(note, at+float64(b)*beat, beat*0.98, 0.42, 0.55)
			}
		}
	}
	return left.room(1.1, 0.25, 5).fade(0.3, 2), right.room(1.1, 0.25, 6).fade(0.3, 2)
}
