package dsp

// frames cuts a signal into frames that overlap, which begin at multiples of a hop on the clock, and adds up what is made of them: what comes
// out is a function of the place alone, but for what the work on them remembers.
type frames struct {
	size, hop int
	// work makes of a frame, channels × size, beginning at a place, in place, what is added to all that comes out there.
	work func(frame [][]float64, at int64)
	past [][]float64 // the last size samples that came in
	sums [][]float64 // what has been added from the place that leaves next on
	room [][]float64
	out  int // frames that have left since the last hop
}

func newFrames(size, hop int, work func(frame [][]float64, at int64)) *frames {
	return &frames{size: size, hop: hop, work: work}
}

// begin makes room, when something comes: who only asks how late it is needs none.
func (f *frames) begin(channels int) {
	for range channels {
		f.past = append(f.past, make([]float64, f.size))
		f.sums = append(f.sums, make([]float64, 2*f.size))
		f.room = append(f.room, make([]float64, f.size))
	}
}

// Process takes channels × frames in and puts what is so much earlier in their place.
func (f *frames) Process(channels [][]float64, at int64) {
	if f.past == nil {
		f.begin(len(channels))
	}
	n := len(channels[0])
	for i := 0; i < n; {
		into := int(((at+int64(i))%int64(f.hop) + int64(f.hop)) % int64(f.hop))
		count := min(n-i, f.hop-into)
		for c, x := range channels {
			copy(f.past[c], f.past[c][count:])
			copy(f.past[c][f.size-count:], x[i:i+count])
		}
		for c, x := range channels { // what leaves now is whole: the last frame that holds it was worked on at the last hop
			copy(x[i:i+count], f.sums[c][f.out:f.out+count])
		}
		if f.out, i = f.out+count, i+count; into+count == f.hop {
			f.take(at + int64(i))
		}
	}
}

// take works on the frame that ends at a place.
func (f *frames) take(end int64) {
	for c := range f.past {
		copy(f.room[c], f.past[c])
		copy(f.sums[c], f.sums[c][f.out:])
		clear(f.sums[c][len(f.sums[c])-f.out:])
	}
	f.out = 0
	f.work(f.room, end-int64(f.size))
	for c := range f.room {
		sums := f.sums[c]
		for i, v := range f.room[c] {
			sums[i] += v
		}
	}
}

// Latency is a frame.
func (f *frames) Latency() int { return f.size }

// Reset forgets the past.
func (f *frames) Reset() {
	for c := range f.past {
		clear(f.past[c])
		clear(f.sums[c])
	}
	f.out = 0
}
