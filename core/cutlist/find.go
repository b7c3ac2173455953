package cutlist

import (
	"fmt"
	"path"
	"regexp"
	"slices"
	"strings"

	"zestyloom/core/take"
	"zestyloom/core/timecode"
)

// Source is a take as a list may ask for it.
type Source struct {
	ID     string
	Title  string
	File   string
	Roll   string
	Scene  string
	Take   string
	Start  *int64 // where its first frame lies on its own clock, in samples since midnight; nil where nothing tells
	Frames int64
	Camera bool   // it is the guide sound of a camera
	SyncTo string // ID of the source that it is in sync with; empty where it is with none
	Later  int64  // how many samples after that one it begins
}

// Found is the take that an event comes from, or why there is none.
type Found struct {
	Take   string `json:"take,omitempty"` // ID; empty where it was not found
	Title  string `json:"title,omitempty"`
	Offset int64  `json:"offset"` // frame of the take that lies at the event's beginning
	Head   int64  `json:"head,omitempty"`
	Tail   int64  `json:"tail,omitempty"` // samples at either end of the event that the take does not have
	By     string `json:"by,omitempty"`   // what it was found by
	Why    string `json:"why,omitempty"`  // why nothing was found, or what is doubtful
}

// Find looks for the take of an event: by its roll and timecode, its file's name, its scene and take, each as far as
// the list names it. Of several the one wins that agrees in most; two that agree in as much are doubtful, and the first
// is taken. A take that lies elsewhere on the clock than the event asks for is not taken.
func Find(e Event, sources []Source, rate timecode.Rate, sampleRate int) Found {
	best, bestScore, twice := Found{}, 0, ""
	scene, number := sceneTake(e)
	named := false // there is a take of this name, roll or file, but not at this time
	rollSeen := e.Roll == ""
	for _, s := range sources {
		var by []string
		score := 0
		if e.Roll != "" && sameRoll(e.Roll, s.Roll) {
			rollSeen = true
			score += 3
			by = append(by, "roll")
		}
		if sameFile(e.File, s.File) || sameFile(e.Name, s.File) {
			score += 4
			by = append(by, "file")
		}
		if scene != "" && same(scene, s.Scene) && same(number, s.Take) {
			score += 3
			by = append(by, "scene and take")
		}
		if score == 0 && e.Roll != "" {
			continue // timecode of another day
		}
		named = named || score > 0
		f, ok := within(e, s, rate, sampleRate)
		if !ok {
			continue
		}
		if s.Start != nil {
			score += 2
			by = append(by, "timecode")
			if f.Head+f.Tail > 0 {
				score--
			}
		} else if score < 3 {
			continue // it has no clock, and no name that the list gives
		}
		if score < 2 {
			continue
		}
		f.Take, f.Title, f.By = s.ID, s.Title, strings.Join(by, ", ")
		switch {
		case score > bestScore:
			best, bestScore, twice = f, score, ""
		case score == bestScore:
			twice = s.Title
		}
	}
	if camera, ok := sourceOf(best.Take, sources); ok && camera.Camera {
		best = best.recorded(e, sources)
	}
	at := rate.LabelAt(e.SourceIn, sampleRate)
	switch {
	case best.Take != "" && twice != "":
		best.Why = fmt.Sprintf("%s fits as well", twice)
	case best.Take != "" && best.Head+best.Tail > 0:
		best.Why = fmt.Sprintf("%s is shorter than the list asks for, by %s", best.Title, frames(best.Head+best.Tail, rate, sampleRate))
	case best.Take != "":
	case named:
		best.Why = fmt.Sprintf("Takes of %s are here, but none holds %s", describe(e, scene, number), at)
	case !rollSeen:
		best.Why = fmt.Sprintf("No take of roll %s is here, nor one of that name", e.Roll)
	default:
		best.Why = fmt.Sprintf("No take is here that is called %s, or that holds %s", e.Title(), at)
	}
	return best
}

