package listen

// stretched is how many frames are rendered at a time to be given backwards.
const stretched = lead

// stretch is what sounds from a place on, of each loudspeaker.
type stretch struct {
	from int64
	ears [][]float64
}

// holds tells whether so many frames before a place are in it.
func (s stretch) holds(at int64, n int) bool {
	return len(s.ears) > 0 && at-int64(n) >= s.from && at <= s.from+int64(len(s.ears[0]))
}

// backwards tells whether it is played from its place to what lies before it. A signal knows no way but on.
func (p *player) backwards() bool { return p.what.Speed == -1 && p.what.Signal == nil }

// least is where playing backwards ends.
func (p *player) least() int64 { return max(0, p.what.Until) }

// on is how far playing moves with so many samples.
func (p *player) on(samples int64) int64 {
	if p.backwards() {
		return -samples
	}
	return samples
}

// pullBack gives the n frames before a place to the ears, the last one first. What remembers only runs on, so a stretch is rendered forwards
// and then given out, none of it before least.
func (d *desk) pullBack(at int64, n int, least int64) error {
	if !d.before.holds(at, n) {
		if err := d.stretch(max(least, at-stretched), at); err != nil {
			return err
		}
	}
	last := int(at-d.before.from) - 1
	for c, x := range d.before.ears {
		for i := range n {
			d.ears[c][i] = x[last-i]
		}
	}
	return nil
}

// stretch renders what sounds between two places.
func (d *desk) stretch(from, to int64) error {
	d.before = stretch{from: from, ears: make([][]float64, len(d.ears))}
	for at := from; at < to; at += block {
		n := int(min(block, to-at))
		if err := d.pull(at, n); err != nil {
			return err
		}
		for c, x := range d.ears {
			d.before.ears[c] = append(d.before.ears[c], x[:n]...)
		}
	}
	return nil
}
