package wave

import "encoding/binary"

// openRIFX reads WAVE files whose numbers have their highest byte first. Samples are given as RIFF has them; of other chunks the
// descriptions are read, the rest is left alone.
func openRIFX(f *File, head []byte) error {
	f.Container = RIFX
	s := scanner{File: f, riffSize: int64(binary.BigEndian.Uint32(head[4:])), order: binary.BigEndian}
	if err := s.scan(); err != nil {
		return err
	}
	s.warn("rifx", 0, "The numbers of this file have their highest byte first (RIFX); its sound, names and time stamp were read, other chunks were left alone")
	if f.Bytes > 1 {
		f.r = &bigEndian{r: f.r, format: f.Format, at: f.DataOffset}
		f.DataOffset = 0
	}
	f.Other, f.Cues, f.Audio = nil, nil, nil
	return nil
}

// Where the numbers of chunks stand that are read of RIFX: offset and bytes.
var (
	formatNumbers = [][2]int{{0, 2}, {2, 2}, {4, 4}, {8, 4}, {12, 2}, {14, 2}, {16, 2}, {18, 2}, {20, 4}, {24, 4}, {28, 2}, {30, 2}}
	bextNumbers   = [][2]int{{338, 4}, {342, 4}, {346, 2}, {412, 2}, {414, 2}, {416, 2}, {418, 2}, {420, 2}} // EBU Tech 3285
)

// turned gives a chunk of RIFX as RIFF has it; nil where it is none that is read.
func turned(id string, b []byte) []byte {
	numbers := formatNumbers
	switch id {
	case "fmt ":
	case "bext":
		numbers = bextNumbers
	case "iXML":
		return b
	default:
		return nil
	}
	for _, n := range numbers {
		if n[0]+n[1] > len(b) {
			break
		}
		for l, r := n[0], n[0]+n[1]-1; l < r; l, r = l+1, r-1 {
			b[l], b[r] = b[r], b[l]
		}
	}
	return b
}
