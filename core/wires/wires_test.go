package wires

import (
	"fmt"
	"math"
	"math/rand"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/layout"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
	"zestyloom/core/weave"
)

// four are signals of their own that sound a little alike, as the sides of a pair do: two pairs.
func four(n int) [][]float64 {
	rnd := rand.New(rand.NewSource(3))
	out := make([][]float64, 4)
	for c := range out {
		out[c] = make([]float64, n)
	}
	for i := range n {
		for pair := range 2 {
			middle, side := rnd.NormFloat64()*0.1, rnd.NormFloat64()*0.04
			out[2*pair][i], out[2*pair+1][i] = middle+side, middle-side
		}
	}
	return out
}

func TestEachWireIsTold(t *testing.T) {
	right := Arrival{Right, -1, 1}
	zero := make([]float64, 48000)
	noise := four(96000)[0][48000:]
	for name, c := range map[string]struct {
		arrives func(x [][]float64) [][]float64
		want    []Arrival
	}{
		"all as it belongs": {func(x [][]float64) [][]float64 { return x }, []Arrival{right, right, right, right}},
		"the sides of a pair changed over": {func(x [][]float64) [][]float64 { return [][]float64{x[1], x[0], x[2], x[3]} },
			[]Arrival{{Wrong, 1, 1}, {Wrong, 0, 1}, right, right}},
		"two pairs changed over": {func(x [][]float64) [][]float64 { return [][]float64{x[2], x[3], x[0], x[1]} },
			[]Arrival{{Wrong, 2, 1}, {Wrong, 3, 1}, {Wrong, 0, 1}, {Wrong, 1, 1}}},
		"one silent, one turned, softer": {func(x [][]float64) [][]float64 {
			y := [][]float64{make([]float64, 48000), zero, x[2], x[3]}
			for i, v := range x[0] {
				y[0][i] = -v / 10
			}
			return y
		}, []Arrival{{Turned, -1, -1}, {Silent, -1, 0}, right, right}},
		"something else": {func(x [][]float64) [][]float64 { return [][]float64{noise, x[1], x[2], x[3]} },
			[]Arrival{{Other, -1, 0}, right, right, right}},
	} {
		for _, rate := range []int{44100, 48000, 96000, 192000} {
			x := four(48000)
			w := New(rate, 4)
			for at, y := 0, c.arrives(x); at < 48000; at += 1000 {
				part := func(x [][]float64) (out [][]float64) {
					for _, ch := range x {
						out = append(out, ch[at:at+1000])
					}
					return out
				}
				w.Write(part(y), part(x))
			}
			got := w.Read()
			for i, a := range got {
				assert.Equal(t, c.want[i].Says, a.Says, "%s, output %d at %d Hz: %v", name, i, rate, a)
				assert.Equal(t, c.want[i].On, a.On, "%s, output %d", name, i)
				assert.InDelta(t, c.want[i].Alike, a.Alike, 0.05, "%s, output %d", name, i)
			}
		}
	}
	// Nothing on nothing is quiet; something where nothing belongs is not.
	w := New(48000, 2)
	w.Write([][]float64{zero, noise}, [][]float64{zero, zero})
	assert.Equal(t, []Arrival{{Quiet, -1, 0}, {Other, -1, 0}}, w.Read())
	// What was heard is forgotten: a wire that is put right is right a few seconds later.
	x := four(48000)
	w = New(48000, 4)
	w.Write([][]float64{x[2], x[3], x[0], x[1]}, x)
	assert.Equal(t, Wrong, w.Read()[0].Says)
	for range 6 {
		w.Write(x, x)
	}
	assert.Equal(t, Right, w.Read()[0].Says)
}

