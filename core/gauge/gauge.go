package gauge

import (
	"context"
	"runtime"
	"slices"
	"sync"

	"golang.org/x/sync/errgroup"

	"zestyloom/core/engine"
	"zestyloom/core/fault"
	"zestyloom/core/layout"
	"zestyloom/core/loudness"
	"zestyloom/core/reel"
	"zestyloom/core/weave"
)

// Gauge keeps what was measured of the rows of a reel. It is not safe for concurrent use.
type Gauge struct {
	rows map[weave.NodeID]*row
}

// row is what is kept of one.
type row struct {
	labels []string
	start  int64
	rate   int
	factor int // of oversampling for true peak
	prints []print
	begun  [][]loudness.Charge // what each piece began with
	loudness.Row
}

// Asked is what to measure with.
type Asked struct {
	Rows     []weave.NodeID
	Factor   int // how many times the rate true peak is looked for at: 4, also where it is 0, or 8
	Sound    SoundOf
	Open     engine.Opener
	Progress func(share float64) // nil where nobody asks
}

// Done is what was done to bring rows up to date.
type Done struct {
	Pieces int // that were measured, over all rows
	Kept   int // that were right as they were
}

// Measure brings rows up to date with a reel. Afterwards Row gives them.
func (g *Gauge) Measure(ctx context.Context, r *reel.Reel, a Asked) (Done, error) {
	if g.rows == nil {
		g.rows = map[weave.NodeID]*row{}
	}
	rate := r.Head.SampleRate
	s := &session{gauge: g, reel: r, asked: a, rate: rate, length: int64(loudness.PieceFrames(rate)), end: max(r.End(), r.Head.Start)}
	for _, id := range a.Rows {
		if err := s.look(id); err != nil {
			return Done{}, err
		}
	}
	err := s.run(ctx)
	return s.done, err
}

// Row gives a row as it was last measured.
func (g *Gauge) Row(id weave.NodeID) (loudness.Row, bool) {
	r, there := g.rows[id]
	if !there {
		return loudness.Row{}, false
	}
	return r.Row, true
}

// Forget lets go of all rows but those.
func (g *Gauge) Forget(but []weave.NodeID) {
	for id := range g.rows {
		if !slices.Contains(but, id) {
			delete(g.rows, id)
		}
	}
}

// Size is about how much memory is held, in bytes.
func (g *Gauge) Size() (n int64) {
	for _, r := range g.rows {
		n += r.Row.Size()
	}
	return n
}

// session brings rows up to date once.
type session struct {
	gauge  *Gauge
	reel   *reel.Reel
	asked  Asked
	rate   int
	length int64 // of a piece
	end    int64
	wanted []*target
	done   Done
}

// target is a row that is brought up to date.
type target struct {
	id    weave.NodeID
	row   *row
	fresh []print
	stale []bool
	meter *loudness.PieceMeter
}

// pieces is how many the reel has.
func (s *session) pieces() int { return int((s.end - s.reel.Head.Start + s.length - 1) / s.length) }

func (s *session) span(i int) (from, to int64) {
	from = s.reel.Head.Start + int64(i)*s.length
	return from, min(from+s.length, s.end)
}

// look finds which pieces of a row are not what they were.
func (s *session) look(id weave.NodeID) error {
	labels := s.reel.RowLabels(id.Row, id.ID)
	if labels == nil {
		return fault.New(fault.NotFound, "This %s is no longer on the reel", id.Row)
	}
	now := s.gauge.rows[id]
	factor := max(s.asked.Factor, 4)
	if now == nil || !slices.Equal(now.labels, labels) || now.start != s.reel.Head.Start || now.rate != s.rate || now.factor != factor {
		now = &row{labels: slices.Clone(labels), start: s.reel.Head.Start, rate: s.rate, factor: factor,
			Row: loudness.Row{Rate: s.rate, Layout: layoutOf(labels)}}
		s.gauge.rows[id] = now
	}
	reaching, err := weave.Reaching(s.reel, []weave.NodeID{id})
	if err != nil {
		return err
	}
	p, err := newPrinter(reaching, s.asked.Sound, s.pieces(), s.length)
	if err != nil {
		return err
	}
	t := &target{id: id, row: now, meter: loudness.NewPieceMeter(s.rate, factor, now.Layout)}
	n := s.pieces()
	for i := range n {
		from, to := s.span(i)
		fresh, err := p.of(i, from, to, s.rate)
		if err != nil {
			return err
		}
		fits := i < len(now.Pieces) && now.Pieces[i] != nil && now.Pieces[i].Frames == to-from
		t.fresh, t.stale = append(t.fresh, fresh), append(t.stale, !fits || now.prints[i] != fresh)
	}
	now.prints, now.Pieces, now.begun = sized(now.prints, n), sized(now.Pieces, n), sized(now.begun, n)
	s.wanted = append(s.wanted, t)
	return nil
}

