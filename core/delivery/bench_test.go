package delivery

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"zestyloom/core/reel"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
)

// discard is a file that keeps nothing.
type discard struct{}

func (discard) Write(b []byte) (int, error)            { return len(b), nil }
func (discard) WriteAt(b []byte, _ int64) (int, error) { return len(b), nil }

// speech is a take of noise that comes and goes as speech does, each channel at its own time.
func speech(b *testing.B, channels int, seconds float64) *wave.File {
	rnd := rand.New(rand.NewPCG(1, 2))
	return wavetest.Open(b, wave.Header{Format: wavetest.PCM24(channels), Frames: int64(seconds * 48000)}, func(c, i int) float64 {
		t := float64(i)/48000 + float64(c)*0.37
		level := max(0, math.Sin(t*9)) * max(0.05, math.Sin(t*1.3))
		return 0.1 * level * level * (rnd.Float64()*2 - 1)
	})
}

// BenchmarkPrint prints 40 tracks with 600 clips to a full mix and three stereo stems; the figure to look at is how
// many times faster than it plays.
func BenchmarkPrint(b *testing.B) {
	const minutes = 2
	p := production{map[string]*wave.File{"poly": speech(b, 8, 12)}, reel.New("Crossing", 48000, timecode.Rate{Num: 25, Den: 1}, start, reel.DefaultStems())}
	for track := range 40 {
		stem := []string{"DX", "FX", "MX"}[track%3]
		do(b, p.reel, reel.AddTake{Take: "poly", Title: "12A/3", Start: start, Length: 8 * 48000, Parts: []reel.PartPlan{{Name: fmt.Sprint(track), Stem: stem, Channels: []int{track % 8}, Labels: []string{"M"}}}})
		first := p.reel.ClipList()[len(p.reel.Clips)-1]
		for _, c := range p.reel.Clips {
			if c.Track == p.reel.TrackList()[track].ID {
				first = c
			}
		}
		for n := 1; n < 15; n++ {
			c := first
			c.ID = fmt.Sprintf("%s-%d", first.ID, n)
			c.Start = start + int64(n)*8*48000
			p.reel.Clips[c.ID] = c
		}
	}
	s := spec(b, "eight-channel-mix")
	plan, r, err := NewPlan("x", p.reel, s, Interleaved)
	require.NoError(b, err)
	require.EqualValues(b, minutes*60*48000, plan.Frames)
	for b.Loop() {
		_, err := Print(context.Background(), plan, r, p.open, func(string) (Output, error) { return discard{}, nil }, Stamp{}, func(float64) {})
		require.NoError(b, err)
	}
	b.ReportMetric(float64(plan.Frames)/48000*float64(b.N)/b.Elapsed().Seconds(), "x-realtime")
}
