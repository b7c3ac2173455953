package listen

import (
	"math"
	"slices"

	"zestyloom/core/chain"
	"zestyloom/core/engine"
	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/core/take"
	"zestyloom/core/timecode"
	"zestyloom/internal/store"
)

// treat is a treatment of channels of a take that is heard without being made.
type treat struct {
	Channels []int        `json:"channels"` // of the take, from 0
	Steps    []chain.Step `json:"steps"`
	Hear     hear         `json:"hear"`
	GainDB   float64      `json:"gainDB"` // by how much the recording is louder than usual, to be as loud as what is made of it
}

// hear is what of a treatment is heard.
type hear string

const (
	treatedSound hear = ""        // what is made of the recording
	plainSound   hear = "plain"   // the recording
	removedSound hear = "removed" // what is taken away from it
)

// check tells whether it can be heard.
func (t *treat) check(of store.Take) error {
	if t.Hear != treatedSound && t.Hear != plainSound && t.Hear != removedSound {
		return fault.New(fault.BadInput, "There is nothing called %q to hear of a treatment", t.Hear)
	}
	if !(math.Abs(t.GainDB) <= reel.MaxGainDB) {
		return fault.New(fault.BadInput, "The gain is at most %d dB", reel.MaxGainDB)
	}
	return chain.CheckTreatments([]chain.Treatment{{Channels: t.Channels, Steps: t.Steps}}, len(of.Channels), float64(of.Description.SampleRate))
}

// takeAlone makes a reel of nothing but channels of one take, starting at 0, and listens to it: touch-listening goes
// through the same engine as everything else. Channels that are read together sound as they are read; two others sound
// left and right, and more are added up. They sound as they are treated, or as is tried.
func (p *player) takeAlone() (*reel.Reel, error) {
	t, err := p.connection.server.Known.Take(p.connection.ctx, p.what.Take)
	if err != nil {
		return nil, err
	}
	part, err := partOf(t, p.what.Channels)
	if err != nil {
		return nil, err
	}
	r := reel.New("take", t.Description.SampleRate, timecode.Rates[0], 0, reel.DefaultStems())
	if r, err = lay(r, t, part, 0, 0); err != nil {
		return nil, err
	}
	r.Treatments = map[string][]chain.Treatment{t.ID: t.Treatments}
	tap := engine.Tap{Kind: "track", ID: r.TrackList()[0].ID}
	if len(part.Labels) > 2 {
		tap = engine.Tap{Kind: "stem", ID: "DX"} // folded down or decoded to a pair
	}
	if tried := p.tried(); tried != nil {
		if err := tried.check(t); err != nil {
			return nil, err
		}
		r.Treatments[t.ID] = chain.WithTreatment(t.Treatments, chain.Treatment{Channels: tried.Channels, Steps: tried.Steps})
		if r, err = tried.on(r, t, part); err != nil {
			return nil, err
		}
		if tried.Hear == removedSound {
			tap = engine.Tap{Kind: "stem", ID: "DX"}
		}
	}
	p.listenTo(tap)
	return r, nil
}

// on gives the reel of a take with what of the treatment is asked for.
func (t *treat) on(r *reel.Reel, of store.Take, part take.Part) (*reel.Reel, error) {
	var commands []reel.Command
	first := r.ClipList()[0].ID
	switch t.Hear {
	case plainSound:
		commands = append(commands, reel.SetClip{Clip: first, Untreated: new(true), GainDB: &t.GainDB})
	case removedSound: // the recording, and less what is made of it
		with, err := lay(r, of, part, 0, 0)
		if err != nil {
			return nil, err
		}
		with.Treatments, r = r.Treatments, with
		commands = append(commands, reel.SetClip{Clip: first, Untreated: new(true)})
		for _, c := range r.ClipList() {
			for channel := range c.Channels {
				if c.ID != first {
					commands = append(commands, reel.SetLane{Clip: c.ID, Channel: channel, Invert: new(true)})
				}
			}
			if len(part.Labels) == 1 { // in the middle of a pair it would be lower than on its track
				commands = append(commands, reel.SetClip{Clip: c.ID, GainDB: new(10 * math.Log10(2))})
			}
		}
	}
	for _, c := range commands {
		tried, err := reel.Try(r, c, reel.Takes{of.ID: of.Info()})
		if err != nil {
			return nil, err
		}
		r = tried
	}
	return r, nil
}

