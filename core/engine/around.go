package engine

import (
	"zestyloom/core/dsp"
	"zestyloom/core/layout"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
	"zestyloom/core/weave"
)

// Around has what is listened to heard around a head: each speaker of a set where it stands, a sound field by speakers all around. What is no
// row, and what has no place, stands in front, as a pair does.
type Around struct {
	head   *dsp.Head
	decode mix.Matrix // from a set to the speakers that stand around
	room   [][]float64
	row    weave.NodeID // whose channels are heard; none for the pair that is listened to
}

// field is by which speakers a sound field is heard.
var field = []string{"L", "R", "C", "Lss", "Rss", "Lrs", "Rrs", "Ltf", "Rtf", "Ltr", "Rtr"}

// NewAround places what is at a tap around a head.
func (e *Engine) NewAround(tap Tap) *Around {
	a := &Around{row: weave.NodeID{Row: reel.Row(tap.Kind), ID: tap.ID}}
	at, there := e.graph.Node(a.row.Row, a.row.ID)
	f := layout.Read([]string{"L", "R"})
	if there {
		f = e.nodes[at].Format
	} else {
		a.row = weave.NodeID{}
	}
	to := f
	a.decode = mix.Identity(len(f.Labels))
	if f.Kind == layout.Field {
		to = layout.Read(field).In(e.reel.Head.Angles)
		a.decode, _, _ = mix.Carry(f, to, mix.Usual())
	}
	var stand []dsp.Direction
	for i, s := range to.Speakers() {
		stand = append(stand, dsp.Direction{Azimuth: s.Azimuth, Elevation: s.Elevation})
		if s.LFE { // which is no place to hear from
			for c := range a.decode.Cols {
				a.decode.Set(i, c, 0)
			}
		}
	}
	a.head, a.room = dsp.NewHead(float64(e.reel.Head.SampleRate), stand), channels(len(stand), e.block)
	return a
}

// ListenAround is Listen for headphones.
func (e *Engine) ListenAround(a *Around, tap Tap, left, right []float64) error {
	if err := e.Listen(tap, left, right); err != nil {
		return err
	}
	left, right = left[:e.frames], right[:e.frames]
	src := e.At(a.row)
	if src == nil {
		src = [][]float64{append([]float64(nil), left...), append([]float64(nil), right...)}
	}
	room := cut(a.room, e.frames)
	for _, x := range room {
		clear(x)
	}
	a.decode.Add(room, src)
	clear(left)
	clear(right)
	a.head.Add(left, right, room)
	return nil
}
