package desk

import (
	"fmt"
	"math"
	"slices"

	"zestyloom/core/contract"
	"zestyloom/core/dsp"
)

// around is what stands before and after the programme of a file, in samples at its rate.
type around struct {
	lead, tail int64 // before and after the programme with its handles
	programme  int64 // from the beginning of the file to its first frame
	signals    []heard
}

// heard is a signal that is to be heard, and what is heard of it.
type heard struct {
	contract.Signal
	at, length int64 // from the beginning of the file, or from its end where fromEnd
	fromEnd    bool
	channels   []tone
}

// tone is what of a channel correlates with a sine, and what there is at all.
type tone struct {
	re, im, power float64
	n             int64
}

// around works out what stands around the programme.
func (c *checking) around(rate int) around {
	reading, err := c.rate.ParseSample(c.spec.Programme.Start, rate)
	if err != nil {
		reading, _ = c.rate.ParseSample("10:00:00:00", rate)
	}
	start := int64(reading) // of whichever day: only lengths come of it
	var a around
	frame := c.rate.FrameAt(start, rate)
	handles := int64(c.spec.Programme.Handles)
	from := c.rate.SampleOf(frame-handles, rate)
	held := start - from
	length := func(s contract.Signal) int64 { return s.Length(c.rate, rate) }
	for _, s := range c.spec.Programme.Lead {
		if at, err := contract.Signed(c.rate, rate, start, s.At); err == nil {
			a.lead = max(a.lead, from-at)
			a.signals = append(a.signals, heard{Signal: s, at: at - from, length: length(s)})
		}
	}
	for i := range a.signals {
		a.signals[i].at += a.lead
	}
	a.programme = a.lead + held
	for _, s := range c.spec.Programme.Tail {
		if at, err := contract.Signed(c.rate, rate, start, s.At); err == nil { // as far from the end as it is from any frame
			a.tail = max(a.tail, at-start+length(s)-held)
			a.signals = append(a.signals, heard{Signal: s, at: at - start - held, length: length(s), fromEnd: true})
		}
	}
	for i := range a.signals {
		if a.signals[i].fromEnd {
			a.signals[i].at -= a.tail
		}
	}
	return a
}

// guard is how many samples at the ends of a signal are left aside, as a place that is counted from the end may be one off.
const guard = 4

// write takes samples of one channel of a file, which begin at a place of it; of is the length of the file, where it is known.
func (h *heard) write(channel int, x []float64, at, of int64, rate int) {
	from := h.at
	if h.fromEnd {
		from += of
	}
	for len(h.channels) <= channel {
		h.channels = append(h.channels, tone{})
	}
	t := &h.channels[channel]
	w := 2 * math.Pi * (h.Tone + h.Pop) / float64(rate)
	for i := max(0, from+guard-at); i < min(int64(len(x)), from+h.length-guard-at); i++ {
		sin, cos := math.Sincos(w * float64(at+i-from))
		t.re, t.im, t.power, t.n = t.re+x[i]*cos, t.im+x[i]*sin, t.power+x[i]*x[i], t.n+1
	}
}

// What may be heard around the programme beside the signals that are asked for.
const (
	strayAbove = -60.0 // dBFS
	strayGuard = 0.01  // seconds around a signal, in which filters ring
)

// beside tells whether a sample of a file, which is so long, stands around the programme where no signal is asked for.
func (a *around) beside(at, of int64, rate int) bool {
	if at >= a.lead && (a.tail == 0 || of == 0 || at < of-a.tail) {
		return false
	}
	guard := int64(strayGuard * float64(rate))
	for i := range a.signals {
		from := a.signals[i].at
		if a.signals[i].fromEnd {
			from += of
		}
		if at >= from-guard && at < from+a.signals[i].length+guard {
			return false
		}
	}
	return true
}

// astray looks for sound around the programme that nobody asked for.
func (c *column) astray(a *around, at int64, x []float64, rate int) {
	of := c.from.most
	if end := at + int64(len(x)); at >= a.lead && (a.tail == 0 || of == 0 || end <= of-a.tail) {
		return
	}
	for i, v := range x {
		if v = math.Abs(v); v > dsp.Gain(strayAbove) && v > c.stray && a.beside(at+int64(i), of, rate) {
			if c.stray == 0 {
				c.strayAt = at + int64(i)
			}
			c.stray = v
		}
	}
}

// is tells whether a sine is heard, at which level in dBFS, and whether there is little else.
func (t tone) is() (level float64, clean bool) {
	if t.n == 0 {
		return math.Inf(-1), false
	}
	amplitude := 2 * math.Hypot(t.re, t.im) / float64(t.n)
	rest := t.power/float64(t.n) - amplitude*amplitude/2
	return dsp.DB(amplitude), math.Abs(rest) < 0.05*amplitude*amplitude
}

// nearly is how far the level of a line-up tone may be off, in dB.
const nearly = 0.2

// lines says what of the leader and tail of a file is not as it should be. What was not heard at all is as little right.
func (c *checking) lines(p *placed, a around) {
	for _, h := range a.signals {
		what := fmt.Sprintf("Tone of %g Hz at %s", h.Tone, h.At)
		if h.Pop > 0 {
			what = fmt.Sprintf("Pop of %g Hz at %s", h.Pop, h.At)
		}
		wrong, asked, lowest := 0, 0, math.Inf(1)
		for i, t := range h.channels {
			if len(h.Of) > 0 && !slices.ContainsFunc(h.Of, func(id string) bool { return id == p.channels[i].group.ID }) {
				continue
			}
			asked++
			level, clean := t.is()
			if math.Abs(level-h.Level) > nearly || !clean {
				if wrong == 0 {
					wrong = i + 1
				}
				lowest = min(lowest, level)
			}
		}
		if asked == 0 {
			continue // it is for other groups
		}
		measured := "as asked"
		if wrong > 0 {
			measured = figure(&lowest, "dBFS")
		}
		c.note(wrong == 0, contract.Finding{Rule: "lead", File: p.file.Name, Channel: wrong, Message: what, Measured: measured,
			Limit: figure(&h.Level, "dBFS")})
	}
}
