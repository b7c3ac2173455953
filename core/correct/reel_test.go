package correct

import (
	"context"
	"fmt"
	"math"
	"math/rand"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/engine"
	"zestyloom/core/fault"
	"zestyloom/core/gauge"
	"zestyloom/core/layout"
	"zestyloom/core/loudness"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
	"zestyloom/core/weave"
)

const start = 36000 * 48000

// night is a reel with dialogue and music, a full mix, its fold-down, both stems as groups, and a group of something else.
func night(t testing.TB) (*reel.Reel, gauge.Asked) {
	takes := map[string]*wave.File{}
	known := reel.Takes{}
	for i, name := range []string{"dialogue", "music", "rain"} {
		h := wave.Header{Format: wavetest.PCM24(2), Frames: 12 * 48000}
		rnd := rand.New(rand.NewSource(int64(i)))
		takes[name] = wavetest.Open(t, h, func(_, at int) float64 {
			if at%40000 < 50 {
				return 0.5 * math.Sin(float64(at))
			}
			return 0.04 * rnd.NormFloat64() * math.Abs(math.Sin(float64(at*(i+1))/48000))
		})
		known[name] = reel.TakeInfo{Title: name, Channels: 2, Frames: h.Frames, SampleRate: 48000}
	}
	r := reel.New("Night", 48000, timecode.Rate{Num: 25, Den: 1}, start, reel.DefaultStems())
	do := func(c reel.Command) {
		change, _, err := c.Plan(r, known)
		require.NoError(t, err)
		require.NoError(t, r.Apply(change))
	}
	for _, x := range [][2]string{{"dialogue", "DX"}, {"music", "MX"}, {"rain", "AX"}} {
		part := reel.PartPlan{Name: x[0], Stem: x[1], Channels: []int{0, 1}, Labels: []string{"L", "R"}}
		do(reel.AddTake{Take: x[0], Title: x[0], Start: start, Length: 12 * 48000, Parts: []reel.PartPlan{part}})
	}
	do(reel.SetMix{Name: "Full", Labels: []string{"L", "R"}, Terms: []reel.Term{{Row: reel.StemRow, From: "DX"},
		{Row: reel.StemRow, From: "MX"}}})
	do(reel.SetGroup{Name: "Full mix", Layout: "stereo", Feed: &reel.Feeder{Row: reel.MixRow, From: r.MixList()[0].ID}})
	full := r.GroupList()[0].ID
	fold := mix.Usual()
	do(reel.SetGroup{Name: "Mono", Layout: "mono", Feed: &reel.Feeder{Row: reel.GroupRow, From: full, Fold: &fold}})
	for _, stem := range []string{"DX", "MX", "AX"} {
		do(reel.SetGroup{Name: stem, Layout: "stereo", Feed: &reel.Feeder{Row: reel.StemRow, From: stem}})
	}
	return r, gauge.Asked{Sound: func(take string) (string, error) { return take, nil },
		Open: func(take string) (*wave.File, error) { return takes[take], nil }}
}

