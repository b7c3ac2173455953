package store

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"zestyloom/core/chain"
	"zestyloom/core/convert"
	"zestyloom/core/diagnose"
	"zestyloom/core/fault"
	"zestyloom/core/gather"
	"zestyloom/core/overview"
	"zestyloom/core/placing"
	"zestyloom/core/reel"
	"zestyloom/core/take"
	"zestyloom/core/timecode"
)

// Channel is a channel of a take as the user has it.
type Channel struct {
	take.Track
	overview.Level
	Empty    bool   `json:"empty"`
	FileName string `json:"fileName"` // its name as the file has it
	// What somebody has decided; nil or empty leaves it to the suggestion.
	On     *bool  `json:"on,omitempty"`
	Stem   string `json:"stem,omitempty"`
	Strand string `json:"strand,omitempty"`
	// The rest follows from these and is not stored with them.
	Unravelled      bool               `json:"unravelled"` // whether unravel takes it: as decided, else all but mixes and what is spare
	Suggested       string             `json:"suggested"`  // tag of the stem it most likely belongs to
	SuggestedStrand string             `json:"suggestedStrand"`
	Findings        []diagnose.Finding `json:"findings"` // what is on the channel; nil until it has been listened to
}

// Spare tells whether the channel carries nothing that another does not.
func (c Channel) Spare() bool {
	return c.Empty || slices.ContainsFunc(c.Findings, func(f diagnose.Finding) bool {
		return f.Kind == diagnose.Empty || f.Kind == diagnose.Copy || f.Kind == diagnose.Polarity
	})
}

// Slate is what the user says of a take in place of what the file does; nil leaves it to the file.
type Slate struct {
	Scene   *string `json:"scene,omitempty"`
	Take    *string `json:"take,omitempty"`
	Roll    *string `json:"roll,omitempty"`
	Note    *string `json:"note,omitempty"`
	Circled *bool   `json:"circled,omitempty"`
}

func (s Slate) onto(d *take.Description) {
	for _, f := range []struct {
		from *string
		to   *string
	}{{s.Scene, &d.Scene}, {s.Take, &d.Take}, {s.Roll, &d.Roll}, {s.Note, &d.Note}} {
		if f.from != nil {
			*f.to = *f.from
		}
	}
	if s.Circled != nil {
		d.Circled = *s.Circled
	}
}

// Tie is where a take lies against a picture, or against another take.
type Tie struct {
	Reference  string  `json:"reference"` // ID of a take
	Offset     int64   `json:"offset"`    // samples from the reference's first to the take's; positive: it starts later
	DriftPPM   float64 `json:"driftPPM"`
	Confidence float64 `json:"confidence"`
	Method     Method  `json:"method"`
	Title      string  `json:"title"` // of the reference; not stored
}

// Picture is what a movie shows.
type Picture struct {
	Codec     string        `json:"codec"`
	Width     int           `json:"width"`
	Height    int           `json:"height"`
	FrameRate timecode.Rate `json:"frameRate"`
	ProxyKey  string        `json:"proxyKey"` // of the proxy in the media
}

// Assembly says what a take is made of that is no file of its own.
type Assembly struct {
	gather.Family
	ByHand     bool                `json:"byHand"`
	Conversion *convert.Conversion `json:"conversion,omitempty"` // of one take that was resampled; its samples are stored
	Files      []Part              `json:"files"`                // the takes, in channel order and then in time; not stored
}

// Part is a file of an assembly.
type Part struct {
	Take     string `json:"take"`
	FileName string `json:"fileName"`
	CameFrom string `json:"cameFrom"`
}

// Stored is a file as it was written, to know it again.
type Stored struct {
	Size     int64     `json:"size"` // bytes
	SHA256   string    `json:"sha256"`
	Modified time.Time `json:"modified"`
}

