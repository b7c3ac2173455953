package reel

import (
	"cmp"
	"fmt"
	"reflect"
	"regexp"
	"slices"
	"strings"
	"unicode"

	"zestyloom/core/chain"
	"zestyloom/core/fault"
	"zestyloom/core/layout"
	"zestyloom/core/take"
)

// PatternVersion is the version of the pattern language that is written; older ones are read.
const PatternVersion = 1

// Pattern is what reels have in common, without what lies on them: stems, mixes, output groups, knots, the skeleton of their
// tracks, the places of speakers, pan law and spec. Its objects have IDs of their own, which their references use; on a reel
// they are found again by what they are called and what they mean.
type Pattern struct {
	Version  int            `json:"pattern"`
	Name     string         `json:"name"`
	About    string         `json:"about,omitempty"`
	Spec     string         `json:"spec,omitempty"`
	PanLaw   float64        `json:"panLaw,omitempty"` // 0 leaves it as it is
	Speakers layout.Angles  `json:"speakers,omitempty"`
	Stems    []PatternStem  `json:"stems"`
	Mixes    []PatternMix   `json:"mixes,omitempty"`
	Groups   []PatternGroup `json:"groups,omitempty"`
	Tracks   []PatternTrack `json:"tracks,omitempty"`
	Knots    []Crosspoint   `json:"knots,omitempty"`
	Chains   []PatternChain `json:"chains,omitempty"`
	Words    []take.Word    `json:"words,omitempty"` // by which its production reads names
}

// PatternChain is what the sound of a row of a pattern goes through, without what moves in time.
type PatternChain struct {
	Row   Row          `json:"row"`
	From  string       `json:"from"`
	Steps []chain.Step `json:"steps"`
	Off   bool         `json:"off,omitempty"`
}

// PatternStem is a stem of a pattern. Its ID is its tag.
type PatternStem struct {
	ID     string   `json:"id"`
	Name   string   `json:"name"`
	Labels []string `json:"labels"`
}

// PatternMix is a mix of a pattern.
type PatternMix struct {
	ID       string   `json:"id"`
	Name     string   `json:"name"`
	Language string   `json:"language,omitempty"`
	Labels   []string `json:"labels"`
	Rest     bool     `json:"rest,omitempty"`
	Terms    []Term   `json:"terms,omitempty"`
	Folds    bool     `json:"folds,omitempty"` // somebody has said yes to what it has too few channels for
}

// PatternGroup is an output group of a pattern.
type PatternGroup struct {
	ID     string   `json:"id"`
	Name   string   `json:"name"`
	Tag    string   `json:"tag"`
	Layout string   `json:"layout"`
	Labels []string `json:"labels"`
	Stems  []string `json:"stems,omitempty"`
	Own    bool     `json:"own,omitempty"`
	Feed   *Feeder  `json:"feed,omitempty"`
	Asked  []string `json:"asked,omitempty"` // the order that its spec asks for, where the labels lie in another

	Silent   bool   `json:"silent,omitempty"`   // nothing is meant to feed it
	Language string `json:"language,omitempty"` // of what is spoken in it, as ISO 639-2 writes it
	Folds    bool   `json:"folds,omitempty"`    // somebody has said yes to what it has too few channels for
}

// PatternTrack is a track of a pattern: where it goes, and nothing that is done on it.
type PatternTrack struct {
	ID     string   `json:"id"`
	Name   string   `json:"name"`
	Labels []string `json:"labels"`
	Stem   string   `json:"stem,omitempty"`
	Strand string   `json:"strand,omitempty"`
	Second string   `json:"second,omitempty"`
	Folder string   `json:"folder,omitempty"`
	Height int      `json:"height,omitempty"`
	Feed   Feed     `json:"feed,omitzero"`
}

