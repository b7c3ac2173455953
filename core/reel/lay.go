package reel

import (
	"cmp"
	"slices"
	"strings"

	"zestyloom/core/fault"
	"zestyloom/core/layout"
	"zestyloom/core/placing"
	"zestyloom/core/take"
)

// LayTakes lays takes onto a reel in one step, each where placing proposes. Takes that are the parts of one finished mix, by their
// names, come as they are: each whole on a track of its own that feeds an output group of its meaning, and no stem. One alone is
// unravelled, as its Choice says.
type LayTakes struct {
	Takes  []Source
	Choice Choice // Channels are for one take alone; parts of a finished mix are whole, and have tracks of their own
	Plain  bool   // they are takes like others, whatever they are called
	// At has places that the user has given, by take, in samples since the midnight before the reel's start.
	At map[string]int64
	// Start is where the reel is to start from now on; where nobody has chosen that yet, it starts where what is laid first does.
	Start *int64
	// Picture is the one that the reel is to be cut to where it has none; empty for none.
	Picture string
	// Anyway says that the user has seen what speaks against the places. Without it the command is refused with the kind asks
	// where so much does that nobody should lay it there unasked.
	Anyway bool
	// Route lays a group out for each part of a finished mix, where the reel has no output groups; groups that it has and that
	// mean the same are fed in any case.
	Route bool
}

// LaidTake is a take as it would be laid.
type LaidTake struct {
	Take  string    `json:"take"`
	Title string    `json:"title"` // of the take
	Name  string    `json:"name"`  // of its track, or of the first
	Role  take.Role `json:"role,omitempty"`
	// Language is that of what is spoken in it, as ISO 639-2 writes it, where its name says.
	Language string           `json:"language,omitempty"`
	Tracks   int              `json:"tracks"`
	Labels   []string         `json:"labels,omitempty"` // of its track, where it is one
	Place    placing.Proposal `json:"place"`
	Group    *LaidGroup       `json:"group,omitempty"`  // that it feeds
	Joined   []string         `json:"joined,omitempty"` // names of the files that become this take
}

// LaidGroup is an output group that a take feeds.
type LaidGroup struct {
	ID     string `json:"id,omitempty"` // empty where it is made
	Name   string `json:"name"`
	Layout string `json:"layout"`
}

// finished reads takes as the parts of one finished mix, and tells whether they are: one is named as all or as M&E, and so are at
// least half of them named as some part. One that is not named says nothing, and leaves the others what they are.
func finished(takes []Source) ([]take.Finished, bool) {
	parts, named, whole := make([]take.Finished, len(takes)), 0, false
	for i, t := range takes {
		f, is := take.ReadFinished(t.Title, t.Words)
		if parts[i] = f; is {
			named++
		}
		whole = whole || f.Role == take.FullMixRole || f.Role == take.MERole
	}
	for i, t := range takes {
		if parts[i].Role == "" && inOwnLanguage(takes, parts, i) && t.File.Of != "" {
			parts[i].Role, whole = take.FullMixRole, true
			named++
		}
	}
	return parts, whole && 2*named >= len(takes)
}

// inOwnLanguage tells whether a take is called by a language alone, beside others of its file that are called by another, or that
// are a named part: then it is the mix in that language.
func inOwnLanguage(takes []Source, parts []take.Finished, i int) bool {
	if parts[i].Language == "" {
		return false
	}
	for j, t := range takes {
		if j != i && t.File.Of == takes[i].File.Of && (parts[j].Role != "" || parts[j].Language != "" && parts[j].Language != parts[i].Language) {
			return true
		}
	}
	return false
}

// labelsOf gives the labels of those of parts that are one channel each of something that is called the same: as they are named, else
// by their numbers, where these are those of a pair or of 5.1, from 1 without a gap.
func labelsOf(parts []take.Finished) map[int]string {
	labels, numbered := map[int]string{}, map[string][]int{}
	for i, f := range parts {
		switch {
		case f.Label != "":
			labels[i] = f.Label
		case f.Number > 0:
			numbered[f.Base] = append(numbered[f.Base], i)
		}
	}
	for _, of := range numbered {
		order := map[int][]string{2: {"L", "R"}, 6: {"L", "R", "C", "LFE", "Ls", "Rs"}}[len(of)]
		if len(of) == 6 && parts[of[0]].Order == "film" {
			order = []string{"L", "C", "R", "Ls", "Rs", "LFE"}
		}
		slices.SortFunc(of, func(a, b int) int { return parts[a].Number - parts[b].Number })
		for n, i := range of {
			if order == nil || parts[i].Number != n+1 {
				break
			}
			labels[i] = order[n]
		}
	}
	return labels
}

