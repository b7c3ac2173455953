package gather

import (
	"cmp"
	"fmt"
	"path"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"zestyloom/core/layout"
	"zestyloom/core/ply"
	"zestyloom/core/take"
	"zestyloom/core/timecode"
)

// Arrival is a file that has arrived, as grouping sees it.
type Arrival struct {
	ID          string
	Path        string // as it came: folders and name
	Description take.Description
}

// FamilyKind says how the files of a family belong together.
type FamilyKind string

const (
	IsoSet    FamilyKind = "isos"      // recorded together, a file for each channel
	BondedSet FamilyKind = "bonded"    // the channels of one bonded set: a pair, a surround set
	SplitTake FamilyKind = "split"     // one take that the recorder wrote as several files, one after another
	Resampled FamilyKind = "converted" // one take that another was resampled to; never gathered
)

// Family is files that are one take, or may be.
type Family struct {
	Kind    FamilyKind  `json:"kind"`
	Lanes   [][]string  `json:"lanes"`   // IDs: files side by side, each lane with its parts in time
	Layout  layout.Name `json:"layout"`  // of a bonded set, else empty
	Why     []string    `json:"why"`     // what speaks for it
	Against []string    `json:"against"` // what speaks against it; empty where it is sure
}

// Sure tells whether nothing speaks against the family, so that it may be joined without asking.
func (f Family) Sure() bool { return len(f.Against) == 0 }

// Files lists the IDs of the family.
func (f Family) Files() []string { return slices.Concat(f.Lanes...) }

// Families finds the files that belong together: by the file set that iXML names, else by the pattern of their names with
// equal time stamp, rate and length; and the parts of long takes, which follow each other to the sample. Families with
// something against them are given too, but they are for the user to decide. No file is in two families.
func Families(files []Arrival) []Family {
	var families []Family
	var units []unit
	for _, together := range candidates(files) {
		units = append(units, together.unit())
	}
	for _, chain := range chains(units) {
		f := chain.family()
		if len(f.Files()) > 1 {
			families = append(families, f)
		}
	}
	return families
}

// Assess says how files that the user wants together are one take, and what speaks against it.
func Assess(files []Arrival) Family {
	if len(files) < 2 {
		return Family{Kind: IsoSet, Lanes: [][]string{}, Why: []string{}, Against: []string{"One file alone is a take already"}}
	}
	var units []unit
	for _, a := range files {
		units = append(units, unit{lanes: []Arrival{a}})
	}
	if c := chains(units); len(c) == 1 {
		return c[0].family()
	}
	return chain{candidate{files: files, byHand: true}.unit()}.family()
}

// Labels gives the label of each of several monos by their names, in the order in which they come; nil unless all have one.
func Labels(files []Arrival) []string { return unit{lanes: files}.labels() }

func startOf(a Arrival) int64 {
	if a.Description.StartSamples == nil {
		return -1
	}
	return *a.Description.StartSamples
}

// token is the last word of a file's name, which tells its channel or its part.
type token struct {
	stem   string // the rest of the name
	word   string
	label  string // the word as a channel's label, else empty
	number int    // the word as a number, else 0
}

var (
	twoWords   = regexp.MustCompile(`^(.+?)[ ._\-]+([A-Za-z]+[ ._\-][A-Za-z]+)$`)
	numberForm = regexp.MustCompile(`(?i)^(?:ch|channel|trk|tr|track|a|iso|mic|part|p)?0*([1-9]\d?)$`)
)

func tokenOf(a Arrival) token {
	base := take.Bare(a.Path)
	for _, form := range []*regexp.Regexp{twoWords, take.LastWord} {
		m := form.FindStringSubmatch(base)
		if m == nil {
			continue
		}
		t := token{stem: path.Join(path.Dir(a.Path), strings.ToLower(m[1])), word: m[2]}
		if label, ok := layout.Label(m[2]); ok {
			t.label = label
			return t
		}
		if n := numberForm.FindStringSubmatch(m[2]); n != nil {
			t.number, _ = strconv.Atoi(n[1])
			return t
		}
	}
	return token{stem: path.Join(path.Dir(a.Path), strings.ToLower(base))}
}