// PatternOf takes the pattern from a reel.
func PatternOf(r *Reel, name, about string) Pattern {
	h := r.Head
	p := Pattern{Version: PatternVersion, Name: name, About: about, Spec: h.Spec, PanLaw: h.PanLaw, Speakers: h.Angles}
	ids := renaming{}
	for _, s := range r.StemList() {
		p.Stems = append(p.Stems, PatternStem{s.ID, s.Name, s.Labels})
		ids.keep(StemRow, s.ID)
	}
	for _, m := range r.MixList() {
		ids.slug(MixRow, m.ID, m.Name)
	}
	for _, g := range r.GroupList() {
		ids.slug(GroupRow, g.ID, g.Name)
	}
	for _, t := range r.TrackList() {
		ids.slug(TrackRow, t.ID, t.Name)
	}
	for _, m := range r.MixList() {
		p.Mixes = append(p.Mixes, PatternMix{ids.of(MixRow, m.ID), m.Name, m.Language, m.Labels, m.Rest, ids.terms(m.Terms), m.Folds})
	}
	for _, g := range r.GroupList() {
		p.Groups = append(p.Groups, PatternGroup{ids.of(GroupRow, g.ID), g.Name, g.Tag, g.Layout, g.Labels, ids.stems(g.Stems), g.Own,
			ids.feed(g.Feed), g.Asked, g.Silent, g.Language, g.Folds})
	}
	for _, t := range r.TrackList() {
		p.Tracks = append(p.Tracks, PatternTrack{ids.of(TrackRow, t.ID), t.Name, t.Labels, t.Stem, t.Strand, t.Second, t.Folder, t.Height,
			t.Feed})
	}
	for _, k := range r.KnotList() {
		point, _ := ids.point(r, k.Crosspoint)
		p.Knots = append(p.Knots, point)
	}
	slices.SortFunc(p.Knots, func(a, b Crosspoint) int { return strings.Compare(a.Knot().ID, b.Knot().ID) }) // by names of its own
	for _, c := range r.ChainList() {
		if made, there := ids.chain(c); there {
			p.Chains = append(p.Chains, made)
		}
	}
	slices.SortFunc(p.Chains, func(a, b PatternChain) int { return strings.Compare(ChainID(a.Row, a.From), ChainID(b.Row, b.From)) })
	return p
}

// renaming gives objects other IDs, a row of the weave each.
type renaming map[Row]map[string]string

func (n renaming) put(row Row, from, to string) {
	if n[row] == nil {
		n[row] = map[string]string{}
	}
	n[row][from] = to
}

func (n renaming) keep(row Row, id string) { n.put(row, id, id) }

// slug names an object by its name, in small letters, unlike any other.
func (n renaming) slug(row Row, id, name string) {
	word := strings.Trim(strings.Join(strings.FieldsFunc(strings.ToLower(name), func(c rune) bool {
		return c > 127 || !unicode.IsLetter(c) &&
			!unicode.IsDigit(c)
	}), "-"), "-")
	word = cmp.Or(word[:min(len(word), 40)], string(row))
	if madeID.MatchString(word) || unicode.IsDigit(rune(word[0])) {
		word = string(row) + "-" + word
	}
	free := word
	for i := 2; n.taken(row, free); i++ {
		free = fmt.Sprintf("%s-%d", word, i)
	}
	n.put(row, id, free)
}

// madeID is the shape of IDs that reels make by themselves; others may not have it.
var madeID = regexp.MustCompile(`^[a-z]+\d+$`)

func (n renaming) taken(row Row, id string) bool {
	for _, to := range n[row] {
		if to == id {
			return true
		}
	}
	return false
}

// of gives an object's new ID; empty where it has none. A strand goes with its stem.
func (n renaming) of(row Row, id string) string {
	if row == StrandRow {
		stem, name := StemOf(id)
		if to := n[StemRow][stem]; to != "" {
			return StrandID(to, name)
		}
		return ""
	}
	return n[row][id]
}

