package desk

import (
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"regexp"
	"slices"

	"zestyloom/core/dsp"
	"zestyloom/core/fault"
	"zestyloom/core/loudness"
	"zestyloom/core/timecode"
)

// Difference is something in which two deliveries differ: a file, or a stretch of a channel.
type Difference struct {
	File        string   `json:"file"`
	Stream      int      `json:"stream,omitempty"`  // of a file with several, from 1
	Channel     int      `json:"channel,omitempty"` // from 1; 0 where it is about the file
	From        string   `json:"from,omitempty"`    // timecode
	To          string   `json:"to,omitempty"`
	FromSeconds *float64 `json:"fromSeconds,omitempty"` // from the beginning of the file
	PeakDBFS    *float64 `json:"peakDBFS,omitempty"`    // of what is left when one is taken from the other
	Message     string   `json:"message"`
}

// Null is what is left of a file when the other is taken from it, over time, of the channel where most is.
type Null struct {
	File string          `json:"file"`
	Left *loudness.Curve `json:"left"` // dBFS
}

// Comparison says how two deliveries differ.
type Comparison struct {
	Equal       bool         `json:"equal"`
	Differences []Difference `json:"differences"`
	Nulls       []Null       `json:"nulls,omitempty"`
}

// version is what of a name changes from one delivery to the next: which print it is, and its day.
var version = regexp.MustCompile(`(?i)_v\d+|_\d{4}-\d\d-\d\d`)

// Compare says in which files, channels and stretches two deliveries differ, and by how much. Files are the same that are called
// the same but for their version; where each has one alone, those are compared. progress is told the share done.
func Compare(ctx context.Context, a, b []File, progress func(float64)) (Comparison, error) {
	c := comparing{ctx: ctx, Comparison: Comparison{Equal: true, Differences: []Difference{}}}
	bare := func(f File) string { return version.ReplaceAllString(f.Name, "") }
	taken := make([]bool, len(b))
	for i, one := range a {
		at := slices.IndexFunc(b, func(f File) bool { return bare(f) == bare(one) })
		if len(a) == 1 && len(b) == 1 {
			at = 0
		}
		if at < 0 {
			c.differ(Difference{File: one.Name, Message: "It is in the first alone"})
			continue
		}
		taken[at] = true
		if err := c.files(one, b[at], func(share float64) { progress((float64(i) + share) / float64(len(a))) }); err != nil {
			return c.Comparison, err
		}
	}
	for i, other := range b {
		if !taken[i] {
			c.differ(Difference{File: other.Name, Message: "It is in the second alone"})
		}
	}
	return c.Comparison, nil
}

type comparing struct {
	Comparison
	ctx context.Context
}

func (c *comparing) differ(d Difference) {
	c.Equal = false
	c.Differences = append(c.Differences, d)
}

// files compares two files.
func (c *comparing) files(a, b File, progress func(float64)) error {
	if len(a.Streams) != len(b.Streams) || len(a.Streams) == 0 {
		c.differ(Difference{File: a.Name, Message: fmt.Sprintf("It has %d streams of sound, and the other %d", len(a.Streams), len(b.Streams))})
		return nil
	}
	if a.SHA256 != "" && a.SHA256 == b.SHA256 {
		return nil
	}
	for i := range a.Streams {
		x, y := a.Streams[i], b.Streams[i]
		d := Difference{File: a.Name}
		if len(a.Streams) > 1 {
			d.Stream = i + 1
		}
		if x.Channels != y.Channels || x.Rate != y.Rate {
			d.Message = fmt.Sprintf("%d channels at %d Hz, and in the other %d at %d", x.Channels, x.Rate, y.Channels, y.Rate)
			c.differ(d)
			continue
		}
		if x.Depth != y.Depth {
			d.Message = fmt.Sprintf("%s, and in the other %s", bits(x.Depth), bits(y.Depth))
			c.differ(d)
		}
		if one, other := stamped(a), stamped(b); one != other {
			d.Message = fmt.Sprintf("It begins at %s, and the other at %s, in samples since midnight", one, other)
			c.differ(d)
		}
		if err := c.sounds(a, x, y, d, progress); err != nil {
			return err
		}
	}
	return nil
}