// Take is a recording that has been taken in.
type Take struct {
	ID          string            `json:"id"`
	Production  string            `json:"production"`
	Kind        take.Kind         `json:"kind"`
	FileName    string            `json:"fileName"`
	CameFrom    string            `json:"cameFrom"`
	MediaKey    string            `json:"-"` // folder of its overview
	SoundKey    string            `json:"-"` // file of its samples; empty where it has none of its own
	Sound       *Stored           `json:"-"` // what that file is; nil for takes of before this was noted
	Size        int64             `json:"size"`
	SHA256      string            `json:"sha256"`
	Stream      int               `json:"stream"` // of the file's audio streams, from 0
	Description take.Description  `json:"description"`
	Channels    []Channel         `json:"channels"`
	Sets        []take.Set        `json:"sets"`    // channels that are read together
	Picture     *Picture          `json:"picture"` // nil unless it came with one
	Tie         *Tie              `json:"tie"`     // nil unless it is tied to something
	Named       string            `json:"title"`   // its Title, for pages
	Place       *int64            `json:"place"`   // where it belongs on the clock, in samples since midnight: by what it is tied to, else its own time stamp
	Assembly    *Assembly         `json:"assembly"`
	PartOf      *string           `json:"partOf"` // the take that it is a part of
	Apart       bool              `json:"-"`
	Dissolved   bool              `json:"-"`
	Treatments  []chain.Treatment `json:"treatments"` // what its channels go through wherever they sound
	CreatedAt   time.Time         `json:"createdAt"`
	Order       string            `json:"order"` // by which takes are listed, code point by code point; no two have the same
	words       *take.Vocabulary  // by which names are read
	tiedTo      []tiedTo          // what it is tied to, what that is tied to, and so on
}

// Title is how people call the take: scene and take, or the file's name.
func (t Take) Title() string {
	title := titleOf(t.Description, t.FileName)
	switch {
	case t.Description.Stream != "":
		title += ", " + t.Description.Stream
	case t.Stream > 0:
		title = fmt.Sprintf("%s, stream %d", title, t.Stream+1)
	}
	return title
}

// Info is what commands have to know of the take.
func (t Take) Info() reel.TakeInfo {
	return reel.TakeInfo{Title: t.Title(), Channels: len(t.Channels), Frames: t.Description.Frames, SampleRate: t.Description.SampleRate,
		File: t.File()}
}

// File gives what tells where the take belongs.
func (t Take) File() placing.File {
	f := fileOf(t.ID, t.Title(), t.SHA256, t.Description)
	if t.Tie != nil {
		f.Tie = t.Tie.placing(t.tiedTo)
	}
	return f
}

func fileOf(id, title, sha256 string, d take.Description) placing.File {
	f := placing.File{ID: id, Title: title, Rate: d.SampleRate, Frames: d.Frames, Roll: d.Roll, Wild: d.Wild, Of: sha256}
	if d.StartSamples != nil {
		f.Stamp = new(timecode.Reading(*d.StartSamples))
	}
	return f
}

// placing gives a tie with the takes that it leads to, one after another.
func (t Tie) placing(chain []tiedTo) *placing.Tie {
	if len(chain) == 0 {
		return nil
	}
	to := fileOf(chain[0].ID, titleOf(chain[0].Description, chain[0].FileName), chain[0].SHA256, chain[0].Description)
	if next := chain[0].Tie; next != nil {
		to.Tie = next.placing(chain[1:])
	}
	words := "by its sound"
	if t.Method == ByTimecode {
		words = "by timecode"
	}
	return &placing.Tie{To: to, Offset: t.Offset, Sure: t.Confidence, Words: words}
}

// tiedTo is a take that another is tied to, at some remove.
type tiedTo struct {
	ID          string           `json:"id"`
	FileName    string           `json:"fileName"`
	SHA256      string           `json:"sha256"`
	Description take.Description `json:"description"`
	Slate       Slate            `json:"slate"`
	Tie         *Tie             `json:"tie"`
}

func titleOf(d take.Description, fileName string) string {
	if d.Scene != "" {
		return d.Scene + "/" + d.Take
	}
	return take.Bare(fileName)
}

// SettledOn is how CameFrom begins of takes that were rendered from a reel.
const SettledOn = "settled on "

// Settled tells whether the take was rendered from a reel, and not recorded.
func (t Take) Settled() bool { return strings.HasPrefix(t.CameFrom, SettledOn) }