func (n renaming) stems(stems []string) (out []string) {
	for _, s := range stems {
		if to := n.of(StemRow, s); to != "" {
			out = append(out, to)
		}
	}
	return out
}

func (n renaming) terms(terms []Term) []Term {
	out := []Term{}
	for _, t := range terms {
		if t.From = n.of(t.Row, t.From); t.From != "" {
			out = append(out, t)
		}
	}
	return out
}

// feed gives a feeder under the new IDs, or nil where what feeds has none.
func (n renaming) feed(f *Feeder) *Feeder {
	if f == nil {
		return nil
	}
	to := *f
	if to.From = n.of(f.Row, f.From); to.From == "" {
		return nil
	}
	return &to
}

// point gives a knot under the new IDs; false where its row or its group has none.
func (n renaming) point(r *Reel, k Crosspoint) (Crosspoint, bool) {
	o, _ := r.Output(k.Output)
	group := n.of(GroupRow, o.Group)
	k.From, k.Output, k.Curve = n.of(k.Row, k.From), OutputID(group, o.Label), nil // its curve is of the sound of that reel
	return k, group != "" && k.From != ""
}

// chain gives a chain as a pattern has it; false where its row has no name.
func (n renaming) chain(c Chain) (PatternChain, bool) {
	p := PatternChain{Row: c.Row, From: n.of(c.Row, c.From), Steps: n.steps(c.Steps), Off: c.Off}
	for i := range p.Steps {
		p.Steps[i].Learnt = nil // a stretch of that reel
	}
	return p, p.From != ""
}

// steps gives steps under the new IDs of what drives them. Where that has none they are off: driven by itself, a step would do something else.
func (n renaming) steps(steps []chain.Step) []chain.Step {
	out := slices.Clone(steps)
	for i, s := range out {
		if s.Key == nil {
			continue
		}
		if to := n.of(Row(s.Key.Row), s.Key.From); to != "" {
			out[i].Key = &chain.Key{Row: s.Key.Row, From: to}
		} else {
			out[i].Key, out[i].Off = nil, true
		}
	}
	return out
}

// Check tells what of a pattern names nothing, or the same twice. Whether the rest follows the rules of reels is found when it
// is applied.
func (p Pattern) Check() error {
	seen := map[string]bool{}
	add := func(row Row, id string) error {
		key := string(row) + " " + id
		if id == "" || seen[key] {
			return fault.New(fault.BadInput, "The pattern has the %s %q twice, or one without an ID", row, id)
		}
		seen[key] = true
		return nil
	}
	_, wrong := take.CheckWords(p.Words)
	errs := []error{wrong}
	for _, s := range p.Stems {
		errs = append(errs, add(StemRow, s.ID))
	}
	for _, m := range p.Mixes {
		errs = append(errs, add(MixRow, m.ID))
	}
	for _, t := range p.Tracks {
		errs = append(errs, add(TrackRow, t.ID))
	}
	outputs := map[string]bool{}
	for _, g := range p.Groups {
		errs = append(errs, add(GroupRow, g.ID))
		for _, l := range g.Labels {
			outputs[OutputID(g.ID, l)] = true
		}
	}
	there := func(row Row, id, what string) error {
		if row == StrandRow {
			row, id = StemRow, first(StemOf(id))
		}
		if !seen[string(row)+" "+id] {
			return fault.New(fault.BadInput, "In the pattern, %s names the %s %q, which is not in it", what, row, id)
		}
		return nil
	}
	for _, m := range p.Mixes {
		for _, t := range m.Terms {
			errs = append(errs, there(t.Row, t.From, "the mix "+m.Name))
		}
	}
	for _, g := range p.Groups {
		if g.Feed != nil {
			errs = append(errs, there(g.Feed.Row, g.Feed.From, "the output group "+g.Name))
		}
	}
	for _, t := range p.Tracks {
		for _, stem := range []string{t.Stem, t.Second} {
			if stem != "" {
				errs = append(errs, there(StemRow, stem, "the track "+t.Name))
			}
		}
	}
	for _, k := range p.Knots {
		errs = append(errs, there(k.Row, k.From, "a knot"))
		if !outputs[k.Output] {
			errs = append(errs, fault.New(fault.BadInput, "In the pattern, a knot names the output %q, which is not in it", k.Output))
		}
	}
	treated := map[string]bool{}
	for _, c := range p.Chains {
		errs = append(errs, there(c.Row, c.From, "a chain"), chain.Check(c.Steps))
		if id := ChainID(c.Row, c.From); treated[id] || len(c.Steps) == 0 {
			errs = append(errs, fault.New(fault.BadInput, "In the pattern, the %s %q has two chains, or one without processors", c.Row, c.From))
		} else {
			treated[id] = true
		}
		for _, s := range c.Steps {
			if s.Key != nil {
				errs = append(errs, there(Row(s.Key.Row), s.Key.From, "what drives a processor"))
			}
		}
	}
	for _, err := range errs {
		if err != nil {
			return err
		}
	}
	return nil
}

