package cutlist

import (
	"bufio"
	"bytes"
	"fmt"
	"io"
	"math"
	"regexp"
	"strconv"
	"strings"

	"zestyloom/core/fault"
	"zestyloom/core/timecode"
)

// An event line of a CMX 3600 list: number, reel, channels, transition with its length, and four timecodes.
var (
	eventLine = regexp.MustCompile(`^\s*(\d{1,6}[A-Z]?)\s+(\S+)\s+(.+?)\s+(C|D|W\d{3}|KB?|KO)\s+(?:(\d{1,4})\s+)?(F\s+)?(\d\d[:;.]\d\d[:;.]\d\d[:;.,]\d\d)\s+(\d\d[:;.]\d\d[:;.]\d\d[:;.,]\d\d)\s+(\d\d[:;.]\d\d[:;.]\d\d[:;.,]\d\d)\s+(\d\d[:;.]\d\d[:;.]\d\d[:;.,]\d\d)\s*$`)
	speedLine = regexp.MustCompile(`(?i)^\s*M2\s+(\S+)\s+(-?\d+(?:\.\d+)?)\s`)
	audLine   = regexp.MustCompile(`(?i)^\s*AUD\s+([\d\s]+)$`)
	comment   = regexp.MustCompile(`(?i)^\s*\*\s*(FROM CLIP NAME|TO CLIP NAME|SOURCE FILE|SCENE|TAKE|CLIP NAME)\s*(?::|\sIS\b)?\s*(.*?)\s*$`)
	channel   = regexp.MustCompile(`(?i)^A(\d*)$`)
)

// readEDL reads a CMX 3600 list.
func readEDL(text []byte, rate timecode.Rate, sampleRate int) (List, error) {
	l := List{FrameRate: rate}
	l.FrameRate.Drop = false
	var last []int // events that the lines below an event speak of
	note := func(line int, format string, args ...any) {
		if len(l.Notes) < 200 {
			l.Notes = append(l.Notes, fmt.Sprintf("Line %d: %s", line, fmt.Sprintf(format, args...)))
		}
	}
	scan := bufio.NewScanner(bytes.NewReader(text))
	scan.Buffer(nil, 1<<20)
	number := 0
	for scan.Scan() {
		number++
		line := strings.TrimRight(scan.Text(), "\r \t")
		upper := strings.ToUpper(strings.TrimSpace(line))
		switch {
		case upper == "":
		case strings.HasPrefix(upper, "TITLE:"):
			l.Title = strings.TrimSpace(strings.TrimSpace(line)[len("TITLE:"):])
		case strings.HasPrefix(upper, "FCM:"):
			l.FrameRate.Drop = !strings.Contains(upper, "NON") && dropped(rate)
		case eventLine.MatchString(line):
			m := eventLine.FindStringSubmatch(line)
			e, err := edlEvent(&l, m, sampleRate)
			if err != nil {
				note(number, "%v", err)
				last = nil
				continue
			}
			// A dissolve is written as two lines of one number: a cut of no length from the old source, and the dissolve.
			if e.Length() == 0 && m[4] == "C" {
				last = nil
				continue
			}
			switch {
			case m[4] == "D":
				frames, _ := strconv.ParseInt(m[5], 10, 64)
				e.Fade = min(l.FrameRate.SampleOf(frames, sampleRate), e.Length())
			case m[4] != "C":
				note(number, "%s is a wipe or a key; it is taken as a cut", m[4])
			}
			if isBlack(m[2]) {
				last = nil
				continue
			}
			last = []int{len(l.Events)}
			l.Events = append(l.Events, e)
		case speedLine.MatchString(line):
			m := speedLine.FindStringSubmatch(line)
			speed, _ := strconv.ParseFloat(m[2], 64)
			for _, i := range last {
				if e := &l.Events[i]; strings.EqualFold(e.Roll, rollOf(m[1])) {
					e.Speed = speed * float64(rate.Den) / float64(rate.Num)
					if math.Abs(e.Speed-1) < 0.001 {
						e.Speed = 0
					}
				}
			}
		case audLine.MatchString(line):
			for _, n := range strings.Fields(audLine.FindStringSubmatch(line)[1]) {
				k, _ := strconv.Atoi(n)
				for _, i := range last {
					l.Events[i].Sound = true
					l.Events[i].Channels = append(l.Events[i].Channels, k)
				}
			}
		case comment.MatchString(line):
			m := comment.FindStringSubmatch(line)
			for _, i := range last {
				e := &l.Events[i]
				switch strings.ToUpper(m[1]) {
				case "TO CLIP NAME":
					if e.Fade > 0 {
						e.Name = m[2]
					}
				case "FROM CLIP NAME":
					if e.Fade == 0 || e.Name == "" {
						e.Name = m[2]
					}
				case "CLIP NAME":
					e.Name = m[2]
				case "SOURCE FILE":
					e.File = m[2]
				case "SCENE":
					e.Scene = m[2]
				case "TAKE":
					e.Take = m[2]
				}
			}
		case strings.HasPrefix(upper, "*"), strings.HasPrefix(upper, "M2"), strings.HasPrefix(upper, ">>>"), strings.HasPrefix(upper, "SPLIT"),
			strings.HasPrefix(upper, "AUD"):
			// said of an event, and of no use here
		case upper[0] >= '0' && upper[0] <= '9':
			note(number, "this event can't be read: %.60q", strings.TrimSpace(line))
			last = nil
		}
		if len(l.Events) > maxEvents {
			break
		}
	}
	if scan.Err() != nil {
		return List{}, fault.New(fault.BadInput, "This is not a cut list: line %d is longer than any list's", number+1)
	}
	return l, nil
}

