package reel

import (
	"bytes"
	"encoding/json"
	"maps"
	"math"
	"reflect"
	"slices"
	"strings"

	"zestyloom/core/fault"
	"zestyloom/core/layout"
	"zestyloom/core/placing"
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
	Name      *string        `json:"name,omitempty"`
	Start     *int64         `json:"start,omitempty"`
	PanLaw    *float64       `json:"panLaw,omitempty"`
	FrameRate *timecode.Rate `json:"frameRate,omitempty"`
	Picture   *PictureChoice `json:"picture,omitempty"` // an empty take puts the picture away
	Angles    *layout.Angles `json:"angles,omitempty"`  // of the speakers that stand elsewhere than the standard says, all of them
}

// PictureChoice is a movie that a reel is to be cut to.
type PictureChoice struct {
	Take  string `json:"take"`
	Start *int64 `json:"start,omitempty"` // where its first frame lies; where it belongs, if not given
}

// plan finds where a picture lies.
func (c PictureChoice) plan(r *Reel, known Known) (Picture, error) {
	p := Picture{Take: c.Take}
	if c.Take == "" {
		return p, nil
	}
	if known == nil {
		known = Takes{}
	}
	info, err := known.Take(c.Take)
	switch {
	case err == nil:
		p.Of = info.File.Of
		if c.Start == nil {
			on := r.Placing()
			on.Picture = nil // the one before
			list, _ := placing.Propose([]placing.File{info.File}, on)
			c.Start = &list[0].At
		}
	case c.Start == nil || fault.KindOf(err) != fault.NotFound: // nobody could tell what it is, or where it belongs
		return p, err
	}
	if p.Start = *c.Start; p.Start < 0 || p.Start >= 24*3600*int64(r.Head.SampleRate) {
		return p, fault.New(fault.BadInput, "A picture starts between 00:00:00:00 and 24 hours")
	}
	return p, nil
}

func (c SetReel) Plan(r *Reel, known Known) (Change, string, error) {
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
		d.head.Start, d.head.Free = *c.Start, false
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
		picture, err := c.Picture.plan(r, known)
		if err != nil {
			return Change{}, "", err
		}
		if d.head.Picture = picture; r.Placing().Free && c.Start == nil && picture.Take != "" {
			d.head.Start, d.head.Free = placing.Begin(nil, placing.Reel{Rate: r.Head.SampleRate, Frame: r.Head.FrameRate,
				Picture: &placing.Laid{At: picture.Start}}), false
		}
		name = "picture of the reel"
	}
	if c.Angles != nil {
		if d.head.Angles = *c.Angles; len(*c.Angles) == 0 {
			d.head.Angles = nil
		}
		name = "places of the speakers"
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

func noTrack() error {
	return fault.New(fault.NotFound, "This track is no longer on the reel")
}

// RowName is what a row is called.
func (r *Reel) RowName(row Row, id string) string { return rowName(r, row, id) }

func rowName(r *Reel, row Row, id string) string {
	switch row {
	case StemRow:
		return r.Stems[id].Name
	case StrandRow:
		_, name := StemOf(id)
		return name
	case MixRow:
		return r.Mixes[id].Name
	case GroupRow:
		return r.Groups[id].Name
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

// commands are those that clients may send, by their kinds. api/openapi.yaml is written from them (./loom generate).
var commands map[string]reflect.Type

func init() { // Several reads it
	commands = map[string]reflect.Type{}
	for kind, c := range map[string]Command{
		"setReel": SetReel{}, "addTrack": AddTrack{}, "setTrack": SetTrack{}, "removeTracks": RemoveTracks{},
		"orderTracks": OrderTracks{}, "moveStrays": MoveStrays{}, "setKnots": SetKnots{}, "clearKnots": ClearKnots{},
		"moveClips": MoveClips{}, "trimClip": TrimClip{}, "slipClip": SlipClip{}, "cutClips": CutClips{}, "cutOut": CutOut{},
		"removeClips": RemoveClips{}, "pasteClips": PasteClips{}, "setClip": SetClip{}, "crossfade": Crossfade{}, "untie": Untie{},
		"tieBack": TieBack{}, "tieClips": TieClips{}, "setLane": SetLane{}, "cutLane": CutLane{}, "hush": Hush{}, "dip": DipRange{},
		"restore": Restore{}, "borrow": Borrow{}, "setCurve": SetCurve{}, "rangeGain": RangeGain{}, "setMark": SetMark{},
		"removeMarks": RemoveMarks{}, "readChannels": ReadChannels{}, "splitClip": SplitClip{}, "joinClips": JoinClips{},
		"swapTake": SwapTake{}, "unsettle": Unsettle{}, "addStem": AddStem{}, "setStem": SetStem{}, "removeStem": RemoveStem{},
		"reorder": Reorder{},
		"setMix":  SetMix{}, "setBus": SetBus{}, "setCorrection": SetCorrection{}, "changeCorrection": ChangeCorrection{},
		"removeCorrection": RemoveCorrection{}, "removeMixes": RemoveMixes{}, "setGroup": SetGroup{}, "removeGroups": RemoveGroups{},
		"setMatrix": SetMatrix{}, "outputEach": OutputEach{}, "setChain": SetChain{}, "setChainCurve": SetChainCurve{}, "setClipChain": SetClipChain{}, "several": Several{},
	} {
		commands[kind] = reflect.TypeOf(c)
	}
}

// Kinds gives the commands that clients may send, by their kinds.
func Kinds() map[string]reflect.Type { return maps.Clone(commands) }

// Decode reads a command from its kind and JSON body. Fields that the command does not have are an error.
func Decode(kind string, body []byte) (Command, error) {
	t, ok := commands[kind]
	if !ok {
		return nil, fault.New(fault.BadInput, "%q is not a command", kind)
	}
	c := reflect.New(t)
	d := json.NewDecoder(bytes.NewReader(body))
	d.DisallowUnknownFields()
	if err := d.Decode(c.Interface()); err != nil {
		return nil, fault.Wrap(fault.BadInput, err, "The command %s can't be read", kind)
	}
	return c.Elem().Interface().(Command), nil
}
