package timecode

import (
	"fmt"
	"regexp"
	"strconv"

	"zestyloom/core/fault"
)

// Rate is a frame rate as a rational number of frames a second. Drop marks drop-frame counting, which leaves out
// frame numbers (never frames) so that 29.97 and 59.94 labels keep up with the clock (SMPTE ST 12-1).
type Rate struct {
	Num  int64 `json:"num"`
	Den  int64 `json:"den"`
	Drop bool  `json:"drop"`
}

// Rates that the product knows, in the order in which it offers them.
var Rates = []Rate{
	{24000, 1001, false}, {24, 1, false}, {25, 1, false}, {30000, 1001, false}, {30000, 1001, true},
	{30, 1, false}, {48, 1, false}, {50, 1, false}, {60000, 1001, false}, {60000, 1001, true}, {60, 1, false},
}

// Valid tells whether r is a rate that timecode is defined for here.
func (r Rate) Valid() bool {
	for _, known := range Rates {
		if r == known {
			return true
		}
	}
	return false
}

// Base is the number of frame labels in a second: 30 for 29.97.
func (r Rate) Base() int64 { return (r.Num + r.Den - 1) / r.Den }

// Number gives "25", "23.976", "29.97" and so on, which ParseRate reads.
func (r Rate) Number() string {
	if r.Den != 1 {
		return map[int64]string{24000: "23.976", 30000: "29.97", 60000: "59.94"}[r.Num]
	}
	return strconv.FormatInt(r.Num, 10)
}

// String gives the number with its counting: "25", "29.97 DF".
func (r Rate) String() string {
	s := r.Number()
	if r.Drop {
		s += " DF"
	}
	return s
}

// ParseRate reads iXML's "30000/1001" with its flag "DF" or "NDF", and plain "25" or "29.97".
func ParseRate(text, flag string) (Rate, error) {
	r := Rate{Den: 1, Drop: flag == "DF"}
	switch text {
	case "23.976", "23.98":
		r.Num, r.Den = 24000, 1001
	case "29.97":
		r.Num, r.Den = 30000, 1001
	case "59.94":
		r.Num, r.Den = 60000, 1001
	default:
		m := rateText.FindStringSubmatch(text)
		if m == nil {
			return Rate{}, fault.New(fault.BadInput, "%q is not a frame rate; write it as 25/1 or 30000/1001", text)
		}
		r.Num, _ = strconv.ParseInt(m[1], 10, 64)
		if m[2] != "" {
			r.Den, _ = strconv.ParseInt(m[2], 10, 64)
		}
	}
	if !r.Valid() {
		return Rate{}, fault.New(fault.Unsupported, "%s %s is not a frame rate that is known here", text, flag)
	}
	return r, nil
}

var rateText = regexp.MustCompile(`^(\d{1,6})(?:/(\d{1,5}))?$`)

// SampleOf gives the first sample that lies in frame (ceiling), so that FrameAt(SampleOf(f)) == f at every rate.
func (r Rate) SampleOf(frame int64, sampleRate int) int64 {
	n := frame * int64(sampleRate) * r.Den
	return FloorDiv(n+r.Num-1, r.Num)
}

// FrameAt gives the number of the frame that sample lies in.
func (r Rate) FrameAt(sample int64, sampleRate int) int64 {
	return FloorDiv(sample*r.Num, int64(sampleRate)*r.Den)
}

// FloorDiv is a ⁄ b, rounded down.
func FloorDiv(a, b int64) int64 {
	q := a / b
	if a%b != 0 && (a < 0) != (b < 0) {
		q--
	}
	return q
}

// Label writes a frame count since midnight as hh:mm:ss:ff, with ; before the frames when dropping. Counts outside
// a day wrap, as clocks do.
func (r Rate) Label(frame int64) string {
	base := r.Base()
	if r.Drop {
		frame = r.restoreDropped(frame)
	}
	day := 24 * 3600 * base
	frame = ((frame % day) + day) % day
	sep := ":"
	if r.Drop {
		sep = ";"
	}
	s := frame / base
	return fmt.Sprintf("%02d:%02d:%02d%s%02d", s/3600, s/60%60, s%60, sep, frame%base)
}

// restoreDropped turns a count of real frames into the label count, in which 2 numbers a minute (4 at 59.94) are
// skipped but not in minutes divisible by ten.
func (r Rate) restoreDropped(frame int64) int64 {
	drop := r.Base() / 15
	perMinute := r.Base()*60 - drop
	perTen := perMinute*10 + drop
	perDay := perTen * 144
	frame = ((frame % perDay) + perDay) % perDay
	tens, rest := frame/perTen, frame%perTen
	frame += tens * 9 * drop
	if rest >= drop {
		frame += drop * ((rest - drop) / perMinute)
	}
	return frame
}

