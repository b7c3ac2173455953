package engine

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/layout"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
	"zestyloom/core/weave"
)

// staircase is a take of so many channels, each of which is 1 for one frame, one after the other.
func (s shelf) staircase(t testing.TB, channels int) string {
	name := fmt.Sprintf("staircase of %d", channels)
	if s[name] == nil {
		h := wave.Header{Format: wave.Format{Encoding: wave.Float, SampleRate: 48000, Channels: channels, BitDepth: 64, Bytes: 8}, Frames: 4800}
		s[name] = wavetest.Open(t, h, func(c, i int) float64 {
			if i == 2000+c {
				return 1
			}
			return 0
		})
	}
	return name
}

// rendered gives the gains from the channels of the reel's only clip to its outputs, as they are rendered.
func rendered(t testing.TB, r *reel.Reel, s shelf, channels int) [][]float64 {
	r = r.Clone()
	for id, c := range r.Clips {
		c.Take = s.staircase(t, channels)
		r.Clips[id] = c
	}
	e, err := New(r, s.open, Options{Block: channels})
	require.NoError(t, err)
	require.NoError(t, e.Render(start+2000, channels))
	return e.Outputs()
}

// feeds are the ways in which an output group is fed.
var feeds = []string{"knots", "stem", "strand", "mix", "track", "fold"}

// fedBy makes a reel of one track in a stem that feeds an output group; nil where no command makes that.
func fedBy(t testing.TB, track, stem []string, group, how string) *reel.Reel {
	r := reel.New("x", 48000, timecode.Rate{Num: 25, Den: 1}, start, reel.DefaultStems())
	var channels []int
	for c := range track {
		channels = append(channels, c)
	}
	do(t, r, reel.SetStem{Stem: "AX", Labels: &stem, Yes: true})
	do(t, r, reel.AddTake{Take: "x", Title: "x", Start: start, Length: 4800,
		Parts: []reel.PartPlan{{Name: "Deck", Stem: "AX", Strand: "Bow", Channels: channels, Labels: track}}})
	feed := &reel.Feeder{Row: reel.StemRow, From: "AX"}
	switch how {
	case "strand":
		feed = &reel.Feeder{Row: reel.StrandRow, From: reel.StrandID("AX", "Bow")}
	case "track":
		feed = &reel.Feeder{Row: reel.TrackRow, From: r.TrackList()[0].ID}
	case "mix":
		labels := five1
		if group == "stereo" || group == "mono" {
			labels = pair
		}
		do(t, r, reel.SetMix{Name: "Full", Labels: labels, Rest: true})
		feed = &reel.Feeder{Row: reel.MixRow, From: r.MixList()[0].ID}
	}
	if how != "knots" {
		do(t, r, reel.SetGroup{Name: "Out", Layout: group, Width: 8, Feed: feed})
	}
	switch how {
	case "knots": // as a spec ties stems
		do(t, r, reel.SetGroup{Name: "Out", Layout: group, Width: 8})
		g := r.GroupList()[0]
		g.Own, g.Stems = false, []string{"AX"}
		do(t, r, reel.LayOutputs{Spec: "s", Title: "S", Groups: []reel.Group{g}, Knots: weave.GroupKnots(r, []reel.Group{g}), Yes: true})
	case "fold":
		usual := mix.Usual()
		do(t, r, reel.SetGroup{Name: "Folded", Layout: "stereo", Feed: &reel.Feeder{Row: reel.GroupRow, From: r.GroupList()[0].ID, Fold: &usual}})
	}
	return r
}

