package handover

import (
	"fmt"
	"io"
	"strconv"
	"strings"

	"zestyloom/core/cells"
	"zestyloom/core/cutlist"
	"zestyloom/core/reel"
)

// WriteTable writes a line for each clip of the reel as comma-separated values (RFC 4180): where it lies, what it is, and
// what is done to it, in words.
func WriteTable(w io.Writer, p Package, beside cutlist.Beside) error {
	r := p.Reel
	at := func(samples int64) string { return r.Head.FrameRate.LabelAt(samples, r.Head.SampleRate) }
	rows := [][]string{{"track", "stem", "clip", "from", "to", "from (samples)", "length (samples)", "file", "source in",
		"source in (samples)",
		"channels", "gain dB", "fade in (samples)", "fade out (samples)", "muted", "roll", "scene", "take", "done to it"}}
	for _, c := range r.ClipList() {
		a, _ := beside(c)
		t := r.Tracks[c.Track]
		channels := make([]string, len(c.Channels))
		for i, ch := range c.Channels {
			channels[i] = strconv.Itoa(ch + 1)
		}
		muted := ""
		if c.Mute {
			muted = "muted"
		}
		rows = append(rows, []string{t.Name, t.Stem, c.Name, at(c.Start), at(c.End()), fmt.Sprint(c.Start), fmt.Sprint(c.Length), a.File,
			at(a.From + c.Offset), fmt.Sprint(a.From + c.Offset), strings.Join(channels, " "), fmt.Sprint(c.GainDB),
			fmt.Sprint(c.FadeIn.Length),
			fmt.Sprint(c.FadeOut.Length), muted, a.Roll, a.Scene, a.Take, strings.Join(done(c), ", ")})
	}
	return cells.Write(w, rows)
}

// done says in words what is done to a clip that no list of clips tells.
func done(c reel.Clip) (words []string) {
	say := func(n int, one string) {
		if n > 0 {
			words = append(words, fmt.Sprintf("%s (%d)", one, n))
		}
	}
	say(len(c.Gain), "gain curve")
	say(len(c.Pan), "pan curve")
	say(len(c.Chain), "processors")
	if c.Matrix != nil {
		words = append(words, "its channels are mixed")
	}
	if c.Sum {
		words = append(words, "the sum of its channels")
	}
	var off, level, turned, late, hushes, dips, borrowed, chained int
	for _, l := range c.Lanes {
		for n, is := range map[*int]bool{&off: l.Off, &level: l.GainDB != 0, &turned: l.Invert, &late: l.Delay != 0,
			&chained: len(l.Chain) > 0} {
			if is {
				*n++
			}
		}
		hushes, dips, borrowed = hushes+len(l.Hushes), dips+len(l.Dips), borrowed+len(l.Borrowed)
	}
	say(off, "channels off")
	say(level, "channels with a gain")
	say(turned, "channels of turned polarity")
	say(late, "channels delayed")
	say(hushes, "hushed")
	say(dips, "dipped")
	say(borrowed, "borrowed")
	say(chained, "channels with processors")
	return words
}

// Paper says what lies in the folder and what each list can't carry, counted on this reel.
func Paper(p Package, names map[string]string, offFrames int, missing []string) string {
	r := p.Reel
	var b strings.Builder
	say := func(format string, args ...any) { fmt.Fprintf(&b, format+"\r\n", args...) }
	say("%s, handed over", r.Head.Name)
	say("%s fps, %d Hz, from %s. %d tracks, %d clips, %d files of sound.", r.Head.FrameRate, r.Head.SampleRate,
		r.Head.FrameRate.LabelAt(r.Head.Start, r.Head.SampleRate), len(r.Tracks), len(r.Clips), len(p.Files))
	for _, m := range missing {
		say("MISSING: %s", m)
	}
	curves, inside, muted, fades, gains := count(r)
	say("")
	say("%s (OpenTimelineIO): every clip at its place, to the sample, with crossfades and marks. All else is in its metadata, under",
		names["otio"])
	say("zesty_loom; a program that does not read it has no levels, curves, routes, nor what is done inside of clips.")
	say("%s (AES31-3): every clip to the sample, with fades and gain. Not carried: what is done inside of %d clips, %d curves and",
		names["adl"],
		inside, curves)
	say("levels and chains of tracks, stems and mixes, the routes, %d marks, %d muted clips.", len(r.Marks), muted)
	say("%s (CMX 3600): one event for all microphones of a take, in whole frames; %d events do not lie on frames. Not carried besides:",
		names["edl"],
		offFrames)
	say("tracks, %d fades, %d gains.", fades, gains)
	say("%s (comma-separated values): a line for each clip, and in words what is done to it.", names["csv"])
	say("")
	say("The sums of all files are in %s.", names["sums"])
	return b.String()
}

// count counts what lists can't carry: curves and levels outside of clips, clips with something done inside, muted ones,
// fades and gains.
func count(r *reel.Reel) (curves, inside, muted, fades, gains int) {
	for _, t := range r.Tracks {
		curves += len(t.Curves)
		for _, is := range []bool{len(t.Gain) > 0, len(t.Pan) > 0, t.GainDB != 0} {
			if is {
				curves++
			}
		}
	}
	curves += len(r.Buses) + len(r.Chains)
	for _, c := range r.Clips {
		if len(done(c)) > 0 {
			inside++
		}
		if c.Mute {
			muted++
		}
		for _, f := range []reel.Fade{c.FadeIn, c.FadeOut} {
			if f.Length > 0 {
				fades++
			}
		}
		if c.GainDB != 0 {
			gains++
		}
	}
	return curves, inside, muted, fades, gains
}