// Frame reads hh:mm:ss:ff (any of : ; . before the frames) into frames since midnight. A label that drop-frame
// counting leaves out is an error.
func (r Rate) Frame(label string) (int64, error) {
	m := labelText.FindStringSubmatch(label)
	if m == nil {
		return 0, fault.New(fault.BadInput, "%q is not a timecode; write it as 10:00:00:00", label)
	}
	var v [4]int64
	for i := range v {
		v[i], _ = strconv.ParseInt(m[i+1], 10, 64)
	}
	base := r.Base()
	if v[0] > 23 || v[1] > 59 || v[2] > 59 || v[3] >= base {
		return 0, fault.New(fault.BadInput, "%q is not a timecode at %s frames a second", label, r)
	}
	frame := ((v[0]*60+v[1])*60+v[2])*base + v[3]
	if r.Drop {
		drop := base / 15
		minutes := v[0]*60 + v[1]
		if v[1]%10 != 0 && v[2] == 0 && v[3] < drop {
			return 0, fault.New(fault.BadInput, "%q does not exist: drop-frame counting leaves it out", label)
		}
		frame -= drop * (minutes - minutes/10)
	}
	return frame, nil
}

var labelText = regexp.MustCompile(`^(\d{1,2}):(\d{1,2}):(\d{1,2})[:;.](\d{1,2})$`)

// LabelAt gives the timecode of the frame that sample lies in.
func (r Rate) LabelAt(sample int64, sampleRate int) string {
	return r.Label(r.FrameAt(sample, sampleRate))
}

// Reading is what a clock shows, in samples since midnight: a time of day and no date. It is no place on a reel, which may run
// over midnight: what makes one of the other is where the reel starts (reel.At), or another moment (Near).
type Reading int64

// Convert takes a reading at one sample rate to another.
func (at Reading) Convert(from, to int) Reading { return Reading(Convert(int64(at), from, to)) }

// ParseSample reads the first sample of the frame that label names.
func (r Rate) ParseSample(label string, sampleRate int) (Reading, error) {
	frame, err := r.Frame(label)
	if err != nil {
		return 0, err
	}
	return Reading(r.SampleOf(frame, sampleRate)), nil
}

// Day is how long the 24 hours of the clock last, in samples: 86,400 s, but a thousandth more where 24 or 30 frames are
// counted to a second that has 23.976 or 29.97. The zero Rate counts real time.
func (r Rate) Day(sampleRate int) int64 {
	if r.Num == 0 {
		return 24 * 3600 * int64(sampleRate)
	}
	frames := r.Base() * 24 * 3600
	if r.Drop {
		frames -= r.Base() / 15 * (24*60 - 24*6)
	}
	return r.SampleOf(frames, sampleRate)
}

// Near gives the moment of a reading of the clock, on the day that brings it nearest to another moment: a clock tells the time
// and no date, so readings on either side of midnight mean little until they are on one line.
func (r Rate) Near(reading Reading, moment int64, sampleRate int) int64 {
	day, at := r.Day(sampleRate), int64(reading)
	if day <= 0 {
		return at
	}
	return at - FloorDiv(2*(at-moment)+day, 2*day)*day
}

// Since gives a moment as the clock reads it, from midnight on.
func (r Rate) Since(moment int64, sampleRate int) Reading {
	day := r.Day(sampleRate)
	if day <= 0 {
		return Reading(moment)
	}
	return Reading(moment - FloorDiv(moment, day)*day)
}

// Convert takes a count at one sample rate to another, rounded to the nearest sample. It serves time stamps whose
// rate is not the rate of their audio (pulled clocks).
func Convert(samples int64, from, to int) int64 {
	if from == to || from <= 0 {
		return samples
	}
	// Split off whole seconds so that a day at 192 kHz stays far from overflow.
	whole, rest := FloorDiv(samples, int64(from)), samples-FloorDiv(samples, int64(from))*int64(from)
	return whole*int64(to) + FloorDiv(2*rest*int64(to)+int64(from), 2*int64(from))
}

// Clock gives a length as hours:minutes:seconds with tenths.
func Clock(samples int64, sampleRate int) string {
	tenths := Convert(samples, sampleRate, 10)
	return fmt.Sprintf("%02d:%02d:%02d.%d", tenths/36000, tenths/600%60, tenths/10%60, tenths%10)
}