// Any width of a track in any stem that feeds any output group in any way: what of it has no place of its own at the end, by what is
// rendered, is pointed out, and nothing else is; and once somebody has said yes it is not.
func TestNoLossIsUnsaidAndNoneIsMadeUp(t *testing.T) {
	widths := [][]string{{"M"}, pair, {"L", "R", "C"}, five1, film, {"L", "R", "C", "LFE", "Lss", "Rss", "Lrs", "Rrs"}, layout.ACNLabels(1),
		layout.FuMaLabels(1), layout.ACNLabels(2), {"M", "M", "M"}, {"M", "M", "M", "M", "M", "M", "M", "M"},
		{"L", "R", "C", "LFE", "Ls", "Rs", "Ltf", "Rtf", "Ltr", "Rtr"}}
	s, cases, losses := shelf{}, 0, 0
	for _, track := range widths {
		for _, stem := range widths[:9] {
			for _, group := range []string{"mono", "stereo", "lcr", "5.1", "7.1", "5.1.4", "foa", "discrete", "dual mono"} {
				for _, how := range feeds {
					r := fedBy(t, track, stem, group, how)
					cases++
					name := fmt.Sprintf("%v in %v to %s by %s", track, stem, group, how)
					lost := lostIn(t, r, s, track)
					said := lossesSaid(r)
					require.Equal(t, lost, len(said) > 0, "%s: %v", name, said)
					if lost {
						losses++
						require.Empty(t, lossesSaid(saidYes(t, r)), name)
					}
				}
			}
		}
	}
	assert.Greater(t, cases, 5000)
	assert.Greater(t, losses, 1000)
}

// lostIn tells whether any channel of the track has no place of its own in the first output group.
func lostIn(t testing.TB, r *reel.Reel, s shelf, track []string) (lost bool) {
	gains := rendered(t, r, s, len(track))
	format, group := layout.Read(track), r.GroupList()[0]
	for c, label := range track {
		kept := false
		for i, l := range group.Labels {
			others := 0.0
			for k, g := range gains[i] {
				if k != c {
					others = max(others, math.Abs(g))
				}
			}
			here := math.Abs(gains[i][c]) > 1e-6
			kept = kept || here && (format.Kind == layout.Single || format.Kind == layout.Loose || l == label || others < 1e-6 ||
				group.Layout == "foa" && format.Kind != layout.Field)
		}
		lost = lost || !kept
	}
	return lost
}

var lossRules = []weave.Rule{weave.Folded, weave.FoldDown, weave.Silenced}

func lossesSaid(r *reel.Reel) (said []string) {
	for _, f := range weave.Findings(r) {
		if slices.Contains(lossRules, f.Rule) && !strings.HasPrefix(f.Message, "Folded would be silent") { // whose fold somebody asked for
			said = append(said, f.Message)
		}
	}
	return said
}

// saidYes says yes to all that is folded. What is silent wants another layout.
func saidYes(t testing.TB, r *reel.Reel) *reel.Reel {
	r = r.Clone()
	for range 5 {
		for _, f := range weave.Findings(r) {
			if slices.Contains(lossRules, f.Rule) && f.Fix != nil && f.Rule != weave.Silenced {
				c, err := reel.Decode(f.Fix.Command.Kind, f.Fix.Command.Command)
				require.NoError(t, err)
				do(t, r, c)
				break
			}
		}
	}
	if slices.ContainsFunc(lossesSaid(r), func(m string) bool { return strings.Contains(m, "silent") }) {
		return reel.New("nothing", 48000, timecode.Rate{Num: 25, Den: 1}, start, nil)
	}
	return r
}

// What is said names the channels that suffer, and no others: one that has another way to where it belongs does not.
func TestWhatIsLostIsNamed(t *testing.T) {
	r := fedBy(t, five1, pair, "5.1", "stem")
	require.Equal(t, []string{"Deck has 6 channels and Ambience 2, so it is folded: C goes into L and R at −3.0 dB, LFE is left out, " +
		"Ls goes into L at −3.0 dB, Rs goes into R at −3.0 dB"}, lossesSaid(r))
	track, g := r.TrackList()[0].ID, r.GroupList()[0].ID
	do(t, r, reel.SetKnots{Knots: []reel.Crosspoint{{Row: reel.TrackRow, From: track, Channel: 2, Output: g + "/C"},
		{Row: reel.TrackRow, From: track, Channel: 4, Output: g + "/Ls"}, {Row: reel.TrackRow, From: track, Channel: 5, Output: g + "/Rs"}}})
	require.Equal(t, []string{"Deck has 6 channels and Ambience 2, so it is cut down: LFE is left out"}, lossesSaid(r))
	empty := ""
	do(t, r, reel.SetTrack{Track: track, Stem: &empty})
	require.Empty(t, lossesSaid(r), "it is in no stem that could fold it")
	require.False(t, slices.ContainsFunc(weave.Findings(r), func(f weave.Finding) bool { return strings.Contains(f.Message, "  ") }))
}