func first(a, _ string) string { return a }

// Fitted is what becomes of an object when a pattern is applied: of the pattern's, which of the reel's it is; of the reel's, that
// the pattern has nothing like it.
type Fitted struct {
	Row  Row    `json:"row"`
	Name string `json:"name"`          // in the pattern; in the reel where it is left
	Was  string `json:"was,omitempty"` // in the reel, where that is another
	ID   string `json:"id,omitempty"`  // in the reel
	Does Fits   `json:"does"`
}

// Fits says what becomes of an object.
type Fits string

const (
	FitsSame    Fits = "same"    // the reel has it just so
	FitsChanges Fits = "changes" // the reel has it, and it becomes as the pattern has it
	FitsNew     Fits = "new"     // it is made
	FitsLeft    Fits = "left"    // the pattern has nothing like it: it stays, unless it is to go
)

// match finds the reel's objects that a pattern's are: all that are by the surest sign first, then by the next.
func (p Pattern) match(r *Reel) renaming {
	n := renaming{}
	pair(n, StemRow, p.Stems, r.StemList(), func(s PatternStem) string { return s.ID }, func(s Stem) string { return s.ID },
		func(s PatternStem, x Stem) bool { return x.ID == s.ID }, func(s PatternStem, x Stem) bool { return sameName(x.Name, s.Name) })
	pair(n, MixRow, p.Mixes, r.MixList(), func(m PatternMix) string { return m.ID }, func(m Mix) string { return m.ID },
		func(m PatternMix, x Mix) bool { return sameName(x.Name, m.Name) },
		func(m PatternMix, x Mix) bool {
			return x.Rest == m.Rest && x.Language == m.Language && slices.Equal(x.Terms, n.terms(m.Terms))
		})
	pair(n, TrackRow, p.Tracks, r.TrackList(), func(t PatternTrack) string { return t.ID }, func(t Track) string { return t.ID },
		func(t PatternTrack, x Track) bool {
			return sameName(x.Name, t.Name) && len(x.Labels) == len(t.Labels) && x.Stem == n.of(StemRow, t.Stem)
		},
		func(t PatternTrack, x Track) bool { return sameName(x.Name, t.Name) && len(x.Labels) == len(t.Labels) })
	pair(n, GroupRow, p.Groups, r.GroupList(), func(g PatternGroup) string { return g.ID }, func(g Group) string { return g.ID },
		func(g PatternGroup, x Group) bool { return g.Tag != "" && strings.EqualFold(x.Tag, g.Tag) },
		func(g PatternGroup, x Group) bool { return sameName(x.Name, g.Name) },
		func(g PatternGroup, x Group) bool {
			feed := n.feed(g.Feed)
			return feed != nil && slices.Equal(x.Labels, g.Labels) && reflect.DeepEqual(x.Feed, feed)
		},
		func(g PatternGroup, x Group) bool { return len(g.Stems) > 0 && slices.Equal(x.Stems, n.stems(g.Stems)) })
	return n
}

