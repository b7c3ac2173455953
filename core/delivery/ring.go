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

// ring hands blocks from the renderer to the two consumers and back.
type ring struct {
	free, measure, write chan *block
}

func newRing(channels int) *ring {
	r := &ring{make(chan *block, ringBlocks), make(chan *block, ringBlocks), make(chan *block, ringBlocks)}
	for range ringBlocks {
		b := &block{channels: make([][]float64, channels)}
		for i := range b.channels {
			b.channels[i] = make([]float64, blockFrames)
		}
		r.free <- b
	}
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

// pass gives a full block to both consumers. There is always room: as many blocks exist as fit.
func (r *ring) pass(b *block) {
	b.readers.Store(2)
	r.measure <- b
	r.write <- b
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