// candidate is files that may lie side by side.
type candidate struct {
	files   []Arrival
	family  string // iXML family, else empty
	pattern bool
	byHand  bool
}

// candidates splits files into those that may have been recorded together.
func candidates(files []Arrival) []candidate {
	var list []candidate
	at := map[string]int{}
	for _, a := range files {
		d := a.Description
		key, c := "", candidate{}
		t := tokenOf(a)
		switch {
		case d.Set != nil && d.Set.Family != "":
			// A family may go on in the next part of the take, so the stamp is part of the key.
			key, c.family = fmt.Sprintf("family %s at %d of %s/%s", d.Set.Family, startOf(a), d.Scene, d.Take), d.Set.Family
		case t.label != "" && d.Channels == 1:
			key, c.pattern = "label "+t.stem, true
		case t.number > 0 && d.Channels == 1 && d.StartSamples != nil:
			key, c.pattern = fmt.Sprintf("number %s at %d", t.stem, *d.StartSamples), true
		default:
			key = "alone " + a.ID
		}
		i, seen := at[key]
		if !seen {
			i = len(list)
			at[key] = i
			list = append(list, c)
		}
		list[i].files = append(list[i].files, a)
	}
	return list
}

// unit is files side by side, in channel order.
type unit struct {
	lanes        []Arrival
	layout       layout.Name
	why, against []string
	family       string
}

func (c candidate) unit() unit {
	u := unit{lanes: slices.Clone(c.files), family: c.family}
	if len(c.files) == 1 {
		if total := totalOf(c.files[0]); total > 1 {
			u.against = append(u.against, fmt.Sprintf("The recorder wrote %d files for this take; only this one is here", total))
		}
		return u
	}
	u.order()
	first := c.files[0].Description
	switch {
	case c.family != "":
		u.why = append(u.why, fmt.Sprintf("The recorder wrote them as one set of %d files (iXML)", len(c.files)))
	case c.pattern:
		u.why = append(u.why, "Their names differ only in the channel")
	case c.byHand:
		u.why = append(u.why, "You chose them")
	}
	if u.layout != "" {
		u.why = append(u.why, fmt.Sprintf("Their channels are those of %s: %s", u.layout, strings.Join(u.labels(), " ")))
	}
	if labels := u.labels(); labels != nil && u.layout == "" && c.family == "" {
		u.against = append(u.against, missing(labels))
	}
	u.compare(first)
	if total := totalOf(c.files[0]); c.family != "" && total > len(c.files) {
		u.against = append(u.against, fmt.Sprintf("The recorder wrote %d files, of which %d are here", total, len(c.files)))
	}
	return u
}

// missing says which channels of the narrowest layout that has all of some labels are not among them.
func missing(labels []string) string {
	for _, name := range []layout.Name{layout.Stereo, layout.LCR, layout.Five0, layout.Five1, layout.Seven1, layout.Five14,
		layout.Seven14} {
		l, err := layout.New(name, "", 0)
		if err != nil || slices.ContainsFunc(labels, func(label string) bool { return !slices.Contains(l.Labels, label) }) {
			continue
		}
		gone := slices.DeleteFunc(slices.Clone(l.Labels), func(label string) bool { return slices.Contains(labels, label) })
		if len(gone) == 0 { // then one is there twice, which is said by itself
			break
		}
		return fmt.Sprintf("Of %s there is no %s", name, strings.Join(gone, ", "))
	}
	return fmt.Sprintf("%s are the channels of no layout", strings.Join(labels, " "))
}

func totalOf(a Arrival) int {
	if a.Description.Set == nil {
		return 0
	}
	return a.Description.Set.Total
}

