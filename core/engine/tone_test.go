package engine

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/chain"
	"zestyloom/core/diagnose"
	"zestyloom/core/dsp"
	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
	"zestyloom/core/weave"
)

// A gap is filled with the quiet of a microphone, as that is treated: crossed in at its ends, the same wherever the clip is cut, and nothing that is
// looked for in recordings is found in it.
func TestRoomToneFillsAGap(t *testing.T) {
	s := shelf{}
	s.record(t, "voice", 48000, 1, 200_000)
	r := reel.New("Crossing", 48000, timecode.Rate{Num: 25, Den: 1}, start, reel.DefaultStems())
	do(t, r, reel.AddTake{Take: "voice", Title: "12A", Start: start, Length: 200_000, Frames: 200_000,
		Parts: []reel.PartPlan{{Name: "Boom", Stem: "DX", Channels: []int{0}, Labels: []string{"M"}}}})
	known := reel.Takes{"voice": {Title: "12A", Channels: 1, Frames: 200_000, SampleRate: 48000}}
	clip := r.ClipList()[0]
	quiet := reel.Span{From: 20_000, To: 60_000}
	fill := func(q reel.Span) error {
		change, name, err := reel.Borrow{Clip: clip.ID, Take: "voice", Quiet: &q, Span: reel.Span{From: start + 70_000, To: start + 170_000},
			Fade: reel.Fade{Length: 2400, Curve: reel.Power}}.Plan(r, known)
		if err == nil {
			assert.Equal(t, "room tone from 12A for 12A", name)
			r, err = r.With(change, known)
		}
		return err
	}
	for _, wrong := range []reel.Span{{From: 0, To: 5000}, {From: 0, To: 900_000}, {From: 190_000, To: 210_000}} {
		assert.Equal(t, fault.BadInput, fault.KindOf(fill(wrong)), "%v", wrong)
	}
	require.NoError(t, fill(quiet))
	steps := []chain.Step{{ID: "1", Kind: chain.LowPass, Values: map[string]float64{"frequency": 3000}}}
	r.Treatments = map[string][]chain.Treatment{"voice": {{Channels: []int{0}, Steps: steps}}}
	heard := func(from, n int64, block int64) (out []float64) {
		e, err := New(r, s.open, Options{})
		require.NoError(t, err)
		for at := int64(0); at < n; at += block {
			require.NoError(t, e.Render(start+from+at, int(min(block, n-at))))
			out = append(out, e.At(weave.NodeID{Row: reel.TrackRow, ID: clip.Track})[0]...)
		}
		return out
	}
	made := processed(t, s, "voice", r.Treatments["voice"][0])[0]
	tone := make([]float64, 100_000)
	dsp.NewTone(48000, made[quiet.From:quiet.To]).Fill(tone, 70_000)
	got := heard(0, 200_000, 5000)
	for i := range got {
		want := made[i]
		if b := r.Clips[clip.ID].Lanes[0].Borrowed[0]; i >= 70_000 && i < 170_000 {
			stays, comes := b.Mix(int64(i))
			want = stays*want + comes*tone[i-70_000]
		}
		require.InDelta(t, want, got[i], 1e-7, "frame %d", i)
	}
	// Filled once more elsewhere, it is spread from the same samples.
	again, _, err := reel.Borrow{Clip: clip.ID, Take: "voice", Quiet: &quiet, Span: reel.Span{From: start + 180_000, To: start + 190_000}}.Plan(r, known)
	require.NoError(t, err)
	twice, err := r.With(again, known)
	require.NoError(t, err)
	e, err := New(twice, s.open, Options{})
	require.NoError(t, err)
	at, _ := e.graph.Node(reel.TrackRow, clip.Track)
	require.Len(t, twice.Clips[clip.ID].Lanes[0].Borrowed, 2)
	assert.Len(t, e.nodes[at].track.clips[0].voice.tones, 1)
	assert.Len(t, e.nodes[at].track.clips[0].voice.chains, 2, "of the clip, and of what it borrows")
	change, _, err := reel.CutClips{At: start + 111_111, Clips: []string{clip.ID}, Alone: true}.Plan(r, known)
	require.NoError(t, err)
	r, err = r.With(change, known)
	require.NoError(t, err)
	cut := heard(0, 200_000, 16_000)
	for i := range got {
		require.InDelta(t, got[i], cut[i], 1e-7, "cut, frame %d", i)
	}
	a := diagnose.New(48000, []string{"Boom"})
	a.Write([][]float64{got})
	for _, f := range a.Findings()[0].Findings {
		assert.NotContains(t, []diagnose.Kind{diagnose.Click, diagnose.Dropout, diagnose.Hum}, f.Kind, f.Message)
	}
}
