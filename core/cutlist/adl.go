package cutlist

import (
	"bufio"
	"fmt"
	"io"
	"net/url"
	"slices"
	"strings"

	"zestyloom/core/reel"
	"zestyloom/core/timecode"
)

// WriteADL writes an audio decision list after AES31-3: every clip of the reel with its fades and its gain, to the
// sample. The sources are the files that lie beside it.
func WriteADL(w io.Writer, r *reel.Reel, beside Beside) error {
	out := bufio.NewWriter(w)
	at := func(samples int64) string { return tcf(samples, r.Head.FrameRate, r.Head.SampleRate) }
	quoted := func(s string) string { return `"` + strings.ReplaceAll(oneLine(s), `"`, "'") + `"` }
	fmt.Fprintf(out, "<ADL>\r\n<VERSION>\r\n  (ADL_ID) 06,64,43,52,01,01,01,04,01,02,03,04\r\n  (VER_ADL_VERSION) 01\r\n  (VER_CREATOR) \"Zesty Loom\"\r\n</VERSION>\r\n")
	fmt.Fprintf(out, "<PROJECT>\r\n  (PROJ_TITLE) %s\r\n</PROJECT>\r\n<SYSTEM>\r\n  (SYS_SRC_OFFSET) %s\r\n</SYSTEM>\r\n", quoted(r.Head.Name),
		at(0))
	rate := r.Head.FrameRate.Number()
	if r.Head.FrameRate.Drop {
		rate += "DF"
	}
	fmt.Fprintf(out, "<SEQUENCE>\r\n  (SEQ_SAMPLE_RATE) S%d\r\n  (SEQ_FRAME_RATE) %s\r\n  (SEQ_ADL_LEVEL) 1\r\n  (SEQ_CLEAN) FALSE\r\n  (SEQ_DEST_START) %s\r\n</SEQUENCE>\r\n<TRACKLIST>\r\n", r.Head.SampleRate, rate, at(r.Head.Start))
	first := map[string]int{} // of a track's channels, from 1
	n := 1
	for _, t := range r.TrackList() {
		first[t.ID] = n
		for _, label := range t.Labels {
			name := t.Name
			if len(t.Labels) > 1 {
				name += " " + label
			}
			fmt.Fprintf(out, "  (Track) %d %s\r\n", n, quoted(name))
			n++
		}
	}
	fmt.Fprint(out, "</TRACKLIST>\r\n<SOURCE_INDEX>\r\n")
	index := map[string]int{}
	clips := slices.DeleteFunc(r.ClipList(), func(c reel.Clip) bool {
		_, there := beside(c)
		return c.Mute || !there
	})
	for _, c := range clips {
		a, _ := beside(c)
		if index[a.File] != 0 {
			continue
		}
		index[a.File] = len(index) + 1
		fmt.Fprintf(out, "  (Index) %04d (F) \"URL:file://localhost/%s\" _ %s %s %s N\r\n", index[a.File], (&url.URL{Path: a.File}).EscapedPath(),
			at(a.From+a.First), at(a.Frames), quoted(a.Title))
	}
	fmt.Fprint(out, "</SOURCE_INDEX>\r\n<EVENT_LIST>\r\n")
	for i, c := range clips {
		a, _ := beside(c)
		to := first[c.Track]
		fmt.Fprintf(out, "  (Entry) %04d (Cut) I %04d %s %s %s %s %s R\r\n", i+1, index[a.File], channels(c.Channels, 1),
			channels(consecutive(len(c.Channels)), to), at(a.From+c.Offset), at(c.Start), at(c.End()))
		for _, f := range []struct {
			word string
			fade reel.Fade
		}{{"Infade", c.FadeIn}, {"Outfade", c.FadeOut}} {
			if f.fade.Length > 0 {
				curve := map[reel.Curve]string{reel.Power: "SINE", reel.Ess: "SCURVE"}[f.fade.Curve]
				if curve == "" {
					curve = "LIN"
				}
				fmt.Fprintf(out, "    (%s) %s %s\r\n", f.word, at(f.fade.Length), curve)
			}
		}
		if c.GainDB != 0 {
			fmt.Fprintf(out, "    (Gain) %.2f\r\n", c.GainDB)
		}
		fmt.Fprintf(out, "    (Rem) NAME %s\r\n", quoted(c.Name))
	}
	fmt.Fprint(out, "</EVENT_LIST>\r\n</ADL>\r\n")
	return out.Flush()
}

// tcf writes a place as AES31-3 does: a timecode, and after a slash the samples that go beyond its frame. The signs
// between hours, minutes, seconds and frames tell the frame rate.
func tcf(samples int64, rate timecode.Rate, sampleRate int) string {
	frame := rate.FrameAt(samples, sampleRate)
	rest := samples - rate.SampleOf(frame, sampleRate)
	label := strings.ReplaceAll(rate.Label(frame), ";", ":")
	sign := ":"
	switch rate.Base() {
	case 24:
		sign = "="
	case 25, 50:
		sign = "."
	}
	label = strings.ReplaceAll(label, ":", sign)
	if rate.Drop {
		label = label[:len(label)-3] + "," + label[len(label)-2:]
	}
	return fmt.Sprintf("%s/%04d", label, rest)
}

// channels writes channel numbers, runs of them as 1~4.
func channels(list []int, from int) string {
	var parts []string
	for i := 0; i < len(list); {
		j := i
		for j+1 < len(list) && list[j+1] == list[j]+1 {
			j++
		}
		if i == j {
			parts = append(parts, fmt.Sprint(list[i]+from))
		} else {
			parts = append(parts, fmt.Sprintf("%d~%d", list[i]+from, list[j]+from))
		}
		i = j + 1
	}
	return strings.Join(parts, ",")
}

func consecutive(n int) []int {
	out := make([]int, n)
	for i := range out {
		out[i] = i
	}
	return out
}
