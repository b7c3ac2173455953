package reload

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/desk"
	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
)

// revised loads a delivery and has other sound take the place of its music.
func revised(t *testing.T, r desk.Receipt, takes map[Source]Take, with Replacement) (*reel.Reel, *reel.Reel, error) {
	known := reel.Takes{with.Take: {Title: with.Title, Channels: len(with.Labels), Frames: with.Frames, SampleRate: 48000}}
	for _, k := range takes {
		known[k.ID] = reel.TakeInfo{Title: k.Title, Channels: 2, Frames: k.Frames, SampleRate: k.Rate}
	}
	step, err := Load(r, "x", takes, nil, 48000)
	require.NoError(t, err)
	start, _ := Start(r, 48000)
	made := reel.New("x", 48000, timecode.Rate{Num: 25, Den: 1}, start, reel.DefaultStems())
	do := func(on *reel.Reel, c reel.Command) error {
		change, _, err := c.Plan(on, known)
		if err != nil {
			return err
		}
		return on.Apply(change)
	}
	require.NoError(t, do(made, step))
	before := made.Clone()
	revise, err := Revise(made, "music", with)
	if err == nil {
		err = do(made, revise)
	}
	return before, made, err
}

// Other sound of any width takes the place of a group's, at its place and level, and nothing else changes.
func TestAPartIsRevised(t *testing.T) {
	const start, frames = 36000 * 48000, 96000
	half := math.Sqrt(0.5)
	for name, c := range map[string]struct {
		labels         []string
		at, long       int64
		matrix         [][]float64
		begins, offset int64
		length         int64
	}{
		"as wide":  {[]string{"L", "R"}, start, frames, nil, start, 0, frames},
		"a mono":   {[]string{"M"}, start, frames, [][]float64{{half}, {half}}, start, 0, frames},
		"in 5.1":   {[]string{"L", "R", "C", "LFE", "Ls", "Rs"}, start, frames, [][]float64{{1, 0, half, 0, half, 0}, {0, 1, half, 0, 0, half}}, start, 0, frames},
		"longer":   {[]string{"L", "R"}, start - 4800, frames + 9600, nil, start, 4800, frames},
		"shorter":  {[]string{"L", "R"}, start + 100, 5000, nil, start + 100, 0, 5000},
		"reversed": {[]string{"R", "L"}, start, frames, [][]float64{{0, 1}, {1, 0}}, start, 0, frames},
	} {
		before, after, err := revised(t, receipt(), known, Replacement{Take: "new", Title: "Waltz", Labels: c.labels, Frames: c.long, At: c.at, GainDB: -1.5})
		require.NoError(t, err, name)
		clips, tracks, err := Sounding(after, "music")
		require.NoError(t, err)
		require.Len(t, clips, 1, name)
		got := clips[0]
		assert.Equal(t, []any{"new", c.begins, c.offset, c.length, -1.5}, []any{got.Take, got.Start, got.Offset, got.Length, got.GainDB}, name)
		require.Len(t, got.Matrix, len(c.matrix), name)
		for r := range c.matrix {
			assert.InDeltaSlice(t, c.matrix[r], got.Matrix[r], 1e-6, name)
		}
		assert.Len(t, tracks, 1)
		assert.Equal(t, before.Knots, after.Knots)
		assert.Equal(t, before.Groups, after.Groups)
		before.Head.Next = after.Head.Next
		assert.Equal(t, before.Head, after.Head)
		assert.Equal(t, before.Tracks, after.Tracks)
		for id, clip := range before.Clips {
			if _, music := tracks[clip.Track]; !music {
				assert.Equal(t, clip, after.Clips[id])
			}
		}
	}
}

// A group that is delivered in monos has its channels on tracks of their own; they get the channels of their labels, and stay together.
func TestAPartInMonosIsRevised(t *testing.T) {
	r := receipt()
	for i := range r.Places {
		r.Places[i].File, r.Places[i].Stream, r.Places[i].Channel = r.Places[i].Group+r.Places[i].Label, 0, 0
		r.Files = append(r.Files, desk.File{Name: r.Places[i].File, Timecode: "10:00:00:00", Streams: []desk.Stream{{Rate: 48000, Channels: 1}}})
	}
	takes := map[Source]Take{}
	for _, p := range r.Places {
		takes[Source{p.File, 0}] = Take{ID: p.File, Title: p.File, Rate: 48000, Frames: 96000}
	}
	_, after, err := revised(t, r, takes, Replacement{Take: "new", Title: "Waltz", Labels: []string{"L", "R"}, Frames: 96000, At: 36000 * 48000})
	require.NoError(t, err)
	clips, tracks, err := Sounding(after, "music")
	require.NoError(t, err)
	require.Len(t, clips, 2)
	for _, c := range clips {
		want := []float64{1, 0}
		if tracks[c.Track][0] == "R" {
			want = []float64{0, 1}
		}
		assert.Equal(t, [][]float64{want}, c.Matrix)
		assert.NotEmpty(t, c.Tie)
	}
	assert.Equal(t, clips[0].Tie, clips[1].Tie)
}

func TestWhatCantBeRevised(t *testing.T) {
	_, after, err := revised(t, receipt(), known, Replacement{Take: "new", Title: "Waltz", Labels: []string{"L", "R"}, Frames: 10, At: 5})
	assert.ErrorContains(t, err, "does not lie where Music is")
	_, _, err = Sounding(after, "nothing")
	assert.Equal(t, fault.NotFound, fault.KindOf(err))
	var knot reel.Crosspoint
	for _, k := range after.KnotList() {
		knot = reel.Crosspoint{Row: k.Row, From: k.From, Channel: k.Channel, Output: "mix/L"}
	}
	change, _, err := reel.SetKnots{Knots: []reel.Crosspoint{knot}}.Plan(after, nil)
	require.NoError(t, err)
	require.NoError(t, after.Apply(change))
	_, _, err = Sounding(after, "music")
	assert.ErrorContains(t, err, "goes to other groups too")
}
