package engine

import (
	"fmt"
	"math"
	"math/rand"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/layout"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
)

// The obvious weave: what each channel of a track brings to each output, from the reel's own words and the definitions of
// ITU-R BS.775, of panning between two speakers, and of first-order sound fields, without a graph and without a matrix.

var (
	azimuths = map[string]float64{"L": 30, "R": -30, "C": 0, "Ls": 110, "Rs": -110}
	// What one channel of a first-order field is in units of SN3D, by its label.
	fields = map[string]struct {
		acn   int
		units float64
	}{"ACN0": {0, 1}, "ACN1": {1, 1}, "ACN2": {2, 1}, "ACN3": {3, 1}, "N3D0": {0, 1}, "N3D1": {1, 1 / math.Sqrt(3)},
		"N3D2": {2, 1 / math.Sqrt(3)}, "N3D3": {3, 1 / math.Sqrt(3)},
		"W": {0, math.Sqrt2}, "Y": {1, 1}, "Z": {2, 1}, "X": {3, 1}}
)

// harmonic is what a first-order field has of a sound from a direction, in SN3D.
func harmonic(acn int, azimuth float64) float64 {
	a := azimuth * math.Pi / 180
	return []float64{1, math.Sin(a), 0, math.Cos(a)}[acn]
}

// folded is the gain from a channel by its label to one of a set, with the usual fold.
func folded(from, to string, set []string, f mix.Fold) float64 {
	centre, surround, mono := db(f.CentreDB), db(f.SurroundDB), db(f.MonoDB)
	source, isField := fields[from]
	target, toField := fields[to]
	switch {
	case isField && toField && source.acn == target.acn:
		return source.units / target.units
	case isField && toField:
		return 0
	case isField && to == "M":
		if source.acn == 0 {
			return source.units
		}
		return 0
	case isField: // two cardioids
		return map[string][4]float64{"L": {0.5, 0.5}, "R": {0.5, -0.5}}[to][source.acn] * source.units
	case toField && from == "LFE":
		return 0
	case toField:
		return harmonic(target.acn, azimuths[from]) / target.units
	case to == "M":
		return map[string]float64{"M": 1, "L": mono, "R": mono, "C": 2 * mono * centre, "Ls": mono * surround, "Rs": mono * surround}[from]
	case from == to:
		return 1
	case slices.Contains(set, from):
		return 0
	case from == "M" && slices.Contains(set, "C"):
		if to == "C" {
			return 1
		}
		return 0
	}
	return map[string]map[string]float64{"C": {"L": centre, "R": centre}, "M": {"L": centre, "R": centre}, "Ls": {"L": surround},
		"Rs": {"R": surround}}[from][to]
}

// between is the gain of a speaker for a source on the circle: of the two beside it, by the tangents' law as vectors, with
// constant power.
func between(set []string, to string, azimuth float64) float64 {
	var ring []string
	for _, l := range set {
		if _, there := azimuths[l]; there {
			ring = append(ring, l)
		}
	}
	slices.SortFunc(ring, func(a, b string) int {
		return int(math.Mod(azimuths[a]+720-azimuth, 360)) - int(math.Mod(azimuths[b]+720-azimuth, 360))
	})
	left, right := ring[0], ring[len(ring)-1] // the next ones either way round
	a, b, p := azimuths[left]*math.Pi/180, azimuths[right]*math.Pi/180, azimuth*math.Pi/180
	area := math.Cos(a)*math.Sin(b) - math.Sin(a)*math.Cos(b)
	ga := (math.Cos(p)*math.Sin(b) - math.Sin(p)*math.Cos(b)) / area
	gb := (math.Cos(a)*math.Sin(p) - math.Sin(a)*math.Cos(p)) / area
	size := math.Hypot(ga, gb)
	switch to {
	case left:
		return ga / size
	case right:
		return gb / size
	}
	return 0
}