// Source gives the take as unravel needs it.
func (t Take) Source(stems []reel.Stem) reel.Source {
	src := reel.Source{Take: t.ID, Title: t.Title(), Kind: t.Kind, SampleRate: t.Description.SampleRate, Frames: t.Description.Frames,
		File: t.File(), Sets: t.Sets, Stems: stems, Words: t.words}
	for _, ch := range t.Channels {
		stem, strand := cmp.Or(ch.Stem, ch.Suggested), ch.Strand
		if strand == "" && stem == ch.Suggested {
			strand = ch.SuggestedStrand
		}
		src.Channels = append(src.Channels, reel.SourceChannel{Track: ch.Track, On: ch.Unravelled, Stem: stem, Strand: strand,
			Decided: ch.Stem != ""})
	}
	return src
}

const takeColumns = `select t.id::text, t.production_id::text, t.kind, t.file_name, t.came_from, t.media_key, t.sound_key, t.sound, t.size,
	coalesce(t.sha256, ''), t.stream, t.description,
	t.channels, t.findings, t.sets, t.picture, t.slate, t.tie, t.assembly, t.part_of::text, t.apart, t.dissolved, t.treatments, t.created_at, t.sort, coalesce(p.rules::text, ''), coalesce(p.words::text, ''), p.frame_rate,
	(with recursive chain as (select r.*, 1 as depth from takes r where r.id = (t.tie->>'reference')::uuid
		union all select r.*, depth + 1 from takes r join chain c on r.id = (c.tie->>'reference')::uuid where depth < 32)
		select jsonb_agg(jsonb_build_object('id', id, 'fileName', file_name, 'sha256', coalesce(sha256, ''), 'description', description,
			'slate', slate, 'tie', tie) order by depth) from chain)
	from takes t join productions p on p.id = t.production_id `

// takeScanner reads rows of takes. How names are read is the production's, and so the same in row after row; it is read once.
type takeScanner struct {
	rules, own string // as the row before had them
	read       []take.Rule
	words      *take.Vocabulary
}

// names reads how a production's names are read.
func (s *takeScanner) names(rules, own string) error {
	if s.words != nil && rules == s.rules && own == s.own {
		return nil
	}
	s.rules, s.own, s.read = rules, own, nil
	if rules != "" {
		if err := json.Unmarshal([]byte(rules), &s.read); err != nil {
			return err
		}
	}
	if s.read == nil {
		s.read = take.DefaultRules()
	}
	var words []take.Word
	if own != "" {
		if err := json.Unmarshal([]byte(own), &words); err != nil {
			return err
		}
	}
	s.words = take.Taught(words)
	return nil
}

func (s *takeScanner) scan(row pgx.CollectableRow) (t Take, err error) {
	var found []diagnose.Channel
	var slate Slate
	var rules, own string
	var frame timecode.Rate
	err = row.Scan(&t.ID, &t.Production, &t.Kind, &t.FileName, &t.CameFrom, &t.MediaKey, &t.SoundKey, &t.Sound, &t.Size, &t.SHA256,
		&t.Stream,
		&t.Description,
		&t.Channels, &found, &t.Sets, &t.Picture, &slate, &t.Tie, &t.Assembly, &t.PartOf, &t.Apart, &t.Dissolved, &t.Treatments, &t.CreatedAt, &t.Order,
		&rules, &own, &frame,
		&t.tiedTo)
	if err != nil {
		return t, err
	}
	slate.onto(&t.Description)
	if t.Treatments == nil {
		t.Treatments = []chain.Treatment{}
	}
	if d := &t.Description; d.StartTimecode == nil && d.StartSamples != nil { // a stamp of samples alone is read at the production's rate
		d.StartTimecode = new(frame.LabelAt(*d.StartSamples, d.SampleRate))
	}
	if err := s.names(rules, own); err != nil {
		return t, err
	}
	t.words = s.words
	if t.Sets == nil {
		t.Sets = take.DefaultSets(t.Description, t.Kind, t.words)
	}
	for i := range t.Channels {
		c := &t.Channels[i]
		if i < len(found) {
			c.Findings = found[i].Findings
			for k := range c.Findings {
				c.Findings[k].Remedy = c.Findings[k].Against()
			}
		}
		c.Suggested, c.SuggestedStrand = take.Suggest(s.read, t.words, t.Kind, c.Name, t.Title())
		c.Unravelled = c.Use != take.Mix && !c.Spare()
		if c.On != nil {
			c.Unravelled = *c.On
		}
		if i < len(t.Description.Tracks) {
			t.Description.Tracks[i].Name = c.Name // so that whatever is written carries the name that was given
		}
	}
	t.bond()
	t.doubt()
	t.place(frame)
	return t, nil
}

