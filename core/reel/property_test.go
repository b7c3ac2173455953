package reel

import (
	"cmp"
	"encoding/json"
	"fmt"
	"maps"
	"math/rand"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/chain"
	"zestyloom/core/fault"
	"zestyloom/core/layout"
	"zestyloom/core/mix"
)

// Any sequence of commands followed by as many inverses gives back the same reel, also when the changes went through
// JSON, as they do in the history; applying the changes alone builds the same reel; and whatever was done, tied clips
// are in sync with each other and every clip lies inside its take and on a track that it fits.
func TestAnySequence(t *testing.T) {
	done := map[string]int{}
	for seed := range int64(80) {
		rnd := rand.New(rand.NewSource(seed))
		r, replay := ferry(), ferry()
		start, _ := json.Marshal(r)
		var changes []Change
		for range 100 {
			kind, c := randomCommand(rnd, r)
			change, name, err := c.Plan(r, shelf{})
			if err != nil {
				require.Contains(t, []fault.Kind{fault.BadInput, fault.NotFound, fault.Unties, fault.Stale, fault.Loses}, fault.KindOf(err), "%T: %v",
					c, err)
				continue
			}
			require.NotEmpty(t, name, "%T", c)
			stored, err := json.Marshal(change)
			require.NoError(t, err)
			var read Change
			require.NoError(t, json.Unmarshal(stored, &read))
			if err := replay.Apply(read); err != nil { // by the rules, which stand there alone
				require.Contains(t, []fault.Kind{fault.BadInput, fault.Stale}, fault.KindOf(err), "%T: %v", c, err)
				require.Error(t, r.Apply(change))
				continue
			}
			require.NoError(t, r.Apply(change), "%T", c)
			changes = append(changes, read)
			if !change.Empty() {
				done[kind]++
			}
			sound(t, r, c)
		}
		require.Greater(t, len(changes), 10)
		end, _ := json.Marshal(r)
		again, _ := json.Marshal(replay)
		require.JSONEq(t, string(end), string(again))
		for i := len(changes) - 1; i >= 0; i-- {
			require.NoError(t, r.Apply(changes[i].Inverse()), "what was read from the history takes back what was done in memory")
		}
		require.GreaterOrEqual(t, r.Head.Next, replay.Head.Next, "no ID is given twice")
		r.Head.Next = 1
		back, _ := json.Marshal(r)
		require.JSONEq(t, string(start), string(back), "seed %d", seed)
	}
	assert.Positive(t, done["rearrange"])
	for kind := range commands {
		assert.Positive(t, done[kind], "%s was never done; the test tells nothing of it", kind)
	}
}

// sound checks what holds of every reel.
func sound(t *testing.T, r *Reel, c Command) {
	slips := map[string]int64{}
	for _, clip := range r.Clips {
		require.Positive(t, clip.Length, "%T", c)
		require.GreaterOrEqual(t, clip.Offset, int64(0), "%T", c)
		if clip.Frames > 0 {
			require.LessOrEqual(t, clip.Offset+clip.Length, clip.Frames, "%T: a clip ends with its take", c)
		}
		require.True(t, clip.Fits(r.Tracks[clip.Track].Labels), "%T", c)
		require.LessOrEqual(t, clip.FadeIn.Length+clip.FadeOut.Length, clip.Length, "%T", c)
		require.True(t, len(clip.Lanes) == 0 || len(clip.Lanes) == len(clip.Channels), "%T", c)
		for _, l := range clip.Lanes {
			for i := 1; i < len(l.Hushes); i++ {
				require.Less(t, l.Hushes[i-1].To, l.Hushes[i].From, "%T: hushes are apart", c)
			}
			for i := 1; i < len(l.Borrowed); i++ {
				require.LessOrEqual(t, l.Borrowed[i-1].To, l.Borrowed[i].From, "%T", c)
			}
		}
		if clip.Tie == "" {
			continue
		}
		require.NotNil(t, clip.Home, "%T", c)
		if slip, seen := slips[clip.Tie]; seen {
			require.Equal(t, slip, clip.Slip(), "%T: tied clips never drift", c)
		}
		slips[clip.Tie] = clip.Slip()
	}
}