// A mix is brought to its target with the stems that are parts of it, which still add up to it; what is no part stays as it is, and
// what is derived from it follows.
func TestACorrectionOfAMixIsCarriedToItsParts(t *testing.T) {
	r, asked := night(t)
	groups := r.GroupList()
	full, mono, dx, mx, ax := groups[0].ID, groups[1].ID, groups[2].ID, groups[3].ID, groups[4].ID
	parts, err := weave.Parts(r, full)
	require.NoError(t, err)
	assert.Equal(t, []string{dx, mx}, parts)
	parts, err = weave.Parts(r, mono)
	require.NoError(t, err)
	assert.Equal(t, []string{dx, mx}, parts, "but not what it is derived from")
	var shares []float64
	asked.Progress = func(x float64) { shares = append(shares, x) }
	command, result, err := OnReel(context.Background(), r, Group{Of: full, To: reel.Target{Title: "Night", Integrated: ptr(-20),
		TruePeak: ptr(-3)}}, asked)
	require.NoError(t, err)
	assert.IsIncreasing(t, append(shares[:1:1], shares[len(shares)-1]))
	assert.Empty(t, result.Missed)
	assert.Positive(t, result.Works.Places)
	assert.Equal(t, []string{full, dx, mx}, command.Groups)
	change, name, err := command.Plan(r, nil)
	require.NoError(t, err)
	assert.Equal(t, "correct Full mix", name)
	require.NotNil(t, command.Before)
	assert.InDelta(t, *result.Before.IntegratedLUFS, *command.Before.Integrated, 1e-12)
	assert.InDelta(t, *result.Before.TruePeakMaxDBTP, *command.Before.TruePeak, 1e-12)
	before := r.Clone()
	require.NoError(t, r.Apply(change))

	render := func(r *reel.Reel) [][]float64 {
		e, err := engine.New(r, asked.Open, engine.Options{})
		require.NoError(t, err)
		out := make([][]float64, len(r.OutputList()))
		for at := int64(0); at < 12*48000; at += 4800 {
			require.NoError(t, e.Render(start+at, 4800))
			for c, x := range e.Outputs() {
				out[c] = append(out[c], x...)
			}
		}
		return out
	}
	old, now := render(before), render(r)
	worst, moved := 0.0, 0.0
	for i := range now[0] {
		worst = max(worst, math.Abs(now[0][i]-now[3][i]-now[5][i]), math.Abs(now[1][i]-now[4][i]-now[6][i]))
		moved = max(moved, math.Abs(now[0][i]-old[0][i]))
	}
	assert.Less(t, 20*math.Log10(worst), -280.0, "stems less mix, dBFS")
	assert.Greater(t, moved, 0.1)
	assert.Less(t, bySox(t, now[3:5], now[5:7], now[0:2]), -140.0, "stems less mix, as sox adds up their files, dBFS")
	assert.Greater(t, bySox(t, old[3:5], now[5:7], now[0:2]), -60.0, "which hears where one has another gain")
	assert.Equal(t, old[7:], now[7:], "%s is no part", ax)
	assert.Greater(t, math.Abs(now[2][1000]/old[2][1000]-1), 0.01, "the fold-down follows")
	_, w := measured(t, now[:2])
	assert.InDelta(t, -20, *w.IntegratedLUFS, 0.1)
	assert.LessOrEqual(t, *w.TruePeakMaxDBTP, -3.0)

	// At matched loudness it is as loud without.
	_, plain := measured(t, render(r.Matched())[:2])
	assert.InDelta(t, *w.IntegratedLUFS, *plain.IntegratedLUFS, 0.05)
	// What is corrected with it is no part of another that would be corrected.
	do := func(c reel.Command) error {
		change, _, err := c.Plan(r, nil)
		require.NoError(t, err)
		return r.Clone().Apply(change)
	}
	parts, err = weave.Parts(r, mono)
	require.NoError(t, err)
	assert.Empty(t, parts)
	assert.ErrorContains(t, do(reel.SetCorrection{Of: ax, Groups: []string{dx}}), "corrected already")

	// It was worked out on what the mix is now, until that changes.
	basis, err := gauge.Basis(r, full, asked.Sound)
	require.NoError(t, err)
	assert.Equal(t, basis, r.CorrectionList()[0].Basis)
	change, _, err = reel.SetTrack{Track: r.TrackList()[0].ID, GainDB: ptr(-1)}.Plan(r, nil)
	require.NoError(t, err)
	require.NoError(t, r.Apply(change))
	basis, err = gauge.Basis(r, full, asked.Sound)
	require.NoError(t, err)
	assert.NotEqual(t, basis, r.CorrectionList()[0].Basis)
}

// bySox writes two stems and their mix as files of 32-bit float, and gives the peak in dBFS of what sox, which shares no code with us, is
// left with when it takes the mix from the stems.
func bySox(t testing.TB, stems ...[][]float64) float64 {
	sox, err := exec.LookPath("sox")
	require.NoError(t, err, "./loom test installs sox")
	dir := t.TempDir()
	args := []string{"-m"}
	for i, x := range stems {
		path := filepath.Join(dir, fmt.Sprint(i, ".wav"))
		h := wave.Header{Format: wave.Format{Encoding: wave.Float, SampleRate: 48000, Channels: 2, BitDepth: 32, Bytes: 4},
			Frames: int64(len(x[0]))}
		require.NoError(t, os.WriteFile(path, wavetest.Bytes(t, h, func(c, i int) float64 { return x[c][i] }), 0o600))
		args = append(args, "-v", []string{"0.5", "0.5", "-0.5"}[i], path) // so that nothing is clipped on the way
	}
	said, err := exec.Command(sox, append(args, "-n", "stat")...).CombinedOutput()
	require.NoError(t, err, string(said))
	peak := 0.0
	for _, found := range regexp.MustCompile(`(?:Maximum|Minimum) amplitude:\s+(-?[\d.]+)`).FindAllStringSubmatch(string(said), -1) {
		x, err := strconv.ParseFloat(found[1], 64)
		require.NoError(t, err)
		peak = max(peak, 2*math.Abs(x))
	}
	return 20 * math.Log10(peak)
}

func measured(t testing.TB, signal [][]float64) (loudness.Row, *loudness.Whole) {
	s := loudness.NewStream(48000, 4, layout.ForWidth(2))
	s.Write(signal)
	row := s.End()
	return row, row.Whole(0, row.Hops(), loudness.Row{})
}

// Loudness of dialogue is that of the mix where the dialogue is heard.
func TestDialogueAnchoredCorrection(t *testing.T) {
	r, asked := night(t)
	full := r.GroupList()[0].ID
	to := reel.Target{Title: "Anchored", Integrated: ptr(-27), Dialogue: true, TruePeak: ptr(-2)}
	_, result, err := OnReel(context.Background(), r, Group{Of: full, To: to, Dialogue: "DX"}, asked)
	require.NoError(t, err)
	assert.Empty(t, result.Missed)
	assert.InDelta(t, -27, *result.After.Dialogue.LUFS, 0.1)
	_, _, err = OnReel(context.Background(), r, Group{Of: full, To: to, Dialogue: "QQ"}, asked)
	assert.Equal(t, fault.BadInput, fault.KindOf(err))
	_, _, err = OnReel(context.Background(), r, Group{Of: "nobody", To: to}, asked)
	assert.Equal(t, fault.NotFound, fault.KindOf(err))
}