// enters is the gain from a channel of a track to one of a stem.
func enters(r *reel.Reel, t reel.Track, from int, to string, stem []string) float64 {
	label := t.Labels[from]
	_, toField := fields[to]
	pair := slices.Equal(stem, pair)
	switch {
	case label == "M" && to == "M":
		return 1
	case label == "M" && (t.Feed.Placed && len(stem) > 2 || toField):
		azimuth := math.Atan2(-t.Feed.Pan, t.Feed.Front) * 180 / math.Pi
		switch {
		case toField && !t.Feed.Placed:
			return harmonic(fields[to].acn, -math.Asin(t.Feed.Pan)*180/math.Pi) / fields[to].units
		case toField:
			return harmonic(fields[to].acn, azimuth) / fields[to].units
		case to == "LFE" && t.Feed.LFEDB != nil:
			return db(*t.Feed.LFEDB)
		case to == "LFE":
			return 0
		}
		return between(stem, to, azimuth)
	case label == "M" && (to == "L" || to == "R"):
		if t.Feed.Dual {
			return 1
		}
		return side(map[string]int{"L": 0, "R": 1}[to], t.Feed.Pan, r.Head.PanLaw)
	case label == "M":
		return 0
	}
	gain := folded(label, to, stem, mix.Usual())
	if which, front := map[string]int{"L": 0, "R": 1}[to]; front && (pair || len(stem) > 2) && !toField {
		gain *= lowered(which, t.Feed.Pan)
	}
	return gain
}

// brings is the gain of a channel of a track at a channel, by its label, of any row or group.
func brings(r *reel.Reel, t reel.Track, channel int, row reel.Row, id, to string) (sum float64) {
	switch row {
	case reel.TrackRow:
		if id == t.ID && t.Labels[channel] == to {
			return 1
		}
	case reel.StemRow, reel.StrandRow:
		stem, strand := id, t.Strand
		if row == reel.StrandRow {
			stem, strand = reel.StemOf(id)
		}
		labels := r.Stems[stem].Labels
		if t.Stem == stem && t.Strand == strand {
			sum += enters(r, t, channel, to, labels)
		}
		if t.Second == stem && row == reel.StemRow {
			sum += enters(r, t, channel, to, labels)
		}
	case reel.MixRow:
		m := r.Mixes[id]
		for _, s := range r.StemList() {
			in, gain := m.Rest, 0.0
			for _, term := range m.Terms {
				if term.Row == reel.StemRow && term.From == s.ID {
					in, gain = !term.Out, term.GainDB
				}
			}
			for _, from := range s.Labels {
				if in {
					sum += brings(r, t, channel, reel.StemRow, s.ID, from) * folded(from, to, m.Labels, mix.Usual()) * db(gain)
				}
			}
		}
	case reel.GroupRow:
		g := r.Groups[id]
		if g.Feed == nil {
			return 0
		}
		for _, from := range r.RowLabels(g.Feed.Row, g.Feed.From) {
			f := g.Feed.Folding()
			sum += brings(r, t, channel, g.Feed.Row, g.Feed.From, from) * folded(from, to, g.Labels, f) * db(f.TrimDB)
		}
	}
	return sum
}

