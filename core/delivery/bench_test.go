package delivery

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"zestyloom/core/chain"
	"zestyloom/core/contract"
	"zestyloom/core/gauge"
	"zestyloom/core/loudness"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
	"zestyloom/core/weave"
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

// surround is the reel that the table of speeds speaks of: 40 placed tracks with 600 clips in three stems of 5.1, printed to
// 5.1, its fold-down and three stereo stems. With moves each track has a point of gain and of position every half second.
func surround(b *testing.B, minutes int64, moves bool) production {
	wide := []string{"L", "R", "C", "LFE", "Ls", "Rs"}
	p := production{map[string]*wave.File{"poly": speech(b, 8, 12)}, reel.New("Crossing", 48000, timecode.Rate{Num: 25, Den: 1}, start,
		reel.DefaultStems())}
	for _, tag := range []string{"DX", "FX", "MX"} {
		do(b, p.reel, reel.SetStem{Stem: tag, Labels: &wide})
	}
	yes := true
	for i := range 40 {
		part := reel.PartPlan{Name: fmt.Sprint(i), Stem: []string{"DX", "FX", "MX"}[i%3], Channels: []int{i % 8}, Labels: []string{"M"}}
		do(b, p.reel, reel.AddTake{Take: "poly", Title: "12A/3", Start: start, Length: 8 * 48000, Parts: []reel.PartPlan{part}})
		tracks := p.reel.TrackList()
		id := tracks[len(tracks)-1].ID
		do(b, p.reel, reel.SetTrack{Track: id, Placed: &yes, Front: ptr(0.6), Pan: ptr(float64(i%9)/5 - 0.8), GainDB: ptr(-6.5)})
		if moves {
			for _, what := range []reel.Parameter{reel.GainCurve, reel.PanCurve, reel.FrontCurve} {
				do(b, p.reel, reel.SetCurve{Of: reel.OfTrack, ID: id, What: what, Points: zigzag(minutes*60, i)})
			}
		}
	}
	for _, first := range p.reel.ClipList() {
		for n := int64(1); n*8 < minutes*60; n++ {
			c := first
			c.ID, c.Start = fmt.Sprintf("%s-%d", first.ID, n), start+n*8*48000
			p.reel.Clips[c.ID] = c
		}
	}
	do(b, p.reel, reel.SetMix{Name: "Full", Labels: wide, Rest: true})
	full := &reel.Feeder{Row: reel.MixRow, From: p.reel.MixList()[0].ID}
	do(b, p.reel, reel.SetGroup{Name: "Full", Layout: "5.1", Feed: full})
	do(b, p.reel, reel.SetGroup{Name: "Stereo", Layout: "stereo", Feed: &reel.Feeder{Row: reel.GroupRow, From: p.reel.GroupList()[0].ID}})
	for _, tag := range []string{"DX", "FX", "MX"} {
		do(b, p.reel, reel.SetGroup{Name: tag, Layout: "stereo", Feed: &reel.Feeder{Row: reel.StemRow, From: tag}})
	}
	return p
}

// zigzag goes up and down between −0.9 and 0.9, with a point every half second.
func zigzag(seconds int64, from int) []reel.Point {
	var points []reel.Point
	for i := range 2 * seconds {
		points = append(points, reel.Point{At: start + i*24000, Value: float64((i+int64(from))%3)*0.9 - 0.9})
	}
	return points
}

// BenchmarkPrint prints the reel of surround as it stands, and with everything moving; the figures to look at are how many
// times faster than it plays, and what moving costs.
func BenchmarkPrint(b *testing.B) {
	const minutes = 2
	s := spec(b, "eight-channel-mix")
	var took [2]float64
	for i, name := range []string{"still", "moving"} {
		b.Run(name, func(b *testing.B) {
			p := surround(b, minutes, i == 1)
			p.reel.Head.Spec = s.ID // the groups are laid by hand
			plan, r, err := NewPlan("x", p.reel, s, Asked{Packaging: contract.Interleaved})
			require.NoError(b, err)
			require.Len(b, r.OutputList(), 14)
			plan.Findings = nil
			for b.Loop() {
				_, err := Print(context.Background(), plan, r, Press{Open: p.open, Create: func(string) (Output, error) { return discard{}, nil }})
				require.NoError(b, err)
			}
			took[i] = b.Elapsed().Seconds() / float64(b.N)
			b.ReportMetric(float64(plan.Frames)/48000/took[i], "x-realtime")
			if took[0] > 0 {
				b.ReportMetric(took[i]/took[0], "x-still")
			}
		})
	}
}