// matched makes a reel of a take against its reference, which starts at 0: both in the middle, or the reference left and
// the take right.
func (p *player) matched() (*reel.Reel, error) {
	known := p.connection.server.Known
	t, err := known.Take(p.connection.ctx, p.what.Take)
	if err != nil {
		return nil, err
	}
	reference, err := known.Take(p.connection.ctx, p.what.Reference)
	if err != nil {
		return nil, err
	}
	r := reel.New("match", t.Description.SampleRate, timecode.Rates[0], 0, reel.DefaultStems())
	side := 0.0
	if p.what.Sides {
		side = 1
	}
	sounding := func(t store.Take) []int {
		var on []int
		for i, c := range t.Channels {
			if c.Unravelled {
				on = append(on, i)
			}
		}
		if len(on) == 0 {
			for i := range t.Channels {
				on = append(on, i)
			}
		}
		return on
	}
	for _, side := range []struct {
		take store.Take
		at   int64
		pan  float64
	}{{reference, 0, -side}, {t, p.what.Offset, side}} {
		part := take.Part{Channels: sounding(side.take), Labels: []string{"M"}, Sum: true}
		if r, err = lay(r, side.take, part, side.at, side.pan); err != nil {
			return nil, err
		}
	}
	p.listenTo(engine.Tap{Kind: "stem", ID: "DX"})
	return r, nil
}

// partOf reads channels of a take (from 0) as the take is read.
func partOf(t store.Take, channels []int) (take.Part, error) {
	if len(channels) == 0 {
		return take.Part{}, fault.New(fault.BadInput, "Choose a channel to listen to")
	}
	for _, c := range channels {
		if c < 0 || c >= len(t.Channels) {
			return take.Part{}, fault.New(fault.NotFound, "The take has no channel %d", c+1)
		}
	}
	for _, set := range t.Sets {
		same := len(set.Channels) == len(channels)
		for _, c := range set.Channels {
			same = same && slices.Contains(channels, c-1)
		}
		if same {
			part := take.Part{Labels: set.Labels, Sum: set.Kind == take.Sum}
			for _, c := range set.Channels {
				part.Channels = append(part.Channels, c-1)
			}
			return part, nil
		}
	}
	switch len(channels) {
	case 1:
		return take.Part{Channels: channels, Labels: []string{"M"}}, nil
	case 2:
		return take.Part{Channels: channels, Labels: []string{"L", "R"}}, nil
	}
	return take.Part{Channels: channels, Labels: []string{"M"}, Sum: true}, nil
}

// lay gives the reel with a part of a take on a track of its own.
func lay(r *reel.Reel, t store.Take, part take.Part, at int64, pan float64) (*reel.Reel, error) {
	plan := reel.PartPlan{Name: t.Title(), Stem: "DX", Channels: part.Channels, Labels: part.Labels, Sum: part.Sum}
	return reel.Try(r, reel.Sequence{Commands: []func(*reel.Reel) (reel.Command, error){
		func(*reel.Reel) (reel.Command, error) {
			return reel.AddTake{Take: t.ID, Title: t.Title(), Start: at, Length: t.Description.Frames, Parts: []reel.PartPlan{plan}}, nil
		},
		func(r *reel.Reel) (reel.Command, error) {
			tracks := r.TrackList()
			return reel.SetTrack{Track: tracks[len(tracks)-1].ID, Pan: &pan}, nil
		},
	}}, reel.Takes{t.ID: t.Info()})
}