func stamped(f File) string {
	if f.Start == nil {
		return "no time that it says"
	}
	return fmt.Sprint(*f.Start)
}

// apart is a stretch of a channel that differs.
type apart struct {
	from, to int64
	peak     float64
}

// together is how near two stretches that differ are one, in seconds.
const together = 1

// sounds takes one stream from the other.
func (c *comparing) sounds(f File, x, y Stream, d Difference, progress func(float64)) error {
	one, err := x.Open(c.ctx)
	if err != nil {
		return err
	}
	defer one.Close()
	two, err := y.Open(c.ctx)
	if err != nil {
		return err
	}
	defer two.Close()
	block := func() (b [][]float64) {
		for range x.Channels {
			b = append(b, make([]float64, blockFrames))
		}
		return b
	}
	a, b := block(), block()
	found := make([][]apart, x.Channels)
	var run loudness.Run
	most, held := 0.0, 0
	at, lengths := int64(0), [2]int64{}
	var errA, errB error
	for {
		if err := c.ctx.Err(); err != nil {
			return fault.Wrap(fault.Cancelled, err, "Comparing was stopped")
		}
		var n, m int
		if errA == nil {
			n, errA = fill(one, a)
		}
		if errB == nil {
			m, errB = fill(two, b)
		}
		if errA != nil && !errors.Is(errA, io.EOF) || errB != nil && !errors.Is(errB, io.EOF) {
			return errors.Join(errA, errB)
		}
		lengths[0], lengths[1] = lengths[0]+int64(n), lengths[1]+int64(m)
		for i := range min(n, m) {
			for ch := range a {
				left := math.Abs(a[ch][i] - b[ch][i])
				if left == 0 {
					continue
				}
				if math.IsNaN(left) { // no number is like nothing
					left = 1
				}
				most = max(most, left)
				found[ch] = added(found[ch], at+int64(i), left, int64(together*x.Rate))
			}
			if held++; held == peakFrames {
				run.Add(most)
				most, held = 0, 0
			}
		}
		at += int64(min(n, m))
		progress(float64(at) / float64(max(at, x.Frames)))
		if errA != nil && errB != nil { // the longer one is read to its end, to know how long it is
			break
		}
	}
	if lengths[0] != lengths[1] {
		d.Message = fmt.Sprintf("%d samples long, and the other %d", lengths[0], lengths[1])
		c.differ(d)
	}
	differs := false
	for ch, stretches := range found {
		for _, s := range stretches {
			differs = true
			c.differ(stretch(f, x.Rate, d, ch, s))
		}
	}
	if differs {
		c.Nulls = append(c.Nulls, Null{f.Name, run.Curve(float64(peakFrames)/float64(x.Rate), loudness.Level)})
	}
	return nil
}

// added adds a sample that differs to the last stretch, or begins another. There are at most so many: more would tell nobody more.
func added(list []apart, at int64, left float64, gap int64) []apart {
	const most = 200
	if n := len(list); n > 0 && (at-list[n-1].to <= gap || n == most) {
		list[n-1].to, list[n-1].peak = at+1, max(list[n-1].peak, left)
		return list
	}
	return append(list, apart{at, at + 1, left})
}

func stretch(f File, rate int, d Difference, channel int, s apart) Difference {
	clock := f.FrameRate
	if !clock.Valid() {
		clock = timecode.Rate{Num: 25, Den: 1}
	}
	begin := int64(0)
	if f.Start != nil {
		begin = int64(*f.Start)
	} else if at, err := clock.ParseSample(f.Timecode, rate); err == nil {
		begin = int64(at)
	}
	seconds, peak := float64(s.from)/float64(rate), dsp.DB(s.peak)
	d.Channel, d.From, d.To, d.FromSeconds, d.PeakDBFS = channel+1, clock.LabelAt(begin+s.from, rate), clock.LabelAt(begin+s.to, rate),
		&seconds, &peak
	d.Message = fmt.Sprintf("Differs by up to %s", level(s.peak))
	return d
}