// What passes a chain is changed by it and is still what belongs there: a gain that moves, a clip, a little of another.
func TestWhatIsWorkedOnIsStillRight(t *testing.T) {
	x := four(48000)
	y := make([][]float64, 4)
	for c := range x {
		y[c] = make([]float64, len(x[c]))
		for i, v := range x[c] {
			y[c][i] = math.Tanh(4*v)*(0.6+0.4*math.Sin(float64(i)/3000)) + x[3-c][i]*0.2
		}
	}
	w := New(48000, 4)
	w.Write(y, x)
	for i, a := range w.Read() {
		assert.Equal(t, Right, a.Says, "output %d: %v", i, a)
	}
}

// What belongs on outputs is what their groups are there for, whatever knots say: stems by meaning, and what feeds them.
func TestWhatBelongs(t *testing.T) {
	r := reel.New("Crossing", 48000, timecode.Rate{Num: 25, Den: 1}, 0, reel.DefaultStems())
	do := func(c reel.Command) {
		change, _, err := c.Plan(r, nil)
		require.NoError(t, err)
		require.NoError(t, r.Apply(change))
	}
	do(reel.SetGroup{Name: "Music", Layout: "stereo", Feed: &reel.Feeder{Row: reel.StemRow, From: "MX"}})
	do(reel.SetGroup{Name: "Mono", Layout: "mono", Feed: &reel.Feeder{Row: reel.StemRow, From: "DX"}})
	do(reel.SetGroup{Name: "Nothing", Layout: "stereo"})
	at := func(id weave.NodeID) [][]float64 {
		switch fmt.Sprint(id.Row, " ", id.ID) {
		case "stem MX":
			return [][]float64{{1, 2, 3}, {4, 5, 6}}
		case "stem DX":
			return [][]float64{{1, 1, 1}, {3, 3, 3}}
		}
		return nil
	}
	b := On(r)
	got := b.Hear(3, at)
	require.Len(t, got, 5)
	assert.Equal(t, []float64{1, 2, 3}, got[0])
	assert.Equal(t, []float64{4, 5, 6}, got[1])
	assert.InDelta(t, got[2][0], got[2][1], 1e-12)
	assert.Positive(t, got[2][0])
	assert.Equal(t, []float64{0, 0, 0}, got[3])
	assert.Equal(t, [][]float64{{1, 2}, {4, 5}}, b.Hear(2, func(id weave.NodeID) [][]float64 { // shorter, and by the same way
		return [][]float64{{1, 2}, {4, 5}}
	})[:2])
}

// However long it has run, soft sound is still sound.
func TestItDoesNotTire(t *testing.T) {
	x := four(48000)
	for c := range x {
		for i := range x[c] {
			x[c][i] /= 100
		}
	}
	w := New(48000, 4)
	for range 40 {
		w.Write(x, x)
	}
	assert.Equal(t, Right, w.Read()[0].Says)
}

// A sound field belongs on a pair as it is decoded, with polarity turned where that says so.
func TestAFieldBelongsAsItIsDecoded(t *testing.T) {
	labels := []string{"ACN0", "ACN1", "ACN2", "ACN3"}
	r := reel.New("Deck", 48000, timecode.Rate{Num: 25, Den: 1}, 0, []reel.Stem{{ID: "AX", Name: "Deck", Labels: labels}})
	r.Groups["a"] = reel.Group{ID: "a", Name: "Deck", Layout: "stereo", Labels: []string{"L", "R"}, Stems: []string{"AX"}}
	x := [][]float64{{1}, {0.5}, {0.25}, {0.125}}
	got := On(r).Hear(1, func(weave.NodeID) [][]float64 { return x })
	m, _, _ := mix.Carry(layout.Read(labels), layout.Read([]string{"L", "R"}), mix.Usual())
	turned := false
	for side := range 2 {
		want := 0.0
		for c := range labels {
			want += m.At(side, c) * x[c][0]
			turned = turned || m.At(side, c) < 0
		}
		assert.InDelta(t, want, got[side][0], 1e-6)
	}
	assert.True(t, turned)
}
