package chain

import (
	"math/rand/v2"
	"testing"
)

// usual is what a microphone of dialogue goes through: a high-pass, four bands and a compressor.
func usual() []Step {
	return []Step{{ID: "1", Kind: HighPass, Values: map[string]float64{"frequency": 80}}, {ID: "2", Kind: Bell, Values: map[string]float64{"frequency": 320, "gain": -4}},
		{ID: "3", Kind: Bell, Values: map[string]float64{"frequency": 900, "gain": 2}}, {ID: "4", Kind: Bell, Values: map[string]float64{"frequency": 2500, "gain": 3}},
		{ID: "5", Kind: HighShelf, Values: map[string]float64{"frequency": 6000, "gain": 3}},
		{ID: "6", Kind: Compressor, Values: map[string]float64{"threshold": -24, "ratio": 4, "attack": 10, "release": 120}}}
}

// A chain of one channel; how many times as fast as it plays is reported.
func BenchmarkChain(b *testing.B) {
	all := usual()
	for name, steps := range map[string][]Step{"filters": all[:5], "compressor": all[5:], "all": all} {
		b.Run(name, func(b *testing.B) {
			row, err := MakeFor(steps, 48000, 1)
			if err != nil {
				b.Fatal(err)
			}
			sound, x := make([]float64, 4096), [][]float64{make([]float64, 4096)}
			for i := range sound {
				sound[i] = rand.Float64() - 0.5
			}
			at := int64(0)
			for b.Loop() {
				copy(x[0], sound)
				row.Process(x, at)
				at += 4096
			}
			b.ReportMetric(4096/48000.0/b.Elapsed().Seconds()*float64(b.N), "×realtime")
		})
	}
}