// bond switches the channels of each set together: one that is wanted brings the others, also those that are silent.
func (t *Take) bond() {
	for _, set := range t.Sets {
		wanted := slices.ContainsFunc(set.Channels, func(c int) bool { return c <= len(t.Channels) && t.Channels[c-1].Unravelled })
		for _, c := range set.Channels {
			if c <= len(t.Channels) {
				t.Channels[c-1].Unravelled = wanted
			}
		}
	}
}

// doubt adds what the channels' names say against how they are read.
func (t *Take) doubt() {
	for _, set := range t.Sets {
		if len(set.Channels) != 2 || !slices.Equal(set.Labels, []string{"L", "R"}) || slices.Max(set.Channels) > len(t.Channels) {
			continue
		}
		l, r := &t.Channels[set.Channels[0]-1], &t.Channels[set.Channels[1]-1]
		if take.NoPair(l.Name, r.Name) {
			l.Findings = append(slices.Clip(l.Findings), diagnose.Finding{Kind: diagnose.NoPair, With: []int{r.Index},
				Message: fmt.Sprintf("Read as left and right, but named %s and %s: two microphones rather than a pair", l.Name, r.Name)})
		}
	}
}

// place works out what the take is called, and where it belongs on the production's clock, whichever reel it will lie on.
func (t *Take) place(frame timecode.Rate) {
	for i := range t.tiedTo {
		t.tiedTo[i].Slate.onto(&t.tiedTo[i].Description)
	}
	if t.Tie != nil && len(t.tiedTo) == 0 {
		t.Tie = nil // what it was tied to is gone
	}
	if t.Tie != nil {
		t.Tie.Title = titleOf(t.tiedTo[0].Description, t.tiedTo[0].FileName)
	}
	if by, known := placing.OnTheClock(t.File(), frame); known {
		t.Place = &by.At
	}
	t.Named = t.Title()
}

// allTakes gives every row of a production in order.
func allTakes(ctx context.Context, q querier, production string) ([]Take, error) {
	takes, err := takesBy(ctx, q, "where t.production_id = $1 order by t.sort", production)
	return takes, notFound(err, "production")
}

// listed are those rows that are takes to the user: neither the files that became one take nor groups that were taken apart.
const listed = "t.part_of is null and not t.dissolved"

// Takes lists the takes of a production in order.
func (s *Store) Takes(ctx context.Context, production string) ([]Take, error) {
	takes, err := takesBy(ctx, s.Pool, "where t.production_id = $1 and "+listed+" order by t.sort", production)
	if err != nil {
		return nil, notFound(err, "production")
	}
	return takes, nameParts(ctx, s.Pool, takes)
}

// nameParts fills in the files of those takes that are made of others.
func nameParts(ctx context.Context, q querier, takes []Take) error {
	var ids []string
	for _, t := range takes {
		if t.Assembly != nil {
			ids = append(ids, t.Assembly.Family.Files()...)
		}
	}
	if len(ids) == 0 {
		return nil
	}
	rows, err := q.Query(ctx, "select id::text, file_name, came_from from takes where id = any($1::uuid[])", ids)
	if err != nil {
		return err
	}
	parts, err := pgx.CollectRows(rows, pgx.RowToStructByPos[Part])
	if err != nil {
		return err
	}
	byID := map[string]Part{}
	for _, p := range parts {
		byID[p.Take] = p
	}
	for _, t := range takes {
		if t.Assembly == nil {
			continue
		}
		t.Assembly.Files = []Part{}
		for _, id := range t.Assembly.Family.Files() {
			if p, there := byID[id]; there {
				t.Assembly.Files = append(t.Assembly.Files, p)
			}
		}
	}
	return nil
}

