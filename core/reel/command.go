package reel

import (
	"encoding/json"
	"math"
	"slices"
	"strings"

	"zestyloom/core/fault"
	"zestyloom/core/timecode"
)

// Command is what a user wants done to a reel.
type Command interface {
	// Plan gives the change and the name that the history shows, without changing the reel. Its errors are of kind
	// BadInput, NotFound, or Unties where it would put something out of sync and does not say that it may; those of known
	// come through.
	Plan(r *Reel, known Known) (Change, string, error)
}

// SetReel changes what a reel has once; what is left nil stays.
type SetReel struct {
	Name      *string        `json:"name"`
	Start     *int64         `json:"start"`
	PanLaw    *float64       `json:"panLaw"`
	FrameRate *timecode.Rate `json:"frameRate"`
	Picture   *Picture       `json:"picture"` // an empty take puts the picture away
	CutList   *string        `json:"-"`       // ID of the list that the reel follows; the server sets it
}

func (c SetReel) Plan(r *Reel, _ Known) (Change, string, error) {
	d := newDraft(r)
	name := "reel settings"
	if c.Name != nil {
		d.head.Name = strings.TrimSpace(*c.Name)
		if err := checkName(d.head.Name, "A reel"); err != nil {
			return Change{}, "", err
		}
		name = "name of the reel"
	}
	if c.Start != nil {
		if *c.Start < 0 || *c.Start >= 24*3600*int64(r.Head.SampleRate) {
			return Change{}, "", fault.New(fault.BadInput, "A reel starts between 00:00:00:00 and 24 hours")
		}
		d.head.Start = *c.Start
		name = "start of the reel"
	}
	if c.PanLaw != nil {
		if !slices.Contains([]float64{3, 4.5, 6}, *c.PanLaw) {
			return Change{}, "", fault.New(fault.BadInput, "The pan law is 3, 4.5 or 6 dB")
		}
		d.head.PanLaw = *c.PanLaw
		name = "pan law"
	}
	if c.FrameRate != nil {
		if !slices.Contains(timecode.Rates, *c.FrameRate) {
			return Change{}, "", fault.New(fault.BadInput, "There is no such frame rate")
		}
		d.head.FrameRate = *c.FrameRate
		name = "frame rate of the reel"
	}
	if c.Picture != nil {
		if c.Picture.Start < 0 || c.Picture.Start >= 24*3600*int64(r.Head.SampleRate) {
			return Change{}, "", fault.New(fault.BadInput, "A picture starts between 00:00:00:00 and 24 hours")
		}
		d.head.Picture = *c.Picture
		name = "picture of the reel"
	}
	if c.CutList != nil {
		d.head.CutList = *c.CutList
		name = "cut list of the reel"
	}
	return d.finish(), name, nil
}

func checkName(name, what string) error {
	if name == "" || len([]rune(name)) > 100 {
		return fault.New(fault.BadInput, "%s needs a name of 1 to 100 characters", what)
	}
	return nil
}

// MaxGainDB and MinGainDB bound every gain that can be set.
const (
	MaxGainDB = 24
	MinGainDB = -96
)

func checkGain(dB float64) error {
	if math.IsNaN(dB) || dB > MaxGainDB || dB < MinGainDB {
		return fault.New(fault.BadInput, "A gain lies between %d and +%d dB", MinGainDB, MaxGainDB)
	}
	return nil
}

func noTrack(id string) error {
	return fault.New(fault.NotFound, "Track %s is no longer on the reel", id)
}

func rowName(r *Reel, row Row, id string) string {
	if row == StemRow {
		return r.Stems[id].Name
	}
	return r.Tracks[id].Name
}

func outputName(r *Reel, id string) string {
	o, ok := r.Output(id)
	if !ok {
		return id
	}
	return r.Groups[o.Group].Name + " " + o.Label
}

// commands makes an empty command of each kind.
var commands map[string]func() Command

func init() { commands = registry() } // Several reads it

func registry() map[string]func() Command {
	return map[string]func() Command{
		"addTake": func() Command { return &AddTake{} }, "setReel": func() Command { return &SetReel{} },
		"addTrack": func() Command { return &AddTrack{} }, "setTrack": func() Command { return &SetTrack{} },
		"removeTracks": func() Command { return &RemoveTracks{} }, "orderTracks": func() Command { return &OrderTracks{} },
		"moveStrays": func() Command { return &MoveStrays{} },
		"setKnots":   func() Command { return &SetKnots{} }, "clearKnots": func() Command { return &ClearKnots{} },
		"moveClips": func() Command { return &MoveClips{} }, "trimClip": func() Command { return &TrimClip{} },
		"slipClip": func() Command { return &SlipClip{} }, "cutClips": func() Command { return &CutClips{} },
		"cutOut": func() Command { return &CutOut{} }, "removeClips": func() Command { return &RemoveClips{} },
		"pasteClips": func() Command { return &PasteClips{} }, "setClip": func() Command { return &SetClip{} },
		"crossfade": func() Command { return &Crossfade{} },
		"untie":     func() Command { return &Untie{} }, "tieBack": func() Command { return &TieBack{} }, "tieClips": func() Command { return &TieClips{} },
		"setLane": func() Command { return &SetLane{} }, "cutLane": func() Command { return &CutLane{} }, "hush": func() Command { return &Hush{} },
		"dip": func() Command { return &DipRange{} }, "restore": func() Command { return &Restore{} }, "borrow": func() Command { return &Borrow{} },
		"setCurve": func() Command { return &SetCurve{} }, "rangeGain": func() Command { return &RangeGain{} },
		"setMark": func() Command { return &SetMark{} }, "removeMarks": func() Command { return &RemoveMarks{} },
		"readChannels": func() Command { return &ReadChannels{} }, "splitClip": func() Command { return &SplitClip{} },
		"joinClips": func() Command { return &JoinClips{} }, "swapTake": func() Command { return &SwapTake{} },
		"unsettle": func() Command { return &Unsettle{} }, "several": func() Command { return &Several{} },
	}
}

// Decode reads a command from its kind and JSON body. Fields that the command does not have are an error.
func Decode(kind string, body []byte) (Command, error) {
	empty, ok := commands[kind]
	if !ok {
		return nil, fault.New(fault.BadInput, "%q is not a command", kind)
	}
	c := empty()
	d := json.NewDecoder(strings.NewReader(string(body)))
	d.DisallowUnknownFields()
	if err := d.Decode(c); err != nil {
		return nil, fault.Wrap(fault.BadInput, err, "The command %s can't be read", kind)
	}
	return c, nil
}