// pair finds for each of a pattern's objects the first of the reel's that is free and that a sign says it is.
func pair[P, T any](n renaming, row Row, ours []P, list []T, ourID func(P) string, id func(T) string, signs ...func(P, T) bool) {
	for _, sign := range signs {
		for _, o := range ours {
			if n.of(row, ourID(o)) != "" {
				continue
			}
			if i := slices.IndexFunc(list, func(x T) bool { return !n.taken(row, id(x)) && sign(o, x) }); i >= 0 {
				n.put(row, ourID(o), id(list[i]))
			}
		}
	}
}

func sameName(a, b string) bool { return strings.EqualFold(strings.TrimSpace(a), strings.TrimSpace(b)) }

// Fit says what applying a pattern would do to each object, in the order of the pattern, then what of the reel is left. Its errors
// are those of applying it.
func (p Pattern) Fit(r *Reel) ([]Fitted, error) {
	n := p.match(r)
	change, _, err := ApplyPattern{Pattern: p, Tracks: true, Yes: true}.Plan(r, nil)
	if err != nil {
		return nil, err
	}
	touched := map[Row]map[string]bool{StemRow: {}, MixRow: {}, GroupRow: {}, TrackRow: {}}
	note(touched[StemRow], change.Stems)
	note(touched[MixRow], change.Mixes)
	note(touched[GroupRow], change.Groups)
	note(touched[TrackRow], change.Tracks)
	for _, c := range change.Chains {
		if c.After != nil && touched[c.After.Row] != nil {
			touched[c.After.Row][c.After.From] = true
		}
	}
	var list []Fitted
	one := func(row Row, id, name string, was func(id string) string) {
		f := Fitted{Row: row, Name: name, ID: n.of(row, id), Does: FitsNew}
		if f.ID != "" {
			f.Does = FitsSame
			if touched[row][f.ID] {
				f.Does = FitsChanges
			}
			if own := was(f.ID); own != name {
				f.Was = own
			}
		}
		list = append(list, f)
	}
	left := func(row Row, id, name string) {
		if !n.taken(row, id) {
			list = append(list, Fitted{Row: row, Name: name, ID: id, Does: FitsLeft})
		}
	}
	for _, s := range p.Stems {
		one(StemRow, s.ID, s.Name, func(id string) string { return r.Stems[id].Name })
	}
	for _, m := range p.Mixes {
		one(MixRow, m.ID, m.Name, func(id string) string { return r.Mixes[id].Name })
	}
	for _, g := range p.Groups {
		one(GroupRow, g.ID, g.Name, func(id string) string { return r.Groups[id].Name })
	}
	for _, t := range p.Tracks {
		one(TrackRow, t.ID, t.Name, func(id string) string { return r.Tracks[id].Name })
	}
	for _, s := range r.StemList() {
		left(StemRow, s.ID, s.Name)
	}
	for _, m := range r.MixList() {
		left(MixRow, m.ID, m.Name)
	}
	for _, g := range r.GroupList() {
		left(GroupRow, g.ID, g.Name)
	}
	for _, t := range r.TrackList() {
		left(TrackRow, t.ID, t.Name)
	}
	return list, nil
}

// note puts down which objects become others than they are, but for their order.
func note[T any](ids map[string]bool, puts []Put[T]) {
	for _, p := range puts {
		if p.Before == nil || p.After == nil || !reflect.DeepEqual(ordered(*p.Before), ordered(*p.After)) {
			ids[p.ID] = true
		}
	}
}

// ordered is an object without its place in the order.
func ordered[T any](x T) T {
	if f := reflect.ValueOf(&x).Elem().FieldByName("Order"); f.IsValid() {
		f.SetInt(0)
	}
	return x
}