// labels gives each lane's label, or nil unless every lane has one.
func (u unit) labels() []string {
	var labels []string
	for _, a := range u.lanes {
		label := tokenOf(a).label
		if label == "" && len(a.Description.Tracks) == 1 {
			label, _ = layout.Label(a.Description.Tracks[0].Name)
		}
		if label == "" || a.Description.Channels != 1 {
			return nil
		}
		labels = append(labels, label)
	}
	return labels
}

// order puts the lanes into the order of their layout, of the file set, or of the numbers in their names.
func (u *unit) order() {
	if labels := u.labels(); labels != nil {
		if l, ok := layout.ForLabels(labels); ok {
			u.layout = l.Name
			lanes := make([]Arrival, len(u.lanes))
			for i, a := range u.lanes {
				lanes[slices.Index(l.Labels, labels[i])] = a
			}
			u.lanes = lanes
			return
		}
	}
	slices.SortStableFunc(u.lanes, func(a, b Arrival) int {
		x, y := 0, 0
		if a.Description.Set != nil && b.Description.Set != nil {
			x, y = a.Description.Set.Index, b.Description.Set.Index
		}
		return cmp.Or(x-y, tokenOf(a).number-tokenOf(b).number, strings.Compare(a.Path, b.Path))
	})
}

// compare notes what is equal and what differs between the lanes.
func (u *unit) compare(first take.Description) {
	stamps, lengths, forms, slates, twice := true, true, true, true, false
	seen := map[string]bool{}
	shortest, longest := first.Frames, first.Frames
	for _, a := range u.lanes {
		d := a.Description
		stamps = stamps && ply.SameStamp(d.StartSamples, first.StartSamples)
		shortest, longest = min(shortest, d.Frames), max(longest, d.Frames)
		forms = forms && d.SampleRate == first.SampleRate && d.Encoding == first.Encoding && d.BitDepth == first.BitDepth
		slates = slates && d.Scene == first.Scene && d.Take == first.Take
		// Numbers of parts are no channels, so only a label can be there twice.
		if label := tokenOf(a).label; label != "" {
			twice = twice || seen[label]
			seen[label] = true
		}
	}
	lengths = shortest == longest
	note := func(good bool, why, against string) {
		if good {
			u.why = append(u.why, why)
		} else {
			u.against = append(u.against, against)
		}
	}
	if first.StartSamples != nil || !stamps {
		start := "sample " + fmt.Sprint(startOf(u.lanes[0]))
		if first.StartTimecode != nil {
			start = *first.StartTimecode
		}
		note(stamps, "All start at "+start, "Their time stamps differ")
	} else if u.layout == "" {
		u.against = append(u.against, "None has a time stamp to confirm it")
	}
	note(lengths, fmt.Sprintf("All have %d sample frames", longest), fmt.Sprintf("Their lengths differ by %d sample frames",
		longest-shortest))
	if !forms {
		u.against = append(u.against, "Their sample rates or formats differ, so that they can't become one take")
	}
	if !slates {
		u.against = append(u.against, "Their scene or take differs")
	}
	if twice {
		u.against = append(u.against, "A channel is there twice")
	}
}

// chain is units that follow each other.
type chain []unit

// chains joins units that go on where another ends, to the sample.
func chains(units []unit) []chain {
	order := slices.Clone(units)
	slices.SortStableFunc(order, func(a, b unit) int { return cmp.Compare(startOf(a.lanes[0]), startOf(b.lanes[0])) })
	var list []chain
	for _, u := range order {
		i := slices.IndexFunc(list, func(c chain) bool { return c[len(c)-1].goesOn(u) })
		if i < 0 {
			list = append(list, chain{u})
			continue
		}
		list[i] = append(list[i], u)
	}
	// What goes on over midnight comes last by the clock, and is the head of one that came first.
	for i := 0; i < len(list); i++ {
		c := list[i]
		j := slices.IndexFunc(list, func(next chain) bool {
			return startOf(next[0].lanes[0]) < startOf(c[0].lanes[0]) && c[len(c)-1].goesOn(next[0])
		})
		if j < 0 {
			continue
		}
		list[i] = slices.Concat(c, list[j])
		list = slices.Delete(list, j, j+1)
		i = -1
	}
	return list
}

