package delivery

import (
	"context"
	"sync/atomic"
)

// ringBlocks is how many blocks are on their way between rendering, measuring and writing.
const ringBlocks = 6

// block is a block of the outputs in every form that files have (forms × channels × frames), which both consumers read and
// neither changes.
type block struct {
	at      int64 // the place of its first sample in the files
	forms   [][][]float64
	readers atomic.Int32 // still to let go of it
}

// room gives a channel of a form, with place for n samples.
func (b *block) room(form, channel, n int) []float64 {
	b.forms[form][channel] = b.forms[form][channel][:n]
	return b.forms[form][channel]
}

// ring hands blocks from the renderers, one after another, to the two consumers and back.
type ring struct {
	free, measure, write chan *block
	turns                []chan struct{} // of each renderer, to pass its next block
}

func newRing(channels, forms, renderers int) *ring {
	size := ringBlocks + renderers
	r := &ring{make(chan *block, size), make(chan *block, size), make(chan *block, size), nil}
	for range size {
		b := &block{forms: make([][][]float64, forms)}
		for k := range b.forms {
			b.forms[k] = make([][]float64, channels)
			for i := range b.forms[k] {
				b.forms[k][i] = make([]float64, blockFrames)
			}
		}
		r.free <- b
	}
	for range renderers {
		r.turns = append(r.turns, make(chan struct{}, 1))
	}
	r.turns[0] <- struct{}{}
	return r
}

// empty waits for a block that nobody reads any more.
func (r *ring) empty(ctx context.Context) (*block, error) {
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	select {
	case b := <-r.free:
		return b, nil
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

// pass gives a full block of a renderer to both consumers, when it is that one's turn: they have theirs one after another.
// also is called just before, by one at a time.
func (r *ring) pass(ctx context.Context, renderer int, b *block, also func()) error {
	select {
	case <-r.turns[renderer]:
	case <-ctx.Done():
		return ctx.Err()
	}
	also()
	b.readers.Store(2)
	r.measure <- b // there is always room: as many blocks exist as fit
	r.write <- b
	r.turns[(renderer+1)%len(r.turns)] <- struct{}{}
	return nil
}

// release lets go of a block.
func (r *ring) release(b *block) {
	if b.readers.Add(-1) == 0 {
		r.free <- b
	}
}

// end tells the consumers that no more will come.
func (r *ring) end() {
	close(r.measure)
	close(r.write)
}