// Take finds one by its ID.
func (s *Store) Take(ctx context.Context, id string) (Take, error) {
	list, err := takesBy(ctx, s.Pool, "where t.id = $1", id)
	if err != nil {
		return Take{}, notFound(err, "take")
	}
	if len(list) == 0 {
		return Take{}, notFound(pgx.ErrNoRows, "take")
	}
	return list[0], nameParts(ctx, s.Pool, list)
}

// TakesOfWork finds the takes that a piece of work has made, by stream.
func (s *Store) TakesOfWork(ctx context.Context, work string) ([]Take, error) {
	return takesBy(ctx, s.Pool, "where t.work_id = $1 order by t.stream", work)
}

// MediaInUse tells whether any take has its files in a folder. The folder may be removed only where it says no.
func (s *Store) MediaInUse(ctx context.Context, folder string) (used bool, err error) {
	err = s.Pool.QueryRow(ctx, "select exists (select 1 from takes where media_key = $1)", folder).Scan(&used)
	return used, err
}

func takesBy(ctx context.Context, q querier, where string, args ...any) ([]Take, error) {
	rows, err := q.Query(ctx, takeColumns+where, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, new(takeScanner).scan)
}

// TakesOfFiles gives the takes of a production that files with these SHA-256 were brought in as.
func (s *Store) TakesOfFiles(ctx context.Context, production string, sums []string) ([]Take, error) {
	list, err := takesBy(ctx, s.Pool, "where t.production_id = $1 and t.sha256 = any($2)", production, sums)
	return list, notFound(err, "production")
}

// Twin is an error that says which take a file is the same as, by content and name.
type Twin struct{ Take, Title string }

func (t Twin) Error() string { return "the production has this very file already, as " + t.Title }

// AddTakes stores the takes that came of one file under the claim of the work that made them, all or none, and only once
// for a piece of work: where they are there already it gives those. A file that the production has already under its
// name is a Twin, unless again says that it is wanted all the same.
func (s *Store) AddTakes(ctx context.Context, c Claim, takes []Take, again bool) (ids []string, err error) {
	err = pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		if err := c.hold(ctx, tx); err != nil {
			return err
		}
		ids, err = s.addTakes(ctx, tx, c.Work, takes, again)
		return err
	})
	return ids, err
}

// MediaOf gives the folders of media that takes of a production lie in.
func (s *Store) MediaOf(ctx context.Context, production string) ([]string, error) {
	return s.ids(ctx, "select distinct media_key from takes where production_id = $1 and media_key <> ''", production)
}

// TakesIn gives the takes of a production that lie in a folder of media, as they came in.
func (s *Store) TakesIn(ctx context.Context, production, folder string) ([]Take, error) {
	return takesBy(ctx, s.Pool, "where t.production_id = $1 and t.media_key = $2 order by t.stream", production, folder)
}

// BringBack stores takes whose folder no row names; one that is there already under its name is a Twin.
func (s *Store) BringBack(ctx context.Context, takes []Take) (ids []string, err error) {
	err = pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		if err := lockTakes(ctx, tx, takes[0].Production); err != nil {
			return err
		}
		var there bool
		if err := tx.QueryRow(ctx, "select exists (select 1 from takes where media_key = $1)",
			takes[0].MediaKey).Scan(&there); err != nil || there {
			return err
		}
		ids, err = s.addTakes(ctx, tx, "", takes, false)
		return err
	})
	var twin Twin
	if errors.As(err, &twin) {
		err = fault.New(fault.BadInput, "The production has this very file already, as %s", twin.Title)
	}
	return ids, err
}

