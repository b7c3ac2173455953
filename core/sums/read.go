package sums

import (
	"encoding/json"
	"math"

	"zestyloom/core/fault"
)

// Paper is the name of the file beside a delivery that holds its sums, so that whoever receives it can prove them.
const Paper = "sums.json"

// Told is what the paper holds.
type Told struct {
	Version int   `json:"version"`
	Sums    []Sum `json:"sums"`
}

// What a paper may hold at most.
const (
	mostSums     = 5000
	mostParts    = 5000
	mostChannels = 128
)

// Write gives the paper of sums.
func Write(list []Sum) ([]byte, error) { return json.MarshalIndent(Told{1, list}, "", " ") }

// Read reads a paper, which anybody may have written. Its errors are Damaged.
func Read(text []byte) ([]Sum, error) {
	var t Told
	if err := json.Unmarshal(text, &t); err != nil {
		return nil, fault.Wrap(fault.Damaged, err, "%s can't be read", Paper)
	}
	bad := func() ([]Sum, error) {
		return nil, fault.New(fault.Damaged, "%s says something that can't be", Paper)
	}
	if t.Version != 1 || len(t.Sums) > mostSums {
		return bad()
	}
	known := map[string]bool{}
	for _, s := range t.Sums {
		if s.Whole == "" || len(s.Parts) == 0 || len(s.Parts) > mostParts || known[s.key()] {
			return bad()
		}
		known[s.key()] = true
		rows, in := len(s.Parts[0].Gains), map[string]bool{s.Whole: true}
		for _, p := range s.Parts {
			if p.ID == "" || in[p.ID] || !matrix(p.Gains, rows) || p.Turned != nil && !matrix(p.Turned, rows) ||
				p.Turned != nil && len(p.Turned[0]) != len(p.Gains[0]) {
				return bad()
			}
			in[p.ID] = true
		}
	}
	return t.Sums, nil
}

// matrix tells whether rows are of one length, and hold gains that can be.
func matrix(m [][]float64, rows int) bool {
	if len(m) != rows || rows == 0 || rows > mostChannels || len(m[0]) == 0 || len(m[0]) > mostChannels {
		return false
	}
	for _, row := range m {
		if len(row) != len(m[0]) {
			return false
		}
		for _, g := range row {
			if math.Abs(g) > 1e3 || math.IsNaN(g) {
				return false
			}
		}
	}
	return true
}