// goesOn tells whether next is the following part of u.
func (u unit) goesOn(next unit) bool {
	if len(u.lanes) != len(next.lanes) {
		return false
	}
	for i := range u.lanes {
		a, b := u.lanes[i].Description, next.lanes[i].Description
		switch {
		case a.StartSamples == nil || b.StartSamples == nil:
			return false
		case a.Rate().Near(timecode.Reading(*b.StartSamples), *a.StartSamples+a.Frames, a.SampleRate) != *a.StartSamples+a.Frames:
			return false
		case a.Channels != b.Channels || a.SampleRate != b.SampleRate || a.Encoding != b.Encoding || a.BitDepth != b.BitDepth:
			return false
		case a.Scene != b.Scene || a.Take != b.Take || a.Roll != b.Roll:
			return false
		}
		x, y := tokenOf(u.lanes[i]), tokenOf(next.lanes[i])
		family := u.family != "" && u.family == next.family
		named := x.stem == y.stem && x.number > 0 && y.number == x.number+1
		slated := a.Scene != "" && a.Take != "" // one take can't have begun twice within a sample
		if !family && !named && !slated {
			return false
		}
	}
	return true
}

func (c chain) family() Family {
	first := c[0]
	f := Family{Kind: IsoSet, Layout: first.layout, Why: first.why, Against: []string{}}
	for _, u := range c {
		for i, a := range u.lanes {
			if i == len(f.Lanes) {
				f.Lanes = append(f.Lanes, nil)
			}
			f.Lanes[i] = append(f.Lanes[i], a.ID)
		}
	}
	if first.layout != "" {
		f.Kind = BondedSet
	}
	if len(c) > 1 {
		// A set that is counted over all its parts is not incomplete.
		total := totalOf(first.lanes[0])
		for i := range c {
			if total == len(f.Files()) {
				c[i].against = slices.DeleteFunc(slices.Clone(c[i].against), func(s string) bool {
					return strings.HasPrefix(s,
						"The recorder wrote")
				})
			}
		}
		if len(first.lanes) == 1 {
			f.Kind = SplitTake
		}
		f.Why = append(slices.Clone(f.Why), fmt.Sprintf("%d parts follow each other to the sample", len(c)))
	}
	for _, u := range c {
		for _, s := range u.against {
			if !slices.Contains(f.Against, s) {
				f.Against = append(f.Against, s)
			}
		}
	}
	if f.Why == nil {
		f.Why = []string{}
	}
	return f
}

// Whole describes the take that a family is: what the first file says, with the channels of all lanes. lanes are the
// descriptions in the family's form.
func Whole(lanes [][]take.Description, paths [][]string) take.Description {
	d := lanes[0][0]
	d.Channels, d.Frames, d.Tracks, d.Warnings, d.Set = 0, 0, nil, []take.Warning{}, nil
	for i, parts := range lanes {
		frames := int64(0)
		for j, p := range parts {
			frames += p.Frames
			d.Recovered = d.Recovered || p.Recovered
			for _, w := range p.Warnings {
				w.Message = path.Base(paths[i][j]) + ": " + w.Message
				w.Offset = -1 // of another file than the whole
				d.Warnings = append(d.Warnings, w)
			}
		}
		d.Frames = max(d.Frames, frames)
		for _, t := range parts[0].Tracks {
			d.Channels++
			t.Index = d.Channels
			if token := tokenOf(Arrival{Path: paths[i][0]}); t.Name == "" && len(parts[0].Tracks) == 1 && len(lanes) > 1 {
				if t.Name = token.label; t.Name == "" && token.number == 0 {
					t.Name = token.word
				}
			}
			t.Use = take.UseOf(t)
			d.Tracks = append(d.Tracks, t)
		}
	}
	return d
}
