package listen

import (
	"bytes"
	"context"
	"encoding/binary"
	"math"
	"sync"
	"testing"
	"time"

	"github.com/coder/websocket"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/engine"
	"zestyloom/core/fault"
	"zestyloom/core/layout"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
)

// room hears as many loudspeakers as there are.
type room struct {
	mu    sync.Mutex
	width int
	sound [][]float32 // by loudspeaker
	ended bool
}

func (r *room) Write(_ context.Context, kind websocket.MessageType, message []byte) error {
	r.mu.Lock()
	defer r.mu.Unlock()
	if kind != websocket.MessageBinary {
		r.ended = r.ended || bytes.Contains(message, []byte(`"ended":true`))
		return nil
	}
	body := message[headBytes:]
	for at := 0; at+4*r.width <= len(body); at += 4 * r.width {
		for c := range r.width {
			r.sound[c] = append(r.sound[c], math.Float32frombits(binary.LittleEndian.Uint32(body[at+4*c:])))
		}
	}
	return nil
}

func heardIn(t *testing.T, s shelf, r request) [][]float32 {
	c, _, _ := listening(t, s)
	hears := &room{width: len(r.Speakers), sound: make([][]float32, len(r.Speakers))}
	c.conn = hears
	c.handle(r)
	require.Eventually(t, func() bool {
		hears.mu.Lock()
		defer hears.mu.Unlock()
		return hears.ended
	}, time.Minute, time.Millisecond)
	c.stop()
	return hears.sound
}

// Each channel of what is listened to goes to the loudspeaker of its label, wherever that is; what has none is folded to those there are; what is a
// pair is heard left and right; and an empty place is silent.
func TestLoudspeakersHaveWhatTheyAreFor(t *testing.T) {
	s := newShelf(t)
	do := func(c reel.Command) {
		change, _, err := c.Plan(s.reel, nil)
		require.NoError(t, err)
		require.NoError(t, s.reel.Apply(change))
	}
	five := []string{"L", "R", "C", "LFE", "Ls", "Rs"}
	do(reel.SetStem{Stem: "DX", Labels: &five, Yes: true})
	placed, front, pan := true, -0.4, 0.5
	do(reel.SetTrack{Track: s.reel.TrackList()[0].ID, Placed: &placed, Front: &front, Pan: &pan})
	do(reel.SetGroup{Name: "Full", Layout: "5.1", Feed: &reel.Feeder{Row: reel.StemRow, From: "DX"}})
	full := s.reel.GroupList()[0]
	const n = 9000
	want := outputsOf(t, s, s.reel, 0, n)
	ask := request{Do: "play", Generation: 1, Reel: "reel", Until: n, Tap: engine.Tap{Kind: "group", ID: full.ID}}
	same := func(want []float64, got []float32, what string) {
		require.Len(t, got, n, what)
		for i := range want {
			require.InDelta(t, want[i], got[i], 1e-6, "%s, sample %d", what, i)
		}
	}
	ask.Speakers = []string{"C", "Rs", "", "R", "L", "Ls", "LFE"}
	got := heardIn(t, s, ask)
	for i, label := range ask.Speakers {
		if label == "" {
			same(make([]float64, n), got[i], "an empty place")
			continue
		}
		for c, of := range full.Labels {
			if of == label {
				same(want[c], got[i], label)
			}
		}
	}
	// Folded to what there is.
	ask.Speakers = []string{"L", "R", "C"}
	got = heardIn(t, s, ask)
	m, _, _ := mix.Carry(layout.Read(full.Labels), layout.Read(ask.Speakers), mix.Usual())
	fold := [][]float64{make([]float64, n), make([]float64, n), make([]float64, n)}
	m.Add(fold, want)
	for i := range fold {
		same(fold[i], got[i], ask.Speakers[i])
	}
	// A check is of a pair.
	ask.Speakers, ask.Tap.Check = []string{"C", "L", "R"}, engine.InMono
	got = heardIn(t, s, ask)
	assert.Equal(t, got[1], got[2])
	for _, x := range got[0] {
		require.Zero(t, x)
	}
	// A tone that an output has is heard where that is.
	var surround string
	for _, o := range s.reel.OutputList() {
		if o.Label == "Rs" {
			surround = o.ID
		}
	}
	ask = request{Do: "play", Generation: 1, Reel: "reel", Until: n, Speakers: []string{"L", "R", "Rs"}, Signal: &signal{Outputs: []string{surround}}}
	got = heardIn(t, s, ask)
	for i := range got[0] {
		require.Zero(t, got[0][i])
		require.Zero(t, got[1][i])
	}
	assert.NotZero(t, got[2][5000])
	ask.Speakers = []string{"L", "R", "C"}
	got = heardIn(t, s, ask)
	assert.NotZero(t, got[1][5000], "there is none: it is heard as a pair")
}

func TestLoudspeakersThatCantBe(t *testing.T) {
	for _, labels := range [][]string{{"L"}, {"L", "L"}, {"L", "Kitchen"}, make([]string, 33)} {
		assert.Equal(t, fault.BadInput, fault.KindOf(checkSpeakers(labels)), "%v", labels)
	}
	for _, labels := range [][]string{nil, {"L", "R"}, {"", "", "L"}, {"R", "L", "LFE"}} {
		assert.NoError(t, checkSpeakers(labels))
	}
}