func (s *Store) addTakes(ctx context.Context, tx pgx.Tx, work string, takes []Take, again bool) (ids []string, err error) {
	// Two imports of one file at once: the second waits, and finds the first's take.
	if err := lockTakes(ctx, tx, takes[0].Production); err != nil {
		return nil, err
	}
	rows, err := tx.Query(ctx, "select id::text from takes where work_id = nullif($1, '')::uuid order by stream", work)
	if err != nil {
		return nil, err
	}
	if ids, err = pgx.CollectRows(rows, pgx.RowTo[string]); err != nil || len(ids) > 0 {
		return ids, err
	}
	for _, t := range takes {
		if t.SHA256 != "" && !again {
			var twin Twin
			err := tx.QueryRow(ctx, `select id::text, file_name from takes where production_id = $1 and sha256 = $2 and stream = $3
				and file_name = $4 limit 1`, t.Production, t.SHA256, t.Stream, t.FileName).Scan(&twin.Take, &twin.Title)
			if err == nil {
				return nil, twin
			}
			if !errors.Is(err, pgx.ErrNoRows) {
				return nil, err
			}
		}
		var id string
		err := tx.QueryRow(ctx, `insert into takes (production_id, kind, file_name, came_from, media_key, sound_key, sound, size, sha256, stream,
			description, channels, picture, work_id)
			values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, nullif($14, '')::uuid) returning id::text`,
			t.Production, t.Kind, t.FileName, t.CameFrom, t.MediaKey, t.SoundKey, t.Sound, t.Size, t.SHA256, t.Stream, t.Description,
			t.Channels,
			t.Picture, work).Scan(&id)
		if err != nil {
			return nil, err
		}
		ids = append(ids, id)
	}
	return ids, nil
}

// SetSound notes what the file of a take's samples is.
func (s *Store) SetSound(ctx context.Context, id string, f Stored) error {
	_, err := s.Pool.Exec(ctx, "update takes set sound = $2 where id = $1", id, f)
	return err
}

// SetFindings stores what is on the channels of a take, in channel order.
func (s *Store) SetFindings(ctx context.Context, id string, found []diagnose.Channel) error {
	_, err := s.Pool.Exec(ctx, "update takes set findings = $2 where id = $1", id, found)
	return err
}

// RemoveTake forgets a take that nothing uses, with the files that it is made of, and gives the media folders that
// nothing needs any more. The caller removes the media. What is used is told by foreign keys: a reel keeps the takes
// that it ever used, as its history may bring a clip back, and a take keeps those that it is made of.
func (s *Store) RemoveTake(ctx context.Context, id string) (keys []string, err error) {
	err = pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		var production string
		if err := tx.QueryRow(ctx, "select production_id::text from takes where id = $1", id).Scan(&production); err != nil {
			return notFound(err, "take")
		}
		if err := lockTakes(ctx, tx, production); err != nil {
			return err
		}
		// What it is made of goes with it, so it does not keep that.
		if _, err := tx.Exec(ctx, "delete from take_parts where whole_id = $1", id); err != nil {
			return err
		}
		rows, err := tx.Query(ctx, `with gone as (delete from takes where id = $1 or part_of = $1 returning media_key)
			select distinct media_key from gone where media_key <> ''`, id)
		if err != nil {
			return err
		}
		candidates, err := pgx.CollectRows(rows, pgx.RowTo[string])
		if err != nil {
			return err
		}
		rows, err = tx.Query(ctx, "select k from unnest($1::text[]) k where not exists (select 1 from takes where media_key = k)",
			candidates)
		if err != nil {
			return err
		}
		keys, err = pgx.CollectRows(rows, pgx.RowTo[string])
		return err
	})
	if name := brokenReference(err); name != "" {
		return nil, s.whyUsed(ctx, id, name)
	}
	return keys, err
}

// whyUsed explains which foreign key keeps a take.
func (s *Store) whyUsed(ctx context.Context, id, key string) error {
	var name string
	if key == "take_parts_part" {
		if err := s.Pool.QueryRow(ctx, "select t.file_name from take_parts p join takes t on t.id = p.whole_id where p.part_id = $1 limit 1",
			id).Scan(&name); err == nil {
			return fault.New(fault.BadInput, "%s is made of this take, so it can't be removed", name)
		}
	}
	var own bool
	err := s.Pool.QueryRow(ctx, `select r.name, u.take_id = $1 from reel_uses u join reels r on r.id = u.reel_id
		join takes t on t.id = u.take_id where t.id = $1 or t.part_of = $1 order by 2 desc limit 1`, id).Scan(&name, &own)
	switch {
	case err != nil:
		return fault.New(fault.BadInput, "Something still uses this take, so it can't be removed")
	case own:
		return fault.New(fault.BadInput, "%s uses this take, so it can't be removed", name)
	}
	return fault.New(fault.BadInput, "%s uses a file that this take is made of, so it can't be removed", name)
}
