package desk

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"zestyloom/core/contract"
	"zestyloom/core/layout"
	"zestyloom/core/timecode"
)

// Seen is something that a delivery without a spec seems to have: a set of channels that belong together.
type Seen struct {
	Name     string   `json:"name"`
	Files    []string `json:"files"`
	Stream   int      `json:"stream,omitempty"` // of a file with several, from 1
	Layout   string   `json:"layout"`           // empty where nothing tells
	Labels   []string `json:"labels"`
	Why      string   `json:"why"` // what tells it
	Language string   `json:"language,omitempty"`
	First    int      `json:"first,omitempty"` // its first channel in the stream, from 0
}

// ending is how the name of one channel of a set ends: with its label, maybe after its number.
var ending = regexp.MustCompile(`(?i)^(.*?)(?:[ _.\-]+\d+)?[ _.\-]+(L|R|C|LFE|LS|RS|LSS|RSS|LRS|RRS|M|MONO)$`)

// Identify says what files are, where nobody has said what they should be: monos of a set by their names, streams by what
// their file says of them, else by the number of their channels.
func Identify(files []File) (seen []Seen) {
	sets := map[string]*Seen{}
	var order []string
	for _, f := range files {
		base := strings.TrimSuffix(f.Name, extensionOf(f.Name))
		at := ending.FindStringSubmatch(base)
		if len(f.Streams) != 1 || f.Streams[0].Channels != 1 || at == nil {
			for i, s := range f.Streams {
				for _, one := range streamSeen(f, s) {
					if len(f.Streams) > 1 {
						one.Stream = i + 1
					}
					seen = append(seen, one)
				}
			}
			continue
		}
		key := fmt.Sprint(strings.ToLower(at[1]), f.Streams[0].Rate, f.Streams[0].Frames)
		if sets[key] == nil {
			sets[key] = &Seen{Name: strings.Trim(at[1], " _.-"), Why: "by the names of the files"}
			order = append(order, key)
		}
		sets[key].Files = append(sets[key].Files, f.Name)
		sets[key].Labels = append(sets[key].Labels, spelt(at[2]))
	}
	for _, key := range order {
		seen = append(seen, sets[key].known())
	}
	return seen
}

func extensionOf(name string) string {
	if i := strings.LastIndex(name, "."); i > 0 {
		return name[i:]
	}
	return ""
}

// spelt writes a label as we do.
func spelt(text string) string {
	if label, known := layout.Label(text); known {
		return label
	}
	return text
}

// streamSeen says what a stream is: one set, or several that stand beside each other and have names.
func streamSeen(f File, s Stream) (seen []Seen) {
	one := Seen{Name: s.Title, Files: []string{f.Name}, Language: s.Language, Labels: []string{}}
	if one.Name == "" {
		one.Name = strings.TrimSuffix(f.Name, extensionOf(f.Name))
	}
	if sets := byNames(s.Names); len(sets) > 0 {
		for _, set := range sets {
			set.Files, set.Language, set.Why = one.Files, one.Language, "by the names of its channels"
			if len(sets) == 1 {
				set.Name = one.Name
			}
			seen = append(seen, set.known())
		}
		return seen
	}
	if labels := byLayout(s.Layout); len(labels) == s.Channels {
		one.Labels, one.Why = labels, "by what the file says"
	} else if usual := byNumber(s.Channels); usual != nil {
		one.Labels, one.Why = usual, "by the number of its channels; nothing in the file tells"
	} else {
		one.Why = fmt.Sprintf("%d channels; nothing in the file tells what they are", s.Channels)
		for c := range s.Channels {
			one.Labels = append(one.Labels, fmt.Sprint(c+1))
		}
	}
	return []Seen{one.known()}
}

// known adds the layout that the labels are.
func (s Seen) known() Seen {
	if l, known := layout.ForLabels(s.Labels); known {
		s.Layout = string(l.Name)
	} else if len(s.Labels) == 1 {
		s.Layout = string(layout.Mono)
	}
	return s
}

// Sets reads sets off the names of channels, with the layout of each: those of a file that holds several.
func Sets(names []string) (sets []Seen) {
	for _, s := range byNames(names) {
		sets = append(sets, s.known())
	}
	return sets
}

// byNames reads sets off the names of channels: those that differ in their last word alone, a label, are one; a name without a label
// is a set of its own. Nothing where a name is missing or stands twice.
func byNames(names []string) (sets []Seen) {
	for i, n := range names {
		if n == "" || slices.Contains(names[:i], n) {
			return nil
		}
		words := strings.Fields(n)
		label, known := layout.Label(words[len(words)-1])
		set := strings.Join(words[:len(words)-1], " ")
		if !known || label == "M" {
			sets = append(sets, Seen{Name: n, Labels: []string{"M"}, First: i})
			continue
		}
		last := len(sets) - 1
		if last < 0 || sets[last].Name != set || slices.Contains(sets[last].Labels, label) || sets[last].Labels[0] == "M" {
			sets = append(sets, Seen{Name: set, First: i})
			last++
		}
		sets[last].Labels = append(sets[last].Labels, label)
	}
	return sets
}

// byLayout gives the labels of a layout as other programs call it.
func byLayout(name string) []string {
	names := map[string]layout.Name{"mono": layout.Mono, "stereo": layout.Stereo, "3.0": layout.LCR, "5.0": layout.Five0,
		"5.0(side)": layout.Five0, "5.1": layout.Five1, "5.1(side)": layout.Five1}
	if l, err := layout.New(names[name], "smpte", 0); names[name] != "" && err == nil {
		return l.Labels
	}
	return nil
}

func byNumber(channels int) []string {
	names := map[int]layout.Name{1: layout.Mono, 2: layout.Stereo, 6: layout.Five1}
	if l, err := layout.New(names[channels], "smpte", 0); names[channels] != "" && err == nil {
		return l.Labels
	}
	return nil
}

// Look says of a delivery without a spec what it is; what can't be read is said too.
func Look(files []File) Receipt {
	r := Receipt{Pass: true, Files: files, Findings: []contract.Finding{}, Groups: []Measured{}, Seen: Identify(files)}
	r.FrameRate = timecode.Rate{Num: 25, Den: 1}
	for i, one := range r.Seen {
		for k, label := range one.Labels {
			at := Place{File: one.Files[0], Stream: max(0, one.Stream-1), Channel: one.First + k, Group: fmt.Sprint("set", i+1), Name: one.Name,
				Label: label}
			if len(one.Files) > 1 {
				at.File, at.Channel = one.Files[k], 0
			}
			r.Places = append(r.Places, at)
		}
	}
	for i := len(files) - 1; i >= 0; i-- {
		if files[i].FrameRate.Valid() {
			r.FrameRate = files[i].FrameRate
		}
	}
	for _, f := range files {
		for _, doubt := range f.Doubts {
			doubt.File = f.Name
			if r.Findings = append(r.Findings, doubt); doubt.Severity == contract.Error {
				r.Pass = false
			}
		}
	}
	return r
}