func dropped(rate timecode.Rate) bool { return rate.Den == 1001 && rate.Base()%30 == 0 }

// rollOf is the reel's name, or nothing for a source that has none.
func rollOf(reel string) string {
	if strings.EqualFold(reel, "AX") || strings.EqualFold(reel, "AUX") {
		return ""
	}
	return reel
}

func isBlack(roll string) bool {
	return strings.EqualFold(roll, "BL") || strings.EqualFold(roll, "BLK")
}

func edlEvent(l *List, m []string, sampleRate int) (Event, error) {
	e := Event{ID: m[1], Roll: rollOf(m[2])}
	for _, c := range strings.FieldsFunc(strings.ToUpper(m[3]), func(r rune) bool { return r == '/' || r == ' ' || r == ',' }) {
		switch {
		case c == "B":
			e.Picture, e.Sound = true, true
			e.Channels = append(e.Channels, 1)
		case c == "AA":
			e.Sound = true
			e.Channels = append(e.Channels, 1, 2)
		case c[0] == 'V':
			e.Picture = true
		case channel.MatchString(c):
			e.Sound = true
			n, err := strconv.Atoi(channel.FindStringSubmatch(c)[1])
			if err != nil {
				n = 1
			}
			e.Channels = append(e.Channels, n)
		}
	}
	var at [4]int64
	for i, label := range m[7:11] {
		label = strings.ReplaceAll(label, ",", ":")
		if strings.ContainsAny(label, ";") && dropped(l.FrameRate) {
			l.FrameRate.Drop = true
		}
		label = strings.NewReplacer(";", ":", ".", ":").Replace(label)
		frame, err := l.FrameRate.Frame(label)
		if err != nil {
			return e, err
		}
		at[i] = l.FrameRate.SampleOf(frame, sampleRate)
	}
	if at[3] < at[2] { // over midnight
		at[3] += l.FrameRate.Day(sampleRate)
	}
	e.SourceIn, e.From, e.To = at[0], at[2], at[3]
	return e, nil
}

// maxRoll is the length of a reel name in a CMX 3600 list.
const maxRoll = 8

var notInRoll = regexp.MustCompile(`[^A-Z0-9_]`)

// WriteEDL writes the list as CMX 3600. Positions that do not fall on a frame are written as the frame that they lie
// in; off counts the events with such a position.
func WriteEDL(w io.Writer, l List, sampleRate int) (off int, err error) {
	out := bufio.NewWriter(w)
	fcm := "NON-DROP FRAME"
	if l.FrameRate.Drop {
		fcm = "DROP FRAME"
	}
	fmt.Fprintf(out, "TITLE: %s\r\nFCM: %s\r\n", oneLine(l.Title), fcm)
	label := func(at int64) string { return l.FrameRate.LabelAt(at, sampleRate) }
	for i, e := range l.Events {
		roll := notInRoll.ReplaceAllString(strings.ToUpper(e.Roll), "")
		if roll = roll[:min(len(roll), maxRoll)]; roll == "" || isBlack(roll) { // BL is no roll, but nothing to be seen
			roll = "AX"
		}
		// The length in frames is that of the cut; the source follows it.
		from, to, in := l.FrameRate.FrameAt(e.From, sampleRate), l.FrameRate.FrameAt(e.To, sampleRate),
			l.FrameRate.FrameAt(e.SourceIn, sampleRate)
		to = max(to, from+1) // what is shorter than a frame would be no event
		for _, at := range []int64{e.From, e.To, e.SourceIn} {
			if l.FrameRate.SampleOf(l.FrameRate.FrameAt(at, sampleRate), sampleRate) != at {
				off++
				break
			}
		}
		channels := "V"
		if e.Sound {
			channels = "AA"
			if e.Picture {
				channels = "AA/V"
			}
		}
		transition := "C        "
		if e.Fade > 0 {
			transition = fmt.Sprintf("D    %03d ", min(l.FrameRate.FrameAt(e.Fade, sampleRate), 999))
		}
		fmt.Fprintf(out, "%03d  %-8s %-5s %s %s %s %s %s\r\n", i+1, roll, channels, transition, l.FrameRate.Label(in),
			l.FrameRate.Label(in+to-from), label(e.From), l.FrameRate.Label(to))
		for _, c := range []struct{ what, is string }{{"FROM CLIP NAME", e.Name}, {"SOURCE FILE", e.File}, {"SCENE", e.Scene}, {"TAKE", e.Take}} {
			if c.what == "FROM CLIP NAME" && e.Fade > 0 {
				c.what = "TO CLIP NAME"
			}
			if c.is != "" {
				fmt.Fprintf(out, "* %s: %s\r\n", c.what, oneLine(c.is))
			}
		}
	}
	return off, out.Flush()
}

// oneLine keeps a name from ending its line.
func oneLine(s string) string {
	return strings.Map(func(r rune) rune {
		if r < ' ' || r == 0x7f {
			return ' '
		}
		return r
	}, s)
}