func sourceOf(id string, sources []Source) (Source, bool) {
	i := slices.IndexFunc(sources, func(s Source) bool { return s.ID == id && id != "" })
	if i < 0 {
		return Source{}, false
	}
	return sources[i], true
}

// recorded gives, for a camera's movie that was found, the recording that is in sync with it: a picture cut names the
// cameras, and the sound is cut from the recorder.
func (f Found) recorded(e Event, sources []Source) Found {
	for _, s := range sources {
		if s.SyncTo != f.Take || s.Camera {
			continue
		}
		offset := f.Offset - s.Later
		head, tail := max(0, -offset), max(0, offset+e.Length()-s.Frames)
		if 2*(head+tail) <= e.Length() {
			return Found{Take: s.ID, Title: s.Title, Offset: offset, Head: head, Tail: tail,
				By: f.By + " of " + f.Title + ", which it is in sync with"}
		}
	}
	return f
}

func describe(e Event, scene, number string) string {
	switch {
	case e.Roll != "":
		return "roll " + e.Roll
	case scene != "":
		return "scene " + scene + ", take " + number
	}
	return e.Title()
}

func frames(samples int64, rate timecode.Rate, sampleRate int) string {
	n := (samples*rate.Num + int64(sampleRate)*rate.Den - 1) / (int64(sampleRate) * rate.Den)
	if n == 1 {
		return "1 frame"
	}
	return fmt.Sprintf("%d frames", n)
}

// within says where in a source an event begins, if the source has at least half of it.
func within(e Event, s Source, rate timecode.Rate, sampleRate int) (Found, bool) {
	clocks := []int64{0}
	if s.Start != nil {
		clocks = []int64{*s.Start}
	} else if e.FileFrom != 0 {
		clocks = []int64{e.FileFrom, 0}
	}
	for _, start := range clocks {
		offset := rate.Near(timecode.Reading(e.SourceIn), start+s.Frames/2, sampleRate) - start
		head, tail := max(0, -offset), max(0, offset+e.Length()-s.Frames)
		if 2*(head+tail) <= e.Length() {
			return Found{Offset: offset, Head: head, Tail: tail}, true
		}
	}
	return Found{}, false
}

// plain is a name without case, signs and leading noughts.
func plain(s string) string {
	var b strings.Builder
	for _, r := range strings.ToLower(s) {
		if r >= '0' && r <= '9' || r >= 'a' && r <= 'z' || r > 0x7f {
			b.WriteRune(r)
		}
	}
	return strings.TrimLeft(b.String(), "0")
}

func same(a, b string) bool { return a != "" && plain(a) == plain(b) }

// sameRoll allows for reel names that a CMX 3600 list cut short.
func sameRoll(list, roll string) bool {
	a, b := plain(list), plain(roll)
	return a != "" && (a == b || len(list) == maxRoll && strings.HasPrefix(b, a))
}

func sameFile(name, file string) bool {
	stem := func(s string) string { return strings.ToLower(take.Bare(s)) }
	if name == "" || file == "" {
		return false
	}
	name = path.Base(strings.ReplaceAll(name, `\`, "/"))
	return stem(name) == stem(file) || strings.EqualFold(name, stem(file))
}

// slate is how a scene and its take stand in a clip's name: 12A-3, 12A/3, 12A T03, 12A take 3, 12A_03.
var slate = regexp.MustCompile(`(?i)^\s*(?:scene\s+|sc\s*)?(\d{1,4}[a-z]{0,3})\s*(?:[-/_.,]\s*|\s+)(?:t|tk|take)?\s*0*(\d{1,3})\b`)

// sceneTake is the scene and take that an event names.
func sceneTake(e Event) (scene, number string) {
	if e.Scene != "" && e.Take != "" {
		return e.Scene, e.Take
	}
	if m := slate.FindStringSubmatch(e.Name); m != nil {
		return m[1], m[2]
	}
	return "", ""
}
