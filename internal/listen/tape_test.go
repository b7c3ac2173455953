package listen

import (
	"context"
	"math"
	"os"
	"path/filepath"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/engine"
	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/core/wave"
	"zestyloom/core/wires"
)

// box is where tapes of a test go.
type box struct {
	mu      sync.Mutex
	folder  string
	kept    []string
	dropped int
	full    int // bytes after which the disk is full; 0 for never
}

type boxed struct {
	*os.File
	room *int
}

func (b boxed) Write(x []byte) (int, error) {
	if b.room != nil {
		if *b.room -= len(x); *b.room < 0 {
			return 0, fault.New(fault.NoSpace, "The disk is full")
		}
	}
	return b.File.Write(x)
}

func (b *box) Create(name string) (wires.Out, error) {
	f, err := os.Create(filepath.Join(b.folder, name))
	out := boxed{File: f}
	if b.full > 0 {
		out.room = &b.full
	}
	return out, err
}

func (b *box) Keep(_ context.Context, name string) (string, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.kept = append(b.kept, name)
	return "receipt", nil
}

func (b *box) Drop() error {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.dropped++
	return nil
}

// deckOf is a connection with a deck, to a reel of two groups.
func deckOf(t *testing.T) (shelf, *connection, *ear, *box) {
	s := newShelf(t)
	s.reel.Head.Name = "Crossing"
	for _, c := range []reel.Command{
		reel.SetGroup{Name: "Dialogue", Tag: "DX", Layout: "stereo", Feed: &reel.Feeder{Row: reel.StemRow, From: "DX"}},
		reel.SetGroup{Name: "Mono", Tag: "MONO", Layout: "mono", Feed: &reel.Feeder{Row: reel.StemRow, From: "DX"}}} {
		change, _, err := c.Plan(s.reel, nil)
		require.NoError(t, err)
		require.NoError(t, s.reel.Apply(change))
	}
	c, e, _ := listening(t, s)
	b := &box{folder: t.TempDir()}
	c.server.Tape = func(string) Tape { return b }
	return s, c, e, b
}

// tapes are the recordings that were told of, once there are so many.
func (e *ear) tapes(t *testing.T, n int) (list []taped) {
	require.Eventually(t, func() bool {
		e.mu.Lock()
		defer e.mu.Unlock()
		list = nil
		for _, r := range e.replies {
			if r.Tape != nil {
				list = append(list, *r.Tape)
			}
		}
		return len(list) >= n
	}, time.Minute, time.Millisecond)
	return list
}

// outputsOf renders what leaves on the outputs.
func outputsOf(t *testing.T, s shelf, r *reel.Reel, from int64, n int) [][]float64 {
	eng, err := engine.New(r, s.Open, engine.Options{Block: block})
	require.NoError(t, err)
	out := make([][]float64, len(r.OutputList()))
	for done := 0; done < n; done += block {
		require.NoError(t, eng.Render(from+int64(done), min(block, n-done)))
		for i, x := range eng.Outputs() {
			out[i] = append(out[i], x...)
		}
	}
	return out
}

func (b *box) read(t *testing.T, name string) (*wave.File, [][]float64) {
	f, err := os.Open(filepath.Join(b.folder, name))
	require.NoError(t, err)
	t.Cleanup(func() { f.Close() })
	info, err := f.Stat()
	require.NoError(t, err)
	w, err := wave.Open(f, info.Size())
	require.NoError(t, err)
	require.Empty(t, w.Warnings)
	all := make([][]float64, w.Channels)
	require.NoError(t, w.EachBlock(999, func(_ int64, x [][]float64) error {
		for c := range x {
			all[c] = append(all[c], x[c]...)
		}
		return nil
	}))
	return w, all
}

const bit = 1.0 / (1 << 23)