// sized gives a list of n: shorter, or with nothing after what there is.
func sized[T any](list []T, n int) []T {
	return append(slices.Clone(list[:min(n, len(list))]), make([]T, max(0, n-len(list)))...)
}

// layoutOf gives the layout that labels are of, for the weights of channels.
func layoutOf(labels []string) layout.Layout { return layout.Layout{Labels: labels} }

// run measures what is stale, in the order of time: how a programme meter is charged at the beginning of a piece follows from the one
// before. What will be needed is rendered ahead, on as many engines as there are processors.
func (s *session) run(ctx context.Context) error {
	var order []int
	for i := range s.pieces() {
		if slices.ContainsFunc(s.wanted, func(t *target) bool { return t.stale[i] }) {
			order = append(order, i)
		}
	}
	if len(order) == 0 {
		s.done.Kept = s.pieces() * len(s.wanted)
		return nil
	}
	renderers, err := s.renderers(order)
	if err != nil {
		return err
	}
	work, ctx := errgroup.WithContext(ctx)
	rendered := make([]chan *sound, len(order))
	for k := range rendered {
		rendered[k] = make(chan *sound, 1)
	}
	for w, r := range renderers {
		work.Go(func() error {
			for k := w; k < len(order); k += len(renderers) {
				b, err := r.take(ctx)
				if err != nil {
					return err
				}
				if err := r.render(s, b, order[k]); err != nil {
					return err
				}
				rendered[k] <- b
			}
			return nil
		})
	}
	work.Go(func() error { return s.measure(ctx, order, rendered, renderers[0].again) })
	return work.Wait()
}

// measure measures the pieces as they come. A piece that is right but begins with another charge than it did is rendered once more.
func (s *session) measure(ctx context.Context, order []int, rendered []chan *sound, again func() (*renderer, error)) error {
	var extra *renderer
	next := 0
	for i := range s.pieces() {
		var b *sound
		if next < len(order) && order[next] == i {
			select {
			case b = <-rendered[next]:
			case <-ctx.Done():
				return fault.Wrap(fault.Cancelled, ctx.Err(), "Measuring was stopped")
			}
			next++
		}
		var wanted []int // of the rows
		for k, t := range s.wanted {
			if t.stale[i] || !slices.Equal(t.row.begun[i], t.charge(i)) {
				wanted = append(wanted, k)
			}
		}
		s.done.Kept += len(s.wanted) - len(wanted)
		s.done.Pieces += len(wanted)
		if b == nil && len(wanted) > 0 {
			if extra == nil {
				var err error
				if extra, err = again(); err != nil {
					return err
				}
			}
			b = <-extra.room
			if err := extra.render(s, b, i); err != nil {
				return err
			}
		}
		var rows sync.WaitGroup
		for _, k := range wanted { // which do not wait for each other
			rows.Go(func() { s.wanted[k].measure(i, b.rows[k], b.frames, loudness.Lead(s.rate)) })
		}
		rows.Wait()
		if b != nil {
			b.home <- b
			if s.asked.Progress != nil {
				s.asked.Progress(float64(next) / float64(len(order)))
			}
		}
	}
	return nil
}

// measure measures a piece of the row, as it was rendered.
func (t *target) measure(i int, rendered [][]float64, frames, lead int) {
	block := make([][]float64, len(rendered))
	for c := range block {
		block[c] = rendered[c][:frames]
	}
	charge := t.charge(i)
	t.row.Pieces[i] = t.meter.Measure(block, lead, charge)
	t.row.prints[i], t.row.begun[i] = t.fresh[i], charge
}

// charge is what the programme meters of a row hold where a piece begins.
func (t *target) charge(i int) []loudness.Charge {
	if i == 0 {
		return loudness.Empty(len(t.row.labels))
	}
	return t.row.Pieces[i-1].Charge
}

