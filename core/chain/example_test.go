package chain_test

import (
	"fmt"
	"math"

	"zestyloom/core/chain"
)

// A voice is filtered and held down, block by block. What comes out is late by what the row says.
func ExampleMake() {
	steps, err := chain.Read([]byte(`
chain:
  - {kind: high-pass, frequency: 80, slope: 24}
  - {kind: compressor, threshold: -24, ratio: 4, ahead: 5}
`))
	if err != nil {
		fmt.Println(err)
		return
	}
	row, err := chain.Make(steps, chain.Asked{Rate: 48000, Channels: 1})
	if err != nil {
		fmt.Println(err)
		return
	}
	block := make([]float64, 48000) // a second of 1 kHz at −4 dBFS
	for i := range block {
		block[i] = math.Pow(10, -4.0/20) * math.Sin(2*math.Pi*1000*float64(i)/48000)
	}
	row.Process([][]float64{block}, 0)
	peak := 0.0
	for _, v := range block[24000:] {
		peak = max(peak, math.Abs(v))
	}
	fmt.Printf("%d samples later, at %.1f dBFS\n", row.Latency(), 20*math.Log10(peak))
	// Output: 248 samples later, at -19.0 dBFS
}
