package desk

import (
	"fmt"
	"path"
	"regexp"
	"slices"
	"strings"

	"zestyloom/core/contract"
	"zestyloom/core/unravel"
)

// slot is a file that the spec asks for.
type slot struct {
	spec    contract.File
	groups  []contract.Group // in it, in order
	label   string           // of the one channel that it holds
	pattern *regexp.Regexp
	many    bool // as many files as there are strands, stems or tracks
	needed  bool // not all that it holds is optional
}

// words say what a slot is of.
func (s slot) words() string {
	var names []string
	for _, g := range s.groups {
		names = append(names, g.Name)
	}
	text := strings.Join(names, ", ")
	if s.label != "" {
		text += " " + s.label
	}
	return text
}

// called is how its file is to be called, for people.
func (s slot) called() string { return s.spec.Name + "." + contract.Holds(s.spec.Container).Extension }

// matched is a file and the slot that it is for.
type matched struct {
	file  File
	slot  slot
	named bool              // it is called as it should be
	found map[string]string // what its name says
}

type matching struct {
	packaging contract.Packaging
	matched   []matched
	missing   []slot
	extra     []File
}

// match finds which file is which, in the way of packing that fits best, where none was agreed on.
func match(files []File, spec contract.Spec, packaging contract.Packaging) matching {
	ways := spec.Packaging
	if packaging != "" || len(ways) == 0 {
		ways = []contract.Packaging{packaging}
	}
	var best matching
	for i, way := range ways {
		m := matchAs(files, slotsOf(spec, way))
		m.packaging = way
		if i == 0 || m.lacks() < best.lacks() {
			best = m
		}
	}
	return best
}

// lacks is how far the files are from what is asked for.
func (m matching) lacks() (n int) {
	for _, one := range m.matched {
		if !one.named {
			n++
		}
	}
	return n + 2*len(m.missing) + 2*len(m.extra)
}

// slotsOf lists the files that a spec asks for.
func slotsOf(spec contract.Spec, packaging contract.Packaging) (slots []slot) {
	for _, f := range spec.Files {
		if f.Packaging != "" && f.Packaging != packaging {
			continue
		}
		groups := groupsOf(spec, f)
		switch f.Each {
		case "group":
			for _, g := range groups {
				slots = append(slots, newSlot(spec, f, []contract.Group{g}, ""))
			}
		case "channel":
			for _, g := range groups {
				labels, _ := g.Labels()
				for _, l := range labels {
					slots = append(slots, newSlot(spec, f, []contract.Group{g}, l))
				}
			}
		default:
			slots = append(slots, newSlot(spec, f, groups, ""))
		}
	}
	return slots
}

// groupsOf gives the groups that a file of the spec holds, in order.
func groupsOf(spec contract.Spec, f contract.File) (groups []contract.Group) {
	var ids []string
	for _, s := range f.Streams {
		ids = append(ids, s.Of...)
	}
	if len(f.Streams) == 0 {
		ids = f.Of
	}
	if len(ids) == 0 {
		return spec.Groups
	}
	for _, id := range ids {
		for _, g := range spec.Groups {
			if g.ID == id {
				groups = append(groups, g)
			}
		}
	}
	return groups
}

func newSlot(spec contract.Spec, f contract.File, groups []contract.Group, label string) slot {
	s := slot{spec: f, groups: groups, label: label}
	s.needed = slices.ContainsFunc(groups, func(g contract.Group) bool { return !g.Optional })
	s.many = f.Each != "" && len(groups) == 1 && groups[0].From.Each != nil
	s.pattern = regexp.MustCompile("^" + patternOf(spec, s) + "$")
	return s
}

// who is the run of a name that says whose it is: production and reel, with what stands between.
var who = regexp.MustCompile(`\{(production|reel)\}([^{}]*\{(production|reel)\})*`)

var token = regexp.MustCompile(`\{\w+\}`)

