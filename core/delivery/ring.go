package delivery

import (
	"context"
	"sync/atomic"
)

// ringBlocks is how many blocks are on their way between rendering, measuring and writing.
const ringBlocks = 6

// block is a planar block (channels × frames) that both consumers read and neither changes.
type block struct {
	channels [][]float64
	readers  atomic.Int32 // still to let go of it
}

// fill copies samples into channel i and gives the copy.
func (b *block) fill(i int, samples []float64) []float64 {
	b.channels[i] = b.channels[i][:len(samples)]
	copy(b.channels[i], samples)
	return b.channels[i]
}

// ring hands blocks from the renderers, one after another, to the two consumers and back.
type ring struct {
	free, measure, write chan *block
	turns                []chan struct{} // of each renderer, to pass its next block
}

func newRing(channels, renderers int) *ring {
	size := ringBlocks + renderers
	r := &ring{make(chan *block, size), make(chan *block, size), make(chan *block, size), nil}
	for range size {
		b := &block{channels: make([][]float64, channels)}
		for i := range b.channels {
			b.channels[i] = make([]float64, blockFrames)
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