// Joins finds among takes those that are channels of one part of a finished mix, such as MixL and MixR, each as a file of its
// own: they have to become one take before they are laid. Their IDs are in the order of the channels.
func Joins(takes []Source) (joins [][]string) {
	parts, ok := finished(takes)
	if !ok {
		return nil
	}
	type channel struct {
		id    string
		place int
	}
	byBase := map[string][]channel{}
	var bases []string
	labels := labelsOf(parts)
	for i, f := range parts {
		label, one := labels[i]
		if !one || len(takes[i].Channels) != 1 || f.Role == "" {
			continue
		}
		if byBase[f.Base] == nil {
			bases = append(bases, f.Base)
		}
		byBase[f.Base] = append(byBase[f.Base], channel{takes[i].Take, slices.Index(channelOrder, label)})
	}
	for _, base := range bases {
		list := byBase[base]
		slices.SortStableFunc(list, func(a, b channel) int { return a.place - b.place })
		distinct := slices.CompactFunc(slices.Clone(list), func(a, b channel) bool { return a.place == b.place })
		if len(list) < 2 || len(distinct) < len(list) { // which of two lefts is meant nobody can tell
			continue
		}
		var ids []string
		for _, c := range list {
			ids = append(ids, c.id)
		}
		joins = append(joins, ids)
	}
	return joins
}

// channelOrder is that in which the channels of a set lie.
var channelOrder = []string{"Lt", "Rt", "L", "R", "C", "LFE", "Ls", "Rs", "Lss", "Rss", "Lrs", "Rrs", "Ltf", "Rtf", "Ltr", "Rtr"}

// Joined stands for takes that are to become one: what it will be laid as.
func Joined(takes []Source) Source {
	s := takes[0]
	f, _ := take.ReadFinished(s.Title, s.Words)
	s.Title, s.Channels, s.Sets = f.Base, nil, nil
	set := take.Set{Kind: take.Bonded}
	var parts []take.Finished
	for _, t := range takes {
		f, _ := take.ReadFinished(t.Title, t.Words)
		parts = append(parts, f)
	}
	labels := labelsOf(parts)
	for i, t := range takes {
		channel := t.Channels[0]
		channel.Index = i + 1
		s.Channels = append(s.Channels, channel)
		set.Channels, set.Labels = append(set.Channels, i+1), append(set.Labels, labels[i])
		s.Frames = max(s.Frames, t.Frames)
	}
	if _, known := layout.ForLabels(set.Labels); known {
		s.Sets = []take.Set{set}
	}
	return s
}

// Laying is how takes would be laid.
type Laying struct {
	Start   int64      `json:"start"`             // of the reel
	Picture *Picture   `json:"picture,omitempty"` // that an empty reel has, or gets with them
	Rows    []LaidTake `json:"rows"`
}

// Look says how each take would be laid, without doing it.
func (c LayTakes) Look(r *Reel, known Known) (Laying, error) {
	r, _, err := c.prepared(r, known)
	if err != nil {
		return Laying{}, err
	}
	rows, err := c.rows(r)
	if err != nil {
		return Laying{}, err
	}
	look := Laying{Start: r.Head.Start, Rows: []LaidTake{}}
	if r.Head.Picture.Take != "" && len(r.Clips) == 0 {
		look.Picture = &r.Head.Picture
	}
	for _, row := range rows {
		look.Rows = append(look.Rows, row.LaidTake)
	}
	return look, nil
}

// prepared is the reel as the takes are laid on it, with its picture and its start, and what makes it so.
func (c LayTakes) prepared(r *Reel, known Known) (*Reel, []Command, error) {
	var commands []Command
	step := func(command Command) error {
		next, err := Try(r, command, known)
		if err == nil {
			r, commands = next, append(commands, command)
		}
		return err
	}
	if c.Picture != "" && r.Head.Picture.Take == "" {
		if err := step(SetReel{Picture: &PictureChoice{Take: c.Picture}}); err != nil {
			return nil, nil, err
		}
	}
	start := c.Start
	if on := r.Placing(); start == nil && on.Free {
		_, begin := placing.Propose(c.files(), on)
		start = &begin
	}
	if start != nil && (*start != r.Head.Start || r.Head.Free) {
		if err := step(SetReel{Start: start}); err != nil {
			return nil, nil, err
		}
	}
	return r, commands, nil
}

// files are the takes as placing knows them, with the user's word.
func (c LayTakes) files() (files []placing.File) {
	for _, t := range c.Takes {
		f := t.File
		f.ID, f.Title, f.Rate, f.Frames = t.Take, t.Title, t.SampleRate, t.Frames
		if at, said := c.At[t.Take]; said {
			f.Word = &at
		}
		files = append(files, f)
	}
	return files
}

// maxPlaceHours is two days: a reel starts on one, and may run into the next.
const maxPlaceHours = 48

// layRow is a take on its way onto a reel.
type layRow struct {
	LaidTake
	command AddTake
}

