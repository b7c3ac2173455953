package engine

import (
	"testing"

	"github.com/stretchr/testify/require"

	"zestyloom/core/layout"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
)

var busFormats = map[string][]string{"mono": {"M"}, "stereo": pair, "5.1": five1, "film": film, "field": layout.ACNLabels(1),
	"second order": layout.ACNLabels(2), "lcr": {"L", "C", "R"}, "FuMa": layout.FuMaLabels(1), "dual": {"M1", "M2"}}

// wide is a reel of one track of a format in a stem of it, which feeds a discrete group channel by channel.
func wide(t *testing.T, labels []string) (*reel.Reel, shelf) {
	r, s := reel.New("x", 48000, timecode.Rate{Num: 25, Den: 1}, start, reel.DefaultStems()), shelf{}
	s.record(t, "wide", 48000, len(labels), 20000)
	do(t, r, reel.SetStem{Stem: "AX", Labels: &labels, Yes: true})
	channels := make([]int, len(labels))
	for c := range channels {
		channels[c] = c
	}
	do(t, r, reel.AddTake{Take: "wide", Title: "Deck", Start: start, Length: 20000,
		Parts: []reel.PartPlan{{Name: "Deck", Stem: "AX", Channels: channels, Labels: labels}}})
	do(t, r, reel.SetGroup{Name: "Out", Layout: "discrete", Width: len(labels)})
	var knots []reel.Crosspoint
	for c, o := range r.OutputList() {
		knots = append(knots, reel.Crosspoint{Row: reel.StemRow, From: "AX", Channel: c, Output: o.ID})
	}
	do(t, r, reel.SetKnots{Knots: knots})
	return r, s
}

// A bus whose curves stand at rest is not heard, whatever its format.
func TestABusAtRestIsNotHeard(t *testing.T) {
	for name, labels := range busFormats {
		t.Run(name, func(t *testing.T) {
			r, s := wide(t, labels)
			want := render(t, r, s, start, 20000, 4096)
			for _, what := range []reel.Parameter{"gain", "pan", "turn", "pitch", "roll", "narrow"} {
				do(t, r, reel.SetCurve{Of: "stem", ID: "AX", What: what, Points: []reel.Point{{At: start, Value: 0}, {At: start + 5000, Value: 0}}})
				same(t, want, render(t, r, s, start, 20000, 4096))
			}
		})
	}
}

// What is turned on its stem sounds as if its only track were turned.
func TestAStemIsTurnedAsItsTrack(t *testing.T) {
	points := []reel.Point{{At: start + 500, Value: 0}, {At: start + 15000, Value: 70}}
	for _, name := range []string{"5.1", "film", "field", "second order", "FuMa"} {
		t.Run(name, func(t *testing.T) {
			onTrack, s := wide(t, busFormats[name])
			do(t, onTrack, reel.SetCurve{Of: reel.OfTrack, ID: onTrack.TrackList()[0].ID, What: "turn", Points: points})
			onStem, _ := wide(t, busFormats[name])
			do(t, onStem, reel.SetCurve{Of: "stem", ID: "AX", What: "turn", Points: points})
			still, _ := wide(t, busFormats[name])
			a, b := render(t, onTrack, s, start, 20000, 4096), render(t, onStem, s, start, 20000, 1000, 3333)
			same(t, a, b)
			require.NotEqual(t, render(t, still, s, start, 20000, 4096), a, "it turns")
		})
	}
}

// A level that moves leaves nothing on the grid of its bits; one that is taken back does.
func TestALevelTakesTheExactnessAway(t *testing.T) {
	r, s := wide(t, pair)
	exact := func() bool {
		e, err := New(r, s.open, Options{})
		require.NoError(t, err)
		return e.Exact(whole, 24)[0]
	}
	require.True(t, exact())
	do(t, r, reel.SetCurve{Of: "stem", ID: "AX", What: "gain", Points: []reel.Point{{At: start, Value: 0}, {At: start + 5000, Value: -1}}})
	require.False(t, exact())
	do(t, r, reel.SetCurve{Of: "stem", ID: "AX", What: "gain"})
	require.Empty(t, r.Buses, "nothing is done there any more")
	require.True(t, exact())
	do(t, r, reel.SetBus{Row: reel.GroupRow, From: r.GroupList()[0].ID, GainDB: ptr(-0.5)})
	require.False(t, exact())
}
