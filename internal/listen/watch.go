package listen

import (
	"math"

	"zestyloom/core/fault"
	"zestyloom/core/layout"
	"zestyloom/core/loudness"
	"zestyloom/core/reel"
	"zestyloom/core/vec"
	"zestyloom/core/weave"
)

// watched is a row of the reel whose level is looked at while it plays.
type watched struct {
	Row reel.Row `json:"row"`
	ID  string   `json:"id"`
}

// maxWatched bounds how many rows are looked at by one who listens.
const maxWatched = 400

func checkWatched(rows []watched) error {
	if len(rows) > maxWatched {
		return fault.New(fault.BadInput, "At most %d rows are looked at", maxWatched)
	}
	return nil
}

// watchEvery is over how many blocks the peaks of rows are taken that are told.
const watchEvery = 2

// watch measures rows: the peak of each, and its short-term loudness. What is replaced before it has sounded has counted then, which a reading
// forgets after 3 s.
type watch struct {
	rate   int
	rows   []watched
	meters []*loudness.Short // nil for what is not on the reel
	peaks  []float64         // since they were told
	blocks int
}

// look goes over to other rows or another state of the reel; meters of rows that stay go on.
func (w *watch) look(r *reel.Reel, rows []watched) {
	known := map[watched]*loudness.Short{}
	for i, row := range w.rows {
		known[row] = w.meters[i]
	}
	same := w.rate == r.Head.SampleRate
	w.rate, w.rows, w.meters, w.peaks = r.Head.SampleRate, rows, make([]*loudness.Short, len(rows)), make([]float64, len(rows))
	for i, row := range rows {
		labels := r.RowLabels(row.Row, row.ID)
		if labels == nil {
			continue
		}
		if m := known[row]; m != nil && same && m.Channels() == len(labels) {
			w.meters[i] = m
			continue
		}
		w.meters[i] = loudness.NewShort(w.rate, layout.Layout{Labels: labels})
	}
}

// write takes a block of what arrives at rows, and gives what is to be told of it: peaks in dBFS and short-term loudness in LUFS, both −200 in
// silence; nil while there is nothing to tell.
func (w *watch) write(at func(weave.NodeID) [][]float64) (peaks, shorts []float64) {
	if len(w.rows) == 0 {
		return nil, nil
	}
	for i, row := range w.rows {
		channels := at(weave.NodeID{Row: row.Row, ID: row.ID})
		if channels == nil || w.meters[i] == nil || w.meters[i].Channels() != len(channels) {
			continue
		}
		for _, x := range channels {
			w.peaks[i] = max(w.peaks[i], vec.Largest(x))
		}
		w.meters[i].Write(channels)
	}
	if w.blocks++; w.blocks%watchEvery != 0 {
		return nil, nil
	}
	for i := range w.rows {
		peaks = append(peaks, told(20*math.Log10(w.peaks[i])))
		short := 0.0
		if w.meters[i] != nil {
			short = w.meters[i].Power()
		}
		shorts = append(shorts, told(loudness.LUFS(short)))
	}
	clear(w.peaks)
	return peaks, shorts
}

// told rounds a level to a tenth; silence is what stands for it.
func told(dB float64) float64 { return math.Round(max(silent, dB)*10) / 10 }