// rows are the takes as they are laid on a reel that has its start and its picture.
func (c LayTakes) rows(r *Reel) (rows []layRow, err error) {
	if len(c.Takes) == 0 {
		return nil, fault.New(fault.BadInput, "Choose the takes that are to be laid")
	}
	for _, at := range c.At {
		if at < 0 || at > maxPlaceHours*3600*int64(r.Head.SampleRate) {
			return nil, fault.New(fault.BadInput, "A place lies between the midnight before the reel's start and %d hours after it", maxPlaceHours)
		}
	}
	places, _ := placing.Propose(c.files(), r.Placing())
	if parts, whole := finished(c.Takes); whole && !c.Plain {
		return c.finishedRows(r, parts, places)
	}
	for i, t := range c.Takes {
		row, err := c.row(r, t, places[i])
		if err != nil {
			return nil, err
		}
		rows = append(rows, row)
	}
	return rows, nil
}

// row is a take that is no part of a finished mix.
func (c LayTakes) row(r *Reel, t Source, where placing.Proposal) (layRow, error) {
	choice := c.Choice
	if len(c.Takes) > 1 {
		choice.Channels = nil
	}
	command, err := unravel(r, t, choice, where)
	if err != nil {
		return layRow{}, err
	}
	if len(command.Parts) == 0 {
		return layRow{}, fault.New(fault.BadInput, "Nothing of %s is switched on; open it and switch on at least one channel", t.Title)
	}
	row := layRow{LaidTake{Take: t.Take, Title: t.Title, Name: command.Parts[0].Name, Tracks: len(command.Parts), Place: where}, command}
	if row.Tracks == 1 {
		row.Labels = command.Parts[0].Labels
	}
	return row, nil
}

// finishedRows are the parts of a finished mix, by what they are.
func (c LayTakes) finishedRows(r *Reel, parts []take.Finished, places []placing.Proposal) (rows []layRow, err error) {
	rank := func(f take.Finished) int {
		return slices.Index([]take.Role{take.FullMixRole, take.DialogueRole, take.NarrationRole, take.MusicRole, take.EffectsRole,
			take.AmbienceRole, take.MERole}, f.Role)
	}
	order := make([]int, len(parts))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(rank(parts[a]), rank(parts[b])) })
	taken := map[string]bool{}
	shared := sharedStart(c.Takes)
	for _, i := range order {
		if parts[i].Role == "" { // laid after them, like other takes
			continue
		}
		row, err := finishedRow(r, c.Takes[i], parts[i], shared, places[i])
		if err != nil {
			return nil, err
		}
		row.Group = c.groupFor(r, row, taken)
		rows = append(rows, row)
	}
	for i, f := range parts {
		if f.Role != "" {
			continue
		}
		row, err := c.row(r, c.Takes[i], places[i])
		if err != nil {
			return nil, err
		}
		rows = append(rows, row)
	}
	return rows, nil
}

// sharedStart is how many bytes all titles begin with alike, up to the end of a word: the name of the programme, which no track
// needs to say again.
func sharedStart(takes []Source) int {
	if len(takes) < 2 {
		return 0
	}
	n := len(takes[0].Title)
	for _, t := range takes[1:] {
		same := 0
		for same < min(n, len(t.Title)) && t.Title[same] == takes[0].Title[same] {
			same++
		}
		n = same
	}
	return strings.LastIndexAny(takes[0].Title[:n], " _-.") + 1
}

// finishedRow lays a part of a finished mix whole on one track. It is called as the take, without what all titles begin with.
func finishedRow(r *Reel, t Source, f take.Finished, shared int, where placing.Proposal) (layRow, error) {
	var all []int
	for i := range t.Channels {
		all = append(all, i+1)
	}
	command, err := unravel(r, t, Choice{Channels: all}, where)
	if err != nil {
		return layRow{}, err
	}
	if len(command.Parts) == 0 {
		return layRow{}, fault.New(fault.BadInput, "%s has no sound to lay", t.Title)
	}
	// In the stem of its channels until its track is taken out of it: that one is there.
	part := PartPlan{Name: t.Title[shared:], Stem: command.Parts[0].Stem, Decided: true}
	switch {
	case len(command.Parts) == 1 && !command.Parts[0].Sum:
		part.Channels, part.Labels = command.Parts[0].Channels, command.Parts[0].Labels
	default:
		for i := range t.Channels {
			part.Channels = append(part.Channels, i)
		}
		part.Labels = usualLabels(len(t.Channels), f.Order)
	}
	command.Parts = []PartPlan{part}
	return layRow{LaidTake{Take: t.Take, Title: t.Title, Name: part.Name, Role: f.Role, Language: f.Language, Tracks: 1, Labels: part.Labels, Place: where},
		command}, nil
}