// BenchmarkPrintThroughChains prints the same with a high-pass, four bands and a compressor on each of the 40 tracks; the goal is 60 times faster than
// it plays, on two cores.
func BenchmarkPrintThroughChains(b *testing.B) {
	s := spec(b, "eight-channel-mix")
	p := surround(b, 2, false)
	p.reel.Head.Spec = s.ID
	set := func(id string, kind chain.Kind, pairs ...any) chain.Step {
		values := map[string]float64{}
		for i := 0; i < len(pairs); i += 2 {
			values[pairs[i].(string)] = pairs[i+1].(float64)
		}
		return chain.Step{ID: id, Kind: kind, Values: values}
	}
	steps := []chain.Step{set("1", chain.HighPass, "frequency", 80.0), set("2", chain.Bell, "frequency", 320.0, "gain", -4.0),
		set("3", chain.Bell, "frequency", 900.0, "gain", 2.0), set("4", chain.Bell, "frequency", 2500.0, "gain", 3.0),
		set("5", chain.HighShelf, "frequency", 6000.0, "gain", 3.0), set("6", chain.Compressor, "threshold", -30.0, "ratio", 4.0)}
	for _, t := range p.reel.TrackList() {
		do(b, p.reel, reel.SetChain{Row: reel.TrackRow, From: t.ID, Steps: &steps})
	}
	plan, r, err := NewPlan("x", p.reel, s, Asked{Packaging: contract.Interleaved})
	require.NoError(b, err)
	plan.Findings = nil
	for b.Loop() {
		_, err := Print(context.Background(), plan, r, Press{Open: p.open, Create: func(string) (Output, error) { return discard{}, nil }})
		require.NoError(b, err)
	}
	b.ReportMetric(float64(plan.Frames)/48000*float64(b.N)/b.Elapsed().Seconds(), "x-realtime")
}

// BenchmarkLargeReel prints 30 minutes of 64 tracks to 16 outputs, and reads them back; the figure to look at is the memory
// that the process has used at most, which must not grow with the length.
func BenchmarkLargeReel(b *testing.B) {
	wide := []string{"L", "R", "C", "LFE", "Ls", "Rs"}
	p := surround(b, 30, true)
	yes := true
	for i := range 24 {
		do(b, p.reel, reel.AddTake{Take: "poly", Title: "12A/4", Start: start, Length: 8 * 48000,
			Parts: []reel.PartPlan{{Name: fmt.Sprint(i), Stem: "FX", Channels: []int{i % 8}, Labels: []string{"M"}}}})
		tracks := p.reel.TrackList()
		do(b, p.reel, reel.SetTrack{Track: tracks[len(tracks)-1].ID, Placed: &yes, Front: ptr(0.6)})
	}
	do(b, p.reel, reel.SetGroup{Name: "Left", Layout: "stereo", Feed: &reel.Feeder{Row: reel.MixRow, From: p.reel.MixList()[0].ID}})
	require.Len(b, p.reel.Tracks, 64)
	require.Len(b, p.reel.OutputList(), 16)
	require.Equal(b, wide, p.reel.GroupList()[0].Labels)
	s := spec(b, "eight-channel-mix")
	p.reel.Head.Spec = s.ID
	plan, r, err := NewPlan("x", p.reel, s, Asked{Packaging: contract.Interleaved})
	require.NoError(b, err)
	plan.Findings = nil
	dir := b.TempDir()
	for b.Loop() {
		create := func(name string) (Output, error) {
			f, err := os.Create(filepath.Join(dir, name))
			b.Cleanup(func() { f.Close() })
			return f, err
		}
		printed, err := Print(context.Background(), plan, r, Press{Open: p.open, Create: create})
		require.NoError(b, err)
		report, err := Verify(context.Background(), plan, r, printed, func(name string) (Opened, error) {
			f, err := os.Open(filepath.Join(dir, name))
			require.NoError(b, err)
			info, err := f.Stat()
			return Opened{f, info.Size()}, err
		}, func(float64) {})
		require.NoError(b, err)
		require.Len(b, report.Groups, len(r.GroupList()))
	}
	status, err := os.ReadFile("/proc/self/status")
	require.NoError(b, err)
	var kilobytes float64
	for line := range strings.Lines(string(status)) {
		if rest, found := strings.CutPrefix(line, "VmHWM:"); found {
			_, err := fmt.Sscan(rest, &kilobytes)
			require.NoError(b, err)
		}
	}
	b.ReportMetric(kilobytes/1024, "peak-MiB")
	b.ReportMetric(float64(plan.Frames)/48000/(b.Elapsed().Seconds()/float64(b.N)), "x-realtime")
}

// BenchmarkGaugeAfterEdit measures all groups of a reel of 20 minutes, and again after an edit of two seconds: the goal is half a second
// until the numbers are right again, those of the whole worked out of the pieces as well.
func BenchmarkGaugeAfterEdit(b *testing.B) {
	const minutes = 20
	p := surround(b, minutes, false)
	g := &gauge.Gauge{}
	var rows []weave.NodeID
	for _, group := range p.reel.GroupList()[:4] {
		rows = append(rows, weave.NodeID{Row: reel.GroupRow, ID: group.ID})
	}
	asked := gauge.Asked{Rows: rows, Open: p.open, Sound: func(take string) (string, error) { return take, nil }}
	measure := func() gauge.Done {
		done, err := g.Measure(context.Background(), p.reel, asked)
		require.NoError(b, err)
		var wait sync.WaitGroup
		for _, id := range rows {
			row, _ := g.Row(id)
			wait.Go(func() { row.Whole(0, row.Hops(), loudness.Row{}) })
		}
		wait.Wait()
		return done
	}
	began := time.Now()
	measure()
	whole := time.Since(began).Seconds()
	pieces := 0
	at := int64(start)
	track := p.reel.TrackList()[0].ID
	for b.Loop() {
		at += 31 * 48000
		do(b, p.reel, reel.RangeGain{Of: reel.OfTrack, IDs: []string{track}, Span: reel.Span{From: at, To: at + 2*48000}, GainDB: -1, Ramp: 480})
		pieces = measure().Pieces
	}
	b.ReportMetric(minutes*60/whole, "x-realtime")
	b.ReportMetric(float64(pieces), "pieces")
	b.ReportMetric(float64(g.Size())/(1<<20), "MiB")
}