// What leaves on the outputs is recorded as it sounds, a file for each group, with labels and time stamps.
func TestTheDeckRecords(t *testing.T) {
	s, c, e, b := deckOf(t)
	c.handle(request{Do: "play", Generation: 1, Reel: "reel", From: 3001, Until: 18000, Tap: engine.Tap{Kind: "stems"}, Record: true})
	end := e.tapes(t, 1)[0]
	assert.Equal(t, taped{Receipt: "receipt", From: 3001, Frames: 14999, Files: 2}, end)
	assert.Equal(t, []string{"Crossing, 00:00:00:01"}, b.kept)
	want, at := outputsOf(t, s, s.reel, 3001, 14999), 0
	for _, name := range []string{"Crossing_DX.wav", "Crossing_MONO.wav"} {
		f, got := b.read(t, name)
		assert.Equal(t, wave.BW64, f.Container)
		assert.EqualValues(t, 3001, f.Bext.TimeReference)
		assert.Equal(t, "25/1", f.IXML.Speed.TimecodeRate)
		for ch := range got {
			assert.Equal(t, []string{"L", "R", "M"}[at], f.IXML.Tracks.Tracks[ch].Name)
			require.Len(t, got[ch], 14999)
			for i, x := range got[ch] {
				require.InDelta(t, want[at][i], x, bit, "%s, channel %d, sample %d", name, ch, i)
			}
			at++
		}
	}
	assert.Equal(t, 3, at)
}

// What is stopped is recorded as far as it has sounded; nothing of what was still on its way.
func TestWhatHasNotSoundedIsNotRecorded(t *testing.T) {
	for name, played := range map[string]struct{ frames, want int64 }{
		"some": {12000, 11264}, "nothing": {0, 0}, "less than a block": {1000, 0}, "whole blocks": {10240, 10240}, "in passing": {9500, 0},
	} {
		_, c, e, b := deckOf(t)
		standStill(c)
		c.handle(request{Do: "play", Generation: 1, Reel: "reel", Tap: engine.Tap{Kind: "stems"}, Record: true})
		require.Eventually(t, func() bool { return len(e.left()) >= lead }, time.Minute, time.Millisecond)
		c.handle(request{Do: "played", Generation: 1, Frames: played.frames})
		c.stop()
		end := e.tapes(t, 1)[0]
		assert.Equal(t, played.want, end.Frames, name)
		if played.want == 0 {
			assert.Equal(t, 1, b.dropped, name)
			assert.Empty(t, end.Receipt)
			continue
		}
		_, got := b.read(t, "Crossing_DX.wav")
		assert.Len(t, got[0], int(played.want), name)
	}
}

// What is changed meanwhile is recorded as it is heard: from the block on that sounded then, and without a step.
func TestAChangeIsRecordedAsItIsHeard(t *testing.T) {
	s, c, e, b := deckOf(t)
	standStill(c)
	track := s.reel.TrackList()[0].ID
	ask := request{Do: "play", Generation: 1, Reel: "reel", Until: 20000, Tap: engine.Tap{Kind: "stems"}, Record: true}
	c.handle(ask)
	require.Eventually(t, func() bool { return len(e.left()) >= lead }, time.Minute, time.Millisecond)
	c.handle(request{Do: "played", Generation: 1, Frames: 2500})
	before := outputsOf(t, s, s.reel, 0, 20000)
	quiet := s.reel.Clone()
	change, _, err := reel.SetTrack{Track: track, GainDB: new(-6.0)}.Plan(quiet, nil)
	require.NoError(t, err)
	require.NoError(t, quiet.Apply(change))
	after := outputsOf(t, s, quiet, 0, 20000)
	plain := e.left()
	ask.Do, ask.Trial = "change", sent(t, "setTrack", reel.SetTrack{Track: track, GainDB: new(-6.0)})
	c.handle(ask)
	require.Eventually(t, func() bool { x := e.left(); return len(x) >= lead && !slices.Equal(x, plain) }, time.Minute, time.Millisecond)
	c.handle(request{Do: "played", Generation: 1, Frames: lead})
	c.stop()
	require.GreaterOrEqual(t, e.tapes(t, 1)[0].Frames, int64(lead-block)) // the last may have been on its way to the deck
	_, got := b.read(t, "Crossing_DX.wav")
	for i, x := range got[0] {
		w := math.Max(0, math.Min(1, float64(i-2048)/goesOver))
		require.InDelta(t, (1-w)*before[0][i]+w*after[0][i], x, bit, "sample %d", i)
	}
}