func randomCommand(rnd *rand.Rand, r *Reel) (string, Command) {
	tracks, clips, marks := r.TrackList(), r.ClipList(), r.MarkList()
	track, clip, mark := Track{ID: "none"}, Clip{ID: "none"}, Mark{}
	if len(tracks) > 0 {
		track = tracks[rnd.Intn(len(tracks))]
	}
	other := clip
	if len(clips) > 0 {
		clip = clips[rnd.Intn(len(clips))]
		other = clips[rnd.Intn(len(clips))]
	}
	if len(marks) > 0 {
		mark = marks[rnd.Intn(len(marks))]
	}
	yes := func() bool { return rnd.Intn(2) == 0 }
	by := int64(rnd.Intn(40000) - 20000)
	at := clip.Start + rnd.Int63n(max(1, clip.Length))
	span := Span{at, at + int64(rnd.Intn(20000))}
	channel := rnd.Intn(max(1, len(clip.Channels)+1)) - 1
	fade := Fade{int64(rnd.Intn(3000)), []Curve{Linear, Power, Ess}[rnd.Intn(3)]}
	dB := float64(rnd.Intn(20) - 14)
	outputs := []string{"dialogue/L", "dialogue/R", "music/L", "music/R"}
	for _, o := range r.OutputList() {
		outputs = append(outputs, o.ID)
	}
	output := outputs[rnd.Intn(len(outputs))]
	kinds := []string{"addTake", "rearrange", "dissolve", "follow"} // which have no word for clients: the server does them
	for kind := range commands {
		kinds = append(kinds, kind)
	}
	// Map order differs from run to run, the random numbers do not: sort.
	slices.Sort(kinds)
	if len(clips) < 4 {
		kinds = []string{"addTake"}
	}
	kind := kinds[rnd.Intn(len(kinds))]
	switch kind {
	case "addTake":
		c := aTake(string(rune('A'+rnd.Intn(26))), 1+rnd.Intn(4))
		c.Start += by
		c.Picture, c.Reuse = rnd.Intn(3) == 0, yes()
		if yes() && len(c.Parts) > 1 {
			c.Parts = together(c.Parts, c.Title)
		}
		return kind, c
	case "dissolve":
		return kind, Dissolve{other.End(), int64(rnd.Intn(9000))}
	case "several":
		body, _ := json.Marshal(map[string]any{"clip": clip.ID, "gainDB": dB})
		moved, _ := json.Marshal(map[string]any{"clips": []string{clip.ID}, "by": by, "untie": true})
		return kind, Several{[]Sent{{"setClip", body}, {"moveClips", moved}}}
	case "rearrange":
		a, b := at+20000, at+20000+int64(1+rnd.Intn(9000))
		return kind, Rearrange{Pieces: []Piece{{Span{at - 20000, at}, by}, {Span{b, b + 9000}, -by}}, Gone: []Span{{a, b}}, CutList: "l"}
	case "follow":
		return kind, Follow{"k"}
	case "setReel":
		return kind, SetReel{Start: ptr(int64(rnd.Intn(1000))), Picture: &PictureChoice{"p", ptr(int64(rnd.Intn(1000)))}, Name: ptr("Night")}
	case "addTrack":
		return kind, AddTrack{Name: "New", Stem: "FX", Labels: [][]string{{"M"}, {"L", "R"}, {"M", "M", "M"}}[rnd.Intn(3)], Below: track.ID}
	case "setTrack":
		c := SetTrack{Track: track.ID, Mute: ptr(yes()), GainDB: ptr(dB), Stem: ptr([]string{"DX", "MX", "FX"}[rnd.Intn(3)])}
		if yes() {
			c.Second, c.Placed, c.Front, c.LFEDB, c.Turn = ptr([]string{"", "MX"}[rnd.Intn(2)]), ptr(yes()), ptr(0.5), ptr(-9.0), ptr(30.0)
			c.Folder, c.Height, c.Labels = ptr([]string{"", "Deck"}[rnd.Intn(2)]), ptr(rnd.Intn(5)), &[]string{"M"}
		}
		return kind, c
	case "removeTracks":
		return kind, RemoveTracks{Tracks: []string{track.ID}, Yes: yes()}
	case "orderTracks":
		return kind, OrderTracks{[]string{track.ID}, ""}
	case "moveStrays":
		return kind, MoveStrays{}
	case "setKnots":
		knots := []Crosspoint{{Row: StemRow, From: "DX", Channel: rnd.Intn(2), Output: output, GainDB: float64(-rnd.Intn(9))},
			{Row: TrackRow, From: track.ID, Output: output}}
		return kind, SetKnots{knots[:1+rnd.Intn(2)]}
	case "clearKnots":
		if len(r.Groups) == 0 || yes() {
			return "", LayOutputs{Spec: string(rune('a' + rnd.Intn(3))), Groups: pairGroups[:1+rnd.Intn(2)]}
		}
		if knots := r.KnotList(); len(knots) > 0 {
			return kind, ClearKnots{[]Crossing{knots[rnd.Intn(len(knots))].Crossing()}}
		}
		return kind, ClearKnots{[]Crossing{{StemRow, "DX", output}, {TrackRow, track.ID, output}}}
	case "moveClips":
		c := MoveClips{Clips: []string{clip.ID}, By: by, Alone: yes(), Untie: yes(), Add: yes()}
		if yes() {
			c.Rows = rnd.Intn(3) - 1
		}
		return kind, c
	case "trimClip":
		return kind, TrimClip{clip.ID, []Edge{StartEdge, EndEdge}[rnd.Intn(2)], by, yes()}
	case "slipClip":
		return kind, SlipClip{clip.ID, by, yes(), yes()}
	case "cutClips":
		c := CutClips{At: at, Alone: yes()}
		if yes() {
			c.Clips = []string{clip.ID}
		}
		return kind, c
	case "cutOut":
		c := CutOut{Span: span, Close: yes(), Untie: yes()}
		if yes() {
			c.Tracks = []string{track.ID, clip.Track}
		}
		return kind, c
	case "removeClips":
		return kind, RemoveClips{[]string{clip.ID}}
	case "pasteClips":
		c := PasteClips{Clips: []Clip{clip}, Tracks: []Track{r.Tracks[clip.Track]}}
		if yes() {
			c.At = &at
		}
		if yes() {
			c.Track = track.ID
		}
		if yes() {
			c.Only = &Span{From: clip.Start + clip.Length/4, To: clip.End() - clip.Length/4}
		}
		c.Push, c.Untie = c.At != nil && yes(), yes()
		return kind, c
	case "setClip":
		return kind, SetClip{Clip: clip.ID, GainDB: &dB, Mute: ptr(yes()), Untreated: ptr(yes()), FadeIn: &fade, FadeOut: &fade,
			Stem: ptr([]string{"DX", "FX"}[rnd.Intn(2)])}
	case "crossfade":
		for _, next := range clips {
			if next.Track == clip.Track && next.Start > clip.Start && next.Start <= clip.End() {
				other = next
			}
		}
		return kind, Crossfade{clip.ID, other.ID, fade.Length, fade.Curve}
	case "untie":
		return kind, Untie{[]string{clip.ID}}
	case "tieBack":
		return kind, TieBack{[]string{clip.ID}}
	case "tieClips":
		return kind, TieClips{[]string{clip.ID, other.ID}, yes()}
	case "setLane":
		return kind, SetLane{Clip: clip.ID, Channel: channel, Off: ptr(yes()), GainDB: &dB, Invert: ptr(yes()), Delay: &by, FadeIn: &fade}
	case "cutLane":
		return kind, CutLane{clip.ID, channel, at}
	case "hush":
		return kind, Hush{clip.ID, channel, span}
	case "dip":
		return kind, DipRange{clip.ID, channel, span, dB, 400}
	case "restore":
		return kind, Restore{clip.ID, channel, span}
	case "borrow":
		c := Borrow{Clip: clip.ID, Channel: max(0, channel), Span: span, Take: "other", Offset: 500, Fade: fade}
		if yes() {
			c.Quiet = &Span{100, 100 + 12_000 + int64(rnd.Intn(3000))}
		}
		return kind, c
	case "setClipChain":
		steps := []chain.Step{{ID: "0", Kind: chain.Bell, Values: map[string]float64{"gain": float64(rnd.Intn(30))}}, {ID: "1", Kind: chain.Compressor}}
		var channel *int
		if yes() {
			channel = ptr(rnd.Intn(4))
		}
		return kind, SetClipChain{[]string{clip.ID}, channel, steps[:rnd.Intn(3)]}
	case "setCurve":
		c := SetCurve{Of: OfClip, ID: clip.ID, What: "gain", Points: []Point{{at, dB}, {at + 3000, 0}, {at + 9000, -3}}}
		if yes() {
			c.Of, c.ID, c.Range = OfTrack, track.ID, &span
		}
		if knots := r.KnotList(); yes() && len(knots) > 0 {
			c.Of, c.ID = OfKnot, knots[rnd.Intn(len(knots))].ID
		}
		if yes() {
			c.What, c.Points = "pan", []Point{{at, -1}, {at + 500, 0.5}}
		}
		if yes() {
			c.Of, c.ID, c.What = CurveOf(StrandRow), StrandID(track.Stem, track.Strand), busParameters[rnd.Intn(len(busParameters))]
			if yes() {
				c.Of, c.ID = CurveOf(StemRow), track.Stem
			}
		}
		return kind, c
	case "rangeGain":
		if yes() {
			return kind, RangeGain{OfTrack, []string{track.ID}, span, dB, 200}
		}
		return kind, RangeGain{OfClip, []string{clip.ID}, span, dB, 200}
	case "setMark":
		return kind, SetMark{ID: mark.ID, Name: "Horn", At: at, Length: int64(rnd.Intn(2) * 4000), Note: "listen"}
	case "removeMarks":
		return kind, RemoveMarks{[]string{mark.ID}}
	case "readChannels":
		return kind, ReadChannels{clip.ID, rnd.Perm(64)[:max(1, len(clip.Channels))], clip.Sum}
	case "splitClip":
		return kind, SplitClip{Clip: clip.ID, Pairs: yes()}
	case "joinClips":
		list := []string{clip.ID}
		for _, x := range clips {
			if x.ID != clip.ID && x.Take == clip.Take && x.Start == clip.Start && x.Tie == clip.Tie {
				list = append(list, x.ID)
			}
		}
		return kind, JoinClips{list, false}
	case "swapTake":
		return kind, SwapTake{Clip: clip.ID, Take: "other", Shift: by}
	case "unsettle":
		for _, x := range clips {
			if len(x.Settled) > 0 {
				return kind, Unsettle{x.ID}
			}
		}
		labels := r.Tracks[clip.Track].Labels
		return "settle", Settle{Clips: []Clip{clip}, Take: "rendered", Title: "settled", Channels: len(labels), Start: clip.Start,
			Length: clip.Length}
	}
	return kind, randomWeave(rnd, r, kind, track, clip)
}

