package chain

import (
	"context"
	"io"
	"slices"

	"zestyloom/core/dsp"
	"zestyloom/core/fault"
	"zestyloom/core/wave"
)

// mostLearnt is how much of a file is read at once to learn from, in seconds.
const mostLearnt = 60

// blockFrames is how many frames of a file are worked on at a time.
const blockFrames = 1 << 13

// Apply writes a file through a chain, channel by channel or, where sets says so, those of a set together (channels from 0): the same channels, depth,
// names, time stamp and chunks, and every sample in its place. What a step is to learn is learnt from the stretch of this file that it names. Integer
// samples are dithered where anything is done to them. clipped counts the samples that would have gone over full scale.
//
// The clock of a file is its frames, from 0.
func Apply(ctx context.Context, src *wave.File, steps []Step, sets [][]int, w io.Writer, progress func(float64)) (clipped int64, err error) {
	sets, err = whole(sets, src.Channels)
	if err != nil {
		return 0, err
	}
	rows := make([]*Row, len(sets))
	for k, set := range sets {
		if slices.ContainsFunc(steps, func(s Step) bool { return !s.Off && s.Key != nil }) {
			return 0, fault.New(fault.BadInput, "A chain that is driven by a row of a reel can't work on a file")
		}
		learnt, err := learn(src, steps, set)
		if err != nil {
			return 0, err
		}
		if rows[k], err = MakeFor(learnt, float64(src.SampleRate), len(set)); err != nil {
			return 0, err
		}
	}
	out, err := wave.NewWriter(w, src.Altered())
	if err != nil {
		return 0, err
	}
	limited := make([]int64, src.Channels)
	all := through{src: src, sets: sets, rows: rows, block: make([][]float64, src.Channels)}
	for at := int64(0); at < src.Frames; {
		if err := ctx.Err(); err != nil {
			return 0, fault.Wrap(fault.Cancelled, err, "The work was stopped")
		}
		n := int(min(blockFrames, src.Frames-at))
		if err := all.next(at, n); err != nil {
			return 0, err
		}
		if err := out.WriteFrames(all.block, limited); err != nil {
			return 0, err
		}
		if at += int64(n); progress != nil {
			progress(float64(at) / float64(src.Frames))
		}
	}
	for _, n := range limited {
		clipped += n
	}
	return clipped, out.Close()
}

// whole completes sets of channels with those that are in none, each by itself.
func whole(sets [][]int, channels int) ([][]int, error) {
	in := make([]bool, channels)
	list := slices.Clone(sets)
	for _, set := range sets {
		for _, c := range set {
			if c < 0 || c >= channels || in[c] {
				return nil, fault.New(fault.BadInput, "There is no channel %d, or it is in two sets", c+1)
			}
			in[c] = true
		}
	}
	for c, there := range in {
		if !there {
			list = append(list, []int{c})
		}
	}
	return list, nil
}

// through has a file run through rows, one for each set of channels.
type through struct {
	src   *wave.File
	sets  [][]int
	rows  []*Row
	block [][]float64   // channels × frames of what comes out
	read  []int64       // of each set: how far it has been read
	room  [][][]float64 // of each set: channels × frames, which go round
	raw   []byte        // what was read last: as it stands in the file, from a frame on
	from  int64
	have  int // frames of it
}

// next gives n frames from at on, which follow those before, in block.
func (t *through) next(at int64, n int) error {
	if t.read == nil {
		t.read, t.room = make([]int64, len(t.sets)), make([][][]float64, len(t.sets))
	}
	for k := 0; k < len(t.sets); k += 2 { // two at a time, as filters of two are done at once
		pair := t.sets[k:min(k+2, len(t.sets))]
		for j, set := range pair {
			ahead := int64(t.rows[k+j].Latency())
			for t.read[k+j] < at+ahead { // what comes out of this lay before the file
				count := int(min(blockFrames, at+ahead-t.read[k+j]))
				if err := t.fill(k+j, set, count); err != nil {
					return err
				}
				t.rows[k+j].Process(t.room[k+j], t.read[k+j]-int64(count))
			}
			if err := t.fill(k+j, set, n); err != nil {
				return err
			}
		}
		if len(pair) == 2 {
			Together(t.rows[k], t.rows[k+1], t.room[k], t.room[k+1], t.read[k]-int64(n), t.read[k+1]-int64(n))
		} else {
			t.rows[k].Process(t.room[k], t.read[k]-int64(n))
		}
		for j, set := range pair {
			t.give(k+j, set, at)
		}
	}
	return nil
}

// give puts what has come out of a set into the block.
func (t *through) give(k int, set []int, at int64) {
	for i, c := range set {
		if t.block[c] = t.room[k][i]; t.src.Encoding == wave.PCM && !t.rows[k].Idle() {
			dsp.AddDither(t.room[k][i], 8*t.src.Bytes, c, at)
		}
	}
}

// fill reads the next count frames of a set.
func (t *through) fill(k int, set []int, count int) (err error) {
	if t.room[k], err = t.samples(t.room[k], set, t.read[k], count); err == nil {
		t.read[k] += int64(count)
	}
	return err
}

// samples reads channels from a frame on, into room where there is some; behind the file there is silence.
func (t *through) samples(room [][]float64, set []int, from int64, n int) ([][]float64, error) {
	if t.have != n || t.from != from { // the channels of a file are mostly asked for one after another
		t.raw, t.have = slices.Grow(t.raw[:0], n*t.src.FrameBytes())[:n*t.src.FrameBytes()], 0
		if err := t.src.ReadOver(t.raw, from, n); err != nil {
			return nil, err
		}
		t.from, t.have = from, n
	}
	if room == nil {
		room = make([][]float64, len(set))
	}
	for i, c := range set {
		room[i] = slices.Grow(room[i][:0], n)[:n]
		t.src.Decode(room[i], t.raw, c)
	}
	return room, nil
}

// learn has the steps learn what they are to, from channels of a file.
func learn(src *wave.File, steps []Step, set []int) ([]Step, error) {
	learnt := slices.Clone(steps)
	for n, s := range learnt {
		if s.Learnt == nil || len(s.Profile) > 0 || s.Off {
			continue
		}
		rate := float64(src.SampleRate)
		stretch, err := mono(src, set, int64(s.Learnt.From*rate), int64(s.Learnt.To*rate))
		if err != nil {
			return nil, err
		}
		switch s.Kind {
		case Noise:
			learnt[n].Profile = LearnNoise(rate, stretch)
		case Match:
			all, err := mono(src, set, 0, int64(mostLearnt*rate))
			if err != nil {
				return nil, err
			}
			learnt[n].Profile = dsp.MatchTo(dsp.Spectrum(rate, all), dsp.Spectrum(rate, stretch), 24)
		}
	}
	return learnt, nil
}

// mono gives a stretch of channels, one after another, at most mostLearnt seconds of it.
func mono(src *wave.File, set []int, from, to int64) (x []float64, err error) {
	to = min(to, src.Frames, from+int64(mostLearnt*src.SampleRate))
	if from < 0 || to-from < int64(src.SampleRate)/10 {
		return nil, fault.New(fault.BadInput, "To learn from, a tenth of a second within the file is needed")
	}
	channels, err := (&through{src: src}).samples(nil, set, from, int(to-from))
	if err != nil {
		return nil, err
	}
	return slices.Concat(channels...), nil
}