// sound is a piece as it was rendered, with what is read around it.
type sound struct {
	rows   [][][]float64 // target × channel × frame
	frames int
	home   chan *sound
}

// renderer renders pieces on an engine of its own.
type renderer struct {
	engine *engine.Engine
	room   chan *sound
	again  func() (*renderer, error)
	// What the pieces before and after a place have in common, where the engine remembers and had to roll on to it again: target × channel ×
	// frame, up to where it has rendered.
	shared [][][]float64
	to     int64
}

// blockFrames is the length of the blocks that are rendered.
const blockFrames = 1 << 11

// renderers prepares what is to be rendered: no more of the reel than reaches the rows in the pieces that are stale.
func (s *session) renderers(order []int) ([]*renderer, error) {
	var rows []weave.NodeID
	for _, t := range s.wanted {
		rows = append(rows, t.id)
	}
	whole, err := weave.Reaching(s.reel, rows)
	if err != nil {
		return nil, err
	}
	part := whole.Clone()
	first, _ := s.span(order[0])
	_, last := s.span(order[len(order)-1])
	before, after, err := engine.Reach(whole)
	if err != nil {
		return nil, err
	}
	pad := int64(2 * about * float64(s.rate))
	for id, c := range part.Clips {
		if c.End() < first-pad-before || c.Start > last+pad+after {
			delete(part.Clips, id)
		}
	}
	var out []*renderer
	for range min(runtime.GOMAXPROCS(0), 8, len(order)) {
		r, err := s.renderer(part, 2)
		if err != nil {
			return nil, err
		}
		r.again = func() (*renderer, error) { return s.renderer(whole, 1) }
		if out = append(out, r); r.engine.Remembers() { // one piece goes on from the other
			break
		}
	}
	return out, nil
}

// renderer makes one, with room for so many pieces.
func (s *session) renderer(of *reel.Reel, pieces int) (*renderer, error) {
	e, err := engine.New(of, s.asked.Open, engine.Options{Block: blockFrames, Hands: runtime.GOMAXPROCS(0)})
	if err != nil {
		return nil, err
	}
	r := &renderer{engine: e, room: make(chan *sound, pieces)}
	frames := loudness.Lead(s.rate) + int(s.length) + loudness.Tail
	for range pieces {
		b := &sound{home: r.room}
		for _, t := range s.wanted {
			channels := make([][]float64, len(t.row.labels))
			for c := range channels {
				channels[c] = make([]float64, frames)
			}
			b.rows = append(b.rows, channels)
		}
		r.room <- b
	}
	return r, nil
}

func (r *renderer) take(ctx context.Context) (*sound, error) {
	select {
	case b := <-r.room:
		return b, nil
	case <-ctx.Done():
		return nil, fault.Wrap(fault.Cancelled, ctx.Err(), "Measuring was stopped")
	}
}

// render renders a piece with what is read around it.
func (r *renderer) render(s *session, b *sound, i int) error {
	from, to := s.span(i)
	begin := from - int64(loudness.Lead(s.rate))
	b.frames = int(to + loudness.Tail - begin)
	at := r.share(b, begin)
	for at < b.frames {
		n := min(blockFrames, b.frames-at)
		if err := r.engine.Render(begin+int64(at), n); err != nil {
			return err
		}
		for k, t := range s.wanted {
			for c, x := range r.engine.At(t.id) {
				copy(b.rows[k][c][at:at+n], x)
			}
		}
		at += n
	}
	if r.engine.Remembers() {
		r.keep(b, begin, loudness.Lead(s.rate)+loudness.Tail)
	}
	return nil
}

// share puts what is rendered already at the beginning of a piece, and gives how many frames that are.
func (r *renderer) share(b *sound, begin int64) int {
	if len(r.shared) == 0 || r.to-int64(len(r.shared[0][0])) != begin {
		return 0
	}
	for k, row := range r.shared {
		for c, x := range row {
			copy(b.rows[k][c], x)
		}
	}
	return len(r.shared[0][0])
}

// keep notes the last frames of a piece, which the next begins with.
func (r *renderer) keep(b *sound, begin int64, frames int) {
	frames = min(frames, b.frames)
	r.to, r.shared = begin+int64(b.frames), make([][][]float64, len(b.rows))
	for k, row := range b.rows {
		for _, x := range row {
			r.shared[k] = append(r.shared[k], slices.Clone(x[b.frames-frames:b.frames]))
		}
	}
}