// A loop is recorded once: its clock does not run on. What else can't be recorded says why, and playing goes on.
func TestWhatEndsARecording(t *testing.T) {
	_, c, e, b := deckOf(t)
	c.handle(request{Do: "play", Generation: 1, Reel: "reel", Tap: engine.Tap{Kind: "stems"}, Loop: &reel.Span{From: 0, To: 12000}, Record: true})
	for played := int64(0); played < 30000; played += 1024 {
		c.handle(request{Do: "played", Generation: 1, Frames: played})
		time.Sleep(time.Millisecond)
	}
	end := e.tapes(t, 1)[0]
	assert.EqualValues(t, 12000, end.Frames)
	c.stop()
	c.server.conns.Wait()
	assert.Len(t, e.tapes(t, 1), 1, "and is not begun again")
	assert.Len(t, b.kept, 1)

	_, c, e, b = deckOf(t)
	b.full = 150000 // two headers and some blocks
	c.handle(request{Do: "play", Generation: 1, Reel: "reel", Until: 20000, Tap: engine.Tap{Kind: "stems"}, Record: true})
	for played := int64(0); played < 30000; played += 1024 {
		c.handle(request{Do: "played", Generation: 1, Frames: played})
		time.Sleep(time.Millisecond)
	}
	end = e.tapes(t, 1)[0]
	assert.Equal(t, "The disk is full", end.Trouble)
	assert.Equal(t, "receipt", end.Receipt, "what there is of it is kept")
	for _, name := range []string{"Crossing_DX.wav", "Crossing_MONO.wav"} {
		f, _ := b.read(t, name)
		assert.Equal(t, end.Frames, f.Frames, "all files of it have the same length")
	}
	c.stop()

	s := newShelf(t)
	c, e, _ = listening(t, s)
	c.server.Tape = func(string) Tape { return b }
	c.handle(request{Do: "play", Generation: 1, Reel: "reel", Until: 4000, Tap: engine.Tap{Kind: "stems"}, Record: true})
	assert.Equal(t, "There are no outputs to record", e.tapes(t, 1)[0].Trouble)

	// At half the pace, and of what is no reel, nothing is recorded.
	for i, r := range []request{{Do: "play", Reel: "reel", Speed: 0.5}, {Do: "take", Take: "take", Channels: []int{0}}} {
		r.Generation, r.Until, r.Tap, r.Record = uint32(i+2), 4000, engine.Tap{Kind: "stems"}, true
		c.handle(r)
		for played := int64(0); played < 10000; played += 1024 {
			c.handle(request{Do: "played", Generation: r.Generation, Frames: played})
		}
		require.Eventually(t, func() bool {
			e.mu.Lock()
			defer e.mu.Unlock()
			last := e.replies[len(e.replies)-1]
			return last.Generation == r.Generation && last.Ended
		}, time.Minute, time.Millisecond)
	}
	c.stop()
	c.server.conns.Wait()
	assert.Len(t, e.tapes(t, 1), 1)
}

// Tones that are sent to outputs are recorded like the reel.
func TestTonesAreRecorded(t *testing.T) {
	_, c, e, b := deckOf(t)
	standStill(c)
	c.handle(request{Do: "play", Generation: 1, Reel: "reel", From: 100, Tap: engine.Tap{Kind: "stems"}, Signal: &signal{}, Record: true})
	require.Eventually(t, func() bool { return len(e.left()) >= lead }, time.Minute, time.Millisecond)
	c.handle(request{Do: "played", Generation: 1, Frames: 12000})
	c.stop()
	assert.EqualValues(t, 11264, e.tapes(t, 1)[0].Frames)
	_, got := b.read(t, "Crossing_DX.wav")
	peak := func(x []float64) (p float64) {
		for _, v := range x {
			p = math.Max(p, math.Abs(v))
		}
		return p
	}
	assert.Greater(t, peak(got[0]), 0.05, "the left has its turn")
	assert.Zero(t, peak(got[1]))
}
