package listen

import (
	"encoding/binary"
	"math"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/chain"
	"zestyloom/core/wave/wavetest"
)

// left gives the left channel of what has been heard.
func (e *ear) left() (x []float64) {
	e.mu.Lock()
	defer e.mu.Unlock()
	for at := 0; at+8 <= len(e.sound); at += 8 {
		x = append(x, float64(math.Float32frombits(binary.LittleEndian.Uint32(e.sound[at:]))))
	}
	return x
}

// A take sounds as it is treated; what is tried on it is heard before it is kept: with it, without it as loud, and what it takes away.
func TestTreatmentsAreHeard(t *testing.T) {
	s := newShelf(t)
	steps := []chain.Step{{ID: "1", Kind: chain.HighPass, Values: map[string]float64{"frequency": 400}}}
	recorded := wavetest.Samples(t, s.file)[0][:9000]
	row, err := chain.MakeFor(steps, 48000, 1)
	require.NoError(t, err)
	made := append([]float64{}, recorded...)
	row.Process([][]float64{made}, 0)
	require.Zero(t, row.Latency())
	listen := func(tried *treat) []float64 {
		c, e, _ := listening(t, s)
		defer c.stop()
		c.handle(request{Do: "take", Generation: 1, Take: "take", Channels: []int{0}, Until: 9000, Treat: tried})
		require.Eventually(t, func() bool { return len(e.left()) >= 9000 }, time.Minute, time.Millisecond)
		return e.left()[:9000]
	}
	near := func(got []float64, why string, want func(i int) float64) {
		for i := range got {
			require.InDelta(t, want(i), got[i], 1e-6, "%s, frame %d", why, i)
		}
	}
	near(listen(nil), "as recorded", func(i int) float64 { return recorded[i] })
	tried := func(how hear, dB float64) *treat {
		return &treat{Channels: []int{0}, Steps: steps, Hear: how, GainDB: dB}
	}
	near(listen(tried("", 0)), "tried", func(i int) float64 { return made[i] })
	near(listen(tried("removed", 0)), "removed", func(i int) float64 { return recorded[i] - made[i] })
	s.take.Treatments = []chain.Treatment{{Channels: []int{0}, Steps: steps}}
	near(listen(nil), "kept", func(i int) float64 { return made[i] })
	near(listen(tried("plain", -6)), "without", func(i int) float64 { return recorded[i] * math.Pow(10, -6.0/20) })
	for _, wrong := range []*treat{tried("loud", 0), tried("plain", 90), {Channels: []int{5}, Steps: steps}, {Channels: []int{0}, Steps: []chain.Step{{}}}} {
		c, e, _ := listening(t, s)
		c.handle(request{Do: "take", Generation: 1, Take: "take", Channels: []int{0}, Treat: wrong})
		require.Eventually(t, func() bool {
			e.mu.Lock()
			defer e.mu.Unlock()
			return len(e.replies) > 0 && e.replies[0].Error != ""
		}, time.Minute, time.Millisecond)
		assert.Empty(t, e.left())
		c.stop()
	}
}