// usualLabels are those of a file of so many channels that says nothing of them but, in its name, in which order they are.
func usualLabels(n int, order string) []string {
	for _, name := range []layout.Name{layout.Mono, layout.Stereo, layout.Five1, layout.Seven1} {
		for _, asked := range []string{order, ""} {
			if l, err := layout.New(name, asked, 0); err == nil && len(l.Labels) == n {
				return l.Labels
			}
		}
	}
	return slices.Repeat([]string{"M"}, n)
}

// groupFor gives the output group that a part of a finished mix feeds: one of its meaning and width that nothing else feeds
// whole, or a new one where the reel has none at all.
func (c LayTakes) groupFor(r *Reel, row layRow, taken map[string]bool) *LaidGroup {
	for _, g := range r.GroupList() {
		role, named := roleOf(g)
		foreign := g.Language != "" && row.Language != "" && g.Language != row.Language
		if named && role == row.Role && len(g.Labels) == len(row.Labels) && g.Feed == nil && !taken[g.ID] && !foreign {
			taken[g.ID] = true
			return &LaidGroup{ID: g.ID, Name: g.Name, Layout: g.Layout}
		}
	}
	if len(r.Groups) > 0 || !c.Route {
		return nil
	}
	name := row.Role.Words()
	if language := take.LanguageName(row.Language); language != "" {
		name += " " + language
	}
	return &LaidGroup{Name: name, Layout: layoutOf(row.Labels)}
}

// roleOf gives what an output group holds, by its tag or its name.
func roleOf(g Group) (take.Role, bool) {
	for _, name := range []string{g.Tag, g.Name} {
		if f, ok := take.ReadFinished(name, take.Words()); ok {
			return f.Role, true
		}
	}
	return "", false
}

// layoutOf names the layout of labels; discrete where they are none.
func layoutOf(labels []string) string {
	if len(labels) == 1 {
		return string(layout.Mono)
	}
	if l, known := layout.ForLabels(labels); known {
		return string(l.Name)
	}
	return string(layout.Discrete)
}

func (c LayTakes) Plan(r *Reel, known Known) (Change, string, error) {
	onto, commands, err := c.prepared(r, known)
	if err != nil {
		return Change{}, "", err
	}
	rows, err := c.rows(onto)
	if err != nil {
		return Change{}, "", err
	}
	if err := c.asks(rows); err != nil {
		return Change{}, "", err
	}
	s := Sequence{Name: "lay " + plural(len(rows), "take")}
	if len(rows) == 1 {
		s.Name = "unravel " + c.Takes[0].Title
	}
	for _, command := range commands {
		s.Commands = append(s.Commands, func(*Reel) (Command, error) { return command, nil })
	}
	for _, row := range rows {
		s.Commands = append(s.Commands, func(*Reel) (Command, error) { return row.command, nil })
		if row.Role == "" {
			continue
		}
		track := ""
		s.Commands = append(s.Commands, func(r *Reel) (Command, error) {
			list := r.TrackList()
			track = list[len(list)-1].ID
			none := ""
			return SetTrack{Track: track, Stem: &none}, nil
		})
		if row.Group != nil {
			s.Commands = append(s.Commands, func(*Reel) (Command, error) { return row.feed(track), nil })
		}
	}
	return s.Plan(r, known)
}

// asks refuses what nobody should lay unasked, unless the user has been asked.
func (c LayTakes) asks(rows []layRow) error {
	for _, row := range rows {
		if p := row.Place; p.Ask && !c.Anyway {
			return fault.New(fault.Asks, "%s: %s", row.Name, strings.Join(p.Against, ". "))
		}
	}
	return nil
}

// feed has the row's group be fed by its track.
func (row layRow) feed(track string) Command {
	if row.Group.ID != "" {
		return feedGroup{row.Group.ID, &Feeder{Row: TrackRow, From: track}}
	}
	c := groupOf(Track{ID: track, Name: row.Group.Name, Labels: row.Labels})
	if row.Language != "" {
		c.Language = &row.Language
	}
	switch row.Role {
	case take.FullMixRole:
		c.Tag = cmp.Or(strings.ToUpper(row.Language), "MIX")
	case take.MERole:
		c.Tag = "ME"
	default:
		c.Tag = string(row.Role)
	}
	return c
}

// feedGroup has an output group be fed by something, and leaves it else as it is.
type feedGroup struct {
	group string
	feed  *Feeder
}

func (c feedGroup) Plan(r *Reel, _ Known) (Change, string, error) {
	g, there := r.Groups[c.group]
	if !there {
		return Change{}, "", fault.New(fault.NotFound, "This output group is no longer on the reel")
	}
	d := newDraft(r)
	g.Feed = c.feed
	d.groups.put(g.ID, g)
	return d.finish(), "feed " + g.Name, nil
}
