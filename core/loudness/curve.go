package loudness

// points is the most that a curve has; a longer programme has longer ones.
const points = 1200

// Curve is how a value ran over time: the largest in each of many stretches of the same length. A stretch in which there is none
// is nil.
type Curve struct {
	Seconds float64    `json:"seconds"` // of a stretch
	Values  []*float64 `json:"values"`
}

// Run follows a value without keeping all of it: its memory does not grow with time.
type Run struct {
	values []float64
	step   int64 // values to a point
	n      int64 // in the last point
}

// Add takes the next value, of which there are as many to every second.
func (r *Run) Add(x float64) {
	if r.step == 0 {
		r.step = 1
	}
	if r.n == 0 {
		if len(r.values) == points { // every two become one
			for i := range points / 2 {
				r.values[i] = max(r.values[2*i], r.values[2*i+1])
			}
			r.values, r.step = r.values[:points/2], r.step*2
		}
		r.values = append(r.values, x)
	}
	last := len(r.values) - 1
	r.values[last] = max(r.values[last], x)
	if r.n++; r.n == r.step {
		r.n = 0
	}
}

// Curve gives what was followed, each value as it is told; seconds is how far apart they came.
func (r *Run) Curve(seconds float64, tell func(float64) *float64) *Curve {
	c := &Curve{Seconds: seconds * float64(max(1, r.step)), Values: []*float64{}}
	for _, x := range r.values {
		c.Values = append(c.Values, tell(x))
	}
	return c
}

// ShortTerm gives how the short-term loudness of a programme ran, in LUFS.
func (b *Bank) ShortTerm(programme int) *Curve {
	return b.programmes[programme].run.Curve(float64(b.hop*blockHops)/float64(b.rate), func(power float64) *float64 {
		if power <= 0 {
			return nil
		}
		return finite(lufs(power))
	})
}

// LoudestAt gives where the windows begin in which a programme was loudest, momentarily and short-term, in samples from the beginning
// of what was measured.
func (b *Bank) LoudestAt(programme int) (momentary, short int64) {
	p := b.programmes[programme]
	hop := int64(b.hop)
	return max(0, p.momentaryAt-momentaryHops) * hop, max(0, p.shortAt-shortHops) * hop
}

// Level turns a sample's size into dBFS; nil for none.
func Level(x float64) *float64 { return decibels(x) }