var widths = [][]string{{"M"}, {"L", "R"}, {"L", "R", "C", "LFE", "Ls", "Rs"}, {"L", "C", "R", "Ls", "Rs", "LFE"}, layout.ACNLabels(1)}

// randomWeave makes a command about stems, mixes and output groups.
func randomWeave(rnd *rand.Rand, r *Reel, kind string, track Track, clip Clip) Command {
	yes := func() bool { return rnd.Intn(2) == 0 }
	pick := func(ids []string) string {
		slices.Sort(ids)
		if len(ids) == 0 || rnd.Intn(20) == 0 {
			return ""
		}
		return ids[rnd.Intn(len(ids))]
	}
	stem, mixID, group := pick(slices.Collect(maps.Keys(r.Stems))), pick(slices.Collect(maps.Keys(r.Mixes))),
		pick(slices.Collect(maps.Keys(r.Groups)))
	labels := widths[rnd.Intn(len(widths))]
	switch kind {
	case "addStem":
		return AddStem{Tag: "S" + string(rune('A'+rnd.Intn(26))), Name: "Deck", Labels: labels}
	case "setStem":
		return SetStem{Stem: stem, Name: ptr("Night"), Labels: &labels, Yes: yes()}
	case "removeStem":
		return RemoveStem{Stem: stem, To: pick(slices.Collect(maps.Keys(r.Stems))), Yes: yes()}
	case "reorder":
		return Reorder{Row: []Row{StemRow, MixRow, GroupRow}[rnd.Intn(3)], IDs: slices.DeleteFunc([]string{[]string{stem, mixID,
			group}[rnd.Intn(3)]}, func(id string) bool { return id == "" })}
	case "setMix":
		terms := []Term{{Row: StemRow, From: stem, GainDB: float64(-rnd.Intn(9)), Out: yes()},
			{Row: StrandRow, From: StrandID(track.Stem, track.Strand), Out: yes()}}
		return SetMix{ID: mixID, Name: "Mix " + string(rune('A'+rnd.Intn(26))), Language: "eng", Labels: labels, Rest: yes(),
			Terms: terms[:rnd.Intn(3)], Yes: yes()}
	case "setBus":
		rows := []Left{{StrandRow, StrandID(track.Stem, track.Strand)}, {StemRow, stem}, {MixRow, mixID}, {GroupRow, group}, {TrackRow, track.ID}}
		l := rows[rnd.Intn(len(rows))]
		return SetBus{Row: l.Row, From: l.ID, GainDB: ptr(float64(-rnd.Intn(3))), Pan: ptr(rnd.Float64()*2 - 1),
			Turn: ptr(float64(rnd.Intn(2) * 90))}
	case "setCorrection":
		points := []Point{{At: int64(rnd.Intn(1000)), Value: -3}, {At: 2000 + int64(rnd.Intn(1000)), Value: float64(-rnd.Intn(5))}}
		return SetCorrection{Of: group, Groups: []string{pick(slices.Collect(maps.Keys(r.Groups)))},
			To: Target{Title: "Night", TruePeak: ptr(-3.0)}, GainDB: float64(rnd.Intn(9) - 4),
			Limit: points[:rnd.Intn(3)], Basis: "x"}
	case "changeCorrection":
		return ChangeCorrection{Of: group, Ride: &[]Point{{At: 100, Value: -1}, {At: 5000, Value: 2}}, Off: ptr(yes())}
	case "setChain", "setChainCurve":
		rows := []Left{{StrandRow, StrandID(track.Stem, track.Strand)}, {StemRow, stem}, {MixRow, mixID}, {GroupRow, group}, {TrackRow, track.ID}}
		l, from := rows[rnd.Intn(len(rows))], rows[rnd.Intn(len(rows))]
		if kind == "setChainCurve" {
			step, parameter := fmt.Sprint(rnd.Intn(3)), []string{"gain", "threshold", "slope"}[rnd.Intn(3)]
			if list := r.ChainList(); len(list) > 0 {
				c := list[rnd.Intn(len(list))]
				l = Left{c.Row, c.From}
				if len(c.Steps) > 0 && rnd.Intn(4) > 0 {
					s := c.Steps[rnd.Intn(len(c.Steps))]
					step, parameter = s.ID, map[chain.Kind]string{chain.Compressor: "threshold"}[s.Kind]
					parameter = cmp.Or(parameter, "gain")
				}
			}
			return SetChainCurve{Row: l.Row, From: l.ID, Step: step, Parameter: parameter,
				Points: []Point{{At: int64(rnd.Intn(1000)), Value: -3}, {At: 2000, Value: -6}}[:rnd.Intn(3)]}
		}
		steps := []chain.Step{{ID: "0", Kind: chain.Bell, Values: map[string]float64{"gain": float64(rnd.Intn(30))}},
			{ID: "1", Kind: chain.Compressor, Key: &chain.Key{Row: string(from.Row), From: from.ID}}, {ID: "2", Kind: chain.Gain, Off: yes()}}
		steps = steps[:rnd.Intn(4)]
		return SetChain{Row: l.Row, From: l.ID, Steps: &steps, Off: ptr(yes())}
	case "removeCorrection":
		return RemoveCorrection{Of: group}
	case "removeMixes":
		return RemoveMixes{Mixes: []string{mixID}, Yes: yes()}
	case "setGroup":
		feeds := []*Feeder{nil, {Row: MixRow, From: mixID}, {Row: StemRow, From: stem},
			{Row: GroupRow, From: pick(slices.Collect(maps.Keys(r.Groups))), Fold: ptr(mix.Usual())}, {Row: TrackRow, From: track.ID},
			{Row: StrandRow, From: StrandID(track.Stem, track.Strand)}}
		return SetGroup{ID: group, Name: "Group", Tag: "G", Layout: []string{"mono", DualMono, "stereo", "5.1", "foa", "discrete"}[rnd.Intn(6)],
			Width: 3, Feed: feeds[rnd.Intn(len(feeds))], Yes: yes()}
	case "removeGroups":
		return RemoveGroups{Groups: []string{group}, Yes: yes()}
	case "outputEach":
		return OutputEach{Tracks: []string{track.ID}}
	case "setMatrix":
		m := make([][]float64, len(track.Labels))
		for i := range m {
			m[i] = []float64{rnd.NormFloat64(), 0.5, -1}
		}
		return SetMatrix{Clip: clip.ID, Channels: []int{5, 0, 3}, Matrix: m}
	}
	panic("nothing random is known of " + kind)
}
