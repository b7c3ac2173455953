package listen

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"zestyloom/core/reel"
	"zestyloom/core/timecode"
	"zestyloom/core/weave"
)

// Peaks are of what came since they were told; loudness goes on when the reel is another, for rows that are as they were.
func TestPeaksAreOfWhatCameSince(t *testing.T) {
	r := reel.New("Crossing", 48000, timecode.Rate{Num: 25, Den: 1}, 0, reel.DefaultStems())
	var w watch
	rows := []watched{{reel.StemRow, "DX"}, {reel.StemRow, "MX"}}
	w.look(r, rows)
	block := func(x float64) func(weave.NodeID) [][]float64 {
		ch := make([]float64, 4800)
		for i := range ch {
			ch[i] = x * float64(i%2*2-1)
		}
		return func(id weave.NodeID) [][]float64 {
			if id.ID == "DX" {
				return [][]float64{ch, ch}
			}
			return [][]float64{make([]float64, 4800), make([]float64, 4800)}
		}
	}
	told := func(x float64) []float64 {
		peaks, _ := w.write(block(x))
		assert.Nil(t, peaks)
		peaks, shorts := w.write(block(x))
		assert.Len(t, shorts, 2)
		return peaks
	}
	assert.Equal(t, []float64{-6, silent}, told(0.5))
	assert.Equal(t, []float64{-20, silent}, told(0.1))
	was := w.meters[0]
	w.look(r, rows[:1])
	assert.Same(t, was, w.meters[0])
	s := r.Stems["DX"]
	s.Labels = []string{"M"}
	r.Stems["DX"] = s
	w.look(r, rows)
	assert.NotSame(t, was, w.meters[0], "its channels are others")
}