// formats makes a reel of stems, mixes and groups of every format that has a definition on one page.
func formatsWeave(t testing.TB, s shelf, rnd *rand.Rand) *reel.Reel {
	r := reel.New("x", 48000, timecode.Rate{Num: 25, Den: 1}, start, reel.DefaultStems())
	foa := layout.ACNLabels(1)
	for _, stem := range []string{"DX", "MX", "FX", "AX"} {
		labels := [][]string{{"M"}, pair, five1, film, foa}[rnd.Intn(5)]
		if stem == "AX" {
			labels = foa
		}
		do(t, r, reel.SetStem{Stem: stem, Labels: &labels, Yes: true})
	}
	for i := range 7 {
		labels := [][]string{{"M"}, {"M"}, pair, five1, film, foa, layout.FuMaLabels(1), layout.N3DLabels(1)}[rnd.Intn(8)]
		stems := []string{"DX", "MX", "FX", "AX"}
		stem := stems[rnd.Intn(4)]
		if _, isField := fields[labels[0]]; isField && len(r.Stems[stem].Labels) == 6 { // decoding to speakers has no definition on a page
			stem = "AX"
		}
		s.record(t, fmt.Sprint("take ", i), 48000, len(labels), 3000)
		var channels []int
		for c := range labels {
			channels = append(channels, c)
		}
		do(t, r, reel.AddTake{Take: fmt.Sprint("take ", i), Title: fmt.Sprint(i), Start: start, Length: 3000,
			Parts: []reel.PartPlan{{Name: fmt.Sprint(i), Stem: stem, Channels: channels, Labels: labels}}})
		tracks := r.TrackList()
		angle := rnd.Float64() * 2 * math.Pi
		set := reel.SetTrack{Track: tracks[len(tracks)-1].ID, GainDB: ptr(float64(rnd.Intn(9) - 6)), Pan: ptr(math.Sin(angle))}
		if len(labels) == 1 && rnd.Intn(3) > 0 {
			set.Placed, set.Front = ptr(true), ptr(math.Cos(angle))
			if rnd.Intn(2) == 0 {
				set.LFEDB = ptr(-11.0)
			}
		}
		do(t, r, set)
	}
	do(t, r, reel.SetMix{Name: "Full", Labels: [][]string{pair, film}[rnd.Intn(2)],
		Terms: []reel.Term{{Row: reel.StemRow, From: "DX"}, {Row: reel.StemRow, From: "MX", GainDB: -3}}})
	fold := mix.Fold{CentreDB: -4.5, SurroundDB: -6, MonoDB: -3, TrimDB: -1.5}
	full := r.MixList()[0].ID
	groups := []reel.SetGroup{
		{Name: "Field", Layout: "foa", Order: "W,X,Y,Z", Feed: &reel.Feeder{Row: reel.StemRow, From: "AX"}},
		{Name: "N3D", Layout: "foa", Order: "N3D0,N3D1,N3D2,N3D3", Feed: &reel.Feeder{Row: reel.StemRow, From: "AX"}},
		{Name: "Heard", Layout: "stereo", Feed: &reel.Feeder{Row: reel.StemRow, From: "AX"}},
		{Name: "Effects", Layout: "mono", Feed: &reel.Feeder{Row: reel.StemRow, From: "FX", Fold: &fold}},
	}
	if _, isField := fields[r.Stems["DX"].Labels[0]]; !isField {
		if _, isField := fields[r.Stems["MX"].Labels[0]]; !isField {
			groups = append(groups, reel.SetGroup{Name: "Full", Layout: "5.1", Order: "film", Feed: &reel.Feeder{Row: reel.MixRow, From: full}},
				reel.SetGroup{Name: "Folded", Layout: "stereo", Feed: &reel.Feeder{Row: reel.GroupRow, From: "Full", Fold: &fold}},
				reel.SetGroup{Name: "Mono", Layout: "mono", Feed: &reel.Feeder{Row: reel.GroupRow, From: "Full", Fold: &fold}})
		}
	}
	for _, g := range groups {
		if g.Feed.From == "Full" {
			g.Feed.From = r.GroupList()[len(r.GroupList())-1].ID
			if g.Name == "Mono" {
				g.Feed.From = r.GroupList()[len(r.GroupList())-2].ID
			}
		}
		do(t, r, g)
	}
	return r
}

// What is rendered in every format is what the definitions say.
func TestFormatsAgainstTheDefinitions(t *testing.T) {
	heard := 0
	for seed := range int64(60) {
		s := shelf{}
		r := formatsWeave(t, s, rand.New(rand.NewSource(seed)))
		got := render(t, r, s, start, 3000, 1024)
		for i, o := range r.OutputList() {
			want := make([]float64, 3000)
			for _, clip := range r.ClipList() {
				track := r.Tracks[clip.Track]
				for c := range track.Labels {
					gain := brings(r, track, c, reel.GroupRow, o.Group, o.Label) * db(track.GainDB)
					for n, x := range s.samples(t, clip.Take, c) {
						want[n] += gain * x
					}
					if gain != 0 {
						heard++
					}
				}
			}
			for n := range want {
				if math.Abs(want[n]-got[i][n]) > 1e-9 {
					require.InDelta(t, want[n], got[i][n], 1e-9, "seed %d: %s %s, frame %d", seed, r.Groups[o.Group].Name, o.Label, n)
				}
			}
		}
	}
	assert.Greater(t, heard, 3000)
}