// patternOf says how the file of a slot is called.
func patternOf(spec contract.Spec, s slot) string {
	g := contract.Group{}
	if len(s.groups) > 0 {
		g = s.groups[0]
	}
	number := `\d+`
	if labels, err := g.Labels(); err == nil && s.label != "" {
		number = fmt.Sprint(slices.Index(labels, s.label) + 1)
	}
	exact := func(text string) string { return regexp.QuoteMeta(unravel.FileSafeTo(text, 40)) }
	with := map[string]string{"spec": exact(spec.ID), "version": `\d+`, "date": `\d{4}-\d\d-\d\d`, "rate": `[\d.]+k`,
		"range": `(?P<range>[^/]+)`,
		"group": exact(g.Name), "tag": exact(g.Tag), "layout": layoutOf(g), "channel": exact(s.label), "number": number,
		"language": exact(g.Language)}
	if s.many {
		with["group"] = `(?P<group>[^/]+)`
	}
	text := who.ReplaceAllString(s.spec.Name, "{who}")
	var b strings.Builder
	last, whose := 0, false
	for _, at := range token.FindAllStringIndex(text, -1) {
		b.WriteString(regexp.QuoteMeta(text[last:at[0]]))
		switch name := text[at[0]+1 : at[1]-1]; {
		case name == "who" && !whose:
			b.WriteString(`(?P<who>[^/]+?)`)
			whose = true
		case name == "who":
			b.WriteString(`[^/]+?`)
		default:
			b.WriteString(with[name])
			with[name] = strings.NewReplacer("?P<range>", "?:", "?P<group>", "?:").Replace(with[name]) // a name is given once
		}
		last = at[1]
	}
	b.WriteString(regexp.QuoteMeta(text[last:]))
	return b.String() + `\.(?i:` + contract.Holds(s.spec.Container).Extension + `)`
}

// layoutOf is how the layout of a group stands in the name of its file.
func layoutOf(g contract.Group) string {
	if g.Layout == contract.OwnWidth {
		return "(?:mono|stereo)"
	}
	return regexp.QuoteMeta(unravel.FileSafeTo(g.Layout, 40))
}

// matchAs gives each slot its files: those that are called so, and what is left by its form.
func matchAs(files []File, slots []slot) (m matching) {
	taken := make([]bool, len(files))
	filled := make([]bool, len(slots))
	for i, s := range slots {
		for k, f := range files {
			at := s.pattern.FindStringSubmatch(path.Base(f.Name))
			if taken[k] || at == nil || filled[i] && !s.many && !slices.Contains(s.pattern.SubexpNames(), "range") {
				continue
			}
			found := map[string]string{}
			for n, name := range s.pattern.SubexpNames() {
				found[name] = at[n]
			}
			m.matched = append(m.matched, matched{f, s, true, found})
			taken[k], filled[i] = true, true
		}
	}
	for i, s := range slots {
		if filled[i] {
			continue
		}
		var fits []int
		for k, f := range files {
			if !taken[k] && len(f.Streams) > 0 && s.fits(f) {
				fits = append(fits, k)
			}
		}
		alike := 0 // slots that are still empty and of the same form
		for n := range slots {
			if !filled[n] && slots[n].spec.Container == s.spec.Container && slots[n].width() == s.width() {
				alike++
			}
		}
		switch {
		case len(fits) == 1 && alike == 1:
			m.matched = append(m.matched, matched{files[fits[0]], s, false, map[string]string{}})
			taken[fits[0]], filled[i] = true, true
		case s.needed:
			m.missing = append(m.missing, s)
		}
	}
	for k, f := range files {
		if !taken[k] {
			m.extra = append(m.extra, f)
		}
	}
	return m
}

// width is how many channels a slot has where everything optional is there.
func (s slot) width() (n int) {
	if s.label != "" {
		return 1
	}
	for _, g := range s.groups {
		labels, _ := g.Labels()
		n += len(labels)
	}
	return n
}

// fits tells whether a file that is called otherwise may be the one that the slot is for.
func (s slot) fits(f File) bool {
	channels := 0
	for _, stream := range f.Streams {
		channels += stream.Channels
	}
	return strings.HasSuffix(strings.ToLower(f.Name), "."+contract.Holds(s.spec.Container).Extension) && channels == s.width()
}
